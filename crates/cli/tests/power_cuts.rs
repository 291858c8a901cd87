//! The real program, killed at random moments, with a full disk, and with many hands at once.

use std::{
    fs,
    io::{BufRead, BufReader},
    path::Path,
    process::{Child, Command, Stdio},
    time::{Duration, Instant},
};

use futures::{SinkExt, StreamExt};
use serde_json::{Value, json};
use speckle_store::Store;
use tokio_tungstenite::{connect_async, tungstenite::Message};

type Socket =
    tokio_tungstenite::WebSocketStream<tokio_tungstenite::MaybeTlsStream<tokio::net::TcpStream>>;

/// The app; killed when dropped, as a power cut would.
struct App {
    process: Child,
    address: String,
}

impl Drop for App {
    fn drop(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}

impl App {
    fn start(mut command: Command, data: &Path) -> Self {
        let mut process = command
            .args(["--no-open", "--port", "0", "--data"])
            .arg(data)
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let mut line = String::new();
        BufReader::new(process.stdout.take().unwrap()).read_line(&mut line).unwrap();
        let address = line.split_whitespace().find_map(|w| w.strip_prefix("http://"));
        Self { process, address: address.expect("the address").to_owned() }
    }

    fn serving(data: &Path) -> Self {
        let mut command = Command::new(env!("CARGO_BIN_EXE_speckle"));
        command.arg("serve");
        Self::start(command, data)
    }

    /// A socket that has joined, and its hello.
    async fn join(&self, project: i64, hand: &str) -> (Socket, Value) {
        let url = format!("ws://{}/api/v1/projects/{project}/live", self.address);
        let mut socket = connect_async(url).await.unwrap().0;
        say(&mut socket, json!({ "type": "join", "hand": hand })).await;
        let hello = hear(&mut socket, &["hello"], |_| {}).await.unwrap();
        (socket, hello)
    }
}

async fn say(socket: &mut Socket, message: Value) {
    // A server that was killed hears nothing.
    let _ = socket.send(Message::text(message.to_string())).await;
}

/// The next message of one of the types; `None` when the socket is gone.
async fn hear(socket: &mut Socket, kinds: &[&str], mut frames: impl FnMut(&[u8])) -> Option<Value> {
    loop {
        let next = tokio::time::timeout(Duration::from_secs(60), socket.next()).await;
        match next.expect("an answer").transpose().ok()?? {
            Message::Text(text) => {
                let message: Value = serde_json::from_str(&text).unwrap();
                if kinds.contains(&message["type"].as_str().unwrap()) {
                    return Some(message);
                }
            }
            Message::Binary(bytes) => frames(&bytes),
            _ => {}
        }
    }
}

/// A stroke in a color that only the n-th has, somewhere that n says.
async fn stroke(socket: &mut Socket, hello: &Value, n: usize) {
    let part = &hello["outline"]["parts"][0];
    let start = json!({
        "part": part["id"], "set": part["sets"][0]["id"], "channels": [true, true, true, false],
        "paint": [(n % 251) as f32 / 255.0, (n / 251 % 251) as f32 / 255.0, 0.0, 1.0],
        "brush": { "radius": 20.0, "opacity": 1.0, "hardness": 1.0 },
        "view": { "kind": "parallel", "forward": [0.0, 0.0, -1.0] },
    });
    say(socket, json!({ "type": "stroke_begin", "start": start })).await;
    let (x, y) = ((n * 37 % 100) as f32 - 50.0, 40.0 + (n * 53 % 180) as f32);
    for step in 0..4 {
        let sample =
            json!({ "origin": [x + step as f32 * 4.0, y, 900.0], "direction": [0.0, 0.0, -1.0] });
        say(socket, json!({ "type": "stroke_move", "samples": [sample] })).await;
    }
    say(socket, json!({ "type": "stroke_end" })).await;
}

fn stocked(data: &Path) -> i64 {
    let store = Store::open(data).unwrap();
    let mut document = speckle_core::Document::default();
    let parts = speckle_demo::piece("bollard").unwrap().make(speckle_demo::Detail::Usual);
    let change = document.apply(speckle_core::Edit::bring_in(parts)).unwrap();
    store.create_with("Bollard", &change, "", 1, &document).unwrap()
}

fn is_sound(data: &Path) {
    let store = Store::open(data).unwrap();
    for project in store.projects().unwrap() {
        let file = data.join(format!("{}.speckle", project.id));
        store.project(project.id).unwrap().verify().unwrap();
        let connection = rusqlite::Connection::open(file).unwrap();
        let said: String =
            connection.query_row("PRAGMA integrity_check", [], |row| row.get(0)).unwrap();
        assert_eq!(said, "ok");
    }
}

/// Where a project stands, by its file.
fn revision(data: &Path, project: i64) -> u64 {
    let store = Store::open(data).unwrap();
    store.listed(project).unwrap().revision as u64
}

/// The values of the project's first set in 8-bit steps, by its journal.
fn stored(data: &Path, project: i64) -> Vec<[u8; 4]> {
    let opened = Store::open(data).unwrap().open_project(project).unwrap();
    let values = opened.document.parts()[0].sets[0].values.clone();
    values.iter().map(|v| v.map(|x| (x * 255.0).round() as u8)).collect()
}

#[tokio::test]
async fn killed_at_any_moment_it_opens_again_with_every_acknowledged_stroke() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("toys");
    let project = stocked(&data);
    let mut acknowledged = 1;
    let mut strokes = 0;
    for round in 0..24_u64 {
        let app = App::serving(&data);
        let (mut socket, hello) = app.join(project, "Tern").await;
        // What was acknowledged before the last cut is there; at most the stroke under the hand,
        // whose acknowledgement did not come through, is there beside it.
        let revision = hello["history"]["revision"].as_u64().unwrap();
        assert!(revision == acknowledged || revision == acknowledged + 1, "round {round}");
        acknowledged = revision;
        // In the middle of a stroke, right after one, or before the first: as the moment falls.
        let cut = Instant::now() + Duration::from_micros(round * 79_193 % 300_000);
        let App { process, .. } = &app;
        let id = process.id().to_string();
        let killer = std::thread::spawn(move || {
            std::thread::sleep(cut.saturating_duration_since(Instant::now()));
            Command::new("kill").args(["-9", &id]).status().unwrap();
        });
        loop {
            stroke(&mut socket, &hello, strokes).await;
            strokes += 1;
            match hear(&mut socket, &["kept", "nothing"], |_| {}).await {
                Some(kept) if kept["type"] == "kept" => {
                    acknowledged = kept["history"]["revision"].as_u64().unwrap();
                }
                Some(_) => {}
                None => break,
            }
        }
        killer.join().unwrap();
        drop(app);
        is_sound(&data);
    }
    assert!(acknowledged > 10, "strokes were kept between the cuts: {acknowledged}");
    assert!(revision(&data, project) >= acknowledged);
}

/// A small file system of its own, where the machine lets a test mount one; elsewhere the store's
/// test with a bound on pages stands alone for the disk's end.
#[tokio::test]
async fn a_full_disk_is_told_nothing_is_half_kept_and_work_goes_on_when_there_is_room() {
    let folder = tempfile::tempdir().unwrap();
    let disk = folder.path().join("disk");
    fs::create_dir(&disk).unwrap();
    let mounted = Command::new("mount")
        .args(["-t", "tmpfs", "-o", "size=4m", "tmpfs"])
        .arg(&disk)
        .stderr(Stdio::null())
        .status()
        .is_ok_and(|status| status.success());
    if !mounted {
        eprintln!("no file system can be mounted here: see the test of the store instead");
        return;
    }
    struct Unmount(std::path::PathBuf);
    impl Drop for Unmount {
        fn drop(&mut self) {
            let _ = Command::new("umount").arg("-l").arg(&self.0).status();
        }
    }
    let _unmount = Unmount(disk.clone());
    let data = disk.join("toys");
    let project = stocked(&data);
    let app = App::serving(&data);
    let (mut socket, hello) = app.join(project, "Tern").await;
    let ballast = disk.join("ballast");
    fs::write(&ballast, vec![7_u8; 1 << 20]).unwrap();
    let mut kept = 0;
    let mut told = None;
    for n in 0..4000 {
        stroke(&mut socket, &hello, n).await;
        match hear(&mut socket, &["kept", "refused"], |_| {}).await.unwrap() {
            message if message["type"] == "kept" => {
                kept = message["history"]["revision"].as_u64().unwrap()
            }
            message => {
                told = Some(message["message"].as_str().unwrap().to_owned());
                break;
            }
        }
    }
    let told = told.expect("the disk fills up");
    assert!(told.contains("disk is full") && told.contains("free some room"), "{told}");
    // Nothing was acknowledged that is not kept, and the refused stroke is gone everywhere.
    fs::remove_file(&ballast).unwrap();
    stroke(&mut socket, &hello, 4001).await;
    let again = hear(&mut socket, &["kept"], |_| {}).await.unwrap();
    assert_eq!(again["history"]["revision"].as_u64().unwrap(), kept + 1);
    drop(app);
    is_sound(&data);
    assert_eq!(revision(&data, project), kept + 1);
}

fn resident_bytes(process: u32) -> u64 {
    let status = fs::read_to_string(format!("/proc/{process}/status")).unwrap_or_default();
    let line = status.lines().find_map(|line| line.strip_prefix("VmRSS:")).unwrap_or("0 kB");
    line.trim().trim_end_matches(" kB").trim().parse::<u64>().unwrap_or(0) * 1024
}

struct Hand {
    socket: Socket,
    /// The set's values as this client holds them.
    held: Vec<[u8; 4]>,
    own: usize,
    idle: usize,
    revision: u64,
}

/// Eight hands for half a minute: no stroke is lost, memory stays flat, all end alike.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn eight_hands_paint_for_half_a_minute_and_end_with_the_same_values() {
    const HANDS: usize = 8;
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("toys");
    let project = stocked(&data);
    let app = App::serving(&data);
    let begun = Instant::now();
    let end = begun + Duration::from_secs(30);
    let process = app.process.id();
    let mut hands = Vec::new();
    for hand in 0..HANDS {
        let name = format!("Hand {hand}");
        let (mut socket, hello) = app.join(project, &name).await;
        hands.push(tokio::spawn(async move {
            let mut held: Vec<[u8; 4]> = Vec::new();
            let (mut own, mut idle, mut revision) = (0_usize, 0_usize, 0);
            while Instant::now() < end {
                stroke(&mut socket, &hello, own * HANDS + hand).await;
                own += 1;
                // Others' changes are told as well, and read on the way to one's own.
                loop {
                    let told =
                        hear(&mut socket, &["kept", "nothing"], |f| take(&mut held, f)).await;
                    let told = told.unwrap();
                    match told["history"]["revision"].as_u64() {
                        None => idle += 1,
                        Some(now) => revision = now,
                    }
                    let whose = &told["history"]["undo"]["hand"];
                    if told["type"] == "nothing" || *whose == json!(name) {
                        break;
                    }
                }
                // At a hand's pace.
                tokio::time::sleep(Duration::from_millis(25)).await;
            }
            Hand { socket, held, own, idle, revision }
        }));
    }
    let mut early = 0;
    while Instant::now() < end {
        tokio::time::sleep(Duration::from_millis(500)).await;
        if early == 0 && begun.elapsed() > Duration::from_secs(8) {
            early = resident_bytes(process);
        }
    }
    let late = resident_bytes(process);
    assert!(late < early + early / 4 + (24 << 20), "memory grew from {early} to {late} bytes");
    let mut ended = Vec::new();
    for hand in hands {
        ended.push(hand.await.unwrap());
    }
    // Everyone hears of everything until nothing is under way any more.
    for hand in &mut ended {
        let Hand { socket, held, idle, revision, .. } = hand;
        let quiet = Duration::from_secs(2);
        while let Ok(told) =
            tokio::time::timeout(quiet, hear(socket, &["kept", "nothing"], |f| take(held, f))).await
        {
            match told.unwrap()["history"]["revision"].as_u64() {
                Some(now) => *revision = now,
                None => *idle += 1,
            }
        }
    }
    drop(app);
    let expected = stored(&data, project);
    let last = revision(&data, project);
    let strokes: usize = ended.iter().map(|hand| hand.own).sum();
    let idle: usize = ended.iter().map(|hand| hand.idle).sum();
    // The import is the first change; a stroke that another's covers whole changes nothing itself.
    assert_eq!(last as usize - 1 + idle, strokes, "every stroke was kept or told to be nothing");
    // How many depends on the machine; fewer would show nothing.
    assert!(strokes > 10 * HANDS && idle < strokes / 4, "{strokes} strokes, {idle} idle");
    for hand in ended {
        assert_eq!(hand.revision, last);
        assert!(hand.held == expected, "a hand ended with other values");
    }
    is_sound(&data);
}

/// Lays a frame's values on what a client holds.
fn take(held: &mut Vec<[u8; 4]>, frame: &[u8]) {
    let word = |i: usize| u32::from_le_bytes(frame[4 * i..4 * i + 4].try_into().unwrap());
    let count = word(3) as usize;
    let fours = |from: usize| {
        frame[from..from + 4 * count].chunks_exact(4).map(|c| <[u8; 4]>::try_from(c).unwrap())
    };
    match word(0) {
        2 => *held = fours(32).collect(),
        3 => {
            for (index, value) in fours(32).zip(fours(32 + 4 * count)) {
                held[u32::from_le_bytes(index) as usize] = value;
            }
        }
        _ => {}
    }
}
