//! What lies in one layer: areas of swatches, by the outlines that the cut has there.

use glam::DVec2;
use speckle_mesh::slice::Outline;

use super::{
    Inside, Rules,
    cells::{self, Cells},
};

/// What lies in a layer.
#[derive(Clone, Debug, Default, PartialEq)]
pub(super) struct Found {
    pub(super) area: f64,
    /// The area of each swatch as deep as paint goes, and of those to whose outlines the rest is nearest.
    pub(super) near: Vec<(u8, f64)>,
    pub(super) deep: Vec<(u8, f64)>,
    /// The swatches of outlines that go around, not those of holes, ascending.
    pub(super) outside: Vec<u8>,
    /// Whether paint goes right through here, whatever lies within elsewhere.
    pub(super) is_through: bool,
    pub(super) is_open: bool,
    pub(super) overlaps: bool,
}

impl Found {
    pub(super) fn areas(&self, inside: Inside) -> Vec<(u8, f64)> {
        let mut areas = std::collections::BTreeMap::new();
        for &(swatch, area) in &self.near {
            *areas.entry(swatch).or_insert(0.0) += area;
        }
        for &(swatch, area) in &self.deep {
            let swatch = match inside {
                _ if self.is_through => swatch,
                Inside::Nearest => swatch,
                Inside::Swatch { swatch } => swatch,
            };
            *areas.entry(swatch).or_insert(0.0) += area;
        }
        areas.into_iter().collect()
    }
}

/// A stretch of an outline, with its swatch.
#[derive(Clone, Copy)]
pub(super) struct Stretch {
    pub(super) from: DVec2,
    pub(super) to: DVec2,
    pub(super) swatch: u8,
}

/// The stretches of a layer, and for each whether its outline goes around.
pub(super) fn stretches_of(bodies: &[(&[Outline], &[u8])]) -> (Vec<Stretch>, Vec<bool>) {
    let (mut stretches, mut goes_around) = (Vec::new(), Vec::new());
    for (outlines, swatches) in bodies {
        for outline in *outlines {
            let points = &outline.points;
            let is_around = outline.area() > 0.0;
            // What does not close is closed straight: else the layer has no inside.
            for i in 0..points.len() {
                let (from, to) = (points[i], points[(i + 1) % points.len()]);
                let face = outline.faces.get(i).or(outline.faces.last());
                let Some(&face) = face else { continue };
                stretches.push(Stretch { from, to, swatch: swatches[face as usize] });
                goes_around.push(is_around);
            }
        }
    }
    (stretches, goes_around)
}

pub(super) fn found_in(bodies: &[(&[Outline], &[u8])], rules: &Rules, most_cells: f64) -> Found {
    let outlines = || bodies.iter().flat_map(|(outlines, _)| *outlines);
    let is_open = outlines().any(|outline| !outline.is_closed);
    let area: f64 = outlines().map(Outline::area).sum();
    let (stretches, goes_around) = stretches_of(bodies);
    let mut is_outside = [false; 256];
    for (stretch, is_around) in stretches.iter().zip(goes_around) {
        is_outside[usize::from(stretch.swatch)] |= is_around;
    }
    if stretches.is_empty() {
        return Found { is_open, ..Found::default() };
    }
    let cells = Cells::of(&stretches, rules.line / 2.0, most_cells);
    let cells::Shares { near, deep, whole, overlaps } = cells.counted(rules.depth);
    // Where shells lie within each other their outlines count twice: the cells do not.
    let area = if overlaps { whole as f64 * cells.size() } else { area.max(0.0) };
    let shared = |counts: Vec<usize>| -> Vec<(u8, f64)> {
        (0..=255_u8)
            .zip(counts)
            .filter(|(_, count)| *count > 0)
            .map(|(swatch, count)| (swatch, area * count as f64 / whole.max(1) as f64))
            .collect()
    };
    let (mut near, deep) = (shared(near), shared(deep));
    if near.is_empty() && area > 0.0 {
        // Thinner than a cell everywhere: what most of its outline has.
        let mut lengths = [0.0_f64; 256];
        for stretch in &stretches {
            lengths[usize::from(stretch.swatch)] += stretch.from.distance(stretch.to);
        }
        let most = (0..=255_u8).max_by(|&a, &b| {
            lengths[usize::from(a)].total_cmp(&lengths[usize::from(b)]).then(b.cmp(&a))
        });
        near.extend(most.map(|swatch| (swatch, area)));
    }
    let outside = (0..=255).filter(|&swatch| is_outside[usize::from(swatch)]).collect();
    Found { area, near, deep, outside, is_through: false, is_open, overlaps }
}
