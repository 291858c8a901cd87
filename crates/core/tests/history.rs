//! Whatever is done, undone and redone: every point of the history comes back to the bit.

use glam::Vec3;
use proptest::prelude::*;
use speckle_core::{
    Change, Channels, Document, Edit, Encoding, Mesh, Placement,
    document::{Direction, NewPart, NewSet},
    mesh::MeshArrays,
    stroke::{Brush, Sample, StrokeStart, View},
};

fn kite(name: &str) -> NewPart {
    let n = 8_u32;
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
    let values = vec![[0.25, 0.5, 0.75, 1.0]; positions.len()];
    let mesh =
        Mesh::new(MeshArrays { positions, face_starts, corner_vertices, uv_sets: vec![] }).unwrap();
    let set = NewSet {
        name: "Coat".into(),
        placement: Placement::Vertex,
        encoding: Encoding::Color,
        ground: [1.0; 4],
        values,
    };
    NewPart { name: name.into(), mesh, sets: vec![set] }
}

/// Something a hand may do; numbers choose among what is there.
#[derive(Clone, Debug)]
enum Deed {
    Bring,
    AddSet(usize, u8),
    Stroke { part: usize, set: usize, from: [f32; 2], to: [f32; 2], paint: [f32; 4], channels: u8 },
    Undo,
    Redo,
}

fn deed() -> impl Strategy<Value = Deed> {
    let place = || prop::array::uniform2(-1.0_f32..1.0);
    prop_oneof![
        1 => Just(Deed::Bring),
        1 => (0..4_usize, 0..3_u8).prop_map(|(part, kind)| Deed::AddSet(part, kind)),
        5 => (0..4_usize, 0..4_usize, place(), place(), prop::array::uniform4(0.0_f32..=1.0), 1..16_u8)
            .prop_map(|(part, set, from, to, paint, channels)| Deed::Stroke { part, set, from, to, paint, channels }),
        3 => Just(Deed::Undo),
        2 => Just(Deed::Redo),
    ]
}

fn edit(document: &Document, deed: &Deed, serial: usize) -> Option<Edit> {
    let part = |i: usize| document.parts().get(i % document.parts().len().max(1));
    Some(match *deed {
        Deed::Bring => Edit::AddParts(vec![kite(&format!("Kite {serial}"))]),
        Deed::AddSet(i, kind) => Edit::AddSet {
            part: part(i)?.id,
            name: format!("Set {serial}"),
            placement: [Placement::Vertex, Placement::Corner, Placement::Face][usize::from(kind)],
            encoding: Encoding::Data,
            start: [0.5; 4],
        },
        Deed::Stroke { part: i, set, from, to, paint, channels } => {
            let part = part(i)?;
            let sample = |[x, y]: [f32; 2]| Sample {
                origin: Vec3::new(x, y, 3.0),
                direction: Vec3::NEG_Z,
                held: false,
            };
            Edit::Stroke {
                start: StrokeStart {
                    part: part.id,
                    set: part.sets[set % part.sets.len()].id,
                    channels: Channels(std::array::from_fn(|c| channels >> c & 1 == 1)),
                    paint,
                    brush: Brush { radius: 0.4, opacity: 0.7, hardness: 0.3, build_up: false },
                    view: View::Parallel { forward: Vec3::NEG_Z },
                },
                samples: vec![sample(from), sample(to)],
            }
        }
        Deed::Undo | Deed::Redo => return None,
    })
}

/// All that a document holds, to the bit.
fn state(document: &Document) -> String {
    let sets = |part: &speckle_core::Part| -> Vec<(String, Vec<[u32; 4]>)> {
        let bits =
            |set: &speckle_core::ColorSet| set.values.iter().map(|v| v.map(f32::to_bits)).collect();
        part.sets.iter().map(|set| (set.name.clone(), bits(set))).collect()
    };
    let parts: Vec<_> =
        document.parts().iter().map(|p| (p.id, p.name.clone(), p.geometry.id(), sets(p))).collect();
    format!("{parts:?}")
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    #[test]
    fn undo_and_redo_lead_back_to_the_bit(deeds in prop::collection::vec(deed(), 1..40)) {
        let mut document = Document::default();
        let mut journal: Vec<Change> = Vec::new();
        let mut states = vec![state(&document)];
        let mut cursor = 0;
        for (serial, deed) in deeds.iter().enumerate() {
            match deed {
                Deed::Undo if cursor > 0 => {
                    cursor -= 1;
                    document.replay(&journal[cursor], Direction::Backward).unwrap();
                }
                Deed::Redo if cursor < journal.len() => {
                    document.replay(&journal[cursor], Direction::Forward).unwrap();
                    cursor += 1;
                }
                _ => {
                    let Some(edit) = edit(&document, deed, serial) else { continue };
                    let before = state(&document);
                    match document.apply(edit) {
                        Ok(change) if change.is_empty() => prop_assert_eq!(&state(&document), &before),
                        Ok(change) => {
                            journal.truncate(cursor);
                            states.truncate(cursor + 1);
                            // As the store does: through bytes and back.
                            let bytes = rmp_serde::to_vec_named(&change).unwrap();
                            journal.push(rmp_serde::from_slice(&bytes).unwrap());
                            states.push(state(&document));
                            cursor += 1;
                        }
                        Err(_) => prop_assert_eq!(&state(&document), &before),
                    }
                }
            }
            prop_assert_eq!(&state(&document), &states[cursor]);
        }
        // A document built from its record is the same one.
        let meshes = document.parts().iter().map(|p| p.geometry.mesh().clone()).collect();
        let restored = Document::restore(document.record(), meshes).unwrap();
        prop_assert_eq!(state(&restored), state(&document));
    }
}
