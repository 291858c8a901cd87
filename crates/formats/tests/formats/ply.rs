//! PLY against files written by PyPI `plyfile` (`reference/plyfile_samples.py`), against itself
//! there and back, and against what damage looks like.

use speckle_color::Encoding;
use speckle_formats::{
    Body, Depth, Format, Loss, LossKind, Place, RepairKind, Shipment, WriteOptions, write,
};
use speckle_mesh::Placement;
use speckle_model::NewPart;

use crate::common::{into_parts, read};

/// The numbers that the script put into the files.
const BYTES: [[u8; 4]; 5] =
    [[255, 0, 0, 255], [0, 128, 0, 255], [0, 0, 64, 128], [1, 2, 3, 4], [200, 100, 50, 25]];

fn pyramid() -> Vec<NewPart> {
    let bytes = include_bytes!("../reference/ascii_uchar.ply");
    read("pyramid.ply", bytes).unwrap().parts
}

#[test]
fn files_of_plyfile_are_read_as_they_were_written() {
    let files: [(&[u8], bool); 3] = [
        (include_bytes!("../reference/ascii_uchar.ply"), true),
        (include_bytes!("../reference/big_uchar.ply"), true),
        (include_bytes!("../reference/little_float.ply"), false),
    ];
    for (bytes, has_alpha_and_faces) in files {
        let import = read("pyramid.ply", bytes).unwrap();
        assert!(import.repairs.is_empty());
        let part = &import.parts[0];
        assert_eq!((part.mesh.vertex_count(), part.mesh.face_count()), (5, 5));
        assert_eq!(part.mesh.face_vertices(0), [0, 3, 2, 1]);
        assert_eq!(part.mesh.positions()[4].to_array(), [1.0, 1.0, 1.5]);
        let set = &part.sets[0];
        assert_eq!((set.placement, set.encoding), (Placement::Vertex, Encoding::Color));
        for (value, bytes) in set.values.iter().zip(BYTES) {
            let alpha = if has_alpha_and_faces { bytes[3] } else { 255 };
            let wanted = [bytes[0], bytes[1], bytes[2], alpha].map(|b| f32::from(b) / 255.0);
            assert!(value.iter().zip(wanted).all(|(a, b)| (a - b).abs() < 1e-6), "{value:?}");
        }
        if has_alpha_and_faces {
            assert_eq!(import.notes, ["vertex properties not kept: quality"]);
            assert_eq!(part.sets[1].placement, Placement::Face);
            assert_eq!(part.sets[1].values[3], [120.0 / 255.0, 121.0 / 255.0, 122.0 / 255.0, 1.0]);
        }
    }
}

#[test]
fn what_is_written_is_read_again_in_every_form() {
    let parts = into_parts(pyramid());
    for body in [Body::Ascii, Body::Little, Body::Big] {
        for depth in [Depth::Usual, Depth::Float] {
            for alpha in [true, false] {
                let options = WriteOptions { depth, alpha, body, ..WriteOptions::default() };
                let export = write(Format::Ply, &Shipment::of(&parts), options).unwrap();
                let other = |loss: &Loss| !matches!(loss.kind, LossKind::Depth | LossKind::Alpha);
                assert!(!export.losses.iter().any(other));
                let back = read("pyramid.ply", &export.bytes).unwrap();
                assert!(back.repairs.is_empty() && back.notes.is_empty());
                let part = &back.parts[0];
                assert_eq!(&part.mesh, parts[0].geometry.mesh());
                for (ours, theirs) in part.sets.iter().zip(&parts[0].sets) {
                    assert_eq!((&ours.name, ours.placement), (&theirs.name, theirs.placement));
                    for (a, b) in ours.values.iter().zip(theirs.values.iter()) {
                        assert_eq!(a[..3], b[..3]);
                        assert_eq!(a[3], if alpha { b[3] } else { 1.0 });
                    }
                }
            }
        }
    }
}

#[test]
fn corner_colors_split_vertices_only_where_they_differ() {
    let mut parts = pyramid();
    let corners = parts[0].mesh.corner_count();
    let mut set = parts[0].sets.remove(0);
    parts[0].sets.clear();
    set.placement = Placement::Corner;
    set.values = vec![[0.2, 0.4, 0.6, 1.0]; corners];
    // The base of the pyramid, its first face, is of another color.
    set.values[..4].fill([1.0, 0.0, 0.0, 1.0]);
    parts[0].sets.push(set);
    let export =
        write(Format::Ply, &Shipment::of(&into_parts(parts)), WriteOptions::default()).unwrap();
    assert!(export.losses[0].text.contains("4 vertices were added"), "{:?}", export.losses);
    let back = read("p.ply", &export.bytes).unwrap();
    let mesh = &back.parts[0].mesh;
    assert_eq!(mesh.vertex_count(), 9);
    let red = back.parts[0].sets[0].values.iter().filter(|v| v[0] == 1.0).count();
    assert_eq!(red, 4);
}

#[test]
fn damage_is_told_with_its_place() {
    let head = "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n";
    let body = "0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n";
    let whole = format!("{head}{body}");
    assert!(read("a.ply", whole.as_bytes()).is_ok());
    for (text, place, cause) in [
        (String::new(), Place::Line(1), "says ply"),
        ("solid cube\n".into(), Place::Line(1), "says ply"),
        (whole.replace("ascii", "utf16"), Place::Line(2), "no PLY format utf16"),
        (whole.replace("float y", "flaot y"), Place::Line(5), "no PLY type flaot"),
        (whole.replace("end_header\n", ""), Place::Line(9), "cannot make sense"),
        (whole.replace("float z", "float w"), Place::Line(3), "x, y and z"),
        (whole.replace("vertex 3", "vertex 300000000"), Place::File, "limit"),
        (whole.replace("vertex 3", "vertex 90000000"), Place::Line(3), "room for"),
        (whole.replace("1 0 0", "1 nought 0"), Place::Line(11), "\"nought\" is no number"),
        (whole.replace("3 0 1 2", "3 0 1 -2"), Place::Line(13), "cannot use vertex -2"),
        (whole.replace("3 0 1 2", "3 0 1 7"), Place::File, "uses vertex 7"),
        (whole.replace("3 0 1 2", "3 0 1"), Place::Line(14), "ends first"),
        (whole.replace("3 0 1 2", "2 0 1"), Place::File, "no faces"),
        (whole.replace("3 0 1 2", "3.5 0 1 2"), Place::Line(13), "whole number"),
    ] {
        let error = read("a.ply", text.as_bytes()).unwrap_err();
        assert_eq!(error.place, place, "{error}");
        assert!(error.cause.contains(cause), "{error}");
        assert!(!error.remedy.is_empty());
    }
}

#[test]
fn what_can_be_mended_is_told() {
    let head = "ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\nproperty float red\nproperty float green\nproperty float blue\nelement face 2\nproperty list uchar int vertex_index\nend_header\n";
    let text =
        format!("{head}0 0 0 1 1 1\n1 0 0 2 1 1\n0 1 0 nan 0 0\nnan 0 0 1 1 1\n3 0 1 2\n3 0 1 3\n");
    let import = read("a.ply", text.as_bytes()).unwrap();
    let counts: Vec<(RepairKind, usize)> =
        import.repairs.iter().map(|r| (r.kind, r.count)).collect();
    assert_eq!(
        counts,
        [
            (RepairKind::NotFiniteVertex, 1),
            (RepairKind::FaceOfDroppedVertex, 1),
            (RepairKind::ColorOutOfRange, 2)
        ]
    );
    assert_eq!(import.parts[0].sets[0].values, [[1.0; 4], [1.0; 4], [0.0, 0.0, 0.0, 1.0]]);
}

/// Long texts are read in pieces on all cores: the result is that of the binary twin, and trouble
/// far inside is told with its line all the same.
#[test]
fn long_texts_are_read_as_short_ones_are() {
    let n = 150_u32;
    let position = |i: u32| [i as f32 * 0.37, (i % n) as f32 * -1.25e-3, (i as f32).sqrt()];
    let color = |i: u32| [i % 256, i / 7 % 256, 255 - i % 256];
    let mut text = format!(
        "ply\nformat ascii 1.0\nelement vertex {}\nproperty float x\nproperty float y\nproperty float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\nelement face {}\nproperty list uchar int vertex_indices\nend_header\n",
        n * n,
        (n - 1) * (n - 1)
    );
    for i in 0..n * n {
        let ([x, y, z], [r, g, b]) = (position(i), color(i));
        text += &format!("{x} {y} {z} {r} {g} {b}\n");
    }
    for i in 0..(n - 1) * (n - 1) {
        let v = i / (n - 1) * n + i % (n - 1);
        text += &format!("4 {v} {} {} {}\n", v + 1, v + n + 1, v + n);
    }
    assert!(text.len() > 600_000, "long enough for several pieces");
    let import = read("sheet.ply", text.as_bytes()).unwrap();
    let part = &import.parts[0];
    assert_eq!(
        (part.mesh.vertex_count() as u32, part.mesh.face_count() as u32),
        (n * n, (n - 1) * (n - 1))
    );
    for i in 0..n * n {
        assert_eq!(part.mesh.positions()[i as usize].to_array(), position(i));
        let value = part.sets[0].values[i as usize];
        assert!((0..3).all(|c| (value[c] * 255.0 - color(i)[c] as f32).abs() < 1e-3));
    }
    let last = (n - 2) * n + n - 2;
    let face = part.mesh.face_vertices(part.mesh.face_count() - 1);
    assert_eq!(face, [last, last + 1, last + n + 1, last + n]);

    // Rows that run over their lines are no less a PLY; a word in place of a number is trouble.
    let joined = text.replacen("4 0 1 151 150\n", "4 0 1\n151 150\n", 1);
    assert_eq!(read("sheet.ply", joined.as_bytes()).unwrap().parts[0].mesh, part.mesh);
    let line = 12 + n * n + 200;
    let torn: Vec<String> = text
        .lines()
        .enumerate()
        .map(|(i, row)| if i as u32 + 1 == line { "4 one 2 3 4".into() } else { row.to_owned() })
        .collect();
    let error = read("sheet.ply", torn.join("\n").as_bytes()).unwrap_err();
    assert_eq!(error.place, Place::Line(line as usize));
}

/// Files declare `int` or `float` and write 0 to 255 (seen in files; the format leaves it open).
#[test]
fn colors_of_wide_types_are_read_by_how_far_they_go() {
    let file = |kind: &str, rows: [&str; 3]| {
        format!(
            "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\n\
             property float z\nproperty {kind} red\nproperty {kind} green\nproperty {kind} blue\n\
             element face 1\nproperty list uchar int vertex_indices\nend_header\n\
             0 0 0 {}\n1 0 0 {}\n0 1 0 {}\n3 0 1 2\n",
            rows[0], rows[1], rows[2]
        )
    };
    for (kind, rows, wanted, is_noted) in [
        ("int", ["255 0 0", "0 51 0", "0 0 0"], [[1.0, 0.0, 0.0], [0.0, 0.2, 0.0]], false),
        ("uint", ["65535 0 0", "0 13107 0", "0 0 0"], [[1.0, 0.0, 0.0], [0.0, 0.2, 0.0]], false),
        ("float", ["255 0 0", "0 51 0", "0 0 0"], [[1.0, 0.0, 0.0], [0.0, 0.2, 0.0]], true),
        ("float", ["1 0 0", "0 0.2 0", "0 0 0"], [[1.0, 0.0, 0.0], [0.0, 0.2, 0.0]], false),
        ("double", ["0.5 0 0", "0 0.2 0", "0 0 0"], [[0.5, 0.0, 0.0], [0.0, 0.2, 0.0]], false),
        ("ushort", ["65535 0 0", "0 13107 0", "0 0 0"], [[1.0, 0.0, 0.0], [0.0, 0.2, 0.0]], false),
    ] {
        let import = read("wide.ply", file(kind, rows).as_bytes()).unwrap();
        let values = &import.parts[0].sets[0].values;
        for (value, wanted) in values.iter().zip(wanted) {
            let apart = value.iter().zip(wanted).map(|(a, b): (_, f32)| (a - b).abs());
            assert!(apart.fold(0.0, f32::max) < 1e-6 && value[3] == 1.0, "{kind}: {value:?}");
        }
        assert_eq!(import.notes.iter().any(|note| note.contains("0 to 255")), is_noted, "{kind}");
    }
}
