//! Eight hands paint while another project, a large one, is opened, copied, exported, pictured and
//! imported: they hardly notice. It is a test program of its own, since it measures how long things
//! take: nothing else is to run beside it.

#[path = "../cli/app.rs"]
mod app;

use std::{
    path::Path,
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
    },
    time::{Duration, Instant},
};

use futures::StreamExt;
use glam::Vec3;
use serde_json::{Value, json};
use speckle_color::Encoding;
use speckle_core::{Document, Edit};
use speckle_formats::{Format, Shipment, WriteOptions};
use speckle_mesh::{Mesh, Placement, mesh::MeshArrays};
use speckle_model::{NewPart, NewSet};
use speckle_store::Store;
use tokio::io::AsyncReadExt;
use tokio_tungstenite::tungstenite::Message;

use app::{App, Socket, ask, figure, long, resident_bytes, say, stocked};

const HANDS: usize = 8;

/// A sheet of n × n quads with a set at its corners: as a project, and as a file.
fn large(data: &Path, n: u32) -> (i64, Vec<u8>) {
    let side = n + 1;
    let at = |i: u32| Vec3::new((i % side) as f32, (i / side) as f32, ((i * 7 % 13) as f32) * 0.1);
    let quad = |q: u32| {
        let first = q / n * side + q % n;
        [first, first + 1, first + 1 + side, first + side]
    };
    let mesh = Mesh::new(MeshArrays {
        positions: (0..side * side).map(at).collect(),
        face_starts: (0..=n * n).map(|q| 4 * q).collect(),
        corner_vertices: (0..n * n).flat_map(quad).collect(),
        ..MeshArrays::default()
    })
    .unwrap();
    let set = NewSet::flooded("Coat", Placement::Corner, Encoding::Color, [1.0; 4], &mesh);
    let mut document = Document::default();
    let parts = vec![NewPart::new("Quay wall", mesh, vec![set])];
    let change = document.apply(Edit::bring_in(parts)).unwrap();
    let store = Store::open(data).unwrap();
    let project = store.create_with("Quay wall", &change, "", 1, &document).unwrap();
    let shipment = Shipment::of(document.parts());
    let file = speckle_formats::write(Format::Ply, &shipment, WriteOptions::default()).unwrap();
    (project, file.bytes)
}

#[derive(Default)]
struct Waits {
    /// From a move of the pointer to its paint.
    patch: Vec<Duration>,
    /// From its lifting to the acknowledgement.
    kept: Vec<Duration>,
}

/// Paints until told to stop.
async fn hand(mut socket: Socket, hello: Value, number: usize, is_over: Arc<AtomicBool>) -> Waits {
    let mut waits = Waits::default();
    let part = &hello["outline"]["parts"][0];
    let name = format!("Hand {number}");
    for n in 0.. {
        if is_over.load(Ordering::Relaxed) {
            break;
        }
        // A color that nobody else paints with now.
        let own = [(16 * number + 9) as u8, (n % 251) as u8, (n / 251 % 251) as u8, 255];
        let start = json!({
            "part": part["id"], "set": part["sets"][0]["id"], "channels": [true, true, true, false],
            "paint": own.map(|b| f32::from(b) / 255.0),
            "brush": { "radius": 14.0, "opacity": 1.0, "hardness": 1.0 },
            "view": { "kind": "parallel", "forward": [0.0, 0.0, -1.0] },
        });
        let (x, y) = ((n * 37 % 100) as f32 - 50.0, 30.0 + 24.0 * number as f32);
        say(&mut socket, json!({ "type": "stroke_begin", "start": start })).await;
        let begun = Instant::now();
        let sample = json!({ "origin": [x, y, 900.0], "direction": [0.0, 0.0, -1.0] });
        say(&mut socket, json!({ "type": "stroke_move", "samples": [sample] })).await;
        // A patch: eight words of head, as many indices as values.
        let is_own = |frame: &[u8]| {
            let count = u32::from_le_bytes(frame[12..16].try_into().unwrap()) as usize;
            frame[0] == 3 && frame[32 + 4 * count..].chunks_exact(4).any(|value| value == own)
        };
        loop {
            match tokio::time::timeout(Duration::from_secs(2), socket.next()).await {
                Ok(Some(Ok(Message::Binary(frame)))) if is_own(&frame) => {
                    waits.patch.push(begun.elapsed());
                    break;
                }
                Ok(Some(Ok(_))) => {}
                // Nothing was there to be painted.
                _ => break,
            }
        }
        let lifted = Instant::now();
        say(&mut socket, json!({ "type": "stroke_end" })).await;
        loop {
            let Some(Ok(message)) = socket.next().await else { return waits };
            let Message::Text(text) = message else { continue };
            let told: Value = serde_json::from_str(&text).unwrap();
            if told["type"] == "kept" && told["history"]["undo"]["hand"] == name.as_str() {
                waits.kept.push(lifted.elapsed());
                break;
            }
            if told["type"] == "nothing" {
                break;
            }
        }
        tokio::time::sleep(Duration::from_millis(60)).await;
    }
    let _ = socket.close(None).await;
    waits
}

/// The 95th percentile, milliseconds.
fn p95(mut waits: Vec<Duration>) -> f64 {
    assert!(waits.len() > 20, "{} are too few to tell", waits.len());
    waits.sort();
    waits[waits.len() * 95 / 100].as_secs_f64() * 1e3
}

async fn painted(app: &App, project: i64, during: impl Future<Output = ()>) -> (f64, f64) {
    let is_over = Arc::new(AtomicBool::new(false));
    let mut hands = Vec::new();
    for number in 0..HANDS {
        let (socket, hello) = app.join(project, &format!("Hand {number}")).await;
        hands.push(tokio::spawn(hand(socket, hello, number, is_over.clone())));
    }
    during.await;
    is_over.store(true, Ordering::Relaxed);
    let (mut patch, mut kept) = (Vec::new(), Vec::new());
    for hand in hands {
        let waits = hand.await.unwrap();
        patch.extend(waits.patch);
        kept.extend(waits.kept);
    }
    (p95(patch), p95(kept))
}

/// Something is done with the large project, or its file is imported.
async fn beside_them(app: &App, what: &str, head: &str, file: &[u8]) {
    let begun = Instant::now();
    if what == "imported" {
        let mut said = Vec::new();
        app.importing("wall.ply", file).await.read_to_end(&mut said).await.unwrap();
        assert!(said.starts_with(b"HTTP/1.1 200"), "{:.300}", String::from_utf8_lossy(&said));
    } else {
        let (status, body) = ask(&app.address, head, b"").await;
        assert_eq!(status, 200, "{what}");
        if what == "exported" {
            // And brought back.
            let (status, _) = ask(&app.address, "POST /api/v1/projects/file", &body).await;
            assert_eq!(status, 200);
        }
    }
    let took = begun.elapsed().as_secs_f64();
    figure(&format!("beside it: {what}, took"), format!("{took:.1} s"));
    // Enough strokes to tell.
    tokio::time::sleep(Duration::from_secs(long(2, 5))).await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn eight_hands_hardly_notice_a_large_project_beside_them() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("toys");
    let project = stocked(&data);
    // In the soak it has 7 M triangles.
    let (wall, file) = large(&data, long(500, 1_870) as u32);
    let app = App::serving(&data);
    let quiet = Duration::from_secs(long(3, 20));
    let beside = [
        ("copied", format!("POST /api/v1/projects/{wall}/copy")),
        ("exported", format!("GET /api/v1/projects/{wall}/file")),
        ("pictured", format!("GET /api/v1/projects/{wall}/picture")),
        ("opened", format!("GET /api/v1/projects/{wall}/palette")),
        ("imported", String::new()),
    ];
    for (what, head) in beside {
        // A machine shared with others stalls now and then, all of it; a server that makes its
        // painters wait does so every time.
        let mut tries = 0;
        loop {
            tries += 1;
            // Anew each time: on a machine shared with others even this comes out several times as
            // long from one minute to the next.
            let (patch, kept) = painted(&app, project, tokio::time::sleep(quiet)).await;
            let again = beside_them(&app, what, &head, &file);
            let (patch_beside, kept_beside) = painted(&app, project, again).await;
            let said = |beside: f64, alone: f64| format!("{beside:.1} ms, alone {alone:.1}");
            figure(&format!("beside one that is {what}: patch, p95"), said(patch_beside, patch));
            figure(&format!("beside one that is {what}: kept, p95"), said(kept_beside, kept));
            // Loose, for slow machines: before, these were seconds.
            if patch_beside < 250.0 + patch * 2.0 && kept_beside < 500.0 + kept * 3.0 {
                break;
            }
            assert!(
                tries < 4,
                "{what}: {patch_beside} and {kept_beside} ms, alone {patch} and {kept} ms"
            );
        }
    }
    figure(
        "memory of the server at the end",
        format!("{} MB", resident_bytes(app.process.id()) >> 20),
    );
}
