//! What follows lines on the surface: one that was drawn, and the rim of a selection.

use glam::Vec3;
use rayon::prelude::*;
use rustc_hash::FxHashMap;
use speckle_mesh::{Geometry, Placement};
use speckle_model::recipe::source::{Line, LineTells, Rim};

use super::or;
use crate::bake::{
    BakeError,
    chosen::Chosen,
    diffusion,
    field::Field,
    lookup::{Lookup, Plan},
    trail::{self, Seed, Start},
};

/// The most places a line is laid on the surface at.
const MOST_PLACES: usize = 200_000;

pub(super) fn line<'a>(lookup: &mut Lookup<'a>, line: &'a Line) -> Plan<'a> {
    let (geometry, placement) = (lookup.geometry(), lookup.placement());
    Box::new(move |watch| {
        let closed = trail::seams::closed(geometry);
        let surface = closed.as_ref().unwrap_or(geometry);
        let start = on_surface(surface, line)?;
        let (far, told) = trail::told(surface, &start, watch)?;
        let reach = or(line.reach, far_end(&far));
        let values: Vec<f32> = match line.tells {
            LineTells::Distance => far.iter().map(|far| (far / reach).min(1.0)).collect(),
            // Beyond its reach a line tells nothing of how far along it is.
            LineTells::Progress => far
                .iter()
                .zip(told)
                .map(|(&far, told)| if far.is_finite() && far <= reach { told } else { 0.0 })
                .collect(),
        };
        Ok(Field::one(diffusion::placed(geometry, placement, values)))
    })
}

/// How far it is to the furthest that can be reached.
fn far_end(far: &[f32]) -> f32 {
    let reached = far.iter().filter(|far| far.is_finite());
    reached.fold(f32::MIN_POSITIVE, |most, &far| most.max(far))
}

/// Where a line runs on the surface: the corners of the triangles it goes over, with how far they are
/// from it and how far along it, 0–1.
fn on_surface(geometry: &Geometry, line: &Line) -> Result<Start, BakeError> {
    let mesh = geometry.mesh();
    let mut points: Vec<Vec3> = line.points.iter().map(|&p| Vec3::from(p)).collect();
    if line.closed {
        points.extend(points.first().copied());
    }
    let whole: f32 = points.windows(2).map(|w| w[0].distance(w[1])).sum();
    let least = whole / MOST_PLACES as f32;
    let step = (geometry.measures().median_edge / 2.0).max(least).max(f32::MIN_POSITIVE);
    let mut places = Vec::new();
    for ends in points.windows(2) {
        let count = (ends[0].distance(ends[1]) / step).ceil().max(1.0) as usize;
        places.extend((0..count).map(|i| ends[0].lerp(ends[1], i as f32 / count as f32)));
    }
    places.extend(points.last());
    let tree = geometry.bvh();
    let nearest = |&place: &Vec3| tree.nearest(place, f32::MAX, |_| true);
    let laid: Vec<(u32, Vec3)> = places
        .par_iter()
        .map(nearest)
        .map(|found| found.map(|(face, at, _)| (face, at)).ok_or(BakeError::NoSurface))
        .collect::<Result<_, _>>()?;
    let whole: f32 = laid.windows(2).map(|w| w[0].1.distance(w[1].1)).sum();
    let mut seeds: FxHashMap<u32, (f32, f32)> = FxHashMap::default();
    let mut along = 0.0;
    for ends in laid.windows(2) {
        let [(face, from), (next, to)] = [ends[0], ends[1]];
        let way = to - from;
        for face in [face, next] {
            for &vertex in mesh.face_vertices(face as usize) {
                let p = mesh.positions()[vertex as usize];
                let share = (p - from).dot(way) / way.length_squared().max(f32::MIN_POSITIVE);
                let share = share.clamp(0.0, 1.0);
                let far = p.distance(from + way * share);
                let own = seeds.entry(vertex).or_insert((f32::INFINITY, 0.0));
                if far < own.0 {
                    let told = (along + share * way.length()) / whole.max(f32::MIN_POSITIVE);
                    *own = (far, told.clamp(0.0, 1.0));
                }
            }
        }
        along += way.length();
    }
    let mut seeds: Vec<Seed> =
        seeds.into_iter().map(|(vertex, (far, told))| Seed { vertex, far, told }).collect();
    seeds.sort_unstable_by_key(|seed| seed.vertex);
    Ok(Start { seeds, is_about_a_point: false })
}

pub(super) fn rim<'a>(lookup: &mut Lookup<'a>, rim: &'a Rim) -> Result<Plan<'a>, BakeError> {
    let (geometry, placement) = (lookup.geometry(), lookup.placement());
    let chosen = match &rim.of {
        Some(name) => lookup.selection(name)?,
        None => lookup.own_mask()?,
    };
    Ok(Box::new(move |watch| {
        let reach = or(rim.reach, super::diagonal(geometry) / 10.0);
        let closed = trail::seams::closed(geometry);
        let far = signed_distances(closed.as_ref().unwrap_or(geometry), &chosen, watch)?;
        let value = |far: f32| (0.5 + 0.5 * far / reach).clamp(0.0, 1.0);
        let values = far.into_iter().map(value).collect();
        Ok(Field::one(diffusion::placed(geometry, placement, values)))
    }))
}

/// How far each vertex is from the rim of what is selected, along the surface: more than 0 within.
fn signed_distances(
    geometry: &Geometry,
    chosen: &Chosen,
    watch: &crate::bake::watch::Watch,
) -> Result<Vec<f32>, BakeError> {
    let shares = chosen.shares(Placement::Vertex);
    let (seeds, is_within) = if chosen.is_of_vertices() {
        (contour(geometry, &shares), shares.iter().map(|&s| s > 0.5).collect())
    } else {
        let faces = chosen.elements(Placement::Face)?;
        border(geometry, &faces)
    };
    let is_all = |within: bool| is_within.iter().all(|is| *is == within);
    if is_all(false) {
        return Err(BakeError::EmptySelection(chosen.name.to_owned()));
    }
    let far = trail::distances(geometry, &Start { seeds, is_about_a_point: false }, watch)?;
    // Where no rim can be reached, it is as far off as can be.
    let far = far.into_iter().zip(is_within);
    Ok(far.map(|(far, is_within)| far.min(f32::MAX) * if is_within { 1.0 } else { -1.0 }).collect())
}

/// How near the corners of triangles are to the line where a number at the vertices is ½.
fn contour(geometry: &Geometry, shares: &[f32]) -> Vec<Seed> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let mut seeds: FxHashMap<u32, f32> = FxHashMap::default();
    for t in geometry.triangulation().corners() {
        let v = t.map(|corner| mesh.corner_vertices()[corner as usize]);
        let s = v.map(|v| shares[topology.point_of(v as usize)]);
        let mut crossings = Vec::new();
        for (i, j) in [(0, 1), (1, 2), (2, 0)] {
            if (s[i] > 0.5) != (s[j] > 0.5) {
                let [a, b] = [v[i], v[j]].map(|v| mesh.positions()[v as usize]);
                crossings.push(a.lerp(b, (0.5 - s[i]) / (s[j] - s[i])));
            }
        }
        let [from, to] = crossings[..] else { continue };
        for vertex in v {
            let p = mesh.positions()[vertex as usize];
            let way = to - from;
            let share = (p - from).dot(way) / way.length_squared().max(f32::MIN_POSITIVE);
            let far = p.distance(from + way * share.clamp(0.0, 1.0));
            let own = seeds.entry(vertex).or_insert(f32::INFINITY);
            *own = own.min(far);
        }
    }
    let mut seeds: Vec<Seed> =
        seeds.into_iter().map(|(vertex, far)| Seed::at(vertex, far)).collect();
    seeds.sort_unstable_by_key(|seed| seed.vertex);
    seeds
}

/// The vertices of edges between faces that are selected and others that are not; and which vertices
/// lie within.
fn border(geometry: &Geometry, faces: &[u32]) -> (Vec<Seed>, Vec<bool>) {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let mut is_in = vec![false; mesh.face_count()];
    faces.iter().for_each(|&face| is_in[face as usize] = true);
    let mut ends = Vec::new();
    for edge in topology.edges() {
        let first = is_in[topology.face_of(edge)];
        if topology.around(edge).any(|corner| is_in[topology.face_of(corner)] != first) {
            let range = mesh.face_corners(topology.face_of(edge));
            let next = if edge + 1 < range.end { edge + 1 } else { range.start };
            ends.extend([edge, next].map(|corner| mesh.corner_vertices()[corner]));
        }
    }
    ends.sort_unstable();
    ends.dedup();
    let within = |vertex: usize| {
        topology.own_corners(mesh, vertex).any(|corner| is_in[topology.face_of(corner)])
    };
    let seeds = ends.into_iter().map(|vertex| Seed::at(vertex, 0.0)).collect();
    (seeds, (0..mesh.vertex_count()).map(within).collect())
}
