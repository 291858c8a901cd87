//! What light makes of a material: that of a proof, in linear light.
//!
//! The stage reckons the same on the graphics card (`lookMaterial.ts`); closed forms are tested here.

use glam::Vec3;
use speckle_color::linear_from_srgb;
use speckle_mesh::UpAxis;
use speckle_model::proof::{Lamp, Lights};

use crate::mix::Mixed;

/// Where a lamp stands, from the model's middle, unit length: in front of it at no turn, to the right from there.
#[must_use]
pub fn way_to(lamp: &Lamp, up: UpAxis) -> Vec3 {
    let (sin, cos) = lamp.turn.to_radians().sin_cos();
    let (high, flat) = lamp.height.to_radians().sin_cos();
    match up {
        UpAxis::Y => Vec3::new(sin * flat, high, cos * flat),
        UpAxis::Z => Vec3::new(sin * flat, -cos * flat, high),
    }
}

/// Lights as they are reckoned with.
#[derive(Clone, Debug, PartialEq)]
pub struct Lit {
    /// Where each lamp stands, and its light.
    lamps: Vec<(Vec3, Vec3)>,
    rim: f32,
    even: f32,
    exposure: f32,
}

impl Lit {
    /// Those of a proof, in a project of this way up.
    #[must_use]
    pub fn of(lights: &Lights, up: UpAxis) -> Self {
        let lamp = |lamp: &Lamp| {
            let color = Vec3::from(lamp.color.map(linear_from_srgb));
            (way_to(lamp, up), color * lamp.strength)
        };
        Self {
            lamps: lights.lamps.iter().map(lamp).collect(),
            rim: lights.rim,
            even: lights.even,
            exposure: lights.exposure,
        }
    }

    /// What is seen of a material along a line of sight, of unit length towards the eye, as is the normal.
    ///
    /// A lamp's strength is what a white matt surface (Lambert) that faces it shows. What mirrors is GGX (Walter et
    /// al. 2007) with Smith's shadowing in the form of Hammon (2017) and Schlick's Fresnel (1994); of even light, the
    /// fit that Karis gave (2014; its constants from memory), brought up to what a white furnace asks for
    /// (Fdez-Agüera 2019).
    #[must_use]
    pub fn seen(&self, of: &Mixed, normal: Vec3, sight: Vec3) -> Vec3 {
        let nv = normal.dot(sight).clamp(1e-4, 1.0);
        let rough = of.rough.clamp(0.045, 1.0);
        let alpha = rough * rough;
        let a2 = alpha * alpha;
        let color = Vec3::from(of.color);
        let mirrored = Vec3::splat(0.04).lerp(color, of.metal);
        let matt = color * (1.0 - of.metal);
        let fit =
            [1.0 - rough, 0.0425 - 0.0275 * rough, 1.04 - 0.572 * rough, 0.022 * rough - 0.04];
        let grazing = (fit[0] * fit[0]).min((-9.28 * nv).exp2()) * fit[0] + fit[1];
        let share = [-1.04 * grazing + fit[2], 1.04 * grazing + fit[3]];
        let back = |mirrored: Vec3| {
            (mirrored * share[0] + share[1])
                * (1.0 + mirrored * (1.0 / (share[0] + share[1]) - 1.0))
        };
        let (plain, metal) = (back(Vec3::splat(0.04)), back(color));
        let mut light = self.even * (color * (1.0 - plain) + plain).lerp(metal, of.metal);
        let through = 0.5 * of.through;
        let around = Vec3::new(0.5, 0.25, 0.15) * of.soft;
        let all = (1.0 + around) * (1.0 + around);
        for &(to, lamp) in &self.lamps {
            let nl = normal.dot(to);
            let facing = (nl + around).max(Vec3::ZERO) / all;
            let behind = (-nl + around).max(Vec3::ZERO) / all;
            light += lamp * matt * facing.lerp(behind, through);
            if nl <= 0.0 {
                continue;
            }
            let half = (to + sight).normalize();
            let nh = normal.dot(half).clamp(0.0, 1.0);
            let d = nh * nh * (a2 - 1.0) + 1.0;
            let between = 2.0 * nl * nv;
            let visible = 0.5 / (between + (nl + nv - between) * alpha).max(1e-4);
            let grazing = (1.0 - half.dot(sight).clamp(0.0, 1.0)).powi(5);
            let fresnel = mirrored + (1.0 - mirrored) * grazing;
            light += lamp * nl * fresnel * (a2 / (d * d) * visible);
        }
        light += self.rim * (1.0 - nv).powi(3) + Vec3::from(of.glow);
        light.max(Vec3::ZERO) * self.exposure.exp2()
    }
}
