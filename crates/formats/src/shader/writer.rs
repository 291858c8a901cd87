//! What all code of a look is written with: the names of sets and images, and its numbers, written or in an array.

use speckle_color::Encoding;
use speckle_model::proof::Factor;

use super::{Language, names::number};

/// How numbers stand in code.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Numbers {
    /// As they are.
    Written,
    /// In an array `look_numbers`, so that they change without the code.
    InArray,
}

/// What is written of a look, and the numbers that were met on the way.
pub(super) struct Writer<'a> {
    pub(super) language: Language,
    pub(super) numbers: Numbers,
    pub(super) pointers: Vec<String>,
    /// The sets, and what they are called in the code.
    pub(super) sets: Vec<(&'a str, String)>,
    /// The images, by whether they are colors or data, and what they are called in the code.
    pub(super) images: Vec<((&'a str, Encoding), String)>,
}

impl Writer<'_> {
    /// A number of the look.
    pub(super) fn number(&mut self, pointer: String, value: f32) -> String {
        match self.numbers {
            Numbers::Written => number(value),
            Numbers::InArray => {
                self.pointers.push(pointer);
                format!("look_numbers[{}]", self.pointers.len() - 1)
            }
        }
    }

    /// Several numbers of the look, as a vector.
    pub(super) fn vector<const N: usize>(&mut self, pointer: &str, values: [f32; N]) -> String {
        let numbers: Vec<_> =
            (0..N).map(|i| self.number(format!("{pointer}/{i}"), values[i])).collect();
        format!("{}({})", self.language.vector(N), numbers.join(", "))
    }

    pub(super) fn set(&self, name: &str) -> &str {
        self.sets.iter().find(|(set, _)| *set == name).map_or("", |(_, name)| name)
    }

    pub(super) fn factor(&self, factor: &Factor) -> String {
        let letter = ["r", "g", "b", "a"][usize::from(factor.channel.min(3))];
        let number = format!("{}.{letter}", self.set(&factor.set));
        if factor.complement { format!("(1.0 - {number})") } else { number }
    }
}
