//! A part's mesh changed here and there, also while somebody paints on it: what strokes under way
//! hold by element number goes along.

use std::{
    mem,
    sync::{Arc, OnceLock, PoisonError},
};

use speckle_color::Rgba;
use speckle_mesh::{
    Geometry, Mesh, carry::Carry, geometry::local::LocalEdit, mesh::MeshArrays, remap::Remap,
};
use speckle_model::{
    ColorSet, Part, PartId, SetId,
    remap::{Mixing, carried},
    reshape::{PartReshape, values_rewritten},
};
use speckle_tools::stroke::under_hand::{Carried, StrokeUnderHand};

use super::{Change, ChangeStep, Direction, Document, EditError};

impl Document {
    /// Changes a part's mesh here and there, and carries along what lies on it.
    ///
    /// # Errors
    /// When the part is gone or locked.
    pub fn reshape(
        &mut self,
        id: PartId,
        label: String,
        work: impl FnOnce(&mut LocalEdit),
    ) -> Result<Change, EditError> {
        self.unlocked(id)?;
        let under = self.under_paint_of(id)?;
        let mut edited = None;
        self.with_geometry(id, |geometry| {
            edited = Some(geometry.edit(|edit| {
                work(edit);
                edit.is_where_it_was()
            }));
            Ok(())
        })?;
        let Some((is_where_it_was, reshape, remap)) = edited else {
            return Err(EditError::NoSuchPart);
        };
        // What strokes under way have painted goes along as it is on the stage.
        let part = self.part(id)?;
        let seen: Vec<_> = part
            .sets
            .iter()
            .map(|set| values_rewritten(set, part.coverage_of(set), remap.of(set.placement)))
            .collect();
        self.swap_kept(id)?;
        let part = self.part(id)?;
        let change = part.reshaping(reshape, &remap);
        let mixed: Vec<_> =
            part.sets.iter().filter_map(|set| self.kept_mixed(set, &remap)).collect();
        self.swap_kept(id)?;
        let part = self.part(id)?;
        let is_nothing = change.mesh.is_none() && change.sets.iter().all(|(_, own)| own.is_none());
        if is_nothing {
            self.strokes_follow(id, &|set| carried_along(set, &Carry::Same), Some(&[]));
            self.beneath.extend(under);
            return Ok(Change::default());
        }
        // Known until recipes are made again: what is erased meanwhile shows it.
        let under: Vec<_> =
            under.into_iter().filter_map(|own| under_paint_along(part, own, &remap)).collect();
        let part = self.part_mut(id)?;
        part.lay_reshape_on(&change, Direction::Forward);
        for (set, values) in part.sets.iter_mut().zip(seen) {
            for (&at, &value) in values.at.iter().zip(&values.after) {
                Arc::make_mut(&mut set.values)[at as usize] = value;
            }
        }
        for (set, count, mixed) in mixed {
            if let Some(kept) = self.kept.get_mut(&set) {
                *kept = kept.carried(count, &mixed);
            }
        }
        self.beneath.extend(under);
        let stays =
            is_where_it_was.then(|| change.mesh.triangles.what_is_new(Direction::Forward).0);
        self.strokes_follow(id, &|set| carried_along(set, remap.of(set.placement)), stays);
        let step = ChangeStep::Reshape { part: id, change: Box::new(change) };
        Ok(Change { label, steps: vec![step], ..Change::default() })
    }

    /// What lies under the hand paint of a part's sets, as far as it is known.
    fn under_paint_of(&self, id: PartId) -> Result<Vec<UnderPaint>, EditError> {
        let sets: Vec<_> = self.part(id)?.sets.iter().map(|set| set.id).collect();
        let all = self.beneath.iter().filter(|((set, _), _)| sets.contains(set));
        Ok(all.map(|(key, values)| (*key, values.clone())).collect())
    }

    /// Puts in order what changes of meshes left behind, when there is time for it.
    pub fn tidy(&mut self) {
        // Whoever looks at one on another thread has it as it is; it comes next time.
        let shapes = self.parts.iter_mut().filter_map(|part| Arc::get_mut(&mut part.geometry));
        shapes.for_each(Geometry::tidy);
    }

    /// Takes a tree for rays that was grown over a seed of a part's mesh as it still is.
    ///
    /// # Errors
    /// When the part is gone.
    pub fn take_tree(&mut self, id: PartId, grown: Geometry) -> Result<(), EditError> {
        self.with_geometry(id, |geometry| {
            geometry.take_tree(grown);
            Ok(())
        })?;
        self.strokes_follow(id, &|set| carried_along(set, &Carry::Same), Some(&[]));
        Ok(())
    }

    /// Lays a change of a part's mesh on, or takes it back.
    pub(super) fn step_reshape(
        &mut self,
        id: PartId,
        change: &PartReshape,
        direction: Direction,
    ) -> Result<(), EditError> {
        let misfit = |misfit: speckle_mesh::reshape::Misfit| EditError::DoesNotFit(misfit.0);
        self.part(id)?.check_reshape(change, direction).map_err(misfit)?;
        self.with_geometry(id, |geometry| {
            geometry.reshape(&change.mesh, direction).map_err(misfit)
        })?;
        self.part_mut(id)?.lay_reshape_on(change, direction);
        // What was painted over where the change comes is the journal's now, and no stroke's.
        let along = |set: &ColorSet| {
            let values = change.sets.iter().find(|(id, _)| *id == set.id).map(|(_, own)| own);
            let count = values.map_or(set.values.len(), |own| own.counts(direction)[1]);
            let at = values.map_or(&[][..], |own| own.what_is_new(direction).0);
            Carried { count, changed: at.iter().map(|&at| (at, Vec::new())).collect() }
        };
        for set in self.part(id)?.sets.clone() {
            if let Some(kept) = self.kept.get_mut(&set.id) {
                let Carried { count, changed } = along(&set);
                let gone: Vec<_> = changed.into_iter().map(|(at, _)| (at, None)).collect();
                *kept = kept.carried(count, &gone);
            }
        }
        self.strokes_follow(id, &along, None);
        Ok(())
    }

    /// Puts what strokes under way painted over in the place of what they painted, so that sets are those of
    /// the journal; and back.
    fn swap_kept(&mut self, id: PartId) -> Result<(), EditError> {
        let Self { parts, kept, .. } = self;
        let part = parts.iter_mut().find(|part| part.id == id).ok_or(EditError::NoSuchPart)?;
        for set in &mut part.sets {
            if let Some(kept) = kept.get_mut(&set.id).filter(|kept| !kept.values().is_empty()) {
                kept.swap(Arc::make_mut(&mut set.values).as_mut_slice());
            }
        }
        Ok(())
    }

    /// Of a set with strokes under way, which has the journal's values at the time: how many elements it
    /// will have, and those that have changed, with their values where they are mixed of what was painted
    /// over.
    fn kept_mixed(&self, journal: &ColorSet, remap: &Remap) -> Option<KeptMixed> {
        let kept = self.kept.get(&journal.id)?;
        let Carry::Local(local) = remap.of(journal.placement) else { return None };
        let of = Mixing::of(journal, None);
        let changed = local.changed().map(|(element, mix)| {
            let is_painted = mix.iter().any(|(old, _)| kept.get(*old).is_some());
            (element, is_painted.then(|| of.mixed(mix.into_iter())))
        });
        Some((journal.id, local.count(), changed.collect()))
    }

    /// Strokes under way on a part go on on its new shape. Where the surface is where it was, `stays` has the
    /// faces that have changed: what was learned of all others holds.
    fn strokes_follow(
        &mut self,
        id: PartId,
        along: &dyn Fn(&ColorSet) -> Carried,
        stays: Option<&[u32]>,
    ) {
        let mut strokes = mem::take(&mut self.strokes);
        for stroke in strokes.values_mut() {
            self.stroke_follows(stroke, id, along, stays);
        }
        strokes.retain(|_, stroke| stroke.canvases().next().is_some());
        self.strokes = strokes;
        self.forget_kept();
    }

    fn stroke_follows(
        &self,
        stroke: &mut StrokeUnderHand,
        id: PartId,
        along: &dyn Fn(&ColorSet) -> Carried,
        stays: Option<&[u32]>,
    ) {
        let coat = stroke.start().coat;
        let view = stroke.start().view;
        let targets: Vec<_> = stroke.canvases().map(|canvas| (canvas.part, canvas.set)).collect();
        for (part, set) in targets {
            let scene = self.scene(part, view, &coat);
            if part != id {
                // The others have changed around it.
                stroke.look_at(part, set, &scene, stays.is_some());
                continue;
            }
            let canvas = self.part(part).ok().and_then(|_| {
                let set = self.set(part, set).ok()?;
                Some((self.canvas(part, set, &coat).ok()?, along(set)))
            });
            match canvas {
                Some((canvas, carried)) => stroke.follow(canvas, &carried, &scene, stays),
                // It may not be painted any more.
                None => drop(stroke.leave(|canvas| (canvas.part, canvas.set) == (part, set))),
            }
        }
    }

    /// Changes a part's shape, which is nobody else's meanwhile, so that nothing has to be copied; but
    /// for whoever looks at it on another thread, who keeps it as it was.
    fn with_geometry(
        &mut self,
        id: PartId,
        work: impl FnOnce(&mut Geometry) -> Result<(), EditError>,
    ) -> Result<(), EditError> {
        let mut own = mem::replace(&mut self.part_mut(id)?.geometry, nothing());
        let is_other = |other: &Arc<Geometry>| !Arc::ptr_eq(other, &own);
        // It comes to them again: see `keep_mesh`.
        self.meshes.retain(|_, other| is_other(other));
        self.footprints.clear();
        *self.last_flood.get_mut().unwrap_or_else(PoisonError::into_inner) = None;
        *self.last_stage.get_mut().unwrap_or_else(PoisonError::into_inner) = None;
        self.strokes.values_mut().for_each(|stroke| stroke.let_go(&own, &nothing()));
        let done = work(Arc::make_mut(&mut own));
        let part = self.part_mut(id)?;
        part.geometry = own;
        let sets: Vec<_> = part.sets.iter().map(|set| set.id).collect();
        self.beneath.retain(|(set, _), _| !sets.contains(set));
        if done.is_err() {
            self.strokes_follow(id, &|set| carried_along(set, &Carry::Same), Some(&[]));
        }
        done
    }
}

/// Elements of a set that have changed under strokes under way.
type KeptMixed = (SetId, usize, Vec<(u32, Option<Rgba>)>);

/// What lies under the hand paint of channels of a set.
type UnderPaint = ((SetId, &'static str), Arc<Vec<Rgba>>);

/// The same once a mesh has changed, mixed as the set's own values are.
fn under_paint_along(part: &Part, (key, values): UnderPaint, remap: &Remap) -> Option<UnderPaint> {
    // What is of another mesh by now is no longer asked for either.
    let fits = |set: &&ColorSet| set.id == key.0 && set.values.len() == values.len();
    let set = part.sets.iter().find(fits)?;
    let under = ColorSet { values, ..set.clone() };
    let along = carried(&under, None, remap.of(set.placement));
    Some((key, along.map_or(under.values, Arc::new)))
}

/// What stands in for a shape that is being changed.
fn nothing() -> Arc<Geometry> {
    static NOTHING: OnceLock<Arc<Geometry>> = OnceLock::new();
    let new = || {
        let arrays = MeshArrays {
            positions: vec![glam::Vec3::ZERO, glam::Vec3::X, glam::Vec3::Y],
            face_starts: vec![0, 3],
            corner_vertices: vec![0, 1, 2],
            ..MeshArrays::default()
        };
        Arc::new(Geometry::new(Mesh::new(arrays).expect("one triangle is a mesh")))
    };
    NOTHING.get_or_init(new).clone()
}

/// Where the elements of a set, which is what it is now, come from.
fn carried_along(set: &ColorSet, carry: &Carry) -> Carried {
    let changed = match carry {
        Carry::Local(local) => local.changed().collect(),
        // Nothing else comes of a change here and there.
        Carry::Same | Carry::Copies(_) | Carry::Mixes(_) => Vec::new(),
    };
    Carried { count: set.values.len(), changed }
}
