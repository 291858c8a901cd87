//! Faces split under a pointer: what one dab of a brush that refines costs, and its undo.

use std::{path::Path, time::Instant};

use anyhow::{Context, Result};
use glam::Vec3;
use speckle_mesh::{Geometry, Placement, geometry::local::LocalEdit, reshape::Direction};
use speckle_model::PartId;
use speckle_server::wire::frames;

/// How many dabs are measured.
const DABS: usize = 40;

/// Splits the longest edge of each of some faces.
fn refine(edit: &mut LocalEdit, faces: &[u32]) -> usize {
    let longest = |edit: &LocalEdit, face: u32| {
        let corners = edit.mesh().face_corners(face as usize);
        let at = |i: usize| edit.mesh().corner_position(corners.start + i % 3);
        (0..3)
            .map(|i| (at(i).distance_squared(at(i + 1)), corners.start + i))
            .max_by(|a, b| a.0.total_cmp(&b.0))
            .map_or(corners.start, |(_, corner)| corner)
    };
    faces.iter().filter(|&&face| edit.split(longest(edit, face), 0.5).is_some()).count()
}

fn p95(mut times: Vec<f64>) -> f64 {
    times.sort_by(f64::total_cmp);
    times[times.len() * 95 / 100]
}

/// Splits some 200 faces at a time on the dragon, with everything derived that painting needs, and the
/// frame that tells pages of it.
pub fn all(dragon: &Path) -> Result<()> {
    let part = super::read(dragon)?.into_iter().next().context("a part")?;
    println!("\n## Splitting faces under a pointer, {} faces\n", part.mesh.face_count());
    println!("| | 95 % of {DABS} dabs |\n|---|---|");
    let mut geometry = Geometry::new(part.mesh);
    let _ = (geometry.vertex_normals(), geometry.bvh(), geometry.extent());
    let begun = Instant::now();
    geometry.prepare();
    let ready = begun.elapsed().as_secs_f64() * 1e3;
    for is_softened in [false, true] {
        if is_softened {
            // What soften and smear look at is kept up too, where it is there.
            let _ = geometry.neighbours(Placement::Vertex);
        }
        let (mut splits, mut undos) = (Vec::new(), Vec::new());
        let mut changed = 0;
        let places: Vec<Vec3> = (0..DABS)
            .map(|i| geometry.mesh().face_centroid(geometry.mesh().face_count() / DABS * i))
            .collect();
        for place in places {
            let mut radius = geometry.extent().median_edge;
            let mut faces = geometry.bvh().faces_within(place, radius);
            while faces.len() < 200 {
                radius *= 1.1;
                faces = geometry.bvh().faces_within(place, radius);
            }
            faces.truncate(200);
            let begun = Instant::now();
            let (count, reshape, _) = geometry.edit(|edit| refine(edit, &faces));
            let _ = frames::reshape(PartId(1), &geometry, &reshape, Direction::Forward);
            splits.push(begun.elapsed().as_secs_f64() * 1e3);
            changed += count;
            let begun = Instant::now();
            geometry.reshape(&reshape, Direction::Backward)?;
            let _ = frames::reshape(PartId(1), &geometry, &reshape, Direction::Backward);
            undos.push(begun.elapsed().as_secs_f64() * 1e3);
            geometry.reshape(&reshape, Direction::Forward)?;
        }
        let with = if is_softened { ", neighbours as well" } else { "" };
        println!("| {} splits each{with} | {:.1} ms |", changed / DABS, p95(splits));
        println!("| taken back{with} | {:.1} ms |", p95(undos));
    }
    let anew = super::median_ms(3, || {
        let anew = Geometry::new(geometry.mesh().clone());
        let _ = (anew.vertex_normals(), anew.bvh());
    });
    println!("| all of it from nothing | {anew:.1} ms |");
    let middle = geometry.mesh().face_centroid(0);
    let cast = super::median_ms(5, || {
        (0..10_000)
            .filter(|&i| {
                let from = middle + Vec3::new((i % 100) as f32, (i / 100) as f32, 300.0) * 0.001;
                geometry.bvh().cast(from, Vec3::NEG_Z).is_some()
            })
            .count()
    });
    println!("| made ready once | {ready:.1} ms |");
    println!("| 10 000 rays afterwards | {cast:.1} ms |");
    Ok(())
}
