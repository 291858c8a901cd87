//! The mesh made finer ahead of a stroke under way, while the pointer moves.

use speckle_mesh::reshape::Direction;
use speckle_model::{Part, PartId};
use speckle_tools::{
    finer::{Dab, Finer, coarse_under, make_finer},
    replacing::ShapeTo,
    stroke::Sample,
};

use super::{Change, Document, EditError, HandId};

impl Document {
    /// Makes the mesh finer where the next samples of a stroke will lay their dabs, when its brush does so
    /// and it is needed: a change that is done, and goes into the journal before what the stroke paints.
    /// Where it cannot be done now, it is done when the pointer is lifted.
    pub fn refine_ahead(&mut self, hand: HandId, samples: &[Sample]) -> Option<Change> {
        let stroke = self.strokes.get(&hand)?;
        let start = *stroke.start();
        let length = start.brush.finer.filter(|_| start.brush.reshapes())?;
        if start.coat.action.tidies() {
            return None;
        }
        let dabs = stroke.dabs_ahead(samples);
        let targets = self.stroke_targets(hand);
        let mut whole = Change::default();
        let mut is_fine = true;
        for &(part, _) in &targets {
            // What has been done of it is in the change, whether the rest can be or not.
            let done = self.refine_under(hand, part, &dabs, length, &mut whole);
            is_fine &= done.unwrap_or(false);
        }
        if let Some(stroke) = self.strokes.get_mut(&hand) {
            stroke.way_mut().is_fine_ahead = is_fine;
        }
        let name = self.set(start.coat.part, start.coat.set).map_or("", |set| &set.name);
        whole.label = format!("{} on {name}, mesh finer", start.title());
        (!whole.is_empty()).then_some(whole)
    }

    /// Lays a whole stroke that has begun, on a mesh that is made finer for it first.
    pub(super) fn whole_stroke(
        &mut self,
        hand: HandId,
        samples: &[Sample],
    ) -> Result<Change, EditError> {
        let finer = self.refine_ahead(hand, samples).unwrap_or_default();
        if let Err(error) = self.extend_stroke(hand, samples) {
            self.take_stroke_back(hand);
            self.replay(&finer, Direction::Backward)?;
            return Err(error);
        }
        let painted = self.end_stroke(hand).unwrap_or_default();
        let label = if finer.is_empty() { painted.label } else { finer.label };
        let steps = finer.steps.into_iter().chain(painted.steps).collect();
        Ok(Change { label, steps, ..Change::default() })
    }

    /// Whether a hand's stroke was let make no more faces before it was at its end, since that was asked last.
    pub fn take_stopped(&mut self, hand: HandId) -> bool {
        self.stopped.remove(&hand)
    }

    pub(super) fn note_stop(&mut self, hand: HandId, is_stopped: bool) {
        if is_stopped {
            self.stopped.insert(hand);
        }
    }

    /// Of one part; whether it is as fine as it is to be.
    fn refine_under(
        &mut self,
        hand: HandId,
        id: PartId,
        dabs: &[Dab],
        length: f32,
        whole: &mut Change,
    ) -> Result<bool, EditError> {
        let coarse = |part: &Part| {
            let to_project = part.traits.transform.to_project();
            let faces = coarse_under(&part.geometry, &to_project, dabs, length);
            (!faces.is_empty()).then_some((faces, to_project))
        };
        let Some(mut under) = coarse(self.part(id)?) else { return Ok(true) };
        let mut between = None;
        if !self.part(id)?.geometry.mesh().all_triangles() {
            if self.is_under_another_hand(hand, id) {
                return Ok(false);
            }
            self.begin_again_on_triangles(hand, id, whole)?;
            let part = self.part(id)?;
            between = Some(part.geometry.mesh().clone());
            let Some(again) = coarse(part) else { return Ok(true) };
            under = again;
        }
        let most = self
            .strokes
            .get(&hand)
            .map_or(0, |stroke| stroke.start().most_new().saturating_sub(stroke.way().come));
        let finer = Finer { edges: Some(length), rim: None, most };
        if most == 0 {
            return Ok(true);
        }
        let (faces, to_project) = under;
        let mut come = 0;
        let change = self.reshape(id, String::new(), |edit| {
            come = make_finer(edit, faces, &to_project, dabs, finer, None);
        })?;
        self.note_stop(hand, come >= most);
        whole.steps.extend(change.steps);
        // The journal asks for the mesh by way of which the steps lead; the part's own went on.
        between.into_iter().for_each(|mesh| self.supply_mesh(mesh));
        if let Some(stroke) = self.strokes.get_mut(&hand) {
            stroke.way_mut().come += come;
        }
        Ok(true)
    }

    /// Makes all faces of a part triangles, and has the stroke painted again on them.
    fn begin_again_on_triangles(
        &mut self,
        hand: HandId,
        id: PartId,
        whole: &mut Change,
    ) -> Result<(), EditError> {
        let Some(stroke) = self.strokes.get(&hand) else { return Ok(()) };
        let (start, way) = (*stroke.start(), stroke.way().clone());
        self.take_stroke_back(hand);
        let shape = ShapeTo::of(&self.part(id)?.triangulated());
        let change = self.change_replacing_shape(id, String::new(), shape, Vec::new());
        let done = change.and_then(|change| {
            self.replay(&change, Direction::Forward)?;
            whole.steps.extend(change.steps);
            Ok(())
        });
        self.begin_stroke(hand, start)?;
        self.extend_stroke(hand, &way.samples)?;
        if let Some(stroke) = self.strokes.get_mut(&hand) {
            let now = stroke.way_mut();
            (now.come, now.is_left_coarse) = (way.come, way.is_left_coarse);
        }
        done
    }
}
