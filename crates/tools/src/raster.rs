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
        let down = self.nearest.len() / self.across.max(1);
        samples([self.across, down], at, |sample, shares| {
            let depth: f32 = (0..3).map(|k| shares[k] * away[k]).sum();
            if depth < self.nearest[sample] {
                self.nearest[sample] = depth;
                shown(sample, shares);
            }
        });
    }
}

/// The samples of a grid, so many across and down, that lie in a triangle, counted row by row, with the
/// share of each corner there. Its corners are counted in samples from the middle of the first one.
pub fn samples([across, down]: [usize; 2], at: [Vec2; 3], mut each: impl FnMut(usize, [f32; 3])) {
    let [a, b, c] = at;
    let area = (b - a).perp_dot(c - a);
    if area == 0.0 || !area.is_finite() {
        return;
    }
    let span = |axis: usize, count: usize| {
        let least = at.iter().map(|p| p[axis]).fold(f32::MAX, f32::min).ceil().max(0.0);
        let greatest = at.iter().map(|p| p[axis]).fold(f32::MIN, f32::max).floor();
        let end = if greatest < 0.0 { 0 } else { (greatest as usize).saturating_add(1) };
        least as usize..end.min(count)
    };
    let columns = span(0, across);
    for y in span(1, down) {
        for x in columns.clone() {
            let p = Vec2::new(x as f32, y as f32);
            let shares = [
                (b - p).perp_dot(c - p) / area,
                (c - p).perp_dot(a - p) / area,
                (a - p).perp_dot(b - p) / area,
            ];
            if shares.iter().all(|&share| share >= ON_EDGE) {
                each(y * across + x, shares);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    const SIDE: usize = 24;

    fn place() -> impl Strategy<Value = Vec2> {
        prop::array::uniform2(-6.0_f32..30.0).prop_map(Vec2::from)
    }

    /// Which samples a triangle is shown at, and with what shares.
    fn shown(at: [Vec2; 3], away: [f32; 3]) -> Vec<(usize, [f32; 3])> {
        let mut all = Vec::new();
        Raster::new(SIDE, SIDE).draw(at, away, |sample, shares| all.push((sample, shares)));
        all
    }

    fn middle(sample: usize) -> Vec2 {
        Vec2::new((sample % SIDE) as f32, (sample / SIDE) as f32)
    }

    proptest! {
        /// Barycentric coordinates give the place back, whichever way the corners run, and none
        /// lies outside (Möbius, Der barycentrische Calcul, 1827).
        #[test]
        fn shares_are_barycentric(at in prop::array::uniform3(place())) {
            let [a, b, c] = at;
            prop_assume!((b - a).perp_dot(c - a).abs() > 20.0);
            let all = shown(at, [0.0; 3]);
            for (sample, shares) in &all {
                let back = a * shares[0] + b * shares[1] + c * shares[2];
                prop_assert!(back.distance(middle(*sample)) < 1e-2);
                prop_assert!((shares.iter().sum::<f32>() - 1.0).abs() < 1e-3);
                prop_assert!(shares.iter().all(|share| *share >= ON_EDGE));
            }
            let turned: Vec<usize> = shown([a, c, b], [0.0; 3]).into_iter().map(|x| x.0).collect();
            let kept: Vec<usize> = all.into_iter().map(|x| x.0).collect();
            prop_assert_eq!(kept, turned);
        }

        /// Four triangles about a point leave no sample of their square out.
        #[test]
        fn no_sample_falls_between_neighbours(x in 1.0_f32..22.0, y in 1.0_f32..22.0) {
            let corners = [(0.0, 0.0), (23.0, 0.0), (23.0, 23.0), (0.0, 23.0)];
            let corners = corners.map(|(x, y)| Vec2::new(x, y));
            let mut raster = Raster::new(SIDE, SIDE);
            for k in 0..4 {
                raster.draw([corners[k], corners[(k + 1) % 4], Vec2::new(x, y)], [1.0; 3], |_, _| ());
            }
            prop_assert!((0..SIDE * SIDE).all(|sample| raster.is_met(sample)));
        }

        /// Of several triangles the nearest one is shown, in whatever order they come.
        #[test]
        fn the_nearest_is_in_front(
            all in prop::collection::vec((prop::array::uniform3(place()), prop::array::uniform3(0.0_f32..9.0)), 1..6),
        ) {
            let drawn = |order: &mut dyn Iterator<Item = usize>| {
                let mut raster = Raster::new(SIDE, SIDE);
                let mut front = vec![f32::INFINITY; SIDE * SIDE];
                for i in order {
                    let (at, away) = all[i];
                    raster.draw(at, away, |sample, shares| {
                        front[sample] = (0..3).map(|k| shares[k] * away[k]).sum();
                    });
                }
                front
            };
            let forth = drawn(&mut (0..all.len()));
            let back = drawn(&mut (0..all.len()).rev());
            prop_assert_eq!(&forth, &back);
            for (at, away) in &all {
                for (sample, shares) in shown(*at, *away) {
                    let own: f32 = (0..3).map(|k| shares[k] * away[k]).sum();
                    prop_assert!(forth[sample] <= own);
                }
            }
        }
    }

    #[test]
    fn what_has_no_area_or_no_place_is_not_drawn() {
        let line = [Vec2::ZERO, Vec2::splat(5.0), Vec2::splat(9.0)];
        assert!(shown(line, [0.0; 3]).is_empty());
        let nowhere = [Vec2::ZERO, Vec2::new(f32::NAN, 3.0), Vec2::new(9.0, 0.0)];
        assert!(shown(nowhere, [0.0; 3]).is_empty());
        let beyond = [Vec2::new(90.0, 90.0), Vec2::new(99.0, 90.0), Vec2::new(90.0, 99.0)];
        assert!(shown(beyond, [0.0; 3]).is_empty());
        let all_over = [Vec2::splat(-1e6), Vec2::new(3e6, -1e6), Vec2::new(-1e6, 3e6)];
        assert_eq!(shown(all_over, [0.0; 3]).len(), SIDE * SIDE);
    }
}
