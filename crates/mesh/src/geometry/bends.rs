//! How much the surface bends at its edges, and where smooth ends and sharp begins.

use glam::Vec3;

use super::topology::Topology;

/// The histogram's bins, one to each degree from 0 to 180.
pub const BINS: usize = 180;

/// Bends of less (degrees) are cuts of flat polygons, which say nothing about creases.
const FLAT: f32 = 0.5;

/// What a surface without any bend starts with, degrees.
const NO_BEND: f32 = 30.0;

/// The angle between the outsides of two faces, 0–180°; `None` when one has no area.
#[must_use]
pub fn between(a: Vec3, b: Vec3) -> Option<f32> {
    if a == Vec3::ZERO || b == Vec3::ZERO {
        return None;
    }
    // Steadier than the arc cosine where faces are nearly coplanar (Kahan, Miscalculating Area
    // and Angles of a Needle-like Triangle, 2014).
    Some(2.0 * (a - b).length().atan2((a + b).length()).to_degrees())
}

/// Whether faces with these outsides bend by an angle at most, whose half has this tangent; so does
/// one without area. The same as asking [`between`], without its arc tangent.
#[must_use]
pub fn is_within(a: Vec3, b: Vec3, half_tangent: f32) -> bool {
    let (sine, cosine) = ((a - b).length_squared(), (a + b).length_squared());
    // An endless tangent, of 180°, times nothing would be no number.
    let is_bent_less = half_tangent.is_infinite() || sine <= half_tangent.powi(2) * cosine;
    is_bent_less || a == Vec3::ZERO || b == Vec3::ZERO
}

/// How many edges bend by 0–1°, 1–2° and so on; edges of flat polygons' cuts are left out.
#[must_use]
pub fn histogram(topology: &Topology, normals: &[Vec3]) -> Vec<u32> {
    let mut bins = vec![0; BINS];
    for a in topology.edges() {
        if let Some(b) = topology.only_other(a) {
            let [a, b] = [a, b].map(|corner| normals[topology.face_of(corner)]);
            if let Some(bend) = between(a, b).filter(|&bend| bend >= FLAT) {
                bins[(bend as usize).min(BINS - 1)] += 1;
            }
        }
    }
    bins
}

/// The valley between smooth and sharp edges, whole degrees: the border that parts the histogram
/// into two groups as unlike as can be (Otsu, A Threshold Selection Method from Gray-Level
/// Histograms, 1979).
#[must_use]
pub fn crease_angle(bins: &[u32]) -> f32 {
    let middle = |bin: usize| bin as f64 + 0.5;
    let total: f64 = bins.iter().map(|&n| f64::from(n)).sum();
    let sum: f64 = bins.iter().enumerate().map(|(i, &n)| middle(i) * f64::from(n)).sum();
    let (mut below, mut sum_below) = (0.0, 0.0);
    let mut best = (0.0, 0, 0);
    for (i, &n) in bins.iter().enumerate() {
        below += f64::from(n);
        sum_below += middle(i) * f64::from(n);
        let above = total - below;
        if below == 0.0 || above == 0.0 {
            continue;
        }
        let apart = sum_below / below - (sum - sum_below) / above;
        let unlike = below * above * apart * apart;
        if unlike > best.0 {
            best = (unlike, i, i);
        } else if unlike == best.0 {
            // An empty valley is equally good throughout: its middle is the safest.
            best.2 = i;
        }
    }
    let (unlike, from, to) = best;
    if unlike > 0.0 { ((from + to) as f32 / 2.0 + 1.0).round() } else { NO_BEND }
}
