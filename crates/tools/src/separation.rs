//! Color separation: every face in one of a few swatches, for printers that load a few spools.
//!
//! A part that is painted in swatches says so itself. Of any other a face is seen in the mean of its
//! corners, in linear light, and goes to the swatch that is nearest to that for the eye (CIEDE2000).

use std::collections::BTreeMap;

use palette::{FromColor, Lab, Oklab, Srgb, color_difference::Ciede2000, white_point::D65};
use rayon::prelude::*;
use rustc_hash::FxHashMap;
use speckle_color::{Encoding, Linear, Rgba, byte_from_unit, swatch_of};
use speckle_mesh::Placement;
use speckle_model::{
    ColorSet, Part,
    swatches::{self, Swatch},
};

/// The most swatches faces may be told apart by.
pub const MOST_SPOOLS: u8 = 64;

/// The most colors that swatches are chosen from where there is no palette.
const MOST_CANDIDATES: usize = 512;

/// Of more colors than this, like ones are taken together when swatches are chosen.
const MANY: usize = 4096;

/// An area that is as good as none.
const LEAST_AREA: f64 = 1e-200;

/// How often swatches that are taken from the paint move to the middle of what is theirs.
const ROUNDS: usize = 12;

/// A color as 8 bits show it.
pub(crate) type Shown = [u8; 3];

/// Every face of some parts in one of a few swatches.
#[derive(Clone, Debug, PartialEq)]
pub struct Separation {
    /// The swatches, each on at least one face.
    pub swatches: Vec<Swatch>,
    /// For each part, the swatch of each face.
    pub of_faces: Vec<Vec<u8>>,
    /// The area that each swatch covers, in square steps of the project's unit.
    pub areas: Vec<f64>,
    /// The largest difference between a face and its swatch, CIEDE2000.
    pub max_difference: f32,
    /// The mean over the area.
    pub mean_difference: f32,
}

/// Separates the first set of each part into at most so many swatches: of the palette, when it has
/// any, else of the colors that are painted. A part without sets counts as white. Where one of them is
/// painted in swatches, those of the palette are all there are.
#[must_use]
pub fn separate(parts: &[Part], palette: &[Swatch], most: u8) -> Separation {
    let is_painted = parts.iter().any(|part| part.swatch_set().is_some());
    let paintable = if is_painted { swatches::paintable(palette) } else { Vec::new() };
    let (palette, most) = match paintable.as_slice() {
        [] => (palette, usize::from(most.clamp(1, MOST_SPOOLS))),
        all => (all, all.len()),
    };
    let shown: Vec<Vec<Shown>> = parts.iter().map(|part| shown_on(part, palette)).collect();
    let mut areas: FxHashMap<Shown, f64> = FxHashMap::default();
    let mut area_of = Vec::with_capacity(parts.len());
    for (part, shown) in parts.iter().zip(&shown) {
        let own = part.face_areas();
        for (color, area) in shown.iter().zip(&own) {
            *areas.entry(*color).or_default() += area;
        }
        area_of.push(own);
    }
    // In one order on every machine: by area, then by color.
    let mut seen: Vec<(Shown, f64)> = areas.into_iter().collect();
    seen.sort_by(|(a, of_a), (b, of_b)| of_b.total_cmp(of_a).then(a.cmp(b)));

    let chosen = match palette {
        [] if seen.len() <= most => {
            seen.iter().map(|(color, _)| named(color.map(unit_from_byte))).collect()
        }
        [] => of_paint(&seen, most),
        few if few.len() <= most => few.to_vec(),
        many => {
            let oklab: Vec<[f32; 3]> = many.iter().map(|swatch| oklab(swatch.color)).collect();
            let mut picked = best(&oklab, &in_oklab(&seen), most);
            // As they stand in the palette.
            picked.sort_unstable();
            picked.into_iter().map(|i| many[i].clone()).collect()
        }
    };
    let nearest = nearest_of(&seen, &chosen);
    // What is painted in a swatch is that one, also where another has the same color.
    let painted = |part: &Part| {
        let set = part.swatch_set().filter(|_| !palette.is_empty())?;
        let places = swatches::places(&chosen, part.traits.base);
        let place = |&value: &Rgba| places[usize::from(swatch_of(value))] as u8;
        Some(set.values.iter().map(place).collect::<Vec<u8>>())
    };
    let found: Vec<Vec<(u8, f32)>> = parts
        .iter()
        .zip(&shown)
        .map(|(part, shown)| match painted(part) {
            Some(painted) => painted.into_iter().map(|swatch| (swatch, 0.0)).collect(),
            None => shown.iter().map(|color| nearest[color]).collect(),
        })
        .collect();

    let mut is_used = vec![false; chosen.len()];
    found.iter().flatten().for_each(|(swatch, _)| is_used[usize::from(*swatch)] = true);
    let mut number_of = vec![0_u8; chosen.len()];
    let mut swatches = Vec::new();
    for (i, swatch) in chosen.into_iter().enumerate().filter(|(i, _)| is_used[*i]) {
        number_of[i] = swatches.len() as u8;
        swatches.push(swatch);
    }
    let mut covered = vec![0.0; swatches.len()];
    let (mut max_difference, mut sum, mut whole) = (0.0_f32, 0.0, 0.0);
    let of_faces = found
        .iter()
        .zip(&area_of)
        .map(|(found, own)| {
            let of_face = |(&(swatch, difference), area): (&(u8, f32), &f64)| {
                let swatch = number_of[usize::from(swatch)];
                covered[usize::from(swatch)] += area;
                max_difference = max_difference.max(difference);
                sum += f64::from(difference) * area;
                whole += area;
                swatch
            };
            found.iter().zip(own).map(of_face).collect()
        })
        .collect();
    let mean_difference = if whole > 0.0 { (sum / whole) as f32 } else { 0.0 };
    Separation { swatches, of_faces, areas: covered, max_difference, mean_difference }
}

impl Separation {
    /// The faces of a part in a swatch, ascending.
    #[must_use]
    pub fn faces(&self, part: usize, swatch: u8) -> Vec<u32> {
        let own = &self.of_faces[part];
        (0..own.len() as u32).filter(|&face| own[face as usize] == swatch).collect()
    }

    /// The set that shows it, at faces, in the place of a part's sets.
    #[must_use]
    pub fn shown(&self, part: usize, set: &ColorSet) -> ColorSet {
        let color = |&swatch: &u8| {
            let [r, g, b] = self.swatches[usize::from(swatch)].color;
            [r, g, b, 1.0]
        };
        let values: Vec<Rgba> = self.of_faces[part].iter().map(color).collect();
        ColorSet {
            placement: Placement::Face,
            encoding: Encoding::Color,
            values: values.into(),
            ..set.clone()
        }
    }
}

pub(crate) fn unit_from_byte(byte: u8) -> f32 {
    f32::from(byte) / 255.0
}

/// A swatch called after its color.
fn named(color: [f32; 3]) -> Swatch {
    let color = color.map(byte_from_unit).map(unit_from_byte);
    let swatch = Swatch::new("", color);
    Swatch { name: swatch.hex(), ..swatch }
}

/// What each face of a part shows.
pub(crate) fn shown_on(part: &Part, palette: &[Swatch]) -> Vec<Shown> {
    let mesh = part.geometry.mesh();
    let set = part.swatch_set().or(part.products().next());
    let Some(set) = set else { return vec![[255; 3]; mesh.face_count()] };
    let stored = |[r, g, b, _]: Rgba| [r, g, b].map(byte_from_unit);
    if set.encoding == Encoding::Swatch {
        let colors = swatches::colors(palette, part.traits.base);
        let shown = |&value: &Rgba| stored(colors[usize::from(swatch_of(value))]);
        return set.values.iter().map(shown).collect();
    }
    let values = set.values.as_slice();
    let mean = |values: &mut dyn ExactSizeIterator<Item = Rgba>| -> Rgba {
        let count = values.len() as f32;
        let (mut sum, mut first, mut is_flat) = ([0.0; 4], None, true);
        for value in values {
            is_flat &= *first.get_or_insert(value) == value;
            let Linear(light) = set.encoding.linear(value);
            (0..4).for_each(|i| sum[i] += light[i]);
        }
        // Flat colors stay exact.
        if let (true, Some(value)) = (is_flat, first) {
            return value;
        }
        set.encoding.stored(Linear(sum.map(|x| x / count)))
    };
    (0..mesh.face_count())
        .into_par_iter()
        .map(|face| {
            stored(match set.placement {
                Placement::Face => values[face],
                Placement::Corner => mean(&mut values[mesh.face_corners(face)].iter().copied()),
                Placement::Vertex => {
                    mean(&mut mesh.face_vertices(face).iter().map(|&v| values[v as usize]))
                }
            })
        })
        .collect()
}

fn oklab(color: [f32; 3]) -> [f32; 3] {
    let Oklab { l, a, b } = Oklab::from_color(Srgb::from(color));
    [l, a, b]
}

/// What is seen in OKLab; of very many colors, those of 32 steps a channel stand together.
fn in_oklab(seen: &[(Shown, f64)]) -> Vec<([f32; 3], f64)> {
    let each = seen.iter().map(|(color, area)| (oklab(color.map(unit_from_byte)), *area));
    if seen.len() <= MANY {
        return each.collect();
    }
    let mut cells: BTreeMap<Shown, ([f64; 3], f64)> = BTreeMap::new();
    for ((color, _), (oklab, area)) in seen.iter().zip(each) {
        // What is seen on faces without area counts for next to nothing, but has a place.
        let area = area.max(LEAST_AREA);
        let (sum, whole) = cells.entry(color.map(|x| x >> 3)).or_default();
        (0..3).for_each(|i| sum[i] += f64::from(oklab[i]) * area);
        *whole += area;
    }
    let middle = |(sum, area): ([f64; 3], f64)| (sum.map(|x| (x / area) as f32), area);
    cells.into_values().map(middle).collect()
}

fn apart(a: &[f32; 3], b: &[f32; 3]) -> f32 {
    a.iter().zip(b).map(|(a, b)| (a - b) * (a - b)).sum()
}

/// The candidates that together are nearest to what is seen: one after the other, each the one that
/// helps most (squared distance in OKLab, weighed by area).
fn best(candidates: &[[f32; 3]], seen: &[([f32; 3], f64)], most: usize) -> Vec<usize> {
    let mut far = vec![f32::MAX; seen.len()];
    let mut picked = Vec::new();
    while picked.len() < most.min(candidates.len()) {
        let cost = |candidate: &[f32; 3]| -> f64 {
            let left = |((color, area), far): (&([f32; 3], f64), &f32)| {
                f64::from(far.min(apart(candidate, color))) * area
            };
            seen.iter().zip(&far).map(left).sum()
        };
        let costs: Vec<f64> = candidates.par_iter().map(cost).collect();
        let free = (0..candidates.len()).filter(|i| !picked.contains(i));
        let Some(next) = free.min_by(|&a, &b| costs[a].total_cmp(&costs[b])) else { break };
        picked.push(next);
        for ((color, _), far) in seen.iter().zip(&mut far) {
            *far = far.min(apart(&candidates[next], color));
        }
    }
    picked
}

/// Swatches from the paint itself: Lloyd's k-means in OKLab, begun with the best single colors.
fn of_paint(seen: &[(Shown, f64)], most: usize) -> Vec<Swatch> {
    let colors = in_oklab(seen);
    // Evenly through the list: it goes by area, but rare colors count as well.
    let step = colors.len().div_ceil(MOST_CANDIDATES);
    let candidates: Vec<[f32; 3]> = colors.iter().step_by(step).map(|(color, _)| *color).collect();
    let mut middles: Vec<[f32; 3]> =
        best(&candidates, &colors, most).into_iter().map(|i| candidates[i]).collect();
    for _ in 0..ROUNDS {
        let mut sums = vec![([0.0_f64; 3], 0.0); middles.len()];
        for (color, area) in &colors {
            let near = |&a: &usize, &b: &usize| {
                apart(&middles[a], color).total_cmp(&apart(&middles[b], color))
            };
            let own = (0..middles.len()).min_by(near).unwrap_or(0);
            (0..3).for_each(|i| sums[own].0[i] += f64::from(color[i]) * area);
            sums[own].1 += area;
        }
        for (middle, (sum, area)) in
            middles.iter_mut().zip(sums).filter(|(_, (_, area))| *area > 0.0)
        {
            *middle = sum.map(|x| (x / area) as f32);
        }
    }
    let shown = |[l, a, b]: [f32; 3]| {
        let color = Srgb::from_color(Oklab { l, a, b });
        named([color.red, color.green, color.blue].map(|x| x.clamp(0.0, 1.0)))
    };
    let mut swatches: Vec<Swatch> = middles.into_iter().map(shown).collect();
    swatches.dedup_by(|a, b| a.color == b.color);
    swatches
}

/// The nearest swatch of each color, and how far it is.
fn nearest_of(seen: &[(Shown, f64)], swatches: &[Swatch]) -> FxHashMap<Shown, (u8, f32)> {
    let lab = |color: [f32; 3]| Lab::<D65, f32>::from_color(Srgb::from(color));
    let there: Vec<(Shown, Lab<D65, f32>)> =
        swatches.iter().map(|own| (own.color.map(byte_from_unit), lab(own.color))).collect();
    let found = seen.par_iter().map(|(color, _)| {
        let here = lab(color.map(unit_from_byte));
        let far = |(shown, lab): &(Shown, Lab<D65, f32>)| {
            if shown == color { 0.0 } else { here.difference(*lab) }
        };
        let each = there.iter().enumerate().map(|(i, own)| (i as u8, far(own)));
        let nearest = each.min_by(|(_, a), (_, b)| a.total_cmp(b)).unwrap_or_default();
        (*color, nearest)
    });
    found.collect::<Vec<_>>().into_iter().collect()
}
