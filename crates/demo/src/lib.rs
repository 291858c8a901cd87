//! The pieces of *Skerrybank Toyworks*, an invented maker of a harbour play set. All of them are
//! generated here; nothing is copied from anywhere.

mod bollard;
mod lathe;

use speckle_core::document::NewPart;

/// A piece of the demo world.
#[derive(Clone, Copy, Debug)]
pub struct Piece {
    /// Names it in addresses and on the command line.
    pub key: &'static str,
    /// What the user reads.
    pub title: &'static str,
    /// What it is good for, in a sentence.
    pub blurb: &'static str,
    make: fn() -> Vec<NewPart>,
}

impl Piece {
    /// Makes its parts.
    #[must_use]
    pub fn make(&self) -> Vec<NewPart> {
        (self.make)()
    }
}

/// All pieces, in the order of the shelf.
pub const PIECES: [Piece; 1] = [Piece {
    key: "bollard",
    title: "Mooring bollard",
    blurb: "Cast iron from the harbour wall, primed and ready for its first coat.",
    make: bollard::make,
}];

/// The piece of a key.
#[must_use]
pub fn piece(key: &str) -> Option<&'static Piece> {
    PIECES.iter().find(|piece| piece.key == key)
}
