//! Channels of sets rendered into an image: through a set of texture coordinates, or as seen along a
//! direction where there are none.
//!
//! Every pixel is the mean of what its samples meet: colors in linear light, data as plain numbers.
//! Around what is covered, pixels take the mean of their covered neighbours, ring by ring, so that
//! filters at the seams find no background.

use glam::{Vec2, Vec3};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use speckle_color::{Encoding, Linear, linear_from_srgb, srgb_from_linear};
use speckle_mesh::Placement;
use speckle_model::{ColorSet, Part};

use crate::{bake::image::Image, raster::Raster};

/// The largest side of a map, pixels.
pub const MOST_SIDE: usize = 8192;
/// The most samples along each side of a pixel.
pub const MOST_SAMPLES: usize = 8;
/// The widest padding, pixels.
pub const MOST_PADDING: usize = 256;

/// What goes into a channel of a map.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case", tag = "from")]
pub enum MapChannel {
    /// A channel of the set of a name; parts without it show 0.
    Set {
        /// The set's name.
        set: String,
        /// R, G, B or A, as 0 to 3.
        channel: usize,
        /// Whether 1 − the number is written.
        #[serde(default)]
        invert: bool,
    },
    /// The same number everywhere.
    Constant {
        /// The number, 0–1.
        value: f32,
    },
    /// What an image of the project has there.
    Kept {
        /// The image's name.
        image: String,
        /// R, G, B or A, as 0 to 3.
        channel: usize,
    },
    /// 1 where anything is drawn, 0 elsewhere.
    Covered,
}

/// How the surface lies on the map.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case", tag = "kind")]
pub enum MapProjection {
    /// By a set of texture coordinates, from 0.
    Uv {
        /// Which one.
        uv_set: usize,
    },
    /// As seen along a direction: what is nearest hides what is behind it.
    Along {
        /// Where the eye looks, in the project's space.
        direction: [f32; 3],
        /// What is up in the picture.
        up: [f32; 3],
    },
}

/// A map to be rendered.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct MapPlan {
    /// Pixels across.
    pub width: usize,
    /// Pixels down.
    pub height: usize,
    /// How the surface lies on it.
    pub lay: MapProjection,
    /// What R, G, B and A hold.
    pub channels: [MapChannel; 4],
    /// How far colors are drawn out over the seams, pixels.
    #[serde(default = "usual_padding")]
    pub padding: usize,
    /// Samples along each side of a pixel.
    #[serde(default = "usual_samples")]
    pub samples: usize,
}

fn usual_padding() -> usize {
    8
}

fn usual_samples() -> usize {
    2
}

/// Why a map cannot be rendered.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum MapError {
    /// A number of the plan is out of bounds.
    #[error("{0}")]
    Plan(String),
    /// No part has such texture coordinates.
    #[error(
        "no part has a UV set {0}: unwrap one in a modelling program, or look at the parts along an \
         axis instead"
    )]
    NoUvs(usize),
    /// No part has a set of the name.
    #[error("no part has a set {0}: choose one that is there")]
    NoSet(String),
    /// The image is not in the project.
    #[error("the image {0} is not in the project: bring it in first")]
    NoImage(String),
}

/// A rendered map.
#[derive(Clone, Debug, PartialEq)]
pub struct Map {
    /// Pixels across.
    pub width: usize,
    /// Pixels down.
    pub height: usize,
    /// Row by row from the top: numbers as they are stored, colors sRGB-encoded.
    pub pixels: Vec<[f32; 4]>,
    /// Which of R, G, B and A hold color rather than data.
    pub is_color: [bool; 4],
    /// The share of pixels that something is drawn on, before padding.
    pub covered: f32,
}

/// A triangle on the map.
struct Tile<'a> {
    /// In pixels, from the left and from the top.
    at: [Vec2; 3],
    /// How far from the eye; 0 for texture coordinates.
    depth: [f32; 3],
    part: &'a Drawn<'a>,
    corners: [u32; 3],
    face: u32,
}

/// A part with the sets its channels come from.
struct Drawn<'a> {
    part: &'a Part,
    sets: [Option<&'a ColorSet>; 4],
}

impl Drawn<'_> {
    /// The number of a channel at a corner, in light where it is a color's.
    fn light(&self, channel: usize, source: &MapChannel, corner: u32, face: u32) -> f32 {
        let (Some(set), MapChannel::Set { channel: from, .. }) = (self.sets[channel], source)
        else {
            return 0.0;
        };
        let value = match set.placement {
            Placement::Vertex => {
                set.values[self.part.geometry.mesh().corner_vertices()[corner as usize] as usize]
            }
            Placement::Corner => set.values[corner as usize],
            Placement::Face => set.values[face as usize],
        };
        let number = value[*from];
        if is_light(set, *from) { linear_from_srgb(number) } else { number }
    }
}

/// Whether a channel of a set is a color's, and not alpha or data.
fn is_light(set: &ColorSet, channel: usize) -> bool {
    set.encoding == Encoding::Color && channel < 3
}

impl MapPlan {
    fn problem(&self) -> Option<String> {
        let sides = [self.width, self.height];
        if sides.iter().any(|side| !(1..=MOST_SIDE).contains(side)) {
            return Some(format!("a map has 1 to {MOST_SIDE} pixels on each side"));
        }
        if !(1..=MOST_SAMPLES).contains(&self.samples) {
            return Some(format!(
                "1 to {MOST_SAMPLES} samples along each side of a pixel are taken"
            ));
        }
        if self.padding > MOST_PADDING {
            return Some(format!("the padding is {MOST_PADDING} pixels at most"));
        }
        let out = |channel: &MapChannel| match channel {
            MapChannel::Set { channel, .. } | MapChannel::Kept { channel, .. } => *channel > 3,
            MapChannel::Constant { value } => !(0.0..=1.0).contains(value),
            MapChannel::Covered => false,
        };
        if self.channels.iter().any(out) {
            return Some("channels are R, G, B and A, and numbers lie between 0 and 1".to_owned());
        }
        if let MapProjection::Along { direction, up } = self.lay {
            let across = Vec3::from(direction).cross(Vec3::from(up));
            if !across.is_finite() || across.length_squared() < 1e-12 {
                return Some("the direction and what is up must differ".to_owned());
            }
        }
        None
    }
}

/// How many rows of pixels are rendered in one go.
const BAND: usize = 32;

/// Renders a map of parts where they stand.
///
/// # Errors
/// When the plan cannot be followed; says what to do instead.
pub fn render(
    parts: &[Part],
    plan: &MapPlan,
    image: impl Fn(&str) -> Option<std::sync::Arc<Image>>,
) -> Result<Map, MapError> {
    if let Some(problem) = plan.problem() {
        return Err(MapError::Plan(problem));
    }
    let mut is_color = [false; 4];
    let mut kept: [Option<std::sync::Arc<Image>>; 4] = Default::default();
    for (i, channel) in plan.channels.iter().enumerate() {
        match channel {
            MapChannel::Set { set, channel, .. } => {
                let found = parts.iter().flat_map(Part::products).find(|own| own.name == *set);
                let found = found.ok_or_else(|| MapError::NoSet(set.clone()))?;
                is_color[i] = is_light(found, *channel);
            }
            MapChannel::Kept { image: name, .. } => {
                kept[i] = Some(image(name).ok_or_else(|| MapError::NoImage(name.clone()))?);
            }
            _ => {}
        }
    }
    let drawn: Vec<Drawn> = parts
        .iter()
        .map(|part| {
            let set = |channel: &MapChannel| match channel {
                MapChannel::Set { set, .. } => part.products().find(|own| own.name == *set),
                _ => None,
            };
            Drawn { part, sets: std::array::from_fn(|i| set(&plan.channels[i])) }
        })
        .collect();
    let tiles = match plan.lay {
        MapProjection::Uv { uv_set } => by_uv(&drawn, uv_set, plan)?,
        MapProjection::Along { direction, up } => along(&drawn, direction.into(), up.into(), plan),
    };

    // The tiles that each band of rows meets.
    let bands = plan.height.div_ceil(BAND);
    let mut of_bands: Vec<Vec<u32>> = vec![Vec::new(); bands];
    for (number, tile) in tiles.iter().enumerate() {
        let low = tile.at.iter().map(|p| p.y).fold(f32::MAX, f32::min).max(0.0);
        let high = tile.at.iter().map(|p| p.y).fold(f32::MIN, f32::max);
        if high < 0.0 || low > plan.height as f32 {
            continue;
        }
        let last = (high as usize / BAND).min(bands - 1);
        (low as usize / BAND..=last).for_each(|band| of_bands[band].push(number as u32));
    }
    let mut light = vec![Linear::default(); plan.width * plan.height];
    let mut covered = vec![false; plan.width * plan.height];
    light
        .par_chunks_mut(BAND * plan.width)
        .zip(covered.par_chunks_mut(BAND * plan.width))
        .zip(&of_bands)
        .enumerate()
        .for_each(|(band, ((light, covered), own))| {
            rasterise(plan, band * BAND, own, &tiles, light, covered);
        });
    let share = covered.par_iter().filter(|is| **is).count() as f32 / covered.len() as f32;
    let drawn_on = covered.clone();
    pad(plan.width, plan.padding, &mut light, &mut covered);
    let pixels = (0..light.len())
        .into_par_iter()
        .map(|i| {
            let (x, y) = (i % plan.width, i / plan.width);
            std::array::from_fn(|c| match &plan.channels[c] {
                MapChannel::Set { invert, .. } => {
                    let number = light[i].0[c];
                    let number = if is_color[c] { srgb_from_linear(number) } else { number };
                    if *invert && covered[i] { 1.0 - number } else { number }
                }
                MapChannel::Constant { value } => *value,
                MapChannel::Covered => f32::from(u8::from(drawn_on[i])),
                MapChannel::Kept { channel, .. } => kept[c].as_ref().map_or(0.0, |image| {
                    let place = Vec2::new(
                        (x as f32 + 0.5) / plan.width as f32,
                        (y as f32 + 0.5) / plan.height as f32,
                    );
                    image.plain_at(place)[*channel]
                }),
            })
        })
        .collect();
    Ok(Map { width: plan.width, height: plan.height, pixels, is_color, covered: share })
}

/// Into how many squares of texture coordinates a triangle may reach to be drawn in each of them.
const MOST_SQUARES: f32 = 64.0;

fn by_uv<'a>(
    drawn: &'a [Drawn<'a>],
    uv_set: usize,
    plan: &MapPlan,
) -> Result<Vec<Tile<'a>>, MapError> {
    let size = Vec2::new(plan.width as f32, plan.height as f32);
    let mut tiles = Vec::new();
    let mut has_any = false;
    for own in drawn {
        let mesh = own.part.geometry.mesh();
        let Some(uvs) = mesh.uv_sets().get(uv_set) else { continue };
        has_any = true;
        let topology = own.part.geometry.topology();
        for &corners in own.part.geometry.triangulation().corners() {
            let uv = corners.map(|corner| uvs.uvs[corner as usize]);
            let middle = (uv[0] + uv[1] + uv[2]) / 3.0;
            if !middle.is_finite() {
                continue;
            }
            // Texture coordinates repeat: a triangle is drawn in each of the squares it reaches into;
            // one that goes over very many, where its middle falls.
            let low = uv[0].min(uv[1]).min(uv[2]).floor();
            let high = (uv[0].max(uv[1]).max(uv[2]).ceil() - 1.0).max(low);
            let count = (high - low + 1.0).element_product();
            let (low, high) = if count <= MOST_SQUARES {
                (low.as_ivec2(), high.as_ivec2())
            } else {
                (middle.floor().as_ivec2(), middle.floor().as_ivec2())
            };
            let face = topology.face_of(corners[0] as usize) as u32;
            for (x, y) in (low.y..=high.y).flat_map(|y| (low.x..=high.x).map(move |x| (x, y))) {
                let at = uv.map(|uv| {
                    let uv = uv - Vec2::new(x as f32, y as f32);
                    Vec2::new(uv.x, 1.0 - uv.y) * size
                });
                tiles.push(Tile { at, depth: [0.0; 3], part: own, corners, face });
            }
        }
    }
    if has_any { Ok(tiles) } else { Err(MapError::NoUvs(uv_set + 1)) }
}

/// Seen along a direction, as large as fits.
fn along<'a>(drawn: &'a [Drawn<'a>], direction: Vec3, up: Vec3, plan: &MapPlan) -> Vec<Tile<'a>> {
    let forward = direction.normalize_or(Vec3::NEG_Z);
    let right = forward.cross(up).normalize_or(Vec3::X);
    let up = right.cross(forward);
    let seen = |p: Vec3| Vec3::new(p.dot(right), -p.dot(up), p.dot(forward));
    let (mut low, mut high) = (Vec2::INFINITY, Vec2::NEG_INFINITY);
    let placed: Vec<Vec<Vec3>> = drawn
        .iter()
        .map(|own| {
            let to_project = own.part.traits.transform.to_project();
            let points = own.part.geometry.mesh().positions().iter();
            points.map(|&p| seen(to_project.transform_point3(p))).collect()
        })
        .collect();
    for own in drawn {
        let to_project = own.part.traits.transform.to_project();
        for &p in own.part.geometry.shown_points() {
            let p = seen(to_project.transform_point3(p)).truncate();
            (low, high) = (low.min(p), high.max(p));
        }
    }
    let extent = (high - low).max(Vec2::splat(f32::MIN_POSITIVE));
    let size = Vec2::new(plan.width as f32, plan.height as f32);
    let scale = (size / extent).min_element();
    let middle = (low + high) / 2.0;
    let mut tiles = Vec::new();
    for (own, points) in drawn.iter().zip(&placed) {
        let mesh = own.part.geometry.mesh();
        let topology = own.part.geometry.topology();
        for &corners in own.part.geometry.triangulation().corners() {
            let p = corners.map(|c| points[mesh.corner_vertices()[c as usize] as usize]);
            let at = p.map(|p| (p.truncate() - middle) * scale + size / 2.0);
            let face = topology.face_of(corners[0] as usize) as u32;
            tiles.push(Tile { at, depth: p.map(|p| p.z), part: own, corners, face });
        }
    }
    tiles
}

fn rasterise(
    plan: &MapPlan,
    first_row: usize,
    own: &[u32],
    tiles: &[Tile],
    light: &mut [Linear],
    covered: &mut [bool],
) {
    let n = plan.samples;
    let rows = light.len() / plan.width;
    let (across, down) = (plan.width * n, rows * n);
    let mut raster = Raster::new(across, down);
    let mut values = vec![[0.0_f32; 4]; across * down];
    for tile in own.iter().map(|&number| &tiles[number as usize]) {
        // In samples, from the corner of the band.
        let at =
            tile.at.map(|p| (p - Vec2::new(0.0, first_row as f32)) * n as f32 - Vec2::splat(0.5));
        let corner_light: [[f32; 4]; 3] = std::array::from_fn(|k| {
            std::array::from_fn(|channel| {
                tile.part.light(channel, &plan.channels[channel], tile.corners[k], tile.face)
            })
        });
        raster.draw(at, tile.depth, |sample, shares| {
            values[sample] = std::array::from_fn(|channel| {
                (0..3).map(|k| shares[k] * corner_light[k][channel]).sum()
            });
        });
    }
    for (i, (pixel, covered)) in light.iter_mut().zip(covered).enumerate() {
        let (x, y) = (i % plan.width * n, i / plan.width * n);
        let (mut sum, mut count) = ([0.0; 4], 0.0);
        for slot in (y..y + n).flat_map(|y| (x..x + n).map(move |x| y * across + x)) {
            if raster.is_met(slot) {
                (0..4).for_each(|k| sum[k] += values[slot][k]);
                count += 1.0;
            }
        }
        if count > 0.0 {
            (*pixel, *covered) = (Linear(sum.map(|s| s / count)), true);
        }
    }
}

/// Gives pixels beside covered ones the mean of those, ring by ring.
fn pad(width: usize, rings: usize, light: &mut [Linear], covered: &mut [bool]) {
    let height = light.len() / width;
    let around = |i: usize| {
        let (x, y) = (i % width, i / width);
        let rows = y.saturating_sub(1)..(y + 2).min(height);
        rows.flat_map(move |y| {
            (x.saturating_sub(1)..(x + 2).min(width)).map(move |x| y * width + x)
        })
    };
    let mut ring: Vec<usize> = (0..light.len())
        .into_par_iter()
        .filter(|&i| !covered[i] && around(i).any(|j| covered[j]))
        .collect();
    let mut is_next = vec![false; light.len()];
    for _ in 0..rings {
        if ring.is_empty() {
            return;
        }
        let mean = |&i: &usize| {
            let (mut sum, mut count) = ([0.0; 4], 0.0);
            for j in around(i).filter(|&j| covered[j]) {
                (0..4).for_each(|k| sum[k] += light[j].0[k]);
                count += 1.0;
            }
            Linear(sum.map(|s| s / count))
        };
        let means: Vec<Linear> = ring.par_iter().map(mean).collect();
        for (&i, mean) in ring.iter().zip(means) {
            (light[i], covered[i]) = (mean, true);
        }
        let mut next = Vec::new();
        for j in ring.into_iter().flat_map(around) {
            if !covered[j] && !std::mem::replace(&mut is_next[j], true) {
                next.push(j);
            }
        }
        ring = next;
    }
}
