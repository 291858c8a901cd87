//! What whoever writes code about a set has to know of it: where the file has it, in which numbers, what its channels
//! hold.

use speckle_color::Encoding;

use super::{is_encoded, names::named};
use crate::note::ChannelNote;

/// What is said of a set.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SetSays {
    /// At which place the file has it, from 0.
    pub place: usize,
    /// What the file calls it, where that is an attribute or a primvar of its own.
    pub attribute: Option<String>,
    /// Whether it holds colors that the file stores in linear light, where looks take encoded numbers.
    pub in_light: bool,
    /// A line for each channel that something was said of.
    pub lines: Vec<String>,
}

impl SetSays {
    /// What a note says of a set, by its name in the file.
    #[must_use]
    pub fn of(note: &ChannelNote, set: &str) -> Option<Self> {
        let sets = named(note);
        let own = sets.iter().find(|own| own.set.name == set)?;
        let is_color = own.set.encoding == Encoding::Color;
        let said = own
            .channels
            .iter()
            .filter(|channel| !channel.says.meaning.is_empty() || !channel.says.decode.is_empty());
        let lines =
            said.map(|own| own.says.line().split_whitespace().collect::<Vec<_>>().join(" "));
        Some(Self {
            place: own.place,
            attribute: own.set.attribute.clone(),
            in_light: is_color && own.set.light.is_some() && !is_encoded(own),
            lines: lines.collect(),
        })
    }
}
