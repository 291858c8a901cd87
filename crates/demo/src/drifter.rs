//! The herring drifter: a toy boat of several parts, in millimetres, bow towards +X.

use std::f32::consts::TAU;

use glam::{Quat, Vec3};
use speckle_color::{Encoding, pixels::Pixels};
use speckle_mesh::Placement;
use speckle_model::{NewPart, NewSet};

use crate::{
    Detail,
    loft::{Loft, between, through},
};

const LENGTH: f32 = 260.0;

/// Base coats, sRGB-encoded: wood primed for paint, and twine.
const PRIMED: [f32; 4] = [0.87, 0.84, 0.77, 1.0];
const PINE: [f32; 4] = [0.80, 0.66, 0.46, 1.0];
const TWINE: [f32; 4] = [0.62, 0.55, 0.42, 1.0];

pub fn make(detail: Detail) -> Vec<NewPart> {
    let fine = |count: u32| match detail {
        Detail::Light => count * 4 / 11,
        Detail::Usual => count * 9 / 11,
        // Its square makes of 60 thousand triangles a million.
        Detail::Dense => count * 17 / 5,
    };
    vec![
        part("Hull", PRIMED, hull(&fine)),
        part("Wheelhouse", PRIMED, wheelhouse(&fine)),
        part("Mast", PINE, mast(&fine)),
        part("Nets", TWINE, nets(&fine)),
    ]
}

fn part(name: &str, base: [f32; 4], loft: Loft) -> NewPart {
    let mesh = loft.into_mesh();
    let set = NewSet::flooded("Paint", Placement::Vertex, Encoding::Color, base, &mesh);
    let mut toning =
        NewSet::flooded(TONING, Placement::Vertex, Encoding::Data, [0.5, 0.5, 0.5, 1.0], &mesh);
    for (value, place) in toning.values.iter_mut().zip(mesh.positions()) {
        let [r, g, b] = tone(place.y);
        *value = [r, g, b, 1.0];
    }
    NewPart::new(name, mesh, vec![set, toning])
}

/// What is laid over the planks at a height: dark and a little green from the keel up to the waterline, bleached
/// towards the rail and above it, and 0.5, which leaves them as they are, between.
fn tone(height: f32) -> [f32; 3] {
    let wet = ((26.0 - height) / 14.0).clamp(0.0, 1.0);
    let bleached = ((height - 44.0) / 30.0).clamp(0.0, 1.0);
    [
        0.5 - 0.26 * wet + 0.16 * bleached,
        0.5 - 0.18 * wet + 0.15 * bleached,
        0.5 - 0.22 * wet + 0.12 * bleached,
    ]
}

/// What the set that is laid over the planks is called.
pub const TONING: &str = "Toning";

/// What the image of planks is called.
pub const PLANKS: &str = "planks.png";

/// The side of the image, pixels, and how many planks lie one above the other in it.
const PLANK_IMAGE: (usize, usize) = (256, 8);

/// Planks with their grain, as a PNG file that comes again beside itself.
pub fn planks() -> Vec<u8> {
    let (side, rows) = PLANK_IMAGE;
    let light = Vec3::new(0.80, 0.66, 0.47);
    let dark = Vec3::new(0.58, 0.43, 0.27);
    let rgba = (0..side * side).flat_map(|at| {
        let (x, y) = ((at % side) as f32 / side as f32, (at / side) as f32 / side as f32);
        let row = (y * rows as f32).floor();
        let within = y * rows as f32 - row;
        // Whole waves across, so that the right border meets the left one.
        let grain = (TAU * (3.0 * x + within + row * 0.37)).sin() * 0.5
            + (TAU * (9.0 * x + 5.0 * within + row * 0.71)).sin() * 0.3
            + (TAU * (2.0 * x + 11.0 * within + row * 0.13)).sin() * 0.2;
        let joint = if !(0.04..=0.96).contains(&within) { 0.55 } else { 1.0 };
        let color = dark.lerp(light, 0.55 + 0.35 * grain) * joint;
        let [r, g, b] = color.to_array().map(|c| (c.clamp(0.0, 1.0) * 255.0).round() as u8);
        [r, g, b, 255]
    });
    let image = Pixels::of_bytes([side; 2], rgba.collect());
    image.png().expect("a picture of the size it says")
}

/// Half the breadth, the height of the rail and that of the keel, from stern to bow.
const BREADTH: [(f32, f32); 7] =
    [(0.0, 22.0), (0.06, 31.0), (0.25, 41.0), (0.5, 43.0), (0.75, 35.0), (0.93, 15.0), (1.0, 2.5)];
const RAIL: [(f32, f32); 5] = [(0.0, 56.0), (0.25, 48.0), (0.5, 47.0), (0.8, 57.0), (1.0, 74.0)];
const KEEL: [(f32, f32); 6] =
    [(0.0, 22.0), (0.06, 7.0), (0.15, 0.0), (0.75, 0.0), (0.92, 9.0), (1.0, 46.0)];
const DECK_BELOW_RAIL: f32 = 11.0;

fn hull(fine: &impl Fn(u32) -> u32) -> Loft {
    // Half a section: share of the breadth and of the height from keel (0) to rail (1), by the way
    // from the middle of the deck, over the rail, to the keel.
    const OUT: [(f32, f32); 10] = [
        (0.0, 0.0),
        (0.22, 0.88),
        (0.25, 0.91),
        (0.30, 0.92),
        (0.335, 1.02),
        (0.37, 1.02),
        (0.60, 0.93),
        (0.80, 0.62),
        (0.93, 0.16),
        (1.0, 0.0),
    ];
    let mut loft = Loft::default();
    loft.add(fine(150), fine(110), |s, a| {
        let (breadth, rail, keel) = (through(&BREADTH, s), through(&RAIL, s), through(&KEEL, s));
        // Once around: down the starboard side, up the port side.
        let (way, side) = if a < 0.5 { (2.0 * a, 1.0) } else { (2.0 - 2.0 * a, -1.0) };
        let deck = 1.0 - DECK_BELOW_RAIL / (rail - keel);
        let up = between(
            &[
                (0.0, deck + 0.03),
                (0.25, deck),
                (0.30, 0.985),
                (0.335, 1.0),
                (0.37, 0.985),
                (0.60, 0.55),
                (0.80, 0.2),
                (0.93, 0.05),
                (1.0, 0.0),
            ],
            way,
        );
        let out = between(&OUT, way);
        // Planks: a shallow groove every so often down the sides.
        let is_side = (0.40..0.9).contains(&way);
        let groove = if is_side { 0.35 * (way * 22.0 * TAU).sin().max(0.0).powi(6) } else { 0.0 };
        // The bow leans forward, the stern is upright.
        let rake = (up - 0.5) * 14.0 * s * s;
        Vec3::new(
            (s - 0.5) * LENGTH + rake,
            keel + (rail - keel) * up,
            side * (breadth * out - groove).max(0.0),
        )
    });
    // A rubbing strake along each side.
    for side in [1.0, -1.0] {
        loft.add(fine(120), fine(10), |s, a| {
            let along = 0.04 + 0.90 * s;
            let (sin, cos) = (a * TAU).sin_cos();
            let middle = through(&BREADTH, along) * 1.005;
            let y = through(&RAIL, along) - 7.0;
            let rake = 0.4 * 14.0 * along * along;
            let thick = 1.6 * (s * (1.0 - s) * 60.0).clamp(0.15, 1.0);
            Vec3::new(
                (along - 0.5) * LENGTH + rake,
                y + thick * sin * side,
                side * middle + thick * cos,
            )
        });
    }
    loft
}

/// A box with rounded edges: the superellipsoid's section, from `low` up to `high`.
fn cabin(
    loft: &mut Loft,
    counts: (u32, u32),
    middle: Vec3,
    half: Vec3,
    shape: impl Fn(f32, f32) -> f32,
) {
    loft.add(counts.0, counts.1, |s, a| {
        let (sin, cos) = (a * TAU).sin_cos();
        let squared = |x: f32| x.signum() * x.abs().powf(0.28);
        let round = (1.0 - (2.0 * s - 1.0).abs().powf(9.0)).max(0.0).powf(0.25).max(0.02);
        let size = round * shape(s, a);
        middle
            + Vec3::new(
                half.x * squared(cos) * size,
                half.y * (2.0 * s - 1.0),
                -half.z * squared(sin) * size,
            )
    });
}

fn wheelhouse(fine: &impl Fn(u32) -> u32) -> Loft {
    let mut loft = Loft::default();
    // Windows are shallow panes set into the upper half.
    let panes = |s: f32, a: f32| {
        let high = ((s - 0.60) * 12.0).clamp(0.0, 1.0) * ((0.86 - s) * 12.0).clamp(0.0, 1.0);
        let wide = ((a * 12.0 * TAU).cos() * 3.0 + 1.2).clamp(0.0, 1.0);
        1.0 - 0.05 * high * wide
    };
    cabin(
        &mut loft,
        (fine(60), fine(96)),
        Vec3::new(-62.0, 62.0, 0.0),
        Vec3::new(26.0, 26.0, 20.0),
        panes,
    );
    cabin(
        &mut loft,
        (fine(14), fine(96)),
        Vec3::new(-62.0, 89.0, 0.0),
        Vec3::new(30.0, 2.6, 24.0),
        |_, _| 1.0,
    );
    // The funnel behind it.
    loft.add(fine(26), fine(36), |s, a| {
        let (sin, cos) = (a * TAU).sin_cos();
        let radius = between(&[(0.0, 8.0), (0.82, 7.2), (0.86, 8.4), (0.97, 8.4), (1.0, 6.5)], s);
        Vec3::new(-97.0 + radius * cos - 6.0 * s, 38.0 + 58.0 * s, -radius * sin)
    });
    loft
}

/// A round spar from one point to another.
fn spar(loft: &mut Loft, counts: (u32, u32), from: Vec3, to: Vec3, thick: (f32, f32)) {
    let turn = Quat::from_rotation_arc(Vec3::Y, (to - from).normalize());
    loft.add(counts.0, counts.1, |s, a| {
        let (sin, cos) = (a * TAU).sin_cos();
        let radius = thick.0 + (thick.1 - thick.0) * s;
        from.lerp(to, s) + turn * Vec3::new(radius * cos, 0.0, -radius * sin)
    });
}

fn mast(fine: &impl Fn(u32) -> u32) -> Loft {
    let mut loft = Loft::default();
    let [foot, top] = [Vec3::new(46.0, 30.0, 0.0), Vec3::new(42.0, 188.0, 0.0)];
    spar(&mut loft, (fine(90), fine(20)), foot, top, (4.2, 2.2));
    spar(
        &mut loft,
        (fine(60), fine(16)),
        Vec3::new(44.0, 66.0, 0.0),
        Vec3::new(-34.0, 104.0, 0.0),
        (2.6, 1.6),
    );
    spar(
        &mut loft,
        (fine(40), fine(14)),
        Vec3::new(-104.0, 40.0, 0.0),
        Vec3::new(-108.0, 118.0, 0.0),
        (2.4, 1.4),
    );
    // The truck on top, and bands around the mast.
    for (height, radius, thick) in [(0.985, 3.6, 2.4), (0.30, 5.0, 1.6), (0.62, 4.2, 1.4)] {
        let at = foot.lerp(top, height);
        loft.add(fine(16), fine(24), |s, a| {
            let (sin, cos) = (a * TAU).sin_cos();
            let round = (1.0 - (2.0 * s - 1.0).powi(2)).max(0.01).sqrt();
            at + Vec3::new(radius * round * cos, thick * (2.0 * s - 1.0), -radius * round * sin)
        });
    }
    loft
}

fn nets(fine: &impl Fn(u32) -> u32) -> Loft {
    let mut loft = Loft::default();
    // A heap of folded net on the fore deck, and one abaft the mast.
    for (middle, size, phase) in [
        (Vec3::new(14.0, 42.0, 2.0), Vec3::new(30.0, 17.0, 27.0), 0.0),
        (Vec3::new(80.0, 48.0, -2.0), Vec3::new(17.0, 11.0, 16.0), 2.1),
    ] {
        loft.add(fine(64), fine(84), |s, a| {
            let polar = std::f32::consts::PI * (0.01 + 0.98 * s);
            let (sin, cos) = (a * TAU).sin_cos();
            let folds = (a * 9.0 * TAU + (s * 17.0 + phase).sin() * 2.0).sin() * 0.05
                + (s * 26.0 + a * 3.0 * TAU + phase).sin() * 0.04
                + (a * 23.0 * TAU + s * 31.0).sin() * 0.015;
            let wide = polar.sin() * (1.0 + folds);
            let p =
                Vec3::new(wide * cos, -polar.cos() * (1.0 + folds), -wide * sin) * size + middle;
            // It lies on the deck.
            Vec3::new(p.x, p.y.max(middle.y - 6.0 - folds * 10.0), p.z)
        });
    }
    // Glass floats beside it.
    for (x, z, radius) in
        [(-12.0, 22.0, 5.0), (-16.0, 13.0, 4.2), (-8.0, -24.0, 4.6), (48.0, 21.0, 4.4)]
    {
        let middle = Vec3::new(x, 37.0 + radius, z);
        loft.add(fine(20), fine(28), |s, a| {
            let polar = std::f32::consts::PI * (0.02 + 0.96 * s);
            let (sin, cos) = (a * TAU).sin_cos();
            middle + radius * Vec3::new(polar.sin() * cos, -polar.cos(), -polar.sin() * sin)
        });
    }
    loft
}

#[cfg(test)]
mod tests {
    use super::*;
    use speckle_mesh::Geometry;

    #[test]
    fn the_drifter_is_four_closed_parts_of_some_ten_sixty_or_a_thousand_thousand_triangles() {
        for (detail, least, most) in [
            (Detail::Light, 8_000, 16_000),
            (Detail::Usual, 50_000, 75_000),
            (Detail::Dense, 950_000, 1_300_000),
        ] {
            let parts = make(detail);
            assert_eq!(parts.len(), 4);
            let triangles: usize = parts.iter().map(|p| p.mesh.triangle_count()).sum();
            assert!((least..most).contains(&triangles), "{triangles}");
            for part in parts {
                let geometry = Geometry::new(part.mesh);
                assert!(geometry.topology().is_watertight(), "{}", part.name);
                assert!(geometry.measures().volume > 0.0, "{} is inside out", part.name);
            }
        }
    }
}
