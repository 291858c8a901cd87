//! Strokes while the pointer is down, and what it would cover before.

use std::sync::Arc;

use super::{Change, Direction, Document, EditError, HandId, Part, PartId, Patch, Step};
use crate::{
    blend::Base,
    color_set::{Channels, ColorSet, Placement, SetId},
    stroke::{
        Brush, NO_CHANNEL, Reach, Sample, StrokeStart, StrokeUnderHand, View,
        footprint::{Footprint, Placed, Surface},
    },
};

impl Document {
    /// Puts a pointer down. A stroke of the same hand that is still under way is ended, and
    /// its change returned.
    ///
    /// # Errors
    /// When the target is gone or the brush makes no sense.
    pub fn begin_stroke(
        &mut self,
        hand: HandId,
        mut start: StrokeStart,
    ) -> Result<Option<Change>, EditError> {
        if let Some(problem) = start.problem() {
            return Err(EditError::Stroke(problem));
        }
        let part = self.unlocked(start.part)?;
        if !part.traits.visible {
            return Err(EditError::Hidden(part.traits.name.clone()));
        }
        let set = self.set(start.part, start.set)?;
        start.channels = open_channels(set, start.channels)?;
        let base = Base { encoding: set.encoding, ground: set.ground };
        let surface = surface_of(part, set.placement);
        let earlier = self.end_stroke(hand);
        let footprint = self.take_footprint(hand, start.brush.reach, surface, start.view);
        let stroke = StrokeUnderHand::new(start, footprint, base);
        self.strokes.insert(hand, stroke);
        Ok(earlier)
    }

    /// Moves a pointer on; returns the elements that changed, ascending. A stroke that was ended
    /// meanwhile (its part was taken away) changes nothing.
    ///
    /// # Errors
    /// When the target is gone.
    pub fn extend_stroke(
        &mut self,
        hand: HandId,
        samples: &[Sample],
    ) -> Result<Vec<u32>, EditError> {
        let Some(stroke) = self.strokes.get_mut(&hand) else { return Ok(Vec::new()) };
        let start = *stroke.start();
        let part =
            self.parts.iter_mut().find(|p| p.id == start.part).ok_or(EditError::NoSuchPart)?;
        let set = part
            .sets
            .iter_mut()
            .find(|s| s.id == start.set)
            .ok_or_else(|| EditError::NoSuchSet { part: part.traits.name.clone() })?;
        let kept = self.kept.entry(start.set).or_default();
        Ok(stroke.extend(samples, Arc::make_mut(&mut set.values).as_mut_slice(), kept))
    }

    /// What a stroke under hand paints on.
    #[must_use]
    pub fn stroke_target(&self, hand: HandId) -> Option<(PartId, SetId)> {
        self.strokes.get(&hand).map(|stroke| (stroke.start().part, stroke.start().set))
    }

    /// Lifts a pointer; `None` when the stroke touched nothing.
    pub fn end_stroke(&mut self, hand: HandId) -> Option<Change> {
        let stroke = self.strokes.remove(&hand)?;
        let StrokeStart { part, set: set_id, .. } = *stroke.start();
        let is_last = !self.strokes.values().any(|other| other.start().set == set_id);
        let change = self.set(part, set_id).ok().and_then(|set| {
            let kept = self.kept.get(&set_id)?;
            let mut indices = stroke.touched().to_vec();
            indices.sort_unstable();
            indices.retain(|i| kept[i] != set.values[*i as usize]);
            let before = indices.iter().map(|i| kept[i]).collect();
            let after = indices.iter().map(|&i| set.values[i as usize]).collect();
            let patch = Patch { indices, before, after };
            (!patch.indices.is_empty()).then(|| Change {
                label: format!("{} on {}", stroke.start().title(), set.name),
                steps: vec![Step::Values { part, set: set_id, patch }],
            })
        });
        self.footprints.insert(hand, stroke.into_footprint());
        if is_last {
            self.kept.remove(&set_id);
        } else if let Some(change) = &change {
            self.lay_on_kept(change, Direction::Forward);
        }
        change
    }

    /// What a dab would cover where a pointer is; nothing off the surface, with a brush that makes
    /// no sense, or on a hidden part. What is learned of the surface serves the stroke that
    /// follows from the same view.
    ///
    /// # Errors
    /// When the target is gone.
    pub fn hover(
        &mut self,
        hand: HandId,
        (part, set): (PartId, SetId),
        brush: Brush,
        view: View,
        sample: &Sample,
    ) -> Result<Vec<u32>, EditError> {
        let placement = self.set(part, set)?.placement;
        let part = self.part(part)?;
        let is_radius = brush.radius > 0.0 && brush.radius.is_finite();
        if !is_radius || !part.traits.visible || !view.is_valid() {
            return Ok(Vec::new());
        }
        let surface = surface_of(part, placement);
        let mut footprint = self.take_footprint(hand, brush.reach, surface, view);
        let covered = footprint.cast(sample.origin, sample.direction).map(|(hit, depth)| {
            let covered = footprint.cover(&hit, brush.radius_at(&view, depth, 1.0));
            covered.iter().map(|covered| covered.element).collect()
        });
        self.footprints.insert(hand, footprint);
        Ok(covered.unwrap_or_default())
    }

    /// Lets go of what was learned for a hand.
    pub fn forget_hand(&mut self, hand: HandId) {
        self.footprints.remove(&hand);
    }

    /// The footprint of a hand's last look, if that was on the same; else a new one.
    fn take_footprint(
        &mut self,
        hand: HandId,
        reach: Reach,
        surface: Surface,
        view: View,
    ) -> Footprint {
        let last = self.footprints.remove(&hand);
        match last.filter(|last| last.is_for(reach, &surface)) {
            None => Footprint::new(reach, surface, view),
            Some(mut last) => {
                last.look_from(view);
                last
            }
        }
    }
}

/// The chosen channels that tools may change.
///
/// # Errors
/// When none is chosen, or all of them are locked.
pub(super) fn open_channels(set: &ColorSet, chosen: Channels) -> Result<Channels, EditError> {
    let open = set.unlocked(chosen);
    if !open.is_empty() {
        return Ok(open);
    }
    match (0..4).find(|&i| chosen.0[i]) {
        Some(locked) => Err(EditError::LockedChannel(set.channel_name(locked))),
        None => Err(EditError::Stroke(NO_CHANNEL)),
    }
}

pub(super) fn surface_of(part: &Part, placement: Placement) -> Surface {
    let placed = Placed::new(&part.traits.transform);
    Surface { geometry: part.geometry.clone(), placed, placement }
}
