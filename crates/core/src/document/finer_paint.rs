//! Strokes and fills that make the mesh beneath them finer before their paint goes on.

use std::sync::Arc;

use glam::{Affine3A, Vec3};
use speckle_mesh::{
    Placement,
    body::{Body, Placed},
    geometry::local::LocalEdit,
    sight::View,
};
use speckle_model::{Part, PartId, SetId};
use speckle_tools::{
    finer::{Finer, Rim, cut_along, cut_along_stencil, cut_around, make_finer, reached},
    region::{Region, border::seen},
    replacing::ShapeTo,
    stencil::StencilUse,
    stroke::{
        Brush, Coat, StrokeStart,
        under_hand::{StrokeUnderHand, Way},
    },
};

use super::{Change, Direction, Document, EditError, Fill, HandId, painting::PaintEdit};

/// A coat whose stencil lets all through or nothing, as faces are cut along its border.
fn hardened(coat: Coat) -> Coat {
    Coat { stencil: coat.stencil.map(|usage| StencilUse { hard: true, ..usage }), ..coat }
}

/// Whether a stroke has still to change the mesh when it ends.
fn is_due(stroke: &StrokeUnderHand) -> bool {
    let (StrokeStart { brush, coat, .. }, way) = (stroke.start(), stroke.way());
    let lays_on = brush.reshapes() && !coat.action.tidies() && !way.dabs.is_empty();
    lays_on && (brush.crisp || way.is_left_coarse)
}

impl Document {
    /// The sets that a stroke under way paints into.
    #[must_use]
    pub fn stroke_targets(&self, hand: HandId) -> Vec<(PartId, SetId)> {
        let stroke = self.strokes.get(&hand);
        stroke.into_iter().flat_map(|s| s.canvases()).map(|c| (c.part, c.set)).collect()
    }

    /// Whether a stroke under way will change meshes when it ends.
    #[must_use]
    pub fn stroke_reshapes(&self, hand: HandId) -> bool {
        self.strokes.get(&hand).is_some_and(is_due)
    }

    /// Ends a stroke whose brush changes the mesh: takes back what it painted, makes the mesh finer, and
    /// paints it again, all as one change. `None` where it is to end as it is painted: its brush leaves
    /// meshes alone, or all was done ahead of it, it met nothing, or another hand paints on the same parts.
    pub(super) fn reshaped_by(&mut self, hand: HandId) -> Option<Option<Change>> {
        let stroke = self.strokes.get(&hand).filter(|stroke| is_due(stroke))?;
        let start = *stroke.start();
        let way = stroke.way().clone();
        let targets = self.stroke_targets(hand);
        if targets.iter().any(|&(part, _)| self.is_under_another_hand(hand, part)) {
            return None;
        }
        self.take_stroke_back(hand);
        let mut whole = Change::default();
        let done = self.make_finer_under(&targets, &start, &way, &mut whole);
        let plain = Brush { finer: None, crisp: false, ..start.brush };
        let coat = if start.brush.crisp { hardened(start.coat) } else { start.coat };
        let painted = done.and_then(|is_stopped| {
            self.begin_stroke(hand, StrokeStart { brush: plain, coat, ..start })?;
            self.extend_stroke(hand, &way.samples)?;
            Ok(self.end_stroke_as_painted(hand).map(|painted| (painted, is_stopped)))
        });
        match painted {
            Ok(Some((painted, is_stopped))) => {
                self.note_stop(hand, is_stopped);
                let more = if whole.steps.is_empty() { "" } else { ", mesh finer" };
                whole.label = format!("{}{more}", painted.label);
                whole.steps.extend(painted.steps);
                Some(Some(whole))
            }
            // It leaves the mesh alone where it leaves no paint.
            Ok(None) | Err(_) => {
                self.take_stroke_back(hand);
                let _ = self.replay(&whole, Direction::Backward);
                Some(None)
            }
        }
    }

    /// Whether another hand's stroke is under way on a part.
    pub(super) fn is_under_another_hand(&self, hand: HandId, part: PartId) -> bool {
        let others = self.strokes.iter().filter(|(other, _)| **other != hand);
        others.flat_map(|(_, stroke)| stroke.canvases()).any(|canvas| canvas.part == part)
    }

    /// Has everything as it was before a stroke, which goes.
    pub(super) fn take_stroke_back(&mut self, hand: HandId) {
        let Some(stroke) = self.strokes.remove(&hand) else { return };
        for (canvas, touched) in stroke.touched() {
            let Some(kept) = self.kept.get(&canvas.set) else { continue };
            let before: Vec<_> = touched.iter().filter_map(|&i| Some((i, kept.get(i)?))).collect();
            let part = self.parts.iter_mut().find(|part| part.id == canvas.part);
            let sets = part.into_iter().flat_map(|part| &mut part.sets);
            for set in sets.filter(|set| set.id == canvas.set) {
                let values = Arc::make_mut(&mut set.values);
                before.iter().for_each(|&(i, value)| values[i as usize] = value);
            }
        }
        // What it learned of the surfaces holds no longer.
        drop(stroke);
        self.forget_kept();
    }

    /// Makes meshes as fine under a stroke as its brush has them; whether it made as many faces as it was let.
    fn make_finer_under(
        &mut self,
        targets: &[(PartId, SetId)],
        start: &StrokeStart,
        way: &Way,
        whole: &mut Change,
    ) -> Result<bool, EditError> {
        let (mut come, mut is_stopped) = (way.come, false);
        for &(id, set) in targets {
            let rim = start.brush.crisp.then_some(self.rim_of(id, set)?);
            let most = start.most_new().saturating_sub(come);
            let finer = Finer { edges: start.brush.finer, rim, most };
            let stencil = self.stencil_of(&start.coat, self.part(id)?.geometry.mesh())?;
            let faces = |_: &Self, part: &Part| {
                reached(&part.geometry, &part.traits.transform.to_project(), &way.dabs)
            };
            let own = self.cut_under(id, whole, faces, |edit, faces, to_project| {
                make_finer(edit, faces, to_project, &way.dabs, finer, stencil.as_ref())
            })?;
            is_stopped |= own >= most;
            come += own;
        }
        Ok(is_stopped)
    }

    /// Fills a region after faces were cut along its border, all as one change.
    pub(super) fn fill_crisply(&mut self, fill: Fill) -> Result<Change, EditError> {
        if let Some(problem) = fill.region.problem() {
            return Err(EditError::Stroke(problem));
        }
        let plain = Fill { crisp: false, coat: hardened(fill.coat), ..fill.clone() };
        let mut whole = Change::default();
        let done = self.cut_along_border(&fill, &mut whole);
        match done.and_then(|()| self.apply(PaintEdit::Fill { fill: plain })) {
            Ok(painted) if !painted.steps.is_empty() => {
                let more = if whole.steps.is_empty() { "" } else { ", mesh finer" };
                whole.label = format!("{}{more}", painted.label);
                whole.steps.extend(painted.steps);
                Ok(whole)
            }
            // It leaves the mesh alone where it leaves no paint.
            other => {
                self.replay(&whole, Direction::Backward)?;
                other
            }
        }
    }

    fn cut_along_border(&mut self, fill: &Fill, whole: &mut Change) -> Result<(), EditError> {
        let view = match &fill.region {
            Region::Lasso { screen, .. } => screen.view,
            _ => View::Parallel { forward: Vec3::NEG_Z },
        };
        for (id, set) in self.targets(&fill.coat)? {
            let part = self.unlocked(id)?;
            let size = part.geometry.measures().diagonal() * part.traits.transform.mean_scale();
            let stencil = self.stencil_of(&fill.coat, part.geometry.mesh())?;
            let rim = self.rim_of(id, set)?;
            let looks = matches!(fill.region, Region::Lasso { through: false, .. });
            let of = |document: &Self, part: &Part| {
                let placed = Placed::new(&part.traits.transform);
                let body = Body { geometry: part.geometry.clone(), placed };
                (body, document.scene(id, view, &fill.coat))
            };
            if let Some(border) = fill.region.border(size) {
                let faces = |document: &Self, part: &Part| {
                    let (body, scene) = of(document, part);
                    border.faces(&body, &scene)
                };
                self.cut_under(id, whole, faces, |edit, faces, to_project| {
                    cut_along(edit, faces, to_project, &border, rim)
                })?;
            }
            if rim == Rim::Twice {
                // The border of a pour runs along edges: what lies beyond must not share in it.
                let faces = |document: &Self, part: &Part| document.within_creases(fill, part);
                self.cut_under(id, whole, faces, |edit, faces, to_project| {
                    cut_around(edit, &faces, to_project)
                })?;
            }
            if let Some(stencil) = stencil {
                let faces = |document: &Self, part: &Part| {
                    let (body, scene) = of(document, part);
                    let all = (0..part.geometry.mesh().face_count() as u32).collect();
                    if looks { seen(&body, &scene, all) } else { all }
                };
                self.cut_under(id, whole, faces, |edit, faces, to_project| {
                    cut_along_stencil(edit, faces, to_project, &stencil, rim)
                })?;
            }
        }
        Ok(())
    }

    /// How often faces are cut along a rim for a set: what belongs to vertices runs out between two cuts.
    fn rim_of(&self, part: PartId, set: SetId) -> Result<Rim, EditError> {
        let is_at_vertices = self.set(part, set)?.placement == Placement::Vertex;
        Ok(if is_at_vertices { Rim::Twice } else { Rim::Once })
    }

    /// Cuts faces of a part, which are made triangles before; what is done goes into the change as it is
    /// done. Polygons stay whole where nothing is to be cut. Says how many faces came, as the cut does.
    pub(super) fn cut_under(
        &mut self,
        id: PartId,
        whole: &mut Change,
        faces: impl Fn(&Self, &Part) -> Vec<u32>,
        cut: impl FnOnce(&mut LocalEdit, Vec<u32>, &Affine3A) -> usize,
    ) -> Result<usize, EditError> {
        let part = self.part(id)?;
        let to_project = part.traits.transform.to_project();
        if faces(self, part).is_empty() {
            return Ok(0);
        }
        let mut whole_faces = Change::default();
        if !part.geometry.mesh().all_triangles() {
            let shape = ShapeTo::of(&part.triangulated());
            whole_faces = self.change_replacing_shape(id, String::new(), shape, Vec::new())?;
            self.replay(&whole_faces, Direction::Forward)?;
        }
        let part = self.part(id)?;
        let between = (!whole_faces.steps.is_empty()).then(|| part.geometry.mesh().clone());
        let faces = faces(self, part);
        let mut come = 0;
        let change = self.reshape(id, String::new(), |edit| {
            come = cut(edit, faces, &to_project);
        });
        match change {
            Ok(change) if change.steps.is_empty() => {
                self.replay(&whole_faces, Direction::Backward)?;
            }
            Ok(change) => {
                whole.steps.extend(whole_faces.steps);
                whole.steps.extend(change.steps);
                // The steps lead by way of it, and the journal asks for it; the part's own went on.
                between.into_iter().for_each(|mesh| self.supply_mesh(mesh));
            }
            Err(error) => {
                self.replay(&whole_faces, Direction::Backward)?;
                return Err(error);
            }
        }
        Ok(come)
    }
}
