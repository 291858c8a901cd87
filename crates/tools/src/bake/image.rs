//! Images brought to the elements of a mesh.
//!
//! Each corner owns a wedge of its face: from its point to the middles of the two edges and to the
//! middle of the face. A vertex is made of the wedges around it, a face of all of its own. Over each
//! wedge the image is averaged with the help of smaller copies of itself (Williams, Pyramidal
//! Parametrics, 1983), so that a fine image does not alias on a coarse mesh.

mod surface;

use glam::Vec2;
use rayon::prelude::*;
use smallvec::SmallVec;
use speckle_color::{Encoding, Linear, pixels::Pixels, rgba_from_bytes};
use speckle_model::recipe::source::Wrap;

use crate::bilinear::bilinear;

pub(crate) use surface::uncovered;
pub use surface::{Mapping, Picture, Projected, Side, sampled};

/// An image of R, G, B and A, with smaller copies of itself.
#[derive(Clone, Debug, PartialEq)]
pub struct Image {
    /// From the largest to one pixel. Numbers in linear light, or as they are for data.
    levels: [Vec<Level>; 2],
    /// Where some of it is transparent, the same with each color times its alpha, so that what is not
    /// there counts for nothing in a mean.
    covering: Option<[Vec<Level>; 2]>,
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
        let at = |encoding: Encoding| {
            let table: Vec<u16> = (0..=255_u8)
                .map(|byte| {
                    let Linear([x, ..]) = encoding.linear(rgba_from_bytes([byte; 4]));
                    (x * 65_535.0).round() as u16
                })
                .collect();
            let pixel = move |p: &[u8]| {
                let [r, g, b] = [p[0], p[1], p[2]].map(|byte| table[usize::from(byte)]);
                [r, g, b, u16::from(p[3]) * 257]
            };
            move |x: usize, y: usize| pixel(&bytes[4 * (y * width + x)..][..4])
        };
        Some(Self::from_each(width, height, at(Encoding::Color), at(Encoding::Data)))
    }

    /// From an image as it was read; `None` when it is too large.
    #[must_use]
    pub fn from_pixels(read: &Pixels) -> Option<Self> {
        let Pixels { width, height, rgba, light, deep } = read;
        if width * height > MOST_PIXELS {
            return None;
        }
        let number = |x: f32| (x * 65_535.0).round() as u16;
        match (light, deep) {
            // Numbers in linear light are the same for colors and for data.
            (Some(light), _) => {
                let at = |x: usize, y: usize| light[y * width + x].0.map(number);
                Some(Self::from_each(*width, *height, at, at))
            }
            (None, Some(deep)) => {
                let plain = |x: usize, y: usize| deep[y * width + x];
                let in_light = |x: usize, y: usize| {
                    let stored = plain(x, y).map(|x| f32::from(x) / 65_535.0);
                    Encoding::Color.linear(stored).0.map(number)
                };
                Some(Self::from_each(*width, *height, in_light, plain))
            }
            (None, None) => Self::from_rgba(*width, *height, rgba),
        }
    }

    /// From what is at each pixel, in light and as plain numbers.
    fn from_each(
        width: usize,
        height: usize,
        light: impl Fn(usize, usize) -> [u16; 4] + Sync,
        plain: impl Fn(usize, usize) -> [u16; 4] + Sync,
    ) -> Self {
        let pyramid = |at: &(dyn Fn(usize, usize) -> [u16; 4] + Sync)| {
            pyramid_of(Level::of(width, height, at))
        };
        let levels = [pyramid(&light), pyramid(&plain)];
        let is_transparent = levels[1][0].is_transparent();
        let covering = is_transparent.then(|| {
            [pyramid(&|x, y| covering(light(x, y))), pyramid(&|x, y| covering(plain(x, y)))]
        });
        Self { levels, covering }
    }

    /// Width and height in pixels.
    #[must_use]
    pub fn size(&self) -> [usize; 2] {
        [self.levels[0][0].width, self.levels[0][0].height]
    }

    /// Whether some of it is transparent.
    pub(crate) fn is_transparent(&self) -> bool {
        self.covering.is_some()
    }

    /// The memory it takes, bytes.
    #[must_use]
    pub fn bytes(&self) -> usize {
        let all = self.levels.iter().chain(self.covering.iter().flatten());
        8 * all.flatten().map(|level| level.pixels.len()).sum::<usize>()
    }

    /// The plain numbers at a place (0–1 from left to right and from top to bottom), blended between
    /// the pixels about it.
    #[must_use]
    pub fn plain_at(&self, place: Vec2) -> [f32; 4] {
        let how = Mapping { wrap: Wrap::Clamp, encoding: Encoding::Data, ..Mapping::default() };
        self.levels(&how)[0].at(place, &how).0
    }

    /// The numbers at a place, blended between the pixels about it, of an image that comes again beside itself: colors
    /// in linear light, data as they are.
    #[must_use]
    pub fn at(&self, place: Vec2, encoding: Encoding) -> [f32; 4] {
        let how = Mapping { wrap: Wrap::Repeat, encoding, ..Mapping::default() };
        self.levels(&how)[0].at(place, &how).0
    }

    fn levels(&self, how: &Mapping) -> &[Level] {
        let levels = self.covering.as_ref().filter(|_| how.is_covering).unwrap_or(&self.levels);
        &levels[usize::from(how.encoding == Encoding::Data)]
    }

    /// The mean about a place (0–1 from left to right and from top to bottom) over an area, in
    /// pixels of the image; from one copy of the image, or blended between the two nearest.
    pub(crate) fn mean_about(
        &self,
        place: Vec2,
        pixels: f32,
        how: &Mapping,
        blended: bool,
    ) -> Linear {
        let levels = self.levels(how);
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

/// A color times its alpha.
fn covering([r, g, b, alpha]: [u16; 4]) -> [u16; 4] {
    let part = |x: u16| ((u32::from(x) * u32::from(alpha) + 32_767) / 65_535) as u16;
    [part(r), part(g), part(b), alpha]
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

    fn is_transparent(&self) -> bool {
        let pixels = (0..self.height).flat_map(|y| (0..self.width).map(move |x| (x, y)));
        pixels.into_iter().any(|(x, y)| self.pixel(x, y)[3] < u16::MAX)
    }

    fn pixel(&self, x: usize, y: usize) -> [u16; 4] {
        let tile = y / TILE * self.width.div_ceil(TILE) + x / TILE;
        self.pixels[tile * TILE * TILE + y % TILE * TILE + x % TILE]
    }

    /// Half as large, rounded down: each pixel is the mean over the area it takes the place of, of
    /// which some pixels may only be a part.
    fn halved(&self) -> Self {
        let (width, height) = ((self.width / 2).max(1), (self.height / 2).max(1));
        // In parts of a pixel: of `wide` old ones in a row, each is as long as there are new ones.
        let parts = |new: usize, wide: usize, news: usize| {
            let (from, to) = (new * wide, (new + 1) * wide);
            (from / news..to.div_ceil(news)).map(move |old| {
                let part = to.min((old + 1) * news) - from.max(old * news);
                (old, part as u64)
            })
        };
        let along = |wide: usize, news: usize| -> Vec<SmallVec<[(usize, u64); 4]>> {
            (0..news).map(|new| parts(new, wide, news).collect()).collect()
        };
        let (columns, rows) = (along(self.width, width), along(self.height, height));
        let whole = (self.width * self.height) as u64;
        Self::of(width, height, |x, y| {
            let mut sum = [whole / 2; 4];
            for &(old_y, high) in &rows[y] {
                for &(old_x, wide) in &columns[x] {
                    let pixel = self.pixel(old_x, old_y);
                    (0..4).for_each(|k| sum[k] += high * wide * u64::from(pixel[k]));
                }
            }
            sum.map(|s| (s / whole) as u16)
        })
    }

    fn at(&self, place: Vec2, how: &Mapping) -> Linear {
        let pixel = |x: usize, y: usize| self.pixel(x, y).map(f32::from);
        let size = [self.width, self.height];
        let sum = bilinear(place, size, how.wrap, how.hard_pixels, pixel);
        Linear(sum.map(|x| x / 65_535.0))
    }
}
