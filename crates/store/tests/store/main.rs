//! What is kept is kept: history, copies, damage, and whose files they are.

#[path = "../../../core/tests/core/common.rs"]
#[allow(dead_code, reason = "the core's tests need more of it")]
mod common;
mod damage;
mod earlier;
mod history;
mod ownership;
mod standing;

use std::path::Path;

use glam::Vec3;
use speckle_color::{Channels, Encoding};
use speckle_core::{Document, Edit, PaintEdit, PartEdit};
use speckle_mesh::{Mesh, Placement, sight::View};
use speckle_model::{NewPart, NewSet, PartId, SetId};
use speckle_store::{ProjectId, Store};
use speckle_tools::stroke::{Brush, Coat, Sample, StrokeStart};

fn sheet(n: u32) -> NewPart {
    let mesh = Mesh::new(common::sheet(n, 0.0)).unwrap();
    let set = NewSet::flooded("Coat", Placement::Vertex, Encoding::Color, [1.0; 4], &mesh);
    NewPart::new("Sheet", mesh, vec![set])
}

fn stroke(document: &Document, y: f32, paint: [f32; 4]) -> Edit {
    let part = &document.parts()[0];
    PaintEdit::Stroke {
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
    .into()
}

fn do_edit(store: &Store, project: ProjectId, document: &mut Document, edit: Edit) {
    let change = document.apply(edit).unwrap();
    store.project(project).unwrap().append(&change, "test", 1, document).unwrap();
}

fn values(document: &Document) -> Vec<[f32; 4]> {
    document
        .set(PartId(document.parts()[0].id.0), SetId(document.parts()[0].sets[0].id.0))
        .unwrap()
        .values
        .to_vec()
}

/// A project of two parts, painted, undone and deleted again, and its file.
fn busy_project(path: &Path) -> (Store, ProjectId) {
    let store = Store::open(path).unwrap();
    let project = store.create_project("Quay", 1).unwrap();
    let mut document = Document::default();
    do_edit(&store, project, &mut document, Edit::bring_in(vec![sheet(12), sheet(7)]));
    let edit = stroke(&document, 0.1, [1.0, 0.0, 0.0, 1.0]);
    do_edit(&store, project, &mut document, edit);
    let gone = document.parts()[1].id;
    do_edit(&store, project, &mut document, PartEdit::DeleteParts { parts: vec![gone] }.into());
    store.project(project).unwrap().checkpoint(&document).unwrap();
    (store, project)
}
