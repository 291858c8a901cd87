//! The server as a client meets it: over real sockets on loopback.

use futures::StreamExt;
use serde_json::{Value, json};
use speckle_model::recipe::Source;
use speckle_server::openapi_json;
use speckle_store::Store;
use tokio_tungstenite::{
    connect_async,
    tungstenite::{Message, client::IntoClientRequest},
};

use crate::common::*;

#[tokio::test]
async fn what_is_acknowledged_is_on_disk_and_every_client_sees_the_same() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("toys");
    let address = serve(Store::open(&path).unwrap()).await;
    let project = bollard(address).await;

    let (mut mine, mut theirs) = (Held::default(), Held::default());
    let mut one = join(address, project).await;
    let hello = hear(&mut one, "hello", |_| {}).await;
    hear(&mut one, "figures", |f| mine.take(f)).await;
    let mut two = join(address, project).await;
    hear(&mut two, "figures", |f| theirs.take(f)).await;
    let ground = mine.clone();

    say(&mut one, stroke(&hello, [0.0, 0.2, 0.4, 1.0])).await;
    say(&mut one, moved(&[[-40.0, 0.0], [40.0, 30.0]])).await;
    say(&mut one, json!({ "type": "stroke_end" })).await;
    let kept = hear(&mut one, "kept", |f| mine.take(f)).await;
    assert_eq!(
        kept["history"]["undo"],
        json!({ "label": "Skin stroke on Coat", "hand": "Puffin" })
    );
    // At the moment of the acknowledgement, another reader of the file sees the row.
    let beside = Store::look(&path).unwrap();
    let document = beside.open_project(project).unwrap().document;
    let stored: Vec<[u8; 4]> = document.parts()[0].sets[0]
        .values
        .iter()
        .map(|v| v.map(|x| (x * 255.0).round() as u8))
        .collect();
    assert!(mine != ground && mine.0 == stored);
    hear(&mut two, "kept", |f| theirs.take(f)).await;
    assert!(mine == theirs);

    // Undo by the other one: history is the project's.
    say(&mut two, json!({ "type": "undo" })).await;
    let undone = hear(&mut one, "kept", |f| mine.take(f)).await;
    assert_eq!(undone["history"]["redo"]["label"], "Skin stroke on Coat");
    assert!(mine == ground);

    // A socket that dies in a stroke ends it there, and what was painted is kept. It dies only once
    // its paint is seen: a peer that goes with mail unread takes unheard words along.
    say(&mut two, stroke(&hello, [1.0, 0.0, 0.0, 1.0])).await;
    say(&mut two, moved(&[[0.0, 0.0]])).await;
    let before = mine.clone();
    while mine == before {
        if let Message::Binary(frame) = one.next().await.unwrap().unwrap() {
            mine.take(&frame);
        }
    }
    drop(two);
    let kept = hear(&mut one, "kept", |f| mine.take(f)).await;
    assert_eq!(kept["history"]["redo"], Value::Null);
    assert!(mine != ground);
}

/// Several hands at once on one set: all end with the same values, those of the file.
#[tokio::test]
async fn hands_that_paint_at_once_end_with_the_same_values() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("toys");
    let address = serve(Store::open(&path).unwrap()).await;
    let project = bollard(address).await;
    let hands = 4_usize;
    let mut sockets = Vec::new();
    for _ in 0..hands {
        let mut socket = join(address, project).await;
        let mut held = Held::default();
        let hello = hear(&mut socket, "hello", |_| {}).await;
        hear(&mut socket, "figures", |f| held.take(f)).await;
        sockets.push((socket, held, hello));
    }
    for (hand, (socket, _, hello)) in sockets.iter_mut().enumerate() {
        say(socket, stroke(hello, [hand as f32 / 4.0, 0.5, 0.1, 1.0])).await;
    }
    // Slice by slice in turn, so that the strokes cross while all of them are under way.
    for slice in 0..6 {
        for (hand, (socket, _, _)) in sockets.iter_mut().enumerate() {
            let (x, y) = (-50.0 + 20.0 * slice as f32, -40.0 + 25.0 * hand as f32);
            say(socket, moved(&[[x, y], [x + 10.0, -y]])).await;
        }
    }
    // Each ends at a place of its own: a stroke that others cover whole would change nothing.
    for (hand, (socket, _, _)) in sockets.iter_mut().enumerate() {
        say(socket, moved(&[[-60.0 + 40.0 * hand as f32, 110.0]])).await;
        say(socket, json!({ "type": "stroke_end" })).await;
    }
    for (socket, held, _) in &mut sockets {
        for _ in 0..hands {
            hear(socket, "kept", |f| held.take(f)).await;
        }
    }
    let document = Store::look(&path).unwrap().open_project(project).unwrap().document;
    let stored: Vec<[u8; 4]> = document.parts()[0].sets[0]
        .values
        .iter()
        .map(|v| v.map(|x| (x * 255.0).round() as u8))
        .collect();
    for (_, held, _) in &sockets {
        assert!(held.0 == stored);
    }
}

#[tokio::test]
async fn nonsense_is_refused_with_a_sentence_and_changes_nothing() {
    let address = serve(Store::temporary().unwrap()).await;
    let project = bollard(address).await;
    let mut socket = join(address, project).await;
    let hello = hear(&mut socket, "hello", |_| {}).await;
    let mut bad = stroke(&hello, [0.0; 4]);
    bad["start"]["brush"]["radius"] = json!(-1.0);
    say(&mut socket, bad).await;
    let refused = hear(&mut socket, "refused", |_| {}).await;
    assert!(refused["message"].as_str().unwrap().contains("radius"));

    let edits = format!("/api/v1/projects/{project}/edits");
    let add = |name: &str| json!({ "type": "add_set", "part": 1, "name": name, "placement": "face", "encoding": "data", "start": [0.5, 0.5, 0.5, 1.0] });
    let part = hello["outline"]["parts"][0]["id"].clone();
    let with_part = |mut request: Value| {
        request["part"] = part.clone();
        request
    };
    let (status, told) = post(address, &edits, with_part(add("Coat"))).await;
    assert_eq!(status, 422);
    assert!(told["message"].as_str().unwrap().contains("Coat already"));
    let (status, _) = post(address, &edits, with_part(add("Wear"))).await;
    assert_eq!(status, 200);
    let outline = hear(&mut socket, "outline", |_| {}).await;
    assert_eq!(outline["outline"]["parts"][0]["sets"][1]["name"], "Wear");

    let (status, told) = post(address, "/api/v1/pieces", json!({ "piece": "yacht" })).await;
    assert_eq!((status, told["message"].as_str().unwrap()), (422, "there is no demo piece yacht"));
    let get = |path: &str| format!("GET {path} HTTP/1.1\r\nHost: {address}");
    assert_eq!(ask(address, &get("/api/v1/projects/99/export?format=glb"), b"").await.0, 404);
    assert_eq!(ask(address, &get("/api/v1/nothing"), b"").await.0, 404);
}

#[tokio::test]
async fn other_sites_and_other_names_are_kept_out_and_bodies_are_bounded() {
    let address = serve(Store::temporary().unwrap()).await;
    let request = |lines: &str| format!("{lines}\r\nContent-Type: application/json");
    let piece: &[u8] = br#"{"piece":"bollard"}"#;
    for (head, status) in [
        (format!("POST /api/v1/pieces HTTP/1.1\r\nHost: {address}"), 200),
        (
            format!("POST /api/v1/pieces HTTP/1.1\r\nHost: {address}\r\nOrigin: http://{address}"),
            200,
        ),
        (
            format!(
                "POST /api/v1/pieces HTTP/1.1\r\nHost: {address}\r\nOrigin: http://elsewhere.test"
            ),
            403,
        ),
        (
            format!(
                "POST /api/v1/pieces HTTP/1.1\r\nHost: {address}\r\nOrigin: http://localhost:1"
            ),
            403,
        ),
        (format!("POST /api/v1/pieces HTTP/1.1\r\nHost: {address}\r\nOrigin: null"), 403),
        ("POST /api/v1/pieces HTTP/1.1\r\nHost: elsewhere.test".to_owned(), 403),
    ] {
        assert_eq!(ask(address, &request(&head), piece).await.0, status, "{head}");
    }
    let rebound = ask(address, "GET /api/v1/projects HTTP/1.1\r\nHost: elsewhere.test", b"").await;
    assert_eq!(rebound.0, 403);

    let mut foreign =
        format!("ws://{address}/api/v1/projects/1/live").into_client_request().unwrap();
    foreign.headers_mut().insert("origin", "http://elsewhere.test".parse().unwrap());
    assert!(connect_async(foreign).await.is_err());

    let big = vec![b' '; (1 << 20) + 1];
    assert_eq!(send_file(address, "/api/v1/imports", "big.ply", &big).await.0, 413);
    let (status, told) = send_file(address, "/api/v1/imports", "big.ply", b"ply\nnonsense\n").await;
    assert_eq!(status, 422);
    assert!(told["message"].as_str().unwrap().contains("big.ply, line 2"));
}

#[tokio::test]
async fn who_comes_back_is_sent_values_but_not_the_meshes_it_holds() {
    let address = serve(Store::temporary().unwrap()).await;
    let project = bollard(address).await;
    let kinds = |frames: &[u32], kind: u32| frames.iter().filter(|k| **k == kind).count();
    let mut frames = Vec::new();
    let mut first = join(address, project).await;
    let hello = hear(&mut first, "hello", |_| {}).await;
    hear(&mut first, "present", |f| frames.push(u32::from(f[0]))).await;
    assert_eq!((kinds(&frames, 1), kinds(&frames, 2)), (1, 1));
    drop(first);

    let part = &hello["outline"]["parts"][0];
    let held = json!([{ "part": part["id"], "mesh": part["mesh"] }]);
    let mut again = join_as(address, project, "Tern", held).await;
    frames.clear();
    hear(&mut again, "present", |f| frames.push(u32::from(f[0]))).await;
    assert_eq!((kinds(&frames, 1), kinds(&frames, 2)), (0, 1));
    // A mesh of another content is sent.
    let held = json!([{ "part": part["id"], "mesh": "00" }]);
    let mut other = join_as(address, project, "Gull", held).await;
    frames.clear();
    let present = hear(&mut other, "present", |f| frames.push(u32::from(f[0]))).await;
    assert_eq!(kinds(&frames, 1), 1);
    let mut hands: Vec<&str> =
        present["hands"].as_array().unwrap().iter().filter_map(Value::as_str).collect();
    hands.sort_unstable();
    assert!(hands.ends_with(&["Gull", "Tern"]) || hands.contains(&"Gull"), "{hands:?}");
}

#[tokio::test]
async fn whoever_has_a_project_open_hears_of_its_name_its_parts_and_its_end() {
    let address = serve(Store::temporary().unwrap()).await;
    let project = bollard(address).await;
    let mut socket = join(address, project).await;
    let hello = hear(&mut socket, "hello", |_| {}).await;
    let part = hello["outline"]["parts"][0]["id"].clone();
    let path = format!("/api/v1/projects/{project}");
    let request = |method: &str, path: &str| {
        format!(
            "{method} {path} HTTP/1.1\r\nHost: {address}\r\nContent-Type: application/json\r\nspeckle-hand: Tern"
        )
    };
    let (status, _) = ask(address, &request("PATCH", &path), br#"{"name":" Quay "}"#).await;
    assert_eq!(status, 204);
    assert_eq!(hear(&mut socket, "renamed", |_| {}).await["name"], "Quay");

    // A second part, in inches and with Z up, lands in the project's millimetres with Y up.
    let triangle = b"v 0 0 0\nv 1 0 0\nv 0 0 1\nf 1 2 3\n";
    let (_, report) =
        send_file(address, &format!("{path}/imports?unit=inch&up=z"), "flag.obj", triangle).await;
    assert_eq!(report["parts"][0]["name"], "flag");
    let outline = hear(&mut socket, "outline", |_| {}).await;
    let max = outline["outline"]["parts"][1]["max"].as_array().unwrap();
    assert!(max.iter().zip([25.4, 25.4, 0.0]).all(|(a, b)| (a.as_f64().unwrap() - b).abs() < 1e-4));

    // The same file again: the report calls the part as the project does.
    let twice = b"v 0 0 0\nv 1 0 0\nv 0 0 1\nf 1 2 3\nf 2 3 1\n";
    let (_, report) = send_file(address, &format!("{path}/imports"), "flag.obj", twice).await;
    assert_eq!(
        (&report["parts"][0]["name"], &report["repairs"][0]["part"]),
        (&json!("flag 2"), &json!("flag 2"))
    );

    let edits = format!("{path}/edits");
    let edit = json!({ "type": "duplicate_part", "part": part }).to_string();
    assert_eq!(ask(address, &request("POST", &edits), edit.as_bytes()).await.0, 200);
    let kept = loop {
        let kept = hear(&mut socket, "kept", |_| {}).await;
        if kept["history"]["undo"]["hand"] == "Tern" {
            break kept;
        }
    };
    assert_eq!(kept["history"]["undo"]["label"], "Duplicate Bollard");

    let (status, picture) = ask(address, &request("GET", &format!("{path}/picture")), b"").await;
    assert_eq!((status, &picture[1..4]), (200, &b"PNG"[..]));
    let (status, copy) = ask(address, &request("POST", &format!("{path}/copy")), b"").await;
    assert_eq!(status, 200);
    let copy: Value = serde_json::from_slice(&copy).unwrap();
    let (_, file) = ask(address, &request("GET", &format!("{path}/file")), b"").await;
    let import = format!("POST /api/v1/projects/file HTTP/1.1\r\nHost: {address}");
    assert_eq!(ask(address, &import, &file).await.0, 200);
    assert_eq!(ask(address, &import, &file[..file.len() / 2]).await.0, 422);

    assert_eq!(ask(address, &request("DELETE", &path), b"").await.0, 204);
    hear(&mut socket, "gone", |_| {}).await;
    let (_, shelf) = ask(address, &request("GET", "/api/v1/projects"), b"").await;
    let shelf: Value = serde_json::from_slice(&shelf).unwrap();
    let ids: Vec<&Value> = shelf["projects"].as_array().unwrap().iter().map(|p| &p["id"]).collect();
    assert!(ids.len() == 2 && ids.contains(&&copy["id"]), "{shelf}");
    assert_eq!(shelf["projects"][0]["name"], "Quay");
    // Whoever comes too late is told so as well.
    let mut late = join(address, project).await;
    hear(&mut late, "gone", |_| {}).await;
}

/// The description committed with the front end, from which its types are made, is the server's.
#[test]
fn the_committed_description_has_not_drifted() {
    let committed = include_str!("../../../../web/openapi.json");
    assert!(committed == openapi_json(), "run `cargo xtask api` and commit what it writes");
}

#[tokio::test]
async fn stencils_palettes_previews_heat_and_corners_are_served() {
    let address = serve(Store::temporary().unwrap()).await;
    let project = bollard(address).await;
    let send = async |what: &str, body: &[u8]| {
        let head = format!(
            "POST /api/v1/projects/{project}/{what} HTTP/1.1\r\nHost: {address}\r\nContent-Type: application/octet-stream"
        );
        let (status, body) = ask(address, &head, body).await;
        (status, serde_json::from_slice::<Value>(&body).unwrap_or(Value::Null))
    };
    let (status, taken) = send("stencils", WHITE_PIXEL).await;
    assert_eq!((status, &taken["width"], &taken["height"]), (200, &json!(1), &json!(1)), "{taken}");
    let (status, refused) = send("stencils", b"GIF89a but no more").await;
    assert_eq!(status, 422);
    assert!(refused["message"].as_str().unwrap().contains("choose a PNG"), "{refused}");

    let json = br#"[{ "name": "Tar", "color": [0, 0.5, 1] }]"#;
    assert_eq!(send("palette", json).await.0, 204);
    for (bad, words) in [
        (&b"255 0"[..], "line 1: blue is missing"),
        (b"[1, 2]", "must be a list"),
        (b"\xff\xfe", "byte 0 is no text"),
        (b"# only words", "no color in it"),
    ] {
        let (status, refused) = send("palette", bad).await;
        assert!(status == 422 && refused["message"].as_str().unwrap().contains(words), "{refused}");
    }
    let head = format!("GET /api/v1/projects/{project}/palette HTTP/1.1\r\nHost: {address}");
    let (status, text) = ask(address, &head, b"").await;
    assert_eq!(
        (status, String::from_utf8(text).unwrap().lines().last()),
        (200, Some("0 128 255 Tar"))
    );

    let mut socket = join(address, project).await;
    let hello = hear(&mut socket, "hello", |_| {}).await;
    assert_eq!(hello["outline"]["swatches"][0]["name"], "Tar");
    let part = &hello["outline"]["parts"][0];
    let (id, set, vertices) = (&part["id"], &part["sets"][0]["id"], &part["vertices"]);
    let adjustment = |how: Value| {
        json!({ "type": "preview", "adjustment": {
            "part": id, "set": set, "channels": [true, true, true, false], "how": how } })
    };
    let mut frames: Vec<[u32; 5]> = Vec::new();
    let mut note = |frame: &[u8]| {
        let word = |i: usize| u32::from_le_bytes(frame[4 * i..4 * i + 4].try_into().unwrap());
        frames.push(std::array::from_fn(word));
    };
    inquire(&mut socket, 1, adjustment(json!({ "type": "invert" }))).await;
    inquire(&mut socket, 2, json!({ "type": "heat", "part": id, "snapshot": null })).await;
    inquire(&mut socket, 3, json!({ "type": "corners", "part": id, "set": set, "vertex": 0 }))
        .await;
    let corners = hear(&mut socket, "corners", &mut note).await;
    assert!(corners["corners"].as_array().unwrap().len() >= 3, "{corners}");
    assert_eq!(hear(&mut socket, "answered", &mut note).await["question"], 3);
    inquire(&mut socket, 4, adjustment(json!({ "type": "posterise", "steps": 0 }))).await;
    let refused = hear(&mut socket, "answered", &mut note).await;
    assert!(refused["trouble"].as_str().unwrap().contains("2 to 256"));
    // The preview (6) has every value of the set, the heat (7) a number for each vertex.
    let vertices = vertices.as_u64().unwrap() as u32;
    assert!(frames.iter().any(|f| f[0] == 6 && f[3] == vertices));
    assert!(frames.iter().any(|f| f[0] == 7 && f[2] == 0 && f[3] == vertices));
    // A preview is nobody's change.
    let (status, _) = post(
        address,
        &format!("/api/v1/projects/{project}/edits"),
        json!({
        "type": "adjust", "adjustment": adjustment(json!({ "type": "invert" }))["adjustment"] }),
    )
    .await;
    assert_eq!(status, 200);
    let kept = hear(&mut socket, "kept", |_| {}).await;
    assert_eq!(kept["label"], "Invert of Coat");

    // A snapshot's values come when they are asked for, and not before.
    let edits = format!("/api/v1/projects/{project}/edits");
    let (_, done) = post(address, &edits, json!({ "type": "take_snapshot", "name": "Then" })).await;
    assert_eq!(done["changed"], true);
    let mut values = Vec::new();
    let mut note = |frame: &[u8]| {
        let word = |i: usize| u32::from_le_bytes(frame[4 * i..4 * i + 4].try_into().unwrap());
        if word(0) == 2 {
            values.push(word(2));
        }
    };
    let outline = hear(&mut socket, "outline", &mut note).await;
    hear(&mut socket, "kept", &mut note).await;
    let snapshot = outline["outline"]["parts"][0]["helpers"][0]["id"].clone();
    inquire(&mut socket, 5, json!({ "type": "values", "part": id, "set": snapshot })).await;
    hear(&mut socket, "answered", &mut note).await;
    assert_eq!(values, [snapshot.as_u64().unwrap() as u32]);
    let (_, done) =
        post(address, &edits, json!({ "type": "restore_snapshot", "name": "Then" })).await;
    assert_eq!(done["changed"], false, "nothing happened since");
}

/// Beats go out beside what waits for a client. None of it may be lost for them, a mesh least of all,
/// whose frame takes a while to be made.
#[tokio::test]
async fn whoever_joins_gets_the_mesh_whatever_else_goes_over_the_socket() {
    let address = serve(Store::temporary().unwrap()).await;
    let project = bollard(address).await;
    for n in 0..60 {
        let mut socket = join(address, project).await;
        let mut meshes = 0;
        let mut count = |frame: &[u8]| meshes += usize::from(frame[0] == 1);
        hear(&mut socket, "hello", &mut count).await;
        // By then all that a join brings has been sent.
        hear(&mut socket, "figures", &mut count).await;
        assert_eq!(meshes, 1, "join {n}");
    }
}

/// What the page is told at the start is what the core does.
#[tokio::test]
async fn a_page_is_told_limits_and_what_is_meant_where_nothing_is_said() {
    let address = serve(Store::temporary().unwrap()).await;
    let project = bollard(address).await;
    let mut socket = join(address, project).await;
    let hello = hear(&mut socket, "hello", |_| {}).await;
    let facts = &hello["facts"];
    // So many sets and no more.
    let part = &hello["outline"]["parts"][0];
    let path = format!("/api/v1/projects/{project}/edits");
    let add = |i: u64| {
        json!({ "type": "add_set", "part": part["id"], "name": format!("More {i}"),
            "placement": "face", "encoding": "data", "start": [0.0, 0.0, 0.0, 1.0] })
    };
    let most = facts["limits"]["sets"].as_u64().unwrap();
    let there = part["sets"].as_array().unwrap().len() as u64;
    for i in there..most {
        assert_eq!(post(address, &path, add(i)).await.0, 200);
    }
    let (status, told) = post(address, &path, add(most)).await;
    assert_eq!(status, 422, "{told}");
    // Sources are as they are where nothing more is said: said or not, a recipe is the same.
    let sources = facts["sources"].as_array().unwrap();
    let kinds: Vec<&str> = sources.iter().map(|source| source["kind"].as_str().unwrap()).collect();
    for kind in ["occlusion", "edges", "facing", "material"] {
        assert!(kinds.contains(&kind), "{kinds:?}");
    }
    for source in sources {
        let bare: Source = serde_json::from_value(json!({ "kind": source["kind"] })).unwrap();
        assert_eq!(serde_json::to_value(bare).unwrap(), *source);
    }
    // An edit that makes no difference says why; one that nobody knows, or that says too little, is
    // refused in a sentence.
    let clear = json!({ "type": "clear_part", "part": part["id"] });
    let (_, told) = post(address, &path, clear.clone()).await;
    assert_eq!(told["changed"], false);
    assert_eq!(told["why"], "it is at its ground color already, or protected");
    let (status, told) = post(address, &path, json!({ "type": "boil_part" })).await;
    assert_eq!(status, 422);
    assert!(told["message"].as_str().unwrap().contains("boil_part"), "{told}");
    let (status, told) = post(address, &path, json!({ "type": "rename_part" })).await;
    assert_eq!(status, 422);
    assert!(told["message"].as_str().unwrap().contains("part"), "{told}");
    let (status, _) = post(address, &path, json!({ "type": "add_parts", "parts": [] })).await;
    assert_eq!(status, 422, "parts come by files");
}
