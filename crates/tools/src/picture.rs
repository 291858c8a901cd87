//! A small picture of a project, drawn without a graphics card.

use std::{collections::HashMap, sync::Arc};

use glam::{Mat4, Vec2, Vec3, camera};
use speckle_color::{Encoding, Linear, Rgba, linear_from_srgb, pixels::Pixels, swatch_of};
use speckle_mesh::{Placement, UpAxis, geometry::shading};
use speckle_model::{
    ColorSet, Part,
    proof::{Laid, Lay, Look, Proof},
    swatches::Swatch,
};

use crate::{
    bake::image::Image,
    lit::Lit,
    mix::{Place, mixed},
    raster::Raster,
};

/// Where the picture is taken from, with Y up: a little from the right and from above.
const SIGHT: Vec3 = Vec3::new(0.55, 0.42, 1.0);
const FIELD_OF_VIEW_DEGREES: f32 = 28.0;
/// Each pixel is the mean of so many by so many.
const OVERSAMPLING: usize = 2;
/// What a part without a color set looks like.
const CLAY: Vec3 = Vec3::splat(0.72);

/// What is drawn of the parts.
#[derive(Clone, Copy)]
pub enum Shown<'a> {
    /// The colors of their first sets.
    First,
    /// The colors of their sets of a name; those of swatches as the palette has them.
    Set {
        /// The name.
        set: &'a str,
        /// The palette.
        palette: &'a [Swatch],
    },
    /// A channel of their sets of a name, in grey.
    Channel {
        /// The name.
        set: &'a str,
        /// 0–3 for R, G, B, A.
        channel: usize,
    },
    /// A look that all of them wear, in the light of a proof; with none, the one that each wears.
    Look {
        /// The proof.
        proof: &'a Proof,
        /// The look.
        look: Option<&'a Look>,
        /// Images by their names.
        images: &'a HashMap<String, Arc<Image>>,
    },
}

/// Width and height of a project's picture on the shelf, pixels: twice what a card shows.
const CARD: [usize; 2] = [440, 280];

/// A project as its card on the shelf shows it.
#[must_use]
pub fn card(parts: &[Part], palette: &[Swatch], up: UpAxis) -> Pixels {
    let parts: Vec<Part> = parts.iter().map(|part| part.in_colors(palette)).collect();
    draw(&parts, up, CARD)
}

/// Draws the visible parts with the colors of their first sets, lit as on the stage; `size` is width
/// and height in pixels, transparent where nothing is.
#[must_use]
pub fn draw(parts: &[Part], up: UpAxis, size: [usize; 2]) -> Pixels {
    draw_shown(parts, up, size, Shown::First)
}

/// The same of what is asked for.
#[must_use]
pub fn draw_shown(parts: &[Part], up: UpAxis, size: [usize; 2], shown: Shown) -> Pixels {
    let [width, height] = size;
    let (wide, high) = (width * OVERSAMPLING, height * OVERSAMPLING);
    let mut canvas =
        Canvas { wide, high, raster: Raster::new(wide, high), color: vec![[0.0; 4]; wide * high] };
    if let Some(camera) = Camera::framing(parts, up, wide as f32 / high as f32) {
        for part in parts.iter().filter(|part| part.traits.visible) {
            match shown {
                Shown::Look { proof, look, images } => {
                    if let Some(look) = look.or_else(|| proof.worn_by(part.id)) {
                        canvas.draw_look(part, &camera, look, &Lit::of(&proof.lights, up), images);
                        continue;
                    }
                    canvas.draw(part, &camera, Shown::First);
                }
                _ => canvas.draw(part, &camera, shown),
            }
        }
    }
    Pixels::of_bytes(size, canvas.shrunk(width, height))
}

struct Camera {
    /// From the project's space to clip space.
    clip: Mat4,
    /// From the project's space to one with Y up, where the light comes from.
    upright: Mat4,
    /// Where it stands, in the project's space.
    eye: Vec3,
}

impl Camera {
    fn framing(parts: &[Part], up: UpAxis, aspect: f32) -> Option<Self> {
        let upright = match up {
            UpAxis::Y => Mat4::IDENTITY,
            UpAxis::Z => Mat4::from_rotation_x(-std::f32::consts::FRAC_PI_2),
        };
        let (mut min, mut max) = (Vec3::INFINITY, Vec3::NEG_INFINITY);
        for part in parts.iter().filter(|part| part.traits.visible) {
            let measures = part.geometry.measures();
            let place = upright * Mat4::from(part.traits.transform.to_project());
            for i in 0..8 {
                let pick = |axis: usize| {
                    if i >> axis & 1 == 0 { measures.min[axis] } else { measures.max[axis] }
                };
                let corner = place.transform_point3(Vec3::new(pick(0), pick(1), pick(2)));
                (min, max) = (min.min(corner), max.max(corner));
            }
        }
        let radius = min.distance(max) / 2.0;
        if !(radius.is_finite() && radius > 0.0) {
            return None;
        }
        let center = (min + max) / 2.0;
        let half = (FIELD_OF_VIEW_DEGREES / 2.0).to_radians();
        let distance = radius / half.sin() * 0.78;
        let eye = center + SIGHT.normalize() * distance;
        let view = camera::rh::view::look_at_mat4(eye, center, Vec3::Y);
        let projection = camera::rh::proj::directx::perspective(
            2.0 * half,
            aspect,
            distance - radius.min(0.9 * distance),
            distance + radius,
        );
        let eye = upright.inverse().transform_point3(eye);
        Some(Self { clip: projection * view * upright, upright, eye })
    }
}

struct Canvas {
    wide: usize,
    high: usize,
    raster: Raster,
    /// Linear light and coverage.
    color: Vec<[f32; 4]>,
}

/// A vertex as drawn: place on the canvas, from the middle of its first pixel; depth; normal with Y
/// up.
#[derive(Clone, Copy)]
struct Drawn {
    at: Vec2,
    depth: f32,
    normal: Vec3,
}

/// The number of a set's element at a corner.
fn element_at(part: &Part, set: &ColorSet, corner: usize) -> usize {
    match set.placement {
        Placement::Vertex => part.geometry.mesh().corner_vertices()[corner] as usize,
        Placement::Corner => corner,
        Placement::Face => part.geometry.topology().face_of(corner),
    }
}

impl Canvas {
    /// Where the vertices of a part are drawn, with normals that `turn` brings from the part's space.
    fn drawn(&self, part: &Part, camera: &Camera, turned: &impl Fn(Vec3) -> Vec3) -> Vec<Drawn> {
        let clip = camera.clip * Mat4::from(part.traits.transform.to_project());
        let size = Vec2::new(self.wide as f32, self.high as f32);
        let positions = part.geometry.mesh().positions().iter();
        let drawn = positions.zip(part.geometry.vertex_normals()).map(|(&point, &normal)| {
            let p = clip.project_point3(point);
            Drawn {
                at: Vec2::new((p.x + 1.0) / 2.0, (1.0 - p.y) / 2.0) * size - 0.5,
                depth: p.z,
                normal: turned(normal),
            }
        });
        drawn.collect()
    }

    fn draw(&mut self, part: &Part, camera: &Camera, shown: Shown) {
        let mesh = part.geometry.mesh();
        let upright = camera.upright * Mat4::from(part.traits.transform.to_project());
        let turn = upright.inverse().transpose();
        let turned = |normal: Vec3| turn.transform_vector3(normal).normalize_or_zero();
        let own = shading::own_at(&part.geometry, Placement::Corner);
        let drawn = self.drawn(part, camera, &turned);
        let set = match shown {
            Shown::Set { set, .. } | Shown::Channel { set, .. } => {
                part.products().find(|own| own.name == set)
            }
            _ => part.products().next(),
        };
        let of_palette = match shown {
            Shown::Set { palette, .. } => palette,
            _ => &[],
        };
        let color_at = |corner: usize| -> Vec3 {
            let Some(set) = set else { return CLAY };
            let value = set.values[element_at(part, set, corner)];
            if let Shown::Channel { channel, .. } = shown {
                return Vec3::splat(linear_from_srgb(value[channel.min(3)].clamp(0.0, 1.0)));
            }
            if set.encoding == Encoding::Swatch {
                let number = swatch_of(value);
                let swatch = of_palette.iter().find(|own| number > 0 && own.number == number);
                return swatch.map_or(CLAY, |own| Vec3::from(own.color.map(linear_from_srgb)));
            }
            let Linear([r, g, b, _]) = Linear::of(value);
            Vec3::new(r, g, b)
        };
        for &corners in part.geometry.triangulation().corners() {
            let corners = corners.map(|c| c as usize);
            let points = corners.map(|c| {
                let at_vertex = drawn[mesh.corner_vertices()[c] as usize];
                let Some(own) = &own else { return at_vertex };
                Drawn { normal: turned(own[c]), ..at_vertex }
            });
            self.triangle(points, corners.map(color_at));
        }
    }

    /// Draws a part as it wears a look, each pixel by the numbers there.
    fn draw_look(
        &mut self,
        part: &Part,
        camera: &Camera,
        look: &Look,
        lit: &Lit,
        images: &HashMap<String, Arc<Image>>,
    ) {
        let mesh = part.geometry.mesh();
        let to_project = Mat4::from(part.traits.transform.to_project());
        let turn = to_project.inverse().transpose();
        let turned = |normal: Vec3| turn.transform_vector3(normal).normalize_or_zero();
        let own = shading::own_at(&part.geometry, Placement::Corner);
        let drawn = self.drawn(part, camera, &turned);
        let sets: Vec<(&str, Option<&ColorSet>)> = look
            .material_sets()
            .into_iter()
            .map(|name| (name, part.products().find(|own| own.name == name)))
            .collect();
        let uvs = mesh.uv_sets().first().map(|set| &set.uvs);
        // What is mirrored has its corners the other way round.
        let winding = to_project.determinant().signum();
        for &corners in part.geometry.triangulation().corners() {
            let corners = corners.map(|c| c as usize);
            let vertices = corners.map(|c| mesh.corner_vertices()[c] as usize);
            let points = [0, 1, 2].map(|i| {
                let at_vertex = drawn[vertices[i]];
                let Some(own) = &own else { return at_vertex };
                Drawn { normal: turned(own[corners[i]]), ..at_vertex }
            });
            let places = vertices.map(|v| mesh.positions()[v]);
            let corner_uvs = corners.map(|c| uvs.map_or(Vec2::ZERO, |uvs| uvs[c]));
            let normals = vertices.map(|v| part.geometry.vertex_normals()[v]);
            let stands = places.map(|place| to_project.transform_point3(place));
            let face = (stands[1] - stands[0]).cross(stands[2] - stands[0]) * winding;
            if look.one_sided && face.dot(camera.eye - stands[0]) < 0.0 {
                continue;
            }
            let along = along_uv(stands, corner_uvs);
            let Self { raster, color, .. } = self;
            raster.draw(points.map(|p| p.at), points.map(|p| p.depth), |sample, shares| {
                let mean =
                    |of: [Vec3; 3]| of[0] * shares[0] + of[1] * shares[1] + of[2] * shares[2];
                let value = |name: &str| -> Option<Rgba> {
                    let (_, set) = sets.iter().find(|(own, _)| *own == name)?;
                    let set = (*set)?;
                    let values = corners.map(|c| set.values[element_at(part, set, c)]);
                    Some(std::array::from_fn(|i| (0..3).map(|k| values[k][i] * shares[k]).sum()))
                };
                let place = mean(places);
                let here = Here {
                    value: &value,
                    images,
                    place,
                    normal: mean(normals).normalize_or_zero(),
                    uv: corner_uvs[0] * shares[0]
                        + corner_uvs[1] * shares[1]
                        + corner_uvs[2] * shares[2],
                };
                let sight = (camera.eye - to_project.transform_point3(place)).normalize_or_zero();
                let normal = mean(points.map(|p| p.normal)).normalize_or_zero();
                let normal = if normal.dot(sight) < 0.0 { -normal } else { normal };
                let material = mixed(look, &here);
                let normal = bent(normal, &along, material.normal);
                let light = lit.seen(&material, normal, sight).min(Vec3::ONE);
                color[sample] = light.extend(1.0).to_array();
            });
        }
    }

    fn triangle(&mut self, points: [Drawn; 3], colors: [Vec3; 3]) {
        let Self { raster, color, .. } = self;
        raster.draw(points.map(|p| p.at), points.map(|p| p.depth), |sample, shares| {
            let mean = |of: [Vec3; 3]| of[0] * shares[0] + of[1] * shares[1] + of[2] * shares[2];
            let normal = mean(points.map(|p| p.normal)).normalize_or_zero();
            let lit = (mean(colors) * light(normal)).min(Vec3::ONE);
            color[sample] = lit.extend(1.0).to_array();
        });
    }

    fn shrunk(&self, width: usize, height: usize) -> Vec<u8> {
        let mut pixels = Vec::with_capacity(4 * width * height);
        for row in 0..height {
            for column in 0..width {
                let mut sum = [0.0_f32; 4];
                for i in 0..OVERSAMPLING * OVERSAMPLING {
                    let at = (row * OVERSAMPLING + i / OVERSAMPLING) * self.wide
                        + column * OVERSAMPLING
                        + i % OVERSAMPLING;
                    sum.iter_mut().zip(self.color[at]).for_each(|(sum, x)| *sum += x);
                }
                let coverage = sum[3].max(1e-6);
                let mean = [sum[0] / coverage, sum[1] / coverage, sum[2] / coverage];
                let alpha = sum[3] / (OVERSAMPLING * OVERSAMPLING) as f32;
                let light = Linear([mean[0], mean[1], mean[2], alpha]);
                pixels.extend(speckle_color::bytes_from_rgba(light.encoded()));
            }
        }
        pixels
    }
}

/// What u and v of a triangle's texture coordinates grow along, the longer one of unit length, as on the stage (Schüler,
/// Normal Mapping Without Precomputed Tangents, 2006). Nothing where they are no coordinates.
fn along_uv(places: [Vec3; 3], uvs: [Vec2; 3]) -> [Vec3; 2] {
    let (a, b) = (places[1] - places[0], places[2] - places[0]);
    let (p, q) = (uvs[1] - uvs[0], uvs[2] - uvs[0]);
    let out = a.cross(b).normalize_or_zero();
    let (first, second) = (b.cross(out), out.cross(a));
    let (u, v) = (first * p.x + second * q.x, first * p.y + second * q.y);
    let longest = u.length().max(v.length());
    if longest > 0.0 && longest.is_finite() { [u / longest, v / longest] } else { [Vec3::ZERO; 2] }
}

/// A normal that a map bends along u and v.
fn bent(normal: Vec3, along: &[Vec3; 2], by: [f32; 3]) -> Vec3 {
    let [x, y, z] = by;
    (along[0] * x + along[1] * y + normal * z).try_normalize().unwrap_or(normal)
}

/// What a look finds at a pixel.
struct Here<'a> {
    value: &'a dyn Fn(&str) -> Option<Rgba>,
    images: &'a HashMap<String, Arc<Image>>,
    place: Vec3,
    normal: Vec3,
    uv: Vec2,
}

impl Place for Here<'_> {
    fn value(&self, set: &str) -> Option<Rgba> {
        (self.value)(set)
    }

    fn laid(&self, laid: &Laid, encoding: Encoding) -> Option<Rgba> {
        let image = self.images.get(&laid.image)?;
        let read = |at: Vec2| image.at(placed(laid, at), encoding);
        let Lay::ThreeAxes { width } = laid.lay else { return Some(read(self.uv)) };
        let p = self.place / width;
        let shares = (self.normal * self.normal) * (self.normal * self.normal);
        let sides = [(p.z, p.y), (p.x, p.z), (p.x, p.y)].map(|(x, y)| read(Vec2::new(x, y)));
        let all = (shares.x + shares.y + shares.z).max(1e-6);
        Some(std::array::from_fn(|i| {
            (sides[0][i] * shares.x + sides[1][i] * shares.y + sides[2][i] * shares.z) / all
        }))
    }
}

/// The place in an image, from the left and from the top, of one that grows upwards.
fn placed(laid: &Laid, uv: Vec2) -> Vec2 {
    let turned = Vec2::from_angle(laid.turn.to_radians()).rotate(uv - 0.5) + 0.5;
    let at = turned * Vec2::from(laid.repeat) + Vec2::new(-laid.offset[0], laid.offset[1]);
    Vec2::new(at.x, 1.0 - at.y)
}

/// How much light a surface gets: soft daylight from the upper left, a little from the right.
fn light(normal: Vec3) -> f32 {
    let key = Vec3::new(-0.45, 0.75, 0.6).normalize();
    let fill = Vec3::new(0.8, 0.1, 0.35).normalize();
    let wrapped = ((normal.dot(key) + 0.25) / 1.25).max(0.0);
    0.22 + 0.16 * (0.5 + 0.5 * normal.y)
        + 0.82 * wrapped * wrapped
        + 0.12 * normal.dot(fill).max(0.0)
}
