//! What a step starts from.

mod drawn;
mod from_part;
mod light;
mod numbered;
mod over_time;
mod sound;
mod told;
mod words;

use serde::{Deserialize, Serialize};
use speckle_color::noise;
use strum::VariantNames;

use super::Target;
pub use drawn::{Line, LineTells, MOST_LINE_POINTS, Pattern, PatternKind, Rim};
pub use from_part::{Along, FromPart};
pub use light::{Lamp, Light, MOST_LAMPS};
pub use numbered::{PieceNumber, Pivot};
pub use over_time::{Dust, Streaks, Waterline, Wear};
pub use words::{
    Among, Averaged, Bends, Direction, Falloff, Joined, NoiseSpace, NormalSpace, Projection, Root,
    Space, SpaceBox, Spread, Triple, Vector, WeighedScale, Wrap,
};

/// What a step starts from. Lengths are in the part's unit.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, VariantNames)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = RecipeSource))]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
#[strum(serialize_all = "snake_case")]
pub enum Source {
    /// How open the surface is to what is around: 1 in the open, 0 where no light gets in.
    Occlusion {
        /// How many rays from each element.
        #[serde(default = "many_rays")]
        rays: u32,
        /// How far they go; 0 for endlessly.
        #[serde(default)]
        reach: f32,
        /// How far off the surface they start; 0 for a hair.
        #[serde(default)]
        offset: f32,
        /// Whether the lighter of both sides counts: for sheets.
        #[serde(default)]
        both_sides: bool,
        /// Whether other visible parts shade too.
        #[serde(default = "yes")]
        other_parts: bool,
        /// Whether the part stands on a ground that shades it from below.
        #[serde(default)]
        ground: bool,
        /// Whether it shades itself; without, only others do.
        #[serde(default = "yes", skip_serializing_if = "is_yes")]
        own_shape: bool,
        /// How much something shades by how far it is.
        #[serde(default, skip_serializing_if = "is_default")]
        falloff: Falloff,
        /// How the rays are spread.
        #[serde(default, skip_serializing_if = "is_default")]
        spread: Spread,
        /// Where more of the light comes from: what lies there counts most, what lies opposite
        /// nothing; all around alike when not given.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        sky: Option<Direction>,
        /// What all that is random comes from.
        #[serde(default)]
        seed: u32,
    },
    /// Which way it is open: the mean of the rays that meet nothing; x, y and z from −1 to 1 as 0 to 1.
    OpenWay {
        /// How many rays from each element.
        #[serde(default = "many_rays")]
        rays: u32,
        /// How far they go; 0 for endlessly.
        #[serde(default)]
        reach: f32,
        /// In whose numbers.
        #[serde(default)]
        space: NormalSpace,
        /// Whether other visible parts shade too.
        #[serde(default = "yes")]
        other_parts: bool,
        /// What all that is random comes from.
        #[serde(default)]
        seed: u32,
    },
    /// Where the surface is hollow: 0 where it is flat, 1 in a groove as tight as the scale.
    Hollows {
        /// The radius that is looked at; 0 for the smallest the mesh shows.
        #[serde(default)]
        scale: f32,
    },
    /// Where it stands out: 0 where it is flat, 1 on a ridge as tight as the scale.
    Ridges {
        /// The radius that is looked at; 0 for the smallest the mesh shows.
        #[serde(default)]
        scale: f32,
    },
    /// How it bends, hollow or out, as one number: ½ where it is flat, 1 on a ridge as tight as the
    /// scale, 0 in a groove as tight.
    Relief {
        /// The radii that are looked at, each with its weight; the smallest the mesh shows if there
        /// are none.
        #[serde(default)]
        scales: Vec<WeighedScale>,
    },
    /// How near an edge is at which the surface bends.
    Edges {
        /// The least angle of the bend, degrees.
        #[serde(default = "thirty")]
        angle: f32,
        /// How far from the edge it reaches; 0 for one mean edge of the mesh.
        #[serde(default)]
        width: f32,
        /// Which bends count.
        #[serde(default)]
        bends: Bends,
    },
    /// How much it faces a direction.
    Facing {
        /// Which.
        #[serde(default = "upwards")]
        direction: Direction,
        /// In whose numbers.
        #[serde(default)]
        space: Space,
        /// The angle from the direction at which nothing is left, degrees.
        #[serde(default = "ninety")]
        half_angle: f32,
        /// How much of the angle it takes to go from 1 to 0: 0 for a sharp border.
        #[serde(default = "one")]
        softness: f32,
    },
    /// From 0 to 1 along a direction.
    HeightRamp {
        /// Which.
        #[serde(default = "upwards")]
        direction: Direction,
        /// In whose numbers.
        #[serde(default)]
        space: Space,
        /// The height of 0; the part's lowest when not given.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        from: Option<f32>,
        /// The height of 1; the part's highest when not given.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        to: Option<f32>,
    },
    /// From 0 at one point to 1 at another.
    Between {
        /// Where it is 0.
        #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
        from: Triple,
        /// Where it is 1.
        #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
        to: Triple,
        /// In whose numbers.
        #[serde(default)]
        space: Space,
    },
    /// The straight distance: 0 there, 1 at the reach and beyond.
    Distance {
        /// From what.
        from: Root,
        /// The distance of 1; 0 for the part's diagonal.
        #[serde(default)]
        reach: f32,
    },
    /// The distance along the surface from a root: 0 there, 1 at the far end of the piece.
    Trail {
        /// From where.
        root: Root,
        /// The distance of 1; 0 for the furthest of each piece.
        #[serde(default)]
        reach: f32,
        /// What becomes of pieces that touch another.
        #[serde(default)]
        joined: Joined,
        /// How near is touching; 0 for one mean edge of the mesh.
        #[serde(default)]
        touch: f32,
    },
    /// How near others are: 1 where they meet, 0 from the width on.
    Joint {
        /// What is told apart.
        #[serde(default)]
        between: Among,
        /// How far it reaches; 0 for a twentieth of the part's diagonal.
        #[serde(default)]
        width: f32,
        /// The distance up to which it is 1.
        #[serde(default)]
        offset: f32,
    },
    /// How thick the body is inwards: 1 at the reach and beyond.
    Thickness {
        /// How many rays from each element.
        #[serde(default = "some_rays")]
        rays: u32,
        /// The thickness of 1; 0 for a quarter of the part's diagonal.
        #[serde(default)]
        reach: f32,
        /// What all that is random comes from.
        #[serde(default)]
        seed: u32,
    },
    /// How much of a light in the distance is seen: a soft shadow.
    Openness {
        /// Towards the light.
        #[serde(default = "upwards")]
        light: Direction,
        /// Half of the angle the light takes up, degrees.
        #[serde(default = "fifteen")]
        spread: f32,
        /// How many rays from each element.
        #[serde(default = "many_rays")]
        rays: u32,
        /// Whether other visible parts shade too.
        #[serde(default = "yes")]
        other_parts: bool,
        /// What all that is random comes from.
        #[serde(default)]
        seed: u32,
    },
    /// The light that falls on it.
    Light(Light),
    /// Where water runs down.
    Streaks(Streaks),
    /// How much dust lies.
    Dust(Dust),
    /// What stood in water.
    Waterline(Waterline),
    /// How much edges and ridges are worn.
    Wear(Wear),
    /// Along a line that was drawn on the surface, or the distance to it.
    Line(Line),
    /// How far it is to the rim of a selection, along the surface.
    Rim(Rim),
    /// A pattern that comes again and again.
    Pattern(Pattern),
    /// Where each piece is moored.
    Pivot(Pivot),
    /// The number of each piece.
    PieceNumber(PieceNumber),
    /// A random number for each piece.
    PerPiece {
        /// What is told apart.
        #[serde(default)]
        by: Among,
        /// How many different numbers there are, each of about as many pieces, and another one for
        /// each of those that touch if it can be; 0 for a number of its own for each.
        #[serde(default, skip_serializing_if = "is_default")]
        colors: u32,
        /// What they come from.
        #[serde(default)]
        seed: u32,
    },
    /// A random shift of color for each piece: lightness, chroma and hue (OKLCH) around 0.5.
    PerPieceShift {
        /// What is told apart.
        #[serde(default)]
        by: Among,
        /// How far lightness, chroma and hue go at most, as shares of ±0.5.
        #[serde(default = "whole")]
        #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
        amounts: Triple,
        /// What they come from.
        #[serde(default)]
        seed: u32,
    },
    /// Random numbers that hang together.
    Noise {
        /// How.
        #[serde(default)]
        noise: noise::Kind,
        /// The size of its grains; 0 for a tenth of the part's diagonal, or of the image in UV.
        #[serde(default)]
        size: f32,
        /// How many octaves.
        #[serde(default = "three")]
        octaves: u32,
        /// How far places are moved by another noise before, in sizes.
        #[serde(default)]
        warp: f32,
        /// How many times as fine each octave is as the one before.
        #[serde(default = "two", skip_serializing_if = "is_two")]
        lacunarity: f32,
        /// How high each octave is beside the one before.
        #[serde(default = "half", skip_serializing_if = "is_half")]
        gain: f32,
        /// How far what it is goes to 0 and 1: 1 when it fills the range, 0 as it comes.
        #[serde(default, skip_serializing_if = "is_default")]
        contrast: f32,
        /// How many times as long its grains are along a direction.
        #[serde(default = "one", skip_serializing_if = "is_one")]
        stretch: f32,
        /// Which direction that is; the part's or the project's, as its places.
        #[serde(default = "upwards", skip_serializing_if = "is_up")]
        along: Direction,
        /// Whether grains are stretched along the surface instead, as the direction runs over it.
        #[serde(default, skip_serializing_if = "is_default")]
        on_surface: bool,
        /// Whether it comes again after each square of texture coordinates.
        #[serde(default, skip_serializing_if = "is_default")]
        tiles: bool,
        /// Where it is looked up.
        #[serde(default)]
        space: NoiseSpace,
        /// What it comes from.
        #[serde(default)]
        seed: u32,
    },
    /// The colors of an image.
    Image {
        /// The image, by its name.
        image: String,
        /// How it lies.
        #[serde(default = "by_uv")]
        lay: Projection,
        /// How often it comes across and down.
        #[serde(default = "once")]
        #[cfg_attr(feature = "schema", schema(value_type = [f32; 2]))]
        repeat: [f32; 2],
        /// How far it is moved across and down, in images.
        #[serde(default)]
        #[cfg_attr(feature = "schema", schema(value_type = [f32; 2]))]
        offset: [f32; 2],
        /// How far it is turned, degrees.
        #[serde(default)]
        turn: f32,
        /// What lies beside it.
        #[serde(default)]
        wrap: Wrap,
        /// Whether it is one of several, each for a square of UVs of its own: by the number in its
        /// name, 1001 for the first of ten in a row.
        #[serde(default, skip_serializing_if = "is_default")]
        tiles: bool,
        /// Whether it is read pixel by pixel, without blending.
        #[serde(default)]
        hard_pixels: bool,
        /// Over what it is averaged.
        #[serde(default)]
        averaged: Averaged,
    },
    /// The color of the part's material, or of each face's.
    Material,
    /// Which way the surface looks: x, y and z from −1 to 1 as 0 to 1.
    Normal {
        /// In whose numbers.
        #[serde(default)]
        space: NormalSpace,
    },
    /// Where it is: x, y and z within a box as 0 to 1.
    Position {
        /// In whose numbers.
        #[serde(default)]
        space: Space,
        /// The box; the part's own when not given.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        within: Option<SpaceBox>,
    },
    /// One number everywhere.
    Constant {
        /// The number.
        value: f32,
    },
    /// One color everywhere, sRGB-encoded.
    Color {
        /// R, G and B.
        #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
        color: Triple,
    },
    /// What a channel of a set has.
    Channel {
        /// The set, by its name.
        set: String,
        /// R, G, B, A, or RGB for all three.
        channel: Target,
        /// The part of the same mesh, by its name; this one when not given.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        part: Option<String>,
    },
    /// What a channel of another part has where the two lie together.
    FromPart(FromPart),
    /// The swatches of the project's volumes, where they are met.
    Volumes {
        /// Those that color painted faces too; without, those that color unpainted ones alone.
        #[serde(default)]
        over: bool,
    },
    /// What was painted by hand, where it was.
    HandPaint {
        /// The paint of the project that it is; none in a file.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        paint: Option<u32>,
    },
}

/// The most scales of a source.
pub const MOST_SCALES: usize = 8;

/// The most numbers that pieces share.
pub const MOST_COLORS: u32 = 64;

fn many_rays() -> u32 {
    64
}
fn some_rays() -> u32 {
    32
}
fn yes() -> bool {
    true
}
fn is_yes(yes: &bool) -> bool {
    *yes
}
/// What came later is not written where it says nothing, so that recipes of before stay what they are.
fn is_default<T: Default + PartialEq>(value: &T) -> bool {
    *value == T::default()
}
fn thirty() -> f32 {
    30.0
}
fn ninety() -> f32 {
    90.0
}
fn is_ninety(x: &f32) -> bool {
    *x == 90.0
}
fn fifteen() -> f32 {
    15.0
}
fn one() -> f32 {
    1.0
}
fn three() -> u32 {
    3
}
fn two() -> f32 {
    2.0
}
fn is_two(x: &f32) -> bool {
    *x == 2.0
}
fn half() -> f32 {
    0.5
}
fn is_half(x: &f32) -> bool {
    *x == 0.5
}
fn is_one(x: &f32) -> bool {
    *x == 1.0
}
fn is_up(direction: &Direction) -> bool {
    *direction == Direction::Up
}
fn whole() -> Triple {
    [1.0; 3]
}
fn once() -> [f32; 2] {
    [1.0; 2]
}
fn upwards() -> Direction {
    Direction::Up
}
fn by_uv() -> Projection {
    Projection::Uv { uv_set: 0 }
}

/// The most rays from an element.
pub const MOST_RAYS: u32 = 65_536;
