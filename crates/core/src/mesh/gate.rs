//! The gate every mesh from outside passes: repairs what can be repaired, counts it, refuses the
//! rest.

use glam::Vec3;
use serde::{Deserialize, Serialize};

use super::{Mesh, MeshArrays, MeshError, UvSet};

/// What had to be mended or dropped while a mesh was brought in.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum RepairKind {
    /// A face named the same vertex twice in a row (or first and last); the copy was left out.
    RepeatedCorner,
    /// A face had fewer than three different vertices left, or met itself in a vertex; dropped.
    DegenerateFace,
    /// A vertex had a coordinate that is no finite number; dropped, with the faces that use it.
    NotFiniteVertex,
    /// A face used a vertex that had to be dropped.
    FaceOfDroppedVertex,
    /// A color value was not a number, or lay outside 0–1; clamped.
    ColorOutOfRange,
}

/// One kind of repair, counted.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Repair {
    /// The part it was made on.
    pub part: String,
    /// What was done.
    pub kind: RepairKind,
    /// How often.
    pub count: usize,
    /// The same in a sentence.
    pub message: String,
}

impl Repair {
    /// A counted repair with its sentence.
    #[must_use]
    pub fn new(part: &str, kind: RepairKind, count: usize) -> Self {
        let (one, many) = match kind {
            RepairKind::RepeatedCorner => {
                ("repeated corner was left out", "repeated corners were left out")
            }
            RepairKind::DegenerateFace => (
                "face without three different corners was dropped",
                "faces without three different corners were dropped",
            ),
            RepairKind::NotFiniteVertex => (
                "vertex whose place is not a number was dropped",
                "vertices whose place is not a number were dropped",
            ),
            RepairKind::FaceOfDroppedVertex => (
                "face that used a dropped vertex was dropped",
                "faces that used dropped vertices were dropped",
            ),
            RepairKind::ColorOutOfRange => {
                ("color number outside 0–1 was clamped", "color numbers outside 0–1 were clamped")
            }
        };
        let message = format!("{count} {}", if count == 1 { one } else { many });
        Self { part: part.to_owned(), kind, count, message }
    }
}

/// A mesh as admitted, with what is needed to carry per-element data along.
#[derive(Debug)]
pub struct Admitted {
    /// The mesh.
    pub mesh: Mesh,
    /// The old index of each vertex kept; `None` when all were.
    pub kept_vertices: Option<Vec<u32>>,
    /// The old index of each corner kept; `None` when all were.
    pub kept_corners: Option<Vec<u32>>,
    /// The old index of each face kept; `None` when all were.
    pub kept_faces: Option<Vec<u32>>,
    /// What was done.
    pub repairs: Vec<Repair>,
}

/// The values that belong to the elements kept.
#[must_use]
pub fn keep<T: Clone>(values: Vec<T>, kept: Option<&[u32]>) -> Vec<T> {
    match kept {
        None => values,
        Some(kept) => kept.iter().map(|&i| values[i as usize].clone()).collect(),
    }
}

/// True when some vertex stands twice among a face's corners.
#[must_use]
pub fn repeats_a_vertex(vertices: &[u32]) -> bool {
    match *vertices {
        [a, b, c] => a == b || b == c || c == a,
        _ if vertices.len() <= 16 => {
            (1..vertices.len()).any(|i| vertices[..i].contains(&vertices[i]))
        }
        _ => {
            let mut sorted = vertices.to_vec();
            sorted.sort_unstable();
            sorted.windows(2).any(|pair| pair[0] == pair[1])
        }
    }
}

/// Admits arrays as they stand in a file.
///
/// # Errors
/// A reference to a vertex that does not exist means that the file is damaged, and is refused; so
/// is a mesh with no face left.
pub fn admit(arrays: MeshArrays, part: &str) -> Result<Admitted, MeshError> {
    match Mesh::check(&arrays) {
        Ok(()) => Ok(Admitted {
            mesh: Mesh(arrays),
            kept_vertices: None,
            kept_corners: None,
            kept_faces: None,
            repairs: Vec::new(),
        }),
        Err(MeshError::DegenerateFace(_) | MeshError::NotFinite(_)) => mend(arrays, part),
        Err(other) => Err(other),
    }
}

fn mend(arrays: MeshArrays, part: &str) -> Result<Admitted, MeshError> {
    let MeshArrays { positions, face_starts, corner_vertices, uv_sets } = arrays;
    let vertices = positions.len();
    let kept_vertices: Vec<u32> =
        (0..vertices as u32).filter(|&v| positions[v as usize].is_finite()).collect();
    let mut new_index = vec![u32::MAX; vertices];
    for (new, &old) in kept_vertices.iter().enumerate() {
        new_index[old as usize] = new as u32;
    }

    let mut kept_corners: Vec<u32> = Vec::with_capacity(corner_vertices.len());
    let mut kept_faces: Vec<u32> = Vec::with_capacity(face_starts.len());
    let mut new_starts = vec![0_u32];
    let (mut repeated, mut degenerate, mut orphaned) = (0, 0, 0);
    let mut face_now: Vec<u32> = Vec::new();
    for (face, bounds) in face_starts.windows(2).enumerate() {
        let corners = bounds[0]..bounds[1];
        let mut uses_dropped = false;
        face_now.clear();
        for corner in corners.clone() {
            let vertex = corner_vertices[corner as usize];
            let Some(&index) = new_index.get(vertex as usize) else {
                return Err(MeshError::VertexOutOfRange { face, vertex, vertices });
            };
            uses_dropped |= index == u32::MAX;
            let repeats =
                face_now.last().is_some_and(|&last| corner_vertices[last as usize] == vertex);
            if !repeats {
                face_now.push(corner);
            }
        }
        while face_now.len() > 1
            && corner_vertices[face_now[0] as usize]
                == corner_vertices[face_now[face_now.len() - 1] as usize]
        {
            face_now.pop();
        }
        let vertices_now: Vec<u32> =
            face_now.iter().map(|&c| corner_vertices[c as usize]).collect();
        if uses_dropped {
            orphaned += 1;
        } else if vertices_now.len() < 3 || repeats_a_vertex(&vertices_now) {
            degenerate += 1;
        } else {
            repeated += corners.len() - face_now.len();
            kept_corners.extend_from_slice(&face_now);
            kept_faces.push(face as u32);
            new_starts.push(kept_corners.len() as u32);
        }
    }

    let points: Vec<Vec3> = keep(positions, Some(&kept_vertices));
    let mesh = Mesh::new(MeshArrays {
        corner_vertices: kept_corners
            .iter()
            .map(|&c| new_index[corner_vertices[c as usize] as usize])
            .collect(),
        face_starts: new_starts,
        uv_sets: uv_sets
            .into_iter()
            .map(|set| UvSet { name: set.name, uvs: keep(set.uvs, Some(&kept_corners)) })
            .collect(),
        positions: points,
    })?;
    let repairs = [
        (RepairKind::NotFiniteVertex, vertices - kept_vertices.len()),
        (RepairKind::FaceOfDroppedVertex, orphaned),
        (RepairKind::DegenerateFace, degenerate),
        (RepairKind::RepeatedCorner, repeated),
    ];
    Ok(Admitted {
        mesh,
        kept_vertices: Some(kept_vertices),
        kept_corners: Some(kept_corners),
        kept_faces: Some(kept_faces),
        repairs: repairs
            .into_iter()
            .filter(|&(_, count)| count > 0)
            .map(|(kind, count)| Repair::new(part, kind, count))
            .collect(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn arrays(faces: &[&[u32]]) -> MeshArrays {
        let mut face_starts = vec![0];
        let mut corner_vertices = Vec::new();
        for face in faces {
            corner_vertices.extend_from_slice(face);
            face_starts.push(corner_vertices.len() as u32);
        }
        MeshArrays {
            positions: vec![Vec3::ZERO, Vec3::X, Vec3::Y, Vec3::Z, Vec3::NAN],
            face_starts,
            corner_vertices,
            uv_sets: Vec::new(),
        }
    }

    fn counts(admitted: &Admitted) -> Vec<(RepairKind, usize)> {
        admitted.repairs.iter().map(|r| (r.kind, r.count)).collect()
    }

    #[test]
    fn what_can_be_mended_is_mended_and_counted() {
        let admitted = admit(
            arrays(&[&[0, 1, 1, 2], &[0, 1, 1], &[2, 3, 4], &[1, 2, 3, 1], &[0, 1, 2, 1]]),
            "x",
        )
        .unwrap();
        assert_eq!(admitted.mesh.face_count(), 2);
        assert_eq!(admitted.mesh.corner_vertices(), [0, 1, 2, 1, 2, 3]);
        assert_eq!(admitted.kept_corners.as_deref(), Some(&[0, 1, 3, 10, 11, 12][..]));
        assert_eq!(
            counts(&admitted),
            [
                (RepairKind::NotFiniteVertex, 1),
                (RepairKind::FaceOfDroppedVertex, 1),
                (RepairKind::DegenerateFace, 2),
                (RepairKind::RepeatedCorner, 2)
            ]
        );
    }

    #[test]
    fn damaged_references_are_refused_not_mended() {
        let refused = admit(arrays(&[&[0, 1, 2], &[0, 1, 9]]), "x").unwrap_err();
        assert_eq!(refused, MeshError::VertexOutOfRange { face: 1, vertex: 9, vertices: 5 });
        // Also behind a face that sends the arrays to be mended first.
        let refused = admit(arrays(&[&[0, 0, 2], &[0, 1, 9]]), "x").unwrap_err();
        assert_eq!(refused, MeshError::VertexOutOfRange { face: 1, vertex: 9, vertices: 5 });
        assert_eq!(admit(arrays(&[&[0, 0, 1]]), "x").unwrap_err(), MeshError::NoFaces);
    }
}
