//! Flipped bits: a project opens up to its last sound row, says the rest, and never lies.

use std::{
    fs,
    path::Path,
    time::{Duration, Instant},
};

use rusqlite::Connection;
use speckle_core::{
    Change, ChangeStep, Document, Edit,
    document::{Direction, PartRecord},
};
use speckle_model::{ColorSet, PartId, SetId};
use speckle_store::{Store, StoreError, diagnose, rescue_to};

use crate::{busy_project, do_edit, sheet, stroke, values};

/// A project with a checkpoint in the middle of its history; its values after each row from the
/// first stroke on.
fn history(path: &Path) -> (Store, i64, Vec<Vec<[f32; 4]>>) {
    let (store, project) = busy_project(path);
    let mut document = store.open_project(project).unwrap().document;
    let mut states = vec![values(&document)];
    for n in 0..6 {
        let edit = stroke(&document, n as f32 * 0.15 - 0.4, [0.1 * n as f32, 0.4, 0.9, 1.0]);
        do_edit(&store, project, &mut document, edit);
        states.push(values(&document));
        if n == 2 {
            store.project(project).unwrap().checkpoint(&document).unwrap();
        }
    }
    (store, project, states)
}

/// Opens a project again and again, each time with another flipped bit; tells how often it did not
/// open, and how often it opened in an earlier state.
fn with_flipped_bits(store: &Store, project: i64, states: &[Vec<[f32; 4]>]) -> (usize, usize) {
    let file = store.folder().join(format!("{project}.speckle"));
    let sound = store.folder().with_extension("sound");
    store.export_project(project, &sound).unwrap();
    let whole = fs::read(&sound).unwrap();
    let newest = states.last().unwrap();
    let (mut unopened, mut earlier) = (0, 0);
    for flip in 0..FLIPS {
        let mut bytes = whole.clone();
        let at = (flip * 7_919 + 101) % bytes.len();
        bytes[at] ^= 1 << (flip % 8);
        for beside in ["-wal", "-shm"] {
            let _ = fs::remove_file(store.folder().join(format!("{project}.speckle{beside}")));
        }
        fs::write(&file, &bytes).unwrap();
        let opened = match store.open_project(project) {
            Ok(opened) => opened,
            Err(error) => {
                assert!(matches!(error, StoreError::Damaged(_) | StoreError::Later), "{error}");
                // But for SQLite's own head it is left as it is.
                assert!(fs::read(&file).unwrap()[100..] == bytes[100..]);
                unopened += 1;
                continue;
            }
        };
        let mut document = opened.document;
        let now = values(&document);
        assert!(states.contains(&now), "byte {at}: a state that never was");
        if now != *newest {
            earlier += 1;
            let notice = opened.notice.expect("what is lost is said");
            assert!(notice.contains("damaged") && notice.contains("could not be read"));
        }
        // Its history can be walked as far as it is there.
        let kept = store.project(project).unwrap();
        for row in (1..=opened.position.cursor).rev() {
            let before = values(&document);
            match kept.replay(row, Direction::Backward, &mut document) {
                Ok(_) if row == 1 => assert!(document.parts().is_empty()),
                Ok(_) => {}
                // A row from before the checkpoint shows its damage when it is asked for.
                Err(error) => {
                    assert!(matches!(error, StoreError::Damaged(_)), "{error}");
                    assert_eq!(values(&document), before);
                    break;
                }
            }
        }
    }
    (unopened, earlier)
}

const FLIPS: usize = 80;

#[test]
fn of_many_flipped_bits_none_makes_a_project_lie_and_with_a_backup_none_costs_anything() {
    let folder = tempfile::tempdir().unwrap();
    let (store, project, states) = history(&folder.path().join("toys"));
    let (unopened, earlier) = with_flipped_bits(&store, project, &states);
    // A mesh stands once, and so do the tables' names: in so small a file they are a large part.
    assert!(unopened <= FLIPS / 8, "{unopened} of {FLIPS} were not opened");
    assert!(earlier <= FLIPS / 8, "{earlier} of {FLIPS} were opened as they were before");
    assert!(fs::read_dir(store.folder().join("damaged")).unwrap().count() > 0);

    let folder = tempfile::tempdir().unwrap();
    let (store, project, states) = history(&folder.path().join("toys"));
    assert!(store.back_up(project).unwrap());
    assert_eq!(with_flipped_bits(&store, project, &states), (0, 0));
}

#[test]
fn what_is_broken_is_no_backup() {
    let folder = tempfile::tempdir().unwrap();
    let (store, project, _) = history(&folder.path().join("toys"));
    spoil(&store.folder().join(format!("{project}.speckle")), "journal", "change", "seq = 2");
    assert!(!store.back_up(project).unwrap());
    assert_eq!(fs::read_dir(store.folder().join(format!("backups/{project}"))).unwrap().count(), 0);
}

/// Changes a byte in a blob behind SQLite's back.
fn spoil(file: &Path, table: &str, column: &str, which: &str) {
    let database = Connection::open(file).unwrap();
    let query = format!("SELECT {column} FROM {table} WHERE {which}");
    let mut blob: Vec<u8> = database.query_row(&query, [], |row| row.get(0)).unwrap();
    let middle = blob.len() / 2;
    blob[middle] ^= 0x10;
    let update = format!("UPDATE {table} SET {column} = ?1 WHERE {which}");
    database.execute(&update, [blob]).unwrap();
}

#[test]
fn a_row_that_is_not_as_it_was_written_ends_what_can_be_had() {
    let folder = tempfile::tempdir().unwrap();
    let (store, project, states) = history(&folder.path().join("toys"));
    let file = store.folder().join(format!("{project}.speckle"));
    spoil(&file, "journal", "change", "seq = 8");
    let said = diagnose(&file).unwrap();
    assert_eq!((said.rows, said.cursor, said.reach), (9, Some(9), 7));
    assert_eq!(said.broken.iter().map(|(seq, _)| *seq).collect::<Vec<_>>(), [8]);
    let opened = store.open_project(project).unwrap();
    // Row 3 deleted a part; rows 4 to 9 are the six strokes.
    assert_eq!(values(&opened.document), states[4]);
    let notice = opened.notice.unwrap();
    assert!(notice.contains("change 7 of 9") && notice.contains("the 2 after it"), "{notice}");
    assert!(opened.position.revision > 9, "revisions never go back");
    assert!(diagnose(&file).unwrap().is_sound());
    assert!(store.open_project(project).unwrap().notice.is_none());
}

#[test]
fn a_broken_beginning_costs_the_history_before_it_but_not_the_state() {
    let folder = tempfile::tempdir().unwrap();
    let (store, project, states) = history(&folder.path().join("toys"));
    let file = store.folder().join(format!("{project}.speckle"));
    spoil(&file, "journal", "change", "seq = 4");
    let opened = store.open_project(project).unwrap();
    assert_eq!(values(&opened.document), states[6], "the checkpoint leads to it");
    // The checkpoint stands after row 6: rows 5 and 6 can still be taken back.
    let mut document = opened.document;
    let kept = store.project(project).unwrap();
    for (row, state) in (2..=opened.position.cursor).rev().zip([5, 4, 3, 2, 1]) {
        kept.replay(row, Direction::Backward, &mut document).unwrap();
        assert_eq!(values(&document), states[state]);
    }
}

#[test]
fn a_backup_stands_in_where_it_is_nearer() {
    let folder = tempfile::tempdir().unwrap();
    let (store, project, states) = history(&folder.path().join("toys"));
    assert!(store.back_up(project).unwrap());
    assert!(!store.back_up(project).unwrap(), "nothing has changed since");
    let file = store.folder().join(format!("{project}.speckle"));
    spoil(&file, "journal", "change", "seq = 1");
    spoil(&file, "checkpoint", "data", "only = 1");
    let opened = store.open_project(project).unwrap();
    assert_eq!(values(&opened.document), states[6]);
    assert!(opened.notice.unwrap().contains("backup"));
    // Few are kept, and they go with the project.
    let backups = store.folder().join(format!("backups/{project}"));
    let mut document = opened.document;
    for n in 0..5 {
        let edit = stroke(&document, 0.1 * n as f32, [0.7, 0.2 * n as f32, 0.0, 1.0]);
        do_edit(&store, project, &mut document, edit);
        assert!(store.back_up(project).unwrap());
    }
    assert_eq!(fs::read_dir(&backups).unwrap().count(), 3);
    store.delete_project(project).unwrap();
    assert!(!backups.exists());
}

#[test]
fn what_is_rescued_into_another_file_can_be_brought_in() {
    let folder = tempfile::tempdir().unwrap();
    let (store, project, states) = history(&folder.path().join("toys"));
    let (damaged, goal) = (folder.path().join("a.speckle"), folder.path().join("b.speckle"));
    store.export_project(project, &damaged).unwrap();
    spoil(&damaged, "journal", "change", "seq = 9");
    assert!(matches!(store.import_project(&damaged, 1), Err(StoreError::Damaged(_))));
    assert_eq!(rescue_to(&damaged, &goal).unwrap(), (8, 9));
    let brought = store.import_project(&goal, 1).unwrap();
    assert_eq!(values(&store.open_project(brought).unwrap().document), states[5]);
}

/// A file of a few kilobytes that holds twenty thousand sets, packed: in one part, or one after the
/// other. It is refused before it costs anything.
#[test]
fn a_project_of_twenty_thousand_sets_is_refused_at_once() {
    const MANY: u32 = 20_000;
    let folder = tempfile::tempdir().unwrap();
    let store = Store::temporary().unwrap();
    for is_in_one in [true, false] {
        let project = store.create_project("Hold", 1).unwrap();
        let mut document = Document::default();
        do_edit(&store, project, &mut document, Edit::bring_in(vec![sheet(3)]));
        let part = &document.parts()[0];
        let set = |n: u32| ColorSet { id: SetId(100 + n), ..part.sets[0].clone() };
        let steps = if is_in_one {
            let record = PartRecord {
                id: PartId(99),
                traits: part.traits.clone(),
                mesh: part.geometry.id(),
                materials: part.materials.clone(),
                sets: (0..MANY).map(set).collect(),
            };
            vec![ChangeStep::Part { index: 1, part: record }]
        } else {
            (0..MANY).map(|n| ChangeStep::Set { part: part.id, index: 1, set: set(n) }).collect()
        };
        // What no document would make is written as if one had.
        let change = Change { label: "Many".to_owned(), steps, ..Change::default() };
        store.project(project).unwrap().append(&change, "test", 1, &document).unwrap();
        let path = folder.path().join(format!("{is_in_one}.speckle"));
        store.export_project(project, &path).unwrap();
        let bytes = fs::metadata(&path).unwrap().len();
        let begun = Instant::now();
        let brought = store.import_project(&path, 1);
        let took = begun.elapsed();
        assert!(took < Duration::from_secs(2), "{bytes} bytes took {took:?}");
        // Where the row before it is sound, that is what can be had, and it is said.
        if let Ok(brought) = brought {
            let opened = store.open_project(brought).unwrap();
            assert_eq!(opened.document.parts()[0].sets.len(), 1);
            assert!(opened.notice.is_some());
        }
    }
}
