//! What clients are told: of the outline, of sets, of recipes, of every change.

use crate::wire::{self, ServerMessage};
use axum::extract::ws::Message;
use speckle_core::{Change, ChangeStep, document::Direction};
use speckle_model::{ColorSet, Part, PartId};

use super::command::ClientId;
use super::{Session, stays_here};

impl Session {
    pub(super) fn outline(&mut self) -> wire::Outline {
        wire::outline::of(&self.document, |part| self.shapes.name(part))
    }

    pub(super) fn tell_outline(&mut self) {
        self.measure();
        let outline = self.outline();
        self.tell_all(&wire::json(&ServerMessage::Outline { outline }));
    }

    pub(super) fn tell_present(&mut self) {
        let hands = self.clients.values().map(|hand| hand.name.clone()).collect();
        self.tell_all(&wire::json(&ServerMessage::Present { hands }));
    }

    pub(super) fn tell_sets(&mut self, part: &Part, mut tell: impl FnMut(&mut Self, Message)) {
        for set in part.sets.iter().filter(|set| !stays_here(set)) {
            tell(self, wire::frames::values(part.id, set));
            tell(self, wire::figures(part, set));
        }
    }

    fn tell_figures(&mut self, part: PartId, set: &ColorSet) {
        if let Ok(part) = self.document.part(part) {
            let figures = wire::figures(part, set);
            self.tell_all(&figures);
        }
    }

    pub(super) fn tell_recipes(&mut self) {
        if let Some(recipes) = self.kitchen.news(&self.document) {
            self.tell_all(&wire::json(&ServerMessage::Recipes { recipes }));
        }
    }

    /// Tells everyone what a change did to what they see.
    pub(super) fn tell_change(&mut self, change: &Change, direction: Direction) {
        // The outline goes first: frames of new parts and sets are told apart by it.
        let is_of_values = |step: &ChangeStep| {
            matches!(step, ChangeStep::Values { .. } | ChangeStep::Reshape { .. })
        };
        for step in &change.steps {
            if let ChangeStep::Part { part, .. } | ChangeStep::PartGone { part, .. } = step {
                self.shapes.forget(part.id);
            }
        }
        if !change.steps.iter().all(is_of_values) {
            self.tell_outline();
        }
        let came = |part: PartId| {
            change.steps.iter().any(|step| match step {
                ChangeStep::Part { part: own, .. } | ChangeStep::PartGone { part: own, .. } => {
                    own.id == part
                }
                _ => false,
            })
        };
        let is_reshaped = |part: PartId| {
            let is_it = |step: &ChangeStep| matches!(step, ChangeStep::Reshape { part: own, .. } if *own == part);
            change.steps.iter().any(is_it)
        };
        // Meshes first: values are told as they lie on what has become of them.
        let (shapes, others): (Vec<_>, Vec<_>) =
            change.steps.iter().partition(|step| matches!(step, ChangeStep::Reshape { .. }));
        for step in shapes.into_iter().chain(others) {
            match (step, direction) {
                // What came whole came as it is after all steps.
                (ChangeStep::Reshape { part, .. } | ChangeStep::Values { part, .. }, _)
                    if came(*part) => {}
                (ChangeStep::Values { part, set, .. }, _) if is_reshaped(*part) => {
                    // Its numbers are those of a mesh on the way.
                    if let Ok(set) = self.document.set(*part, *set).cloned()
                        && !set.role.is_layer()
                    {
                        self.tell_all(&wire::frames::values(*part, &set));
                        self.tell_figures(*part, &set);
                    }
                }
                (ChangeStep::Part { part, .. }, Direction::Forward)
                | (ChangeStep::PartGone { part, .. }, Direction::Backward) => {
                    if let Ok(part) = self.document.part(part.id).cloned() {
                        self.tell_geometry(None, &part);
                        self.tell_sets(&part, |session, message| session.tell_all(&message));
                    }
                }
                (ChangeStep::Set { part, set, .. }, Direction::Forward)
                | (ChangeStep::SetGone { part, set, .. }, Direction::Backward) => {
                    let now = self.document.set(*part, set.id);
                    if let Ok(set) = now.cloned()
                        && !stays_here(&set)
                    {
                        self.tell_all(&wire::frames::values(*part, &set));
                        self.tell_figures(*part, &set);
                    }
                }
                (ChangeStep::Reshape { part, change }, _) => {
                    self.tell_reshape(*part, change, direction)
                }
                (ChangeStep::Values { part, set, patch }, _) => {
                    if let Ok(set) = self.document.set(*part, *set).cloned()
                        && !set.role.is_layer()
                    {
                        // An index is as long as a value: from half of them on, all are shorter.
                        let message = if 2 * patch.indices.len() > set.values.len() {
                            wire::frames::values(*part, &set)
                        } else {
                            wire::frames::patch(*part, set.id, &patch.indices, &set.values)
                        };
                        self.tell_all(&message);
                        self.tell_figures(*part, &set);
                    }
                }
                (
                    ChangeStep::Part { .. }
                    | ChangeStep::PartGone { .. }
                    | ChangeStep::PartMoved { .. }
                    | ChangeStep::PartTraits { .. }
                    | ChangeStep::ProjectTraits { .. }
                    | ChangeStep::Swatches { .. }
                    | ChangeStep::Views { .. }
                    | ChangeStep::Volumes { .. }
                    | ChangeStep::Print { .. }
                    | ChangeStep::Proof { .. }
                    | ChangeStep::Images { .. }
                    | ChangeStep::Set { .. }
                    | ChangeStep::SetGone { .. }
                    | ChangeStep::SetMoved { .. }
                    | ChangeStep::SetTraits { .. },
                    _,
                ) => {}
            }
        }
    }

    pub(super) fn refuse(&mut self, client: ClientId, message: String) {
        self.tell(client, wire::json(&ServerMessage::Refused { message }));
    }

    pub(super) fn tell(&mut self, client: ClientId, message: Message) {
        if let Some(hand) = self.clients.get(&client)
            && !hand.outbox.send(message, self.most_waiting)
        {
            // Gone, or too far behind: its socket closes, and it may come back.
            self.clients.remove(&client);
        }
    }

    pub(super) fn tell_all(&mut self, message: &Message) {
        let most = self.most_waiting;
        self.clients.retain(|_, hand| hand.outbox.send(message.clone(), most));
    }

    /// Tells one client, or all, what a part looks like.
    pub(super) fn tell_geometry(&mut self, client: Option<ClientId>, part: &Part) {
        self.clients.retain(|id, hand| {
            client.is_some_and(|client| client != *id)
                || hand.outbox.send_geometry(part.id, part.geometry.clone())
        });
    }
}
