//! Files laid over a part that is there, and what an import says of how it took the numbers.

use std::net::SocketAddr;

use serde_json::{Value, json};
use speckle_store::Store;

use crate::common::*;

/// A quad in PLY (Turk 1994), 0.2 across, with a grey at each vertex.
fn quad(grey: u8) -> String {
    let vertices: String = [[0.0, 0.0], [0.2, 0.0], [0.2, 0.2], [0.0, 0.2]]
        .map(|[x, y]| format!("{x} {y} 0 {grey} {grey} {grey}\n"))
        .concat();
    format!(
        "ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\n\
         property uchar red\nproperty uchar green\nproperty uchar blue\nelement face 1\n\
         property list uchar int vertex_indices\nend_header\n{vertices}4 0 1 2 3\n"
    )
}

struct Desk {
    address: SocketAddr,
    project: i64,
    part: u64,
    folder: tempfile::TempDir,
}

async fn with_quad() -> (Desk, Value) {
    let folder = tempfile::tempdir().unwrap();
    let address = serve(Store::open(&folder.path().join("toys")).unwrap()).await;
    let (status, report) =
        send_file(address, "/api/v1/imports", "quay.ply", quad(100).as_bytes()).await;
    assert_eq!(status, 200, "{report}");
    let project = report["project"].as_i64().unwrap();
    let part = report["parts"][0]["id"].as_u64().unwrap();
    (Desk { address, project, part, folder }, report)
}

impl Desk {
    async fn replace(&self, query: &str, name: &str, file: &[u8]) -> (u16, Value) {
        let (project, part) = (self.project, self.part);
        let path = format!("/api/v1/projects/{project}/parts/{part}/replacement?{query}");
        send_file(self.address, &path, name, file).await
    }

    async fn edit(&self, edit: Value) {
        let path = format!("/api/v1/projects/{}/edits", self.project);
        let (status, answer) = post(self.address, &path, edit).await;
        assert_eq!((status, &answer["changed"]), (200, &json!(true)), "{answer}");
    }

    async fn export(&self, format: &str) -> Vec<u8> {
        let (address, project) = (self.address, self.project);
        let head = format!(
            "GET /api/v1/projects/{project}/export?format={format} HTTP/1.1\r\nHost: {address}"
        );
        let (status, bytes) = ask(address, &head, b"").await;
        assert_eq!(status, 200);
        bytes
    }

    /// What is on disk: the points, and the first set's values.
    fn stored(&self) -> (Vec<[f32; 3]>, Vec<[f32; 4]>) {
        let store = Store::look(&self.folder.path().join("toys")).unwrap();
        let document = store.open_project(self.project).unwrap().document;
        let part = &document.parts()[0];
        let points = part.geometry.mesh().positions().iter().map(|p| p.to_array()).collect();
        (points, part.sets[0].values.to_vec())
    }
}

#[tokio::test]
async fn an_import_says_what_it_took_the_numbers_for_and_why() {
    let (desk, report) = with_quad().await;
    assert_eq!(report["traits"]["unit"], "metre");
    assert_eq!(
        report["reasons"],
        json!({
            "unit": "by its size: it says nothing and is 0.200 long, a speck if it were millimetres",
            "up": "as files of PLY usually are, it says nothing",
            "guessed": true,
        })
    );
    assert_eq!((&report["is_first"], &report["origin"]), (&json!(true), &Value::Null));
    // A second one is converted, and can be told to have meant something else.
    let path = format!("/api/v1/projects/{}/imports", desk.project);
    let (_, second) = send_file(desk.address, &path, "crate.stl", STL.as_bytes()).await;
    assert_eq!(
        (&second["traits"]["unit"], &second["is_first"]),
        (&json!("millimetre"), &json!(false))
    );
    let id = &second["parts"][0]["id"];
    desk.edit(json!({
        "type": "convert_parts", "parts": [id],
        "taken": { "unit": "millimetre", "up": "z" }, "meant": { "unit": "inch", "up": "z" },
    }))
    .await;
    let store = Store::look(&desk.folder.path().join("toys")).unwrap();
    let document = store.open_project(desk.project).unwrap().document;
    // 10 inches are 0.254 m (international yard and pound agreement, 1959).
    let mesh = document.parts()[1].geometry.mesh();
    let longest = mesh.positions().iter().fold(0.0_f32, |most, p| most.max(p.x));
    assert!((longest - 0.254).abs() < 1e-6, "{longest}");
}

const STL: &str = "solid crate\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 10 0 0\n\
    vertex 0 10 0\nendloop\nendfacet\nendsolid crate\n";

#[tokio::test]
async fn colors_are_looked_at_first_then_laid_over_and_an_older_file_is_known() {
    let (desk, _) = with_quad().await;
    let sent = desk.export("glb").await;
    let before = desk.stored();
    let (status, seen) = desk.replace("what=colors&look=true", "quay.glb", &sent).await;
    assert_eq!(status, 200, "{seen}");
    assert_eq!(seen["report"]["sets"][0]["changed"], 0, "it is what was sent");
    assert_eq!((&seen["origin"]["is_own"], &seen["origin"]["since"]), (&json!(true), &json!(0)));

    let (status, seen) =
        desk.replace("what=colors&look=true", "new.ply", quad(200).as_bytes()).await;
    assert_eq!((status, &seen["report"]["matching"]), (200, &json!("index")), "{seen}");
    assert_eq!(seen["report"]["sets"][0]["changed"], 4);
    assert_eq!((&seen["origin"], desk.stored() == before), (&Value::Null, true), "only looked at");
    let (status, _) = desk.replace("what=colors", "new.ply", quad(200).as_bytes()).await;
    assert_eq!(status, 200);
    assert!(desk.stored().1.iter().all(|value| (value[0] * 255.0).round() == 200.0));

    // The file sent before that is older now by a change, and brings back what was.
    let (_, seen) = desk.replace("what=colors", "quay.glb", &sent).await;
    assert_eq!((&seen["origin"]["is_own"], &seen["origin"]["since"]), (&json!(true), &json!(1)));
    assert_eq!(seen["report"]["sets"][0]["changed"], 4);
    let after = desk.stored();
    assert_eq!(after.0, before.0);
    for (a, b) in after.1.iter().zip(&before.1) {
        assert!((0..4).all(|i| (a[i] - b[i]).abs() < 1e-6), "{a:?} {b:?}");
    }
}

/// What was looked at is done without reading it again, but never blindly.
#[tokio::test]
async fn what_was_looked_at_is_planned_anew_when_the_part_has_changed_since() {
    let (desk, _) = with_quad().await;
    let (_, seen) = desk.replace("what=colors&look=true", "new.ply", quad(90).as_bytes()).await;
    assert_eq!(seen["report"]["sets"][0]["changed"], 4);
    let store = Store::look(&desk.folder.path().join("toys")).unwrap();
    let set = store.open_project(desk.project).unwrap().document.parts()[0].sets[0].id;
    let traits = json!({ "meaning": "", "low": "", "high": "", "locked": true });
    desk.edit(json!({ "type": "describe_channel", "part": desk.part, "set": set, "channel": 0, "traits": traits })).await;
    let (_, seen) = desk.replace("what=colors", "new.ply", quad(90).as_bytes()).await;
    assert_eq!(seen["report"]["sets"][0]["changed"], 4, "{seen}");
    let now = desk.stored().1;
    let steps = |i: usize| now.iter().map(move |value| (value[i] * 255.0).round());
    assert!(steps(0).all(|red| red == 100.0) && steps(1).all(|green| green == 90.0), "{now:?}");

    // Once done, it is not done again from what was kept: nothing changes any more.
    let (_, seen) = desk.replace("what=colors", "new.ply", quad(90).as_bytes()).await;
    assert_eq!(seen["report"]["sets"][0]["changed"], 0, "{seen}");
}

#[tokio::test]
async fn a_shape_is_replaced_and_what_cannot_be_says_why() {
    let (desk, _) = with_quad().await;
    let before = desk.stored();
    let (_, seen) =
        desk.replace("what=shape&look=true&unit=millimetre", "crate.stl", STL.as_bytes()).await;
    assert_eq!(seen["report"]["faces"], json!([1, 1]));
    assert_eq!(desk.stored(), before);
    let (status, seen) = desk.replace("what=shape&unit=metre", "crate.stl", STL.as_bytes()).await;
    assert_eq!(status, 200, "{seen}");
    let (points, values) = desk.stored();
    assert_eq!((points.len(), values.len()), (3, 3));
    assert!(points.iter().flatten().any(|&x| x == 10.0), "{points:?}");

    for (query, name, file, says) in [
        ("what=colors&matching=index", "quay.ply", quad(9), "match by the nearest surface"),
        ("what=colors", "crate.stl", STL.to_owned(), "crate in the file carries no colors"),
        (
            "what=colors&from=Pier",
            "quay.ply",
            quad(9),
            "the file has no part Pier: choose one of quay",
        ),
        ("what=shape", "quay.doc", quad(9), "files ending in .doc are not known"),
        ("what=shape", "quay.ply", "ply\nformat".into(), "quay.ply"),
    ] {
        let before = desk.stored();
        let (status, answer) = desk.replace(query, name, file.as_bytes()).await;
        assert_eq!(status, 422, "{query}: {answer}");
        let message = answer["message"].as_str().unwrap_or_default();
        assert!(message.contains(says), "{query}: {message}");
        assert_eq!(desk.stored(), before, "nothing is lost");
    }
    let gone = Desk { part: 999, ..desk };
    assert_eq!(gone.replace("what=colors", "quay.ply", quad(9).as_bytes()).await.0, 404);
}
