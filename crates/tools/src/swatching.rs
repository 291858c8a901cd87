//! Swatches from colors: every face in the nearest, gradients by dithering, specks swept up, borders smoothed.

use glam::{Affine3A, Vec3};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use speckle_color::{Linear, Rgba};
use speckle_model::{Part, swatches::Swatch};

use crate::{
    separation::{Shown, separate, shown_on, unit_from_byte},
    sweep::{Limits, Regions},
};

/// How swatches are made of colors.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = SwatchMaking))]
#[serde(deny_unknown_fields)]
pub struct Making {
    /// How many swatches at most: of the palette where it has any, else of the colors.
    pub most: u8,
    /// Regions smaller than this go to what lies beside them, in square steps of the project's unit.
    #[serde(default)]
    pub smallest: f64,
    /// How often borders are smoothed.
    #[serde(default)]
    pub smooth: u8,
    /// How wide the cells are in which colors between two swatches are mixed by a pattern, in the project's
    /// unit; left out, each face has the nearest swatch.
    #[serde(default)]
    pub dither: Option<f32>,
}

/// Borders are smoothed so often at most.
pub const MOST_SMOOTHING: u8 = 50;

impl Making {
    /// What is wrong with it, said for the user.
    #[must_use]
    pub fn problem(&self) -> Option<&'static str> {
        if !(1..=16).contains(&self.most) {
            Some("between 1 and 16 swatches can be asked for")
        } else if !(self.smallest >= 0.0 && self.smallest.is_finite()) {
            Some("the smallest area is a number from 0 on")
        } else if self.smooth > MOST_SMOOTHING {
            Some("borders are smoothed 50 times at most")
        } else if self.dither.is_some_and(|cell| !(cell > 0.0 && cell.is_finite())) {
            Some("the cells of a pattern are wider than 0")
        } else {
            None
        }
    }
}

/// Thresholds of ordered dithering, in sixteenths (Bayer 1973).
const PATTERN: [[u8; 4]; 4] = [[0, 8, 2, 10], [12, 4, 14, 6], [3, 11, 1, 9], [15, 7, 13, 5]];

/// The swatches that serve parts, and the place of one for each face of each. The first set of a part is what
/// counts.
#[must_use]
pub fn made(parts: &[Part], palette: &[Swatch], making: &Making) -> (Vec<Swatch>, Vec<Vec<u8>>) {
    let separated = separate(parts, palette, making.most);
    let swatches = separated.swatches;
    let of_faces = parts.par_iter().zip(separated.of_faces).map(|(part, mut faces)| {
        if let Some(cell) = making.dither {
            dithered(part, palette, &swatches, cell, &mut faces);
        }
        for _ in 0..making.smooth {
            if !smoothed(part, &mut faces) {
                break;
            }
        }
        if making.smallest > 0.0 {
            let to_project = part.traits.transform.to_project();
            let regions = Regions::of(&part.geometry, &faces, &to_project);
            let limits = Limits { area: making.smallest, width: 0.0 };
            faces = regions.absorbed(&regions.specks(&limits));
        }
        faces
    });
    let of_faces = of_faces.collect();
    (swatches, of_faces)
}

/// Gives faces whose color lies between two swatches one or the other, by a pattern laid over the surface along
/// the axis that it looks most.
fn dithered(part: &Part, palette: &[Swatch], swatches: &[Swatch], cell: f32, faces: &mut [u8]) {
    let light = |color: [f32; 3]| -> Vec3 {
        let Linear([r, g, b, _]) = Linear::of([color[0], color[1], color[2], 1.0] as Rgba);
        Vec3::new(r, g, b)
    };
    let theirs: Vec<Vec3> = swatches.iter().map(|swatch| light(swatch.color)).collect();
    let shown: Vec<Shown> = shown_on(part, palette);
    let to_project = part.traits.transform.to_project();
    let mesh = part.geometry.mesh();
    faces.par_iter_mut().enumerate().for_each(|(face, own)| {
        let color = light(shown[face].map(unit_from_byte));
        let from = theirs[usize::from(*own)];
        // The swatch towards which the color lies farthest, on the way between the two.
        let towards = (0..theirs.len()).filter(|&other| other != usize::from(*own)).map(|other| {
            let way = theirs[other] - from;
            let share = (color - from).dot(way) / way.length_squared().max(f32::MIN_POSITIVE);
            let off = color.distance(from + way * share.clamp(0.0, 1.0));
            (other, share, off)
        });
        let best = towards.min_by(|a, b| a.2.total_cmp(&b.2));
        let Some((other, share, _)) = best else { return };
        let looks = to_project.transform_vector3(mesh.face_area_vector(face)).abs();
        let at = to_project.transform_point3(mesh.face_centroid(face)) / cell;
        let (u, v) = match looks.max_position() {
            0 => (at.y, at.z),
            1 => (at.x, at.z),
            _ => (at.x, at.y),
        };
        let index = |x: f32| (x.floor() as i64).rem_euclid(4) as usize;
        let threshold = (f32::from(PATTERN[index(v)][index(u)]) + 0.5) / 16.0;
        if share > threshold {
            *own = other as u8;
        }
    });
}

/// Lets faces go to the swatch that has more than half of their border; whether any did.
fn smoothed(part: &Part, faces: &mut [u8]) -> bool {
    let (mesh, topology) = (part.geometry.mesh(), part.geometry.topology());
    let to_project: Affine3A = part.traits.transform.to_project();
    let at = |corner: usize| to_project.transform_point3(mesh.corner_position(corner));
    let before = faces.to_vec();
    let turned: Vec<(usize, u8)> = (0..faces.len())
        .into_par_iter()
        .filter_map(|face| {
            let corners = mesh.face_corners(face);
            let mut lengths: Vec<(u8, f32)> = Vec::new();
            let mut whole = 0.0;
            for corner in corners.clone() {
                let next = if corner + 1 == corners.end { corners.start } else { corner + 1 };
                let length = at(corner).distance(at(next));
                whole += length;
                for other in topology.around(corner).skip(1).take(1) {
                    let swatch = before[topology.face_of(other)];
                    match lengths.iter_mut().find(|(own, _)| *own == swatch) {
                        Some((_, sum)) => *sum += length,
                        None => lengths.push((swatch, length)),
                    }
                }
            }
            let (swatch, length) = lengths.into_iter().max_by(|a, b| a.1.total_cmp(&b.1))?;
            (swatch != before[face] && length > whole / 2.0).then_some((face, swatch))
        })
        .collect();
    turned.iter().for_each(|&(face, swatch)| faces[face] = swatch);
    !turned.is_empty()
}
