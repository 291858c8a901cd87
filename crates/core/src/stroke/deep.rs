//! The *deep* footprint: everything within the radius in space, hidden faces too.

use super::footprint::Elements;
use crate::geometry::{Geometry, bvh::Hit};

/// Covers what lies within the radius of a hit, with the distance in space.
pub fn cover(elements: &mut Elements, geometry: &Geometry, hit: &Hit, radius: f32) {
    let placed = elements.placed;
    let middle = placed.to_project(hit.point);
    let inside = |point: glam::Vec3| {
        let distance = point.distance(middle) / radius;
        (distance <= 1.0).then_some(distance)
    };
    // Elements lie on their faces, so every covered one belongs to a face that the ball meets.
    geometry.bvh().visit_within(hit.point, placed.longest_in_part(radius), |face| {
        elements.gather(geometry.mesh(), face as usize, hit.face, inside);
    });
}
