//! Corners that look the same way: the faces around a point as far as the surface is smooth there.

use glam::Vec3;
use rayon::prelude::*;
use smallvec::SmallVec;

use super::{
    Geometry,
    normals::{SMOOTH_BELOW_DEGREES, corner_angle},
    topology::CROWD,
};

/// The corners at each point in fans: those of faces that meet at edges there which bend by less
/// than an angle, however a file split their vertices. All corners of a smooth surface at one point are
/// one fan, each side of a hard edge is one, and so is each side of a sheet folded back on itself.
#[derive(Clone, Debug)]
pub struct Fans {
    /// The fan of each corner; numbered by their first corners.
    pub of_corners: Vec<u32>,
    /// The first corner of each.
    pub firsts: Vec<u32>,
}

/// Corners that lie in one fan.
type Corners = SmallVec<[u32; 8]>;

impl Fans {
    /// Those of a mesh, as far as a surface counts as smooth: 45°.
    #[must_use]
    pub fn of(geometry: &Geometry) -> Self {
        Self::bending(geometry, SMOOTH_BELOW_DEGREES)
    }

    /// Those of a mesh where edges bend by less than an angle in degrees.
    #[must_use]
    pub fn bending(geometry: &Geometry, degrees: f32) -> Self {
        let smooth = degrees.to_radians().cos();
        let (mesh, topology) = (geometry.mesh(), geometry.topology());
        // Asked for before work is shared out: see `Geometry`.
        let _ = geometry.face_normals();
        let led: Vec<(u32, u32)> = (0..mesh.vertex_count())
            .into_par_iter()
            .with_min_len(1024)
            .filter(|&vertex| topology.point_of(vertex) == vertex)
            .flat_map_iter(|vertex| led_at(geometry, topology.corners_at(vertex), smooth))
            .collect();
        let mut of_corners = vec![0; mesh.corner_count()];
        for (corner, first) in led {
            of_corners[corner as usize] = first;
        }
        let mut firsts = Vec::new();
        for corner in 0..of_corners.len() {
            // A fan's first corner comes before its others.
            let first = of_corners[corner] as usize;
            of_corners[corner] = if first == corner {
                firsts.push(corner as u32);
                firsts.len() as u32 - 1
            } else {
                of_corners[first]
            };
        }
        Self { of_corners, firsts }
    }

    /// How many there are.
    #[must_use]
    pub fn count(&self) -> usize {
        self.firsts.len()
    }

    /// The corners of a fan, ascending.
    #[must_use]
    pub fn corners(&self, geometry: &Geometry, fan: usize) -> Corners {
        let (mesh, first) = (geometry.mesh(), self.firsts[fan] as usize);
        let at = geometry.topology().corners_at(mesh.corner_vertices()[first] as usize);
        if at.len() > CROWD {
            return SmallVec::from_slice(&[first as u32]);
        }
        let is_own = |corner: &u32| self.of_corners[*corner as usize] as usize == fan;
        at.iter().copied().filter(is_own).collect()
    }
}

/// Which way some corners' faces look: the mean, each weighted by its angle; zero where they look
/// nowhere.
#[must_use]
pub fn normal_of(geometry: &Geometry, corners: &[u32]) -> Vec3 {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let weighted = |&corner: &u32| {
        let normal = geometry.face_normals()[topology.face_of(corner as usize)];
        normal * corner_angle(mesh, topology, corner as usize)
    };
    corners.iter().map(weighted).sum::<Vec3>().normalize_or_zero()
}

/// Whether some corners of one point go all around it: each of their edges there joins two of them.
#[must_use]
pub fn goes_around(geometry: &Geometry, corners: &[u32]) -> bool {
    corners.iter().all(|&corner| {
        let others = edges_at(geometry, corner as usize).map(|edge| beyond(geometry, corner, edge));
        others.into_iter().all(|mut others| others.any(|other| corners.contains(&other)))
    })
}

/// The two edges of a corner's face at its point, each by the corner it begins at.
fn edges_at(geometry: &Geometry, corner: usize) -> [usize; 2] {
    let range = geometry.mesh().face_corners(geometry.topology().face_of(corner));
    [corner, if corner == range.start { range.end - 1 } else { corner - 1 }]
}

/// The corners at the point of `corner` of the other faces around an edge there.
fn beyond(geometry: &Geometry, corner: u32, edge: usize) -> impl Iterator<Item = u32> + '_ {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let point = |corner: usize| topology.point_of(mesh.corner_vertices()[corner] as usize);
    let own = point(corner as usize);
    topology.around(edge).skip(1).filter_map(move |other| {
        let range = mesh.face_corners(topology.face_of(other));
        let next = if other + 1 == range.end { range.start } else { other + 1 };
        [other, next].into_iter().find(|&end| point(end) == own).map(|end| end as u32)
    })
}

/// Whether the faces of all corners at a point lie around it one after the other, each smooth with the next: as it
/// mostly is, and is seen by going around once.
fn is_one(geometry: &Geometry, corners: &[u32], smooth: f32) -> bool {
    let (mesh, topology, normals) = (geometry.mesh(), geometry.topology(), geometry.face_normals());
    let Some(&first) = corners.first() else { return false };
    let point = |corner: usize| topology.point_of(mesh.corner_vertices()[corner] as usize);
    let (mut here, own) = (first as usize, point(first as usize));
    for nth in 1..=corners.len() {
        let Some(other) = topology.only_other(here) else { return false };
        let [face, beyond] = [here, other].map(|corner| topology.face_of(corner));
        if normals[face].dot(normals[beyond]) <= smooth {
            return false;
        }
        // The edge goes out from the point, and comes in beyond it.
        let range = mesh.face_corners(beyond);
        here = if other + 1 == range.end { range.start } else { other + 1 };
        if here == first as usize {
            return nth == corners.len();
        }
        // Faces may be wound against each other.
        if point(here) != own {
            return false;
        }
    }
    false
}

/// Each corner at a point with the first one of its fan; `smooth` is the cosine of the bend up to which
/// edges join.
fn led_at(geometry: &Geometry, corners: &[u32], smooth: f32) -> SmallVec<[(u32, u32); 8]> {
    if corners.len() > CROWD {
        // So many are no smooth surface.
        return corners.iter().map(|&corner| (corner, corner)).collect();
    }
    if is_one(geometry, corners, smooth) {
        let first = corners[0];
        return corners.iter().map(|&corner| (corner, first)).collect();
    }
    let (normals, topology) = (geometry.face_normals(), geometry.topology());
    let normal = |corner: u32| normals[topology.face_of(corner as usize)];
    let mut led: SmallVec<[(u32, u32); 8]> = corners.iter().map(|&c| (c, c)).collect();
    let mut fans = corners.len();
    for &corner in corners {
        for edge in edges_at(geometry, corner as usize) {
            for other in beyond(geometry, corner, edge) {
                if normal(corner).dot(normal(other)) <= smooth {
                    continue;
                }
                let lead = |c: u32| led.iter().find(|(at, _)| *at == c).map_or(c, |(_, l)| *l);
                let (a, b) = (lead(corner), lead(other));
                if a == b {
                    continue;
                }
                led.iter_mut().filter(|(_, l)| *l == a.max(b)).for_each(|(_, l)| *l = a.min(b));
                fans -= 1;
                if fans == 1 {
                    // Mostly all of them are one, long before every edge has been looked at.
                    return led;
                }
            }
        }
    }
    led
}
