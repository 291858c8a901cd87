//! What a pour covers, on solids whose bends are known.

mod common;

use std::f32::consts::TAU;

use common::sheet;
use glam::Vec3;
use speckle_core::{
    Channels, Document, Edit, EditError, Encoding, Geometry, Mesh, Placement,
    blend::Blend,
    document::{NewPart, NewSet, PourStart},
    geometry::bends,
    mesh::MeshArrays,
    pour::{self, Pour},
    stroke::{Action, Sample},
};

fn mesh(positions: Vec<Vec3>, faces: &[Vec<u32>]) -> Mesh {
    let mut face_starts = vec![0];
    let mut corner_vertices = Vec::new();
    for face in faces {
        corner_vertices.extend_from_slice(face);
        face_starts.push(corner_vertices.len() as u32);
    }
    Mesh::new(MeshArrays { positions, face_starts, corner_vertices, uv_sets: vec![] }).unwrap()
}

/// A cube whose sides are two triangles each.
fn cube() -> Geometry {
    let positions =
        (0..8).map(|i| Vec3::new((i & 1) as f32, (i >> 1 & 1) as f32, (i >> 2) as f32)).collect();
    let sides =
        [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    let faces: Vec<Vec<u32>> =
        sides.iter().flat_map(|&[a, b, c, d]| [vec![a, b, c], vec![a, c, d]]).collect();
    Geometry::new(mesh(positions, &faces))
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
    Geometry::new(mesh(positions, &faces))
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
    Geometry::new(mesh(positions, &faces))
}

fn faces(geometry: &Geometry, pour: Pour, start: u32) -> Vec<u32> {
    let place = (start, geometry.mesh().face_centroid(start as usize));
    let values = vec![[0.0; 4]; geometry.mesh().face_count()];
    pour::covered(pour, geometry, Placement::Face, &values, Channels::RGBA, place)
}

/// Solid geometry: neighbouring sides of a cube stand at 90°, the halves of one at 0°.
#[test]
fn on_a_cube_a_crease_pour_fills_one_side_up_to_a_right_angle() {
    let cube = cube();
    for degrees in [0.0, 45.0, 89.9] {
        assert_eq!(faces(&cube, Pour::Crease { degrees }, 3), [2, 3]);
    }
    assert_eq!(faces(&cube, Pour::Crease { degrees: 90.0 }, 3).len(), 12);
}

/// The wall of a regular n-gon's cylinder bends by 360°/n at each edge, its rim by 90°.
#[test]
fn a_cylinders_wall_is_filled_from_a_full_turn_over_its_sides_on() {
    for n in [6, 12, 16, 37, 90] {
        let cylinder = cylinder(n);
        let bend = 360.0 / n as f32;
        let wall: Vec<u32> = (0..n).collect();
        assert_eq!(faces(&cylinder, Pour::Crease { degrees: bend }, 5 % n), wall);
        assert_eq!(faces(&cylinder, Pour::Crease { degrees: bend * 0.99 }, 5 % n), [5 % n]);
        assert_eq!(faces(&cylinder, Pour::Crease { degrees: 89.0 }, n), [n]);
        // The valley that the mesh's own bends suggest lies between the wall's and the rim's.
        let start = bends::crease_angle(cylinder.bends());
        assert!(start > bend && start < 90.0, "{n}: {start}");
    }
}

/// Two faces over one another, joined at an edge: the most a surface can bend.
#[test]
fn a_sheet_folded_flat_is_passed_at_a_half_turn_only() {
    let positions = vec![Vec3::ZERO, Vec3::X, Vec3::Y, Vec3::new(0.1, 0.9, 0.0)];
    let fold = Geometry::new(mesh(positions, &[vec![0, 1, 2], vec![1, 0, 3]]));
    assert_eq!(faces(&fold, Pour::Crease { degrees: 179.0 }, 0), [0]);
    assert_eq!(faces(&fold, Pour::Crease { degrees: 180.0 }, 0), [0, 1]);
}

#[test]
fn a_ball_is_all_one_and_has_no_crease() {
    let ball = ball(24, 48);
    // Rings bend by 180°/24, less around the poles.
    assert_eq!(faces(&ball, Pour::Crease { degrees: 7.6 }, 40).len(), ball.mesh().face_count());
    assert_eq!(faces(&ball, Pour::Crease { degrees: 0.5 }, 40), [40]);
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
    let step = Geometry::new(mesh(positions, &faces_of));
    assert_eq!(step.face_normals()[1], Vec3::ZERO);
    assert_eq!(faces(&step, Pour::Crease { degrees: 30.0 }, 0), [0, 1]);
    assert_eq!(faces(&step, Pour::Crease { degrees: 90.1 }, 0), [0, 1, 2, 3]);
}

#[test]
fn a_piece_ends_where_nothing_hangs_together_and_a_patch_where_the_value_changes() {
    let mut two = sheet(4, 0.0);
    let (first, corners) = (two.positions.len() as u32, two.corner_vertices.len() as u32);
    let other = sheet(4, 1.0);
    two.positions.extend(other.positions);
    two.corner_vertices.extend(other.corner_vertices.iter().map(|v| v + first));
    two.face_starts.extend(other.face_starts[1..].iter().map(|start| start + corners));
    let two = Geometry::new(Mesh::new(two).unwrap());
    assert_eq!(faces(&two, Pour::Piece, 20), (16..32).collect::<Vec<u32>>());
    assert_eq!(faces(&two, Pour::All, 20).len(), 32);

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
            let place = (0, mesh.face_centroid(0));
            pour::covered(Pour::Patch { tolerance }, &two, placement, &values, channels, place)
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

#[test]
fn a_pour_paints_the_chosen_channels_and_is_named() {
    let mesh = Mesh::new(sheet(4, 0.0)).unwrap();
    let ground = [0.5, 0.5, 0.5, 1.0];
    let set = NewSet::flooded("Coat", Placement::Corner, Encoding::Color, ground, &mesh);
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![NewPart::new("Deck", mesh, vec![set])])).unwrap();
    let part = &document.parts()[0];
    let start = PourStart {
        part: part.id,
        set: part.sets[0].id,
        channels: Channels([true, false, false, true]),
        action: Action::Paint,
        blend: Blend::default(),
        paint: [1.0, 0.0, 0.0, 0.0],
        opacity: 0.5,
        pour: Pour::Crease { degrees: 30.0 },
        at: Sample { origin: Vec3::Z, direction: Vec3::NEG_Z, held: false, pressure: 1.0 },
    };
    let change = document.apply(Edit::Pour { start }).unwrap();
    assert_eq!(change.label, "Crease pour on Coat");
    let first = |document: &Document| document.parts()[0].sets[0].values[7];
    assert_eq!(first(&document), [0.75, 0.5, 0.5, 0.5]);
    let erase = PourStart { action: Action::Erase, opacity: 1.0, ..start };
    assert_eq!(
        document.apply(Edit::Pour { start: erase }).unwrap().label,
        "Crease pour (erase) on Coat"
    );
    assert_eq!(first(&document), ground);
    // Beside the part there is nothing to cover, except for a pour over all.
    let beside = Sample { origin: Vec3::new(9.0, 0.0, 1.0), ..start.at };
    assert!(
        document.apply(Edit::Pour { start: PourStart { at: beside, ..start } }).unwrap().is_empty()
    );
    let all = PourStart { at: beside, pour: Pour::All, ..start };
    assert_eq!(document.poured(&all).unwrap().len(), 64);

    for (bad, words) in [
        (PourStart { pour: Pour::Crease { degrees: f32::NAN }, ..start }, "between 0 and 180°"),
        (PourStart { pour: Pour::Patch { tolerance: 2.0 }, ..start }, "between 0 and 100 %"),
        (PourStart { opacity: -1.0, ..start }, "opacity"),
        (PourStart { channels: Channels([false; 4]), ..start }, "no channel is chosen"),
    ] {
        let refused: EditError = document.apply(Edit::Pour { start: bad }).unwrap_err();
        assert!(refused.to_string().contains(words), "{refused}");
    }
}
