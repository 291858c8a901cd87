//! What was looked at last, and may be done next.

use axum::body::Bytes;
use speckle_server::Looked;

#[tokio::test]
async fn several_windows_look_without_taking_each_others_plans_away() {
    let looked = Looked::<&str>::default();
    let [one, other] = ["one", "other"].map(|plan| looked.keep_a_while(plan));
    assert!(looked.bytes(one, |plan| Some(Bytes::from_static(plan.as_bytes()))).is_ok());
    assert!(looked.bytes(other, |_| None).is_err(), "it has no such numbers");
    assert_eq!(looked.take(|plan| *plan == "one"), Some("one"));
    assert_eq!(looked.take(|plan| *plan == "one"), None, "a plan is done once");
    assert!(looked.bytes(one, |_| Some(Bytes::new())).is_err());
    // What is looked at again keeps its number.
    let (number, _) = looked.again(|plan| *plan == "other").unwrap();
    assert_eq!((number, looked.get(number)), (other, Some("other")));
    assert_eq!(looked.again(|plan| *plan == "one"), None);
    for _ in 0..Looked::<&str>::MOST {
        looked.keep_a_while("later");
    }
    assert_eq!(looked.take(|plan| *plan == "other"), None, "the oldest goes first");
}
