//! Recipes over the wire: made beside painting, tried, drafted, with images, as files.

use std::time::{Duration, Instant};

use serde_json::{Value, json};
use speckle_store::Store;

use crate::common::*;

/// How the only recipe stands, once it stands like this.
async fn until(socket: &mut Socket, status: &str, held: &mut Held) -> Value {
    loop {
        let news = hear(socket, "recipes", |f| held.take(f)).await;
        if news["recipes"][0]["status"] == status {
            return news["recipes"][0].clone();
        }
    }
}

#[tokio::test]
async fn a_recipe_is_made_beside_painting_and_undone_with_the_edit_that_asked_for_it() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("toys");
    let address = serve(Store::open(&path).unwrap()).await;
    let project = bollard(address).await;
    let mut held = Held::default();
    let mut socket = join(address, project).await;
    let hello = hear(&mut socket, "hello", |_| {}).await;
    hear(&mut socket, "figures", |f| held.take(f)).await;
    let ground = held.clone();
    let (part, set) = (
        hello["outline"]["parts"][0]["id"].clone(),
        hello["outline"]["parts"][0]["sets"][0]["id"].clone(),
    );
    let edits = format!("/api/v1/projects/{project}/edits");
    let give = |source: Value| {
        json!({ "type": "set_recipe", "part": part, "set": set,
                "recipe": { "channels": "RGB", "steps": [{ "source": source }] } })
    };
    let half = json!({ "kind": "constant", "value": 0.5 });
    assert_eq!(post(address, &edits, give(half.clone())).await.0, 200);
    let state = until(&mut socket, "fresh", &mut held).await;
    assert_eq!(state["remarks"], json!([null]));
    assert!(held.0.iter().all(|v| v[0] == 128 && v[3] == 255));

    // One undo takes back the recipe and what it made, one redo brings both.
    say(&mut socket, json!({ "type": "undo" })).await;
    let undone = kept(&mut socket, "Undid", |f| held.take(f)).await;
    assert_eq!(undone["history"]["undo"]["label"], "Bring in Bollard");
    assert!(
        undone["history"]["redo"]["label"].as_str().unwrap().starts_with("Give a recipe to RGB")
    );
    assert!(held == ground);
    say(&mut socket, json!({ "type": "redo" })).await;
    let redone = kept(&mut socket, "Redid", |f| held.take(f)).await;
    assert_eq!(redone["history"]["redo"], Value::Null);
    assert!(held.0.iter().all(|v| v[0] == 128));

    // A long one does not keep a stroke waiting, and is given up on demand: what was there stays.
    let long = json!({ "kind": "occlusion", "rays": 60000 });
    assert_eq!(post(address, &edits, give(long)).await.0, 200);
    until(&mut socket, "making", &mut held).await;
    say(&mut socket, stroke(&hello, [1.0, 0.0, 0.0, 1.0])).await;
    say(&mut socket, moved(&[[0.0, 0.0]])).await;
    say(&mut socket, json!({ "type": "stroke_end" })).await;
    kept(&mut socket, "Skin stroke on Coat", |f| held.take(f)).await;
    assert!(held.0.contains(&[255, 0, 0, 255]));
    until(&mut socket, "making", &mut held).await;
    let give_up = json!({ "type": "give_up", "part": part, "set": set, "channels": "RGB" });
    let asked = Instant::now();
    say(&mut socket, give_up).await;
    let state = until(&mut socket, "failed", &mut held).await;
    assert!(state["message"].as_str().unwrap().contains("given up"));
    assert!(asked.elapsed() < Duration::from_secs(1));
    // Paint is a step of its own now, on top: with another bake below it is still there.
    let document = Store::look(&path).unwrap().open_project(project).unwrap().document;
    let recipe = &document.parts()[0].sets[0].recipes[0].recipe;
    let mut with_paint = serde_json::to_value(recipe).unwrap();
    assert_eq!(with_paint["steps"][1]["source"]["kind"], "hand_paint");
    with_paint["steps"][0]["source"] = json!({ "kind": "constant", "value": 0.2 });
    let edit = json!({ "type": "set_recipe", "part": part, "set": set, "recipe": with_paint });
    assert_eq!(post(address, &edits, edit).await.0, 200);
    until(&mut socket, "fresh", &mut held).await;
    let painted = held.0.iter().filter(|v| v[0] == 255 && v[1] == 0).count();
    let below = held.0.iter().filter(|v| v[0] == 51 && v[1] == 51).count();
    assert!(painted > 0 && below > painted);
    // By click only: it waits, and is made when asked for.
    with_paint["remake"] = json!("by_click");
    with_paint["steps"][0]["source"]["value"] = json!(0.4);
    let edit = json!({ "type": "set_recipe", "part": part, "set": set, "recipe": with_paint });
    assert_eq!(post(address, &edits, edit).await.0, 200);
    until(&mut socket, "stale", &mut held).await;
    let make = json!({ "type": "make_recipe", "part": part, "set": set, "channels": "RGB" });
    say(&mut socket, make).await;
    until(&mut socket, "fresh", &mut held).await;
    assert!(held.0.iter().filter(|v| v[0] == 102 && v[1] == 102).count() >= below);
}

/// A client of the bare bollard.
struct Client {
    address: std::net::SocketAddr,
    project: i64,
    socket: Socket,
    part: Value,
    set: Value,
    held: Held,
}

impl Client {
    async fn of(store: Store) -> Self {
        let address = serve(store).await;
        let project = bollard(address).await;
        let mut socket = join(address, project).await;
        let hello = hear(&mut socket, "hello", |_| {}).await;
        let mut held = Held::default();
        hear(&mut socket, "figures", |f| held.take(f)).await;
        let part = &hello["outline"]["parts"][0];
        let (part, set) = (part["id"].clone(), part["sets"][0]["id"].clone());
        Self { address, project, socket, part, set, held }
    }

    fn path(&self, end: &str) -> String {
        format!("/api/v1/projects/{}/{end}", self.project)
    }

    async fn edit(&self, edit: Value) -> (u16, Value) {
        post(self.address, &self.path("edits"), edit).await
    }

    /// Gives the set a recipe of RGB.
    async fn give(&self, steps: Value) -> (u16, Value) {
        let recipe = json!({ "channels": "RGB", "steps": steps });
        let (part, set) = (&self.part, &self.set);
        self.edit(json!({ "type": "set_recipe", "part": part, "set": set, "recipe": recipe })).await
    }

    async fn until(&mut self, status: &str) -> Value {
        until(&mut self.socket, status, &mut self.held).await
    }

    /// Undoes, until that is on disk and the only recipe stands like this: the one does not wait
    /// for the other.
    async fn undo_until(&mut self, status: &str) {
        say(&mut self.socket, json!({ "type": "undo" })).await;
        let (mut is_kept, mut stands) = (false, false);
        while !(is_kept && stands) {
            let held = &mut self.held;
            let news = hear_any(&mut self.socket, &["kept", "recipes"], |f| held.take(f)).await;
            is_kept |= news["label"].as_str().is_some_and(|label| label.starts_with("Undid"));
            stands |= news["recipes"][0]["status"] == status;
        }
    }

    async fn send(&self, method: &str, end: &str, body: &[u8]) -> (u16, Vec<u8>) {
        let path = self.path(end);
        ask(self.address, &format!("{method} {path} HTTP/1.1\r\nHost: {}", self.address), body)
            .await
    }
}

fn words(body: &[u8]) -> String {
    let told: Value = serde_json::from_slice(body).unwrap();
    told["message"].as_str().unwrap().to_owned()
}

#[tokio::test]
async fn what_is_tried_is_shown_to_who_tries_and_changes_nothing() {
    let mut client = Client::of(Store::temporary().unwrap()).await;
    client.give(json!([{ "source": { "kind": "height_ramp" } }])).await;
    client.until("fresh").await;
    let made = client.held.clone();

    // Another recipe: seen in a frame, with a taste of its steps; the set stays.
    let attempt = json!({ "type": "try_recipe", "part": client.part, "set": client.set, "recipe": {
        "channels": "RGB", "steps": [
            { "source": { "kind": "height_ramp" }, "shaping": [{ "kind": "invert" }, { "kind": "gamma", "gamma": 2.0 }] },
            { "source": { "kind": "constant", "value": 0.5 }, "off": true },
        ] } });
    inquire(&mut client.socket, 5, attempt).await;
    let mut shown = Vec::new();
    let mut held = client.held.clone();
    let tastes = hear(&mut client.socket, "tastes", |f| {
        held.take(f);
        if f[0] == 6 {
            assert_eq!(f[28], 5, "it says what it answers");
            shown = f[32..].chunks_exact(4).map(|v| v[0]).collect();
        }
    })
    .await;
    assert!(held == made, "the set is what it was");
    let first = |values: &[u8]| values.iter().take(3).copied().collect::<Vec<_>>();
    assert_eq!(shown.len(), made.0.len());
    for (shown, made) in shown.iter().zip(&made.0) {
        // gamma 2: the square root, by formula.
        let wanted = (1.0 - f32::from(made[0]) / 255.0).sqrt() * 255.0;
        let near = wanted.max(8.0);
        assert!((f32::from(*shown) - wanted).abs() <= 1.0 + 128.0 / near, "{shown} for {wanted}");
    }
    let steps = tastes["steps"].as_array().unwrap();
    assert_eq!((steps.len(), &steps[1], &tastes["is_draft"]), (2, &Value::Null, &json!(false)));
    let elements: Vec<usize> = serde_json::from_value(tastes["elements"].clone()).unwrap();
    let values: Vec<u8> = serde_json::from_value(steps[0]["values"].clone()).unwrap();
    let sampled: Vec<u8> = elements.iter().map(|&e| shown[e]).collect();
    assert_eq!((elements.len(), first(&values)), (900, first(&sampled)));
    assert!(values == sampled && elements.is_sorted());
    // Three histograms: before each shaping, and what comes of both.
    let histograms: Vec<Vec<usize>> =
        serde_json::from_value(steps[0]["histograms"].clone()).unwrap();
    assert_eq!(histograms.len(), 3);
    assert!(histograms.iter().all(|bins| bins.iter().sum::<usize>() == made.0.len()));
    let mirrored: Vec<usize> = histograms[1].iter().rev().copied().collect();
    let apart: usize = mirrored.iter().zip(&histograms[0]).map(|(a, b)| a.abs_diff(*b)).sum();
    assert!(apart * 50 < made.0.len(), "inverted, but for bounds: {apart}");

    // What makes no sense is told, and asking for the steps of what is there still works.
    let bad = json!({ "type": "try_recipe", "part": client.part, "set": client.set, "recipe": {
        "channels": "RGB", "steps": [{ "source": { "kind": "image", "image": "gone.png" } }] } });
    let answered = hear(&mut client.socket, "answered", |_| {}).await;
    assert_eq!((&answered["question"], &answered["trouble"]), (&json!(5), &Value::Null));
    inquire(&mut client.socket, 6, bad).await;
    let refused = hear(&mut client.socket, "answered", |_| {}).await;
    assert_eq!(refused["question"], 6);
    assert!(
        refused["trouble"].as_str().unwrap().contains("gone.png is not in the project"),
        "{refused}"
    );
    let steps = json!({ "type": "taste_recipe", "part": client.part, "set": client.set, "channels": "RGB" });
    inquire(&mut client.socket, 7, steps).await;
    let mut frames = 0;
    let tastes = hear(&mut client.socket, "tastes", |f| frames += usize::from(f[0] == 6)).await;
    assert_eq!((tastes["steps"].as_array().unwrap().len(), frames), (1, 0));
}

/// Whatever is asked, in whatever order, comes to an end that is told: a page that waits for one
/// would wait for ever.
#[tokio::test]
async fn every_question_is_answered_also_when_a_newer_one_takes_its_place() {
    let mut client = Client::of(Store::temporary().unwrap()).await;
    client.give(json!([{ "source": { "kind": "height_ramp" } }])).await;
    client.until("fresh").await;
    let (part, set) = (client.part.clone(), client.set.clone());
    let rays = |rays: u32| {
        json!({ "type": "try_recipe", "part": part, "set": set, "recipe": {
            "channels": "RGB", "steps": [{ "source": { "kind": "occlusion", "rays": rays } }] } })
    };
    let steps = json!({ "type": "taste_recipe", "part": part, "set": set, "channels": "RGB" });
    let view = json!({ "kind": "parallel", "forward": [0.0, 0.0, -1.0] });
    let start = json!({
        "part": part, "set": set, "channels": [true, true, true, false], "paint": [1.0, 1.0, 1.0, 1.0],
        "brush": { "radius": 0.2, "opacity": 1.0, "hardness": 1.0 }, "view": view,
    });
    let sample = json!({ "origin": [0.0, 0.0, 9.0], "direction": [0.0, 0.0, -1.0] });
    let fill = json!({
        "part": 999, "set": 999, "channels": [true, true, true, false], "paint": [1.0, 1.0, 1.0, 1.0],
        "opacity": 1.0, "region": { "type": "all" },
    });
    let all = [
        rays(4000),
        rays(3000),
        steps.clone(),
        steps,
        rays(64),
        json!({ "type": "hover", "start": start.clone(), "sample": sample.clone() }),
        // What is gone is told, not passed over.
        json!({ "type": "fill_hover", "fill": fill.clone() }),
        json!({ "type": "corners", "part": part, "set": 999, "vertex": 0 }),
        json!({ "type": "corners", "part": part, "set": set, "vertex": 4_000_000_000_u32 }),
        json!({ "type": "heat", "part": 999, "snapshot": null }),
        json!({ "type": "heat", "part": part, "snapshot": 999 }),
        json!({ "type": "selection", "part": part, "index": 77 }),
        json!({ "type": "values", "part": part, "set": 999 }),
        json!({ "type": "taste_recipe", "part": part, "set": set, "channels": "A" }),
        json!({ "type": "try_recipe", "part": 999, "set": 999, "recipe": { "channels": "R", "steps": [] } }),
    ];
    // What paint will add is found out one after the other.
    let finer =
        json!({ "radius": 30.0, "opacity": 1.0, "hardness": 1.0, "crisp": true, "finer": 2.0 });
    let dab = |start: &Value| {
        let mut start = start.clone();
        start["brush"] = finer.clone();
        json!({ "type": "dab_ahead", "start": start, "sample": sample })
    };
    let gone_crisp = json!({ "type": "fill_ahead", "fill": with(&fill, "crisp", json!(true)) });
    let all = all.into_iter().chain([dab(&start), gone_crisp, dab(&start), dab(&start)]);
    let all: Vec<Value> = all.collect();
    let count = all.len();
    for (n, about) in all.into_iter().enumerate() {
        inquire(&mut client.socket, n as u32 + 1, about).await;
    }
    let mut troubles = vec![None; count + 1];
    for _ in 0..count {
        let answered = hear(&mut client.socket, "answered", |_| {}).await;
        let question = answered["question"].as_u64().unwrap() as usize;
        assert!(troubles[question].replace(!answered["trouble"].is_null()).is_none(), "{answered}");
    }
    let told: Vec<bool> = troubles.into_iter().skip(1).map(Option::unwrap).collect();
    let gone = [8, 10, 11, 13, 14, 15];
    assert_eq!(told, (1..=count).map(|n| gone.contains(&n)).collect::<Vec<_>>());
}

fn with(all: &Value, key: &str, value: Value) -> Value {
    let mut all = all.clone();
    all[key] = value;
    all
}

#[tokio::test]
async fn a_draft_comes_before_all_the_rays_are_cast() {
    let mut client = Client::of(Store::temporary().unwrap()).await;
    client.give(json!([{ "source": { "kind": "occlusion", "rays": 2000 } }])).await;
    let mut shown = 0;
    let draft = hear(&mut client.socket, "tastes", |f| shown += usize::from(f[0] == 6)).await;
    assert_eq!((&draft["is_draft"], shown), (&json!(true), 1));
    // Few rays, but the whole of the part: dark and light are both in it.
    let values: Vec<u8> = serde_json::from_value(draft["steps"][0]["values"].clone()).unwrap();
    assert!(values.iter().any(|&v| v < 60) && values.contains(&255));
    let last = hear(&mut client.socket, "tastes", |_| {}).await;
    assert_eq!(last["is_draft"], false);
    let fine: Vec<u8> = serde_json::from_value(last["steps"][0]["values"].clone()).unwrap();
    let apart: f64 = fine.iter().zip(&values).map(|(a, b)| f64::from(a.abs_diff(*b))).sum();
    let mean = apart / values.len() as f64 / 255.0;
    assert!(mean > 0.0 && mean < 0.12, "the draft is {mean} off");
    client.until("fresh").await;
}

#[tokio::test]
async fn images_stay_with_the_project_and_recipes_that_use_them_follow() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("toys");
    let mut client = Client::of(Store::open(&path).unwrap()).await;
    let (status, told) = client.send("POST", "images?name=broken.png", b"\x89PNG").await;
    assert_eq!(status, 422);
    assert!(words(&told).contains("the image broken.png cannot be read"), "{}", words(&told));
    let (status, told) = client.send("POST", "images?name=%20", WHITE_PIXEL).await;
    assert_eq!((status, words(&told).as_str()), (422, "a name is needed"));
    assert_eq!(client.send("POST", "images?name=white%20dot.png", WHITE_PIXEL).await.0, 204);
    let news = hear(&mut client.socket, "outline", |_| {}).await;
    let image = &news["outline"]["images"][0];
    for (field, wanted) in [
        ("name", json!("white dot.png")),
        ("width", json!(1)),
        ("height", json!(1)),
        ("bytes", json!(WHITE_PIXEL.len())),
    ] {
        assert_eq!(image[field], wanted, "{image}");
    }
    assert_eq!(image["digest"].as_str().unwrap().len(), 16);
    assert_eq!(
        client.send("GET", "images?name=white%20dot.png", b"").await,
        (200, WHITE_PIXEL.to_vec())
    );
    assert_eq!(client.send("GET", "images?name=none", b"").await.0, 422);

    let lay = json!([{ "source": { "kind": "image", "image": "white dot.png", "lay": { "kind": "three_axes" } } }]);
    client.give(lay).await;
    client.until("fresh").await;
    assert!(client.held.0.iter().all(|v| v[..3] == [255; 3]));
    // Taken out, the recipe says what it misses; undone, it is what it was.
    assert_eq!(
        client.edit(json!({ "type": "delete_image", "name": "white dot.png" })).await.0,
        200
    );
    let failed = client.until("failed").await;
    let message = failed["message"].as_str().unwrap();
    assert!(message.contains("the image white dot.png is not in the project"), "{message}");
    client.undo_until("fresh").await;

    // Opened again, from its journal and from its checkpoint, the image is there.
    let file = folder.path().join("dot.speckle");
    Store::look(&path).unwrap().export_project(client.project, &file).unwrap();
    let store = Store::temporary().unwrap();
    let copy = store.import_project(&file, 1).unwrap();
    for _ in 0..2 {
        let opened = store.open_project(copy).unwrap();
        assert_eq!(opened.document.image_files()[0].file.as_slice(), WHITE_PIXEL);
        assert_eq!(opened.document.image("white dot.png").unwrap().size(), [1, 1]);
        store.project(copy).unwrap().checkpoint(&opened.document).unwrap();
    }
}

#[tokio::test]
async fn recipes_come_and_go_as_files() {
    let mut client = Client::of(Store::temporary().unwrap()).await;
    let (status, shelf) = ask(
        client.address,
        &format!("GET /api/v1/recipes HTTP/1.1\r\nHost: {}", client.address),
        b"",
    )
    .await;
    let shelf: Vec<Value> = serde_json::from_slice(&shelf).unwrap();
    assert_eq!((status, shelf.len()), (200, 9));

    // Every one of the shelf makes a set of the bollard.
    let take = format!("parts/{}/recipes", client.part);
    for file in &shelf {
        let (status, told) = client.send("POST", &take, file.to_string().as_bytes()).await;
        assert_eq!(status, 204, "{}", String::from_utf8_lossy(&told));
    }
    let news = hear(&mut client.socket, "kept", |_| {}).await;
    assert!(news["label"].as_str().unwrap().starts_with("Take "), "{news}");

    // Into a set of one's choice; back as a file without what belongs to the project.
    let file = json!({ "name": "Low", "set": "Elsewhere", "recipes": [{ "channels": "RGB", "steps": [
        { "source": { "kind": "height_ramp" } }, { "source": { "kind": "hand_paint" } }] }] });
    let here = format!("{take}?set={}", client.set);
    assert_eq!(client.send("POST", &here, file.to_string().as_bytes()).await.0, 204);
    let save = format!("parts/{}/sets/{}/recipes", client.part, client.set);
    let (status, saved) = client.send("GET", &save, b"").await;
    let saved: Value = serde_json::from_slice(&saved).unwrap();
    assert_eq!((status, &saved["set"], &saved["version"]), (200, &json!("Coat"), &json!(1)));
    let steps = saved["recipes"][0]["steps"].as_array().unwrap();
    assert_eq!((steps.len(), &steps[0]["source"]["kind"]), (1, &json!("height_ramp")));
    assert_eq!(
        client.send("GET", &format!("parts/{}/sets/999/recipes", client.part), b"").await.0,
        422
    );

    for (body, said) in [
        (&b"{\"version\":3,\"set\":\"A\",\"recipes\":[],\"mystery\":1}"[..], "it is of version 3, and this app knows versions up to 1"),
        (b"{\"set\":\"A\"", "this is no recipe: "),
        (b"\xff\xfe", "byte 0 is no text"),
        (b"{\"set\":\"A\",\"recipes\":[{\"channels\":\"R\",\"steps\":[{\"source\":{\"kind\":\"constant\",\"value\":1e39}}]}]}", "the number 1e39 is too large"),
        (b"{\"set\":\"A\",\"recipes\":[{\"channels\":\"R\",\"steps\":[]},{\"channels\":\"RGB\",\"steps\":[]}]}", "two recipes make R"),
    ] {
        let (status, told) = client.send("POST", &take, body).await;
        assert_eq!(status, 422);
        assert!(words(&told).contains(said), "{}", words(&told));
    }
}

#[tokio::test]
async fn a_locked_channel_is_told_stale_and_left_as_it_is() {
    let mut client = Client::of(Store::temporary().unwrap()).await;
    client.give(json!([{ "source": { "kind": "facing" } }])).await;
    client.until("fresh").await;
    let there = client.held.clone();
    let lock = json!({ "type": "describe_channel", "part": client.part, "set": client.set, "channel": 1,
        "traits": { "meaning": "", "low": "", "high": "", "signed": null, "locked": true } });
    assert_eq!(client.edit(lock).await.0, 200);
    let (status, told) =
        client.give(json!([{ "source": { "kind": "constant", "value": 0.5 } }])).await;
    assert_eq!(status, 422);
    assert!(told["message"].as_str().unwrap().contains("G of Coat is locked"), "{told}");
    // Turned on its side, what faces up is other than it was; locked, it stays and says so.
    let turn = json!({ "type": "place_part", "part": client.part, "transform": {
        "translation": [0.0, 0.0, 0.0], "rotation_degrees": [90.0, 0.0, 0.0], "scale": [1.0, 1.0, 1.0] } });
    let (status, told) = client.edit(turn).await;
    assert_eq!(status, 200, "{told}");
    client.until("stale").await;
    assert!(client.held == there);
    let unlock = json!({ "type": "describe_channel", "part": client.part, "set": client.set, "channel": 1,
        "traits": { "meaning": "", "low": "", "high": "", "signed": null, "locked": false } });
    assert_eq!(client.edit(unlock).await.0, 200);
    client.until("fresh").await;
    assert!(client.held != there);
}
