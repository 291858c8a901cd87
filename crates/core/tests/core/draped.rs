//! Shapes that follow others: sheets over what lies below, and meshes as fine as an image needs them.

use glam::Vec3;
use speckle_color::Encoding;
use speckle_core::{Document, Edit};
use speckle_mesh::{
    Geometry, Mesh, Placement,
    mesh::{MeshArrays, UvSet},
};
use speckle_model::{ImageRecord, NewPart, NewSet, Part};
use speckle_tools::{
    bake::watch::Watch,
    reform::{Given, Reform, detail, drape, numbers::By, reform, trim},
};

use crate::reforming::{displaced, extent, part, planned};
use crate::{
    common::{arrays_of, sheet},
    decimating::ball,
};

fn image(pixel: impl Fn(u32) -> u8) -> ImageRecord {
    let image = image::RgbaImage::from_fn(64, 2, |x, _| image::Rgba([pixel(x), 0, 0, 255]));
    let mut file = std::io::Cursor::new(Vec::new());
    image.write_to(&mut file, image::ImageFormat::Png).unwrap();
    ImageRecord { name: "Relief.png".into(), file: std::sync::Arc::new(file.into_inner()) }
}

/// A square whose first texture coordinate is its x.
fn laid_out(n: u32) -> Part {
    let mesh = Mesh::new(sheet(n, 0.0)).unwrap();
    let uvs = (0..mesh.corner_count()).map(|c| (mesh.corner_position(c).truncate() + 1.0) / 2.0);
    let uv_sets = vec![UvSet { name: "UV".into(), uvs: uvs.collect() }];
    part(Mesh::new(MeshArrays { uv_sets, ..arrays_of(&mesh) }).unwrap())
}

/// An image that rises evenly lifts a square into a slope, and cuts it where it passes a half.
#[test]
fn an_image_says_how_far_points_go_and_where_a_part_is_cut() {
    let part = laid_out(32);
    let images = [image(|x| (x * 4) as u8)];
    let by = || By::Image { image: "Relief.png".into(), uv_set: 0, channel: Some(0) };
    let of = |what: &Reform, images: &[ImageRecord]| {
        reform(&part, what, Given { images, parts: &[] }, &Watch::default())
    };
    let slope = Reform::Displace { rules: displaced(by(), 2.0), only: None };
    let moved = of(&slope, &images).unwrap();
    for p in moved.shape.mesh.positions().iter().filter(|p| p.x.abs() < 0.9) {
        // The middle of pixel n, of number 4 n, lies at n + ½.
        let wanted = 2.0 * 4.0 * ((p.x + 1.0) * 32.0 - 0.5) / 255.0;
        assert!((p.z - wanted).abs() < 0.02, "{p}: {wanted}");
    }
    let rules =
        trim::Rules { by: by(), threshold: 126.0 / 255.0, keep_above: true, keep_both: false };
    let cut = of(&Reform::Trim { rules }, &images).unwrap();
    // That is between pixels 31 and 32: in the middle.
    assert!((extent(&cut.shape.mesh)[1] - 2.0).abs() < 0.02);
    let gone = of(&slope, &[]).unwrap_err().to_string();
    assert!(gone.contains("the image Relief.png is not in the project"), "{gone}");
    let bare = self::part(Mesh::new(sheet(3, 0.0)).unwrap());
    let bare = reform(&bare, &slope, Given { images: &images, parts: &[] }, &Watch::default())
        .unwrap_err()
        .to_string();
    assert!(bare.contains("lay it out for images first"), "{bare}");
}

fn fallen(sides: f32, step: f32) -> drape::Rules {
    drape::Rules {
        sides: [sides; 2],
        step,
        turn: 0.0,
        falls: [0.0, 0.0, -1.0],
        offset: 0.0,
        stiffness: 0,
        flat_edge: 0.0,
        warp: 0.0,
        seed: 0,
    }
}

/// A sheet that falls on a ball has its height (x² + y² + z² = 1) over it, and that of the ground beside.
#[test]
fn a_sheet_lies_on_what_is_below() {
    let ball = part(ball(200, 300));
    let laid = |rules: drape::Rules| planned(&ball, &Reform::Drape { rules });
    let plain = laid(fallen(3.0, 0.05)).unwrap();
    let height = |p: &Vec3| (1.0 - p.x * p.x - p.y * p.y).max(0.0).sqrt();
    let is_on = |p: &Vec3| p.truncate().length() < 0.85;
    assert_eq!(plain.shape.mesh.vertex_count(), 61 * 61);
    for p in plain.shape.mesh.positions() {
        if is_on(p) {
            assert!((p.z - height(p)).abs() < 2e-3, "{p}");
        } else if p.truncate().length() > 1.08 {
            assert!((p.z + 1.0).abs() < 2e-3, "{p}");
        }
    }
    // It looks up, and takes the numbers of what it lies on: their place, in this part.
    assert!((0..3600).all(|f| plain.shape.mesh.face_area_vector(f).z > 0.0));
    for (value, p) in plain.shape.sets[0].values.iter().zip(plain.shape.mesh.positions()) {
        let off = (Vec3::from_slice(value) - (0.25 * p + 0.5)).length();
        // Towards the steep rim an element stands for much of what lies below.
        let is_flat = p.truncate().length() < 0.7;
        assert!(!is_flat || off < 4e-3, "{p}: {value:?}");
    }
    let stiff = laid(drape::Rules { stiffness: 60, offset: 0.1, ..fallen(3.0, 0.05) }).unwrap();
    let pairs = stiff.shape.mesh.positions().iter().zip(plain.shape.mesh.positions());
    assert!(pairs.clone().all(|(stiff, plain)| stiff.z > plain.z + 0.1 - 1e-5));
    assert!(pairs.clone().any(|(stiff, plain)| stiff.z > plain.z + 0.3), "it spans what is beside");
    let flat = laid(drape::Rules { flat_edge: 1.0, ..fallen(1.6, 0.1) }).unwrap();
    for p in flat.shape.mesh.positions().iter().filter(|p| p.truncate().abs().max_element() > 0.79)
    {
        assert!((p.z + 1.0).abs() < 2e-3, "{p}");
    }
    let turned = laid(drape::Rules { turn: 30.0, warp: 0.02, ..fallen(1.0, 0.1) }).unwrap();
    let is_off = |p: &Vec3| (p.z - height(p)).abs() < 2e-3;
    assert!(turned.shape.mesh.positions().iter().all(is_off));
    let up = drape::Rules { falls: [0.0, 0.0, 1.0], ..fallen(1.0, 0.1) };
    let below = laid(up).unwrap();
    assert!(below.shape.mesh.positions().iter().all(|p| (p.z + height(p)).abs() < 2e-3));
    let many = laid(fallen(100.0, 0.001)).unwrap_err().to_string();
    assert!(many.contains("take a wider step"), "{many}");
    let none = laid(drape::Rules { falls: [0.0; 3], ..fallen(1.0, 0.1) }).unwrap_err().to_string();
    assert!(none.contains("needs a length"), "{none}");
}

/// A dark stroke across a light image needs a fine mesh along its two edges, and nowhere else.
#[test]
fn a_mesh_becomes_as_fine_as_an_image_needs_it_and_nowhere_finer() {
    let part = laid_out(8);
    let stroke = |x: u32| if (20..26).contains(&x) { 10 } else { 240 };
    let images = [image(stroke)];
    let given = Given { images: &images, parts: &[] };
    let rules = |difference: f32, shortest: f32| {
        let of = detail::For::Image { image: "Relief.png".into(), uv_set: 0 };
        Reform::Detail { rules: detail::Rules { of, difference, shortest } }
    };
    let of = |what: &Reform| reform(&part, what, given, &Watch::default());
    let fine = of(&rules(3.0, 0.004)).unwrap();
    let mesh = &fine.shape.mesh;
    // An edge that is split splits the longer ones beside it first: a few rows around become finer too.
    // The edges of the stroke lie at 20/64 and 26/64 of the square, pixels are 1/32 wide.
    let edges = [20.0_f32, 26.0].map(|x| x / 32.0 - 1.0);
    let near = |p: Vec3| edges.iter().any(|x| (p.x - x).abs() < 0.55);
    let area = |face: usize| mesh.face_area_vector(face).length() / 2.0;
    for face in (0..mesh.face_count()).filter(|&face| !near(mesh.face_centroid(face))) {
        // Of the quads of a sixteenth, cut into two.
        assert!(area(face) > 0.03 - 1e-6, "{}", mesh.face_centroid(face));
    }
    let heat = fine.heat.unwrap();
    assert_eq!(heat.len(), 64, "one for each quad, though they were cut");
    assert!(heat.iter().any(|&off| off > 20.0) && heat.iter().any(|&off| off < 0.1));
    let finest = (0..mesh.face_count()).map(area).fold(f32::MAX, f32::min);
    assert!(finest < 0.001, "{finest}");
    assert!(mesh.face_count() < 20_000, "{}", mesh.face_count());
    assert!((extent(mesh)[1] - 4.0).abs() < 1e-5);
    assert_eq!(Geometry::new(mesh.clone()).topology().euler_number(), 1);
    // All of it is within the difference, unless edges may not be so short.
    assert!(!fine.report.notes.iter().any(|note| note.contains("stay coarser")));
    let coarse = of(&rules(3.0, 0.1)).unwrap();
    assert!(coarse.shape.mesh.face_count() < mesh.face_count());
    assert!(coarse.report.notes.iter().any(|note| note.contains("stay coarser")));
    // What is one color needs nothing.
    let plain = [image(|_| 99)];
    let given = Given { images: &plain, parts: &[] };
    let none = reform(&part, &rules(3.0, 0.004), given, &Watch::default()).unwrap_err();
    assert!(none.to_string().contains("within the difference already"), "{none}");
}

/// The same by the colors of another part, which lies a little off.
#[test]
fn a_mesh_becomes_as_fine_as_another_part_needs_it() {
    let light = Mesh::new(sheet(6, 0.0)).unwrap();
    let dense = Mesh::new(sheet(90, 0.01)).unwrap();
    let values = dense.positions().iter().map(|p| {
        let is_in = (p.truncate() - glam::Vec2::new(0.4, 0.3)).length() < 0.3;
        if is_in { [0.8, 0.1, 0.1, 1.0] } else { [0.9, 0.9, 0.8, 1.0] }
    });
    let coat = NewSet {
        name: "Coat".into(),
        placement: Placement::Vertex,
        encoding: Encoding::Color,
        ground: [1.0; 4],
        values: values.collect(),
    };
    let mut document = Document::default();
    let new = vec![NewPart::new("Light", light, vec![]), NewPart::new("Dense", dense, vec![coat])];
    document.apply(Edit::bring_in(new)).unwrap();
    let of = |part: &str, set: &str| {
        let of = detail::For::Part { part: part.into(), set: set.into() };
        let what = Reform::Detail { rules: detail::Rules { of, difference: 4.0, shortest: 0.02 } };
        let given = Given { images: &[], parts: document.parts() };
        reform(&document.parts()[0], &what, given, &Watch::default())
    };
    let fine = of("Dense", "Coat").unwrap();
    let mesh = &fine.shape.mesh;
    for face in 0..mesh.face_count() {
        let far = (mesh.face_centroid(face).truncate() - glam::Vec2::new(0.4, 0.3)).length();
        let is_at_rim = (far - 0.3).abs() < 0.7;
        assert!(is_at_rim || mesh.face_area_vector(face).length() > 0.05, "{far}");
    }
    assert!(mesh.face_count() > 500);
    assert!(of("Dense", "Film").unwrap_err().to_string().contains("no set Film on a part Dense"));
    assert!(of("Light", "Coat").unwrap_err().to_string().contains("for its own colors"));
}
