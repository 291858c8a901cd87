//! Stencils: images that let paint through where they are white.

pub mod contour;

use std::sync::Arc;

use glam::{Vec2, Vec3};
use serde::{Deserialize, Serialize};
use speckle_color::{Encoding, Measure, byte_from_unit, rgba_from_bytes};
use speckle_mesh::{
    Geometry, Mesh, Placement,
    body::Surface,
    geometry::topology::Topology,
    placement::{CORNER_INWARD, point_of},
    screen::Screen,
};
use speckle_model::recipe::source::Wrap;

use crate::{axes, bilinear::bilinear};

/// Names an image that was handed over to paint through; it is not kept with the project.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(transparent)]
pub struct StencilId(pub u32);

/// An image of how much paint comes through.
#[derive(Clone, Debug, PartialEq)]
pub struct Stencil {
    width: usize,
    height: usize,
    /// 0–255 per pixel, row by row from the top.
    shares: Vec<u8>,
}

impl Stencil {
    /// From an image of width × height pixels of R, G, B and A, row by row from the top: white lets
    /// paint through and black holds it (relative luminance, encoded as sRGB encodes grey, so that
    /// half a grey lets half of it through), and alpha multiplies. `None` when the pixels are not
    /// as many, or none.
    #[must_use]
    pub fn from_rgba(width: usize, height: usize, pixels: &[u8]) -> Option<Self> {
        let is_whole = !pixels.is_empty() && pixels.len() == 4 * width * height;
        let share = |pixel: &[u8]| {
            let value = rgba_from_bytes([pixel[0], pixel[1], pixel[2], pixel[3]]);
            let is_grey = pixel[0] == pixel[1] && pixel[1] == pixel[2];
            let white =
                if is_grey { value[0] } else { Measure::Luminance.of(value, Encoding::Color) };
            byte_from_unit(white * value[3])
        };
        is_whole.then(|| Self {
            width,
            height,
            shares: pixels.chunks_exact(4).map(share).collect(),
        })
    }

    /// An image of width × height shares, row by row from the top; `None` when they are not as
    /// many, or none.
    #[must_use]
    pub fn new(width: usize, height: usize, shares: Vec<u8>) -> Option<Self> {
        let is_whole = !shares.is_empty() && shares.len() == width * height;
        is_whole.then_some(Self { width, height, shares })
    }

    /// Height over width.
    #[must_use]
    pub fn aspect(&self) -> f32 {
        self.height as f32 / self.width as f32
    }

    /// How much comes through at a place: 0–1 from left to right and from top to bottom, between
    /// the middles of pixels as they blend. Beside the image it goes on if repeated; else nothing
    /// comes through there.
    #[must_use]
    pub fn at(&self, place: Vec2, repeat: bool) -> f32 {
        if !place.is_finite()
            || (!repeat && !(place.cmpge(Vec2::ZERO) & place.cmple(Vec2::ONE)).all())
        {
            return 0.0;
        }
        let wrap = if repeat { Wrap::Repeat } else { Wrap::Clamp };
        let pixel = |x: usize, y: usize| [f32::from(self.shares[y * self.width + x])];
        let [share] = bilinear(place, [self.width, self.height], wrap, false, pixel);
        share / 255.0
    }
}

/// How an image lies.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "type", rename_all = "snake_case")]
pub enum Projection {
    /// Fixed to the screen.
    Screen {
        /// Which.
        screen: Screen,
        /// Where its middle lies there.
        #[cfg_attr(feature = "schema", schema(value_type = [f32; 2]))]
        middle: Vec2,
        /// How wide it is there.
        width: f32,
    },
    /// On the surface, by texture coordinates.
    Uv {
        /// Which of the mesh's sets of coordinates.
        uv_set: usize,
        /// How wide it is in them.
        width: f32,
    },
    /// On the surface, from three axes: each place takes it from where it faces.
    Axes {
        /// How wide it is, in the project's unit.
        width: f32,
    },
}

/// An image in use.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct StencilUse {
    /// The image.
    pub stencil: StencilId,
    /// How it lies.
    pub lay: Projection,
    /// How far it is turned, degrees.
    #[serde(default)]
    pub turn: f32,
    /// Whether it is repeated.
    #[serde(default)]
    pub repeat: bool,
    /// Whether black lets paint through instead.
    #[serde(default)]
    pub invert: bool,
    /// Whether all comes through or nothing: half of it or more, or less.
    #[serde(default)]
    pub hard: bool,
}

impl StencilUse {
    /// What makes it impossible on a mesh, said for the user.
    #[must_use]
    pub fn problem(&self, mesh: &Mesh) -> Option<&'static str> {
        let (Projection::Screen { width, .. }
        | Projection::Uv { width, .. }
        | Projection::Axes { width }) = self.lay;
        match self.lay {
            _ if !(width > 0.0 && width.is_finite() && self.turn.is_finite()) => {
                Some("the stencil must be wider than nothing")
            }
            Projection::Screen { screen, middle, .. }
                if !screen.is_valid() || !middle.is_finite() =>
            {
                Some("the stencil must lie on the screen")
            }
            Projection::Uv { uv_set, .. } if uv_set >= mesh.uv_sets().len() => Some(
                "this part has no texture coordinates: lay the stencil from three axes instead",
            ),
            _ => None,
        }
    }
}

/// An image that lies somehow.
#[derive(Clone, Debug)]
pub struct LyingImage {
    image: Arc<Stencil>,
    usage: StencilUse,
}

/// The planes that are seen along the three axes: what goes across in them, and up.
const SEEN: [fn(Vec3) -> Vec2; 3] =
    [|p| Vec2::new(p.z, p.y), |p| Vec2::new(p.x, p.z), |p| Vec2::new(p.x, p.y)];

impl LyingImage {
    /// An image, and how it lies.
    #[must_use]
    pub fn new(image: Arc<Stencil>, usage: StencilUse) -> Self {
        Self { image, usage }
    }

    /// The set of texture coordinates that it lies by, if it does.
    #[must_use]
    pub fn uv_set(&self) -> Option<usize> {
        match self.usage.lay {
            Projection::Uv { uv_set, .. } => Some(uv_set),
            _ => None,
        }
    }

    /// How much paint comes through, 0–1, at a point that faces somewhere, in the project's space, and
    /// has texture coordinates.
    fn share(
        &self,
        point: impl Fn() -> Vec3,
        normal: impl Fn() -> Vec3,
        uv: impl Fn(usize) -> Vec2,
    ) -> f32 {
        let share = match self.usage.lay {
            Projection::Screen { screen, middle, width } => {
                screen.place(point()).map_or(0.0, |at| self.at(self.place(at - middle, width)))
            }
            Projection::Uv { uv_set, width } => self.at(self.place_of_uv(uv(uv_set), width)),
            Projection::Axes { width } => {
                let (p, weights) = (point(), facing(normal()));
                let shares = SEEN.map(|seen| self.at(self.place(seen(p), width)));
                weights.dot(Vec3::from(shares))
            }
        };
        let share = if self.usage.hard { f32::from(share >= 0.5) } else { share };
        if self.usage.invert { 1.0 - share } else { share }
    }

    fn at(&self, place: Vec2) -> f32 {
        self.image.at(place, self.usage.repeat)
    }

    /// The place in the image of one that is given from its middle, up counting up.
    fn place(&self, at: Vec2, width: f32) -> Vec2 {
        let turned = Vec2::from_angle(-self.usage.turn.to_radians()).rotate(at) / width;
        Vec2::new(turned.x + 0.5, 0.5 - turned.y / self.image.aspect())
    }

    /// The same of texture coordinates, which count from one corner of the image and not from its middle.
    fn place_of_uv(&self, uv: Vec2, width: f32) -> Vec2 {
        self.place(uv - Vec2::splat(0.5 * width), width)
    }
}

/// How much each of the three axes counts where a surface faces somewhere.
fn facing(normal: Vec3) -> Vec3 {
    let weights = Vec3::from(Vec3::AXES.map(|axis| axes::weight(normal, axis)));
    weights / weights.element_sum().max(f32::MIN_POSITIVE)
}

/// An image laid over a part.
pub struct LaidStencil {
    laid: LyingImage,
    surface: Surface,
}

impl LaidStencil {
    /// Lays an image over a surface.
    #[must_use]
    pub fn new(laid: LyingImage, surface: Surface) -> Self {
        Self { laid, surface }
    }

    /// How much paint comes through at an element, 0–1.
    #[must_use]
    pub fn share(&self, element: usize) -> f32 {
        let Surface { body, placement } = &self.surface;
        let (mesh, topology) = (body.geometry.mesh(), body.geometry.topology());
        self.laid.share(
            || body.placed.to_project(point_of(mesh, topology, *placement, element)),
            || body.placed.normal_to_project(self.normal(element)),
            |uv_set| uv_of(mesh, topology, uv_set, *placement, element),
        )
    }

    fn normal(&self, element: usize) -> Vec3 {
        let geometry: &Geometry = &self.surface.body.geometry;
        match self.surface.placement {
            Placement::Vertex => geometry.vertex_normals()[element],
            Placement::Corner => geometry.face_normals()[geometry.topology().face_of(element)],
            Placement::Face => geometry.face_normals()[element],
        }
    }
}

/// Texture coordinates of an element: of a vertex, those of its first corner; of a face, their mean.
fn uv_of(
    mesh: &Mesh,
    topology: &Topology,
    uv_set: usize,
    placement: Placement,
    element: usize,
) -> Vec2 {
    let uvs = &mesh.uv_sets()[uv_set].uvs;
    let at = |corner: usize| uvs[corner];
    match placement {
        Placement::Corner => {
            // A little within its own face, as its point is.
            let corners = mesh.face_corners(topology.face_of(element));
            let count = corners.len() as f32;
            at(element).lerp(corners.map(at).sum::<Vec2>() / count, CORNER_INWARD)
        }
        Placement::Vertex => topology.own_corners(mesh, element).next().map_or(Vec2::ZERO, at),
        Placement::Face => {
            let corners = mesh.face_corners(element);
            let count = corners.len() as f32;
            corners.map(at).sum::<Vec2>() / count
        }
    }
}
