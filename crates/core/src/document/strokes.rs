//! Strokes while the pointer is down, and what one would cover before.

use std::{
    collections::HashMap,
    sync::{Arc, PoisonError},
};

use speckle_color::{Channels, Encoding, blend::Base};
use speckle_mesh::{
    Mesh, Placement,
    body::{Body, Placed, Surface},
    scene::{Others, Scene, Stage},
    sight::View,
};
use speckle_model::{ColorSet, SetId};
use speckle_tools::{
    stencil::{LaidStencil, LyingImage},
    stroke::{
        Action, Coat, NO_CHANNEL, Sample, StrokeStart,
        elements::{DabPlace, ReachRules},
        footprint::Footprint,
        kept::Kept,
        under_hand::{Canvas, StrokeUnderHand, Values},
    },
};

use super::{
    Change, ChangeStep, Direction, Document, EditError, HandId, Part, PartId, Patch,
    hand_paint::has_room_for_paint, planned::Touched, whole,
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
        start: StrokeStart,
    ) -> Result<Option<Change>, EditError> {
        if let Some(problem) = start.problem() {
            return Err(EditError::Stroke(problem));
        }
        let mut canvases = self.canvases(&start.coat)?;
        let mut earlier = None;
        if self.is_painting(hand) {
            // Its end may change the meshes that these lie on.
            drop(canvases);
            earlier = self.end_stroke(hand);
            canvases = self.canvases(&start.coat)?;
        }
        let own = self.part(start.coat.part)?.traits.transform;
        let images = start.mirror.images(&own).into_iter().map(Some);
        let mut pool = self.footprints.remove(&hand).unwrap_or_default();
        let way = ReachRules::from(&start.brush);
        let lanes = std::iter::once(None)
            .chain(images)
            .map(|image| {
                let footprints = canvases.iter().map(|canvas| {
                    let scene = self.scene(canvas.part, start.view, &start.coat);
                    let scene = image.map_or(scene.clone(), |image| scene.mirrored(&image));
                    take_footprint(&mut pool, way, &canvas.surface, scene)
                });
                (image, footprints.collect())
            })
            .collect();
        self.strokes.insert(hand, StrokeUnderHand::new(start, canvases, lanes));
        Ok(earlier)
    }

    /// The sets that a coat goes on, the named one's part first among equals: in the order of the
    /// parts. Other parts take part when they are visible, open, and have such a set.
    ///
    /// # Errors
    /// When the named one cannot take it.
    fn canvases(&self, coat: &Coat) -> Result<Vec<Canvas>, EditError> {
        let own = self.set(coat.part, coat.set)?;
        self.canvas(coat.part, own, coat)?;
        let canvases = self.targets(coat)?.into_iter().filter_map(|(part, set)| {
            let set = self.set(part, set).ok()?;
            self.canvas(part, set, coat).ok()
        });
        Ok(canvases.collect())
    }

    pub(super) fn canvas(
        &self,
        part: PartId,
        set: &ColorSet,
        coat: &Coat,
    ) -> Result<Canvas, EditError> {
        let owner = self.unlocked(part)?;
        if !owner.traits.visible {
            return Err(EditError::Hidden(owner.traits.name.clone()));
        }
        if set.role.is_layer() {
            return Err(EditError::Layer);
        }
        whole::fits(set, coat)?;
        // A stroke that has no place to stay would be lost when its recipe is made again.
        has_room_for_paint(owner, set, coat.channels)?;
        let surface = surface_of(owner, set.placement);
        Ok(Canvas {
            part,
            set: set.id,
            channels: open_channels(set, coat.channels)?,
            base: Base { encoding: set.encoding, ground: set.ground },
            shield: self.shield(owner, set),
            stencil: self.laid(coat, &surface)?,
            beneath: (coat.action == Action::Erase).then(|| self.beneath(set)).flatten(),
            lit: self.lit(owner, set, coat)?,
            surface,
        })
    }

    /// The named set, and those of the same name on the other visible parts when all are meant.
    pub(super) fn targets(&self, coat: &Coat) -> Result<Vec<(PartId, SetId)>, EditError> {
        let own = self.set(coat.part, coat.set)?;
        let is_meant = |part: &&Part| {
            part.id == coat.part || (coat.all_parts && part.traits.visible && !part.traits.locked)
        };
        let same = |part: &Part| {
            let alike = |set: &&ColorSet| match part.id == coat.part {
                true => set.id == coat.set,
                false => {
                    let alike = |set: &ColorSet| set.encoding == Encoding::Swatch;
                    (&set.name, set.role, alike(set)) == (&own.name, own.role, alike(own))
                }
            };
            part.sets.iter().find(alike).map(|set| (part.id, set.id))
        };
        Ok(self.parts.iter().filter(is_meant).filter_map(same).collect())
    }

    /// The stencil of a coat, laid over a surface.
    pub(super) fn laid(
        &self,
        coat: &Coat,
        surface: &Surface,
    ) -> Result<Option<LaidStencil>, EditError> {
        let laid = self.stencil_of(coat, surface.body.geometry.mesh())?;
        Ok(laid.map(|laid| LaidStencil::new(laid, surface.clone())))
    }

    /// The stencil of a coat, as it lies where a mesh is.
    pub(super) fn stencil_of(
        &self,
        coat: &Coat,
        mesh: &Mesh,
    ) -> Result<Option<LyingImage>, EditError> {
        let Some(usage) = coat.stencil else { return Ok(None) };
        let image = self.stencils.get(&usage.stencil).ok_or(EditError::NoSuchStencil)?.clone();
        if let Some(problem) = usage.problem(mesh) {
            return Err(EditError::Stroke(problem));
        }
        Ok(Some(LyingImage::new(image, usage)))
    }

    /// What is seen around a part.
    pub(super) fn scene(&self, part: PartId, view: View, coat: &Coat) -> Scene {
        let mut visible = self.parts.iter().filter(|own| own.traits.visible);
        let own = visible.position(|own| own.id == part);
        Scene { view, cutaway: coat.cutaway, others: Others::on(self.stage(), own) }
    }

    /// All that is seen; the same one as before while it is as it was.
    fn stage(&self) -> Arc<Stage> {
        let visible = || self.parts.iter().filter(|own| own.traits.visible).map(body_of);
        let last = || self.last_stage.lock().unwrap_or_else(PoisonError::into_inner);
        let known = last().clone();
        if let Some(known) = known.filter(|known| visible().eq(known.bodies().iter().cloned())) {
            return known;
        }
        // Not under the lock: its boxes are measured on all cores.
        let stage = Arc::new(Stage::new(visible().collect()));
        *last() = Some(stage.clone());
        stage
    }

    /// Moves a pointer on; returns the elements that changed of each set, ascending. A stroke that
    /// was ended meanwhile (its part was taken away) changes nothing.
    ///
    /// # Errors
    /// When the target is gone.
    pub fn extend_stroke(
        &mut self,
        hand: HandId,
        samples: &[Sample],
    ) -> Result<Vec<(PartId, SetId, Vec<u32>)>, EditError> {
        let Self { strokes, parts, kept, .. } = self;
        let Some(stroke) = strokes.get_mut(&hand) else { return Ok(Vec::new()) };
        let targets: Vec<(PartId, SetId)> = stroke.canvases().map(|c| (c.part, c.set)).collect();
        let mut kepts: Vec<Kept> =
            targets.iter().map(|(_, set)| kept.remove(set).unwrap_or_default()).collect();
        // The list of parts may have another order than when the pointer went down.
        let mut found: Vec<Option<&mut ColorSet>> = targets.iter().map(|_| None).collect();
        for part in parts.iter_mut() {
            for set in &mut part.sets {
                if let Some(i) = targets.iter().position(|target| *target == (part.id, set.id)) {
                    found[i] = Some(set);
                }
            }
        }
        let mut fields = Vec::with_capacity(targets.len());
        for (set, kept) in found.into_iter().flatten().zip(&mut kepts) {
            let now = Arc::make_mut(&mut set.values).as_mut_slice();
            fields.push(Values { now, kept });
        }
        let is_whole = fields.len() == targets.len();
        let changed = if is_whole { stroke.extend(samples, &mut fields) } else { Vec::new() };
        drop(fields);
        for (&(_, set), theirs) in targets.iter().zip(kepts) {
            kept.insert(set, theirs);
        }
        if !is_whole {
            return Err(EditError::NoSuchPart);
        }
        Ok(targets.into_iter().zip(changed).map(|((part, set), c)| (part, set, c)).collect())
    }

    /// Whether a hand's pointer is down.
    #[must_use]
    pub fn is_painting(&self, hand: HandId) -> bool {
        self.strokes.contains_key(&hand)
    }

    /// Whether any hand's pointer is down.
    #[must_use]
    pub fn is_anyone_painting(&self) -> bool {
        !self.strokes.is_empty()
    }

    /// Lifts a pointer; `None` when the stroke touched nothing. Where its brush changes the mesh, that
    /// is done now, and the stroke is painted again on what has become of it.
    pub fn end_stroke(&mut self, hand: HandId) -> Option<Change> {
        match self.reshaped_by(hand) {
            Some(change) => change,
            None => self.end_stroke_as_painted(hand),
        }
    }

    /// Lifts a pointer; what it painted is what the stage shows.
    pub(super) fn end_stroke_as_painted(&mut self, hand: HandId) -> Option<Change> {
        let stroke = self.strokes.remove(&hand)?;
        let mut steps = Vec::new();
        let mut name = String::new();
        let erased = stroke.start().coat.action == Action::Erase;
        let mut shares: HashMap<SetId, HashMap<u32, f32>> = HashMap::new();
        for (i, (canvas, touched)) in stroke.touched().enumerate() {
            let (part, set_id) = (canvas.part, canvas.set);
            let (Ok(set), Some(kept)) = (self.set(part, set_id), self.kept.get(&set_id)) else {
                continue;
            };
            let mut indices = touched.to_vec();
            indices.sort_unstable();
            if !set.recipes.is_empty() {
                let laid = touched.iter().map(|&e| (e, stroke.laid(i, e)));
                shares.insert(set_id, laid.collect());
            }
            indices.retain(|&i| kept.get(i).is_some_and(|kept| kept != set.values[i as usize]));
            if indices.is_empty() {
                continue;
            }
            let before = indices.iter().filter_map(|&i| kept.get(i)).collect();
            let after = indices.iter().map(|&i| set.values[i as usize]).collect();
            name.clone_from(&set.name);
            let patch = Patch { indices, before, after };
            steps.push(ChangeStep::Values { part, set: set_id, patch });
        }
        let change = (!steps.is_empty()).then(|| {
            let parts = match steps.len() {
                1 => String::new(),
                several => format!(" of {several} parts"),
            };
            Change {
                label: format!("{} on {name}{parts}", stroke.start().title()),
                steps,
                ..Change::default()
            }
        });
        // What goes into hand paint is not on the stage yet.
        let change = change.map(|change| {
            let seen = change.steps.len();
            let change = self.with_recolored(change, &stroke.start().coat, false);
            let laid = self.with_hand_paint(change.clone(), &|set, element| {
                let share = shares.get(&set).and_then(|shares| shares.get(&element));
                Touched { share: share.copied().unwrap_or(1.0), erased }
            });
            let laid = laid.unwrap_or(change);
            for step in &laid.steps[seen..] {
                // They fit: they were just made for this document.
                let step = Change { steps: vec![step.clone()], ..Change::default() };
                if self.replay(&step, Direction::Forward).is_err() {
                    break;
                }
            }
            laid
        });
        if let Some(change) = &change {
            self.lay_on_kept(change, Direction::Forward);
        }
        self.footprints.insert(hand, stroke.into_footprints());
        self.forget_kept();
        change
    }

    /// What a dab would cover of the named part where a pointer is, in the mirror too; nothing off
    /// the surface, with a brush that makes no sense, or on a hidden part. What is learned of the
    /// surface serves the stroke that follows from the same view.
    ///
    /// # Errors
    /// When the target is gone.
    pub fn hover(
        &mut self,
        hand: HandId,
        start: &StrokeStart,
        sample: &Sample,
    ) -> Result<Vec<u32>, EditError> {
        let (part, set) = (start.coat.part, start.coat.set);
        let placement = self.set(part, set)?.placement;
        let owner = self.part(part)?;
        let makes_sense = start.problem().is_none() || start.coat.channels.is_empty();
        if !makes_sense || !owner.traits.visible {
            return Ok(Vec::new());
        }
        let surface = surface_of(owner, placement);
        let scene = self.scene(part, start.view, &start.coat);
        let images = start.mirror.images(&owner.traits.transform);
        let mut pool = self.footprints.remove(&hand).unwrap_or_default();
        let mut found = Vec::new();
        for image in std::iter::once(None).chain(images.into_iter().map(Some)) {
            let (mut scene, mut sample) = (scene.clone(), *sample);
            if let Some(image) = image {
                scene = scene.mirrored(&image);
                sample.origin = image.transform_point3(sample.origin);
                sample.direction = image.transform_vector3(sample.direction);
            }
            let mut footprint =
                take_footprint(&mut pool, ReachRules::from(&start.brush), &surface, scene);
            let hit = footprint.cast(sample.origin, sample.direction);
            let hit = hit.filter(|(_, distance)| {
                !footprint.is_hidden(sample.origin, sample.direction, *distance)
            });
            if let Some((hit, _)) = hit {
                let middle = surface.body.placed.to_project(hit.point);
                let view = footprint.scene().view;
                let radius = start.brush.radius_at(&view, view.depth(middle), 1.0);
                let touch = DabPlace { middle, face: Some(hit.face) };
                found.extend(footprint.cover(&touch, radius).iter().map(|c| c.element));
            }
            pool.push(footprint);
        }
        self.footprints.insert(hand, pool);
        if start.mirror.axes != [false; 3] {
            found.sort_unstable();
            found.dedup();
        }
        Ok(found)
    }

    /// Lets go of what was learned for a hand.
    pub fn forget_hand(&mut self, hand: HandId) {
        self.footprints.remove(&hand);
        self.stopped.remove(&hand);
    }
}

/// One of a hand's last footprints, if it looked at the same, best from the same place; else a new
/// one.
fn take_footprint(
    pool: &mut Vec<Footprint>,
    way: ReachRules,
    surface: &Surface,
    scene: Scene,
) -> Footprint {
    let fits = |footprint: &Footprint| footprint.is_for(way, surface);
    let best = pool.iter().position(|footprint| fits(footprint) && *footprint.scene() == scene);
    match best.or_else(|| pool.iter().position(fits)) {
        None => Footprint::new(way, surface.clone(), scene),
        Some(at) => {
            let mut footprint = pool.swap_remove(at);
            footprint.look_at(scene);
            footprint
        }
    }
}

/// The chosen channels that tools may change.
///
/// # Errors
/// When none is chosen, or all of them are locked.
pub(super) fn open_channels(set: &ColorSet, chosen: Channels) -> Result<Channels, EditError> {
    // The number of a swatch is in all four.
    let chosen = if set.encoding == Encoding::Swatch { Channels::RGBA } else { chosen };
    let open = set.unlocked(chosen);
    if let (Encoding::Swatch, Some(locked)) =
        (set.encoding, (0..4).find(|&i| set.channels[i].locked))
    {
        return Err(EditError::LockedChannel(set.channel_name(locked)));
    }
    if !open.is_empty() {
        return Ok(open);
    }
    match (0..4).find(|&i| chosen.0[i]) {
        Some(locked) => Err(EditError::LockedChannel(set.channel_name(locked))),
        None => Err(EditError::Stroke(NO_CHANNEL)),
    }
}

fn body_of(part: &Part) -> Body {
    Body { geometry: part.geometry.clone(), placed: Placed::new(&part.traits.transform) }
}

pub(super) fn surface_of(part: &Part, placement: Placement) -> Surface {
    Surface { body: body_of(part), placement }
}
