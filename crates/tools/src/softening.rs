//! Values mixed with those that lie around them.

use rayon::prelude::*;
use speckle_mesh::geometry::neighbours::Neighbours;

/// Values of N numbers, each mixed with those around it that differ by no more than a limit in any, all
/// counting alike; so many rounds, before each of which is asked whether to go on.
///
/// # Errors
/// When it is not to go on.
pub fn softened<const N: usize, E>(
    mut now: Vec<[f32; N]>,
    neighbours: &Neighbours,
    rounds: u32,
    limit: f32,
    go_on: impl Fn() -> Result<(), E>,
) -> Result<Vec<[f32; N]>, E> {
    let mut next = now.clone();
    let is_endless = limit == f32::INFINITY;
    for _ in 0..rounds {
        go_on()?;
        next.par_iter_mut().enumerate().with_min_len(1024).for_each(|(i, value)| {
            let (own, around) = (now[i], neighbours.of(i));
            let mut sum = own;
            if is_endless {
                // The same without asking each of them, in half the time.
                for &other in around {
                    let other = now[other as usize];
                    (0..N).for_each(|k| sum[k] += other[k]);
                }
                *value = sum.map(|s| s / (around.len() + 1) as f32);
                return;
            }
            let mut count = 1.0;
            for &other in around {
                let other = now[other as usize];
                if (0..N).all(|k| (other[k] - own[k]).abs() <= limit) {
                    (0..N).for_each(|k| sum[k] += other[k]);
                    count += 1.0;
                }
            }
            *value = sum.map(|s| s / count);
        });
        std::mem::swap(&mut now, &mut next);
    }
    Ok(now)
}

#[cfg(test)]
mod tests {
    use std::convert::Infallible;

    use glam::Vec3;
    use speckle_mesh::{Geometry, Mesh, Placement, mesh::MeshArrays};

    use super::*;

    /// A fan of six triangles about a vertex.
    fn fan() -> Geometry {
        let rim = |i: u32| Vec3::from_array([(i as f32).cos(), (i as f32).sin(), 0.0]);
        let arrays = MeshArrays {
            positions: std::iter::once(Vec3::ZERO).chain((0..7).map(rim)).collect(),
            face_starts: (0..=6).map(|f| 3 * f).collect(),
            corner_vertices: (0..6).flat_map(|i| [0, i + 1, i + 2]).collect(),
            ..MeshArrays::default()
        };
        Geometry::new(Mesh::new(arrays).unwrap())
    }

    fn soft(values: [f32; 8], rounds: u32, limit: f32) -> Vec<f32> {
        let geometry = fan();
        let values = values.map(|x| [x]).to_vec();
        let neighbours = geometry.neighbours(Placement::Vertex);
        let Ok(soft) = softened(values, neighbours, rounds, limit, || Ok::<_, Infallible>(()));
        soft.into_iter().flatten().collect()
    }

    /// By hand: the middle has seven neighbours, the ends of the rim two, the others three.
    #[test]
    fn each_is_the_mean_of_itself_and_those_around() {
        let once = soft([1.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0], 1, f32::INFINITY);
        let third = 1.0 / 3.0;
        assert_eq!(once, [0.125, third, 0.25, 0.25, 0.25, 0.25, 0.25, third]);
        let nothing = [0.3, 0.9, 0.1, 0.4, 0.2, 0.8, 0.6, 0.7];
        assert_eq!(soft(nothing, 0, f32::INFINITY), nothing);
    }

    /// Without a limit, and with one that lets all in, it is the same; what differs by more stays out.
    #[test]
    fn what_differs_by_more_than_the_limit_does_not_count() {
        let values = [0.3, 0.9, 0.1, 0.4, 0.2, 0.8, 0.6, 0.7];
        for rounds in [1, 2, 5] {
            let (plain, limited) = (soft(values, rounds, f32::INFINITY), soft(values, rounds, 1.0));
            let off = plain.iter().zip(&limited).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
            assert!(off < 1e-6, "{off}");
        }
        assert_eq!(soft([0.0, 1.0, 0.0, 1.0, 0.0, 1.0, 0.0, 1.0], 3, 0.5)[..2], [0.0, 1.0]);
    }

    #[test]
    fn it_is_given_up_between_rounds() {
        let geometry = fan();
        let neighbours = geometry.neighbours(Placement::Vertex);
        let asked = std::cell::Cell::new(0);
        let go_on = || {
            asked.set(asked.get() + 1);
            if asked.get() < 3 { Ok(()) } else { Err("given up") }
        };
        assert_eq!(softened(vec![[0.5]; 8], neighbours, 9, 1.0, go_on), Err("given up"));
        assert_eq!(asked.get(), 3);
    }
}
