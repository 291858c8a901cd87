//! A layer as a grid of cells: which lie within, and which outline is nearest to each.

use std::ops::Range;

use glam::{DVec2, IVec2};

use super::Stretch;

/// No stretch is known.
const NONE: u32 = u32::MAX;

/// How many cells each swatch has.
pub(super) struct Shares {
    /// As deep as paint goes.
    pub(super) near: Vec<usize>,
    /// Further within: by the nearest outline.
    pub(super) deep: Vec<usize>,
    /// All of them.
    pub(super) whole: usize,
    /// Whether some are gone around more than once.
    pub(super) overlaps: bool,
}

/// A layer seen from above, in cells.
#[derive(Clone, Debug, PartialEq)]
pub struct CellMap {
    /// Where the first cell begins, mm.
    pub least: [f64; 2],
    /// How wide a cell is, mm.
    pub side: f64,
    /// How many stand in a row.
    pub across: usize,
    /// By rows from the lowest y: the swatch of the nearest outline, with [`CellMap::DEEP`] where paint does not
    /// go so deep; or [`CellMap::OUTSIDE`].
    pub cells: Vec<u8>,
}

impl CellMap {
    /// Further within than paint goes.
    pub const DEEP: u8 = 0x40;
    /// Nothing is printed there.
    pub const OUTSIDE: u8 = 0xFF;
}

/// The cells about the outlines of a layer.
pub(super) struct Cells<'a> {
    stretches: &'a [Stretch],
    least: DVec2,
    side: f64,
    across: usize,
    /// How often each cell is gone around, by rows.
    around: Vec<i16>,
}

impl<'a> Cells<'a> {
    /// Cells of a side, or larger ones where there would be too many.
    pub(super) fn of(stretches: &'a [Stretch], side: f64, most: f64) -> Self {
        let points = stretches.iter().map(|stretch| stretch.from);
        let (least, last) =
            points.fold((DVec2::MAX, DVec2::MIN), |(least, last), p| (least.min(p), last.max(p)));
        let size = last - least;
        let side = side.max((size.x * size.y / most).sqrt()).max(f64::MIN_POSITIVE);
        // A cell's width of room, so that nothing lies on the rim.
        let least = least - side;
        let [across, down] =
            (size / side).to_array().map(|count| (count.ceil() as usize).clamp(1, 1 << 20) + 2);
        let mut own = Self { stretches, least, side, across, around: vec![0; across * down] };
        own.fill(down);
        own
    }

    /// The area of a cell.
    pub(super) fn size(&self) -> f64 {
        self.side * self.side
    }

    /// Counts for each cell how often outlines go around its middle.
    fn fill(&mut self, down: usize) {
        let mut crossings: Vec<Vec<(f64, i16)>> = vec![Vec::new(); down];
        for stretch in self.stretches {
            let (from, to) = (stretch.from, stretch.to);
            let (low, high, way) = if from.y < to.y { (from, to, 1) } else { (to, from, -1) };
            // Rows whose middle lies at low or above, and below high.
            let row = |y: f64| ((y - self.least.y) / self.side - 0.5).ceil().max(0.0) as usize;
            let rows = row(low.y)..row(high.y).min(down);
            for (y, row) in crossings.iter_mut().enumerate().take(rows.end).skip(rows.start) {
                let middle = self.least.y + (y as f64 + 0.5) * self.side;
                let along = (middle - low.y) / (high.y - low.y);
                let x = low.x + (high.x - low.x) * along;
                row.push((x, way));
            }
        }
        for (y, row) in crossings.iter_mut().enumerate() {
            row.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
            let mut around = 0_i16;
            for pair in row.windows(2) {
                around = around.saturating_sub(pair[0].1);
                if around == 0 {
                    continue;
                }
                let cell = |x: f64| ((x - self.least.x) / self.side - 0.5).ceil().max(0.0) as usize;
                let (from, to) = (cell(pair[0].0), cell(pair[1].0).min(self.across));
                if from < to {
                    self.around[y * self.across + from..y * self.across + to].fill(around);
                }
            }
        }
    }

    fn middle(&self, cell: usize) -> DVec2 {
        let at = DVec2::new((cell % self.across) as f64, (cell / self.across) as f64);
        self.least + (at + 0.5) * self.side
    }

    /// How swatches share the cells, as deep as paint goes and beyond.
    pub(super) fn counted(&self, deep: f64) -> Shares {
        let only = self.only_swatch();
        // Of one swatch it is all the same which stretch is nearest, but for how deep paint goes.
        let (nearest, far) = self.nearest(only.map(|_| deep));
        let mut shares =
            Shares { near: vec![0; 256], deep: vec![0; 256], whole: 0, overlaps: false };
        for (cell, &around) in self.around.iter().enumerate() {
            // Outlines go around what is inside to the left: what lies outside of all has 0.
            if around <= 0 {
                continue;
            }
            shares.overlaps |= around > 1;
            shares.whole += 1;
            let Some(stretch) = self.stretches.get(nearest[cell] as usize) else {
                only.into_iter().for_each(|swatch| shares.deep[usize::from(swatch)] += 1);
                continue;
            };
            let is_near = far[cell].sqrt() <= deep;
            let counts = if is_near { &mut shares.near } else { &mut shares.deep };
            counts[usize::from(stretch.swatch)] += 1;
        }
        shares
    }

    /// What each cell is, by rows from the lowest.
    pub(super) fn map(&self, deep: f64) -> CellMap {
        let (nearest, far) = self.nearest(None);
        let kind = |(cell, &around): (usize, &i16)| match self.stretches.get(nearest[cell] as usize)
        {
            Some(stretch) if around > 0 && far[cell].sqrt() <= deep => stretch.swatch,
            Some(stretch) if around > 0 => stretch.swatch | CellMap::DEEP,
            _ => CellMap::OUTSIDE,
        };
        CellMap {
            least: self.least.to_array(),
            side: self.side,
            across: self.across,
            cells: self.around.iter().enumerate().map(kind).collect(),
        }
    }

    /// The swatch of all stretches, where they have one.
    fn only_swatch(&self) -> Option<u8> {
        let first = self.stretches.first()?.swatch;
        self.stretches.iter().all(|stretch| stretch.swatch == first).then_some(first)
    }

    /// Where a row lies within.
    fn spans(&self, y: usize) -> Vec<Range<usize>> {
        let row = &self.around[y * self.across..(y + 1) * self.across];
        let mut spans: Vec<Range<usize>> = Vec::new();
        for (x, _) in row.iter().enumerate().filter(|(_, around)| **around > 0) {
            match spans.last_mut() {
                Some(last) if last.end == x => last.end = x + 1,
                _ => spans.push(x..x + 1),
            }
        }
        spans
    }

    /// For each cell the stretch nearest to its middle, and the square of how far it is: passed on from cell
    /// to cell in four sweeps (Danielsson, Euclidean distance mapping, 1980). Cells outside are left out: the
    /// way from a cell within to the outline nearest to it lies within.
    /// Within a reach cells further off are left out too.
    fn nearest(&self, reach: Option<f64>) -> (Vec<u32>, Vec<f64>) {
        // What is a diagonal further still leads on.
        let most = reach.map_or(f64::MAX, |reach| (reach + 2.0 * self.side).powi(2));
        let count = self.around.len();
        let (mut nearest, mut far) = (vec![NONE; count], vec![f64::MAX; count]);
        let down = count / self.across;
        let try_it = |nearest: &mut [u32], far: &mut [f64], cell: usize, stretch: u32| {
            // Neighbours mostly have the same one.
            if self.around[cell] <= 0 || nearest[cell] == stretch {
                return;
            }
            let Stretch { from, to, .. } = self.stretches[stretch as usize];
            let (p, way) = (self.middle(cell), to - from);
            let along =
                ((p - from).dot(way) / way.length_squared().max(f64::MIN_POSITIVE)).clamp(0.0, 1.0);
            let distance = (from + way * along).distance_squared(p);
            if distance < far[cell] {
                (nearest[cell], far[cell]) = (stretch, distance);
            }
        };
        // Those about each stretch first.
        for (i, stretch) in (0_u32..).zip(self.stretches) {
            let steps = (stretch.from.distance(stretch.to) / (0.5 * self.side)).ceil().max(1.0);
            for step in 0..=steps as usize {
                let p = stretch.from.lerp(stretch.to, step as f64 / steps);
                let at = ((p - self.least) / self.side).floor().as_ivec2();
                for (dx, dy) in [(0, 0), (1, 0), (-1, 0), (0, 1), (0, -1)] {
                    let IVec2 { x, y } = at + IVec2::new(dx, dy);
                    if x >= 0 && y >= 0 && (x as usize) < self.across && (y as usize) < down {
                        try_it(&mut nearest, &mut far, y as usize * self.across + x as usize, i);
                    }
                }
            }
        }
        let mut pass = |cell: usize, beside: Option<usize>| {
            let Some(beside) = beside.filter(|&beside| far[beside] <= most) else { return };
            if nearest[beside] != NONE {
                let stretch = nearest[beside];
                try_it(&mut nearest, &mut far, cell, stretch);
            }
        };
        let across = self.across;
        let spans: Vec<Vec<Range<usize>>> = (0..down).map(|y| self.spans(y)).collect();
        for (y, spans) in spans.iter().enumerate() {
            let row = y * across;
            for x in spans.iter().cloned().flatten() {
                let above = |dx: isize| {
                    let x = x.checked_add_signed(dx).filter(|&x| x < across)?;
                    (y > 0).then(|| row - across + x)
                };
                (-1..=1).for_each(|dx| pass(row + x, above(dx)));
                pass(row + x, (x > 0).then(|| row + x - 1));
            }
            for x in spans.iter().cloned().flatten().rev() {
                pass(row + x, (x + 1 < across).then(|| row + x + 1));
            }
        }
        for (y, spans) in spans.iter().enumerate().rev() {
            let row = y * across;
            for x in spans.iter().cloned().flatten().rev() {
                let below = |dx: isize| {
                    let x = x.checked_add_signed(dx).filter(|&x| x < across)?;
                    (y + 1 < down).then(|| row + across + x)
                };
                (-1..=1).for_each(|dx| pass(row + x, below(dx)));
                pass(row + x, (x + 1 < across).then(|| row + x + 1));
            }
            for x in spans.iter().cloned().flatten() {
                pass(row + x, (x > 0).then(|| row + x - 1));
            }
        }
        (nearest, far)
    }
}
