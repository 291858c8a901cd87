//! Bringing a surface to where another lies.

use glam::{DMat3, DQuat, DVec3, EulerRot, Vec3};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use speckle_mesh::{Geometry, body::Placed, geometry::near::Near, transform::Transform};

/// By what a surface is brought to another.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum AlignBy {
    /// The boxes about both have one middle and one size.
    Bounds,
    /// The surfaces lie as near together as they can, turned and moved but not scaled.
    BestFit,
}

/// Where a surface has to stand, and how well it lies there.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Alignment {
    /// Where it stands then.
    pub transform: Transform,
    /// How far its points lie from the other surface then: the root of the mean square, in the
    /// project's unit.
    pub residual: f32,
    /// The same before.
    pub before: f32,
}

/// A turn, and a move after it.
#[derive(Clone, Copy)]
struct Motion {
    turn: DQuat,
    by: DVec3,
}

impl Motion {
    const NONE: Self = Self { turn: DQuat::IDENTITY, by: DVec3::ZERO };

    fn point(&self, point: DVec3) -> DVec3 {
        self.turn * point + self.by
    }

    /// This and then another.
    fn then(&self, next: &Self) -> Self {
        Self { turn: (next.turn * self.turn).normalize(), by: next.point(self.by) }
    }
}

/// How many points of the surface that moves are looked at.
const POINTS: usize = 6_000;

/// How many steps a start is given to show what it is worth, and how many the best of them.
const TRIAL_STEPS: usize = 12;
const STEPS: usize = 120;

/// The share of points, the nearest ones, that count: surfaces may overlap in part only (trimmed ICP;
/// Chetverikov, Stepanov and Krsek 2005).
const COUNTING: f64 = 0.9;

/// Finds where a surface has to stand to lie on another.
#[must_use]
pub fn align(
    moving: (&Geometry, &Transform),
    fixed: (&Geometry, &Transform),
    by: AlignBy,
) -> Alignment {
    let field = Field::new(fixed.0, fixed.1);
    let points = points_of(moving.0, moving.1);
    let before = field.residual(&points, &Motion::NONE);
    let transform = match by {
        AlignBy::Bounds => by_bounds(moving, fixed),
        AlignBy::BestFit => moved(moving.1, &best_fit(&points, &field)),
    };
    let residual = field.residual(&points_of(moving.0, &transform), &Motion::NONE);
    Alignment { transform, residual: residual as f32, before: before as f32 }
}

/// Why points do not say where a surface has to stand.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum PairsError {
    /// There are too few.
    #[error("three pairs of points are needed: one on each surface, for three places")]
    Few,
    /// They do not say how it is turned.
    #[error("the points lie on a line: choose three that are spread over the surface")]
    OnALine,
}

/// Finds where a surface has to stand so that points of it lie on others, as near as they can in the mean
/// of the squares (Horn, Closed-form solution of absolute orientation, 1987). Each pair is a point on it and
/// the one where that belongs, in the project's space. `scales`: whether it may become larger or smaller.
///
/// # Errors
/// See [`PairsError`].
pub fn align_by_pairs(
    moving: (&Geometry, &Transform),
    fixed: (&Geometry, &Transform),
    pairs: &[[Vec3; 2]],
    scales: bool,
) -> Result<Alignment, PairsError> {
    if pairs.len() < 3 || pairs.iter().flatten().any(|p| !p.is_finite()) {
        return Err(PairsError::Few);
    }
    let pairs: Vec<[DVec3; 2]> = pairs.iter().map(|pair| pair.map(|p| p.as_dvec3())).collect();
    let middle = |i: usize| pairs.iter().map(|pair| pair[i]).sum::<DVec3>() / pairs.len() as f64;
    let (from, to) = (middle(0), middle(1));
    let spread = |i: usize, middle: DVec3| -> f64 {
        pairs.iter().map(|pair| pair[i].distance_squared(middle)).sum()
    };
    let is_spread = |i: usize, middle: DVec3| {
        let points: Vec<DVec3> = pairs.iter().map(|pair| pair[i]).collect();
        let long = axes_of(&points).1.col(0);
        let beside: f64 =
            points.iter().map(|p| (*p - middle).reject_from(long).length_squared()).sum();
        beside > 1e-8 * spread(i, middle)
    };
    if !is_spread(0, from) || !is_spread(1, to) {
        return Err(PairsError::OnALine);
    }
    // The sums of products of the coordinates, each about its middle.
    let sum = |i: usize, j: usize| -> f64 {
        pairs.iter().map(|[a, b]| (*a - from)[i] * (*b - to)[j]).sum()
    };
    let [[xx, xy, xz], [yx, yy, yz], [zx, zy, zz]] =
        [0, 1, 2].map(|i| [0, 1, 2].map(|j| sum(i, j)));
    let matrix = [
        [xx + yy + zz, yz - zy, zx - xz, xy - yx],
        [yz - zy, xx - yy - zz, xy + yx, zx + xz],
        [zx - xz, xy + yx, yy - xx - zz, yz + zy],
        [xy - yx, zx + xz, yz + zy, zz - xx - yy],
    ];
    let [[w, x, y, z], ..] = eigenvectors(matrix);
    let turn = DQuat::from_xyzw(x, y, z, w).normalize();
    let factor = if scales { (spread(1, to) / spread(0, from)).sqrt() } else { 1.0 };
    let at = moving.1.translation.as_dvec3();
    let motion = Motion { turn, by: to - turn * from };
    let turned = moved(moving.1, &motion);
    let transform = Transform {
        translation: (to + turn * (at - from) * factor).as_vec3(),
        scale: (moving.1.scale.as_dvec3() * factor).as_vec3(),
        ..turned
    };
    let field = Field::new(fixed.0, fixed.1);
    let residual = |transform: &Transform| {
        field.residual(&points_of(moving.0, transform), &Motion::NONE) as f32
    };
    Ok(Alignment { transform, residual: residual(&transform), before: residual(moving.1) })
}

/// Vertices that faces use, every so many.
fn points_of(geometry: &Geometry, transform: &Transform) -> Vec<DVec3> {
    let placed = Placed::new(transform);
    let shown = geometry.shown_points();
    let step = shown.len().div_ceil(POINTS).max(1);
    shown.iter().step_by(step).map(|&point| placed.to_project(point).as_dvec3()).collect()
}

/// A transform and then a motion of the project's space.
fn moved(transform: &Transform, motion: &Motion) -> Transform {
    let turn = motion.turn * transform.rotation().as_dquat();
    // As `Transform::rotation` has them.
    let (z, y, x) = turn.to_euler(EulerRot::ZYX);
    Transform {
        translation: motion.point(transform.translation.as_dvec3()).as_vec3(),
        rotation_degrees: DVec3::new(x, y, z).map(f64::to_degrees).as_vec3(),
        scale: transform.scale,
    }
}

/// The box of one is brought to that of the other by a move, and one factor for all axes: the one of
/// the diagonals.
fn by_bounds(
    (geometry, transform): (&Geometry, &Transform),
    (other, other_transform): (&Geometry, &Transform),
) -> Transform {
    let bounds = |geometry: &Geometry, transform: &Transform| {
        let placed = Placed::new(transform);
        let none = (Vec3::INFINITY, Vec3::NEG_INFINITY);
        geometry.shown_points().iter().fold(none, |(low, high), &point| {
            let point = placed.to_project(point);
            (low.min(point), high.max(point))
        })
    };
    let (low, high) = bounds(geometry, transform);
    let (their_low, their_high) = bounds(other, other_transform);
    let factor = match high.distance(low) {
        size if size > 0.0 => their_high.distance(their_low) / size,
        _ => 1.0,
    };
    let (middle, theirs) = ((low + high) / 2.0, (their_low + their_high) / 2.0);
    Transform {
        translation: theirs + (transform.translation - middle) * factor,
        scale: transform.scale * factor,
        ..*transform
    }
}

/// The surface that stays.
struct Field<'a> {
    geometry: &'a Geometry,
    placed: Placed,
    points: Vec<DVec3>,
}

/// A point, the nearest one to it, and which way the surface looks there.
type Pair = (DVec3, DVec3, DVec3);

impl<'a> Field<'a> {
    fn new(geometry: &'a Geometry, transform: &Transform) -> Self {
        // Asked for before work is shared out: see `Geometry`.
        let _ = (geometry.near(), geometry.face_normals());
        let points = points_of(geometry, transform);
        Self { geometry, placed: Placed::new(transform), points }
    }

    fn pairs(&self, points: &[DVec3], motion: &Motion) -> Vec<Pair> {
        let (tree, normals) = (self.geometry.near(), self.geometry.face_normals());
        let triangulation = self.geometry.triangulation();
        let moved: Vec<DVec3> = points.par_iter().map(|&point| motion.point(point)).collect();
        let own: Vec<Vec3> = moved.par_iter().map(|at| self.placed.to_part(at.as_vec3())).collect();
        let pair = |(at, near): (DVec3, Option<Near>)| {
            let (triangle, on, _) = near?;
            let normal = normals[triangulation.face_of(triangle as usize)];
            let on = self.placed.to_project(on).as_dvec3();
            Some((at, on, self.placed.normal_to_project(normal).as_dvec3()))
        };
        let found = moved.into_iter().zip(tree.nearest_to_each(&own));
        let mut pairs: Vec<Pair> = found.filter_map(pair).collect();
        let far = |(at, on, _): &Pair| at.distance_squared(*on);
        let counting = (pairs.len() as f64 * COUNTING).ceil() as usize;
        if counting > 0 && counting < pairs.len() {
            pairs.select_nth_unstable_by(counting - 1, |a, b| far(a).total_cmp(&far(b)));
            pairs.truncate(counting);
        }
        pairs
    }

    /// How far points lie off: the root of the mean square.
    fn residual(&self, points: &[DVec3], motion: &Motion) -> f64 {
        let pairs = self.pairs(points, motion);
        let sum: f64 = pairs.iter().map(|(at, on, _)| at.distance_squared(*on)).sum();
        (sum / pairs.len().max(1) as f64).sqrt()
    }
}

/// The middle of points, and the axes along which they are spread, the longest first.
fn axes_of(points: &[DVec3]) -> (DVec3, DMat3) {
    let count = points.len().max(1) as f64;
    let middle = points.iter().sum::<DVec3>() / count;
    let mut spread = DMat3::ZERO;
    for point in points {
        let off = *point - middle;
        spread += DMat3::from_cols(off * off.x, off * off.y, off * off.z);
    }
    let spread = spread * (1.0 / count);
    let [a, b, _] = eigenvectors(spread.transpose().to_cols_array_2d()).map(DVec3::from_array);
    (middle, DMat3::from_cols(a, b, a.cross(b)))
}

/// The eigenvectors of a symmetric matrix, by Jacobi's rotations (Golub and Van Loan, Matrix
/// Computations, 8.5), that of the largest value first.
fn eigenvectors<const N: usize>(mut a: [[f64; N]; N]) -> [[f64; N]; N] {
    // Row by row: the vectors.
    let mut vectors = [[0.0; N]; N];
    (0..N).for_each(|i| vectors[i][i] = 1.0);
    for _ in 0..32 {
        for p in 0..N {
            for q in p + 1..N {
                let off = a[p][q];
                if off.abs() <= f64::EPSILON * (a[p][p].abs() + a[q][q].abs()) {
                    continue;
                }
                let angle = 0.5 * (2.0 * off).atan2(a[q][q] - a[p][p]);
                let (sin, cos) = angle.sin_cos();
                let turned = |x: f64, y: f64| (cos * x - sin * y, sin * x + cos * y);
                for row in &mut a {
                    (row[p], row[q]) = turned(row[p], row[q]);
                }
                for k in 0..N {
                    (a[p][k], a[q][k]) = turned(a[p][k], a[q][k]);
                    (vectors[p][k], vectors[q][k]) = turned(vectors[p][k], vectors[q][k]);
                }
            }
        }
    }
    let mut order: [usize; N] = std::array::from_fn(|i| i);
    order.sort_by(|&i, &j| a[j][j].total_cmp(&a[i][i]));
    order.map(|i| vectors[i])
}

/// Turns and moves points on to a surface: from where they are, and from where the axes of both fall
/// together, whichever of those lies best after a few steps.
fn best_fit(points: &[DVec3], field: &Field) -> Motion {
    let (middle, axes) = axes_of(points);
    let (goal, their_axes) = axes_of(&field.points);
    let mut starts = vec![Motion::NONE];
    for flip in [[1.0, 1.0], [1.0, -1.0], [-1.0, 1.0], [-1.0, -1.0]] {
        let (a, b) = (axes.col(0) * flip[0], axes.col(1) * flip[1]);
        let own = DMat3::from_cols(a, b, a.cross(b));
        let turn = DQuat::from_mat3(&(their_axes * own.transpose())).normalize();
        starts.push(Motion { turn, by: goal - turn * middle });
    }
    let tried = starts.iter().map(|start| {
        let motion = stepped(points, field, *start, TRIAL_STEPS);
        (field.residual(points, &motion), motion)
    });
    let best = tried.min_by(|a, b| a.0.total_cmp(&b.0));
    stepped(points, field, best.map_or(Motion::NONE, |(_, motion)| motion), STEPS)
}

/// Steps towards the planes of the nearest points (point to plane; Chen and Medioni 1992), as long as
/// they lead anywhere.
fn stepped(points: &[DVec3], field: &Field, start: Motion, steps: usize) -> Motion {
    let mut motion = start;
    for _ in 0..steps {
        let pairs = field.pairs(points, &motion);
        let Some(step) = towards(&pairs) else { break };
        motion = motion.then(&step);
        let (_, angle) = step.turn.to_axis_angle();
        let size = pairs.iter().map(|(at, ..)| at.distance(pairs[0].0)).fold(0.0, f64::max);
        if angle.abs() < 1e-9 && step.by.length() < 1e-9 * size {
            break;
        }
    }
    motion
}

/// The small motion that brings points nearest to planes: a linear system of six unknowns, about the
/// middle of the points so that turns and moves are told apart.
fn towards(pairs: &[Pair]) -> Option<Motion> {
    let middle = pairs.iter().map(|(at, ..)| *at).sum::<DVec3>() / pairs.len().max(1) as f64;
    let size =
        pairs.iter().map(|(at, ..)| at.distance(middle)).sum::<f64>() / pairs.len().max(1) as f64;
    if size <= 0.0 {
        return None;
    }
    let (mut matrix, mut right) = ([[0.0; 6]; 6], [0.0; 6]);
    for (at, on, normal) in pairs {
        // Turns are measured by what they move at the rim, as moves are.
        let arm = (*at - middle).cross(*normal) / size;
        let row = [arm.x, arm.y, arm.z, normal.x, normal.y, normal.z];
        let off = (*on - *at).dot(*normal);
        for i in 0..6 {
            right[i] += row[i] * off;
            (0..6).for_each(|j| matrix[i][j] += row[i] * row[j]);
        }
    }
    // What nothing holds (a sphere turns freely) does not move.
    let trace: f64 = (0..6).map(|i| matrix[i][i]).sum();
    (0..6).for_each(|i| matrix[i][i] += 1e-9 * trace);
    let x = solved(matrix, right)?;
    let turn = DQuat::from_scaled_axis(DVec3::new(x[0], x[1], x[2]) / size);
    let by = DVec3::new(x[3], x[4], x[5]);
    Some(Motion { turn, by: middle + by - turn * middle })
}

/// Solves a symmetric system by Cholesky's factors; none where it has none.
fn solved(mut a: [[f64; 6]; 6], mut b: [f64; 6]) -> Option<[f64; 6]> {
    for i in 0..6 {
        for j in 0..=i {
            let sum = a[i][j] - (0..j).map(|k| a[i][k] * a[j][k]).sum::<f64>();
            if i != j {
                a[i][j] = sum / a[j][j];
            } else if sum > 0.0 {
                a[i][i] = sum.sqrt();
            } else {
                return None;
            }
        }
    }
    for i in 0..6 {
        b[i] = (b[i] - (0..i).map(|k| a[i][k] * b[k]).sum::<f64>()) / a[i][i];
    }
    for i in (0..6).rev() {
        b[i] = (b[i] - (i + 1..6).map(|k| a[k][i] * b[k]).sum::<f64>()) / a[i][i];
    }
    Some(b)
}
