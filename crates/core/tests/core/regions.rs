//! What regions cover, on solids whose bends and measures are known.

use std::f32::consts::TAU;

use glam::{Vec2, Vec3};
use speckle_color::{Channels, Encoding, Measure};
use speckle_core::{Document, Edit, EditError, HelperEdit, PaintEdit, PartEdit, document::Fill};
use speckle_mesh::{
    Geometry, Mesh, Placement, Transform,
    body::{Body, Placed, Surface},
    geometry::bends,
    mesh::MeshArrays,
    scene::Scene,
    screen::Screen,
    sight::{Cutaway, View},
};
use speckle_model::{ColorSet, NewPart, NewSet, SetId, color_set::Role};
use speckle_tools::{
    region::{self, Region, Solid},
    stroke::{Action, Coat, Sample},
};

use crate::common::{beside, polygons, sheet};

/// A cube whose sides are two triangles each.
fn cube() -> Geometry {
    let positions =
        (0..8).map(|i| Vec3::new((i & 1) as f32, (i >> 1 & 1) as f32, (i >> 2) as f32)).collect();
    let sides =
        [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    let faces: Vec<Vec<u32>> =
        sides.iter().flat_map(|&[a, b, c, d]| [vec![a, b, c], vec![a, c, d]]).collect();
    Geometry::new(polygons(positions, &faces))
}

/// A cylinder of n sides: its wall of quads first, then its two lids.
fn cylinder(n: u32) -> Geometry {
    let positions = (0..2 * n)
        .map(|i| {
            let (sin, cos) = (TAU * (i % n) as f32 / n as f32).sin_cos();
            Vec3::new(cos, sin, (i / n) as f32)
        })
        .collect();
    let mut faces: Vec<Vec<u32>> =
        (0..n).map(|i| vec![i, (i + 1) % n, n + (i + 1) % n, n + i]).collect();
    faces.push((0..n).rev().collect());
    faces.push((n..2 * n).collect());
    Geometry::new(polygons(positions, &faces))
}

/// A ball of rings and quads, with its poles.
fn ball(rings: u32, around: u32) -> Geometry {
    let mut positions = vec![Vec3::Z, Vec3::NEG_Z];
    for ring in 1..rings {
        for i in 0..around {
            let (up, turn) =
                (TAU / 2.0 * ring as f32 / rings as f32, TAU * i as f32 / around as f32);
            positions.push(Vec3::new(up.sin() * turn.cos(), up.sin() * turn.sin(), up.cos()));
        }
    }
    let at = |ring: u32, i: u32| 2 + (ring - 1) * around + i % around;
    let mut faces: Vec<Vec<u32>> = Vec::new();
    for i in 0..around {
        faces.push(vec![0, at(1, i), at(1, i + 1)]);
        faces.push(vec![1, at(rings - 1, i + 1), at(rings - 1, i)]);
        for ring in 1..rings - 1 {
            faces.push(vec![at(ring, i), at(ring + 1, i), at(ring + 1, i + 1), at(ring, i + 1)]);
        }
    }
    Geometry::new(polygons(positions, &faces))
}

/// What a region covers of a set with given values, from the middle of the first face.
fn covered(
    region: &Region,
    geometry: &Geometry,
    (placement, values): (Placement, Vec<[f32; 4]>),
    channels: Channels,
    start: u32,
) -> Vec<u32> {
    let geometry = std::sync::Arc::new(Geometry::new(geometry.mesh().clone()));
    let set = ColorSet {
        id: SetId(1),
        name: "Coat".into(),
        placement,
        encoding: Encoding::Data,
        ground: [0.0; 4],
        channels: Default::default(),
        recipes: Vec::new(),
        role: Role::Product,
        values: values.into(),
    };
    let point = geometry.mesh().face_centroid(start as usize);
    let body = Body { geometry, placed: Placed::new(&Transform::IDENTITY) };
    let ground = region::Ground {
        surface: &Surface { body, placement },
        scene: &Scene::open(View::Parallel { forward: Vec3::NEG_Z }),
        set: &set,
        channels,
        start: Some((start, point)),
        flooded: None,
        other: &|_| None,
        group: &|_| None,
        changed: &|_| None,
    };
    region::covered(region, &ground).into_iter().map(|covered| covered.element).collect()
}

fn faces(geometry: &Geometry, region: Region, start: u32) -> Vec<u32> {
    let values = vec![[0.0; 4]; geometry.mesh().face_count()];
    covered(&region, geometry, (Placement::Face, values), Channels::RGBA, start)
}

/// Solid geometry: neighbouring sides of a cube stand at 90°, the halves of one at 0°.
#[test]
fn on_a_cube_a_crease_pour_fills_one_side_up_to_a_right_angle() {
    let cube = cube();
    for degrees in [0.0, 45.0, 89.9] {
        assert_eq!(faces(&cube, Region::Crease { degrees }, 3), [2, 3]);
    }
    assert_eq!(faces(&cube, Region::Crease { degrees: 90.0 }, 3).len(), 12);
}

/// The wall of a regular n-gon's cylinder bends by 360°/n at each edge, its rim by 90°.
#[test]
fn a_cylinders_wall_is_filled_from_a_full_turn_over_its_sides_on() {
    for n in [6, 12, 16, 37, 90] {
        let cylinder = cylinder(n);
        let bend = 360.0 / n as f32;
        let wall: Vec<u32> = (0..n).collect();
        assert_eq!(faces(&cylinder, Region::Crease { degrees: bend }, 5 % n), wall);
        assert_eq!(faces(&cylinder, Region::Crease { degrees: bend * 0.99 }, 5 % n), [5 % n]);
        assert_eq!(faces(&cylinder, Region::Crease { degrees: 89.0 }, n), [n]);
        // The valley that the mesh's own bends suggest lies between the wall's and the rim's.
        let start = bends::crease_angle(cylinder.bends());
        assert!(start > bend && start < 90.0, "{n}: {start}");
    }
}

/// Two faces over one another, joined at an edge: the most a surface can bend.
#[test]
fn a_sheet_folded_flat_is_passed_at_a_half_turn_only() {
    let positions = vec![Vec3::ZERO, Vec3::X, Vec3::Y, Vec3::new(0.1, 0.9, 0.0)];
    let fold = Geometry::new(polygons(positions, &[vec![0, 1, 2], vec![1, 0, 3]]));
    assert_eq!(faces(&fold, Region::Crease { degrees: 179.0 }, 0), [0]);
    assert_eq!(faces(&fold, Region::Crease { degrees: 180.0 }, 0), [0, 1]);
}

#[test]
fn a_ball_is_all_one_and_has_no_crease() {
    let ball = ball(24, 48);
    // Rings bend by 180°/24, less around the poles.
    assert_eq!(faces(&ball, Region::Crease { degrees: 7.6 }, 40).len(), ball.mesh().face_count());
    assert_eq!(faces(&ball, Region::Crease { degrees: 0.5 }, 40), [40]);
    assert!(bends::crease_angle(&[]) > 0.0, "a sheet without bends starts somewhere");
}

/// The formula is steady where the arc cosine is not: 1e-3° is far below what 1 − cos can tell.
#[test]
fn small_bends_are_told_apart() {
    for degrees in [0.0_f32, 0.001, 0.5, 30.0, 90.0, 179.0, 180.0] {
        let (sin, cos) = degrees.to_radians().sin_cos();
        let bend = bends::between(Vec3::X, Vec3::new(cos, sin, 0.0)).unwrap();
        assert!((bend - degrees).abs() <= 1e-4 + degrees * 1e-5, "{degrees}: {bend}");
    }
    assert_eq!(bends::between(Vec3::ZERO, Vec3::X), None);
}

/// A face without area lies over a sharp edge: it must not carry a pour around the corner.
#[test]
fn a_sliver_on_an_edge_is_no_bridge() {
    let positions = vec![
        Vec3::ZERO,
        Vec3::X,
        Vec3::new(0.5, 0.0, 0.0),
        Vec3::new(0.5, 1.0, 0.0),
        Vec3::new(0.5, 0.0, -1.0),
    ];
    // A front over the whole edge, a sliver on it, and two faces of the side behind.
    let faces_of = [vec![0, 1, 3], vec![1, 0, 2], vec![0, 4, 2], vec![2, 4, 1]];
    let step = Geometry::new(polygons(positions, &faces_of));
    assert_eq!(step.face_normals()[1], Vec3::ZERO);
    assert_eq!(faces(&step, Region::Crease { degrees: 30.0 }, 0), [0, 1]);
    assert_eq!(faces(&step, Region::Crease { degrees: 90.1 }, 0), [0, 1, 2, 3]);
}

#[test]
fn a_piece_ends_where_nothing_hangs_together_and_a_patch_where_the_value_changes() {
    let two = beside(sheet(4, 0.0), sheet(4, 1.0));
    let two = Geometry::new(Mesh::new(two).unwrap());
    assert_eq!(faces(&two, Region::Piece, 20), (16..32).collect::<Vec<u32>>());
    assert_eq!(faces(&two, Region::All, 20).len(), 32);

    // Left half dark, one face of the right half dark as well, joined by nothing.
    let middle_left = |x: f32| if x < 0.0 { 0.2 } else { 0.8 };
    let mesh = two.mesh();
    for placement in [Placement::Vertex, Placement::Corner, Placement::Face] {
        let point = |element: usize| match placement {
            Placement::Vertex => mesh.positions()[element],
            Placement::Corner => {
                mesh.corner_position(element).lerp(mesh.face_centroid(element / 4), 0.25)
            }
            Placement::Face => mesh.face_centroid(element),
        };
        let values: Vec<[f32; 4]> = (0..placement.count(mesh))
            .map(|element| [middle_left(point(element).x), element as f32, 0.0, 0.0])
            .collect();
        let red = Channels([true, false, false, false]);
        let from = |tolerance: f32, channels: Channels| {
            let patch = Region::Patch { tolerance };
            covered(&patch, &two, (placement, values.clone()), channels, 0)
        };
        let half: Vec<u32> = (0..placement.count(mesh) as u32)
            .filter(|&e| point(e as usize).x < 0.0 && point(e as usize).z < 0.5)
            .collect();
        assert_eq!(from(0.1, red), half, "{placement:?}");
        // The channel that differs everywhere parts every element; a wide tolerance none.
        assert_eq!(from(0.1, Channels::RGBA).len(), 1);
        assert_eq!(from(0.7, red).len(), placement.count(mesh) / 2);
    }
}

/// A part with one set, and a fill of it from straight above.
fn one(mesh: Mesh, placement: Placement, ground: [f32; 4], region: Region) -> (Document, Fill) {
    let set = NewSet::flooded("Coat", placement, Encoding::Color, ground, &mesh);
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![NewPart::new("Deck", mesh, vec![set])])).unwrap();
    let part = &document.parts()[0];
    let coat = Coat::new(part.id, part.sets[0].id, Channels::RGBA, [1.0, 0.0, 0.0, 0.0]);
    let at = Sample { origin: Vec3::Z, direction: Vec3::NEG_Z, held: false, pressure: 1.0 };
    (document, Fill { coat, opacity: 1.0, region, at: Some(at), afresh: false, crisp: false })
}

/// By element, how much a fill covers of the first part's set.
fn shares(document: &Document, fill: &Fill) -> Vec<f32> {
    let mut shares = vec![0.0; document.parts()[0].sets[0].values.len()];
    for (_, _, covered) in document.covered(fill).unwrap() {
        covered.iter().for_each(|c| shares[c.element as usize] = c.share);
    }
    shares
}

#[test]
fn a_pour_paints_the_chosen_channels_and_is_named() {
    let ground = [0.5, 0.5, 0.5, 1.0];
    let crease = Region::Crease { degrees: 30.0 };
    let (mut document, fill) =
        one(Mesh::new(sheet(4, 0.0)).unwrap(), Placement::Corner, ground, crease);
    let fill = Fill {
        coat: Coat { channels: Channels([true, false, false, true]), ..fill.coat },
        opacity: 0.5,
        ..fill
    };
    let change = document.apply(PaintEdit::Fill { fill: fill.clone() }).unwrap();
    assert_eq!(change.label, "Crease pour on Coat");
    let first = |document: &Document| document.parts()[0].sets[0].values[7];
    assert_eq!(first(&document), [0.75, 0.5, 0.5, 0.5]);
    let coat = Coat { action: Action::Erase, ..fill.coat };
    let erase = Fill { coat, opacity: 1.0, ..fill.clone() };
    assert_eq!(
        document.apply(PaintEdit::Fill { fill: erase }).unwrap().label,
        "Crease pour (erase) on Coat"
    );
    assert_eq!(first(&document), ground);
    // Beside the part there is nothing to cover, except for a pour over all.
    let beside = fill.at.map(|at| Sample { origin: Vec3::new(9.0, 0.0, 1.0), ..at });
    let beside = Fill { at: beside, ..fill.clone() };
    assert!(document.apply(PaintEdit::Fill { fill: beside.clone() }).unwrap().is_empty());
    let all = Fill { region: Region::All, ..beside };
    assert_eq!(shares(&document, &all), [1.0; 64]);

    let line = |from: f32, to: f32| Region::Band { direction: Vec3::Y, from, to, soft: 0.0 };
    for (bad, words) in [
        (
            Fill { region: Region::Crease { degrees: f32::NAN }, ..fill.clone() },
            "between 0 and 180°",
        ),
        (Fill { region: Region::Patch { tolerance: 2.0 }, ..fill.clone() }, "between 0 and 100 %"),
        (Fill { region: line(1.0, 0.0), ..fill.clone() }, "must not lie beyond"),
        (Fill { region: Region::Gradient { from: Vec3::X, to: Vec3::X }, ..fill.clone() }, "apart"),
        (Fill { opacity: -1.0, ..fill.clone() }, "opacity"),
        (
            Fill { coat: Coat { channels: Channels([false; 4]), ..fill.coat }, ..fill.clone() },
            "no channel is chosen",
        ),
        (
            Fill { coat: Coat { action: Action::Smear, ..fill.coat }, ..fill.clone() },
            "soften and smear are strokes",
        ),
    ] {
        let refused: EditError = document.apply(PaintEdit::Fill { fill: bad }).unwrap_err();
        assert!(refused.to_string().contains(words), "{refused}");
    }
}

/// Heights of a cylinder's rings are known: a band takes those between its planes, the soft one
/// half of what lies on its border.
#[test]
fn a_band_goes_through_the_whole_part_between_two_heights() {
    let ball = ball(24, 48);
    let mesh = ball.mesh().clone();
    let band = |soft: f32| Region::Band { direction: Vec3::Z * 7.0, from: -0.5, to: 0.5, soft };
    let (document, fill) = one(mesh.clone(), Placement::Vertex, [1.0; 4], band(0.0));
    for (point, share) in mesh.positions().iter().zip(shares(&document, &fill)) {
        assert_eq!(share == 1.0, point.z.abs() <= 0.500_01, "{point}");
    }
    let soft = shares(&document, &Fill { region: band(0.4), ..fill.clone() });
    for (point, share) in mesh.positions().iter().zip(soft) {
        let expected = ((0.5 - point.z.abs()) / 0.4 + 0.5).clamp(0.0, 1.0);
        assert!((share - expected).abs() < 1e-4, "{point}: {share}");
    }
    // A face belongs to the band by its middle; a part that stands elsewhere is cut where it is.
    let (mut document, fill) = one(mesh.clone(), Placement::Face, [1.0; 4], band(0.0));
    let transform = Transform { translation: Vec3::Z * 10.0, ..Transform::IDENTITY };
    document.apply(PartEdit::PlacePart { part: fill.coat.part, transform }).unwrap();
    assert_eq!(shares(&document, &fill), vec![0.0; mesh.face_count()]);
    let up = Region::Band { direction: Vec3::Z, from: 9.5, to: 10.5, soft: 0.0 };
    for (face, share) in shares(&document, &Fill { region: up, ..fill }).into_iter().enumerate() {
        assert_eq!(share == 1.0, mesh.face_centroid(face).z.abs() <= 0.500_01);
    }
}

/// Analytic solids: a point is inside when the inequality of the solid says so.
#[test]
fn spans_cover_what_is_inside_their_solids() {
    let cloud = sheet(60, 0.0);
    let mesh = Mesh::new(MeshArrays {
        positions: cloud.positions.iter().map(|p| Vec3::new(p.x, p.y, p.x * p.y)).collect(),
        ..cloud
    })
    .unwrap();
    let (document, fill) = one(mesh.clone(), Placement::Vertex, [1.0; 4], Region::All);
    let (center, size) = (Vec3::new(0.1, -0.2, 0.05), Vec3::new(0.6, 0.4, 0.5));
    let transform = Transform { translation: center, scale: size, ..Transform::IDENTITY };
    type Inside = fn(Vec3) -> f32;
    let solids: [(Solid, Inside); 4] = [
        (Solid::Box, |p| p.abs().max_element()),
        (Solid::Sphere, |p| p.length()),
        (Solid::Cylinder, |p| Vec2::new(p.x, p.z).length().max(p.y.abs())),
        // Radius (1 − y) / 2 between y = −1 and 1.
        (Solid::Cone, |p| (2.0 * Vec2::new(p.x, p.z).length() + p.y).max(-p.y)),
    ];
    for (solid, out) in solids {
        let region = Region::Solid { solid, transform, soft: 0.0 };
        let found = shares(&document, &Fill { region, ..fill.clone() });
        assert!(found.contains(&1.0) && found.contains(&0.0));
        for (&point, share) in mesh.positions().iter().zip(found) {
            let out = out((point - center) / size);
            assert!((out - 1.0).abs() < 1e-3 || (share == 1.0) == (out < 1.0), "{solid:?} {point}");
        }
    }
    let region = Region::Gradient { from: Vec3::NEG_X, to: Vec3::X };
    for (point, share) in mesh.positions().iter().zip(shares(&document, &Fill { region, ..fill })) {
        assert!((share - (1.0 - point.x) / 2.0).abs() < 1e-5);
    }
}

#[test]
fn a_lasso_takes_what_is_seen_inside_it_and_through_all_of_it() {
    // The lower sheet looks the same way and lies behind the upper one.
    let both = beside(sheet(10, 0.0), sheet(10, -1.0));
    let mesh = Mesh::new(both).unwrap();
    let view = View::Parallel { forward: Vec3::NEG_Z };
    let screen = Screen { view, right: Vec3::X, up: Vec3::Y };
    let outline = [[-0.5, -0.5], [0.6, -0.5], [-0.5, 0.6]].map(Vec2::from).to_vec();
    let lasso = |through| Region::Lasso { screen, outline: outline.clone(), through };
    let (document, fill) = one(mesh.clone(), Placement::Vertex, [1.0; 4], lasso(false));
    let inside = |p: &Vec3| p.x >= -0.5 && p.y >= -0.5 && p.x + p.y <= 0.1;
    let on_border =
        |p: &Vec3| [p.x + 0.5, p.y + 0.5, p.x + p.y - 0.1].iter().any(|off| off.abs() < 1e-3);
    for through in [false, true] {
        let found = shares(&document, &Fill { region: lasso(through), ..fill.clone() });
        for (point, share) in mesh.positions().iter().zip(found) {
            let expected = inside(point) && (through || point.z == 0.0);
            assert!(on_border(point) || (share == 1.0) == expected, "{through} {point}");
        }
    }
    // What a cutaway hides is not covered, and hides nothing itself.
    let cutaway = |covers_hidden| Some(Cutaway { normal: Vec3::Z, offset: -0.5, covers_hidden });
    let coat = Coat { cutaway: cutaway(false), ..fill.coat };
    let found = shares(&document, &Fill { coat, ..fill.clone() });
    for (point, share) in mesh.positions().iter().zip(found) {
        let expected = inside(point) && point.z == -1.0;
        assert!(on_border(point) || (share == 1.0) == expected, "cut {point}");
    }
    let all = Fill { region: Region::All, ..fill };
    let cut = |covers| Fill { coat: Coat { cutaway: cutaway(covers), ..all.coat }, ..all.clone() };
    assert_eq!(shares(&document, &cut(false)).iter().sum::<f32>(), 121.0);
    assert_eq!(shares(&document, &cut(true)).iter().sum::<f32>(), 242.0);
}

#[test]
fn selections_and_masks_are_filled_like_sets_and_rule_over_them() {
    let mesh = Mesh::new(sheet(10, 0.0)).unwrap();
    let (mut document, fill) = one(mesh.clone(), Placement::Corner, [1.0; 4], Region::All);
    let part = fill.coat.part;
    for role in [Role::Selection, Role::Mask] {
        let (name, placement) = (role.noun().to_owned(), Placement::Vertex);
        document.apply(HelperEdit::AddHelper { part, role, name, placement }).unwrap();
    }
    let mask = HelperEdit::AddHelper {
        part,
        role: Role::Mask,
        name: "Another".into(),
        placement: Placement::Vertex,
    };
    assert!(document.apply(mask).unwrap_err().to_string().contains("mask already"));
    assert_eq!(document.parts()[0].products().count(), 1, "helpers are no sets of the part");
    let helper = |document: &Document, role: Role| {
        document.parts()[0].sets.iter().find(|set| set.role == role).unwrap().id
    };
    let (selection, mask) = (helper(&document, Role::Selection), helper(&document, Role::Mask));
    let into = |set: SetId, region: Region| Fill {
        coat: Coat { set, channels: Channels([true, false, false, false]), ..fill.coat },
        region,
        afresh: true,
        crisp: false,
        ..fill.clone()
    };
    let half = |from: f32, to: f32| Region::Band { direction: Vec3::X, from, to, soft: 0.0 };
    document.apply(PaintEdit::Fill { fill: into(selection, half(-1.0, 0.1)) }).unwrap();
    // Anew: what was chosen before is let go.
    document.apply(PaintEdit::Fill { fill: into(selection, half(-0.1, 1.0)) }).unwrap();
    document
        .apply(PaintEdit::Fill { fill: into(mask, Region::Chosen { set: selection }) })
        .unwrap();
    let red = Fill { region: Region::All, ..fill.clone() };
    document.apply(PaintEdit::Fill { fill: red }).unwrap();
    let part_now = &document.parts()[0];
    for (corner, value) in part_now.sets[0].values.iter().enumerate() {
        let is_protected = mesh.corner_position(corner).x >= -0.1;
        assert_eq!(value[1] == 1.0, is_protected, "{corner}");
    }
    // Grown, the selection reaches one edge further; colors by range and by likeness are found.
    let how = speckle_tools::adjust::How::Grow { length: 0.0, rounds: 1 };
    let adjustment = speckle_core::document::Adjustment {
        part,
        set: selection,
        channels: Channels::RGBA,
        how,
        strength: 1.0,
        within: None,
    };
    document.apply(PaintEdit::Adjust { adjustment }).unwrap();
    let chosen = &document.set(part, selection).unwrap().values;
    for (point, value) in mesh.positions().iter().zip(chosen.iter()) {
        assert_eq!(value[0] == 1.0, point.x >= -0.21, "{point}");
    }
    let set = fill.coat.set;
    for (region, count) in [
        (Region::Range { set, measure: Measure::G, from: 0.9, to: 1.0 }, 220),
        (Region::Near { set, color: [1.0, 0.0, 0.0, 1.0], tolerance: 2.0 }, 180),
        (Region::Values { set, measure: Measure::Luminance }, 400),
        (Region::Boundary, 4 + 9 * 2 * 4),
    ] {
        let found = shares(&document, &Fill { region, ..fill.clone() });
        assert_eq!(found.iter().filter(|share| **share > 0.0).count(), count);
    }
}
