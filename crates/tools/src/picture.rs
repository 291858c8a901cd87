//! A small picture of a project, drawn without a graphics card.

use glam::{Mat4, Vec2, Vec3, camera};
use speckle_color::Linear;
use speckle_mesh::{Placement, UpAxis, geometry::shading};
use speckle_model::Part;

use crate::raster::Raster;

/// Where the picture is taken from, with Y up: a little from the right and from above.
const SIGHT: Vec3 = Vec3::new(0.55, 0.42, 1.0);
const FIELD_OF_VIEW_DEGREES: f32 = 28.0;
/// Each pixel is the mean of so many by so many.
const OVERSAMPLING: usize = 2;
/// What a part without a color set looks like.
const CLAY: Vec3 = Vec3::splat(0.72);

/// Draws the visible parts with the colors of their first sets, lit as on the stage; returns
/// `width × height` RGBA pixels, sRGB-encoded, transparent where nothing is.
#[must_use]
pub fn draw(parts: &[Part], up: UpAxis, width: usize, height: usize) -> Vec<u8> {
    let (wide, high) = (width * OVERSAMPLING, height * OVERSAMPLING);
    let mut canvas =
        Canvas { wide, high, raster: Raster::new(wide, high), color: vec![[0.0; 4]; wide * high] };
    if let Some(camera) = Camera::framing(parts, up, wide as f32 / high as f32) {
        for part in parts.iter().filter(|part| part.traits.visible) {
            canvas.draw(part, &camera);
        }
    }
    canvas.shrunk(width, height)
}

struct Camera {
    /// From the project's space to clip space.
    clip: Mat4,
    /// From the project's space to one with Y up, where the light comes from.
    upright: Mat4,
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
        Some(Self { clip: projection * view * upright, upright })
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

impl Canvas {
    fn draw(&mut self, part: &Part, camera: &Camera) {
        let mesh = part.geometry.mesh();
        let place = Mat4::from(part.traits.transform.to_project());
        let clip = camera.clip * place;
        let size = Vec2::new(self.wide as f32, self.high as f32);
        let upright = camera.upright * place;
        let turn = upright.inverse().transpose();
        let turned = |normal: Vec3| turn.transform_vector3(normal).normalize_or_zero();
        let normals = part.geometry.vertex_normals();
        let own = shading::own_at(&part.geometry, Placement::Corner);
        let drawn: Vec<Drawn> = mesh
            .positions()
            .iter()
            .zip(normals)
            .map(|(&point, &normal)| {
                let p = clip.project_point3(point);
                Drawn {
                    at: Vec2::new((p.x + 1.0) / 2.0, (1.0 - p.y) / 2.0) * size - 0.5,
                    depth: p.z,
                    normal: turned(normal),
                }
            })
            .collect();
        let topology = part.geometry.topology();
        let set = part.products().next();
        let color_at = |corner: usize| -> Vec3 {
            let Some(set) = set else { return CLAY };
            let value = set.values[match set.placement {
                Placement::Vertex => mesh.corner_vertices()[corner] as usize,
                Placement::Corner => corner,
                Placement::Face => topology.face_of(corner),
            }];
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

/// How much light a surface gets: soft daylight from the upper left, a little from the right.
fn light(normal: Vec3) -> f32 {
    let key = Vec3::new(-0.45, 0.75, 0.6).normalize();
    let fill = Vec3::new(0.8, 0.1, 0.35).normalize();
    let wrapped = ((normal.dot(key) + 0.25) / 1.25).max(0.0);
    0.22 + 0.16 * (0.5 + 0.5 * normal.y)
        + 0.82 * wrapped * wrapped
        + 0.12 * normal.dot(fill).max(0.0)
}
