//! What a model builds: its objects where they stand, with their colors.

use super::DEEPEST;
use super::Id;
use super::Model;
use super::Object;
use super::damaged;
use crate::{
    Budget, Content, FormatError, Light, MeshFile, Place, RawPart, indexed::plainest,
    numbers::Numbers,
};
use glam::{Mat4, Vec3};
use speckle_color::Rgba;
use speckle_mesh::{UpAxis, mesh::MeshArrays};
use speckle_model::ProjectTraits;

/// What is placed, one after the other.
struct Scene<'a> {
    file: &'a MeshFile<'a>,
    budget: &'a Budget,
    /// What is used again and again counts each time.
    corners: usize,
    content: Content,
}

impl Model {
    pub(super) fn into_content(
        mut self,
        file: &MeshFile,
        budget: &Budget,
    ) -> Result<Content, FormatError> {
        let content = Content {
            traits: Some(ProjectTraits { unit: self.unit, up: UpAxis::Z }),
            notes: std::mem::take(&mut self.notes),
            ..Content::default()
        };
        let items = if self.items.is_empty() {
            // Nothing is built: all that holds a mesh is shown.
            let mut ids: Vec<Id> = self.objects.keys().copied().collect();
            ids.sort_unstable();
            ids.into_iter().map(|id| (id, Mat4::IDENTITY)).collect()
        } else {
            std::mem::take(&mut self.items)
        };
        let shrink =
            if self.micron { Mat4::from_scale(Vec3::splat(0.001)) } else { Mat4::IDENTITY };
        let mut scene = Scene { file, budget, corners: 0, content };
        for (id, placed) in items {
            self.place(id, shrink * placed, 0, &mut scene)?;
        }
        let Scene { content, .. } = scene;
        if content.parts.is_empty() {
            return Err(FormatError::new(
                Place::File,
                "no object with triangles is in it",
                "export it again with its surfaces",
            ));
        }
        Ok(content)
    }

    fn place(
        &self,
        id: Id,
        placed: Mat4,
        depth: usize,
        scene: &mut Scene,
    ) -> Result<(), FormatError> {
        let Some(object) = self.objects.get(&id) else {
            return Err(damaged(format!(
                "object {} of {} is used but not there",
                id.1, self.files[id.0]
            )));
        };
        if depth > DEEPEST {
            return Err(damaged(format!("object {} holds itself", id.1)));
        }
        scene.budget.visit()?;
        // What is used again and again counts each time.
        scene.corners += 3 * object.triangles.len() + object.parts.len();
        if scene.corners > self.limits.elements {
            return Err(FormatError::too_many(self.limits));
        }
        for (part, own) in &object.parts {
            self.place(*part, placed * *own, depth + 1, scene)?;
        }
        if object.triangles.is_empty() {
            return Ok(());
        }
        if object.is_support {
            scene.content.notes.push(format!("the support {} is not kept", object.name));
            return Ok(());
        }
        let points = object.points.iter();
        let positions = if placed == Mat4::IDENTITY {
            object.points.clone()
        } else {
            points.map(|&p| placed.transform_point3(p)).collect()
        };
        let arrays = MeshArrays {
            positions,
            face_starts: (0..=object.triangles.len() as u32).map(|face| 3 * face).collect(),
            corner_vertices: object.triangles.iter().flatten().copied().collect(),
            ..MeshArrays::default()
        };
        let sets: Vec<_> = self
            .values(id.0, object)?
            .map(|values| {
                let told = object.color_set.trim().split_once(' ');
                let (word, name) = told.unwrap_or(("color", "Color"));
                let numbers = Numbers::of_word(word, Light::Encoded);
                plainest(name.to_owned(), numbers, values, &arrays)
            })
            .into_iter()
            .collect();
        let name = match (object.name.trim(), scene.content.parts.len()) {
            ("", 0) => scene.file.stem().to_owned(),
            ("", n) => format!("{} {}", scene.file.stem(), n + 1),
            (name, _) => name.to_owned(),
        };
        let part = RawPart::new(name, arrays, sets);
        let part = if placed.determinant() < 0.0 { part.turned_over() } else { part };
        scene.content.take_part(part, scene.budget)
    }

    /// The colors of the corners; none where no triangle has any.
    fn values(&self, file: usize, object: &Object) -> Result<Option<Vec<Rgba>>, FormatError> {
        let group_of = |group: u32| self.groups.get(&(file, group));
        let own = object.own.and_then(|(group, entry)| group_of(group)?.get(entry as usize));
        let is_any =
            own.is_some() || object.colors.iter().any(|(group, _)| group_of(*group).is_some());
        if !is_any {
            return Ok(None);
        }
        let mut values = Vec::with_capacity(3 * object.triangles.len());
        for (group, entries) in &object.colors {
            let listed = match (*group, object.own) {
                (u32::MAX, Some((own, _))) => group_of(own),
                (group, _) => group_of(group),
            };
            for &entry in entries {
                values.push(match (listed, entry) {
                    (Some(colors), entry) if entry != u32::MAX => {
                        *colors.get(entry as usize).ok_or_else(|| {
                            damaged(format!(
                                "a triangle uses color {entry}, but its group has only {}",
                                colors.len()
                            ))
                        })?
                    }
                    _ => own.copied().unwrap_or([1.0; 4]),
                });
            }
        }
        Ok(Some(values))
    }
}
