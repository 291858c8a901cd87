//! What a project is made of: parts with their sets, recipes as they are written down, materials,
//! views, palettes.
//!
//! Nothing here changes anything; what a recipe says is computed elsewhere.

pub mod color_set;
pub mod digest;
pub mod forms;
pub mod ids;
pub mod images;
pub mod json;
pub mod materials;
pub mod names;
pub mod part;
pub mod partners;
pub mod proof;
pub mod recipe;
pub mod remap;
pub mod reshape;
pub mod swatches;
pub mod views;
pub mod volumes;
pub mod words;

pub use color_set::ColorSet;
pub use digest::Digest;
pub use ids::{PartId, SetId};
pub use images::ImageRecord;
pub use materials::{Material, Materials};
pub use names::LONGEST_NAME;
pub use part::{
    MOST_HELPERS, MOST_SETS, NewPart, NewSet, Part, PartTraits, ProjectTraits, Selection,
};
