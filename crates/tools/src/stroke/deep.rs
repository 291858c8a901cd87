//! The *deep* footprint: everything within the radius in space, hidden faces too.

use speckle_mesh::Geometry;

use super::elements::{DabPlace, Elements};

/// Covers what lies within the radius of a touch, with the distance in space.
pub fn cover(elements: &mut Elements, geometry: &Geometry, touch: &DabPlace, radius: f32) {
    let placed = elements.placed;
    let middle = touch.middle;
    let inside = |point: glam::Vec3| {
        let distance = point.distance(middle) / radius;
        (distance <= 1.0).then_some(distance)
    };
    // Elements lie on their faces, so every covered one belongs to a face that the ball meets.
    let center = placed.to_part(middle);
    let mut faces = Vec::new();
    geometry.bvh().visit_within(center, placed.longest_in_part(radius), |face| faces.push(face));
    // In the order they are stored, as the skin does; a polygon is met by each of its triangles.
    faces.sort_unstable();
    faces.dedup();
    elements.gather_faces(geometry.mesh(), &faces, touch.face, inside);
}
