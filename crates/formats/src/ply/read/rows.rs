//! What the properties of an element are for, and where the numbers of a row go.

use super::Colors;
use crate::ply::header::{Property, Scalar};

/// Places in a row where wanted properties are collected.
pub(super) mod slot {
    pub const X: usize = 0;
    pub const R: usize = 3;
    pub const A: usize = 6;
    pub const U: usize = 7;
    pub const N: usize = 9;
    /// Everything else lands here.
    pub const REST: usize = 12;
    pub const COUNT: usize = 13;
}

pub(super) fn slot_of(name: &str) -> usize {
    match name {
        "x" => slot::X,
        "y" => slot::X + 1,
        "z" => slot::X + 2,
        "red" | "r" | "diffuse_red" => slot::R,
        "green" | "g" | "diffuse_green" => slot::R + 1,
        "blue" | "b" | "diffuse_blue" => slot::R + 2,
        "alpha" | "a" | "diffuse_alpha" => slot::A,
        "u" | "s" | "texture_u" => slot::U,
        "v" | "t" | "texture_v" => slot::U + 1,
        "nx" | "normal_x" => slot::N,
        "ny" | "normal_y" => slot::N + 1,
        "nz" | "normal_z" => slot::N + 2,
        _ => slot::REST,
    }
}

/// What stands before `red`, `green` and `blue` in the names of properties that are colors of their
/// own.
pub(super) fn prefixes(properties: &[Property]) -> Vec<String> {
    let has = |name: String| properties.iter().any(|p| p.name == name && p.list_count.is_none());
    properties
        .iter()
        .filter_map(|p| p.name.strip_suffix("_red"))
        .filter(|own| *own != "diffuse")
        .map(|own| format!("{own}_"))
        .filter(|own| has(format!("{own}green")) && has(format!("{own}blue")))
        .collect()
}

/// The single values of a row, by slot; behind the usual slots four for each color of its own.
pub(super) struct Row {
    pub(super) slots: Vec<usize>,
    pub(super) scale: Vec<f32>,
    pub(super) values: Vec<f32>,
    pub(super) has_color: bool,
    pub(super) has_uv: bool,
    pub(super) has_normal: bool,
    pub(super) prefixes: Vec<String>,
    /// Of each group of colors, those without a prefix first: the type that does not tell how far
    /// numbers go, and how many channels there are.
    pub(super) kinds: Vec<(Option<Scalar>, usize)>,
}

impl Row {
    pub(super) fn new(properties: &[Property]) -> Self {
        let prefixes = prefixes(properties);
        let slots: Vec<usize> = properties.iter().map(|p| slot_among(&p.name, &prefixes)).collect();
        let count = slot::COUNT + 4 * prefixes.len();
        let (mut scale, mut values) = (vec![1.0; count], vec![0.0; count]);
        values[slot::A] = 1.0;
        values[slot::COUNT..].fill(1.0);
        for (property, &slot) in properties.iter().zip(&slots) {
            if (slot::R..=slot::A).contains(&slot) || slot >= slot::COUNT {
                scale[slot] = match is_sure(property.scalar) {
                    true => property.scalar.full_scale(),
                    false => 1.0,
                };
            }
        }
        // Of each group of colors.
        let firsts = std::iter::once(slot::R).chain((0..prefixes.len()).map(first_of_group));
        let kinds = firsts.map(|first| {
            let red = slots.iter().position(|&slot| slot == first);
            let red = red.map(|i| properties[i].scalar).filter(|&scalar| !is_sure(scalar));
            (red, if slots.contains(&(first + 3)) { 4 } else { 3 })
        });
        let kinds = kinds.collect();
        let has_color = (slot::R..slot::A).all(|slot| slots.contains(&slot));
        let has_uv = slots.contains(&slot::U) && slots.contains(&(slot::U + 1));
        let has_normal = (slot::N..slot::N + 3).all(|slot| slots.contains(&slot));
        Self { slots, scale, values, has_color, has_uv, has_normal, prefixes, kinds }
    }

    /// Room for the colors of rows to come.
    pub(super) fn colors(&self, rows: usize) -> Vec<Colors> {
        let names = std::iter::once(String::new()).chain(self.prefixes.iter().cloned());
        let all = names.zip(&self.kinds).skip(usize::from(!self.has_color));
        let empty = |(prefix, &(unsure, channels))| {
            let values = Vec::with_capacity(rows);
            Colors { prefix, values, unsure, channels }
        };
        all.map(empty).collect()
    }

    #[inline]
    pub(super) fn put(&mut self, property: usize, value: f64) {
        let slot = self.slots[property];
        self.values[slot] = value as f32 / self.scale[slot];
    }

    pub(super) fn put_colors(&self, colors: &mut [Colors]) {
        let main = self.has_color.then_some(slot::R);
        let own = (0..self.prefixes.len()).map(first_of_group);
        for (first, colors) in main.into_iter().chain(own).zip(colors) {
            colors.values.push(std::array::from_fn(|i| self.values[first + i]));
        }
    }
}

/// Where the colors of a group of their own begin.
pub(super) fn first_of_group(group: usize) -> usize {
    slot::COUNT + 4 * group
}

/// Whether a type tells how far colors of it go.
pub(super) fn is_sure(scalar: Scalar) -> bool {
    matches!(scalar, Scalar::I8 | Scalar::U8 | Scalar::I16 | Scalar::U16)
}

/// The slot of a property, with those of colors of their own.
pub(super) fn slot_among(name: &str, prefixes: &[String]) -> usize {
    for (i, prefix) in prefixes.iter().enumerate() {
        let channel = name.strip_prefix(prefix.as_str()).and_then(|rest| {
            ["red", "green", "blue", "alpha"].iter().position(|channel| *channel == rest)
        });
        if let Some(channel) = channel {
            return slot::COUNT + 4 * i + channel;
        }
    }
    slot_of(name)
}
