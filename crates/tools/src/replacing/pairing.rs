//! Which element of one mesh goes with which of another, by index or by place, and what it shows there.

use std::sync::OnceLock;

use glam::Vec3;
use rayon::prelude::*;
use speckle_color::Rgba;
use speckle_mesh::{Geometry, Mesh, Placement};
use speckle_model::{Part, remap::Mixing};

use super::{Matching, ReplacementReport, ReplacingError, SetReplaced};
use crate::on_surface::{On, drawn_in, weights};

pub(super) fn bounds(points: impl Iterator<Item = Vec3>) -> [Vec3; 2] {
    points.fold([Vec3::INFINITY, Vec3::NEG_INFINITY], |[low, high], p| [low.min(p), high.max(p)])
}

/// Values on a mesh.
pub(super) struct Values<'a> {
    pub(super) geometry: &'a Geometry,
    pub(super) placement: Placement,
    pub(super) mixing: Mixing<'a>,
}

impl Values<'_> {
    fn at_corner(&self, corner: usize) -> Rgba {
        self.mixing.values[self.geometry.element_at(self.placement, corner)]
    }

    /// What the surface shows at a place.
    fn on(&self, on: &On) -> Rgba {
        let element =
            |corner: u32| self.geometry.element_at(self.placement, corner as usize) as u32;
        // On a corner it is that corner's alone, to the bit.
        if let Some(i) = (0..3).find(|&i| on.weights[i] > 1.0 - 1e-6) {
            return self.mixing.values[element(on.corners[i]) as usize];
        }
        self.mixing.mixed(on.corners.map(element).into_iter().zip(on.weights))
    }
}

pub(super) fn mean(numbers: &[f32]) -> f32 {
    let sum: f64 = numbers.iter().copied().map(f64::from).sum();
    (sum / numbers.len().max(1) as f64) as f32
}

/// Which element of a target goes with what of a source.
pub(super) enum Pairing<'a> {
    /// The source's corner of each corner.
    Index { corners: Vec<u32>, distances: Vec<f32> },
    /// A place on the source for each element.
    Nearest(ByPlace<'a>),
}

/// Meshes that go together by order lie so near to each other, as a share of their size: else their
/// places are looked at as well.
pub(super) const SAME_PLACE: f32 = 1e-3;

impl<'a> Pairing<'a> {
    pub(super) fn new(
        target: &'a Geometry,
        source: &'a Geometry,
        matching: Option<Matching>,
    ) -> Result<Self, ReplacingError> {
        let by_place = || Self::Nearest(ByPlace::new(target, source));
        if matching == Some(Matching::Nearest) {
            return Ok(by_place());
        }
        match (Self::by_index(target, source), matching) {
            (Some(by_index), None)
                if by_index.mean_distance() > SAME_PLACE * target.measures().diagonal() =>
            {
                // As many faces in another order fill the same space; the same in another pose, or
                // another size, do not.
                let space = |own: &Geometry| bounds(own.shown_points().iter().copied());
                let ([low, high], [other_low, other_high]) = (space(target), space(source));
                let off = low.distance(other_low).max(high.distance(other_high));
                if off > SAME_PLACE * target.measures().diagonal() {
                    return Ok(by_index);
                }
                let by_place = by_place();
                let is_reordered = by_place.mean_distance() < 0.1 * by_index.mean_distance();
                Ok(if is_reordered { by_place } else { by_index })
            }
            (Some(by_index), _) => Ok(by_index),
            (None, None) => Ok(by_place()),
            (None, Some(_)) => Err(ReplacingError::OtherFaces {
                ours: target.mesh().face_count(),
                theirs: source.mesh().face_count(),
            }),
        }
    }

    pub(super) fn distances(&self) -> &[f32] {
        match self {
            Self::Index { distances, .. } => distances,
            Self::Nearest(by_place) => &by_place.distances,
        }
    }

    pub(super) fn mean_distance(&self) -> f32 {
        mean(self.distances())
    }

    /// Where the faces are the same, or the same once they are cut into triangles.
    pub(super) fn by_index(target: &Geometry, source: &Geometry) -> Option<Self> {
        let (ours, theirs) = (target.mesh(), source.mesh());
        let corners = if ours.face_starts() == theirs.face_starts() {
            (0..ours.corner_count() as u32).collect()
        } else if ours.triangle_count() == theirs.triangle_count() {
            let mut corners = vec![0; ours.corner_count()];
            let pairs = target.triangulation().corners().iter().flatten();
            for (&own, &other) in pairs.zip(source.triangulation().corners().iter().flatten()) {
                corners[own as usize] = other;
            }
            corners
        } else {
            return None;
        };
        let apart = corners.par_iter().enumerate().map(|(own, &other)| {
            ours.corner_position(own).distance(theirs.corner_position(other as usize))
        });
        let distances = apart.collect();
        Some(Self::Index { corners, distances })
    }

    /// The values of a source at the elements of a target.
    pub(super) fn values(
        &self,
        target: &Geometry,
        from: &Values,
        placement: Placement,
    ) -> Vec<Rgba> {
        let mesh = target.mesh();
        match self {
            Self::Index { corners, .. } => {
                let at = |corner: usize| from.at_corner(corners[corner] as usize);
                match placement {
                    Placement::Corner => (0..mesh.corner_count()).map(at).collect(),
                    Placement::Face => {
                        (0..mesh.face_count()).map(|f| at(mesh.face_corners(f).start)).collect()
                    }
                    Placement::Vertex => {
                        let mut values = vec![None; mesh.vertex_count()];
                        for (corner, &vertex) in mesh.corner_vertices().iter().enumerate() {
                            values[vertex as usize].get_or_insert_with(|| at(corner));
                        }
                        // A vertex of no face has none: it shows nothing.
                        let ground = from.mixing.ground;
                        values.into_iter().map(|value| value.unwrap_or(ground)).collect()
                    }
                }
            }
            Self::Nearest(by_place) => {
                // Asked for before work is shared out: see `Geometry`. Only faces are looked up in it.
                if from.placement == Placement::Face {
                    let _ = from.geometry.topology();
                }
                by_place.places(placement).par_iter().map(|on| from.on(on)).collect()
            }
        }
    }

    /// The same at the placement that is wanted, if all corners agree there; else at the corners.
    pub(super) fn plainest(
        &self,
        target: &Geometry,
        from: &Values,
        wanted: Placement,
    ) -> (Placement, Vec<Rgba>) {
        let values = self.values(target, from, wanted);
        // By place, what an element shows is what the surface shows there.
        let Self::Index { corners, .. } = self else { return (wanted, values) };
        let agrees = corners.iter().enumerate().all(|(own, &other)| {
            values[target.element_at(wanted, own)] == from.at_corner(other as usize)
        });
        if agrees {
            (wanted, values)
        } else {
            (Placement::Corner, self.values(target, from, Placement::Corner))
        }
    }

    /// The source's face for each face of the target.
    pub(super) fn faces(&self, target: &Geometry, source: &Geometry) -> Vec<u32> {
        let face_of = |corner: u32| source.topology().face_of(corner as usize) as u32;
        let mesh = target.mesh();
        match self {
            Self::Index { corners, .. } => (0..mesh.face_count())
                .map(|face| face_of(corners[mesh.face_corners(face).start]))
                .collect(),
            Self::Nearest(by_place) => {
                let faces = by_place.places(Placement::Face);
                faces.iter().map(|on| face_of(on.corners[0])).collect()
            }
        }
    }

    /// How far the source is from each of the target's vertices (or corners) where the part stands,
    /// which may be scaled unevenly.
    pub(super) fn distances_in_project(
        &self,
        part: &Part,
        [target, source]: [&Mesh; 2],
    ) -> Vec<f32> {
        let to_project = part.traits.transform.to_project();
        let length = |off: Vec3| to_project.transform_vector3(off).length();
        match self {
            Self::Index { corners, .. } => {
                let pairs = corners.par_iter().enumerate();
                let off = |(own_corner, &corner): (usize, &u32)| {
                    target.corner_position(own_corner) - source.corner_position(corner as usize)
                };
                pairs.map(|pair| length(off(pair))).collect()
            }
            Self::Nearest(by_place) => {
                let pairs = target.positions().par_iter().zip(&by_place.vertices);
                pairs.map(|(&vertex, on)| length(vertex - on.point(source))).collect()
            }
        }
    }

    pub(super) fn report(
        &self,
        part: &Part,
        meshes: [&Mesh; 2],
        sets: Vec<SetReplaced>,
        faces: [usize; 2],
    ) -> ReplacementReport {
        let matching = match self {
            Self::Index { .. } => Matching::Index,
            Self::Nearest(_) => Matching::Nearest,
        };
        let distances = self.distances_in_project(part, meshes);
        ReplacementReport {
            matching,
            max_distance: distances.iter().fold(0.0, |most, &far| far.max(most)),
            mean_distance: mean(&distances),
            sets,
            faces,
        }
    }
}

/// The nearest places on a source: those of vertices, by which its distance is told; those of corners
/// and faces once they are asked for.
pub(super) struct ByPlace<'a> {
    target: &'a Geometry,
    source: &'a Geometry,
    vertices: Vec<On>,
    distances: Vec<f32>,
    corners: OnceLock<Vec<On>>,
    faces: OnceLock<Vec<On>>,
}

impl<'a> ByPlace<'a> {
    pub(super) fn new(target: &'a Geometry, source: &'a Geometry) -> Self {
        let (vertices, distances) = nearest(source, target.mesh().positions()).unzip();
        let (corners, faces) = Default::default();
        Self { target, source, vertices, distances, corners, faces }
    }

    pub(super) fn places(&self, placement: Placement) -> &[On] {
        let mesh = self.target.mesh();
        let near = |points: &[Vec3]| nearest(self.source, points).map(|(on, _)| on).collect();
        match placement {
            Placement::Vertex => &self.vertices,
            Placement::Corner => self.corners.get_or_init(|| near(&drawn_in(mesh))),
            Placement::Face => self.faces.get_or_init(|| {
                let faces = (0..mesh.face_count()).into_par_iter();
                near(&faces.map(|face| mesh.face_centroid(face)).collect::<Vec<_>>())
            }),
        }
    }
}

/// The places on a source nearest to points, and how far they are.
fn nearest(source: &Geometry, points: &[Vec3]) -> impl ParallelIterator<Item = (On, f32)> {
    let (mesh, triangles) = (source.mesh(), source.triangulation().corners());
    let found = source.near().nearest_to_each(points).into_par_iter();
    found.map(move |near| {
        // Meshes have faces.
        let (triangle, at, far) = near.unwrap_or_default();
        let corners = triangles[triangle as usize];
        let [a, b, c] = corners.map(|corner| mesh.corner_position(corner as usize));
        (On { corners, weights: weights(at, a, b, c) }, far)
    })
}
