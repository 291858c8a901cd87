//! Two hands that paint while the mesh changes under them, with undo and redo in between.

use crate::reshaping::{Change, assert_as_fresh, change, make, torus};
use glam::Vec3;
use proptest::{collection::vec, prelude::*};
use speckle_color::{Channels, Encoding};
use speckle_core::{Document, Edit, HandId, HelperEdit};
use speckle_mesh::{Placement, geometry::local::LocalEdit, reshape::Direction, sight::View};
use speckle_model::{Materials, NewPart, NewSet, Selection, color_set::Role, materials::Material};
use speckle_tools::stroke::{Action, Brush, Coat, Sample, StrokeStart};

/// What two hands and an editor of shapes may do at the same time.
#[derive(Clone, Debug)]
enum Deed {
    /// One of two hands puts its pointer down on one of the sets, or lifts it.
    Begin(u64, usize, bool),
    Move(u64, [f32; 2]),
    End(u64),
    Reshape(Vec<(Change, prop::sample::Index)>),
    Undo,
    Redo,
}

fn deed() -> impl Strategy<Value = Deed> {
    let place = prop::array::uniform2(-4.0_f32..4.0);
    prop_oneof![
        3 => (0..2_u64, 0..4_usize, any::<bool>()).prop_map(|(hand, set, e)| Deed::Begin(hand, set, e)),
        6 => (0..2_u64, place).prop_map(|(hand, place)| Deed::Move(hand, place)),
        2 => (0..2_u64).prop_map(Deed::End),
        4 => vec(change(), 1..12).prop_map(Deed::Reshape),
        2 => Just(Deed::Undo),
        1 => Just(Deed::Redo),
    ]
}

fn ring(quads: u32) -> NewPart {
    let mesh = torus(9, 7, quads);
    let faces = mesh.face_count() as u32;
    let set = |name: &str, placement, encoding| {
        NewSet::flooded(name, placement, encoding, [0.25, 0.5, 0.75, 1.0], &mesh)
    };
    let sets = vec![
        set("Coat", Placement::Vertex, Encoding::Color),
        set("Rim", Placement::Corner, Encoding::Data),
        set("Spool", Placement::Face, Encoding::Color),
    ];
    let materials = Materials {
        list: vec![Material::new("Oak", [0.5; 4]), Material::new("Iron", [0.2; 4])],
        of_faces: (0..faces).map(|face| u32::from(face % 3 == 0)).collect(),
    };
    let half = Selection { name: "Half".into(), faces: (0..faces / 2).collect() };
    NewPart { selections: vec![half], materials, ..NewPart::new("Ring", mesh.clone(), sets) }
}

fn state_of(document: &Document) -> Vec<u8> {
    rmp_serde::to_vec(&document.record()).unwrap()
}

fn work_together(quads: u32, deeds: &[Deed]) {
    let mut document = Document::default();
    let first = document.apply(Edit::bring_in(vec![ring(quads)])).unwrap();
    let part = document.parts()[0].id;
    let (role, name) = (Role::Mask, "Mask".to_owned());
    let mask = HelperEdit::AddHelper { part, role, name, placement: Placement::Vertex };
    let mask = document.apply(mask).unwrap();
    let (mut journal, mut at) = (Vec::new(), 0);
    let mut states = vec![state_of(&document)];
    let view = View::Parallel { forward: Vec3::NEG_Z };
    for deed in deeds {
        let change = match deed {
            Deed::Begin(hand, set, erase) => {
                let sets = &document.parts()[0].sets;
                let coat = Coat {
                    action: if *erase { Action::Erase } else { Action::Paint },
                    ..Coat::new(part, sets[*set].id, Channels::RGB, [0.9, 0.1, *hand as f32, 1.0])
                };
                let brush = Brush { radius: 1.2, opacity: 0.7, hardness: 0.3, ..Brush::default() };
                document.begin_stroke(HandId(*hand), StrokeStart::new(coat, brush, view)).unwrap()
            }
            Deed::Move(hand, [x, y]) => {
                let sample = Sample {
                    origin: Vec3::new(*x, *y, 9.0),
                    direction: Vec3::NEG_Z,
                    held: false,
                    pressure: 1.0,
                };
                document.extend_stroke(HandId(*hand), &[sample]).unwrap();
                None
            }
            Deed::End(hand) => document.end_stroke(HandId(*hand)),
            Deed::Reshape(changes) => {
                let work = |edit: &mut LocalEdit| {
                    make(edit, changes);
                };
                let change = document.reshape(part, "Refine Ring".into(), work).unwrap();
                Some(change).filter(|change| !change.is_empty())
            }
            Deed::Undo if at > 0 => {
                at -= 1;
                document.replay(&journal[at], Direction::Backward).unwrap();
                None
            }
            Deed::Redo if at < journal.len() => {
                document.replay(&journal[at], Direction::Forward).unwrap();
                at += 1;
                None
            }
            Deed::Undo | Deed::Redo => None,
        };
        if let Some(change) = change {
            journal.truncate(at);
            states.truncate(at + 1);
            journal.push(change);
            at += 1;
            states.push(state_of(&document));
        }
        // Whoever paints meanwhile, the journal's state is the one it was.
        assert_eq!(state_of(&document), states[at]);
    }
    for hand in 0..2 {
        if let Some(change) = document.end_stroke(HandId(hand)) {
            journal.truncate(at);
            states.truncate(at + 1);
            journal.push(change);
            at += 1;
            states.push(state_of(&document));
        }
    }
    // Nobody paints any more: what is seen is what is kept.
    let seen = &document.parts()[0];
    assert_as_fresh(&seen.geometry);
    let record = state_of(&document);
    assert_eq!(record, states[at]);
    // Another who was told of the changes alone has the same.
    let mut told = Document::default();
    told.supply_mesh(ring(quads).mesh);
    for change in [&first, &mask] {
        told.replay(change, Direction::Forward).unwrap();
    }
    for (change, state) in journal.iter().zip(&states[1..]) {
        let bytes = rmp_serde::to_vec_named(change).unwrap();
        let change: speckle_core::Change = rmp_serde::from_slice(&bytes).unwrap();
        told.replay(&change, Direction::Forward).unwrap();
        assert_eq!(&state_of(&told), state);
    }
    for (change, state) in journal.iter().zip(&states).take(at).rev() {
        document.replay(change, Direction::Backward).unwrap();
        assert_eq!(&state_of(&document), state);
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(96))]

    #[test]
    fn hands_paint_on_while_the_mesh_changes_under_them(
        deeds in vec(deed(), 1..40),
        quads in prop_oneof![Just(0_u32), Just(20)],
    ) {
        work_together(quads, &deeds);
    }
}
