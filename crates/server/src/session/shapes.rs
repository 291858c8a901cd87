//! Meshes that change while they are on everyone's stage: what is told at once, and what when the
//! hands rest.
//!
//! A change goes out as it is, with what it cost. What takes a look at the whole mesh (its measures,
//! the numbers of its sets, one tree for rays over all of it) waits until nothing has changed for a
//! while.

use std::{
    collections::{BTreeSet, HashMap},
    time::{Duration, Instant},
};

use speckle_mesh::{Geometry, reshape::Direction};
use speckle_model::{Part, PartId, reshape::PartReshape};

use super::{Session, command::Command, stays_here};
use crate::wire::{self, ServerMessage};

/// How long nothing changes before all is told.
pub(super) const REST: Duration = Duration::from_millis(300);

/// What clients know of the meshes.
#[derive(Default)]
pub(super) struct Shapes {
    /// What they call them.
    names: HashMap<PartId, String>,
    /// How many changes there were.
    changes: u64,
    /// Of which parts not all is told, and when the last one changed.
    untold: BTreeSet<PartId>,
    changed: Option<Instant>,
    /// Parts over whose meshes a tree is being grown, one at a time.
    growing: BTreeSet<PartId>,
}

impl Shapes {
    /// What clients call a part's mesh. One that has not changed since it came is called by its content.
    pub(super) fn name(&mut self, part: &Part) -> String {
        let by_content = || format!("{:?}", part.geometry.id());
        self.names.entry(part.id).or_insert_with(by_content).clone()
    }

    /// A part has come, gone, or got another mesh.
    pub(super) fn forget(&mut self, part: PartId) {
        self.names.remove(&part);
        self.untold.remove(&part);
    }

    /// A part's mesh has changed here and there.
    fn change(&mut self, part: PartId) -> String {
        self.changes += 1;
        self.untold.insert(part);
        self.changed = Some(Instant::now());
        // The moment keeps it apart from what was called so before the project was opened.
        let name = format!("{}-{:x}", self.changes, super::now_ms());
        self.names.insert(part, name.clone());
        name
    }

    /// Whether something is to be told when it rests.
    pub(super) fn is_untold(&self) -> bool {
        !self.untold.is_empty()
    }

    fn rested(&mut self) -> BTreeSet<PartId> {
        let is_at_rest = self.changed.is_some_and(|changed| changed.elapsed() >= REST);
        if is_at_rest { std::mem::take(&mut self.untold) } else { BTreeSet::new() }
    }
}

impl Session {
    /// Tells everyone what a change did to a mesh that they have on their stages.
    pub(super) fn tell_reshape(&mut self, id: PartId, change: &PartReshape, direction: Direction) {
        let Ok(part) = self.document.part(id).cloned() else { return };
        let mesh = part.geometry.mesh();
        let reshaped = ServerMessage::Reshaped {
            part: id,
            mesh: self.shapes.change(id),
            vertices: mesh.vertex_count(),
            faces: mesh.face_count(),
            corners: mesh.corner_count(),
            triangles: mesh.triangle_count(),
        };
        self.tell_all(&wire::json(&reshaped));
        self.tell_all(&wire::frames::reshape(id, &part.geometry, &change.mesh, direction));
        for (set, values) in &change.sets {
            // Whoever looks at a snapshot holds its values too.
            if let Some(set) = part.sets.iter().find(|own| own.id == *set && !own.role.is_layer()) {
                let (at, _) = values.what_is_new(direction);
                self.tell_all(&wire::frames::patch(id, set.id, at, &set.values));
            }
        }
    }

    /// Tells what takes a look at whole meshes, once they have not changed for a while.
    pub(super) fn settle(&mut self) {
        if !self.shapes.is_untold() || self.document.is_anyone_painting() {
            return;
        }
        let parts = self.shapes.rested();
        if parts.is_empty() {
            return;
        }
        self.tell_outline();
        for id in parts {
            let Ok(part) = self.document.part(id).cloned() else { continue };
            for set in part.sets.iter().filter(|set| !stays_here(set)) {
                self.tell_all(&wire::figures(&part, set));
            }
            self.grow(&part);
        }
    }

    /// Grows one tree over all that a mesh has become, beside this thread, where that is due.
    fn grow(&mut self, part: &Part) {
        if !part.geometry.is_worn() || !self.shapes.growing.insert(part.id) {
            return;
        }
        let name = self.shapes.name(part);
        let (id, seed, back) = (part.id, part.geometry.seed(), self.back.clone());
        std::thread::spawn(move || {
            let _ = seed.bvh();
            let _ = back.send(Command::Grown(id, name, Box::new(seed)));
        });
    }

    /// Takes a tree that was grown. When the mesh has changed meanwhile, another one is.
    pub(super) fn grown(&mut self, id: PartId, name: &str, grown: Geometry) {
        self.shapes.growing.remove(&id);
        if self.shapes.names.get(&id).is_some_and(|now| now == name) {
            if let Err(error) = self.document.take_tree(id, grown) {
                tracing::warn!("a tree was grown in vain: {error}");
            }
        } else if let Ok(part) = self.document.part(id).cloned() {
            self.grow(&part);
        }
    }
}
