//! What recipes may look at: the part, its sets, the others, images.

use std::{collections::HashMap, sync::Arc};

use speckle_color::{Encoding, Rgba};
use speckle_mesh::{
    Placement, UpAxis,
    body::{Body, Placed},
};
use speckle_model::{Part, PartId, volumes::Volume};

use crate::image_file::ImageFile;

/// All that a recipe may look at. Cheap to copy from a document: the big things are shared.
#[derive(Clone)]
pub struct Inputs {
    /// The part whose set is made.
    pub part: PartId,
    /// Its shape where it stands.
    pub body: Body,
    /// What each value of the set belongs to.
    pub placement: Placement,
    /// Whether its numbers are colors.
    pub encoding: Encoding,
    /// What is there before the first step.
    pub ground: Rgba,
    /// The project's up axis.
    pub up: UpAxis,
    /// Every part of the project.
    pub parts: Arc<Vec<Part>>,
    /// Images by their names.
    pub images: Arc<HashMap<String, ImageFile>>,
    /// The project's volumes, those that lie over others first.
    pub volumes: Arc<Vec<Volume>>,
}

impl Inputs {
    /// What a set of a part is made from, in a project without volumes; `None` when there is no such part.
    #[must_use]
    pub fn new(
        parts: Arc<Vec<Part>>,
        part: PartId,
        set: (Placement, Encoding, Rgba),
        up: UpAxis,
        images: Arc<HashMap<String, ImageFile>>,
    ) -> Option<Self> {
        let own = parts.iter().find(|own| own.id == part)?;
        let placed = Placed::new(&own.traits.transform);
        let body = Body { geometry: own.geometry.clone(), placed };
        let (placement, encoding, ground) = set;
        let volumes = Arc::default();
        Some(Self { part, body, placement, encoding, ground, up, parts, images, volumes })
    }
}
