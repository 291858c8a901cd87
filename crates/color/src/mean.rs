//! Means of values: colors in linear light, data as it is. Of swatches the one that weighs most.

use crate::{
    channels::Encoding,
    numbers::{Linear, Rgba},
};

/// A mean of values that is being taken, each channel with weights of its own. Swatches go by a vote that needs
/// no list of candidates (Boyer and Moore, MJRTY, 1981; with weights): what has more than half of the weight wins
/// for certain.
#[derive(Clone, Copy, Debug, Default)]
pub struct Mean([OfChannel; 4]);

#[derive(Clone, Copy, Debug, Default)]
struct OfChannel {
    sum: f64,
    weight: f64,
    /// The number, while all were the same: a mean of their light would round.
    same: Option<f32>,
}

impl OfChannel {
    fn vote(&mut self, value: f32, weight: f64) {
        if weight <= 0.0 {
            return;
        }
        match self.same {
            Some(same) if same == value => self.weight += weight,
            Some(_) if self.weight >= weight => self.weight -= weight,
            _ => *self = Self { sum: 0.0, weight: weight - self.weight, same: Some(value) },
        }
        // Of a draw the first stays.
        self.weight = self.weight.max(f64::MIN_POSITIVE);
    }
}

impl Mean {
    /// Counts a value, as stored, with a weight for each channel; weights of 0 and less do not count.
    #[inline]
    pub fn add(&mut self, value: Rgba, weights: [f32; 4], encoding: Encoding) {
        if encoding == Encoding::Swatch {
            for (own, (value, weight)) in self.0.iter_mut().zip(value.into_iter().zip(weights)) {
                own.vote(value, f64::from(weight));
            }
            return;
        }
        let Linear(light) = encoding.linear(value);
        for (i, own) in self.0.iter_mut().enumerate() {
            let weight = f64::from(weights[i]);
            if weight <= 0.0 {
                continue;
            }
            own.same = match (own.weight > 0.0, own.same) {
                (false, _) => Some(value[i]),
                (true, same) => same.filter(|same| *same == value[i]),
            };
            own.sum += f64::from(light[i]) * weight;
            own.weight += weight;
        }
    }

    /// The same, but for channels in which nothing counted: they are another's.
    #[must_use]
    #[inline]
    pub fn or(self, other: Self) -> Self {
        Self(std::array::from_fn(|i| match self.0[i].weight > 0.0 {
            true => self.0[i],
            false => other.0[i],
        }))
    }

    /// The mean, as stored; where nothing counted, the ground.
    #[must_use]
    #[inline]
    pub fn value(&self, encoding: Encoding, ground: Rgba) -> Rgba {
        let mean = self.0.map(|own| (own.sum / own.weight.max(f64::MIN_POSITIVE)) as f32);
        let numbers = encoding.stored(Linear(mean));
        std::array::from_fn(|i| match self.0[i] {
            own if own.weight == 0.0 => ground[i],
            own => own.same.unwrap_or(numbers[i]),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Black and white in equal parts are half of the light: 0.735 357 as sRGB encodes it
    /// (IEC 61966-2-1), and half as data.
    #[test]
    fn colors_are_mixed_as_light_and_data_as_numbers() {
        let mean = |encoding| {
            let mut mean = Mean::default();
            mean.add([0.0; 4], [1.0; 4], encoding);
            mean.add([1.0; 4], [1.0, 1.0, 3.0, 1.0], encoding);
            mean.value(encoding, [0.5; 4])
        };
        let [r, _, b, a] = mean(Encoding::Color);
        assert!((r - 0.735_357).abs() < 1e-5 && a == 0.5 && b > r, "{r} {b} {a}");
        assert_eq!(mean(Encoding::Data), [0.5, 0.5, 0.75, 0.5]);
    }

    #[test]
    fn of_swatches_the_one_with_most_of_the_weight_stays_whole() {
        use crate::{swatch_of, swatch_value};
        let most = |votes: &[(u8, f32)]| {
            let mut mean = Mean::default();
            for &(number, weight) in votes {
                mean.add(swatch_value(number), [weight; 4], Encoding::Swatch);
            }
            swatch_of(mean.value(Encoding::Swatch, swatch_value(0)))
        };
        assert_eq!(most(&[(3, 0.3), (9, 0.6), (3, 0.1)]), 9);
        assert_eq!(most(&[(9, 0.3), (1, 0.2), (2, 0.1), (9, 0.4)]), 9);
        assert_eq!(most(&[(4, 1.0), (5, 0.0)]), 4);
        assert_eq!(most(&[(4, 0.5), (5, 0.5)]), 4, "of a draw the first");
        assert_eq!(most(&[(5, 0.0)]), 0, "where nothing counts, the ground");
    }

    #[test]
    fn equal_numbers_stay_to_the_bit_and_nothing_is_the_ground() {
        let mut mean = Mean::default();
        for _ in 0..7 {
            mean.add([0.1, 0.2, 0.3, 0.4], [0.3, 0.0, 0.1, 0.7], Encoding::Color);
        }
        assert_eq!(mean.value(Encoding::Color, [0.9; 4]), [0.1, 0.9, 0.3, 0.4]);
        let mut other = Mean::default();
        other.add([0.6; 4], [1.0; 4], Encoding::Color);
        assert_eq!(mean.or(other).value(Encoding::Color, [0.9; 4]), [0.1, 0.6, 0.3, 0.4]);
    }
}
