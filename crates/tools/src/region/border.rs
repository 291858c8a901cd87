//! Where regions end that are cut out of space or of the screen, so that faces can be cut there.

use glam::{Vec2, Vec3};
use rayon::prelude::*;
use speckle_mesh::{
    Transform,
    body::Body,
    scene::{Scene, SightLines},
    screen::{Screen, is_inside},
};

use super::{Region, Solid};
use crate::volumes::{Form, Standing};

/// The border of a region: of one with straight sides that do not meet, each side by itself.
pub struct Border<'a> {
    sides: Vec<Side<'a>>,
}

/// A side of a region's border.
pub enum Side<'a> {
    /// A plane.
    Plane {
        /// Across it, unit length.
        across: Vec3,
        /// How far from the origin it lies.
        at: f32,
        /// What a height of 1 is, in the project's unit.
        unit: f32,
    },
    /// The surface of a solid.
    Solid {
        /// Which.
        solid: Solid,
        /// From the project's space to its own.
        inward: glam::Affine3A,
        /// How high a step of one unit of the project leads at most.
        steep: f32,
    },
    /// The surface of a volume that has the shape of a part.
    Body {
        /// The volume.
        volume: &'a Standing,
        /// What a height of 1 is in its own numbers.
        unit: f32,
        /// How high a step of one unit of the project leads at most.
        steep: f32,
    },
    /// An outline on the screen.
    Outline {
        /// The screen.
        screen: &'a Screen,
        /// The outline.
        outline: &'a [Vec2],
        /// What a height of 1 is there.
        unit: f32,
        /// Whether hidden faces count as well.
        through: bool,
    },
}

/// The steepest that any solid rises by its own numbers: a cone, 2 outwards and 1 up.
const STEEPEST: f32 = 2.236_068;

impl Region {
    /// Where it ends, if that is where faces can be cut: with a hard edge, in space or on the screen.
    /// `size` is that of the part, in the project's unit.
    #[must_use]
    pub fn border(&self, size: f32) -> Option<Border<'_>> {
        let sides = match self {
            Self::Band { direction, from, to, soft: 0.0 } => {
                let unit = (to - from).min(size).max(1e-3 * size);
                let across = direction.normalize();
                let sides = [*from, *to].map(|at| Side::Plane { across, at, unit });
                sides.into_iter().collect()
            }
            Self::Solid { solid, transform, soft: 0.0 } => vec![Side::of_solid(*solid, transform)],
            Self::Lasso { screen, outline, through } => {
                let (min, max) = outline
                    .iter()
                    .fold((Vec2::MAX, Vec2::MIN), |(min, max), &p| (min.min(p), max.max(p)));
                let unit = (max - min).length().max(f32::MIN_POSITIVE);
                vec![Side::Outline { screen, outline, unit, through: *through }]
            }
            _ => return None,
        };
        Some(Border { sides })
    }
}

impl<'a> Border<'a> {
    /// Where a volume ends.
    #[must_use]
    pub fn of_volume(volume: &'a Standing) -> Self {
        volume.ready();
        let transform = &volume.volume.transform;
        let side = match volume.form() {
            Form::Solid(solid) => Side::of_solid(*solid, transform),
            Form::Body(body) => {
                let least = transform.scale.abs().min_element().max(f32::MIN_POSITIVE);
                let unit = (body.measures().diagonal() / 2.0).max(f32::MIN_POSITIVE);
                Side::Body { volume, unit, steep: 1.0 / (least * unit) }
            }
        };
        Self { sides: vec![side] }
    }

    /// Each side of it.
    #[must_use]
    pub fn sides(&self) -> &[Side<'a>] {
        &self.sides
    }

    /// The faces that it may pass, ascending, whether they are seen or not.
    #[must_use]
    pub fn near(&self, body: &Body) -> Vec<u32> {
        let mesh = body.geometry.mesh();
        let faces = (0..mesh.face_count() as u32).into_par_iter();
        faces.filter(|&face| self.is_near(body, face as usize)).collect()
    }

    fn is_near(&self, body: &Body, face: usize) -> bool {
        let (mesh, place) = (body.geometry.mesh(), |p: Vec3| body.placed.to_project(p));
        let middle = place(mesh.face_centroid(face));
        self.sides.iter().any(|side| {
            let at = mesh.face_corners(face).map(|corner| place(mesh.corner_position(corner)));
            side.may_pass(middle, at)
        })
    }

    /// The faces that it may pass, ascending. Of an outline on the screen, those that are seen, unless it
    /// goes right through.
    #[must_use]
    pub fn faces(&self, body: &Body, scene: &Scene) -> Vec<u32> {
        let looks =
            self.sides.iter().any(|side| matches!(side, Side::Outline { through: false, .. }));
        let near = self.near(body);
        if looks { seen(body, scene, near) } else { near }
    }
}

/// Those of faces that are seen, in their order.
#[must_use]
pub fn seen(body: &Body, scene: &Scene, faces: Vec<u32>) -> Vec<u32> {
    let mesh = body.geometry.mesh();
    let sights = SightLines::new(&body.geometry, &body.placed, scene);
    let is_seen = |&face: &u32| {
        let middle = mesh.face_centroid(face as usize);
        let corners = mesh.face_corners(face as usize);
        // A little within the face, so that its own edges hide nothing.
        let mut within = corners.map(|corner| mesh.corner_position(corner).lerp(middle, 0.05));
        sights.is_clear(middle) || within.any(|p| sights.is_clear(p))
    };
    faces.into_par_iter().filter(is_seen).collect()
}

impl Side<'_> {
    fn of_solid(solid: Solid, transform: &Transform) -> Self {
        let least = transform.scale.abs().min_element().max(f32::MIN_POSITIVE);
        let inward = transform.to_project().inverse();
        Self::Solid { solid, inward, steep: STEEPEST / least }
    }

    /// How far a point of the project lies beyond it, above 0 on the outer side; about as far for all that
    /// lie behind the eye.
    #[must_use]
    pub fn height(&self, p: Vec3) -> f32 {
        match self {
            Self::Plane { across, at, unit } => (across.dot(p) - at) / unit,
            Self::Solid { solid, inward, .. } => solid.outwards(inward.transform_point3(p)) - 1.0,
            Self::Body { volume, unit, .. } => volume.depth(p).map_or(f32::MAX, |far| far / unit),
            Self::Outline { screen, outline, unit, .. } => {
                let Some(place) = screen.place(p) else { return f32::MAX };
                let far = distance(outline, place) / unit;
                if is_inside(outline, place) { -far } else { far }
            }
        }
    }

    /// How much higher or lower one point can be than another at most.
    fn apart(&self, from: Vec3, to: Vec3) -> f32 {
        match self {
            Self::Plane { unit, .. } => from.distance(to) / unit,
            Self::Solid { steep, .. } | Self::Body { steep, .. } => from.distance(to) * steep,
            Self::Outline { screen, unit, .. } => match (screen.place(from), screen.place(to)) {
                (Some(from), Some(to)) => from.distance(to) / unit,
                _ => f32::MAX,
            },
        }
    }

    /// Whether it may pass what lies between a middle and points about it.
    fn may_pass(&self, middle: Vec3, mut about: impl Iterator<Item = Vec3>) -> bool {
        let height = self.height(middle).abs();
        // What lies behind the eye is not seen.
        height < f32::MAX && about.any(|p| height <= self.apart(middle, p))
    }

    /// Whether it passes a triangle and is bent there by more than a tolerance, so that cutting the edges
    /// would not follow it.
    #[must_use]
    pub fn is_bent_in(&self, at: [Vec3; 3], tolerance: f32) -> bool {
        let middle = (at[0] + at[1] + at[2]) / 3.0;
        if matches!(self, Self::Plane { .. }) || !self.may_pass(middle, at.into_iter()) {
            return false;
        }
        if at.iter().all(|&p| self.apart(middle, p) < tolerance) {
            return false;
        }
        let heights = at.map(|p| self.height(p));
        let is_off = |p: Vec3, even: f32| (self.height(p) - even).abs() > tolerance;
        is_off(middle, heights.iter().sum::<f32>() / 3.0)
            || (0..3).any(|i| {
                let j = (i + 1) % 3;
                [0.25, 0.5, 0.75].into_iter().any(|along| {
                    is_off(at[i].lerp(at[j], along), heights[i] + (heights[j] - heights[i]) * along)
                })
            })
    }
}

/// How far a place is from an outline that closes itself.
fn distance(outline: &[Vec2], place: Vec2) -> f32 {
    let Some(&last) = outline.last() else { return f32::MAX };
    let mut before = last;
    let mut least = f32::MAX;
    for &corner in outline {
        let way = corner - before;
        let along = (place - before).dot(way) / way.length_squared().max(f32::MIN_POSITIVE);
        least = least.min((before + way * along.clamp(0.0, 1.0)).distance_squared(place));
        before = corner;
    }
    least.sqrt()
}
