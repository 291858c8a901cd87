//! Swatches where values are mixed: four of them at a time as shares, of which the largest wins.

use speckle_color::{Rgba, swatch_of, swatch_value};

/// Up to four numbers of swatches, each in a channel of its own.
pub(super) struct Four([Option<u8>; 4]);

/// Goes through all numbers among values, ascending, four at a time.
pub(super) fn for_each_four(values: impl Iterator<Item = Rgba>, mut each: impl FnMut(&Four)) {
    let mut is_there = [false; 256];
    values.for_each(|value| is_there[usize::from(swatch_of(value))] = true);
    let numbers: Vec<u8> = (0..=255).filter(|&n| is_there[usize::from(n)]).collect();
    for four in numbers.chunks(4) {
        each(&Four(std::array::from_fn(|i| four.get(i).copied())));
    }
}

impl Four {
    /// 1 in the channel of a value's number.
    pub(super) fn shares(&self, value: Rgba) -> Rgba {
        let number = Some(swatch_of(value));
        self.0.map(|own| f32::from(u8::from(own == number)))
    }

    /// The number with the largest share, as it is stored; of equal ones the first.
    pub(super) fn most(&self, shares: Rgba) -> Option<(f32, Rgba)> {
        let each = self.0.iter().zip(shares).filter_map(|(own, share)| Some((share, (*own)?)));
        let most = each.reduce(|a, b| if b.0 > a.0 { b } else { a });
        most.map(|(share, number)| (share, swatch_value(number)))
    }
}
