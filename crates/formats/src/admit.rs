//! From what stands in a file to parts: named groups, the gate, values in range.

use std::collections::HashMap;

use glam::{Mat3, Vec3};
use rayon::prelude::*;
use speckle_color::{Rgba, pixels};
use speckle_mesh::{
    Placement,
    carry::Carry,
    geometry::shading,
    mesh::{MeshArrays, gate},
};
use speckle_model::{ImageRecord, Materials, NewPart, NewSet, ProjectTraits, Selection, names};
use speckle_tools::bake::MATERIAL_SET;

use crate::{
    Budget, FormatError, Groups, Light, MeshFile, Origin, Repair, RepairKind, numbers::Numbers,
};

/// What a reader found.
#[derive(Default)]
pub struct Content {
    pub parts: Vec<RawPart>,
    pub repairs: Vec<Repair>,
    pub notes: Vec<String>,
    pub images: Vec<ImageRecord>,
    /// What the file says its numbers mean.
    pub traits: Option<ProjectTraits>,
    /// Which project it was written from, where that is not said in plain text.
    pub origin: Option<Origin>,
}

impl Content {
    /// Takes a part in, as far as there is room for it.
    pub fn take_part(&mut self, part: RawPart, budget: &Budget) -> Result<(), FormatError> {
        budget.visit()?;
        // Its arrays are there already; what is made of them in passing the gate is as large.
        budget.memory(part.bytes())?;
        self.parts.push(part);
        Ok(())
    }

    /// Brings an image along that lies beside the file, once; says whether there is one, and notes
    /// why not.
    pub fn take_image(&mut self, name: &str, file: &MeshFile) -> bool {
        if self.images.iter().any(|image| image.name == name) {
            return true;
        }
        let found =
            (file.beside)(name).ok_or_else(|| "choose it together with the file".to_owned());
        match found.and_then(|bytes| pixels::read(&bytes).map(|_| bytes)) {
            Ok(bytes) => {
                self.images.push(ImageRecord { name: name.to_owned(), file: bytes.into() });
                true
            }
            Err(cause) => {
                let note = format!("the image {name} is left out: {cause}");
                if !self.notes.contains(&note) {
                    self.notes.push(note);
                }
                false
            }
        }
    }
}

/// Turns normals with the points that a file moves by a matrix: they go on looking to the side that they
/// looked to (by the inverse transpose, as far as lengths do not count).
pub fn turn_normals(normals: &mut [Vec3], by: Mat3) {
    let Mat3 { x_axis: x, y_axis: y, z_axis: z } = by;
    let cofactors = Mat3::from_cols(y.cross(z), z.cross(x), x.cross(y));
    let side = if by.determinant() < 0.0 { -1.0 } else { 1.0 };
    for normal in normals {
        *normal = side * (cofactors * normal.normalize_or_zero()).normalize_or_zero();
    }
}

/// A part as it stands in a file.
pub struct RawPart {
    name: String,
    path: Vec<String>,
    arrays: MeshArrays,
    sets: Vec<RawSet>,
    /// Objects, which always become parts.
    objects: Named,
    /// Groups, which become what the user says.
    groups: Named,
    materials: Materials,
}

/// Faces by name.
#[derive(Default)]
struct Named {
    names: Vec<String>,
    /// Which of the names each face has; empty when there is only one.
    faces: Vec<u32>,
}

impl Named {
    /// A single name says nothing and is left out. Equal names are one.
    fn new(names: &[String], faces: &[u32]) -> Self {
        let mut number_of: HashMap<&str, u32> = HashMap::new();
        let mut merged: Vec<String> = Vec::new();
        let numbers: Vec<u32> = names
            .iter()
            .map(|name| {
                *number_of.entry(name).or_insert_with(|| {
                    merged.push(name.clone());
                    merged.len() as u32 - 1
                })
            })
            .collect();
        if merged.len() < 2 {
            return Self::default();
        }
        let faces = faces.iter().map(|&face| numbers[face as usize]).collect();
        Self { names: merged, faces }
    }

    /// The faces of each name, ascending; names without faces are left out.
    fn members(&self) -> Vec<(&str, Vec<u32>)> {
        let mut members: Vec<(&str, Vec<u32>)> =
            self.names.iter().map(|name| (name.as_str(), Vec::new())).collect();
        for (face, &name) in self.faces.iter().enumerate() {
            members[name as usize].1.push(face as u32);
        }
        members.retain(|(_, faces)| !faces.is_empty());
        members
    }

    fn subset(&self, faces: &[u32]) -> Self {
        if self.faces.is_empty() {
            return Self::default();
        }
        let faces = faces.iter().map(|&face| self.faces[face as usize]).collect();
        Self { names: self.names.clone(), faces }
    }
}

/// Values read for one set.
pub struct RawSet {
    pub name: String,
    pub placement: Placement,
    pub numbers: Numbers,
    /// As the file has them.
    pub values: Vec<Rgba>,
}

impl RawSet {
    /// The color of each face's material, for all to see; none when nothing is said but white.
    pub fn of_materials(materials: &Materials, faces: usize) -> Option<Self> {
        if materials.list.iter().all(|material| material.color == [1.0; 4]) {
            return None;
        }
        let color = |face| materials.of_face(face).map_or([1.0; 4], |material| material.color);
        Some(Self {
            name: MATERIAL_SET.to_owned(),
            placement: Placement::Face,
            numbers: Numbers::Color(Light::Encoded),
            values: (0..faces).map(color).collect(),
        })
    }
}

impl RawPart {
    pub fn new(name: String, arrays: MeshArrays, sets: Vec<RawSet>) -> Self {
        let (path, objects, groups, materials) = Default::default();
        Self { name, path, arrays, sets, objects, groups, materials }
    }

    /// How much memory it takes.
    fn bytes(&self) -> usize {
        let MeshArrays { positions, face_starts, corner_vertices, uv_sets, normals } = &self.arrays;
        let uvs: usize = uv_sets.iter().map(|set| 8 * set.uvs.len()).sum();
        let values: usize = self.sets.iter().map(|set| 16 * set.values.len()).sum();
        let names = 8 * (self.objects.faces.len() + self.groups.faces.len());
        12 * (positions.len() + normals.len())
            + 4 * (face_starts.len() + corner_vertices.len())
            + uvs
            + values
            + names
    }

    /// Its sets, as the file has them.
    pub fn sets(&self) -> &[RawSet] {
        &self.sets
    }

    /// Tells the groups it stands in, the outermost first.
    pub fn within(self, path: Vec<String>) -> Self {
        Self { path, ..self }
    }

    /// Tells the object of each face.
    pub fn of_objects(self, names: &[String], faces: &[u32]) -> Self {
        Self { objects: Named::new(names, faces), ..self }
    }

    /// Tells the named group of each face.
    pub fn grouped(self, names: &[String], faces: &[u32]) -> Self {
        Self { groups: Named::new(names, faces), ..self }
    }

    /// The same with its faces the other way round: where a mirror image is right side out. Normals
    /// say themselves where they look.
    pub fn turned_over(mut self) -> Self {
        let arrays = &mut self.arrays;
        for bounds in arrays.face_starts.windows(2) {
            let face = bounds[0] as usize..bounds[1] as usize;
            arrays.corner_vertices[face.clone()].reverse();
            arrays.uv_sets.iter_mut().for_each(|set| set.uvs[face.clone()].reverse());
            if !arrays.normals.is_empty() {
                arrays.normals[face.clone()].reverse();
            }
            let by_corner = self.sets.iter_mut().filter(|set| set.placement == Placement::Corner);
            by_corner.for_each(|set| set.values[face.clone()].reverse());
        }
        self
    }

    /// Tells what the faces are made of.
    pub fn made_of(self, materials: Materials) -> Self {
        Self { materials, ..self }
    }

    /// Takes the part through the gate: a part for each object, its groups as selections or as
    /// parts of their own.
    pub fn admit(
        mut self,
        groups: Groups,
        budget: &Budget,
        repairs: &mut Vec<Repair>,
        out: &mut Vec<NewPart>,
    ) -> Result<(), FormatError> {
        let splitting = if self.objects.members().len() > 1 {
            std::mem::take(&mut self.objects)
        } else if groups == Groups::Parts && self.groups.members().len() > 1 {
            std::mem::take(&mut self.groups)
        } else {
            budget.part()?;
            out.push(self.admit_whole(repairs)?);
            return Ok(());
        };
        let mut new_index = vec![u32::MAX; self.arrays.positions.len()];
        for (name, faces) in splitting.members() {
            let name = if name.trim().is_empty() { &self.name } else { name };
            let part = self.subset(name.to_owned(), &faces, &mut new_index);
            part.admit(groups, budget, repairs, out)?;
        }
        Ok(())
    }

    fn admit_whole(self, repairs: &mut Vec<Repair>) -> Result<NewPart, FormatError> {
        let Self { name, path, mut arrays, sets, groups, materials, .. } = self;
        let name = names::fitted(&name);
        // What leads nowhere says nothing.
        let unusable = arrays.normals.iter_mut().filter(|normal| !normal.is_finite());
        unusable.for_each(|normal| *normal = Vec3::ZERO);
        let admitted =
            gate::admit(arrays, &name).map_err(|error| FormatError::of_mesh(&name, &error))?;
        repairs.extend(admitted.repairs);
        let mut clamped = 0;
        let sets = sets
            .into_iter()
            .map(|RawSet { name, placement, numbers, values }| {
                let mut values = admitted.remap.of(placement).taken(values);
                for number in values.iter_mut().flatten() {
                    if !(0.0..=1.0).contains(number) {
                        clamped += 1;
                        *number = if number.is_nan() { 0.0 } else { number.clamp(0.0, 1.0) };
                    }
                }
                if numbers == Numbers::Color(Light::Linear) {
                    values.par_iter_mut().for_each(|value| *value = numbers.read(*value));
                }
                let encoding = numbers.encoding();
                let name = names::fitted(&name);
                NewSet { name, placement, encoding, ground: [1.0; 4], values }
            })
            .collect();
        if clamped > 0 {
            repairs.push(Repair::new(&name, RepairKind::ColorOutOfRange, clamped, []));
        }
        let (groups, materials) = match &admitted.remap.faces {
            Carry::Copies(kept) => (groups.subset(kept), materials.subset(kept)),
            // The gate mixes nothing.
            Carry::Same | Carry::Mixes(_) | Carry::Local(_) => (groups, materials),
        };
        let mut members = groups.members();
        if members.len() < 2 {
            members.clear();
        }
        let selections = members
            .into_iter()
            .map(|(name, faces)| Selection { name: names::fitted(name), faces })
            .collect();
        let mesh = shading::kept_where_they_differ(admitted.mesh);
        Ok(NewPart { name, path, mesh, selections, materials, sets })
    }

    /// Some of the faces, with the vertices they use. `new_index` has room for all vertices and is
    /// left as it came, all `u32::MAX`: a file of many parts is not gone through for each.
    fn subset(&self, name: String, faces: &[u32], new_index: &mut [u32]) -> Self {
        let arrays = &self.arrays;
        let (mut vertices, mut corners) = (Vec::new(), Vec::new());
        let mut face_starts = vec![0_u32];
        let mut corner_vertices = Vec::new();
        for &face in faces {
            let [start, end] = [0, 1].map(|i| arrays.face_starts[face as usize + i]);
            for corner in start..end {
                let vertex = arrays.corner_vertices[corner as usize];
                // A vertex that does not exist is for the gate to find.
                let index = match new_index.get_mut(vertex as usize) {
                    None => u32::MAX,
                    Some(slot) => {
                        if *slot == u32::MAX {
                            *slot = vertices.len() as u32;
                            vertices.push(vertex);
                        }
                        *slot
                    }
                };
                corner_vertices.push(index);
                corners.push(corner);
            }
            face_starts.push(corner_vertices.len() as u32);
        }
        vertices.iter().for_each(|&vertex| new_index[vertex as usize] = u32::MAX);
        let take = |set: &RawSet| {
            let elements = match set.placement {
                Placement::Vertex => &vertices,
                Placement::Corner => &corners,
                Placement::Face => faces,
            };
            let values = elements.iter().map(|&e| set.values[e as usize]).collect();
            RawSet { name: set.name.clone(), values, ..*set }
        };
        let sets = self.sets.iter().map(take).collect();
        let kept = Carry::Copies(corners);
        let part = MeshArrays {
            positions: vertices.iter().map(|&v| arrays.positions[v as usize]).collect(),
            face_starts,
            corner_vertices,
            ..MeshArrays::default()
        };
        Self {
            name,
            path: self.path.clone(),
            arrays: part.with_corner_data(arrays, &kept),
            sets,
            objects: self.objects.subset(faces),
            groups: self.groups.subset(faces),
            materials: self.materials.subset(faces),
        }
    }
}
