//! The whole project in memory, and the one way to change it.
//!
//! [`Document::apply`] turns an [`Edit`] into a [`Change`] that can be taken back and laid on
//! again ([`Document::replay`]). A stroke is the one edit that arrives in slices: begun, extended
//! and ended, it gives the same change as [`PaintEdit::Stroke`] with all its samples.
//!
//! Several strokes may be under way on one set. Each one's change is taken against the *kept*
//! values, those of the journal so far, so that the journal stays a straight line whose every
//! point is a definite state, whoever paints while.

mod adjusting;
mod ahead;
mod change;
mod channels;
mod edit;
mod error;
mod fills;
mod finer_ahead;
mod finer_paint;
mod hand_paint;
mod helpers;
mod images;
mod orders;
mod painting;
mod parts;
mod planned;
mod project;
mod proof;
mod recipe_order;
mod recipes;
mod recolored;
mod record;
mod replacing;
mod reshaping;
mod sets;
mod strokes;
mod swatches;
mod volumes;
mod whole;

pub use adjusting::Adjustment;
pub use ahead::Ahead;
pub use change::{Change, ChangeStep, Direction, PartRecord, Patch};
pub use channels::{ChannelAt, ChannelEdit, ChannelMerge, ChannelSource};
pub use edit::Edit;
pub use error::EditError;
pub use fills::Fill;
pub use helpers::HelperEdit;
pub use images::{ImageEdit, MOST_IMAGES};
pub use orders::{Made, Order};
pub use painting::PaintEdit;
pub use parts::PartEdit;
pub use project::ProjectEdit;
pub use proof::ProofEdit;
pub use recipe_order::{RecipeId, Standing};
pub use recipes::RecipeEdit;
pub use record::DocumentRecord;
pub use replacing::ReplaceEdit;
pub use sets::SetEdit;
pub use swatches::{PartPainted, SwatchEdit};
pub use volumes::VolumeEdit;

use std::{
    collections::{BTreeMap, HashMap, HashSet},
    sync::{Arc, Mutex},
};

use speckle_color::Rgba;
use speckle_mesh::{ContentId, Geometry, Mesh, scene::Stage};
use speckle_model::{
    ColorSet, ImageRecord, MOST_HELPERS, MOST_SETS, NewSet, Part, PartId, PartTraits,
    ProjectTraits, SetId, proof::Proof, swatches::Swatch, views::SavedView, volumes::Volume,
};
use speckle_tools::{
    image_file::ImageFile,
    layers::PrintSetup,
    stencil::{Stencil, StencilId},
    stroke::{footprint::Footprint, kept::Kept, under_hand::StrokeUnderHand},
};

/// Names a hand that paints, one stroke at a time; given by whoever asks for it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct HandId(pub u64);

/// A project: its parts and everything on them.
#[derive(Default)]
pub struct Document {
    traits: ProjectTraits,
    parts: Vec<Part>,
    swatches: Vec<Swatch>,
    views: Vec<SavedView>,
    volumes: Arc<Vec<Volume>>,
    print: Option<PrintSetup>,
    proof: Proof,
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
    /// The hands whose strokes were let make no more faces before they were at their end.
    stopped: HashSet<HandId>,
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

    /// The volumes, those that lie over others first.
    #[must_use]
    pub fn volumes(&self) -> &[Volume] {
        &self.volumes
    }

    /// How it is printed, where that was said.
    #[must_use]
    pub fn print(&self) -> Option<&PrintSetup> {
        self.print.as_ref()
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

    /// Numbers that something has or had: nothing new gets them, also where changes come from elsewhere.
    fn met(&mut self, ids: impl IntoIterator<Item = u32>) {
        self.next_id = ids.into_iter().fold(self.next_id, u32::max);
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
                ChangeStep::Part { part, .. } | ChangeStep::PartGone { part, .. } => {
                    Some(part.mesh)
                }
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
}
