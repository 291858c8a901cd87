//! Seams whose sides lie next to nothing apart, as rounding leaves them: a trail goes over them.

use glam::Vec3;
use rustc_hash::FxHashMap;
use speckle_mesh::Geometry;

use crate::bake::curvature;

/// How far apart the sides of a seam may be, as a share of the part's diagonal.
const APART: f32 = 2e-6;

/// The same surface with the two sides of such seams at one place, vertices and faces keeping their
/// numbers; none where there are no such seams.
#[must_use]
pub fn closed(geometry: &Geometry) -> Option<Geometry> {
    let mesh = geometry.mesh();
    let at = |vertex: u32| mesh.positions()[vertex as usize];
    let mut open: Vec<u32> =
        curvature::open_edges(geometry).into_iter().flatten().map(|vertex| vertex as u32).collect();
    // From left to right, those at one place by their number.
    open.sort_unstable_by(|&a, &b| at(a).x.total_cmp(&at(b).x).then(a.cmp(&b)));
    open.dedup();
    let apart = geometry.measures().diagonal() * APART;
    let key = |p: Vec3| p.to_array().map(f32::to_bits);
    let mut moved: FxHashMap<[u32; 3], Vec3> = FxHashMap::default();
    for (i, &vertex) in open.iter().enumerate() {
        let place = at(vertex);
        if moved.contains_key(&key(place)) {
            continue;
        }
        let near = open[i + 1..].iter().take_while(|&&other| at(other).x - place.x <= apart);
        for &other in near {
            let there = at(other);
            if there != place && there.distance(place) <= apart {
                moved.entry(key(there)).or_insert(place);
            }
        }
    }
    if moved.is_empty() {
        return None;
    }
    let closed = mesh.moved(|p| moved.get(&key(p)).copied().unwrap_or(p), |n| n).ok()?;
    Some(Geometry::new(closed))
}
