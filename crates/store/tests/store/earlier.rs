//! Files of before every project had one of its own. `earlier.sqlite` and `earlier.speckle` were
//! written by the version before (four migrations, all projects in one file).

use std::{fs, path::Path};

use rusqlite::Connection;
use speckle_core::document::Direction;
use speckle_store::{Opened, Store, StoreError};

use crate::values;

const FIXTURES: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/fixtures");

/// The sums of the values of Quay's and Pier's first set.
const SUMS: (f64, f64) = (615.450_807_243_585_6, 237.567_916_631_698_6);

/// Five rows of six are in effect: two parts, a stroke, a recipe, a part deleted, a stroke; the
/// stroke after it was undone. The sum of all values was written down when the file was made.
fn is_as_it_was(store: &Store, project: i64, sum: f64) {
    let Opened { mut document, position, rows, .. } = store.open_project(project).unwrap();
    assert_eq!((position.cursor, position.end, position.revision), (5, 6, 7));
    assert_eq!(rows[1].label, "Skin stroke on Coat");
    assert_eq!(rows[1].author, "Tern");
    let now: f64 = values(&document).iter().flatten().map(|v| f64::from(*v)).sum();
    assert!((now - sum).abs() < 1e-9, "{now}");
    assert_eq!(document.parts()[0].sets[0].recipes.len(), 1);
    let file = store.project(project).unwrap();
    assert_eq!(file.recipients().unwrap()[0].name, "Shader");
    file.replay(6, Direction::Forward, &mut document).unwrap();
    for row in (1..=6).rev() {
        file.replay(row, Direction::Backward, &mut document).unwrap();
        // The deleted part comes back with its mesh.
        assert_eq!(document.parts().len(), [0, 2, 2, 2, 1, 1][row as usize - 1]);
    }
}

#[test]
fn all_projects_of_a_file_are_taken_over_once_and_the_file_stays() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("toys");
    fs::copy(Path::new(FIXTURES).join("earlier.sqlite"), &file).unwrap();
    let before = fs::read(&file).unwrap();
    let store = Store::open(&file).unwrap();
    let names: Vec<String> = store.projects().unwrap().into_iter().map(|p| p.name).collect();
    assert_eq!(names, ["Pier", "Quay"]);
    is_as_it_was(&store, 1, SUMS.0);
    is_as_it_was(&store, 2, SUMS.1);
    store.delete_project(2).unwrap();
    drop(store);
    assert_eq!(fs::read(&file).unwrap(), before);
    // What was taken over once is not taken over again.
    assert_eq!(Store::open(&file).unwrap().projects().unwrap().len(), 1);
}

#[test]
fn an_exported_project_of_before_is_brought_in() {
    let store = Store::temporary().unwrap();
    let brought = store.import_project(&Path::new(FIXTURES).join("earlier.speckle"), 9).unwrap();
    is_as_it_was(&store, brought, SUMS.0);
}

/// Tables must be ours to the letter: SQLite computes what a column or constraint says.
#[test]
fn tables_that_compute_are_refused() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::temporary().unwrap();
    for (n, trick) in [
        "ALTER TABLE journal ADD COLUMN slow TEXT GENERATED ALWAYS AS (hex(zeroblob(1000000)))",
        "CREATE TRIGGER slow AFTER INSERT ON journal BEGIN SELECT 1; END",
        "CREATE VIEW slow AS SELECT 1",
        "ALTER TABLE meshes ADD COLUMN slow INTEGER CHECK (slow > 0)",
        "CREATE INDEX slow ON journal (hex(label))",
    ]
    .into_iter()
    .enumerate()
    {
        let odd = folder.path().join(format!("{n}.speckle"));
        fs::copy(Path::new(FIXTURES).join("earlier.speckle"), &odd).unwrap();
        Connection::open(&odd).unwrap().execute_batch(trick).unwrap();
        assert!(matches!(store.import_project(&odd, 1), Err(StoreError::NoProjectFile)), "{trick}");
    }
    assert!(store.projects().unwrap().is_empty());
}
