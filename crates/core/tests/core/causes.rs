//! Specks swept up, what makes a print change spools, and remedies that gain what they say.

use glam::{Affine3A, Vec3};
use proptest::prelude::*;
use speckle_mesh::{Geometry, Mesh};
use speckle_tools::{
    bake::watch::Watch,
    layers::{Body, Cut, Ground, Inside, Remedy, Rules, Situation, causes, count},
    sweep::{Limits, Regions},
};

use crate::common::{polygons, sheet};

const RULES: Rules = Rules { layer: 0.2, first: 0.2, line: 0.4, depth: 0.9, ranges: Vec::new() };
const SPECKS: Limits = Limits { area: 0.3, width: 0.4 };

/// A pipe of an outer and an inner radius, standing on z, its walls in squares.
pub fn pipe(rings: usize, around: usize, outer: f32, inner: f32, high: f32) -> Mesh {
    let mut positions = Vec::new();
    for radius in [outer, inner] {
        for ring in 0..=rings {
            for i in 0..around {
                let (sin, cos) = (std::f32::consts::TAU * i as f32 / around as f32).sin_cos();
                positions.push(Vec3::new(
                    radius * cos,
                    radius * sin,
                    high * ring as f32 / rings as f32,
                ));
            }
        }
    }
    let at = |wall: usize, ring: usize, i: usize| {
        ((wall * (rings + 1) + ring) * around + i % around) as u32
    };
    let mut faces = Vec::new();
    for ring in 0..rings {
        for i in 0..around {
            faces.push(vec![
                at(0, ring, i),
                at(0, ring, i + 1),
                at(0, ring + 1, i + 1),
                at(0, ring + 1, i),
            ]);
            faces.push(vec![
                at(1, ring, i),
                at(1, ring + 1, i),
                at(1, ring + 1, i + 1),
                at(1, ring, i + 1),
            ]);
        }
    }
    for i in 0..around {
        faces.push(vec![at(0, 0, i), at(1, 0, i), at(1, 0, i + 1), at(0, 0, i + 1)]);
        faces.push(vec![
            at(0, rings, i),
            at(0, rings, i + 1),
            at(1, rings, i + 1),
            at(1, rings, i),
        ]);
    }
    polygons(positions, &faces)
}

/// How far out a face of a pipe of 10 lies: its outer wall.
fn is_outer(mesh: &Mesh, face: usize) -> bool {
    mesh.face_centroid(face).truncate().length() > 9.5
}

fn causes_of(mesh: &Mesh, swatches: &[u8], inside: Inside) -> (usize, Vec<(Remedy, usize, usize)>) {
    let geometry = Geometry::new(mesh.clone());
    let bodies = [Body { geometry: &geometry, to_plate: Affine3A::IDENTITY, of_faces: swatches }];
    let watch = Watch::default();
    let cut = Cut::of(&bodies, &RULES, &watch).unwrap();
    let known = cut.count(&[swatches], &watch).unwrap();
    let (through, bands) = Default::default();
    let now = Situation { swatches: vec![swatches.to_vec()], inside, through, bands };
    let unpainted = [swatches.iter().map(|swatch| *swatch == 0).collect()];
    let ground = Ground::new(&bodies, &cut, (&known, &now), &unpainted, 3);
    let found = causes(&ground, &SPECKS, &watch).unwrap();
    let all = found.into_iter().map(|cause| {
        // What it says is what counting anew from nothing gives.
        let then = ground.with(&now, &cause.remedy);
        let body =
            Body { geometry: &geometry, to_plate: Affine3A::IDENTITY, of_faces: &then.swatches[0] };
        let anew = count(&[body], &RULES, &watch).unwrap().banded(&then.bands);
        assert_eq!(cause.changes, anew.plan(then.inside).changes, "{:?}", cause.remedy);
        (cause.remedy, cause.changes, cause.faces)
    });
    (known.plan(inside).changes, all.collect())
}

/// A pipe with a band painted on its outside changes in every layer of it; through the wall, at its two ends.
#[test]
fn a_band_on_the_outside_is_remedied_through_the_wall() {
    let mesh = pipe(30, 48, 10.0, 8.0, 30.0);
    let in_band = |face: usize| (10.0..20.0).contains(&mesh.face_centroid(face).z);
    let swatches: Vec<u8> = (0..mesh.face_count())
        .map(|face| u8::from(in_band(face) && is_outer(&mesh, face)))
        .collect();
    let (now, found) = causes_of(&mesh, &swatches, Inside::Swatch { swatch: 0 });
    assert_eq!(now, 50, "one in each layer, with the best order");
    let (remedy, changes, _) = &found[0];
    assert_eq!(*changes, 2);
    let Remedy::Bands(bands) = remedy else { panic!("{found:?}") };
    assert_eq!((bands.len(), bands[0].swatch, bands[0].layers), (1, 1, (50, 99)));
}

/// A window in a wall is seen from outside: only the specks beside it, and the walls of the hole, are mended.
#[test]
fn windows_stay_and_specks_and_hidden_faces_go() {
    let mesh = pipe(60, 120, 10.0, 8.0, 30.0);
    let swatch = |face: usize| {
        let at = mesh.face_centroid(face);
        let is_window =
            is_outer(&mesh, face) && at.x > 0.0 && at.y.abs() < 2.0 && (8.0..12.0).contains(&at.z);
        let is_speck = is_outer(&mesh, face) && face.is_multiple_of(1444) && at.z > 14.0;
        // All of the hole's wall behind the window is in a third one.
        let is_hidden =
            !is_outer(&mesh, face) && (8.0..12.0).contains(&at.z) && at.truncate().length() < 8.1;
        match () {
            () if is_window || is_speck => 1,
            () if is_hidden => 2,
            () => 0,
        }
    };
    let swatches: Vec<u8> = (0..mesh.face_count()).map(swatch).collect();
    let (now, found) = causes_of(&mesh, &swatches, Inside::Nearest);
    let of = |wanted: fn(&Remedy) -> bool| found.iter().find(|(remedy, ..)| wanted(remedy));
    let (_, swept, specks) = of(|remedy| matches!(remedy, Remedy::Sweep(_))).expect("specks");
    assert!(*specks > 0 && *swept < now, "{now} {found:?}");
    let (inner, without, _) = of(|remedy| matches!(remedy, Remedy::Inner { .. })).expect("hidden");
    assert!(*without < now);
    let Remedy::Inner { faces } = inner else { unreachable!() };
    assert!(faces.iter().all(|&(_, face, to)| swatches[face as usize] == 2 && to == 0));
    let (last, ..) = found.last().unwrap();
    assert_eq!(*last, Remedy::None, "the window stays");
}

/// Recounted after a few faces changed, it is what counting from nothing gives.
#[test]
fn a_recount_is_a_count() {
    let mesh = pipe(20, 24, 10.0, 8.0, 10.0);
    let geometry = Geometry::new(mesh.clone());
    let before: Vec<u8> = (0..mesh.face_count()).map(|face| (face / 100 % 3) as u8).collect();
    let mut now = before.clone();
    now[100..110].fill(2);
    let watch = Watch::default();
    let body = |of_faces| Body { geometry: &geometry, to_plate: Affine3A::IDENTITY, of_faces };
    let cut = Cut::of(&[body(&before)], &RULES, &watch).unwrap();
    let known = cut.count(&[&before], &watch).unwrap();
    let again = cut.recount(&known, &[&before], &[&now], &watch).unwrap();
    assert!(again == count(&[body(&now)], &RULES, &watch).unwrap());
    assert!(again != known);
}

/// A sheet of 2 × 2 in squares of 0.1: a strip one wide, a square of two, and one face alone.
#[test]
fn regions_are_as_large_and_as_wide_as_they_are() {
    let mesh = Mesh::new(sheet(20, 0.0)).unwrap();
    let swatch = |face: usize| {
        let at = mesh.face_centroid(face);
        let within =
            |x: (f32, f32), y: (f32, f32)| (x.0..x.1).contains(&at.x) && (y.0..y.1).contains(&at.y);
        match () {
            () if within((-0.8, 0.8), (0.5, 0.6)) => 1,
            () if within((-0.5, -0.3), (-0.5, -0.3)) => 2,
            () if within((0.4, 0.5), (-0.5, -0.4)) => 1,
            () => 0,
        }
    };
    let swatches: Vec<u8> = (0..mesh.face_count()).map(swatch).collect();
    let scale = Affine3A::from_scale(Vec3::splat(10.0));
    let regions = Regions::of(&Geometry::new(mesh.clone()), &swatches, &scale);
    let mut told: Vec<_> =
        regions.list.iter().map(|own| (own.swatch, own.faces, own.beside)).collect();
    told.sort_by_key(|(_, faces, _)| *faces);
    assert_eq!(told[..3], [(1, 1, Some(0)), (2, 4, Some(0)), (1, 16, Some(0))]);
    let of = |faces: usize| regions.list.iter().find(|own| own.faces == faces).unwrap();
    // In mm: ten times as large.
    assert!((of(1).area - 1.0).abs() < 1e-4 && (of(1).width - 1.0).abs() < 1e-2);
    assert!((of(4).area - 4.0).abs() < 1e-4 && (of(4).width - 2.0).abs() < 1e-2);
    assert!((of(16).area - 16.0).abs() < 1e-4 && (of(16).width - 1.0).abs() < 1e-3);
    let specks = |area, width| {
        regions
            .specks(&Limits { area, width })
            .iter()
            .map(|&n| regions.list[n as usize].faces)
            .collect::<Vec<_>>()
    };
    assert_eq!(specks(2.0, 0.0), [1]);
    assert_eq!(specks(0.0, 1.5), [1, 16]);
    let swept = regions.absorbed(&regions.specks(&Limits { area: 0.0, width: 1.5 }));
    for (now, was) in swept.iter().zip(&swatches) {
        assert_eq!(*now, if *was == 2 { 2 } else { 0 });
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, cases: 40, ..ProptestConfig::default() })]

    /// Whatever faces are painted: no region below the limits is left but where it stands alone, every
    /// promise is what a recount gives, and areas are all that there is.
    #[test]
    fn any_paint_is_swept_and_remedied_as_promised(
        seeds in proptest::collection::vec((0_usize..1296, 1_usize..60, 0_u8..3), 1..8),
        is_nearest in any::<bool>(),
    ) {
        let mesh = pipe(12, 36, 10.0, 8.0, 6.0);
        let mut swatches = vec![0_u8; mesh.face_count()];
        for (from, many, swatch) in seeds {
            let to = (from + many).min(swatches.len());
            if from < to { swatches[from..to].fill(swatch); }
        }
        let inside = if is_nearest { Inside::Nearest } else { Inside::Swatch { swatch: 0 } };
        let (now, found) = causes_of(&mesh, &swatches, inside);
        for (remedy, changes, _) in &found {
            prop_assert!(*remedy == Remedy::None || *changes < now);
        }
        let geometry = Geometry::new(mesh.clone());
        let regions = Regions::of(&geometry, &swatches, &Affine3A::IDENTITY);
        let whole: f64 = regions.list.iter().map(|own| own.area).sum();
        let faces: f64 = (0..mesh.face_count()).map(|f| f64::from(mesh.face_area_vector(f).length()) / 2.0).sum();
        prop_assert!((whole / faces - 1.0).abs() < 1e-5);
        let limits = Limits { area: 6.0, width: 0.0 };
        let swept = regions.absorbed(&regions.specks(&limits));
        let left = Regions::of(&geometry, &swept, &Affine3A::IDENTITY);
        prop_assert!(left.list.len() <= regions.list.len());
        prop_assert!(left.list.len() == 1 || left.specks(&limits).is_empty(), "{:?}", left.list);
    }
}
