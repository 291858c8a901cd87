//! Every face that the pointer's way crosses, however fast it goes.
//!
//! Between two samples the way is halved until both ends of each bit lie on one face, and further
//! than that until the bits are short: something thin may stand between two places beside it.

use glam::Vec3;

use super::{Sample, View};

/// Bits of the way further apart than this are halved in any case: about two pixels, in radians.
const WIDE: f32 = 0.002;

/// The same for parallel lines of sight, as a share of the part's size.
const WIDE_SHARE: f32 = 0.002;

/// The most halvings between two samples: a face narrower than a 4096th of the way may be missed.
const MOST_HALVINGS: u32 = 12;

#[derive(Clone, Copy)]
struct Meeting {
    origin: Vec3,
    direction: Vec3,
    /// The face that was met, if any.
    face: Option<u64>,
}

/// The pointer's way so far, in the project's space.
pub struct Trail {
    view: View,
    size: f32,
    last: Option<Meeting>,
}

impl Trail {
    /// A way with no sample yet, over a part of a size (the project's unit).
    #[must_use]
    pub fn new(view: View, size: f32) -> Self {
        Self { view, size: size.max(f32::MIN_POSITIVE), last: None }
    }

    /// Goes on to the next sample. `meet` is called for each line of sight (origin, direction)
    /// that is looked along, and tells which face it meets.
    pub fn advance(&mut self, sample: &Sample, mut meet: impl FnMut(Vec3, Vec3) -> Option<u64>) {
        let (origin, direction) = (sample.origin, sample.direction.normalize_or_zero());
        let faces_away = direction.dot(self.view.forward()) <= 1e-4;
        if !origin.is_finite() || !direction.is_finite() || faces_away {
            return;
        }
        let next = Meeting { origin, direction, face: meet(origin, direction) };
        if let Some(last) = self.last.replace(next) {
            self.between(last, next, MOST_HALVINGS, &mut meet);
        }
    }

    fn between(
        &self,
        a: Meeting,
        b: Meeting,
        halvings: u32,
        meet: &mut impl FnMut(Vec3, Vec3) -> Option<u64>,
    ) {
        let apart = a.direction.distance(b.direction) / WIDE
            + a.origin.distance(b.origin) / (WIDE_SHARE * self.size);
        if halvings == 0 || (apart <= 1.0 && a.face == b.face) {
            return;
        }
        let origin = a.origin.midpoint(b.origin);
        let direction = (a.direction + b.direction).normalize_or(a.direction);
        let middle = Meeting { origin, direction, face: meet(origin, direction) };
        self.between(a, middle, halvings - 1, meet);
        self.between(middle, b, halvings - 1, meet);
    }
}
