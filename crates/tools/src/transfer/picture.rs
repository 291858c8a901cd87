//! What an image shows on a source, by the source's texture coordinates.
//!
//! An image is mostly finer than both surfaces. Each triangle of the target is looked at in many
//! places, each of which finds its own on the source and takes the mean of the image over its share of
//! the area; what they find counts at the corners by their hats, as everything else that lands there.

use glam::{Vec2, Vec4};
use rayon::prelude::*;
use speckle_color::{Encoding, Linear};
use speckle_mesh::Placement;
use speckle_model::{ImageRecord, Material, Materials};

use super::{
    Met,
    ground::{Found, Ground},
    landing::share_of_mean,
    search::Search,
};
use crate::{
    bake::image::{Image, Mapping, uncovered},
    image_file::ImageFile,
    on_surface::middles,
};

/// An image that a source shows, by its texture coordinates.
#[derive(Clone, Debug)]
pub struct SourceImage {
    /// What it is called.
    pub name: String,
    /// Its pixels.
    pub file: ImageFile,
    /// The set of texture coordinates by which it lies, from 0.
    pub uv_set: usize,
}

impl SourceImage {
    /// Images as they lie on a part: each by the coordinates that a material of it says, else by the
    /// first. One that cannot be read is left out.
    pub fn on<'a>(
        materials: &'a Materials,
        images: &'a [ImageRecord],
    ) -> impl Iterator<Item = Self> + use<'a> {
        images.iter().filter_map(|ImageRecord { name, file }| {
            let says = |uses: &&Material| uses.image.as_ref() == Some(name);
            let uv_set = materials.list.iter().find(says).map_or(0, |uses| uses.uv_set);
            let file = ImageFile::new(file.clone()).ok()?;
            Some(Self { name: name.clone(), file, uv_set })
        })
    }
}

/// How many pixels a place may stand for before more places are looked at.
const PIXELS: f64 = 4.0;

/// The most places across a triangle, and over the whole target.
const MOST_ACROSS: usize = 8;
const MOST_PLACES: usize = 1 << 21;

/// An image on a source that was searched.
pub(super) struct Shown<'a> {
    image: &'a Image,
    uvs: &'a [Vec2],
    mapping: Mapping,
    search: &'a Search<'a>,
    /// Pixels of the image on a unit of area of the project, for each triangle of the source.
    dense: Vec<f32>,
}

/// What was seen at a place, or at several by how much each counts.
#[derive(Clone, Copy, Default)]
struct Seen {
    sum: Vec4,
    weight: f32,
}

impl Seen {
    fn add(&mut self, seen: Vec4, weight: f32) {
        self.sum += seen * weight;
        self.weight += weight;
    }
}

impl<'a> Shown<'a> {
    /// `uvs` has an entry for each corner of the source.
    pub(super) fn new(
        image: &'a Image,
        uvs: &'a [Vec2],
        encoding: Encoding,
        search: &'a Search<'a>,
    ) -> Self {
        let source = search.source();
        let [width, height] = image.size().map(|size| size as f32);
        let corners = source.geometry.triangulation().corners();
        let dense = |triangle: usize| {
            let [a, b, c] = corners[triangle].map(|corner| uvs[corner as usize]);
            let pixels = (b - a).perp_dot(c - a).abs() * width * height;
            let [a, b, c] = source.triangle(triangle as u32);
            let area = (b - a).cross(c - a).length();
            let dense = pixels / area;
            if dense.is_finite() { dense } else { 0.0 }
        };
        let dense = (0..corners.len()).into_par_iter().map(dense).collect();
        let mapping = Mapping { encoding, is_covering: true, ..Mapping::default() };
        Self { image, uvs, mapping, search, dense }
    }

    /// The image about a place, over so much of the project's area.
    fn at(&self, found: &Found, area: f32) -> Vec4 {
        let corners = self.search.source().geometry.triangulation().corners();
        let uvs = corners[found.triangle as usize].map(|corner| self.uvs[corner as usize]);
        let at: Vec2 = uvs.into_iter().zip(found.weights).map(|(uv, weight)| uv * weight).sum();
        let at = Vec2::new(at.x, 1.0 - at.y);
        let at = if at.is_finite() { at } else { Vec2::ZERO };
        let pixels = area * self.dense[found.triangle as usize];
        Vec4::from_array(self.image.mean_about(at, pixels, &self.mapping, true).0)
    }

    /// What each element of a placement of the target sees of it.
    pub(super) fn values(&self, placement: Placement) -> Vec<Option<Met>> {
        let target = self.search.target();
        let mesh = target.geometry.mesh();
        let count = placement.count(mesh);
        let found = self.search.of(placement, true);
        let spread = self.spread(placement, count);
        let encoding = self.mapping.encoding;
        let area = areas(target, placement);
        let at = |element: usize| {
            let place = found.at(element)?;
            let pixels = area[element] * self.dense[place.triangle as usize];
            let share = share_of_mean(pixels, Placement::Vertex);
            let Seen { sum, weight } = spread[element];
            let seen = match share > 0.0 && weight > 0.0 {
                true if share >= 1.0 => sum / weight,
                true => self.at(&place, 0.0).lerp(sum / weight, share),
                false => self.at(&place, 0.0),
            };
            let seen = match self.image.is_transparent() {
                true => uncovered(Linear(seen.to_array())),
                false => Linear(seen.to_array()),
            };
            let exact = Some(encoding.stored(seen));
            Some(Met { linear: Vec4::from_array(seen.0), exact, distance: place.distance })
        };
        (0..count).into_par_iter().with_min_len(256).map(at).collect()
    }

    /// What is seen in places spread over each triangle of the target, for the elements at its corners.
    fn spread(&self, placement: Placement, count: usize) -> Vec<Seen> {
        let target = self.search.target();
        let own = target.geometry.triangulation().corners();
        let across = self.across(target, own.len());
        let weights: Vec<[f32; 3]> = middles(across).collect();
        let looked = self.search.spread(across, |triangle, found| -> [Seen; 3] {
            let [a, b, c] = target.triangle(triangle as u32);
            let area = (b - a).cross(c - a).length() / 2.0 / (across * across) as f32;
            let mut seen = [Seen::default(); 3];
            for (weights, found) in weights.iter().zip(found) {
                let Some(found) = found else { continue };
                let shown = self.at(found, area);
                seen.iter_mut().zip(weights).for_each(|(seen, w)| seen.add(shown, area * w));
            }
            seen
        });
        // In one order, so that the number of cores changes nothing.
        let mut all = vec![Seen::default(); count];
        for (&corners, seen) in own.iter().zip(looked) {
            for (corner, seen) in corners.into_iter().zip(seen) {
                let element = target.geometry.element_at(placement, corner as usize);
                all[element].sum += seen.sum;
                all[element].weight += seen.weight;
            }
        }
        all
    }

    /// How many places lie side by side in each triangle of the target.
    fn across(&self, target: &Ground, triangles: usize) -> usize {
        let source = self.search.source();
        let pixels: f64 = (self.dense.iter().enumerate())
            .map(|(triangle, &dense)| {
                let [a, b, c] = source.triangle(triangle as u32);
                f64::from((b - a).cross(c - a).length() / 2.0) * f64::from(dense)
            })
            .sum();
        let whole = source.mean_area() * self.dense.len() as f64;
        let each = pixels / whole.max(f64::MIN_POSITIVE) * target.mean_area();
        let most = (MOST_PLACES / triangles.max(1)).isqrt().clamp(1, MOST_ACROSS);
        ((each / PIXELS).sqrt().ceil() as usize).clamp(1, most)
    }
}

/// The area that each element of a placement stands for, in the project's unit.
fn areas(target: &Ground, placement: Placement) -> Vec<f32> {
    let mut areas = vec![0.0; placement.count(target.geometry.mesh())];
    for (triangle, &corners) in target.geometry.triangulation().corners().iter().enumerate() {
        let [a, b, c] = target.triangle(triangle as u32);
        let third = (b - a).cross(c - a).length() / 6.0;
        for corner in corners {
            areas[target.geometry.element_at(placement, corner as usize)] += third;
        }
    }
    areas
}
