//! What moves points of a part: by how much each, without tearing what files split, or folding over.

use glam::{Affine3A, Vec3};
use rayon::prelude::*;
use speckle_mesh::{Geometry, Mesh, MeshError, geometry::bvh::Bvh};

/// Numbers of vertices, made the same for all that stand at one point: their mean.
pub(super) fn at_points(geometry: &Geometry, of_vertices: &[f32]) -> Vec<f32> {
    let topology = geometry.topology();
    let mut sums = vec![(0.0_f64, 0_u32); of_vertices.len()];
    for (vertex, &value) in of_vertices.iter().enumerate() {
        let (sum, count) = &mut sums[topology.point_of(vertex)];
        *sum += f64::from(value);
        *count += 1;
    }
    let mean = |vertex: usize| {
        let (sum, count) = sums[topology.point_of(vertex)];
        if count == 1 { of_vertices[vertex] } else { (sum / f64::from(count.max(1))) as f32 }
    };
    (0..of_vertices.len()).into_par_iter().map(mean).collect()
}

/// How far each vertex lies from where the surface ends, or what is chosen does; in the project's space.
/// None where it ends nowhere.
pub(super) fn from_rims(
    geometry: &Geometry,
    chosen: Option<&[bool]>,
    to_project: &Affine3A,
) -> Option<Vec<f32>> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let is_in = |corner: usize| chosen.is_none_or(|chosen| chosen[topology.face_of(corner)]);
    let next = |corner: usize| {
        let range = mesh.face_corners(topology.face_of(corner));
        if corner + 1 == range.end { range.start } else { corner + 1 }
    };
    let ends = |corner: &usize| {
        let others: Vec<usize> = topology.around(*corner).collect();
        others.len() < 2 || others.iter().any(|&c| is_in(c)) && others.iter().any(|&c| !is_in(c))
    };
    let place = |corner: usize| to_project.transform_point3(mesh.corner_position(corner));
    let segments: Vec<[Vec3; 2]> = (0..mesh.corner_count())
        .into_par_iter()
        .filter(ends)
        .map(|corner| [corner, next(corner)].map(place))
        .collect();
    if segments.is_empty() {
        return None;
    }
    let tree = Bvh::over_segments(&segments);
    let far = |&p: &Vec3| {
        let p = to_project.transform_point3(p);
        tree.nearest(p, f32::MAX, |_| true).map_or(f32::MAX, |near| near.2)
    };
    Some(mesh.positions().par_iter().with_min_len(256).map(far).collect())
}

/// A mesh with its points moved.
pub(super) struct Moved {
    pub(super) mesh: Mesh,
    /// How many points move less than was asked, so that no face folds over.
    pub(super) held: usize,
    /// The largest way that any goes, in the project's unit.
    pub(super) largest: f32,
}

/// How often what folds over is drawn back by half before it stays where it was.
const ROUNDS: usize = 8;

/// Below this cosine to what it was a face counts as folded over.
const FOLDED: f32 = 0.05;

/// Moves the points of a mesh by so much each, in its own space. Where `may_fold` does not allow it,
/// points of faces that would turn over go half as far, again and again, and in the end not at all. A
/// mesh's own normals are given up: they say nothing of the new shape.
pub(super) fn moved(
    geometry: &Geometry,
    mut steps: Vec<Vec3>,
    may_fold: bool,
    to_project: &Affine3A,
) -> Result<Moved, MeshError> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let before = geometry.face_normals();
    let mut held = vec![false; steps.len()];
    // It ends: at last points stay where they were, and of such no face is folded.
    for round in (0..).take_while(|_| !may_fold) {
        let at = |vertex: u32| mesh.positions()[vertex as usize] + steps[vertex as usize];
        let folded: Vec<usize> = (0..mesh.face_count())
            .into_par_iter()
            .filter(|&face| {
                let normal = area_vector(mesh.face_vertices(face), at);
                let was = before[face];
                was != Vec3::ZERO && normal.dot(was) < FOLDED * normal.length()
            })
            .collect();
        if folded.is_empty() {
            break;
        }
        let mut is_met = vec![false; steps.len()];
        for &vertex in folded.iter().flat_map(|&face| mesh.face_vertices(face)) {
            is_met[topology.point_of(vertex as usize)] = true;
        }
        let part = if round < ROUNDS { 0.5 } else { 0.0 };
        for vertex in 0..steps.len() {
            if is_met[topology.point_of(vertex)] && steps[vertex] != Vec3::ZERO {
                steps[vertex] *= part;
                held[vertex] = true;
            }
        }
    }
    let largest = steps.iter().map(|&step| to_project.transform_vector3(step).length());
    let largest = largest.fold(0.0, f32::max);
    let mut arrays = mesh.arrays().clone();
    arrays.positions.iter_mut().zip(&steps).for_each(|(p, step)| *p += *step);
    arrays.normals.clear();
    let held = (0..held.len()).filter(|&v| held[v] && topology.point_of(v) == v).count();
    Ok(Moved { mesh: Mesh::new(arrays)?, held, largest })
}

fn area_vector(vertices: &[u32], at: impl Fn(u32) -> Vec3) -> Vec3 {
    let origin = at(vertices[0]);
    let pairs = vertices[1..].windows(2);
    pairs.map(|pair| (at(pair[0]) - origin).cross(at(pair[1]) - origin)).sum()
}
