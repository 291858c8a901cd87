//! The pieces of *Skerrybank Toyworks*, an invented maker of a harbour play set. All of them are
//! generated here; nothing is copied from anywhere.

mod bollard;
mod door;
mod drifter;
mod lathe;
mod lighthouse;
mod loft;
mod looks;
mod pennant;
mod spools;
mod stone;
mod token;

use glam::Vec3;
use speckle_core::{
    Change, ChannelEdit, Document, Edit, EditError, ImageEdit, PartEdit, ProofEdit, RecipeEdit,
};
use speckle_mesh::Transform;
use speckle_model::{NewPart, color_set::ChannelTraits, proof::Wind, recipe::RecipeFile};
use speckle_tools::bake::{Pantry, watch::Watch};

/// How finely a piece is cut.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Detail {
    /// For a stage that is drawn without a graphics card: the pieces of a single skin are cut
    /// coarsely; those that are cut by what is on them are as usual.
    Light,
    /// Light enough for every machine that has one.
    #[default]
    Usual,
    /// As dense as a scan: the drifter then has a million triangles.
    Dense,
}

/// A piece of the demo world.
#[derive(Clone, Copy, Debug)]
pub struct Piece {
    /// Names it in addresses and on the command line.
    pub key: &'static str,
    /// What the user reads.
    pub title: &'static str,
    /// What it is good for, in a sentence.
    pub blurb: &'static str,
    /// How the project of it looks (PNG): drawn beforehand, as making it only to be looked at takes seconds.
    pub picture: &'static [u8],
    make: fn(Detail) -> Vec<NewPart>,
    /// What is done to them, now that they are in a project.
    dress: fn(&mut Document) -> Dressed,
}

/// What was done to a piece.
type Dressed = Result<Vec<Change>, EditError>;

impl Piece {
    /// Makes its parts.
    #[must_use]
    pub fn make(&self, detail: Detail) -> Vec<NewPart> {
        (self.make)(detail)
    }

    /// Makes a project of it, and the one change that leads there from an empty one. What its
    /// recipes make is in it, unless it is cut so finely that this takes long.
    ///
    /// # Panics
    /// When a piece does not fit together, which a test rules out.
    #[must_use]
    pub fn project(&self, detail: Detail) -> (Document, Change) {
        let mut document = Document::default();
        let mut whole = document.apply(Edit::bring_in(self.make(detail))).expect("parts fit");
        let dressed = (self.dress)(&mut document).expect("edits fit");
        whole.steps.extend(dressed.into_iter().flat_map(|change| change.steps));
        if detail != Detail::Dense {
            let made = document.make_all(&Pantry::default(), &Watch::default());
            whole.steps.extend(made.expect("recipes can be made").steps);
        }
        (document, whole)
    }
}

/// All pieces, in the order of the shelf.
pub const PIECES: [Piece; 7] = [
    Piece {
        key: "bollard",
        title: "Mooring bollard",
        blurb: "Cast iron from the harbour wall, with four channels of wear made by recipes.",
        picture: include_bytes!("../pictures/bollard.png"),
        make: bollard::make,
        dress: |document| {
            let taken = take(document, include_str!("recipes/bollard.json"))?;
            let senses = [
                ("closed in", "open"),
                ("bare", "salt"),
                ("rough", "polished"),
                ("clean", "grimy"),
            ];
            let told = tell_senses(document, senses)?;
            Ok(vec![taken, told, looks::weathered_iron(document, "Wear")?])
        },
    },
    Piece {
        key: "pennant",
        title: "Signal pennant",
        blurb: "Cloth that sways the more the further from its mast, and a toggle that sways with it.",
        picture: include_bytes!("../pictures/pennant.png"),
        make: pennant::make,
        dress: |document| {
            let taken = take(document, include_str!("recipes/pennant.json"))?;
            let look = looks::in_the_wind(document, "Motion")?;
            // Across the cloth, so that it swings.
            let wind = Some(Wind { direction: 12.0, ..Wind::default() });
            let wind = document.apply(ProofEdit::SetWind { wind, parts: None })?;
            Ok(vec![taken, look, wind])
        },
    },
    Piece {
        key: "stone",
        title: "Tide stone",
        blurb: "A dense scan with its image at the vertices, and a light copy that lost some of its color.",
        picture: include_bytes!("../pictures/stone.png"),
        make: stone::make,
        dress: |document| {
            let (name, file) = (stone::IMAGE.to_owned(), stone::image().into());
            let image = document.apply(ImageEdit::AddImage { name, file })?;
            let taken = take(document, include_str!("recipes/stone.json"))?;
            // Beside the scan, where it is seen.
            let light = document.parts().iter().find(|part| part.traits.name == stone::LIGHT);
            let part = light.ok_or(EditError::NoSuchPart)?.id;
            let transform = Transform { translation: Vec3::X * 240.0, ..Transform::IDENTITY };
            let placed = document.apply(PartEdit::PlacePart { part, transform })?;
            Ok(vec![image, taken, placed])
        },
    },
    Piece {
        key: "door",
        title: "Lighthouse door",
        blurb: "Hard edges of wood, iron and stone, weathered by recipes: streaks, dust, wear.",
        picture: include_bytes!("../pictures/door.png"),
        make: door::make,
        dress: |document| {
            let weather = take(document, include_str!("recipes/door_weather.json"))?;
            Ok(vec![weather, take(document, include_str!("recipes/door_coat.json"))?])
        },
    },
    Piece {
        key: "lighthouse",
        title: "Lighthouse",
        blurb: "Painted in four swatches for a printer with several spools, with far too many changes.",
        picture: include_bytes!("../pictures/lighthouse.png"),
        make: lighthouse::make,
        dress: lighthouse::dress,
    },
    Piece {
        key: "token",
        title: "Harbour token",
        blurb: "A coin with raised relief, painted brass above the field, with a few specks.",
        picture: include_bytes!("../pictures/token.png"),
        make: token::make,
        dress: token::dress,
    },
    Piece {
        key: "drifter",
        title: "Herring drifter",
        blurb: "A toy boat of four parts in its base coat, with a toning that its look lays over planks.",
        picture: include_bytes!("../pictures/drifter.png"),
        make: drifter::make,
        dress: |document| {
            let (name, file) = (drifter::PLANKS.to_owned(), drifter::planks().into());
            let image = document.apply(ImageEdit::AddImage { name, file })?;
            let toning = document.parts().iter().filter_map(|part| {
                let set = part.products().find(|own| own.name == drifter::TONING)?;
                Some((part.id, set.id))
            });
            let edits = toning.flat_map(|(part, set)| {
                ["red", "green", "blue"].into_iter().enumerate().map(move |(channel, color)| {
                    let traits = ChannelTraits {
                        meaning: format!("toning of {color}"),
                        low: "darker".to_owned(),
                        high: "lighter".to_owned(),
                        ..ChannelTraits::default()
                    };
                    ChannelEdit::DescribeChannel { part, set, channel, traits }
                })
            });
            let edits: Vec<_> = edits.collect();
            let told = document.apply_all(String::new(), edits)?;
            Ok(vec![image, told, looks::overlay(document, drifter::PLANKS)?])
        },
    },
];

/// The first part takes the recipes of a file.
fn take(document: &mut Document, json: &str) -> Result<Change, EditError> {
    let file = RecipeFile::read(json).map_err(EditError::Shelved)?;
    let part = document.parts().first().ok_or(EditError::NoSuchPart)?.id;
    document.apply(RecipeEdit::TakeRecipes { part, set: None, file })
}

/// Says what 0 and 1 stand for in each channel of the first part's last set.
fn tell_senses(document: &mut Document, senses: [(&str, &str); 4]) -> Result<Change, EditError> {
    let part = document.parts().first().ok_or(EditError::NoSuchPart)?;
    let Some(own) = part.products().last() else { return Ok(Change::default()) };
    let (part, set, channels) = (part.id, own.id, own.channels.clone());
    let edits = senses.into_iter().enumerate().map(|(channel, (low, high))| {
        let (low, high) = (low.to_owned(), high.to_owned());
        let traits = ChannelTraits { low, high, ..channels[channel].clone() };
        ChannelEdit::DescribeChannel { part, set, channel, traits }
    });
    document.apply_all(String::new(), edits)
}

/// The piece of a key.
#[must_use]
pub fn piece(key: &str) -> Option<&'static Piece> {
    PIECES.iter().find(|piece| piece.key == key)
}

#[cfg(test)]
mod tests {
    use std::path::Path;

    use speckle_color::pixels::{self, Pixels};
    use speckle_core::checks::{Check, Subject, Target, check};
    use speckle_tools::picture;

    use super::*;

    fn drawn(document: &Document) -> Pixels {
        picture::card(document.parts(), document.swatches(), document.traits().up)
    }

    /// Drawn on another machine, a border may fall on the next pixel.
    fn assert_shows(piece: &Piece, document: &Document) {
        let (kept, drawn) = (pixels::read(piece.picture).unwrap(), drawn(document));
        assert_eq!([kept.width, kept.height], [drawn.width, drawn.height]);
        let apart = kept.rgba.iter().zip(&drawn.rgba).filter(|(a, b)| a.abs_diff(**b) > 2).count();
        assert!(
            apart * 500 < kept.rgba.len(),
            "{}: {apart} values differ: write the pictures anew by `cargo xtask screenshots`",
            piece.key
        );
    }

    #[test]
    #[ignore = "writes pictures; run by cargo xtask screenshots"]
    fn screenshots_of_pieces() {
        let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("pictures");
        for piece in &PIECES {
            let (document, _) = piece.project(Detail::Usual);
            let file = folder.join(format!("{}.png", piece.key));
            std::fs::write(file, drawn(&document).png().unwrap()).unwrap();
        }
    }

    #[test]
    fn every_piece_becomes_a_project_whose_change_leads_there_again() {
        for piece in &PIECES {
            let (document, change) = piece.project(Detail::Usual);
            assert!(document.stale(&Pantry::default()).is_empty(), "{}", piece.key);
            let mut again = Document::default();
            for part in document.parts() {
                again.supply_mesh(part.geometry.mesh().clone());
            }
            again.replay(&change, speckle_core::document::Direction::Forward).unwrap();
            let values = |document: &Document| -> Vec<_> {
                let sets = document.parts().iter().flat_map(|part| part.sets.clone());
                sets.map(|set| set.values).collect()
            };
            assert_eq!(values(&document), values(&again), "{}", piece.key);
            assert_shows(piece, &document);
            let made = document.parts().iter().flat_map(|part| part.sets.iter());
            let recipes: usize = made.map(|set| set.recipes.len()).sum();
            let wanted = [
                ("bollard", 4),
                ("pennant", 2),
                ("stone", 1),
                ("lighthouse", 0),
                ("token", 0),
                ("drifter", 0),
                ("door", 4),
            ];
            assert!(wanted.contains(&(piece.key, recipes)), "{} has {recipes}", piece.key);
        }
    }

    /// A coin without holes, its volume between that of its field and that of all its relief (πr²h).
    #[test]
    fn the_token_is_closed_and_stands_out_where_it_is_painted() {
        let (document, _) = piece("token").unwrap().project(Detail::Usual);
        let part = &document.parts()[0];
        assert!(part.geometry.topology().is_watertight());
        let disc = std::f64::consts::PI * 19.0 * 19.0;
        let volume = part.geometry.measures().volume;
        assert!((disc * 3.1..disc * 3.9).contains(&volume), "{volume}");
        let set = part.swatch_set().unwrap();
        let mesh = part.geometry.mesh();
        let high = (0..mesh.face_count()).filter(|&face| mesh.face_centroid(face).y > 4.0);
        assert!(high.clone().count() > 1_000);
        assert!(high.into_iter().all(|face| speckle_color::swatch_of(set.values[face]) == 2));
        assert_eq!(part.swatch_areas(set).len(), 2);
    }

    /// It prints as one closed body, in the four swatches it is painted in.
    #[test]
    fn the_lighthouse_is_closed_and_painted_in_all_of_its_swatches() {
        for detail in [Detail::Light, Detail::Usual, Detail::Dense] {
            let (document, _) = piece("lighthouse").unwrap().project(detail);
            let part = &document.parts()[0];
            assert!(part.geometry.topology().is_watertight());
            assert_eq!(part.geometry.pieces().count(), 1);
            let areas = part.swatch_areas(part.swatch_set().unwrap());
            let numbers: Vec<u8> = areas.iter().map(|(number, _)| *number).collect();
            assert_eq!(numbers, [0, 2, 3, 4], "chalk is what was left unpainted");
            assert_eq!(part.traits.base, 1);
        }
    }

    /// Over the whole demo world no check tells what is not so. What is: the lighthouse and the token begin with
    /// specks, which is what they are there for, the pennant's mast has no set of motion, as it does not
    /// move, its cloth is open, and the door's planks lie side by side.
    #[test]
    fn no_check_gives_a_false_alarm() {
        let mut told: Vec<String> = Vec::new();
        for piece in &PIECES {
            let (document, _) = piece.project(Detail::Usual);
            let stale = document.stale(&Pantry::default());
            let subject = Subject::of(&document, &stale, &[]);
            for target in [Target::Shader, Target::Spools, Target::FullColor, Target::Archive] {
                let found = check(&subject, target, &Watch::default()).unwrap();
                let is_so = |check| {
                    matches!(
                        (piece.key, check),
                        ("lighthouse" | "token", Check::Specks)
                            | ("pennant", Check::MissingSet | Check::Hole)
                            | ("door", Check::Tangled)
                    )
                };
                let found = found.into_iter().filter(|finding| !is_so(finding.check));
                told.extend(found.map(|own| format!("{} {target:?}: {}", piece.key, own.says)));
            }
        }
        assert_eq!(told, Vec::<String>::new());
    }
}
