//! Closed skins over a row of cross-sections.

use glam::Vec3;
use speckle_mesh::{Mesh, mesh::MeshArrays};

/// Vertices and faces of a growing mesh.
#[derive(Default)]
pub struct Loft {
    positions: Vec<Vec3>,
    face_starts: Vec<u32>,
    corner_vertices: Vec<u32>,
}

impl Loft {
    /// Adds a closed solid: `at(s, a)` is the point of section `s` (0–1 from end to end) at the way
    /// around `a` (0–1, counter-clockwise seen from the far end). Both ends are closed by a fan.
    pub fn add(&mut self, sections: u32, around: u32, at: impl Fn(f32, f32) -> Vec3) {
        let first = self.positions.len() as u32;
        for section in 0..=sections {
            for step in 0..around {
                let (s, a) = (section as f32 / sections as f32, step as f32 / around as f32);
                self.positions.push(at(s, a));
            }
        }
        let index = |section: u32, step: u32| first + section * around + step % around;
        for section in 0..sections {
            for step in 0..around {
                self.face(&[
                    index(section, step),
                    index(section, step + 1),
                    index(section + 1, step + 1),
                    index(section + 1, step),
                ]);
            }
        }
        for (section, is_far) in [(0, false), (sections, true)] {
            let ring: Vec<Vec3> =
                (0..around).map(|step| self.positions[index(section, step) as usize]).collect();
            let pole = self.positions.len() as u32;
            self.positions.push(ring.iter().copied().sum::<Vec3>() / around as f32);
            for step in 0..around {
                let (a, b) = (index(section, step), index(section, step + 1));
                self.face(&if is_far { [pole, a, b] } else { [pole, b, a] });
            }
        }
    }

    fn face(&mut self, vertices: &[u32]) {
        if self.face_starts.is_empty() {
            self.face_starts.push(0);
        }
        self.corner_vertices.extend_from_slice(vertices);
        self.face_starts.push(self.corner_vertices.len() as u32);
    }

    /// The finished mesh.
    pub fn into_mesh(self) -> Mesh {
        let Self { positions, face_starts, corner_vertices } = self;
        Mesh::new(MeshArrays { positions, face_starts, corner_vertices, ..MeshArrays::default() })
            .expect("a loft makes well-formed meshes")
    }
}

/// A value between rows of (place, value), along straight lines.
pub fn between(rows: &[(f32, f32)], at: f32) -> f32 {
    let next = rows.iter().position(|row| row.0 >= at).unwrap_or(rows.len() - 1).max(1);
    let (a, b) = (rows[next - 1], rows[next]);
    a.1 + (b.1 - a.1) * ((at - a.0) / (b.0 - a.0)).clamp(0.0, 1.0)
}

/// The same along a smooth curve through the rows (Catmull and Rom 1974, on even steps).
pub fn through(rows: &[(f32, f32)], at: f32) -> f32 {
    let next = rows.iter().position(|row| row.0 >= at).unwrap_or(rows.len() - 1).max(1);
    let value = |i: usize| rows[i.min(rows.len() - 1)].1;
    let (a, b) = (rows[next - 1], rows[next]);
    let t = ((at - a.0) / (b.0 - a.0)).clamp(0.0, 1.0);
    let [p0, p1, p2, p3] = [value(next.saturating_sub(2)), a.1, b.1, value(next + 1)];
    0.5 * (2.0 * p1
        + (p2 - p0) * t
        + (2.0 * p0 - 5.0 * p1 + 4.0 * p2 - p3) * t * t
        + (3.0 * p1 - p0 - 3.0 * p2 + p3) * t * t * t)
}
