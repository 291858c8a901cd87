//! What the numbers of sources are about: spaces, directions, roots, what is told apart.

use serde::{Deserialize, Serialize};
use speckle_color::curve::Point;

/// A point or a direction: x, y, z.
pub type Triple = [f32; 3];

/// In whose numbers places and directions are.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Space {
    /// The project's: what a part stands in.
    #[default]
    World,
    /// The part's own, wherever it stands.
    Part,
}

/// In whose numbers normals are.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum NormalSpace {
    /// The project's.
    #[default]
    World,
    /// The part's own.
    Part,
    /// Those of the surface: along U, along V and outwards, by the first set of UVs.
    Tangent,
}

/// A box of places.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct SpaceBox {
    /// Its lowest corner.
    #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
    pub low: Triple,
    /// Its highest.
    #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
    pub high: Triple,
}

/// A direction as x, y and z.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(transparent)]
pub struct Vector(pub [f32; 3]);

/// A direction.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Direction {
    /// Where the project's up is.
    Up,
    /// The other way.
    Down,
    /// Along the x axis.
    X,
    /// Against it.
    MinusX,
    /// Along the y axis.
    Y,
    /// Against it.
    MinusY,
    /// Along the z axis.
    Z,
    /// Against it.
    MinusZ,
    /// Any; its length does not matter.
    To(Vector),
}

/// How much something shades by how far it is, as a share of the reach.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = ShadeFalloff))]
#[serde(rename_all = "snake_case")]
pub enum Falloff {
    /// As much at any distance up to the reach.
    #[default]
    None,
    /// Less by the distance: 1 − d.
    Linear,
    /// Less by its square: (1 − d)².
    Quadratic,
    /// By a curve that falls: what is at a distance x, as a share of the reach, shades by y.
    Curve(Vec<Point>),
}

/// How rays are spread over the half of all directions that a surface faces.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = RaySpread))]
#[serde(rename_all = "snake_case")]
pub enum Spread {
    /// By the cosine of their angle to the normal, as a matt surface gathers light.
    #[default]
    Cosine,
    /// Evenly: all directions count alike.
    Even,
}

/// A radius that is looked at, and how much what is seen at it counts.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct WeighedScale {
    /// The radius; 0 for the smallest the mesh shows.
    #[serde(default)]
    pub scale: f32,
    /// How much it counts beside the others.
    #[serde(default = "one")]
    pub weight: f32,
}

fn one() -> f32 {
    1.0
}

/// From where something is measured.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
pub enum Root {
    /// A point, of the part's space.
    Point {
        /// Where.
        #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
        at: Triple,
    },
    /// The faces of a selection, by its name.
    Selection {
        /// Its name.
        name: String,
    },
    /// Where the surface ends.
    OpenEdge,
    /// What lies furthest in a direction: the foot for *down*.
    End {
        /// Which way.
        towards: Direction,
    },
    /// Another part's surface, by its name; along a surface, where the two touch.
    Part {
        /// Its name.
        name: String,
    },
}

/// What becomes of pieces that touch another one.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Joined {
    /// Each piece is on its own.
    #[default]
    Apart,
    /// The distance goes on from the value where they join.
    GoesOn,
    /// The whole piece has the value where it joins, and moves as one with it.
    Holds,
}

/// What is told apart from its neighbours.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Among {
    /// Pieces: what hangs together by edges.
    #[default]
    Pieces,
    /// What hangs together, if only by a point.
    Touching,
    /// Islands of the first set of texture coordinates.
    Islands,
    /// Materials: groups of faces that the file named.
    Materials,
    /// Parts.
    Parts,
}

/// Where noise is looked up.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum NoiseSpace {
    /// In the project's space.
    World,
    /// In the part's own.
    #[default]
    Part,
    /// In a UV set, by its number from 0; sizes are shares of the image.
    Uv(usize),
}

/// How an image comes to the surface.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = ImageLay))]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
pub enum Projection {
    /// By a UV set, by its number from 0.
    Uv {
        /// Which.
        #[serde(default)]
        uv_set: usize,
    },
    /// Straight on, along a direction of the part's space; no UVs needed.
    Along {
        /// Which way it is looked along.
        direction: Direction,
        /// How wide the image is, in the part's unit; 0 for the part's own width.
        #[serde(default)]
        width: f32,
        /// How far the surface may be turned away from where it is seen from, degrees; the rest is
        /// left out. 180 for all of it.
        #[serde(default = "all_around", skip_serializing_if = "is_all_around")]
        turned: f32,
        /// Whether what is hidden by the part itself is left out.
        #[serde(default, skip_serializing_if = "super::is_default")]
        seen: bool,
    },
    /// From the three axes, each where the surface faces it.
    ThreeAxes {
        /// How wide the image is, in the part's unit; 0 for the part's own width.
        #[serde(default)]
        width: f32,
    },
}

fn all_around() -> f32 {
    180.0
}
fn is_all_around(angle: &f32) -> bool {
    *angle == all_around()
}

/// What lies beside an image.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Wrap {
    /// The same again.
    #[default]
    Repeat,
    /// The same in a mirror.
    Mirror,
    /// Its border goes on.
    Clamp,
}

/// Over what an image is averaged.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Averaged {
    /// What belongs to each element, so that a fine image does not alias.
    #[default]
    Footprint,
    /// Nothing: the one point.
    Point,
    /// Each connected piece.
    Piece,
}

/// Which bends are edges.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Bends {
    /// Those that stand out and those that go in.
    #[default]
    Both,
    /// Those that stand out.
    Out,
    /// Those that go in.
    In,
}
