//! A mesh as fine as an image, or as the colors of another part, need it, and nowhere finer.
//!
//! What vertices can show runs evenly between them. Where that differs from what is to be shown by more
//! than a difference, triangles are split at their longest edges, and looked at again.

use std::sync::Arc;

use glam::{Affine3A, Vec2, Vec3, Vec4};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use speckle_color::{Encoding, Linear, difference::ciede2000};
use speckle_mesh::{Geometry, Mesh, MeshError, remap::Remap};
use speckle_model::{ImageRecord, Part};

use crate::{
    bake::{
        image::{Image, Mapping},
        watch::{GivenUp, Watch},
    },
    finer,
    image_file::ImageFile,
    on_surface::middles,
    transfer::{Colors, Source},
};

/// What a mesh is to be fine enough for.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = DetailFor))]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
pub enum For {
    /// An image of the project, by texture coordinates.
    Image {
        /// The image, by its name.
        image: String,
        /// The set of texture coordinates, from 0.
        #[serde(default)]
        uv_set: usize,
    },
    /// A set of another part, where that lies nearest.
    Part {
        /// The part, by its name.
        part: String,
        /// Its set, by its name.
        set: String,
    },
}

/// How fine a mesh becomes.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = DetailRules))]
#[serde(deny_unknown_fields)]
pub struct Rules {
    /// For what.
    pub of: For,
    /// By how much what vertices show may differ, CIEDE2000.
    pub difference: f32,
    /// Edges shorter than this are not split, in the project's unit.
    pub shortest: f32,
}

/// Why a mesh stays as it is.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum DetailError {
    /// A number makes no sense.
    #[error("the difference and the shortest edge are numbers above 0")]
    Unsound,
    /// There is no such image.
    #[error("the image {0} is not in the project: bring it in first, or choose another")]
    NoImage(String),
    /// An image cannot be unpacked.
    #[error("the image {name} {cause}")]
    UnreadImage {
        /// Its name.
        name: String,
        /// Why.
        cause: String,
    },
    /// The part has no such texture coordinates.
    #[error(
        "{0} has no texture coordinates by which an image could lie: lay it out for images first"
    )]
    NoUvs(String),
    /// There is no such part or set.
    #[error("there is no set {set} on a part {part}: choose another")]
    NoSet {
        /// The part's name.
        part: String,
        /// The set's name.
        set: String,
    },
    /// The part would follow itself.
    #[error("a part is as fine as it is for its own colors: choose another part, or an image")]
    Itself,
    /// It is fine enough.
    #[error("nothing would change: it shows all of that within the difference already")]
    FineEnough,
    /// What came of it is no mesh.
    #[error(transparent)]
    Mesh(#[from] MeshError),
    /// It was given up.
    #[error("it was given up")]
    GivenUp,
}

impl From<GivenUp> for DetailError {
    fn from(_: GivenUp) -> Self {
        Self::GivenUp
    }
}

/// What vertices cannot show.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Lost {
    /// The mean over the surface, CIEDE2000.
    pub mean: f32,
    /// What 95 % of the surface lie below.
    pub most_of_it: f32,
    /// The largest.
    pub most: f32,
    /// The share of the surface that differs by more than was asked.
    pub over: f32,
}

/// A part fine enough, and what was and is lost.
pub(super) struct Detailed {
    pub(super) mesh: Mesh,
    pub(super) remap: Remap,
    pub(super) before: Lost,
    pub(super) after: Lost,
    /// How far off each face is before.
    pub(super) heat: Vec<f32>,
    /// Whether it stopped since there were too many faces.
    pub(super) is_bounded: bool,
}

/// What is to be shown at a place of a triangle.
enum Truth<'a> {
    Image { image: Arc<Image>, uv_set: usize, mapping: Mapping },
    Part(Colors<'a>),
}

/// A triangle: where its corners are in the project, and in the image.
struct Tile {
    at: [Vec3; 3],
    uv: [Vec2; 3],
    normal: Vec3,
}

impl Tile {
    fn area(&self) -> f32 {
        (self.at[1] - self.at[0]).cross(self.at[2] - self.at[0]).length() / 2.0
    }
}

/// Where a triangle is looked at beside its corners: the middles of four rows, which lie evenly.
const ROWS: usize = 4;

impl Truth<'_> {
    /// The color at a place of a triangle, over a share of its area.
    fn at(&self, tile: &Tile, weights: [f32; 3], share: f32) -> Vec4 {
        match self {
            Self::Image { image, mapping, .. } => {
                let uv: Vec2 = tile.uv.into_iter().zip(weights).map(|(uv, w)| uv * w).sum();
                let size = Vec2::from(image.size().map(|size| size as f32));
                let [a, b, c] = tile.uv.map(|uv| uv * size);
                let pixels = (b - a).perp_dot(c - a).abs() / 2.0 * share;
                let at = Vec2::new(uv.x, 1.0 - uv.y);
                let at = if at.is_finite() { at } else { Vec2::ZERO };
                Vec4::from_array(image.mean_about(at, pixels, mapping, true).0)
            }
            Self::Part(colors) => {
                let at: Vec3 = tile.at.into_iter().zip(weights).map(|(p, w)| p * w).sum();
                colors.at(at, tile.normal)
            }
        }
    }

    /// The largest difference between what is to be shown on a triangle and what its corners show.
    fn lost(&self, tile: &Tile) -> f32 {
        let corner = |i: usize| {
            let mut weights = [0.0; 3];
            weights[i] = 1.0;
            self.at(tile, weights, 1.0 / 3.0)
        };
        let corners = [0, 1, 2].map(corner);
        let n = (ROWS * ROWS) as f32;
        let off = middles(ROWS).map(|weights| {
            let even: Vec4 = corners.into_iter().zip(weights).map(|(c, w)| c * w).sum();
            let stored = |linear: Vec4| Encoding::Color.stored(Linear(linear.to_array()));
            ciede2000(stored(even), stored(self.at(tile, weights, 1.0 / n)))
        });
        off.fold(0.0, f32::max)
    }
}

/// Makes a part, whose faces are triangles, fine enough.
pub(super) fn detail(
    part: &Part,
    rules: &Rules,
    images: &[ImageRecord],
    parts: &[Part],
    watch: &Watch,
) -> Result<Detailed, DetailError> {
    let is_number = |x: f32| x.is_finite() && x > 0.0;
    if !is_number(rules.difference) || !is_number(rules.shortest) {
        return Err(DetailError::Unsound);
    }
    let to_project = part.traits.transform.to_project();
    let source;
    let truth = match &rules.of {
        For::Image { image: name, uv_set } => {
            if part.geometry.mesh().uv_sets().len() <= *uv_set {
                return Err(DetailError::NoUvs(part.traits.name.clone()));
            }
            let found = images.iter().find(|image| image.name == *name);
            let found = found.ok_or_else(|| DetailError::NoImage(name.clone()))?;
            let image = ImageFile::new(found.file.clone()).and_then(|file| file.image());
            let unread = |cause| DetailError::UnreadImage { name: name.clone(), cause };
            let mapping = Mapping { encoding: Encoding::Color, ..Mapping::default() };
            Truth::Image { image: image.map_err(unread)?, uv_set: *uv_set, mapping }
        }
        For::Part { part: name, set } => {
            if *name == part.traits.name {
                return Err(DetailError::Itself);
            }
            let none = || DetailError::NoSet { part: name.clone(), set: set.clone() };
            let other = parts.iter().find(|other| other.traits.name == *name).ok_or_else(none)?;
            let own = other.products().find(|own| own.name == *set).ok_or_else(none)?;
            source = Source::of_set(other, own);
            Truth::Part(Colors::new(&source)?)
        }
    };
    watch.check()?;
    let (heat, before) = measured(&part.geometry, &to_project, &truth, rules.difference);
    if before.over == 0.0 {
        return Err(DetailError::FineEnough);
    }
    let mut geometry = Geometry::new(part.geometry.mesh().clone());
    let faces: Vec<u32> = (0_u32..)
        .zip(&heat)
        .filter(|(_, heat)| **heat > rules.difference)
        .map(|(f, _)| f)
        .collect();
    let (come, _, remap) = geometry.edit(|edit| {
        let is_coarse = |mesh: &Mesh, corners: [usize; 3]| {
            let tile = tile_of(mesh, corners, &truth, &to_project);
            let [a, b, c] = tile.at;
            let longest = a.distance(b).max(b.distance(c)).max(c.distance(a));
            longest > rules.shortest && truth.lost(&tile) > rules.difference
        };
        finer::refine_where(edit, faces, &to_project, is_coarse, watch)
    });
    watch.check()?;
    if come == 0 {
        return Err(DetailError::FineEnough);
    }
    let mesh = geometry.mesh().clone();
    let (_, after) = measured(&Geometry::new(mesh.clone()), &to_project, &truth, rules.difference);
    let is_bounded = come >= finer::MOST_NEW;
    Ok(Detailed { mesh, remap, before, after, heat, is_bounded })
}

fn tile_of(mesh: &Mesh, corners: [usize; 3], truth: &Truth, to_project: &Affine3A) -> Tile {
    let at = corners.map(|corner| to_project.transform_point3(mesh.corner_position(corner)));
    let uv = match truth {
        Truth::Image { uv_set, .. } => {
            let uvs = &mesh.uv_sets()[*uv_set].uvs;
            corners.map(|corner| uvs[corner])
        }
        Truth::Part(_) => [Vec2::ZERO; 3],
    };
    let normal = (at[1] - at[0]).cross(at[2] - at[0]).normalize_or_zero();
    Tile { at, uv, normal }
}

/// How far off each face is, and all of them.
fn measured(
    geometry: &Geometry,
    to_project: &Affine3A,
    truth: &Truth,
    difference: f32,
) -> (Vec<f32>, Lost) {
    let mesh = geometry.mesh();
    let of_face = |face: usize| {
        let range = mesh.face_corners(face);
        let tile = tile_of(mesh, [0, 1, 2].map(|i| range.start + i), truth, to_project);
        (truth.lost(&tile), tile.area())
    };
    let mut off: Vec<(f32, f32)> =
        (0..mesh.face_count()).into_par_iter().with_min_len(64).map(of_face).collect();
    let heat = off.iter().map(|(heat, _)| *heat).collect();
    let whole: f64 = off.iter().map(|(_, area)| f64::from(*area)).sum();
    let whole = whole.max(f64::MIN_POSITIVE);
    let sum: f64 = off.iter().map(|&(heat, area)| f64::from(heat) * f64::from(area)).sum();
    let over: f64 =
        off.iter().filter(|(heat, _)| *heat > difference).map(|(_, area)| f64::from(*area)).sum();
    off.par_sort_by(|a, b| a.0.total_cmp(&b.0));
    let mut so_far = 0.0;
    let below = off.iter().find(|(_, area)| {
        so_far += f64::from(*area);
        so_far >= 0.95 * whole
    });
    let lost = Lost {
        mean: (sum / whole) as f32,
        most_of_it: below.map_or(0.0, |(heat, _)| *heat),
        most: off.last().map_or(0.0, |(heat, _)| *heat),
        over: (over / whole) as f32,
    };
    (heat, lost)
}
