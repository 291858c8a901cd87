//! Delivering over REST: formats, recipients kept, what is sent and proved, maps.

use std::{io::Cursor, io::Read, net::SocketAddr};

use serde_json::{Value, json};
use speckle_store::Store;
use zip::ZipArchive;

use crate::common::*;

async fn call(address: SocketAddr, verb: &str, path: &str, body: &Value) -> (u16, Vec<u8>) {
    let head =
        format!("{verb} {path} HTTP/1.1\r\nHost: {address}\r\nContent-Type: application/json");
    ask(address, &head, body.to_string().as_bytes()).await
}

async fn told(address: SocketAddr, verb: &str, path: &str, body: &Value) -> Value {
    let (status, answer) = call(address, verb, path, body).await;
    assert_eq!(status, 200, "{path}: {}", String::from_utf8_lossy(&answer));
    serde_json::from_slice(&answer).unwrap()
}

/// A square with two sets and UVs, in text.
const SQUARE: &[u8] = b"#usda 1.0\n( metersPerUnit = 0.001\n upAxis = \"Z\" )\ndef Mesh \"Tile\" {\n\
    int[] faceVertexCounts = [4]\n int[] faceVertexIndices = [0, 1, 2, 3]\n\
    point3f[] points = [(0,0,0), (40,0,0), (40,40,0), (0,40,0)]\n\
    color3f[] primvars:displayColor = [(1,0,0), (0,1,0), (0,0,1), (1,1,1)] ( interpolation = \"vertex\" )\n\
    texCoord2f[] primvars:st = [(0,0), (1,0), (1,1), (0,1)] ( interpolation = \"faceVarying\" )\n\
    float4[] primvars:Wear = [(0,0,0,1), (0.25,0,0,1), (0.5,0,0,1), (1,0,0,1)] (\n\
      customData = { string encoding = \"data\"\n string name = \"Wear\" }\n interpolation = \"vertex\" )\n}\n";

async fn tile() -> (SocketAddr, i64) {
    let address = serve(Store::temporary().unwrap()).await;
    let (status, report) = send_file(address, "/api/v1/imports", "tile.usda", SQUARE).await;
    assert_eq!(status, 200, "{report}");
    assert_eq!(report["traits"], json!({ "unit": "millimetre", "up": "z" }));
    (address, report["project"].as_i64().unwrap())
}

fn recipient(name: &str, format: &str) -> Value {
    json!({ "name": name, "format": format })
}

#[tokio::test]
async fn formats_and_recipients_are_told_kept_and_forgotten() {
    let (address, project) = tile().await;
    let formats = told(address, "GET", "/api/v1/formats", &Value::Null).await;
    let usdz = formats.as_array().unwrap().iter().find(|own| own["format"] == "usdz").unwrap();
    assert_eq!((&usdz["reads"], &usdz["lights"]), (&json!(true), &json!(["linear", "encoded"])));

    let path = format!("/api/v1/projects/{project}/recipients");
    let starters = told(address, "GET", &path, &Value::Null).await;
    assert!(
        starters.as_array().unwrap().iter().all(|own| own["kept"] == false && own["says"] != "")
    );
    let (status, _) = call(address, "PUT", &path, &recipient("  Harbour game ", "ply")).await;
    assert_eq!(status, 204);
    // The same name is the same recipient.
    let (status, _) = call(address, "PUT", &path, &recipient("Harbour game", "obj")).await;
    assert_eq!(status, 204);
    let now = told(address, "GET", &path, &Value::Null).await;
    let kept: Vec<&Value> =
        now.as_array().unwrap().iter().filter(|own| own["kept"] == true).collect();
    assert_eq!(kept.len(), 1);
    assert_eq!(kept[0]["recipient"]["format"], "obj");
    let own = format!("{path}?name=Harbour%20game");
    assert_eq!(call(address, "DELETE", &own, &Value::Null).await.0, 204);
    assert_eq!(told(address, "GET", &path, &Value::Null).await, starters);

    for (body, said) in [
        (recipient("", "ply"), "needs a name"),
        (json!({ "name": "x", "scale": -1.0 }), "number above 0"),
        (json!({ "name": "x", "format": "psd" }), "psd"),
        (json!({ "name": "x", "sizes": 1 }), "sizes"),
    ] {
        let (status, answer) = call(address, "PUT", &path, &body).await;
        let answer = String::from_utf8_lossy(&answer).into_owned();
        assert!((400..500).contains(&status) && answer.contains(said), "{status} {answer}");
    }
    assert_eq!(
        call(address, "PUT", "/api/v1/projects/99/recipients", &recipient("x", "ply")).await.0,
        404
    );
}

#[tokio::test]
async fn a_delivery_is_packed_sent_remembered_and_proved() {
    let (address, project) = tile().await;
    let base = format!("/api/v1/projects/{project}");
    let wanted = recipient("Printer", "3mf");
    let list = told(address, "POST", &format!("{base}/packing"), &wanted).await;
    let names: Vec<&str> = list["files"]
        .as_array()
        .unwrap()
        .iter()
        .map(|file| file["name"].as_str().unwrap())
        .collect();
    assert_eq!(names, ["tile.3mf", "tile-channels.json", "tile-channels.md"]);
    assert_eq!((&list["size"], &list["unit"]), (&json!([40.0, 40.0, 0.0]), &json!("mm")));
    assert_eq!(list["changed"], Value::Null, "it was never sent");
    let kinds: Vec<&str> = list["losses"]
        .as_array()
        .unwrap()
        .iter()
        .map(|loss| loss["kind"].as_str().unwrap())
        .collect();
    assert_eq!(kinds, ["sets", "polygons", "uvs"]);

    let (status, zip) = call(address, "POST", &format!("{base}/deliveries"), &wanted).await;
    assert_eq!(status, 200);
    let mut package = ZipArchive::new(Cursor::new(zip)).unwrap();
    assert_eq!(package.len(), 3);
    let mut note = String::new();
    package.by_name("tile-channels.json").unwrap().read_to_string(&mut note).unwrap();
    let note: Value = serde_json::from_str(&note).unwrap();
    assert_eq!((&note["project"], &note["sets"][1]["name"]), (&json!("tile"), &json!("Wear")));
    // The day is that of the calendar, and the size in the list was right.
    assert_eq!(note["date"].as_str().map(str::len), Some(10));
    let told_size = list["files"][0]["bytes"].as_u64().unwrap();
    assert_eq!(package.by_name("tile.3mf").unwrap().size(), told_size);

    let list = told(address, "POST", &format!("{base}/packing"), &wanted).await;
    assert_eq!(list["changed"], json!([]));
    let proof = told(address, "POST", &format!("{base}/proof"), &wanted).await;
    let sets = &proof["parts"][0]["sets"];
    assert_eq!(sets[0], json!({ "name": "Color", "max_difference": 0.0, "mean_difference": 0.0 }));
    assert_eq!(sets[1]["max_difference"], Value::Null, "Wear found no room");
    for format in ["glb", "ply", "usda", "usdz", "dae"] {
        let proof = told(address, "POST", &format!("{base}/proof"), &recipient("x", format)).await;
        for set in proof["parts"][0]["sets"].as_array().unwrap() {
            assert!(set["max_difference"].as_f64().unwrap() < 1.0 / 255.0, "{format}: {proof}");
        }
    }
}

#[tokio::test]
async fn maps_are_rendered_and_what_is_missing_is_told() {
    let (address, project) = tile().await;
    let path = format!("/api/v1/projects/{project}/maps");
    let wear = json!({ "from": "set", "set": "Wear", "channel": 0 });
    let one = json!({ "from": "constant", "value": 1.0 });
    let plan = |lay: Value, red: &Value| json!({ "width": 4, "height": 4, "lay": lay, "channels": [red, one, one, one] });
    let uv = json!({ "kind": "uv", "uv_set": 0 });
    let (status, bytes) = call(address, "POST", &path, &plan(uv.clone(), &wear)).await;
    assert_eq!(status, 200);
    let mut reader = png::Decoder::new(Cursor::new(bytes)).read_info().unwrap();
    let mut pixels = vec![0; reader.output_buffer_size().unwrap()];
    reader.next_frame(&mut pixels).unwrap();
    // Along the lower row u runs from ⅛ to ⅞ at v = ⅛: on the triangle below the diagonal the number
    // is 0.25 (u − v) + 0.5 v, one of 255 steps.
    let lower = |x: usize| f64::from(pixels[4 * (12 + x)]) / 255.0;
    for x in 1..4 {
        let (u, v) = ((x as f64 + 0.5) / 4.0, 0.125);
        assert!((lower(x) - (0.25 * (u - v) + 0.5 * v)).abs() < 0.6 / 255.0, "{x}: {}", lower(x));
    }
    for file in ["png16", "exr"] {
        let (status, bytes) =
            call(address, "POST", &format!("{path}?file={file}"), &plan(uv.clone(), &wear)).await;
        assert!(status == 200 && bytes.len() > 100, "{file}");
    }
    let gone = json!({ "from": "set", "set": "Gone", "channel": 0 });
    for (body, said) in [
        (plan(json!({ "kind": "uv", "uv_set": 3 }), &wear), "no part has a UV set 4"),
        (plan(uv.clone(), &gone), "no part has a set Gone"),
        (
            plan(uv, &json!({ "from": "kept", "image": "old.png", "channel": 0 })),
            "old.png is not in the project",
        ),
    ] {
        let (status, answer) = call(address, "POST", &path, &body).await;
        assert!(
            status == 422 && String::from_utf8_lossy(&answer).contains(said),
            "{status} {answer:?}"
        );
    }
}
