//! A mesh made finer here and there, its shape unchanged: edges split until they are short enough, and
//! along the rim of what a stroke covers.
//!
//! An edge is split in its middle, and only where it is the longest of all triangles beside it; else a
//! longer one next to it goes first (longest-edge propagation path, Rivara 1997). So nothing hangs, and
//! no angle becomes smaller than half of the smallest that was there.

mod around;
mod reaching;
mod splitting;

use std::collections::VecDeque;

use glam::{Affine3A, Vec3};
use speckle_mesh::{
    Mesh,
    geometry::{bvh::nearest_on, local::LocalEdit},
};

pub use reaching::{coarse_under, reached};
use splitting::Work;

use crate::{
    bake::watch::Watch, region::border::Border, stencil::LyingImage, stroke::circle::Circle,
};

/// What one dab of a stroke covers, in the project's space.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Dab {
    /// Where it lies.
    pub middle: Vec3,
    /// How far it reaches.
    pub radius: f32,
    /// Whether it is a circle as seen from somewhere; else it is a ball.
    pub circle: Option<Circle>,
    /// Of a circle, whether only faces count that look to the user as the one in its middle does.
    pub faces_view: bool,
    /// Whether faces count that are not connected with the one in its middle.
    pub apart: bool,
}

impl Dab {
    /// How far a point is from its middle, in radii; nothing for what is behind the eye.
    fn distance(&self, p: Vec3) -> Option<f32> {
        match self.circle {
            Some(circle) => Some(circle.seen(p)?.length() / self.radius),
            None => Some(p.distance(self.middle) / self.radius),
        }
    }

    /// Whether it reaches a triangle.
    fn reaches(&self, at: [Vec3; 3]) -> bool {
        let Some(circle) = self.circle else {
            return nearest_on(self.middle, at).distance(self.middle) < self.radius;
        };
        let [Some(a), Some(b), Some(c)] = at.map(|p| circle.seen(p)) else { return false };
        nearest_on(Vec3::ZERO, [a, b, c]).length() < self.radius
    }

    /// Which side of a triangle the user sees, as the cosine between its normal and the way to the eye:
    /// above 0 the outside.
    fn side_seen(&self, at: [Vec3; 3]) -> f32 {
        let Some(circle) = self.circle.filter(|_| self.faces_view) else { return 1.0 };
        let normal = (at[1] - at[0]).cross(at[2] - at[0]).normalize_or_zero();
        -normal.dot(circle.view.sight(at[0]).normalize_or_zero())
    }
}

/// What becomes of the mesh under a stroke.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Finer {
    /// Edges under it become no longer than this, in the project's unit.
    pub edges: Option<f32>,
    /// Whether faces are cut along its rim: at these distances from it, outwards.
    pub rim: Option<Rim>,
    /// How many faces may come at most; see [`MOST_NEW`].
    pub most: usize,
}

/// Where a rim is cut.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Rim {
    /// Once: what belongs to corners and faces ends there.
    Once,
    /// On either side, a tolerance apart: what belongs to vertices runs out between.
    Twice,
}

impl Rim {
    /// How far beyond the rim cuts lie, in radii.
    fn offsets(self) -> &'static [f32] {
        match self {
            Self::Once => &[0.0],
            Self::Twice => &[-0.5 * BAND, 0.5 * BAND],
        }
    }

    /// How much of the paint a stencil lets through where it is cut along: between the middles of two pixels.
    fn shares(self) -> &'static [f32] {
        match self {
            Self::Once => &[0.5],
            Self::Twice => &[0.1, 0.9],
        }
    }
}

/// No stroke makes more faces than this.
pub const MOST_NEW: usize = 400_000;

/// How far a cut may be off the rim of a single dab, as a share of its radius: a circle loses a thousandth of
/// its area at most.
pub const DAB_TOLERANCE: f32 = 1e-3;

/// The same of a stroke: no more than its dabs, a fifth of a radius apart, make its rim wave.
pub const STROKE_TOLERANCE: f32 = 5e-3;

/// How wide the band is in which what belongs to vertices runs out at a rim that is cut twice, as a share of
/// a dab's radius.
pub const BAND: f32 = 0.01;

/// A point nearer to the rim than this, in radii, lies on it.
const ON_RIM: f32 = 2e-4;

/// A rim nearer to an end of an edge than this share of it goes through the end.
const AT_END: f32 = 0.02;

/// The same of borders, whose straight sides may cross the longest of edges.
const BORDER_END: f32 = 1e-4;

/// Makes the faces that were reached finer, where a rim is cut also along the stencil that lies there; says how many
/// came.
pub fn make_finer(
    edit: &mut LocalEdit,
    faces: Vec<u32>,
    to_project: &Affine3A,
    dabs: &[Dab],
    finer: Finer,
    stencil: Option<&LyingImage>,
) -> usize {
    let before = edit.mesh().face_count();
    let mut work = Work::bounded(edit, to_project, finer.most);
    let covered = Dabs(dabs);
    let mut faces = faces;
    if let Some(length) = finer.edges {
        faces = work.refine(faces, |at| covered.reach(at).then_some(length));
    }
    if let (Some(stencil), Some(rim)) = (stencil, finer.rim) {
        faces = work.cut_by_stencil(faces, stencil, rim, |at| covered.reach(at));
    }
    if let Some(rim) = finer.rim {
        let tolerance = if dabs.len() == 1 { DAB_TOLERANCE } else { STROKE_TOLERANCE };
        faces = work.refine(faces, |at| {
            let radius = covered.crossed_by(at)?;
            // The sagitta of a chord is its square over eight radii.
            Some(radius * (8.0 * tolerance).sqrt())
        });
        for offset in rim.offsets() {
            faces = work.cut(faces, AT_END, |p| covered.height(p) - offset);
        }
    }
    work.edit.mesh().face_count() - before
}

/// Cuts faces along the border of a region; says how many faces came. Where the border is bent, faces are
/// made so fine there that it is met within [`DAB_TOLERANCE`].
pub fn cut_along(
    edit: &mut LocalEdit,
    mut faces: Vec<u32>,
    to_project: &Affine3A,
    border: &Border,
    rim: Rim,
) -> usize {
    let before = edit.mesh().face_count();
    let mut work = Work::new(edit, to_project);
    for side in border.sides() {
        faces = work.refine(faces, |at| {
            let longest = (0..3).map(|i| at[i].distance(at[(i + 1) % 3])).fold(0.0, f32::max);
            side.is_bent_in(at, DAB_TOLERANCE).then_some(0.51 * longest)
        });
        for offset in rim.offsets() {
            faces = work.cut(faces, BORDER_END, |p| side.height(p) - offset);
        }
    }
    work.edit.mesh().face_count() - before
}

/// Cuts faces along the border of what a stencil lets through; says how many faces came.
pub fn cut_along_stencil(
    edit: &mut LocalEdit,
    faces: Vec<u32>,
    to_project: &Affine3A,
    stencil: &LyingImage,
    rim: Rim,
) -> usize {
    let before = edit.mesh().face_count();
    Work::new(edit, to_project).cut_by_stencil(faces, stencil, rim, |_| true);
    edit.mesh().face_count() - before
}

/// Splits the edges that leave a flood next to its border, so that what belongs to vertices runs out within [`BAND`]
/// of them; says how many faces came.
pub fn cut_around(edit: &mut LocalEdit, flooded: &[u32], to_project: &Affine3A) -> usize {
    let before = edit.mesh().face_count();
    Work::new(edit, to_project).cut_around(flooded);
    edit.mesh().face_count() - before
}

/// Makes edges of chosen faces no longer than a length, in the project's unit; says how many faces came.
pub fn shorten(
    edit: &mut LocalEdit,
    faces: Vec<u32>,
    to_project: &Affine3A,
    length: f32,
    watch: &Watch,
) -> usize {
    let before = edit.mesh().face_count();
    let mut work = Work::new(edit, to_project);
    let mut is_in = vec![false; before];
    faces.iter().for_each(|&face| is_in[face as usize] = true);
    work.refine_chosen(faces, is_in, length, watch);
    work.edit.mesh().face_count() - before
}

/// What dabs cover together.
struct Dabs<'a>(&'a [Dab]);

impl Dabs<'_> {
    /// Whether one of them reaches a triangle.
    fn reach(&self, at: [Vec3; 3]) -> bool {
        self.0.iter().any(|dab| dab.reaches(at))
    }

    /// Whether the rim of what they cover passes a triangle: the least radius of those it lies at.
    fn crossed_by(&self, at: [Vec3; 3]) -> Option<f32> {
        let is_out = at.iter().any(|&p| self.height(p) > 0.0);
        let near = self.0.iter().filter(|dab| {
            let is_beyond = |p: &Vec3| dab.distance(*p).is_none_or(|far| far > 1.0);
            at.iter().any(is_beyond) && dab.reaches(at)
        });
        let least = near.map(|dab| dab.radius).min_by(f32::total_cmp);
        least.filter(|_| is_out)
    }

    /// How far a point lies beyond the rim, in radii of the dab it is nearest to.
    fn height(&self, p: Vec3) -> f32 {
        let of = |dab: &Dab| dab.distance(p).map_or(f32::MAX, |far| far - 1.0);
        self.0.iter().map(of).fold(f32::MAX, f32::min)
    }
}

/// Splits the longest edges of faces as long as something says of a face that it is too coarse, by the
/// corners of the mesh as it is then; says how many faces came.
pub fn refine_where(
    edit: &mut LocalEdit,
    faces: Vec<u32>,
    to_project: &Affine3A,
    is_coarse: impl Fn(&Mesh, [usize; 3]) -> bool,
    watch: &Watch,
) -> usize {
    let before = edit.mesh().face_count();
    let mut work = Work::new(edit, to_project);
    let mut waiting = VecDeque::from(faces);
    // The first come first, so that a bound is reached everywhere alike.
    while let Some(face) = waiting.pop_front() {
        if watch.is_given_up() {
            break;
        }
        let Some(corners) = work.corners(face) else { continue };
        if !is_coarse(work.edit.mesh(), corners) {
            continue;
        }
        let edge = work.first_to_split(corners);
        let Some(come) = work.split(edge, 0.5) else { continue };
        waiting.push_back(face);
        waiting.extend(come);
    }
    work.edit.mesh().face_count() - before
}
