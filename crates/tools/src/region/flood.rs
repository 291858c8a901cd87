//! Pours: going on over the surface from where the pointer is.

use glam::Vec3;
use rayon::prelude::*;
use speckle_color::{Channels, Rgba};
use speckle_mesh::{Geometry, Placement, geometry::bends};
use speckle_model::ColorSet;

/// Rounding of normals must not decide whether an edge bends too much, degrees.
const ANGLE_ROUNDING: f32 = 0.01;

/// Which faces are reached from one over edges that bend by no more than an angle.
pub fn within_creases(geometry: &Geometry, start: u32, degrees: f32) -> Vec<bool> {
    let (mesh, topology, normals) = (geometry.mesh(), geometry.topology(), geometry.face_normals());
    // Of 180° it would be endless; there, everything is within reach.
    let half_tangent = match degrees + ANGLE_ROUNDING {
        most if most < 180.0 => (most / 2.0).to_radians().tan(),
        _ => f32::INFINITY,
    };
    let mut is_in = vec![false; mesh.face_count()];
    is_in[start as usize] = true;
    // A face without area has no side: it is entered from anywhere, and left as from before it.
    let mut open = vec![(start, normals[start as usize])];
    while let Some((face, normal)) = open.pop() {
        for corner in mesh.face_corners(face as usize) {
            let mut other = topology.across(corner);
            while other != corner {
                let neighbour = topology.face_of(other);
                if !is_in[neighbour] {
                    let theirs = normals[neighbour];
                    if bends::is_within(normal, theirs, half_tangent) {
                        is_in[neighbour] = true;
                        let normal = if theirs == Vec3::ZERO { normal } else { theirs };
                        open.push((neighbour as u32, normal));
                    }
                }
                other = topology.across(other);
            }
        }
    }
    is_in
}

/// The connected elements whose values are those of one of them. Elements are connected within a
/// face, and with those at the same point or beyond the same edge.
pub fn same_values(
    geometry: &Geometry,
    set: &ColorSet,
    channels: Channels,
    start: u32,
    tolerance: f32,
) -> Vec<u32> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let (values, placement) = (&set.values, set.placement);
    let wanted = values[start as usize];
    let is_same =
        |value: &Rgba| (0..4).all(|i| !channels.0[i] || (value[i] - wanted[i]).abs() <= tolerance);
    // What may still be reached; looked at once, by all cores.
    let reachable = |value: &Rgba| if is_same(value) { Reached::Not } else { Reached::Never };
    let mut reached: Vec<Reached> = values.par_iter().map(reachable).collect();
    let mut meet = |element: u32| {
        let element = &mut reached[element as usize];
        let is_new = *element == Reached::Not;
        if is_new {
            *element = Reached::Yes;
        }
        is_new
    };
    meet(start);
    // Whatever is left of a face, or around a point, is reached through the first of it: neither
    // needs to be looked at again.
    let mut is_done = vec![false; mesh.face_count()];
    let mut open = Vec::new();
    match placement {
        Placement::Face => {
            open.push(start);
            while let Some(face) = open.pop() {
                for corner in mesh.face_corners(face as usize) {
                    let mut other = topology.across(corner);
                    while other != corner {
                        let neighbour = topology.face_of(other) as u32;
                        if meet(neighbour) {
                            open.push(neighbour);
                        }
                        other = topology.across(other);
                    }
                }
            }
        }
        Placement::Vertex => {
            open.push(start);
            let mut is_point_done = vec![false; mesh.vertex_count()];
            while let Some(vertex) = open.pop() {
                let point = topology.point_of(vertex as usize);
                if std::mem::replace(&mut is_point_done[point], true) {
                    continue;
                }
                for &corner in topology.corners_at(vertex as usize) {
                    let face = topology.face_of(corner as usize);
                    if std::mem::replace(&mut is_done[face], true) {
                        continue;
                    }
                    for &other in mesh.face_vertices(face) {
                        if meet(other) {
                            open.push(other);
                        }
                    }
                }
            }
        }
        Placement::Corner => {
            let mut is_point_done = vec![false; mesh.vertex_count()];
            let mut points = Vec::new();
            let point_of =
                |corner: usize| topology.point_of(mesh.corner_vertices()[corner] as usize);
            let face = topology.face_of(start as usize);
            is_done[face] = true;
            open.push(face as u32);
            is_point_done[point_of(start as usize)] = true;
            points.push(point_of(start as usize) as u32);
            loop {
                if let Some(face) = open.pop() {
                    for corner in mesh.face_corners(face as usize) {
                        let point = point_of(corner);
                        if meet(corner as u32) && !is_point_done[point] {
                            is_point_done[point] = true;
                            points.push(point as u32);
                        }
                    }
                } else if let Some(point) = points.pop() {
                    for &corner in topology.corners_at(point as usize) {
                        let face = topology.face_of(corner as usize);
                        if meet(corner) && !is_done[face] {
                            is_done[face] = true;
                            open.push(face as u32);
                        }
                    }
                } else {
                    break;
                }
            }
        }
    }
    let count = reached.len() as u32;
    (0..count).into_par_iter().filter(|&i| reached[i as usize] == Reached::Yes).collect()
}

#[derive(Clone, Copy, PartialEq)]
enum Reached {
    /// It has another value.
    Never,
    Not,
    Yes,
}

/// The elements at edges that only one face has.
pub fn at_borders(geometry: &Geometry, placement: Placement) -> Vec<u32> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let mut is_in = vec![false; placement.count(mesh)];
    for face in 0..mesh.face_count() {
        let corners = mesh.face_corners(face);
        for corner in corners.clone().filter(|&corner| topology.across(corner) == corner) {
            let next = if corner + 1 < corners.end { corner + 1 } else { corners.start };
            for end in [corner, next] {
                let element = match placement {
                    Placement::Vertex => mesh.corner_vertices()[end] as usize,
                    Placement::Corner => end,
                    Placement::Face => face,
                };
                is_in[element] = true;
            }
        }
    }
    (0..is_in.len() as u32).filter(|&element| is_in[element as usize]).collect()
}
