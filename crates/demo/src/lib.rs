//! The pieces of *Skerrybank Toyworks*, an invented maker of a harbour play set. All of them are
//! generated here; nothing is copied from anywhere.

mod bollard;
mod drifter;
mod lathe;
mod loft;

use speckle_core::document::NewPart;

/// How finely a piece is cut.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Detail {
    /// Light enough for every machine.
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
    make: fn(Detail) -> Vec<NewPart>,
}

impl Piece {
    /// Makes its parts.
    #[must_use]
    pub fn make(&self, detail: Detail) -> Vec<NewPart> {
        (self.make)(detail)
    }
}

/// All pieces, in the order of the shelf.
pub const PIECES: [Piece; 2] = [
    Piece {
        key: "bollard",
        title: "Mooring bollard",
        blurb: "Cast iron from the harbour wall, primed and ready for its first coat.",
        make: bollard::make,
    },
    Piece {
        key: "drifter",
        title: "Herring drifter",
        blurb: "A toy boat of four parts, with nothing on it but the base coat.",
        make: drifter::make,
    },
];

/// The piece of a key.
#[must_use]
pub fn piece(key: &str) -> Option<&'static Piece> {
    PIECES.iter().find(|piece| piece.key == key)
}
