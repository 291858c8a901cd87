//! What is selected, at the elements of any placement.

use rayon::prelude::*;
use speckle_mesh::{Geometry, Placement};
use speckle_model::{
    ColorSet, Part,
    color_set::{Role, convert},
};

use super::{error::BakeError, pieces};

/// By what something is selected.
#[derive(Clone, Copy)]
pub(crate) enum ChosenBy<'a> {
    /// A selection made in the app.
    Set(&'a ColorSet),
    /// A group that the file named.
    Faces(&'a [u32]),
}

/// What is selected.
#[derive(Clone, Copy)]
pub(crate) struct Chosen<'a> {
    pub(super) name: &'a str,
    pub(super) geometry: &'a Geometry,
    pub(super) by: ChosenBy<'a>,
}

impl<'a> Chosen<'a> {
    /// What a part has under a name: a selection made in the app, else a group that its file named.
    pub(crate) fn named(part: &'a Part, name: &'a str) -> Option<Self> {
        let is_it = |set: &&ColorSet| set.role == Role::Selection && set.name == name;
        let made = part.sets.iter().find(is_it).map(ChosenBy::Set);
        let groups = part.traits.selections.iter();
        let group = || groups.clone().find(|group| group.name == name);
        let by = made.or_else(|| group().map(|group| ChosenBy::Faces(&group.faces)))?;
        Some(Self { name, geometry: &part.geometry, by })
    }

    /// How much each element of a placement is selected.
    pub(crate) fn shares(&self, placement: Placement) -> Vec<f32> {
        match self.by {
            ChosenBy::Set(set) => {
                let values = convert::values_at(set, placement, self.geometry);
                values.par_iter().map(|v| v[0]).collect()
            }
            ChosenBy::Faces(faces) => pieces::shares_of(self.geometry, placement, faces),
        }
    }

    /// Whether it is one of vertices, which may be selected in part.
    pub(super) fn is_of_vertices(&self) -> bool {
        matches!(self.by, ChosenBy::Set(set) if set.placement == Placement::Vertex)
    }

    /// The vertices at which the selection ends or that lie within: those of all faces that are in
    /// it, or themselves where it is one of vertices.
    pub(super) fn vertices(&self) -> Result<Vec<u32>, BakeError> {
        if self.is_of_vertices() {
            return self.elements(Placement::Vertex);
        }
        let mesh = self.geometry.mesh();
        let faces = self.elements(Placement::Face)?.into_iter();
        let mut vertices: Vec<u32> =
            faces.flat_map(|face| mesh.face_vertices(face as usize)).copied().collect();
        vertices.sort_unstable();
        vertices.dedup();
        Ok(vertices)
    }

    /// The elements of a placement that are selected more than half.
    pub(super) fn elements(&self, placement: Placement) -> Result<Vec<u32>, BakeError> {
        let shares = self.shares(placement);
        let chosen: Vec<u32> =
            (0..shares.len() as u32).filter(|&i| shares[i as usize] > 0.5).collect();
        if chosen.is_empty() {
            return Err(BakeError::EmptySelection(self.name.to_owned()));
        }
        Ok(chosen)
    }
}
