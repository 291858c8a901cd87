//! Lids that go on as the surface around them does: cut as fine as the rim is, and then drawn smooth
//! (Liepa, Filling holes in meshes, 2003; the bending of a thin plate by cotangents, Pinkall and Polthier
//! 1993).

use glam::{Affine3A, DVec3};
use smallvec::SmallVec;
use speckle_mesh::{
    Geometry, Mesh,
    geometry::{local::LocalEdit, topology::CROWD},
};
use speckle_model::Part;

use super::MendingError;
use crate::{bake::watch::Watch, finer};

/// How much longer than those of the rim edges of a lid may be.
const LONGER: f32 = 1.8;

/// The most steps towards where it bends least, and how small what is left is beside what it was.
const STEPS: usize = 20_000;
const TOLERANCE: f64 = 1e-16;

/// What of a sum is free: which numbers, and how much each counts.
type Row = SmallVec<[(u32, f64); 8]>;

/// Makes the faces from a number on, which close holes, smooth.
pub(super) fn smoothed(part: &Part, first: usize) -> Result<Part, MendingError> {
    // Each face is cut into two triangles fewer than it has corners, in its order.
    let first = part.geometry.mesh().face_starts()[first] - 2 * first as u32;
    let part = &part.triangulated();
    let before = part.geometry.mesh();
    let lids: Vec<u32> = (first..before.face_count() as u32).collect();
    let length = rim_edge(&part.geometry, &lids) * LONGER;
    let mut geometry = Geometry::new(before.clone());
    let (_, _, remap) = geometry.edit(|edit| {
        finer::shorten(edit, lids.clone(), &Affine3A::IDENTITY, length, &Watch::default())
    });
    let refined = part.remapped(geometry.mesh().clone(), &remap);
    let was_lid = |face: u32| lids.binary_search(&face).is_ok();
    let of_faces: Vec<u32> = (0..before.face_count() as u32).collect();
    let is_lid: Vec<bool> = remap.faces.copies(&of_faces).into_iter().map(was_lid).collect();
    let (_, _, remap) = geometry.edit(|edit| make_even(edit, &is_lid));
    let refined = refined.remapped(geometry.mesh().clone(), &remap);
    let mesh = drawn(&refined.geometry, &is_lid)?;
    Ok(refined.remapped(mesh, &Default::default()))
}

/// Turns edges within lids until the angles across each of them sum to no more than 180° (Delaunay 1934), as
/// far as that folds nothing: even triangles bend evenly.
fn make_even(edit: &mut LocalEdit, is_lid: &[bool]) {
    for _ in 0..PASSES {
        let mut turned = 0;
        for face in (0..is_lid.len()).filter(|&face| is_lid[face]) {
            for i in 0..3 {
                let corner = edit.mesh().face_corners(face).start + i;
                let topology = edit.geometry().topology();
                let other = topology.across(corner);
                if other == corner || !is_lid[topology.face_of(other)] {
                    continue;
                }
                let mesh = edit.mesh();
                let at = |corner: usize, k: usize| {
                    let first = mesh.face_corners(topology.face_of(corner)).start;
                    mesh.corner_position(first + (corner - first + k) % 3)
                };
                let angle = |corner: usize| {
                    let [a, b, far] = [0, 1, 2].map(|k| at(corner, k));
                    (a - far).angle_between(b - far)
                };
                let is_thin = angle(corner) + angle(other) > std::f32::consts::PI + 1e-3;
                if is_thin && edit.flip(corner) {
                    turned += 1;
                }
            }
        }
        if turned == 0 {
            return;
        }
    }
}

/// How often all edges of lids are looked at.
const PASSES: usize = 12;

/// How long the edges between lids and what is around are, in the mean.
fn rim_edge(geometry: &Geometry, lids: &[u32]) -> f32 {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let (mut sum, mut count) = (0.0, 0);
    for &face in lids {
        let corners = mesh.face_corners(face as usize);
        for corner in corners.clone() {
            let other = topology.face_of(topology.across(corner)) as u32;
            if lids.binary_search(&other).is_err() {
                let next = if corner + 1 == corners.end { corners.start } else { corner + 1 };
                sum += mesh.corner_position(corner).distance(mesh.corner_position(next));
                count += 1;
            }
        }
    }
    if count > 0 { sum / count as f32 } else { f32::MAX }
}

/// The points within lids drawn to where the surface bends least, with all others held.
fn drawn(geometry: &Geometry, is_lid: &[bool]) -> Result<Mesh, MendingError> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let around = |vertex: usize| -> SmallVec<[u32; 8]> {
        let mut all = SmallVec::new();
        for &corner in topology.corners_at(vertex).iter().take(CROWD) {
            let corners = mesh.face_corners(topology.face_of(corner as usize));
            for other in corners {
                let point = topology.point_of(mesh.corner_vertices()[other] as usize);
                if point != topology.point_of(vertex) {
                    all.push(point as u32);
                }
            }
        }
        all.sort_unstable();
        all.dedup();
        all
    };
    let is_free = |vertex: usize| {
        let corners = topology.corners_at(vertex);
        topology.point_of(vertex) == vertex
            && !corners.is_empty()
            && corners.iter().all(|&corner| is_lid[topology.face_of(corner as usize)])
    };
    let free: Vec<usize> = (0..mesh.vertex_count()).filter(|&vertex| is_free(vertex)).collect();
    // The free points and those around them, each with the points around it.
    let mut number = vec![u32::MAX; mesh.vertex_count()];
    let mut near: Vec<usize> = Vec::new();
    for &vertex in &free {
        for point in std::iter::once(vertex).chain(around(vertex).iter().map(|&p| p as usize)) {
            if number[point] == u32::MAX {
                number[point] = near.len() as u32;
                near.push(point);
            }
        }
    }
    let mut column = vec![u32::MAX; mesh.vertex_count()];
    (0_u32..).zip(&free).for_each(|(i, &vertex)| column[vertex] = i);
    let start: Vec<DVec3> = mesh.positions().iter().map(|p| p.as_dvec3()).collect();
    let graph = geometry.conduction().finest();
    // Of each point near by, how much the surface bends there: what of that is free, and what the others
    // make of it.
    let row = |&point: &usize| -> (Row, DVec3) {
        let edges = graph.edges(point);
        let share = 1.0 / f64::from(graph.areas()[point]).max(f64::MIN_POSITIVE).sqrt();
        let whole: f64 = edges.iter().map(|&(_, weight)| f64::from(weight)).sum();
        let mut row = Row::new();
        let mut held = DVec3::ZERO;
        let beside = edges.iter().map(|&(p, weight)| (p as usize, share * f64::from(weight)));
        for (point, weight) in beside.chain([(point, -share * whole)]) {
            match column[point] {
                u32::MAX => held += weight * start[point],
                free => row.push((free, weight)),
            }
        }
        (row, held)
    };
    let (rows, held): (Vec<Row>, Vec<DVec3>) = near.iter().map(row).unzip();
    let places = least_bent(&rows, &held, free.iter().map(|&vertex| start[vertex]).collect());
    let mut arrays = mesh.arrays().clone();
    for (vertex, place) in arrays.positions.iter_mut().enumerate() {
        let point = topology.point_of(vertex);
        if column[point] != u32::MAX {
            *place = places[column[point] as usize].as_vec3();
        }
    }
    Ok(Mesh::new(arrays)?)
}

/// The places at which the squares of all rows, with what is held added, sum to least: by conjugate gradients
/// on the normal equations (Hestenes and Stiefel 1952), each coordinate by itself.
fn least_bent(rows: &[Row], held: &[DVec3], mut places: Vec<DVec3>) -> Vec<DVec3> {
    let applied = |x: &[DVec3]| -> Vec<DVec3> {
        let at = |row: &Row| row.iter().map(|&(i, weight)| weight * x[i as usize]).sum();
        rows.iter().map(at).collect()
    };
    let count = places.len();
    let back = |y: &[DVec3]| -> Vec<DVec3> {
        let mut x = vec![DVec3::ZERO; count];
        for (row, y) in rows.iter().zip(y) {
            row.iter().for_each(|&(i, weight)| x[i as usize] += weight * *y);
        }
        x
    };
    // Each number is counted by how much it weighs (Jacobi's preconditioner).
    let mut weighs = vec![0.0_f64; count];
    for &(i, weight) in rows.iter().flatten() {
        weighs[i as usize] += weight * weight;
    }
    let soft = |x: &[DVec3]| -> Vec<DVec3> {
        x.iter().zip(&weighs).map(|(x, weight)| *x / weight.max(f64::MIN_POSITIVE)).collect()
    };
    let dot = |a: &[DVec3], b: &[DVec3]| a.iter().zip(b).map(|(a, b)| *a * *b).sum::<DVec3>();
    let over = |a: DVec3, b: DVec3| {
        let of = |i: usize| if b[i] > 0.0 { a[i] / b[i] } else { 0.0 };
        DVec3::new(of(0), of(1), of(2))
    };
    let mut left: Vec<DVec3> =
        applied(&places).iter().zip(held).map(|(own, held)| -(*own + *held)).collect();
    let mut down = back(&left);
    let mut way = soft(&down);
    let mut rest = dot(&down, &way);
    let goal = rest * TOLERANCE;
    for _ in 0..STEPS {
        if rest.cmple(goal).all() || !rest.is_finite() {
            break;
        }
        let next = applied(&way);
        let step = over(rest, dot(&next, &next));
        places.iter_mut().zip(&way).for_each(|(x, way)| *x += step * *way);
        left.iter_mut().zip(&next).for_each(|(left, next)| *left -= step * *next);
        down = back(&left);
        let softened = soft(&down);
        let now = dot(&down, &softened);
        let turn = over(now, rest);
        rest = now;
        way.iter_mut().zip(&softened).for_each(|(way, down)| *way = *down + turn * *way);
    }
    places
}
