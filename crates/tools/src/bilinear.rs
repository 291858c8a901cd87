//! Between the pixels of an image.

use glam::Vec2;
use speckle_model::recipe::source::Wrap;

/// The numbers at a place (0–1 from left to right and from top to bottom) of width × height pixels:
/// those of the pixel there if they are `hard`, else blended between the middles of the four around.
#[inline]
pub fn bilinear<const N: usize>(
    place: Vec2,
    [width, height]: [usize; 2],
    wrap: Wrap,
    hard: bool,
    pixel: impl Fn(usize, usize) -> [f32; N],
) -> [f32; N] {
    let (x0, x1, right) = along(place.x, width, wrap, hard);
    let (y0, y1, down) = along(place.y, height, wrap, hard);
    let (a, b, c, d) = (pixel(x0, y0), pixel(x1, y0), pixel(x0, y1), pixel(x1, y1));
    std::array::from_fn(|i| {
        let (top, bottom) = (a[i] + (b[i] - a[i]) * right, c[i] + (d[i] - c[i]) * right);
        top + (bottom - top) * down
    })
}

/// The two pixels on each side of a place, of so many in a row, and how near the second one is.
#[inline]
fn along(x: f32, count: usize, wrap: Wrap, hard: bool) -> (usize, usize, f32) {
    let last = count as i64 - 1;
    let pixel = |i: i64| {
        let i = match wrap {
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
    if hard {
        let i = pixel((x * count as f32).floor() as i64);
        return (i, i, 0.0);
    }
    // Of what repeats, the same place within it.
    let x = if wrap == Wrap::Repeat { x - floor(x) } else { x };
    // Far beyond all images, yet a number.
    let at = (x * count as f32 - 0.5).clamp(-1e15, 1e15);
    let first = floor(at);
    (pixel(first as i64), pixel((first as i64).saturating_add(1)), at - first)
}

/// The same as `f32::floor`; on processors of any age no call.
#[inline]
fn floor(x: f32) -> f32 {
    // From 2²³ on there is nothing behind the point.
    if x.abs() >= 8_388_608.0 {
        return x;
    }
    let whole = x as i64 as f32;
    if whole > x { whole - 1.0 } else { whole }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Two by two pixels of 0, 1, 2 and 3.
    fn at(x: f32, y: f32, wrap: Wrap, hard: bool) -> f32 {
        let pixel = |x: usize, y: usize| [(2 * y + x) as f32];
        bilinear(Vec2::new(x, y), [2, 2], wrap, hard, pixel)[0]
    }

    /// By hand: the middles of the pixels lie at ¼ and ¾.
    #[test]
    fn between_four_pixels_all_four_count() {
        assert_eq!(at(0.25, 0.25, Wrap::Clamp, false), 0.0);
        assert_eq!(at(0.75, 0.75, Wrap::Clamp, false), 3.0);
        assert_eq!(at(0.5, 0.5, Wrap::Clamp, false), 1.5);
        assert_eq!(at(0.375, 0.25, Wrap::Clamp, false), 0.25);
        assert_eq!(at(0.4, 0.9, Wrap::Clamp, true), 2.0);
    }

    #[test]
    fn beside_the_image_it_goes_on_as_asked() {
        for (x, clamped, repeated, mirrored) in [
            (0.0, 0.0, 0.5, 0.0),
            (1.0, 1.0, 0.5, 1.0),
            (1.25, 1.0, 0.0, 1.0),
            (1.75, 1.0, 1.0, 0.0),
        ] {
            assert_eq!(at(x, 0.25, Wrap::Clamp, false), clamped, "{x}");
            assert_eq!(at(x, 0.25, Wrap::Repeat, false), repeated, "{x}");
            assert_eq!(at(x, 0.25, Wrap::Mirror, false), mirrored, "{x}");
            assert_eq!(at(-x, 0.25, Wrap::Repeat, false), at(2.0 - x, 0.25, Wrap::Repeat, false));
        }
    }

    /// However far beside it, and nowhere at all.
    #[test]
    fn places_beyond_all_numbers_are_somewhere() {
        for x in [1e9, -1e9, 1e30, f32::MAX, f32::MIN, f32::INFINITY, f32::NAN] {
            for wrap in [Wrap::Clamp, Wrap::Repeat, Wrap::Mirror] {
                for hard in [true, false] {
                    let value = at(x, 0.25, wrap, hard);
                    assert!((0.0..=1.0).contains(&value) || !x.is_finite(), "{x} {wrap:?} {value}");
                }
            }
        }
    }

    /// A plane stays a plane between the middles of pixels.
    #[test]
    fn a_straight_slope_is_kept() {
        let pixel = |x: usize, y: usize| [x as f32 * 3.0 - y as f32, 7.0];
        for i in 0..50 {
            let place = Vec2::new(0.1 + 0.016 * i as f32, 0.9 - 0.013 * i as f32);
            let [slope, level] = bilinear(place, [8, 5], Wrap::Clamp, false, pixel);
            let exact = (place.x * 8.0 - 0.5) * 3.0 - (place.y * 5.0 - 0.5);
            assert!((slope - exact).abs() < 1e-4, "{place}: {slope} {exact}");
            assert_eq!(level, 7.0);
        }
    }
}
