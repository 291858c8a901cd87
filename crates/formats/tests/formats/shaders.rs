//! Shader code for the channels: parsed and validated by `naga`, the reference translator of WebGPU's
//! shading language, which reads GLSL as well.

use glam::Vec3;
use naga::{
    front::{glsl, wgsl},
    valid::{Capabilities, ValidationFlags, Validator},
};
use speckle_color::Encoding;
use speckle_formats::{
    DataSets, Depth, Format, Light, Shipment, WriteOptions,
    holds::Holds,
    note::{ChannelNote, ChannelSays, Origin, SetNote},
    shader::{Language, Look, code, material_x, osl},
    write,
};
use speckle_mesh::{Mesh, Placement, Unit, UpAxis, mesh::MeshArrays};
use speckle_model::{NewPart, NewSet, ProjectTraits, color_set::Signed};

fn channel(letter: &str, meaning: &str, signed: Option<Signed>) -> ChannelSays {
    ChannelSays {
        channel: letter.to_owned(),
        meaning: meaning.to_owned(),
        low: "still\nwater".to_owned(),
        high: String::new(),
        range: [0.0, 1.0],
        signed,
        holds: None,
        decode: String::new(),
        made: String::new(),
    }
}

/// Sets whose names no language would take as they are.
fn note() -> ChannelNote {
    let set = |name: &str, encoding, meanings: [(&str, Option<Signed>); 4]| SetNote {
        part: "Bollard".to_owned(),
        name: name.to_owned(),
        placement: Placement::Vertex,
        encoding,
        attribute: None,
        light: None,
        channels: meanings
            .into_iter()
            .zip(["R", "G", "B", "A"])
            .map(|((meaning, signed), letter)| channel(letter, meaning, signed))
            .collect(),
    };
    let signed = Some(Signed { neutral: 0.5, amount: 2.0 });
    let tiny = Some(Signed { neutral: 0.0, amount: 1e-7 });
    ChannelNote {
        generator: "Jaunty Speckle".to_owned(),
        origin: Origin { project: "Quay\nwall".to_owned(), ..Origin::default() },
        unit: Unit::Metre,
        spools: Vec::new(),
        up: UpAxis::Y,
        sets: vec![
            set("2nd float!", Encoding::Color, [("", None), ("", None), ("", None), ("", None)]),
            set(
                "Wear & tear",
                Encoding::Data,
                [("sway", signed), ("sway", tiny), ("sampler", None), ("höhe über Grund", None)],
            ),
            set(
                "Wear - tear",
                Encoding::Data,
                [("float", None), ("3 layers", None), ("a__b", None), ("struct", None)],
            ),
        ],
    }
}

fn validate(module: &naga::Module) {
    Validator::new(ValidationFlags::all(), Capabilities::empty()).validate(module).unwrap();
}

/// Has a text compiled: WGSL by `naga`, GLSL and HLSL by Khronos' reference compiler, glslang.
pub fn compiles(language: Language, text: &str) {
    let (main, flags): (&str, &[&str]) = match language {
        Language::Wgsl => {
            let module = wgsl::parse_str(text).unwrap_or_else(|error| panic!("{error}\n{text}"));
            return validate(&module);
        }
        Language::Glsl => ("void main() {}", &[]),
        Language::Hlsl => ("float4 main() : SV_Target { return float4(0, 0, 0, 1); }", &["-D"]),
    };
    let head = if language == Language::Glsl { "#version 450\n" } else { "" };
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("shader.frag");
    std::fs::write(&file, format!("{head}{text}\n{main}\n")).unwrap();
    let done = std::process::Command::new("glslangValidator")
        .args(["-V", "-S", "frag", "-e", "main"])
        .args(flags)
        .arg("-o")
        .arg(folder.path().join("shader.spv"))
        .arg(&file)
        .output()
        .expect("glslangValidator is missing: run `cargo xtask test`");
    assert!(done.status.success(), "{}\n{text}", String::from_utf8_lossy(&done.stdout));
}

#[test]
fn wgsl_and_glsl_are_what_their_readers_take() {
    let text = code(&note(), &Look::Channels, Language::Wgsl);
    let module = wgsl::parse_str(&text).unwrap_or_else(|error| panic!("{error}\n{text}"));
    validate(&module);
    let names: Vec<&str> = module.functions.iter().filter_map(|(_, f)| f.name.as_deref()).collect();
    assert_eq!(names, ["unpack_the_2nd_float", "unpack_wear_tear", "unpack_wear_tear_2"]);

    let text = format!(
        "#version 450\n{}\nvoid main() {{}}\n",
        code(&note(), &Look::Channels, Language::Glsl)
    );
    compiles(Language::Glsl, &code(&note(), &Look::Channels, Language::Glsl));
    let options = glsl::Options::from(naga::ShaderStage::Fragment);
    let module = glsl::Frontend::default().parse(&options, &text);
    validate(&module.unwrap_or_else(|error| panic!("{error:?}\n{text}")));
}

#[test]
fn channels_have_their_meanings_as_names_and_are_decoded() {
    let text = code(&note(), &Look::Channels, Language::Hlsl);
    compiles(Language::Hlsl, &text);
    for said in [
        "struct WearTear {",
        "float sway; // R, 0 is still water",
        "float sway_2;",
        "float the_sampler;",
        "float h_he_ber_grund;",
        "WearTear unpack_wear_tear(float4 stored) {",
        "unpacked.sway = (stored.r - 0.5) * 2.0;",
        "unpacked.sway_2 = (stored.g - 0.0) * 0.000000100;",
        "float the_3_layers;",
        "float a_b;",
        "// From the project Quay wall, revision 0, .",
    ] {
        assert!(text.contains(said), "{said}\n{text}");
    }
}

/// What a recipe packed is taken out by functions of its own; each language's compiler reads them.
#[test]
fn packed_numbers_have_functions_that_take_them_out() {
    let mut packed = note();
    let holds = |channel: &mut ChannelSays, holds| channel.holds = Some(holds);
    let [r, g, b, a] = &mut packed.sets[1].channels[..] else { panic!("four channels") };
    (r.signed, g.signed) = (None, None);
    holds(r, Holds::HighByte { low: -2.0, high: 6.0 });
    holds(g, Holds::LowByte);
    holds(b, Holds::Number { low: 0.0, high: 255.0 });
    a.holds = None;
    let [r, g, ..] = &mut packed.sets[2].channels[..] else { panic!("four channels") };
    holds(r, Holds::FoldedAcross);
    holds(g, Holds::FoldedUp);
    for language in Language::ALL {
        let text = code(&packed, &Look::Channels, language);
        compiles(language, &text);
        assert!(text.contains("-2.0 + (floor(stored.r * 255.0 + 0.5) * 256.0"), "{text}");
        assert!(text.contains("unpacked.the_sampler = 0.0 + stored.b * 255.0;"), "{text}");
        assert!(text.contains("whole_wear_tear_sway("), "{text}");
        assert!(text.contains("direction_wear_tear_2("), "{text}");
    }
}

/// What recipes say is told of their channels.
#[test]
fn a_note_tells_what_recipes_packed() {
    use speckle_core::{Document, Edit, RecipeEdit};
    use speckle_model::recipe::RecipeFile;
    let arrays = MeshArrays {
        positions: vec![
            Vec3::new(-1.0, 0.0, 0.0),
            Vec3::new(3.0, 0.0, 0.0),
            Vec3::new(0.0, 2.0, 1.0),
        ],
        face_starts: vec![0, 3],
        corner_vertices: vec![0, 1, 2],
        ..MeshArrays::default()
    };
    let mut document = Document::default();
    let part = NewPart::new("Part", Mesh::new(arrays).unwrap(), vec![]);
    document.apply(Edit::bring_in(vec![part])).unwrap();
    let id = document.parts()[0].id;
    let place = r#""source":{"kind":"position","space":"part"}"#;
    let file = RecipeFile::read(&format!(
        r#"{{"set":"Place","recipes":[
            {{"channels":"R","steps":[{{{place},"take":"r","shaping":[{{"kind":"byte","half":"high"}}]}}]}},
            {{"channels":"G","steps":[{{{place},"take":"r","shaping":[{{"kind":"byte","half":"low"}}]}}]}},
            {{"channels":"B","steps":[{{"source":{{"kind":"piece_number"}}}}]}},
            {{"channels":"A","steps":[{{"source":{{"kind":"piece_number"}},"shaping":[{{"kind":"invert"}}]}}]}}]}}"#
    ));
    let (part, set, file) = (id, None, file.unwrap());
    document.apply(Edit::from(RecipeEdit::TakeRecipes { part, set, file })).unwrap();
    let note = ChannelNote::of(document.parts(), ProjectTraits::default(), Origin::default());
    let holds: Vec<_> = note.sets[0].channels.iter().map(|channel| channel.holds).collect();
    let expected = [
        Some(Holds::HighByte { low: -1.0, high: 3.0 }),
        Some(Holds::LowByte),
        Some(Holds::Number { low: 0.0, high: 255.0 }),
        None,
    ];
    assert_eq!(holds, expected);
    assert!(note.sets[0].channels[0].decode.contains("65535 × 4"));
}

#[test]
fn the_materialx_document_reads_every_channel_by_name() {
    let text = material_x(&note());
    for said in [
        "<geomcolor name=\"wear_tear\" type=\"color4\" doc=\"Wear &amp; tear\">",
        "<input name=\"index\" type=\"integer\" value=\"1\"/>",
        "<output name=\"wear_tear_sway\" type=\"float\" nodename=\"wear_tear_sway_decoded\"/>",
        "<output name=\"wear_tear_the_sampler\" type=\"float\" nodename=\"wear_tear_parts\" output=\"outb\"/>",
        "nodegraph=\"channels\" output=\"the_2nd_float_color\"",
    ] {
        assert!(text.contains(said), "{said}\n{text}");
    }
    // Without a color set there is nothing to show.
    let mut data = note();
    data.sets.remove(0);
    assert!(!material_x(&data).contains("standard_surface"));
}

/// Each look is one function that the reference translator takes, and shows what its name says.
#[test]
fn a_look_of_the_stage_is_a_function_of_the_stored_numbers() {
    let alone = Look::Channel { set: "Wear & tear".into(), channel: 2 };
    for (look, says) in [
        (Look::Color, "return stored.rgb;"),
        (Look::Lit, "max(dot(normalize(normal), normalize(to_light)), 0.0)"),
        (Look::Checker, "stored.rgb, stored.a)"),
        (alone, "stored.b + 0.055) / 1.055, 2.4)"),
    ] {
        let all = Language::ALL.map(|language| code(&note(), &look, language));
        assert!(all.iter().all(|text| text.contains(says)), "{look:?}");
        for (language, text) in Language::ALL.into_iter().zip(&all) {
            compiles(language, text);
        }
        let [_, hlsl, web] = all;
        let module = wgsl::parse_str(&web).unwrap();
        assert!(module.functions.iter().any(|(_, own)| own.name.as_deref() == Some("look")));
        // HLSL has its own words for the same.
        assert!(!hlsl.contains("mix(") && !hlsl.contains("fract(") && !hlsl.contains("vec"));
    }
    let gone = Look::Channel { set: "Nowhere".into(), channel: 0 };
    assert!(
        !code(&note(), &gone, Language::Glsl).contains("look("),
        "a set that is not sent has no look"
    );
}

/// What a file stores encoded is decoded before it is shown, in every language.
#[test]
fn a_look_decodes_what_the_file_stores_encoded() {
    let encoded = note().stored(|_| Light::Encoded);
    let linear = note().stored(|_| Light::Linear);
    for look in [Look::Color, Look::Lit, Look::Checker] {
        for language in Language::ALL {
            let (of_encoded, of_light) =
                (code(&encoded, &look, language), code(&linear, &look, language));
            assert!(of_encoded.contains("light_of(stored.rgb)"), "{of_encoded}");
            assert!(of_encoded.contains("a color, sRGB-encoded in the file"), "{of_encoded}");
            assert!(!of_light.contains("light_of("), "{of_light}");
            compiles(language, &of_encoded);
            compiles(language, &of_light);
        }
    }
    let alone = Look::Channel { set: "2nd float!".into(), channel: 0 };
    assert!(
        code(&encoded, &alone, Language::Glsl).contains("pow((stored.r + 0.055) / 1.055, 2.4)")
    );
    assert!(code(&linear, &alone, Language::Glsl).contains("* (stored.r)"));
    assert!(osl(&encoded).contains("color(light_of(the_2nd_float_stored[0]), light_of("));
    assert!(!osl(&linear).contains("light_of"));
    let document = material_x(&encoded);
    assert!(document.contains("nodename=\"the_2nd_float_light\""), "{document}");
    assert!(!material_x(&linear).contains("srgb_texture_to_lin_rec709"));
}

/// OSL has no compiler in a registry. Its statements are C's, as HLSL's are: with the words that are
/// OSL's own put into HLSL's, glslang reads them, and finds what is no name, not declared or not ended.
fn reads_as_c(osl: &str) {
    let own = |line: &&str| {
        let line = line.trim_start();
        !line.starts_with("string ") && !line.starts_with("getattribute(")
    };
    let text: Vec<&str> = osl.lines().filter(own).collect();
    let mut text = text.join("\n");
    for (theirs, ours) in [
        ("shader channels(", "void channels("),
        ("output color ", "out float3 "),
        ("output float ", "out float "),
        (" = 1,\n", ",\n"),
        (" = 0,\n", ",\n"),
        (" = 0\n)", "\n)"),
        (" color(", " float3("),
    ] {
        text = text.replace(theirs, ours);
    }
    compiles(Language::Hlsl, &text);
}

/// Open Shading Language 1.9: `getattribute` fills an array by the attribute's name.
#[test]
fn an_osl_shader_reads_every_set_and_gives_its_channels_decoded() {
    let text = osl(&note());
    for line in [
        "string wear_tear_attribute = \"Wear & tear\",",
        "getattribute(wear_tear_2_attribute, wear_tear_2_stored);",
        "output color the_2nd_float_color = 1,",
        "wear_tear_sway = (wear_tear_stored[0] - 0.5) * 2.0;",
        "wear_tear_the_sampler = wear_tear_stored[2];",
    ] {
        assert!(text.contains(line), "{line} is missing in\n{text}");
    }
    reads_as_c(&text);
    reads_as_c(&osl(&note().stored(|_| Light::Encoded)));
    let count = |c: char| text.matches(c).count();
    assert_eq!(count('('), count(')'));
    assert_eq!(count('{'), count('}'));
    // Types have names that sets often have: no variable is called so alone.
    let mut plain = note();
    plain.sets[0].name = "Color".into();
    let text_of_plain = osl(&plain);
    assert!(text_of_plain.contains("float color_stored[4]"), "{text_of_plain}");
    assert!(!text_of_plain.contains("float color["), "{text_of_plain}");
    let outputs = text.lines().filter(|line| line.contains("output ")).count();
    assert_eq!(outputs, 3 * 4 + 1, "a number for each channel, and the color");
}

/// A data set that stands before a color in the project, and white that is put in front: the code
/// reads each set where the file has it.
#[test]
fn code_reads_sets_where_the_file_has_them() {
    let mesh = Mesh::new(MeshArrays {
        positions: vec![Vec3::ZERO, Vec3::X, Vec3::Y],
        face_starts: vec![0, 3],
        corner_vertices: vec![0, 1, 2],
        ..MeshArrays::default()
    })
    .unwrap();
    let set = |name: &str, encoding, x: f32| {
        NewSet::flooded(name, Placement::Vertex, encoding, [x, x, x, 1.0], &mesh)
    };
    let only_data = vec![set("Moss", Encoding::Data, 0.25), set("Wind", Encoding::Data, 0.5)];
    let mut mixed = only_data.clone();
    mixed.insert(1, set("Coat", Encoding::Color, 1.0));
    for sets in [mixed, only_data] {
        let parts =
            crate::common::into_parts(vec![NewPart::new("Tile", mesh.clone(), sets.clone())]);
        let shipment = Shipment::of(&parts);
        let note = || ChannelNote::of(&parts, ProjectTraits::default(), Origin::default());
        for data in [DataSets::AsColors, DataSets::BehindWhite, DataSets::Named] {
            let options = WriteOptions { data, depth: Depth::Float, ..WriteOptions::default() };
            let written = write(Format::Glb, &shipment, options).unwrap().bytes;
            let head = u32::from_le_bytes(written[12..16].try_into().unwrap()) as usize;
            let json: serde_json::Value = serde_json::from_slice(&written[20..20 + head]).unwrap();
            let note = note().called(&parts, Format::Glb, data);
            for own in &note.sets {
                let name = own.attribute.as_deref().unwrap();
                let at = &json["meshes"][0]["primitives"][0]["attributes"][name];
                let accessor = &json["accessors"][at.as_u64().unwrap() as usize];
                let view = accessor["bufferView"].as_u64().unwrap() as usize;
                let start = json["bufferViews"][view]["byteOffset"].as_u64().unwrap_or(0) as usize;
                let bytes = &written[20 + head + 8 + start..][..4];
                let stored = f32::from_le_bytes(bytes.try_into().unwrap());
                let set = sets.iter().find(|set| set.name == own.name).unwrap();
                assert_eq!(stored, set.values[0][0], "{data:?}: {} as {name}", own.name);
                let text = code(&note, &Look::Channels, Language::Glsl);
                assert!(text.contains(&format!("stored as {name}.")), "{text}");
                let document = material_x(&note);
                match name.strip_prefix("COLOR_") {
                    Some(n) => {
                        assert!(document.contains(&format!("type=\"integer\" value=\"{n}\"")))
                    }
                    None => {
                        assert!(document.contains(&format!("type=\"string\" value=\"{name}\"")))
                    }
                }
            }
        }
        let written = write(Format::Usda, &shipment, WriteOptions::default()).unwrap().bytes;
        let written = String::from_utf8(written).unwrap();
        let note = note().called(&parts, Format::Usda, DataSets::AsColors);
        let text = osl(&note);
        for own in &note.sets {
            let name = own.attribute.as_deref().unwrap();
            let at = written.find(&format!("primvars:{name} =")).unwrap();
            let said = &written[at..][..written[at..].find("interpolation").unwrap()];
            assert!(said.contains(&format!("string name = \"{}\"", own.name)), "{said}");
            assert!(text.contains(&format!("_attribute = \"{name}\"")), "{text}");
        }
        let shows = note.sets.iter().any(|own| own.attribute.as_deref() == Some("displayColor"));
        assert_eq!(shows, text.contains("color coat_read = 1;"), "{text}");
    }
}
