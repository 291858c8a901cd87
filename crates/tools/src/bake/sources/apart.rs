//! How far things are: from a root, along the surface, from what is told apart.

use std::sync::Arc;

use glam::{Affine3A, Vec3};
use rayon::prelude::*;
use speckle_mesh::{Geometry, Placement, body::Body, geometry::bvh::Bvh};
use speckle_model::recipe::source::{Among, Joined, Root, Space};

use super::or;
use crate::bake::{
    BakeError, curvature, diffusion,
    field::Field,
    lookup::{Lookup, Plan},
    pieces,
    samples::Samples,
    trail::{self, Laying, Seed, Start},
};

/// How much of what is furthest in a direction counts as its end, as a share of the diagonal.
const END: f32 = 1e-4;

/// Another part's surface, to find what is nearest to points of ours.
pub(super) struct Near {
    geometry: Arc<Geometry>,
    /// From our space to that of `geometry`, and how much longer lengths are there.
    to_other: Option<(Affine3A, f32)>,
}

/// How much the axes of a matrix may differ in length, and how far they may be from square to each
/// other, as a share, and still be said to scale evenly.
const EVEN: f32 = 1e-4;

impl Near {
    pub(super) fn new(own: &Body, other: &Body) -> Self {
        let to_other = other.placed.part_to_other(&own.placed);
        let axes = [to_other.matrix3.x_axis, to_other.matrix3.y_axis, to_other.matrix3.z_axis];
        let scale = axes[0].length();
        let is_even = axes.iter().all(|axis| (axis.length() - scale).abs() < EVEN * scale)
            && [(0, 1), (1, 2), (2, 0)]
                .iter()
                .all(|&(i, j)| axes[i].dot(axes[j]).abs() < EVEN * scale * scale);
        let here = |p: Vec3| own.placed.to_part(other.placed.to_project(p));
        let moved = (!is_even).then(|| other.geometry.mesh().moved(here, |n| n).ok()).flatten();
        let near = match moved {
            // What is nearest there is not what is nearest here: the surface itself comes over.
            Some(moved) => Self { geometry: Arc::new(Geometry::new(moved)), to_other: None },
            None => Self { geometry: other.geometry.clone(), to_other: Some((to_other, scale)) },
        };
        // Asked for before work is shared out: see `Geometry`.
        let _ = near.geometry.bvh();
        near
    }

    /// How far a point of ours is from it, in our space.
    fn distance(&self, point: Vec3) -> Option<f32> {
        self.within(point, f32::MAX)
    }

    /// The same where it is no further than a distance.
    pub(super) fn within(&self, point: Vec3, most: f32) -> Option<f32> {
        let (point, scale) = match &self.to_other {
            Some((to_other, scale)) => (to_other.transform_point3(point), *scale),
            None => (point, 1.0),
        };
        let most = (most * scale).min(f32::MAX);
        self.geometry.bvh().nearest(point, most, |_| true).map(|(.., far)| far / scale)
    }
}

/// Straight distances from a root, as shares of a reach.
pub(super) fn distance<'a>(
    lookup: &mut Lookup<'a>,
    from: &'a Root,
    reach: f32,
) -> Result<Plan<'a>, BakeError> {
    let (samples, geometry, name) = (lookup.samples(Space::Part), lookup.geometry(), lookup.name());
    let reach = move || or(reach, super::diagonal(geometry));
    let to_tree = move |tree: &Bvh, samples: &Samples| {
        let reach = reach();
        let near = |p: Vec3| tree.nearest(p, reach, |_| true);
        Field::one(samples.mean(|p, _| near(p).map_or(1.0, |(.., far)| (far / reach).min(1.0))))
    };
    Ok(match from {
        Root::Point { at } => {
            let at = Vec3::from(*at);
            Box::new(move |_| {
                let reach = reach();
                Ok(Field::one(samples().mean(|p, _| (p.distance(at) / reach).min(1.0))))
            })
        }
        Root::Selection { name } => {
            let chosen = lookup.selection(name)?;
            Box::new(move |_| {
                let faces = chosen.elements(Placement::Face)?;
                let tree = Bvh::over_faces(geometry.mesh(), geometry.triangulation(), &faces);
                Ok(to_tree(&tree, &samples()))
            })
        }
        Root::OpenEdge => Box::new(move |_| {
            let at = |v: usize| geometry.mesh().positions()[v];
            let edges = open_edges(geometry, name)?;
            let segments: Vec<[Vec3; 2]> = edges.iter().map(|e| e.map(at)).collect();
            Ok(to_tree(&Bvh::over_segments(&segments), &samples()))
        }),
        Root::End { towards } => {
            let along = lookup.height_axis(*towards, Space::Part);
            Box::new(move |_| {
                let (reach, points) = (reach(), geometry.shown_points().iter());
                let end = points.map(|p| p.dot(along)).fold(f32::MIN, f32::max);
                let share = |p: Vec3| ((end - p.dot(along)) / reach).clamp(0.0, 1.0);
                Ok(Field::one(samples().mean(|p, _| share(p))))
            })
        }
        Root::Part { name } => {
            let (own, other) = lookup.other(name)?;
            Box::new(move |_| {
                let (reach, near) = (reach(), Near::new(own, &other));
                let share = |far: f32| (far / reach).min(1.0);
                Ok(Field::one(samples().mean(|p, _| near.distance(p).map_or(1.0, share))))
            })
        }
    })
}

fn open_edges(geometry: &Geometry, part: &str) -> Result<Vec<[usize; 2]>, BakeError> {
    let edges = curvature::open_edges(geometry);
    if edges.is_empty() { Err(BakeError::NoOpenEdge(part.to_owned())) } else { Ok(edges) }
}

/// Distances along the surface from a root.
pub(super) fn trail<'a>(
    lookup: &mut Lookup<'a>,
    root: &'a Root,
    laying: Laying,
) -> Result<Plan<'a>, BakeError> {
    let (geometry, placement) = (lookup.geometry(), lookup.placement());
    let start = start(lookup, root, laying)?;
    Ok(Box::new(move |watch| {
        let touch = or(laying.touch, geometry.measures().median_edge);
        let closed = trail::seams::closed(geometry);
        let surface = closed.as_ref().unwrap_or(geometry);
        let laying = Laying { touch, ..laying };
        let values = trail::trail(surface, &start(surface)?, laying, watch)?;
        Ok(Field::one(diffusion::placed(geometry, placement, values)))
    }))
}

/// Tells where a trail starts on a surface of the part's vertices and faces.
type Starting<'a> = Box<dyn FnOnce(&Geometry) -> Result<Start, BakeError> + 'a>;

/// Where a trail starts.
fn start<'a>(
    lookup: &mut Lookup<'a>,
    root: &'a Root,
    laying: Laying,
) -> Result<Starting<'a>, BakeError> {
    let name = lookup.name();
    // Each has an end of its own if that is it.
    let each_piece = laying.joined == Joined::Apart;
    Ok(match root {
        Root::Point { at } => {
            let at = Vec3::from(*at);
            Box::new(move |geometry| {
                let mesh = geometry.mesh();
                let nearest = geometry.bvh().nearest(at, f32::MAX, |_| true);
                let (face, on, _) = nearest.ok_or(BakeError::NoSurface)?;
                let vertices = mesh.face_vertices(face as usize);
                let far = |&v: &u32| Seed::at(v, mesh.positions()[v as usize].distance(on));
                Ok(Start { seeds: vertices.iter().map(far).collect(), is_about_a_point: true })
            })
        }
        Root::Selection { name } => {
            let chosen = lookup.selection(name)?;
            Box::new(move |_| {
                let seeds = chosen.vertices()?.into_iter().map(|v| Seed::at(v, 0.0)).collect();
                Ok(Start { seeds, is_about_a_point: false })
            })
        }
        Root::OpenEdge => Box::new(move |geometry| {
            let edges = open_edges(geometry, name)?;
            let seeds = edges.into_iter().flatten().map(|v| Seed::at(v as u32, 0.0)).collect();
            Ok(Start { seeds, is_about_a_point: false })
        }),
        Root::End { towards } => {
            let along = lookup.height_axis(*towards, Space::Part);
            Box::new(move |geometry| Ok(ends(geometry, along, each_piece)))
        }
        Root::Part { name: other_name } => {
            let (own, other) = lookup.other(other_name)?;
            Box::new(move |geometry| {
                let touch = or(laying.touch, geometry.measures().median_edge);
                let near = Near::new(own, &other);
                let seeds = where_it_touches(geometry, &near, touch);
                if seeds.is_empty() {
                    let (part, other) = (name.to_owned(), other_name.clone());
                    return Err(BakeError::Apart { part, other });
                }
                Ok(Start { seeds, is_about_a_point: false })
            })
        }
    })
}

/// The vertices that something lies within a touch of, with how far it is.
fn where_it_touches(geometry: &Geometry, near: &Near, touch: f32) -> Vec<Seed> {
    let points = geometry.mesh().positions().par_iter().enumerate();
    let seed = |(vertex, &p): (usize, &Vec3)| {
        near.within(p, touch).map(|far| Seed::at(vertex as u32, far))
    };
    points.filter_map(seed).collect()
}

/// The vertices that lie furthest along a direction, of the part or of each of its pieces.
fn ends(geometry: &Geometry, along: Vec3, each_piece: bool) -> Start {
    let (mesh, own) = (geometry.mesh(), geometry.pieces());
    let hair = geometry.measures().diagonal() * END;
    let pieces = if each_piece { own.count() } else { 1 };
    let mut ends = vec![f32::MIN; pieces];
    let mut of = vec![usize::MAX; mesh.vertex_count()];
    for face in 0..mesh.face_count() {
        let piece = if each_piece { own.of(face) } else { 0 };
        for &v in mesh.face_vertices(face) {
            of[v as usize] = piece;
            ends[piece] = ends[piece].max(mesh.positions()[v as usize].dot(along));
        }
    }
    let is_end =
        |v: &usize| of[*v] != usize::MAX && mesh.positions()[*v].dot(along) >= ends[of[*v]] - hair;
    let seeds = (0..mesh.vertex_count()).filter(is_end).map(|v| Seed::at(v as u32, 0.0)).collect();
    Start { seeds, is_about_a_point: false }
}

/// How near the surface is to what is told apart from it: 1 up to an offset, 0 a width further.
pub(super) fn joint<'a>(
    lookup: &mut Lookup<'a>,
    between: Among,
    width: f32,
    offset: f32,
) -> Result<Plan<'a>, BakeError> {
    let (samples, geometry) = (lookup.samples(Space::Part), lookup.geometry());
    let width = move || or(width, super::diagonal(geometry) / 20.0);
    let value =
        move |width: f32| move |distance: f32| (1.0 - (distance - offset) / width).clamp(0.0, 1.0);
    Ok(match between {
        Among::Parts => {
            let (own, others) = lookup.around(true);
            Box::new(move |_| {
                let value = value(width());
                let near: Vec<Near> = others.iter().map(|other| Near::new(own, other)).collect();
                Ok(Field::one(samples().mean(|p, _| {
                    let nearest = near.iter().filter_map(|other| other.distance(p));
                    nearest.min_by(f32::total_cmp).map_or(0.0, &value)
                })))
            })
        }
        Among::Pieces | Among::Touching => {
            let (placement, (units, _)) = (lookup.placement(), lookup.units(between)?);
            Box::new(move |_| {
                let (width, of) = (width(), units.of_faces(geometry));
                let value = value(width);
                let nearest = |p: Vec3, own: u32| {
                    let is_other = |face: u32| of[face as usize] != own;
                    let found = geometry.bvh().nearest(p, width + offset, is_other);
                    found.map_or(0.0, |(.., far)| value(far))
                };
                Ok(Field::one(beside(geometry, placement, &samples(), &of, nearest)))
            })
        }
        Among::Materials | Among::Islands => {
            let (units, _) = lookup.units(between)?;
            Box::new(move |_| {
                let width = width();
                let borders = borders(geometry, &units.of_faces(geometry));
                let (value, tree) = (value(width), Bvh::over_segments(&borders));
                let near = |p: Vec3| tree.nearest(p, width + offset, |_| true);
                let value = |p: Vec3| near(p).map_or(0.0, |(.., far)| value(far));
                Ok(Field::one(samples().mean(|p, _| value(p))))
            })
        }
    })
}

/// The means of what is found at the samples of each element, which know what they are of: the number
/// of each face is given.
fn beside(
    geometry: &Geometry,
    placement: Placement,
    samples: &Samples,
    of_faces: &[u32],
    at: impl Fn(Vec3, u32) -> f32 + Sync,
) -> Vec<f32> {
    let of = pieces::by_face(geometry, placement, |face| of_faces[face], u32::MAX);
    // Asked for before work is shared out: see `Geometry`.
    let _ = geometry.bvh();
    let mean = |element: usize| {
        let points = samples.points_of(element);
        points.iter().map(|&p| at(p, of[element])).sum::<f32>() / points.len() as f32
    };
    (0..samples.elements()).into_par_iter().map(mean).collect()
}

/// The edges at which what faces belong to differs.
fn borders(geometry: &Geometry, of: &[u32]) -> Vec<[Vec3; 2]> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let mut segments = Vec::new();
    for a in topology.edges() {
        let first = of[topology.face_of(a)];
        if topology.around(a).all(|corner| of[topology.face_of(corner)] == first) {
            continue;
        }
        let range = mesh.face_corners(topology.face_of(a));
        let b = if a + 1 < range.end { a + 1 } else { range.start };
        segments.push([mesh.corner_position(a), mesh.corner_position(b)]);
    }
    segments
}
