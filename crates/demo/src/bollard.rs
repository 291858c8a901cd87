//! The mooring bollard: a cast body with a mushroom head on a bolted flange, in millimetres.

use std::f32::consts::TAU;

use glam::{Quat, Vec3};
use speckle_color::Encoding;
use speckle_mesh::Placement;
use speckle_model::{NewPart, NewSet};

use crate::{
    Detail,
    lathe::{Corner, Turned},
};

/// Chalk primer, sRGB-encoded.
const PRIMER: [f32; 4] = [0.85, 0.83, 0.77, 1.0];

const BODY: [Corner; 12] = [
    (0.0, 0.0, 0.0),
    (150.0, 0.0, 4.0),
    (150.0, 24.0, 7.0),
    (104.0, 36.0, 22.0),
    (80.0, 46.0, 18.0),
    (66.0, 110.0, 90.0),
    (68.0, 168.0, 40.0),
    (112.0, 196.0, 14.0),
    (124.0, 206.0, 8.0),
    (122.0, 240.0, 18.0),
    (70.0, 262.0, 60.0),
    (0.0, 270.0, 0.0),
];

const BOLT: [Corner; 6] = [
    (0.0, 0.0, 0.0),
    (17.0, 0.0, 1.0),
    (17.0, 16.0, 2.0),
    (11.0, 17.0, 1.0),
    (10.0, 23.0, 4.0),
    (0.0, 26.0, 0.0),
];

const BOLTS: u32 = 6;

pub fn make(detail: Detail) -> Vec<NewPart> {
    let fine = |count: u32| match detail {
        Detail::Light => count * 2 / 5,
        Detail::Usual => count,
        Detail::Dense => count * 5,
    };
    let mut turned = Turned::default();
    turned.add(&BODY, fine(150), fine(120), cast);
    for bolt in 0..BOLTS {
        let turn = Quat::from_rotation_y((bolt as f32 + 0.5) / BOLTS as f32 * TAU);
        turned.add(&BOLT, fine(22), fine(30), |p| {
            turn * (hexagonal(p) + Vec3::new(127.0, 18.0, 0.0))
        });
    }
    let mesh = turned.mesh();
    let coat = NewSet::flooded("Coat", Placement::Vertex, Encoding::Color, PRIMER, &mesh);
    vec![NewPart::new("Bollard", mesh, vec![coat])]
}

/// The gentle unevenness of sand casting: under a millimetre, except where the rope has worn a
/// shallow waist into the seaward side.
fn cast(p: Vec3) -> Vec3 {
    let around = p.z.atan2(p.x);
    let wave = (around * 3.0 + p.y * 0.031).sin() * 0.5
        + (around * 7.0 - p.y * 0.057 + 1.3).sin() * 0.3
        + (around * 13.0 + p.y * 0.11).sin() * 0.12;
    let worn =
        3.2 * (-((p.y - 128.0) / 26.0).powi(2)).exp() * (0.5 + 0.5 * (around - 0.6).cos()).powi(2);
    let outward = Vec3::new(p.x, 0.0, p.z).normalize_or_zero();
    // The underside stands flat on the quay.
    let lift = (p.y / 8.0).clamp(0.0, 1.0);
    p + outward * (wave - worn) * lift
}

/// Presses the lower, round part of a bolt into a nut.
fn hexagonal(p: Vec3) -> Vec3 {
    let sixth = TAU / 6.0;
    let around = (p.z.atan2(p.x) / sixth).fract();
    let off_flat = (around.rem_euclid(1.0) - 0.5) * sixth;
    let flat = (0.5 * sixth).cos() / off_flat.cos();
    let share =
        ((p.x.hypot(p.z) - 9.0) / 6.0).clamp(0.0, 1.0) * ((19.0 - p.y) / 2.0).clamp(0.0, 1.0);
    let scale = 1.0 + (flat - 1.0) * share;
    Vec3::new(p.x * scale, p.y, p.z * scale)
}

#[cfg(test)]
mod tests {
    use super::*;
    use speckle_mesh::Geometry;

    #[test]
    fn the_bollard_is_seven_closed_pieces_of_a_workable_size() {
        for (detail, range) in [(Detail::Light, 5_000..10_000), (Detail::Usual, 20_000..60_000)] {
            let geometry = Geometry::new(make(detail).remove(0).mesh);
            let triangles = geometry.mesh().triangle_count();
            assert!(range.contains(&triangles), "{triangles} triangles");
            is_seven_closed_pieces(&geometry);
        }
    }

    fn is_seven_closed_pieces(geometry: &Geometry) {
        assert!(geometry.topology().is_watertight());
        assert_eq!(geometry.pieces().count(), 1 + BOLTS as usize);
        // Each closed piece without handles has an Euler number of 2; outward faces enclose more
        // than nothing.
        assert_eq!(geometry.topology().euler_number(), 2 * (1 + i64::from(BOLTS)));
        assert!(geometry.measures().volume > 0.0);
    }
}
