//! In which order the swatches of each layer print, so that least is purged.

/// What each change of swatch costs, in any unit: from a swatch to another.
pub type Costs<'a> = &'a dyn Fn(u8, u8) -> f64;

/// Up to so many swatches of a layer are ordered by all orders; more begin with what they begin with, and end
/// with what they end with.
const ORDERED: usize = 9;

/// The order of the swatches in each layer, with the least sum of what changes cost; the first one comes free
/// (shortest path over layers; Bellman 1958; within a layer over its subsets, Held and Karp 1962).
#[must_use]
pub fn best_order(layers: &[Vec<u8>], costs: Costs) -> Vec<Vec<u8>> {
    // For each layer, by where it ends: the least so far, where it began, and where the one before ended.
    let mut ends: Vec<Vec<(f64, usize, usize)>> = Vec::new();
    let mut paths: Vec<Paths> = Vec::new();
    let mut before: Option<usize> = None;
    for (layer, own) in layers.iter().enumerate() {
        let table = Paths::of(own, costs);
        let mut least = vec![(f64::MAX, 0, 0); own.len()];
        for (start, &begins) in own.iter().enumerate() {
            let comes = match before {
                None => (0.0, 0),
                Some(last) => (0..layers[last].len())
                    .map(|end| {
                        let (so_far, ..) = ends[last][end];
                        (so_far + change(layers[last][end], begins, costs), end)
                    })
                    .fold((f64::MAX, 0), |best, other| if other.0 < best.0 { other } else { best }),
            };
            for (end, best) in least.iter_mut().enumerate() {
                let whole = comes.0 + table.cost(start, end);
                if whole < best.0 {
                    *best = (whole, start, comes.1);
                }
            }
        }
        ends.push(least);
        paths.push(table);
        if !own.is_empty() {
            before = Some(layer);
        }
    }
    let mut orders = vec![Vec::new(); layers.len()];
    let mut end: Option<usize> = None;
    for layer in (0..layers.len()).rev().filter(|&layer| !layers[layer].is_empty()) {
        let at = end.unwrap_or_else(|| {
            let best = ends[layer].iter().enumerate().min_by(|a, b| a.1.0.total_cmp(&b.1.0));
            best.map_or(0, |(at, _)| at)
        });
        let (_, start, from) = ends[layer][at];
        orders[layer] = paths[layer].order(start, at).iter().map(|&i| layers[layer][i]).collect();
        end = Some(from);
    }
    orders
}

fn change(from: u8, to: u8, costs: Costs) -> f64 {
    if from == to { 0.0 } else { costs(from, to) }
}

/// The best ways through all swatches of a layer, from each to each.
struct Paths {
    count: usize,
    costs: Vec<f64>,
    orders: Vec<Vec<usize>>,
}

impl Paths {
    fn of(swatches: &[u8], costs: Costs) -> Self {
        let count = swatches.len();
        let mut paths = Self {
            count,
            costs: vec![f64::MAX; count * count],
            orders: vec![Vec::new(); count * count],
        };
        for start in 0..count {
            if count > ORDERED {
                paths.plainly(swatches, start, costs);
            } else {
                paths.by_subsets(swatches, start, costs);
            }
        }
        paths
    }

    fn cost(&self, start: usize, end: usize) -> f64 {
        self.costs[start * self.count + end]
    }

    fn order(&self, start: usize, end: usize) -> &[usize] {
        &self.orders[start * self.count + end]
    }

    fn put(&mut self, order: Vec<usize>, cost: f64) {
        let (Some(&start), Some(&end)) = (order.first(), order.last()) else { return };
        let at = start * self.count + end;
        if cost < self.costs[at] {
            self.costs[at] = cost;
            self.orders[at] = order;
        }
    }

    fn by_subsets(&mut self, swatches: &[u8], start: usize, costs: Costs) {
        let n = swatches.len();
        let whole = (1_usize << n) - 1;
        let mut least = vec![(f64::MAX, usize::MAX); (whole + 1) * n];
        least[(1 << start) * n + start] = (0.0, usize::MAX);
        for set in 0..=whole {
            for at in (0..n).filter(|at| set >> at & 1 == 1) {
                let (so_far, _) = least[set * n + at];
                if so_far == f64::MAX {
                    continue;
                }
                for next in (0..n).filter(|next| set >> next & 1 == 0) {
                    let cost = so_far + costs(swatches[at], swatches[next]);
                    let there = &mut least[(set | 1 << next) * n + next];
                    if cost < there.0 {
                        *there = (cost, at);
                    }
                }
            }
        }
        for end in 0..n {
            let (cost, _) = least[whole * n + end];
            if cost == f64::MAX {
                continue;
            }
            let (mut set, mut at, mut order) = (whole, end, Vec::with_capacity(n));
            while at != usize::MAX {
                order.push(at);
                let (_, from) = least[set * n + at];
                set &= !(1 << at);
                at = from;
            }
            order.reverse();
            self.put(order, cost);
        }
    }

    fn plainly(&mut self, swatches: &[u8], start: usize, costs: Costs) {
        for end in (0..swatches.len()).filter(|&end| end != start) {
            let middle = (0..swatches.len()).filter(|&i| i != start && i != end);
            let order: Vec<usize> =
                std::iter::once(start).chain(middle).chain(std::iter::once(end)).collect();
            let pairs = order.windows(2);
            let cost = pairs.map(|pair| costs(swatches[pair[0]], swatches[pair[1]])).sum();
            self.put(order, cost);
        }
    }
}
