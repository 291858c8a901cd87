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
