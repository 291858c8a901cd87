//! A project comes back as its journal has it: after undo, redo, cut-off branches and reopening.

use speckle_color::Encoding;
use speckle_core::{Document, Edit, PartEdit, ReplaceEdit, document::Direction};
use speckle_mesh::{Geometry, Placement, Unit, geometry::local::LocalEdit};
use speckle_model::{NewPart, NewSet, ProjectTraits};
use speckle_store::{Store, StoreError, Write};
use speckle_tools::replacing;

use crate::{busy_project, do_edit, sheet, stroke, values};

#[test]
fn undo_redo_and_a_new_branch_survive_reopening() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("toys");
    let store = Store::open(&path).unwrap();
    let project = store.create_project("Toys", 1).unwrap();
    let mut document = store.open_project(project).unwrap().document;
    do_edit(&store, project, &mut document, Edit::bring_in(vec![sheet(24)]));
    let mut states = vec![values(&document)];
    for (y, paint) in
        [(0.0, [1.0, 0.0, 0.0, 1.0]), (0.1, [0.0, 1.0, 0.0, 1.0]), (0.2, [0.0, 0.0, 1.0, 1.0])]
    {
        let edit = stroke(&document, y, paint);
        do_edit(&store, project, &mut document, edit);
        states.push(values(&document));
    }
    assert_ne!(states[2], states[3]);

    // A checkpoint at the end, then two steps back: reopening must walk backwards from it.
    store.project(project).unwrap().checkpoint(&document).unwrap();
    for back in [4, 3] {
        store.project(project).unwrap().replay(back, Direction::Backward, &mut document).unwrap();
        store.project(project).unwrap().move_cursor(back - 1).unwrap();
    }
    assert_eq!(values(&document), states[1]);
    drop(store);
    let store = Store::open(&path).unwrap();
    let opened = store.open_project(project).unwrap();
    assert_eq!(values(&opened.document), states[1]);
    assert_eq!((opened.position.cursor, opened.position.end), (2, 4));

    // Redo one of them after the restart.
    let mut document = opened.document;
    store.project(project).unwrap().replay(3, Direction::Forward, &mut document).unwrap();
    store.project(project).unwrap().move_cursor(3).unwrap();
    assert_eq!(values(&document), states[2]);

    // A new stroke from here cuts the old row 4 off, and with it the way to the checkpoint.
    let edit = stroke(&document, -0.5, [0.5, 0.5, 0.0, 1.0]);
    do_edit(&store, project, &mut document, edit);
    drop(store);
    let store = Store::open(&path).unwrap();
    let opened = store.open_project(project).unwrap();
    assert_eq!(values(&opened.document), values(&document));
    assert_eq!((opened.position.cursor, opened.position.end), (4, 4));
    assert_eq!(opened.rows[3].label, "Skin stroke on Coat");
}

#[test]
fn an_undone_import_comes_back_with_its_mesh() {
    let store = Store::temporary().unwrap();
    let project = store.create_project("Toys", 1).unwrap();
    let mut document = store.open_project(project).unwrap().document;
    do_edit(&store, project, &mut document, Edit::bring_in(vec![sheet(3)]));
    store.project(project).unwrap().replay(1, Direction::Backward, &mut document).unwrap();
    store.project(project).unwrap().move_cursor(0).unwrap();
    let mut reopened = store.open_project(project).unwrap().document;
    assert!(reopened.parts().is_empty());
    store.project(project).unwrap().replay(1, Direction::Forward, &mut reopened).unwrap();
    assert_eq!(reopened.parts()[0].geometry.mesh().face_count(), 9);

    store.delete_project(project).unwrap();
    assert!(store.projects().unwrap().is_empty());
    assert!(store.open_project(project).is_err());
}

#[test]
fn copies_and_files_of_a_project_carry_its_whole_history() {
    let folder = tempfile::tempdir().unwrap();
    let (store, project) = busy_project(&folder.path().join("a"));
    let file = folder.path().join("quay.speckle");
    store.export_project(project, &file).unwrap();
    let copy = store.duplicate_project(project, 5).unwrap();
    let other = Store::open(&folder.path().join("b")).unwrap();
    let brought = other.import_project(&file, 9).unwrap();
    assert_eq!(other.projects().unwrap()[0].name, "Quay");
    let expected = values(&store.open_project(project).unwrap().document);
    store.delete_project(project).unwrap();
    for (store, project) in [(&store, copy), (&other, brought)] {
        let mut opened = store.open_project(project).unwrap();
        assert_eq!(values(&opened.document), expected);
        // The deleted part comes back by an undo, with its mesh; then the stroke is taken back.
        for row in [3, 2] {
            store
                .project(project)
                .unwrap()
                .replay(row, Direction::Backward, &mut opened.document)
                .unwrap();
        }
        assert_eq!(opened.document.parts().len(), 2);
        assert!(values(&opened.document).iter().all(|v| *v == [1.0; 4]));
    }
}

#[test]
fn what_is_no_project_file_is_refused_and_nothing_is_changed() {
    let folder = tempfile::tempdir().unwrap();
    let (store, project) = busy_project(&folder.path().join("a"));
    let file = folder.path().join("quay.speckle");
    store.export_project(project, &file).unwrap();
    let whole = std::fs::read(&file).unwrap();
    let odd = folder.path().join("odd.speckle");
    let refused = |bytes: &[u8]| {
        std::fs::write(&odd, bytes).unwrap();
        let error = store.import_project(&odd, 1).unwrap_err();
        assert_eq!(store.projects().unwrap().len(), 1, "{error}");
        error
    };
    assert!(matches!(
        refused(b"not a database at all, but long enough"),
        StoreError::NoProjectFile
    ));
    assert!(matches!(refused(b""), StoreError::NoProjectFile));
    refused(&whole[..whole.len() / 2]);
    // Bytes changed in the middle of blobs: either nothing notices, or the import is refused whole.
    for at in (4096..whole.len()).step_by(whole.len() / 40) {
        let mut damaged = whole.clone();
        damaged[at..(at + 64).min(whole.len())].fill(0xA5);
        std::fs::write(&odd, &damaged).unwrap();
        let before = store.projects().unwrap().len();
        let brought = store.import_project(&odd, 1);
        assert_eq!(store.projects().unwrap().len(), before + usize::from(brought.is_ok()));
    }
    store.open_project(project).unwrap();
}

#[test]
fn a_mesh_that_no_history_leads_to_any_more_gives_its_room_back() {
    let store = Store::temporary().unwrap();
    let project = store.create_project("Quay", 1).unwrap();
    let mut document = Document::default();
    do_edit(&store, project, &mut document, Edit::bring_in(vec![sheet(3)]));
    do_edit(&store, project, &mut document, Edit::bring_in(vec![sheet(90)]));
    let bytes = |store: &Store| store.listed(1).unwrap().bytes;
    let full = bytes(&store);
    store.project(project).unwrap().replay(2, Direction::Backward, &mut document).unwrap();
    store.project(project).unwrap().move_cursor(1).unwrap();
    assert_eq!(bytes(&store), full, "redo still leads to it");
    let edit = stroke(&document, 0.0, [0.0; 4]);
    do_edit(&store, project, &mut document, edit);
    // An empty project takes some pages too.
    let empty = store.create_project("Pier", 2).unwrap();
    let least = store.listed(empty).unwrap().bytes;
    let now = store.listed(project).unwrap().bytes;
    assert!(now - least < (full - least) / 5, "{now} of {full}, {least} at least");
}

#[test]
fn projects_are_renamed_and_listed_by_when_they_were_opened() {
    let store = Store::temporary().unwrap();
    let first = store.create_project("Quay", 1).unwrap();
    let second = store.create_project("Pier", 2).unwrap();
    store.project(first).unwrap().write(&[Write::Opened(3)]).unwrap();
    store.rename_project(second, "  Long pier ").unwrap();
    let names: Vec<String> = store.projects().unwrap().into_iter().map(|p| p.name).collect();
    assert_eq!(names, ["Quay", "Long pier"]);
    assert!(matches!(store.rename_project(second, " "), Err(StoreError::NoName)));
    assert!(matches!(store.rename_project(99, "x"), Err(StoreError::NoSuchProject(99))));
    let long = "x".repeat(201);
    assert!(matches!(store.rename_project(first, &long), Err(StoreError::LongName)));
    let file = store.project(first).unwrap();
    assert_eq!(file.picture().unwrap(), None);
    file.set_picture(b"png", 4).unwrap();
    assert_eq!(file.picture().unwrap(), Some((b"png".to_vec(), 4)));
}

#[test]
fn a_store_without_room_says_so_keeps_what_it_has_and_goes_on_when_there_is_room() {
    let folder = tempfile::tempdir().unwrap();
    let (store, project) = busy_project(&folder.path().join("a"));
    let mut document = store.open_project(project).unwrap().document;
    let mut file = store.project(project).unwrap();
    let before = (file.position().unwrap(), values(&document));
    file.bound_pages(40).unwrap();
    let change = document.apply(Edit::bring_in(vec![sheet(200)])).unwrap();
    let refused = file.append(&change, "test", 1, &document).unwrap_err();
    assert!(matches!(refused, StoreError::DiskFull), "{refused}");
    let opened = store.open_project(project).unwrap();
    assert_eq!((opened.position, values(&opened.document)), before);
    file.bound_pages(1 << 30).unwrap();
    file.append(&change, "test", 1, &document).unwrap();
    assert_eq!(store.open_project(project).unwrap().document.parts().len(), 2);
}

/// A part on another mesh is the same part with the same sets; both meshes stay for undo.
#[test]
fn another_shape_and_another_unit_survive_reopening_and_undo() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("toys");
    let store = Store::open(&path).unwrap();
    let project = store.create_project("Toys", 1).unwrap();
    let mut document = store.open_project(project).unwrap().document;
    do_edit(&store, project, &mut document, Edit::bring_in(vec![sheet(6)]));
    let paint = stroke(&document, 0.0, [1.0, 0.0, 0.0, 1.0]);
    do_edit(&store, project, &mut document, paint);
    let coarse = values(&document);

    let (part, finer) = (document.parts()[0].id, sheet(12));
    let (plan, report) = replacing::shape(&document.parts()[0], finer, None).unwrap();
    assert_eq!(report.faces, [36, 144]);
    let shape = Box::new(plan);
    let replace =
        ReplaceEdit::ReplaceShape { part, from: "sheet.ply".into(), shape, images: vec![] };
    do_edit(&store, project, &mut document, replace.into());
    let metres = ProjectTraits { unit: Unit::Metre, ..ProjectTraits::default() };
    let convert =
        PartEdit::ConvertParts { parts: vec![part], taken: document.traits(), meant: metres };
    do_edit(&store, project, &mut document, convert.into());
    let fine = values(&document);
    assert_eq!(fine.len(), 13 * 13);
    // Vertices of the coarse sheet are vertices of the fine one: there the paint is the same.
    for (i, value) in coarse.iter().enumerate() {
        assert_eq!(fine[2 * (i / 7) * 13 + 2 * (i % 7)], *value);
    }
    drop((store, document));

    let store = Store::open(&path).unwrap();
    let mut document = store.open_project(project).unwrap().document;
    assert_eq!(values(&document), fine);
    let reach = |document: &Document| {
        document.parts()[0]
            .geometry
            .mesh()
            .positions()
            .iter()
            .fold(0.0_f32, |most, p| most.max(p.x))
    };
    assert_eq!(reach(&document), 1000.0, "a metre is 1000 mm");
    for (back, far, faces) in [(4, 1.0, 144), (3, 1.0, 36)] {
        store.project(project).unwrap().replay(back, Direction::Backward, &mut document).unwrap();
        store.project(project).unwrap().move_cursor(back - 1).unwrap();
        assert_eq!(reach(&document), far);
        assert_eq!(document.parts()[0].geometry.mesh().face_count(), faces);
        assert_eq!(document.parts()[0].id, part);
    }
    assert_eq!(values(&document), coarse);
    drop((store, document));
    let store = Store::open(&path).unwrap();
    let mut document = store.open_project(project).unwrap().document;
    assert_eq!(values(&document), coarse, "as far as undo went");
    store.project(project).unwrap().replay(3, Direction::Forward, &mut document).unwrap();
    assert_eq!(values(&document), fine);
}

/// A mesh that was changed here and there lives in the rows that changed it, and in the checkpoint.
#[test]
fn a_mesh_changed_here_and_there_comes_back_as_it_was() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("toys")).unwrap();
    let sheet = sheet(6);
    let corners = Geometry::new(sheet.mesh.clone()).triangulation().corners().concat();
    let mesh = sheet.mesh.cut(&corners);
    let set = NewSet::flooded("Coat", Placement::Corner, Encoding::Color, [1.0; 4], &mesh);
    let mut document = Document::default();
    let change =
        document.apply(Edit::bring_in(vec![NewPart::new("Sheet", mesh, vec![set])])).unwrap();
    let project = store.create_with("Sheet", &change, "test", 1, &document).unwrap();
    let part = document.parts()[0].id;
    let reshape = |document: &mut Document, corner: usize| {
        let split = |edit: &mut LocalEdit| assert!(edit.split(corner, 0.5).is_some());
        let change = document.reshape(part, "Refine Sheet".into(), split).unwrap();
        store.project(project).unwrap().append(&change, "test", 1, document).unwrap();
    };
    let meshes = || -> i64 {
        let file = store.folder().join(format!("{project}.speckle"));
        let database = rusqlite::Connection::open(file).unwrap();
        database.query_row("SELECT count(*) FROM meshes", [], |row| row.get(0)).unwrap()
    };
    reshape(&mut document, 7);
    let edit = stroke(&document, 0.1, [0.9, 0.2, 0.1, 1.0]);
    do_edit(&store, project, &mut document, edit);
    reshape(&mut document, 30);
    assert_eq!(meshes(), 1, "the rows say what changed, not all of it");
    let as_it_is = |document: &Document| rmp_serde::to_vec(&document.record()).unwrap();
    let wanted = as_it_is(&document);
    assert_eq!(as_it_is(&store.open_project(project).unwrap().document), wanted);
    // From checkpoints as well, of which the last one alone keeps its mesh.
    for corner in [12, 50] {
        store.project(project).unwrap().checkpoint(&document).unwrap();
        assert_eq!(meshes(), 2);
        assert_eq!(as_it_is(&store.open_project(project).unwrap().document), as_it_is(&document));
        reshape(&mut document, corner);
        store.project(project).unwrap().verify().unwrap();
    }
    // All of it back, from the other side of the checkpoint, and something else done instead.
    let mut opened = store.open_project(project).unwrap();
    assert_eq!(as_it_is(&opened.document), as_it_is(&document));
    let mut file = store.project(project).unwrap();
    for seq in (3..=opened.position.cursor).rev() {
        file.replay(seq, Direction::Backward, &mut opened.document).unwrap();
        file.move_cursor(seq - 1).unwrap();
    }
    assert_eq!(
        as_it_is(&store.open_project(project).unwrap().document),
        as_it_is(&opened.document)
    );
    let mut document = opened.document;
    let edit = stroke(&document, -0.4, [0.1, 0.2, 0.9, 1.0]);
    do_edit(&store, project, &mut document, edit);
    assert_eq!(as_it_is(&store.open_project(project).unwrap().document), as_it_is(&document));
    store.project(project).unwrap().verify().unwrap();
    // Taken away and brought back: the mesh as it was then.
    do_edit(&store, project, &mut document, PartEdit::DeleteParts { parts: vec![part] }.into());
    let mut opened = store.open_project(project).unwrap();
    let seq = opened.position.cursor;
    store.project(project).unwrap().replay(seq, Direction::Backward, &mut opened.document).unwrap();
    assert_eq!(opened.document.parts()[0].geometry.mesh().face_count(), 74);
}

/// Files of earlier versions say of their first row that it brought all meshes.
#[test]
fn a_checkpoint_lets_go_of_no_mesh_that_a_row_would_bring_back() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("toys")).unwrap();
    let mut document = Document::default();
    let change = document.apply(Edit::bring_in(vec![sheet(4)])).unwrap();
    let project = store.create_with("Sheet", &change, "test", 1, &document).unwrap();
    store.project(project).unwrap().checkpoint(&document).unwrap();
    do_edit(&store, project, &mut document, Edit::bring_in(vec![sheet(5)]));
    let gone = document.parts()[1].id;
    do_edit(&store, project, &mut document, PartEdit::DeleteParts { parts: vec![gone] }.into());
    let file = store.folder().join(format!("{project}.speckle"));
    let database = rusqlite::Connection::open(file).unwrap();
    database.execute("UPDATE OR REPLACE journal_meshes SET seq = 1", []).unwrap();
    drop(database);
    store.project(project).unwrap().checkpoint(&document).unwrap();
    let mut opened = store.open_project(project).unwrap();
    store.project(project).unwrap().replay(3, Direction::Backward, &mut opened.document).unwrap();
    assert_eq!(opened.document.parts().len(), 2);
}
