//! A part made into several, or several into one.

use std::sync::Arc;

use glam::Vec2;
use serde::{Deserialize, Serialize};
use speckle_color::Rgba;
use speckle_mesh::{
    Geometry, Mesh, MeshError, Placement,
    mesh::{MeshArrays, UvSet},
};
use speckle_model::{ColorSet, Materials, NewSet, Part, Selection, SetId, color_set::convert};

use crate::{
    bake::{chosen::Chosen, pieces::Units},
    replacing::{SetTo, ShapeTo},
};

/// SplitInto what a part is split.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
pub enum SplitInto {
    /// What hangs together by edges.
    Pieces,
    /// What is of one material.
    Materials,
    /// The groups that the file named, and what is in none.
    Groups,
    /// A selection or a group, and the rest.
    Selection {
        /// Its name.
        name: String,
    },
    /// The faces at edges where more than two meet, and the rest.
    NotManifold,
}

/// The most parts that one is split into.
pub const MOST_PARTS: usize = 256;

/// Why nothing is split or joined.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum PartingError {
    /// It is one already.
    #[error("nothing would change: all of {0} is one of those")]
    One(String),
    /// There would be too many.
    #[error("{part} would become {count} parts, more than the {MOST_PARTS} that one is split into")]
    Many {
        /// The part.
        part: String,
        /// How many.
        count: usize,
    },
    /// There is no such selection.
    #[error("{part} has no selection or group called {name}: choose another")]
    NoSelection {
        /// The part.
        part: String,
        /// What was asked for.
        name: String,
    },
    /// No other part was chosen.
    #[error("choose the parts that are to become one with {0}")]
    Alone(String),
    /// One of them is gone.
    #[error("a part that was to be joined is gone: choose again")]
    Gone,
    /// Texture coordinates or sets would not fit.
    #[error("{0}")]
    Unfit(String),
    /// What came of it is no mesh.
    #[error(transparent)]
    Mesh(#[from] MeshError),
}

/// Faces that become a part, with what that is called.
type Group = (Option<String>, Vec<u32>);

/// The parts that a part is split into: the largest first, which stays; the others with their names.
pub(super) fn split(
    part: &Part,
    into: &SplitInto,
) -> Result<(Part, Vec<(String, Part)>), PartingError> {
    let name = &part.traits.name;
    let mut groups = groups(part, into)?;
    groups.retain(|(_, faces)| !faces.is_empty());
    if groups.len() < 2 {
        return Err(PartingError::One(name.clone()));
    }
    if groups.len() > MOST_PARTS {
        return Err(PartingError::Many { part: name.clone(), count: groups.len() });
    }
    // The largest stays; of equal ones the first.
    groups.sort_by_key(|(_, faces)| std::cmp::Reverse(faces.len()));
    let of = |faces: &[u32]| {
        part.of_faces(faces).ok_or_else(|| PartingError::Unfit("a face could not be kept".into()))
    };
    let stays = of(&groups[0].1)?;
    let others = groups[1..].iter().enumerate().map(|(i, (own, faces))| {
        let own = own.clone().unwrap_or_else(|| format!("piece {}", i + 2));
        Ok((format!("{name} {own}"), of(faces)?))
    });
    Ok((stays, others.collect::<Result<_, PartingError>>()?))
}

fn groups(part: &Part, into: &SplitInto) -> Result<Vec<Group>, PartingError> {
    let geometry = &part.geometry;
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let by = |of_faces: &[u32], name: &dyn Fn(usize) -> Option<String>| {
        let count = of_faces.iter().max().map_or(0, |&most| most as usize + 1);
        let mut groups: Vec<Group> = (0..count).map(|i| (name(i), Vec::new())).collect();
        (0_u32..).zip(of_faces).for_each(|(face, &of)| groups[of as usize].1.push(face));
        groups
    };
    let rest = |is_in: Vec<bool>, name: &str| {
        let of: Vec<u32> = is_in.into_iter().map(u32::from).collect();
        by(&of, &|i| Some(if i == 1 { name.to_owned() } else { "rest".to_owned() }))
    };
    Ok(match into {
        SplitInto::Pieces => by(geometry.pieces().of_faces(), &|_| None),
        SplitInto::Materials => {
            let materials = &part.materials;
            let of = Units::Materials(materials).of_faces(geometry);
            by(&of, &|i| materials.list.get(i).map(|own| own.name.clone()))
        }
        SplitInto::Groups => {
            let groups = &part.traits.selections;
            let of = Units::Groups(groups).of_faces(geometry);
            by(&of, &|i| match i {
                0 => Some("rest".to_owned()),
                i => groups.get(i - 1).map(|own| own.name.clone()),
            })
        }
        SplitInto::Selection { name } => {
            let chosen = Chosen::named(part, name).ok_or_else(|| PartingError::NoSelection {
                part: part.traits.name.clone(),
                name: name.clone(),
            })?;
            let shares = chosen.shares(Placement::Face);
            rest(shares.iter().map(|&share| share >= 0.5).collect(), name)
        }
        SplitInto::NotManifold => {
            let is_many = |corner: usize| topology.around(corner).nth(2).is_some();
            let is_in = |face: usize| mesh.face_corners(face).any(is_many);
            rest((0..mesh.face_count()).map(is_in).collect(), "not manifold")
        }
    })
}

/// A part that several have become: its shape with the values of its own sets, and sets that only others
/// have.
pub(super) fn joined(
    part: &Part,
    others: &[&Part],
) -> Result<(ShapeTo, Vec<NewSet>), PartingError> {
    if others.is_empty() {
        return Err(PartingError::Alone(part.traits.name.clone()));
    }
    let to_part = part.traits.transform.to_project().inverse();
    // Each as it stands in the space of the part.
    let mut there: Vec<Part> = vec![part.clone()];
    for other in others {
        let baked = other.baked()?;
        let mut mesh = baked.geometry.mesh().transformed(&to_part)?;
        let mut remap = speckle_mesh::remap::Remap::default();
        if part.traits.transform.mirrors() {
            // Faces stay outside out.
            (mesh, remap.corners) = mesh.turned_over();
        }
        there.push(baked.remapped(mesh, &remap));
    }
    let mesh = mesh_of(&there)?;
    let set = |own: &ColorSet| SetTo {
        id: own.id,
        placement: own.placement,
        values: values_of(&there, own),
    };
    let sets = part.sets.iter().map(set).collect();
    let mut new: Vec<NewSet> = Vec::new();
    for theirs in there[1..].iter().flat_map(Part::products) {
        let is_known = part.products().any(|own| own.name == theirs.name)
            || new.iter().any(|own| own.name == theirs.name);
        if !is_known {
            // It has a number that no set of the part has.
            let as_ours = ColorSet { id: SetId(u32::MAX), ..theirs.clone() };
            new.push(NewSet {
                name: theirs.name.clone(),
                placement: theirs.placement,
                encoding: theirs.encoding,
                ground: theirs.ground,
                values: values_of(&there, &as_ours),
            });
        }
    }
    let shape =
        ShapeTo { mesh, selections: groups_of(&there), materials: materials_of(&there), sets };
    Ok((shape, new))
}

/// The values that parts have of a set, one after the other; its ground where one has none of it.
fn values_of(parts: &[Part], own: &ColorSet) -> Vec<Rgba> {
    let of = |part: &Part| {
        let is_same = |set: &&ColorSet| {
            set.id == own.id || set.name == own.name && set.role.noun() == own.role.noun()
        };
        match part.sets.iter().find(is_same) {
            Some(set) => convert::values_at(set, own.placement, &part.geometry),
            None => vec![own.ground; own.placement.count(part.geometry.mesh())],
        }
    };
    parts.iter().flat_map(of).collect()
}

fn mesh_of(parts: &[Part]) -> Result<Mesh, PartingError> {
    let meshes: Vec<&Mesh> = parts.iter().map(|part| part.geometry.mesh()).collect();
    let mut all = MeshArrays { face_starts: vec![0], ..MeshArrays::default() };
    let uv_sets = meshes.iter().map(|mesh| mesh.uv_sets().len()).max().unwrap_or(0);
    let name = |i: usize| {
        let named = meshes.iter().find_map(|mesh| mesh.uv_sets().get(i));
        named.map_or_else(|| i.to_string(), |set| set.name.clone())
    };
    all.uv_sets = (0..uv_sets).map(|i| UvSet { name: name(i), uvs: Vec::new() }).collect();
    let have_normals = meshes.iter().any(|mesh| mesh.normals().is_some());
    for (part, mesh) in parts.iter().zip(&meshes) {
        let (points, corners) = (all.positions.len() as u32, all.corner_vertices.len() as u32);
        all.positions.extend_from_slice(mesh.positions());
        all.corner_vertices.extend(mesh.corner_vertices().iter().map(|&v| v + points));
        all.face_starts.extend(mesh.face_starts()[1..].iter().map(|&start| start + corners));
        for (i, set) in all.uv_sets.iter_mut().enumerate() {
            match mesh.uv_sets().get(i) {
                Some(own) => set.uvs.extend_from_slice(&own.uvs),
                None => set.uvs.extend(std::iter::repeat_n(Vec2::ZERO, mesh.corner_count())),
            }
        }
        if have_normals {
            let own = mesh.arrays().normals.as_slice();
            let smooth = part.geometry.vertex_normals();
            let at = |&vertex: &u32| smooth[vertex as usize];
            match own.is_empty() {
                true => all.normals.extend(mesh.corner_vertices().iter().map(at)),
                false => all.normals.extend_from_slice(own),
            }
        }
    }
    Ok(Mesh::new(all)?)
}

/// Groups of the same name become one.
fn groups_of(parts: &[Part]) -> Vec<Selection> {
    let mut all: Vec<Selection> = Vec::new();
    let mut first = 0;
    for part in parts {
        for group in part.traits.selections.iter() {
            let faces = group.faces.iter().map(|face| face + first);
            match all.iter_mut().find(|known| known.name == group.name) {
                Some(known) => known.faces.extend(faces),
                None => all.push(Selection { name: group.name.clone(), faces: faces.collect() }),
            }
        }
        first += part.geometry.mesh().face_count() as u32;
    }
    all
}

fn materials_of(parts: &[Part]) -> Materials {
    let mut all = Materials::default();
    if parts.iter().all(|part| part.materials.list.is_empty()) {
        return all;
    }
    let plain = speckle_model::Material::new("", [1.0; 4]);
    for part in parts {
        let own: &Materials = &part.materials;
        let list = if own.list.is_empty() { std::slice::from_ref(&plain) } else { &own.list };
        let numbers: Vec<u32> = list
            .iter()
            .map(|material| {
                let known = all.list.iter().position(|known| known == material);
                known.unwrap_or_else(|| {
                    all.list.push(material.clone());
                    all.list.len() - 1
                }) as u32
            })
            .collect();
        let faces = part.geometry.mesh().face_count();
        let of = |face: usize| numbers[own.of_faces.get(face).map_or(0, |&m| m as usize)];
        all.of_faces.extend((0..faces).map(of));
    }
    if all.list.len() == 1 {
        all.of_faces.clear();
    }
    all
}

/// A part that stands where it is by its points alone.
pub(super) fn settled(part: &Part) -> Result<Part, MeshError> {
    let baked = part.baked()?;
    let geometry = Arc::new(Geometry::new(baked.geometry.mesh().clone()));
    Ok(Part { geometry, ..baked })
}
