//! A database that is locked, a folder that has an owner, a server that is told to stop.

use std::{
    process::{Command, Stdio},
    time::{Duration, Instant},
};

use futures::{SinkExt, StreamExt};
use serde_json::json;
use speckle_store::Store;
use tokio::io::AsyncWriteExt;
use tokio_tungstenite::tungstenite::Message;

use crate::app::{App, figure, hear, revision, say, stocked, stored, stroke, take};

/// Everything that was not written is taken back, in memory as on disk: an undo, a stroke, and what
/// was built on them.
#[tokio::test]
async fn what_cannot_be_written_is_taken_back_whole() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("toys");
    let project = stocked(&data);
    let app = App::serving(&data);
    let (mut socket, hello) = app.join(project, "Tern").await;
    let mut held = Vec::new();
    for n in 0..3 {
        stroke(&mut socket, &hello, n).await;
        hear(&mut socket, &["kept"], |f| take(&mut held, f)).await.unwrap();
    }
    let before = held.clone();
    // Another process holds the file as a writer, longer than anybody waits.
    let file = data.join(format!("{project}.speckle"));
    let locked = rusqlite::Connection::open(&file).unwrap();
    locked.execute_batch("BEGIN IMMEDIATE").unwrap();
    for message in ["undo", "undo"] {
        say(&mut socket, json!({ "type": message })).await;
    }
    stroke(&mut socket, &hello, 9).await;
    for _ in 0..3 {
        let told = hear(&mut socket, &["refused", "kept"], |f| take(&mut held, f)).await.unwrap();
        assert_eq!(told["type"], "refused", "{told}");
        let message = told["message"].as_str().unwrap();
        assert!(message.contains("could not be kept"), "{message}");
    }
    locked.execute_batch("COMMIT").unwrap();
    drop(locked);
    // The stage shows what it showed, and what is done next builds on that.
    say(&mut socket, json!({ "type": "undo" })).await;
    let undone = hear(&mut socket, &["kept"], |f| take(&mut held, f)).await.unwrap();
    assert_eq!(undone["history"]["revision"], 5, "{undone}");
    say(&mut socket, json!({ "type": "redo" })).await;
    hear(&mut socket, &["kept"], |f| take(&mut held, f)).await.unwrap();
    assert!(held == before, "memory is as it was before the refusals");
    drop(app);
    assert!(stored(&data, project) == before, "and so is the disk");
}

#[tokio::test]
async fn a_second_server_on_the_same_projects_says_who_has_them() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("toys");
    stocked(&data);
    let app = App::serving(&data);
    let second = Command::new(env!("CARGO_BIN_EXE_speckle"))
        .args(["serve", "--no-open", "--port", "0", "--data"])
        .arg(&data)
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&second.stderr).into_owned();
    assert!(!second.status.success());
    for word in ["in use", &app.process.id().to_string(), &app.address, "--data"] {
        assert!(said.contains(word), "{said}");
    }
    // Delivering only looks, and works meanwhile.
    let out = folder.path().join("out");
    let sent = Command::new(env!("CARGO_BIN_EXE_speckle"))
        .args(["deliver", "Bollard", "--recipient", "Archive", "--data"])
        .arg(&data)
        .arg("--out")
        .arg(&out)
        .output()
        .unwrap();
    assert!(sent.status.success(), "{}", String::from_utf8_lossy(&sent.stderr));
}

/// Told to stop, the server ends strokes and keeps them, says good-bye (1001, RFC 6455), and waits
/// for nobody who is half way through a request.
#[tokio::test]
async fn stopping_keeps_the_stroke_under_the_pointer_and_takes_seconds() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("toys");
    let project = stocked(&data);
    let mut app = App::serving(&data);
    let (mut socket, hello) = app.join(project, "Tern").await;
    let mut half = app.connect().await;
    half.write_all(b"POST /api/v1/projects HTTP/1.1\r\nHost: localhost\r\nContent-Le")
        .await
        .unwrap();
    let mut slow = app.connect().await;
    let head = format!(
        "POST /api/v1/projects HTTP/1.1\r\nHost: {}\r\nContent-Type: application/json\r\nContent-Length: 50\r\n\r\n{{",
        app.address
    );
    slow.write_all(head.as_bytes()).await.unwrap();
    // A stroke under way: begun and moved, not ended.
    let part = &hello["outline"]["parts"][0];
    let start = json!({
        "part": part["id"], "set": part["sets"][0]["id"], "channels": [true, true, true, false],
        "paint": [1.0, 0.0, 0.0, 1.0],
        "brush": { "radius": 20.0, "opacity": 1.0, "hardness": 1.0 },
        "view": { "kind": "parallel", "forward": [0.0, 0.0, -1.0] },
    });
    say(&mut socket, json!({ "type": "stroke_begin", "start": start })).await;
    let sample = json!({ "origin": [0.0, 100.0, 900.0], "direction": [0.0, 0.0, -1.0] });
    say(&mut socket, json!({ "type": "stroke_move", "samples": [sample] })).await;
    // Its paint has come: frames of kind 3 are patches.
    let mut is_painted = false;
    while !is_painted {
        if let Message::Binary(frame) = socket.next().await.unwrap().unwrap() {
            is_painted = frame[0] == 3;
        }
    }
    let begun = Instant::now();
    Command::new("kill").args(["-TERM", &app.process.id().to_string()]).status().unwrap();
    let mut codes = Vec::new();
    while let Some(Ok(message)) = socket.next().await {
        if let Message::Close(Some(frame)) = message {
            codes.push(u16::from(frame.code));
        }
    }
    assert_eq!(codes, [1001]);
    app.process.wait().unwrap();
    assert!(begun.elapsed() < Duration::from_secs(12), "{:?}", begun.elapsed());
    assert_eq!(revision(&data, project), 2);
    assert!(stored(&data, project).contains(&[255, 0, 0, 255]));
}

/// With nobody else there, the good-bye is not cut off by the end of the process.
#[tokio::test]
async fn a_socket_alone_hears_that_the_server_stops() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("toys");
    let project = stocked(&data);
    let mut app = App::serving(&data);
    let (mut socket, _) = app.join(project, "Tern").await;
    let begun = Instant::now();
    Command::new("kill").args(["-TERM", &app.process.id().to_string()]).status().unwrap();
    let mut codes = Vec::new();
    while let Some(Ok(message)) = socket.next().await {
        if let Message::Close(Some(frame)) = message {
            codes.push(u16::from(frame.code));
        }
    }
    assert_eq!(codes, [1001]);
    assert!(app.process.wait().unwrap().success());
    assert!(begun.elapsed() < Duration::from_secs(4), "{:?}", begun.elapsed());
}

#[tokio::test]
async fn a_second_signal_ends_it_at_once() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("toys");
    stocked(&data);
    let mut app = App::serving(&data);
    // A request that never ends would be waited for.
    let mut slow = app.connect().await;
    let head = format!(
        "POST /api/v1/projects HTTP/1.1\r\nHost: {}\r\nContent-Type: application/json\r\nContent-Length: 50\r\n\r\n{{",
        app.address
    );
    slow.write_all(head.as_bytes()).await.unwrap();
    let process = app.process.id().to_string();
    let signal = || Command::new("kill").args(["-TERM", &process]).stderr(Stdio::null()).status();
    let begun = Instant::now();
    signal().unwrap();
    // Signals of one kind that come at once are one.
    while app.process.try_wait().unwrap().is_none() {
        tokio::time::sleep(Duration::from_millis(200)).await;
        signal().unwrap();
    }
    assert!(begun.elapsed() < Duration::from_secs(4), "{:?}", begun.elapsed());
}

/// A tab that sends without end waits for itself; a tab that does not read costs its own socket.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn one_client_does_not_hold_up_another() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("toys");
    let project = stocked(&data);
    let app = App::serving(&data);
    let (mut busy, hello) = app.join(project, "Gull").await;
    for n in 0..20 {
        stroke(&mut busy, &hello, n).await;
        hear(&mut busy, &["kept"], |_| {}).await.unwrap();
    }
    let (mut calm, _) = app.join(project, "Tern").await;
    let flood = tokio::spawn(async move {
        for n in 0..10_000 {
            let deed = if n % 40 < 20 { "undo" } else { "redo" };
            if busy.send(Message::text(json!({ "type": deed }).to_string())).await.is_err() {
                break;
            }
        }
        busy
    });
    tokio::time::sleep(Duration::from_millis(300)).await;
    let begun = Instant::now();
    let part = &hello["outline"]["parts"][0];
    let about =
        json!({ "type": "corners", "part": part["id"], "set": part["sets"][0]["id"], "vertex": 0 });
    say(&mut calm, json!({ "type": "ask", "question": 1, "about": about })).await;
    hear(&mut calm, &["corners"], |_| {}).await.unwrap();
    let waited = begun.elapsed();
    figure("a question beside 10 000 undo messages of another", format!("{waited:?}"));
    assert!(waited < Duration::from_secs(3), "{waited:?}");
    flood.abort();
}

#[test]
fn output_that_cannot_be_written_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let mesh = folder.path().join("a.off");
    std::fs::write(&mesh, "OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n").unwrap();
    let Ok(full) = std::fs::File::create("/dev/full") else { return };
    let inspected = Command::new(env!("CARGO_BIN_EXE_speckle"))
        .arg("inspect")
        .arg(&mesh)
        .stdout(full)
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&inspected.stderr).into_owned();
    assert_eq!(inspected.status.code(), Some(1), "{said}");
    assert!(said.contains("cannot be written") && !said.contains("panicked"), "{said}");
}

#[test]
fn the_doctor_says_what_is_wrong_and_saves_what_can_be_had() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("toys");
    let project = stocked(&data);
    let doctor = |args: &[&std::ffi::OsStr]| {
        let out =
            Command::new(env!("CARGO_BIN_EXE_speckle")).arg("doctor").args(args).output().unwrap();
        (out.status.success(), String::from_utf8_lossy(&out.stdout).into_owned())
    };
    let (is_sound, said) = doctor(&[data.as_os_str()]);
    assert!(is_sound && said.contains("Bollard: 1 changes, sound"), "{said}");
    let file = data.join(format!("{project}.speckle"));
    rusqlite::Connection::open(&file)
        .unwrap()
        .execute("UPDATE project SET cursor = 7", [])
        .unwrap();
    let (is_sound, said) = doctor(&[data.as_os_str()]);
    assert!(!is_sound && said.contains("not sound"), "{said}");
    let saved = folder.path().join("saved.speckle");
    let (done, said) = doctor(&[file.as_os_str(), "--rescue".as_ref(), saved.as_os_str()]);
    assert!(done && said.contains("change 1 of 1"), "{said}");
    let store = Store::temporary().unwrap();
    let brought = store.import_project(&saved, 1).unwrap();
    assert_eq!(store.open_project(brought).unwrap().document.parts().len(), 1);
}
