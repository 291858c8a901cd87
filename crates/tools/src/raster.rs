//! Triangles on a grid of samples, the nearest in front.

use glam::Vec2;

/// How far outside of a triangle, in its own coordinates, a sample still counts as on its edge:
/// none may fall between two triangles that share one.
const ON_EDGE: f32 = -1e-5;

/// How far away what stands at each sample is; endlessly far where nothing does.
pub struct Raster {
    across: usize,
    nearest: Vec<f32>,
}

impl Raster {
    /// Of so many samples across and down, with nothing there.
    #[must_use]
    pub fn new(across: usize, down: usize) -> Self {
        Self { across, nearest: vec![f32::INFINITY; across * down] }
    }

    /// Whether something stands at a sample, counted row by row.
    #[must_use]
    pub fn is_met(&self, sample: usize) -> bool {
        self.nearest[sample] < f32::INFINITY
    }

    /// Draws a triangle whose corners lie at places, counted in samples from the middle of the
    /// first one, so far away each. `shown` gets every sample at which it is the nearest so far,
    /// and the share of each corner there.
    pub fn draw(&mut self, at: [Vec2; 3], away: [f32; 3], mut shown: impl FnMut(usize, [f32; 3])) {
        let [a, b, c] = at;
        let area = (b - a).perp_dot(c - a);
        if area == 0.0 || !area.is_finite() {
            return;
        }
        let down = self.nearest.len() / self.across.max(1);
        let span = |axis: usize, count: usize| {
            let least = at.iter().map(|p| p[axis]).fold(f32::MAX, f32::min).ceil().max(0.0);
            let greatest = at.iter().map(|p| p[axis]).fold(f32::MIN, f32::max).floor();
            let end = if greatest < 0.0 { 0 } else { (greatest as usize).saturating_add(1) };
            least as usize..end.min(count)
        };
        let columns = span(0, self.across);
        for y in span(1, down) {
            for x in columns.clone() {
                let p = Vec2::new(x as f32, y as f32);
                let shares = [
                    (b - p).perp_dot(c - p) / area,
                    (c - p).perp_dot(a - p) / area,
                    (a - p).perp_dot(b - p) / area,
                ];
                if shares.iter().any(|&share| share < ON_EDGE) {
                    continue;
                }
                let depth: f32 = (0..3).map(|k| shares[k] * away[k]).sum();
                let sample = y * self.across + x;
                if depth < self.nearest[sample] {
                    self.nearest[sample] = depth;
                    shown(sample, shares);
                }
            }
        }
    }
}
