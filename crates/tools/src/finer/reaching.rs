//! The faces that dabs reach.

use glam::{Affine3A, Vec2, Vec3};
use rayon::prelude::*;
use rustc_hash::FxHashSet;
use speckle_mesh::{Geometry, geometry::bvh::nearest_on, sight::View};

use super::Dab;
use crate::triangle::Triangle;

/// Faces seen more edge-on than this cosine are left alone: what a circle as seen covers of them is long in
/// depth, and hardly to be seen.
const GRAZING: f32 = 0.1;

/// The faces of a mesh that dabs reach, ascending: those connected with the one in the middle of each, as
/// long as they look the same way and the mesh itself does not hide them, or all of them.
#[must_use]
pub fn reached(geometry: &Geometry, to_project: &Affine3A, dabs: &[Dab]) -> Vec<u32> {
    let reaching = Reaching::new(geometry, to_project);
    let mut found: FxHashSet<u32> = FxHashSet::default();
    for dab in dabs {
        found.extend(reaching.faces(dab, |face| reaching.is_seen(dab, face)));
    }
    ascending(found)
}

/// Of these, those with edges longer than a length, in the project's unit. Whether the mesh hides them is
/// asked of those alone, and not on the way to them: most of what a stroke comes over is fine enough.
#[must_use]
pub fn coarse_under(
    geometry: &Geometry,
    to_project: &Affine3A,
    dabs: &[Dab],
    length: f32,
) -> Vec<u32> {
    let reaching = Reaching::new(geometry, to_project);
    let mut found: FxHashSet<u32> = FxHashSet::default();
    for dab in dabs {
        let mut faces = reaching.faces(dab, |_| true);
        faces.retain(|&face| !found.contains(&face) && reaching.is_coarse(dab, face, length));
        let seen =
            faces.into_par_iter().with_min_len(64).filter(|&face| reaching.is_seen(dab, face));
        found.extend(seen.collect::<Vec<u32>>());
    }
    ascending(found)
}

fn ascending(found: FxHashSet<u32>) -> Vec<u32> {
    let mut faces: Vec<u32> = found.into_iter().collect();
    faces.sort_unstable();
    faces
}

/// A mesh where it stands.
struct Reaching<'a> {
    geometry: &'a Geometry,
    to_project: &'a Affine3A,
    to_part: Affine3A,
    /// Further than anything of it, in the project's unit.
    far: f32,
}

impl<'a> Reaching<'a> {
    fn new(geometry: &'a Geometry, to_project: &'a Affine3A) -> Self {
        let size = geometry.extent().diagonal();
        let far = 2.0 * to_project.transform_vector3(Vec3::splat(size)).length();
        Self { geometry, to_project, to_part: to_project.inverse(), far }
    }

    fn corner(&self, corner: usize) -> Vec3 {
        self.to_project.transform_point3(self.geometry.mesh().corner_position(corner))
    }

    /// A face's triangles, about its first corner.
    fn triangles(&self, face: u32) -> impl Iterator<Item = [Vec3; 3]> + '_ {
        let corners = self.geometry.mesh().face_corners(face as usize);
        let first = corners.start;
        (first + 1..corners.end.max(first + 1) - 1)
            .map(move |c| [first, c, c + 1].map(|corner| self.corner(corner)))
    }

    /// Whether a dab reaches a face that looks to the user as the one in its middle does.
    fn is_met(&self, dab: &Dab, side: f32, face: u32) -> bool {
        self.triangles(face).any(|at| dab.side_seen(at) * side >= GRAZING && dab.reaches(at))
    }

    /// Whether edges are too long of what a dab reaches of a face.
    fn is_coarse(&self, dab: &Dab, face: u32, length: f32) -> bool {
        let mut triangles = self.triangles(face);
        triangles
            .any(|at| Triangle { at, uvs: [Vec2::ZERO; 3] }.longest() > length && dab.reaches(at))
    }

    /// Whether some of a face is not hidden by the mesh itself, where that counts.
    fn is_seen(&self, dab: &Dab, face: u32) -> bool {
        let Some(circle) = dab.circle.filter(|_| dab.faces_view && !dab.apart) else { return true };
        let Some(at) = self.triangles(face).next() else { return false };
        let middle = (at[0] + at[1] + at[2]) / 3.0;
        let near = nearest_on(dab.middle, at);
        [near, at[0], at[1], at[2], middle].into_iter().any(|p| {
            // A little within the face, so that its own edges hide nothing.
            let p = p.lerp(middle, 0.05);
            let eye = match circle.view {
                View::Perspective { eye, .. } => eye,
                View::Parallel { forward } => p - forward * self.far,
            };
            let [from, eye] = [p, eye].map(|p| self.to_part.transform_point3(p));
            self.geometry.bvh().is_clear(from, eye, 1e-4)
        })
    }

    /// What a dab meets, as far as one face leads to the next and `goes_on` lets it; all of it for a dab
    /// that asks for no connection.
    fn faces(&self, dab: &Dab, goes_on: impl Fn(u32) -> bool) -> Vec<u32> {
        let (geometry, mesh) = (self.geometry, self.geometry.mesh());
        let middle = self.to_part.transform_point3(dab.middle);
        let near = geometry.bvh().nearest(middle, f32::MAX, |_| true);
        let Some((start, ..)) = near else { return Vec::new() };
        let Some(first) = self.triangles(start).next() else { return Vec::new() };
        let side = dab.side_seen(first).signum();
        if dab.apart {
            let faces: Vec<u32> = match dab.circle {
                Some(_) => (0..mesh.face_count() as u32).collect(),
                None => {
                    // The longest that a step of one unit becomes, from above.
                    let axes = [self.to_part.x_axis, self.to_part.y_axis, self.to_part.z_axis];
                    let longest = axes.iter().map(|axis| axis.length_squared()).sum::<f32>().sqrt();
                    geometry.bvh().faces_within(middle, dab.radius * longest)
                }
            };
            return faces.into_par_iter().filter(|&face| self.is_met(dab, side, face)).collect();
        }
        let topology = geometry.topology();
        let mut known: FxHashSet<u32> = FxHashSet::default();
        known.insert(start);
        let mut met = vec![start];
        let mut next = 0;
        while let Some(&face) = met.get(next) {
            next += 1;
            for corner in mesh.face_corners(face as usize) {
                for other in topology.around(corner).skip(1) {
                    let beyond = topology.face_of(other) as u32;
                    if known.insert(beyond) && self.is_met(dab, side, beyond) && goes_on(beyond) {
                        met.push(beyond);
                    }
                }
            }
        }
        met
    }
}
