//! What a stroke did to a canvas so far, and how it lays one dab on.

use glam::Vec3;
use speckle_color::{Encoding, blend::Blend};
use speckle_mesh::placement::point_of;

use super::{
    super::{
        Action, BuildUp, StrokeStart,
        elements::DabElement,
        kept::Kept,
        tidy::{Share, Tidying},
    },
    Canvas, Carried, Values,
};

/// A canvas with what a stroke did to it so far.
pub(super) struct Painted {
    pub(super) canvas: Canvas,
    /// How much of the paint lies on each element already, 0–1; mask and stencil not counted.
    pub(super) coverage: Vec<f32>,
    /// Elements in the order they were first touched.
    pub(super) touched: Vec<u32>,
    /// What the stroke met at each element it touched, for blends that look at it.
    pub(super) met: Kept,
}

impl Painted {
    /// What was painted so far, on elements that come from others.
    pub(super) fn carry(&mut self, Carried { count, changed }: &Carried) {
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
    pub(super) fn let_through(&self, element: usize) -> f32 {
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
    pub(super) fn lay(
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
