//! Rectangles packed into a square, all at the largest scale at which they fit.

use crunch::{Item, PackedItem, Rect, Rotation, pack};
use glam::Vec2;

use crate::bake::watch::{GivenUp, Watch};

/// Where rectangles lie.
pub(super) struct Packed {
    /// Pixels along a unit.
    pub(super) scale: f32,
    /// The lower left of each, pixels.
    pub(super) places: Vec<Vec2>,
}

/// How often the scale is halved in.
const ROUNDS: usize = 9;

/// Packs rectangles of sizes in any unit into a square of pixels, a margin apart. None where they do not
/// fit however small they are.
pub(super) fn packed(
    sizes: &[Vec2],
    side: u32,
    margin: u32,
    watch: &Watch,
) -> Result<Option<Packed>, GivenUp> {
    let around = margin.div_ceil(2) as usize;
    let room = Rect::of_size(side as usize, side as usize);
    let at = |scale: f32| -> Option<Packed> {
        let item = |(i, size): (usize, &Vec2)| {
            let [wide, high] = (*size * scale).to_array().map(|x| x.ceil().min(1e6) as usize);
            let (wide, high) = (wide.max(1) + 2 * around, high.max(1) + 2 * around);
            Item::new(i, wide, high, Rotation::None)
        };
        let packed = pack(room, sizes.iter().enumerate().map(item)).ok()?;
        let mut places = vec![Vec2::ZERO; sizes.len()];
        for PackedItem { data, rect } in packed {
            places[data] = Vec2::new((rect.x + around) as f32, (rect.y + around) as f32);
        }
        Some(Packed { scale, places })
    };
    let whole: f32 = sizes.iter().map(|size| size.x * size.y).sum();
    let longest = sizes.iter().map(|size| size.max_element()).fold(0.0, f32::max);
    // No larger than the square in area, nor than its side.
    let most = (side as f32 / whole.sqrt()).min(side as f32 / longest);
    let most = if most.is_finite() { most } else { 1.0 };
    let (mut low, mut high) = (0.4 * most, most);
    let mut best = None;
    // Many small ones with wide margins take up more.
    for _ in 0..24 {
        watch.check()?;
        best = at(low);
        if best.is_some() {
            break;
        }
        (low, high) = (0.5 * low, low);
    }
    if best.is_none() {
        return Ok(None);
    }
    for _ in 0..ROUNDS {
        watch.check()?;
        let middle = 0.5 * (low + high);
        match at(middle) {
            Some(found) => (low, best) = (middle, Some(found)),
            None => high = middle,
        }
    }
    Ok(best)
}
