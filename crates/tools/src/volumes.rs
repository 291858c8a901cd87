//! Color volumes where they stand: which faces they meet, and where else they come out.

use std::sync::Arc;

use glam::{Affine3A, Vec3};
use rayon::prelude::*;
use speckle_mesh::{Geometry, body::Body, solid::Solid};
use speckle_model::{
    Part, PartId,
    volumes::{Shape, Volume},
};

/// A volume where it stands, with its shape at hand.
#[derive(Clone)]
pub struct Standing {
    /// What is said of it.
    pub volume: Volume,
    form: Form,
    inward: Affine3A,
    /// The box about it, in its own space.
    bounds: [Vec3; 2],
    /// A ball about it, in the project's space.
    middle: Vec3,
    radius: f32,
}

/// What a volume is shaped by.
#[derive(Clone)]
pub enum Form {
    /// A solid that is known by a formula.
    Solid(Solid),
    /// What a mesh encloses.
    Body(Arc<Geometry>),
}

/// A connected patch of faces that a volume meets.
#[derive(Clone, Debug, PartialEq)]
pub struct Patch {
    /// The faces, ascending.
    pub faces: Vec<u32>,
    /// How large they are, in square steps of the project's unit.
    pub area: f64,
    /// The middle of the face that is nearest to the volume's own middle, in the project's space.
    pub at: Vec3,
}

/// Rays that look whether a point is enclosed; none runs along what is modelled in straight lines.
const WAYS: [Vec3; 3] = [
    Vec3::new(0.801_783_7, 0.267_261_2, 0.534_522_5),
    Vec3::new(-0.316_227_8, 0.904_534, 0.285_986_4),
    Vec3::new(0.123_091_5, -0.492_366, 0.861_640_4),
];

/// The most walls a ray goes through.
const MOST_WALLS: usize = 4_096;

impl Standing {
    /// A volume where it stands; none where it colors nothing: it is off, has no swatch, or its part
    /// is gone.
    #[must_use]
    pub fn new(volume: &Volume, parts: &[Part]) -> Option<Self> {
        if volume.off || volume.swatch == 0 {
            return None;
        }
        let to_project = volume.transform.to_project();
        let (form, bounds) = match volume.shape {
            Shape::Solid { solid } => (Form::Solid(solid), [Vec3::NEG_ONE, Vec3::ONE]),
            Shape::Part { part } => {
                let geometry = parts.iter().find(|own| own.id == part)?.geometry.clone();
                let measures = geometry.measures();
                let bounds = [measures.min, measures.max];
                (Form::Body(geometry), bounds)
            }
        };
        let corners = (0..8).map(|i| {
            let at = |axis: usize| bounds[(i >> axis) & 1][axis];
            to_project.transform_point3(Vec3::new(at(0), at(1), at(2)))
        });
        let middle = to_project.transform_point3((bounds[0] + bounds[1]) / 2.0);
        let radius = corners.map(|corner| corner.distance(middle)).fold(0.0, f32::max);
        let inward = to_project.inverse();
        Some(Self { volume: volume.clone(), form, inward, bounds, middle, radius })
    }

    /// The same of all that color something, those of one kind: that color painted faces too, or
    /// unpainted ones alone.
    #[must_use]
    pub fn all(volumes: &[Volume], over: bool, parts: &[Part]) -> Vec<Self> {
        let of_kind = volumes.iter().filter(|volume| volume.over == over);
        of_kind.filter_map(|volume| Self::new(volume, parts)).collect()
    }

    /// What it is shaped by.
    #[must_use]
    pub fn form(&self) -> &Form {
        &self.form
    }

    /// Has at hand what it needs to be asked where it is: before work is shared out, see `Geometry`.
    pub fn ready(&self) {
        if let Form::Body(geometry) = &self.form {
            let _ = geometry.bvh();
        }
    }

    /// The part whose shape it has.
    #[must_use]
    pub fn part(&self) -> Option<PartId> {
        match self.volume.shape {
            Shape::Part { part } => Some(part),
            Shape::Solid { .. } => None,
        }
    }

    /// Its middle, in the project's space.
    #[must_use]
    pub fn middle(&self) -> Vec3 {
        self.middle
    }

    /// Whether it stands near a part at all.
    #[must_use]
    pub fn may_meet(&self, body: &Body) -> bool {
        let measures = body.geometry.measures();
        let (min, max) = (measures.min, measures.max);
        let corners = (0..8).map(|i| {
            let at = |axis: usize| [min, max][(i >> axis) & 1][axis];
            body.placed.to_project(Vec3::new(at(0), at(1), at(2)))
        });
        let none = (Vec3::INFINITY, Vec3::NEG_INFINITY);
        let (low, high) = corners.fold(none, |(a, b), p| (a.min(p), b.max(p)));
        self.middle.clamp(low, high.max(low)).distance(self.middle) <= self.radius
    }

    /// Whether a point of the project lies within it.
    #[must_use]
    pub fn holds(&self, point: Vec3) -> bool {
        let own = self.inward.transform_point3(point);
        let is_near = own.cmpge(self.bounds[0]).all() && own.cmple(self.bounds[1]).all();
        is_near
            && match &self.form {
                Form::Solid(solid) => solid.outwards(own) <= 1.0,
                Form::Body(geometry) => is_enclosed(geometry, own),
            }
    }

    /// How far a point of the project lies outside of a body, in the body's own numbers; below 0
    /// within it. Nothing for solids, which are known by formulas.
    #[must_use]
    pub fn depth(&self, point: Vec3) -> Option<f32> {
        let Form::Body(geometry) = &self.form else { return None };
        let own = self.inward.transform_point3(point);
        let (_, nearest, _) = geometry.bvh().nearest(own, f32::MAX, |_| true)?;
        let far = nearest.distance(own);
        Some(if is_enclosed(geometry, own) { -far } else { far })
    }
}

/// Whether a mesh encloses a point of its own space: what most of three rays say that go out and
/// count walls, so that one hole does not turn everything over.
fn is_enclosed(geometry: &Geometry, point: Vec3) -> bool {
    let hair = 1e-6 * geometry.measures().diagonal();
    let says = WAYS.iter().filter(|&&way| {
        let (mut from, mut walls) = (point, 0);
        while walls < MOST_WALLS
            && let Some(hit) = geometry.bvh().cast(from, way)
        {
            walls += 1;
            from = hit.point + way * hair;
        }
        walls % 2 == 1
    });
    says.count() >= 2
}

/// For every face of a part, which of some volumes shows there, by its place among them and counted
/// from 1: the first that holds the face's middle. 0 for none.
#[must_use]
pub fn showing(body: &Body, volumes: &[Standing]) -> Vec<u32> {
    let mesh = body.geometry.mesh();
    let near: Vec<(usize, &Standing)> =
        volumes.iter().enumerate().filter(|(_, volume)| volume.may_meet(body)).collect();
    if near.is_empty() {
        return vec![0; mesh.face_count()];
    }
    near.iter().for_each(|(_, volume)| volume.ready());
    let shows = |face: usize| {
        let middle = body.placed.to_project(mesh.face_centroid(face));
        let first = near.iter().find(|(_, volume)| volume.holds(middle));
        first.map_or(0, |(i, _)| *i as u32 + 1)
    };
    (0..mesh.face_count()).into_par_iter().with_min_len(256).map(shows).collect()
}

/// The connected patches of a part that a volume meets, the one nearest to its middle first: any
/// other is where it comes out elsewhere.
#[must_use]
pub fn patches(body: &Body, areas: &[f64], volume: &Standing) -> Vec<Patch> {
    let (mesh, topology) = (body.geometry.mesh(), body.geometry.topology());
    let mut is_met: Vec<bool> =
        showing(body, std::slice::from_ref(volume)).into_iter().map(|shows| shows > 0).collect();
    let middle = |face: u32| body.placed.to_project(mesh.face_centroid(face as usize));
    let mut patches: Vec<(f32, Patch)> = Vec::new();
    for first in 0..mesh.face_count() {
        if !std::mem::take(&mut is_met[first]) {
            continue;
        }
        let (mut faces, mut next) = (vec![first as u32], 0);
        while next < faces.len() {
            for corner in mesh.face_corners(faces[next] as usize) {
                for other in topology.around(corner).skip(1) {
                    let beyond = topology.face_of(other);
                    if std::mem::take(&mut is_met[beyond]) {
                        faces.push(beyond as u32);
                    }
                }
            }
            next += 1;
        }
        faces.sort_unstable();
        let away = |face: &u32| middle(*face).distance(volume.middle);
        let nearest = faces.iter().copied().min_by(|a, b| away(a).total_cmp(&away(b)));
        let nearest = nearest.unwrap_or(first as u32);
        let area = faces.iter().map(|&face| areas[face as usize]).sum();
        patches.push((away(&nearest), Patch { faces, area, at: middle(nearest) }));
    }
    patches.sort_by(|(a, _), (b, _)| a.total_cmp(b));
    patches.into_iter().map(|(_, patch)| patch).collect()
}
