//! A local change of a part's mesh with all that lies on the part: what it costs is what it changed.

use std::sync::Arc;

use serde::{Deserialize, Serialize};
use speckle_color::Rgba;
use speckle_mesh::{
    carry::Carry,
    remap::Remap,
    reshape::{Direction, Misfit, Reshape, Rewrite},
};

use crate::{
    color_set::ColorSet,
    ids::SetId,
    part::Part,
    remap::{Mixing, carried},
};

/// A reversible change of a part's shape. Recipes and what is said of sets stay as they are.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct PartReshape {
    /// Of its mesh.
    pub mesh: Reshape,
    /// Of the values of its sets, all of them.
    pub sets: Vec<(SetId, Rewrite<Rgba>)>,
    /// Of the materials of its faces; of no entries where all faces have the same.
    pub materials: Rewrite<u32>,
    /// Of its named groups of faces, in their order.
    pub groups: Vec<GroupChange>,
}

/// Faces that leave a group and come to it; both ascending.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct GroupChange {
    /// They were in it.
    #[serde(with = "speckle_mesh::arrays")]
    pub gone: Vec<u32>,
    /// They are in it from then on.
    #[serde(with = "speckle_mesh::arrays")]
    pub come: Vec<u32>,
}

/// The values of a set at elements that come from others.
#[must_use]
pub fn values_rewritten(
    set: &ColorSet,
    coverage: Option<&ColorSet>,
    carry: &Carry,
) -> Rewrite<Rgba> {
    let of = Mixing::of(set, coverage);
    match carry {
        Carry::Same => Rewrite::none(set.values.len()),
        Carry::Local(local) => {
            rewritten(&set.values, local.count(), local.changed(), |mix| of.mixed(mix.into_iter()))
        }
        Carry::Copies(_) | Carry::Mixes(_) => {
            let after = carried(set, coverage, carry).unwrap_or_default();
            let all = (0_u32..).zip(after.iter().copied());
            rewritten(&set.values, after.len(), all, |value| value)
        }
    }
}

/// The change of an array to one of so many entries, some of which are given, ascending, all new ones
/// among them.
fn rewritten<T: Copy, M>(
    old: &[T],
    count: usize,
    changed: impl Iterator<Item = (u32, M)>,
    value: impl Fn(M) -> T,
) -> Rewrite<T> {
    let mut all = Rewrite::none(old.len());
    all.counts[1] = count as u32;
    for (at, mix) in changed {
        all.at.push(at);
        all.after.push(value(mix));
    }
    all.at.extend(count as u32..old.len() as u32);
    all.before = all
        .at
        .iter()
        .take_while(|&&at| (at as usize) < old.len())
        .map(|&at| old[at as usize])
        .collect();
    all
}

impl Part {
    /// The whole of a change of its mesh, of which the values are not laid on yet.
    #[must_use]
    pub fn reshaping(&self, mesh: Reshape, remap: &Remap) -> PartReshape {
        let sets = self.sets.iter().map(|set| {
            let carry = remap.of(set.placement);
            (set.id, values_rewritten(set, self.coverage_of(set), carry))
        });
        let Carry::Local(faces) = &remap.faces else {
            let groups = self.traits.selections.iter().map(|_| GroupChange::default()).collect();
            let materials = Rewrite::none(self.materials.of_faces.len());
            return PartReshape { mesh, sets: sets.collect(), materials, groups };
        };
        let of_faces = &self.materials.of_faces;
        let materials = match of_faces.is_empty() {
            true => Rewrite::none(0),
            false => {
                let copied = faces.changed().map(|(face, mix)| (face, most_of(&mix)));
                rewritten(of_faces, faces.count(), copied, |from| of_faces[from as usize])
            }
        };
        let count = mesh.triangles.counts[0];
        let groups = self.traits.selections.iter().map(|group| {
            let is_in = |face: u32| group.faces.binary_search(&face).is_ok();
            let mut change = GroupChange::default();
            for (face, mix) in faces.changed() {
                match (face < count && is_in(face), is_in(most_of(&mix))) {
                    (true, false) => change.gone.push(face),
                    (false, true) => change.come.push(face),
                    _ => {}
                }
            }
            change.gone.extend((faces.count() as u32..count).filter(|&face| is_in(face)));
            change
        });
        let groups = groups.collect();
        PartReshape { mesh, sets: sets.collect(), materials, groups }
    }

    /// Whether a change fits what lies on the part.
    ///
    /// # Errors
    /// When it does not.
    pub fn check_reshape(&self, change: &PartReshape, direction: Direction) -> Result<(), Misfit> {
        let need = |holds: bool, what| if holds { Ok(()) } else { Err(Misfit(what)) };
        let [from, to] = change.mesh.triangles.counts(direction);
        let is_of_all = change.sets.len() == self.sets.len()
            && change.sets.iter().zip(&self.sets).all(|((id, values), set)| {
                *id == set.id && values.fits(set.values.len(), direction)
            });
        need(is_of_all, "it is of other sets")?;
        let of_faces = &self.materials.of_faces;
        let is_known = |of: &u32| (*of as usize) < self.materials.list.len();
        let materials = &change.materials;
        need(materials.fits(of_faces.len(), direction), "it is of other materials")?;
        need(materials.what_is_new(direction).1.iter().all(is_known), "it is of other materials")?;
        let materials_after = materials.counts(direction)[1];
        need(materials_after == 0 || materials_after == to, "it is of other materials")?;
        let groups = &self.traits.selections;
        need(change.groups.len() == groups.len(), "it is of other groups")?;
        for (group, GroupChange { gone, come }) in groups.iter().zip(&change.groups) {
            let (gone, come) = ends(gone, come, direction);
            let is_in = |face: &u32| group.faces.binary_search(face).is_ok();
            let stays = group.faces.iter().rev().take_while(|face| **face as usize >= to);
            let holds = gone.is_sorted()
                && come.is_sorted_by(|a, b| a < b)
                && gone.iter().all(is_in)
                && !come.iter().any(is_in)
                && come.last().is_none_or(|last| (*last as usize) < to)
                && stays.clone().all(|face| gone.binary_search(face).is_ok())
                && from >= group.faces.len();
            need(holds, "it is of other groups")?;
        }
        Ok(())
    }

    /// Lays a change that [fits](Self::check_reshape) on everything but the mesh.
    pub fn lay_reshape_on(&mut self, change: &PartReshape, direction: Direction) {
        for ((_, values), set) in change.sets.iter().zip(&mut self.sets) {
            if !values.is_none() {
                values.lay_on(Arc::make_mut(&mut set.values), direction);
            }
        }
        if !change.materials.is_none() {
            let materials = Arc::make_mut(&mut self.materials);
            change.materials.lay_on(&mut materials.of_faces, direction);
        }
        if change.groups.iter().any(|group| *group != GroupChange::default()) {
            let groups = Arc::make_mut(&mut self.traits.selections);
            for (group, GroupChange { gone, come }) in groups.iter_mut().zip(&change.groups) {
                let (gone, come) = ends(gone, come, direction);
                group.faces.retain(|face| gone.binary_search(face).is_err());
                group.faces.extend(come);
                group.faces.sort_unstable();
            }
        }
    }
}

fn ends<'a>(gone: &'a [u32], come: &'a [u32], direction: Direction) -> (&'a [u32], &'a [u32]) {
    if direction == Direction::Forward { (gone, come) } else { (come, gone) }
}

/// The one that counts most.
fn most_of(mix: &[(u32, f32)]) -> u32 {
    mix.iter().max_by(|a, b| a.1.total_cmp(&b.1)).map_or(0, |(element, _)| *element)
}
