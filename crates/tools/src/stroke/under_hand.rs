//! A stroke whose pointer is still down: dabs laid on one part or several, and in the mirror.

use std::sync::Arc;

use glam::{Affine3A, Vec3};
use rayon::prelude::*;
use speckle_color::{
    Channels, Encoding, Rgba,
    blend::{Base, Blend},
};
use speckle_mesh::{Geometry, body::Surface, placement::point_of, scene::Scene};
use speckle_model::{PartId, SetId};

use super::{
    Action, BuildUp, Reach, Sample, StrokeStart,
    circle::Circle,
    elements::{DabElement, DabPlace, ReachRules},
    footprint::Footprint,
    kept::Kept,
    spacing::DabPath,
    tidy::{Share, Tidying},
    trail::Trail,
};
use crate::{finer::Dab, stencil::LaidStencil};

/// A set that a stroke paints, with what lies between it and the paint.
pub struct Canvas {
    /// The part painted on.
    pub part: PartId,
    /// The set painted into.
    pub set: SetId,
    /// The channels that change.
    pub channels: Channels,
    /// What the set is as far as blending goes.
    pub base: Base,
    /// Where it is.
    pub surface: Surface,
    /// How far each element may change, 0–1; all of it when there is no mask.
    pub shield: Option<Arc<Vec<f32>>>,
    /// The image that it is painted through.
    pub stencil: Option<LaidStencil>,
    /// What comes to light where paint is erased, when it is not the ground color.
    pub beneath: Option<Arc<Vec<Rgba>>>,
    /// The luminance that shading is read against, in R, where it is not that of the ground color.
    pub lit: Option<Arc<Vec<Rgba>>>,
}

/// A canvas with what a stroke did to it so far.
struct Painted {
    canvas: Canvas,
    /// How much of the paint lies on each element already, 0–1; mask and stencil not counted.
    coverage: Vec<f32>,
    /// Elements in the order they were first touched.
    touched: Vec<u32>,
    /// What the stroke met at each element it touched, for blends that look at it.
    met: Kept,
}

/// The values of a canvas, and what strokes under way have painted over.
pub struct Values<'a> {
    /// As stored.
    pub now: &'a mut [Rgba],
    /// Gets what it has not yet before it is painted over.
    pub kept: &'a mut Kept,
}

/// Where elements of a set come from that has changed under a stroke.
#[derive(Debug, Default)]
pub struct Carried {
    /// How many there are now.
    pub count: usize,
    /// Those that are not what they were, ascending: old ones with weights, or none where nothing is
    /// known of them.
    pub changed: Vec<(u32, Vec<(u32, f32)>)>,
}

/// The hand, or one of its images in the mirror.
struct Lane {
    image: Option<Affine3A>,
    /// Dabs at even distances.
    path: DabPath,
    /// Instead of dabs, for what covers by the face.
    trail: Trail,
    /// One for each canvas.
    footprints: Vec<Footprint>,
    /// Where the last dab lay, for what is carried along.
    last: Option<Vec3>,
}

/// A stroke whose pointer is still down.
pub struct StrokeUnderHand {
    start: StrokeStart,
    lanes: Vec<Lane>,
    painted: Vec<Painted>,
    /// What it did so far, for brushes that change the mesh beneath them.
    way: Way,
}

/// The way of a stroke, for doing it again.
#[derive(Clone, Debug, Default)]
pub struct Way {
    /// The samples of the hand.
    pub samples: Vec<Sample>,
    /// What its dabs covered, in the mirror too.
    pub dabs: Vec<Dab>,
}

impl StrokeUnderHand {
    /// Puts the pointer down; nothing is painted before the first sample. Each lane, the hand's own
    /// first, comes with its image in the mirror and a footprint for each canvas, made for the
    /// start's brush.
    #[must_use]
    pub fn new(
        start: StrokeStart,
        canvases: Vec<Canvas>,
        lanes: Vec<(Option<Affine3A>, Vec<Footprint>)>,
    ) -> Self {
        let lanes = lanes
            .into_iter()
            .filter_map(|(image, footprints)| {
                let first = footprints.first()?;
                let (view, body) = (first.scene().view, &first.surface().body);
                let measures = body.geometry.measures();
                let about = body.placed.to_project(measures.center());
                let size = body.placed.longest_in_project(measures.diagonal());
                let (path, trail) = (DabPath::new(view, about), Trail::new(view, size));
                Some(Lane { image, path, trail, footprints, last: None })
            })
            .collect();
        let painted = canvases
            .into_iter()
            .map(|canvas| {
                let Surface { body, placement } = &canvas.surface;
                let coverage = vec![0.0; placement.count(body.geometry.mesh())];
                Painted { canvas, coverage, touched: Vec::new(), met: Kept::default() }
            })
            .collect();
        Self { start, lanes, painted, way: Way::default() }
    }

    /// Lifts the pointer: what is left is what it learned of the surfaces.
    #[must_use]
    pub fn into_footprints(self) -> Vec<Footprint> {
        self.lanes.into_iter().flat_map(|lane| lane.footprints).collect()
    }

    /// The way it went so far; nothing for brushes that leave the mesh as it is.
    #[must_use]
    pub fn way(&self) -> &Way {
        &self.way
    }

    /// What it was started with.
    #[must_use]
    pub fn start(&self) -> &StrokeStart {
        &self.start
    }

    /// What it paints on.
    pub fn canvases(&self) -> impl Iterator<Item = &Canvas> {
        self.painted.iter().map(|painted| &painted.canvas)
    }

    /// Each canvas with all elements touched so far, each once.
    pub fn touched(&self) -> impl Iterator<Item = (&Canvas, &[u32])> {
        self.painted.iter().map(|painted| (&painted.canvas, painted.touched.as_slice()))
    }

    /// How much of what the stroke does lies on an element of a canvas so far, 0–1.
    #[must_use]
    pub fn laid(&self, canvas: usize, element: u32) -> f32 {
        let painted = &self.painted[canvas];
        painted.coverage[element as usize] * painted.let_through(element as usize)
    }

    /// Paints no more on a canvas that is gone; false when none is left.
    pub fn leave(&mut self, is_gone: impl Fn(&Canvas) -> bool) -> bool {
        for i in (0..self.painted.len()).rev() {
            if is_gone(&self.painted[i].canvas) {
                self.painted.remove(i);
                for lane in &mut self.lanes {
                    lane.footprints.remove(i);
                }
            }
        }
        !self.painted.is_empty()
    }

    /// Lets go of a shape that is about to change, and of all that stands around.
    pub fn let_go(&mut self, shape: &Arc<Geometry>, instead: &Arc<Geometry>) {
        for painted in &mut self.painted {
            let canvas = &mut painted.canvas;
            if Arc::ptr_eq(&canvas.surface.body.geometry, shape) {
                canvas.surface.body.geometry = instead.clone();
                canvas.stencil = None;
            }
        }
        for footprint in self.lanes.iter_mut().flat_map(|lane| &mut lane.footprints) {
            footprint.let_go(shape, instead);
        }
    }

    /// Looks at a canvas in another scene.
    pub fn look_at(&mut self, part: PartId, set: SetId, scene: &Scene) {
        let Some(i) = self.place_of(part, set) else { return };
        for lane in &mut self.lanes {
            lane.footprints[i].look_at(seen_in(scene, lane.image));
        }
    }

    /// Goes on on a canvas whose shape has changed, with what was painted so far.
    pub fn follow(&mut self, canvas: Canvas, carried: &Carried, scene: &Scene) {
        let Some(i) = self.place_of(canvas.part, canvas.set) else { return };
        let way = ReachRules::from(&self.start.brush);
        for lane in &mut self.lanes {
            let scene = seen_in(scene, lane.image);
            lane.footprints[i] = Footprint::new(way, canvas.surface.clone(), scene);
        }
        let painted = &mut self.painted[i];
        painted.canvas = canvas;
        painted.carry(carried);
    }

    fn place_of(&self, part: PartId, set: SetId) -> Option<usize> {
        self.canvases().position(|canvas| (canvas.part, canvas.set) == (part, set))
    }

    /// Moves the pointer along samples and paints into the values of each canvas, in their order;
    /// returns the elements that changed of each, ascending.
    pub fn extend(&mut self, samples: &[Sample], values: &mut [Values]) -> Vec<Vec<u32>> {
        let Self { start, lanes, painted, way: done } = self;
        let brush = start.brush;
        if brush.reshapes() {
            done.samples.extend(samples);
        }
        let holds = brush.build_up == BuildUp::Held;
        let mut changed: Vec<Vec<u32>> = painted.iter().map(|_| Vec::new()).collect();
        for sample in samples {
            for Lane { image, path, trail, footprints, last } in lanes.iter_mut() {
                let sample = image.map_or(*sample, |image| mirrored(sample, &image));
                let Some(view) = footprints.first().map(|first| first.scene().view) else {
                    continue;
                };
                let mut dab = |origin: Vec3, direction: Vec3, pressure: f32| {
                    let hits = footprints.iter().enumerate();
                    let (on, (hit, distance)) = hits
                        .filter_map(|(i, footprint)| Some((i, footprint.cast(origin, direction)?)))
                        .min_by(|(_, (_, a)), (_, (_, b))| a.total_cmp(b))?;
                    if footprints[on].is_hidden(origin, direction, distance) {
                        return None;
                    }
                    let middle = footprints[on].surface().body.placed.to_project(hit.point);
                    let depth = view.depth(middle);
                    let radius = brush.radius_at(&view, depth, pressure);
                    let way = middle - last.replace(middle).unwrap_or(middle);
                    // A leap to another side of the model carries nothing along.
                    let way = if way.length() <= 4.0 * radius { way } else { Vec3::ZERO };
                    if brush.reshapes() {
                        let is_skin = brush.reach == Reach::Skin;
                        done.dabs.push(Dab {
                            middle,
                            radius,
                            circle: is_skin.then(|| Circle::new(view, middle, radius)),
                            faces_view: !brush.through,
                            apart: brush.apart || !is_skin,
                        });
                    }
                    let pressed = StrokeStart { brush: brush.pressed(pressure), ..*start };
                    for (i, footprint) in footprints.iter_mut().enumerate() {
                        let face = (i == on).then_some(hit.face);
                        let covered = footprint.cover(&DabPlace { middle, face }, radius);
                        painted[i].lay(&pressed, covered, way, &mut values[i], &mut changed[i]);
                    }
                    Some(((on as u64) << 32 | u64::from(hit.face), depth))
                };
                match brush.reach {
                    Reach::Skin | Reach::Deep => {
                        let spacing =
                            |depth: f32| brush.spacing * brush.radius_at(&view, depth, 1.0);
                        path.advance(&sample, holds, spacing, |origin, direction, pressure| {
                            dab(origin, direction, pressure).map(|(_, depth)| depth)
                        });
                    }
                    Reach::Facet | Reach::Corner => {
                        let pressure = sample.pressure.clamp(0.0, 1.0);
                        trail.advance(&sample, |origin, direction| {
                            dab(origin, direction, pressure).map(|(face, _)| face)
                        });
                    }
                }
            }
        }
        for changed in &mut changed {
            changed.par_sort_unstable();
            changed.dedup();
        }
        changed
    }
}

fn seen_in(scene: &Scene, image: Option<Affine3A>) -> Scene {
    image.map_or(scene.clone(), |image| scene.mirrored(&image))
}

fn mirrored(sample: &Sample, image: &Affine3A) -> Sample {
    Sample {
        origin: image.transform_point3(sample.origin),
        direction: image.transform_vector3(sample.direction),
        ..*sample
    }
}

impl Painted {
    /// What was painted so far, on elements that come from others.
    fn carry(&mut self, Carried { count, changed }: &Carried) {
        let met = changed.iter().map(|(element, mix)| {
            let known: Option<Vec<_>> =
                mix.iter().map(|&(old, weight)| Some((self.met.get(old)?, weight))).collect();
            let mean = known.filter(|known| !known.is_empty()).map(|known| {
                let of = |i: usize| known.iter().map(|(value, weight)| value[i] * weight).sum();
                [0, 1, 2, 3].map(of)
            });
            (*element, mean)
        });
        self.met = self.met.carried(*count, &met.collect::<Vec<_>>());
        let covered: Vec<f32> = changed
            .iter()
            .map(|(_, mix)| mix.iter().map(|&(old, w)| self.coverage[old as usize] * w).sum())
            .collect();
        self.coverage.resize(*count, 0.0);
        let is_changed =
            |element: &u32| changed.binary_search_by_key(element, |(changed, _)| *changed).is_ok();
        self.touched.retain(|element| (*element as usize) < *count && !is_changed(element));
        for ((element, _), covered) in changed.iter().zip(covered) {
            self.coverage[*element as usize] = covered;
            if covered > 0.0 {
                self.touched.push(*element);
            }
        }
    }

    /// How much of what a tool does comes through to an element: mask and stencil.
    fn let_through(&self, element: usize) -> f32 {
        let shield = self.canvas.shield.as_ref().map_or(1.0, |shield| shield[element]);
        // Most elements need not ask the image.
        if shield <= 0.0 {
            return 0.0;
        }
        shield * self.canvas.stencil.as_ref().map_or(1.0, |stencil| stencil.share(element))
    }

    fn touch(&mut self, element: u32, values: &mut Values) {
        self.touched.push(element);
        values.kept.get_or_keep(element, values.now.len(), values.now[element as usize]);
    }

    /// Lays one dab on.
    fn lay(
        &mut self,
        start: &StrokeStart,
        covered: &[DabElement],
        way: Vec3,
        values: &mut Values,
        changed: &mut Vec<u32>,
    ) {
        if start.coat.action.tidies() {
            self.tidy(start, covered, way, values, changed);
            return;
        }
        let brush = start.brush;
        // A face is looked at as often as it takes to miss none, which must not count as more.
        let builds_up = brush.build_up != BuildUp::Stroke && brush.is_round();
        // Room for a good way at once, instead of growing again and again within large dabs.
        if self.touched.is_empty() {
            values.kept.reserve(4 * covered.len());
            self.touched.reserve(4 * covered.len());
        }
        changed.reserve(covered.len());
        let base = self.canvas.base;
        let is_swatch = base.encoding == Encoding::Swatch;
        let (paint, blend) = match start.coat.action {
            Action::Erase => (base.ground, Blend::Normal),
            _ if is_swatch => (start.coat.paint, Blend::Normal),
            _ => (start.coat.paint, start.coat.blend),
        };
        for covered in covered {
            let element = covered.element as usize;
            let laid = brush.opacity * brush.falloff(covered.distance);
            let before = self.coverage[element];
            let after = if builds_up {
                1.0 - (1.0 - before) * (1.0 - laid * brush.flow)
            } else {
                laid.max(before)
            };
            if after <= before {
                continue;
            }
            let open = self.let_through(element);
            if open <= 0.0 {
                continue;
            }
            if before == 0.0 {
                self.touch(covered.element, values);
            }
            self.coverage[element] = after;
            changed.push(covered.element);
            let (before, after) = (before * open, after * open);
            let paint = match (&self.canvas.beneath, start.coat.action) {
                (Some(beneath), Action::Erase) => beneath[element],
                _ => paint,
            };
            let count = values.now.len();
            let value = &mut values.now[element];
            if is_swatch {
                *value = base.encoding.between(*value, paint, after);
                continue;
            }
            if blend != Blend::Normal {
                // Blended with what the stroke met, however often it passes.
                let under = self.met.get_or_keep(covered.element, count, *value);
                let lit = self.canvas.lit.as_ref().map(|lit| lit[element][0]);
                let full = blend.of(lit.map_or(base, |lit| base.lit(lit)), under, paint);
                for i in (0..4).filter(|&i| self.canvas.channels.0[i]) {
                    value[i] = under[i] + (full[i] - under[i]) * after;
                }
                continue;
            }
            // From `before` to `after` in one step, so that no copy of the ground under the stroke
            // is needed and strokes of several users mix in the order they come.
            let share = (after - before) / (1.0 - before);
            let chosen = self.canvas.channels.0.into_iter().zip(paint);
            for (value, (is_chosen, paint)) in value.iter_mut().zip(chosen) {
                if is_chosen {
                    *value = if share >= 1.0 { paint } else { *value + (paint - *value) * share };
                }
            }
        }
    }

    fn tidy(
        &mut self,
        start: &StrokeStart,
        covered: &[DabElement],
        way: Vec3,
        values: &mut Values,
        changed: &mut Vec<u32>,
    ) {
        let brush = start.brush;
        let shares: Vec<Share> = covered
            .iter()
            .map(|covered| {
                let strength = brush.opacity * brush.falloff(covered.distance);
                (covered.element, strength * self.let_through(covered.element as usize))
            })
            .filter(|(_, share)| *share > 0.0)
            .collect();
        for &(element, _) in &shares {
            if self.coverage[element as usize] == 0.0 {
                self.coverage[element as usize] = 1.0;
                self.touch(element, values);
            }
        }
        changed.extend(shares.iter().map(|(element, _)| *element));
        let Canvas { surface, base, channels, .. } = &self.canvas;
        let geometry = &surface.body.geometry;
        let tidying = Tidying {
            neighbours: geometry.neighbours(surface.placement),
            encoding: base.encoding,
            channels: *channels,
        };
        if start.coat.action == Action::Soften {
            tidying.soften(values.now, &shares);
            return;
        }
        let (mesh, topology) = (geometry.mesh(), geometry.topology());
        tidying.smear(values.now, &shares, way, |element| {
            surface.body.placed.to_project(point_of(mesh, topology, surface.placement, element))
        });
    }
}
