//! Whether a source can be made at all.

use speckle_color::noise::Kind;

use super::{
    Direction, Falloff, MOST_COLORS, MOST_RAYS, MOST_SCALES, NoiseSpace, Projection, Root, Source,
    Vector, WeighedScale,
};

pub(super) const LENGTHS: &str = "lengths must be numbers of 0 or more";
pub(super) const DIRECTION: &str = "the direction needs a length";

/// The words where something is not sound.
pub(super) fn said(is_sound: bool, words: &str) -> Option<String> {
    (!is_sound).then(|| words.to_owned())
}

pub(super) fn is_length(x: f32) -> bool {
    x.is_finite() && x >= 0.0
}

pub(super) fn is_share(x: f32) -> bool {
    (0.0..=1.0).contains(&x)
}

pub(super) fn all_sound<const N: usize>(numbers: [f32; N], is_sound: fn(f32) -> bool) -> bool {
    numbers.into_iter().all(is_sound)
}

pub(super) fn is_way(direction: &Direction) -> bool {
    match direction {
        Direction::To(Vector(to)) => to.iter().all(|x| x.is_finite()) && *to != [0.0; 3],
        _ => true,
    }
}

impl Falloff {
    fn problem(&self, reach: f32) -> Option<String> {
        let needs = "a falloff needs a reach: say how far the rays go";
        let falls = match self {
            Self::Curve(points) => {
                (2..=super::super::shaping::MOST_POINTS).contains(&points.len())
                    && points.iter().all(|p| is_share(p.x) && is_share(p.y))
                    && points.windows(2).all(|w| w[0].x < w[1].x && w[0].y >= w[1].y)
            }
            _ => true,
        };
        let curve = "the falloff needs 2 to 64 points between 0 and 1, from left to right, none \
                     higher than the one before";
        said(*self == Self::None || reach > 0.0, needs).or_else(|| said(falls, curve))
    }
}

impl Source {
    /// What makes it impossible, whatever it is used on.
    #[must_use]
    pub fn problem(&self) -> Option<String> {
        let length = |x: f32| is_length(x).then_some(());
        let finite = |v: &[f32]| v.iter().all(|x| x.is_finite());
        let rays = self.rays();
        let casts = self.with_rays(1).rays() == 1;
        if casts && !(1..=MOST_RAYS).contains(&rays) {
            return Some(format!("the rays must lie between 1 and {MOST_RAYS}"));
        }
        let (lengths, direction) = (LENGTHS, DIRECTION);
        match self {
            Self::Occlusion { reach, offset, falloff, sky, .. } => {
                said(length(*reach).and(length(*offset)).is_some(), lengths)
                    .or_else(|| said(sky.as_ref().is_none_or(is_way), direction))
                    .or_else(|| falloff.problem(*reach))
            }
            Self::OpenWay { reach, .. } => said(length(*reach).is_some(), lengths),
            Self::Hollows { scale } | Self::Ridges { scale } => {
                said(length(*scale).is_some(), lengths)
            }
            Self::Relief { scales } => {
                let is_sound = |s: &WeighedScale| {
                    length(s.scale).and(length(s.weight)).is_some()
                };
                said(scales.iter().all(is_sound), "scales and weights must be numbers of 0 or more")
                    .or_else(|| {
                        let is_some = scales.is_empty() || scales.iter().any(|s| s.weight > 0.0);
                        said(is_some, "one of the scales needs a weight")
                    })
                    .or_else(|| {
                        let words = format!("there are {MOST_SCALES} scales at most");
                        said(scales.len() <= MOST_SCALES, &words)
                    })
            }
            Self::Edges { angle, width, .. } => said(length(*width).is_some(), lengths).or_else(|| {
                said((0.0..=180.0).contains(angle), "the angle must lie between 0 and 180°")
            }),
            Self::Facing { direction: d, half_angle, softness, .. } => said(is_way(d), direction)
                .or_else(|| {
                    let is_sound = (0.0..=180.0).contains(half_angle)
                        && *half_angle > 0.0
                        && (0.0..=1.0).contains(softness);
                    said(
                        is_sound,
                        "the half-angle must lie above 0 and up to 180°, the softness between 0 and 1",
                    )
                }),
            Self::HeightRamp { direction: d, from, to, .. } => said(is_way(d), direction).or_else(|| {
                let is_sound = from.is_none_or(f32::is_finite) && to.is_none_or(f32::is_finite);
                said(is_sound && (from.is_none() || from != to), "the two heights must differ")
            }),
            Self::Between { from, to, .. } => {
                said(finite(from) && finite(to) && from != to, "the two points must differ")
            }
            Self::Distance { from, reach } => {
                said(length(*reach).is_some(), lengths).or_else(|| from.problem())
            }
            Self::Trail { root, reach, touch, .. } => {
                said(length(*reach).and(length(*touch)).is_some(), lengths)
                    .or_else(|| root.problem())
            }
            Self::Light(light) => light.problem(),
            Self::Streaks(streaks) => streaks.problem(),
            Self::Dust(dust) => dust.problem(),
            Self::Waterline(waterline) => waterline.problem(),
            Self::Wear(wear) => wear.problem(),
            Self::Line(line) => line.problem(),
            Self::Rim(rim) => rim.problem(),
            Self::Pattern(pattern) => pattern.problem(),
            Self::Pivot(pivot) => pivot.problem(),
            Self::PieceNumber(number) => number.problem(),
            Self::Position { within, .. } => within.as_ref().and_then(|within| within.problem()),
            Self::Joint { width, offset, .. } => {
                said(length(*width).and(length(*offset)).is_some(), lengths)
            }
            Self::Thickness { reach, .. } => said(length(*reach).is_some(), lengths),
            Self::Openness { light, spread, .. } => said(is_way(light), direction).or_else(|| {
                said((0.0..=90.0).contains(spread), "the spread must lie between 0 and 90°")
            }),
            Self::PerPieceShift { amounts, .. } => said(
                amounts.iter().all(|a| (0.0..=1.0).contains(a)),
                "the amounts must lie between 0 and 1",
            ),
            Self::Noise { .. } => self.problem_of_noise(),
            Self::Image { lay, repeat, offset, turn, tiles, .. } => {
                let width = match lay {
                    Projection::Uv { .. } => 0.0,
                    Projection::Along { width, .. } | Projection::ThreeAxes { width } => *width,
                };
                let (is_along, is_turned) = match lay {
                    Projection::Along { direction, turned, .. } => {
                        (is_way(direction), *turned > 0.0 && *turned <= 180.0)
                    }
                    _ => (true, true),
                };
                said(length(width).is_some(), lengths)
                    .or_else(|| said(is_along, direction))
                    .or_else(|| {
                        said(is_turned, "the surface is turned away by more than 0 and up to 180°")
                    })
                    .or_else(|| {
                        let is_uv = !tiles || matches!(lay, Projection::Uv { .. });
                        said(is_uv, "tiles lie side by side in texture coordinates: lay them by UV")
                    })
                    .or_else(|| {
                        let is_sound = finite(repeat) && finite(offset) && turn.is_finite();
                        said(is_sound && !repeat.contains(&0.0), "the image must come at least once")
                    })
            }
            Self::Constant { value } => {
                said((0.0..=1.0).contains(value), "the number must lie between 0 and 1")
            }
            Self::Color { color } => said(
                color.iter().all(|x| (0.0..=1.0).contains(x)),
                "the color's numbers must lie between 0 and 1",
            ),
            Self::PerPiece { colors, .. } => said(
                *colors != 1 && *colors <= MOST_COLORS,
                "there must be at least 2 different numbers, and no more than 64; 0 for one each",
            ),
            Self::FromPart(from) => from.problem(),
            Self::Channel { .. }
            | Self::Material
            | Self::Normal { .. }
            | Self::Volumes { .. }
            | Self::HandPaint { .. } => None,
        }
    }

    fn problem_of_noise(&self) -> Option<String> {
        let &Self::Noise {
            ref noise,
            size,
            octaves,
            warp,
            lacunarity,
            gain,
            contrast,
            stretch,
            ref along,
            on_surface,
            tiles,
            ref space,
            ..
        } = self
        else {
            return None;
        };
        let found = [
            (size.is_finite() && size >= 0.0, "lengths must be numbers of 0 or more"),
            (
                (1..=12).contains(&octaves) && (0.0..=100.0).contains(&warp),
                "the octaves must lie between 1 and 12, the warp between 0 and 100",
            ),
            (
                (1.0..=8.0).contains(&lacunarity) && (0.0..=1.0).contains(&gain),
                "octaves are 1 to 8 times as fine as those before, and 0 to 1 times as high",
            ),
            ((0.0..=1.0).contains(&contrast), "the contrast must lie between 0 and 1"),
            ((0.01..=100.0).contains(&stretch), "the stretch must lie between 0.01 and 100"),
            (is_way(along), DIRECTION),
            (
                !on_surface || !matches!(space, NoiseSpace::Uv(_)),
                "noise in texture coordinates lies on the surface already: look it up in the \
                 part's space to stretch it along the surface",
            ),
            (
                !tiles || matches!(space, NoiseSpace::Uv(_)),
                "noise tiles in texture coordinates only: look it up in UV",
            ),
            (
                !tiles || stretch == 1.0,
                "noise that tiles cannot be stretched, it would not meet at the border: leave the \
                 stretch at 1",
            ),
            (
                !tiles || *noise != Kind::Simplex,
                "this noise has no square to tile by: choose another one, such as gradient",
            ),
        ];
        found.into_iter().find(|(is_sound, _)| !is_sound).map(|(_, words)| words.to_owned())
    }

    /// What is still to be chosen before it can be made.
    #[must_use]
    pub fn missing(&self) -> Option<&'static str> {
        let root = match self {
            Self::Distance { from, .. } => Some(from),
            Self::Trail { root, .. } => Some(root),
            _ => None,
        };
        match (self, root) {
            (Self::Image { image, .. }, _) if image.trim().is_empty() => Some("choose an image"),
            (Self::Streaks(streaks), _)
                if streaks.from.as_ref().is_some_and(|from| from.trim().is_empty()) =>
            {
                Some("choose a selection that water comes out of, or let it rain")
            }
            (Self::Line(line), _) if line.points.len() < 2 => {
                Some("draw the line first: click two points or more on the stage")
            }
            (Self::Rim(rim), _) if rim.of.as_ref().is_some_and(|of| of.trim().is_empty()) => {
                Some("choose a selection, or make one in Paint first")
            }
            (Self::Channel { set, .. }, _) if set.trim().is_empty() => Some("choose a set"),
            (_, Some(Root::Selection { name })) if name.trim().is_empty() => {
                Some("choose a selection to start from, or make one in Paint first")
            }
            (_, Some(Root::Part { name })) if name.trim().is_empty() => {
                Some("choose a part to measure from")
            }
            _ => None,
        }
    }
}

impl Root {
    fn problem(&self) -> Option<String> {
        match self {
            Self::Point { at } if at.iter().any(|x| !x.is_finite()) => {
                Some("the point needs three numbers".to_owned())
            }
            _ => None,
        }
    }
}
