//! The whole project in memory, and the one way to change it.
//!
//! [`Document::apply`] turns an [`Edit`] into a [`Change`] that can be taken back and laid on
//! again ([`Document::replay`]). A stroke is the one edit that arrives in slices: begun, extended
//! and ended, it gives the same change as [`Edit::Stroke`] with all its samples.
//!
//! Several strokes may be under way on one set. Each one's change is taken against the *kept*
//! values, those of the journal so far, so that the journal stays a straight line whose every
//! point is a definite state, whoever paints while.

mod adjusting;
mod change;
mod channels;
mod fills;
mod helpers;
mod images;
mod parts;
mod recipe_order;
mod recipes;
mod replacing;
mod reshaping;
mod sets;
mod strokes;

pub use adjusting::Adjustment;
pub use change::{Change, Direction, PartRecord, Patch, Step};
pub use channels::{ChannelAt, Merge, Source};
pub use fills::Fill;
pub use recipe_order::{RecipeId, Standing};
use recipes::Touched;
pub use recipes::{Made, Order};

use std::{
    collections::{BTreeMap, HashMap},
    sync::{Arc, Mutex},
};

use serde::{Deserialize, Serialize};
use speckle_color::{Channels, Encoding, Rgba, ramp::Stop};
use speckle_mesh::{ContentId, Conversion, Geometry, Mesh, Placement, Transform, scene::Stage};
use speckle_model::{
    ColorSet, ImageRecord, MOST_HELPERS, MOST_SETS, NewPart, NewSet, Part, PartId, PartTraits,
    ProjectTraits, SetId,
    color_set::{ChannelTraits, Role},
    names::NameError,
    recipe::{Recipe, RecipeFile, Target},
    swatches::Swatch,
    views::SavedView,
};
use speckle_tools::{
    image_file::ImageFile,
    replacing::{ColorsTo, ShapeTo},
    stencil::{Stencil, StencilId},
    stroke::{Sample, StrokeStart, footprint::Footprint, kept::Kept, under_hand::StrokeUnderHand},
};

/// Names a hand that paints, one stroke at a time; given by whoever asks for it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct HandId(pub u64);

/// Everything a user can do to a project.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "type", rename_all = "snake_case")]
pub enum Edit {
    /// Brings parts in. An empty project takes the unit and the up axis they are given in; any
    /// other has had them converted to its own.
    #[serde(skip)]
    AddParts {
        /// The parts.
        parts: Vec<NewPart>,
        /// The images that came with them.
        images: Vec<ImageRecord>,
        /// What their numbers mean, for an empty project.
        traits: Option<ProjectTraits>,
    },
    /// Lays other colors over a part's sets, as [`speckle_tools::replacing::colors`] planned them.
    #[serde(skip)]
    ReplaceColors {
        /// The part.
        part: PartId,
        /// What they come from, for the user.
        from: String,
        /// The values.
        colors: ColorsTo,
    },
    /// Gives a part another shape, as [`speckle_tools::replacing::shape`] planned it.
    #[serde(skip)]
    ReplaceShape {
        /// The part.
        part: PartId,
        /// What it comes from, for the user.
        from: String,
        /// The shape, with the values of all its sets.
        shape: Box<ShapeTo>,
        /// The images of its materials.
        images: Vec<ImageRecord>,
    },
    /// Says that the numbers of parts were taken for something else than they were meant for: their
    /// points are converted, what is painted on them stays.
    ConvertParts {
        /// The parts.
        parts: Vec<PartId>,
        /// What the file's numbers were taken for.
        taken: ProjectTraits,
        /// What they were meant for.
        meant: ProjectTraits,
    },
    /// Gives a part another name.
    RenamePart {
        /// The part.
        part: PartId,
        /// What it will be called.
        name: String,
    },
    /// Shows or hides parts.
    ShowParts {
        /// The parts.
        parts: Vec<PartId>,
        /// Whether they are seen from now on.
        visible: bool,
    },
    /// Locks parts, so that nothing about them changes, or unlocks them.
    LockParts {
        /// The parts.
        parts: Vec<PartId>,
        /// Whether they are locked from now on.
        locked: bool,
    },
    /// Puts a part elsewhere.
    PlacePart {
        /// The part.
        part: PartId,
        /// Where it stands from now on.
        transform: Transform,
    },
    /// Makes a copy of a part, with its sets, behind it in the list.
    DuplicatePart {
        /// The part.
        part: PartId,
    },
    /// Takes parts away.
    DeleteParts {
        /// The parts.
        parts: Vec<PartId>,
    },
    /// Gives a part another place in the list.
    MovePart {
        /// The part.
        part: PartId,
        /// Its place from now on, from 0.
        to: usize,
    },
    /// Says what the project's numbers mean; the numbers stay.
    SetProject {
        /// The unit and the up axis.
        traits: ProjectTraits,
    },
    /// Gives a part one more set, flooded with one value.
    AddSet {
        /// The part.
        part: PartId,
        /// What the set will be called.
        name: String,
        /// What each value belongs to.
        placement: Placement,
        /// Whether the numbers are colors or plain data.
        encoding: Encoding,
        /// The value it is flooded with: its ground color.
        #[cfg_attr(feature = "schema", schema(value_type = [f32; 4]))]
        start: Rgba,
    },
    /// Gives a set another name.
    RenameSet {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// What it will be called.
        name: String,
    },
    /// Makes a copy of a set, behind it.
    DuplicateSet {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
    },
    /// Takes a set away.
    DeleteSet {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
    },
    /// Gives a set another place; receivers read the first one first.
    MoveSet {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// Its place from now on, from 0.
        to: usize,
    },
    /// Gives other parts a set of the same name: with its values where the mesh is the same, else
    /// flooded with its ground color. Parts that have one are left alone.
    CopySet {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// The parts that get it.
        to: Vec<PartId>,
    },
    /// Gives every part the sets that any part has, flooded with their ground colors.
    MakePartsAgree,
    /// Holds a set's values at another placement.
    ConvertSet {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// What each value belongs to from now on.
        placement: Placement,
    },
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
        merge: Merge,
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
        channels: [Source; 4],
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
    /// A pour or a span: a whole region at once.
    Fill {
        /// What it is made with.
        fill: Fill,
    },
    /// Changes the values of a whole set, or of what is chosen.
    Adjust {
        /// What it is made with.
        adjustment: Adjustment,
    },
    /// Brings all of a part's sets back to their ground colors, where nothing is locked.
    ClearPart {
        /// The part.
        part: PartId,
    },
    /// Gives a part a mask or a selection, empty at first.
    AddHelper {
        /// The part.
        part: PartId,
        /// Mask or selection.
        role: Role,
        /// What it will be called; a number is added when there is one.
        name: String,
        /// What each value belongs to.
        placement: Placement,
    },
    /// Keeps every set of every part as it is now.
    TakeSnapshot {
        /// What it will be called.
        name: String,
    },
    /// Brings every set back to what it was.
    RestoreSnapshot {
        /// What it is called.
        name: String,
    },
    /// Lets go of a snapshot.
    DeleteSnapshot {
        /// What it is called.
        name: String,
    },
    /// Replaces the project's palette.
    SetPalette {
        /// The colors, in order.
        swatches: Vec<Swatch>,
    },
    /// Replaces the project's saved views.
    SetViews {
        /// The views, in order.
        views: Vec<SavedView>,
    },
    /// Gives channels a recipe, in place of the one they have.
    SetRecipe {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// The recipe; its channels say which.
        recipe: Recipe,
    },
    /// Turns what a recipe made into plain paint.
    FreezeRecipe {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// The recipe's channels.
        channels: Target,
    },
    /// Gives a set the recipes of a file: the set named, or the one that the file names, which is
    /// made when it is not there.
    TakeRecipes {
        /// The part.
        part: PartId,
        /// The set, when it is another than the file names.
        #[serde(default)]
        set: Option<SetId>,
        /// The recipes.
        file: RecipeFile,
    },
    /// Takes an image into the project, in place of the one of the same name.
    #[serde(skip)]
    AddImage {
        /// What recipes call it.
        name: String,
        /// The file as it is.
        file: Arc<Vec<u8>>,
    },
    /// Takes an image out of the project.
    DeleteImage {
        /// What it is called.
        name: String,
    },
    /// A whole stroke.
    Stroke {
        /// What it is made with.
        start: StrokeStart,
        /// Where the pointer went.
        samples: Vec<Sample>,
    },
}

impl Edit {
    /// Brings parts in whose numbers mean what the project's do.
    #[must_use]
    pub fn bring_in(parts: Vec<NewPart>) -> Self {
        Self::AddParts { parts, images: Vec::new(), traits: None }
    }

    /// Gives a part the set that a file of recipes makes, flooded with what it starts with.
    #[must_use]
    pub fn adding_set_of(part: PartId, file: &RecipeFile) -> Self {
        let (name, placement, encoding) = (file.set.clone(), file.placement, file.encoding);
        Self::AddSet { part, name, placement, encoding, start: file.ground() }
    }
}

/// Why an edit was not made; the document is as it was.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum EditError {
    /// The part is gone or never was.
    #[error("there is no such part in this project any more")]
    NoSuchPart,
    /// The set is gone or never was.
    #[error("the part {part} has no such set any more")]
    NoSuchSet {
        /// The part's name.
        part: String,
    },
    /// A set's values do not fit its part.
    #[error("the set {set} has {got} values where its part needs {needed}")]
    WrongLength {
        /// The set's name.
        set: String,
        /// How many came.
        got: usize,
        /// How many it takes.
        needed: usize,
    },
    /// A part takes no more than [`MOST_SETS`].
    #[error("the part {part} carries {MOST_SETS} sets already, the most there can be")]
    TooManySets {
        /// The part's name.
        part: String,
    },
    /// A part takes no more than [`MOST_HELPERS`].
    #[error(
        "the part {part} keeps {MOST_HELPERS} selections and snapshots, the most there can be: \
         delete some first"
    )]
    TooManyHelpers {
        /// The part's name.
        part: String,
    },
    /// Two sets of one part would be called the same.
    #[error("the part {part} has a set called {name} already: choose another name")]
    NameTaken {
        /// The part's name.
        part: String,
        /// The name both would have.
        name: String,
    },
    /// Two parts would be called the same.
    #[error("there is a part called {0} already: choose another name")]
    PartNameTaken(String),
    /// The part may not change.
    #[error("the part {0} is locked: unlock it in Gather first")]
    Locked(String),
    /// The part cannot be seen, so it is not painted either.
    #[error("the part {0} is hidden: show it in Gather first")]
    Hidden(String),
    /// The transform makes no sense.
    #[error("{0}")]
    Transform(&'static str),
    /// A name that cannot be kept.
    #[error(transparent)]
    Name(#[from] NameError),
    /// Two snapshots would be called the same.
    #[error("there is a snapshot called {0} already: choose another name")]
    SnapshotTaken(String),
    /// The snapshot is gone or never was.
    #[error("there is no snapshot called {0} any more")]
    NoSuchSnapshot(String),
    /// The palette or the views make no sense.
    #[error("{0}")]
    Shelved(String),
    /// The stencil's image was let go.
    #[error("the stencil's image is not at hand any more: choose the file again")]
    NoSuchStencil,
    /// There are channels 0 to 3.
    #[error("a set has the channels R, G, B and A only")]
    NoSuchChannel,
    /// What is said of a channel makes no sense.
    #[error("{0}")]
    Channel(&'static str),
    /// No tool may change the channel.
    #[error("{0} is locked: unlock it on the channel board first")]
    LockedChannel(String),
    /// Numbers cannot go from one mesh to another one by one.
    #[error("{from} and {to} have different meshes: numbers go between sets of the same mesh only")]
    OtherMesh {
        /// The part they come from.
        from: String,
        /// The part they would go to.
        to: String,
    },
    /// Paint and coverage of a recipe are no sets of their own.
    #[error("this is the hand paint of a recipe: paint on the channel, or change the recipe")]
    Layer,
    /// The stroke makes no sense.
    #[error("{0}")]
    Stroke(&'static str),
    /// The recipe is gone or never was.
    #[error("there is no such recipe any more")]
    NoSuchRecipe,
    /// Points would grow beyond what 32-bit floats hold.
    #[error("the points of {0} would lie where no number leads")]
    TooFar(String),
    /// A change names a mesh that was not supplied.
    #[error("the mesh {0:?} is missing from the project")]
    MissingMesh(ContentId),
    /// A change does not fit the document it is laid on.
    #[error("this change does not fit the project as it is: {0}")]
    DoesNotFit(&'static str),
}

/// A project: its parts and everything on them.
#[derive(Default)]
pub struct Document {
    traits: ProjectTraits,
    parts: Vec<Part>,
    swatches: Vec<Swatch>,
    views: Vec<SavedView>,
    next_id: u32,
    /// Images that paint may be laid on through; not kept with the project.
    stencils: HashMap<StencilId, Arc<Stencil>>,
    /// Images that recipes lay on surfaces: the files, by name, and what they show.
    image_files: Vec<ImageRecord>,
    images: Arc<HashMap<String, ImageFile>>,
    /// What lies under the hand paint of recipes, by set and channels.
    beneath: HashMap<(SetId, &'static str), Arc<Vec<Rgba>>>,
    /// Every mesh met so far, also of parts that an undo took away.
    meshes: HashMap<ContentId, Arc<Geometry>>,
    strokes: BTreeMap<HandId, StrokeUnderHand>,
    /// What the last pour reached.
    last_flood: Mutex<Option<fills::Flood>>,
    /// What was seen when it was looked at last.
    last_stage: Mutex<Option<Arc<Stage>>>,
    /// What each hand's pointer learned of the surfaces last.
    footprints: HashMap<HandId, Vec<Footprint>>,
    /// Of each set that strokes under way are painting on: the journal's values where they did.
    kept: HashMap<SetId, Kept>,
}

impl Document {
    /// What the project's numbers mean.
    #[must_use]
    pub fn traits(&self) -> ProjectTraits {
        self.traits
    }

    /// The parts, in order.
    #[must_use]
    pub fn parts(&self) -> &[Part] {
        &self.parts
    }

    /// The project's one palette, in order.
    #[must_use]
    pub fn swatches(&self) -> &[Swatch] {
        &self.swatches
    }

    /// The saved views, in order.
    #[must_use]
    pub fn views(&self) -> &[SavedView] {
        &self.views
    }

    /// Makes an image known that paint may be laid on through.
    pub fn supply_stencil(&mut self, id: StencilId, stencil: Arc<Stencil>) {
        self.stencils.insert(id, stencil);
    }

    /// A part.
    ///
    /// # Errors
    /// When it is gone.
    pub fn part(&self, id: PartId) -> Result<&Part, EditError> {
        self.parts.iter().find(|part| part.id == id).ok_or(EditError::NoSuchPart)
    }

    /// A set of a part.
    ///
    /// # Errors
    /// When either is gone.
    pub fn set(&self, part: PartId, set: SetId) -> Result<&ColorSet, EditError> {
        let part = self.part(part)?;
        part.sets
            .iter()
            .find(|s| s.id == set)
            .ok_or_else(|| EditError::NoSuchSet { part: part.traits.name.clone() })
    }

    /// Makes an edit.
    ///
    /// # Errors
    /// See [`EditError`]; the document is then unchanged.
    pub fn apply(&mut self, edit: Edit) -> Result<Change, EditError> {
        let mut shares = fills::Shares::default();
        let is_clearing = matches!(edit, Edit::ClearChannels { .. } | Edit::ClearPart { .. });
        // They say themselves what becomes of hand paint.
        let is_of_recipes = matches!(
            edit,
            Edit::SetRecipe { .. } | Edit::FreezeRecipe { .. } | Edit::SwapChannels { .. }
        );
        let change = match edit {
            Edit::SetRecipe { part, set, recipe } => {
                self.change_setting_recipe(part, set, recipe)?
            }
            Edit::FreezeRecipe { part, set, channels } => {
                self.change_freezing(part, set, channels)?
            }
            Edit::AddParts { parts, images, traits } => {
                self.change_adding_parts(parts, images, traits)?
            }
            Edit::ReplaceColors { part, from, colors } => {
                return self.replace_colors(part, &from, colors);
            }
            Edit::ReplaceShape { part, from, shape, images } => {
                self.change_replacing_shape(part, &from, *shape, images)?
            }
            Edit::ConvertParts { parts, taken, meant } => {
                let conversion = Conversion::of_misreading(
                    (taken.unit, taken.up),
                    (meant.unit, meant.up),
                    self.traits.up,
                );
                self.change_converting_parts(&parts, conversion)?
            }
            Edit::RenamePart { part, name } => self.change_renaming(part, &name)?,
            Edit::ShowParts { parts, visible } => {
                let verb = if visible { "Show" } else { "Hide" };
                self.change_traits_of(verb, &parts, |traits| traits.visible = visible)?
            }
            Edit::LockParts { parts, locked } => {
                let verb = if locked { "Lock" } else { "Unlock" };
                self.change_traits_of(verb, &parts, |traits| traits.locked = locked)?
            }
            Edit::PlacePart { part, transform } => {
                if let Some(problem) = transform.problem() {
                    return Err(EditError::Transform(problem));
                }
                self.unlocked(part)?;
                self.change_traits_of("Place", &[part], |traits| traits.transform = transform)?
            }
            Edit::DuplicatePart { part } => self.change_duplicating(part)?,
            Edit::DeleteParts { parts } => self.change_deleting(&parts)?,
            Edit::MovePart { part, to } => self.change_moving(part, to)?,
            Edit::SetProject { traits } => self.change_project(traits),
            Edit::AddSet { part, name, placement, encoding, start } => {
                let mesh = self.part(part)?.geometry.mesh();
                let set = NewSet::flooded(name, placement, encoding, start, mesh);
                self.change_adding_set(part, set)?
            }
            Edit::RenameSet { part, set, name } => self.change_renaming_set(part, set, &name)?,
            Edit::DuplicateSet { part, set } => self.change_duplicating_set(part, set)?,
            Edit::DeleteSet { part, set } => self.change_deleting_set(part, set)?,
            Edit::MoveSet { part, set, to } => self.change_moving_set(part, set, to)?,
            Edit::CopySet { part, set, to } => self.change_copying_set(part, set, &to)?,
            Edit::MakePartsAgree => self.change_making_agree()?,
            Edit::ConvertSet { part, set, placement } => {
                self.change_converting_set(part, set, placement)?
            }
            Edit::DescribeChannel { part, set, channel, traits } => {
                self.change_describing_channel(part, set, channel, traits)?
            }
            Edit::ClearChannels { part, set, channels } => {
                self.change_clearing(part, set, channels)?
            }
            Edit::SwapChannels { part, set, a, b } => self.change_swapping(part, set, (a, b))?,
            Edit::MergeChannel { from, to, merge, invert } => {
                self.change_merging(from, to, merge, invert)?
            }
            Edit::ComposeSet { part, name, placement, channels } => {
                self.change_composing(part, &name, placement, channels)?
            }
            Edit::Colorize { from, name, ramp } => self.change_colorizing(from, &name, &ramp)?,
            Edit::Fill { fill } => self.change_filling(&fill, &mut shares)?,
            Edit::Adjust { adjustment } => self.change_adjusting(&adjustment)?,
            Edit::ClearPart { part } => self.change_clearing_part(part)?,
            Edit::AddHelper { part, role, name, placement } => {
                self.change_adding_helper(part, role, &name, placement)?
            }
            Edit::TakeSnapshot { name } => self.change_taking_snapshot(&name)?,
            Edit::RestoreSnapshot { name } => self.change_restoring_snapshot(&name)?,
            Edit::DeleteSnapshot { name } => self.change_deleting_snapshot(&name)?,
            Edit::SetPalette { swatches } => self.change_palette(swatches)?,
            Edit::SetViews { views } => self.change_views(views)?,
            Edit::AddImage { name, file } => self.change_adding_image(&name, file)?,
            Edit::DeleteImage { name } => self.change_deleting_image(&name)?,
            Edit::TakeRecipes { part, set, file } => return self.take_recipes(part, set, file),
            Edit::Stroke { start, samples } => {
                // Hands are named by clients, counting up from zero.
                let hand = HandId(u64::MAX);
                self.begin_stroke(hand, start)?;
                self.extend_stroke(hand, &samples)?;
                let change = self.end_stroke(hand).unwrap_or_default();
                self.forget_hand(hand);
                return Ok(change);
            }
        };
        let change = if is_of_recipes {
            change
        } else {
            self.with_hand_paint(change, &|set, element| match is_clearing {
                true => Touched::CLEARED,
                false => shares.of(set, element),
            })?
        };
        self.replay(&change, Direction::Forward)?;
        Ok(change)
    }

    /// Makes several edits as one change; none of them when one cannot be made.
    ///
    /// # Errors
    /// Of the first that cannot be made.
    pub fn apply_all(
        &mut self,
        label: String,
        edits: impl IntoIterator<Item = Edit>,
    ) -> Result<Change, EditError> {
        let mut whole = Change { label, ..Change::default() };
        for edit in edits {
            match self.apply(edit) {
                Ok(change) => whole.steps.extend(change.steps),
                Err(error) => {
                    self.replay(&whole, Direction::Backward)?;
                    return Err(error);
                }
            }
        }
        Ok(whole)
    }

    fn take_id(&mut self) -> u32 {
        self.next_id += 1;
        self.next_id
    }

    /// The meshes a change needs that this document has never met.
    #[must_use]
    pub fn missing_meshes(&self, change: &Change) -> Vec<ContentId> {
        change
            .steps
            .iter()
            .filter_map(|step| match step {
                Step::Part { part, .. } | Step::PartGone { part, .. } => Some(part.mesh),
                _ => None,
            })
            .filter(|id| self.geometry(*id).is_none())
            .collect()
    }

    /// A mesh by its content, also of a part that an undo took away.
    #[must_use]
    pub fn geometry(&self, id: ContentId) -> Option<&Arc<Geometry>> {
        let of_parts = || self.parts.iter().map(|part| &part.geometry).find(|own| own.id() == id);
        self.meshes.get(&id).or_else(of_parts)
    }

    /// Makes a mesh known, for changes that name it.
    pub fn supply_mesh(&mut self, mesh: Mesh) {
        let geometry = Geometry::new(mesh);
        self.meshes.insert(geometry.id(), Arc::new(geometry));
    }

    /// All that is needed, beside the meshes, to build this document again.
    #[must_use]
    pub fn record(&self) -> DocumentRecord {
        DocumentRecord {
            next_id: self.next_id,
            traits: self.traits,
            swatches: self.swatches.clone(),
            views: self.views.clone(),
            images: self.image_files.clone(),
            parts: self
                .parts
                .iter()
                .map(|part| PartRecord {
                    id: part.id,
                    traits: part.traits.clone(),
                    mesh: part.geometry.id(),
                    materials: part.materials.clone(),
                    sets: part.sets.iter().map(|set| self.as_kept(set)).collect(),
                })
                .collect(),
        }
    }

    /// The change that makes an empty document into this one.
    #[must_use]
    pub fn as_change(&self, label: String) -> Change {
        let DocumentRecord { traits, swatches, views, images, parts, .. } = self.record();
        let mut steps = vec![
            Step::ProjectTraits { before: ProjectTraits::default(), after: traits },
            Step::Swatches { before: Vec::new(), after: swatches },
            Step::Views { before: Vec::new(), after: views },
            Step::Images { gone: Vec::new(), come: images },
        ];
        let parts = parts.into_iter().enumerate();
        steps.extend(parts.map(|(index, part)| Step::Part { index, part }));
        Change { label, steps, ..Change::default() }
    }

    /// Builds a document from its record and its meshes.
    ///
    /// # Errors
    /// When a mesh is missing or a set does not fit it.
    pub fn restore(record: DocumentRecord, meshes: Vec<Mesh>) -> Result<Self, EditError> {
        let mut document = Self {
            next_id: record.next_id,
            traits: record.traits,
            swatches: record.swatches,
            views: record.views,
            ..Self::default()
        };
        for mesh in meshes {
            document.supply_mesh(mesh);
        }
        let steps = record.parts.into_iter().enumerate();
        let parts = steps.map(|(index, part)| Step::Part { index, part });
        let images = Step::Images { gone: Vec::new(), come: record.images };
        let steps = std::iter::once(images).chain(parts).collect();
        let change = Change { steps, ..Change::default() };
        document.replay(&change, Direction::Forward)?;
        Ok(document)
    }
}

/// A document without its meshes, as it is stored. Values are those of the journal: what a stroke
/// under hand has painted so far is not in it.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct DocumentRecord {
    next_id: u32,
    #[serde(default)]
    traits: ProjectTraits,
    #[serde(default)]
    swatches: Vec<Swatch>,
    #[serde(default)]
    views: Vec<SavedView>,
    #[serde(default)]
    images: Vec<ImageRecord>,
    parts: Vec<PartRecord>,
}

impl DocumentRecord {
    /// The meshes it refers to.
    pub fn meshes(&self) -> impl Iterator<Item = ContentId> + '_ {
        self.parts.iter().map(|part| part.mesh)
    }
}
