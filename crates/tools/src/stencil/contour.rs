//! Where a stencil ends on triangles: between what comes through and what does not.

use glam::{Vec2, Vec3};
use smallvec::SmallVec;

use super::{LyingImage, Projection, SEEN, facing};
use crate::triangle::Triangle;

/// The line on which so much comes through, 0–1.
pub struct Contour<'a> {
    laid: &'a LyingImage,
    level: f32,
}

/// How far a cut may be off the line, in pixels of the image.
const TOLERANCE: f32 = 0.2;

/// A cut nearer to an end of an edge than so many pixels goes through the end: where a way of lying sees two triangles
/// differently, each would cut their edge where the other did not, again and again.
const AT_END: f32 = 0.2;

/// Triangles no longer than so many pixels are fine enough, whatever the image does in them.
const FINEST: f32 = 1.5;

/// An edge is looked along at steps of so many pixels, but no oftener than this.
const STEP: f32 = 1.5;
const MOST_STEPS: f32 = 256.0;

/// An axis that counts for less than this hardly shows.
const HARDLY: f32 = 0.02;

impl<'a> Contour<'a> {
    /// The line of a stencil at a share.
    #[must_use]
    pub fn new(laid: &'a LyingImage, level: f32) -> Self {
        Self { laid, level }
    }

    /// How much more comes through than on the line, at a place of a triangle.
    pub(crate) fn height(&self, triangle: &Triangle, weights: Vec3) -> f32 {
        let uv = |_| triangle.uv(weights);
        let share = self.laid.share(|| triangle.point(weights), || triangle.normal(), uv);
        share - self.level
    }

    /// Whether a triangle is to be split before it is cut: the line is bent in it, or passes it more than once.
    pub(crate) fn is_coarse(&self, triangle: &Triangle) -> bool {
        let pixels = self.pixels(triangle);
        let length = |i: usize| {
            let along = pixels.iter().map(|at| at[i].distance(at[(i + 1) % 3]));
            along.fold(0.0, f32::max)
        };
        let lengths = [0, 1, 2].map(length);
        let longest = lengths.iter().copied().fold(0.0, f32::max);
        // What is behind the eye has no place in the image.
        if !longest.is_finite() || longest <= FINEST || !pixels.iter().any(|at| self.is_mixed(*at))
        {
            return false;
        }
        let mut ends: SmallVec<[Vec3; 4]> = SmallVec::new();
        for (i, length) in lengths.into_iter().enumerate() {
            let [from, to] = [Vec3::AXES[i], Vec3::AXES[(i + 1) % 3]];
            let steps = (length / STEP).ceil().clamp(2.0, MOST_STEPS) as usize;
            let at = |step: usize| from.lerp(to, step as f32 / steps as f32);
            let is_high = |step: usize| self.height(triangle, at(step)) > 0.0;
            let mut before = is_high(0);
            for step in 1..=steps {
                let now = is_high(step);
                if now != before {
                    ends.push(self.passed(triangle, at(step - 1), at(step)));
                }
                before = now;
            }
        }
        let [a, b] = ends[..] else { return true };
        // From one end to the other it is straight where the line stays within the tolerance of the chord.
        let (from, to) = (triangle.point(a), triangle.point(b));
        let unit = triangle.longest() / longest;
        let aside = (to - from).cross(triangle.normal()).normalize_or_zero() * TOLERANCE * unit;
        [0.25, 0.5, 0.75].into_iter().any(|along| {
            let middle = from.lerp(to, along);
            let [one, other] = [middle + aside, middle - aside].map(|p| triangle.weights(p));
            (self.height(triangle, one) > 0.0) == (self.height(triangle, other) > 0.0)
        })
    }

    /// How near to an end of an edge of a triangle no cut is made, as a share of it.
    pub(crate) fn at_end(&self, triangle: &Triangle, edge: usize) -> f32 {
        let along = self
            .pixels(triangle)
            .iter()
            .map(|at| at[edge].distance(at[(edge + 1) % 3]))
            .fold(0.0, f32::max);
        (AT_END / along.max(f32::MIN_POSITIVE)).min(0.5)
    }

    /// Where the line passes between two places on either side of it.
    fn passed(&self, triangle: &Triangle, from: Vec3, to: Vec3) -> Vec3 {
        let start = self.height(triangle, from) > 0.0;
        let (mut low, mut high) = (0.0_f32, 1.0_f32);
        for _ in 0..12 {
            let middle = 0.5 * (low + high);
            let is_before = (self.height(triangle, from.lerp(to, middle)) > 0.0) == start;
            if is_before { low = middle } else { high = middle }
        }
        from.lerp(to, 0.5 * (low + high))
    }

    /// The corners of a triangle in the image, in pixels, for each way in which it lies there.
    fn pixels(&self, triangle: &Triangle) -> SmallVec<[[Vec2; 3]; 3]> {
        let laid = self.laid;
        let size = Vec2::new(laid.image.width as f32, laid.image.height as f32);
        let corners = |place: &dyn Fn(usize) -> Vec2| [0, 1, 2].map(|i| place(i) * size);
        match laid.usage.lay {
            Projection::Screen { screen, middle, width } => {
                let place = |i: usize| {
                    let seen = screen.place(triangle.at[i]);
                    seen.map_or(Vec2::INFINITY, |at| laid.place(at - middle, width))
                };
                SmallVec::from_slice(&[corners(&place)])
            }
            Projection::Uv { width, .. } => {
                let place = |i: usize| laid.place_of_uv(triangle.uv(Vec3::AXES[i]), width);
                SmallVec::from_slice(&[corners(&place)])
            }
            Projection::Axes { width } => {
                let weights = facing(triangle.normal()).to_array();
                let counts = SEEN.iter().zip(weights).filter(|(_, weight)| *weight > HARDLY);
                counts
                    .map(|(seen, _)| corners(&|i| laid.place(seen(triangle.at[i]), width)))
                    .collect()
            }
        }
    }

    /// Whether pixels of both sides of the line lie in a triangle of the image.
    fn is_mixed(&self, at: [Vec2; 3]) -> bool {
        let image = &self.laid.image;
        let [width, height] = [image.width as i64, image.height as i64];
        let (min, max) = (at[0].min(at[1]).min(at[2]), at[0].max(at[1]).max(at[2]));
        let area = (max - min).element_product();
        // Of one that is repeated more often than that, there is all of it.
        if area > 4.0 * (width * height) as f32 && self.laid.usage.repeat {
            return true;
        }
        let level = (255.0 * self.level) as u8;
        let is_high = |x: i64, y: i64| {
            let inside = (0..width).contains(&x) && (0..height).contains(&y);
            let index = y.rem_euclid(height) * width + x.rem_euclid(width);
            (inside || self.laid.usage.repeat) && image.shares[index as usize] > level
        };
        let mut first = None;
        // Beside the image all is as on its rim, one pixel out.
        let (low, high) = if self.laid.usage.repeat {
            (min.floor(), max.ceil())
        } else {
            let size = Vec2::new(width as f32, height as f32);
            (min.floor().max(Vec2::splat(-2.0)), max.ceil().min(size + 2.0))
        };
        for y in low.y as i64..high.y as i64 {
            // A pixel around, for what is blended between middles of pixels.
            let Some([from, to]) = span(at, y as f32 - 0.5, y as f32 + 1.5) else { continue };
            let from = ((from - 1.0).floor().max(low.x)) as i64;
            let to = ((to + 1.0).ceil().min(high.x)) as i64;
            for x in from..to {
                let now = is_high(x, y);
                if *first.get_or_insert(now) != now {
                    return true;
                }
            }
        }
        false
    }
}

/// From where to where a triangle reaches across, between two heights.
fn span(at: [Vec2; 3], low: f32, high: f32) -> Option<[f32; 2]> {
    let mut span: Option<[f32; 2]> = None;
    let mut take = |x: f32| {
        let [from, to] = span.unwrap_or([x, x]);
        span = Some([from.min(x), to.max(x)]);
    };
    for i in 0..3 {
        let (a, b) = (at[i], at[(i + 1) % 3]);
        if (low..=high).contains(&a.y) {
            take(a.x);
        }
        for y in [low, high] {
            if (a.y - y) * (b.y - y) < 0.0 {
                take(a.x + (b.x - a.x) * (y - a.y) / (b.y - a.y));
            }
        }
    }
    span
}
