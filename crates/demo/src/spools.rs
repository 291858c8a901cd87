//! Pieces painted in swatches, and the spools of the toyworks.

use speckle_core::{Change, Document, EditError, ProjectEdit, SwatchEdit, document::PartPainted};
use speckle_mesh::Geometry;
use speckle_model::swatches::{Filament, Swatch};

/// A spool of the toyworks; the price is of a kilogram.
pub fn spool(number: u8, name: &str, color: [f32; 3], price: f32) -> Swatch {
    Swatch {
        number,
        filament: Filament { material: "PLA".to_owned(), price, ..Filament::default() },
        ..Swatch::new(name, color)
    }
}

/// Gives the project a palette, and paints each face of its first part in a swatch.
pub fn paint_faces(
    document: &mut Document,
    swatches: Vec<Swatch>,
    base: u8,
    painted: impl Fn(&Geometry, usize) -> u8,
) -> Result<Vec<Change>, EditError> {
    let palette = document.apply(ProjectEdit::SetPalette { swatches })?;
    let part = document.parts().first().ok_or(EditError::NoSuchPart)?;
    let faces = 0..part.geometry.mesh().face_count();
    let painted = PartPainted {
        part: part.id,
        mesh: part.geometry.id(),
        numbers: faces.map(|face| painted(&part.geometry, face)).collect(),
        base: Some(base),
    };
    let label = "Paint in swatches".to_owned();
    let edit = SwatchEdit::PaintFaces { label, palette: None, parts: vec![painted] };
    Ok(vec![palette, document.apply(edit)?])
}
