//! What lies on a part, carried to a mesh whose elements come from its own.

use std::sync::Arc;

use rayon::prelude::*;
use speckle_color::{Encoding, Rgba, mean::Mean};
use speckle_mesh::{Geometry, Mesh, carry::Carry, remap::Remap};

use crate::{
    color_set::{ColorSet, Role},
    materials::Materials,
    part::{Part, Selection},
};

impl Part {
    /// The same part on a mesh whose elements come from its own: sets, hand paint, masks, selections
    /// and materials go along. Recipes stay with their sets, and say by themselves that they are to
    /// be made again.
    #[must_use]
    pub fn remapped(&self, mesh: Mesh, remap: &Remap) -> Self {
        let mut sets = self.sets.clone();
        for (new, old) in sets.iter_mut().zip(&self.sets) {
            if let Some(values) = carried(old, self.coverage_of(old), remap.of(old.placement)) {
                new.values = Arc::new(values);
            }
        }
        let mut traits = self.traits.clone();
        let mut materials = self.materials.clone();
        if remap.faces != Carry::Same {
            let faces = self.geometry.mesh().face_count();
            let groups = traits.selections.iter().map(|group| group.carried(faces, &remap.faces));
            traits.selections = Arc::new(groups.collect());
            materials = Arc::new(materials.carried(&remap.faces));
        }
        Self { id: self.id, traits, geometry: Arc::new(Geometry::new(mesh)), materials, sets }
    }
}

/// The values of a set at new elements of its placement; none where they are what they were. Hand
/// paint is weighed by how much it covers: what is bare would darken it.
#[must_use]
pub fn carried(set: &ColorSet, coverage: Option<&ColorSet>, carry: &Carry) -> Option<Vec<Rgba>> {
    match carry {
        Carry::Same => None,
        Carry::Copies(_) => Some(carry.copies(&set.values)),
        Carry::Mixes(mixes) => {
            let of = Mixing::of(set, coverage);
            Some((0..mixes.len()).into_par_iter().map(|n| of.mixed(mixes.of(n))).collect())
        }
        Carry::Local(local) => {
            let mut values = set.values.to_vec();
            values.resize(local.count(), [0.0; 4]);
            let of = Mixing::of(set, coverage);
            for (element, mix) in local.changed() {
                values[element as usize] = of.mixed(mix.into_iter());
            }
            Some(values)
        }
    }
}

/// How values of a set are mixed, wherever they go: to another placement of a mesh that changed, or
/// to another mesh.
pub struct Mixing<'a> {
    /// The values.
    pub values: &'a [Rgba],
    /// Of hand paint: how much of it lies where, by channel.
    pub covers: Option<&'a [Rgba]>,
    /// Whether they are mixed as light or as plain numbers.
    pub encoding: Encoding,
    /// What is where nothing counts.
    pub ground: Rgba,
}

impl<'a> Mixing<'a> {
    /// Those of a set, weighed by how much it covers where it is hand paint.
    #[must_use]
    pub fn of(set: &'a ColorSet, coverage: Option<&'a ColorSet>) -> Self {
        // Coverage says how much, whatever the set's numbers mean.
        let is_share = matches!(set.role, Role::Coverage { .. });
        Self {
            values: &set.values,
            covers: coverage.map(|coverage| coverage.values.as_slice()),
            encoding: if is_share { Encoding::Data } else { set.encoding },
            ground: set.ground,
        }
    }

    /// The mix of some of them.
    #[must_use]
    pub fn mixed(&self, mix: impl Iterator<Item = (u32, f32)>) -> Rgba {
        let (mut covered, mut bare) = (Mean::default(), Mean::default());
        let mut only = None;
        for (n, (old, weight)) in mix.enumerate() {
            let value = self.values[old as usize];
            only = (n == 0).then_some(value);
            let covers = self.covers.map_or([1.0; 4], |covers| covers[old as usize]);
            covered.add(value, covers.map(|share| share * weight), self.encoding);
            if self.covers.is_some() {
                bare.add(value, [weight; 4], self.encoding);
            }
        }
        // One alone stays what it is, to the bit.
        only.unwrap_or_else(|| covered.or(bare).value(self.encoding, self.ground))
    }
}

impl Selection {
    /// The group on new faces that come from so many old ones: those that are in it by half or more.
    #[must_use]
    pub fn carried(&self, old_faces: usize, faces: &Carry) -> Self {
        let mut is_in = vec![0.0_f32; old_faces];
        self.faces.iter().for_each(|&face| is_in[face as usize] = 1.0);
        let shares = (0_u32..).zip(faces.mixed(&is_in));
        let faces = shares.filter(|(_, share)| *share >= 0.5).map(|(face, _)| face).collect();
        Self { name: self.name.clone(), faces }
    }
}

impl Materials {
    /// The same materials on new faces.
    #[must_use]
    pub fn carried(&self, faces: &Carry) -> Self {
        let is_of_all = self.of_faces.is_empty();
        let of_faces = if is_of_all { Vec::new() } else { faces.copies(&self.of_faces) };
        Self { list: self.list.clone(), of_faces }
    }
}

#[cfg(test)]
mod tests {
    use glam::Vec3;
    use speckle_color::{linear_from_srgb, srgb_from_linear};
    use speckle_mesh::{Placement, carry::Mixes, mesh::MeshArrays};

    use super::*;
    use crate::{ids::PartId, part::PartTraits};

    /// Two triangles side by side, with a set of a role at their vertices.
    fn part(sets: &[(Role, Encoding, [f32; 4])]) -> Part {
        let positions = [Vec3::ZERO, Vec3::X, Vec3::Y, Vec3::new(1.0, 1.0, 0.0)].to_vec();
        let arrays = MeshArrays {
            positions,
            face_starts: vec![0, 3, 6],
            corner_vertices: vec![0, 1, 2, 1, 3, 2],
            ..MeshArrays::default()
        };
        let of = |(id, &(role, encoding, reds)): (usize, &(Role, Encoding, [f32; 4]))| ColorSet {
            id: crate::ids::SetId(id as u32),
            name: format!("Set {id}"),
            placement: Placement::Vertex,
            encoding,
            ground: [0.0; 4],
            channels: Default::default(),
            recipes: Vec::new(),
            role,
            values: Arc::new(reds.map(|r| [r, r, r, 1.0]).to_vec()),
        };
        let group = Selection { name: "Left".to_owned(), faces: vec![0] };
        Part {
            id: PartId(1),
            traits: PartTraits::new("Sheet".to_owned(), vec![group]),
            geometry: Arc::new(Geometry::new(Mesh::new(arrays).unwrap())),
            materials: Arc::new(Materials { list: Vec::new(), of_faces: vec![7, 9] }),
            sets: sets.iter().enumerate().map(of).collect(),
        }
    }

    /// The same mesh with a vertex in the middle of the edge between the triangles, in each of which
    /// it makes two of one.
    fn split(part: &Part) -> Part {
        let mut positions = part.geometry.mesh().positions().to_vec();
        positions.push(Vec3::new(0.5, 0.5, 0.0));
        let arrays = MeshArrays {
            positions,
            face_starts: vec![0, 3, 6, 9, 12],
            corner_vertices: vec![0, 1, 4, 0, 4, 2, 1, 3, 4, 4, 3, 2],
            ..MeshArrays::default()
        };
        let mut vertices = Mixes::default();
        (0..4).for_each(|v| vertices.push(&[(v, 1.0)]));
        vertices.push(&[(1, 0.5), (2, 0.5)]);
        let remap = Remap {
            vertices: Carry::Mixes(vertices),
            corners: Carry::Same,
            faces: Carry::Copies(vec![0, 0, 1, 1]),
        };
        part.remapped(Mesh::new(arrays).unwrap(), &remap)
    }

    #[test]
    fn what_is_mixed_is_mixed_as_what_it_is() {
        let split = split(&part(&[
            (Role::Product, Encoding::Color, [0.3, 0.2, 0.8, 0.4]),
            (Role::Product, Encoding::Data, [0.3, 0.2, 0.8, 0.4]),
        ]));
        // IEC 61966-2-1: the mean of the light, encoded again.
        let light = (linear_from_srgb(0.2) + linear_from_srgb(0.8)) / 2.0;
        assert!((split.sets[0].values[4][0] - srgb_from_linear(light)).abs() < 1e-6);
        assert!((split.sets[1].values[4][0] - 0.5).abs() < 1e-6);
        for set in &split.sets {
            let reds: Vec<f32> = set.values.iter().take(4).map(|value| value[0]).collect();
            assert_eq!(reds, [0.3, 0.2, 0.8, 0.4], "what stayed is what it was, to the bit");
        }
        assert_eq!(split.traits.selections[0].faces, [0, 1]);
        assert_eq!(split.materials.of_faces, [7, 7, 9, 9]);
    }

    /// Bare paint is 0, and would make a grey of every edge of hand paint.
    #[test]
    fn hand_paint_is_not_darkened_by_what_is_bare_beside_it() {
        let (paint, coverage) = (Role::Paint { step: 4 }, Role::Coverage { step: 4 });
        let split = split(&part(&[
            (paint, Encoding::Color, [0.0, 0.7, 0.0, 0.0]),
            (coverage, Encoding::Color, [0.0, 1.0, 0.0, 0.0]),
        ]));
        assert_eq!(split.sets[0].values[4][0], 0.7, "the paint alone");
        assert_eq!(split.sets[1].values[4][0], 0.5, "covers half, as a number");
    }
}
