//! What the numbers of a file mean: as it says, as its standard says, or a guess with its reason.

use glam::Vec3;
use serde::{Deserialize, Serialize};
use speckle_mesh::{Mesh, Unit, UpAxis};
use speckle_model::ProjectTraits;

use crate::{Format, ReadOptions, abilities::Says};

/// Why the numbers of a file were taken for what they were.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Reasons {
    /// For one step.
    pub unit: String,
    /// For the axis that points up.
    pub up: String,
    /// Whether either is a guess, which may be wrong.
    pub guessed: bool,
}

impl Reasons {
    /// Those of several files together: what `other` has another reason for is said by its name.
    pub fn join(&mut self, name: &str, other: &Self) {
        for (own, theirs) in [(&mut self.unit, &other.unit), (&mut self.up, &other.up)] {
            if !own.split("; ").any(|one| one == theirs || one.ends_with(&format!(": {theirs}"))) {
                own.push_str(&format!("; {name}: {theirs}"));
            }
        }
        self.guessed |= other.guessed;
    }
}

/// Up to this length a thing without a unit is taken to be in metres (common practice, no source:
/// people model in metres or in millimetres, and hardly anything painted is smaller than a
/// centimetre or longer than ten metres).
const LONGEST_IN_METRES: f32 = 10.0;

/// How much of the surface has to lie flat at the bottom to tell where the bottom is.
const FLAT: f32 = 0.02;

/// What the numbers mean, and why.
pub fn meaning(
    format: Format,
    said: Option<ProjectTraits>,
    options: &ReadOptions,
    meshes: &[&Mesh],
) -> (ProjectTraits, Reasons) {
    let abilities = format.abilities();
    let usual = format.usual_traits();
    let mut reasons = Reasons::default();
    let mut guesses = options.guess;
    let known = |says: Says| match said {
        Some(_) => Some("as the file says".to_owned()),
        None if says == Says::Nothing => None,
        None => Some(format!("as {} always has them", abilities.title)),
    };
    let said = said.unwrap_or(usual);
    let unit = if let Some(unit) = options.unit {
        reasons.unit = CHOSEN.to_owned();
        unit
    } else if let Some(reason) = known(abilities.units) {
        reasons.unit = reason;
        said.unit
    } else if !options.guess {
        reasons.unit = usual_of(format);
        usual.unit
    } else {
        let (unit, reason) = unit_by_size(format, meshes);
        reasons.unit = reason;
        reasons.guessed = true;
        unit
    };
    guesses &= options.up.is_none();
    let up = if let Some(up) = options.up {
        reasons.up = CHOSEN.to_owned();
        up
    } else if let Some(reason) = known(abilities.up) {
        reasons.up = reason;
        said.up
    } else if let Some(up) = guesses.then(|| up_by_underside(meshes)).flatten() {
        reasons.up = format!("by its flat underside at the bottom of {up:?}");
        reasons.guessed = true;
        up
    } else {
        reasons.up = usual_of(format);
        reasons.guessed |= guesses;
        usual.up
    };
    (ProjectTraits { unit, up }, reasons)
}

const CHOSEN: &str = "as it was chosen";

fn usual_of(format: Format) -> String {
    format!("as files of {} usually are, it says nothing", format.abilities().title)
}

fn unit_by_size(format: Format, meshes: &[&Mesh]) -> (Unit, String) {
    let points = || meshes.iter().flat_map(|mesh| mesh.positions());
    let low = points().fold(Vec3::INFINITY, |low, p| low.min(*p));
    let high = points().fold(Vec3::NEG_INFINITY, |high, p| high.max(*p));
    let longest = (high - low).max_element().max(0.0);
    let digits = if longest >= 10.0 { 0 } else { 3 };
    if format == Format::Stl {
        (Unit::Millimetre, "as printers read STL, it says nothing".to_owned())
    } else if longest <= LONGEST_IN_METRES {
        (
            Unit::Metre,
            format!(
                "by its size: it says nothing and is {longest:.digits$} long, a speck if it were millimetres"
            ),
        )
    } else {
        (
            Unit::Millimetre,
            format!(
                "by its size: it says nothing and is {longest:.digits$} long, a giant if it were metres"
            ),
        )
    }
}

/// The axis at whose bottom a good part of the surface lies flat, when it is one alone.
fn up_by_underside(meshes: &[&Mesh]) -> Option<UpAxis> {
    let points = || meshes.iter().flat_map(|mesh| mesh.positions());
    let low = points().fold(Vec3::INFINITY, |low, p| low.min(*p));
    let high = points().fold(Vec3::NEG_INFINITY, |high, p| high.max(*p));
    let (mut whole, mut flat) = (0.0_f32, [0.0_f32; 3]);
    for mesh in meshes {
        for face in 0..mesh.face_count() {
            let normal = mesh.face_area_vector(face);
            let area = normal.length();
            whole += area;
            for axis in [1, 2] {
                let is_low = || {
                    let near = low[axis] + 0.01 * (high[axis] - low[axis]);
                    let vertices = mesh.face_vertices(face);
                    vertices.iter().all(|&v| mesh.positions()[v as usize][axis] <= near)
                };
                if normal[axis] < -0.95 * area && is_low() {
                    flat[axis] += area;
                }
            }
        }
    }
    let is_clear = |a: f32, b: f32| a > FLAT * whole && a > 3.0 * b;
    match (flat[1], flat[2]) {
        (y, z) if is_clear(z, y) => Some(UpAxis::Z),
        (y, z) if is_clear(y, z) => Some(UpAxis::Y),
        _ => None,
    }
}
