//! Whose folder it is, and that nothing of anybody else's is touched.

use std::fs;

use rusqlite::Connection;
use speckle_core::{Document, Edit};
use speckle_store::{Store, StoreError};

use crate::{busy_project, do_edit, sheet, stroke, values};

#[test]
fn a_second_owner_is_told_who_has_the_folder_and_may_look() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("toys");
    let (store, project) = busy_project(&path);
    store.say_address("http://localhost:4870").unwrap();
    let error = Store::open(&path).err().expect("it is taken").to_string();
    let process = std::process::id().to_string();
    for word in ["in use", &process, "http://localhost:4870", "--data"] {
        assert!(error.contains(word), "{error}");
    }
    // Whoever only looks sees every change, and changes nothing.
    let beside = Store::look(&path).unwrap();
    let mut document = store.open_project(project).unwrap().document;
    let edit = stroke(&document, -0.4, [0.0, 0.5, 0.0, 1.0]);
    do_edit(&store, project, &mut document, edit);
    assert_eq!(values(&beside.open_project(project).unwrap().document), values(&document));
    assert!(matches!(beside.create_project("Mine", 1), Err(StoreError::ReadOnly)));
    assert!(matches!(beside.delete_project(project), Err(StoreError::ReadOnly)));
    assert!(beside.rename_project(project, "Mine").is_err());
    drop(store);
    Store::open(&path).unwrap();
}

#[test]
fn folders_and_databases_of_others_are_left_as_they_are() {
    let folder = tempfile::tempdir().unwrap();
    let full = folder.path().join("photos");
    fs::create_dir(&full).unwrap();
    fs::write(full.join("gull.jpg"), b"...").unwrap();
    assert!(matches!(Store::open(&full), Err(StoreError::NotOurs(_))));
    assert!(matches!(Store::look(&full), Err(StoreError::NotOurs(_))));
    assert_eq!(fs::read_dir(&full).unwrap().count(), 1);
    // A file called as ours marks nothing by its name alone.
    fs::write(full.join("owner"), b"Tern").unwrap();
    assert!(matches!(Store::open(&full), Err(StoreError::NotOurs(_))));
    assert_eq!(fs::read(full.join("owner")).unwrap(), b"Tern");

    let other = folder.path().join("addresses.sqlite");
    let database = Connection::open(&other).unwrap();
    database.execute_batch("CREATE TABLE projects (id INTEGER); PRAGMA user_version = 4").unwrap();
    drop(database);
    let before = fs::read(&other).unwrap();
    assert!(matches!(Store::open(&other), Err(StoreError::NotOurs(_))));
    let (store, project) = busy_project(&folder.path().join("toys"));
    assert!(matches!(store.import_project(&other, 1), Err(StoreError::NoProjectFile)));
    // Put where a project would lie, it is no project, and stays what it is.
    let lies = store.folder().join("9.speckle");
    fs::copy(&other, &lies).unwrap();
    assert!(store.open_project(9).is_err());
    assert_eq!((fs::read(&other).unwrap(), fs::read(&lies).unwrap()), (before.clone(), before));
    store.open_project(project).unwrap();
}

#[test]
fn numbers_of_deleted_projects_are_not_given_again() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("toys");
    let (store, first) = busy_project(&path);
    let second = store.create_project("Pier", 1).unwrap();
    store.delete_project(second).unwrap();
    store.delete_project(first).unwrap();
    drop(store);
    let store = Store::open(&path).unwrap();
    assert!(store.create_project("Quay", 1).unwrap() > second);
}

#[test]
fn what_a_crash_left_unfinished_is_swept_away_and_was_never_a_project() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("toys");
    let (store, project) = busy_project(&path);
    drop(store);
    fs::write(path.join("7.unfinished"), b"half a project").unwrap();
    let store = Store::open(&path).unwrap();
    let listed: Vec<i64> = store.projects().unwrap().iter().map(|p| p.id).collect();
    assert_eq!(listed, [project]);
    assert!(!path.join("7.unfinished").exists());
}

#[test]
fn a_project_made_with_its_first_change_is_there_with_both_or_not_at_all() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("toys")).unwrap();
    let mut document = Document::default();
    let change = document.apply(Edit::bring_in(vec![sheet(9)])).unwrap();
    let project = store.create_with("Quay", &change, "Tern", 1, &document).unwrap();
    let opened = store.open_project(project).unwrap();
    assert_eq!((opened.position.cursor, opened.rows[0].author.as_str()), (1, "Tern"));
    // Without its mesh it cannot be opened again; nothing is left of it.
    let nameless = store.create_with(" ", &change, "Tern", 1, &document);
    assert!(matches!(nameless, Err(StoreError::NoName)));
    assert_eq!(store.projects().unwrap().len(), 1);
}

#[cfg(unix)]
#[test]
fn nothing_is_kept_into_a_file_that_was_moved_away() {
    let folder = tempfile::tempdir().unwrap();
    let (store, project) = busy_project(&folder.path().join("toys"));
    let mut document = store.open_project(project).unwrap().document;
    let mut file = store.project(project).unwrap();
    let moved = folder.path().join("elsewhere.speckle");
    fs::rename(file.path(), &moved).unwrap();
    let edit = stroke(&document, 0.3, [0.0, 0.5, 0.0, 1.0]);
    let change = document.apply(edit).unwrap();
    let refused = file.append(&change, "Tern", 1, &document).unwrap_err();
    assert!(matches!(refused, StoreError::Moved(_)), "{refused}");
    // Another file in its place is not it either.
    fs::copy(&moved, file.path()).unwrap();
    assert!(matches!(file.append(&change, "Tern", 1, &document), Err(StoreError::Moved(_))));
    fs::rename(&moved, file.path()).unwrap();
    file.append(&change, "Tern", 1, &document).unwrap();
}
