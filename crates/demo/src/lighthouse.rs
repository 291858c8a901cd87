//! A toy lighthouse for a printer with several spools, in millimetres: painted as one paints it by hand, on the
//! outside only, so that nearly every layer needs two spools.

use glam::Vec2;
use speckle_core::{Change, Document, EditError};
use speckle_mesh::Geometry;
use speckle_model::{NewPart, swatches::Swatch};

use crate::{
    Detail,
    lathe::{Turned, in_steps},
    spools::{paint_faces, spool},
};

const CHALK: u8 = 1;
const TILE: u8 = 2;
const SLATE: u8 = 3;
const LAMP: u8 = 4;

/// How thick the wall is.
const WALL: f32 = 1.7;
/// Where the tower ends and its gallery begins.
const TOP: f32 = 76.0;
/// Its radius at the foot and at the top.
const RADII: [f32; 2] = [22.0, 14.0];

/// Bands of tiles, from where to where.
const BANDS: [[f32; 2]; 2] = [[19.0, 32.2], [45.4, 58.6]];
/// The middles of the windows, one above the other.
const WINDOWS: [f32; 2] = [39.2, 66.4];
/// Half of a window: across and up.
const WINDOW: Vec2 = Vec2::new(2.0, 0.9);
/// What is left of the keyhole, and a slip of the brush or two: angle and height.
const SLIPS: [[f32; 2]; 3] = [[0.10, 9.4], [2.2, 37.3], [4.4, 62.1]];

/// Half of a slip, one face: around in radians, and up.
const SLIP: Vec2 = Vec2::new(0.0218, 0.33);

fn radius(height: f32) -> f32 {
    RADII[0] + (RADII[1] - RADII[0]) * (height / TOP)
}

/// One watertight body: down its inner wall, out over its foot, up and over to the tip of its roof.
pub fn make(detail: Detail) -> Vec<NewPart> {
    let inner = |height: f32| radius(height) - WALL;
    let ceiling = TOP - 2.0;
    let corners = [
        Vec2::new(0.0, ceiling),
        Vec2::new(inner(ceiling), ceiling),
        Vec2::new(inner(0.0), 0.0),
        Vec2::new(radius(0.0), 0.0),
        Vec2::new(radius(TOP), TOP),
        Vec2::new(17.5, TOP + 1.6),
        Vec2::new(17.5, TOP + 4.0),
        Vec2::new(9.6, TOP + 4.0),
        Vec2::new(9.6, TOP + 13.0),
        Vec2::new(12.4, TOP + 13.0),
        Vec2::new(2.0, TOP + 20.0),
        Vec2::new(0.0, TOP + 20.6),
    ];
    let (step, around) = match detail {
        Detail::Light | Detail::Usual => (0.66, 144),
        Detail::Dense => (0.2, 512),
    };
    let mut turned = Turned::default();
    turned.spin(&in_steps(&corners, step), around, |point| point);
    vec![NewPart::new("Lighthouse", turned.mesh(), Vec::new())]
}

/// The spools it is painted for.
fn palette() -> Vec<Swatch> {
    vec![
        spool(CHALK, "Chalk", [0.91, 0.89, 0.83], 21.0),
        spool(TILE, "Tile red", [0.70, 0.20, 0.16], 24.0),
        spool(SLATE, "Slate", [0.16, 0.18, 0.21], 22.0),
        spool(LAMP, "Lamp", [0.90, 0.70, 0.27], 29.0),
    ]
}

/// What a face is painted in; 0 where the brush did not come: inside, and on chalk.
fn painted(geometry: &Geometry, face: usize) -> u8 {
    let mesh = geometry.mesh();
    let at = mesh.face_centroid(face);
    let from_axis = Vec2::new(at.x, at.z).length();
    let is_inside = at.y < TOP - 1.0 && from_axis < radius(at.y) - WALL / 2.0;
    if is_inside {
        return 0;
    }
    let angle = f32::atan2(at.x, at.z);
    let along = angle * from_axis;
    let is_window = WINDOWS.iter().any(|middle| {
        let off = (Vec2::new(along, at.y - middle) / WINDOW).abs();
        off.x < 1.0 && off.y < 1.0
    });
    let is_slip = SLIPS.iter().any(|[turn, height]| {
        let off = (angle - turn + 3.0 * std::f32::consts::PI).rem_euclid(std::f32::consts::TAU);
        (off - std::f32::consts::PI).abs() < SLIP.x && (at.y - height).abs() < SLIP.y
    });
    match at.y {
        _ if is_window || is_slip => SLATE,
        y if y < 5.0 => SLATE,
        y if y < TOP => {
            if BANDS.iter().any(|[from, to]| (*from..*to).contains(&y)) {
                TILE
            } else {
                0
            }
        }
        y if y < TOP + 4.1 => SLATE,
        y if y < TOP + 12.9 => LAMP,
        _ => TILE,
    }
}

/// Paints it.
pub fn dress(document: &mut Document) -> Result<Vec<Change>, EditError> {
    paint_faces(document, palette(), CHALK, painted)
}
