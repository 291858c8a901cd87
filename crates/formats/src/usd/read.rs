//! Reading USD: the composed scene, mesh by mesh.
//!
//! What the scene says is shown is read: what is switched off, hidden, or meant as a guide or a stand-in
//! is left out and told. Of what moves, the first time sample counts, which is told too.

use std::{rc::Rc, sync::Arc};

use glam::{DMat3, DMat4, Vec3};
use openusd::{
    schemas::geom::{Imageable, Xformable},
    sdf::{Path, Value},
    usd::{Attribute, Prim, PrimStatus, SchemaBase, SchemaKind, Stage, TimeCode},
};
use speckle_mesh::{Unit, UpAxis, mesh::MeshArrays};
use speckle_model::{MOST_SETS, ProjectTraits};

use super::{
    broken,
    files::{Files, Rows},
    primvars::{Interpolation, Kind, NAMESPACE, NORMALS, Primvar, text},
};
use crate::{
    Content, FormatError, MeshFile, Origin, Place, RawPart, Reading, admit::turn_normals, package,
};

/// Room on the stack: text and paths are read by functions that call themselves.
const STACK: usize = 64 << 20;

/// What composing a scene may take: 1 for each prim, and more the deeper it lies. Where scenes refer
/// to scenes that refer to scenes, the time for a prim grows with the square of the depth.
const MOST_EFFORT: usize = 1 << 17;

/// How often files that are named in files may name more.
const MOST_ROUNDS: usize = 64;

fn said(error: anyhow::Error) -> FormatError {
    broken(format!("it cannot be made sense of: {error:#}"))
}

/// Reads a scene in text or binary, with those it refers to where they lie beside it.
///
/// # Errors
/// When it is damaged, has no mesh, or takes too much.
pub fn read(file: &MeshFile, options: &Reading) -> Result<Content, FormatError> {
    let files = Files::default();
    let name = root_name(file.bytes)?;
    files.add(name, file.bytes, options.budget)?;
    let content = composed(name, &files, file.beside, options)?;
    Ok(Content { origin: Origin::find_in(file.bytes), ..content })
}

/// Reads a package: its first layer, with those it refers to in it.
///
/// # Errors
/// As for [`read`].
pub fn read_package(file: &MeshFile, options: &Reading) -> Result<Content, FormatError> {
    let unpacked = package::unpacked(file.bytes, options.budget)?;
    let is_layer = |name: &&String| {
        let end = name.rsplit_once('.').map_or("", |(_, end)| end).to_ascii_lowercase();
        matches!(end.as_str(), "usd" | "usda" | "usdc")
    };
    // The first file is the one to begin with (USDZ specification, "Layout").
    let first = package::first_name(file.bytes).filter(|name| unpacked.contains_key(name));
    let first =
        first.filter(|name| is_layer(&name)).or_else(|| unpacked.keys().find(is_layer).cloned());
    let first = first.ok_or_else(|| {
        let remedy = "export it again, or as another format";
        FormatError::new(Place::File, "the package has no layer of USD", remedy)
    })?;
    let files = Files::default();
    for (name, bytes) in unpacked.iter().filter(|(name, _)| is_layer(name)) {
        files.add(name, bytes, options.budget)?;
    }
    let content = composed(&first, &files, &|_| None, options)?;
    Ok(Content { origin: Origin::find_in(&unpacked[&first]), ..content })
}

/// What a file is called for its reader, which goes by names.
fn root_name(bytes: &[u8]) -> Result<&'static str, FormatError> {
    match bytes {
        [b'P', b'X', b'R', b'-', b'U', b'S', b'D', b'C', ..] => Ok("scene.usdc"),
        [b'#', b'u', b's', b'd', b'a', ..] => Ok("scene.usda"),
        _ => Err(FormatError::new(
            Place::Line(1),
            "it does not begin with #usda or PXR-USDC",
            "it is no USD file: export it again",
        )),
    }
}

/// Reads a scene, and again with what it asked for.
fn composed(
    root: &str,
    files: &Files,
    beside: &dyn Fn(&str) -> Option<Vec<u8>>,
    options: &Reading,
) -> Result<Content, FormatError> {
    let mut without: Vec<String> = Vec::new();
    for _ in 0..MOST_ROUNDS {
        let read = std::thread::scope(|scope| {
            let reader = std::thread::Builder::new().name("usd".to_owned()).stack_size(STACK);
            let reader = reader.spawn_scoped(scope, || scene(root, files, options));
            let reader =
                reader.map_err(|error| broken(format!("no thread to read it: {error}")))?;
            // What breaks the reader is broken itself.
            reader.join().unwrap_or_else(|_| Err(broken("its structure cannot be made sense of")))
        });
        let mut is_more = false;
        for name in files.missing() {
            match beside(&name) {
                Some(bytes) => {
                    files.add(&name, &bytes, options.budget)?;
                    is_more = true;
                }
                None if without.contains(&name) => {}
                None => without.push(name),
            }
        }
        if is_more {
            continue;
        }
        let mut content = read?;
        let note =
            |name| format!("{name} is not there, and what it holds is missing: choose it too");
        content.notes.extend(without.iter().map(note));
        if content.parts.is_empty() {
            let remedy = match without.first() {
                Some(name) => format!("choose {name} together with it, or export it as one file"),
                None => "export it again with its surfaces as meshes, in one file".to_owned(),
            };
            let cause = match content.notes.is_empty() {
                true => "no mesh with faces is in it".to_owned(),
                false => format!("no mesh with faces is in it ({})", content.notes.join("; ")),
            };
            return Err(FormatError::new(Place::File, cause, remedy));
        }
        return Ok(content);
    }
    Err(broken("files name files without end"))
}

/// Where the walk is.
#[derive(Clone)]
struct Spot {
    path: Path,
    /// What brings points from here to the file's space.
    above: DMat4,
    /// The same of the topmost.
    top: DMat4,
    /// Primvars that hold for all below: those of one value.
    inherited: Rc<Vec<Rc<Primvar>>>,
}

/// What is left out, by why.
#[derive(Default)]
struct LeftOut {
    off: Vec<String>,
    hidden: Vec<String>,
    purpose: Vec<String>,
    kinds: Vec<String>,
    moves: bool,
}

fn scene(root: &str, files: &Files, options: &Reading) -> Result<Content, FormatError> {
    let stage = Stage::builder().resolver(files.clone()).open(root).map_err(said)?;
    let (traits, factor) = traits(&stage)?;
    let mut content = Content { traits: Some(traits), ..Content::default() };
    let mut left = LeftOut::default();
    let mut elements = 0;
    let start = DMat4::from_scale(glam::DVec3::splat(factor));
    let top = Spot { path: Path::abs_root(), above: start, top: start, inherited: Rc::default() };
    let mut open = below(&stage, &top)?;
    let mut effort = 0;
    while let Some(mut spot) = open.pop() {
        options.budget.visit()?;
        let depth = spot.path.as_str().matches('/').count();
        effort += 1 + depth * depth / 16;
        if effort > MOST_EFFORT {
            return Err(FormatError::new(
                Place::File,
                "it places more prims in each other than can be composed in good time",
                "export it again with fewer, or joined into one mesh",
            ));
        }
        let name = spot.path.name().unwrap_or_default().to_owned();
        let status = stage.prim_status(spot.path.clone()).map_err(said)?;
        if !status.contains(PrimStatus::ACTIVE) {
            left.off.push(name);
            continue;
        }
        let is_real = status.contains(PrimStatus::DEFINED | PrimStatus::LOADED);
        if !is_real || status.contains(PrimStatus::ABSTRACT) {
            continue;
        }
        let prim = stage.prim(spot.path.clone());
        let kind = prim.type_name().map_err(said)?;
        let kind = kind.as_ref().map(|kind| kind.as_str()).unwrap_or_default();
        if kind == "Material" || kind == "GeomSubset" {
            continue;
        }
        let word = |name: &str| -> Result<Option<String>, FormatError> {
            let value = prim.attribute(name).get_at::<Value>(TimeCode::EARLIEST).map_err(said)?;
            Ok(text(value.as_ref()).map(str::to_owned))
        };
        // Both hold for all below.
        if word("visibility")?.is_some_and(|word| word == "invisible") {
            left.hidden.push(name);
            continue;
        }
        if word("purpose")?.is_some_and(|word| word == "guide" || word == "proxy") {
            left.purpose.push(name);
            continue;
        }
        place(&stage, &mut spot, &mut left)?;
        inherit(&stage, &mut spot, files)?;
        match kind {
            "Mesh" => {
                let walk = (&mut elements, &mut left);
                let part = mesh(&stage, &spot, &name, files, options, walk)?;
                if let Some(part) = part {
                    content.take_part(part, options.budget)?;
                }
            }
            "" | "Xform" | "Scope" | "SkelRoot" => {}
            other if left.kinds.iter().any(|known| known == other) => {}
            other => left.kinds.push(other.to_owned()),
        }
        open.extend(below(&stage, &spot)?);
    }
    left.tell(&mut content.notes);
    for error in stage.composition_errors() {
        content.notes.push(format!("{error}"));
    }
    Ok(content)
}

impl LeftOut {
    fn tell(self, notes: &mut Vec<String>) {
        let mut say = |names: &[String], why: &str| match names {
            [] => {}
            [name] => notes.push(format!("{name} is {why}, and was left out")),
            [name, other] => notes.push(format!("{name} and {other} are {why}, and were left out")),
            [name, rest @ ..] => {
                notes
                    .push(format!("{name} and {} others are {why}, and were left out", rest.len()));
            }
        };
        say(&self.off, "switched off there");
        say(&self.hidden, "hidden there");
        say(&self.purpose, "meant as a guide or a stand-in");
        notes.extend(self.kinds.iter().map(|kind| format!("{kind} is not kept: only meshes are")));
        if self.moves {
            notes.push("it moves: the first of its times was taken".to_owned());
        }
    }
}

/// The children of a prim, the first on top.
fn below(stage: &Stage, spot: &Spot) -> Result<Vec<Spot>, FormatError> {
    let children = stage.prim(spot.path.clone()).children().map_err(said)?;
    let of = |prim: &openusd::usd::Prim| Spot { path: prim.path().clone(), ..spot.clone() };
    Ok(children.iter().rev().map(of).collect())
}

fn traits(stage: &Stage) -> Result<(ProjectTraits, f64), FormatError> {
    let metres = match stage.stage_metadata("metersPerUnit").map_err(said)? {
        Some(Value::Double(metres)) if metres.is_finite() && metres > 0.0 => metres,
        Some(Value::Float(metres)) if metres.is_finite() && metres > 0.0 => f64::from(metres),
        // What the documents say of stages that say nothing.
        _ => 0.01,
    };
    let up = stage.stage_metadata("upAxis").map_err(said)?;
    let up = if text(up.as_ref()) == Some("Z") { UpAxis::Z } else { UpAxis::Y };
    let near = |unit: &Unit| (unit.metres() / metres - 1.0).abs() < 1e-6;
    Ok(match Unit::ALL.into_iter().find(near) {
        Some(unit) => (ProjectTraits { unit, up }, 1.0),
        // A unit that is none of ours is brought to metres.
        None => (ProjectTraits { unit: Unit::Metre, up }, metres),
    })
}

/// Any prim, as something that stands somewhere: steps of a transform are read from all of them.
struct Standing(Prim);

impl SchemaBase for Standing {
    const KIND: SchemaKind = SchemaKind::AbstractTyped;

    fn prim(&self) -> &Prim {
        &self.0
    }
}

impl Imageable for Standing {}

impl Xformable for Standing {}

/// Brings a spot to where its prim stands.
fn place(stage: &Stage, spot: &mut Spot, left: &mut LeftOut) -> Result<(), FormatError> {
    let standing = Standing(stage.prim(spot.path.clone()));
    let Some(order) = standing.xform_op_order().map_err(said)? else { return Ok(()) };
    if standing.resets_xform_stack().map_err(said)? {
        spot.above = spot.top;
    }
    for step in &order {
        let step = step.trim_start_matches("!invert!");
        left.moves |= is_moving(&standing.0.attribute(step))?;
    }
    let local = standing.local_to_parent_transform(TimeCode::EARLIEST).map_err(said)?;
    // Rows of USD's matrices are columns of ours.
    spot.above *= DMat4::from_cols_array(&local.0);
    Ok(())
}

fn is_moving(attribute: &Attribute) -> Result<bool, FormatError> {
    Ok(attribute.num_time_samples().map_err(said)? > 1)
}

/// Takes primvars of one value over from a prim to all below it.
fn inherit(stage: &Stage, spot: &mut Spot, files: &Files) -> Result<(), FormatError> {
    let own = primvars(stage, spot, files)?;
    let own = own.into_iter().filter(|own| own.interpolation == Interpolation::Constant);
    for own in own.map(Rc::new) {
        let inherited = Rc::make_mut(&mut spot.inherited);
        inherited.retain(|other| other.name != own.name);
        inherited.push(own);
    }
    Ok(())
}

/// The primvars that a prim itself has, by their names.
fn primvars(stage: &Stage, spot: &Spot, files: &Files) -> Result<Vec<Primvar>, FormatError> {
    let prim = stage.prim(spot.path.clone());
    let names = prim.property_names().map_err(said)?;
    let mut names: Vec<&str> = names
        .iter()
        .filter_map(|name| name.as_str().strip_prefix(NAMESPACE))
        .filter(|name| !name.contains(':'))
        .collect();
    names.sort_unstable();
    let mut found = Vec::new();
    for name in names {
        let attribute = prim.attribute(format!("{NAMESPACE}{name}"));
        found.extend(Primvar::read(&attribute, name, files)?);
    }
    Ok(found)
}

fn mesh(
    stage: &Stage,
    spot: &Spot,
    name: &str,
    files: &Files,
    options: &Reading,
    walk: (&mut usize, &mut LeftOut),
) -> Result<Option<RawPart>, FormatError> {
    let (elements, left) = walk;
    let prim = stage.prim(spot.path.clone());
    let shown = stage.attribute(spot.path.clone()).get_metadata::<Value>("displayName");
    let name = text(shown.map_err(said)?.as_ref()).unwrap_or(name).to_owned();
    let value = |attribute: &str| -> Result<Option<Value>, FormatError> {
        prim.attribute(attribute).get_at::<Value>(TimeCode::EARLIEST).map_err(said)
    };
    let whole = |attribute: &str| -> Result<Arc<Vec<i32>>, FormatError> {
        Ok(value(attribute)?.and_then(|value| files.whole(value)).unwrap_or_default())
    };
    let points = value("points")?.and_then(|value| files.rows(value));
    let points = points.filter(|rows| rows.width == 3);
    let points = points.as_ref().map_or(&[][..], |Rows { numbers, .. }| numbers.as_slice());
    left.moves |= is_moving(&prim.attribute("points"))?;
    let (counts, indices) = (whole("faceVertexCounts")?, whole("faceVertexIndices")?);
    *elements += indices.len().max(points.len() / 3);
    if *elements > options.limits.elements {
        return Err(FormatError::too_many(options.limits));
    }
    options.budget.memory(4 * (points.len() + indices.len() + counts.len()))?;
    // An index that cannot be is for the gate to find.
    let index = |number: i32| u32::try_from(number).unwrap_or(u32::MAX);
    let corner_vertices: Vec<u32> = indices.iter().map(|&number| index(number)).collect();
    let mut face_starts = vec![0_u32];
    let mut sum = 0_u64;
    for &count in counts.iter() {
        sum += u64::from(index(count));
        if sum > corner_vertices.len() as u64 {
            break;
        }
        face_starts.push(sum as u32);
    }
    if sum != corner_vertices.len() as u64 {
        return Err(broken(format!(
            "{name}: its faces need {sum} corners, but {} are there",
            corner_vertices.len()
        )));
    }
    if corner_vertices.is_empty() || points.is_empty() {
        return Ok(None);
    }
    let mut arrays = MeshArrays {
        positions: points.chunks_exact(3).map(Vec3::from_slice).collect(),
        face_starts,
        corner_vertices,
        ..MeshArrays::default()
    };
    let mut own: Vec<Rc<Primvar>> =
        primvars(stage, spot, files)?.into_iter().map(Rc::new).collect();
    let above = spot.inherited.iter().filter(|above| own.iter().all(|own| own.name != above.name));
    let above: Vec<Rc<Primvar>> = above.cloned().collect();
    own.extend(above);
    // What is shown comes first, then the others by their names.
    own.sort_by(|a, b| (a.name != SHOWN, &a.name).cmp(&(b.name != SHOWN, &b.name)));
    if own.iter().all(|own| own.name != NORMALS) {
        own.extend(Primvar::read(&prim.attribute(NORMALS), NORMALS, files)?.map(Rc::new));
    }
    let opacity = own.iter().find(|own| own.name == OPACITY).cloned();
    let mut sets = Vec::new();
    for own in own.iter().filter(|own| own.name != OPACITY) {
        options.budget.memory(4 * own.rows.numbers.len())?;
        if let Some(uvs) = own.uvs(&arrays) {
            arrays.uv_sets.push(uvs);
            continue;
        }
        if own.kind == Kind::Normals {
            if own.name == NORMALS {
                arrays.normals = own.normals(&arrays).unwrap_or_default();
            }
            continue;
        }
        let opacity = opacity.as_deref().filter(|_| own.name == SHOWN);
        if sets.len() < MOST_SETS {
            sets.extend(own.set(opacity, &arrays));
        }
    }
    let placed = spot.above;
    if placed != DMat4::IDENTITY {
        let moved = |p: &Vec3| placed.transform_point3(p.as_dvec3()).as_vec3();
        arrays.positions.iter_mut().for_each(|p| *p = moved(p));
        turn_normals(&mut arrays.normals, DMat3::from_mat4(placed).as_mat3());
    }
    let orientation = value("orientation")?;
    let is_left = text(orientation.as_ref()) == Some("leftHanded");
    let part = RawPart::new(name, arrays, sets);
    Ok(Some(if is_left != (placed.determinant() < 0.0) { part.turned_over() } else { part }))
}

/// The primvar that is shown, and how much of it.
const SHOWN: &str = "displayColor";
/// See [`SHOWN`].
const OPACITY: &str = "displayOpacity";
