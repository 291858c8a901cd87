//! Edges collapsed one after another, in two halves at once where there is much to do.

use std::{panic, thread};

use glam::Vec3;
use meshopt::{SimplifyOptions, VertexDataAdapter, simplify_with_attributes_and_locks};
use rayon::prelude::*;

use super::DecimationError;

/// All that collapsing takes, which cannot be stopped: where nobody waits any more, it ends by itself.
pub(super) struct Collapse {
    /// Wedges of the triangles' corners.
    pub(super) indices: Vec<u32>,
    /// Of each wedge the first vertex at its place.
    pub(super) points: Vec<u32>,
    /// Of the wedges, about the part's middle.
    pub(super) places: Vec<[f32; 3]>,
    /// What wedges are weighed by beside, as many for each as there are weights.
    pub(super) numbers: Vec<f32>,
    /// How far a step of one counts in each, in the part's space.
    pub(super) weights: Vec<f32>,
    /// Of the wedges, whether they stay.
    pub(super) locks: Vec<bool>,
    /// To how many triangles.
    pub(super) count: usize,
    /// No further off than this, in the part's space.
    pub(super) within: f32,
    pub(super) options: SimplifyOptions,
}

/// The least triangles that are worth being cut into halves.
const MANY: usize = 40_000;

/// How many times as many triangles as are asked for there have to be, since what both halves leave, as much as is
/// asked for each, is gone over once more.
const TIMES: usize = 4;

impl Collapse {
    /// The wedges of the corners of the triangles that are left.
    pub(super) fn run(&self) -> Result<Vec<u32>, DecimationError> {
        let Some(halves) = self.halves() else { return self.collapsed(&self.indices, |_| false) };
        // What lies on the border between them stays. All that is asked for may come to lie in one half: by itself
        // each gets no fewer triangles than that, so that nothing goes that would have stayed.
        let sides = self.sides(&halves);
        let is_border = |wedge: u32| sides[self.points[wedge as usize] as usize] == 3;
        let [one, other] = &halves;
        let left = thread::scope(|scope| {
            let beside = scope.spawn(|| self.collapsed(other, is_border));
            let one = self.collapsed(one, is_border);
            let other = beside.join().unwrap_or_else(|panicked| panic::resume_unwind(panicked));
            Ok::<_, DecimationError>([one?, other?].concat())
        })?;
        self.collapsed(&left, |_| false)
    }

    /// The corners' wedges on either side of the middle, each in their order; nothing where it is done as fast at
    /// once, or a distance bounds it, which is kept from the shape it begins with.
    fn halves(&self) -> Option<[Vec<u32>; 2]> {
        let triangles: &[[u32; 3]] = bytemuck::cast_slice(&self.indices);
        if triangles.len() < MANY.max(TIMES * self.count) || self.within < f32::MAX {
            return None;
        }
        let axis = extents(&self.places).max_position();
        let place = |wedge: u32| self.places[wedge as usize][axis];
        let sum = |triangle: &[u32; 3]| triangle.map(place).iter().sum::<f32>();
        let sums: Vec<f32> = triangles.par_iter().map(sum).collect();
        let mut sorted = sums.clone();
        let (_, &mut middle, _) = sorted.select_nth_unstable_by(sums.len() / 2, f32::total_cmp);
        let side = |is_beyond: bool| -> Vec<u32> {
            let own = triangles.iter().zip(&sums).filter(|(_, sum)| (**sum >= middle) == is_beyond);
            own.flat_map(|(triangle, _)| *triangle).collect()
        };
        let halves = [side(false), side(true)];
        let are_even = halves.iter().all(|half| half.len() > self.indices.len() / 4);
        are_even.then_some(halves)
    }

    /// Of each point the halves it lies in: 1, 2, or both together.
    fn sides(&self, halves: &[Vec<u32>; 2]) -> Vec<u8> {
        let count = self.points.iter().max().map_or(0, |&last| last as usize + 1);
        let mut sides = vec![0; count];
        for (half, side) in halves.iter().zip([1, 2]) {
            half.iter().for_each(|&wedge| sides[self.points[wedge as usize] as usize] |= side);
        }
        sides
    }

    /// What is left of some triangles by themselves; more of their wedges may have to stay.
    fn collapsed(
        &self,
        indices: &[u32],
        stays: impl Fn(u32) -> bool,
    ) -> Result<Vec<u32>, DecimationError> {
        let mut number = vec![u32::MAX; self.places.len()];
        let mut of: Vec<u32> = Vec::new();
        let numbered = indices.iter().map(|&wedge| {
            let number = &mut number[wedge as usize];
            if *number == u32::MAX {
                *number = of.len() as u32;
                of.push(wedge);
            }
            *number
        });
        let numbered: Vec<u32> = numbered.collect();
        let each = self.weights.len();
        let row = |&wedge: &u32| &self.numbers[wedge as usize * each..][..each];
        let numbers: Vec<f32> = of.iter().flat_map(row).copied().collect();
        let places: Vec<[f32; 3]> = of.iter().map(|&wedge| self.places[wedge as usize]).collect();
        let locks: Vec<bool> =
            of.iter().map(|&wedge| self.locks[wedge as usize] || stays(wedge)).collect();
        let vertices =
            VertexDataAdapter::new(bytemuck::cast_slice(&places), size_of::<[f32; 3]>(), 0)
                .map_err(|_| DecimationError::Unsound("the part has too many vertices"))?;
        // There all is measured by the widest of what is handed over.
        let widest = extents(&places).max_element().max(f32::MIN_POSITIVE);
        let weights: Vec<f32> = self.weights.iter().map(|weight| weight / widest).collect();
        let left = simplify_with_attributes_and_locks(
            &numbered,
            &vertices,
            &numbers,
            &weights,
            each * size_of::<f32>(),
            &locks,
            3 * self.count.min(numbered.len() / 3),
            self.within,
            self.options,
            None,
        );
        Ok(left.into_iter().map(|number| of[number as usize]).collect())
    }
}

/// How wide places lie along each axis.
fn extents(places: &[[f32; 3]]) -> Vec3 {
    let [least, most] = places
        .iter()
        .map(|&place| Vec3::from_array(place))
        .fold([Vec3::MAX, Vec3::MIN], |[least, most], place| [least.min(place), most.max(place)]);
    most - least
}
