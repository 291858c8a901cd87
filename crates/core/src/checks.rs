//! What is wrong, or will be, with a project for whoever receives it: each finding with its place, why it matters, and
//! what mends it.
//!
//! Whether a check is made depends on who receives it ([`Target`]). A finding that is meant is silenced with a reason
//! and stays so ([`speckle_model::proof::Silenced`]).

mod bodies;
mod kept;
mod looks;
mod sets;

use serde::{Deserialize, Serialize};
use serde_json::Value;
use speckle_model::{Part, PartId, ProjectTraits, proof::Proof, swatches::Swatch};
use speckle_tools::{
    bake::watch::{GivenUp, Watch},
    spools::LoadedSpool,
};

use crate::{Document, document::RecipeId};

/// Whom a project is checked for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = CheckTarget))]
#[serde(rename_all = "snake_case")]
pub enum Target {
    /// A shader that reads sets.
    #[default]
    Shader,
    /// A printer with several spools.
    Spools,
    /// A printer in full color.
    FullColor,
    /// A place where it is kept.
    Archive,
}

/// What is checked.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Check {
    /// A part has not the set that others have: a shader reads black there, or nothing.
    MissingSet,
    /// Sets that are the same but for how their names are written.
    UnlikeNames,
    /// Sets of one name stand at different places of parts, where receivers go by the place.
    UnlikeOrder,
    /// Sets of one name hold values at different elements.
    UnlikePlacement,
    /// A set is one white or one black all over.
    Blank,
    /// A channel of data that nobody said the meaning of.
    NoMeaning,
    /// Values below 0 or above 1, which 8 bits do not hold.
    OutOfRange,
    /// More sets than a shader is given.
    TooManySets,
    /// What is laid over is not neutral where nothing was done.
    NotNeutral,
    /// A look asks for a set that no part that wears it has.
    LookWithoutSet,
    /// Weights of sway that are nowhere 0: nothing holds it.
    NowhereStill,
    /// Weights of sway that differ where pieces meet: they tear apart.
    Torn,
    /// Masks of a look that share a surface add up to more than 1.
    Overfull,
    /// Colors change from vertex to vertex: they are finer than the mesh carries.
    TooFine,
    /// A set that no look and no recipient takes.
    Unused,
    /// Something is gone on the way to a recipient.
    Lost,
    /// Paint that a later step of the recipe hides.
    HiddenPaint,
    /// A recipe that would make something else by now.
    Stale,
    /// A hole in the surface.
    Hole,
    /// Edges where more than two faces meet, or where they look to different sides.
    Tangled,
    /// A body that looks inwards.
    InsideOut,
    /// Walls thinner than what is printed.
    Thin,
    /// A hollow that what is left in it cannot leave.
    Hollow,
    /// Regions of a swatch too small or narrow to print well.
    Specks,
    /// Two swatches that are hard to tell apart.
    NearLike,
    /// A swatch that is used and has no spool, where others have one.
    NoSpool,
    /// A swatch that is used, whose spool is not loaded now.
    NotLoaded,
    /// A part that is not painted in swatches, where others are.
    NotInSwatches,
    /// A part without any color.
    Bare,
}

/// Something that was found.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = CheckFinding))]
pub struct Finding {
    /// What.
    pub check: Check,
    /// Names it among all findings, by what it is about.
    pub key: String,
    /// On which part.
    pub part: Option<PartId>,
    /// How often: of elements, edges, places.
    pub count: usize,
    /// Where, in the project's space.
    pub place: Option<[f32; 3]>,
    /// What is so.
    pub says: String,
    /// Why it matters.
    pub why: String,
    /// What mends it.
    pub remedy: Option<Remedy>,
    /// Why it was silenced.
    pub silenced: Option<String>,
}

/// What mends a finding.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = CheckRemedy))]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Remedy {
    /// A click does it.
    Edit {
        /// What the click says.
        label: String,
        /// The edit.
        #[cfg_attr(feature = "schema", schema(value_type = crate::Edit))]
        edit: Value,
    },
    /// It is done by hand.
    ByHand {
        /// In which area of the app.
        area: HandArea,
    },
}

/// Where something is done by hand.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum HandArea {
    /// Gather, Mend.
    Gather,
    /// Bake.
    Bake,
    /// Paint.
    Paint,
    /// Proof.
    Proof,
    /// Layers.
    Layers,
    /// Deliver.
    Deliver,
}

/// A recipient that is kept with a project.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Taker {
    /// What it is called.
    pub name: String,
    /// The sets that it takes, by name; all of them when empty.
    pub sets: Vec<String>,
    /// What is gone on the way to it, said for the user.
    pub lost: Vec<String>,
}

/// A project that is checked.
pub struct Subject<'a> {
    /// Its parts.
    pub parts: &'a [Part],
    /// Its palette.
    pub palette: &'a [Swatch],
    /// How it is proofed.
    pub proof: &'a Proof,
    /// What its numbers mean.
    pub traits: ProjectTraits,
    /// The recipes that would make something else by now.
    pub stale: &'a [RecipeId],
    /// The recipients that are kept with it.
    pub takers: &'a [Taker],
    /// The spools that are loaded now, where a printer says.
    pub loaded: Option<&'a [LoadedSpool]>,
}

impl<'a> Subject<'a> {
    /// A document, with the recipes that are known to be stale, and what its recipients take.
    #[must_use]
    pub fn of(document: &'a Document, stale: &'a [RecipeId], takers: &'a [Taker]) -> Self {
        Self {
            takers,
            loaded: None,
            parts: document.parts(),
            palette: document.swatches(),
            proof: document.proof(),
            traits: document.traits(),
            stale,
        }
    }

    fn seen(&self) -> impl Iterator<Item = &Part> {
        self.parts.iter().filter(|part| part.traits.visible)
    }

    /// How long a step of the project's unit is, mm.
    fn mm(&self) -> f64 {
        self.traits.unit.metres() * 1e3
    }
}

/// All that is found for a target, silenced findings last.
///
/// # Errors
/// When it was given up.
pub fn check(subject: &Subject, target: Target, watch: &Watch) -> Result<Vec<Finding>, GivenUp> {
    let mut found = Vec::new();
    let is_read = matches!(target, Target::Shader | Target::Archive);
    if is_read {
        sets::alike(subject, &mut found);
        sets::values(subject, &mut found);
        looks::sets_of_looks(subject, &mut found);
        looks::shares(subject, &mut found);
        kept::unused(subject, &mut found);
        kept::lost(subject, &mut found);
        sets::too_fine(subject, &mut found);
    }
    watch.check()?;
    if target == Target::Shader {
        sets::limits(subject, &mut found);
        sets::sway(subject, &mut found);
    }
    watch.check()?;
    if matches!(target, Target::Spools | Target::FullColor) {
        bodies::faults(subject, watch, &mut found)?;
    }
    if target == Target::Spools {
        bodies::swatches(subject, watch, &mut found)?;
    }
    if target == Target::FullColor {
        bodies::solids(subject, watch, &mut found)?;
    }
    sets::stale(subject, &mut found);
    kept::hidden_paint(subject, &mut found);
    for finding in &mut found {
        let silenced = subject.proof.silenced.iter().find(|own| own.key == finding.key);
        finding.silenced = silenced.map(|own| own.reason.clone());
    }
    found.sort_by_key(|finding| (finding.silenced.is_some(), finding.check));
    Ok(found)
}

/// What is found at one place of a part, without a remedy.
fn finding(check: Check, part: Option<&Part>, about: &str, says: String, why: &str) -> Finding {
    let word = serde_json::to_value(check).ok().and_then(|word| Some(word.as_str()?.to_owned()));
    let of = part.map_or_else(String::new, |part| part.id.0.to_string());
    Finding {
        check,
        key: format!("{} {of} {about}", word.unwrap_or_default()),
        part: part.map(|part| part.id),
        count: 1,
        place: None,
        says,
        why: why.to_owned(),
        remedy: None,
        silenced: None,
    }
}
