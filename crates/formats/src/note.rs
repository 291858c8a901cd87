//! The channel note: what travels with an export, so that nobody has to remember what blue was for.
//! As a structure inside of files that can hold one, and beside them as JSON and as Markdown.

use std::fmt::Write as _;

use serde::{Deserialize, Serialize};
use speckle_color::Encoding;
use speckle_mesh::{Placement, Unit, UpAxis};
use speckle_model::{ColorSet, Part, ProjectTraits, color_set::Signed, swatches::Swatch};
use speckle_tools::separation::Separation;

use crate::{
    DataSets, Format, Light, carried, gltf::write::attribute_names, holds::Holds,
    usd::write::primvar_names,
};

/// Where a file comes from.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Origin {
    /// What the project is called.
    pub project: String,
    /// What tells the project from all others, whatever it is called.
    pub project_id: String,
    /// How many changes the project has seen: of two files of a project, the greater is the newer.
    pub revision: i64,
    /// The day it was written, `YYYY-MM-DD`.
    pub date: String,
}

impl Origin {
    /// As a line of text: "from the project Herring drifter, revision 12, 2026-11-26, as a-1".
    #[must_use]
    pub fn line(&self) -> String {
        let Self { project, project_id, revision, date } = self;
        // A line break within a name would end a comment.
        let project = project.split_whitespace().collect::<Vec<_>>().join(" ");
        format!("{MARK}{project}{REVISION}{revision}, {date}{ID}{project_id}")
    }

    /// Finds such a line near the beginning of a file that is text.
    #[must_use]
    pub fn find_in(file: &[u8]) -> Option<Self> {
        let head = &file[..file.len().min(HEAD)];
        let at = memchr::memmem::find(head, MARK.as_bytes())? + MARK.len();
        let rest = &head[at..head.len().min(at + LONGEST)];
        let text = String::from_utf8_lossy(rest);
        // A project may be called like what follows its name.
        text.match_indices(REVISION).find_map(|(at, _)| {
            let (revision, rest) = text[at + REVISION.len()..].split_once(", ")?;
            let (date, rest) = rest.split_once(ID)?;
            let ends = |c: char| !c.is_ascii_hexdigit() && c != '-';
            let id = rest.split(ends).next().filter(|id| !id.is_empty())?;
            let is_day = date.len() == 10 && date.bytes().all(|b| b.is_ascii_digit() || b == b'-');
            let revision = revision.parse().ok().filter(|_| is_day)?;
            // Where the text is XML, it is escaped.
            let project = &text[..at];
            let project = quick_xml::escape::unescape(project).unwrap_or(project.into());
            Some(Self {
                project: project.into_owned(),
                project_id: id.to_owned(),
                revision,
                date: date.to_owned(),
            })
        })
    }
}

/// How a line about the origin begins, and what stands within it.
const MARK: &str = "from the project ";
const REVISION: &str = ", revision ";
const ID: &str = ", as ";

/// How far into a file its origin is looked for, and how long such a line may be (bytes).
const HEAD: usize = 1 << 16;
const LONGEST: usize = 2048;

/// What travels with an export.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ChannelNote {
    /// What wrote it.
    pub generator: String,
    /// Where it comes from.
    #[serde(flatten)]
    pub origin: Origin,
    /// What one step of every length is.
    pub unit: Unit,
    /// The axis that points up.
    pub up: UpAxis,
    /// The sets of every part, in the order they stand in the file.
    pub sets: Vec<SetNote>,
    /// The spools that it is printed with, where it is.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub spools: Vec<Spool>,
}

/// A spool that a print takes.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Spool {
    /// What its swatch is called.
    pub name: String,
    /// Its color, `#rrggbb`, sRGB.
    pub color: String,
    /// Its share of the surface, 0–1.
    pub share: f64,
}

impl Spool {
    /// Those of a separation, in its order.
    #[must_use]
    pub fn all(separation: &Separation) -> Vec<Self> {
        let whole: f64 = separation.areas.iter().sum();
        let spool = |(swatch, area): (&Swatch, &f64)| Self {
            name: swatch.name.clone(),
            color: swatch.hex(),
            share: if whole > 0.0 { area / whole } else { 0.0 },
        };
        separation.swatches.iter().zip(&separation.areas).map(spool).collect()
    }
}

/// What is said of a set.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SetNote {
    /// The part it belongs to.
    pub part: String,
    /// What it is called.
    pub name: String,
    /// What each value belongs to.
    pub placement: Placement,
    /// Whether the numbers are colors or plain data.
    pub encoding: Encoding,
    /// What the file calls it, where that is an attribute or a primvar of its own (`COLOR_1`,
    /// `displayColor`).
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub attribute: Option<String>,
    /// In which numbers the file stores them, if they are colors.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub light: Option<Light>,
    /// Its four channels, R, G, B, A.
    pub channels: Vec<ChannelSays>,
}

/// What is said of a channel.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ChannelSays {
    /// R, G, B or A.
    pub channel: String,
    /// What it holds; empty where nobody said.
    pub meaning: String,
    /// What 0 says.
    pub low: String,
    /// What 1 says.
    pub high: String,
    /// The least and the greatest number in it.
    pub range: [f32; 2],
    /// For values that go both ways: the neutral and what a step of 1 stands for.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub signed: Option<Signed>,
    /// What its numbers stand for where a recipe packed them.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub holds: Option<Holds>,
    /// How a number is turned into what it stands for.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    pub decode: String,
    /// How it was made: by hand, or by which steps.
    pub made: String,
}

impl ChannelNote {
    /// The note of parts as they go out.
    #[must_use]
    pub fn of(parts: &[Part], traits: ProjectTraits, origin: Origin) -> Self {
        let sets = parts.iter().flat_map(|part| part.products().map(|set| set_note(part, set)));
        Self {
            generator: "Jaunty Speckle".to_owned(),
            origin,
            unit: traits.unit,
            up: traits.up,
            sets: sets.collect(),
            spools: Vec::new(),
        }
    }

    /// Tells in which numbers the file stores colors.
    #[must_use]
    pub fn stored(mut self, light: impl Fn(&SetNote) -> Light) -> Self {
        for set in self.sets.iter_mut().filter(|set| set.encoding == Encoding::Color) {
            set.light = Some(light(set));
        }
        self
    }

    /// Tells what a format calls the sets of the parts that the note is of.
    #[must_use]
    pub fn called(mut self, parts: &[Part], format: Format, data: DataSets) -> Self {
        let abilities = format.abilities();
        let mut notes = self.sets.iter_mut();
        for part in parts {
            let sets = carried(&abilities, part);
            let names = match format {
                Format::Glb | Format::Gltf => attribute_names(&sets, data),
                Format::Usda | Format::Usdz => primvar_names(&sets),
                _ => Vec::new(),
            };
            for (set, note) in part.products().zip(&mut notes) {
                let at = sets.iter().position(|own| own.id == set.id);
                note.attribute = at.and_then(|at| names.get(at).cloned());
            }
        }
        self
    }

    /// One line for each channel that somebody said something about, for formats with comments.
    #[must_use]
    pub fn lines(&self) -> Vec<String> {
        let mut lines = Vec::new();
        if !self.origin.project.is_empty() {
            lines.push(self.origin.line());
        }
        for set in &self.sets {
            for channel in set.channels.iter().filter(|channel| !channel.meaning.is_empty()) {
                lines.push(format!("{}: {} · {}", set.part, set.name, channel.line()));
            }
        }
        for (number, Spool { name, color, .. }) in self.spools.iter().enumerate() {
            lines.push(format!("spool {}: {name} {color}", number + 1));
        }
        // A line break within a name would end a comment.
        lines.iter().map(|line| line.split_whitespace().collect::<Vec<_>>().join(" ")).collect()
    }

    /// As a text for people.
    #[must_use]
    pub fn markdown(&self) -> String {
        let mut out = String::new();
        let Origin { project, revision, date, .. } = &self.origin;
        let title = if project.is_empty() { "Channels" } else { project };
        let _ = writeln!(out, "# {title}: what the channels hold\n");
        if !project.is_empty() {
            let _ = writeln!(out, "Revision {revision}, {date}. Written by {}.\n", self.generator);
        }
        let _ = writeln!(out, "Lengths are in {}, +{:?} is up.\n", self.unit.symbol(), self.up);
        for set in &self.sets {
            let numbers = match (set.encoding, set.light) {
                (Encoding::Color, Some(light)) => format!("a color, {}", light.words()),
                (Encoding::Color, None) => "a color".to_owned(),
                (Encoding::Data | Encoding::Swatch, _) => {
                    "plain numbers, never to be gamma-corrected".to_owned()
                }
            };
            let _ = writeln!(out, "## {} · {}\n", set.part, set.name);
            let _ = writeln!(out, "{}, {numbers}.\n", capital(set.placement.words()));
            out.push_str("| channel | holds | 0 | 1 | in use | decode | made |\n");
            out.push_str("|---|---|---|---|---|---|---|\n");
            for channel in &set.channels {
                let [low, high] = channel.range;
                let _ = writeln!(
                    out,
                    "| {} | {} | {} | {} | {low:.3}–{high:.3} | {} | {} |",
                    channel.channel,
                    plain(&channel.meaning),
                    plain(&channel.low),
                    plain(&channel.high),
                    plain(&channel.decode),
                    plain(&channel.made),
                );
            }
            out.push('\n');
        }
        if !self.spools.is_empty() {
            out.push_str("## Spools\n\n| | swatch | color | of the surface |\n|---|---|---|---|\n");
            for (number, Spool { name, color, share }) in self.spools.iter().enumerate() {
                let (name, share) = (plain(name), 100.0 * share);
                let _ = writeln!(out, "| {} | {name} | {color} | {share:.1} % |", number + 1);
            }
        }
        out
    }

    /// As JSON.
    #[must_use]
    pub fn json(&self) -> String {
        serde_json::to_string_pretty(self).unwrap_or_default()
    }
}

impl ChannelSays {
    /// "R occlusion, 0 is dark, 1 is open".
    pub(crate) fn line(&self) -> String {
        let mut line = format!("{} {}", self.channel, self.meaning);
        for (end, words) in [("0", &self.low), ("1", &self.high)] {
            if !words.is_empty() {
                let _ = write!(line, ", {end} is {words}");
            }
        }
        if !self.decode.is_empty() {
            let _ = write!(line, ", {}", self.decode);
        }
        line
    }
}

/// Text that breaks no table.
fn plain(text: &str) -> String {
    text.replace('|', "\\|").replace(['\n', '\r'], " ")
}

fn capital(words: &str) -> String {
    let mut letters = words.chars();
    letters.next().map_or_else(String::new, |first| first.to_uppercase().chain(letters).collect())
}

fn set_note(part: &Part, set: &ColorSet) -> SetNote {
    let channels = (0..4).map(|i| {
        let traits = &set.channels[i];
        let of =
            |range: [f32; 2], value: &[f32; 4]| [range[0].min(value[i]), range[1].max(value[i])];
        let range = set.values.iter().fold([1.0_f32, 0.0], of);
        let recipe = set.recipes.iter().find(|own| own.recipe.channels.channels().0[i]);
        let letter = ["R", "G", "B", "A"][i];
        let holds = match set.encoding {
            Encoding::Data => recipe.and_then(|own| Holds::of(&own.recipe, i, part)),
            // A color is what it is.
            Encoding::Color | Encoding::Swatch => None,
        };
        let packed = || holds.map_or_else(String::new, |holds| holds.words(&letter.to_lowercase()));
        ChannelSays {
            channel: letter.to_owned(),
            meaning: traits.meaning.clone(),
            low: traits.low.clone(),
            high: traits.high.clone(),
            range: if range[0] > range[1] { [0.0; 2] } else { range },
            signed: traits.signed,
            holds,
            decode: traits.signed.map_or_else(packed, |signed| {
                format!(
                    "value = ({} − {}) × {}",
                    letter.to_lowercase(),
                    signed.neutral,
                    signed.amount
                )
            }),
            made: recipe.map_or_else(
                || "by hand, or as it came".to_owned(),
                |own| format!("by recipe: {}", own.recipe.title()),
            ),
        }
    });
    SetNote {
        part: part.traits.name.clone(),
        name: set.name.clone(),
        placement: set.placement,
        encoding: set.encoding,
        attribute: None,
        light: None,
        channels: channels.collect(),
    }
}

/// The day of a time, as `YYYY-MM-DD` (the calendar of ISO 8601, by Hinnant's days-to-civil
/// algorithm).
#[must_use]
pub fn day(ms: i64) -> String {
    let days = ms.div_euclid(86_400_000) + 719_468;
    let era = days.div_euclid(146_097);
    let of_era = days.rem_euclid(146_097);
    let year = (of_era - of_era / 1_460 + of_era / 36_524 - of_era / 146_096) / 365;
    let of_year = of_era - (365 * year + year / 4 - year / 100);
    let shifted = (5 * of_year + 2) / 153;
    let (day, month) = (of_year - (153 * shifted + 2) / 5 + 1, (shifted + 2) % 12 + 1);
    let year = year + era * 400 + i64::from(month <= 2);
    format!("{year:04}-{month:02}-{day:02}")
}
