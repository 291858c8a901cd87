//! The channel note: what travels with an export, so that nobody has to remember what blue was for.
//! As a structure inside of files that can hold one, and beside them as JSON and as Markdown.

use std::fmt::Write as _;

use serde::{Deserialize, Serialize};
use speckle_core::{
    ColorSet, Encoding, Part, Placement, ProjectTraits, Unit, UpAxis, color_set::Signed,
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
        }
    }

    /// One line for each channel that somebody said something about, for formats with comments.
    #[must_use]
    pub fn lines(&self) -> Vec<String> {
        let Origin { project, revision, date, .. } = &self.origin;
        let mut lines = Vec::new();
        if !project.is_empty() {
            lines.push(format!("from the project {project}, revision {revision}, {date}"));
        }
        for set in &self.sets {
            for channel in set.channels.iter().filter(|channel| !channel.meaning.is_empty()) {
                lines.push(format!("{}: {} · {}", set.part, set.name, channel.line()));
            }
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
            let numbers = match set.encoding {
                Encoding::Color => "sRGB color",
                Encoding::Data => "plain numbers, never to be gamma-corrected",
            };
            let _ = writeln!(out, "## {} · {}\n", set.part, set.name);
            let _ = writeln!(out, "{}, {numbers}.\n", capital(set.placement.words()));
            out.push_str("| channel | holds | 0 | 1 | in use | decode | made |\n");
            out.push_str("|---|---|---|---|---|---|---|\n");
            for channel in &set.channels {
                let plain = |text: &str| text.replace('|', "\\|").replace(['\n', '\r'], " ");
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
    fn line(&self) -> String {
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
        ChannelSays {
            channel: letter.to_owned(),
            meaning: traits.meaning.clone(),
            low: traits.low.clone(),
            high: traits.high.clone(),
            range: if range[0] > range[1] { [0.0; 2] } else { range },
            signed: traits.signed,
            decode: traits.signed.map_or_else(String::new, |signed| {
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
