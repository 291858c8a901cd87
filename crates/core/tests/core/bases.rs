//! Which swatch is best left unpainted.

use std::{f64::consts::PI, sync::Arc};

use glam::{Affine3A, Vec3};
use speckle_mesh::{Geometry, Mesh};
use speckle_tools::{
    bake::watch::Watch,
    base::{PaintingWork, painting_work},
};

use crate::{decimating::ball, layers::turned};

fn works(mesh: Mesh, swatch: impl Fn(Vec3) -> u8) -> Vec<PaintingWork> {
    let swatches: Vec<u8> =
        (0..mesh.face_count()).map(|face| swatch(mesh.face_centroid(face))).collect();
    let geometry = Arc::new(Geometry::new(mesh));
    painting_work(&geometry, &swatches, &Affine3A::IDENTITY, &Watch::default()).unwrap()
}

/// A ball with a ring of spots: they are less of it than the rest, and more work.
#[test]
fn what_is_in_many_patches_is_the_base() {
    let spot = |p: Vec3| {
        let around = p.y.atan2(p.x) * 6.0 / std::f32::consts::PI;
        u8::from((around - around.round()).abs() < 0.25 && p.normalize().z.abs() < 0.12)
    };
    let found = works(ball(60, 144), spot);
    assert_eq!(
        found.iter().map(|own| (own.swatch, own.patches)).collect::<Vec<_>>(),
        [(1, 12), (0, 1)]
    );
    assert!(found[0].area < 0.2 * found[1].area);
    // The border is that of both.
    assert!((found[0].border - found[1].border).abs() < 1e-6 * found[0].border);
    assert!(found.iter().all(|own| own.hidden < 1e-3), "a ball hides nothing of itself");
}

/// A tube: its inside is hidden but for what leaves by its ends, its outside is not. The border between them is
/// two circles (2 · 2πr).
#[test]
fn what_is_hidden_is_the_base() {
    let (outer, inner, high) = (5.0, 4.5, 12.0);
    // Up the outside, over the rim, and down the inside; what turned() closes at both ends lies within the wall.
    let profile = [(inner, 0.0), (outer, 0.0), (outer, high), (inner, high), (inner, 0.0)];
    let mesh = turned(4, 96, |t| profile[(4.0 * t).round() as usize]);
    let sides = |p: Vec3| u8::from(p.truncate().length() < 4.6);
    let found = works(mesh, sides);
    assert_eq!(found[0].swatch, 1);
    assert!(found[0].hidden > 0.5 && found[1].hidden < 0.05, "{found:?}");
    let wanted = 2.0 * 2.0 * PI * f64::from(inner);
    assert!((found[1].border / wanted - 1.0).abs() < 1e-3, "{} of {wanted}", found[1].border);
    // In one swatch it is that one.
    let found = works(ball(8, 12), |_| 7);
    assert_eq!(found.len(), 1);
    assert_eq!((found[0].swatch, found[0].patches, found[0].border), (7, 1, 0.0));
}
