//! What will be lost or changed on the way out, said before anything is written: from the table of
//! abilities alone, so that no writer can forget it.

mod part;

use serde::Serialize;
use speckle_color::Encoding;
use speckle_mesh::Placement;
use speckle_model::Part;

use part::of_part;

use crate::{
    Abilities, Body, DataSets, Depth, Format, Light, Shipment, WriteOptions, abilities::Says,
    carried, ply::write::under_one_name,
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
    /// A mesh's own normals.
    Normals,
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
        losses.extend(of_part(&abilities, shipment, part, options));
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

/// Whether colors and UVs of a vertex stand in one row, so that a seam of one splits all.
fn is_one_array(abilities: &Abilities) -> bool {
    matches!(abilities.format, Format::Glb | Format::Gltf)
}
