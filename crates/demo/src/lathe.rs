//! Solids turned on a lathe: a profile of straight lines with rounded corners, spun about Y.

use std::f32::consts::TAU;

use glam::{Vec2, Vec3};
use speckle_mesh::{Mesh, mesh::MeshArrays};

/// A corner of a profile: distance from the axis, height, and the radius it is rounded with.
pub type Corner = (f32, f32, f32);

/// Vertices and faces of a growing mesh.
#[derive(Default)]
pub struct Turned {
    /// Points.
    pub positions: Vec<Vec3>,
    /// Quads, and triangles at the poles.
    pub faces: Vec<Vec<u32>>,
}

impl Turned {
    /// Adds a closed solid: the profile runs from the lower pole to the upper one and is cut into
    /// `rings` even steps; `place` moves each point of the finished shape.
    pub fn add(
        &mut self,
        profile: &[Corner],
        rings: u32,
        segments: u32,
        place: impl Fn(Vec3) -> Vec3,
    ) {
        self.spin(&even_steps(&rounded(profile), rings), segments, place);
    }

    /// All of it as a mesh.
    ///
    /// # Panics
    /// Never: the lathe makes whole faces.
    pub fn mesh(self) -> Mesh {
        let starts = self.faces.iter().scan(0, |end, face| {
            *end += face.len() as u32;
            Some(*end)
        });
        let arrays = MeshArrays {
            face_starts: std::iter::once(0).chain(starts).collect(),
            positions: self.positions,
            corner_vertices: self.faces.concat(),
            ..MeshArrays::default()
        };
        Mesh::new(arrays).expect("the lathe makes whole faces")
    }

    /// Adds a closed solid whose line, from its first pole to its last, is spun as it is.
    pub fn spin(&mut self, line: &[Vec2], segments: u32, place: impl Fn(Vec3) -> Vec3) {
        let first = self.positions.len() as u32;
        let (bottom, top) = (line[0], line[line.len() - 1]);
        self.positions.push(place(Vec3::new(0.0, bottom.y, 0.0)));
        for point in &line[1..line.len() - 1] {
            for segment in 0..segments {
                let (sin, cos) = (segment as f32 / segments as f32 * TAU).sin_cos();
                self.positions.push(place(Vec3::new(point.x * cos, point.y, -point.x * sin)));
            }
        }
        let last = self.positions.len() as u32;
        self.positions.push(place(Vec3::new(0.0, top.y, 0.0)));

        let rows = line.len() as u32 - 2;
        let at = |row: u32, segment: u32| first + 1 + row * segments + segment % segments;
        for s in 0..segments {
            self.faces.push(vec![first, at(0, s + 1), at(0, s)]);
            for row in 0..rows - 1 {
                self.faces.push(vec![
                    at(row, s),
                    at(row, s + 1),
                    at(row + 1, s + 1),
                    at(row + 1, s),
                ]);
            }
            self.faces.push(vec![at(rows - 1, s), at(rows - 1, s + 1), last]);
        }
    }
}

/// A line through corners that stay where they are, in steps of at most a length.
pub fn in_steps(corners: &[Vec2], longest: f32) -> Vec<Vec2> {
    let mut line = vec![corners[0]];
    for pair in corners.windows(2) {
        let steps = (pair[0].distance(pair[1]) / longest).ceil().max(1.0);
        line.extend((1..=steps as u32).map(|step| pair[0].lerp(pair[1], step as f32 / steps)));
    }
    line
}

/// The profile with each inner corner replaced by an arc that touches both its lines.
fn rounded(profile: &[Corner]) -> Vec<Vec2> {
    let at = |i: usize| Vec2::new(profile[i].0, profile[i].1);
    let mut line = vec![at(0)];
    for (i, &(_, _, radius)) in profile.iter().enumerate().take(profile.len() - 1).skip(1) {
        let (back, on) = ((at(i - 1) - at(i)).normalize(), (at(i + 1) - at(i)).normalize());
        let half = back.angle_to(on).abs() / 2.0;
        let room = at(i).distance(at(i - 1)).min(at(i).distance(at(i + 1))) / 2.0;
        let reach = (radius / half.tan()).min(room);
        let center = at(i) + (back + on).normalize() * (reach / half.cos());
        let (from, to) = (at(i) + back * reach - center, at(i) + on * reach - center);
        let bend = from.angle_to(to);
        line.extend(
            (0..=24).map(|step| center + Vec2::from_angle(bend * step as f32 / 24.0).rotate(from)),
        );
    }
    line.push(at(profile.len() - 1));
    line
}

/// The same line in steps of equal length.
fn even_steps(line: &[Vec2], steps: u32) -> Vec<Vec2> {
    let length: f32 = line.windows(2).map(|w| w[0].distance(w[1])).sum();
    let mut even = vec![line[0]];
    let (mut segment, mut behind) = (0, 0.0);
    for step in 1..steps {
        let goal = length * step as f32 / steps as f32;
        while segment + 2 < line.len() && behind + line[segment].distance(line[segment + 1]) < goal
        {
            behind += line[segment].distance(line[segment + 1]);
            segment += 1;
        }
        let (a, b) = (line[segment], line[segment + 1]);
        even.push(a.lerp(b, ((goal - behind) / a.distance(b)).clamp(0.0, 1.0)));
    }
    even.push(line[line.len() - 1]);
    even
}
