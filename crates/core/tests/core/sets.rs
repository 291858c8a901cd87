//! Sets and channels: what is copied, converted and merged, and what stays as it is.

use speckle_color::{Channels, Encoding, linear_from_srgb, srgb_from_linear};
use speckle_core::{
    ChannelEdit, Document, Edit, EditError, SetEdit,
    document::{ChannelAt, ChannelMerge, ChannelSource, Direction},
};
use speckle_mesh::{Mesh, Placement, mesh::MeshArrays};
use speckle_model::{
    NewPart, NewSet, PartId, SetId,
    color_set::{ChannelTraits, Signed},
    names::NameError,
};

use crate::common::sheet;

fn flooded(mesh: &Mesh, name: &str, placement: Placement, encoding: Encoding) -> NewSet {
    NewSet::flooded(name, placement, encoding, [1.0, 1.0, 1.0, 1.0], mesh)
}

/// Two parts of one sheet and one of another; the first carries one set of every placement.
fn document() -> Document {
    let mesh = Mesh::new(sheet(3, 0.0)).unwrap();
    let values = |count: usize| {
        (0..count).map(|i| [i as f32 / count as f32, 0.25, 0.5, 1.0]).collect::<Vec<_>>()
    };
    let sets = [Placement::Vertex, Placement::Corner, Placement::Face].map(|placement| NewSet {
        values: values(placement.count(&mesh)),
        ..flooded(&mesh, placement.words(), placement, Encoding::Data)
    });
    let other = Mesh::new(sheet(5, 1.0)).unwrap();
    let mut document = Document::default();
    let parts = vec![
        NewPart::new("Deck", mesh.clone(), sets.to_vec()),
        NewPart::new("Twin", mesh, vec![]),
        NewPart::new("Roof", other, vec![]),
    ];
    document.apply(Edit::bring_in(parts)).unwrap();
    document
}

fn ids(document: &Document) -> (PartId, Vec<SetId>) {
    let part = &document.parts()[0];
    (part.id, part.sets.iter().map(|set| set.id).collect())
}

fn numbers(document: &Document, part: usize, set: usize, channel: usize) -> Vec<f32> {
    document.parts()[part].sets[set].values.iter().map(|value| value[channel]).collect()
}

/// The way out from vertices and faces to corners, and back, loses nothing (a fact of the job:
/// every corner then holds what its vertex or face did).
#[test]
fn what_goes_to_corners_comes_back_as_it_was() {
    for (index, placement) in [(0, Placement::Vertex), (2, Placement::Face)] {
        let mut document = document();
        let (part, sets) = ids(&document);
        let before = document.parts()[0].sets[index].clone();
        let to = Placement::Corner;
        let loss = document.conversion_loss(part, sets[index], to).unwrap();
        assert_eq!((loss.corners, loss.changed, loss.largest), (36, 0, 0.0));
        let out = document.apply(SetEdit::ConvertSet { part, set: sets[index], placement: to });
        assert_eq!(out.unwrap().label, format!("Hold {} per corner", before.name));
        assert_eq!(document.parts()[0].sets[index].values.len(), 36);
        document.apply(SetEdit::ConvertSet { part, set: sets[index], placement }).unwrap();
        assert_eq!(document.parts()[0].sets[index], before);
    }
}

/// Corners around a vertex become their mean, in light for colors, and the loss is told before.
#[test]
fn corners_of_a_vertex_become_their_mean_in_light() {
    for encoding in [Encoding::Color, Encoding::Data] {
        // Two triangles over one edge: black corners on the one, white on the other.
        let arrays = MeshArrays {
            positions: sheet(1, 0.0).positions,
            face_starts: vec![0, 3, 6],
            corner_vertices: vec![0, 1, 2, 1, 3, 2],
            ..MeshArrays::default()
        };
        let mesh = Mesh::new(arrays).unwrap();
        let values = (0..6).map(|corner| [f32::from(corner >= 3); 4]).collect();
        let set = flooded(&mesh, "Coat", Placement::Corner, encoding);
        let mut document = Document::default();
        let new = NewPart::new("Flag", mesh, vec![NewSet { values, ..set }]);
        document.apply(Edit::bring_in(vec![new])).unwrap();
        let (part, sets) = ids(&document);
        let to = Placement::Vertex;
        let loss = document.conversion_loss(part, sets[0], to).unwrap();
        // Half the light is 188 of 255 as sRGB; alpha is a plain number (IEC 61966-2-1).
        let half = match encoding {
            Encoding::Color => srgb_from_linear(0.5),
            Encoding::Data | Encoding::Swatch => 0.5,
        };
        assert_eq!((loss.corners, loss.changed), (6, 4));
        assert!((loss.largest - half.max(1.0 - half)).abs() < 1e-6);
        document.apply(SetEdit::ConvertSet { part, set: sets[0], placement: to }).unwrap();
        let red = numbers(&document, 0, 0, 0);
        assert_eq!((red[0], red[3]), (0.0, 1.0));
        assert!((red[1] - half).abs() < 1e-6 && (red[2] - half).abs() < 1e-6);
        assert_eq!(numbers(&document, 0, 0, 3), [0.0, 0.5, 0.5, 1.0]);
        assert!((linear_from_srgb(188.0 / 255.0) - 0.5).abs() < 0.005);
    }
}

#[test]
fn sets_are_named_copied_moved_and_taken_away() {
    let mut document = document();
    let (part, sets) = ids(&document);
    let names = |document: &Document, part: usize| -> Vec<String> {
        document.parts()[part].sets.iter().map(|set| set.name.clone()).collect()
    };
    document.apply(SetEdit::RenameSet { part, set: sets[0], name: " Wear ".into() }).unwrap();
    let taken = document.apply(SetEdit::RenameSet { part, set: sets[1], name: "Wear".into() });
    assert_eq!(
        taken.unwrap_err(),
        EditError::NameTaken { part: "Deck".into(), name: "Wear".into() }
    );
    document.apply(SetEdit::DuplicateSet { part, set: sets[0] }).unwrap();
    document.apply(SetEdit::DuplicateSet { part, set: sets[0] }).unwrap();
    assert_eq!(names(&document, 0), ["Wear", "Wear copy 2", "Wear copy", "per corner", "per face"]);
    assert_eq!(numbers(&document, 0, 0, 0), numbers(&document, 0, 1, 0));
    document.apply(SetEdit::MoveSet { part, set: sets[2], to: 0 }).unwrap();
    assert_eq!(names(&document, 0)[0], "per face");
    let gone = document.apply(SetEdit::DeleteSet { part, set: sets[1] }).unwrap();
    assert_eq!((names(&document, 0).len(), gone.label.as_str()), (4, "Delete set per corner"));
    document.replay(&gone, Direction::Backward).unwrap();
    assert_eq!(names(&document, 0)[4], "per corner");

    // To other parts: values where the mesh is the same, else the ground color.
    let others: Vec<PartId> = document.parts().iter().map(|part| part.id).collect();
    let copied =
        document.apply(SetEdit::CopySet { part, set: sets[0], to: others.clone() }).unwrap();
    assert_eq!(copied.label, "Copy Wear to 2 parts");
    assert_eq!(numbers(&document, 1, 0, 0), numbers(&document, 0, 1, 0));
    assert!(numbers(&document, 2, 0, 0).iter().all(|&x| x == 1.0));
    // Again, it changes nothing: they have one.
    assert!(
        document.apply(SetEdit::CopySet { part, set: sets[0], to: others }).unwrap().is_empty()
    );

    document.apply(SetEdit::MakePartsAgree).unwrap();
    for part in document.parts() {
        let mut names: Vec<&str> = part.sets.iter().map(|set| set.name.as_str()).collect();
        names.sort_unstable();
        assert_eq!(names, ["Wear", "Wear copy", "Wear copy 2", "per corner", "per face"]);
    }
    assert!(document.apply(SetEdit::MakePartsAgree).unwrap().is_empty());
}

#[test]
fn a_seventeenth_set_is_refused_whichever_way_it_comes() {
    let mut document = document();
    let (part, sets) = ids(&document);
    for _ in 3..16 {
        document.apply(SetEdit::DuplicateSet { part, set: sets[0] }).unwrap();
    }
    let full = EditError::TooManySets { part: "Deck".into() };
    let sources = [ChannelSource::Number { number: 0.0 }; 4];
    let compose = ChannelEdit::ComposeSet {
        part,
        name: "More".into(),
        placement: Placement::Face,
        channels: sources,
    };
    for edit in [Edit::from(SetEdit::DuplicateSet { part, set: sets[1] }), compose.into()] {
        assert_eq!(document.apply(edit).unwrap_err(), full);
    }
    assert_eq!(document.parts()[0].sets.len(), 16);
}

#[test]
fn channels_are_cleared_swapped_and_merged_and_the_others_stay() {
    let mut document = document();
    let (part, sets) = ids(&document);
    let set = sets[0];
    let red = numbers(&document, 0, 0, 0);
    document.apply(ChannelEdit::SwapChannels { part, set, a: 0, b: 2 }).unwrap();
    assert_eq!((numbers(&document, 0, 0, 2), numbers(&document, 0, 0, 0)[5]), (red.clone(), 0.5));
    document.apply(ChannelEdit::SwapChannels { part, set, a: 2, b: 0 }).unwrap();

    let at = |set: usize, channel: usize| ChannelAt { part, set: sets[set], channel };
    let mut merge = |from, to, merge, invert| {
        document.apply(ChannelEdit::MergeChannel { from, to, merge, invert }).unwrap();
        document.parts()[0].sets[0].values.to_vec()
    };
    // Product, complement and difference, by their arithmetic.
    let product = merge(at(0, 0), at(0, 1), ChannelMerge::Multiply, false);
    let complement = merge(at(0, 0), at(0, 2), ChannelMerge::Replace, true);
    let difference = merge(at(0, 2), at(0, 1), ChannelMerge::Difference, false);
    for (i, &r) in red.iter().enumerate() {
        assert_eq!(product[i], [r, 0.25 * r, 0.5, 1.0]);
        assert_eq!(complement[i], [r, 0.25 * r, 1.0 - r, 1.0]);
        assert_eq!(difference[i][1], (0.25 * r - (1.0 - r)).abs());
    }
    // From faces to vertices: the inner vertex has the mean of the four faces around it.
    let from_faces = merge(at(2, 0), at(0, 3), ChannelMerge::Replace, false);
    let faces = numbers(&document, 0, 2, 0);
    assert!((from_faces[5][3] - (faces[0] + faces[1] + faces[3] + faces[4]) / 4.0).abs() < 1e-6);

    document.apply(ChannelEdit::ClearChannels { part, set, channels: Channels::RGB }).unwrap();
    let cleared = &document.parts()[0].sets[0].values;
    assert!(cleared.iter().all(|value| value[..3] == [1.0; 3]));
    assert_eq!(cleared[5][3], from_faces[5][3]);

    // To another part: of the same mesh by number, of another mesh not at all.
    let others: Vec<PartId> = document.parts().iter().map(|part| part.id).collect();
    document.apply(SetEdit::CopySet { part, set, to: others }).unwrap();
    let [twin, roof] = [1, 2].map(|i| {
        let other = &document.parts()[i];
        ChannelAt { part: other.id, set: other.sets[0].id, channel: 0 }
    });
    let merge = ChannelMerge::Replace;
    document
        .apply(ChannelEdit::MergeChannel { from: at(1, 1), to: twin, merge, invert: false })
        .unwrap();
    assert!(numbers(&document, 1, 0, 0).iter().all(|&x| x == 0.25));
    let refused = document.apply(ChannelEdit::MergeChannel {
        from: at(1, 1),
        to: roof,
        merge,
        invert: false,
    });
    assert_eq!(
        refused.unwrap_err().to_string(),
        "Deck and Roof have different meshes: numbers go between sets of the same mesh only"
    );
}

#[test]
fn one_channel_alone_makes_a_grey_set_and_four_make_one() {
    let mut document = document();
    let (part, sets) = ids(&document);
    let from = |set: usize| ChannelSource::Channel {
        from: ChannelAt { part, set: sets[set], channel: 0 },
    };
    let compose = |name: &str, channels| ChannelEdit::ComposeSet {
        part,
        name: name.into(),
        placement: Placement::Vertex,
        channels,
    };
    let one = ChannelSource::Number { number: 1.0 };
    document.apply(compose("Grey", [from(0), from(0), from(0), one])).unwrap();
    let red = numbers(&document, 0, 0, 0);
    let grey = document.parts()[0].sets[3].clone();
    assert!(grey.values.iter().zip(&red).all(|(value, &r)| *value == [r, r, r, 1.0]));
    assert_eq!((grey.encoding, grey.ground), (Encoding::Data, [1.0; 4]));
    document.apply(compose("Packed", [from(0), from(1), from(2), one])).unwrap();
    assert_eq!(numbers(&document, 0, 4, 0), red);
    let two = ChannelSource::Number { number: 2.0 };
    assert!(matches!(document.apply(compose("Loud", [two; 4])), Err(EditError::Channel(_))));
    assert_eq!(
        document.apply(compose(" ", [one; 4])).unwrap_err(),
        EditError::Name(NameError::Empty)
    );
}

#[test]
fn a_locked_channel_is_left_alone_by_every_tool_and_says_so() {
    let mut document = document();
    let (part, sets) = ids(&document);
    let set = sets[0];
    let signed = Some(Signed { neutral: 0.5, amount: 20.0 });
    let traits = ChannelTraits {
        meaning: "sway".into(),
        low: "stiff".into(),
        high: "loose".into(),
        signed,
        locked: true,
    };
    let lock = ChannelEdit::DescribeChannel { part, set, channel: 1, traits: traits.clone() };
    assert_eq!(document.apply(lock).unwrap().label, "Lock G sway of per vertex");
    let before = document.parts()[0].sets[0].values.clone();
    let words = "G sway of per vertex is locked: unlock it on the channel board first";
    let at = |channel| ChannelAt { part, set, channel };
    for edit in [
        Edit::from(ChannelEdit::ClearChannels { part, set, channels: Channels::RGB }),
        ChannelEdit::SwapChannels { part, set, a: 1, b: 2 }.into(),
        ChannelEdit::MergeChannel {
            from: at(0),
            to: at(1),
            merge: ChannelMerge::Replace,
            invert: false,
        }
        .into(),
        SetEdit::ConvertSet { part, set, placement: Placement::Face }.into(),
        SetEdit::DeleteSet { part, set }.into(),
    ] {
        assert_eq!(document.apply(edit).unwrap_err().to_string(), words);
    }
    assert!(document.parts()[0].sets[0].values == before);
    // What makes no sense is not written down.
    let bad = |signed| ChannelTraits { signed: Some(signed), ..traits.clone() };
    for signed in [Signed { neutral: 1.5, amount: 1.0 }, Signed { neutral: 0.5, amount: 0.0 }] {
        let edit = ChannelEdit::DescribeChannel { part, set, channel: 1, traits: bad(signed) };
        assert!(matches!(document.apply(edit), Err(EditError::Channel(_))));
    }
    let edit = ChannelEdit::DescribeChannel { part, set, channel: 4, traits };
    assert_eq!(document.apply(edit).unwrap_err(), EditError::NoSuchChannel);
}
