//! A mesh: its primitives joined, its vertices one again where only their texture coordinates differ.

use super::{
    broken,
    scheme::{GltfMesh, SetExtra, TRIANGLE_FAN, TRIANGLE_STRIP, TRIANGLES},
};
use crate::gltf::{
    accessor::{Arrays, Rows},
    materials::{self, Images, Material},
};
use glam::{Mat3, Mat4, Vec2, Vec3};
use rustc_hash::FxHashMap;
use smallvec::SmallVec;
use speckle_color::Rgba;
use speckle_mesh::{
    Placement,
    carry::Carry,
    mesh::{MeshArrays, UvSet, gate},
};
use speckle_model::MOST_SETS;
use speckle_tools::bake::MATERIAL_SET;

use super::scheme::Primitive;
use crate::{FormatError, Light, RawPart, RawSet, admit::turn_normals, numbers::Numbers};

/// A mesh as it stands in the file, its primitives joined.
#[derive(Default)]
pub(super) struct Surfaces {
    pub(super) positions: Vec<Vec3>,
    pub(super) corner_vertices: Vec<u32>,
    /// By vertex; empty where no primitive so far had the set.
    pub(super) colors: Vec<Vec<Rgba>>,
    pub(super) uvs: Vec<Vec<Vec2>>,
    /// The vertex whose UVs each corner has.
    pub(super) uv_vertices: Vec<u32>,
    /// The surface of each face, by its material's name; empty while there is one surface.
    pub(super) face_surfaces: Vec<u32>,
    pub(super) surface_names: Vec<String>,
    /// The material of each surface.
    pub(super) surface_materials: Vec<Option<usize>>,
    /// Vertices whose normal is zero or no number.
    pub(super) bad_normals: Vec<usize>,
    /// By vertex, to the bit, where the file has some.
    pub(super) normals: Vec<Option<Vec3>>,
}

impl Surfaces {
    pub(super) fn read(
        &mut self,
        mesh: &GltfMesh,
        materials: &[Material],
        arrays: &Arrays,
        notes: &mut Vec<String>,
        name: &str,
    ) -> Result<(), FormatError> {
        let color_attributes = SetExtra::attributes(&SetExtra::of(mesh), mesh);
        for primitive in &mesh.primitives {
            if !(TRIANGLES..=TRIANGLE_FAN).contains(&primitive.mode) {
                notes.push(format!("{name}: points and lines are not kept"));
                continue;
            }
            if !primitive.targets.is_empty() {
                notes.push(format!("{name}: morph targets are not kept"));
            }
            let Some(&position) = primitive.attributes.get("POSITION") else {
                notes.push(format!("{name}: a surface without positions was left out"));
                continue;
            };
            let rows = arrays.floats(position)?;
            if rows.width != 3 {
                return Err(broken(format!("{name}: positions need three numbers each")));
            }
            let first = self.positions.len();
            let count = rows.len();
            self.positions.extend((0..count).map(|i| Vec3::from_slice(rows.row(i))));
            if self.positions.len() > arrays.budget.limits().elements {
                return Err(FormatError::too_many(arrays.budget.limits()));
            }

            let of_vertices = |what: &str,
                               index: usize,
                               width: usize|
             -> Result<Rows, FormatError> {
                let rows = arrays.floats(index)?;
                let (there, wide) = (rows.len(), rows.width);
                if there != count {
                    return Err(broken(format!(
                        "{name}: {what} has {there} rows for {count} vertices"
                    )));
                }
                if wide < width {
                    return Err(broken(format!("{name}: {what} needs {width} numbers or more")));
                }
                Ok(rows)
            };
            self.colors.resize_with(color_attributes.len(), || vec![[1.0; 4]; first]);
            for (n, attribute) in color_attributes.iter().enumerate() {
                if let Some(&index) = primitive.attributes.get(attribute) {
                    let rows = of_vertices("a color", index, 3)?;
                    self.colors[n].extend((0..count).map(|i| {
                        let row = rows.row(i);
                        [row[0], row[1], row[2], row.get(3).copied().unwrap_or(1.0)]
                    }));
                }
                self.colors[n].resize(first + count, [1.0; 4]);
            }
            for n in 0.. {
                let uv = primitive.attributes.get(&format!("TEXCOORD_{n}"));
                if uv.is_none() && n >= self.uvs.len() {
                    break;
                }
                if n == self.uvs.len() {
                    self.uvs.push(vec![Vec2::ZERO; first]);
                }
                if let Some(&index) = uv {
                    let rows = of_vertices("a UV", index, 2)?;
                    // glTF counts v downwards, we count it upwards.
                    let uv = |i: usize| Vec2::new(rows.row(i)[0], 1.0 - rows.row(i)[1]);
                    self.uvs[n].extend((0..count).map(uv));
                }
                self.uvs[n].resize(first + count, Vec2::ZERO);
            }
            if let Some(&index) = primitive.attributes.get("NORMAL") {
                self.take_normals(first, &of_vertices("a normal", index, 3)?);
            }
            self.normals.resize(first + count, None);
            self.add_triangles(primitive, arrays, first as u32, count)?;
            let material = primitive.material.and_then(|m| materials.get(m));
            let named = material.filter(|own| !own.is_filler()).and_then(|own| own.name.clone());
            let surface = self.surface_names.len() as u32;
            self.surface_materials.push(primitive.material);
            self.surface_names.push(named.unwrap_or_else(|| format!("Surface {}", surface + 1)));
            self.face_surfaces.resize(self.corner_vertices.len() / 3, surface);
        }
        Ok(())
    }

    fn take_normals(&mut self, first: usize, rows: &Rows) {
        let unusable = |&i: &usize| {
            let length = rows.row(i).iter().map(|x| x * x).sum::<f32>();
            length < 1e-6 || !length.is_finite()
        };
        self.bad_normals.extend((0..rows.len()).filter(unusable).map(|i| first + i));
        self.normals.resize(first, None);
        self.normals.extend((0..rows.len()).map(|i| Some(Vec3::from_slice(rows.row(i)))));
    }

    pub(super) fn add_triangles(
        &mut self,
        primitive: &Primitive,
        arrays: &Arrays,
        first: u32,
        count: usize,
    ) -> Result<(), FormatError> {
        let indices = match primitive.indices {
            Some(index) => arrays.indices(index)?,
            None => (0..count as u32).collect(),
        };
        if let Some(bad) = indices.iter().find(|&&i| i as usize >= count) {
            return Err(broken(format!(
                "a triangle uses vertex {bad}, but there are only {count}"
            )));
        }
        let out = &mut self.corner_vertices;
        match primitive.mode {
            TRIANGLES => {
                out.extend(indices.chunks_exact(3).flatten().map(|i| first + i));
            }
            TRIANGLE_STRIP => {
                for (i, w) in indices.windows(3).enumerate() {
                    let (b, c) = if i % 2 == 0 { (w[1], w[2]) } else { (w[2], w[1]) };
                    out.extend([first + w[0], first + b, first + c]);
                }
            }
            _ => {
                for w in indices.get(1..).unwrap_or_default().windows(2) {
                    out.extend([first + w[0], first + w[1], first + indices[0]]);
                }
            }
        }
        Ok(())
    }

    pub(super) fn place(&mut self, transform: Mat4) {
        if transform == Mat4::IDENTITY {
            return;
        }
        for point in &mut self.positions {
            *point = transform.transform_point3(*point);
        }
        for normal in self.normals.iter_mut().flatten() {
            turn_normals(std::slice::from_mut(normal), Mat3::from_mat4(transform));
        }
        if transform.determinant() < 0.0 {
            // A mirrored mesh is turned inside out otherwise.
            self.corner_vertices.chunks_exact_mut(3).for_each(|triangle| triangle.swap(1, 2));
        }
    }

    /// Joins vertices that differ by their UVs alone: one in the mesh that was written, they are
    /// copies because glTF has no UVs at corners. Where normals differ, an edge is meant to be hard.
    /// A triangle that would lose a corner keeps its vertices.
    pub(super) fn join_seams(&mut self) {
        // Position and normal, to the bit, and those that differ there by their colors.
        type Copies = SmallVec<[u32; 2]>;
        let mut at: FxHashMap<[[u32; 3]; 2], Copies> = FxHashMap::default();
        let mut number_of: Vec<u32> = (0..self.positions.len() as u32).collect();
        for (vertex, normal) in self.normals.iter().enumerate() {
            let Some(normal) = *normal else { continue };
            let place = [self.positions[vertex], normal].map(|at| at.to_array().map(f32::to_bits));
            let bits = |of: &[Rgba], vertex: usize| of[vertex].map(f32::to_bits);
            let copies = at.entry(place).or_default();
            let same = copies.iter().find(|&&other| {
                self.colors.iter().all(|of| bits(of, vertex) == bits(of, other as usize))
            });
            match same {
                Some(&other) => number_of[vertex] = other,
                None => copies.push(vertex as u32),
            }
        }
        for triangle in self.corner_vertices.chunks_exact(3) {
            if gate::repeats_a_vertex(&[0, 1, 2].map(|i| number_of[triangle[i] as usize])) {
                triangle.iter().for_each(|&vertex| number_of[vertex as usize] = vertex);
            }
        }
        self.uv_vertices = self.corner_vertices.clone();
        // Those that stand for others, and those that nobody joined.
        let kept: Vec<u32> = (0..self.positions.len() as u32)
            .filter(|&vertex| number_of[vertex as usize] == vertex)
            .collect();
        let mut place_of = vec![u32::MAX; self.positions.len()];
        for (place, &vertex) in (0_u32..).zip(&kept) {
            place_of[vertex as usize] = place;
        }
        let kept = Carry::Copies(kept);
        self.positions = kept.copies(&self.positions);
        for values in &mut self.colors {
            *values = kept.copies(values);
        }
        for vertex in &mut self.corner_vertices {
            *vertex = place_of[number_of[*vertex as usize] as usize];
        }
    }

    pub(super) fn into_part(
        mut self,
        name: String,
        mesh: &GltfMesh,
        materials: &[Material],
        images: &Images,
    ) -> RawPart {
        if self.uvs.is_empty() {
            self.uv_vertices = self.corner_vertices.clone();
        } else {
            self.join_seams();
        }
        let told = SetExtra::of(mesh);
        let mut sets: Vec<RawSet> = Vec::new();
        for (n, values) in self.colors.into_iter().enumerate() {
            let told = told.get(n);
            if told.is_some_and(|set| set.filler) || sets.len() >= MOST_SETS {
                continue;
            }
            let word = told.map_or("color", |set| set.encoding.as_str());
            let numbers = Numbers::of_word(word, Light::Linear);
            let usual = if n == 0 { "Color".to_owned() } else { format!("Color {}", n + 1) };
            let name = told
                .map(|set| set.name.trim().to_owned())
                .filter(|name| !name.is_empty() && sets.iter().all(|other| other.name != *name))
                .unwrap_or(usual);
            sets.push(RawSet { name, placement: Placement::Vertex, numbers, values });
        }
        let (used, names) = (&self.surface_materials, &self.surface_names);
        let made_of = materials::of_surfaces(used, names, &self.face_surfaces, materials, images);
        if sets.len() < MOST_SETS && sets.iter().all(|set| set.name != MATERIAL_SET) {
            sets.extend(RawSet::of_materials(&made_of, self.corner_vertices.len() / 3));
        }
        let corners = &self.corner_vertices;
        let uv_sets = self
            .uvs
            .iter()
            .enumerate()
            .map(|(n, uvs)| UvSet {
                name: if n == 0 { "UV".to_owned() } else { format!("UV {}", n + 1) },
                uvs: self.uv_vertices.iter().map(|&v| uvs[v as usize]).collect(),
            })
            .collect();
        let normal = |&v: &u32| self.normals[v as usize].unwrap_or(Vec3::ZERO);
        let normals = if self.normals.iter().any(Option::is_some) {
            self.uv_vertices.iter().map(normal).collect()
        } else {
            Vec::new()
        };
        let arrays = MeshArrays {
            face_starts: (0..=corners.len() as u32 / 3).map(|face| 3 * face).collect(),
            positions: self.positions,
            uv_sets,
            normals,
            corner_vertices: self.corner_vertices,
        };
        RawPart::new(name, arrays, sets)
            .grouped(&self.surface_names, &self.face_surfaces)
            .made_of(made_of)
    }
}
