//! Edits of what is said of the project as a whole: its numbers, its palette, its views.

use serde::Deserialize;
use speckle_model::{
    ProjectTraits,
    swatches::{self, Swatch},
    views::{self, SavedView},
};
use speckle_tools::layers::PrintSetup;
use strum::VariantNames;

use super::{
    Change, ChangeStep, Document, EditError,
    planned::{Family, Planned},
};

/// What changes what is said of the project, its palette and its views.
#[derive(Clone, Debug, Deserialize, VariantNames)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "type", rename_all = "snake_case")]
#[strum(serialize_all = "snake_case")]
pub enum ProjectEdit {
    /// Says what the project's numbers mean; the numbers stay.
    SetProject {
        /// The unit and the up axis.
        traits: ProjectTraits,
    },
    /// Replaces the project's palette.
    SetPalette {
        /// The colors, in order.
        swatches: Vec<Swatch>,
    },
    /// Says how the project is printed.
    SetPrint {
        /// All of it.
        print: Box<PrintSetup>,
    },
    /// Replaces the project's saved views.
    SetViews {
        /// The views, in order.
        views: Vec<SavedView>,
    },
}

impl Family for ProjectEdit {
    fn plan(self, document: &mut Document) -> Result<Planned, EditError> {
        let change = match self {
            Self::SetProject { traits } => document.change_project(traits),
            Self::SetPalette { swatches } => document.change_palette(swatches)?,
            Self::SetPrint { print } => document.change_print(*print)?,
            Self::SetViews { views } => document.change_views(views)?,
        };
        Ok(change.into())
    }
}

impl Document {
    pub(super) fn change_project(&self, after: ProjectTraits) -> Change {
        let before = self.traits;
        let label = if before.unit == after.unit {
            format!("Turn up to {:?}", after.up)
        } else {
            format!("Read lengths as {}", after.unit.symbol())
        };
        let steps = if before == after {
            Vec::new()
        } else {
            vec![ChangeStep::ProjectTraits { before, after }]
        };
        Change { label, steps, ..Change::default() }
    }

    pub(super) fn change_palette(&self, swatches: Vec<Swatch>) -> Result<Change, EditError> {
        let before = self.swatches.clone();
        if let Some(problem) = swatches::problem(&swatches) {
            return Err(EditError::Shelved(problem));
        }
        let swatches = swatches::numbered(&before, swatches);
        let unpainted = self.unpainted_without(&swatches)?;
        let label = match (before.len(), swatches.len()) {
            (before, after) if after == before + 1 => "Add to the palette",
            (before, after) if after + 1 == before => "Take from the palette",
            _ => "Change the palette",
        };
        let steps = if before == swatches {
            Vec::new()
        } else {
            let own = ChangeStep::Swatches { before, after: swatches };
            std::iter::once(own).chain(unpainted).collect()
        };
        Ok(Change { label: label.to_owned(), steps, ..Change::default() })
    }

    pub(super) fn change_print(&self, print: PrintSetup) -> Result<Change, EditError> {
        if let Some(problem) = print.problem() {
            return Err(EditError::Shelved(problem));
        }
        let mut steps = Vec::new();
        if self.print.as_ref() != Some(&print) {
            let before = self.print.clone().map(Box::new);
            steps.push(ChangeStep::Print { before, after: Some(print.into()) });
        }
        Ok(Change { label: "Change how it prints".to_owned(), steps, ..Change::default() })
    }

    pub(super) fn change_views(&self, views: Vec<SavedView>) -> Result<Change, EditError> {
        if let Some(problem) = views::problem(&views) {
            return Err(EditError::Shelved(problem));
        }
        let before = self.views.clone();
        let label = match (before.len(), views.len()) {
            (before, after) if after > before => "Save a view",
            (before, after) if after < before => "Delete a view",
            _ => "Change the views",
        };
        let steps = if before == views {
            Vec::new()
        } else {
            vec![ChangeStep::Views { before, after: views }]
        };
        Ok(Change { label: label.to_owned(), steps, ..Change::default() })
    }
}
