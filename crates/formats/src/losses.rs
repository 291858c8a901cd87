//! What will be lost or changed on the way out, said before anything is written: from the table of
//! abilities alone, so that no writer can forget it.

use rayon::prelude::*;
use serde::Serialize;
use speckle_color::Encoding;
use speckle_mesh::Placement;
use speckle_model::{ColorSet, Part};

use crate::{
    Abilities, Body, DataSets, Depth, Format, Light, Shipment, WriteOptions,
    abilities::{Room, Says, UvRoom},
    carried,
    ply::write::under_one_name,
    seams::SplitVertices,
};

/// What a loss is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum LossKind {
    /// Sets that find no room.
    Sets,
    /// Sets that stand at other elements in the file.
    Placement,
    /// Alpha.
    Alpha,
    /// Fine steps of numbers.
    Depth,
    /// Data that receivers take for color, or the other way round.
    Encoding,
    /// Colors in other numbers than receivers take them for.
    Light,
    /// Faces that are cut.
    Polygons,
    /// Parts that are joined.
    Parts,
    /// Texture coordinates.
    Uvs,
    /// Materials and their images.
    Materials,
    /// Unit and up axis.
    Units,
    /// What some receivers do with it.
    Receivers,
    /// Colors that become swatches.
    Swatches,
    /// Names.
    Names,
}

/// How much it matters.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Weight {
    /// Changed in form, not in what is seen.
    Fine,
    /// Worth a thought.
    Careful,
    /// Gone.
    Lost,
}

/// Something that is lost or changed.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = DeliveryLoss))]
pub struct Loss {
    /// What it is about.
    pub kind: LossKind,
    /// How much it matters.
    pub weight: Weight,
    /// The part, when it is about one.
    pub part: Option<String>,
    /// What happens.
    pub text: String,
    /// What helps; empty where nothing has to be done.
    pub remedy: String,
    /// Choices of the recipient that help, each alone.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub cures: Vec<Cure>,
}

/// A choice of a recipient that undoes a loss.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Cure {
    /// Alpha goes along.
    Alpha,
    /// Materials go along.
    Materials,
    /// Finer numbers.
    Depth(Depth),
    /// Another place for data sets.
    Data(DataSets),
    /// Colors in the numbers that are usual.
    UsualLight,
    /// A file for each part.
    FilePerPart,
}

impl Loss {
    /// Something about the whole that is changed in form alone.
    pub(crate) fn fine(kind: LossKind, text: String) -> Self {
        Self {
            kind,
            weight: Weight::Fine,
            part: None,
            text,
            remedy: String::new(),
            cures: Vec::new(),
        }
    }

    /// As one line: "Hull: its alpha is left out".
    #[must_use]
    pub fn line(&self) -> String {
        match &self.part {
            Some(part) => format!("{part}: {}", self.text),
            None => self.text.clone(),
        }
    }
}

/// How many steps 8 bits have.
const STEPS: f32 = 255.0;

/// What a format would lose or change of a shipment.
#[must_use]
pub fn losses(format: Format, shipment: &Shipment, options: &WriteOptions) -> Vec<Loss> {
    let abilities = format.abilities();
    let mut losses = Vec::new();
    for part in shipment.parts {
        of_part(&abilities, shipment, part, options, &mut losses);
    }
    let mut say = |kind, weight, text: String, remedy: &str| {
        let (remedy, cures) = (remedy.to_owned(), Vec::new());
        losses.push(Loss { kind, weight, part: None, text, remedy, cures });
    };
    let solids = format == Format::Stl && options.body == Body::Ascii;
    if !abilities.parts && !solids && shipment.parts.len() > 1 {
        let text = format!("{} parts are joined into one mesh", shipment.parts.len());
        say(
            LossKind::Parts,
            Weight::Careful,
            text,
            "Send one file for each part, or take a format that keeps them apart.",
        );
    }
    if format == Format::Ply {
        for (name, others) in under_one_name(shipment.parts, options.light(Light::Encoded)) {
            let others = others.join(", ");
            say(
                LossKind::Parts,
                Weight::Careful,
                format!(
                    "the first sets of the parts become one: {others} is called {name} as well"
                ),
                "Give them one name, or send one file for each part.",
            );
        }
    }
    if let Some(traits) = shipment.traits
        && abilities.units == Says::Nothing
    {
        let text = format!(
            "the file cannot say that one step is 1 {} and that +{:?} is up",
            traits.unit.symbol(),
            traits.up
        );
        say(
            LossKind::Units,
            Weight::Fine,
            text,
            "Tell the receiver, or see the note beside the file.",
        );
    }
    let most = |part: &Part| carried(&abilities, part).len();
    let most = shipment.parts.iter().map(most).max().unwrap_or(0);
    let named = options.data == DataSets::Named;
    if is_one_array(&abilities) && most > 1 && !named {
        let text = "some receivers read COLOR_0 alone and pass over the sets behind it".to_owned();
        say(
            LossKind::Receivers,
            Weight::Fine,
            text,
            "Put the set that matters first, or prove it in the receiver.",
        );
    }
    of_light(&abilities, shipment, options, &mut say);
    let has_sets = most > 0;
    if format == Format::Obj && has_sets {
        say(
            LossKind::Receivers,
            Weight::Careful,
            "some readers pass over colors in OBJ files".to_owned(),
            "Prove the file in the receiver, or send GLB or PLY.",
        );
    }
    for loss in &mut losses {
        loss.cures = cures(loss.kind, &abilities, options);
    }
    losses
}

/// The choices that would undo a loss of a kind.
fn cures(kind: LossKind, abilities: &Abilities, options: &WriteOptions) -> Vec<Cure> {
    match kind {
        LossKind::Alpha if abilities.alpha => vec![Cure::Alpha],
        LossKind::Materials if abilities.materials && !options.materials => vec![Cure::Materials],
        LossKind::Depth => {
            let now = abilities.depth(options.depth);
            let steps = |depth: Depth| match depth {
                Depth::Usual | Depth::Bits8 => 8,
                Depth::Bits16 => 16,
                Depth::Float => 32,
            };
            let is_finer = |depth: &Depth| steps(*depth) > steps(now);
            abilities.depths.iter().copied().filter(is_finer).map(Cure::Depth).collect()
        }
        LossKind::Encoding if is_one_array(abilities) => {
            vec![Cure::Data(DataSets::BehindWhite), Cure::Data(DataSets::Named)]
        }
        LossKind::Light => vec![Cure::UsualLight],
        LossKind::Parts => vec![Cure::FilePerPart],
        _ => Vec::new(),
    }
}

/// What comes of colors in other numbers than a format's readers take them for.
fn of_light(
    abilities: &Abilities,
    shipment: &Shipment,
    options: &WriteOptions,
    say: &mut impl FnMut(LossKind, Weight, String, &str),
) {
    let (format, usual) = (abilities.format, abilities.light(None));
    let Some(wanted) = options.light.filter(|wanted| *wanted != usual) else { return };
    let mut placements = shipment.parts.iter().flat_map(|part| {
        let colors = carried(abilities, part).into_iter();
        colors.filter(|set| set.encoding == Encoding::Color).map(|set| set.placement)
    });
    let (turned, kept): (Vec<Placement>, Vec<Placement>) =
        placements.by_ref().partition(|&placement| format.takes_light(placement));
    let (title, words) = (abilities.title, usual.words());
    if shipment.light(format, options.light) != wanted {
        if !(turned.is_empty() && kept.is_empty()) {
            let why = if abilities.lights.contains(&wanted) {
                "some parts have data there, and it says once for all what its numbers are"
            } else {
                "it knows no others"
            };
            let text = format!("colors stay {words} in {title}: {why}");
            say(
                LossKind::Light,
                Weight::Careful,
                text,
                "Take another format, or send one file for each part.",
            );
        }
        return;
    }
    if !turned.is_empty() {
        let (taken, seen) = match usual {
            Light::Encoded => (usual.words(), "darker"),
            Light::Linear => ("linear light", "lighter"),
        };
        let text = format!(
            "colors are written {}; who reads {title} as usual takes them for {taken} and shows them {seen}",
            wanted.words()
        );
        say(
            LossKind::Light,
            Weight::Careful,
            text,
            "Right for a receiver that asks for it; else send them as usual.",
        );
    }
    if !kept.is_empty() {
        let text = format!("colors at faces stay {words}, as materials are");
        say(
            LossKind::Light,
            Weight::Careful,
            text,
            "Hold the set at the vertices, or take another format.",
        );
    }
}

fn of_part(
    abilities: &Abilities,
    shipment: &Shipment,
    part: &Part,
    options: &WriteOptions,
    losses: &mut Vec<Loss>,
) {
    let mesh = part.geometry.mesh();
    let mut say = |kind, weight, text: String, remedy: &str| {
        let part = Some(part.traits.name.clone());
        let (remedy, cures) = (remedy.to_owned(), Vec::new());
        losses.push(Loss { kind, weight, part, text, remedy, cures });
    };
    let sets = carried(abilities, part);
    for set in part.products().filter(|set| sets.iter().all(|taken| taken.id != set.id)) {
        let text =
            format!("the set {} was left out, {} has no room for it", set.name, abilities.title);
        let remedy = match abilities.sets {
            Room::None => "Take a format that carries colors.",
            _ => {
                "Move the set that matters to the first place, or take a format with room for all."
            }
        };
        say(LossKind::Sets, Weight::Lost, text, remedy);
    }
    // Data where viewers expect a color.
    if abilities.light(None) == Light::Linear
        && let [first, ..] = sets.as_slice()
        && sets.iter().all(|set| set.encoding == Encoding::Data)
        && is_one_array(abilities)
        && options.data == DataSets::AsColors
    {
        let text = format!(
            "viewers multiply COLOR_0 into the picture, and it holds the data of {}: the model will look tinted",
            first.name
        );
        say(
            LossKind::Encoding,
            Weight::Careful,
            text,
            "Send white first, or the data as attributes of their own names.",
        );
    }
    let splitting: Vec<&ColorSet> =
        sets.iter().copied().filter(|set| !abilities.stores(set.placement)).collect();
    let seams = abilities.uvs != UvRoom::None && is_one_array(abilities);
    if !splitting.is_empty() || (seams && !mesh.uv_sets().is_empty()) {
        let added = SplitVertices::new(part, &splitting, seams).added(part);
        if added > 0 {
            let text = format!(
                "{} vertices were added where colors or UVs change at a corner, {} become {}",
                grouped(added),
                grouped(mesh.vertex_count()),
                grouped(mesh.vertex_count() + added)
            );
            say(LossKind::Placement, Weight::Fine, text, "");
        }
    }
    if let Some(set) = sets
        .iter()
        .find(|set| set.placement == Placement::Face && !abilities.stores(Placement::Face))
    {
        let text = format!("the set {} is written at the corners of each face", set.name);
        say(LossKind::Placement, Weight::Fine, text, "");
    }
    let has_alpha = |set: &&&ColorSet| set.values.par_iter().any(|value| value[3] != 1.0);
    if !(abilities.alpha && options.alpha)
        && let Some(set) = sets.iter().find(has_alpha)
    {
        let text = format!("the alpha of {} is left out", set.name);
        let remedy = if abilities.alpha {
            "Turn alpha on."
        } else {
            "Move what is in it to another channel, or take a format with alpha."
        };
        say(LossKind::Alpha, Weight::Lost, text, remedy);
    }
    let steps = match abilities.depth(options.depth) {
        Depth::Float => None,
        Depth::Bits16 => Some(65_535.0),
        _ => Some(STEPS),
    };
    if let Some(steps) = steps {
        let is_between = |x: f32| {
            let at = x * steps;
            (at - at.round()).abs() > 1e-3
        };
        let light = shipment.light(abilities.format, options.light);
        let linear = |set: &ColorSet| light == Light::Linear && set.encoding == Encoding::Color;
        for set in &sets {
            if linear(set) && steps == STEPS {
                let text = format!(
                    "{} is stored as linear light in 8 bits, which is coarse in the darks",
                    set.name
                );
                say(LossKind::Depth, Weight::Careful, text, "Take 16 bits or floats.");
            } else if set.values.par_iter().any(|value| value.iter().any(|&x| is_between(x))) {
                let weight =
                    if set.encoding == Encoding::Color { Weight::Fine } else { Weight::Careful };
                let text = format!(
                    "the numbers of {} are rounded to {} steps",
                    set.name,
                    steps as u32 + 1
                );
                let finer = abilities
                    .depths
                    .iter()
                    .any(|&depth| depth != abilities.depth(options.depth) && depth != Depth::Bits8);
                let remedy = if finer { "Take a finer precision." } else { "" };
                say(LossKind::Depth, weight, text, remedy);
            }
        }
    }
    if abilities.format == Format::Obj
        && let Some(set) = sets.iter().find(|set| set.placement == Placement::Face)
    {
        let weight = if set.encoding == Encoding::Data { Weight::Careful } else { Weight::Fine };
        let text = format!("the set {} is written as materials, colors of 256 steps", set.name);
        say(LossKind::Encoding, weight, text, "");
        if !part.materials.list.is_empty() && options.materials {
            let text = format!("the materials it came with give way to those of {}", set.name);
            say(
                LossKind::Materials,
                Weight::Careful,
                text,
                "Send without the set at faces, or as GLB.",
            );
        }
    }
    if !abilities.polygons && !mesh.all_triangles() {
        let text = format!(
            "polygons were cut, {} faces into {} triangles",
            grouped(mesh.face_count()),
            grouped(mesh.triangle_count())
        );
        say(LossKind::Polygons, Weight::Fine, text, "");
    }
    let (there, room) = (
        mesh.uv_sets().len(),
        match abilities.uvs {
            UvRoom::None => 0,
            UvRoom::One => 1,
            UvRoom::Any => usize::MAX,
        },
    );
    if there > room {
        let text = if room == 0 {
            "its UVs are left out".to_owned()
        } else {
            format!("of its {there} UV sets the first goes along")
        };
        say(LossKind::Uvs, Weight::Lost, text, "Take a format with room for them.");
    }
    let materials = &part.materials.list;
    let go_along = abilities.materials && options.materials;
    if !materials.is_empty() && !go_along {
        let images = materials.iter().filter(|material| material.image.is_some()).count();
        let text = match images {
            0 => "the materials it came with are left out".to_owned(),
            n => format!("the materials it came with are left out, with {n} images"),
        };
        let remedy = if abilities.materials {
            "Turn materials on."
        } else {
            "Bake them into a set: source material."
        };
        say(LossKind::Materials, Weight::Fine, text, remedy);
    } else {
        for material in materials {
            if let Some(image) =
                material.image.as_ref().filter(|image| shipment.image(image).is_none())
            {
                let text = format!(
                    "the image {image} of {} is not in the project any more",
                    material.name
                );
                say(
                    LossKind::Materials,
                    Weight::Careful,
                    text,
                    "Bring it in again under its name.",
                );
            }
        }
    }
}

/// A count in groups of three digits, as the interface shows it: with thin spaces.
fn grouped(count: usize) -> String {
    let digits = count.to_string();
    let groups: Vec<&str> =
        digits.as_bytes().rchunks(3).rev().filter_map(|group| str::from_utf8(group).ok()).collect();
    groups.join("\u{2009}")
}

/// Whether colors and UVs of a vertex stand in one row, so that a seam of one splits all.
fn is_one_array(abilities: &Abilities) -> bool {
    matches!(abilities.format, Format::Glb | Format::Gltf)
}

#[cfg(test)]
mod tests {
    use super::grouped;

    #[test]
    fn counts_stand_in_groups_of_three() {
        let told = [0, 999, 1000, 21_960, 2_614_242].map(grouped);
        assert_eq!(told, ["0", "999", "1\u{2009}000", "21\u{2009}960", "2\u{2009}614\u{2009}242"]);
    }
}
