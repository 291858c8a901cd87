//! Slow connections, other sites, and files that break their reader.

use std::{
    fmt::Write as _,
    time::{Duration, Instant},
};

use futures::StreamExt;
use serde_json::{Value, json};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio_tungstenite::tungstenite::Message;

use crate::app::{App, ask, figure, long, resident_bytes, say, stocked};

#[tokio::test]
async fn slow_connections_shut_nobody_out_and_end() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("toys");
    stocked(&data);
    let app = App::serving(&data);
    let mut slow = Vec::new();
    for n in 0..long(300, 500) {
        let mut stream = app.connect().await;
        stream
            .write_all(&b"GET /api/v1/projects HTTP/1.1\r\nHost: loc"[..20 + n as usize % 20])
            .await
            .unwrap();
        slow.push(stream);
    }
    let begun = Instant::now();
    let (status, _) = ask(&app.address, "GET /api/v1/projects", b"").await;
    assert_eq!(status, 200);
    let waited = begun.elapsed();
    figure("an answer beside slow connections", format!("{} ms", waited.as_millis()));
    assert!(waited < Duration::from_secs(2), "{waited:?}");
    // They are ended, not kept for ever.
    let mut rest = Vec::new();
    let ended = slow[0].read_to_end(&mut rest);
    tokio::time::timeout(Duration::from_secs(20), ended).await.expect("it is ended").ok();
}

#[tokio::test]
async fn every_answer_says_that_nobody_may_embed_it_and_other_sites_get_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("toys");
    let project = stocked(&data);
    let app = App::serving(&data);
    let raw = async |head: String| {
        let mut stream = app.connect().await;
        let head = format!("{head}Host: {}\r\nConnection: close\r\n\r\n", app.address);
        stream.write_all(head.as_bytes()).await.unwrap();
        let mut said = Vec::new();
        let _ = stream.read_to_end(&mut said).await;
        String::from_utf8_lossy(&said).into_owned()
    };
    let picture = format!("/api/v1/projects/{project}/picture");
    for path in ["/", "/api/v1/projects", &picture, "/api/v1/nothing"] {
        let said = raw(format!("GET {path} HTTP/1.1\r\n")).await.to_lowercase();
        for header in [
            "content-security-policy: default-src 'self'",
            "frame-ancestors 'none'",
            "x-content-type-options: nosniff",
            "cross-origin-resource-policy: same-origin",
        ] {
            assert!(said.contains(header), "{path}: {said:.600}");
        }
    }
    let embedded = format!(
        "GET {picture} HTTP/1.1\r\nSec-Fetch-Site: cross-site\r\nSec-Fetch-Mode: no-cors\r\nSec-Fetch-Dest: image\r\n"
    );
    assert!(raw(embedded).await.starts_with("HTTP/1.1 403"));
    let linked = "GET / HTTP/1.1\r\nSec-Fetch-Site: cross-site\r\nSec-Fetch-Mode: navigate\r\nSec-Fetch-Dest: document\r\n";
    assert!(!raw(linked.to_owned()).await.starts_with("HTTP/1.1 403"));

    // One shape for every refusal, and no page where a file is missing.
    for (head, body) in [
        ("POST /api/v1/projects", &b"{"[..]),
        ("DELETE /api/v1/projects", b""),
        ("GET /api/v1/projects/seven/picture", b""),
        ("GET /api/v1/nothing", b""),
        ("POST /api/v1/imports", b"no form"),
    ] {
        let (status, said) = ask(&app.address, head, body).await;
        assert!((400..500).contains(&status), "{head}: {status}");
        let said: Value = serde_json::from_slice(&said).unwrap_or_else(|_| panic!("{head}"));
        assert!(!said["message"].as_str().unwrap().is_empty());
    }
    assert_eq!(ask(&app.address, "GET /assets/gone.js", b"").await.0, 404);
}

#[tokio::test]
async fn numbers_that_no_float_holds_and_words_that_nobody_reads_are_refused() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("toys");
    let project = stocked(&data);
    let app = App::serving(&data);
    let (mut socket, hello) = app.join(project, "Tern").await;
    let part = hello["outline"]["parts"][0]["id"].clone();
    let edits = format!("POST /api/v1/projects/{project}/edits");
    let set = |start: &str, name: &str| {
        format!(
            r#"{{"type":"add_set","part":{part},"name":"{name}","placement":"vertex","encoding":"data","start":[{start},0,0,1]}}"#
        )
    };
    for (start, name, says) in
        [("1e39", "Far", "too large"), ("0", &"x".repeat(100_000), "letters at most")]
    {
        let (status, said) = ask(&app.address, &edits, set(start, name).as_bytes()).await;
        let said = String::from_utf8_lossy(&said).into_owned();
        assert!(status == 422 && said.contains(says), "{status} {said:.200}");
    }
    let long_name = json!({ "name": "x".repeat(1 << 20) }).to_string();
    assert_eq!(ask(&app.address, "POST /api/v1/projects", long_name.as_bytes()).await.0, 422);
    // Over the socket what makes no sense ends it with a reason.
    say(&mut socket, json!({ "type": "make_coffee" })).await;
    let mut reasons = Vec::new();
    while let Some(Ok(message)) = socket.next().await {
        if let Message::Close(Some(frame)) = message {
            reasons.push((u16::from(frame.code), frame.reason.to_string()));
        }
    }
    assert_eq!(reasons.len(), 1);
    assert!(reasons[0].0 == 1007 && reasons[0].1.contains("cannot be understood"), "{reasons:?}");
}

/// Binary scenes with a flipped bit, of which some ask their reader for all memory there is.
#[tokio::test]
async fn damaged_binaries_are_refused_and_die_alone() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("toys");
    stocked(&data);
    let app = App::serving(&data);
    let whole = include_bytes!("../../../formats/tests/reference/usd_scene.usdc");
    let mut refused = 0;
    for at in [100_usize, 132, 135, 151, 164, 281]
        .into_iter()
        .chain((0..long(4, 400)).map(|n| 300 + 9 * n as usize))
    {
        let mut bytes = whole.to_vec();
        bytes[at] ^= 1 << (at % 8);
        let mut said = Vec::new();
        app.importing("damaged.usdc", &bytes).await.read_to_end(&mut said).await.unwrap();
        let said = String::from_utf8_lossy(&said).into_owned();
        let is_told = said.starts_with("HTTP/1.1 422") && said.contains("damaged.usdc");
        assert!(is_told || said.starts_with("HTTP/1.1 200"), "{at}: {said:.400}");
        refused += u32::from(is_told);
        assert_eq!(ask(&app.address, "GET /api/v1/projects", b"").await.0, 200);
    }
    assert!(refused >= 5, "{refused} were refused");
}

/// The processes that a process has started.
fn children_of(parent: u32) -> usize {
    let processes = std::fs::read_dir("/proc").unwrap().flatten();
    let stats =
        processes.filter_map(|entry| std::fs::read_to_string(entry.path().join("stat")).ok());
    // After the name in brackets: the state, and the parent.
    let parents = stats.filter_map(|stat| {
        let (_, rest) = stat.rsplit_once(')')?;
        let mut words = rest.split_whitespace();
        (words.next()? != "Z").then_some(())?;
        words.next()?.parse::<u32>().ok()
    });
    parents.filter(|own| *own == parent).count()
}

/// Whoever leaves while a file is read ends the reading.
#[tokio::test]
async fn reading_ends_when_whoever_asked_has_left() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("toys");
    stocked(&data);
    let app = App::serving(&data);
    // Scenes that refer to scenes, which takes many seconds to be refused.
    let mut usd = "#usda 1.0\n".to_owned();
    for n in 0..40 {
        let _ = writeln!(
            usd,
            "def \"P{n}\" {{ def \"a\" (references = </P{0}>) {{}} def \"b\" (references = </P{0}>) {{}} }}",
            n + 1
        );
    }
    usd.push_str("def Mesh \"P40\" {}\n");
    let asking = app.importing("nested.usda", usd.as_bytes()).await;
    let until = async |wanted: usize, patience: Duration| {
        let begun = Instant::now();
        while children_of(app.process.id()) != wanted {
            assert!(begun.elapsed() < patience, "{} readers", children_of(app.process.id()));
            tokio::time::sleep(Duration::from_millis(20)).await;
        }
    };
    until(1, Duration::from_secs(10)).await;
    drop(asking);
    until(0, Duration::from_secs(4)).await;
}

/// Files that made the server take gigabytes are read elsewhere, and refused in words.
#[tokio::test]
async fn a_file_that_breaks_its_reader_breaks_nothing_else() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("toys");
    stocked(&data);
    let app = App::serving(&data);
    let before = resident_bytes(app.process.id());
    let mut x3d = "<Group DEF=\"g0\"><Shape><IndexedTriangleSet index=\"0 1 2\"><Coordinate point=\"0 0 0 1 0 0 0 1 0\"/></IndexedTriangleSet></Shape></Group>".to_owned();
    for n in 1..=30 {
        let _ = write!(
            x3d,
            "<Group DEF=\"g{n}\"><Group USE=\"g{0}\"/><Group USE=\"g{0}\"/></Group>",
            n - 1
        );
    }
    let xml = format!("<X3D><Scene>{x3d}</Scene></X3D>");
    let mut stream = app.importing("nested.x3d", xml.as_bytes()).await;
    // Others are answered meanwhile.
    let begun = Instant::now();
    assert_eq!(ask(&app.address, "GET /api/v1/projects", b"").await.0, 200);
    assert!(begun.elapsed() < Duration::from_secs(2));
    let mut said = Vec::new();
    stream.read_to_end(&mut said).await.unwrap();
    let said = String::from_utf8_lossy(&said).into_owned();
    assert!(said.starts_with("HTTP/1.1 422") && said.contains("nested.x3d"), "{said:.400}");
    let after = resident_bytes(app.process.id());
    figure(
        "memory of the server after a hostile file",
        format!("{} MB more", after.saturating_sub(before) >> 20),
    );
    assert!(after < before + (100 << 20), "{before} {after}");
}
