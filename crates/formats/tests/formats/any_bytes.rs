//! Whatever the bytes, a reader answers; it never panics and never runs away.

use proptest::prelude::*;
use speckle_formats::{
    Body, Format, FormatError, Import, Limits, MeshFile, ReadOptions, Shipment, WriteOptions, write,
};

use crate::common::{into_parts, read};

/// A small whole file of each kind, to be damaged.
fn whole() -> Vec<(&'static str, Vec<u8>)> {
    let bytes = include_bytes!("../reference/ascii_uchar.ply");
    let parts = into_parts(read("p.ply", bytes).unwrap().parts);
    let written = |name: &'static str, body| {
        let format = Format::of_name(name).unwrap();
        let options = WriteOptions { body, ..WriteOptions::default() };
        (name, write(format, &Shipment::of(&parts), options).unwrap().bytes)
    };
    vec![
        written("p.ply", Body::Ascii),
        written("p.ply", Body::Little),
        written("p.ply", Body::Big),
        written("p.glb", Body::Little),
        written("p.gltf", Body::Little),
        written("p.obj", Body::Little),
        written("p.stl", Body::Little),
        written("p.stl", Body::Ascii),
        written("p.off", Body::Little),
        written("p.3mf", Body::Little),
        written("p.x3d", Body::Little),
        written("p.wrl", Body::Little),
        written("p.dae", Body::Little),
        written("p.usda", Body::Little),
        ("p.obj", include_bytes!("../reference/colors.obj").to_vec()),
    ]
}

/// Reads with bounds that a test machine can bear; whatever the file asks for lies beside it.
fn read_small(name: &str, bytes: &[u8], weld: f32) -> Result<Import, FormatError> {
    let limits = Limits { elements: 1_000_000, bytes: 1_000_000, ..Limits::default() };
    let beside = |_: &str| Some(b"newmtl a\nKd 1 0 0\nnewmtl b\nKd 0.5".to_vec());
    let file = MeshFile { name, bytes, beside: &beside };
    speckle_formats::read(&file, &ReadOptions { limits, weld, ..ReadOptions::default() })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn noise_is_refused(bytes in prop::collection::vec(any::<u8>(), 0..600)) {
        for format in Format::ALL {
            let name = format!("x.{}", format.extension());
            prop_assert!(read_small(&name, &bytes, 0.0).is_err());
        }
    }

    #[test]
    fn damaged_files_are_read_or_refused(
        which in any::<prop::sample::Index>(),
        damage in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 1..12),
        cut in any::<prop::sample::Index>(),
        cuts in any::<bool>(),
        weld in prop_oneof![Just(0.0_f32), 1e-3_f32..1.0],
    ) {
        let mut files = whole();
        let (name, mut bytes) = files.swap_remove(which.index(files.len()));
        for (at, byte) in damage {
            let at = at.index(bytes.len());
            bytes[at] = byte;
        }
        if cuts {
            bytes.truncate(cut.index(bytes.len()));
        }
        if let Ok(import) = read_small(name, &bytes, weld) {
            // What a reader lets in, the document takes and the writers write.
            let parts = into_parts(import.parts);
            for format in Format::ALL {
                write(format, &Shipment::of(&parts), WriteOptions::default()).unwrap();
            }
        }
    }
}
