//! A stroke whose pointer is still down: dabs laid on one part or several, and in the mirror.

mod painted;

use std::sync::Arc;

use glam::{Affine3A, Vec3};
use rayon::prelude::*;
use speckle_color::{Channels, Rgba, blend::Base};
use speckle_mesh::{Geometry, body::Surface, scene::Scene, sight::View};
use speckle_model::{PartId, SetId};

use self::painted::Painted;
use super::{
    Brush, BuildUp, Reach, Sample, StrokeStart,
    circle::Circle,
    elements::{DabPlace, ReachRules},
    footprint::Footprint,
    kept::Kept,
    spacing::DabPath,
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
    /// How many faces came under it while the pointer moved.
    pub come: usize,
    /// Whether the mesh is fine enough where the next samples go.
    pub is_fine_ahead: bool,
    /// Whether it went where the mesh was not made fine enough before.
    pub is_left_coarse: bool,
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
                let extent = body.geometry.extent();
                let about = body.placed.to_project(extent.center());
                let size = body.placed.longest_in_project(extent.diagonal());
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

    /// The same, for what is done to the mesh under it.
    pub fn way_mut(&mut self) -> &mut Way {
        &mut self.way
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

    /// Looks at a canvas in another scene, in which all surfaces may be where they were.
    pub fn look_at(&mut self, part: PartId, set: SetId, scene: &Scene, is_where_it_was: bool) {
        let Some(i) = self.place_of(part, set) else { return };
        for lane in &mut self.lanes {
            let scene = seen_in(scene, lane.image);
            match is_where_it_was {
                true => lane.footprints[i].go_on_in(scene),
                false => lane.footprints[i].look_at(scene),
            }
        }
    }

    /// Goes on on a canvas whose shape has changed, with what was painted so far. Where the surface is where
    /// it was, `stays` has the faces that have changed.
    pub fn follow(
        &mut self,
        canvas: Canvas,
        carried: &Carried,
        scene: &Scene,
        stays: Option<&[u32]>,
    ) {
        let Some(i) = self.place_of(canvas.part, canvas.set) else { return };
        let way = ReachRules::from(&self.start.brush);
        for lane in &mut self.lanes {
            let (surface, scene) = (canvas.surface.clone(), seen_in(scene, lane.image));
            match stays {
                Some(changed) => lane.footprints[i].follow(surface, scene, changed),
                None => lane.footprints[i] = Footprint::new(way, surface, scene),
            }
        }
        let painted = &mut self.painted[i];
        painted.canvas = canvas;
        painted.carry(carried);
    }

    fn place_of(&self, part: PartId, set: SetId) -> Option<usize> {
        self.canvases().position(|canvas| (canvas.part, canvas.set) == (part, set))
    }

    /// What dabs along samples will cover, none of which is laid yet.
    #[must_use]
    pub fn dabs_ahead(&self, samples: &[Sample]) -> Vec<Dab> {
        let brush = self.start.brush;
        let holds = brush.build_up == BuildUp::Held;
        let mut ahead = Vec::new();
        for Lane { image, path, footprints, .. } in &self.lanes {
            let Some(view) = footprints.first().map(|first| first.scene().view) else { continue };
            let mut path = path.clone();
            let spacing = |depth: f32| brush.spacing * brush.radius_at(&view, depth, 1.0);
            for sample in samples {
                let sample = image.map_or(*sample, |image| mirrored(sample, &image));
                path.advance(&sample, holds, spacing, |origin, direction, pressure| {
                    let (_, _, middle) = met(footprints, origin, direction)?;
                    let depth = view.depth(middle);
                    let radius = brush.radius_at(&view, depth, pressure);
                    ahead.push(dab_of(&brush, view, middle, radius));
                    Some(depth)
                });
            }
        }
        ahead
    }

    /// Moves the pointer along samples and paints into the values of each canvas, in their order;
    /// returns the elements that changed of each, ascending.
    pub fn extend(&mut self, samples: &[Sample], values: &mut [Values]) -> Vec<Vec<u32>> {
        let Self { start, lanes, painted, way: done } = self;
        let brush = start.brush;
        if brush.reshapes() {
            done.samples.extend(samples);
            done.is_left_coarse |= !std::mem::take(&mut done.is_fine_ahead);
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
                    let (on, face, middle) = met(footprints, origin, direction)?;
                    let depth = view.depth(middle);
                    let radius = brush.radius_at(&view, depth, pressure);
                    let way = middle - last.replace(middle).unwrap_or(middle);
                    // A leap to another side of the model carries nothing along.
                    let way = if way.length() <= 4.0 * radius { way } else { Vec3::ZERO };
                    if brush.reshapes() {
                        done.dabs.push(dab_of(&brush, view, middle, radius));
                    }
                    let pressed = StrokeStart { brush: brush.pressed(pressure), ..*start };
                    for (i, footprint) in footprints.iter_mut().enumerate() {
                        let face = (i == on).then_some(face);
                        let covered = footprint.cover(&DabPlace { middle, face }, radius);
                        painted[i].lay(&pressed, covered, way, &mut values[i], &mut changed[i]);
                    }
                    Some(((on as u64) << 32 | u64::from(face), depth))
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

/// What a line of sight meets first that is not hidden: on which canvas, which of its faces, and where.
fn met(footprints: &[Footprint], origin: Vec3, direction: Vec3) -> Option<(usize, u32, Vec3)> {
    let hits = footprints.iter().enumerate();
    let (on, (hit, distance)) = hits
        .filter_map(|(i, footprint)| Some((i, footprint.cast(origin, direction)?)))
        .min_by(|(_, (_, a)), (_, (_, b))| a.total_cmp(b))?;
    if footprints[on].is_hidden(origin, direction, distance) {
        return None;
    }
    Some((on, hit.face, footprints[on].surface().body.placed.to_project(hit.point)))
}

/// What a dab of a brush covers.
fn dab_of(brush: &Brush, view: View, middle: Vec3, radius: f32) -> Dab {
    let is_skin = brush.reach == Reach::Skin;
    Dab {
        middle,
        radius,
        circle: is_skin.then(|| Circle::new(view, middle, radius)),
        faces_view: !brush.through,
        apart: brush.apart || !is_skin,
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
