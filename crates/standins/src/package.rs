//! 3MF packages, read as anybody would.

use speckle_formats::{Import, MeshFile, ReadOptions};

/// What is in a package; why it cannot be read, said for whoever sent it.
pub fn opened(bytes: &[u8]) -> Result<Import, String> {
    let file = MeshFile { name: "sent.3mf", bytes, beside: &|_| None };
    speckle_formats::read(&file, &ReadOptions::default()).map_err(|error| error.to_string())
}

/// The least and the greatest corner of the box about all that is in a package, mm.
pub fn bounds(import: &Import) -> [[f64; 3]; 2] {
    let mm = import.traits.unit.metres() * 1e3;
    let (mut low, mut high) = (glam::DVec3::MAX, glam::DVec3::MIN);
    for part in &import.parts {
        for &vertex in part.mesh.corner_vertices() {
            let point = part.mesh.positions()[vertex as usize].as_dvec3();
            (low, high) = (low.min(point), high.max(point));
        }
    }
    if low.x > high.x {
        return [[0.0; 3]; 2];
    }
    [(low * mm).to_array(), (high * mm).to_array()]
}
