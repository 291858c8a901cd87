//! Another shape for a part, made from its own: finer, coarser, mended, moved or trimmed, with all that
//! lies on it. Every change is planned first, so that it can be shown before it is done.

mod build;
pub mod detail;
pub mod displace;
pub mod drape;
pub mod mend;
pub mod numbers;
mod outside;
pub mod parting;
mod places;
pub mod smooth;
pub mod subdivide;
pub mod trim;
mod trouble;

use numbers::By;
use serde::{Deserialize, Serialize};
use speckle_mesh::{Geometry, Placement, Transform};
use speckle_model::{ColorSet, ImageRecord, NewSet, Part, PartId, SetId};
use subdivide::Scheme;
pub use trouble::ReformError;

use crate::{
    bake::{chosen::Chosen, watch::Watch},
    decimate::{self, SetDecimated, decimate},
    finer, layout,
    replacing::ShapeTo,
};

/// What is to become of a shape.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
pub enum Reform {
    /// Fewer triangles.
    Decimate {
        /// How far, and what weighs in.
        rules: decimate::Rules,
        /// The selection or group whose faces become fewer; all where none is named.
        #[serde(default)]
        only: Option<String>,
    },
    /// Finer faces.
    Subdivide {
        /// How.
        rules: subdivide::Rules,
        /// The selection or group whose faces become finer; all where none is named.
        #[serde(default)]
        only: Option<String>,
    },
    /// Longer edges are split, the longest first, until none is longer than a length; the shape stays.
    Refine {
        /// How long edges may be, in the project's unit.
        length: f32,
        /// The selection or group whose faces become finer; all where none is named.
        #[serde(default)]
        only: Option<String>,
    },
    /// What is wrong is mended.
    Mend {
        /// What of it.
        rules: mend::Rules,
    },
    /// Points are moved by what a channel says.
    Displace {
        /// How.
        rules: displace::Rules,
        /// The selection or group whose points move; all where none is named.
        #[serde(default)]
        only: Option<String>,
    },
    /// Bumps are smoothed away.
    Smooth {
        /// How.
        rules: smooth::Rules,
        /// The selection or group whose points move; all where none is named.
        #[serde(default)]
        only: Option<String>,
    },
    /// Cut in two along a number.
    Trim {
        /// Where.
        rules: trim::Rules,
    },
    /// A sheet that lies over it.
    Drape {
        /// How it is laid.
        rules: drape::Rules,
    },
    /// As fine as an image, or the colors of another part, need it.
    Detail {
        /// For what, and how.
        rules: detail::Rules,
    },
    /// Several parts, made of its faces.
    Split {
        /// Into what.
        into: parting::SplitInto,
    },
    /// One with other parts, which go.
    Join {
        /// Which.
        with: Vec<PartId>,
    },
    /// It stays where it stands, but its points say so: no move, no turn, no scale.
    Settle,
    /// Texture coordinates of its own.
    Layout {
        /// How it is laid out.
        rules: layout::Rules,
    },
}

impl Reform {
    /// The same for another part: what is said of sets of one means those of the same name and role there.
    /// None where that has no such set.
    #[must_use]
    pub fn on(&self, own: &Part, other: &Part) -> Option<Self> {
        let alike = |id: &mut SetId| -> Option<()> {
            let meant = own.sets.iter().find(|set| set.id == *id)?;
            let is_same =
                |set: &&ColorSet| set.name == meant.name && set.role.noun() == meant.role.noun();
            *id = other.sets.iter().find(is_same)?.id;
            Some(())
        };
        let mut there = self.clone();
        if let Self::Displace { rules: displace::Rules { by, .. }, .. }
        | Self::Trim { rules: trim::Rules { by, .. } } = &mut there
            && let By::Channel { set, .. } = by
        {
            alike(set)?;
        }
        Some(there)
    }
}

/// What a change of shape does.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ReformReport {
    /// Triangles until then and from then on.
    pub triangles: [usize; 2],
    /// Vertices, likewise.
    pub vertices: [usize; 2],
    /// What the diagonal of the part is, in the project's unit.
    pub size: f32,
    /// Whether it came as far as was asked.
    pub reached: bool,
    /// The mean distance of the original's vertices from the new surface, in the project's unit, where it
    /// is known.
    pub mean_distance: Option<f32>,
    /// The largest distance between the two surfaces, or the largest way that a point goes.
    pub max_distance: Option<f32>,
    /// How its sets have fared, where their values are found anew.
    pub sets: Vec<SetDecimated>,
    /// What else there is to say, a sentence each.
    pub notes: Vec<String>,
}

/// Another shape, planned.
#[derive(Clone, Debug)]
pub struct Reformed {
    /// The shape, with the values of all sets.
    pub shape: ShapeTo,
    /// What was cut off, where it is kept as parts beside; with their names, or copies of the part.
    pub rest: Vec<(Option<String>, ShapeTo)>,
    /// Sets that come with it.
    pub sets: Vec<NewSet>,
    /// Parts that it takes up.
    pub gone: Vec<PartId>,
    /// Where it stands from then on, where that is another place.
    pub stands: Option<Transform>,
    /// What the change is called, without the part: "Subdivide".
    pub called: &'static str,
    /// What a new part with the shape is called; a copy of the part where nothing is said.
    pub named: Option<String>,
    /// A number for each face of the part as it was, by which the change was planned: how far off it is.
    pub heat: Option<Vec<f32>>,
    /// What it does.
    pub report: ReformReport,
}

/// The sentence of a count; none for 0.
fn counted(count: usize, one: &str, many: &str) -> Option<String> {
    match count {
        0 => None,
        1 => Some(format!("1 {one}.")),
        count => Some(format!("{count} {many}.")),
    }
}

/// What else there is in a project.
#[derive(Clone, Copy, Debug, Default)]
pub struct Given<'a> {
    /// Its images.
    pub images: &'a [ImageRecord],
    /// Its parts.
    pub parts: &'a [Part],
}

/// Plans another shape for a part.
///
/// # Errors
/// See [`ReformError`].
pub fn reform(
    part: &Part,
    what: &Reform,
    Given { images, parts }: Given,
    watch: &Watch,
) -> Result<Reformed, ReformError> {
    let mut notes = Vec::new();
    let plain = |remade: &Part, called, largest: Option<f32>, notes: Vec<String>| Reformed {
        report: ReformReport {
            triangles: [part, remade].map(|part| part.geometry.mesh().triangle_count()),
            vertices: [part, remade].map(|part| part.geometry.mesh().vertex_count()),
            size: part.geometry.measures().diagonal() * part.traits.transform.mean_scale(),
            reached: true,
            mean_distance: None,
            max_distance: largest,
            sets: Vec::new(),
            notes,
        },
        shape: ShapeTo::of(remade),
        rest: Vec::new(),
        sets: Vec::new(),
        gone: Vec::new(),
        stands: None,
        called,
        named: None,
        heat: None,
    };
    let loses_normals = "Its own normals are given up, since they say nothing of the new shape.";
    let has_normals = part.geometry.mesh().normals().is_some();
    match what {
        Reform::Decimate { rules, only } => {
            let chosen = only.as_deref().map(|name| faces_of(part, name)).transpose()?;
            let (shape, report) = decimate(part, chosen.as_deref(), rules, watch)?;
            Ok(Reformed {
                shape,
                rest: Vec::new(),
                sets: Vec::new(),
                gone: Vec::new(),
                stands: None,
                called: "Decimate",
                named: None,
                heat: None,
                report: ReformReport {
                    triangles: report.triangles,
                    vertices: report.vertices,
                    size: report.size,
                    reached: report.reached,
                    mean_distance: Some(report.mean_distance),
                    max_distance: Some(report.max_distance),
                    sets: report.sets,
                    notes,
                },
            })
        }
        Reform::Subdivide { rules, only } => {
            // Loop's masks are of triangles.
            let cut = match rules.scheme {
                Scheme::Loop => part.triangulated(),
                Scheme::Flat | Scheme::CatmullClark => part.clone(),
            };
            let chosen = only.as_deref().map(|name| faces_of(&cut, name)).transpose()?;
            let (mesh, remap) =
                subdivide::subdivide(&cut.geometry, chosen.as_deref(), rules, watch)?;
            Ok(plain(&cut.remapped(mesh, &remap), "Subdivide", None, notes))
        }
        Reform::Refine { length, only } => {
            let refined = refined(part, *length, only.as_deref(), watch)?;
            notes.extend(refined.1.then(|| {
                format!(
                    "It went no further than {} new faces: take a greater length.",
                    finer::MOST_NEW
                )
            }));
            Ok(plain(&refined.0, "Refine", None, notes))
        }
        Reform::Mend { rules } => {
            let (mended, did) = mend::mend(part, rules, watch)?;
            notes.extend(
                [
                    counted(
                        did.welded,
                        "vertex is joined to another",
                        "vertices are joined to others",
                    ),
                    counted(
                        did.stitched,
                        "vertex of a rim is joined to another",
                        "vertices of rims are joined to others",
                    ),
                    counted(did.degenerate, "face of no use goes", "faces of no use go"),
                    counted(did.double_walls, "face back to back goes", "faces back to back go"),
                    counted(did.turned, "face is turned over", "faces are turned over"),
                    counted(did.holes, "hole is closed", "holes are closed"),
                    counted(did.loose, "loose vertex goes", "loose vertices go"),
                ]
                .into_iter()
                .flatten(),
            );
            let is_same = mended.geometry.mesh() == part.geometry.mesh();
            if is_same {
                return Err(ReformError::Nothing("nothing of what is ticked is there to mend"));
            }
            Ok(plain(&mended, "Mend", None, notes))
        }
        Reform::Displace { rules, only } => {
            let chosen = only.as_deref().map(|name| chosen(part, name)).transpose()?;
            let chosen = chosen.as_ref();
            let by = chosen.map(|(faces, shares)| (faces.as_slice(), shares.as_slice()));
            let moved = displace::displace(part, by, rules, images)?;
            notes.extend(counted(
                moved.held,
                "point goes less far than asked, so that no face folds over",
                "points go less far than asked, so that no face folds over",
            ));
            notes.extend(has_normals.then(|| loses_normals.to_owned()));
            let remade = part.remapped(moved.mesh, &Default::default());
            Ok(plain(&remade, "Displace", Some(moved.largest), notes))
        }
        Reform::Smooth { rules, only } => {
            let chosen = only.as_deref().map(|name| chosen(part, name)).transpose()?;
            let shares = chosen.as_ref().map(|(_, shares)| shares.as_slice());
            let to_project = part.traits.transform.to_project();
            let moved = smooth::smooth(&part.geometry, shares, rules, &to_project, watch)?;
            notes.extend(has_normals.then(|| loses_normals.to_owned()));
            let remade = part.remapped(moved.mesh, &Default::default());
            Ok(plain(&remade, "Smooth", Some(moved.largest), notes))
        }
        Reform::Trim { rules } => {
            let trim::Trimmed { stays: (mesh, remap), goes, cut } =
                trim::trim(part, rules, images)?;
            notes.extend(counted(cut, "face is cut through", "faces are cut through"));
            let mut trimmed = plain(&part.remapped(mesh, &remap), "Trim", None, notes);
            if rules.keep_both {
                trimmed.rest.push((None, ShapeTo::of(&part.remapped(goes.0, &goes.1))));
            }
            Ok(trimmed)
        }
        Reform::Drape { rules } => {
            let shape = drape::drape(part, rules, watch)?;
            let mesh = &shape.mesh;
            let mut laid = plain(part, "Lay a sheet over", None, notes);
            laid.named = Some(format!("Sheet over {}", part.traits.name));
            laid.report.triangles[1] = mesh.triangle_count();
            laid.report.vertices[1] = mesh.vertex_count();
            Ok(Reformed { shape, ..laid })
        }
        Reform::Detail { rules } => {
            let cut = part.triangulated();
            let detailed = detail::detail(&cut, rules, images, parts, watch)?;
            let detail::Detailed { mesh, remap, before, after, heat, is_bounded } = detailed;
            // Of each face the triangle that is farthest off.
            let mut of_faces = vec![0.0_f32; part.geometry.mesh().face_count()];
            for (triangle, heat) in heat.into_iter().enumerate() {
                let own = &mut of_faces[part.geometry.triangulation().face_of(triangle)];
                *own = own.max(heat);
            }
            let said = |lost: detail::Lost| {
                format!(
                    "{:.1} in the mean, 95 % within {:.1}, {:.1} where most (ΔE)",
                    lost.mean, lost.most_of_it, lost.most
                )
            };
            notes.push(format!("Vertices were off by {}.", said(before)));
            notes.push(format!("They would be off by {}.", said(after)));
            if after.over > 0.0 {
                let share = 100.0 * after.over;
                notes.push(format!("{share:.1} % stay coarser: their edges are short enough."));
            }
            notes.extend(
                is_bounded
                    .then(|| format!("It went no further than {} new faces.", finer::MOST_NEW)),
            );
            let remade = cut.remapped(mesh, &remap);
            Ok(Reformed { heat: Some(of_faces), ..plain(&remade, "Refine", None, notes) })
        }
        Reform::Split { into } => {
            let (stays, others) = parting::split(part, into)?;
            notes.push(format!("It becomes {} parts.", others.len() + 1));
            let mut split = plain(&stays, "Split", None, notes);
            split.rest =
                others.iter().map(|(n, part)| (Some(n.clone()), ShapeTo::of(part))).collect();
            // All of it is still there.
            split.report.triangles[1] = split.report.triangles[0];
            Ok(split)
        }
        Reform::Join { with } => {
            let find = |id: &PartId| parts.iter().find(|other| other.id == *id && *id != part.id);
            let others: Option<Vec<&Part>> = with.iter().map(find).collect();
            let others = others.ok_or(parting::PartingError::Gone)?;
            let (shape, sets) = parting::joined(part, &others)?;
            notes.extend(counted(sets.len(), "set comes with them", "sets come with them"));
            let mut joined = plain(part, "Join", None, notes);
            joined.report.triangles[1] = shape.mesh.triangle_count();
            joined.report.vertices[1] = shape.mesh.vertex_count();
            Ok(Reformed { shape, sets, gone: with.clone(), ..joined })
        }
        Reform::Settle => {
            if part.traits.transform == Transform::IDENTITY {
                return Err(ReformError::Nothing("its points say already where it stands"));
            }
            let settled = parting::settled(part)?;
            let stands = Some(Transform::IDENTITY);
            Ok(Reformed { stands, ..plain(&settled, "Settle", None, notes) })
        }
        Reform::Layout { rules } => {
            let to_project = part.traits.transform.to_project();
            let (mesh, laid) = layout::laid_out(&part.geometry, &to_project, rules, watch)?;
            let layout::Laid { charts, covered, density, squeezed: [mean, most] } = laid;
            let side = rules.side;
            notes.extend(counted(charts, "chart", "charts"));
            notes.push(format!(
                "They cover {:.0} % of a map of {side} × {side} pixels, {density:.3} of which lie along a \
                 unit.",
                100.0 * covered
            ));
            notes.push(format!(
                "Faces are {mean:.2} times smaller than seen straight on in the mean, {most:.1} times at \
                 most."
            ));
            Ok(plain(&part.remapped(mesh, &Default::default()), "Lay out", None, notes))
        }
    }
}

/// A part with shorter edges, and whether there would be more to split.
fn refined(
    part: &Part,
    length: f32,
    only: Option<&str>,
    watch: &Watch,
) -> Result<(Part, bool), ReformError> {
    if !(length > 0.0 && length.is_finite()) {
        return Err(ReformError::Length);
    }
    let part = part.triangulated();
    let chosen = only.map(|name| faces_of(&part, name)).transpose()?;
    let faces: Vec<u32> = (0..part.geometry.mesh().face_count() as u32)
        .filter(|&face| chosen.as_ref().is_none_or(|chosen| chosen[face as usize]))
        .collect();
    let to_project = part.traits.transform.to_project();
    let mut geometry = Geometry::new(part.geometry.mesh().clone());
    let (come, _, remap) =
        geometry.edit(|edit| finer::shorten(edit, faces, &to_project, length, watch));
    watch.check().map_err(subdivide::SubdivisionError::from)?;
    if come == 0 {
        return Err(ReformError::Nothing("no edge is longer than that"));
    }
    let mesh = geometry.mesh().clone();
    Ok((part.remapped(mesh, &remap), come >= finer::MOST_NEW))
}

/// The faces of what a part has under a name, and how much each vertex lies in it.
fn chosen(part: &Part, name: &str) -> Result<(Vec<bool>, Vec<f32>), ReformError> {
    let none =
        || ReformError::NoSelection { part: part.traits.name.clone(), name: name.to_owned() };
    let chosen = Chosen::named(part, name).ok_or_else(none)?;
    let faces = chosen.shares(Placement::Face).iter().map(|&share| share >= 0.5).collect();
    Ok((faces, chosen.shares(Placement::Vertex)))
}

fn faces_of(part: &Part, name: &str) -> Result<Vec<bool>, ReformError> {
    Ok(chosen(part, name)?.0)
}
