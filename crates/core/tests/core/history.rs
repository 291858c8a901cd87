//! Whatever is done, undone and redone: every point of the history comes back to the bit.

use glam::Vec3;
use proptest::prelude::*;
use speckle_color::{Channels, Encoding, ramp::Stop};
use speckle_core::{
    Change, ChannelEdit, Document, Edit, HelperEdit, PaintEdit, PartEdit, ProjectEdit, SetEdit,
    document::{Adjustment, ChannelAt, ChannelMerge, Direction, Fill},
};
use speckle_mesh::{Mesh, Placement, Transform, Unit, UpAxis, sight::View};
use speckle_model::{
    NewPart, NewSet, PartId, ProjectTraits, Selection,
    color_set::{ChannelTraits, Role},
    swatches::Swatch,
    views::SavedView,
};
use speckle_tools::{
    adjust::How,
    region::Region,
    stroke::{Action, Brush, Coat, Mirror, Sample, StrokeStart},
};

fn kite(name: &str) -> NewPart {
    let mesh = Mesh::new(crate::common::sheet(8, 0.0)).unwrap();
    let ground = [0.25, 0.5, 0.75, 1.0];
    let set = NewSet::flooded("Coat", Placement::Vertex, Encoding::Color, ground, &mesh);
    let rim = Selection { name: "Rim".into(), faces: vec![0, 7, 56, 63] };
    NewPart { selections: vec![rim], ..NewPart::new(name, mesh, vec![set]) }
}

/// Something a hand may do; numbers choose among what is there.
#[derive(Clone, Debug)]
enum Deed {
    Bring,
    AddSet(usize, u8),
    Stroke {
        part: usize,
        set: usize,
        from: [f32; 2],
        to: [f32; 2],
        paint: [f32; 4],
        channels: u8,
    },
    /// An edit of the list of parts: which, on which parts, and a number for it.
    Parts(u8, usize, usize),
    /// An edit of the sets of a part, likewise.
    Sets(u8, usize, usize),
    /// A fill, an adjustment, or something beside the sets.
    Whole(u8, usize, usize),
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
        4 => (0..8_u8, 0..5_usize, 0..5_usize).prop_map(|(kind, a, b)| Deed::Parts(kind, a, b)),
        6 => (0..12_u8, 0..9_usize, 0..9_usize).prop_map(|(kind, a, b)| Deed::Sets(kind, a, b)),
        9 => (0..12_u8, 0..9_usize, 0..9_usize).prop_map(|(kind, a, b)| Deed::Whole(kind, a, b)),
        3 => Just(Deed::Undo),
        2 => Just(Deed::Redo),
    ]
}

fn edit(document: &Document, deed: &Deed, serial: usize) -> Option<Edit> {
    let part = |i: usize| document.parts().get(i % document.parts().len().max(1));
    Some(match *deed {
        Deed::Bring => PartEdit::AddParts {
            parts: vec![kite("Kite"), kite("Kite")],
            images: Vec::new(),
            traits: Some(ProjectTraits { unit: Unit::Inch, up: UpAxis::Z }),
        }
        .into(),
        Deed::AddSet(i, kind) => SetEdit::AddSet {
            part: part(i)?.id,
            name: format!("Set {serial}"),
            placement: [Placement::Vertex, Placement::Corner, Placement::Face][usize::from(kind)],
            encoding: Encoding::Data,
            start: [0.5; 4],
        }
        .into(),
        Deed::Stroke { part: i, set, from, to, paint, channels } => {
            let part = part(i)?;
            let sample = |[x, y]: [f32; 2]| Sample {
                origin: Vec3::new(x, y, 3.0),
                direction: Vec3::NEG_Z,
                held: false,
                pressure: 1.0,
            };
            PaintEdit::Stroke {
                start: StrokeStart {
                    mirror: Mirror { axes: [set % 3 == 1, set % 2 == 1, false], of_project: true },
                    ..StrokeStart::new(
                        Coat {
                            action: [Action::Paint, Action::Soften, Action::Smear, Action::Erase]
                                [i % 4],
                            all_parts: channels % 3 == 0,
                            ..Coat::new(
                                part.id,
                                part.sets.get(set % part.sets.len().max(1))?.id,
                                Channels(std::array::from_fn(|c| channels >> c & 1 == 1)),
                                paint,
                            )
                        },
                        Brush { radius: 0.4, opacity: 0.7, hardness: 0.3, ..Brush::default() },
                        View::Parallel { forward: Vec3::NEG_Z },
                    )
                },
                samples: vec![sample(from), sample(to)],
            }
            .into()
        }
        Deed::Parts(kind, a, b) => {
            let (one, two) = (part(a)?.id, part(b)?.id);
            let flag = b % 2 == 0;
            match kind {
                0 => PartEdit::RenamePart { part: one, name: format!("Kite {b}") }.into(),
                1 => PartEdit::ShowParts { parts: vec![one, two], visible: flag }.into(),
                2 => PartEdit::LockParts { parts: vec![one], locked: flag }.into(),
                3 => {
                    let transform = Transform {
                        translation: Vec3::splat(a as f32 * 0.1),
                        rotation_degrees: Vec3::Z * b as f32 * 15.0,
                        scale: Vec3::splat(if flag { 1.5 } else { -0.5 }),
                    };
                    PartEdit::PlacePart { part: one, transform }.into()
                }
                4 => PartEdit::DuplicatePart { part: one }.into(),
                5 => PartEdit::DeleteParts { parts: vec![one, two] }.into(),
                6 => PartEdit::MovePart { part: one, to: b }.into(),
                _ => ProjectEdit::SetProject {
                    traits: ProjectTraits { unit: Unit::ALL[a], up: UpAxis::Y },
                }
                .into(),
            }
        }
        Deed::Sets(kind, a, b) => {
            let owner = part(a)?;
            let part = owner.id;
            owner.sets.first()?;
            let pick = |i: usize| owner.sets[i % owner.sets.len()].id;
            let set = pick(a);
            let at = |i: usize| ChannelAt { part, set: pick(i), channel: i % 4 };
            let some = Channels([true, false, b % 2 == 0, b % 3 == 0]);
            let merge =
                [ChannelMerge::Multiply, ChannelMerge::Replace, ChannelMerge::Difference][b % 3];
            match kind {
                0 => SetEdit::DuplicateSet { part, set }.into(),
                1 if owner.sets.len() > 1 => SetEdit::DeleteSet { part, set }.into(),
                2 => SetEdit::MoveSet { part, set, to: b }.into(),
                3 => {
                    let kinds = [Placement::Vertex, Placement::Corner, Placement::Face];
                    SetEdit::ConvertSet { part, set, placement: kinds[b % 3] }.into()
                }
                4 => ChannelEdit::SwapChannels { part, set, a: a % 4, b: b % 4 }.into(),
                5 => {
                    ChannelEdit::MergeChannel { from: at(a), to: at(b), merge, invert: b % 2 == 0 }
                        .into()
                }
                6 => SetEdit::MakePartsAgree.into(),
                7 => SetEdit::RenameSet { part, set, name: format!("Set {b}") }.into(),
                8 => ChannelEdit::ClearChannels { part, set, channels: some }.into(),
                9 => {
                    let traits = ChannelTraits { locked: b > 6, ..ChannelTraits::default() };
                    ChannelEdit::DescribeChannel { part, set, channel: a % 4, traits }.into()
                }
                10 => {
                    let to = document.parts().iter().map(|part| part.id).collect();
                    SetEdit::CopySet { part, set, to }.into()
                }
                _ => ChannelEdit::Colorize {
                    from: at(b),
                    name: format!("Tint {serial}"),
                    ramp: vec![
                        Stop { at: 0.0, color: [0.0, 0.0, 0.0, 1.0] },
                        Stop { at: 1.0, color: [0.2, 0.5, 0.1 * b as f32, 1.0] },
                    ],
                }
                .into(),
            }
        }
        Deed::Whole(kind, a, b) => {
            let owner = part(a)?;
            let part = owner.id;
            let set = owner.sets.get(b % owner.sets.len().max(1))?.id;
            let coat = Coat {
                action: [Action::Paint, Action::Erase][b % 2],
                all_parts: a % 2 == 0,
                ..Coat::new(
                    part,
                    set,
                    Channels([true, false, b % 2 == 0, b % 3 == 0]),
                    [0.1 * b as f32, 0.5, 0.2, 1.0],
                )
            };
            let at = Sample {
                origin: Vec3::new(0.1 * a as f32, 0.1 * b as f32, 3.0),
                direction: Vec3::NEG_Z,
                held: false,
                pressure: 1.0,
            };
            let helper = owner.sets.iter().find(|set| !set.is_product()).map(|set| set.id);
            let region = match b % 8 {
                0 => Region::All,
                1 => Region::Piece,
                2 => Region::Patch { tolerance: 0.1 },
                3 => Region::Band { direction: Vec3::X, from: -0.3, to: 0.4, soft: 0.2 },
                4 => Region::Gradient { from: Vec3::NEG_ONE, to: Vec3::ONE },
                5 => Region::Chosen { set: helper? },
                6 => Region::Group { index: 0 },
                _ => Region::Boundary,
            };
            let how = match b % 6 {
                0 => How::Blur { length: 0.0, rounds: 2 },
                1 => How::Invert,
                2 => How::Shift { hue: 40.0, chroma: 1.2, lightness: -0.1 },
                3 => How::Posterise { steps: 3 },
                4 => How::Grow { length: 0.0, rounds: 1 },
                _ => How::Stretch,
            };
            let (name, role) = (format!("Then {}", b % 3), [Role::Mask, Role::Selection][a % 2]);
            match kind {
                0..4 => PaintEdit::Fill {
                    fill: Fill {
                        coat,
                        opacity: 0.75,
                        region,
                        at: Some(at),
                        afresh: b % 5 == 0,
                        crisp: false,
                    },
                }
                .into(),
                4 => PaintEdit::Adjust {
                    adjustment: Adjustment {
                        part,
                        set,
                        channels: coat.channels,
                        how,
                        strength: 0.8,
                        within: helper.filter(|_| a % 2 == 0),
                    },
                }
                .into(),
                5 => ChannelEdit::ClearPart { part }.into(),
                6 => {
                    HelperEdit::AddHelper { part, role, name, placement: Placement::Vertex }.into()
                }
                7 => HelperEdit::TakeSnapshot { name }.into(),
                8 => HelperEdit::RestoreSnapshot { name }.into(),
                9 => HelperEdit::DeleteSnapshot { name }.into(),
                10 => ProjectEdit::SetPalette {
                    swatches: vec![Swatch::new(name, [0.1 * b as f32, 0.2, 0.3]); a],
                }
                .into(),
                _ => ProjectEdit::SetViews {
                    views: vec![
                        SavedView {
                            name,
                            eye: Vec3::splat(b as f32),
                            target: Vec3::ZERO,
                            parallel_height: None,
                            cutaway: None,
                        };
                        a
                    ],
                }
                .into(),
            }
        }
        Deed::Undo | Deed::Redo => return None,
    })
}

/// All that a document holds, to the bit.
fn state(document: &Document) -> String {
    let sets = |part: &speckle_model::Part| -> Vec<_> {
        let bits = |set: &speckle_model::ColorSet| {
            set.values.iter().map(|v| v.map(f32::to_bits)).collect()
        };
        let said = |set: &speckle_model::ColorSet| (set.id, set.role, set.placement, set.traits());
        part.sets.iter().map(|set| -> (_, Vec<[u32; 4]>) { (said(set), bits(set)) }).collect()
    };
    let parts: Vec<_> = document
        .parts()
        .iter()
        .map(|p| (p.id, p.traits.clone(), p.geometry.id(), sets(p)))
        .collect();
    let shelved = (document.traits(), document.swatches(), document.views());
    format!("{shelved:?} {parts:?}")
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(120))]

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

#[test]
fn names_of_parts_stay_apart_and_tell_what_an_undo_takes_back() {
    let mut document = Document::default();
    let labels: Vec<String> = [
        Edit::bring_in(vec![kite("Kite"), kite("Kite"), kite(" ")]),
        PartEdit::DuplicatePart { part: PartId(2) }.into(),
        PartEdit::DeleteParts { parts: vec![PartId(2)] }.into(),
    ]
    .map(|edit| document.apply(edit).unwrap().label)
    .to_vec();
    let names: Vec<&str> = document.parts().iter().map(|p| p.traits.name.as_str()).collect();
    assert_eq!(names, ["Kite copy", "Kite 2", "Part"]);
    assert_eq!(labels, ["Bring in 3 parts", "Duplicate Kite", "Delete Kite"]);
    let second = document.parts()[1].id;
    let rename = |name: &str| PartEdit::RenamePart { part: second, name: name.into() };
    assert!(document.apply(rename("Part")).is_err(), "taken by another part");
    assert!(document.apply(rename("  ")).is_err());
    assert!(document.apply(rename("Kite 2")).unwrap().is_empty(), "its own name changes nothing");
    let flat = Transform { scale: Vec3::new(1.0, 0.0, 1.0), ..Transform::IDENTITY };
    assert!(document.apply(PartEdit::PlacePart { part: second, transform: flat }).is_err());
}
