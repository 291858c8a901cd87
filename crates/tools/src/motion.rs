//! How far a look moves a place that wears it.
//!
//! The shading code that looks are written as (`speckle-formats`, `shader/motion.rs`) reckons the same.

use std::f32::consts::TAU;

use glam::{IVec3, Vec3};
use speckle_mesh::UpAxis;
use speckle_model::proof::{Motion, Wind};

use crate::mix::{Place, factor};

/// Where a wind blows to, unit length, in a project of this way up.
#[must_use]
pub fn way(wind: &Wind, up: UpAxis) -> Vec3 {
    let (sin, cos) = wind.direction.to_radians().sin_cos();
    match up {
        UpAxis::Y => Vec3::new(sin, 0.0, cos),
        UpAxis::Z => Vec3::new(sin, -cos, 0.0),
    }
}

/// How far of its way what sways is at a time, seconds, 0–1.
#[must_use]
pub fn swing(wind: &Wind, seconds: f32, phase: f32) -> f32 {
    let wave = |rate: f32| (TAU * (rate * wind.speed * seconds + phase)).sin();
    0.5 + 0.5 * wave(1.0) * (1.0 - wind.gusts * (0.5 + 0.5 * wave(0.37)))
}

/// How far a place of a part is moved at a time, in the part's space; `to` is where the wind blows to there.
pub fn moved(
    motion: &Motion,
    here: &impl Place,
    at: (Vec3, Vec3),
    wind: (&Wind, Vec3),
    seconds: f32,
) -> Vec3 {
    let ((place, normal), (wind, to)) = (at, wind);
    let mut by = Vec3::ZERO;
    if let Some(sway) = &motion.sway {
        let phase = sway.phase.as_ref().map_or(0.0, |own| factor(own, here));
        by +=
            to * (wind.strength * swing(wind, seconds, phase) * sway.far * factor(&sway.by, here));
    }
    if let Some(push) = &motion.push {
        let weight = factor(&push.by, here);
        by += normal * (push.far * if push.signed { 2.0 * weight - 1.0 } else { weight });
    }
    if let Some(own) = &motion.disturb {
        let drift = Vec3::splat(own.speed * seconds);
        by += noise(place / own.width + drift) * (own.far * factor(&own.by, here));
    }
    by
}

/// Three numbers from −1 to 1 that change smoothly in space: between the corners of a lattice (Perlin's quintic of
/// 2002), whose numbers are the hash PCG3D (Jarzynski and Olano, Hash Functions for GPU Rendering, 2020).
#[must_use]
pub fn noise(place: Vec3) -> Vec3 {
    let low = place.floor();
    let f = place - low;
    let s = f * f * f * (f * (f * 6.0 - 15.0) + 10.0);
    let corner = |x: i32, y: i32, z: i32| {
        let [x, y, z] = (low.as_ivec3() + IVec3::new(x, y, z)).to_array().map(i32::cast_unsigned);
        Vec3::from(pcg3d([x, y, z]).map(|n| (n >> 8) as f32 / 8_388_608.0 - 1.0))
    };
    let row = |y: i32, z: i32| corner(0, y, z).lerp(corner(1, y, z), s.x);
    let sheet = |z: i32| row(0, z).lerp(row(1, z), s.y);
    sheet(0).lerp(sheet(1), s.z)
}

fn pcg3d(v: [u32; 3]) -> [u32; 3] {
    let [mut x, mut y, mut z] = v.map(|n| n.wrapping_mul(1_664_525).wrapping_add(1_013_904_223));
    for turn in 0..2 {
        x = x.wrapping_add(y.wrapping_mul(z));
        y = y.wrapping_add(z.wrapping_mul(x));
        z = z.wrapping_add(x.wrapping_mul(y));
        if turn == 0 {
            [x, y, z] = [x ^ (x >> 16), y ^ (y >> 16), z ^ (z >> 16)];
        }
    }
    [x, y, z]
}
