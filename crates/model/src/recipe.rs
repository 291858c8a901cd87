//! Recipes: how a channel, R G B together, or all four, of a set are made.
//!
//! A recipe is a list of steps from top to bottom. Each has a source, shaping, and a merge with what
//! the steps above it made. What a recipe says is kept apart from how it is computed
//! (the crate of tools).

pub mod shaping;
pub mod source;
pub mod starters;

use serde::{Deserialize, Serialize};
use speckle_color::{Channels, Encoding, Rgba, blend::Blend};
use speckle_mesh::Placement;

pub use shaping::Shaping;
pub use source::Source;

/// The channels a recipe makes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Target {
    /// R alone.
    R,
    /// G alone.
    G,
    /// B alone.
    B,
    /// A alone.
    A,
    /// R, G and B together.
    #[serde(rename = "RGB")]
    Rgb,
    /// All four.
    #[serde(rename = "RGBA")]
    Rgba,
}

impl Target {
    /// The channel of a number, 0–3.
    #[must_use]
    pub fn channel(number: usize) -> Option<Self> {
        [Self::R, Self::G, Self::B, Self::A].get(number).copied()
    }

    /// Which channels those are.
    #[must_use]
    pub fn channels(self) -> Channels {
        let one = |i: usize| Channels(std::array::from_fn(|k| k == i));
        match self {
            Self::R => one(0),
            Self::G => one(1),
            Self::B => one(2),
            Self::A => one(3),
            Self::Rgb => Channels::RGB,
            Self::Rgba => Channels::RGBA,
        }
    }

    /// Whether it is one channel.
    #[must_use]
    pub fn is_single(self) -> bool {
        !matches!(self, Self::Rgb | Self::Rgba)
    }

    /// As it is said: "R", "RGB".
    #[must_use]
    pub fn letters(self) -> &'static str {
        match self {
            Self::R => "R",
            Self::G => "G",
            Self::B => "B",
            Self::A => "A",
            Self::Rgb => "RGB",
            Self::Rgba => "RGBA",
        }
    }
}

/// When what a recipe makes is made again after something it depends on has changed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Remake {
    /// As soon as it has.
    #[default]
    AtOnce,
    /// When the channel is shown.
    WhenLookedAt,
    /// When someone asks for it.
    ByClick,
}

/// How a channel, or several together, are made.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Recipe {
    /// What the user calls it; empty for what its steps say.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub name: String,
    /// What it makes.
    pub channels: Target,
    /// When it is made again.
    #[serde(default)]
    pub remake: Remake,
    /// From top to bottom.
    pub steps: Vec<Step>,
}

/// How a step meets what the steps above it made. Numbers are those stored, 0–1.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = StepMerge))]
#[serde(rename_all = "snake_case")]
pub enum Merge {
    /// Takes its place.
    Replace,
    /// The product: what is dark in either stays dark.
    Multiply,
    /// The sum.
    Add,
    /// What is above less the step.
    Subtract,
    /// The lesser of both.
    Darker,
    /// The greater of both.
    Lighter,
    /// Half of each, or more of the step by its strength.
    Mix,
    /// 1 less the product of what both lack.
    Screen,
    /// Multiply where what is above is dark, screen where it is light.
    Overlay,
}

impl Merge {
    /// Of what is above, `a`, and a step's number, `b` (screen and overlay: W3C Compositing and
    /// Blending Level 1).
    #[must_use]
    pub fn of(self, a: f32, b: f32) -> f32 {
        let blend = match self {
            Self::Replace | Self::Mix => Blend::Normal,
            Self::Multiply => Blend::Multiply,
            Self::Add => Blend::Add,
            Self::Subtract => Blend::Subtract,
            Self::Darker => Blend::Darken,
            Self::Lighter => Blend::Lighten,
            Self::Screen => Blend::Screen,
            Self::Overlay => Blend::Overlay,
        };
        blend.of_number(a, b).clamp(0.0, 1.0)
    }
}

/// Where a step counts.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = StepMask))]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
pub enum Mask {
    /// Where the part's mask protects, the step does not count.
    Own {
        /// The other way round.
        #[serde(default)]
        invert: bool,
    },
    /// Within a selection, by its name.
    Selection {
        /// Its name.
        name: String,
        /// The other way round.
        #[serde(default)]
        invert: bool,
    },
    /// As much as a channel says.
    Channel {
        /// The set, by its name.
        set: String,
        /// R, G, B or A.
        channel: Target,
        /// The other way round.
        #[serde(default)]
        invert: bool,
    },
}

/// One step of a recipe.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = RecipeStep))]
#[serde(deny_unknown_fields)]
pub struct Step {
    /// What it starts from.
    pub source: Source,
    /// Which of three numbers goes into a single channel.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub take: Option<Take>,
    /// What becomes of it, one after another.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub shaping: Vec<Shaping>,
    /// How it meets what is above; by itself, the first step replaces, later ones multiply on data
    /// and mix on color.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub merge: Option<Merge>,
    /// How much of it counts, 0–1; by itself 1, and ½ for a mix.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub strength: Option<f32>,
    /// Where it counts; everywhere when there is none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mask: Option<Mask>,
    /// Whether it is passed over.
    #[serde(default, skip_serializing_if = "is_false")]
    pub off: bool,
}

/// One of three numbers.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Take {
    /// The first.
    R,
    /// The second.
    G,
    /// The third.
    B,
    /// The luminance of all three as a color.
    Luminance,
    /// How much of an image is there; 1 of all else.
    Alpha,
}

#[allow(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it")]
fn is_false(b: &bool) -> bool {
    !b
}

/// The most steps of a recipe.
pub const MOST_STEPS: usize = 64;

impl Step {
    /// A step with all else by itself.
    #[must_use]
    pub fn new(source: Source) -> Self {
        Self {
            source,
            take: None,
            shaping: Vec::new(),
            merge: None,
            strength: None,
            mask: None,
            off: false,
        }
    }

    /// How it meets what is above, the first step that counts having nothing above it.
    #[must_use]
    pub fn merge(&self, is_first: bool, encoding: Encoding) -> Merge {
        self.merge.unwrap_or(match (is_first, encoding) {
            _ if self.source.lies_on() => Merge::Replace,
            (true, _) => Merge::Replace,
            (false, Encoding::Data | Encoding::Swatch) => Merge::Multiply,
            (false, Encoding::Color) => Merge::Mix,
        })
    }

    /// How much of it counts.
    #[must_use]
    pub fn strength(&self, merge: Merge) -> f32 {
        self.strength.unwrap_or(if merge == Merge::Mix { 0.5 } else { 1.0 })
    }

    /// Whether nothing of what is above is left.
    #[must_use]
    pub fn covers_all(&self, merge: Merge) -> bool {
        let is_whole = self.mask.is_none() && self.strength(merge) >= 1.0;
        is_whole && !self.source.lies_on() && matches!(merge, Merge::Replace | Merge::Mix)
    }

    /// Whether it lays whole values on, mixing and bending nothing: what swatches can be made by.
    #[must_use]
    pub fn is_whole(&self) -> bool {
        self.source.lies_on()
            && self.take.is_none()
            && self.shaping.is_empty()
            && self.merge.is_none_or(|merge| merge == Merge::Replace)
            && self.strength.is_none_or(|strength| strength == 1.0)
            && self.mask.is_none()
    }

    fn problem(&self) -> Option<String> {
        if let Some(problem) = self.source.problem() {
            return Some(problem);
        }
        if self.strength.is_some_and(|s| !(0.0..=1.0).contains(&s)) {
            return Some("the strength must lie between 0 and 1".to_owned());
        }
        self.shaping.iter().find_map(Shaping::problem)
    }
}

impl Recipe {
    /// One without steps.
    #[must_use]
    pub fn new(channels: Target) -> Self {
        Self { name: String::new(), channels, remake: Remake::default(), steps: Vec::new() }
    }

    /// What makes it impossible, said for the user with the number of the step.
    #[must_use]
    pub fn problem(&self) -> Option<String> {
        if self.steps.len() > MOST_STEPS {
            return Some(format!("a recipe has {MOST_STEPS} steps at most"));
        }
        if self.name.chars().count() > 80 {
            return Some("the recipe's name may have 80 letters at most".to_owned());
        }
        let steps = self.steps.iter().enumerate();
        steps.filter_map(|(i, step)| Some((i, step.problem()?))).next().map(|(i, problem)| {
            format!("step {} ({}): {problem}", i + 1, self.steps[i].source.title())
        })
    }

    /// The steps that count, each with its number, its merge and its strength.
    pub fn counting(&self, encoding: Encoding) -> impl Iterator<Item = (usize, &Step, Merge, f32)> {
        let counting = self.steps.iter().enumerate().filter(|(_, step)| !step.off);
        counting.enumerate().map(move |(nth, (i, step))| {
            let merge = step.merge(nth == 0, encoding);
            (i, step, merge, step.strength(merge))
        })
    }

    /// For each step, what is worth saying about how it stands in the recipe.
    #[must_use]
    pub fn remarks(&self, encoding: Encoding) -> Vec<Option<&'static str>> {
        let mut remarks = vec![None; self.steps.len()];
        for (nth, (i, step, merge, _)) in self.counting(encoding).enumerate() {
            if nth > 0 && step.covers_all(merge) {
                remarks[i] = Some("leaves no trace of the steps above");
            }
        }
        remarks
    }

    /// What lays the swatches of volumes on: those for unpainted faces, what is painted, and those for all
    /// faces.
    #[must_use]
    pub fn of_volumes() -> Self {
        let sources = [
            Source::Volumes { over: false },
            Source::HandPaint { paint: None },
            Source::Volumes { over: true },
        ];
        Self { steps: sources.map(Step::new).into(), ..Self::new(Target::Rgba) }
    }

    /// Whether volumes take part in it.
    #[must_use]
    pub fn has_volumes(&self) -> bool {
        self.steps.iter().any(|step| matches!(step.source, Source::Volumes { .. }))
    }

    /// The numbers of its layers of hand paint.
    pub fn paints(&self) -> impl Iterator<Item = u32> {
        self.steps.iter().filter_map(|step| match step.source {
            Source::HandPaint { paint } => paint,
            _ => None,
        })
    }

    /// What it is called: its name, or what its steps start from.
    #[must_use]
    pub fn title(&self) -> String {
        if !self.name.is_empty() {
            return self.name.clone();
        }
        let mut titles: Vec<&str> = Vec::new();
        for step in self.steps.iter().filter(|step| !step.off) {
            if !titles.contains(&step.source.title()) {
                titles.push(step.source.title());
            }
        }
        if titles.is_empty() { "nothing yet".to_owned() } else { titles.join(", ").to_lowercase() }
    }
}

/// Recipes for a set, as a file: what the command line runs and the app saves.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct RecipeFile {
    /// What the file is written in; [`RecipeFile::VERSION`] is the newest that is understood.
    #[serde(default = "first_version")]
    pub version: u32,
    /// What it is called.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub name: String,
    /// What it is good for.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub note: String,
    /// The set it makes, by name.
    pub set: String,
    /// What each value of the set belongs to, when it has to be made.
    #[serde(default = "by_vertex")]
    pub placement: Placement,
    /// What its numbers are, when it has to be made.
    #[serde(default = "as_data")]
    pub encoding: Encoding,
    /// What it starts with, when it has to be made.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[cfg_attr(feature = "schema", schema(value_type = Option<[f32; 4]>))]
    pub start: Option<Rgba>,
    /// One for each channel, or several together.
    pub recipes: Vec<Recipe>,
}

fn too_new(version: u64) -> String {
    let newest = RecipeFile::VERSION;
    format!(
        "it is of version {version}, and this app knows versions up to {newest}: get a newer app, \
         or save the recipe for an older one"
    )
}

fn first_version() -> u32 {
    1
}

fn by_vertex() -> Placement {
    Placement::Vertex
}

fn as_data() -> Encoding {
    Encoding::Data
}

impl RecipeFile {
    /// The newest version that is understood.
    pub const VERSION: u32 = 1;

    /// Reads a file.
    ///
    /// # Errors
    /// Why it is no recipe, or one that is not understood, said for the user.
    pub fn read(text: &str) -> Result<Self, String> {
        // The version first: what a newer app wrote may have words that are not known here.
        let version = serde_json::from_str::<serde_json::Value>(text).ok();
        let version = version.as_ref().and_then(|v| v["version"].as_u64()).unwrap_or(1);
        if version > u64::from(Self::VERSION) {
            return Err(too_new(version));
        }
        let file: Self = crate::json::read(text.as_bytes())
            .map_err(|error| format!("this is no recipe: {error}"))?;
        file.problem().map_or(Ok(file), Err)
    }

    /// The value that the set is flooded with, when it has to be made.
    #[must_use]
    pub fn ground(&self) -> Rgba {
        let usual = match self.encoding {
            Encoding::Color => [1.0; 4],
            Encoding::Data => [0.0, 0.0, 0.0, 1.0],
            Encoding::Swatch => [0.0; 4],
        };
        self.start.unwrap_or(usual)
    }

    /// What makes it impossible, said for the user.
    #[must_use]
    pub fn problem(&self) -> Option<String> {
        if self.version > Self::VERSION {
            return Some(too_new(self.version.into()));
        }
        if self.set.trim().is_empty() {
            return Some("the recipe needs the name of the set it makes".to_owned());
        }
        let mut made = [false; 4];
        for recipe in &self.recipes {
            if let Some(problem) = recipe.problem() {
                return Some(format!("{}: {problem}", recipe.channels.letters()));
            }
            for i in (0..4).filter(|&i| recipe.channels.channels().0[i]) {
                if std::mem::replace(&mut made[i], true) {
                    let letter = ["R", "G", "B", "A"][i];
                    return Some(format!("two recipes make {letter}: one must go"));
                }
            }
        }
        None
    }
}
