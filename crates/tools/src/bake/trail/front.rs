//! A front that marches over the triangles of a surface (Kimmel and Sethian, Computing Geodesic Paths
//! on Manifolds, 1998).
//!
//! From one point it goes out in circles, and each triangle is laid flat beside the place where the
//! front seems to come from; from a line or a region it goes on in parallel. Where a triangle has an
//! obtuse angle, a front may come from between its two sides: there the surface beyond its long side is
//! laid flat as well, up to a point that cuts the angle in two (the same, section 4).

use std::{cmp::Reverse, collections::BinaryHeap};

use rayon::prelude::*;
use rustc_hash::FxHashMap;
use smallvec::SmallVec;
use speckle_mesh::Geometry;

use super::unfolding::{Cut, Flat, Nodes, cuts_of};
use crate::bake::watch::{GivenUp, Watch};

/// A vertex that a front starts from.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Seed {
    /// Its number.
    pub vertex: u32,
    /// How far it is from the root.
    pub far: f32,
    /// What it tells whatever the front reaches from it; in between it is mixed.
    pub told: f32,
}

impl Seed {
    /// One that tells nothing.
    #[must_use]
    pub fn at(vertex: u32, far: f32) -> Self {
        Self { vertex, far, told: 0.0 }
    }
}

/// Where a front starts.
#[derive(Clone, Debug, PartialEq)]
pub struct Start {
    /// Vertices with the distance they begin with.
    pub seeds: Vec<Seed>,
    /// Whether all of them lie about one point; else those that lie next to each other are one root,
    /// and one that lies alone is a point.
    pub is_about_a_point: bool,
}

/// A float that can be put in order.
#[derive(Clone, Copy, PartialEq)]
struct Far(f32);

impl Eq for Far {}

impl PartialOrd for Far {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Far {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.0.total_cmp(&other.0)
    }
}

/// A front that marches over a surface, as often as is wanted: it goes no further than its piece,
/// and remembers nothing of the last march.
pub struct Front<'a> {
    nodes: Nodes<'a>,
    /// At each node, the triangles beside it that angles were cut into.
    cuts: FxHashMap<u32, SmallVec<[Cut; 4]>>,
    far: Vec<f32>,
    is_fixed: Vec<bool>,
    /// What the front was told where it came from.
    told: Vec<f32>,
    /// Which root the front came from.
    root: Vec<u32>,
    /// The nodes that have a distance.
    met: Vec<u32>,
    /// How far it goes.
    pub(super) within: f32,
}

impl<'a> Front<'a> {
    /// Makes ready.
    #[must_use]
    pub fn new(geometry: &'a Geometry) -> Self {
        let nodes = Nodes::new(geometry);
        let count = nodes.corners.len();
        // Asked for before work is shared out: see `Geometry`.
        let triangles = geometry.triangulation().corners();
        let found: Vec<(u32, u32, Cut)> = triangles
            .par_iter()
            .with_min_len(1024)
            .flat_map_iter(|t| {
                let t = t.map(|corner| nodes.of_corners[corner as usize]);
                let turned = [t, [t[1], t[2], t[0]], [t[2], t[0], t[1]]];
                turned.into_iter().flat_map(|t| cuts_of(&nodes, t)).collect::<SmallVec<[_; 4]>>()
            })
            .collect();
        let mut cuts: FxHashMap<u32, SmallVec<[Cut; 4]>> = FxHashMap::default();
        for (a, b, cut) in found {
            cuts.entry(a).or_default().push(cut);
            cuts.entry(b).or_default().push(Cut { other: a, flat: cut.flat.turned(), ..cut });
        }
        let (far, is_fixed) = (vec![f32::INFINITY; count], vec![false; count]);
        let (told, root) = (vec![0.0; count], vec![0; count]);
        Self { nodes, cuts, far, is_fixed, told, root, met: Vec::new(), within: f32::INFINITY }
    }

    /// How far a vertex is by the last march, and what the front was told there.
    #[must_use]
    pub fn told(&self, vertex: usize) -> (f32, f32) {
        let geometry = self.nodes.geometry;
        let corners = geometry.topology().own_corners(geometry.mesh(), vertex);
        let nodes = corners.map(|corner| self.nodes.of_corners[corner] as usize);
        let nearest = nodes.min_by(|&a, &b| self.far[a].total_cmp(&self.far[b]));
        nearest.map_or((f32::INFINITY, 0.0), |node| (self.far[node], self.told[node]))
    }

    /// How far a vertex is by the last march; infinite where no surface led.
    #[must_use]
    pub fn distance(&self, vertex: usize) -> f32 {
        let geometry = self.nodes.geometry;
        let corners = geometry.topology().own_corners(geometry.mesh(), vertex);
        let far = corners.map(|corner| self.far[self.nodes.of_corners[corner] as usize]);
        far.fold(f32::INFINITY, f32::min)
    }

    fn meet(&mut self, node: u32, found: f32, told: f32, root: u32) -> bool {
        let far = &mut self.far[node as usize];
        if found >= *far {
            return false;
        }
        if *far == f32::INFINITY {
            self.met.push(node);
        }
        *far = found;
        self.told[node as usize] = told;
        self.root[node as usize] = root;
        true
    }

    /// Marches from a start over all that can be reached.
    ///
    /// # Errors
    /// When it was given up.
    pub fn march(&mut self, start: &Start, watch: &Watch) -> Result<(), GivenUp> {
        for node in self.met.drain(..).map(|node| node as usize) {
            (self.far[node], self.is_fixed[node]) = (f32::INFINITY, false);
        }
        let geometry = self.nodes.geometry;
        let (mesh, topology) = (geometry.mesh(), geometry.topology());
        for &Seed { vertex, far, told } in &start.seeds {
            for corner in topology.own_corners(mesh, vertex as usize) {
                self.meet(self.nodes.of_corners[corner], far, told, 0);
            }
        }
        let is_point = self.roots(start);
        self.look_around(&is_point);
        let mut open: BinaryHeap<_> =
            self.met.iter().map(|&node| Reverse((Far(self.far[node as usize]), node))).collect();
        let mut steps = 0_u32;
        while let Some(Reverse((_, at))) = open.pop() {
            if self.far[at as usize] > self.within {
                break;
            }
            if std::mem::replace(&mut self.is_fixed[at as usize], true) {
                continue;
            }
            steps = steps.wrapping_add(1);
            if steps.is_multiple_of(4096) {
                watch.check()?;
            }
            let mut found: SmallVec<[(u32, (f32, f32)); 16]> = SmallVec::new();
            // What is told where the front crosses a side between two.
            let told = |other: u32, share: f32| {
                let [a, b] = [at, other].map(|node| self.told[node as usize]);
                a + (b - a) * share
            };
            for ([_, b, c], _) in self.nodes.triangles(at) {
                for (free, other) in [(c, b), (b, c)] {
                    if self.is_fixed[free as usize] {
                        continue;
                    }
                    let to = self.nodes.length(at, free);
                    let mut nearest = (self.far[at as usize] + to as f32, self.told[at as usize]);
                    if self.is_fixed[other as usize] {
                        let (side, from) =
                            (self.nodes.length(at, other), self.nodes.length(other, free));
                        let flat = Flat::new(to, from, side);
                        let through =
                            flat.and_then(|flat| self.through(flat, at, other, &is_point));
                        if let Some((far, share)) = through.filter(|(far, _)| *far < nearest.0) {
                            nearest = (far, told(other, share));
                        }
                    }
                    found.push((free, nearest));
                }
            }
            for &Cut { free, other, flat } in self.cuts.get(&at).into_iter().flatten() {
                if self.is_fixed[other as usize] && !self.is_fixed[free as usize] {
                    let through = self.through(flat, at, other, &is_point);
                    found.extend(through.map(|(far, share)| (free, (far, told(other, share)))));
                }
            }
            let root = self.root[at as usize];
            for (free, (far, told)) in found {
                if self.meet(free, far, told, root) {
                    open.push(Reverse((Far(far), free)));
                }
            }
        }
        Ok(())
    }

    /// How far a point is that the front reaches through a side whose ends it has passed, and the share
    /// of the side at which it does.
    fn through(&self, flat: Flat, a: u32, b: u32, is_point: &[bool]) -> Option<(f32, f32)> {
        let [da, db] = [a, b].map(|node| self.far[node as usize]);
        let [root, other] = [a, b].map(|node| self.root[node as usize]);
        match () {
            // Of two roots each comes by its own way.
            () if root != other => None,
            () if da == 0.0 && db == 0.0 => Some(flat.above()),
            () if is_point[root as usize] => flat.in_circles(da, db),
            () => flat.in_parallel(da, db),
        }
    }

    /// Looks around from roots that are points.
    fn look_around(&mut self, is_point: &[bool]) {
        let far = |node: u32| f64::from(self.far[node as usize]);
        let mut seen = Vec::new();
        for &node in self.met.iter().filter(|&&node| is_point[self.root[node as usize] as usize]) {
            let root = self.root[node as usize];
            let windows = if far(node) == 0.0 {
                self.nodes.windows_of(node)
            } else {
                let is_first = |t: &[u32; 3]| {
                    t[1..].iter().all(|&o| node < o && self.far[o as usize].is_finite())
                };
                let triangles = self.nodes.triangles(node).map(|(t, _)| t).filter(is_first);
                triangles.flat_map(|t| self.nodes.windows_from(t, t.map(far))).collect()
            };
            let told = self.told[node as usize];
            let found = self.nodes.seen(windows).into_iter();
            seen.extend(found.map(|(node, far)| (node, far, told, root)));
        }
        for (node, far, told, root) in seen {
            self.meet(node, far, told, root);
        }
    }

    /// Numbers what starts by its roots, and tells which of them are points.
    fn roots(&mut self, start: &Start) -> Vec<bool> {
        if start.is_about_a_point {
            return vec![true];
        }
        let mut is_point = Vec::new();
        let mut is_numbered: FxHashMap<u32, bool> =
            self.met.iter().map(|&node| (node, false)).collect();
        let mut waiting = Vec::new();
        for &first in &self.met {
            if is_numbered.insert(first, true) == Some(true) {
                continue;
            }
            let mut count = 0;
            waiting.push(first);
            while let Some(node) = waiting.pop() {
                self.root[node as usize] = is_point.len() as u32;
                count += 1;
                for ([_, b, c], _) in self.nodes.triangles(node) {
                    for other in [b, c] {
                        if is_numbered.get(&other) == Some(&false) {
                            is_numbered.insert(other, true);
                            waiting.push(other);
                        }
                    }
                }
            }
            is_point.push(count == 1);
        }
        is_point
    }
}
