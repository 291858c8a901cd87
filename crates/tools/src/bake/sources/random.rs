//! What is random: a number or a shift for each piece, and noise.

use glam::Vec3;
use rayon::prelude::*;
use speckle_color::noise::{self, Noise};
use speckle_mesh::{Geometry, Placement};
use speckle_model::recipe::source::{Among, Direction, NoiseSpace, Space, Triple};

use super::or;
use crate::bake::{
    BakeError,
    field::Field,
    lookup::{Lookup, Plan},
    pieces,
};

/// A random number for each; of so many different ones, if that is said.
pub(super) fn per_piece<'a>(
    lookup: &mut Lookup<'a>,
    by: Among,
    colors: u32,
    seed: u32,
) -> Result<Plan<'a>, BakeError> {
    let (geometry, placement) = (lookup.geometry(), lookup.placement());
    let (units, own) = lookup.units(by)?;
    Ok(Box::new(move |_| {
        let of = units.of_faces(geometry);
        let mut keys = units.keys(geometry, &of);
        let numbers: Vec<f32> = if colors > 1 {
            keys.iter_mut().for_each(|key| *key = noise::mix(*key ^ seed ^ own));
            let of_units = pieces::colored(geometry, &of, &keys, colors);
            of_units.iter().map(|&color| color as f32 / (colors - 1) as f32).collect()
        } else {
            keys.iter().map(|&key| pieces::random(seed ^ own, key)[0]).collect()
        };
        let value = |face: usize| numbers[of[face] as usize];
        Ok(Field::one(pieces::by_face(geometry, placement, value, 0.0)))
    }))
}

pub(super) fn per_piece_shift<'a>(
    lookup: &mut Lookup<'a>,
    by: Among,
    amounts: Triple,
    seed: u32,
) -> Result<Plan<'a>, BakeError> {
    let (geometry, placement) = (lookup.geometry(), lookup.placement());
    let (units, own) = lookup.units(by)?;
    Ok(Box::new(move |_| {
        let of = units.of_faces(geometry);
        let shift = |&key: &u32| {
            let random = pieces::random(seed ^ own, key);
            std::array::from_fn(|k| 0.5 + (random[k] - 0.5) * amounts[k])
        };
        let shifts: Vec<[f32; 3]> = units.keys(geometry, &of).iter().map(shift).collect();
        let value = |face: usize| shifts[of[face] as usize];
        Ok(Field::three(pieces::by_face(geometry, placement, value, [0.5; 3])))
    }))
}

/// A noise as it lies on a part.
pub(super) struct Grain {
    pub(super) noise: Noise,
    /// The size of its grains; 0 for one that suits the part.
    pub(super) size: f32,
    /// How far it fills the range.
    pub(super) contrast: f32,
    /// How many times as long grains are along a direction.
    pub(super) stretch: f32,
    pub(super) along: Direction,
    /// Whether that is so along the surface, as the direction runs over it.
    pub(super) on_surface: bool,
    /// Whether it comes again after each square of texture coordinates.
    pub(super) tiles: bool,
}

impl Grain {
    /// The numbers at places with normals: means along the way that a direction runs over the
    /// surface there, over as many sizes as grains are long; so grains follow the surface, where
    /// those of a stretched space would be cut by it.
    fn along_surface(self, size: f32, along: Vec3) -> impl Fn(Vec3, Vec3) -> f32 + Sync {
        let Self { noise, contrast, stretch, .. } = self;
        // Grains that are shorter along it are longer across.
        let (long, is_across) =
            if stretch >= 1.0 { (stretch, false) } else { (1.0 / stretch, true) };
        let count = (2.0 * long).ceil().clamp(2.0, MOST_ALONG);
        let step = long / count;
        let mean = move |place: Vec3, way: Vec3| {
            let at = |i: u32| place + way * ((i as f32 + 0.5) * step - long / 2.0);
            (0..count as u32).map(|i| noise.at(at(i))).sum::<f32>() / count
        };
        let [low, high] = noise::range_of(|place| mean(place, Vec3::X));
        // As far about the middle as one number of the noise goes, by so much means fall short.
        let [plain_low, plain_high] = noise.range();
        let grown = (plain_high - plain_low) / (high - low).max(f32::EPSILON);
        move |place, normal| {
            let way = along.reject_from_normalized(normal).normalize_or_zero();
            let way = if is_across { normal.cross(way) } else { way };
            let number = mean(place / size, way);
            let plain = (plain_low + (number - low) * grown).clamp(0.0, 1.0);
            let filled = ((number - low) / (high - low).max(f32::EPSILON)).clamp(0.0, 1.0);
            plain + (filled - plain) * contrast
        }
    }

    /// The numbers at places, along a direction that is known.
    fn numbers(self, size: f32, along: Vec3) -> impl Fn(Vec3) -> f32 + Sync {
        let Self { noise, contrast, stretch, tiles, .. } = self;
        // In a square whole cells fit, else they would not meet at its border.
        let cells = if tiles { (1.0 / size).round().clamp(1.0, 1e4) } else { 0.0 };
        let noise = Noise { period: cells as u32, ..noise };
        let scale = if tiles { cells } else { 1.0 / size };
        let [low, high] = if contrast > 0.0 { noise.range() } else { [0.0, 1.0] };
        let shorter = 1.0 / stretch - 1.0;
        move |place| {
            let place =
                if shorter == 0.0 { place } else { place + along * (place.dot(along) * shorter) };
            let number = noise.at(place * scale);
            if contrast <= 0.0 {
                return number;
            }
            let filled = ((number - low) / (high - low).max(f32::EPSILON)).clamp(0.0, 1.0);
            number + (filled - number) * contrast
        }
    }
}

/// A noise that fills 0–1, in grains of a size.
pub(super) fn filled(noise: Noise, size: f32) -> impl Fn(Vec3) -> f32 + Sync {
    let grain = Grain {
        noise,
        size,
        contrast: 1.0,
        stretch: 1.0,
        along: Direction::Up,
        on_surface: false,
        tiles: false,
    };
    grain.numbers(size.max(f32::MIN_POSITIVE), Vec3::ZERO)
}

/// Over how many places noise is averaged at most, along the surface.
const MOST_ALONG: f32 = 32.0;

pub(super) fn noise<'a>(
    lookup: &mut Lookup<'a>,
    grain: Grain,
    space: &NoiseSpace,
) -> Result<Plan<'a>, BakeError> {
    let (geometry, placement) = (lookup.geometry(), lookup.placement());
    let space = match space {
        NoiseSpace::Uv(uv_set) => {
            let uvs = lookup.uvs(*uv_set)?;
            return Ok(Box::new(move |_| {
                let size = or(grain.size, 0.1);
                // In the plane of an image, up is along v.
                let along = if grain.stretch == 1.0 { Vec3::ZERO } else { Vec3::Y };
                let numbers = grain.numbers(size, along);
                let at = |c: usize| numbers(uvs[c].extend(0.0));
                Ok(Field::one(from_corners(geometry, placement, at)))
            }));
        }
        NoiseSpace::Part => Space::Part,
        NoiseSpace::World => Space::World,
    };
    let samples = lookup.samples(space);
    let along =
        if grain.stretch == 1.0 { Vec3::ZERO } else { lookup.direction(grain.along, space) };
    Ok(Box::new(move |_| {
        let size = or(grain.size, super::diagonal(geometry) / 10.0);
        if grain.on_surface && grain.stretch != 1.0 {
            let numbers = grain.along_surface(size, along);
            return Ok(Field::one(samples().mean(numbers)));
        }
        let numbers = grain.numbers(size, along);
        Ok(Field::one(samples().mean(|p, _| numbers(p))))
    }))
}

/// What is found at corners, at the elements of a placement: means at faces and vertices.
pub(super) fn from_corners(
    geometry: &Geometry,
    placement: Placement,
    at: impl Fn(usize) -> f32 + Sync,
) -> Vec<f32> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    match placement {
        Placement::Corner => (0..mesh.corner_count()).into_par_iter().map(&at).collect(),
        Placement::Face => (0..mesh.face_count())
            .into_par_iter()
            .map(|face| {
                let corners = mesh.face_corners(face);
                let count = corners.len() as f32;
                corners.map(&at).sum::<f32>() / count
            })
            .collect(),
        Placement::Vertex => (0..mesh.vertex_count())
            .into_par_iter()
            .map(|v| {
                let (mut sum, mut count) = (0.0, 0.0_f32);
                for corner in topology.own_corners(mesh, v) {
                    sum += at(corner);
                    count += 1.0;
                }
                sum / count.max(1.0)
            })
            .collect(),
    }
}
