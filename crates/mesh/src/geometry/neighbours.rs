//! Which elements lie next to which, for what spreads, blurs or grows over the surface.

use rayon::prelude::*;
use smallvec::SmallVec;

use super::{
    lists::Lists,
    topology::{CROWD, Topology},
};
use crate::{mesh::Mesh, placement::Placement};

/// The neighbours of every element of a placement. Vertices are joined by edges, and vertices at
/// one point share theirs; corners by the edges of their face and by their point; faces by edges.
/// In a crowd (see [`CROWD`]) each is joined with some of the others only.
#[derive(Clone, Debug)]
pub struct Neighbours(Lists);

impl Neighbours {
    /// Works them out.
    #[must_use]
    pub fn new(mesh: &Mesh, topology: &Topology, placement: Placement) -> Self {
        let count = placement.count(mesh);
        // In a few long runs, so that each keeps its own list.
        let run = count.div_ceil(64).max(1);
        let runs: Vec<(Vec<u32>, Vec<u32>)> = (0..count.div_ceil(run))
            .into_par_iter()
            .map(|i| {
                let (mut lengths, mut others) = (Vec::with_capacity(run), Vec::new());
                let mut around: SmallVec<[u32; 16]> = SmallVec::new();
                for element in i * run..count.min((i + 1) * run) {
                    gather(mesh, topology, placement, element, &mut around);
                    lengths.push(around.len() as u32);
                    others.extend_from_slice(&around);
                }
                (lengths, others)
            })
            .collect();
        let mut starts = Vec::with_capacity(count + 1);
        let mut others = Vec::with_capacity(runs.iter().map(|(_, others)| others.len()).sum());
        let mut at = 0;
        starts.push(at);
        for (lengths, theirs) in runs {
            for length in lengths {
                at += length;
                starts.push(at);
            }
            others.extend_from_slice(&theirs);
        }
        Self(Lists::new(&starts, others))
    }

    /// Works them out anew around some vertices.
    pub(super) fn renew(
        &mut self,
        mesh: &Mesh,
        topology: &Topology,
        placement: Placement,
        vertices: &[u32],
    ) {
        self.0.resize(placement.count(mesh));
        let corners = vertices.iter().flat_map(|&v| topology.corners_at(v as usize));
        let mut elements: Vec<u32> = match placement {
            Placement::Vertex => vertices.to_vec(),
            Placement::Corner => corners.copied().collect(),
            Placement::Face => corners.map(|&c| topology.face_of(c as usize) as u32).collect(),
        };
        elements.sort_unstable();
        elements.dedup();
        let mut around = SmallVec::new();
        for element in elements {
            gather(mesh, topology, placement, element as usize, &mut around);
            self.0.set(element as usize, &around);
        }
    }

    /// Lists with gaps, to be closed when there is time.
    #[inline]
    pub(super) fn lists(&mut self) -> &mut Lists {
        &mut self.0
    }

    /// Those of one element, ascending.
    #[must_use]
    #[inline]
    pub fn of(&self, element: usize) -> &[u32] {
        self.0.of(element)
    }
}

/// Some of a crowd for one in a place of it: those 1, 2, 4, 8 … places on and back, so that
/// everything is reached in a few steps from everywhere.
fn some_of(crowd: &[u32], place: usize) -> impl Iterator<Item = u32> + '_ {
    let steps = (0..usize::BITS).map(|i| 1_usize << i).take_while(|step| *step < crowd.len());
    let count = crowd.len();
    steps.flat_map(move |step| {
        [(place + step) % count, (place + count - step) % count].map(|at| crowd[at])
    })
}

fn gather(
    mesh: &Mesh,
    topology: &Topology,
    placement: Placement,
    element: usize,
    around: &mut SmallVec<[u32; 16]>,
) {
    around.clear();
    meet(mesh, topology, placement, element, around);
    around.sort_unstable();
    around.dedup();
    around.retain(|other| *other != element as u32);
}

fn meet(
    mesh: &Mesh,
    topology: &Topology,
    placement: Placement,
    element: usize,
    around: &mut SmallVec<[u32; 16]>,
) {
    // The corners before and after one in its face.
    let beside = |corner: usize| {
        let corners = mesh.face_corners(topology.face_of(corner));
        let next = if corner + 1 < corners.end { corner + 1 } else { corners.start };
        let before = if corner > corners.start { corner - 1 } else { corners.end - 1 };
        [before, next]
    };
    match placement {
        Placement::Vertex if topology.corners_at(element).len() > CROWD => {
            let own = topology.own_corners(mesh, element);
            around.extend(own.flat_map(beside).map(|c| mesh.corner_vertices()[c]));
            let crowd = topology.corners_at(element);
            let vertex_of = |corner: u32| mesh.corner_vertices()[corner as usize];
            let place = crowd.partition_point(|&c| (vertex_of(c) as usize) < element);
            around.extend(some_of(crowd, place).map(vertex_of));
        }
        Placement::Vertex => {
            for &corner in topology.corners_at(element) {
                around.extend(beside(corner as usize).map(|c| mesh.corner_vertices()[c]));
            }
        }
        Placement::Corner => {
            around.extend(beside(element).map(|c| c as u32));
            let vertex = mesh.corner_vertices()[element] as usize;
            let here = topology.corners_at(vertex);
            if here.len() > CROWD {
                let key = |corner: u32| (mesh.corner_vertices()[corner as usize], corner);
                let own = key(element as u32);
                let place = here.partition_point(|&corner| key(corner) < own);
                around.extend(some_of(here, place));
            } else {
                around.extend_from_slice(here);
            }
        }
        Placement::Face => {
            for corner in mesh.face_corners(element) {
                let mut other = topology.across(corner);
                while other != corner {
                    around.push(topology.face_of(other) as u32);
                    other = topology.across(other);
                }
            }
        }
    }
}
