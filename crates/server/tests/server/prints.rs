//! Prints over REST: layers, causes and remedies, specks, swatches made of colors, the printer, the bureau.

use std::net::SocketAddr;

use serde_json::{Value, json};
use speckle_server::Config;
use speckle_store::Store;

use crate::common::*;

/// A tower of 20 × 20 × 30 with z up in three bands of two colors, as text.
fn tower() -> String {
    let mut text = String::from("ply\nformat ascii 1.0\ncomment up z\nelement vertex 16\n");
    text.push_str("property float x\nproperty float y\nproperty float z\nelement face 14\n");
    text.push_str("property list uchar int vertex_indices\n");
    text.push_str("property uchar red\nproperty uchar green\nproperty uchar blue\nend_header\n");
    for level in 0..4 {
        for [x, y] in [[0, 0], [20, 0], [20, 20], [0, 20]] {
            text.push_str(&format!("{x} {} {}\n", 10 * level, -y));
        }
    }
    text.push_str("4 3 2 1 0 230 220 200\n4 12 13 14 15 230 220 200\n");
    for level in 0..3 {
        for i in 0..4 {
            let [a, b] = [4 * level + i, 4 * level + (i + 1) % 4];
            let color = if level == 1 { "200 40 30" } else { "230 220 200" };
            text.push_str(&format!("4 {a} {b} {} {} {color}\n", b + 4, a + 4));
        }
    }
    text
}

pub async fn project_with(config: Config) -> (SocketAddr, i64, u64) {
    let address = serve_with(Store::temporary().unwrap(), config).await;
    let (status, report) =
        send_file(address, "/api/v1/imports", "tower.ply", tower().as_bytes()).await;
    assert_eq!(status, 200, "{report}");
    let part = report["parts"][0]["id"].as_u64().unwrap();
    (address, report["project"].as_i64().unwrap(), part)
}

fn rules() -> Value {
    json!({ "layer": 0.2, "first": 0.2, "line": 0.45, "depth": 0.9 })
}

pub async fn cut(address: SocketAddr, project: i64, more: Value) -> Value {
    let mut order = json!({ "rules": rules(), "most": 4 });
    for (key, value) in more.as_object().unwrap() {
        order[key] = value.clone();
    }
    let (status, told) = post(address, &format!("/api/v1/projects/{project}/layers"), order).await;
    assert_eq!(status, 200, "{told}");
    told
}

fn specks() -> Value {
    json!({ "area": 0.8, "width": 0.45 })
}

#[tokio::test]
async fn a_remedy_gains_what_it_says_and_what_is_stale_is_not_done() {
    let (address, project, _) = project_with(Config::default()).await;
    let told = cut(address, project, json!({})).await;
    assert_eq!((&told["plan"]["changes"], &told["is_painted"]), (&json!(50), &json!(false)));
    let look = &told["look"];
    // 12 cm³ of 1.24 g/cm³, and fifty changes.
    let grams = told["estimate"]["grams"].as_f64().unwrap();
    let purged = told["estimate"]["grams_purged"].as_f64().unwrap();
    assert!((grams - purged - 14.88).abs() < 0.01, "{grams} {purged}");
    let seconds = told["estimate"]["of_layers"].as_array().unwrap();
    let sum: f64 = seconds.iter().map(|own| own.as_f64().unwrap()).sum();
    assert!((sum - told["estimate"]["seconds"].as_f64().unwrap()).abs() < 1e-6);

    let of = json!({ "specks": specks() });
    let (status, causes) =
        post(address, &format!("/api/v1/layers/{look}/causes"), of.clone()).await;
    assert_eq!(status, 200, "{causes}");
    let bands = causes.as_array().unwrap().iter().position(|own| own["remedy"] == "bands").unwrap();
    assert_eq!(causes[bands]["layers"], json!([[50, 99]]));
    let promised = &causes[bands]["changes"];
    let chosen = json!({ "of": of, "chosen": [bands] });
    let (_, with) = post(address, &format!("/api/v1/layers/{look}/with"), chosen.clone()).await;
    assert_eq!(&with["changes"], promised);
    let (_, none) =
        post(address, &format!("/api/v1/layers/{look}/with"), json!({ "of": of, "chosen": [] }))
            .await;
    assert_eq!(none["changes"], 50);

    let path = format!("/api/v1/projects/{project}/layers/{look}/remedies");
    let (status, done) = post(address, &path, chosen.clone()).await;
    assert_eq!((status, &done["changed"]), (200, &json!(true)), "{done}");
    let (status, stale) = post(address, &path, chosen).await;
    assert_eq!(status, 404, "{stale}");
    assert!(stale["message"].as_str().unwrap().contains("cut anew"), "{stale}");
    let more = json!({ "inside": done["inside"], "through": done["through"] });
    let again = cut(address, project, more).await;
    assert_eq!((&again["plan"]["changes"], &again["is_painted"]), (promised, &json!(true)));
    // One undo takes it all back, faces that were cut and all.
    let mut socket = join(address, project).await;
    let hello = hear(&mut socket, "hello", |_| {}).await;
    assert!(hello["outline"]["parts"][0]["faces"].as_u64().unwrap() >= 14);
    say(&mut socket, json!({ "type": "undo" })).await;
    hear(&mut socket, "kept", |_| {}).await;
    let before = cut(address, project, json!({})).await;
    assert_eq!((&before["plan"]["changes"], &before["is_painted"]), (&json!(50), &json!(false)));
}

#[tokio::test]
async fn layers_are_shown_cell_by_cell_and_bad_input_is_told() {
    let (address, project, _) = project_with(Config::default()).await;
    let told = cut(address, project, json!({})).await;
    let look = &told["look"];
    let head = format!("GET /api/v1/layers/{look}/cells?layer=75 HTTP/1.1\r\nHost: {address}");
    let (status, bytes) = ask(address, &head, b"").await;
    assert_eq!(status, 200);
    let float = |at: usize| f32::from_le_bytes(bytes[at..at + 4].try_into().unwrap());
    let count = |at: usize| u32::from_le_bytes(bytes[at..at + 4].try_into().unwrap()) as usize;
    let (side, across, down) = (float(8), count(12), count(16));
    let cells = &bytes[20..];
    assert_eq!(cells.len(), across * down);
    // A band of red 0.9 deep around what lies within: of 400 mm², 400 − 18.2².
    let red = cells.iter().filter(|own| **own == 1).count() as f32 * side * side;
    let deep = cells.iter().filter(|own| **own & 0x40 != 0 && **own != 255).count() as f32;
    assert!((red - (400.0 - 18.2 * 18.2)).abs() < 4.0, "{red}");
    assert!((deep * side * side - 18.2 * 18.2).abs() < 4.0);
    let said = "%7B%22inside%22%3A%7B%22kind%22%3A%22nearest%22%7D%7D";
    for (form, holds) in [("swaps", "10.00\t51\t"), ("page", "2 changes of spool")] {
        let path =
            format!("/api/v1/projects/{project}/layers/{look}/paper?form={form}&said={said}");
        let head = format!("GET {path} HTTP/1.1\r\nHost: {address}");
        let (status, text) = ask(address, &head, b"").await;
        assert!(status == 200 && String::from_utf8_lossy(&text).contains(holds), "{form}");
        let head = head.replace(said, "nothing");
        assert_eq!(ask(address, &head, b"").await.0, 422, "what is said must be JSON");
    }
    for (path, body, said) in [
        ("causes", json!({ "specks": { "area": -1.0, "width": 0.0 } }), "numbers from 0 on"),
        ("specks", json!({ "area": 1.0, "width": 5.0e3 }), ""),
    ] {
        let (status, answer) = post(address, &format!("/api/v1/layers/{look}/{path}"), body).await;
        match said {
            "" => assert_eq!(status, 200, "{answer}"),
            said => assert!(answer["message"].as_str().unwrap().contains(said), "{answer}"),
        }
    }
    let layers = format!("/api/v1/projects/{project}/layers");
    for (more, said) in [
        (json!({ "most": 0 }), "between 1 and 64"),
        (json!({ "most": 65 }), "between 1 and 64"),
        (json!({ "height": -1.0 }), "higher than 0"),
        (json!({ "inside": { "kind": "swatch", "swatch": 9 } }), "is gone"),
        (json!({ "pace": { "purge": 1.0, "flow": 0.0, "change": 1.0, "layer": 1.0 } }), "flows"),
    ] {
        let mut order = json!({ "rules": rules(), "most": 4 });
        for (key, value) in more.as_object().unwrap() {
            order[key] = value.clone();
        }
        let (status, answer) = post(address, &layers, order).await;
        let message = answer["message"].as_str().unwrap_or_default();
        assert!(status == 422 && message.contains(said), "{more}: {status} {answer}");
    }
    let (status, _) =
        post(address, "/api/v1/layers/9999/causes", json!({ "specks": specks() })).await;
    assert_eq!(status, 404);
}

/// A palette of more colors than are used is not cut down to them, and the numbers are those of its places.
#[tokio::test]
async fn painting_in_swatches_leaves_the_rest_of_the_palette() {
    let (address, project, _) = project_with(Config::default()).await;
    let colors = [[0, 0, 255], [230, 220, 200], [0, 255, 0], [200, 40, 30], [9, 9, 9]];
    let palette: Vec<Value> = colors
        .iter()
        .map(
            |own| json!({ "name": format!("{own:?}"), "color": own.map(|x| f64::from(x) / 255.0) }),
        )
        .collect();
    let edit = json!({ "type": "set_palette", "swatches": palette });
    post(address, &format!("/api/v1/projects/{project}/edits"), edit).await;
    let told = cut(address, project, json!({})).await;
    let look = &told["look"];
    assert_eq!(told["swatches"].as_array().unwrap().len(), 2, "those that serve the colors");
    let path = format!("/api/v1/projects/{project}/layers/{look}/swatches");
    assert_eq!(post(address, &path, Value::Null).await.0, 204);
    let mut socket = join(address, project).await;
    let hello = hear(&mut socket, "hello", |_| {}).await;
    assert_eq!(hello["outline"]["swatches"].as_array().unwrap().len(), 5);
    let told = cut(address, project, json!({})).await;
    let used: Vec<&Value> = told["swatches"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|own| own["volume"].as_f64().unwrap() > 0.0)
        .map(|own| &own["number"])
        .collect();
    // What lies within is the base, the first of the palette.
    assert_eq!(used, [&json!(1), &json!(2), &json!(4)]);
    let nearest = cut(address, project, json!({ "inside": { "kind": "nearest" } })).await;
    assert_eq!(nearest["plan"]["changes"], 2);
}

/// A hollow box painted all over its outside, bare within: another base is the remedy, and sets the base; what is
/// bare stays bare.
#[tokio::test]
async fn another_base_is_set_where_what_is_bare_is_hidden() {
    let mut text = String::from("ply\nformat ascii 1.0\ncomment up z\nelement vertex 16\n");
    text.push_str("property float x\nproperty float y\nproperty float z\nelement face 12\n");
    text.push_str("property list uchar int vertex_indices\n");
    text.push_str("property uchar red\nproperty uchar green\nproperty uchar blue\nend_header\n");
    for [low, high] in [[0, 20], [2, 18]] {
        for i in 0..8 {
            let at = |bit: i32| if i >> bit & 1 == 1 { high } else { low };
            text.push_str(&format!("{} {} {}\n", at(0), at(1), at(2)));
        }
    }
    let sides =
        [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    for [a, b, c, d] in sides {
        text.push_str(&format!("4 {a} {b} {c} {d} 200 40 30\n"));
    }
    for [a, b, c, d] in sides.map(|side| side.map(|i| i + 8)) {
        text.push_str(&format!("4 {d} {c} {b} {a} 230 220 200\n"));
    }
    let address = serve(Store::temporary().unwrap()).await;
    let (_, report) = send_file(address, "/api/v1/imports", "box.ply", text.as_bytes()).await;
    let project = report["project"].as_i64().unwrap();
    let part = report["parts"][0]["id"].clone();
    let edits = format!("/api/v1/projects/{project}/edits");
    let palette = json!([
        { "name": "Chalk", "color": [0.902, 0.863, 0.784] }, { "name": "Red", "color": [0.784, 0.157, 0.118] },
    ]);
    post(address, &edits, json!({ "type": "set_palette", "swatches": palette })).await;
    let making = json!({ "set": "Face color", "making": { "most": 2 } });
    post(address, &format!("/api/v1/projects/{project}/swatches"), making).await;
    // The inside goes back to unpainted.
    let mut socket = join(address, project).await;
    let hello = hear(&mut socket, "hello", |_| {}).await;
    let sets = hello["outline"]["parts"][0]["sets"].as_array().unwrap();
    let set = sets.iter().find(|own| own["encoding"] == "swatch").unwrap()["id"].clone();
    let fill = json!({ "part": part, "set": set, "channels": [true, true, true, true],
        "action": "erase", "paint": [0, 0, 0, 0], "opacity": 1.0,
        "region": { "type": "solid", "solid": "box", "soft": 0.0, "transform": {
            "translation": [10, 10, 10], "rotation_degrees": [0, 0, 0], "scale": [9, 9, 9] } } });
    let (status, answer) = post(address, &edits, json!({ "type": "fill", "fill": fill })).await;
    assert_eq!((status, &answer["changed"]), (200, &json!(true)), "{answer}");
    let told = cut(address, project, json!({})).await;
    let look = &told["look"];
    assert!(told["plan"]["changes"].as_u64().unwrap() > 50);
    let of = json!({ "specks": specks() });
    let (_, causes) = post(address, &format!("/api/v1/layers/{look}/causes"), of.clone()).await;
    let list = causes.as_array().unwrap();
    let base = list.iter().position(|own| own["remedy"] == "base").unwrap();
    assert_eq!((&list[base]["swatch"], &list[base]["changes"]), (&json!(1), &json!(0)));
    let path = format!("/api/v1/projects/{project}/layers/{look}/remedies");
    let (status, done) = post(address, &path, json!({ "of": of, "chosen": [base] })).await;
    assert_eq!((status, &done["changed"]), (200, &json!(true)), "{done}");
    let mut other = join(address, project).await;
    let now = hear(&mut other, "hello", |_| {}).await;
    assert_eq!(now["outline"]["parts"][0]["base"], 2);
    let areas = loop {
        let figures = hear(&mut other, "figures", |_| {}).await;
        if figures["set"] == set {
            break figures["areas"].clone();
        }
    };
    assert_eq!(areas, json!([[0, 1536.0], [2, 2400.0]]), "the inside is bare as before");
    assert_eq!(
        cut(address, project, json!({ "inside": done["inside"] })).await["plan"]["changes"],
        0
    );
}

#[tokio::test]
async fn swatches_are_made_of_colors_swept_and_made_colors_again() {
    let (address, project, _) = project_with(Config::default()).await;
    let path = format!("/api/v1/projects/{project}/swatches");
    let making = json!({ "most": 2, "smallest": 0.0, "smooth": 0 });
    let (status, answer) =
        post(address, &path, json!({ "set": "Nothing", "making": making })).await;
    assert!(status == 422 && answer["message"].as_str().unwrap().contains("Nothing"), "{answer}");
    let many = json!({ "set": "Face color", "making": { "most": 65 } });
    let (status, answer) = post(address, &path, many).await;
    assert!(status == 422 && answer["message"].as_str().unwrap().contains("1 and 16"), "{answer}");
    let (status, answer) =
        post(address, &path, json!({ "set": "Face color", "making": making })).await;
    assert_eq!(status, 204, "{answer}");
    let told = cut(address, project, json!({})).await;
    assert_eq!((&told["plan"]["changes"], &told["is_painted"]), (&json!(50), &json!(true)));
    let look = &told["look"];
    // The red band is 800 mm²: below 900 it is a speck.
    let large = json!({ "area": 900.0, "width": 0.0 });
    let (_, found) = post(address, &format!("/api/v1/layers/{look}/specks"), large.clone()).await;
    assert_eq!(found.as_array().unwrap().len(), 1, "{found}");
    assert!((found[0]["area"].as_f64().unwrap() - 800.0).abs() < 0.01);
    let only = json!([found[0]["part"], found[0]["face"]]);
    let sweep = json!({ "look": look, "specks": large, "only": only });
    let (status, answer) = post(address, &format!("/api/v1/projects/{project}/sweep"), sweep).await;
    assert_eq!(status, 204, "{answer}");
    assert_eq!(cut(address, project, json!({})).await["plan"]["changes"], 0);
}

/// Layers of a square tower begin at a corner, or where a selection says; a cause is shown where it lies.
#[tokio::test]
async fn where_layers_begin_and_where_causes_lie_is_told() {
    let (address, project, _) = project_with(Config::default()).await;
    let told = cut(address, project, json!({})).await;
    let look = &told["look"];
    let path = format!("/api/v1/layers/{look}/seams");
    let (status, seams) = post(address, &path, json!({})).await;
    assert_eq!(status, 200, "{seams}");
    let seams = seams.as_array().unwrap();
    assert_eq!(seams.len(), 150);
    for (layer, seam) in seams.iter().enumerate() {
        assert_eq!((&seam["layer"], &seam["reason"]), (&json!(layer), &json!("corner")));
        let [x, y, z] = [0, 1, 2].map(|i| seam["at"][i].as_f64().unwrap());
        let is_corner = |at: f64, ends: [f64; 2]| ends.iter().any(|end| (at - end).abs() < 1e-3);
        assert!(is_corner(x, [0.0, 20.0]) && is_corner(z, [0.0, -20.0]), "{seam}");
        // In the middle of its layer.
        assert!((y - (0.1 + 0.2 * layer as f64)).abs() < 1e-3, "{seam}");
    }
    assert_eq!(post(address, &path, json!({ "prefer": 3 })).await.0, 422);
    assert_eq!(post(address, "/api/v1/layers/999/seams", json!({})).await.0, 404);
    let of = json!({ "specks": specks() });
    let (_, causes) = post(address, &format!("/api/v1/layers/{look}/causes"), of.clone()).await;
    let bands = causes.as_array().unwrap().iter().position(|own| own["remedy"] == "bands").unwrap();
    let lit = json!({ "of": of, "chosen": [bands] });
    let (status, places) = post(address, &format!("/api/v1/layers/{look}/lit"), lit).await;
    assert_eq!(status, 200, "{places}");
    let places = places.as_array().unwrap();
    // Each of its fifty layers goes along four walls, which are cut into two triangles each.
    assert_eq!(places.len(), 400);
    assert!(places.iter().all(|at| (10.0..20.0).contains(&at[1].as_f64().unwrap())));
}

/// A box through the middle storey meets two of its walls: where it was put, and where it comes out.
#[tokio::test]
async fn volumes_and_the_best_base_are_told() {
    let (address, project, part) = project_with(Config::default()).await;
    let edits = format!("/api/v1/projects/{project}/edits");
    let swatch = |name: &str, color: [f32; 3]| json!({ "name": name, "color": color });
    let swatches = [swatch("Chalk", [0.9, 0.9, 0.8]), swatch("Tile red", [0.7, 0.2, 0.2])];
    let palette = json!({ "type": "set_palette", "swatches": swatches });
    assert_eq!(post(address, &edits, palette).await.0, 200);
    let volume = |place: [f64; 3], scale: [f64; 3]| {
        json!({
            "name": "Box 1", "shape": { "kind": "solid", "solid": "box" }, "swatch": 2,
            "transform": { "translation": place, "rotation_degrees": [0, 0, 0], "scale": scale },
        })
    };
    let set = |volume: Value| json!({ "type": "set_volumes", "volumes": [volume], "part": part });
    let (status, told) = post(address, &edits, set(volume([0.0; 3], [1.0, 0.0, 1.0]))).await;
    assert!(status == 422 && told["message"].as_str().unwrap().contains("a scale"), "{told}");
    // Its middle is nearer to the wall at z 0.
    let through = volume([10.0, 15.0, -8.0], [2.0, 4.0, 14.0]);
    let (status, told) = post(address, &edits, set(through)).await;
    assert_eq!(status, 200, "{told}");
    let (status, met) = get(address, &format!("/api/v1/projects/{project}/volumes")).await;
    assert_eq!(status, 200, "{met}");
    let patches = met[0]["patches"].as_array().unwrap();
    assert_eq!((met[0]["count"].as_u64(), patches.len()), (Some(2), 2));
    for (patch, z) in patches.iter().zip([0.0, -20.0]) {
        assert_eq!((&patch["faces"], &patch["takes"]), (&json!(1), &json!(true)));
        assert!((patch["at"][2].as_f64().unwrap() - z).abs() < 1e-4, "{patch}");
        assert!((patch["area"].as_f64().unwrap() - 200.0).abs() < 1e-3);
    }
    let path = format!("/api/v1/projects/{project}/parts/{part}/painting");
    // Made beside while a page is open: then two walls are red, with as much border as the rest has.
    let _page = join(address, project).await;
    let (mut status, mut works) = get(address, &path).await;
    for _ in 0..400 {
        if works.as_array().is_some_and(|works| works.len() == 2) {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(25)).await;
        (status, works) = get(address, &path).await;
    }
    assert_eq!((status, works.as_array().map(Vec::len)), (200, Some(2)), "{works}");
    let red = works.as_array().unwrap().iter().find(|own| own["swatch"] == 2).unwrap();
    assert_eq!(red["patches"], 2, "{works}");
    assert_eq!(works[0]["border"], works[1]["border"]);
    let freeze = json!({ "type": "freeze_volumes", "volumes": [met[0]["volume"]] });
    assert_eq!(post(address, &edits, freeze).await.0, 200);
    let (_, met) = get(address, &format!("/api/v1/projects/{project}/volumes")).await;
    assert_eq!(met, json!([]));
    let (_, works) = get(address, &path).await;
    // Two windows of 4 × 8, a border of 24 each.
    let red = works.as_array().unwrap().iter().find(|own| own["swatch"] == 2).unwrap();
    assert!((red["border"].as_f64().unwrap() - 48.0).abs() < 0.05, "{red}");
    assert!((red["area"].as_f64().unwrap() - 64.0).abs() < 0.05, "{red}");
}

/// A look as code, what is refused of it, and checks of a project with a remedy that is an edit.
#[tokio::test]
async fn looks_are_code_and_projects_are_checked() {
    let (address, project, part) = project_with(Config::default()).await;
    let layer = json!({
        "name": "Where red is", "coat": { "kind": "color", "color": [1, 0.5, 0] }, "strength": 0.5,
        "drive": { "factors": [{ "set": "Color", "channel": 0 }] },
    });
    let order = |layer: &Value, language: &str| json!({ "look": { "name": "Two tone", "layers": [layer] }, "language": language });
    let (status, code) = post(address, "/api/v1/looks/code", order(&layer, "hlsl")).await;
    assert_eq!((status, &code["sets"]), (200, &json!(["Color"])), "{code}");
    assert!(code["text"].as_str().unwrap().contains("material_two_tone(float4 color)"), "{code}");
    let mut wrong = layer.clone();
    wrong["strength"] = json!(2);
    let (status, told) = post(address, "/api/v1/looks/code", order(&wrong, "glsl")).await;
    assert!(status == 422 && told["message"].as_str().unwrap().contains("Where red is"), "{told}");
    // As nodes, and of a project that there is.
    let nodes = async |order: Value| {
        let head = format!(
            "POST /api/v1/looks/nodes HTTP/1.1\r\nHost: {address}\r\nContent-Type: application/json"
        );
        let (status, bytes) = ask(address, &head, order.to_string().as_bytes()).await;
        (status, String::from_utf8(bytes).unwrap())
    };
    let (status, document) = nodes(order(&layer, "glsl")).await;
    assert!(status == 200 && document.contains("<surfacematerial "), "{document}");
    assert_eq!(nodes(order(&wrong, "glsl")).await.0, 422);
    let edits = format!("/api/v1/projects/{project}/edits");
    let mut of_project = order(&layer, "wgsl");
    of_project["project"] = json!(project);
    let (status, code) = post(address, "/api/v1/looks/code", of_project.clone()).await;
    assert!(status == 200 && code["text"].as_str().unwrap().contains("the set Color"), "{code}");
    of_project["project"] = json!(999);
    assert_eq!(post(address, "/api/v1/looks/code", of_project.clone()).await.0, 404);
    assert_eq!(nodes(of_project).await.0, 404);
    let checks = format!("/api/v1/projects/{project}/checks");
    assert_eq!(get(address, &format!("{checks}?for=spools")).await, (200, json!([])));
    let blank = json!({
        "type": "add_set", "part": part, "name": "Wear", "placement": "vertex", "encoding": "data", "start": [0, 0, 0, 0],
    });
    assert_eq!(post(address, &edits, blank).await.0, 200);
    let (_, found) = get(address, &checks).await;
    assert_eq!(
        (&found[0]["check"], &found[0]["silenced"]),
        (&json!("blank"), &Value::Null),
        "{found}"
    );
    let silence = json!({ "type": "silence_check", "key": found[0]["key"], "reason": "It is painted later." });
    assert_eq!(post(address, &edits, silence).await.0, 200);
    let (_, left) = get(address, &checks).await;
    assert_eq!(left[0]["silenced"], "It is painted later.");
    assert_eq!(post(address, &edits, found[0]["remedy"]["edit"].clone()).await.0, 200);
    assert_eq!(get(address, &checks).await.1, json!([]));
    assert_eq!(get(address, &format!("{checks}?for=nobody")).await.0, 400);
}
