//! What is told apart: connected pieces, materials; and one random value for each.

use std::cmp::Reverse;

use glam::Vec2;
use rayon::prelude::*;
use rustc_hash::FxHashSet;
use speckle_color::noise::{mix, unit};
use speckle_mesh::{
    Geometry, Placement,
    geometry::{normals, pieces::Pieces},
};
use speckle_model::{Materials, Selection};

/// What is told apart on a part.
#[derive(Clone, Copy)]
pub enum Units<'a> {
    /// What hangs together by edges.
    Pieces,
    /// What hangs together, if only by a point.
    Touching,
    /// What hangs together in the image plane, by texture coordinates at the corners.
    Islands(&'a [Vec2]),
    /// Nothing: the part is one.
    Part,
    /// Groups that the file named; what is in none is one, too.
    Groups(&'a [Selection]),
    /// The material of each face.
    Materials(&'a Materials),
}

impl Units<'_> {
    /// The number of what each face belongs to, from 0.
    #[must_use]
    pub fn of_faces(&self, geometry: &Geometry) -> Vec<u32> {
        let (mesh, topology) = (geometry.mesh(), geometry.topology());
        let faces = mesh.face_count();
        match self {
            Self::Pieces => geometry.pieces().of_faces().to_vec(),
            Self::Touching => Pieces::by_points(mesh, topology).of_faces().to_vec(),
            Self::Islands(uvs) => Pieces::by_uvs(mesh, topology, uvs).of_faces().to_vec(),
            Self::Part => vec![0; faces],
            // All are of the first one.
            Self::Materials(materials) if materials.of_faces.is_empty() => vec![0; faces],
            Self::Materials(materials) => materials.of_faces.clone(),
            Self::Groups(groups) => {
                let mut of = vec![0; faces];
                for (i, selection) in groups.iter().enumerate() {
                    for &face in selection.faces.iter().filter(|&&f| (f as usize) < faces) {
                        of[face as usize] = i as u32 + 1;
                    }
                }
                of
            }
        }
    }

    /// What random numbers of each come from: what it is, not where it stands in a list, so that
    /// others may go, come and change places. `of_faces` as [`Self::of_faces`] tells.
    #[must_use]
    pub fn keys(&self, geometry: &Geometry, of_faces: &[u32]) -> Vec<u32> {
        match self {
            Self::Pieces | Self::Touching | Self::Islands(_) => keys_of_shapes(geometry, of_faces),
            Self::Part => vec![0],
            Self::Groups(groups) => {
                let names = groups.iter().map(|group| group.name.as_str());
                std::iter::once(0).chain(keys_of_names(names)).collect()
            }
            Self::Materials(materials) => {
                let keys = keys_of_names(materials.list.iter().map(|m| m.name.as_str()));
                if keys.is_empty() { vec![0] } else { keys }
            }
        }
    }
}

/// Of each, how far it reaches and how many faces it has; those that are alike in both are told apart
/// by their order.
fn keys_of_shapes(geometry: &Geometry, of_faces: &[u32]) -> Vec<u32> {
    let mesh = geometry.mesh();
    let count = of_faces.iter().max().map_or(0, |&most| most as usize + 1);
    // Bounds are the same to the bit in whatever order faces come, sums would not be.
    let mut bounds = vec![[f32::INFINITY, f32::NEG_INFINITY]; 3 * count];
    let mut faces = vec![0_u32; count];
    for (face, &own) in of_faces.iter().enumerate() {
        faces[own as usize] += 1;
        for &vertex in mesh.face_vertices(face) {
            let place = mesh.positions()[vertex as usize].to_array();
            for (bounds, x) in bounds[3 * own as usize..].iter_mut().zip(place) {
                // 0 and −0 are one place.
                let x = x + 0.0;
                *bounds = [bounds[0].min(x), bounds[1].max(x)];
            }
        }
    }
    let key = |(bounds, &faces): (&[[f32; 2]], &u32)| {
        bounds.as_flattened().iter().fold(mix(faces), |key, x| mix(key ^ x.to_bits()))
    };
    told_apart(bounds.chunks(3).zip(&faces).map(key).collect())
}

fn keys_of_names<'a>(names: impl Iterator<Item = &'a str>) -> Vec<u32> {
    let key = |name: &str| name.bytes().fold(1, |key, byte| mix(key ^ u32::from(byte)));
    told_apart(names.map(key).collect())
}

/// Those that come again get others.
fn told_apart(mut keys: Vec<u32>) -> Vec<u32> {
    let mut there = FxHashSet::default();
    for key in &mut keys {
        while !there.insert(*key) {
            *key = mix(*key);
        }
    }
    keys
}

/// So many colors for what is told apart, by numbers from 0, that what lies next to each other has
/// different ones where it can be, and each is used about as often (greedy coloring, those with the
/// most neighbours first; Welsh and Powell 1967). `keys` say in what order those that are alike come.
#[must_use]
pub fn colored(geometry: &Geometry, of_faces: &[u32], keys: &[u32], colors: u32) -> Vec<u32> {
    let mut beside: Vec<FxHashSet<u32>> = vec![FxHashSet::default(); keys.len()];
    for (a, b) in touching(geometry, of_faces) {
        beside[a as usize].insert(b);
        beside[b as usize].insert(a);
    }
    let mut order: Vec<u32> = (0..keys.len() as u32).collect();
    order.sort_by_key(|&own| (Reverse(beside[own as usize].len()), keys[own as usize]));
    let mut of: Vec<Option<u32>> = vec![None; keys.len()];
    let mut used = vec![0_u32; colors as usize];
    for own in order {
        let mut around = vec![0_u32; colors as usize];
        let neighbours = beside[own as usize].iter();
        neighbours.filter_map(|&n| of[n as usize]).for_each(|color| around[color as usize] += 1);
        // By its key, else all would begin with the same one.
        let first = mix(keys[own as usize]) % colors;
        let best = (0..colors)
            .map(|i| (first + i) % colors)
            .min_by_key(|&color| (around[color as usize], used[color as usize]))
            .unwrap_or(0);
        of[own as usize] = Some(best);
        used[best as usize] += 1;
    }
    of.into_iter().map(|color| color.unwrap_or(0)).collect()
}

/// How near what is told apart has to come to be said to touch, as a share of the diagonal.
const TOUCH: f32 = 1e-3;

/// How many are looked for at a point beside those that have a corner there.
const MOST_AT_A_POINT: usize = 6;

/// Which of what is told apart touch: each pair at least once.
fn touching(geometry: &Geometry, of_faces: &[u32]) -> FxHashSet<(u32, u32)> {
    let (mesh, topology, bvh) = (geometry.mesh(), geometry.topology(), geometry.bvh());
    let touch = geometry.measures().diagonal() * TOUCH;
    let pair = |a: u32, b: u32| (a.min(b), a.max(b));
    let pairs = (0..mesh.vertex_count()).into_par_iter().flat_map_iter(|vertex| {
        let own = topology.own_corners(mesh, vertex).next();
        let own = own.map(|corner| of_faces[topology.face_of(corner)]);
        let at_point = topology.corners_at(vertex).iter();
        let here = at_point.map(|&corner| of_faces[topology.face_of(corner as usize)]);
        let mut others: Vec<u32> = here.collect();
        // Where corners do not meet, as in a bond of bricks, what is nearest of others, one by one.
        let near = |others: &[u32]| {
            let is_other = |face: u32| {
                let of = of_faces[face as usize];
                Some(of) != own && !others.contains(&of)
            };
            let (face, ..) = bvh.nearest(mesh.positions()[vertex], touch, is_other)?;
            Some(of_faces[face as usize])
        };
        for _ in 0..MOST_AT_A_POINT {
            let Some(other) = near(&others) else { break };
            others.push(other);
        }
        own.into_iter().flat_map(move |own| {
            others.clone().into_iter().filter(move |&o| o != own).map(move |o| pair(own, o))
        })
    });
    pairs.collect()
}

/// How much of each element lies in some faces: of a vertex, the share of its corners that do, by
/// their angles.
#[must_use]
pub fn shares_of(geometry: &Geometry, placement: Placement, faces: &[u32]) -> Vec<f32> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let mut is_in = vec![0.0_f32; mesh.face_count()];
    faces.iter().for_each(|&face| is_in[face as usize] = 1.0);
    if placement != Placement::Vertex {
        return by_face(geometry, placement, |face| is_in[face], 0.0);
    }
    let share = |vertex: usize| {
        let own = topology.own_corners(mesh, vertex);
        let (sum, whole) = own.fold((0.0, 0.0_f32), |(sum, whole), corner| {
            let angle = normals::corner_angle(mesh, topology, corner);
            (sum + is_in[topology.face_of(corner)] * angle, whole + angle)
        });
        if whole > 0.0 { sum / whole } else { 0.0 }
    };
    (0..mesh.vertex_count()).into_par_iter().map(share).collect()
}

/// Three random numbers of 0–1 for a piece.
#[must_use]
pub fn random(seed: u32, piece: u32) -> [f32; 3] {
    let first = mix(mix(seed ^ 0x51ed_270b) ^ piece);
    let second = mix(first ^ 0x68bc_21eb);
    [first, second, mix(second ^ 0x02e5_be93)].map(unit)
}

/// What is said of faces, at the elements of a placement: a vertex has that of its first face, and
/// `loose` when it has none.
#[must_use]
pub fn by_face<T: Copy + Send + Sync>(
    geometry: &Geometry,
    placement: Placement,
    of: impl Fn(usize) -> T + Sync,
    loose: T,
) -> Vec<T> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    match placement {
        Placement::Face => (0..mesh.face_count()).into_par_iter().map(&of).collect(),
        Placement::Corner => {
            (0..mesh.corner_count()).into_par_iter().map(|c| of(topology.face_of(c))).collect()
        }
        Placement::Vertex => (0..mesh.vertex_count())
            .into_par_iter()
            .map(|v| {
                let corner = topology.own_corners(mesh, v).next();
                corner.map_or(loose, |corner| of(topology.face_of(corner)))
            })
            .collect(),
    }
}
