//! Heat over a surface, where what becomes of it can be worked out by hand.

use std::{collections::HashSet, f32::consts::PI};

use speckle_mesh::{
    Geometry, Mesh,
    geometry::conduction::{ALONE, Level, SIDE_BY_SIDE},
};
use speckle_tools::bake::{diffusion::Diffusion, watch::Watch};

use crate::{bake::mesh, common::sheet};

/// A square from −1 to 1 whose cells are up to so many times narrower in the middle of each side than at the rim,
/// and slivers where only one side is.
fn drawn_in(n: u32, times: f32) -> Mesh {
    let mut arrays = sheet(n, 0.0);
    let power = times.ln() / (n as f32 / 2.0).ln();
    let drawn = |x: f32| x * x.abs().powf(power);
    arrays.positions.iter_mut().for_each(|p| (p.x, p.y) = (drawn(p.x), drawn(p.y)));
    mesh(arrays)
}

/// A wave that ends level at the rim stays one, and four implicit steps of heat over the time t = L²/8 leave
/// (1 + k² t/4)⁻⁴ of it (by hand), however much finer than elsewhere the mesh is in places.
#[test]
fn a_wave_fades_alike_where_the_mesh_is_a_thousand_times_finer() {
    for times in [1.0, 30.0, 1000.0] {
        let geometry = Geometry::new(drawn_in(80, times));
        let heat = Diffusion::new(&geometry, &Watch::default()).ok().unwrap();
        for length in [0.1_f32, 0.5, 1.0] {
            let wave = |x: f32| (PI * x).cos();
            let places = geometry.mesh().positions();
            let mut values: Vec<f32> = places.iter().map(|p| wave(p.x)).collect();
            heat.about(&mut values, length, &Watch::default()).ok().unwrap();
            let left = (1.0 + PI * PI * length * length / 32.0).powi(-4);
            for (p, value) in places.iter().zip(&values) {
                let off = (value - left * wave(p.x)).abs();
                assert!(off < 0.01, "{times} times finer, {length} at {p}: {value}, {off} off");
            }
        }
    }
}

/// Side by side each spreads as by itself, to the bit: one that is there at once, one that stays even, and one
/// that is no number at one place and stays as it is.
#[test]
fn what_spreads_beside_others_spreads_as_by_itself() {
    let geometry = Geometry::new(drawn_in(40, 100.0));
    let heat = Diffusion::new(&geometry, &Watch::default()).ok().unwrap();
    let places = geometry.mesh().positions();
    let mut values: Vec<[f32; 4]> = places
        .iter()
        .enumerate()
        .map(|(nth, p)| {
            [(PI * p.x).cos(), p.y * p.y, 0.25, if nth == 700 { f32::NAN } else { p.x }]
        })
        .collect();
    let before = values.clone();
    let by_itself = |k: usize, length: f32| -> Vec<f32> {
        let mut own: Vec<f32> = before.iter().map(|value| value[k]).collect();
        heat.about(&mut own, length, &Watch::default()).ok().unwrap();
        own
    };
    // Each over its own radius.
    let lengths = [0.5, 0.2, 0.5, 0.3];
    heat.about_each(&mut values, lengths, &Watch::default()).ok().unwrap();
    for (k, length) in lengths.into_iter().enumerate() {
        let own = by_itself(k, length);
        let differ = own.iter().zip(&values).filter(|(a, b)| a.to_bits() != b[k].to_bits()).count();
        assert_eq!(differ, 0, "of {k}");
    }
    let moved = |k: usize| before.iter().zip(&values).filter(|(a, b)| a[k] != b[k]).count();
    assert!(moved(0) > 1_000 && moved(1) > 1_000, "{} {}", moved(0), moved(1));
    assert!(values.iter().all(|value| (value[2] - 0.25).abs() < 1e-5));
    let kept = |(a, b): (&[f32; 4], &[f32; 4])| a[3].to_bits() == b[3].to_bits();
    assert!(before.iter().zip(&values).all(kept));
}

/// What one level says of an edge, by the nodes it joins.
fn edges_of(level: &Level) -> Vec<(u32, u32, f32)> {
    let rows = 0..level.areas().len().div_ceil(SIDE_BY_SIDE);
    let edges = rows.flat_map(|row| {
        let edges = level.row(row).iter();
        edges.flat_map(move |(others, conduct)| {
            let nodes = ((SIDE_BY_SIDE * row) as u32..).zip(others.iter().zip(conduct));
            nodes.map(|(node, (&other, &conducts))| (node, other, conducts))
        })
    });
    edges.filter(|(.., conducts)| *conducts > 0.0).collect()
}

/// The levels are one surface: the first has the points, areas and edges of the mesh, each has the whole area,
/// conducts the same both ways, and joins what its nodes joined before.
#[test]
fn coarser_graphs_are_of_the_same_surface() {
    let geometry = Geometry::new(drawn_in(60, 30.0));
    let conduction = geometry.conduction();
    let (finest, levels) = (conduction.finest(), conduction.levels());
    assert!(levels.len() > 1);
    let points = conduction.points();
    let mut sorted = points.to_vec();
    sorted.sort_unstable();
    assert!(sorted.iter().copied().eq(0..61 * 61));
    let mut found = edges_of(&levels[0]);
    found.iter_mut().for_each(|edge| {
        (edge.0, edge.1) = (points[edge.0 as usize], points[edge.1 as usize]);
    });
    found.sort_by_key(|edge| (edge.0, edge.1));
    let of_point = |point: u32| {
        let edges = finest.edges(point as usize).iter().filter(|(_, conducts)| *conducts > 0.0);
        edges.map(move |&(other, conducts)| (point, other, conducts))
    };
    assert!(found.iter().copied().eq(sorted.iter().flat_map(|&point| of_point(point))));
    for (node, &point) in points.iter().enumerate() {
        assert_eq!(levels[0].areas()[node], finest.areas()[point as usize]);
    }
    for level in levels {
        let whole: f32 = level.areas().iter().sum();
        assert!((whole - 4.0).abs() < 1e-4, "{whole}");
        let edges = edges_of(level);
        let mut back: Vec<(u32, u32, f32)> = edges.iter().map(|&(a, b, w)| (b, a, w)).collect();
        back.sort_by_key(|edge| (edge.0, edge.1));
        let mut there = edges.clone();
        there.sort_by_key(|edge| (edge.0, edge.1));
        assert_eq!(there.len(), back.len());
        for (there, back) in there.iter().zip(&back) {
            assert_eq!((there.0, there.1), (back.0, back.1));
            assert!((there.2 - back.2).abs() <= 1e-5 * there.2, "{there:?} {back:?}");
        }
        let mut conducted = vec![0.0; level.areas().len()];
        edges.iter().for_each(|&(node, _, conducts)| conducted[node as usize] += conducts);
        for (found, told) in conducted.iter().zip(level.conducted()) {
            assert!((found - told).abs() <= 1e-5 * told);
        }
    }
    for pair in levels.windows(2) {
        let together = pair[0].together().unwrap();
        let beside: HashSet<(u32, u32)> =
            edges_of(&pair[1]).iter().map(|&(from, to, _)| (from, to)).collect();
        for (a, b, _) in edges_of(&pair[0]) {
            let [a, b] = [a, b].map(|node| together.of()[node as usize]);
            assert!(a != ALONE && b != ALONE);
            assert!(a == b || beside.contains(&(a, b)));
        }
        for node in 0..pair[1].areas().len() {
            let members = together.members(node);
            assert!(members.iter().all(|&member| together.of()[member as usize] == node as u32));
            let area: f32 = members.iter().map(|&member| pair[0].areas()[member as usize]).sum();
            assert!((area - pair[1].areas()[node]).abs() <= 1e-5 * area);
        }
    }
    assert!(levels[levels.len() - 1].together().is_none());
}
