//! Images brought to the elements of a mesh.
//!
//! Each corner owns a wedge of its face: from its point to the middles of the two edges and to the
//! middle of the face. A vertex is made of the wedges around it, a face of all of its own. Over each
//! wedge the image is averaged with the help of smaller copies of itself (Williams, Pyramidal
//! Parametrics, 1983), so that a fine image does not alias on a coarse mesh.

use glam::{Vec2, Vec3};
use rayon::prelude::*;
use smallvec::SmallVec;
use speckle_color::{Encoding, Linear, Rgba, pixels::Pixels, rgba_from_bytes};
use speckle_mesh::{Geometry, Mesh, Placement};
use speckle_model::recipe::source::{Averaged, Wrap};

/// An image of R, G, B and A, with smaller copies of itself.
#[derive(Clone, Debug, PartialEq)]
pub struct Image {
    /// From the largest to one pixel. Numbers in linear light, or as they are for data.
    levels: [Vec<Level>; 2],
}

#[derive(Clone, Debug, PartialEq)]
struct Level {
    width: usize,
    height: usize,
    /// Tile by tile, within each row by row from the top, in steps of 1/65535: what lies side by
    /// side on the surface then lies side by side in memory, whichever way it runs.
    pixels: Vec<[u16; 4]>,
}

/// The side of a tile, pixels.
const TILE: usize = 16;

/// The most pixels an image may have.
pub const MOST_PIXELS: usize = 1 << 26;

impl Image {
    /// From width × height pixels of R, G, B and A, row by row from the top; `None` when they are
    /// not as many, or none.
    #[must_use]
    pub fn from_rgba(width: usize, height: usize, bytes: &[u8]) -> Option<Self> {
        let is_whole = !bytes.is_empty()
            && width.checked_mul(height).is_some_and(|n| n <= MOST_PIXELS && 4 * n == bytes.len());
        if !is_whole {
            return None;
        }
        let pyramid = |encoding: Encoding| {
            let table: Vec<u16> = (0..=255_u8)
                .map(|byte| {
                    let Linear([x, ..]) = encoding.linear(rgba_from_bytes([byte; 4]));
                    (x * 65_535.0).round() as u16
                })
                .collect();
            let pixel = |p: &[u8]| {
                let [r, g, b] = [p[0], p[1], p[2]].map(|byte| table[usize::from(byte)]);
                [r, g, b, u16::from(p[3]) * 257]
            };
            let at = |x: usize, y: usize| pixel(&bytes[4 * (y * width + x)..][..4]);
            pyramid_of(Level::of(width, height, at))
        };
        Some(Self { levels: [pyramid(Encoding::Color), pyramid(Encoding::Data)] })
    }

    /// From an image as it was read; `None` when it is too large.
    #[must_use]
    pub fn from_pixels(read: &Pixels) -> Option<Self> {
        let Pixels { width, height, rgba, light } = read;
        let Some(light) = light.as_ref().filter(|light| light.len() <= MOST_PIXELS) else {
            return Self::from_rgba(*width, *height, rgba);
        };
        // Numbers in linear light are the same for colors and for data.
        let number = |x: f32| (x * 65_535.0).round() as u16;
        let at = |x: usize, y: usize| light[y * width + x].0.map(number);
        let levels = pyramid_of(Level::of(*width, *height, at));
        Some(Self { levels: [levels.clone(), levels] })
    }

    /// Width and height in pixels.
    #[must_use]
    pub fn size(&self) -> [usize; 2] {
        [self.levels[0][0].width, self.levels[0][0].height]
    }

    /// The memory it takes, bytes.
    #[must_use]
    pub fn bytes(&self) -> usize {
        let pixels = self.levels.iter().flatten().map(|level| level.pixels.len());
        8 * pixels.sum::<usize>()
    }

    /// The plain numbers at a place (0–1 from left to right and from top to bottom), blended between
    /// the pixels about it.
    #[must_use]
    pub fn plain_at(&self, place: Vec2) -> [f32; 4] {
        let how = Laid { wrap: Wrap::Clamp, encoding: Encoding::Data, ..Laid::default() };
        self.levels(Encoding::Data)[0].at(place, &how).0
    }

    fn levels(&self, encoding: Encoding) -> &[Level] {
        &self.levels[usize::from(encoding == Encoding::Data)]
    }

    /// The mean about a place (0–1 from left to right and from top to bottom) over an area, in
    /// pixels of the image; from one copy of the image, or blended between the two nearest.
    fn mean_about(&self, place: Vec2, pixels: f32, how: &Laid, blended: bool) -> Linear {
        let levels = self.levels(how.encoding);
        if !blended {
            // Half the logarithm, to the nearest: all it takes is in the exponent.
            let exponent = (pixels.max(1.0).to_bits() >> 23) as usize - 127;
            return levels[exponent.div_ceil(2).min(levels.len() - 1)].at(place, how);
        }
        let level = (pixels.max(1.0).log2() / 2.0).min((levels.len() - 1) as f32);
        let (fine, share) = (level.floor() as usize, level.fract());
        let first = levels[fine].at(place, how);
        if share == 0.0 || fine + 1 >= levels.len() {
            return first;
        }
        first.towards(levels[fine + 1].at(place, how), share)
    }
}

/// An image with smaller copies of itself, down to one pixel.
fn pyramid_of(largest: Level) -> Vec<Level> {
    let mut levels = vec![largest];
    while levels.last().is_some_and(|level| level.width > 1 || level.height > 1) {
        let next = levels[levels.len() - 1].halved();
        levels.push(next);
    }
    levels
}

impl Level {
    /// From each of its pixels.
    fn of(width: usize, height: usize, at: impl Fn(usize, usize) -> [u16; 4] + Sync) -> Self {
        let across = width.div_ceil(TILE);
        let pixel = |i: usize| {
            let (tile, within) = (i / (TILE * TILE), i % (TILE * TILE));
            let x = tile % across * TILE + within % TILE;
            let y = tile / across * TILE + within / TILE;
            // Tiles at the rim reach out over it.
            if x < width && y < height { at(x, y) } else { [0; 4] }
        };
        let count = across * height.div_ceil(TILE) * TILE * TILE;
        Self { width, height, pixels: (0..count).into_par_iter().map(pixel).collect() }
    }

    fn pixel(&self, x: usize, y: usize) -> [u16; 4] {
        let tile = y / TILE * self.width.div_ceil(TILE) + x / TILE;
        self.pixels[tile * TILE * TILE + y % TILE * TILE + x % TILE]
    }

    fn halved(&self) -> Self {
        Self::of(self.width.div_ceil(2), self.height.div_ceil(2), |x, y| {
            let mut sum = [0_u32; 4];
            for (dx, dy) in [(0, 0), (1, 0), (0, 1), (1, 1)] {
                let x = (2 * x + dx).min(self.width - 1);
                let y = (2 * y + dy).min(self.height - 1);
                let pixel = self.pixel(x, y);
                (0..4).for_each(|k| sum[k] += u32::from(pixel[k]));
            }
            sum.map(|s| ((s + 2) / 4) as u16)
        })
    }

    fn at(&self, place: Vec2, how: &Laid) -> Linear {
        let along = |x: f32, count: usize| {
            let last = count as i64 - 1;
            let pixel = |i: i64| {
                let i = match how.wrap {
                    // Most look inside, and need no division.
                    _ if (0..=last).contains(&i) => i,
                    Wrap::Repeat => i.rem_euclid(count as i64),
                    Wrap::Clamp => i.clamp(0, last),
                    Wrap::Mirror => {
                        let i = i.rem_euclid(2 * count as i64);
                        i.min(2 * count as i64 - 1 - i)
                    }
                };
                i as usize
            };
            if how.hard_pixels {
                let i = pixel((x * count as f32).floor() as i64);
                return (i, i, 0.0);
            }
            // Of what repeats, the same place within it.
            let x = if how.wrap == Wrap::Repeat { x - floor(x) } else { x };
            let at = x * count as f32 - 0.5;
            let first = floor(at);
            (pixel(first as i64), pixel(first as i64 + 1), at - first)
        };
        let (x0, x1, right) = along(place.x, self.width);
        let (y0, y1, down) = along(place.y, self.height);
        let pixel = |x: usize, y: usize| self.pixel(x, y).map(f32::from);
        let (a, b, c, d) = (pixel(x0, y0), pixel(x1, y0), pixel(x0, y1), pixel(x1, y1));
        Linear(std::array::from_fn(|i| {
            let (top, bottom) = (a[i] + (b[i] - a[i]) * right, c[i] + (d[i] - c[i]) * right);
            (top + (bottom - top) * down) / 65_535.0
        }))
    }
}

/// The same as `f32::floor` of numbers that fit an integer; on processors of any age no call.
fn floor(x: f32) -> f32 {
    let whole = x as i64 as f32;
    if whole > x { whole - 1.0 } else { whole }
}

/// How an image lies, and over what it is averaged.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Laid {
    /// How often it comes across and down.
    pub repeat: Vec2,
    /// How far it is moved, in images.
    pub offset: Vec2,
    /// How far it is turned, radians.
    pub turn: f32,
    /// What lies beside it.
    pub wrap: Wrap,
    /// Whether pixels do not blend.
    pub hard_pixels: bool,
    /// Over what it is averaged.
    pub averaged: Averaged,
    /// Whether it is averaged as light or as plain numbers.
    pub encoding: Encoding,
}

impl Default for Laid {
    /// Once, as it is, averaged over each element.
    fn default() -> Self {
        Self {
            repeat: Vec2::ONE,
            offset: Vec2::ZERO,
            turn: 0.0,
            wrap: Wrap::default(),
            hard_pixels: false,
            averaged: Averaged::default(),
            encoding: Encoding::Color,
        }
    }
}

/// What some faces show: an image times a color, or the color alone.
pub struct Picture<'a> {
    /// The image.
    pub image: Option<&'a Image>,
    /// How it lies.
    pub way: Way<'a>,
    /// The color, as the image counts: in light, or plain for data.
    pub tint: Linear,
}

/// By what an image finds its place.
pub enum Way<'a> {
    /// Texture coordinates, an entry per corner; v grows upwards.
    Uv(&'a [Vec2]),
    /// From some sides: axes across and up, each with its weight by the normal.
    Sides(&'a [Side]),
}

/// A side from which an image is seen.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Side {
    /// Towards the right of the image, per image.
    pub across: Vec3,
    /// Towards its top, per image.
    pub up: Vec3,
    /// Where its lower left is.
    pub origin: Vec3,
    /// Which way it is seen from, unit length; none when it goes right through.
    pub facing: Option<Vec3>,
}

/// How sharply sides give way to each other.
const SIDES_POWER: i32 = 4;

/// The area, in pixels, up to which one look is enough for a wedge that stands for itself, and for
/// one of several that are averaged.
const SMALL_WEDGE: [f32; 2] = [4.0, 32.0];

/// How many faces are looked at in a row.
const FACES: usize = 2048;

/// The image at the wedge of a corner, in linear light, and how large the wedge is.
#[derive(Clone, Copy, Default)]
struct Wedge {
    light: Linear,
    area: f32,
}

fn middle_of(places: &[Vec2]) -> Vec2 {
    places.iter().sum::<Vec2>() / places.len() as f32
}

/// The areas of a face's wedges, by corner.
fn areas_of(mesh: &Mesh, face: usize) -> impl Fn(usize) -> f32 {
    let corners = mesh.face_corners(face);
    let (first, count) = (corners.start, corners.len());
    // Those of a triangle are all a third of it.
    let whole = if count == 3 { Some(mesh.face_area_vector(face).length()) } else { None };
    move |i: usize| {
        whole.unwrap_or_else(|| {
            let at = |i: usize| mesh.corner_position(first + i % count);
            let middle = mesh.face_centroid(face);
            let (own, next, before) = (at(i), at(i + 1), at(i + count - 1));
            (middle - own).cross((before - next) / 2.0).length()
        })
    }
}

/// The colors that pictures have at the elements of a placement: sRGB-encoded, or plain numbers for
/// data. `of_faces` is the picture of each face, or empty when all show the first one.
#[must_use]
pub fn sampled(
    pictures: &[Picture],
    of_faces: &[u32],
    laid: &Laid,
    geometry: &Geometry,
    placement: Placement,
) -> Vec<Rgba> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let turn = Vec2::from_angle(-laid.turn);
    let placed = |uv: Vec2| {
        let turned = turn.rotate(uv - 0.5) + 0.5;
        let at = turned * laid.repeat - laid.offset;
        let at = Vec2::new(at.x, 1.0 - at.y);
        // Places beyond all numbers are nowhere in particular.
        if at.is_finite() { at.clamp(Vec2::splat(-1e6), Vec2::splat(1e6)) } else { Vec2::ZERO }
    };
    // What several wedges are averaged into may be a little coarser in each.
    let stands_alone = placement == Placement::Corner;
    // The image at the wedge of a corner of a face, of which all places are known.
    let look = |image: &Image, places: &[Vec2], middle: Vec2, i: usize| -> Linear {
        let size = Vec2::new(image.size()[0] as f32, image.size()[1] as f32);
        let own = places[i];
        if laid.averaged == Averaged::Point {
            let at = if placement == Placement::Face { middle } else { own };
            return image.mean_about(at, 1.0, laid, true);
        }
        let last = places.len() - 1;
        let next = (own + places[if i == last { 0 } else { i + 1 }]) / 2.0;
        let before = (own + places[if i == 0 { last } else { i - 1 }]) / 2.0;
        let across = (middle - own) * size;
        let other = (before - next) * size;
        let pixels = (across.perp_dot(other) / 2.0).abs();
        let pixels = if pixels.is_finite() { pixels } else { 1.0 };
        if pixels <= SMALL_WEDGE[usize::from(!stands_alone)] {
            let middle = (own + next + middle + before) / 4.0;
            return image.mean_about(middle, pixels, laid, stands_alone);
        }
        // A grid of looks, each of a share of the area.
        let grid = if pixels <= 256.0 { 2 } else { 4 };
        let mut sum = [0.0; 4];
        for k in 0..grid * grid {
            let (s, t) = (
                (k % grid) as f32 / grid as f32 + 0.5 / grid as f32,
                (k / grid) as f32 / grid as f32 + 0.5 / grid as f32,
            );
            let near = own.lerp(next, s);
            let far = before.lerp(middle, s);
            let share = pixels / (grid * grid) as f32;
            let Linear(look) = image.mean_about(near.lerp(far, t), share, laid, true);
            (0..4).for_each(|c| sum[c] += look[c]);
        }
        Linear(sum.map(|s| s / (grid * grid) as f32))
    };
    let of_face = |face: usize, wedges: &mut [Wedge]| {
        let corners = mesh.face_corners(face);
        let first = corners.start;
        let area = areas_of(mesh, face);
        let Picture { image, way, tint } = &pictures[of_faces.get(face).map_or(0, |&p| p as usize)];
        let Some(image) = image else {
            let own = wedges.iter_mut().enumerate();
            own.for_each(|(i, wedge)| *wedge = Wedge { light: *tint, area: area(i) });
            return;
        };
        let places = |uv_of: &dyn Fn(usize) -> Vec2| -> SmallVec<[Vec2; 4]> {
            corners.clone().map(|c| placed(uv_of(c))).collect()
        };
        match way {
            Way::Uv(uvs) => {
                let places = places(&|c| uvs[c]);
                let middle = middle_of(&places);
                for (i, wedge) in wedges.iter_mut().enumerate() {
                    let light = look(image, &places, middle, i).times(*tint);
                    *wedge = Wedge { light, area: area(i) };
                }
            }
            Way::Sides(sides) => {
                let seen: SmallVec<[SmallVec<[Vec2; 4]>; 3]> = sides
                    .iter()
                    .map(|side| {
                        places(&|c| {
                            let p = mesh.corner_position(c) - side.origin;
                            Vec2::new(p.dot(side.across), p.dot(side.up))
                        })
                    })
                    .collect();
                for (i, wedge) in wedges.iter_mut().enumerate() {
                    let normal = match placement {
                        Placement::Vertex => {
                            let vertex = mesh.corner_vertices()[first + i];
                            geometry.vertex_normals()[vertex as usize]
                        }
                        _ => geometry.face_normals()[face],
                    };
                    let (mut sum, mut weights) = ([0.0; 4], 0.0);
                    for (side, places) in sides.iter().zip(&seen) {
                        let weight = side.facing.map_or(1.0, |to| normal.dot(to).powi(SIDES_POWER));
                        if weight <= 1e-4 {
                            continue;
                        }
                        let Linear(look) = look(image, places, middle_of(places), i);
                        (0..4).for_each(|c| sum[c] += weight * look[c]);
                        weights += weight;
                    }
                    let light = if weights > 0.0 { sum.map(|s| s / weights) } else { [0.0; 4] };
                    *wedge = Wedge { light: Linear(light).times(*tint), area: area(i) };
                }
            }
        }
    };
    let mut wedges = vec![Wedge::default(); mesh.corner_count()];
    let mut rest = wedges.as_mut_slice();
    let mut runs = Vec::new();
    for first in (0..mesh.face_count()).step_by(FACES) {
        let faces = first..(first + FACES).min(mesh.face_count());
        let count = mesh.face_corners(faces.end - 1).end - mesh.face_corners(first).start;
        let (own, others) = rest.split_at_mut(count);
        runs.push((faces, own));
        rest = others;
    }
    runs.into_par_iter().for_each(|(faces, own)| {
        let start = mesh.face_corners(faces.start).start;
        for face in faces {
            let corners = mesh.face_corners(face);
            of_face(face, &mut own[corners.start - start..corners.end - start]);
        }
    });
    let mean = |corners: &mut dyn Iterator<Item = usize>| -> Linear {
        let (mut sum, mut whole, mut plain, mut count) = ([0.0; 4], 0.0, [0.0; 4], 0);
        for corner in corners {
            let Wedge { light: Linear(light), area } = wedges[corner];
            for k in 0..4 {
                sum[k] += area * light[k];
                plain[k] += light[k];
            }
            whole += area;
            count += 1;
        }
        Linear(match count {
            0 => [0.0; 4],
            _ if whole > 0.0 => sum.map(|s| s / whole),
            count => plain.map(|s| s / count as f32),
        })
    };
    let back = |light: Linear| laid.encoding.stored(light);
    if laid.averaged == Averaged::Piece {
        let mut corners: Vec<Vec<usize>> = vec![Vec::new(); topology.piece_count()];
        for corner in 0..mesh.corner_count() {
            corners[topology.piece_of(topology.face_of(corner))].push(corner);
        }
        let means: Vec<Rgba> = corners.iter().map(|c| back(mean(&mut c.iter().copied()))).collect();
        return super::pieces::by_face(
            geometry,
            placement,
            |face| means[topology.piece_of(face)],
            [0.0; 4],
        );
    }
    match placement {
        Placement::Corner => wedges.into_par_iter().map(|wedge| back(wedge.light)).collect(),
        Placement::Face => (0..mesh.face_count())
            .into_par_iter()
            .map(|face| back(mean(&mut mesh.face_corners(face))))
            .collect(),
        Placement::Vertex => (0..mesh.vertex_count())
            .into_par_iter()
            .map(|v| {
                // Files split vertices where their UVs differ: each has its own side of the seam.
                back(mean(&mut topology.own_corners(mesh, v)))
            })
            .collect(),
    }
}
