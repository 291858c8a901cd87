//! Where each element of the target finds its place on one source.

use std::sync::OnceLock;

use glam::Vec3;
use rayon::prelude::*;
use speckle_mesh::{
    Placement,
    geometry::fans::{self, Fans},
};

use super::{
    Along, Rules,
    ground::{Facing, Found, Ground},
};
use crate::on_surface::{drawn_in, middles};

/// How many elements one thread takes at least.
const RUN: usize = 1024;

/// How many places spread over triangles are looked up at a time, about.
const BLOCK: usize = 1 << 18;

/// Points with the ways the surface looks there, in the project's space.
struct Places {
    points: Vec<Vec3>,
    normals: Vec<Vec3>,
}

/// How near a source lies to each vertex of a target, however far that is.
pub(super) struct Near<'a> {
    pub(super) target: &'a Ground,
    pub(super) source: &'a Ground,
    along: Along,
    least: f32,
    places: Places,
    /// The nearest point that looks the right way, and how far the nearest one of all is.
    vertices: Vec<(Option<Found>, f32)>,
}

impl<'a> Near<'a> {
    pub(super) fn new(target: &'a Ground, source: &'a Ground, rules: &Rules) -> Self {
        source.make_ready(rules.along);
        let geometry = &target.geometry;
        let points = geometry.mesh().positions().par_iter().map(|&p| target.to_project(p));
        let normals = geometry.vertex_normals().par_iter().map(|&n| target.normal_to_project(n));
        let places = Places { points: points.collect(), normals: normals.collect() };
        let least = match rules.angle_degrees {
            180.0 => -1.0,
            degrees => degrees.to_radians().cos(),
        };
        let along = rules.along;
        let mut own = Self { target, source, along, least, places, vertices: Vec::new() };
        own.vertices = own.each_near(&own.places);
        own
    }

    /// How far the nearest point of the source is from a vertex.
    pub(super) fn distance(&self, vertex: usize) -> f32 {
        self.vertices[vertex].1
    }

    fn facing(&self, normal: Vec3) -> Facing {
        Facing { normal, least: self.least }
    }

    fn each_near(&self, places: &Places) -> Vec<(Option<Found>, f32)> {
        self.source.near_each(&places.points, |i| self.facing(places.normals[i]))
    }
}

/// Where each element of the target finds its place within a reach.
pub(super) struct Search<'a> {
    near: &'a Near<'a>,
    within: f32,
    vertices: Vec<Option<Found>>,
    at_fans: OnceLock<Vec<Option<Found>>>,
    drawn_in: OnceLock<Vec<Option<Found>>>,
    faces: OnceLock<Vec<Option<Found>>>,
}

impl<'a> Search<'a> {
    pub(super) fn new(near: &'a Near<'a>, within: f32) -> Self {
        let mut own = Self {
            near,
            within,
            vertices: Vec::new(),
            at_fans: OnceLock::new(),
            drawn_in: OnceLock::new(),
            faces: OnceLock::new(),
        };
        own.vertices = match near.along {
            Along::Nearest => {
                let all = near.vertices.par_iter().with_min_len(RUN);
                all.map(|(found, _)| found.filter(|found| found.distance <= within)).collect()
            }
            Along::Normal | Along::Outermost => own.each_along(&near.places),
        };
        own
    }

    pub(super) fn target(&self) -> &'a Ground {
        self.near.target
    }

    pub(super) fn source(&self) -> &'a Ground {
        self.near.source
    }

    pub(super) fn along(&self) -> Along {
        self.near.along
    }

    pub(super) fn within(&self) -> f32 {
        self.within
    }

    pub(super) fn least(&self) -> f32 {
        self.near.least
    }

    /// How far what a vertex found is away.
    pub(super) fn distance(&self, vertex: usize) -> Option<f32> {
        self.vertices[vertex].map(|found| found.distance)
    }

    /// Whether source and target are one shape in one place: nothing lies between elements then.
    pub(super) fn is_one_mesh(&self) -> bool {
        self.target().is(self.source())
    }

    /// The fans that corners of the target lie in.
    pub(super) fn fans(&self) -> &'a Fans {
        self.target().geometry.fans()
    }

    fn each_along(&self, places: &Places) -> Vec<Option<Found>> {
        let is_outermost = self.along() == Along::Outermost;
        let pairs = places.points.par_iter().zip(&places.normals).with_min_len(RUN);
        let one = |(&point, &normal)| {
            self.source().along(point, self.near.facing(normal), self.within, is_outermost)
        };
        pairs.map(one).collect()
    }

    /// Places by the reach and the way that are asked for.
    fn each(&self, places: &Places) -> Vec<Option<Found>> {
        if self.along() != Along::Nearest {
            return self.each_along(places);
        }
        let all = self.near.each_near(places).into_par_iter().with_min_len(RUN);
        all.map(|(found, _)| found.filter(|found| found.distance <= self.within)).collect()
    }

    /// What places spread over each triangle of the target find, which are as many as [`middles`] of so
    /// many lines across; of each triangle what is made of them.
    pub(super) fn spread<T: Send>(
        &self,
        across: usize,
        make: impl Fn(usize, &[Option<Found>]) -> T + Sync,
    ) -> Vec<T> {
        let target = self.target();
        let triangles = target.geometry.triangulation().corners();
        let normals = target.geometry.vertex_normals();
        let vertices = target.geometry.mesh().corner_vertices();
        let weights: Vec<[f32; 3]> = middles(across).collect();
        let mut all = Vec::with_capacity(triangles.len());
        // Some at a time, so that dense ones fit into memory.
        let step = (BLOCK / weights.len()).max(1);
        for first in (0..triangles.len()).step_by(step) {
            let block = first..(first + step).min(triangles.len());
            let places = block.clone().into_par_iter().flat_map_iter(|triangle| {
                let [a, b, c] = target.triangle(triangle as u32);
                let looks = triangles[triangle].map(|c| normals[vertices[c as usize] as usize]);
                weights.iter().map(move |&[u, v, w]| {
                    let normal = looks[0] * u + looks[1] * v + looks[2] * w;
                    let normal = target.normal_to_project(normal.normalize_or_zero());
                    (a * u + b * v + c * w, normal)
                })
            });
            let (points, normals) = places.unzip();
            let found = self.each(&Places { points, normals });
            let found = found.par_chunks(weights.len());
            all.par_extend(block.into_par_iter().zip(found).map(|(t, found)| make(t, found)));
        }
        all
    }

    /// What each element of a placement finds. `has_edges` says that the source's values may jump from
    /// face to face: corners then look a little within their own.
    pub(super) fn of(&self, placement: Placement, has_edges: bool) -> Cornered<'_> {
        let target = self.target();
        let (geometry, mesh) = (&target.geometry, target.geometry.mesh());
        match placement {
            Placement::Vertex => Cornered { found: &self.vertices, of: None },
            Placement::Corner if !has_edges => {
                let fans = self.fans();
                let found = self.at_fans.get_or_init(|| {
                    let point = |&first: &u32| target.corner(first as usize);
                    let normal = |fan| fans::normal_of(geometry, &fans.corners(geometry, fan));
                    let fan_normals = (0..fans.count()).into_par_iter().map(normal);
                    self.each(&Places {
                        points: fans.firsts.par_iter().map(point).collect(),
                        normals: fan_normals.map(|n| target.normal_to_project(n)).collect(),
                    })
                });
                Cornered { found, of: Some(&fans.of_corners) }
            }
            Placement::Corner => {
                let found = self.drawn_in.get_or_init(|| {
                    let points = drawn_in(mesh).into_par_iter().map(|p| target.to_project(p));
                    let normals = (0..mesh.face_count()).into_par_iter().flat_map_iter(|face| {
                        let normal = target.normal_to_project(geometry.face_normals()[face]);
                        mesh.face_corners(face).map(move |_| normal)
                    });
                    self.each(&Places { points: points.collect(), normals: normals.collect() })
                });
                Cornered { found, of: None }
            }
            Placement::Face => {
                let found = self.faces.get_or_init(|| {
                    let faces = (0..mesh.face_count()).into_par_iter();
                    let points = faces.map(|face| target.to_project(mesh.face_centroid(face)));
                    let normals = geometry.face_normals().par_iter();
                    self.each(&Places {
                        points: points.collect(),
                        normals: normals.map(|&n| target.normal_to_project(n)).collect(),
                    })
                });
                Cornered { found, of: None }
            }
        }
    }
}

/// What elements found, where several may share a place.
pub(super) struct Cornered<'a> {
    found: &'a [Option<Found>],
    of: Option<&'a [u32]>,
}

impl Cornered<'_> {
    pub(super) fn at(&self, element: usize) -> Option<Found> {
        self.found[self.of.map_or(element, |of| of[element] as usize)]
    }
}
