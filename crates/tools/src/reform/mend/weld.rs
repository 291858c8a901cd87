//! Vertices joined that lie near each other.

use glam::{Affine3A, Vec3};
use rayon::prelude::*;
use rustc_hash::FxHashMap;
use speckle_mesh::{
    Geometry, Mesh, Placement,
    carry::Carry,
    mesh::{MeshArrays, gate},
    remap::Remap,
};
use speckle_model::{ColorSet, Part, color_set::Role};

use super::{MendingError, next};

/// For each vertex, the first one that it is drawn together with when all within a distance of each other
/// are, one after the other: the lowest number among those that hang together.
pub(super) fn near_points(positions: &[Vec3], within: f32) -> Vec<u32> {
    let place = |p: Vec3| (p + Vec3::ZERO).to_array().map(f32::to_bits);
    let mut joined = Joined((0..positions.len() as u32).collect());
    // Those at one place first: of a crowd one is enough from there on.
    let mut at: FxHashMap<[u32; 3], u32> = FxHashMap::default();
    let mut firsts: Vec<u32> = Vec::new();
    for (vertex, &p) in (0_u32..).zip(positions) {
        let first = *at.entry(place(p)).or_insert(vertex);
        joined.0[vertex as usize] = first;
        if first == vertex {
            firsts.push(vertex);
        }
    }
    drop(at);
    if within > 0.0 {
        join_near(positions, &firsts, within, &mut joined);
    }
    (0..positions.len() as u32).map(|vertex| joined.root(vertex)).collect()
}

/// Joins points within a distance of each other. Cells are so small that all in one are near; of two cells
/// that hang together already no more is asked, so that a great distance costs no more than a small one.
fn join_near(positions: &[Vec3], firsts: &[u32], within: f32, joined: &mut Joined) {
    // The diagonal of a cell.
    let width = 0.999 * within / 3.0_f32.sqrt();
    let cell = |vertex: u32| (positions[vertex as usize] / width).floor().as_i64vec3().to_array();
    let mut in_order: Vec<([i64; 3], u32)> = firsts.par_iter().map(|&v| (cell(v), v)).collect();
    in_order.par_sort_unstable();
    let cells: Vec<&[([i64; 3], u32)]> = in_order.chunk_by(|a, b| a.0 == b.0).collect();
    for own in &cells {
        own.iter().for_each(|&(_, vertex)| joined.join(own[0].1, vertex));
    }
    let number: FxHashMap<[i64; 3], u32> =
        cells.iter().zip(0..).map(|(own, n)| (own[0].0, n)).collect();
    // Half of the cells around, the nearest first; the others find these.
    let mut around: Vec<[i64; 3]> = (-2..=2_i64)
        .flat_map(|x| (-2..=2).flat_map(move |y| (-2..=2).map(move |z| [x, y, z])))
        .filter(|&offset| offset > [0, 0, 0])
        .collect();
    around.sort_by_key(|offset| (offset.iter().map(|x| x * x).sum::<i64>(), *offset));
    for [x, y, z] in around {
        let beside = |(n, own): (usize, &&[([i64; 3], u32)])| {
            let [a, b, c] = own[0].0;
            Some((n, *number.get(&[a + x, b + y, c + z])? as usize))
        };
        let pairs: Vec<(usize, usize)> = cells.par_iter().enumerate().filter_map(beside).collect();
        for (own, other) in pairs {
            let [own, other] = [cells[own], cells[other]];
            if joined.root(own[0].1) == joined.root(other[0].1) {
                continue;
            }
            let at = |&(_, vertex): &([i64; 3], u32)| positions[vertex as usize];
            let is_near = own.iter().any(|a| other.iter().any(|b| at(a).distance(at(b)) <= within));
            if is_near {
                joined.join(own[0].1, other[0].1);
            }
        }
    }
}

/// Which vertices hang together: each leads to one of a lower number, or to itself.
struct Joined(Vec<u32>);

impl Joined {
    fn root(&mut self, mut at: u32) -> u32 {
        let lead = &mut self.0;
        while lead[at as usize] != at {
            lead[at as usize] = lead[lead[at as usize] as usize];
            at = lead[at as usize];
        }
        at
    }

    fn join(&mut self, a: u32, b: u32) {
        let [a, b] = [self.root(a), self.root(b)];
        self.0[a.max(b) as usize] = a.min(b);
    }
}

/// Which vertices lie on open rims.
pub(super) fn on_rims(geometry: &Geometry) -> Vec<bool> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let mut are = vec![false; mesh.vertex_count()];
    for corner in (0..mesh.corner_count()).filter(|&corner| topology.across(corner) == corner) {
        for end in [corner, next(geometry, corner)] {
            are[mesh.corner_vertices()[end] as usize] = true;
        }
    }
    are
}

/// Joins vertices within a distance, in the project's unit, where the first of them is. What differs
/// between them stays: sets per vertex become sets per corner. Faces that lose a corner lose it, and those
/// of fewer than three go. Says how many vertices are fewer.
/// Only those among some vertices, where such are said.
pub(super) fn welded(
    part: &Part,
    within: f32,
    to_project: &Affine3A,
    among: Option<&[bool]>,
) -> Result<(Part, usize), MendingError> {
    let mesh = part.geometry.mesh();
    let standing = mesh.transformed(to_project)?;
    let lead = match among {
        None => near_points(standing.positions(), within),
        Some(among) => {
            let all: Vec<u32> =
                (0..mesh.vertex_count() as u32).filter(|&v| among[v as usize]).collect();
            let some: Vec<Vec3> = all.iter().map(|&v| standing.positions()[v as usize]).collect();
            let mut lead: Vec<u32> = (0..mesh.vertex_count() as u32).collect();
            for (&vertex, first) in all.iter().zip(near_points(&some, within)) {
                lead[vertex as usize] = all[first as usize];
            }
            lead
        }
    };
    let count = (0..lead.len()).filter(|&v| lead[v] as usize != v).count();
    if count == 0 {
        return Ok((part.clone(), 0));
    }
    let mut part = part.clone();
    // A set and its layers stay of one placement.
    let differs = |set: &ColorSet| {
        let value = |vertex: usize| set.values[vertex].map(f32::to_bits);
        set.placement == Placement::Vertex
            && (0..lead.len()).any(|v| value(v) != value(lead[v] as usize))
    };
    let differing: Vec<Role> =
        part.sets.iter().filter(|set| differs(set)).map(|set| set.role).collect();
    let is_owner = |set: &ColorSet| differs(set) || differing.iter().any(|&role| set.owns(role));
    let owners: Vec<ColorSet> = part.sets.iter().filter(|set| is_owner(set)).cloned().collect();
    for set in part.sets.iter_mut().filter(|set| set.placement == Placement::Vertex) {
        if owners.iter().any(|owner| owner.id == set.id || owner.owns(set.role)) {
            let at = |&v: &u32| set.values[v as usize];
            set.values = mesh.corner_vertices().iter().map(at).collect::<Vec<_>>().into();
            set.placement = Placement::Corner;
        }
    }
    let (mut corners, mut faces) = (Vec::new(), Vec::new());
    let mut arrays = MeshArrays { face_starts: vec![0], ..MeshArrays::default() };
    for face in 0..mesh.face_count() {
        let first = corners.len();
        for corner in mesh.face_corners(face) {
            let vertex = lead[mesh.corner_vertices()[corner] as usize];
            if arrays.corner_vertices[first..].last() != Some(&vertex) {
                arrays.corner_vertices.push(vertex);
                corners.push(corner as u32);
            }
        }
        if arrays.corner_vertices.len() > first + 1
            && arrays.corner_vertices[first] == arrays.corner_vertices[corners.len() - 1]
        {
            arrays.corner_vertices.pop();
            corners.pop();
        }
        let own = &arrays.corner_vertices[first..];
        if own.len() < 3 || gate::repeats_a_vertex(own) {
            arrays.corner_vertices.truncate(first);
            corners.truncate(first);
            continue;
        }
        arrays.face_starts.push(corners.len() as u32);
        faces.push(face as u32);
    }
    if faces.is_empty() {
        return Err(MendingError::Nothing);
    }
    arrays.positions = mesh.positions().to_vec();
    // Those that were joined go; loose ones that were there stay.
    let mut number = vec![u32::MAX; lead.len()];
    let kept: Vec<u32> = (0..lead.len() as u32).filter(|&v| lead[v as usize] == v).collect();
    for (new, &old) in (0_u32..).zip(&kept) {
        number[old as usize] = new;
    }
    arrays.positions = kept.iter().map(|&v| mesh.positions()[v as usize]).collect();
    arrays.corner_vertices.iter_mut().for_each(|v| *v = number[*v as usize]);
    let corners = Carry::Copies(corners);
    let welded = Mesh::new(arrays.with_corner_data(mesh.arrays(), &corners))?;
    let remap = Remap { vertices: Carry::Copies(kept), corners, faces: Carry::Copies(faces) };
    Ok((part.remapped(welded, &remap), count))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    /// Each point with the lowest one of those that it hangs together with, by looking at all pairs.
    fn by_all_pairs(positions: &[Vec3], within: f32) -> Vec<u32> {
        let mut lead: Vec<u32> = (0..positions.len() as u32).collect();
        loop {
            let before = lead.clone();
            for (i, p) in positions.iter().enumerate() {
                for (j, q) in positions.iter().enumerate() {
                    if p == q || p.distance(*q) <= within {
                        lead[i] = lead[i].min(lead[j]);
                    }
                }
            }
            if lead == before {
                return lead;
            }
        }
    }

    proptest! {
        /// In cells, the nearest first, the same hang together as by all pairs, whatever the distance.
        #[test]
        fn what_is_near_hangs_together(
            points in prop::collection::vec(prop::array::uniform3(-1.0_f32..1.0), 3..60),
            within in prop_oneof![Just(0.0_f32), 1e-3_f32..0.1, 0.1_f32..3.0],
            twice in 0_usize..3,
        ) {
            let mut positions: Vec<Vec3> = points.into_iter().map(Vec3::from).collect();
            positions.extend_from_within(..twice);
            prop_assert_eq!(near_points(&positions, within), by_all_pairs(&positions, within));
        }
    }
}
