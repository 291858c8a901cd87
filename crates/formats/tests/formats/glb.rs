//! GLB against the crate `gltf`, which shares no code with ours, and against glTF 2.0 (Khronos).

use glam::{Mat4, Vec2, Vec3};
use speckle_color::Encoding;
use speckle_formats::{Depth, Format, MeshFile, ReadOptions, Shipment, WriteOptions, write};
use speckle_mesh::{
    Conversion, Mesh, Placement, Transform, Unit, UpAxis,
    mesh::{MeshArrays, UvSet},
};
use speckle_model::{NewPart, NewSet, ProjectTraits};

use crate::common::{into_parts, read};

/// The bollard with a color set of varied values and a data set.
fn bollard() -> Vec<NewPart> {
    let mut parts = speckle_demo::piece("bollard").unwrap().make(speckle_demo::Detail::Usual);
    let count = parts[0].mesh.vertex_count();
    let value = |i: usize| [i % 256, (i / 7) % 256, (i / 49) % 256, 255 - i % 200];
    parts[0].sets[0].values = (0..count).map(|i| value(i).map(|b| b as f32 / 255.0)).collect();
    parts[0].sets.push(NewSet {
        name: "Wear".into(),
        placement: Placement::Vertex,
        encoding: Encoding::Data,
        ground: [0.5; 4],
        values: vec![[0.5, 0.25, 0.75, 1.0]; count],
    });
    parts
}

/// glTF 2.0, 3.7.2.1: `COLOR_n` is linear. So 0.5 of a color set is stored as 0.214 (IEC 61966-2-1),
/// and 0.5 of a data set as 0.5.
#[test]
fn colors_are_stored_linear_and_data_as_it_is() {
    let parts = into_parts(bollard());
    let export = write(Format::Glb, &Shipment::of(&parts), WriteOptions::default()).unwrap();
    let gltf = gltf::Gltf::from_slice(&export.bytes).unwrap();
    let blob = gltf.blob.clone().unwrap();
    let primitive = gltf.meshes().next().unwrap().primitives().next().unwrap();
    let reader = primitive.reader(|_| Some(&blob));
    let coat: Vec<[f32; 4]> = reader.read_colors(0).unwrap().into_rgba_f32().collect();
    let wear: Vec<[f32; 4]> = reader.read_colors(1).unwrap().into_rgba_f32().collect();
    let linear = |v: f32| if v <= 0.04045 { v / 12.92 } else { ((v + 0.055) / 1.055).powf(2.4) };
    for (stored, value) in coat.iter().zip(parts[0].sets[0].values.iter()) {
        for channel in 0..3 {
            assert!((stored[channel] - linear(value[channel])).abs() < 1e-6);
        }
        assert_eq!(stored[3], value[3]);
    }
    assert!(wear.iter().all(|v| *v == [0.5, 0.25, 0.75, 1.0]));
    let positions: Vec<[f32; 3]> = reader.read_positions().unwrap().collect();
    assert!(
        positions.iter().zip(parts[0].geometry.mesh().positions()).all(|(a, b)| *a == b.to_array())
    );
    let corners = reader.read_indices().unwrap().into_u32().count();
    assert_eq!(corners, 3 * parts[0].geometry.mesh().triangle_count());
}

#[test]
fn sets_come_back_with_name_encoding_and_values_at_every_depth() {
    let parts = into_parts(bollard());
    // Linear light in 8 bits is coarse in the darks: a step from 0 is 12.92 steps of the encoded
    // scale (IEC 61966-2-1), half of which is the rounding's worst.
    for (depth, worst) in [(Depth::Float, 1e-5), (Depth::Bits16, 1e-3), (Depth::Bits8, 6.5 / 255.0)]
    {
        for alpha in [true, false] {
            let options = WriteOptions { depth, alpha, ..WriteOptions::default() };
            let export = write(Format::Glb, &Shipment::of(&parts), options).unwrap();
            let back = read("b.glb", &export.bytes).unwrap();
            assert!(back.repairs.is_empty(), "{:?}", back.repairs);
            assert_eq!(back.parts[0].name, "Bollard");
            assert_eq!(back.parts[0].mesh.vertex_count(), parts[0].geometry.mesh().vertex_count());
            for (ours, theirs) in back.parts[0].sets.iter().zip(&parts[0].sets) {
                assert_eq!((&ours.name, ours.encoding), (&theirs.name, theirs.encoding));
                for (a, b) in ours.values.iter().zip(theirs.values.iter()) {
                    assert!((0..3).all(|i| (a[i] - b[i]).abs() <= worst), "{depth:?}: {a:?} {b:?}");
                    assert!(if alpha { (a[3] - b[3]).abs() <= 0.003 } else { a[3] == 1.0 });
                }
            }
        }
    }
}

/// A GLB of one triangle with normalized colors, strips and a mirrored node, put together by hand
/// after the tables of glTF 2.0, chapter 4 and section 3.6.
fn by_hand(mode: u32, node: &str, kind: u32, color: &[u8], stride: usize) -> Vec<u8> {
    let mut bin: Vec<u8> = [[0.0_f32, 0.0, 0.0], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [1.0, 1.0, 0.0]]
        .iter()
        .flatten()
        .flat_map(|x| x.to_le_bytes())
        .collect();
    bin.extend_from_slice(color);
    let json = format!(
        r#"{{"asset":{{"version":"2.0"}},"scenes":[{{"nodes":[0]}}],"nodes":[{{"children":[1]}},{{"mesh":0,"name":"Flap"{node}}}],
        "meshes":[{{"primitives":[{{"mode":{mode},"attributes":{{"POSITION":0,"COLOR_0":1,"_OTHER":0}}}}]}}],
        "accessors":[{{"bufferView":0,"componentType":5126,"count":4,"type":"VEC3"}},{{"bufferView":1,"componentType":{kind},"normalized":true,"count":4,"type":"VEC3"}}],
        "bufferViews":[{{"buffer":0,"byteLength":48}},{{"buffer":0,"byteOffset":48,"byteLength":{},"byteStride":{stride}}}],
        "buffers":[{{"byteLength":{}}}]}}"#,
        color.len(),
        bin.len()
    );
    let mut json = json.into_bytes();
    json.resize(json.len().next_multiple_of(4), b' ');
    let mut file = Vec::new();
    for word in
        [0x4654_6C67, 2, (28 + json.len() + bin.len()) as u32, json.len() as u32, 0x4E4F_534A]
    {
        file.extend(word.to_le_bytes());
    }
    file.extend(json);
    file.extend((bin.len() as u32).to_le_bytes());
    file.extend(0x004E_4942_u32.to_le_bytes());
    file.extend(bin);
    file
}

#[test]
fn integer_colors_strips_fans_and_placed_nodes_are_read() {
    let bytes: Vec<u8> = [[255, 0, 55, 0]; 4].concat();
    let words: Vec<u8> =
        [[65_535_u16, 0, 14_135, 0]; 4].concat().iter().flat_map(|w| w.to_le_bytes()).collect();
    // Linear 55/255 and 14135/65535 encoded by IEC 61966-2-1, evaluated by hand: both 0.5018.
    for (kind, color, stride) in [(5121, bytes.clone(), 4), (5123, words, 8)] {
        let file = by_hand(5, "", kind, &color, stride);
        let import = read("f.glb", &file).unwrap();
        let part = &import.parts[0];
        assert_eq!(part.name, "Flap");
        assert_eq!(
            part.mesh.corner_vertices(),
            [0, 1, 2, 1, 3, 2],
            "a strip turns every second triangle"
        );
        let [r, g, b, a] = part.sets[0].values[0];
        assert!(r == 1.0 && g == 0.0 && (b - 0.5018).abs() < 1e-3 && a == 1.0, "{r} {g} {b} {a}");
    }
    let moved = by_hand(6, r#","translation":[10,0,0],"scale":[-2,1,1]"#, 5121, &bytes, 4);
    let import = read("f.glb", &moved).unwrap();
    let mesh = &import.parts[0].mesh;
    assert_eq!(mesh.positions()[1].to_array(), [8.0, 0.0, 0.0]);
    // A fan from the first vertex; mirrored, so turned round to keep its outside outside.
    assert!(mesh.face_area_vector(0).z > 0.0);
    assert_eq!(mesh.face_count(), 2);
}

#[test]
fn damage_is_told_with_its_place() {
    let whole = write(Format::Glb, &Shipment::of(&into_parts(bollard())), WriteOptions::default())
        .unwrap()
        .bytes;
    let fails = |bytes: &[u8]| read("b.glb", bytes).unwrap_err().to_string();
    assert!(fails(b"").contains("byte 0"));
    assert!(fails(b"glTX0000").contains("byte 0"));
    assert!(fails(&whole[..whole.len() / 2]).contains("middle of a chunk"));
    let mut old = whole.clone();
    old[4] = 1;
    assert!(fails(&old).contains("version 2"));
    let json = |from: &str, to: &str| {
        let text = whole.windows(from.len()).position(|w| w == from.as_bytes()).unwrap();
        let mut bytes = whole.clone();
        bytes[text..text + from.len()].copy_from_slice(to.as_bytes());
        fails(&bytes)
    };
    assert!(json("\"mesh\":0", "\"mesh\":7").contains("mesh 7"));
    assert!(json("\"nodes\":[0]", "\"nodes\":[4]").contains("node 4"));
    // An accessor of far more rows than its view has bytes for.
    let told = json("\"componentType\":5126,\"count\":2", "\"componentType\":5126,\"count\":9");
    assert!(told.contains("reaches past the end") && told.contains("byte"), "{told}");
}

/// glTF 2.0, 3.6.1: buffers may be embedded as base64 or lie in files beside the text.
#[test]
fn arrays_embedded_in_the_text_or_beside_it_are_the_same() {
    let parts = into_parts(bollard());
    let export = write(Format::Gltf, &Shipment::of(&parts), WriteOptions::default()).unwrap();
    // The crate reads what we embedded.
    let (_, buffers, _) = gltf::import_slice(&export.bytes).unwrap();
    let embedded = read("b.gltf", &export.bytes).unwrap();
    let binary = write(Format::Glb, &Shipment::of(&parts), WriteOptions::default()).unwrap();
    let binary = read("b.glb", &binary.bytes).unwrap();
    assert!(embedded.parts[0].sets[0].values == binary.parts[0].sets[0].values);

    let mut json: serde_json::Value = serde_json::from_slice(&export.bytes).unwrap();
    json["buffers"][0]["uri"] = "arrays%20of%20b.bin".into();
    let text = json.to_string();
    let arrays = buffers[0].0.clone();
    let beside = |name: &str| (name == "arrays of b.bin").then(|| arrays.clone());
    let file = MeshFile { name: "b.gltf", bytes: text.as_bytes(), beside: &beside };
    let external = speckle_formats::read(&file, &ReadOptions::default()).unwrap();
    assert_eq!(external.parts[0].mesh, embedded.parts[0].mesh);

    let error = read("b.gltf", text.as_bytes()).unwrap_err();
    assert!(error.cause.contains("arrays of b.bin"), "{error}");
    assert!(error.remedy.contains("together"), "{error}");
    let short = |name: &str| (name == "arrays of b.bin").then(|| arrays[..1000].to_vec());
    let file = MeshFile { beside: &short, ..file };
    let error = speckle_formats::read(&file, &ReadOptions::default()).unwrap_err();
    assert!(error.cause.contains("holds 1000 bytes"), "{error}");
}

/// glTF 2.0, 3.4 and 3.5: lengths are metres and +Y is up. Points stay to the bit; nodes say the
/// rest.
#[test]
fn units_up_axis_and_transforms_are_said_by_nodes() {
    let mut parts = into_parts(bollard());
    parts[0].traits.transform = Transform {
        translation: Vec3::new(10.0, 20.0, 30.0),
        rotation_degrees: Vec3::new(20.0, -50.0, 70.0),
        scale: Vec3::new(1.0, 2.0, -0.5),
    };
    let traits = Some(ProjectTraits { unit: Unit::Millimetre, up: UpAxis::Z });
    let shipment = Shipment { traits, ..Shipment::of(&parts) };
    let export = write(Format::Glb, &shipment, WriteOptions::default()).unwrap();
    let gltf = gltf::Gltf::from_slice(&export.bytes).unwrap();
    let root = gltf.default_scene().unwrap().nodes().next().unwrap();
    let matrix = |node: &gltf::Node| Mat4::from_cols_array_2d(&node.transform().matrix());
    let world = matrix(&root) * matrix(&root.children().next().unwrap());
    let part = parts[0].traits.transform.to_project();
    let conversion = Conversion::between((Unit::Millimetre, UpAxis::Z), (Unit::Metre, UpAxis::Y));
    for point in [Vec3::ZERO, Vec3::X * 100.0, Vec3::new(-40.0, 7.0, 90.0)] {
        let expected = conversion.point(part.transform_point3(point));
        assert!(world.transform_point3(point).distance(expected) < 1e-6, "{point}");
    }
    // Our own reader puts it where it stands, outside out.
    let back = read("b.glb", &export.bytes).unwrap();
    let measures = speckle_mesh::Geometry::new(back.parts[0].mesh.clone()).measures().volume;
    let volume = parts[0].geometry.measures().volume * 1e-9;
    assert!((measures / volume - 1.0).abs() < 1e-4, "{measures} {volume}");
}

/// Nodes for the groups parts stand in, each once, with the parts below them (glTF 2.0, 3.5.2), read
/// by the crate gltf; and back again.
#[test]
fn groups_of_parts_are_nodes_above_them() {
    let place = |path: &[&str]| NewPart {
        path: path.iter().map(|&group| group.to_owned()).collect(),
        ..bollard().remove(0)
    };
    let place = |name: &str, path: &[&str]| NewPart { name: name.to_owned(), ..place(path) };
    let parts = into_parts(vec![
        place("Bell", &["Harbour", "Quay"]),
        place("Crane", &["Harbour"]),
        place("Gull", &[]),
        place("Rope", &["Harbour", "Quay"]),
    ]);
    let traits = Some(ProjectTraits { unit: Unit::Millimetre, up: UpAxis::Z });
    let shipment = Shipment { traits, ..Shipment::of(&parts) };
    let file = write(Format::Glb, &shipment, WriteOptions::default()).unwrap().bytes;
    let other = gltf::Gltf::from_slice(&file).unwrap();
    fn tree(node: &gltf::Node, depth: usize, into: &mut Vec<String>) {
        into.push(format!("{}{}", " ".repeat(depth), node.name().unwrap()));
        node.children().for_each(|child| tree(&child, depth + 1, into));
    }
    let mut found = Vec::new();
    other.default_scene().unwrap().nodes().for_each(|node| tree(&node, 0, &mut found));
    assert_eq!(
        found,
        ["Units and up axis", " Harbour", "  Quay", "   Bell", "   Rope", "  Crane", " Gull"]
    );
    let back = read("harbour.glb", &file).unwrap();
    let paths: Vec<_> =
        back.parts.iter().map(|part| (part.name.as_str(), part.path.join("/"))).collect();
    let wanted =
        [("Bell", "Harbour/Quay"), ("Rope", "Harbour/Quay"), ("Crane", "Harbour"), ("Gull", "")];
    assert_eq!(paths, wanted.map(|(name, path)| (name, path.to_owned())));
}

/// glTF 2.0, 3.7.3.3: the transform of the node of a skinned mesh does not count. And what is
/// required for look or motion alone is no reason to refuse a shape.
#[test]
fn skinned_meshes_stand_by_themselves_and_extensions_of_look_do_not_refuse_a_file() {
    let file = |skin: &str, needed: &str| {
        let numbers: Vec<u8> = [0_f32, 0., 0., 1., 0., 0., 0., 1., 0.]
            .iter()
            .flat_map(|number| number.to_le_bytes())
            .collect();
        let uri = base64::Engine::encode(&base64::prelude::BASE64_STANDARD, numbers);
        format!(
            r#"{{"asset":{{"version":"2.0"}},"extensionsRequired":["{needed}"],
            "buffers":[{{"byteLength":36,"uri":"data:application/octet-stream;base64,{uri}"}}],
            "bufferViews":[{{"buffer":0,"byteLength":36}}],
            "accessors":[{{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"}}],
            "meshes":[{{"primitives":[{{"attributes":{{"POSITION":0}}}}]}}],
            "skins":[{{"joints":[1]}}],"scenes":[{{"nodes":[0,1]}}],
            "nodes":[{{"mesh":0,{skin}"translation":[5,0,0]}},{{"name":"Bone"}}]}}"#
        )
    };
    for (skin, needed, at) in
        [("", "KHR_materials_unlit", 5.0), (r#""skin":0,"#, "KHR_texture_transform", 0.0)]
    {
        let import = read("flag.gltf", file(skin, needed).as_bytes()).unwrap();
        assert_eq!(import.parts[0].mesh.positions()[0].x, at);
    }
    for needed in ["KHR_draco_mesh_compression", "EXT_mesh_gpu_instancing", "ACME_secret"] {
        let error = read("flag.gltf", file("", needed).as_bytes()).unwrap_err();
        assert!(error.cause.contains(needed), "{error}");
    }
}

/// A tube around Z, closed by a seam: its UVs run from 0 to 1 around it.
fn tube(around: u32) -> NewPart {
    let point = |i: u32| {
        let angle = std::f32::consts::TAU * (i % around) as f32 / around as f32;
        Vec3::new(angle.cos(), angle.sin(), (i / around) as f32)
    };
    let (mut corner_vertices, mut uvs) = (Vec::new(), Vec::new());
    for i in 0..around {
        let next = (i + 1) % around;
        for (a, b, c) in [(i, next, next + around), (i, next + around, i + around)] {
            corner_vertices.extend([a, b, c]);
        }
        let [u, v] = [i, i + 1].map(|n| n as f32 / around as f32);
        uvs.extend([[u, 0.0], [v, 0.0], [v, 1.0], [u, 0.0], [v, 1.0], [u, 1.0]].map(Vec2::from));
    }
    let mesh = Mesh::new(MeshArrays {
        positions: (0..2 * around).map(point).collect(),
        face_starts: (0..=2 * around).map(|face| 3 * face).collect(),
        corner_vertices,
        uv_sets: vec![UvSet { name: "UV".to_owned(), uvs }],
        ..MeshArrays::default()
    });
    let mesh = mesh.unwrap();
    let mut set = NewSet::flooded("Coat", Placement::Vertex, Encoding::Data, [1.0; 4], &mesh);
    set.values = (0..mesh.vertex_count()).map(|i| [i as f32 / 99.0, 0.2, 0.4, 1.0]).collect();
    NewPart::new("Tube", mesh, vec![set])
}

/// glTF 2.0, 3.7.2: attributes belong to vertices, so that a seam of UVs makes copies of them. They
/// are one again when the file is read, and the shading goes on over the seam.
#[test]
fn a_seam_of_uvs_is_no_edge_and_a_file_that_is_written_again_is_the_same() {
    let around = 16;
    let parts = into_parts(vec![tube(around)]);
    let once = write(Format::Glb, &Shipment::of(&parts), WriteOptions::default()).unwrap();
    let gltf = gltf::Gltf::from_slice(&once.bytes).unwrap();
    let blob = gltf.blob.clone().unwrap();
    let primitive = gltf.meshes().next().unwrap().primitives().next().unwrap();
    let reader = primitive.reader(|_| Some(&blob));
    let positions: Vec<[f32; 3]> = reader.read_positions().unwrap().collect();
    assert_eq!(positions.len() as u32, 2 * around + 2, "two vertices have copies");
    for (normal, p) in reader.read_normals().unwrap().zip(positions) {
        // Of a tube's side, by reason: straight away from its axis.
        assert!(normal[0] * p[0] + normal[1] * p[1] > 0.995, "{normal:?} at {p:?}");
    }
    let back = read("tube.glb", &once.bytes).unwrap();
    let mesh = &back.parts[0].mesh;
    assert_eq!(mesh.vertex_count() as u32, 2 * around);
    assert_eq!(mesh.uv_sets()[0].uvs, parts[0].geometry.mesh().uv_sets()[0].uvs);
    assert_eq!(mesh.corner_vertices(), parts[0].geometry.mesh().corner_vertices());
    let again = into_parts(back.parts);
    let twice = write(Format::Glb, &Shipment::of(&again), WriteOptions::default()).unwrap();
    assert_eq!(once.bytes, twice.bytes);
}

/// Where a file's normals differ, its edges are hard: those copies stay apart.
#[test]
fn copies_for_hard_edges_and_for_colors_stay_apart() {
    // Six sides: they bend by 60°, which is more than a smooth surface does.
    let split = into_parts(vec![tube(6)])[0].split();
    let export = write(Format::Glb, &Shipment::of(&[split]), WriteOptions::default()).unwrap();
    let back = read("facets.glb", &export.bytes).unwrap();
    assert_eq!(back.parts[0].mesh.vertex_count(), 6 * 4, "four to each flat side");
    let mut sharp = tube(8);
    let corners = sharp.mesh.corner_count();
    sharp.sets[0].placement = Placement::Corner;
    sharp.sets[0].values = (0..corners).map(|i| [i as f32 / 99.0, 0.2, 0.4, 1.0]).collect();
    let export =
        write(Format::Glb, &Shipment::of(&into_parts(vec![sharp])), WriteOptions::default());
    let back = read("sharp.glb", &export.unwrap().bytes).unwrap();
    assert_eq!(back.parts[0].mesh.vertex_count(), corners, "each corner has a color of its own");
}
