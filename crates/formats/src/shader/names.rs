//! Names of channels as identifiers, and what is said beside them.

use std::{collections::HashSet, fmt::Write as _};

use super::RESERVED;
use crate::note::{ChannelNote, ChannelSays, SetNote};

/// A name as all three languages take it: small letters, digits and single underscores.
pub(super) fn plain(words: &str, usual: &str) -> String {
    let mut name = String::new();
    for c in words.chars() {
        if c.is_ascii_alphanumeric() {
            name.push(c.to_ascii_lowercase());
        } else if !name.ends_with('_') && !name.is_empty() {
            name.push('_');
        }
    }
    let name = name.trim_matches('_').to_owned();
    let name = if name.is_empty() { usual.to_owned() } else { name };
    if name.starts_with(|c: char| c.is_ascii_digit()) || RESERVED.contains(&name.as_str()) {
        format!("the_{name}")
    } else {
        name
    }
}

/// Names, each once.
#[derive(Default)]
pub(super) struct Names(HashSet<String>);

impl Names {
    pub(super) fn free(&mut self, words: &str, usual: &str) -> String {
        let wanted = plain(words, usual);
        let numbered = (2..).map(|n| format!("{wanted}_{n}"));
        let mut names = std::iter::once(wanted.clone()).chain(numbered);
        let name = names.find(|name| !self.0.contains(name)).unwrap_or(wanted);
        self.0.insert(name.clone());
        name
    }
}

/// A channel with its name in the code.
pub(super) struct Named<'a> {
    pub(super) name: String,
    pub(super) letter: &'static str,
    pub(super) says: &'a ChannelSays,
}

/// A set with its name in the code, and the place it is sent at.
pub(super) struct NamedSet<'a> {
    pub(super) name: String,
    pub(super) place: usize,
    pub(super) set: &'a SetNote,
    pub(super) channels: Vec<Named<'a>>,
}

impl NamedSet<'_> {
    /// Where the file has it, in words.
    pub(super) fn whereabouts(&self) -> String {
        match &self.set.attribute {
            Some(attribute) => format!("what is stored as {attribute}"),
            None => format!("the set at place {}, counted from 0", self.place),
        }
    }
}

pub(super) fn capital_first(words: &str) -> String {
    let mut chars = words.chars();
    chars.next().map(|c| c.to_ascii_uppercase()).into_iter().chain(chars).collect()
}

/// The primvar that USD shows: three numbers, with its opacity in another.
pub(super) const SHOWN: &str = "displayColor";

/// The sets of the first part that has each: parts of a project share them by name.
pub(super) fn named(note: &ChannelNote) -> Vec<NamedSet<'_>> {
    let mut names = Names::default();
    let mut seen: Vec<&str> = Vec::new();
    let mut named = Vec::new();
    for set in &note.sets {
        if seen.contains(&set.name.as_str()) {
            continue;
        }
        seen.push(&set.name);
        let mut own = Names::default();
        let usual = ["red", "green", "blue", "alpha"];
        let letters = ["r", "g", "b", "a"];
        let channels = set.channels.iter().enumerate().map(|(i, says)| Named {
            name: own.free(&says.meaning, usual[i.min(3)]),
            letter: letters[i.min(3)],
            says,
        });
        let channels = channels.collect();
        let name = names.free(&set.name, "set");
        named.push(NamedSet { name, place: named.len(), set, channels });
    }
    named
}

/// A number as the languages write it: with a point.
pub(super) fn number(x: f32) -> String {
    let text = format!("{x:?}");
    if text.contains('e') { format!("{x:.9}") } else { text }
}

/// What follows behind a field, for people.
pub(super) fn remark(says: &ChannelSays) -> String {
    let mut remark = says.channel.clone();
    for (end, words) in [("0", &says.low), ("1", &says.high)] {
        if !words.is_empty() {
            let _ = write!(remark, ", {end} is {words}");
        }
    }
    // A line break would end the remark in the middle of words.
    remark.split_whitespace().collect::<Vec<_>>().join(" ")
}
