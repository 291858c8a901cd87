//! t
use speckle_formats::*;
use std::time::Instant;
fn main() {
    for f in std::env::args().skip(1) {
        let b = std::fs::read(&f).unwrap();
        for _ in 0..3 {
            let t = Instant::now();
            let r = read(&MeshFile::alone(&f, &b), &ReadOptions::default()).unwrap();
            println!("{f} {:?} {}", t.elapsed(), r.parts.len());
        }
    }
}
