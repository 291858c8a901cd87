//! Dabs of a brush.

use anyhow::{Context, Result};
use glam::Vec3;
use speckle_color::Channels;
use speckle_core::{Document, HandId};
use speckle_mesh::{
    Geometry, Placement,
    body::{Placed, Surface},
    scene::Scene,
    sight::View,
};
use speckle_tools::stroke::{
    Brush, Coat, Reach, Sample, StrokeStart, elements::DabPlace, footprint::Footprint,
};
use std::{path::Path, sync::Arc, time::Instant};

use super::{document_of, prepare, read, with_coat};

/// A brush over a part, seen from in front.
pub(super) fn stroke_over(document: &Document, radius: f32, reach: Reach) -> Result<StrokeStart> {
    let part = document.parts().first().context("a part")?;
    let set = part.sets.first().context("a set")?.id;
    Ok(StrokeStart::new(
        Coat::new(part.id, set, Channels::RGB, [0.8, 0.2, 0.1, 1.0]),
        Brush { reach, radius, opacity: 0.7, ..Brush::default() },
        View::Parallel { forward: Vec3::NEG_Z },
    ))
}

/// Lines of sight that meet the part, spread over its front evenly enough and always the same.
pub(super) fn sights(geometry: &Geometry, count: usize) -> Vec<Sample> {
    let (min, max) = (geometry.measures().min, geometry.measures().max);
    (1_u32..)
        .map(|i| {
            // The fractions of multiples of two irrational numbers (Roberts 2018) fill a square.
            let share = |step: f64| (f64::from(i) * step).fract() as f32;
            let x = min.x + (max.x - min.x) * share(0.754_877_666_2);
            let y = min.y + (max.y - min.y) * share(0.569_840_290_9);
            let origin = Vec3::new(x, y, max.z + 1.0);
            Sample { origin, direction: Vec3::NEG_Z, held: false, pressure: 1.0 }
        })
        .filter(|s| geometry.bvh().cast(s.origin, s.direction).is_some())
        .take(count)
        .collect()
}

pub(super) fn surface_of(geometry: Arc<Geometry>, placement: Placement) -> Surface {
    let placed = Placed::new(&speckle_mesh::Transform::IDENTITY);
    Surface { body: speckle_mesh::body::Body { geometry, placed }, placement }
}

/// How many elements a dab covers.
pub(super) fn covered(on: &On, reach: Reach, place: &Sample, radius: f32) -> usize {
    let geometry = &on.0;
    let surface = surface_of(geometry.clone(), on.1);
    let Some(hit) = geometry.bvh().cast(place.origin, place.direction) else { return 0 };
    let scene = Scene::open(View::Parallel { forward: Vec3::NEG_Z });
    let touch = DabPlace { middle: hit.point, face: Some(hit.face) };
    Footprint::new(reach, surface, scene).cover(&touch, radius).len()
}

/// A shape, and which of its elements are counted.
pub(super) type On = (Arc<Geometry>, Placement);

/// What the first set of a document is on.
pub(super) fn first_of(document: &Document) -> Result<On> {
    let part = document.parts().first().context("a part")?;
    Ok((part.geometry.clone(), part.sets.first().context("a set")?.placement))
}

/// The radius at which a dab at a place covers a share of the elements.
pub(super) fn radius_covering(on: &On, share: f64, reach: Reach, place: &Sample) -> f32 {
    let (geometry, placement) = on;
    let goal = (placement.count(geometry.mesh()) as f64 * share) as usize;
    // A disc of that share of the area, and some more for surface that hides itself.
    let disc = (geometry.measures().area * share / std::f64::consts::PI).sqrt() as f32;
    let covered = |radius: f32| covered(on, reach, place, radius);
    let (mut low, mut high) = (0.0, 4.0 * disc);
    for _ in 0..9 {
        let radius = f32::midpoint(low, high);
        if covered(radius) < goal { low = radius } else { high = radius }
    }
    // Where a little more radius takes in a whole other side, the share is missed from below.
    if covered(high).abs_diff(goal) < covered(low).abs_diff(goal) { high } else { low }
}

/// The 95th percentile of the milliseconds the first dab of a stroke takes, over a share of the
/// vertices; with a mouse, the pointer hovered there before.
pub(super) fn dab_p95(
    document: &mut Document,
    share: f64,
    reach: Reach,
    is_hovered: bool,
) -> Result<f64> {
    let on = first_of(document)?;
    let mut times = Vec::new();
    for (i, sample) in sights(&on.0, 40).iter().enumerate() {
        let start = stroke_over(document, radius_covering(&on, share, reach, sample), reach)?;
        let id = HandId(i as u64);
        if is_hovered {
            document.hover(id, &start, sample)?;
        }
        document.begin_stroke(id, start)?;
        let begun = Instant::now();
        document.extend_stroke(id, std::slice::from_ref(sample))?;
        times.push(begun.elapsed().as_secs_f64() * 1e3);
        document.end_stroke(id);
        document.forget_hand(id);
    }
    times.sort_by(f64::total_cmp);
    Ok(times[times.len() * 95 / 100])
}

/// The 95th percentile of the milliseconds that the end of a stroke of one dab takes which makes edges half
/// as long under it, or is cut along its rim, over a share of the vertices: mesh, paint, and what is
/// derived from both.
pub(super) fn finer_p95(document: &mut Document, share: f64, is_crisp: bool) -> Result<f64> {
    let edge = first_of(document)?.0.measures().median_edge;
    let mut times = Vec::new();
    for (i, sample) in sights(&first_of(document)?.0, 24).iter().enumerate() {
        let on = first_of(document)?;
        let mut start =
            stroke_over(document, radius_covering(&on, share, Reach::Skin, sample), Reach::Skin)?;
        drop(on);
        start.brush.crisp = is_crisp;
        start.brush.finer = (!is_crisp).then_some(edge / 2.0);
        let id = HandId(i as u64);
        document.begin_stroke(id, start)?;
        document.extend_stroke(id, std::slice::from_ref(sample))?;
        let begun = Instant::now();
        let change = document.end_stroke(id);
        times.push(begun.elapsed().as_secs_f64() * 1e3);
        document.forget_hand(id);
        if let Some(change) = change {
            document.replay(&change, speckle_core::document::Direction::Backward)?;
        }
    }
    times.sort_by(f64::total_cmp);
    Ok(times[times.len() * 95 / 100])
}

/// The 95th percentile of the milliseconds that dabs along strokes take which make edges half as long
/// while the pointer moves; first those that begin one, then the later ones.
pub(super) fn finer_along_p95(document: &mut Document, share: f64) -> Result<[f64; 2]> {
    let edge = first_of(document)?.0.measures().median_edge;
    let mut times = [Vec::new(), Vec::new()];
    for (i, place) in sights(&first_of(document)?.0, 16).iter().enumerate() {
        let radius = radius_covering(&first_of(document)?, share, Reach::Skin, place);
        let mut start = stroke_over(document, radius, Reach::Skin)?;
        start.brush.finer = Some(edge / 2.0);
        let id = HandId(i as u64);
        document.begin_stroke(id, start)?;
        let mut changes = Vec::new();
        for step in 0..12 {
            let way = Vec3::X * (0.205 * radius * step as f32);
            let sample = [Sample { origin: place.origin + way, ..*place }];
            let begun = Instant::now();
            let change = document.refine_ahead(id, &sample);
            document.extend_stroke(id, &sample)?;
            if let Some(change) = change {
                times[step.min(1)].push(begun.elapsed().as_secs_f64() * 1e3);
                changes.push(change);
            }
        }
        changes.extend(document.end_stroke(id));
        document.forget_hand(id);
        for change in changes.iter().rev() {
            document.replay(change, speckle_core::document::Direction::Backward)?;
        }
    }
    Ok(times.map(|mut times| {
        times.sort_by(f64::total_cmp);
        times.get(times.len() * 95 / 100).copied().unwrap_or(f64::NAN)
    }))
}

/// The same for the dabs along strokes, which go on over surface that is known in part. A radius
/// covers more here and less there: dabs off the share by more than a quarter do not count.
pub(super) fn dab_along_p95(document: &mut Document, share: f64) -> Result<f64> {
    let on = first_of(document)?;
    let goal = on.1.count(on.0.mesh()) as f64 * share;
    let mut times = Vec::new();
    for (i, place) in sights(&on.0, 16).iter().enumerate() {
        let radius = radius_covering(&on, share, Reach::Skin, place);
        let id = HandId(i as u64);
        document.begin_stroke(id, stroke_over(document, radius, Reach::Skin)?)?;
        let mut dabs = Vec::new();
        for step in 0..12 {
            // A little more than the spacing of dabs, so that each sample lays one.
            let way = Vec3::X * (0.205 * radius * step as f32);
            let sample = Sample { origin: place.origin + way, ..*place };
            let begun = Instant::now();
            let changed = document.extend_stroke(id, &[sample])?;
            if step > 0 && changed.iter().any(|(.., changed)| !changed.is_empty()) {
                dabs.push((begun.elapsed().as_secs_f64() * 1e3, sample));
            }
        }
        document.end_stroke(id);
        document.forget_hand(id);
        dabs.retain(|(_, sample)| {
            let covers = covered(&on, Reach::Skin, sample, radius) as f64;
            (covers / goal - 1.0).abs() < 0.25
        });
        times.extend(dabs.into_iter().map(|(took, _)| took));
    }
    times.sort_by(f64::total_cmp);
    Ok(times.get(times.len() * 95 / 100).copied().unwrap_or(f64::NAN))
}

/// Dabs over 1 % of the elements, on each placement.
pub(super) fn dabs(path: &Path) -> Result<()> {
    println!("\nDabs over 1 % of the dragon's elements, 95th percentiles:\n");
    println!(
        "| placement | elements | skin, hovered before | skin, later | skin, out of nowhere | deep |\n|---|---|---|---|---|---|"
    );
    for placement in [Placement::Vertex, Placement::Corner, Placement::Face] {
        let part = with_coat(read(path)?.remove(0), placement);
        let mut document = document_of(vec![part])?;
        prepare(&document);
        let on = first_of(&document)?;
        println!(
            "| {} | {} | {:.1} ms | {:.1} ms | {:.1} ms | {:.1} ms |",
            placement.words(),
            placement.count(on.0.mesh()),
            dab_p95(&mut document, 0.01, Reach::Skin, true)?,
            dab_along_p95(&mut document, 0.01)?,
            dab_p95(&mut document, 0.01, Reach::Skin, false)?,
            dab_p95(&mut document, 0.01, Reach::Deep, false)?,
        );
    }
    let part = with_coat(read(path)?.remove(0), Placement::Vertex);
    let mut document = document_of(vec![part])?;
    prepare(&document);
    println!("\nThe end of a stroke of one dab that changes the mesh, 95th percentiles:\n");
    println!("| over | edges half as long | crisp rim |\n|---|---|---|");
    for (title, share) in [("0.01 % of the vertices", 1e-4), ("0.1 %", 1e-3)] {
        let finer = finer_p95(&mut document, share, false)?;
        let crisp = finer_p95(&mut document, share, true)?;
        println!("| {title} | {finer:.1} ms | {crisp:.1} ms |");
    }
    println!("\nDabs that make edges half as long while the pointer moves, 95th percentiles:\n");
    println!("| over | first | later |\n|---|---|---|");
    for (title, share) in [("0.01 % of the vertices", 1e-4), ("0.1 %", 1e-3)] {
        let [first, later] = finer_along_p95(&mut document, share)?;
        println!("| {title} | {first:.1} ms | {later:.1} ms |");
    }
    Ok(())
}
