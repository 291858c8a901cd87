//! A small picture of a project, drawn without a graphics card.

use glam::{Mat4, Vec3, camera};
use speckle_color::Linear;
use speckle_mesh::{Placement, UpAxis};
use speckle_model::Part;

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
    let mut canvas = Canvas {
        wide,
        high,
        depth: vec![f32::INFINITY; wide * high],
        color: vec![[0.0; 4]; wide * high],
    };
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
    depth: Vec<f32>,
    /// Linear light and coverage.
    color: Vec<[f32; 4]>,
}

/// A vertex as drawn: place on the canvas, depth, normal with Y up.
#[derive(Clone, Copy)]
struct Drawn {
    x: f32,
    y: f32,
    depth: f32,
    normal: Vec3,
}

impl Canvas {
    fn draw(&mut self, part: &Part, camera: &Camera) {
        let mesh = part.geometry.mesh();
        let place = Mat4::from(part.traits.transform.to_project());
        let clip = camera.clip * place;
        let upright = camera.upright * place;
        let turn = upright.inverse().transpose();
        let normals = part.geometry.vertex_normals();
        let drawn: Vec<Drawn> = mesh
            .positions()
            .iter()
            .zip(normals)
            .map(|(&point, &normal)| {
                let p = clip.project_point3(point);
                Drawn {
                    x: (p.x + 1.0) / 2.0 * self.wide as f32,
                    y: (1.0 - p.y) / 2.0 * self.high as f32,
                    depth: p.z,
                    normal: turn.transform_vector3(normal).normalize_or_zero(),
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
            let points = corners.map(|c| drawn[mesh.corner_vertices()[c] as usize]);
            self.triangle(points, corners.map(color_at));
        }
    }

    fn triangle(&mut self, [a, b, c]: [Drawn; 3], colors: [Vec3; 3]) {
        let area = (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x);
        if area == 0.0 || !area.is_finite() {
            return;
        }
        let span = |p: [f32; 3], most: usize| {
            let least = p[0].min(p[1]).min(p[2]).floor().max(0.0);
            let greatest = p[0].max(p[1]).max(p[2]).ceil().min(most as f32);
            least as usize..greatest.max(0.0) as usize
        };
        let (columns, rows) = (span([a.x, b.x, c.x], self.wide), span([a.y, b.y, c.y], self.high));
        for row in rows {
            for column in columns.clone() {
                let (x, y) = (column as f32 + 0.5, row as f32 + 0.5);
                let weight =
                    |p: Drawn, q: Drawn| ((q.x - p.x) * (y - p.y) - (q.y - p.y) * (x - p.x)) / area;
                let (u, v, w) = (weight(b, c), weight(c, a), weight(a, b));
                if u < 0.0 || v < 0.0 || w < 0.0 {
                    continue;
                }
                let depth = u * a.depth + v * b.depth + w * c.depth;
                let pixel = row * self.wide + column;
                if depth >= self.depth[pixel] {
                    continue;
                }
                self.depth[pixel] = depth;
                let normal = (a.normal * u + b.normal * v + c.normal * w).normalize_or_zero();
                let color = colors[0] * u + colors[1] * v + colors[2] * w;
                self.color[pixel] = (color * light(normal)).min(Vec3::ONE).extend(1.0).to_array();
            }
        }
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
