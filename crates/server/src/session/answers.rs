//! What clients want to know of a project. Each question is answered, with what it was for or why
//! not, and also when it is no longer wanted: the client waits for that.

use axum::extract::ws::Message;
use speckle_core::{EditError, document::RecipeId};
use speckle_mesh::Placement;
use speckle_model::{Part, PartId, SetId, recipe::Recipe};
use speckle_tools::bake::taste::Tastes;

use super::{Session, command::ClientId, hand_of};
use crate::{
    tasted::Tasted,
    wire::{self, CornerValue, Question, ServerMessage, frames},
};

/// The most places of a named group that are shown.
const MOST_PLACES: usize = 20_000;

impl Session {
    pub(super) fn answer(&mut self, client: ClientId, question: u32, about: Question) {
        let trouble = match about {
            Question::TryRecipe { part, set, recipe } => {
                return self.try_recipe(client, question, part, set, recipe);
            }
            Question::TasteRecipe { part, set, channels } => {
                match self.document.order(part, set, channels) {
                    Ok(order) => {
                        let older = self.kitchen.taste(client, question, order, &self.back);
                        return self.let_go(client, older);
                    }
                    Err(error) => Err(error),
                }
            }
            Question::FillAhead { fill } => {
                let ahead = self.document.ahead_of_fill(&fill);
                return self.look_ahead(client, question, ahead);
            }
            Question::DabAhead { start, sample } => {
                let ahead = self.document.ahead_of_dab(&start, sample);
                return self.look_ahead(client, question, ahead);
            }
            about => self.frames_for(client, question, about).map(|messages| {
                for message in messages {
                    self.tell(client, message);
                }
            }),
        };
        self.end_question(client, question, trouble.err().map(|error| error.to_string()));
    }

    /// Says that nothing more comes of a question.
    pub(super) fn end_question(
        &mut self,
        client: ClientId,
        question: u32,
        trouble: Option<String>,
    ) {
        self.tell(client, wire::json(&ServerMessage::Answered { question, trouble }));
    }

    /// Ends a question that a newer one took the place of.
    pub(super) fn let_go(&mut self, client: ClientId, older: Option<u32>) {
        if let Some(older) = older {
            self.end_question(client, older, None);
        }
    }

    /// What answers a question at once.
    fn frames_for(
        &mut self,
        client: ClientId,
        question: u32,
        about: Question,
    ) -> Result<Vec<Message>, EditError> {
        Ok(match about {
            Question::Hover { start, sample } => {
                // A brush that makes no sense is told when it is put down, not while it moves.
                let covered =
                    self.document.hover(hand_of(client), &start, &sample).unwrap_or_default();
                let (part, set) = (start.coat.part, start.coat.set);
                vec![frames::footprint(question, part, set, covered.into_iter())]
            }
            Question::FillHover { fill } => {
                // Likewise a fill.
                let covered = self.document.covered(&fill).unwrap_or_default();
                let shown = covered.iter().map(|(part, set, covered)| {
                    let elements = covered.iter().map(|c| c.element);
                    frames::footprint(question, *part, *set, elements)
                });
                let mut shown: Vec<Message> = shown.collect();
                if shown.is_empty() {
                    let (part, set) = (fill.coat.part, fill.coat.set);
                    shown.push(frames::footprint(question, part, set, [].into_iter()));
                }
                shown
            }
            Question::Preview { adjustment } => {
                let values = self.document.adjusted(&adjustment)?;
                vec![frames::preview(question, adjustment.part, adjustment.set, &values)]
            }
            Question::Values { part, set } => {
                // With how many elements have which numbers, as of all sets that are told unasked.
                let (own, set) = (self.document.part(part)?, self.document.set(part, set)?);
                vec![frames::values(part, set), wire::figures(own, set)]
            }
            Question::Corners { part, set, vertex } => {
                vec![self.corners(question, part, set, vertex)?]
            }
            Question::Heat { part, snapshot } => vec![self.heat(question, part, snapshot)?],
            Question::Selection { part, index } => {
                vec![places_of(question, self.document.part(part)?, index)]
            }
            // They take long, and are answered beside.
            Question::FillAhead { .. }
            | Question::DabAhead { .. }
            | Question::TryRecipe { .. }
            | Question::TasteRecipe { .. } => Vec::new(),
        })
    }

    /// Has a recipe tried beside this thread.
    fn try_recipe(
        &mut self,
        client: ClientId,
        question: u32,
        part: PartId,
        set: SetId,
        recipe: Recipe,
    ) {
        match self.document.trial(part, set, recipe) {
            Ok(order) => {
                let older = self.kitchen.try_out(client, question, order, &self.back);
                self.let_go(client, older);
            }
            Err(error) => self.end_question(client, question, Some(error.to_string())),
        }
    }

    /// Tells one client, or all, what a recipe makes: in small, and as a preview of the whole set
    /// where nobody is painting.
    pub(super) fn tell_tasted(
        &mut self,
        asked: Option<(ClientId, u32)>,
        dish: RecipeId,
        tasted: &Tasted,
    ) {
        let (part, set, channels) = dish;
        let question = asked.map_or(0, |(_, question)| question);
        let is_there = self.document.set(part, set).map(|own| own.values.len());
        let mut messages = Vec::new();
        if is_there == Ok(tasted.values.len()) && !self.document.is_anyone_painting() {
            messages.push(frames::preview(question, part, set, &tasted.values));
        }
        let Tastes { elements, steps } = tasted.tastes.clone();
        let is_draft = tasted.is_draft;
        let message = ServerMessage::Tastes { part, set, channels, is_draft, elements, steps };
        messages.push(wire::json(&message));
        for message in messages {
            match asked {
                Some((client, _)) => self.tell(client, message),
                None => self.tell_all(&message),
            }
        }
    }

    /// What every corner at a vertex holds.
    fn corners(
        &self,
        question: u32,
        part: PartId,
        set: SetId,
        vertex: u32,
    ) -> Result<Message, EditError> {
        let (owner, held) = (self.document.part(part)?, self.document.set(part, set)?);
        let topology = owner.geometry.topology();
        let is_there = (vertex as usize) < owner.geometry.mesh().vertex_count();
        let around = if is_there { topology.corners_at(vertex as usize) } else { &[] };
        let corners = around.iter().map(|&corner| {
            let face = topology.face_of(corner as usize) as u32;
            let element = owner.geometry.element_at(held.placement, corner as usize);
            CornerValue { face, element: element as u32, value: held.values[element] }
        });
        let corners = corners.collect();
        Ok(wire::json(&ServerMessage::Corners { question, part, set, vertex, corners }))
    }

    /// How long edges are, or how far values are from what they were.
    fn heat(
        &self,
        question: u32,
        part: PartId,
        snapshot: Option<SetId>,
    ) -> Result<Message, EditError> {
        let Some(snapshot) = snapshot else {
            let owner = self.document.part(part)?;
            let lengths = owner.geometry.mean_edges(&owner.traits.transform.to_project());
            return Ok(frames::heat(question, part, None, Placement::Vertex, &lengths));
        };
        let (set, changed) = self.document.changed_since(part, snapshot)?;
        Ok(frames::heat(question, part, Some(snapshot), set.placement, &changed))
    }
}

/// Where the faces of a named group are; of many, every so many.
fn places_of(question: u32, part: &Part, index: usize) -> Message {
    let selection = part.traits.selections.get(index);
    let faces = selection.map_or(&[][..], |selection| &selection.faces);
    let step = faces.len() / MOST_PLACES + 1;
    let mesh = part.geometry.mesh();
    let places: Vec<glam::Vec3> =
        faces.iter().step_by(step).map(|&face| mesh.face_centroid(face as usize)).collect();
    frames::places(question, part.id, &places)
}
