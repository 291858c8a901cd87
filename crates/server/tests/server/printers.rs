//! Printers and print bureaus, both simulated.

use serde_json::{Value, json};
use speckle_server::Config;
use speckle_standins::{
    bureau::{self, Item, materials, priced},
    printer::{self, usual_spools},
    spawn,
};
use speckle_store::Store;

use crate::common::*;
use crate::prints::{cut, project_with};

/// The printer is asked, matched, given a print and unplugged in the middle: words, and nothing is lost.
#[tokio::test]
async fn a_printer_is_matched_prints_and_is_unplugged() {
    let own = spawn(printer::service(usual_spools())).await.unwrap();
    let config = Config { printer: Some(format!("http://{own}")), ..Config::default() };
    let (address, project, _) = project_with(config).await;
    let get = async |path: &str| send(address, "GET", path, &Value::Null).await;
    let (_, told) = get("/api/v1/printer").await;
    assert_eq!((&told["is_there"], &told["trouble"]), (&json!(true), &Value::Null));
    assert_eq!(told["spools"].as_array().unwrap().len(), 4);
    let spools = format!("/api/v1/projects/{project}/spools");
    assert_eq!(get(&spools).await.1["swatches"], json!([]), "the palette is empty");
    let palette = json!([
        { "name": "Red", "color": [0.66, 0.23, 0.17] }, { "name": "White", "color": [0.92, 0.9, 0.86] },
    ]);
    let edit = json!({ "type": "set_palette", "swatches": palette });
    let (status, _) = post(address, &format!("/api/v1/projects/{project}/edits"), edit).await;
    assert_eq!(status, 200);
    let (_, found) = get(&spools).await;
    let slots: Vec<&Value> =
        found["swatches"].as_array().unwrap().iter().map(|own| &own["slot"]).collect();
    assert_eq!(slots, [&json!(2), &json!(1)]);

    let look = cut(address, project, json!({})).await["look"].clone();
    let print = format!("/api/v1/projects/{project}/layers/{look}/print");
    let (status, job) = post(address, &print, Value::Null).await;
    assert_eq!((status, &job["state"]), (200, &json!("printing")), "{job}");
    // 20 × 20 and 30 high, in the middle of the printer's plate, where the printer found it in the file.
    let covers = |job: &Value, wanted: [[f64; 3]; 2]| {
        for (i, axis) in (0..2).flat_map(|i| (0..3).map(move |axis| (i, axis))) {
            let found = job["covers"][i][axis].as_f64().unwrap();
            assert!((found - wanted[i][axis]).abs() < 1e-3, "{job} {wanted:?}");
        }
    };
    covers(&job, [[100.0, 90.0, 0.0], [120.0, 110.0, 30.0]]);
    let plate =
        |at: [f64; 2], turn: f64| json!({ "size": [220, 200, 240], "at": at, "turn": turn });
    let fits = format!("/api/v1/layers/{look}/plate");
    let (status, told) = post(address, &fits, plate([70.0, -20.0], 45.0)).await;
    assert_eq!(status, 200, "{told}");
    let half = 200.0_f64.sqrt();
    assert!((told["margin"].as_f64().unwrap() - (40.0 - half)).abs() < 1e-3, "{told}");
    let (status, told) = post(address, &print, plate([101.0, 0.0], 0.0)).await;
    assert!(status == 422 && told["message"].as_str().unwrap().contains("1.0 mm beyond"), "{told}");
    let (status, told) = post(address, &fits, json!({ "size": [0, 200, 240] })).await;
    assert!(status == 422 && told["message"].as_str().unwrap().contains("a plate is"), "{told}");
    let (_, second) = post(address, &print, plate([70.0, -20.0], 45.0)).await;
    assert_eq!(second["state"], "queued", "one prints at a time");
    covers(&second, [[180.0 - half, 80.0 - half, 0.0], [180.0 + half, 80.0 + half, 30.0]]);
    let (_, told) = get("/api/v1/printer").await;
    assert_eq!((&told["busy"], told["jobs"].as_array().unwrap().len()), (&json!(true), 2));
    let (_, gone) = send(address, "DELETE", "/api/v1/printer/jobs/1", &Value::Null).await;
    assert_eq!(gone["state"], "cancelled");
    assert_eq!(get("/api/v1/printer").await.1["jobs"][1]["state"], "printing");
    let (status, answer) = send(address, "DELETE", "/api/v1/printer/jobs/7", &Value::Null).await;
    assert!(
        status == 422 && answer["message"].as_str().unwrap().contains("no such job"),
        "{answer}"
    );
    // What it is sent must be a package.
    let (status, answer) = post(own, "/jobs?name=Nothing", json!("no zip")).await;
    assert!(status == 422 && answer["message"].as_str().unwrap().contains("3MF"), "{answer}");

    let (status, _) = send(own, "PUT", "/panel", &json!({ "plugged": false })).await;
    assert_eq!(status, 204);
    let (_, told) = get("/api/v1/printer").await;
    assert!(told["trouble"].as_str().unwrap().contains("not plugged in"), "{told}");
    for path in [&print, &spools] {
        let verb = if path == &print { "POST" } else { "GET" };
        let (status, answer) = send(address, verb, path, &Value::Null).await;
        assert!(
            status == 422 && answer["message"].as_str().unwrap().contains("printer"),
            "{answer}"
        );
    }
    let (_, _) = send(own, "PUT", "/panel", &json!({ "plugged": true, "spools": [] })).await;
    let (_, found) = get(&spools).await;
    assert_eq!(found["swatches"][0]["slot"], Value::Null, "nothing is loaded");
}

#[tokio::test]
async fn without_a_printer_or_a_bureau_it_is_said_how_to_have_one() {
    let (address, project, _) = project_with(Config::default()).await;
    let get = async |path: &str| send(address, "GET", path, &Value::Null).await;
    assert_eq!(get("/api/v1/printer").await.1["is_there"], false);
    assert_eq!(get("/api/v1/bureau").await.1["is_there"], false);
    let (status, answer) = get(&format!("/api/v1/projects/{project}/spools")).await;
    assert!(status == 422 && answer["message"].as_str().unwrap().contains("--printer"), "{answer}");
    let order = json!({ "items": [], "scale": 1.0, "wall": 1.0 });
    let (status, answer) = post(address, &format!("/api/v1/projects/{project}/quote"), order).await;
    assert!(status == 422 && answer["message"].as_str().unwrap().contains("--bureau"), "{answer}");
    // One that is not there, and one that speaks of something else.
    let dead = std::net::TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap();
    for (at, said) in [(dead, "does not answer"), (address, "cannot be understood")] {
        let config = Config { printer: Some(format!("http://{at}")), ..Config::default() };
        let other = serve_with(Store::temporary().unwrap(), config).await;
        let (status, told) = send(other, "GET", "/api/v1/printer", &Value::Null).await;
        assert_eq!(status, 200);
        assert!(told["trouble"].as_str().unwrap().contains(said), "{told}");
    }
}

#[tokio::test]
async fn bodies_are_priced_ordered_read_and_refused_with_the_reason() {
    let own = spawn(bureau::service()).await.unwrap();
    let config = Config { bureau: Some(format!("http://{own}")), ..Config::default() };
    let (address, project, part) = project_with(config).await;
    let (_, told) = send(address, "GET", "/api/v1/bureau", &Value::Null).await;
    assert_eq!(told["materials"].as_array().unwrap().len(), materials().len());
    let order = |material: &str, quantity: u32, scale: f64| {
        let items = json!([{ "part": part, "material": material, "quantity": quantity }]);
        json!({ "items": items, "scale": scale, "wall": 1.0 })
    };
    let quote = format!("/api/v1/projects/{project}/quote");
    let (status, told) = post(address, &quote, order("white_powder", 3, 1.0)).await;
    assert_eq!(status, 200, "{told}");
    let item = &told["items"][0];
    // 12 cm³ at 0.50, the box around it as much at 0.02, three times.
    assert_eq!((&item["each"], &told["total"]), (&json!(6.24), &json!(18.72)));
    assert_eq!(item["checks"]["watertight"], true);
    assert!((item["checks"]["volume"].as_f64().unwrap() - 12_000.0).abs() < 0.1);
    assert!((item["checks"]["area"].as_f64().unwrap() - 3_200.0).abs() < 0.1);
    assert!((item["checks"]["thinnest"].as_f64().unwrap() - 20.0).abs() < 1e-3);
    for (asked, said) in [
        (order("white_powder", 1, 20.0), "too large"),
        (order("white_powder", 1, 0.05), "too small"),
        (order("gold", 1, 1.0), "no material"),
        (order("white_powder", 0, 1.0), "between 1 and 1000"),
    ] {
        let (_, told) = post(address, &quote, asked.clone()).await;
        let refusal = told["items"][0]["refusal"].as_str().unwrap_or_default().to_owned();
        assert!(refusal.contains(said), "{asked}: {told}");
    }
    let orders = format!("/api/v1/projects/{project}/orders");
    let (status, taken) = post(address, &orders, order("full_color_stone", 2, 1.0)).await;
    assert_eq!(status, 200, "{taken}");
    let read = &taken[0]["read"];
    assert_eq!(
        (&read["bodies"], &read["triangles"], &read["colored"]),
        (&json!(1), &json!(28), &json!(true))
    );
    assert!((read["volume"].as_f64().unwrap() - 12.0).abs() < 1e-3);
    assert_eq!(taken[0]["price"], 27.36);
    let (status, answer) = post(address, &orders, order("full_color_stone", 1, 20.0)).await;
    assert!(status == 422 && answer["message"].as_str().unwrap().contains("too large"), "{answer}");
    // Walls count for an order as they do for its price: scaled down they are too thin.
    let (status, answer) = post(address, &orders, order("full_color_stone", 1, 0.09)).await;
    assert!(status == 422 && answer["message"].as_str().unwrap().contains("too small"), "{answer}");
    let (_, gone) = send(address, "DELETE", "/api/v1/bureau/orders/1", &Value::Null).await;
    assert_eq!(gone["state"], "cancelled");
    let (status, _) = send(address, "DELETE", "/api/v1/bureau/orders/9", &Value::Null).await;
    assert_eq!(status, 422);
    // An open mesh is read, and refused by name.
    let open = "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n0 0 0\n50 0 0\n0 50 9\n3 0 1 2\n";
    let (_, report) = send_file(address, "/api/v1/imports", "flag.ply", open.as_bytes()).await;
    let (flag, id) = (report["project"].as_i64().unwrap(), &report["parts"][0]["id"]);
    let items = json!([{ "part": id, "material": "white_powder", "quantity": 1 }]);
    let wanted = json!({ "items": items, "scale": 1.0, "wall": 1.0 });
    let (status, answer) = post(address, &format!("/api/v1/projects/{flag}/orders"), wanted).await;
    assert!(
        status == 422 && answer["message"].as_str().unwrap().contains("not closed"),
        "{answer}"
    );
}

/// Prices by their formula: so much a cm³ of the body and of its box, and no less than the minimum.
#[test]
fn prices_go_by_volume_and_box_with_a_minimum() {
    let item = |volume: f64, size: [f64; 3], thinnest: Option<f64>| Item {
        name: "Token".to_owned(),
        material: "full_color_resin".to_owned(),
        quantity: 2,
        volume,
        size,
        thinnest,
    };
    let large = priced(&item(20.0, [40.0, 40.0, 40.0], Some(3.0)));
    assert_eq!((large.each, large.price, large.refusal), (68.0, 136.0, None));
    assert_eq!(priced(&item(0.1, [8.0, 8.0, 3.0], None)).each, 15.0, "the minimum");
    // Turned, it fits.
    assert!(priced(&item(1.0, [110.0, 180.0, 185.0], None)).refusal.is_none());
    assert!(priced(&item(1.0, [130.0, 180.0, 185.0], None)).refusal.unwrap().contains("too large"));
    let thin = priced(&item(1.0, [30.0; 3], Some(0.7))).refusal.unwrap();
    assert!(thin.contains("0.70 mm") && thin.contains("1 mm"), "{thin}");
    assert!(priced(&item(-1.0, [30.0; 3], None)).refusal.unwrap().contains("nothing"));
}

/// A box 30 wide with one of 20 within, as text, its inner walls turned inwards.
fn hollow_box() -> String {
    let mut text = String::from("ply\nformat ascii 1.0\nelement vertex 16\n");
    text.push_str("property float x\nproperty float y\nproperty float z\nelement face 12\n");
    text.push_str("property list uchar int vertex_indices\nend_header\n");
    for (from, size) in [(0, 30), (5, 20)] {
        for i in 0..8 {
            let at = |bit: i32| from + size * ((i >> bit) & 1);
            text.push_str(&format!("{} {} {}\n", at(0), at(1), at(2)));
        }
    }
    let faces =
        [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    for [a, b, c, d] in faces {
        text.push_str(&format!("4 {a} {b} {c} {d}\n"));
    }
    for [a, b, c, d] in faces.map(|face| face.map(|corner| corner + 8)) {
        text.push_str(&format!("4 {d} {c} {b} {a}\n"));
    }
    text
}

/// What is enclosed is told with the price: 20³ mm³ without a way out, and no hollow where no drain is wanted; a body
/// that is checked for full color tells the same.
#[tokio::test]
async fn hollows_are_told_with_the_price() {
    let own = spawn(bureau::service()).await.unwrap();
    let config = Config { bureau: Some(format!("http://{own}")), ..Config::default() };
    let address = serve_with(Store::temporary().unwrap(), config).await;
    let (status, report) =
        send_file(address, "/api/v1/imports", "box.ply", hollow_box().as_bytes()).await;
    assert_eq!(status, 200, "{report}");
    let (project, part) = (&report["project"], &report["parts"][0]["id"]);
    let quote = format!("/api/v1/projects/{project}/quote");
    for (drain, count) in [(3.5, 1), (0.0, 0)] {
        let items = json!([{ "part": part, "material": "white_powder", "quantity": 1 }]);
        let order = json!({ "items": items, "scale": 1.0, "wall": 0.8, "drain": drain });
        let (status, told) = post(address, &quote, order).await;
        assert_eq!(status, 200, "{told}");
        let checks = &told["items"][0]["checks"];
        let hollows = checks["hollows"].as_array().unwrap();
        assert_eq!((hollows.len(), &checks["trapped"]), (count, &json!(1)), "{told}");
        assert!((checks["thinnest"].as_f64().unwrap() - 5.0).abs() < 1e-3, "{told}");
        for hollow in hollows {
            assert_eq!(hollow["way_out"], Value::Null);
            let share = hollow["volume"].as_f64().unwrap() / 8_000.0;
            assert!((share - 1.0).abs() < 0.05, "{hollow}");
        }
    }
    let checks = format!("/api/v1/projects/{project}/checks?for=full_color");
    let (_, found) = get(address, &checks).await;
    let kinds: Vec<&Value> = found.as_array().unwrap().iter().map(|own| &own["check"]).collect();
    assert_eq!(kinds, [&json!("hollow")], "{found}");
}
