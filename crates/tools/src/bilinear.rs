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
    let at = x * count as f32 - 0.5;
    let first = floor(at);
    (pixel(first as i64), pixel(first as i64 + 1), at - first)
}

/// The same as `f32::floor` of numbers that fit an integer; on processors of any age no call.
#[inline]
fn floor(x: f32) -> f32 {
    let whole = x as i64 as f32;
    if whole > x { whole - 1.0 } else { whole }
}
