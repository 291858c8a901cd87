//! Files that others wrote: `reference/write_others.py` with lib3mf, usd-core and pycollada, and texts
//! by the examples and rules of the standards.

use glam::{Mat4, Vec2, Vec3};
use speckle_color::{Encoding, srgb_from_linear};
use speckle_formats::{Import, MeshFile, ReadOptions};
use speckle_mesh::{Geometry, Placement, Unit, UpAxis};
use speckle_model::NewPart;

use crate::common::{into_parts, read};

/// The tetrahedron and the colors that the script writes.
const POINTS: [[f32; 3]; 4] = [[0., 0., 0.], [4., 0., 0.], [0., 4., 0.], [0., 0., 4.]];
const COLORS: [[u8; 4]; 4] =
    [[255, 0, 0, 255], [0, 128, 0, 255], [0, 0, 64, 128], [12, 34, 56, 255]];

fn bytes(value: [f32; 4]) -> [u8; 4] {
    value.map(|x| (x * 255.0).round() as u8)
}

fn set<'a>(part: &'a NewPart, name: &str) -> &'a speckle_model::NewSet {
    part.sets.iter().find(|set| set.name == name).unwrap()
}

/// The points of a part against those of the script, moved as the file says.
fn assert_points(part: &NewPart, placed: Mat4) {
    for (found, point) in part.mesh.positions().iter().zip(POINTS) {
        let wanted = placed.transform_point3(Vec3::from(point));
        assert!(found.distance(wanted) < 1e-4, "{}: {found} {wanted}", part.name);
    }
}

/// Whether the surface looks outwards: the volume of a tetrahedron is ⅙ of its edges' product.
fn volume(part: &NewPart) -> f64 {
    Geometry::new(part.mesh.clone()).measures().volume
}

#[test]
fn colors_materials_components_and_transforms_of_lib3mf_are_read() {
    let import = read("float.3mf", include_bytes!("../reference/lib3mf_float.3mf")).unwrap();
    assert_eq!((import.traits.unit, import.traits.up), (Unit::Foot, UpAxis::Z));
    let names: Vec<&str> = import.parts.iter().map(|part| part.name.as_str()).collect();
    assert_eq!(names, ["Float", "Buoy", "Buoy"]);
    let [float, first, second] = import.parts.as_slice() else { panic!("three parts") };
    assert_points(float, Mat4::from_translation(Vec3::Z * 5.0));
    assert_points(first, Mat4::IDENTITY);
    assert_points(second, Mat4::from_translation(Vec3::X * 10.0));
    let at_vertices = &float.sets[0];
    assert_eq!(at_vertices.placement, Placement::Vertex);
    assert!(at_vertices.values.iter().zip(COLORS).all(|(value, color)| bytes(*value) == color));
    let at_faces = &first.sets[0];
    assert_eq!((at_faces.placement, at_faces.encoding), (Placement::Face, Encoding::Color));
    assert!(at_faces.values.iter().zip(COLORS).all(|(value, color)| bytes(*value) == color));
}

#[test]
fn primvars_indices_transforms_and_units_of_usd_core_are_read() {
    let import = read("float.usda", include_bytes!("../reference/usd_float.usda")).unwrap();
    assert_eq!((import.traits.unit, import.traits.up), (Unit::Centimetre, UpAxis::Z));
    assert_eq!(import.notes, ["Sphere is not kept: only meshes are"]);
    let part = &import.parts[0];
    assert_eq!(part.name, "Net float");
    let turned = Mat4::from_rotation_z(90_f32.to_radians());
    assert_points(
        part,
        Mat4::from_translation(Vec3::new(1.0, 2.0, 3.0))
            * turned
            * Mat4::from_scale(Vec3::splat(2.0)),
    );
    assert!((volume(part) - 8.0 * 64.0 / 6.0).abs() < 1e-3);
    let shown = set(part, "Color");
    assert_eq!((shown.placement, shown.encoding), (Placement::Face, Encoding::Color));
    // IEC 61966-2-1: 0.21404114 of light is written 0.5.
    let told: Vec<[u8; 4]> = shown.values.iter().map(|value| bytes(*value)).collect();
    assert_eq!(told, [[128, 0, 255, 255], [255; 4], [255; 4], [128, 0, 255, 255]]);
    let wear = set(part, "wear");
    assert_eq!((wear.placement, bytes(wear.values[1])), (Placement::Vertex, [0, 255, 0, 255]));
    assert_eq!(part.sets.len(), 2, "single numbers are no colors");
    let uvs = &part.mesh.uv_sets()[0].uvs;
    assert!(uvs[3].distance(Vec2::new(0.25, 0.75)) < 1e-6);
}

/// Everything that a scene is composed of, against what usd-core itself reads in it, from all four
/// kinds of files.
#[test]
fn what_usd_composes_is_what_usd_core_reads() {
    #[derive(serde::Deserialize)]
    struct Told {
        name: String,
        points: Vec<[f32; 3]>,
        interpolation: Option<String>,
        colors: Vec<[f32; 3]>,
    }
    let told: Vec<Told> =
        serde_json::from_slice(include_bytes!("../reference/usd_scene.json")).unwrap();
    let binary = include_bytes!("../reference/usd_scene.usdc");
    let beside = |name: &str| match name {
        "usd_scene_parts.usda" => {
            Some(include_bytes!("../reference/usd_scene_parts.usda").to_vec())
        }
        "usd_scene_base.usda" => Some(include_bytes!("../reference/usd_scene_base.usda").to_vec()),
        _ => None,
    };
    let whole = |name: &str, bytes: &[u8]| {
        let file = MeshFile { name, bytes, beside: &beside };
        speckle_formats::read(&file, &ReadOptions::default()).unwrap()
    };
    let package = include_bytes!("../reference/usd_scene.usdz");
    for import in [
        whole("scene.usdc", binary),
        whole("scene.usd", binary),
        speckle_formats::read(&MeshFile::alone("scene.usdz", package), &ReadOptions::default())
            .unwrap(),
    ] {
        // 0.3 m is no unit of ours: all of it is in metres.
        assert_eq!((import.traits.unit, import.traits.up), (Unit::Metre, UpAxis::Z));
        let names: Vec<&str> = import.parts.iter().map(|part| part.name.as_str()).collect();
        assert_eq!(names, told.iter().map(|told| told.name.as_str()).collect::<Vec<_>>());
        for (part, told) in import.parts.iter().zip(&told) {
            for (found, wanted) in part.mesh.positions().iter().zip(&told.points) {
                assert!(found.distance(Vec3::from(*wanted)) < 1e-5, "{}: {found}", part.name);
            }
            // Its own normal would lead downwards where a mirror image were not turned over.
            let up = Geometry::new(part.mesh.clone()).face_normals()[0].z;
            assert!(part.name == "Turned" || up > 0.99, "{} looks down", part.name);
            let Some(interpolation) = &told.interpolation else {
                assert!(part.sets.is_empty(), "{}", part.name);
                continue;
            };
            let shown = set(part, "Color");
            let color = |i: usize| match interpolation.as_str() {
                "constant" => told.colors[0],
                "uniform" => told.colors[i / 4],
                "vertex" => told.colors[part.mesh.corner_vertices()[i] as usize],
                _ => told.colors[i],
            };
            for corner in (0..8).filter(|_| part.name != "Turned") {
                let at = match shown.placement {
                    Placement::Vertex => part.mesh.corner_vertices()[corner] as usize,
                    Placement::Corner => corner,
                    Placement::Face => corner / 4,
                };
                let value = shown.values[at];
                let wanted = color(corner).map(srgb_from_linear);
                assert!((0..3).all(|i| (value[i] - wanted[i]).abs() < 1e-5), "{}", part.name);
            }
        }
        let by_name = |name: &str| import.parts.iter().find(|part| part.name == name).unwrap();
        // Opacity of its own elements: at the corners both are held.
        let corners = set(by_name("Corners"), "Color");
        let opacities: Vec<f32> = corners.values.iter().map(|value| value[3]).collect();
        assert_eq!(opacities, [0.5, 0.5, 0.5, 0.5, 1.0, 1.0, 1.0, 1.0]);
        assert_eq!(by_name("Corners").mesh.uv_sets()[0].uvs[3], Vec2::new(0.5, 1.0));
        assert_eq!(by_name("Vertices").sets.len(), 1, "normals are no colors");
        assert_eq!(by_name("Faces").sets.len(), 2);
        let turned = Geometry::new(by_name("Turned").mesh.clone());
        assert_eq!(turned.pieces().count(), 1);
        let told = import.notes.join("; ");
        for said in [
            "Off is switched off there",
            "Hidden is hidden there",
            "Guide is meant as a guide",
            "Camera is not kept",
            "the first of its times",
        ] {
            assert!(told.contains(said), "{said}: {told}");
        }
    }
    // Without what it refers to, the rest comes in, and what is missing is named.
    let alone =
        speckle_formats::read(&MeshFile::alone("scene.usdc", binary), &ReadOptions::default());
    let alone = alone.unwrap();
    assert!(alone.parts.len() < told.len() && alone.parts.len() > 5);
    let notes = alone.notes.join("; ");
    assert!(notes.contains("usd_scene_parts.usda is not there"), "{notes}");
}

/// Scenes that place themselves without end end in words. (Damaged binaries are tried where they are
/// read in a process of their own: they may take all of its memory.)
#[test]
fn hostile_scenes_end_in_words() {
    let twice = |n: usize| {
        format!(
            "def \"P{n}\" {{ def \"a\" (references = </P{0}>) {{}} def \"b\" (references = </P{0}>) {{}} }}\n",
            n + 1
        )
    };
    let laughs: String = (0..40).map(twice).collect();
    let laughs = format!("#usda 1.0\n{laughs}def Mesh \"P40\" {{}}\n");
    let begun = std::time::Instant::now();
    let error = read("x.usda", laughs.as_bytes()).unwrap_err();
    assert!(error.cause.contains("places more prims"), "{error}");
    assert!(begun.elapsed().as_secs() < 60, "{:?}", begun.elapsed());
    let itself = "#usda 1.0\ndef \"A\" (references = @scene.usda@</A>) { def Mesh \"m\" {} }";
    assert!(read("x.usda", itself.as_bytes()).is_err());
}

#[test]
fn inputs_nodes_and_the_asset_of_pycollada_are_read() {
    let import = read("float.dae", include_bytes!("../reference/pycollada_float.dae")).unwrap();
    assert_eq!((import.traits.unit, import.traits.up), (Unit::Inch, UpAxis::Z));
    let part = &import.parts[0];
    let turned = Mat4::from_rotation_z(90_f32.to_radians());
    let mirrored = Mat4::from_scale(Vec3::new(1.0, 1.0, -1.0));
    assert_points(part, Mat4::from_translation(Vec3::X * 10.0) * turned * mirrored);
    // A mirror image is turned right side out.
    assert!((volume(part) - 64.0 / 6.0).abs() < 1e-3, "{}", volume(part));
    let colors = &part.sets[0];
    assert_eq!(colors.placement, Placement::Face);
    assert!(colors.values.iter().zip(COLORS).all(|(value, color)| bytes(*value) == color));
    // Turned over, a face's corners run the other way, with their UVs.
    let uvs = &part.mesh.uv_sets()[0].uvs;
    assert!(uvs[0].distance(Vec2::new(4.0 / 12.0, 5.0 / 12.0)) < 1e-6, "{}", uvs[0]);
}

/// ISO/IEC 14772-1, 6.23: `colorIndex` per vertex goes by corner where it is given, by the points
/// where it is not; with `colorPerVertex FALSE` by face, in order or by `colorIndex`.
#[test]
fn the_four_ways_of_colors_of_an_indexed_face_set() {
    let file = |fields: &str| {
        format!(
            "#VRML V2.0 utf8\n# A square of two triangles, commas are blanks\nShape {{ geometry IndexedFaceSet {{
              coord Coordinate {{ point [ 0 0 0, 1 0 0, 1 1 0, 0 1 0 ] }}
              coordIndex [ 0, 1, 2, -1, 0, 2, 3 ]
              color Color {{ color [ 1 0 0, 0 1 0, 0 0 1, 1 1 1 ] }} {fields} }} }}"
        )
    };
    let [red, green, blue, white] =
        [[1.0, 0.0, 0.0, 1.0], [0.0, 1.0, 0.0, 1.0], [0.0, 0.0, 1.0, 1.0], [1.0; 4]];
    for (fields, placement, wanted) in [
        ("", Placement::Vertex, vec![red, green, blue, white]),
        (
            "colorIndex [ 3 2 1 -1 0 2 0 -1 ]",
            Placement::Corner,
            vec![white, blue, green, red, blue, red],
        ),
        ("colorPerVertex FALSE", Placement::Face, vec![red, green]),
        ("colorPerVertex FALSE colorIndex [ 2 0 ]", Placement::Face, vec![blue, red]),
    ] {
        let import = read("square.wrl", file(fields).as_bytes()).unwrap();
        let set = &import.parts[0].sets[0];
        assert_eq!((set.placement, &set.values), (placement, &wanted), "{fields}");
        assert_eq!((import.traits.unit, import.traits.up), (Unit::Metre, UpAxis::Y));
    }
    let error = read("square.wrl", file("colorIndex [ 4 0 0 -1 0 0 0 ]").as_bytes()).unwrap_err();
    assert!(error.cause.contains("color 4 is used, but there are only 4"), "{error}");
    for (text, said) in [
        ("#VRML V1.0 ascii\n", "does not begin with #VRML V2.0"),
        ("#VRML V2.0 utf8\nShape { geometry", "ends within a node"),
        ("#VRML V2.0 utf8\nPROTO Mine [] { }", "own making"),
        ("#VRML V2.0 utf8\nShape { geometry Sphere { radius 2 } }", "no mesh of faces"),
        ("#VRML V2.0 utf8\nShape { geometry 7 }", "no mesh of faces"),
    ] {
        let error = read("x.wrl", text.as_bytes()).unwrap_err();
        assert!(error.cause.contains(said), "{text}: {error}");
    }
}

/// ISO/IEC 19775-1, 10.4.4 (Transform) and 4.3.5 (DEF and USE): what is used again stands again.
#[test]
fn x3d_nodes_are_placed_and_used_again() {
    let text = r#"<X3D version='3.3'><head/><Scene>
        <Transform translation='5 0 0' rotation='0 0 1 1.5707963' scale='2 2 2' center='1 0 0'>
          <Shape DEF='tile'><IndexedFaceSet coordIndex='0 1 2 -1' ccw='true'>
            <Coordinate point='0 0 0 1 0 0 0 1 0'/><ColorRGBA color='1 0 0 .5 1 0 0 .5 1 0 0 .5'/>
          </IndexedFaceSet></Shape>
        </Transform>
        <Group><Shape USE='tile'/></Group>
        <Shape><IndexedTriangleSet index='0 2 1' ><Coordinate point='0 0 0 1 0 0 0 1 0'/></IndexedTriangleSet></Shape>
        <Shape><Box size='1 1 1'/></Shape>
      </Scene></X3D>"#;
    let import: Import = read("tiles.x3d", text.as_bytes()).unwrap();
    assert_eq!(import.parts.len(), 3);
    assert_eq!(import.notes, ["Box is not kept: only faces are"]);
    // T × C × R × S × −C: (0, 0, 0) → (−1, 0, 0) → (−2, 0, 0) → (0, −2, 0) → (1, −2, 0) → (6, −2, 0).
    assert!(import.parts[0].mesh.positions()[0].distance(Vec3::new(6.0, -2.0, 0.0)) < 1e-5);
    assert_eq!(import.parts[1].mesh.positions()[1], Vec3::X);
    assert_eq!(import.parts[1].sets[0].values[0], [1.0, 0.0, 0.0, 0.5]);
    assert!(import.parts[2].sets.is_empty());
    assert_eq!(import.parts[2].mesh.corner_vertices(), [0, 2, 1]);
}

/// Geomview's description of OFF: colors of whole numbers count to 255, others to 1; a face may have
/// none; the head may say what vertices carry.
#[test]
fn off_files_of_all_kinds_are_read() {
    let square = "0 0 0\n1 0 0\n1 1 0\n0 1 0\n";
    let counts = "4 2 5\n";
    let faces = "3 0 1 2 255 0 0\n3 0 2 3\n";
    let import =
        read("a.off", format!("OFF\n# note\n\n{counts}{square}{faces}").as_bytes()).unwrap();
    let set = &import.parts[0].sets[0];
    assert_eq!(
        (set.placement, set.values.as_slice()),
        (Placement::Face, &[[1.0, 0.0, 0.0, 1.0], [1.0; 4]][..])
    );

    let colored = "0 0 0 .5 0 1 1\n1 0 0 0 0 0 1\n1 1 0 0 0 0 1\n0 1 0 1 1 1 .25\n";
    let import =
        read("b.off", format!("COFF {counts}{colored}4 0 1 2 3\n3 0 1 2\n").as_bytes()).unwrap();
    let part = &import.parts[0];
    assert_eq!(part.mesh.face_vertices(0).len(), 4);
    assert_eq!(part.sets[0].values[0], [0.5, 0.0, 1.0, 1.0]);
    assert_eq!(part.sets[0].values[3][3], 0.25);

    // With normals between place and color, and bytes.
    let normals = "0 0 0 0 0 1 51 0 255 255\n1 0 0 0 0 1 0 0 0 255\n1 1 0 0 0 1 0 0 0 255\n0 1 0 0 0 1 0 0 0 255\n";
    let import = read("c.off", format!("CNOFF\n{counts}{normals}{faces}").as_bytes()).unwrap();
    assert_eq!(import.parts[0].sets[0].values[0], [0.2, 0.0, 1.0, 1.0]);

    for (text, said) in [
        ("PLY\n", "begin with a line that says OFF"),
        ("OFF BINARY\n", "binary files"),
        ("OFF\n4 2 0\n0 0 0\n", "ends before all of its vertices"),
        ("OFF\n99 2 0\n0 0 0\n", "promised, but the file ends first"),
        ("OFF\n3 1 0\n0 0 zero\n1 0 0\n0 1 0\n3 0 1 2\n", "\"zero\" is no number"),
        ("OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1\n", "corner 3 of 3 names no vertex"),
        ("OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 7\n", "vertex"),
        ("OFF\n99999999999 1 0\n", "limit"),
    ] {
        let error = read("x.off", text.as_bytes()).unwrap_err();
        assert!(error.to_string().contains(said), "{text}: {error}");
    }
}

#[test]
fn damage_in_packages_and_texts_is_told() {
    for (name, bytes, said) in [
        ("x.3mf", &b"PK but no package"[..], "it is no package"),
        ("x.dae", b"<html/>", "begins with html instead of COLLADA"),
        ("x.dae", b"<COLLADA><library_geometries/></COLLADA>", "no mesh with faces"),
        ("x.x3d", b"<X3D><Scene>", "ends before its outermost element"),
        ("x.usda", b"solid", "does not begin with #usda"),
        ("x.usda", b"#usda 1.0\ndef Mesh \"m\" { int[] faceVertexIndices = [0, 1, two] }", "'two'"),
        ("x.usda", b"#usda 1.0\ndef Mesh \"m\" { int[] faceVertexCounts = [4]\nint[] faceVertexIndices = [0, 1, 2]\npoint3f[] points = [(0,0,0)] }", "need 4 corners, but 3"),
        ("x.usdz", b"PK", "it is no package"),
    ] {
        let error = read(name, bytes).unwrap_err();
        assert!(error.cause.contains(said), "{name}: {error}");
        assert!(!error.remedy.is_empty());
    }
    // What others would trip over: a document still takes what comes in.
    let import = read("float.3mf", include_bytes!("../reference/lib3mf_float.3mf")).unwrap();
    assert_eq!(into_parts(import.parts)[2].traits.name, "Buoy 2");
}
