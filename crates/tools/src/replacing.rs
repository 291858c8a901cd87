//! Other colors, or another shape, for a part that is there already: which element of one mesh goes
//! with which of the other, and the values that come of it.
//!
//! Meshes of the same faces are matched by index, corner by corner. Any others by place: an element
//! takes what the other surface shows at the point nearest to it.

mod pairing;

use glam::{Affine3A, Vec3};
use serde::{Deserialize, Serialize};
use speckle_color::{Encoding, Linear, Rgba};
use speckle_mesh::{Geometry, Mesh, MeshError, Placement, carry::Carry};
use speckle_model::{
    ColorSet, Materials, NewPart, NewSet, Part, Selection, SetId,
    partners::{Known, partners},
    remap::Mixing,
};

use pairing::{Pairing, Values, bounds};

/// How the elements of two meshes are brought together.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Matching {
    /// Corner by corner, in the order they are stored.
    Index,
    /// By the nearest point of the surface.
    Nearest,
}

/// Why nothing can be replaced.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum ReplacingError {
    /// Indices say nothing about each other.
    #[error(
        "the meshes have other faces ({theirs} in the file, {ours} here), so their order says nothing: match by the nearest surface"
    )]
    OtherFaces {
        /// Faces of the part.
        ours: usize,
        /// Faces in the file.
        theirs: usize,
    },
    /// There is nothing to take colors from.
    #[error("{0} in the file carries no colors")]
    NoSets(String),
    /// The points cannot be brought to where the part stands.
    #[error(transparent)]
    Mesh(#[from] MeshError),
}

/// What becomes of a set.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SetReplaced {
    /// What it is called here.
    pub name: String,
    /// What it is called in the file.
    pub from: String,
    /// Whether the part has had no such set.
    pub is_new: bool,
    /// What each value belongs to afterwards.
    pub placement: Placement,
    /// What each value belonged to, where that changes.
    pub was: Option<Placement>,
    /// How many elements change.
    pub changed: usize,
    /// Of how many.
    pub of: usize,
}

/// What a replacement does.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ReplacementReport {
    /// How elements were brought together.
    pub matching: Matching,
    /// The largest distance between elements that go together, in the project's unit.
    pub max_distance: f32,
    /// The mean.
    pub mean_distance: f32,
    /// Sets, in the file's order for colors, in the part's for a shape.
    pub sets: Vec<SetReplaced>,
    /// Faces until then and from then on.
    pub faces: [usize; 2],
}

/// Values for the sets of a part: each for one that is there, or for a new one.
pub type ColorsTo = Vec<(Option<SetId>, NewSet)>;

/// Another shape for a part, with the values of all its sets.
#[derive(Clone, Debug)]
pub struct ShapeTo {
    /// The shape, in the part's own space.
    pub mesh: Mesh,
    /// Named groups of its faces.
    pub selections: Vec<Selection>,
    /// What its surfaces are made of.
    pub materials: Materials,
    /// Every set of the part with its values on the new shape.
    pub sets: Vec<SetTo>,
}

/// The values of a set on a new shape.
#[derive(Clone, Debug)]
pub struct SetTo {
    /// The set.
    pub id: SetId,
    /// What each value belongs to from then on.
    pub placement: Placement,
    /// The values.
    pub values: Vec<Rgba>,
}

impl ShapeTo {
    /// The shape that a part has, with what lies on it.
    #[must_use]
    pub fn of(part: &Part) -> Self {
        let set = |set: &ColorSet| SetTo {
            id: set.id,
            placement: set.placement,
            values: set.values.to_vec(),
        };
        Self {
            mesh: part.geometry.mesh().clone(),
            selections: part.traits.selections.to_vec(),
            materials: (*part.materials).clone(),
            sets: part.sets.iter().map(set).collect(),
        }
    }
}

/// What a number may lose on the way through linear light and back: it is the same number.
pub(crate) const LAST_BITS: f32 = 2e-6;

/// Plans other colors: what the file shows, on the part's elements. Sets go by their names, or by
/// their places where both have as many. A set that cannot hold what comes where it stands moves
/// to the corners.
///
/// # Errors
/// When there is nothing to take, or the meshes do not go together in the way asked for.
pub fn colors(
    part: &Part,
    theirs: &NewPart,
    matching: Option<Matching>,
) -> Result<(ColorsTo, ReplacementReport), ReplacingError> {
    if theirs.sets.is_empty() {
        return Err(ReplacingError::NoSets(theirs.name.clone()));
    }
    let (mesh, turned) = in_part(part, &theirs.mesh)?;
    let source = Geometry::new(mesh);
    let pairing = Pairing::new(&part.geometry, &source, matching)?;
    let mut plan = ColorsTo::new();
    let mut sets = Vec::new();
    for (nth, set) in theirs.sets.iter().enumerate() {
        let own = partner(part, theirs, nth);
        let of_turned = turned.as_ref().filter(|_| set.placement == Placement::Corner);
        let turned = of_turned.map(|corners| corners.copies(&set.values));
        let given = turned.as_ref().unwrap_or(&set.values);
        let mixing =
            Mixing { values: given, covers: None, encoding: set.encoding, ground: set.ground };
        let values_of = Values { geometry: &source, placement: set.placement, mixing };
        let wanted = own.map_or(set.placement, |own| own.placement);
        let (placement, mut values) = pairing.plainest(&part.geometry, &values_of, wanted);
        let mut changed = values.len();
        if let Some(own) = own {
            let is_locked: [bool; 4] = std::array::from_fn(|i| own.channels[i].locked);
            if own.placement == placement {
                for (value, before) in values.iter_mut().zip(own.values.iter()) {
                    let is_same = (0..4).all(|i| (value[i] - before[i]).abs() < LAST_BITS);
                    (0..4).filter(|&i| is_same || is_locked[i]).for_each(|i| value[i] = before[i]);
                }
                let pairs = values.iter().zip(own.values.iter());
                changed = pairs.filter(|(now, before)| now != before).count();
            }
        }
        sets.push(SetReplaced {
            name: own.map_or(&set.name, |own| &own.name).clone(),
            from: set.name.clone(),
            is_new: own.is_none(),
            placement,
            was: own.map(|own| own.placement).filter(|was| *was != placement),
            changed,
            of: values.len(),
        });
        let new = NewSet { values, placement, ..set.clone() };
        plan.push((own.map(|own| own.id), new));
    }
    let faces = part.geometry.mesh().face_count();
    let meshes = [part.geometry.mesh(), source.mesh()];
    Ok((plan, pairing.report(part, meshes, sets, [faces, faces])))
}

/// The file's sets as the part's own hold their numbers. Where a format keeps linear light, other
/// programs' files say of no set that it is data, and it is read as color.
#[must_use]
pub fn held_as_ours(part: &Part, mut theirs: NewPart) -> NewPart {
    let encodings: Vec<Option<Encoding>> = (0..theirs.sets.len())
        .map(|nth| partner(part, &theirs, nth).map(|set| set.encoding))
        .collect();
    for (set, encoding) in theirs.sets.iter_mut().zip(encodings) {
        if set.encoding == Encoding::Color && encoding == Some(Encoding::Data) {
            set.values.iter_mut().for_each(|value| *value = Linear::of(*value).0);
            set.encoding = Encoding::Data;
        }
    }
    theirs
}

/// Plans another shape: everything the part carries is taken over to it.
///
/// # Errors
/// When the meshes do not go together in the way asked for.
pub fn shape(
    part: &Part,
    theirs: NewPart,
    matching: Option<Matching>,
) -> Result<(ShapeTo, ReplacementReport), ReplacingError> {
    shape_with_geometry(part, theirs, matching).map(|(shape, report, _)| (shape, report))
}

/// The same, with all that was worked out of the shape on the way.
pub(crate) fn shape_with_geometry(
    part: &Part,
    theirs: NewPart,
    matching: Option<Matching>,
) -> Result<(ShapeTo, ReplacementReport, Geometry), ReplacingError> {
    let (mesh, _) = in_part(part, &theirs.mesh)?;
    let faces = [part.geometry.mesh().face_count(), mesh.face_count()];
    let target = Geometry::new(mesh);
    let pairing = Pairing::new(&target, &part.geometry, matching)?;
    let mut sets = Vec::new();
    let mut told = Vec::new();
    for set in &part.sets {
        let mixing = Mixing::of(set, part.coverage_of(set));
        let from = Values { geometry: &part.geometry, placement: set.placement, mixing };
        let values = pairing.values(&target, &from, set.placement);
        if set.is_product() {
            told.push(SetReplaced {
                name: set.name.clone(),
                from: set.name.clone(),
                is_new: false,
                placement: set.placement,
                was: None,
                changed: values.len(),
                of: values.len(),
            });
        }
        sets.push(SetTo { id: set.id, placement: set.placement, values });
    }
    // The part's own groups and materials, where its file has none.
    let selections = if theirs.selections.is_empty() {
        let own = Carry::Copies(pairing.faces(&target, &part.geometry));
        part.traits.selections.iter().map(|group| group.carried(faces[0], &own)).collect()
    } else {
        theirs.selections
    };
    let materials = if theirs.materials.list.is_empty() {
        part.materials.carried(&Carry::Copies(pairing.faces(&target, &part.geometry)))
    } else {
        theirs.materials
    };
    let meshes = [target.mesh(), part.geometry.mesh()];
    let report = pairing.report(part, meshes, told, faces);
    let mesh = target.mesh().clone();
    Ok((ShapeTo { mesh, selections, materials, sets }, report, target))
}

/// The set of a part that one of the file's goes into.
fn partner<'a>(part: &'a Part, theirs: &NewPart, nth: usize) -> Option<&'a ColorSet> {
    let there: Vec<Known> =
        theirs.sets.iter().map(|set| (set.name.as_str(), set.placement)).collect();
    let own = partners(&there, &part.known_sets()).into_iter().nth(nth).flatten()?;
    part.products().nth(own)
}

/// Whether a mesh lies as the part was modelled, and not where it stands in the project: files may hold
/// either, and what lies nearer is meant.
pub(crate) fn stands_as_modelled(part: &Part, mesh: &Mesh) -> bool {
    let to_part: Affine3A = part.traits.transform.to_project().inverse();
    let ours = bounds(part.geometry.shown_points().iter().copied());
    // What no face uses is not where the shape is.
    let theirs = || mesh.corner_vertices().iter().map(|&v| mesh.positions()[v as usize]);
    let off = |theirs: [Vec3; 2]| theirs[0].distance(ours[0]) + theirs[1].distance(ours[1]);
    off(bounds(theirs())) <= off(bounds(theirs().map(|p| to_part.transform_point3(p))))
}

/// A mesh of a file in the part's own space. Where its faces had to be turned over, the old index of
/// each corner comes along.
fn in_part(part: &Part, mesh: &Mesh) -> Result<(Mesh, Option<Carry>), MeshError> {
    if stands_as_modelled(part, mesh) {
        return Ok((mesh.clone(), None));
    }
    let to_part: Affine3A = part.traits.transform.to_project().inverse();
    let moved = mesh.transformed(&to_part)?;
    if !part.traits.transform.mirrors() {
        return Ok((moved, None));
    }
    let (turned, old) = moved.turned_over();
    Ok((turned, Some(old)))
}
