//! What all code of a look is written with: the names of sets and images, and its numbers, written or in an array.

use speckle_color::Encoding;
use speckle_model::proof::Factor;

use super::{Language, names::number, says::SetSays, syntax::one_line};

/// How numbers stand in code.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Numbers {
    /// As they are.
    Written,
    /// In an array `look_numbers`, so that they change without the code.
    InArray,
}

/// A set that a look takes.
pub(super) struct SetTaken<'a> {
    /// What the project calls it.
    pub(super) set: &'a str,
    /// What it is called in the code.
    pub(super) name: String,
    /// What is said of it.
    pub(super) says: SetSays,
}

impl SetTaken<'_> {
    /// What the function takes it as: colors in linear light under another name, until they are encoded.
    pub(super) fn taken(&self) -> String {
        if self.says.in_light { format!("{}_in_light", self.name) } else { self.name.clone() }
    }

    /// What is said of it before the function.
    pub(super) fn remarks(&self) -> String {
        let stored = if self.says.in_light { "in linear light" } else { "as they are stored" };
        let set = one_line(self.set);
        let mut out =
            format!("\n// {}: the four numbers of the set {set}, {stored}.", self.taken());
        for line in &self.says.lines {
            out.push_str("\n//   ");
            out.push_str(line);
        }
        out
    }

    /// How the function takes it.
    pub(super) fn input(&self, language: Language) -> String {
        language.input(language.vector(4), &self.taken())
    }

    /// What the function begins with: colors encoded, as looks take them.
    pub(super) fn begun(&self, language: Language) -> String {
        if !self.says.in_light {
            return String::new();
        }
        let (four, from) = (language.vector(4), self.taken());
        let encoded = format!("{four}(look_encoded({from}.rgb), {from}.a)");
        format!("    {}", language.local(four, &self.name, &encoded))
    }
}

/// What is written of a look, and the numbers that were met on the way.
pub(super) struct Writer<'a> {
    pub(super) language: Language,
    pub(super) numbers: Numbers,
    pub(super) pointers: Vec<String>,
    /// The sets, what they are called in the code, and what is said of them.
    pub(super) sets: Vec<SetTaken<'a>>,
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
        self.sets.iter().find(|own| own.set == name).map_or("", |own| &own.name)
    }

    pub(super) fn factor(&self, factor: &Factor) -> String {
        let letter = ["r", "g", "b", "a"][usize::from(factor.channel.min(3))];
        let number = format!("{}.{letter}", self.set(&factor.set));
        if factor.complement { format!("(1.0 - {number})") } else { number }
    }
}
