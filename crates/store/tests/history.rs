//! A project comes back as its journal has it: after undo, redo, cut-off branches and reopening.

use glam::Vec3;
use speckle_core::{
    Channels, Document, Edit, Encoding, Mesh, PartId, Placement, SetId,
    document::{Direction, NewPart, NewSet},
    mesh::MeshArrays,
    stroke::{Brush, Sample, StrokeStart, View},
};
use speckle_store::{ProjectId, Store};

/// An n × n grid of quads from −1 to 1 in the plane z = 0.
fn sheet(n: u32) -> NewPart {
    let at = |i: u32| 2.0 * i as f32 / n as f32 - 1.0;
    let positions: Vec<Vec3> =
        (0..=n).flat_map(|y| (0..=n).map(move |x| Vec3::new(at(x), at(y), 0.0))).collect();
    let corner_vertices: Vec<u32> = (0..n * n)
        .flat_map(|i| {
            let v = i / n * (n + 1) + i % n;
            [v, v + 1, v + n + 2, v + n + 1]
        })
        .collect();
    let face_starts = (0..=n * n).map(|f| 4 * f).collect();
    let count = positions.len();
    NewPart {
        name: "Sheet".into(),
        mesh: Mesh::new(MeshArrays { positions, face_starts, corner_vertices, uv_sets: vec![] })
            .unwrap(),
        sets: vec![NewSet {
            name: "Coat".into(),
            placement: Placement::Vertex,
            encoding: Encoding::Color,
            ground: [1.0; 4],
            values: vec![[1.0; 4]; count],
        }],
    }
}

fn stroke(document: &Document, y: f32, paint: [f32; 4]) -> Edit {
    let part = &document.parts()[0];
    Edit::Stroke {
        start: StrokeStart {
            part: part.id,
            set: part.sets[0].id,
            channels: Channels::RGB,
            paint,
            brush: Brush { radius: 0.2, opacity: 0.8, hardness: 0.4, build_up: false },
            view: View::Parallel { forward: Vec3::NEG_Z },
        },
        samples: [-0.8, 0.8]
            .map(|x| Sample { origin: Vec3::new(x, y, 2.0), direction: Vec3::NEG_Z, held: false })
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
    let mut document = store.open_project(project, 2).unwrap().document;
    do_edit(&mut store, project, &mut document, Edit::AddParts(vec![sheet(24)]));
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
    let opened = store.open_project(project, 3).unwrap();
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
    let opened = store.open_project(project, 4).unwrap();
    assert_eq!(values(&opened.document), values(&document));
    assert_eq!((opened.position.cursor, opened.position.end), (4, 4));
    assert_eq!(store.row(project, 4).unwrap().unwrap().label, "Skin stroke on Coat");
}

#[test]
fn an_undone_import_comes_back_with_its_mesh() {
    let mut store = Store::in_memory().unwrap();
    let project = store.create_project("Toys", 1).unwrap();
    let mut document = store.open_project(project, 2).unwrap().document;
    do_edit(&mut store, project, &mut document, Edit::AddParts(vec![sheet(3)]));
    store.replay(project, 1, Direction::Backward, &mut document).unwrap();
    store.move_cursor(project, 0).unwrap();
    let mut reopened = store.open_project(project, 3).unwrap().document;
    assert!(reopened.parts().is_empty());
    store.replay(project, 1, Direction::Forward, &mut reopened).unwrap();
    assert_eq!(reopened.parts()[0].geometry.mesh().face_count(), 9);

    store.delete_project(project).unwrap();
    assert!(store.projects().unwrap().is_empty());
    assert!(store.open_project(project, 4).is_err());
}
