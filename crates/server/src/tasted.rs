//! What a recipe makes, to be looked at before anything is changed.

use speckle_color::Rgba;
use speckle_core::document::Order;
use speckle_tools::bake::{BakeError, Pantry, taste::Tastes, watch::Watch};

/// What a recipe makes, to be looked at.
#[derive(Default)]
pub struct Tasted {
    /// All values of the set; none where only the steps are of interest.
    pub values: Vec<Rgba>,
    /// What each step makes by itself.
    pub tastes: Tastes,
    /// Whether rays were saved.
    pub is_draft: bool,
}

impl Tasted {
    /// What an order comes to, with fewer rays where they have not been cast yet.
    pub fn of(order: &Order, pantry: &Pantry, watch: &Watch) -> Result<Self, BakeError> {
        let draft = order.draft(pantry);
        let (values, tastes) = draft.as_ref().unwrap_or(order).values(pantry, watch)?;
        Ok(Self { values, tastes, is_draft: draft.is_some() })
    }
}
