//! A project comes back as its journal has it: after undo, redo, cut-off branches and reopening.

#[path = "../../core/tests/common/mod.rs"]
mod common;

use glam::Vec3;
use speckle_core::{
    Channels, Document, Edit, Encoding, Mesh, PartId, Placement, ProjectTraits, SetId, Unit,
    document::{Direction, NewPart, NewSet},
    replacing,
    stroke::{Brush, Coat, Sample, StrokeStart, View},
};
use speckle_store::{ProjectId, Store, StoreError};

fn sheet(n: u32) -> NewPart {
    let mesh = Mesh::new(common::sheet(n, 0.0)).unwrap();
    let set = NewSet::flooded("Coat", Placement::Vertex, Encoding::Color, [1.0; 4], &mesh);
    NewPart::new("Sheet", mesh, vec![set])
}

fn stroke(document: &Document, y: f32, paint: [f32; 4]) -> Edit {
    let part = &document.parts()[0];
    Edit::Stroke {
        start: StrokeStart::new(
            Coat::new(part.id, part.sets[0].id, Channels::RGB, paint),
            Brush { radius: 0.2, opacity: 0.8, hardness: 0.4, ..Brush::default() },
            View::Parallel { forward: Vec3::NEG_Z },
        ),
        samples: [-0.8, 0.8]
            .map(|x| Sample {
                origin: Vec3::new(x, y, 2.0),
                direction: Vec3::NEG_Z,
                held: false,
                pressure: 1.0,
            })
            .to_vec(),
    }
}

fn do_edit(store: &mut Store, project: ProjectId, document: &mut Document, edit: Edit) {
    let change = document.apply(edit).unwrap();
    store.append(project, &change, "test", 1, document).unwrap();
}

fn values(document: &Document) -> Vec<[f32; 4]> {
    document
        .set(PartId(document.parts()[0].id.0), SetId(document.parts()[0].sets[0].id.0))
        .unwrap()
        .values
        .to_vec()
}

#[test]
fn undo_redo_and_a_new_branch_survive_reopening() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("toys.sqlite");
    let mut store = Store::open(&path).unwrap();
    let project = store.create_project("Toys", 1).unwrap();
    let mut document = store.open_project(project).unwrap().document;
    do_edit(&mut store, project, &mut document, Edit::bring_in(vec![sheet(24)]));
    let mut states = vec![values(&document)];
    for (y, paint) in
        [(0.0, [1.0, 0.0, 0.0, 1.0]), (0.1, [0.0, 1.0, 0.0, 1.0]), (0.2, [0.0, 0.0, 1.0, 1.0])]
    {
        let edit = stroke(&document, y, paint);
        do_edit(&mut store, project, &mut document, edit);
        states.push(values(&document));
    }
    assert_ne!(states[2], states[3]);

    // A checkpoint at the end, then two steps back: reopening must walk backwards from it.
    store.checkpoint(project, &document).unwrap();
    for back in [4, 3] {
        store.replay(project, back, Direction::Backward, &mut document).unwrap();
        store.move_cursor(project, back - 1).unwrap();
    }
    assert_eq!(values(&document), states[1]);
    drop(store);
    let mut store = Store::open(&path).unwrap();
    let opened = store.open_project(project).unwrap();
    assert_eq!(values(&opened.document), states[1]);
    assert_eq!((opened.position.cursor, opened.position.end), (2, 4));

    // Redo one of them after the restart.
    let mut document = opened.document;
    store.replay(project, 3, Direction::Forward, &mut document).unwrap();
    store.move_cursor(project, 3).unwrap();
    assert_eq!(values(&document), states[2]);

    // A new stroke from here cuts the old row 4 off, and with it the way to the checkpoint.
    let edit = stroke(&document, -0.5, [0.5, 0.5, 0.0, 1.0]);
    do_edit(&mut store, project, &mut document, edit);
    drop(store);
    let store = Store::open(&path).unwrap();
    let opened = store.open_project(project).unwrap();
    assert_eq!(values(&opened.document), values(&document));
    assert_eq!((opened.position.cursor, opened.position.end), (4, 4));
    assert_eq!(store.row(project, 4).unwrap().unwrap().label, "Skin stroke on Coat");
}

#[test]
fn an_undone_import_comes_back_with_its_mesh() {
    let mut store = Store::in_memory().unwrap();
    let project = store.create_project("Toys", 1).unwrap();
    let mut document = store.open_project(project).unwrap().document;
    do_edit(&mut store, project, &mut document, Edit::bring_in(vec![sheet(3)]));
    store.replay(project, 1, Direction::Backward, &mut document).unwrap();
    store.move_cursor(project, 0).unwrap();
    let mut reopened = store.open_project(project).unwrap().document;
    assert!(reopened.parts().is_empty());
    store.replay(project, 1, Direction::Forward, &mut reopened).unwrap();
    assert_eq!(reopened.parts()[0].geometry.mesh().face_count(), 9);

    store.delete_project(project).unwrap();
    assert!(store.projects().unwrap().is_empty());
    assert!(store.open_project(project).is_err());
}

/// A project of two parts, painted, undone and deleted again, and its file.
fn busy_project(path: &std::path::Path) -> (Store, ProjectId) {
    let mut store = Store::open(path).unwrap();
    let project = store.create_project("Quay", 1).unwrap();
    let mut document = Document::default();
    do_edit(&mut store, project, &mut document, Edit::bring_in(vec![sheet(12), sheet(7)]));
    let edit = stroke(&document, 0.1, [1.0, 0.0, 0.0, 1.0]);
    do_edit(&mut store, project, &mut document, edit);
    let gone = document.parts()[1].id;
    do_edit(&mut store, project, &mut document, Edit::DeleteParts { parts: vec![gone] });
    store.checkpoint(project, &document).unwrap();
    (store, project)
}

#[test]
fn copies_and_files_of_a_project_carry_its_whole_history() {
    let folder = tempfile::tempdir().unwrap();
    let (mut store, project) = busy_project(&folder.path().join("a.sqlite"));
    let file = folder.path().join("quay.speckle");
    store.export_project(project, &file).unwrap();
    let copy = store.duplicate_project(project, 5).unwrap();
    let mut other = Store::open(&folder.path().join("b.sqlite")).unwrap();
    let brought = other.import_project(&file, 9).unwrap();
    assert_eq!(other.projects().unwrap()[0].name, "Quay");
    let expected = values(&store.open_project(project).unwrap().document);
    store.delete_project(project).unwrap();
    for (store, project) in [(&store, copy), (&other, brought)] {
        let mut opened = store.open_project(project).unwrap();
        assert_eq!(values(&opened.document), expected);
        // The deleted part comes back by an undo, with its mesh; then the stroke is taken back.
        for row in [3, 2] {
            store.replay(project, row, Direction::Backward, &mut opened.document).unwrap();
        }
        assert_eq!(opened.document.parts().len(), 2);
        assert!(values(&opened.document).iter().all(|v| *v == [1.0; 4]));
    }
}

#[test]
fn what_is_no_project_file_is_refused_and_nothing_is_changed() {
    let folder = tempfile::tempdir().unwrap();
    let (mut store, project) = busy_project(&folder.path().join("a.sqlite"));
    let file = folder.path().join("quay.speckle");
    store.export_project(project, &file).unwrap();
    let whole = std::fs::read(&file).unwrap();
    let odd = folder.path().join("odd.speckle");
    let mut refused = |bytes: &[u8]| {
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
    let mut store = Store::in_memory().unwrap();
    let project = store.create_project("Quay", 1).unwrap();
    let mut document = Document::default();
    do_edit(&mut store, project, &mut document, Edit::bring_in(vec![sheet(3)]));
    do_edit(&mut store, project, &mut document, Edit::bring_in(vec![sheet(90)]));
    let bytes = |store: &Store| store.projects().unwrap()[0].bytes;
    let full = bytes(&store);
    store.replay(project, 2, Direction::Backward, &mut document).unwrap();
    store.move_cursor(project, 1).unwrap();
    assert_eq!(bytes(&store), full, "redo still leads to it");
    let edit = stroke(&document, 0.0, [0.0; 4]);
    do_edit(&mut store, project, &mut document, edit);
    assert!(bytes(&store) < full / 5);
}

#[test]
fn projects_are_renamed_and_listed_by_when_they_were_opened() {
    let store = Store::in_memory().unwrap();
    let first = store.create_project("Quay", 1).unwrap();
    let second = store.create_project("Pier", 2).unwrap();
    store.touch_project(first, 3).unwrap();
    store.rename_project(second, "  Long pier ").unwrap();
    let names: Vec<String> = store.projects().unwrap().into_iter().map(|p| p.name).collect();
    assert_eq!(names, ["Quay", "Long pier"]);
    assert!(matches!(store.rename_project(second, " "), Err(StoreError::NoName)));
    assert!(matches!(store.rename_project(99, "x"), Err(StoreError::NoSuchProject(99))));
    assert_eq!(store.picture(first).unwrap(), (None, -1));
    store.set_picture(first, b"png", 4).unwrap();
    assert_eq!(store.picture(first).unwrap(), (Some(b"png".to_vec()), 4));
}

#[test]
fn a_store_without_room_says_so_keeps_what_it_has_and_goes_on_when_there_is_room() {
    let folder = tempfile::tempdir().unwrap();
    let (mut store, project) = busy_project(&folder.path().join("a.sqlite"));
    let mut document = store.open_project(project).unwrap().document;
    let before = (store.position(project).unwrap(), values(&document));
    let pages = store.disk_use().unwrap().file / 4096;
    store.bound_pages(pages as u32 + 2).unwrap();
    let change = document.apply(Edit::bring_in(vec![sheet(200)])).unwrap();
    let refused = store.append(project, &change, "test", 1, &document).unwrap_err();
    assert!(matches!(refused, StoreError::DiskFull), "{refused}");
    let opened = store.open_project(project).unwrap();
    assert_eq!((opened.position, values(&opened.document)), before);
    store.bound_pages(1 << 30).unwrap();
    store.append(project, &change, "test", 1, &document).unwrap();
    assert_eq!(store.open_project(project).unwrap().document.parts().len(), 2);
}

/// A part on another mesh is the same part with the same sets; both meshes stay for undo.
#[test]
fn another_shape_and_another_unit_survive_reopening_and_undo() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("toys.sqlite");
    let mut store = Store::open(&path).unwrap();
    let project = store.create_project("Toys", 1).unwrap();
    let mut document = store.open_project(project).unwrap().document;
    do_edit(&mut store, project, &mut document, Edit::bring_in(vec![sheet(6)]));
    let paint = stroke(&document, 0.0, [1.0, 0.0, 0.0, 1.0]);
    do_edit(&mut store, project, &mut document, paint);
    let coarse = values(&document);

    let (part, finer) = (document.parts()[0].id, sheet(12));
    let (plan, report) = replacing::shape(&document.parts()[0], finer, None).unwrap();
    assert_eq!(report.faces, [36, 144]);
    let shape = Box::new(plan);
    let replace = Edit::ReplaceShape { part, from: "sheet.ply".into(), shape, images: vec![] };
    do_edit(&mut store, project, &mut document, replace);
    let metres = ProjectTraits { unit: Unit::Metre, ..ProjectTraits::default() };
    let convert = Edit::ConvertParts { parts: vec![part], taken: document.traits(), meant: metres };
    do_edit(&mut store, project, &mut document, convert);
    let fine = values(&document);
    assert_eq!(fine.len(), 13 * 13);
    // Vertices of the coarse sheet are vertices of the fine one: there the paint is the same.
    for (i, value) in coarse.iter().enumerate() {
        assert_eq!(fine[2 * (i / 7) * 13 + 2 * (i % 7)], *value);
    }
    drop((store, document));

    let mut store = Store::open(&path).unwrap();
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
        store.replay(project, back, Direction::Backward, &mut document).unwrap();
        store.move_cursor(project, back - 1).unwrap();
        assert_eq!(reach(&document), far);
        assert_eq!(document.parts()[0].geometry.mesh().face_count(), faces);
        assert_eq!(document.parts()[0].id, part);
    }
    assert_eq!(values(&document), coarse);
    drop((store, document));
    let store = Store::open(&path).unwrap();
    let mut document = store.open_project(project).unwrap().document;
    assert_eq!(values(&document), coarse, "as far as undo went");
    store.replay(project, 3, Direction::Forward, &mut document).unwrap();
    assert_eq!(values(&document), fine);
}
