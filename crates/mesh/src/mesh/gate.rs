//! The gate every mesh from outside passes: repairs what can be repaired, counts it, refuses the
//! rest.

use std::collections::HashSet;

use glam::Vec3;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use super::{Mesh, MeshArrays, MeshError};
use crate::{carry::Carry, remap::Remap};

/// The most places remembered for one kind of repair.
const MOST_PLACES: usize = 200;

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
    /// A face stood there twice, over the same vertices in the same order; the copy was dropped.
    DuplicateFace,
    /// A color value was not a number, or lay outside 0–1; clamped.
    ColorOutOfRange,
    /// A normal in the file was zero, not a number, or against the face; normals are computed anew.
    BadNormal,
    /// Vertices at one place were joined, as a format without shared vertices needs.
    Welded,
    /// A face has no area. Kept: neighbours hang together by it.
    FlatFace,
    /// A vertex belongs to no face. Kept, so that the others keep their numbers.
    LooseVertex,
}

impl RepairKind {
    /// True for what was only noticed: the mesh is as it stood in the file.
    #[must_use]
    pub fn is_notice(self) -> bool {
        matches!(self, Self::FlatFace | Self::LooseVertex)
    }
}

/// One kind of repair, counted.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
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
    /// True when it was only noticed, and nothing was changed.
    #[serde(default)]
    pub notice: bool,
    /// Where, in the part's space; of many, the first ones.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(value_type = Vec<[f32; 3]>))]
    pub places: Vec<Vec3>,
}

impl Repair {
    /// A counted repair with its sentence, and where it was made.
    #[must_use]
    pub fn new(
        part: &str,
        kind: RepairKind,
        count: usize,
        places: impl IntoIterator<Item = Vec3>,
    ) -> Self {
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
            RepairKind::DuplicateFace => (
                "face that stood there twice was dropped",
                "faces that stood there twice were dropped",
            ),
            RepairKind::BadNormal => (
                "normal was unusable; normals are computed anew",
                "normals were unusable; normals are computed anew",
            ),
            RepairKind::Welded => (
                "corner was joined to a vertex it shares",
                "corners were joined to shared vertices",
            ),
            RepairKind::FlatFace => {
                ("face has no area, and was kept", "faces have no area, and were kept")
            }
            RepairKind::LooseVertex => (
                "vertex belongs to no face: it was kept, but no stroke reaches it",
                "vertices belong to no face: they were kept, but no stroke reaches them",
            ),
            RepairKind::ColorOutOfRange => {
                ("color number outside 0–1 was clamped", "color numbers outside 0–1 were clamped")
            }
        };
        let message = format!("{count} {}", if count == 1 { one } else { many });
        let places = places.into_iter().filter(|p| p.is_finite()).take(MOST_PLACES).collect();
        Self { part: part.to_owned(), kind, count, message, notice: kind.is_notice(), places }
    }
}

/// A mesh as admitted, with what is needed to carry per-element data along.
#[derive(Debug)]
pub struct Admitted {
    /// The mesh.
    pub mesh: Mesh,
    /// Where its elements come from in the arrays.
    pub remap: Remap,
    /// What was done.
    pub repairs: Vec<Repair>,
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
    let mut admitted = match Mesh::check(&arrays) {
        Ok(()) => Admitted { mesh: Mesh(arrays), remap: Remap::default(), repairs: Vec::new() },
        Err(MeshError::DegenerateFace(_) | MeshError::NotFinite(_)) => mend(arrays, part)?,
        Err(other) => return Err(other),
    };
    if has_duplicate_faces(&admitted.mesh.0) {
        drop_duplicates(&mut admitted, part);
    }
    let notices = notices(&admitted.mesh, part);
    admitted.repairs.extend(notices);
    Ok(admitted)
}

/// What is odd about a mesh, and left as it is.
fn notices(mesh: &Mesh, part: &str) -> Vec<Repair> {
    let mut used = vec![false; mesh.vertex_count()];
    mesh.corner_vertices().iter().for_each(|&v| used[v as usize] = true);
    let loose: Vec<usize> = (0..used.len()).filter(|&v| !used[v]).collect();
    let flat: Vec<usize> = (0..mesh.face_count())
        .into_par_iter()
        .filter(|&face| match *mesh.face_vertices(face) {
            [a, b, c] => {
                let [a, b, c] = [a, b, c].map(|v| mesh.positions()[v as usize]);
                (b - a).cross(c - a) == Vec3::ZERO
            }
            _ => mesh.face_area_vector(face) == Vec3::ZERO,
        })
        .collect();
    let mut found = Vec::new();
    if !loose.is_empty() {
        let places = loose.iter().map(|&v| mesh.positions()[v]);
        found.push(Repair::new(part, RepairKind::LooseVertex, loose.len(), places));
    }
    if !flat.is_empty() {
        let places = flat.iter().map(|&face| mesh.face_centroid(face));
        found.push(Repair::new(part, RepairKind::FlatFace, flat.len(), places));
    }
    found
}

/// A face's vertices beginning with the least: the same for every way of going round from another
/// corner, another for the face turned over.
fn from_least(vertices: &[u32]) -> impl Iterator<Item = u32> + '_ {
    let least = (0..vertices.len()).min_by_key(|&i| vertices[i]).unwrap_or(0);
    vertices[least..].iter().chain(&vertices[..least]).copied()
}

fn has_duplicate_faces(arrays: &MeshArrays) -> bool {
    let face = |f: usize| {
        &arrays.corner_vertices[arrays.face_starts[f] as usize..arrays.face_starts[f + 1] as usize]
    };
    let digests: Vec<u64> = (0..arrays.face_starts.len() - 1)
        .into_par_iter()
        .map(|f| {
            let step = |digest: u64, v: u32| {
                (digest ^ u64::from(v)).wrapping_mul(0x9e37_79b9_7f4a_7c15).rotate_left(29)
            };
            const BEGIN: u64 = 0xcbf2_9ce4_8422_2325;
            match *face(f) {
                [a, b, c] => {
                    let from_least = if a < b && a < c {
                        [a, b, c]
                    } else if b < c {
                        [b, c, a]
                    } else {
                        [c, a, b]
                    };
                    from_least.into_iter().fold(BEGIN, step)
                }
                ref more => from_least(more).fold(BEGIN, step),
            }
        })
        .collect();
    // A bit for each digest in a map of many more: few faces meet a bit that is set already, and
    // only those with the same bit as one of them are compared.
    let bits = (digests.len() * 32).next_power_of_two();
    let (mut met, mut twice) = (vec![0_u64; bits / 64 + 1], vec![0_u64; bits / 64 + 1]);
    let place = |digest: u64| {
        let bit = (digest >> 7) as usize & (bits - 1);
        (bit / 64, 1_u64 << (bit % 64))
    };
    for &digest in &digests {
        let (word, bit) = place(digest);
        twice[word] |= met[word] & bit;
        met[word] |= bit;
    }
    let mut suspects: Vec<(u64, u32)> = (0..digests.len() as u32)
        .into_par_iter()
        .map(|f| (digests[f as usize], f))
        .filter(|&(digest, _)| {
            let (word, bit) = place(digest);
            twice[word] & bit != 0
        })
        .collect();
    suspects.par_sort_unstable();
    suspects.chunk_by(|a, b| a.0 == b.0).filter(|run| run.len() > 1).any(|run| {
        let mut seen = HashSet::new();
        run.iter().any(|&(_, f)| !seen.insert(from_least(face(f as usize)).collect::<Vec<u32>>()))
    })
}

/// Keeps the first of faces over the same vertices in the same order.
fn drop_duplicates(admitted: &mut Admitted, part: &str) {
    let mesh = &admitted.mesh;
    let mut met: HashSet<Vec<u32>> = HashSet::with_capacity(mesh.face_count());
    let (mut faces, mut corners, mut places) = (Vec::new(), Vec::new(), Vec::new());
    let mut face_starts = vec![0_u32];
    for face in 0..mesh.face_count() {
        if met.insert(from_least(mesh.face_vertices(face)).collect()) {
            faces.push(face as u32);
            corners.extend(mesh.face_corners(face).map(|corner| corner as u32));
            face_starts.push(corners.len() as u32);
        } else {
            places.push(mesh.corner_position(mesh.face_corners(face).start));
        }
    }
    let now = Remap { corners: corners.into(), faces: faces.into(), ..Remap::default() };
    admitted.mesh = Mesh(
        MeshArrays {
            positions: mesh.0.positions.clone(),
            face_starts,
            corner_vertices: now.corners.copies(&mesh.0.corner_vertices),
            ..MeshArrays::default()
        }
        .with_corner_data(&mesh.0, &now.corners),
    );
    admitted.repairs.push(Repair::new(part, RepairKind::DuplicateFace, places.len(), places));
    admitted.remap = admitted.remap.then(&now);
}

fn mend(arrays: MeshArrays, part: &str) -> Result<Admitted, MeshError> {
    let MeshArrays { positions, face_starts, corner_vertices, .. } = &arrays;
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
    let mut repeated: Vec<Vec3> = Vec::new();
    let (mut degenerate, mut orphaned) = (Vec::new(), Vec::new());
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
        // Somewhere on the face; a face of no corners is nowhere.
        let place = corners
            .clone()
            .map(|c| positions[corner_vertices[c as usize] as usize])
            .find(|p| p.is_finite())
            .unwrap_or(Vec3::NAN);
        if uses_dropped {
            orphaned.push(place);
        } else if vertices_now.len() < 3 || repeats_a_vertex(&vertices_now) {
            degenerate.push(place);
        } else {
            repeated.extend(std::iter::repeat_n(place, corners.len() - face_now.len()));
            kept_corners.extend_from_slice(&face_now);
            kept_faces.push(face as u32);
            new_starts.push(kept_corners.len() as u32);
        }
    }

    let nowhere = vec![Vec3::NAN; vertices - kept_vertices.len()];
    let (kept_vertices, kept) = (Carry::Copies(kept_vertices), Carry::Copies(kept_corners));
    let now = kept.copies(corner_vertices);
    let mended = MeshArrays {
        corner_vertices: now.into_iter().map(|vertex| new_index[vertex as usize]).collect(),
        face_starts: new_starts,
        positions: kept_vertices.copies(positions),
        ..MeshArrays::default()
    };
    let mesh = Mesh::new(mended.with_corner_data(&arrays, &kept))?;
    let repairs = [
        (RepairKind::NotFiniteVertex, nowhere),
        (RepairKind::FaceOfDroppedVertex, orphaned),
        (RepairKind::DegenerateFace, degenerate),
        (RepairKind::RepeatedCorner, repeated),
    ];
    Ok(Admitted {
        mesh,
        remap: Remap { vertices: kept_vertices, corners: kept, faces: kept_faces.into() },
        repairs: repairs
            .into_iter()
            .filter(|(_, places)| !places.is_empty())
            .map(|(kind, places)| Repair::new(part, kind, places.len(), places))
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
            ..MeshArrays::default()
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
        let places: Vec<usize> = admitted.repairs.iter().map(|r| r.places.len()).collect();
        assert_eq!(places, [0, 1, 2, 2], "each with its place, where it has one");
        assert_eq!(admitted.mesh.corner_vertices(), [0, 1, 2, 1, 2, 3]);
        assert_eq!(admitted.remap.corners, Carry::Copies(vec![0, 1, 3, 10, 11, 12]));
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
    fn a_face_that_stands_twice_is_dropped_once_and_one_turned_over_is_kept() {
        let mut mesh = arrays(&[&[0, 1, 2], &[1, 2, 0], &[2, 1, 0], &[1, 2, 3]]);
        mesh.positions[4] = Vec3::ONE;
        let admitted = admit(mesh, "x").unwrap();
        assert_eq!(admitted.remap.faces, Carry::Copies(vec![0, 2, 3]));
        // The fifth vertex belongs to no face: told, and kept.
        let expected = [(RepairKind::DuplicateFace, 1), (RepairKind::LooseVertex, 1)];
        assert_eq!(counts(&admitted), expected);
        assert_eq!(admitted.mesh.vertex_count(), 5);
        assert_eq!(admitted.repairs[1].places, [Vec3::ONE]);
    }

    #[test]
    fn faces_without_area_are_told_and_kept() {
        let mut mesh = arrays(&[&[0, 1, 2], &[0, 1, 4], &[1, 2, 3]]);
        mesh.positions[4] = Vec3::X * 2.0;
        let admitted = admit(mesh, "x").unwrap();
        assert_eq!(counts(&admitted), [(RepairKind::FlatFace, 1)]);
        assert!(admitted.repairs[0].notice && admitted.remap == Remap::default());
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
