//! A front that marches over the triangles of a surface (Kimmel and Sethian, Computing Geodesic Paths
//! on Manifolds, 1998).
//!
//! From one point it goes out in circles, and each triangle is laid flat beside the place where the
//! front seems to come from; from a line or a region it goes on in parallel. Where a triangle has an
//! obtuse angle, a front may come from between its two sides: there the surface beyond its long side is
//! laid flat as well, up to a point that cuts the angle in two (the same, section 4).

use std::{cmp::Reverse, collections::BinaryHeap};

use rustc_hash::FxHashMap;
use smallvec::SmallVec;
use speckle_mesh::Geometry;

use super::unfolding::{Cut, Cuts, Flat, Nodes};
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

/// Nodes that wait, the nearest on top: how far each is, whose bits are in order as it is never below zero, and then
/// its number.
#[derive(Default)]
struct Waiting(BinaryHeap<Reverse<u64>>);

impl Waiting {
    fn push(&mut self, far: f32, node: u32) {
        // Of the two zeros the one whose bits are the least.
        let far = far + 0.0;
        self.0.push(Reverse(u64::from(far.to_bits()) << 32 | u64::from(node)));
    }

    fn pop(&mut self) -> Option<u32> {
        self.0.pop().map(|Reverse(key)| key as u32)
    }
}

/// What a front knows of a node.
#[derive(Clone, Copy)]
struct Here {
    far: f32,
    /// Whether that stays.
    is_fixed: bool,
    /// What it was told where it came from.
    told: f32,
    /// Which root it came from.
    root: u32,
}

/// How many are found around a node at most, but for a crowd.
const FEW: usize = 16;

/// Where it has not been.
const UNMET: Here = Here { far: f32::INFINITY, is_fixed: false, told: 0.0, root: 0 };

/// A front that marches over a surface, as often as is wanted: it goes no further than its piece,
/// and remembers nothing of the last march.
pub struct Front<'a> {
    nodes: Nodes<'a>,
    cuts: Cuts,
    /// At each node, what the front knows of it: side by side, since all of it is asked at a time.
    here: Vec<Here>,
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
        let cuts = Cuts::new(&nodes);
        let here = vec![UNMET; nodes.corners.len()];
        Self { nodes, cuts, here, met: Vec::new(), within: f32::INFINITY }
    }

    /// How far a vertex is by the last march, and what the front was told there.
    #[must_use]
    pub fn told(&self, vertex: usize) -> (f32, f32) {
        let geometry = self.nodes.geometry;
        let corners = geometry.topology().own_corners(geometry.mesh(), vertex);
        let here = corners.map(|corner| self.here(self.nodes.of_corners[corner]));
        let nearest = here.min_by(|a, b| a.far.total_cmp(&b.far)).unwrap_or(UNMET);
        (nearest.far, nearest.told)
    }

    /// How far a vertex is by the last march; infinite where no surface led.
    #[must_use]
    pub fn distance(&self, vertex: usize) -> f32 {
        let geometry = self.nodes.geometry;
        let corners = geometry.topology().own_corners(geometry.mesh(), vertex);
        let far = corners.map(|corner| self.here(self.nodes.of_corners[corner]).far);
        far.fold(f32::INFINITY, f32::min)
    }

    fn meet(&mut self, node: u32, found: f32, told: f32, root: u32) -> bool {
        let here = &mut self.here[node as usize];
        if found >= here.far {
            return false;
        }
        if here.far == f32::INFINITY {
            self.met.push(node);
        }
        *here = Here { far: found, told, root, ..*here };
        true
    }

    /// Marches from a start over all that can be reached.
    ///
    /// # Errors
    /// When it was given up.
    pub fn march(&mut self, start: &Start, watch: &Watch) -> Result<(), GivenUp> {
        for node in self.met.drain(..) {
            self.here[node as usize] = UNMET;
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
        let mut open = Waiting::default();
        self.met.iter().for_each(|&node| open.push(self.here(node).far, node));
        let mut steps = 0_u32;
        while let Some(at) = open.pop() {
            let own = self.here(at);
            if own.far > self.within {
                break;
            }
            if std::mem::replace(&mut self.here[at as usize].is_fixed, true) {
                continue;
            }
            steps = steps.wrapping_add(1);
            if steps.is_multiple_of(4096) {
                watch.check()?;
            }
            let mut found: SmallVec<[(u32, (f32, f32)); FEW]> = SmallVec::new();
            // What is told where the front crosses a side between two.
            let told = |other: Here, share: f32| own.told + (other.told - own.told) * share;
            for &[b, c] in self.nodes.around(at) {
                let [b, c] = [b, c].map(|node| (node, self.here(node)));
                for [(free, ahead), (other, beside)] in [[c, b], [b, c]] {
                    if ahead.is_fixed {
                        continue;
                    }
                    let to = self.nodes.length(at, free);
                    let mut nearest = (own.far + to as f32, own.told);
                    if beside.is_fixed {
                        let (side, from) =
                            (self.nodes.length(at, other), self.nodes.length(other, free));
                        let flat = Flat::new(to, from, side);
                        let through = flat.and_then(|flat| through(flat, own, beside, &is_point));
                        if let Some((far, share)) = through.filter(|(far, _)| *far < nearest.0) {
                            nearest = (far, told(beside, share));
                        }
                    }
                    found.push((free, nearest));
                }
            }
            for &Cut { free, other, flat } in self.cuts.at(at) {
                let beside = self.here(other);
                if beside.is_fixed && !self.here(free).is_fixed {
                    let through = through(flat, own, beside, &is_point);
                    found.extend(through.map(|(far, share)| (free, (far, told(beside, share)))));
                }
            }
            let mut nearer: SmallVec<[u32; FEW]> = SmallVec::new();
            for (free, (far, told)) in found {
                // Found from either side of an edge, and by cuts: at a crowd some may wait twice.
                let is_new = || !nearer.iter().rev().take(FEW).any(|&other| other == free);
                if self.meet(free, far, told, own.root) && is_new() {
                    nearer.push(free);
                }
            }
            nearer.into_iter().for_each(|free| open.push(self.here(free).far, free));
        }
        Ok(())
    }

    fn here(&self, node: u32) -> Here {
        self.here[node as usize]
    }

    /// Looks around from roots that are points.
    fn look_around(&mut self, is_point: &[bool]) {
        let far = |node: u32| f64::from(self.here(node).far);
        let mut seen = Vec::new();
        for &node in self.met.iter().filter(|&&node| is_point[self.here(node).root as usize]) {
            let Here { root, told, .. } = self.here(node);
            let windows = if far(node) == 0.0 {
                self.nodes.windows_of(node)
            } else {
                let is_first = |pair: &&[u32; 2]| {
                    pair.iter().all(|&o| node < o && self.here(o).far.is_finite())
                };
                let triangles = self.nodes.around(node).iter().filter(is_first);
                let triangles = triangles.map(|&[b, c]| [node, b, c]);
                triangles.flat_map(|t| self.nodes.windows_from(t, t.map(far))).collect()
            };
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
                self.here[node as usize].root = is_point.len() as u32;
                count += 1;
                for &other in self.nodes.around(node).as_flattened() {
                    if is_numbered.get(&other) == Some(&false) {
                        is_numbered.insert(other, true);
                        waiting.push(other);
                    }
                }
            }
            is_point.push(count == 1);
        }
        is_point
    }
}

/// How far a point is that the front reaches through a side whose ends it has passed, and the share
/// of the side at which it does.
fn through(flat: Flat, a: Here, b: Here, is_point: &[bool]) -> Option<(f32, f32)> {
    match () {
        // Of two roots each comes by its own way.
        () if a.root != b.root => None,
        () if a.far == 0.0 && b.far == 0.0 => Some(flat.above()),
        () if is_point[a.root as usize] => flat.in_circles(a.far, b.far),
        () => flat.in_parallel(a.far, b.far),
    }
}
