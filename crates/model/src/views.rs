//! Views that were saved, to look from there again.

use glam::Vec3;
use serde::{Deserialize, Serialize};
use speckle_mesh::sight::Cutaway;

use crate::names;

/// The most views a project keeps.
pub const MOST_VIEWS: usize = 100;

/// Where the camera stood, and what it was cut open by.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SavedView {
    /// What it is called.
    pub name: String,
    /// Where the camera is, in the project's space.
    #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
    pub eye: Vec3,
    /// What it turns about and looks at.
    #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
    pub target: Vec3,
    /// Height of what is seen at the target, for parallel lines of sight; none when they meet in
    /// the eye.
    #[serde(default)]
    pub parallel_height: Option<f32>,
    /// The plane that hides what is in front of it.
    #[serde(default)]
    pub cutaway: Option<Cutaway>,
}

/// What makes views impossible, said for the user.
#[must_use]
pub fn problem(views: &[SavedView]) -> Option<String> {
    if views.len() > MOST_VIEWS {
        return Some(format!("a project keeps {MOST_VIEWS} views at most: delete some first"));
    }
    views.iter().find_map(|view| {
        let name = view.name.trim();
        if let Err(error) = names::proper(name) {
            return Some(format!("a view: {error}"));
        }
        let is_finite = view.eye.is_finite()
            && view.target.is_finite()
            && view.parallel_height.is_none_or(|height| height > 0.0 && height.is_finite());
        let cutaway = view.cutaway.and_then(|cutaway| cutaway.problem());
        (!is_finite || cutaway.is_some()).then(|| format!("the view {name} has no place"))
    })
}
