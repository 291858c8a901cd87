//! What a mesh falls apart into, and what is said of each piece: bricks that stand flush, split or not,
//! in any order.

use glam::{Vec2, Vec3};
use speckle_mesh::{
    Geometry, Mesh, Placement,
    geometry::pieces::Pieces,
    mesh::{MeshArrays, UvSet},
};

use crate::{
    bake::{inputs_of, made, mesh},
    common::{arrays_of, beside, polygons},
};

const ROWS: usize = 6;
const COLUMNS: usize = 12;

/// A box of eight vertices.
fn brick(low: Vec3, size: Vec3) -> MeshArrays {
    let at = |i: u32| low + Vec3::new((i & 1) as f32, (i >> 1 & 1) as f32, (i >> 2) as f32) * size;
    let faces =
        [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    arrays_of(&polygons((0..8).map(at).collect(), &faces.map(|face| face.to_vec())))
}

/// A wall of bricks that stand flush: straight above each other, or in a bond.
fn wall(is_bond: bool) -> Vec<MeshArrays> {
    let row = |row: usize| {
        let shift = if is_bond && row % 2 == 1 { 1.0 } else { 0.0 };
        (0..COLUMNS).map(move |column| {
            brick(Vec3::new(2.0 * column as f32 + shift, 0.0, row as f32), Vec3::new(2.0, 1.0, 1.0))
        })
    };
    (0..ROWS).flat_map(row).collect()
}

fn together(bricks: &[MeshArrays]) -> MeshArrays {
    bricks[1..].iter().cloned().fold(bricks[0].clone(), beside)
}

/// The same with vertices of its own for every face.
fn split(arrays: &MeshArrays) -> MeshArrays {
    MeshArrays {
        positions: arrays.corner_vertices.iter().map(|&v| arrays.positions[v as usize]).collect(),
        corner_vertices: (0..arrays.corner_vertices.len() as u32).collect(),
        ..arrays.clone()
    }
}

fn count(arrays: MeshArrays) -> usize {
    Geometry::new(mesh(arrays)).pieces().count()
}

#[test]
fn bricks_that_stand_flush_are_one_piece_each() {
    for is_bond in [false, true] {
        let wall = together(&wall(is_bond));
        assert_eq!(count(wall.clone()), ROWS * COLUMNS, "in a bond: {is_bond}");
        let torn = split(&wall);
        assert_eq!(count(torn.clone()), ROWS * COLUMNS, "split, in a bond: {is_bond}");
        let geometry = Geometry::new(mesh(torn));
        let by_points = Pieces::by_points(geometry.mesh(), geometry.topology());
        // In a bond, rows share no point.
        assert_eq!(by_points.count(), if is_bond { ROWS } else { 1 });
    }
}

#[test]
fn touching_at_a_point_or_an_edge_joins_no_solids() {
    let first = brick(Vec3::ZERO, Vec3::ONE);
    for low in [Vec3::ONE, Vec3::new(1.0, 1.0, 0.0)] {
        let both = beside(first.clone(), brick(low, Vec3::ONE));
        assert_eq!(count(both.clone()), 2, "at {low}");
        assert_eq!(count(split(&both)), 2, "split, at {low}");
    }
    // Sheets that only share a vertex, too.
    let square = |low: Vec3| {
        [Vec3::ZERO, Vec3::X, Vec3::new(1.0, 1.0, 0.0), Vec3::Y].map(|corner| low + corner)
    };
    let mut positions = square(Vec3::ZERO).to_vec();
    positions.extend(&square(Vec3::new(1.0, 1.0, 0.0))[1..]);
    let bow = polygons(positions, &[vec![0, 1, 2, 3], vec![2, 4, 5, 6]]);
    assert_eq!(Geometry::new(bow).pieces().count(), 2);
    // A room within a box is another surface than the box.
    let inner = mesh(brick(Vec3::splat(0.25), Vec3::splat(0.5))).turned_over().0;
    assert_eq!(count(beside(first, arrays_of(&inner))), 2);
}

/// A strip of four quads whose texture coordinates jump in the middle.
#[test]
fn islands_end_where_texture_coordinates_jump() {
    let mut positions = Vec::new();
    for x in 0..5 {
        positions.extend([Vec3::new(x as f32, 0.0, 0.0), Vec3::new(x as f32, 1.0, 0.0)]);
    }
    let faces: Vec<Vec<u32>> = (0..4).map(|i| [0, 2, 3, 1].map(|v| 2 * i + v).to_vec()).collect();
    let mut arrays = arrays_of(&polygons(positions, &faces));
    let jumps = |face: usize| if face < 2 { 0.0 } else { 10.0 };
    let uvs = arrays.corner_vertices.iter().enumerate().map(|(corner, &v)| {
        let p = arrays.positions[v as usize];
        Vec2::new(p.x + jumps(corner / 4), p.y)
    });
    arrays.uv_sets = vec![UvSet { name: "UV".to_owned(), uvs: uvs.collect() }];
    let inputs = inputs_of(vec![mesh(arrays)], Placement::Face);
    let numbers = made(r#"{"kind":"per_piece","by":"islands"}"#, &inputs);
    assert!(numbers[0] == numbers[1] && numbers[2] == numbers[3] && numbers[0] != numbers[2]);
    let joint = made(r#"{"kind":"joint","between":"islands","width":2}"#, &inputs);
    assert_eq!(joint, [0.25, 0.75, 0.75, 0.25]);
    assert_eq!(
        made(r#"{"kind":"per_piece"}"#, &inputs),
        [numbers[0]; 4].map(|_| { made(r#"{"kind":"per_piece"}"#, &inputs)[0] })
    );
}

/// The numbers of bricks at the middles of their faces.
fn numbers(bricks: &[MeshArrays], source: &str) -> Vec<(Vec3, f32)> {
    let own: Mesh = mesh(together(bricks));
    let middles: Vec<Vec3> = (0..own.face_count()).map(|f| own.face_centroid(f)).collect();
    let numbers = made(source, &inputs_of(vec![own], Placement::Face));
    middles.into_iter().zip(numbers).collect()
}

#[test]
fn a_piece_keeps_its_number_whatever_comes_and_goes_beside_it() {
    let source = r#"{"kind":"per_piece","seed":5}"#;
    let all = wall(true);
    let before = numbers(&all, source);
    // In another order, without every third one.
    let rest: Vec<MeshArrays> = all
        .into_iter()
        .rev()
        .enumerate()
        .filter(|(i, _)| i % 3 != 0)
        .map(|(_, brick)| brick)
        .collect();
    for (middle, number) in numbers(&rest, source) {
        // Two bricks may meet at a middle; one of them has the number.
        let there = before.iter().filter(|(at, _)| at.distance(middle) < 1e-4);
        assert!(there.map(|(_, n)| *n).any(|n| n == number), "{middle}: {number}");
    }
    let mut different: Vec<u32> = before.iter().map(|(_, n)| n.to_bits()).collect();
    different.sort_unstable();
    different.dedup();
    assert_eq!(different.len(), ROWS * COLUMNS);
}

/// Four colors are enough for any map in the plane (Appel and Haken 1977); bricks in a bond have six
/// neighbours at most, and seven colors are enough for a greedy choice.
#[test]
fn bricks_beside_each_other_have_different_colors_and_each_is_used_as_often() {
    for is_bond in [false, true] {
        let bricks = wall(is_bond);
        let own = mesh(together(&bricks));
        let inputs = inputs_of(vec![own], Placement::Face);
        let source = r#"{"kind":"per_piece","colors":9,"seed":3}"#;
        let colors = made(source, &inputs);
        let of_brick = |brick: usize| (colors[6 * brick] * 8.0).round() as usize;
        let mut used = [0; 9];
        for a in 0..bricks.len() {
            used[of_brick(a)] += 1;
            for b in 0..a {
                let touch = |axis: usize| {
                    let ends = |brick: &MeshArrays| {
                        let at = brick.positions.iter().map(|p| p[axis]);
                        at.fold((f32::MAX, f32::MIN), |(l, h), x| (l.min(x), h.max(x)))
                    };
                    let (a, b) = (ends(&bricks[a]), ends(&bricks[b]));
                    a.0 <= b.1 && b.0 <= a.1
                };
                if touch(0) && touch(2) {
                    assert_ne!(of_brick(a), of_brick(b), "{a} and {b}, in a bond: {is_bond}");
                }
            }
        }
        let (least, most) = (used.iter().min().unwrap(), used.iter().max().unwrap());
        assert!(*least >= 4 && *most <= 12, "{used:?}");
    }
}
