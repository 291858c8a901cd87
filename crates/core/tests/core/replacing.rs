//! Other colors and other shapes for a part that is there: by order and by place, undone and redone.

use glam::Vec3;
use speckle_color::{Encoding, linear_from_srgb, srgb_from_linear};
use speckle_core::{
    Change, ChannelEdit, Document, Edit, HelperEdit, PartEdit, ReplaceEdit, SetEdit,
    document::Direction,
};
use speckle_mesh::{Mesh, Placement, Transform, Unit, UpAxis, mesh::MeshArrays};
use speckle_model::{
    NewPart, NewSet, Part, PartId, ProjectTraits, Selection, color_set::ChannelTraits,
};
use speckle_tools::replacing::{Matching, ReplacingError, colors, held_as_ours, shape};

fn set(name: &str, placement: Placement, encoding: Encoding, values: Vec<[f32; 4]>) -> NewSet {
    NewSet { name: name.into(), placement, encoding, ground: [1.0; 4], values }
}

fn grey(values: impl IntoIterator<Item = f32>) -> Vec<[f32; 4]> {
    values.into_iter().map(|x| [x, x, x, 1.0]).collect()
}

/// A document with a sheet of n × n quads whose coat, per vertex, runs from 0 at x = −1 to 1 at
/// x = 1, as data.
fn sheet(n: u32) -> Document {
    let mesh = Mesh::new(crate::common::sheet(n, 0.0)).unwrap();
    let coat = ramp(&mesh);
    let mut part = NewPart::new("Sail", mesh, vec![coat]);
    part.selections =
        vec![Selection { name: "Luff".into(), faces: (0..n * n).step_by(n as usize).collect() }];
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![part])).unwrap();
    document
}

fn ramp(mesh: &Mesh) -> NewSet {
    let values = grey(mesh.positions().iter().map(|p| (p.x + 1.0) / 2.0));
    set("Coat", Placement::Vertex, Encoding::Data, values)
}

fn only(document: &Document) -> &Part {
    &document.parts()[0]
}

/// Points, values of each set, and where each belongs.
type Seen = (Vec<[f32; 3]>, Vec<Vec<[f32; 4]>>, Vec<Placement>);

/// Everything of the part that a user sees.
fn seen(document: &Document) -> Seen {
    let part = only(document);
    (
        part.geometry.mesh().positions().iter().map(|p| p.to_array()).collect(),
        part.sets.iter().map(|set| set.values.to_vec()).collect(),
        part.sets.iter().map(|set| set.placement).collect(),
    )
}

fn replace_colors(
    document: &mut Document,
    theirs: &NewPart,
    matching: Option<Matching>,
) -> (Change, speckle_tools::replacing::ReplacementReport) {
    let (plan, report) = colors(only(document), theirs, matching).unwrap();
    let part = only(document).id;
    let edit = ReplaceEdit::ReplaceColors { part, from: "sail.glb".into(), colors: plan };
    (document.apply(edit).unwrap(), report)
}

fn assert_undone_and_redone(
    document: &mut Document,
    change: &Change,
    before: &impl PartialEq<Seen>,
) {
    let after = seen(document);
    document.replay(change, Direction::Backward).unwrap();
    assert!(*before == seen(document), "undo brings back every bit");
    document.replay(change, Direction::Forward).unwrap();
    assert!(after == seen(document), "redo brings it again");
}

#[test]
fn colors_of_the_same_faces_go_corner_by_corner() {
    let mut document = sheet(4);
    let before = seen(&document);
    let mesh = only(&document).geometry.mesh().clone();
    let mine = grey((0..25).map(|i| i as f32 / 32.0));
    let theirs = NewPart::new(
        "Sail",
        mesh,
        vec![set("Coat", Placement::Vertex, Encoding::Data, mine.clone())],
    );
    let (change, report) = replace_colors(&mut document, &theirs, None);
    assert_eq!((report.matching, report.max_distance), (Matching::Index, 0.0));
    assert_eq!(report.sets[0].of, 25);
    assert_eq!(*only(&document).sets[0].values, mine);
    assert_undone_and_redone(&mut document, &change, &before);
}

/// What glTF makes of a mesh: triangles, and vertices split where something differs.
#[test]
fn triangles_and_split_vertices_are_still_the_same_faces() {
    let mut document = sheet(3);
    let mut out = only(&document).triangulated().split();
    let values = std::sync::Arc::make_mut(&mut out.sets[0].values);
    values.iter_mut().for_each(|value| value[0] = 1.0 - value[0]);
    let wanted: Vec<_> =
        only(&document).sets[0].values.iter().map(|v| [1.0 - v[0], v[1], v[2], v[3]]).collect();
    let back = set("Coat", Placement::Vertex, Encoding::Data, out.sets[0].values.to_vec());
    let theirs = NewPart::new("Sail", out.geometry.mesh().clone(), vec![back]);
    let (_, report) = replace_colors(&mut document, &theirs, None);
    assert_eq!(report.matching, Matching::Index);
    assert_eq!(only(&document).sets[0].placement, Placement::Vertex, "all corners agree");
    assert_eq!(*only(&document).sets[0].values, wanted);
}

#[test]
fn a_set_whose_corners_differ_now_moves_to_the_corners_and_says_so() {
    let mut document = sheet(2);
    let before = seen(&document);
    let mesh = only(&document).geometry.mesh().clone();
    let by_face = grey([0.1, 0.2, 0.3, 0.4]);
    let theirs =
        NewPart::new("Sail", mesh, vec![set("Coat", Placement::Face, Encoding::Data, by_face)]);
    let (change, report) = replace_colors(&mut document, &theirs, None);
    let told = &report.sets[0];
    assert_eq!((told.placement, told.was), (Placement::Corner, Some(Placement::Vertex)));
    let coat = &only(&document).sets[0];
    assert_eq!(
        coat.values.iter().map(|v| v[0]).collect::<Vec<_>>(),
        [0.1, 0.1, 0.1, 0.1, 0.2, 0.2, 0.2, 0.2, 0.3, 0.3, 0.3, 0.3, 0.4, 0.4, 0.4, 0.4]
    );
    assert_undone_and_redone(&mut document, &change, &before);
}

/// On a ramp, mixing by barycentric coordinates is exact: what the finer sheet shows is the ramp.
#[test]
fn other_faces_take_what_the_surface_shows_at_the_nearest_point() {
    let mut document = sheet(5);
    let fine = Mesh::new(crate::common::sheet(16, 0.01)).unwrap();
    let theirs =
        NewPart::new("Sail", fine.clone(), vec![NewSet { name: "Coat".into(), ..ramp(&fine) }]);
    let flood = ChannelEdit::ClearChannels {
        part: only(&document).id,
        set: only(&document).sets[0].id,
        channels: speckle_color::Channels([true; 4]),
    };
    document.apply(flood).unwrap();
    assert!(matches!(
        colors(only(&document), &theirs, Some(Matching::Index)),
        Err(ReplacingError::OtherFaces { ours: 25, theirs: 256 })
    ));
    let before = seen(&document);
    let (change, report) = replace_colors(&mut document, &theirs, None);
    assert_eq!(report.matching, Matching::Nearest);
    assert!(
        (report.max_distance - 0.01).abs() < 1e-6 && (report.mean_distance - 0.01).abs() < 1e-6
    );
    let part = only(&document);
    for (p, value) in part.geometry.mesh().positions().iter().zip(part.sets[0].values.iter()) {
        assert!((value[0] - (p.x + 1.0) / 2.0).abs() < 1e-5, "{p} {value:?}");
    }
    assert_undone_and_redone(&mut document, &change, &before);

    // Four times as high where it stands, the same sheet is four times as far away; the width does
    // not count.
    let mut part = only(&document).clone();
    part.traits.transform.scale = Vec3::new(9.0, 1.0, 4.0);
    let (_, report) = colors(&part, &theirs, None).unwrap();
    assert!((report.max_distance - 0.04).abs() < 1e-6, "{report:?}");
    assert!((report.mean_distance - 0.04).abs() < 1e-6, "{report:?}");
}

/// Colors mix as light does: in the middle of black and white stands 0.735 (IEC 61966-2-1).
#[test]
fn colors_in_between_are_mixed_in_linear_light() {
    let square = |z| Mesh::new(crate::common::sheet(1, z)).unwrap();
    let mut document = Document::default();
    let coat = set("Coat", Placement::Face, Encoding::Color, grey([0.2]));
    document.apply(Edit::bring_in(vec![NewPart::new("Sail", square(0.0), vec![coat])])).unwrap();
    let theirs = set("Coat", Placement::Vertex, Encoding::Color, grey([0.0, 1.0, 0.0, 1.0]));
    let theirs = NewPart::new("Sail", square(0.0), vec![theirs]);
    replace_colors(&mut document, &theirs, Some(Matching::Nearest));
    let found = only(&document).sets[0].values[0][0];
    let wanted = srgb_from_linear(linear_from_srgb(1.0) / 2.0);
    assert!((found - wanted).abs() < 1e-3, "{found}, {wanted} by the standard");
}

#[test]
fn a_locked_channel_stays_as_it_is() {
    let mut document = sheet(3);
    let (part, own) = (only(&document).id, only(&document).sets[0].id);
    let traits = ChannelTraits { locked: true, ..ChannelTraits::default() };
    document.apply(ChannelEdit::DescribeChannel { part, set: own, channel: 1, traits }).unwrap();
    let before: Vec<f32> = only(&document).sets[0].values.iter().map(|v| v[1]).collect();
    let theirs = set("Coat", Placement::Vertex, Encoding::Data, vec![[0.9; 4]; 16]);
    let mesh = only(&document).geometry.mesh().clone();
    replace_colors(&mut document, &NewPart::new("Sail", mesh, vec![theirs]), None);
    let coat = &only(&document).sets[0];
    assert_eq!(coat.values.iter().map(|v| v[1]).collect::<Vec<_>>(), before);
    assert!(coat.values.iter().all(|v| v[0] == 0.9 && v[3] == 0.9));
}

/// glTF 2.0, 3.7.2.1: colors are linear. Data that another program wrote as a color comes in encoded
/// (IEC 61966-2-1), and is the number it was again.
#[test]
fn data_that_was_read_as_a_color_is_the_number_it_was() {
    let document = sheet(2);
    let stored = [0.1_f32, 0.5, 0.9];
    let read = stored.map(srgb_from_linear);
    let values = vec![[read[0], read[1], read[2], 0.25]; 9];
    let mesh = only(&document).geometry.mesh().clone();
    let theirs = |name: &str| {
        let read = set(name, Placement::Vertex, Encoding::Color, values.clone());
        let own = set("Coat", Placement::Vertex, Encoding::Data, values.clone());
        NewPart::new("Sail", mesh.clone(), vec![read, own])
    };
    let one = NewPart { sets: theirs("COLOR_0").sets[..1].to_vec(), ..theirs("COLOR_0") };
    let held = held_as_ours(only(&document), one);
    assert_eq!(held.sets[0].encoding, Encoding::Data);
    for (found, wanted) in held.sets[0].values[0].iter().zip([0.1, 0.5, 0.9, 0.25]) {
        assert!((found - wanted).abs() < 1e-6, "{found} {wanted}");
    }
    // What says that it is data, and what the part has not, stay as they are.
    let two = held_as_ours(only(&document), theirs("New color"));
    assert!(two.sets.iter().all(|set| set.values == values));
}

#[test]
fn sets_go_by_name_then_by_place_and_new_ones_come_in() {
    let mut document = sheet(2);
    let mesh = only(&document).geometry.mesh().clone();
    let named = |name: &str| set(name, Placement::Vertex, Encoding::Data, grey([0.3; 9]));
    // As many, under another name: the place tells.
    replace_colors(&mut document, &NewPart::new("x", mesh.clone(), vec![named("COLOR_0")]), None);
    assert_eq!(only(&document).sets.len(), 1);
    assert_eq!(only(&document).sets[0].values[0][0], 0.3);
    // One more, of the same name and another: the other is new.
    let two = NewPart::new("x", mesh.clone(), vec![named("Rust"), named("Coat")]);
    let (_, report) = replace_colors(&mut document, &two, None);
    let names: Vec<_> = report.sets.iter().map(|set| (set.name.as_str(), set.is_new)).collect();
    assert_eq!(names, [("Rust", true), ("Coat", false)]);
    let names: Vec<_> = only(&document).sets.iter().map(|set| set.name.clone()).collect();
    assert_eq!(names, ["Coat", "Rust"]);
    let bare = NewPart::new("Ballast", mesh, vec![]);
    let error = colors(only(&document), &bare, None).unwrap_err();
    assert_eq!(error.to_string(), "Ballast in the file carries no colors");
}

#[test]
fn a_finer_shape_takes_paint_masks_and_selections_over() {
    let mut document = sheet(4);
    let part = only(&document).id;
    document.apply(HelperEdit::TakeSnapshot { name: "Before".into() }).unwrap();
    let before = seen(&document);
    let ids: Vec<_> = only(&document).sets.iter().map(|set| set.id).collect();
    let finer = Mesh::new(crate::common::sheet(8, 0.0)).unwrap();
    let theirs = NewPart::new("Sail", finer.clone(), vec![]);
    let (plan, report) = shape(only(&document), theirs, None).unwrap();
    assert_eq!((report.faces, report.matching), ([16, 64], Matching::Nearest));
    let edit = ReplaceEdit::ReplaceShape {
        part,
        from: "sail.obj".into(),
        shape: Box::new(plan),
        images: vec![],
    };
    let change = document.apply(edit).unwrap();
    let after = only(&document);
    assert_eq!(after.id, part, "it is the same part");
    assert_eq!(after.geometry.mesh(), &finer);
    assert_eq!(after.sets.iter().map(|set| set.id).collect::<Vec<_>>(), ids, "with the same sets");
    for set in &after.sets {
        for (p, value) in finer.positions().iter().zip(set.values.iter()) {
            assert!((value[0] - (p.x + 1.0) / 2.0).abs() < 1e-5, "{}: {p} {value:?}", set.name);
        }
    }
    // The left column of the coarse sheet is the left two of the fine one.
    let luff: Vec<u32> = (0..64).filter(|face| face % 8 < 2).collect();
    assert_eq!(after.traits.selections[0].faces, luff);
    assert_undone_and_redone(&mut document, &change, &before);
}

#[test]
fn a_part_is_found_where_it_stands_and_where_it_was_modelled() {
    let placed = Transform {
        translation: Vec3::new(40.0, 5.0, 0.0),
        scale: Vec3::new(-2.0, 2.0, 2.0),
        ..Transform::IDENTITY
    };
    let mut document = sheet(3);
    let part = only(&document).id;
    document.apply(PartEdit::PlacePart { part, transform: placed }).unwrap();
    let modelled = only(&document).geometry.mesh().clone();
    let standing = only(&document).baked().unwrap().geometry.mesh().clone();
    for mesh in [modelled, standing] {
        let finer = NewPart::new("Sail", mesh, vec![]);
        let (plan, report) = shape(only(&document), finer, Some(Matching::Nearest)).unwrap();
        assert!(report.max_distance < 1e-4, "{report:?}");
        for (a, b) in plan.mesh.positions().iter().zip(only(&document).geometry.mesh().positions())
        {
            assert!(a.distance(*b) < 1e-5, "{a} {b}");
        }
        assert!(plan.mesh.face_area_vector(0).z > 0.0, "its outside stays outside");
    }
}

/// The same faces in another order have as many corners, but each lies elsewhere: the place tells.
#[test]
fn faces_in_another_order_are_known_by_their_place() {
    let mut document = sheet(4);
    let mut part = only(&document).clone();
    part.sets[0].values = std::sync::Arc::new(grey((0..25).map(|i| i as f32 / 25.0)));
    let half = |faces: std::ops::Range<u32>| part.of_faces(&faces.collect::<Vec<_>>()).unwrap();
    let [a, b] = [half(8..16), half(0..8)];
    let arrays = |part: &Part| crate::common::arrays_of(part.geometry.mesh());
    let mesh = Mesh::new(crate::common::beside(arrays(&a), arrays(&b))).unwrap();
    let values = [a.sets[0].values.as_slice(), &b.sets[0].values].concat();
    let theirs = set("Coat", Placement::Vertex, Encoding::Data, values);
    let theirs = NewPart::new("Sail", mesh, vec![theirs]);
    let (_, report) = replace_colors(&mut document, &theirs, None);
    assert_eq!((report.matching, report.max_distance), (Matching::Nearest, 0.0));
    assert_eq!(only(&document).sets[0].values, part.sets[0].values, "to the bit");
    // In another pose the order counts: nothing lies where it lay.
    let posed =
        only(&document).geometry.mesh().moved(|p| p + Vec3::new(0.0, 0.0, 5.0), |n| n).unwrap();
    let theirs = set("Coat", Placement::Vertex, Encoding::Data, grey([0.25; 25]));
    let theirs = NewPart::new("Sail", posed, vec![theirs]);
    let (_, report) = colors(only(&document), &theirs, None).unwrap();
    assert_eq!(report.matching, Matching::Index);
    // Nor where it is a hundred times as large, though all of ours lies on it then.
    let large = only(&document).geometry.mesh().moved(|p| p * 100.0, |n| n).unwrap();
    let theirs = set("Coat", Placement::Vertex, Encoding::Data, grey([0.25; 25]));
    let (_, report) =
        colors(only(&document), &NewPart::new("Sail", large, vec![theirs]), None).unwrap();
    assert_eq!(report.matching, Matching::Index);
    assert!(report.max_distance > 100.0);
}

#[test]
fn corners_of_a_mirrored_part_get_their_own_colors() {
    let mut document = sheet(2);
    let part = only(&document).id;
    let mirrored = Transform {
        scale: Vec3::new(-1.0, 1.0, 1.0),
        translation: Vec3::X * 9.0,
        ..Transform::IDENTITY
    };
    document.apply(PartEdit::PlacePart { part, transform: mirrored }).unwrap();
    let own = only(&document).sets[0].id;
    document.apply(SetEdit::ConvertSet { part, set: own, placement: Placement::Corner }).unwrap();
    let mut sent = only(&document).clone();
    sent.sets[0].values = std::sync::Arc::new(grey((0..16).map(|i| i as f32 / 16.0)));
    let wanted = sent.sets[0].values.clone();
    // As a format without transforms holds it: in place, and turned over to look outwards.
    let sent = sent.baked().unwrap();
    let values = sent.sets[0].values.to_vec();
    let theirs = set("Coat", Placement::Corner, Encoding::Data, values);
    let theirs = NewPart::new("Sail", sent.geometry.mesh().clone(), vec![theirs]);
    replace_colors(&mut document, &theirs, None);
    assert_eq!(only(&document).sets[0].values, wanted);
}

#[test]
fn a_plan_of_which_one_set_does_not_fit_is_refused_as_a_whole() {
    let mut document = sheet(2);
    let (part, own) = (only(&document).id, only(&document).sets[0].id);
    let before = seen(&document);
    let fits = set("Coat", Placement::Corner, Encoding::Data, grey([0.5; 16]));
    let short = set("Rust", Placement::Face, Encoding::Data, grey([0.5; 3]));
    let taken = set("Coat", Placement::Face, Encoding::Data, grey([0.5; 4]));
    for (bad, says) in [(short, "has 3 values where its part needs 4"), (taken, "Coat")] {
        let plan = vec![(Some(own), fits.clone()), (None, bad)];
        let edit = ReplaceEdit::ReplaceColors { part, from: "x".into(), colors: plan };
        let error = document.apply(edit).unwrap_err().to_string();
        assert!(error.contains(says), "{error}");
        assert!(before == seen(&document), "its conversion to corners is taken back as well");
    }
}

#[test]
fn what_changed_meanwhile_is_told_and_nothing_is_lost() {
    let mut document = sheet(3);
    let part = only(&document).id;
    let theirs = NewPart::new("Sail", Mesh::new(crate::common::sheet(2, 0.0)).unwrap(), vec![]);
    let (plan, _) = shape(only(&document), theirs, None).unwrap();
    document
        .apply(SetEdit::AddSet {
            part,
            name: "Late".into(),
            placement: Placement::Face,
            encoding: Encoding::Data,
            start: [0.0; 4],
        })
        .unwrap();
    let before = seen(&document);
    let edit =
        ReplaceEdit::ReplaceShape { part, from: "x".into(), shape: Box::new(plan), images: vec![] };
    let error = document.apply(edit).unwrap_err();
    assert!(error.to_string().contains("another set meanwhile"), "{error}");
    assert!(before == seen(&document));
    document.apply(PartEdit::LockParts { parts: vec![part], locked: true }).unwrap();
    let edit = ReplaceEdit::ReplaceColors { part, from: "x".into(), colors: vec![] };
    assert!(document.apply(edit).unwrap_err().to_string().contains("locked"));
}

/// A metre is 1000 mm, and +Z becomes +Y by a quarter turn that takes z to y and y to −z.
#[test]
fn parts_read_in_the_wrong_unit_or_axis_are_brought_right_with_their_paint() {
    let mut document = sheet(2);
    let (part, before) = (only(&document).id, seen(&document));
    let taken = ProjectTraits { unit: Unit::Millimetre, up: UpAxis::Y };
    let meant = ProjectTraits { unit: Unit::Metre, up: UpAxis::Z };
    let change =
        document.apply(PartEdit::ConvertParts { parts: vec![part], taken, meant }).unwrap();
    let after = seen(&document);
    for (a, b) in before.0.iter().zip(&after.0) {
        assert_eq!(*b, [1000.0 * a[0], 1000.0 * a[2], -1000.0 * a[1]]);
    }
    assert_eq!(before.1, after.1);
    assert_undone_and_redone(&mut document, &change, &before);
    let same = PartEdit::ConvertParts { parts: vec![part], taken, meant: taken };
    assert!(document.apply(same).unwrap().is_empty());
    let gone = PartEdit::ConvertParts { parts: vec![PartId(99)], taken, meant };
    assert!(document.apply(gone).is_err());
    // Without area, a triangle's nearest corner counts.
    let line = [Vec3::ZERO, Vec3::X, Vec3::X * 2.0];
    let flat = Mesh::new(MeshArrays {
        positions: line.to_vec(),
        face_starts: vec![0, 3],
        corner_vertices: vec![0, 1, 2],
        ..MeshArrays::default()
    });
    let theirs = set("Coat", Placement::Vertex, Encoding::Data, grey([0.0, 0.5, 1.0]));
    let theirs = NewPart::new("Sail", flat.unwrap(), vec![theirs]);
    let (plan, _) = colors(only(&document), &theirs, None).unwrap();
    assert!(plan[0].1.values.iter().flatten().all(|x| x.is_finite()));
}
