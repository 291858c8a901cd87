//! Edits of whole channels: cleared, swapped, merged into others, taken out into a set.

use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use speckle_color::{
    Channels, Encoding, Rgba,
    blend::Blend,
    ramp::{self, Stop},
};
use speckle_mesh::Placement;
use speckle_model::{
    ColorSet, SetId,
    color_set::{ChannelTraits, Role, SetTraits, convert},
    recipe::Target,
};
use strum::VariantNames;

use super::{
    Change, ChangeStep, Document, EditError, NewSet, PartId, Patch,
    planned::{Family, Planned, Shares},
    sets::no_lock,
};

/// One channel of one set of one part.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ChannelAt {
    /// The part.
    pub part: PartId,
    /// The set.
    pub set: SetId,
    /// 0–3 for R, G, B, A.
    pub channel: usize,
}

/// How one channel's numbers go into another's.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum ChannelMerge {
    /// They take the place of what is there.
    Replace,
    /// The product of both.
    Multiply,
    /// Their sum, at most 1.
    Add,
    /// What is there less the others, at least 0.
    Subtract,
    /// How far they are apart.
    Difference,
    /// The smaller of both.
    Darker,
    /// The greater of both.
    Lighter,
}

impl ChannelMerge {
    /// The merged number of what is there and what comes.
    #[must_use]
    pub fn of(self, there: f32, comes: f32) -> f32 {
        let blend = match self {
            Self::Replace => Blend::Normal,
            Self::Multiply => Blend::Multiply,
            Self::Add => Blend::Add,
            Self::Subtract => Blend::Subtract,
            Self::Difference => Blend::Difference,
            Self::Darker => Blend::Darken,
            Self::Lighter => Blend::Lighten,
        };
        blend.of_number(there, comes)
    }

    fn verb(self) -> &'static str {
        match self {
            Self::Replace => "Copy",
            Self::Multiply => "Multiply",
            Self::Add => "Add",
            Self::Subtract => "Subtract",
            Self::Difference => "Difference of",
            Self::Darker => "Darker of",
            Self::Lighter => "Lighter of",
        }
    }
}

/// What changes channels as wholes.
#[derive(Clone, Debug, Deserialize, VariantNames)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "type", rename_all = "snake_case")]
#[strum(serialize_all = "snake_case")]
pub enum ChannelEdit {
    /// Says what a channel holds, or locks it.
    DescribeChannel {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// 0–3 for R, G, B, A.
        channel: usize,
        /// What is said of it from now on.
        traits: ChannelTraits,
    },
    /// Brings channels back to the ground color.
    ClearChannels {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// Which.
        channels: Channels,
    },
    /// Brings all of a part's sets back to their ground colors, where nothing is locked.
    ClearPart {
        /// The part.
        part: PartId,
    },
    /// Swaps two channels of a set, with what is said of them.
    SwapChannels {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// One, 0–3.
        a: usize,
        /// The other, 0–3.
        b: usize,
    },
    /// Brings a channel's numbers into another's, of any set of a part of the same mesh.
    MergeChannel {
        /// Where they come from.
        from: ChannelAt,
        /// Where they go.
        to: ChannelAt,
        /// How.
        merge: ChannelMerge,
        /// Whether 1 less the number comes.
        #[serde(default)]
        invert: bool,
    },
    /// A new data set from up to four channels.
    ComposeSet {
        /// The part.
        part: PartId,
        /// What it will be called.
        name: String,
        /// What each value belongs to.
        placement: Placement,
        /// Where R, G, B and A come from.
        channels: [ChannelSource; 4],
    },
    /// A new color set from a channel, by a color ramp.
    Colorize {
        /// The channel.
        from: ChannelAt,
        /// What the set will be called.
        name: String,
        /// The ramp: its color at 1 is kept as the ground color.
        ramp: Vec<Stop>,
    },
}

impl Family for ChannelEdit {
    fn plan(self, document: &mut Document) -> Result<Planned, EditError> {
        let change = match self {
            Self::DescribeChannel { part, set, channel, traits } => {
                document.change_describing_channel(part, set, channel, traits)?
            }
            Self::ClearChannels { part, set, channels } => {
                let change = document.change_clearing(part, set, channels)?;
                return Ok(Planned::Painting(change, Shares::CLEARED));
            }
            Self::ClearPart { part } => {
                let change = document.change_clearing_part(part)?;
                return Ok(Planned::Painting(change, Shares::CLEARED));
            }
            Self::SwapChannels { part, set, a, b } => {
                return Ok(Planned::Plain(document.change_swapping(part, set, (a, b))?));
            }
            Self::MergeChannel { from, to, merge, invert } => {
                document.change_merging(from, to, merge, invert)?
            }
            Self::ComposeSet { part, name, placement, channels } => {
                document.change_composing(part, &name, placement, channels)?
            }
            Self::Colorize { from, name, ramp } => {
                document.change_colorizing(from, &name, &ramp)?
            }
        };
        Ok(change.into())
    }

    fn why_nothing(&self) -> Option<&'static str> {
        match self {
            Self::ClearChannels { .. } | Self::ClearPart { .. } => {
                Some("it is at its ground color already, or protected")
            }
            _ => None,
        }
    }
}

impl Document {
    pub(super) fn change_clearing(
        &self,
        part: PartId,
        set: SetId,
        channels: Channels,
    ) -> Result<Change, EditError> {
        let (_, own, _) = self.own_set(part, set)?;
        let channels = if own.encoding == Encoding::Swatch { Channels::RGBA } else { channels };
        no_lock(own, channels.0)?;
        let own = self.as_kept(own);
        let clear = |value: &Rgba| {
            let mut value = *value;
            for i in (0..4).filter(|&i| channels.0[i]) {
                value[i] = own.ground[i];
            }
            value
        };
        let after: Vec<Rgba> = own.values.iter().map(clear).collect();
        let names: String = ["R", "G", "B", "A"]
            .iter()
            .zip(channels.0)
            .filter(|(_, on)| *on)
            .map(|(n, _)| *n)
            .collect();
        self.values_changed(format!("Clear {} of {}", names, own.name), part, &own, after)
    }

    /// Brings every set of a part back to its ground color, where nothing is locked.
    pub(super) fn change_clearing_part(&self, part: PartId) -> Result<Change, EditError> {
        let owner = self.unlocked(part)?;
        let mut change = Change {
            label: format!("Clear {}", owner.traits.name),
            steps: vec![],
            ..Change::default()
        };
        for set in owner.products() {
            let set = self.as_kept(set);
            let clear = |value: &[f32; 4]| -> [f32; 4] {
                let is_whole = set.encoding != Encoding::Swatch
                    || set.channels.iter().all(|channel| !channel.locked);
                let open = |i: usize| is_whole && !set.channels[i].locked;
                std::array::from_fn(|i| if open(i) { set.ground[i] } else { value[i] })
            };
            let after = set.values.iter().map(clear).collect();
            change.steps.extend(self.values_changed(String::new(), part, &set, after)?.steps);
        }
        Ok(change)
    }

    pub(super) fn change_swapping(
        &self,
        part: PartId,
        set: SetId,
        (a, b): (usize, usize),
    ) -> Result<Change, EditError> {
        let (_, own, _) = self.own_set(part, set)?;
        if a.max(b) > 3 {
            return Err(EditError::NoSuchChannel);
        }
        no_lock(own, std::array::from_fn(|i| i == a || i == b))?;
        let own = self.as_kept(own);
        let after: Vec<Rgba> = own
            .values
            .iter()
            .map(|value| {
                let mut value = *value;
                value.swap(a, b);
                value
            })
            .collect();
        let label = format!("Swap {} and {}", own.channel_name(a), own.channel_name(b));
        let mut change = self.values_changed(label, part, &own, after)?;
        // What the numbers mean goes with them.
        let mut traits = own.traits();
        traits.channels.swap(a, b);
        let traits = swapped(traits, (a, b))?;
        if traits != own.traits() {
            let (before, after) = (Box::new(own.traits()), Box::new(traits));
            change.steps.push(ChangeStep::SetTraits { part, set, before, after });
        }
        // And so does the hand paint of their recipes.
        let paints: Vec<u32> = own.paints().collect();
        for layer in &self.part(part)?.sets {
            let (Role::Paint { step } | Role::Coverage { step }) = layer.role else { continue };
            if paints.contains(&step) {
                let mut after = layer.values.to_vec();
                after.iter_mut().for_each(|value| value.swap(a, b));
                let patch = Patch::between(&layer.values, &after);
                if !patch.indices.is_empty() {
                    change.steps.push(ChangeStep::Values { part, set: layer.id, patch });
                }
            }
        }
        Ok(change)
    }

    /// The numbers of a channel at each element of another placement, of a part of the same mesh.
    fn numbers_at(
        &self,
        from: ChannelAt,
        part: PartId,
        placement: Placement,
    ) -> Result<(String, Vec<f32>), EditError> {
        let source = self.as_kept(self.set(from.part, from.set)?);
        let name = source.channels.get(from.channel).map(|_| source.channel_name(from.channel));
        let name = name.ok_or(EditError::NoSuchChannel)?;
        let (theirs, ours) = (self.part(from.part)?, self.part(part)?);
        if theirs.geometry.id() != ours.geometry.id() {
            return Err(EditError::OtherMesh {
                from: theirs.traits.name.clone(),
                to: ours.traits.name.clone(),
            });
        }
        // The numbers are copied as they are, so they are averaged as they are.
        let plain = ColorSet { encoding: Encoding::Data, ..source };
        let values = convert::values_at(&plain, placement, &ours.geometry);
        Ok((name, values.into_iter().map(|value| value[from.channel]).collect()))
    }

    pub(super) fn change_merging(
        &self,
        from: ChannelAt,
        to: ChannelAt,
        merge: ChannelMerge,
        invert: bool,
    ) -> Result<Change, EditError> {
        let (_, own, _) = self.own_set(to.part, to.set)?;
        if to.channel > 3 {
            return Err(EditError::NoSuchChannel);
        }
        no_lock(own, std::array::from_fn(|i| i == to.channel))?;
        super::whole::no_swatches(own)?;
        let own = self.as_kept(own);
        let (name, numbers) = self.numbers_at(from, to.part, own.placement)?;
        let mut after = own.values.to_vec();
        for (value, number) in after.iter_mut().zip(numbers) {
            let number = if invert { 1.0 - number } else { number };
            value[to.channel] = merge.of(value[to.channel], number);
        }
        let (verb, target) = (merge.verb(), own.channel_name(to.channel));
        let name = if invert { format!("{name}, inverted,") } else { name };
        self.values_changed(format!("{verb} {name} into {target}"), to.part, &own, after)
    }

    /// A new set whose channels come from channels of the part, or are one number: alone, one
    /// channel makes a grey set.
    pub(super) fn change_composing(
        &mut self,
        part: PartId,
        name: &str,
        placement: Placement,
        sources: [ChannelSource; 4],
    ) -> Result<Change, EditError> {
        let owner = self.unlocked(part)?;
        let mut values = vec![[0.0; 4]; placement.count(owner.geometry.mesh())];
        for (i, source) in sources.into_iter().enumerate() {
            match source {
                ChannelSource::Number { number } if !(0.0..=1.0).contains(&number) => {
                    return Err(EditError::Channel("a channel's number must lie between 0 and 1"));
                }
                ChannelSource::Number { number } => {
                    values.iter_mut().for_each(|value| value[i] = number)
                }
                ChannelSource::Channel { from } => {
                    let (_, numbers) = self.numbers_at(from, part, placement)?;
                    values.iter_mut().zip(numbers).for_each(|(value, number)| value[i] = number);
                }
            }
        }
        let ground = sources.map(|source| match source {
            ChannelSource::Number { number } => number,
            ChannelSource::Channel { from } => {
                self.set(from.part, from.set).map_or(0.0, |set| set.ground[from.channel])
            }
        });
        let encoding = Encoding::Data;
        self.change_adding_set(
            part,
            NewSet { name: name.to_owned(), placement, encoding, ground, values },
        )
    }
}

impl Document {
    /// A new color set on the part of a channel, of its set's placement: the channel's numbers by
    /// a color ramp, whose color at 1 is the ground color.
    pub(super) fn change_colorizing(
        &mut self,
        from: ChannelAt,
        name: &str,
        ramp: &[Stop],
    ) -> Result<Change, EditError> {
        if let Some(problem) = ramp::problem(ramp) {
            return Err(EditError::Channel(problem));
        }
        let placement = self.set(from.part, from.set)?.placement;
        let (_, numbers) = self.numbers_at(from, from.part, placement)?;
        let encoding = Encoding::Color;
        let at = |number| ramp::at(ramp, number, encoding);
        let values = numbers.into_par_iter().map(at).collect();
        let name = name.to_owned();
        let new = NewSet { name, placement, encoding, ground: at(1.0), values };
        let mut change = self.change_adding_set(from.part, new)?;
        change.label = change.label.replacen("Add set", "Colorize into", 1);
        Ok(change)
    }
}

/// Where a channel of a new set comes from.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "type", rename_all = "snake_case")]
pub enum ChannelSource {
    /// One number everywhere.
    Number {
        /// 0–1.
        number: f32,
    },
    /// Another channel.
    Channel {
        /// Which.
        from: ChannelAt,
    },
}

/// What is said of a set after its channels were swapped: recipes go with what they make.
///
/// # Errors
/// When a recipe makes one of them together with others.
fn swapped(mut traits: SetTraits, (a, b): (usize, usize)) -> Result<SetTraits, EditError> {
    for own in &mut traits.recipes {
        let target = own.recipe.channels;
        let (has_a, has_b) = (target.channels().0[a], target.channels().0[b]);
        if !has_a && !has_b {
            continue;
        }
        let to = if has_a { b } else { a };
        match (target.is_single(), Target::channel(to)) {
            (true, Some(to)) => own.recipe.channels = to,
            _ => {
                return Err(EditError::Channel(
                    "a recipe makes these channels together: freeze it before they are swapped",
                ));
            }
        }
        own.made = None;
    }
    Ok(traits)
}
