//! What makes a print change spools, and what would mend it.
//!
//! Every remedy is tried: what it says it gains is what a recount of all that it touches comes to.

use std::collections::BTreeMap;

use super::{Body, Counted, Cut, Inside};
use crate::{
    bake::watch::{GivenUp, Watch},
    sweep::{Limits, Regions},
};

/// Layers that are one swatch all through.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Band {
    /// Its swatch.
    pub swatch: u8,
    /// The first and the last of its layers.
    pub layers: (usize, usize),
}

/// What a print is counted by.
#[derive(Clone, Debug, PartialEq)]
pub struct Situation {
    /// The swatch of each face of each body.
    pub swatches: Vec<Vec<u8>>,
    /// What lies further within than paint goes.
    pub inside: Inside,
    /// Heights above the plate between which paint goes right through, whatever lies within elsewhere.
    pub through: Vec<[f64; 2]>,
    /// Layers that are one swatch, whatever their faces say.
    pub bands: Vec<Band>,
}

/// What would mend a cause.
#[derive(Clone, Debug, PartialEq)]
pub enum Remedy {
    /// Regions that are too small or too narrow take the swatch beside them.
    Sweep(Limits),
    /// What is unpainted, and what lies within, is another swatch.
    Base {
        /// The swatch until now.
        from: u8,
        /// From then on.
        to: u8,
    },
    /// Something else lies within.
    Within(Inside),
    /// Layers whose outside is one swatch are that all through, the walls of holes in them too.
    Bands(Vec<Band>),
    /// Faces within take a swatch that the outside of their layers has.
    Inner {
        /// Body, face, and its swatch from then on.
        faces: Vec<(usize, u32, u8)>,
    },
    /// The outside has several swatches there: nothing mends that but other paint.
    None,
}

/// Why a print changes spools.
#[derive(Clone, Debug, PartialEq)]
pub struct Cause {
    /// What would mend it.
    pub remedy: Remedy,
    /// The layers it bears on, as ranges, both ends counted in.
    pub layers: Vec<(usize, usize)>,
    /// How many faces would change.
    pub faces: usize,
    /// How many specks would go.
    pub specks: usize,
    /// The changes of spool that there would be.
    pub changes: usize,
}

/// What may be remedied of a print: bodies as they are counted, with which of their faces are unpainted.
pub struct Ground<'a> {
    bodies: &'a [Body<'a>],
    cut: &'a Cut,
    known: &'a Counted,
    now: &'a Situation,
    unpainted: &'a [Vec<bool>],
    palette: usize,
}

impl Situation {
    fn faces(&self) -> Vec<&[u8]> {
        self.swatches.iter().map(Vec::as_slice).collect()
    }
}

impl<'a> Ground<'a> {
    /// A print that was counted as it is now; `palette` swatches could be used.
    #[must_use]
    pub fn new(
        bodies: &'a [Body<'a>],
        cut: &'a Cut,
        (known, now): (&'a Counted, &'a Situation),
        unpainted: &'a [Vec<bool>],
        palette: usize,
    ) -> Self {
        Self { bodies, cut, known, now, unpainted, palette }
    }

    /// What it would be with a remedy.
    #[must_use]
    pub fn with(&self, was: &Situation, remedy: &Remedy) -> Situation {
        let mut then = was.clone();
        match remedy {
            Remedy::Sweep(limits) => {
                for (body, swatches) in self.bodies.iter().zip(&mut then.swatches) {
                    let regions = Regions::of(body.geometry, swatches, &body.to_plate);
                    *swatches = regions.absorbed(&regions.specks(limits));
                }
            }
            Remedy::Base { from, to } => {
                for (swatches, unpainted) in then.swatches.iter_mut().zip(self.unpainted) {
                    for (swatch, is_bare) in swatches.iter_mut().zip(unpainted) {
                        if *is_bare && swatch == from {
                            *swatch = *to;
                        }
                    }
                }
                if then.inside == (Inside::Swatch { swatch: *from }) {
                    then.inside = Inside::Swatch { swatch: *to };
                }
            }
            Remedy::Within(inside) => then.inside = *inside,
            Remedy::Bands(bands) => then.bands.extend(bands),
            Remedy::Inner { faces } => {
                for &(body, face, swatch) in faces {
                    then.swatches[body][face as usize] = swatch;
                }
            }
            Remedy::None => {}
        }
        then
    }

    /// Counts a situation.
    ///
    /// # Errors
    /// When it is given up.
    pub fn counted(&self, then: &Situation, watch: &Watch) -> Result<Counted, GivenUp> {
        let (before, now) = (self.now.faces(), then.faces());
        let counted = self.cut.recount(self.known, &before, &now, watch)?;
        Ok(counted.through(&then.through).banded(&then.bands))
    }

    fn changes(&self, then: &Situation, watch: &Watch) -> Result<usize, GivenUp> {
        Ok(self.counted(then, watch)?.plan(then.inside).changes)
    }
}

impl Counted {
    /// The same with layers that are one swatch all through.
    #[must_use]
    pub fn banded(mut self, bands: &[Band]) -> Self {
        for &Band { swatch, layers: (first, last) } in bands {
            for found in self.layers.iter_mut().take(last + 1).skip(first) {
                for areas in [&mut found.near, &mut found.deep] {
                    let whole: f64 = areas.iter().map(|(_, area)| area).sum();
                    areas.clear();
                    if whole > 0.0 {
                        areas.push((swatch, whole));
                    }
                }
                found.outside = vec![swatch];
                found.is_through = true;
            }
        }
        self
    }
}

/// What makes a print change spools, the most that can be gained first. What cannot be mended comes last.
///
/// # Errors
/// When it is given up.
pub fn causes(ground: &Ground, limits: &Limits, watch: &Watch) -> Result<Vec<Cause>, GivenUp> {
    let now = ground.now;
    let mut found: Vec<Cause> = Vec::new();
    let mut try_it = |remedy: Remedy, layers: Vec<(usize, usize)>| -> Result<(), GivenUp> {
        let then = ground.with(now, &remedy);
        let faces = differing(&now.swatches, &then.swatches);
        let changes = ground.changes(&then, watch)?;
        let specks = match &remedy {
            Remedy::Sweep(limits) => ground.specks(limits),
            _ => 0,
        };
        found.push(Cause { remedy, layers, faces, specks, changes });
        Ok(())
    };
    let as_it_is = ground.known.clone().through(&now.through);
    let plan = as_it_is.plan(now.inside);

    // Specks come first: what is looked for after them is looked for as if they were gone.
    let swept = ground.with(now, &Remedy::Sweep(*limits));
    let is_swept = swept.swatches != now.swatches;
    let counted = if is_swept { ground.counted(&swept, watch)? } else { as_it_is };
    if is_swept {
        let touched = ground.layers_of(&now.swatches, &swept.swatches);
        try_it(Remedy::Sweep(*limits), ranges(&touched))?;
    }

    // The outside is one swatch, and yet there are others: in holes, or within.
    let mut bands: BTreeMap<u8, Vec<usize>> = BTreeMap::new();
    for (layer, own) in counted.layers.iter().enumerate() {
        let several = own.areas(now.inside).len() > 1;
        if let (true, [swatch]) = (several, own.outside.as_slice()) {
            bands.entry(*swatch).or_default().push(layer);
        }
    }
    for (swatch, layers) in bands {
        let layers = ranges(&layers);
        let bands = layers.iter().map(|&layers| Band { swatch, layers }).collect();
        try_it(Remedy::Bands(bands), layers)?;
    }

    // Walls of holes in a swatch that the outside of their layers has not.
    let faces = ground.inner(&swept, &counted);
    if !faces.is_empty() {
        let then = ground.with(now, &Remedy::Inner { faces: faces.clone() });
        let touched = ground.layers_of(&now.swatches, &then.swatches);
        try_it(Remedy::Inner { faces }, ranges(&touched))?;
    }

    let all = vec![(0, plan.layers.len().saturating_sub(1))];
    if now.inside != Inside::Nearest {
        try_it(Remedy::Within(Inside::Nearest), all.clone())?;
    }
    if let Inside::Swatch { swatch } = now.inside {
        for other in (0..ground.palette as u8).filter(|other| *other != swatch) {
            try_it(Remedy::Within(Inside::Swatch { swatch: other }), all.clone())?;
        }
    }
    for from in ground.bare_within() {
        for to in (0..ground.palette as u8).filter(|to| *to != from) {
            try_it(Remedy::Base { from, to }, all.clone())?;
        }
    }

    found.retain(|cause| cause.changes < plan.changes);
    found.sort_by_key(|cause| cause.changes);
    // Of other bases, and of what else could lie within, the best is enough.
    let (mut has_base, mut has_within) = (false, false);
    found.retain(|cause| match cause.remedy {
        Remedy::Base { .. } => !std::mem::replace(&mut has_base, true),
        Remedy::Within(_) => !std::mem::replace(&mut has_within, true),
        _ => true,
    });
    let outside: Vec<usize> = (0..counted.layers.len())
        .filter(|&layer| counted.layers[layer].outside.len() > 1)
        .collect();
    if !outside.is_empty() {
        let layers = ranges(&outside);
        let (remedy, changes) = (Remedy::None, plan.changes);
        found.push(Cause { remedy, layers, faces: 0, specks: 0, changes });
    }
    Ok(found)
}

impl Ground<'_> {
    fn specks(&self, limits: &Limits) -> usize {
        let bodies = self.bodies.iter().zip(&self.now.swatches);
        let specks = bodies.map(|(body, swatches)| {
            Regions::of(body.geometry, swatches, &body.to_plate).specks(limits).len()
        });
        specks.sum()
    }

    /// The layers that faces lie in whose swatch differs.
    fn layers_of(&self, before: &[Vec<u8>], now: &[Vec<u8>]) -> Vec<usize> {
        let differs = |layer: &usize| {
            self.cut.outlines.iter().zip(before.iter().zip(now)).any(|(cut, (before, now))| {
                let mut faces = cut[*layer].iter().flat_map(|outline| &outline.faces);
                faces.any(|&face| before[face as usize] != now[face as usize])
            })
        };
        (0..self.cut.len()).filter(differs).collect()
    }

    /// The swatches of unpainted faces that are nowhere seen from outside: the base of what is seen is not
    /// for a remedy to change.
    fn bare_within(&self) -> Vec<u8> {
        let mut is_within = [None; 256];
        let bodies = self.cut.outlines.iter().zip(&self.now.swatches).zip(self.unpainted);
        for ((cut, swatches), unpainted) in bodies {
            for outline in cut.iter().flatten() {
                let is_hole = outline.area() <= 0.0;
                for face in outline.faces.iter().map(|&face| face as usize) {
                    if unpainted[face] {
                        let within = &mut is_within[usize::from(swatches[face])];
                        *within = Some(within.unwrap_or(true) && is_hole);
                    }
                }
            }
        }
        (0..=255).filter(|&swatch| is_within[usize::from(swatch)] == Some(true)).collect()
    }

    /// Faces that lie around holes only, in a swatch that the outside of none of their layers has, each with
    /// the one that the outside of most of them has.
    fn inner(&self, swept: &Situation, counted: &Counted) -> Vec<(usize, u32, u8)> {
        let mut all = Vec::new();
        for (body, cut) in self.cut.outlines.iter().enumerate() {
            let swatches = &swept.swatches[body];
            // None once it has been met where it is no matter.
            let mut votes: BTreeMap<u32, Option<BTreeMap<u8, usize>>> = BTreeMap::new();
            for (outlines, found) in cut.iter().zip(&counted.layers) {
                for outline in outlines {
                    let goes_around = outline.area() > 0.0;
                    for &face in &outline.faces {
                        let vote = votes.entry(face).or_insert_with(|| Some(BTreeMap::new()));
                        let is_outside = found.outside.contains(&swatches[face as usize]);
                        if goes_around || is_outside || found.outside.len() < 2 {
                            *vote = None;
                        }
                        if let Some(vote) = vote {
                            for &swatch in &found.outside {
                                *vote.entry(swatch).or_insert(0) += 1;
                            }
                        }
                    }
                }
            }
            for (face, vote) in votes {
                let most = vote.into_iter().flatten().reduce(|a, b| if b.1 > a.1 { b } else { a });
                all.extend(most.map(|(swatch, _)| (body, face, swatch)));
            }
        }
        all
    }
}

fn differing(before: &[Vec<u8>], now: &[Vec<u8>]) -> usize {
    let pairs = before.iter().flatten().zip(now.iter().flatten());
    pairs.filter(|(before, now)| before != now).count()
}

/// Ascending numbers as ranges, both ends counted in.
fn ranges(numbers: &[usize]) -> Vec<(usize, usize)> {
    let mut ranges: Vec<(usize, usize)> = Vec::new();
    for &number in numbers {
        match ranges.last_mut() {
            Some((_, last)) if *last + 1 == number => *last = number,
            _ => ranges.push((number, number)),
        }
    }
    ranges
}
