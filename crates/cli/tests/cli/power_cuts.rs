//! Killed at random moments, with a full disk, and with many hands at once.

use std::{
    fs,
    process::{Command, Stdio},
    time::{Duration, Instant},
};

use serde_json::json;

use crate::app::{
    App, Socket, hear, is_sound, long, resident_bytes, revision, stocked, stored, stroke, take,
};

#[tokio::test]
async fn killed_at_any_moment_it_opens_again_with_every_acknowledged_stroke() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("toys");
    let project = stocked(&data);
    let mut acknowledged = 1;
    let mut strokes = 0;
    for round in 0..24 * long(1, 20) {
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
