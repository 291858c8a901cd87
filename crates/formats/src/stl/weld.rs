//! Joining corners that lie at one place.

use std::collections::HashMap;

use glam::Vec3;

/// The distinct places among points, in the order they are first met, and which of them each point
/// is at. Within the tolerance, a point joins the first place it is near enough to.
pub fn weld(points: &[Vec3], tolerance: f32) -> (Vec<Vec3>, Vec<u32>) {
    if tolerance > 0.0 { weld_near(points, tolerance) } else { weld_same(points) }
}

fn weld_same(points: &[Vec3]) -> (Vec<Vec3>, Vec<u32>) {
    // Negative zero is zero.
    let bits = |p: &Vec3| (*p + Vec3::ZERO).to_array().map(f32::to_bits);
    let mut places: Vec<Vec3> = Vec::with_capacity(points.len() / 5);
    let mut table = vec![u32::MAX; (points.len() / 2).next_power_of_two().max(16)];
    let mut of_points = Vec::with_capacity(points.len());
    for point in points {
        if places.len() * 2 >= table.len() {
            let mut larger = vec![u32::MAX; table.len() * 4];
            for (i, place) in places.iter().enumerate() {
                let mut slot = spread(bits(place)) & (larger.len() - 1);
                while larger[slot] != u32::MAX {
                    slot = (slot + 1) & (larger.len() - 1);
                }
                larger[slot] = i as u32;
            }
            table = larger;
        }
        let key = bits(point);
        let mut slot = spread(key) & (table.len() - 1);
        let place = loop {
            match table[slot] {
                u32::MAX => {
                    table[slot] = places.len() as u32;
                    places.push(*point + Vec3::ZERO);
                    break places.len() as u32 - 1;
                }
                found if bits(&places[found as usize]) == key => break found,
                _ => slot = (slot + 1) & (table.len() - 1),
            }
        };
        of_points.push(place);
    }
    (places, of_points)
}

fn spread([x, y, z]: [u32; 3]) -> usize {
    let mixed = (u64::from(x) ^ u64::from(y) << 32).wrapping_mul(0x9e37_79b9_7f4a_7c15)
        ^ u64::from(z).wrapping_mul(0xc2b2_ae3d_27d4_eb4f);
    (mixed ^ mixed >> 29).wrapping_mul(0xbf58_476d_1ce4_e5b9) as usize >> 20
}

fn weld_near(points: &[Vec3], tolerance: f32) -> (Vec<Vec3>, Vec<u32>) {
    // Cells as wide as the tolerance: whatever is near enough lies in the same or the next one.
    let cell = |p: Vec3| (p.as_dvec3() / f64::from(tolerance)).floor().as_i64vec3();
    let mut places: Vec<Vec3> = Vec::new();
    let mut cells: HashMap<glam::I64Vec3, Vec<u32>> = HashMap::new();
    let of_points = points
        .iter()
        .map(|&point| {
            let home = cell(point);
            let near = (0..27).find_map(|i| {
                let step = glam::I64Vec3::new(i % 3 - 1, i / 3 % 3 - 1, i / 9 - 1);
                let neighbours = cells.get(&(home.saturating_add(step)))?;
                let is_near = |&&place: &&u32| places[place as usize].distance(point) <= tolerance;
                neighbours.iter().find(is_near).copied()
            });
            near.unwrap_or_else(|| {
                places.push(point);
                let place = places.len() as u32 - 1;
                cells.entry(home).or_default().push(place);
                place
            })
        })
        .collect();
    (places, of_points)
}
