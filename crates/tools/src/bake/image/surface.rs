//! Images on the surface: how they come there, and what each element shows of them.

use glam::{Vec2, Vec3};
use rayon::prelude::*;
use smallvec::SmallVec;
use speckle_color::{Encoding, Linear, Rgba};
use speckle_mesh::{
    Geometry, Mesh, Placement,
    geometry::{
        fans::{self, Fans},
        topology::CROWD,
    },
};
use speckle_model::recipe::source::{Averaged, Wrap};

use super::Image;
use crate::{axes, bake::pieces};

/// How an image lies, and over what it is averaged.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Mapping {
    /// How often it comes across and down.
    pub repeat: Vec2,
    /// How far it is moved, in images.
    pub offset: Vec2,
    /// How far it is turned, radians.
    pub turn: f32,
    /// What lies beside it.
    pub wrap: Wrap,
    /// Whether pixels do not blend.
    pub hard_pixels: bool,
    /// Over what it is averaged.
    pub averaged: Averaged,
    /// Whether it is averaged as light or as plain numbers.
    pub encoding: Encoding,
    /// Whether colors count by their alpha: what is transparent has none to give.
    pub is_covering: bool,
}

impl Default for Mapping {
    /// Once, as it is, averaged over each element.
    fn default() -> Self {
        Self {
            repeat: Vec2::ONE,
            offset: Vec2::ZERO,
            turn: 0.0,
            wrap: Wrap::default(),
            hard_pixels: false,
            averaged: Averaged::default(),
            encoding: Encoding::Color,
            is_covering: false,
        }
    }
}

/// What some faces show: an image times a color, or the color alone.
pub struct Picture<'a> {
    /// The image.
    pub image: Option<&'a Image>,
    /// How it comes to the surface.
    pub projected: Projected<'a>,
    /// The color, as the image counts: in light, or plain for data.
    pub tint: Linear,
}

/// An image on the surface, each corner with its place in it.
pub enum Projected<'a> {
    /// Texture coordinates, an entry per corner; v grows upwards.
    Uv(&'a [Vec2]),
    /// From some sides: axes across and up, each with its weight by the normal.
    Sides(&'a [Side]),
}

/// A side from which an image is seen.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Side {
    /// Towards the right of the image, per image.
    pub across: Vec3,
    /// Towards its top, per image.
    pub up: Vec3,
    /// Where its lower left is.
    pub origin: Vec3,
    /// Which way it is seen from, unit length; none when it goes right through.
    pub facing: Option<Vec3>,
}

/// The area, in pixels, up to which one look is enough for a wedge that stands for itself, and for
/// one of several that are averaged.
const SMALL_WEDGE: [f32; 2] = [4.0, 32.0];

/// How many faces are looked at in a row.
const FACES: usize = 2048;

/// The image at the wedge of a corner, in linear light, and how large the wedge is.
#[derive(Clone, Copy, Default)]
struct Wedge {
    light: Linear,
    area: f32,
}

/// The places of a face's corners in an image.
type Places = SmallVec<[Vec2; 4]>;

fn middle_of(places: &[Vec2]) -> Vec2 {
    places.iter().sum::<Vec2>() / places.len() as f32
}

/// The areas of a face's wedges, by corner.
fn areas_of(mesh: &Mesh, face: usize) -> impl Fn(usize) -> f32 {
    let corners = mesh.face_corners(face);
    let (first, count) = (corners.start, corners.len());
    // Those of a triangle are all a third of it.
    let whole = if count == 3 { Some(mesh.face_area_vector(face).length()) } else { None };
    move |i: usize| {
        whole.unwrap_or_else(|| {
            let at = |i: usize| mesh.corner_position(first + i % count);
            let middle = mesh.face_centroid(face);
            let (own, next, before) = (at(i), at(i + 1), at(i + count - 1));
            (middle - own).cross((before - next) / 2.0).length()
        })
    }
}

/// The colors that pictures have at the elements of a placement: sRGB-encoded, or plain numbers for
/// data. `of_faces` is the picture of each face, or empty when all show the first one.
#[must_use]
pub fn sampled(
    pictures: &[Picture],
    of_faces: &[u32],
    mapping: &Mapping,
    geometry: &Geometry,
    placement: Placement,
) -> Vec<Rgba> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let turn = Vec2::from_angle(-mapping.turn);
    let is_transparent = pictures.iter().any(|p| match p.image {
        Some(image) => image.covering.is_some(),
        None => p.tint.0[3] < 1.0,
    });
    let has_sides = pictures.iter().any(|p| matches!(p.projected, Projected::Sides(_)));
    let fans = (placement == Placement::Corner && has_sides).then(|| geometry.fans());
    let looking = Looking { mapping, turn, geometry, placement, fans };
    let wedges = looking.wedges(pictures, of_faces);
    let mean = |corners: &mut dyn Iterator<Item = usize>| {
        let mean = mean_of(corners.map(|corner| wedges[corner]));
        mapping.encoding.stored(if mapping.is_covering && is_transparent {
            uncovered(mean)
        } else {
            mean
        })
    };
    if mapping.averaged == Averaged::Piece {
        let mut corners: Vec<Vec<usize>> = vec![Vec::new(); geometry.pieces().count()];
        for corner in 0..mesh.corner_count() {
            corners[geometry.pieces().of(topology.face_of(corner))].push(corner);
        }
        let means: Vec<Rgba> = corners.iter().map(|c| mean(&mut c.iter().copied())).collect();
        let of_piece = |face| means[geometry.pieces().of(face)];
        return pieces::by_face(geometry, placement, of_piece, [0.0; 4]);
    }
    match placement {
        Placement::Corner => (0..mesh.corner_count())
            .into_par_iter()
            .with_min_len(1024)
            .map(|corner| mean(&mut looking.joined(corner, pictures, of_faces)))
            .collect(),
        Placement::Face => (0..mesh.face_count())
            .into_par_iter()
            .map(|face| mean(&mut mesh.face_corners(face)))
            .collect(),
        Placement::Vertex => (0..mesh.vertex_count())
            .into_par_iter()
            .map(|v| {
                // Files split vertices where their UVs differ: each has its own side of the seam.
                mean(&mut topology.own_corners(mesh, v))
            })
            .collect(),
    }
}

/// A color of itself again, that was counted by its alpha.
pub(crate) fn uncovered(Linear([r, g, b, alpha]): Linear) -> Linear {
    let whole = |x: f32| if alpha > 0.0 { (x / alpha).min(1.0) } else { 0.0 };
    Linear([whole(r), whole(g), whole(b), alpha])
}

/// The mean over wedges by their areas; the plain one where they have none.
fn mean_of(wedges: impl Iterator<Item = Wedge>) -> Linear {
    let (mut sum, mut whole, mut plain, mut count) = ([0.0; 4], 0.0, [0.0; 4], 0);
    for Wedge { light: Linear(light), area } in wedges {
        for k in 0..4 {
            sum[k] += area * light[k];
            plain[k] += light[k];
        }
        whole += area;
        count += 1;
    }
    Linear(match count {
        0 => [0.0; 4],
        _ if whole > 0.0 => sum.map(|s| s / whole),
        count => plain.map(|s| s / count as f32),
    })
}

/// Looks at images for the corners of a mesh.
struct Looking<'a> {
    mapping: &'a Mapping,
    /// By what places are turned: its sine and cosine.
    turn: Vec2,
    geometry: &'a Geometry,
    placement: Placement,
    /// Where sides are looked at from corners: their fans.
    fans: Option<&'a Fans>,
}

/// The number of the picture that a face shows.
fn picture_of(of_faces: &[u32], face: usize) -> usize {
    of_faces.get(face).map_or(0, |&picture| picture as usize)
}

impl Looking<'_> {
    /// The corners at the point of one at which the picture goes on: their faces show the same one,
    /// at the same place of it.
    fn joined<'b>(
        &'b self,
        corner: usize,
        pictures: &'b [Picture],
        of_faces: &'b [u32],
    ) -> Box<dyn Iterator<Item = usize> + 'b> {
        let (mesh, topology) = (self.geometry.mesh(), self.geometry.topology());
        let picture = |corner: usize| picture_of(of_faces, topology.face_of(corner));
        let own = picture(corner);
        let at_point = topology.corners_at(mesh.corner_vertices()[corner] as usize);
        if at_point.len() > CROWD {
            return Box::new(std::iter::once(corner));
        }
        let shown = &pictures[own];
        let goes_on = move |other: usize| match (shown.image, &shown.projected, self.fans) {
            (None, ..) => true,
            (_, Projected::Uv(uvs), _) => uvs[other] == uvs[corner],
            (_, Projected::Sides(_), Some(Fans { of_corners: fan, .. })) => {
                fan[other] == fan[corner]
            }
            (_, Projected::Sides(_), None) => other == corner,
        };
        let others = at_point.iter().map(|&other| other as usize);
        let is_joined =
            move |&other: &usize| other == corner || (picture(other) == own && goes_on(other));
        Box::new(others.filter(is_joined))
    }

    /// What every corner's wedge shows.
    fn wedges(&self, pictures: &[Picture], of_faces: &[u32]) -> Vec<Wedge> {
        let mesh = self.geometry.mesh();
        let mut wedges = vec![Wedge::default(); mesh.corner_count()];
        let mut rest = wedges.as_mut_slice();
        let mut runs = Vec::new();
        for first in (0..mesh.face_count()).step_by(FACES) {
            let faces = first..(first + FACES).min(mesh.face_count());
            let count = mesh.face_corners(faces.end - 1).end - mesh.face_corners(first).start;
            let (own, others) = rest.split_at_mut(count);
            runs.push((faces, own));
            rest = others;
        }
        runs.into_par_iter().for_each(|(faces, own)| {
            let start = mesh.face_corners(faces.start).start;
            for face in faces {
                let corners = mesh.face_corners(face);
                let picture = &pictures[picture_of(of_faces, face)];
                self.face(face, picture, &mut own[corners.start - start..corners.end - start]);
            }
        });
        wedges
    }

    /// What the wedges of a face show.
    fn face(&self, face: usize, picture: &Picture, wedges: &mut [Wedge]) {
        let mesh = self.geometry.mesh();
        let area = areas_of(mesh, face);
        let Picture { image, projected, tint } = picture;
        let Some(image) = image else {
            let own = wedges.iter_mut().enumerate();
            own.for_each(|(i, wedge)| *wedge = Wedge { light: *tint, area: area(i) });
            return;
        };
        let corners = mesh.face_corners(face);
        match projected {
            Projected::Uv(uvs) => {
                let places: Places = corners.map(|c| self.placed(uvs[c])).collect();
                let middle = middle_of(&places);
                for (i, wedge) in wedges.iter_mut().enumerate() {
                    let light = self.look(image, &places, middle, i).times(*tint);
                    *wedge = Wedge { light, area: area(i) };
                }
            }
            Projected::Sides(sides) => {
                let from = |side: &Side| -> Places {
                    let seen = |c| {
                        let p = mesh.corner_position(c) - side.origin;
                        self.placed(Vec2::new(p.dot(side.across), p.dot(side.up)))
                    };
                    corners.clone().map(seen).collect()
                };
                let seen: SmallVec<[Places; 3]> = sides.iter().map(from).collect();
                for (i, wedge) in wedges.iter_mut().enumerate() {
                    let light = self.sides_at(image, sides, &seen, face, i).times(*tint);
                    *wedge = Wedge { light, area: area(i) };
                }
            }
        }
    }

    /// What a wedge shows of an image that comes from sides: each by how it faces the surface.
    fn sides_at(
        &self,
        image: &Image,
        sides: &[Side],
        seen: &[Places],
        face: usize,
        i: usize,
    ) -> Linear {
        let mesh = self.geometry.mesh();
        let normal = match (self.placement, self.fans) {
            (Placement::Vertex, _) => {
                let vertex = mesh.face_vertices(face)[i];
                self.geometry.vertex_normals()[vertex as usize]
            }
            (_, Some(fans)) => {
                let fan = fans.of_corners[mesh.face_corners(face).start + i] as usize;
                fans::normal_of(self.geometry, &fans.corners(self.geometry, fan))
            }
            (_, None) => self.geometry.face_normals()[face],
        };
        let (mut sum, mut weights) = ([0.0; 4], 0.0);
        for (side, places) in sides.iter().zip(seen) {
            let weight = side.facing.map_or(1.0, |to| axes::weight(normal, to));
            if weight <= 1e-4 {
                continue;
            }
            let Linear(look) = self.look(image, places, middle_of(places), i);
            (0..4).for_each(|c| sum[c] += weight * look[c]);
            weights += weight;
        }
        Linear(if weights > 0.0 { sum.map(|s| s / weights) } else { [0.0; 4] })
    }

    /// The place in the image, from the left and from the top, of one that grows upwards.
    fn placed(&self, uv: Vec2) -> Vec2 {
        let turned = self.turn.rotate(uv - 0.5) + 0.5;
        // Moved to the right and down.
        let offset = Vec2::new(self.mapping.offset.x, -self.mapping.offset.y);
        let at = turned * self.mapping.repeat - offset;
        let at = Vec2::new(at.x, 1.0 - at.y);
        // Places beyond all numbers are nowhere in particular.
        if at.is_finite() { at.clamp(Vec2::splat(-1e6), Vec2::splat(1e6)) } else { Vec2::ZERO }
    }

    /// The image at the wedge of a corner of a face, of which all places are known.
    fn look(&self, image: &Image, places: &[Vec2], middle: Vec2, i: usize) -> Linear {
        let Self { mapping, placement, .. } = self;
        let size = Vec2::new(image.size()[0] as f32, image.size()[1] as f32);
        let own = places[i];
        if mapping.averaged == Averaged::Point {
            let at = if *placement == Placement::Face { middle } else { own };
            return image.mean_about(at, 1.0, mapping, true);
        }
        // What several wedges are averaged into may be a little coarser in each; one at a corner may
        // stand alone.
        let stands_alone = *placement == Placement::Corner;
        let last = places.len() - 1;
        let next = (own + places[if i == last { 0 } else { i + 1 }]) / 2.0;
        let before = (own + places[if i == 0 { last } else { i - 1 }]) / 2.0;
        let across = (middle - own) * size;
        let other = (before - next) * size;
        let pixels = (across.perp_dot(other) / 2.0).abs();
        let pixels = if pixels.is_finite() { pixels } else { 1.0 };
        if pixels <= SMALL_WEDGE[usize::from(!stands_alone)] {
            let middle = (own + next + middle + before) / 4.0;
            return image.mean_about(middle, pixels, mapping, stands_alone);
        }
        // A grid of looks, each of a share of the area.
        let grid = if pixels <= 256.0 { 2 } else { 4 };
        let mut sum = [0.0; 4];
        for k in 0..grid * grid {
            let (s, t) = (
                (k % grid) as f32 / grid as f32 + 0.5 / grid as f32,
                (k / grid) as f32 / grid as f32 + 0.5 / grid as f32,
            );
            let near = own.lerp(next, s);
            let far = before.lerp(middle, s);
            let share = pixels / (grid * grid) as f32;
            let Linear(look) = image.mean_about(near.lerp(far, t), share, mapping, true);
            (0..4).for_each(|c| sum[c] += look[c]);
        }
        Linear(sum.map(|s| s / (grid * grid) as f32))
    }
}
