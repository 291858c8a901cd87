//! A part: one mesh of the project with all that lies on it.

use std::sync::Arc;

use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use speckle_color::{Encoding, Rgba, swatch_of};
use speckle_mesh::{
    Geometry, Mesh, Placement,
    transform::{Transform, Unit, UpAxis},
};

use crate::{
    color_set::{ColorSet, Role},
    ids::PartId,
    materials::Materials,
    partners::Known,
    swatches::{self, Swatch},
};

/// The most sets a part may carry.
pub const MOST_SETS: usize = 16;

/// The most selections, masks and snapshots a part may carry beside its sets.
pub const MOST_HELPERS: usize = 256;

/// One mesh of the project with its sets.
#[derive(Clone, Debug)]
pub struct Part {
    /// Names the part within the project.
    pub id: PartId,
    /// Its name, and what else is said of it.
    pub traits: PartTraits,
    /// Its shape.
    pub geometry: Arc<Geometry>,
    /// What its surfaces are made of.
    pub materials: Arc<Materials>,
    /// Its sets; receivers read the first one first. Helpers stand behind the others.
    pub sets: Vec<ColorSet>,
}

/// A part about to come in, its sets in the order they will have.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct NewPart {
    /// What it will be called; a number is added when the project has the name already.
    pub name: String,
    /// The groups it stands in, by name, the outermost first.
    pub path: Vec<String>,
    /// Its shape.
    pub mesh: Mesh,
    /// Its named groups of faces.
    pub selections: Vec<Selection>,
    /// What its surfaces are made of.
    pub materials: Materials,
    /// Its sets.
    pub sets: Vec<NewSet>,
}

/// A set about to come in.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct NewSet {
    /// What it will be called.
    pub name: String,
    /// What each value belongs to.
    pub placement: Placement,
    /// Whether the numbers are colors or plain data.
    pub encoding: Encoding,
    /// Its ground color.
    pub ground: Rgba,
    /// One value per element.
    #[serde(with = "speckle_mesh::arrays")]
    pub values: Vec<Rgba>,
}

impl Part {
    /// The sets that are delivered.
    pub fn products(&self) -> impl Iterator<Item = &ColorSet> {
        self.sets.iter().filter(|set| set.is_product())
    }

    /// What its delivered sets are known by, in their order.
    #[must_use]
    pub fn known_sets(&self) -> Vec<Known<'_>> {
        self.products().map(|set| (set.name.as_str(), set.placement)).collect()
    }

    /// The same part with what is delivered alone.
    #[must_use]
    pub fn without_helpers(&self) -> Self {
        Self { sets: self.products().cloned().collect(), ..self.clone() }
    }

    /// The set that says which swatch each face is painted in: the first that does.
    #[must_use]
    pub fn swatch_set(&self) -> Option<&ColorSet> {
        self.products().find(|set| set.encoding == Encoding::Swatch)
    }

    /// How large each of its faces is, in square steps of the project's unit.
    #[must_use]
    pub fn face_areas(&self) -> Vec<f64> {
        let (mesh, transform) = (self.geometry.mesh(), self.traits.transform);
        (0..mesh.face_count())
            .into_par_iter()
            .map(|face| transform.area_in_project(mesh.face_area_vector(face) / 2.0))
            .collect()
    }

    /// How much of its surface is painted in each swatch, by number, ascending; 0 is unpainted.
    #[must_use]
    pub fn swatch_areas(&self, set: &ColorSet) -> Vec<(u8, f64)> {
        let mut areas = [None; 256];
        for (value, area) in set.values.iter().zip(self.face_areas()) {
            *areas[usize::from(swatch_of(*value))].get_or_insert(0.0) += area;
        }
        (0..=255).zip(areas).filter_map(|(number, area)| Some((number, area?))).collect()
    }

    /// The same part with the colors of a palette in place of the numbers of its swatches.
    #[must_use]
    pub fn in_colors(&self, palette: &[Swatch]) -> Self {
        let colors = swatches::colors(palette, self.traits.base);
        let sets = self.sets.iter().map(|set| match set.encoding {
            Encoding::Swatch => ColorSet {
                encoding: Encoding::Color,
                ground: colors[0],
                values: set
                    .values
                    .iter()
                    .map(|&v| colors[usize::from(swatch_of(v))])
                    .collect::<Vec<_>>()
                    .into(),
                ..set.clone()
            },
            Encoding::Color | Encoding::Data => set.clone(),
        });
        Self { sets: sets.collect(), ..self.clone() }
    }

    /// How much of a layer of hand paint covers what is below it; `None` for any other set.
    #[must_use]
    pub fn coverage_of(&self, layer: &ColorSet) -> Option<&ColorSet> {
        let Role::Paint { step } = layer.role else { return None };
        self.sets.iter().find(|set| set.role == Role::Coverage { step })
    }

    /// Its mask, when it has one.
    #[must_use]
    pub fn mask(&self) -> Option<&ColorSet> {
        self.sets.iter().find(|set| set.role == Role::Mask)
    }
}

impl NewPart {
    /// A part without named groups of faces and without materials.
    #[must_use]
    pub fn new(name: impl Into<String>, mesh: Mesh, sets: Vec<NewSet>) -> Self {
        let materials = Materials::default();
        let (path, selections) = Default::default();
        Self { name: name.into(), path, mesh, selections, materials, sets }
    }
}

impl NewSet {
    /// A set flooded with its ground color.
    #[must_use]
    pub fn flooded(
        name: impl Into<String>,
        placement: Placement,
        encoding: Encoding,
        ground: Rgba,
        mesh: &Mesh,
    ) -> Self {
        let values = vec![ground; placement.count(mesh)];
        Self { name: name.into(), placement, encoding, ground, values }
    }
}

/// What is said of a part: small, and changed as a whole.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct PartTraits {
    /// What the user calls it; no two parts of a project are called the same.
    pub name: String,
    /// Whether it is seen on the stage.
    #[serde(default = "yes")]
    pub visible: bool,
    /// Whether nothing about it may change.
    #[serde(default)]
    pub locked: bool,
    /// Where it stands.
    #[serde(default)]
    pub transform: Transform,
    /// Named groups of its faces.
    #[serde(default)]
    pub selections: Arc<Vec<Selection>>,
    /// The groups it stands in, by name, the outermost first.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub path: Vec<String>,
    /// The number of its *base swatch*, which unpainted faces print in; 0 of the palette's first.
    #[serde(default, skip_serializing_if = "is_first")]
    pub base: u8,
}

fn yes() -> bool {
    true
}

#[allow(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it")]
fn is_first(number: &u8) -> bool {
    *number == 0
}

impl PartTraits {
    /// Those of a part that just came in.
    #[must_use]
    pub fn new(name: String, selections: Vec<Selection>) -> Self {
        let transform = Transform::IDENTITY;
        let selections = Arc::new(selections);
        let (path, base) = Default::default();
        Self { name, visible: true, locked: false, transform, selections, path, base }
    }
}

/// A named group of faces.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Selection {
    /// What the file or the user calls it.
    pub name: String,
    /// The faces, ascending.
    #[serde(with = "speckle_mesh::arrays")]
    pub faces: Vec<u32>,
}

/// What the project's numbers mean.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ProjectTraits {
    /// What one step of every length is.
    pub unit: Unit,
    /// The axis that points up.
    pub up: UpAxis,
}
