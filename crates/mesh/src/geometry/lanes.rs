//! Points and directions, one to a lane of the vector unit, whatever that is. What works on lanes is written
//! out, without closures: a closure is a function of its own, in which the vector unit is not known to be there.

use pulp::Simd;

/// Three coordinates to a lane.
pub type Lanes<S> = [<S as Simd>::f32s; 3];

/// The most lanes there are.
pub const MOST_LANES: usize = 16;

/// The same in every lane.
#[inline(always)]
pub(super) fn splat<S: Simd>(simd: S, [x, y, z]: [f32; 3]) -> Lanes<S> {
    [simd.splat_f32s(x), simd.splat_f32s(y), simd.splat_f32s(z)]
}

/// As many of sixteen numbers as there are lanes, the first `at` left out.
#[inline(always)]
pub(super) fn load<S: Simd>(numbers: &[f32; MOST_LANES], at: usize) -> S::f32s {
    S::as_simd_f32s(numbers).0[at / S::F32_LANES]
}

/// A bit for each lane that is true, the first lane's the lowest.
#[inline(always)]
pub(super) fn bits<S: Simd>(mask: S::m32s) -> u32 {
    let bytes = bytemuck::bytes_of(&mask);
    // A unit with masks of its own has them so already.
    if let ([low, high], MOST_LANES) = (bytes, S::F32_LANES) {
        return u32::from(u16::from_ne_bytes([*low, *high]));
    }
    let width = bytes.len() / S::F32_LANES;
    (0..S::F32_LANES).fold(0, |bits, lane| bits | u32::from(bytes[lane * width] & 1) << lane)
}

/// The dot products of the lanes.
#[inline(always)]
pub fn dot<S: Simd>(simd: S, a: &Lanes<S>, b: &Lanes<S>) -> S::f32s {
    let first = simd.mul_f32s(a[0], b[0]);
    simd.mul_add_e_f32s(a[2], b[2], simd.mul_add_e_f32s(a[1], b[1], first))
}

/// The cross products.
#[inline(always)]
pub(super) fn cross<S: Simd>(simd: S, a: &Lanes<S>, b: &Lanes<S>) -> Lanes<S> {
    [
        simd.negate_mul_add_e_f32s(a[2], b[1], simd.mul_f32s(a[1], b[2])),
        simd.negate_mul_add_e_f32s(a[0], b[2], simd.mul_f32s(a[2], b[0])),
        simd.negate_mul_add_e_f32s(a[1], b[0], simd.mul_f32s(a[0], b[1])),
    ]
}

/// The differences.
#[inline(always)]
pub(super) fn minus<S: Simd>(simd: S, a: &Lanes<S>, b: &Lanes<S>) -> Lanes<S> {
    [simd.sub_f32s(a[0], b[0]), simd.sub_f32s(a[1], b[1]), simd.sub_f32s(a[2], b[2])]
}
