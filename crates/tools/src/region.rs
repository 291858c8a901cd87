//! Regions: what a pour, a span or a selection covers at once.
//!
//! Pours go on from the face under the pointer ([`mod@flood`]); spans are cut out of space or of the
//! screen ([`mod@span`]); the others are read from what sets hold.

pub mod border;
mod flood;
mod span;

use glam::{Vec2, Vec3};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use speckle_color::{Channels, Encoding, Measure, Rgba, difference::ciede2000};
pub use speckle_mesh::solid::Solid;
use speckle_mesh::{Geometry, Placement, Transform, body::Surface, scene::Scene, screen::Screen};
use speckle_model::{ColorSet, SetId, color_set::convert};

/// How far a fill reaches. Lengths, points and directions are the project's.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "type", rename_all = "snake_case")]
pub enum Region {
    /// The whole part.
    All,
    /// From the pointer over edges that bend by no more than an angle.
    Crease {
        /// Degrees; at 0 only coplanar faces are reached.
        degrees: f32,
    },
    /// The connected region that has the same value in the chosen channels.
    Patch {
        /// How far a number may be off, 0–1.
        tolerance: f32,
    },
    /// The connected piece.
    Piece,
    /// Between two parallel planes.
    Band {
        /// Across the planes; its length does not count.
        #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
        direction: Vec3,
        /// The near plane's distance from the origin along the direction.
        from: f32,
        /// The far plane's.
        to: f32,
        /// How wide each border fades, half of it inside.
        #[serde(default)]
        soft: f32,
    },
    /// All of the part, fading from one point to another.
    Gradient {
        /// Where it is full.
        #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
        from: Vec3,
        /// Where nothing is left of it.
        #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
        to: Vec3,
    },
    /// Inside a solid.
    Solid {
        /// Its shape.
        solid: Solid,
        /// Where it stands: untouched, it reaches from −1 to 1 along each axis.
        transform: Transform,
        /// The outer share of it that fades, 0–1.
        #[serde(default)]
        soft: f32,
    },
    /// Inside an outline drawn on the screen.
    Lasso {
        /// Where it was drawn.
        screen: Screen,
        /// Its points there, in order.
        #[cfg_attr(feature = "schema", schema(value_type = Vec<[f32; 2]>))]
        outline: Vec<Vec2>,
        /// Whether what is hidden or looks away is covered as well.
        #[serde(default)]
        through: bool,
    },
    /// What a selection or mask holds, as much as it holds it.
    Chosen {
        /// The selection.
        set: SetId,
    },
    /// A named group of faces.
    Group {
        /// Which of the part's groups.
        index: usize,
    },
    /// As much as a set's numbers say.
    Values {
        /// The set.
        set: SetId,
        /// What is read of it.
        measure: Measure,
    },
    /// Where a set's numbers lie between two.
    Range {
        /// The set.
        set: SetId,
        /// What is read of it.
        measure: Measure,
        /// The least, 0–1.
        from: f32,
        /// The greatest.
        to: f32,
    },
    /// Where a set has nearly one color.
    Near {
        /// The set.
        set: SetId,
        /// The color, as the set stores it.
        #[cfg_attr(feature = "schema", schema(value_type = [f32; 4]))]
        color: Rgba,
        /// How far it may be off, as CIEDE2000.
        tolerance: f32,
    },
    /// What changed since a snapshot.
    Changed {
        /// The snapshot of a set.
        snapshot: SetId,
        /// By how much at least, as CIEDE2000.
        tolerance: f32,
    },
    /// Where the surface ends.
    Boundary,
}

/// An element that a region covers.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Covered {
    /// Vertex, corner or face, by the set's placement.
    pub element: u32,
    /// How much of it, above 0 and up to 1.
    pub share: f32,
}

/// A direction or a solid shorter than this is none.
const SHORTEST: f32 = 1e-12;

impl Region {
    /// What makes it impossible, said for the user.
    #[must_use]
    pub fn problem(&self) -> Option<&'static str> {
        let unit = |x: &f32| (0.0..=1.0).contains(x);
        match self {
            Self::Crease { degrees } if !(0.0..=180.0).contains(degrees) => {
                Some("the angle must lie between 0 and 180°")
            }
            Self::Patch { tolerance } if !unit(tolerance) => {
                Some("the tolerance must lie between 0 and 100 %")
            }
            Self::Band { direction, from, to, soft } => {
                if !direction.is_finite() || direction.length_squared() < SHORTEST {
                    Some("the band needs a direction that is longer than nothing")
                } else if !(from.is_finite() && to.is_finite() && soft.is_finite()) {
                    Some("the band needs numbers for from, to and its soft edge")
                } else if from > to {
                    Some("the band's from must not lie beyond its to")
                } else if *soft < 0.0 {
                    Some("a soft edge must be 0 or wider")
                } else {
                    None
                }
            }
            Self::Gradient { from, to } => {
                let way = *to - *from;
                (!way.is_finite() || way.length_squared() < SHORTEST)
                    .then_some("the gradient's two points must lie apart")
            }
            Self::Solid { transform, soft, .. } => match transform.problem() {
                None if !unit(soft) => Some("the soft share must lie between 0 and 100 %"),
                problem => problem,
            },
            Self::Lasso { screen, outline, .. } => {
                if !screen.is_valid() || !outline.iter().all(|p| p.is_finite()) {
                    Some("the outline must be drawn on the screen")
                } else if outline.len() < 3 {
                    Some("an outline needs three points at least")
                } else {
                    None
                }
            }
            Self::Range { from, to, .. } if from.is_nan() || to.is_nan() || from > to => {
                Some("the range's least number must not be above its greatest")
            }
            Self::Near { tolerance, .. } | Self::Changed { tolerance, .. }
                if tolerance.is_nan() || *tolerance < 0.0 =>
            {
                Some("the tolerance must be 0 or more")
            }
            _ => None,
        }
    }

    /// What the change is called.
    #[must_use]
    pub fn title(&self) -> &'static str {
        match self {
            Self::All => "Pour over all",
            Self::Crease { .. } => "Crease pour",
            Self::Patch { .. } => "Patch pour",
            Self::Piece => "Piece pour",
            Self::Band { .. } => "Band",
            Self::Gradient { .. } => "Gradient",
            Self::Solid { solid: Solid::Box, .. } => "Box span",
            Self::Solid { solid: Solid::Cylinder, .. } => "Cylinder span",
            Self::Solid { solid: Solid::Sphere, .. } => "Sphere span",
            Self::Solid { solid: Solid::Cone, .. } => "Cone span",
            Self::Lasso { .. } => "Lasso",
            Self::Chosen { .. } => "Fill of the selection",
            Self::Group { .. } => "Fill of a group",
            Self::Values { .. } => "Fill by values",
            Self::Range { .. } => "Fill of a range",
            Self::Near { .. } => "Fill of a color",
            Self::Changed { .. } => "Fill of what changed",
            Self::Boundary => "Fill of the border",
        }
    }

    /// Whether it starts from the face under the pointer.
    #[must_use]
    pub fn starts_at_pointer(&self) -> bool {
        matches!(self, Self::Crease { .. } | Self::Patch { .. } | Self::Piece)
    }
}

/// What a region is found on.
pub struct Ground<'a> {
    /// Where it is found, at the set's placement.
    pub surface: &'a Surface,
    /// What is seen, for regions drawn on the screen.
    pub scene: &'a Scene,
    /// The set it is found for.
    pub set: &'a ColorSet,
    /// The chosen channels: a patch compares those.
    pub channels: Channels,
    /// The face under the pointer and the point there, in the part's space.
    pub start: Option<(u32, Vec3)>,
    /// The faces that a crease or piece pour reaches, when they are known already.
    pub flooded: Option<&'a [bool]>,
    /// Another set of the part.
    pub other: &'a dyn Fn(SetId) -> Option<&'a ColorSet>,
    /// The faces of one of the part's groups.
    pub group: &'a dyn Fn(usize) -> Option<&'a [u32]>,
    /// The set that a snapshot was taken of, and how far each of its elements is from then.
    pub changed: &'a dyn Fn(SetId) -> Option<(&'a ColorSet, Vec<f32>)>,
}

/// Which faces a crease or piece pour reaches from a face; `None` for any other region.
#[must_use]
pub fn faces(region: &Region, geometry: &Geometry, start: u32) -> Option<Vec<bool>> {
    match region {
        Region::Crease { degrees } => Some(flood::within_creases(geometry, start, *degrees)),
        Region::Piece => {
            let pieces = geometry.pieces();
            let piece = pieces.of(start as usize);
            Some(pieces.of_faces().iter().map(|&own| own as usize == piece).collect())
        }
        _ => None,
    }
}

/// The elements a region covers, ascending; none when what it starts from is missing.
#[must_use]
pub fn covered(region: &Region, ground: &Ground) -> Vec<Covered> {
    let Ground { surface, set, .. } = ground;
    let geometry: &Geometry = &surface.body.geometry;
    let (mesh, placement) = (geometry.mesh(), surface.placement);
    let whole = |elements: Vec<u32>| {
        elements.into_iter().map(|element| Covered { element, share: 1.0 }).collect()
    };
    // Another set's values where this one holds its own.
    let values_of = |id: SetId| {
        let other = (ground.other)(id)?;
        Some((other.encoding, convert::values_at(other, placement, geometry)))
    };
    let by_values = |id: SetId, share: &(dyn Fn(Encoding, Rgba) -> f32 + Sync)| {
        let (encoding, values) = values_of(id).unwrap_or((Encoding::Data, Vec::new()));
        let shares: Vec<f32> = values.par_iter().map(|&v| share(encoding, v)).collect();
        above_nothing(shares)
    };
    match region {
        Region::All => whole((0..placement.count(mesh) as u32).collect()),
        Region::Crease { .. } | Region::Piece => match (ground.flooded, ground.start) {
            (Some(reached), _) => whole(elements_of(geometry, placement, reached)),
            (None, Some((face, _))) => {
                let reached = faces(region, geometry, face).unwrap_or_default();
                whole(elements_of(geometry, placement, &reached))
            }
            (None, None) => Vec::new(),
        },
        Region::Patch { tolerance } => {
            whole(ground.start.map_or_else(Vec::new, |(face, point)| {
                let start = placement.nearest(mesh, face as usize, point);
                // Swatches whose numbers are near each other are no more alike than others.
                let tolerance = if set.encoding == Encoding::Swatch { 0.0 } else { *tolerance };
                flood::same_values(geometry, set, ground.channels, start, tolerance)
            }))
        }
        Region::Band { direction, from, to, soft } => {
            let across = direction.normalize();
            span::by_point(ground, |point| span::of_band(across.dot(point), (*from, *to), *soft))
        }
        Region::Gradient { from, to } => {
            let way = *to - *from;
            let length = way.length_squared();
            span::by_point(ground, |point| {
                (1.0 - (point - *from).dot(way) / length).clamp(0.0, 1.0)
            })
        }
        Region::Solid { solid, transform, soft } => {
            let inward = transform.to_project().inverse();
            span::by_point(ground, |point| {
                span::of_solid(*solid, inward.transform_point3(point), *soft)
            })
        }
        Region::Lasso { screen, outline, through } => {
            span::in_outline(ground, screen, outline, *through)
        }
        Region::Chosen { set } => by_values(*set, &|_, value| value[0]),
        Region::Values { set, measure } => {
            by_values(*set, &|encoding, value| measure.of(value, encoding))
        }
        Region::Range { set, measure, from, to } => by_values(*set, &|encoding, value| {
            let number = measure.of(value, encoding);
            f32::from(u8::from((*from..=*to).contains(&number)))
        }),
        Region::Near { set, color, tolerance } => by_values(*set, &|encoding, value| {
            f32::from(u8::from(match encoding {
                Encoding::Swatch => value == *color,
                Encoding::Color | Encoding::Data => ciede2000(value, *color) <= *tolerance,
            }))
        }),
        Region::Changed { snapshot, tolerance } => {
            let Some((then, changed)) = (ground.changed)(*snapshot) else { return Vec::new() };
            let is_off = |by: f32| by > 0.0 && by >= *tolerance;
            let marks = changed.iter().map(|&by| [f32::from(u8::from(is_off(by))); 4]).collect();
            // Held where the snapshot's set has its values, and read where this one has them.
            let marked = ColorSet {
                encoding: Encoding::Data,
                ground: [0.0; 4],
                values: std::sync::Arc::new(marks),
                ..then.clone()
            };
            let shares = convert::values_at(&marked, placement, geometry);
            above_nothing(shares.into_iter().map(|value| value[0]).collect())
        }
        Region::Group { index } => {
            let mut is_in = vec![false; mesh.face_count()];
            for &face in (ground.group)(*index).unwrap_or_default() {
                is_in[face as usize] = true;
            }
            whole(elements_of(geometry, placement, &is_in))
        }
        Region::Boundary => whole(flood::at_borders(geometry, placement)),
    }
}

/// The elements of which there is a share.
fn above_nothing(shares: Vec<f32>) -> Vec<Covered> {
    let covered = (0_u32..).zip(shares).filter(|(_, share)| *share > 0.0);
    covered.map(|(element, share)| Covered { element, share: share.min(1.0) }).collect()
}

/// All elements of the marked faces; a vertex belongs to every face around it.
fn elements_of(geometry: &Geometry, placement: Placement, faces: &[bool]) -> Vec<u32> {
    let mesh = geometry.mesh();
    let marked = (0..faces.len()).filter(|&face| faces[face]);
    match placement {
        Placement::Face => marked.map(|face| face as u32).collect(),
        Placement::Corner => {
            marked.flat_map(|face| mesh.face_corners(face)).map(|corner| corner as u32).collect()
        }
        Placement::Vertex => {
            let mut is_in = vec![false; mesh.vertex_count()];
            for face in marked {
                mesh.face_vertices(face).iter().for_each(|&v| is_in[v as usize] = true);
            }
            (0..is_in.len() as u32).filter(|&v| is_in[v as usize]).collect()
        }
    }
}
