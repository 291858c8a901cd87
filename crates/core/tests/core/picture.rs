//! The small picture of a project shows what is there.

use speckle_color::Encoding;
use speckle_core::{Document, Edit, PartEdit};
use speckle_mesh::{Mesh, Placement, Transform, UpAxis};
use speckle_model::{NewPart, NewSet};
use speckle_tools::picture;

const SIZE: (usize, usize) = (96, 64);

/// A sheet of one color, upright, facing the viewer.
fn sheet(color: [f32; 4], placement: Placement) -> Document {
    let mesh = Mesh::new(crate::common::sheet(6, 0.0)).unwrap();
    let set = NewSet::flooded("Coat", placement, Encoding::Color, color, &mesh);
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![NewPart::new("Sheet", mesh, vec![set])])).unwrap();
    document
}

fn pixels(document: &Document, up: UpAxis) -> Vec<[u8; 4]> {
    let bytes = picture::draw(document.parts(), up, SIZE.into()).rgba;
    bytes.chunks_exact(4).map(|p| [p[0], p[1], p[2], p[3]]).collect()
}

fn middle(pixels: &[[u8; 4]]) -> [u8; 4] {
    pixels[SIZE.1 / 2 * SIZE.0 + SIZE.0 / 2]
}

#[test]
fn the_part_is_in_the_middle_in_its_color_and_nothing_is_around_it() {
    for placement in [Placement::Vertex, Placement::Corner, Placement::Face] {
        let pixels = pixels(&sheet([0.9, 0.3, 0.1, 1.0], placement), UpAxis::Y);
        let [r, g, b, a] = middle(&pixels);
        assert!(a == 255 && r > g + 40 && g > b, "{placement:?}: {r} {g} {b} {a}");
        for corner in [0, SIZE.0 - 1, pixels.len() - SIZE.0, pixels.len() - 1] {
            assert_eq!(pixels[corner][3], 0, "the corners are empty");
        }
    }
}

#[test]
fn hidden_parts_and_empty_projects_give_an_empty_picture() {
    let mut document = sheet([1.0; 4], Placement::Vertex);
    let parts = vec![document.parts()[0].id];
    document.apply(PartEdit::ShowParts { parts, visible: false }).unwrap();
    assert!(pixels(&document, UpAxis::Y).iter().all(|p| p[3] == 0));
    assert!(pixels(&Document::default(), UpAxis::Y).iter().all(|p| p[3] == 0));
}

#[test]
fn where_a_part_stands_and_what_is_up_decide_how_it_is_seen() {
    let count = |document: &Document, up| pixels(document, up).iter().filter(|p| p[3] > 0).count();
    let mut document = sheet([1.0; 4], Placement::Vertex);
    let upright = count(&document, UpAxis::Y);
    // With Z up the same sheet lies flat, and is seen from a low angle.
    let lying = count(&document, UpAxis::Z);
    assert!(lying < upright * 3 / 4, "{lying} lying, {upright} upright");
    // Turned by hand it is the same picture.
    let transform =
        Transform { rotation_degrees: glam::Vec3::new(-90.0, 0.0, 0.0), ..Transform::IDENTITY };
    let part = document.parts()[0].id;
    document.apply(PartEdit::PlacePart { part, transform }).unwrap();
    assert!(count(&document, UpAxis::Y).abs_diff(lying) <= lying / 20 + 4);
}
