//! Bumps smoothed away: points drawn to the middle of those around them and a little back again, so that
//! the whole does not shrink (Taubin 1995: λ = ½, pass band 0.1).

use glam::{Affine3A, DVec3, Vec3};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use smallvec::SmallVec;
use speckle_mesh::{Geometry, MeshError, geometry::topology::CROWD};

use super::places::{Moved, moved};
use crate::bake::watch::{GivenUp, Watch};

/// How bumps are smoothed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = SmoothingRules))]
#[serde(deny_unknown_fields)]
pub struct Rules {
    /// How many rounds.
    pub rounds: u32,
    /// Whether it keeps its volume; else it shrinks as soap films do.
    #[serde(default = "yes")]
    pub keep_volume: bool,
    /// Whether open rims stay where they are; else they are smoothed along themselves.
    #[serde(default = "yes")]
    pub keep_rims: bool,
}

fn yes() -> bool {
    true
}

/// The most rounds.
pub const MOST_ROUNDS: u32 = 1000;

const LAMBDA: f64 = 0.5;

/// With λ, what keeps waves longer than the pass band as they are: 1/λ + 1/μ = 0.1.
const MU: f64 = 1.0 / (0.1 - 1.0 / LAMBDA);

/// Why nothing was smoothed.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum SmoothingError {
    /// A number makes no sense.
    #[error("between 1 and {MOST_ROUNDS} rounds can be asked for")]
    Rounds,
    /// It was given up.
    #[error("it was given up")]
    GivenUp,
    /// What came of it is no mesh.
    #[error(transparent)]
    Mesh(#[from] MeshError),
}

impl From<GivenUp> for SmoothingError {
    fn from(_: GivenUp) -> Self {
        Self::GivenUp
    }
}

/// Smooths a shape, each vertex by its share of what is chosen.
pub(super) fn smooth(
    geometry: &Geometry,
    shares: Option<&[f32]>,
    rules: &Rules,
    to_project: &Affine3A,
    watch: &Watch,
) -> Result<Moved, SmoothingError> {
    if !(1..=MOST_ROUNDS).contains(&rules.rounds) {
        return Err(SmoothingError::Rounds);
    }
    let mesh = geometry.mesh();
    let around = Around::of(geometry, rules.keep_rims);
    let start: Vec<DVec3> = mesh.positions().iter().map(|p| p.as_dvec3()).collect();
    let mut places = start.clone();
    watch.expect(u64::from(rules.rounds));
    for _ in 0..rules.rounds {
        watch.step()?;
        places = around.drawn(&places, LAMBDA);
        if rules.keep_volume {
            places = around.drawn(&places, MU);
        }
    }
    let step = |vertex: usize| {
        let share = shares.map_or(1.0, |shares| shares[vertex]);
        ((places[around.points[vertex] as usize] - start[vertex]) * f64::from(share)).as_vec3()
    };
    let steps: Vec<Vec3> = (0..start.len()).into_par_iter().map(step).collect();
    Ok(moved(geometry, steps, true, to_project)?)
}

/// The points around each point.
struct Around {
    /// The first vertex at the point of each.
    points: Vec<u32>,
    /// Of points, by the first vertex there; nothing where it is to stay.
    of: Vec<SmallVec<[u32; 8]>>,
}

impl Around {
    fn of(geometry: &Geometry, keep_rims: bool) -> Self {
        let (mesh, topology) = (geometry.mesh(), geometry.topology());
        let point = |vertex: u32| topology.point_of(vertex as usize) as u32;
        let around = |vertex: usize| {
            let corners = topology.corners_at(vertex);
            if topology.point_of(vertex) != vertex || corners.len() > CROWD {
                return SmallVec::new();
            }
            let (mut all, mut on_rim) = (SmallVec::<[u32; 8]>::new(), SmallVec::<[u32; 8]>::new());
            for &corner in corners {
                let corner = corner as usize;
                let range = mesh.face_corners(topology.face_of(corner));
                let next = if corner + 1 == range.end { range.start } else { corner + 1 };
                let previous = if corner == range.start { range.end - 1 } else { corner - 1 };
                for (edge, end) in [(corner, next), (previous, previous)] {
                    let end = point(mesh.corner_vertices()[end]);
                    all.push(end);
                    if topology.across(edge) == edge {
                        on_rim.push(end);
                    }
                }
            }
            let mut own = match (on_rim.is_empty(), keep_rims) {
                (true, _) => all,
                (false, false) => on_rim,
                (false, true) => SmallVec::new(),
            };
            own.sort_unstable();
            own.dedup();
            own
        };
        let of = (0..mesh.vertex_count()).into_par_iter().with_min_len(256).map(around).collect();
        Self { points: (0..mesh.vertex_count() as u32).map(point).collect(), of }
    }

    fn drawn(&self, places: &[DVec3], by: f64) -> Vec<DVec3> {
        let drawn = |(own, &at): (&SmallVec<[u32; 8]>, &DVec3)| {
            if own.is_empty() {
                return at;
            }
            let middle: DVec3 = own.iter().map(|&p| places[p as usize]).sum();
            at + (middle / own.len() as f64 - at) * by
        };
        self.of.par_iter().zip(places).with_min_len(256).map(drawn).collect()
    }
}
