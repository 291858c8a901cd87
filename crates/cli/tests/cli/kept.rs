//! Projects by their names: checked, reported, delivered and followed beside the app that keeps them.

use std::{
    fs,
    io::{BufRead, BufReader},
    path::Path,
    process::{Child, Command, Stdio},
};

use serde_json::Value;
use speckle_core::{Document, Edit, PartEdit, SetEdit};
use speckle_store::{ProjectId, Store};

use crate::transfer::speckle;

/// A folder with a project of a demo piece; the store is its owner, as the running app is.
struct Kept {
    folder: tempfile::TempDir,
    store: Store,
    project: ProjectId,
    document: Document,
}

impl Kept {
    fn new(piece: &str, name: &str) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(&folder.path().join("projects")).unwrap();
        let (document, change) =
            speckle_demo::piece(piece).unwrap().project(speckle_demo::Detail::Usual);
        let project = store.create_with(name, &change, "Puffin", 0, &document).unwrap();
        Self { folder, store, project, document }
    }

    fn place(&self) -> &Path {
        self.folder.path()
    }

    /// Makes an edit and keeps it.
    fn edit(&mut self, edit: Edit) {
        let change = self.document.apply(edit).unwrap();
        let mut file = self.store.project(self.project).unwrap();
        file.append(&change, "Puffin", 0, &self.document).unwrap();
    }

    /// Runs a command to its end: its exit code, what it says, what it complains about.
    fn run(&self, args: &[&str]) -> (Option<i32>, String, String) {
        let output = speckle(self.place(), &[args, &["--data", "projects"]].concat());
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
        (output.status.code(), text(&output.stdout), text(&output.stderr))
    }
}

/// A project of the shelf is checked as its file is, with the recipients that are kept with it.
#[test]
fn a_project_is_checked_by_its_name() {
    let kept = Kept::new("pennant", "Signal pennant");
    // Its mast does not move, and has no set for it.
    let (code, words, _) = kept.run(&["check", "Signal pennant"]);
    assert_eq!(code, Some(2), "{words}");
    assert!(words.contains("Mast lacks the set Motion") && words.contains(": 1 found"), "{words}");
    let file = kept.place().join("pennant.speckle");
    kept.store.export_project(kept.project, &file).unwrap();
    let (code, of_file, _) = kept.run(&["check", "pennant.speckle"]);
    assert_eq!((code, of_file), (Some(2), words.replace("Signal pennant", "pennant.speckle")));

    // Bytes hold no more than 256 steps: what one of its own loses is told now.
    let recipient = r#"{ "name": "Small", "format": "off" }"#;
    let own = kept.store.project(kept.project).unwrap();
    own.set_recipient("Small", recipient).unwrap();
    let (code, words, _) = kept.run(&["check", "Signal pennant", "--json"]);
    let told: Value = serde_json::from_str(&words).unwrap();
    let lost = |finding: &&Value| finding["check"] == "lost";
    let findings = told[0]["findings"].as_array().unwrap();
    let found = findings.iter().find(lost).unwrap_or_else(|| panic!("{told:#}"));
    assert!(found["says"].as_str().unwrap().contains("Small"), "{found:#}");
    assert_eq!(code, Some(2));

    // What is neither a file nor a project says what there is.
    let (code, _, complaint) = kept.run(&["check", "Nobody"]);
    assert_eq!(code, Some(1));
    assert!(complaint.contains("no file and no project Nobody"), "{complaint}");
    assert!(complaint.contains("Signal pennant"), "{complaint}");
    let elsewhere = speckle(kept.place(), &["check", "Nobody", "--data", "elsewhere"]);
    let complaint = String::from_utf8_lossy(&elsewhere.stderr).into_owned();
    assert_eq!(elsewhere.status.code(), Some(1));
    assert!(complaint.contains("no projects in elsewhere"), "{complaint}");
    assert!(!kept.place().join("elsewhere").exists(), "looking makes no folder");
}

/// The report of a project, of its file and of a mesh file: one page each, written whole, where it is said to go.
#[test]
fn a_project_is_reported_by_its_name() {
    let kept = Kept::new("pennant", "Signal pennant");
    let (code, words, complaint) = kept.run(&["report", "Signal pennant"]);
    assert_eq!((code, words.trim()), (Some(0), "Signal pennant-report.html"), "{complaint}");
    let page = fs::read_to_string(kept.place().join("Signal pennant-report.html")).unwrap();
    assert!(page.starts_with("<!DOCTYPE html>"), "{}", &page[..100]);
    assert!(page.ends_with("</html>") || page.ends_with("</html>\n"), "the page has its end");
    for wanted in ["Signal pennant", "Pennant in the wind", "revision 1"] {
        assert!(page.to_lowercase().contains(&wanted.to_lowercase()), "{wanted}");
    }
    // Every picture is one, and there are as many as are shown: the whole, each channel, each look.
    let pictures: Vec<&str> = page.split("src=\"data:image/png;base64,").skip(1).collect();
    assert!(pictures.len() > 3, "{}", pictures.len());
    for picture in pictures {
        // The first eight bytes of every PNG (ISO/IEC 15948), as Base64 writes them.
        assert!(picture.starts_with("iVBORw0KGg"), "{}", &picture[..20]);
    }
    let file = kept.place().join("pennant.speckle");
    kept.store.export_project(kept.project, &file).unwrap();
    let (code, words, _) = kept.run(&["report", "pennant.speckle", "-o", "deep.html"]);
    assert_eq!((code, words.trim()), (Some(0), "deep.html"));
    let (code, _, complaint) = kept.run(&["report", "pennant.speckle", "-o", "no/such/place.html"]);
    assert_eq!(code, Some(1));
    assert!(complaint.contains("no/such/place.html"), "{complaint}");
}

/// A program that runs until it is dropped, and its lines.
struct Running(Child, BufReader<std::process::ChildStdout>);

impl Drop for Running {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

impl Running {
    fn line(&mut self) -> String {
        let mut line = String::new();
        self.1.read_line(&mut line).unwrap();
        line
    }
}

/// `watch` writes what there is, then again after each change once the project rests; what it wrote stands whole
/// under its own name, and what others put there stays.
#[test]
fn watch_follows_a_project() {
    let mut kept = Kept::new("pennant", "Signal pennant");
    fs::write(kept.place().join("ply.json"), r#"{ "name": "Tables", "format": "ply" }"#).unwrap();
    let args = ["watch", "Signal pennant", "--recipient", "ply.json", "--into", "out"];
    let (code, words, complaint) = kept.run(&[&args[..], &["--once"]].concat());
    assert_eq!(code, Some(0), "{complaint}");
    assert!(words.starts_with("revision 1: ") && words.contains(".ply"), "{words}");
    let out = kept.place().join("out");
    fs::write(out.join("notes.txt"), "mine").unwrap();
    let ply = |folder: &Path| {
        let entries = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path());
        let mut all: Vec<_> =
            entries.filter(|at| at.extension().is_some_and(|end| end == "ply")).collect();
        assert_eq!(all.len(), 1, "{all:?}");
        fs::read(all.remove(0)).unwrap()
    };
    let first = ply(&out);

    let mut command = Command::new(env!("CARGO_BIN_EXE_speckle"));
    command.args(args).args(["--rest", "0.1", "--data", "projects"]).current_dir(kept.place());
    let mut process = command.stdout(Stdio::piped()).spawn().unwrap();
    let lines = BufReader::new(process.stdout.take().unwrap());
    let mut watching = Running(process, lines);
    assert!(watching.line().starts_with("revision 1: "));
    let part = kept.document.parts()[0].id;
    kept.edit(PartEdit::RenamePart { part, name: "Flag".into() }.into());
    assert!(watching.line().starts_with("revision 2: "));
    let set = kept.document.parts()[0].sets[0].id;
    kept.edit(SetEdit::RenameSet { part, set, name: "Moves".into() }.into());
    let line = watching.line();
    assert!(line.starts_with("revision 3: "), "{line}");
    assert_ne!(ply(&out), first, "names of sets stand in the file");
    assert_eq!(fs::read_to_string(out.join("notes.txt")).unwrap(), "mine");
    let partial = |at: &Path| at.to_string_lossy().ends_with(".partial");
    assert!(!fs::read_dir(&out).unwrap().any(|entry| partial(&entry.unwrap().path())));

    // What cannot be written at all is an error at once; what names nobody tells whom there is.
    fs::write(kept.place().join("file"), "in the way").unwrap();
    let into = ["watch", "Signal pennant", "--recipient", "ply.json", "--into", "file", "--once"];
    let (code, _, complaint) = kept.run(&into);
    assert_eq!(code, Some(1));
    assert!(complaint.contains("file"), "{complaint}");
    let nobody = ["watch", "Signal pennant", "--recipient", "Nobody", "--into", "out", "--once"];
    let (code, _, complaint) = kept.run(&nobody);
    assert_eq!(code, Some(1));
    assert!(complaint.contains("Nobody") && complaint.contains("Archive"), "{complaint}");
    let (code, _, complaint) = kept.run(&[&args[..], &["--rest=-1"]].concat());
    assert!(code != Some(0) && complaint.contains("--rest"), "{complaint}");
}
