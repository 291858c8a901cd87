//! Where a print stands on the plate of a printer: whether it fits, and how it would be turned to have the most
//! room.

use glam::{Affine3A, DAffine2, DVec2, DVec3, Vec3};
use serde::{Deserialize, Serialize};

use super::Body;

/// A plate, and where a print stands on it. Lengths are millimetres; the plate's own point of origin is its front
/// left corner, as build platforms of 3MF have it.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Plate {
    /// How wide and deep it is, and how high the printer reaches.
    pub size: [f64; 3],
    /// How far the middle of the box about the print, as it is turned, lies to the right of the plate's middle,
    /// and behind it.
    #[serde(default)]
    pub at: [f64; 2],
    /// How far the print is turned from how the model stands, counter-clockwise seen from above, degrees.
    #[serde(default)]
    pub turn: f64,
}

/// The largest plate that is believed.
const MOST: f64 = 10_000.0;

/// A print as it stands on a plate.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PlateTold {
    /// What it covers seen from above, drawn tight like a string, from the plate's front left corner.
    pub outline: Vec<[f64; 2]>,
    /// How high it is.
    pub height: f64,
    /// How much room it leaves to the edge of the plate that is nearest; below 0 it reaches beyond.
    pub margin: f64,
    /// By how much it is too high.
    pub too_high: f64,
    /// Turned so, in the middle of the plate, it has the most room, and how much.
    pub best: BestTurn,
}

/// How a print has the most room.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct BestTurn {
    /// Degrees, as the plate's.
    pub turn: f64,
    /// To the nearest edge.
    pub margin: f64,
}

/// What bodies cover together seen from above, and between which heights.
#[derive(Clone, Debug)]
pub struct Footprint {
    /// The convex hull, counter-clockwise.
    hull: Vec<DVec2>,
    low: f64,
    high: f64,
}

impl Footprint {
    /// Of what has a surface.
    #[must_use]
    pub fn of(bodies: &[Body]) -> Option<Self> {
        let mut points = Vec::new();
        let (mut low, mut high) = (f64::INFINITY, f64::NEG_INFINITY);
        for body in bodies {
            let placed =
                body.geometry.shown_points().iter().map(|&p| body.to_plate.transform_point3(p));
            for point in placed.map(Vec3::as_dvec3) {
                (low, high) = (low.min(point.z), high.max(point.z));
                points.push(point.truncate());
            }
        }
        (!points.is_empty()).then(|| Self { hull: hull(points), low, high })
    }

    /// From where bodies are cut to a plate, seen from above.
    fn across(&self, plate: &Plate) -> DAffine2 {
        let turn = DAffine2::from_angle(plate.turn.to_radians());
        let (low, high) = bounds(self.hull.iter().map(|&point| turn.transform_point2(point)));
        let [width, depth, _] = plate.size;
        let to = DVec2::new(width, depth) / 2.0 + DVec2::from_array(plate.at);
        DAffine2::from_translation(to - (low + high) / 2.0) * turn
    }

    /// How it stands on a plate.
    #[must_use]
    pub fn on(&self, plate: &Plate) -> PlateTold {
        let outline = self.placed(plate);
        let [width, depth, height] = plate.size;
        let (low, high) = bounds(outline.iter().copied());
        let margin = low.min(DVec2::new(width, depth) - high).min_element();
        PlateTold {
            outline: outline.iter().map(DVec2::to_array).collect(),
            height: self.high - self.low,
            margin,
            too_high: (self.high - self.low - height).max(0.0),
            best: self.best(plate),
        }
    }

    fn placed(&self, plate: &Plate) -> Vec<DVec2> {
        let across = self.across(plate);
        self.hull.iter().map(|&point| across.transform_point2(point)).collect()
    }

    /// Of the turns by whole degrees, and those at which a side lies along the plate's (one of the least box is
    /// among them; Freeman and Shapira 1975), the one with the most room; of equals the least.
    fn best(&self, plate: &Plate) -> BestTurn {
        let [width, depth, _] = plate.size;
        let next = self.hull.iter().cycle().skip(1);
        let sides = self.hull.iter().zip(next).map(|(a, b)| -(b - a).to_angle().to_degrees());
        let turns = sides.flat_map(|turn| [turn, turn + 90.0]).map(|turn| turn.rem_euclid(180.0));
        let turns = (0..180).map(f64::from).chain(turns);
        let room = |turn: f64| {
            let (low, high) = bounds(self.placed(&Plate { turn, ..*plate }));
            ((DVec2::new(width, depth) - (high - low)) / 2.0).min_element()
        };
        let mut best = BestTurn { turn: 0.0, margin: room(0.0) };
        for turn in turns {
            let margin = room(turn);
            if margin > best.margin + 1e-6 {
                best = BestTurn { turn, margin };
            }
        }
        best
    }

    /// From where bodies are cut to where they stand on a plate, from its front left corner.
    #[must_use]
    pub fn motion(&self, plate: &Plate) -> Affine3A {
        let across = self.across(plate);
        let turn = Affine3A::from_rotation_z(plate.turn.to_radians() as f32);
        let to: DVec3 = across.translation.extend(-self.low);
        Affine3A::from_translation(to.as_vec3()) * turn
    }
}

impl Plate {
    /// What makes it impossible.
    #[must_use]
    pub fn problem(&self) -> Option<String> {
        if !self.size.iter().all(|side| *side > 0.0 && *side <= MOST) {
            return Some(format!("a plate is larger than 0 mm, and no larger than {MOST}"));
        }
        let is_near = self.at.iter().all(|x| x.abs() <= MOST) && self.turn.is_finite();
        (!is_near).then(|| "a print stands on its plate, or near it".to_owned())
    }
}

fn bounds(points: impl IntoIterator<Item = DVec2>) -> (DVec2, DVec2) {
    let none = (DVec2::INFINITY, DVec2::NEG_INFINITY);
    points.into_iter().fold(none, |(low, high), point| (low.min(point), high.max(point)))
}

/// The convex hull of points, counter-clockwise (the monotone chain; Andrew 1979).
fn hull(mut points: Vec<DVec2>) -> Vec<DVec2> {
    points.sort_by(|a, b| a.x.total_cmp(&b.x).then(a.y.total_cmp(&b.y)));
    points.dedup();
    if points.len() < 3 {
        return points;
    }
    let half = |points: &mut dyn Iterator<Item = DVec2>| {
        let mut chain: Vec<DVec2> = Vec::new();
        for point in points {
            while let [.., a, b] = chain[..]
                && (b - a).perp_dot(point - b) <= 0.0
            {
                chain.pop();
            }
            chain.push(point);
        }
        chain.pop();
        chain
    };
    let mut around = half(&mut points.iter().copied());
    around.extend(half(&mut points.iter().rev().copied()));
    around
}
