//! Splitting vertices where the corners around them differ, for formats whose vertices carry
//! everything: a corner's color or UV needs a vertex of its own there.

use glam::Vec3;
use rayon::prelude::*;
use smallvec::SmallVec;
use speckle_color::Rgba;
use speckle_mesh::{Mesh, Placement, geometry::shading};
use speckle_model::{ColorSet, Part};

/// What splits vertices beside colors.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub struct SplitBy {
    /// Texture coordinates.
    pub uvs: bool,
    /// The mesh's own normals.
    pub normals: bool,
}

/// The vertices of a file, each taken from a vertex and one of its corners.
#[derive(Debug)]
pub struct SplitVertices {
    /// The mesh's vertex behind each vertex of the file.
    pub vertices: Vec<u32>,
    /// A corner at that vertex that has the same values; unused vertices have none.
    corners: Vec<Option<u32>>,
    /// The file's vertex of each corner of the mesh.
    pub of_corner: Vec<u32>,
}

/// Of a run of vertices: those of the file, each with a corner that has its values, and which of
/// them each corner takes.
type Run = (Vec<(u32, Option<u32>)>, Vec<u32>);

/// How many vertices are looked at in a row.
const RUN: usize = 4096;

impl SplitVertices {
    /// Splits as far as the sets given, and the UVs and the mesh's own normals if asked, differ around a
    /// vertex; no further. A vertex keeps its place, and what is split off it follows it.
    pub fn new(part: &Part, sets: &[&ColorSet], by: SplitBy) -> Self {
        let mesh = part.geometry.mesh();
        let uv_sets = if by.uvs { mesh.uv_sets() } else { &[] };
        let normals = mesh.normals().filter(|_| by.normals);
        let at_corners: Vec<&[Rgba]> = of_placement(sets, Placement::Corner);
        let at_faces: Vec<&[Rgba]> = of_placement(sets, Placement::Face);
        let are_none = at_corners.is_empty() && at_faces.is_empty() && uv_sets.is_empty();
        if are_none && normals.is_none() {
            let mut corners: Vec<Option<u32>> = vec![None; mesh.vertex_count()];
            for (corner, &vertex) in mesh.corner_vertices().iter().enumerate() {
                corners[vertex as usize] = Some(corner as u32);
            }
            let vertices = (0..mesh.vertex_count() as u32).collect();
            return Self { vertices, corners, of_corner: mesh.corner_vertices().to_vec() };
        }

        let topology = part.geometry.topology();
        let same_bits = |a: &Rgba, b: &Rgba| a.map(f32::to_bits) == b.map(f32::to_bits);
        let face_of = |corner: u32| topology.face_of(corner as usize);
        let is_same = |a: u32, b: u32| {
            let (i, j) = (a as usize, b as usize);
            uv_sets.iter().all(|set| {
                set.uvs[i].to_array().map(f32::to_bits) == set.uvs[j].to_array().map(f32::to_bits)
            }) && normals.is_none_or(|own| own[i] == own[j])
                && at_corners.iter().all(|values| same_bits(&values[i], &values[j]))
                && (at_faces.is_empty() || {
                    let (f, g) = (face_of(a), face_of(b));
                    at_faces.iter().all(|values| same_bits(&values[f], &values[g]))
                })
        };
        let (starts, around) = corners_by_vertex(mesh);
        let runs: Vec<Run> = (0..mesh.vertex_count())
            .into_par_iter()
            .step_by(RUN)
            .map(|first| {
                let mut own: Vec<(u32, Option<u32>)> = Vec::with_capacity(RUN);
                let mut taken: Vec<u32> = Vec::with_capacity(6 * RUN);
                for vertex in first..(first + RUN).min(mesh.vertex_count()) {
                    let mut distinct: SmallVec<[(u32, u32); 8]> = SmallVec::new();
                    for &corner in &around[starts[vertex] as usize..starts[vertex + 1] as usize] {
                        let found = distinct.iter().find(|(other, _)| is_same(*other, corner));
                        let number = found.map_or(own.len() as u32, |&(_, number)| number);
                        if found.is_none() {
                            own.push((vertex as u32, Some(corner)));
                            distinct.push((corner, number));
                        }
                        taken.push(number);
                    }
                    if distinct.is_empty() {
                        own.push((vertex as u32, None));
                    }
                }
                (own, taken)
            })
            .collect();
        let count = runs.iter().map(|(own, _)| own.len()).sum();
        let (mut vertices, mut corners) = (Vec::with_capacity(count), Vec::with_capacity(count));
        let mut of_corner = vec![0; mesh.corner_count()];
        let mut at = 0;
        for (own, taken) in runs {
            let before = vertices.len() as u32;
            for number in taken {
                of_corner[around[at] as usize] = before + number;
                at += 1;
            }
            vertices.extend(own.iter().map(|&(vertex, _)| vertex));
            corners.extend(own.iter().map(|&(_, corner)| corner));
        }
        Self { vertices, corners, of_corner }
    }

    /// How many vertices there are more than in the mesh.
    pub fn added(&self, part: &Part) -> usize {
        self.vertices.len().saturating_sub(part.geometry.mesh().vertex_count())
    }

    /// The values of a set at the file's vertices.
    pub fn values<'a>(
        &'a self,
        part: &'a Part,
        set: &'a ColorSet,
    ) -> impl Iterator<Item = Rgba> + 'a {
        let value = self.value(part, set);
        (0..self.vertices.len()).map(value)
    }

    /// The same, each as it is stored, by all cores.
    pub fn stored<T: Send>(
        &self,
        part: &Part,
        set: &ColorSet,
        stored: impl Fn(Rgba) -> T + Sync,
    ) -> Vec<T> {
        let value = self.value(part, set);
        (0..self.vertices.len()).into_par_iter().map(|i| stored(value(i))).collect()
    }

    fn value<'a>(
        &'a self,
        part: &'a Part,
        set: &'a ColorSet,
    ) -> impl Fn(usize) -> Rgba + Sync + 'a {
        let topology = part.geometry.topology();
        move |i| {
            let (vertex, corner) = (self.vertices[i], self.corners[i]);
            match (set.placement, corner) {
                (Placement::Vertex, _) => set.values[vertex as usize],
                (Placement::Corner, Some(corner)) => set.values[corner as usize],
                (Placement::Face, Some(corner)) => set.values[topology.face_of(corner as usize)],
                (_, None) => set.ground,
            }
        }
    }

    /// Unit normals at the file's vertices: the mesh's own, where it was split by them.
    pub fn normals(&self, part: &Part) -> Vec<Vec3> {
        let geometry = &part.geometry;
        let has_own = geometry.mesh().normals().is_some();
        let of_vertices = geometry.vertex_normals();
        let at = |(&vertex, corner): (&u32, &Option<u32>)| match corner {
            Some(corner) if has_own => {
                shading::own_of(geometry, Placement::Corner, *corner as usize)
            }
            _ => of_vertices[vertex as usize],
        };
        self.vertices.iter().zip(&self.corners).map(at).collect()
    }

    /// A per-corner array at the file's vertices.
    pub fn of_corners<'a, T: Copy + Default>(
        &'a self,
        array: &'a [T],
    ) -> impl Iterator<Item = T> + 'a {
        self.corners.iter().map(|corner| corner.map_or_else(T::default, |c| array[c as usize]))
    }
}

fn of_placement<'a>(sets: &[&'a ColorSet], placement: Placement) -> Vec<&'a [Rgba]> {
    let of = sets.iter().filter(|set| set.placement == placement);
    of.map(|set| set.values.as_slice()).collect()
}

/// The corners at each of the file's own vertices: where they begin in the list, and the list.
fn corners_by_vertex(mesh: &Mesh) -> (Vec<u32>, Vec<u32>) {
    let mut starts = vec![0_u32; mesh.vertex_count() + 1];
    mesh.corner_vertices().iter().for_each(|&v| starts[v as usize + 1] += 1);
    for i in 1..starts.len() {
        starts[i] += starts[i - 1];
    }
    let mut next = starts.clone();
    let mut around = vec![0; mesh.corner_count()];
    for (corner, &vertex) in mesh.corner_vertices().iter().enumerate() {
        around[next[vertex as usize] as usize] = corner as u32;
        next[vertex as usize] += 1;
    }
    (starts, around)
}
