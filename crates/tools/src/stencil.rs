//! Stencils: images that let paint through where they are white.

use std::sync::Arc;

use glam::{Vec2, Vec3};
use serde::{Deserialize, Serialize};
use speckle_color::{Encoding, Measure, byte_from_unit, rgba_from_bytes};
use speckle_mesh::{
    Geometry, Mesh, Placement, body::Surface, geometry::topology::Topology, placement::point_of,
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

/// An image laid over a part.
pub struct LaidStencil {
    image: Arc<Stencil>,
    usage: StencilUse,
    surface: Surface,
}

impl LaidStencil {
    /// Lays an image over a surface.
    #[must_use]
    pub fn new(image: Arc<Stencil>, usage: StencilUse, surface: Surface) -> Self {
        Self { image, usage, surface }
    }

    /// How much paint comes through at an element, 0–1.
    #[must_use]
    pub fn share(&self, element: usize) -> f32 {
        let Surface { body, placement } = &self.surface;
        let (mesh, topology) = (body.geometry.mesh(), body.geometry.topology());
        let point = || body.placed.to_project(point_of(mesh, topology, *placement, element));
        let share = match self.usage.lay {
            Projection::Screen { screen, middle, width } => {
                screen.place(point()).map_or(0.0, |at| self.around(at - middle, width))
            }
            Projection::Uv { uv_set, width } => {
                let uv = uv_of(mesh, topology, uv_set, *placement, element);
                // Texture coordinates count from one corner of the image, not from its middle.
                self.around(uv - Vec2::splat(0.5 * width), width)
            }
            Projection::Axes { width } => {
                let (p, n) = (point(), body.placed.normal_to_project(self.normal(element)));
                let weights = Vec3::from(Vec3::AXES.map(|axis| axes::weight(n, axis)));
                let sum = weights.element_sum().max(f32::MIN_POSITIVE);
                let seen = [Vec2::new(p.z, p.y), Vec2::new(p.x, p.z), Vec2::new(p.x, p.y)];
                let shares = seen.map(|at| self.around(at, width));
                weights.dot(Vec3::from(shares)) / sum
            }
        };
        if self.usage.invert { 1.0 - share } else { share }
    }

    /// The share at a place given from the image's middle, up counting up.
    fn around(&self, at: Vec2, width: f32) -> f32 {
        let turned = Vec2::from_angle(-self.usage.turn.to_radians()).rotate(at) / width;
        let place = Vec2::new(turned.x + 0.5, 0.5 - turned.y / self.image.aspect());
        self.image.at(place, self.usage.repeat)
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
        Placement::Corner => at(element),
        Placement::Vertex => topology.own_corners(mesh, element).next().map_or(Vec2::ZERO, at),
        Placement::Face => {
            let corners = mesh.face_corners(element);
            let count = corners.len() as f32;
            corners.map(at).sum::<Vec2>() / count
        }
    }
}
