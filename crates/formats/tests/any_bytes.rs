//! Whatever the bytes, a reader answers; it never panics and never runs away.

use proptest::prelude::*;
use speckle_core::{Document, Edit};
use speckle_formats::{Format, Limits, PlyBody, WriteOptions, read, write};

fn small() -> Limits {
    Limits { elements: 1_000_000 }
}

/// A small whole file of each kind, to be damaged.
fn whole() -> Vec<(&'static str, Vec<u8>)> {
    let bytes = include_bytes!("reference/ascii_uchar.ply");
    let parts = read("p.ply", bytes, small()).unwrap().parts;
    let mut document = Document::default();
    document.apply(Edit::AddParts(parts)).unwrap();
    let ply = |ply_body| {
        let options = WriteOptions { ply_body, ..WriteOptions::default() };
        ("p.ply", write(Format::Ply, document.parts(), options).unwrap().bytes)
    };
    let glb = write(Format::Glb, document.parts(), WriteOptions::default()).unwrap().bytes;
    vec![ply(PlyBody::Ascii), ply(PlyBody::Little), ply(PlyBody::Big), ("p.glb", glb)]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn noise_is_refused(bytes in prop::collection::vec(any::<u8>(), 0..600)) {
        for name in ["x.ply", "x.glb"] {
            prop_assert!(read(name, &bytes, small()).is_err());
        }
    }

    #[test]
    fn damaged_files_are_read_or_refused(
        which in 0..4_usize,
        damage in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 1..12),
        cut in any::<prop::sample::Index>(),
        cuts in any::<bool>(),
    ) {
        let (name, mut bytes) = whole().swap_remove(which);
        for (at, byte) in damage {
            let at = at.index(bytes.len());
            bytes[at] = byte;
        }
        if cuts {
            bytes.truncate(cut.index(bytes.len()));
        }
        if let Ok(import) = read(name, &bytes, small()) {
            // What a reader lets in, the document takes and the writers write.
            let mut document = Document::default();
            document.apply(Edit::AddParts(import.parts)).unwrap();
            for format in Format::ALL {
                write(format, document.parts(), WriteOptions::default()).unwrap();
            }
        }
    }
}
