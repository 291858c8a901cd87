//! A document as it is stored, and built again.

use std::sync::Arc;

use serde::{Deserialize, Serialize};
use speckle_mesh::{ContentId, Mesh};
use speckle_model::proof::Proof;
use speckle_tools::layers::PrintSetup;

use super::{
    Change, ChangeStep, Direction, Document, EditError, ImageRecord, PartRecord, ProjectTraits,
    SavedView, Swatch, Volume,
};

impl Document {
    /// All that is needed, beside the meshes, to build this document again.
    #[must_use]
    pub fn record(&self) -> DocumentRecord {
        DocumentRecord {
            next_id: self.next_id,
            traits: self.traits,
            swatches: self.swatches.clone(),
            views: self.views.clone(),
            volumes: self.volumes.to_vec(),
            print: self.print.clone(),
            proof: self.proof.clone(),
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
        let DocumentRecord {
            traits, swatches, views, volumes, print, proof, images, parts, ..
        } = self.record();
        let mut steps = vec![
            ChangeStep::ProjectTraits { before: ProjectTraits::default(), after: traits },
            ChangeStep::Swatches { before: Vec::new(), after: swatches },
            ChangeStep::Views { before: Vec::new(), after: views },
            ChangeStep::Images { gone: Vec::new(), come: images },
        ];
        if !volumes.is_empty() {
            steps.push(ChangeStep::Volumes { before: Vec::new(), after: volumes });
        }
        if let Some(print) = print {
            steps.push(ChangeStep::Print { before: None, after: Some(print.into()) });
        }
        if proof != Proof::default() {
            let before = Proof::default().into();
            steps.push(ChangeStep::Proof { before, after: proof.into() });
        }
        let parts = parts.into_iter().enumerate();
        steps.extend(parts.map(|(index, part)| ChangeStep::Part { index, part }));
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
            volumes: Arc::new(record.volumes),
            print: record.print,
            proof: record.proof,
            ..Self::default()
        };
        for mesh in meshes {
            document.supply_mesh(mesh);
        }
        let steps = record.parts.into_iter().enumerate();
        let parts = steps.map(|(index, part)| ChangeStep::Part { index, part });
        let images = ChangeStep::Images { gone: Vec::new(), come: record.images };
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
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    volumes: Vec<Volume>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    print: Option<PrintSetup>,
    #[serde(default, skip_serializing_if = "is_usual")]
    proof: Proof,
    #[serde(default)]
    images: Vec<ImageRecord>,
    pub(super) parts: Vec<PartRecord>,
}

fn is_usual(proof: &Proof) -> bool {
    *proof == Proof::default()
}

impl DocumentRecord {
    /// The meshes it refers to.
    pub fn meshes(&self) -> impl Iterator<Item = ContentId> + '_ {
        self.parts.iter().map(|part| part.mesh)
    }
}
