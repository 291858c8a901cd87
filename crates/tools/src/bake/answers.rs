//! What a recipe was told when it looked things up: all that it depends on.

use std::sync::Arc;

use speckle_color::{Channels, Encoding, Rgba};
use speckle_mesh::Placement;
use speckle_model::{Digest, Materials, PartId, Selection, SetId, recipe::Target};

use super::contents::Contents;

/// An answer.
pub(super) enum Answer<'a> {
    /// Plain numbers: places, directions, where a part stands.
    Numbers(Vec<f32>),
    /// The part itself, by its number.
    Part(PartId),
    /// A mesh, by its name.
    Mesh([u8; 16]),
    /// Some channels of values of a placement.
    Values(&'a Arc<Vec<Rgba>>, Channels, Placement),
    /// Faces.
    Faces(&'a [u32]),
    /// Groups that a file named.
    Groups(&'a Arc<Vec<Selection>>),
    /// The materials of a part.
    Materials(&'a Arc<Materials>),
    /// An image, by its file.
    Image([u8; 32]),
    /// Whether the numbers are colors.
    Encoding(Encoding),
    /// That values of corners count at a vertex by their angles.
    ByAngles,
    /// Something is missing.
    Missing(String),
}

/// All that was looked at.
pub struct Needs<'a> {
    pub(super) mesh: [u8; 16],
    pub(super) placement: Placement,
    pub(super) answers: Vec<Answer<'a>>,
    pub(super) sets: Vec<(PartId, SetId, Target)>,
}

impl Needs<'_> {
    /// The channels of sets that were looked at.
    #[must_use]
    pub fn sets(&self) -> &[(PartId, SetId, Target)] {
        &self.sets
    }

    /// Names all that was looked at: equal digests, equal answers.
    pub(super) fn digest(&self, contents: &Contents) -> Digest {
        let named = |answer: &Answer| match answer {
            Answer::Numbers(numbers) => Digest::of(numbers),
            Answer::Part(id) => Digest::of(id),
            Answer::Mesh(id) => Digest::of(id),
            Answer::Values(values, channels, placement) => {
                Digest::of(&(contents.of_values(values, *channels), placement))
            }
            Answer::Faces(faces) => Digest(*blake3::hash(bytemuck::cast_slice(faces)).as_bytes()),
            Answer::Groups(groups) => contents.of(groups),
            Answer::Materials(all) => contents.of(all),
            Answer::Image(digest) => Digest(*digest),
            Answer::Encoding(encoding) => Digest::of(encoding),
            Answer::ByAngles => Digest::of(&"by angles"),
            Answer::Missing(words) => Digest::of(words),
        };
        let answers: Vec<Digest> = self.answers.iter().map(named).collect();
        Digest::of(&(self.mesh, self.placement, answers))
    }
}
