//! Looks as shading code, which the compilers of three languages read, and as nodes, whose document hangs together.

use speckle_formats::shader::{Language, Numbers, SetSays, look_code, look_code_of, look_nodes};
use speckle_model::proof::{
    self, Coat, Disturb, Drive, Factor, LOOK_BLENDS, Laid, Lay, Layer, Motion, NormalMap, Push,
    Sway,
};

use proptest::prelude::*;

use crate::shaders::compiles;

/// A look with every way of blending, every coat, and names that no language takes as they are.
pub fn every_layer() -> proof::Look {
    let factor =
        |set: &str, channel, complement| Factor { set: set.to_owned(), channel, complement };
    let layer =
        |name: &str, coat| Layer { coat, rough: Some(0.5), ..Layer::of_color(name, [0.0; 3]) };
    let color = Coat::Color { color: [0.2, 0.4, 1e-7] };
    let mut layers: Vec<Layer> = LOOK_BLENDS
        .iter()
        .map(|&blend| Layer { blend, ..layer("multi\nline", color.clone()) })
        .collect();
    let by = factor("2nd float!", 3, true);
    layers.push(layer("Two", Coat::Ramp { stops: vec![[0.0; 3], [1.0; 3]], by: by.clone() }));
    layers.push(layer("Three", Coat::Ramp { stops: vec![[0.0; 3], [0.5; 3], [1.0; 3]], by }));
    layers.push(layer("Set", Coat::Set { set: "mask".to_owned() }));
    let shift = Coat::Shift { set: "Höhe".to_owned(), amounts: [0.1, -0.2, 0.3] };
    layers.push(Layer {
        drive: Drive {
            factors: vec![factor("mask", 0, false), factor("2nd float!", 1, true)],
            contrast: -2.0,
            offset: -0.25,
            inverted: true,
        },
        metal: Some(1.0),
        glow: Some(3.0),
        ..layer("Shift", shift)
    });
    layers.push(Layer { off: true, ..layer("Off", Coat::Set { set: "unused".to_owned() }) });
    let laid = |lay| Laid {
        image: "rust & paint.png".to_owned(),
        lay,
        repeat: [2.0, -3.0],
        offset: [0.25, 0.5],
        turn: 30.0,
    };
    let image = |lay| Coat::Image { laid: laid(lay) };
    layers.push(layer("By UV", image(Lay::Uv)));
    layers.push(Layer {
        normals: Some(NormalMap { laid: laid(Lay::Uv), strength: 0.5 }),
        through: Some(0.5),
        soft: Some(1.0),
        ..layer("From three axes", image(Lay::ThreeAxes { width: 12.5 }))
    });
    let motion = Motion {
        sway: Some(Sway {
            by: factor("mask", 0, false),
            far: 12.0,
            phase: Some(factor("moves", 2, false)),
        }),
        push: Some(Push { by: factor("mask", 1, true), far: -2.0, signed: true }),
        disturb: Some(Disturb { by: factor("moves", 1, false), far: 0.5, width: 3.0, speed: 0.25 }),
    };
    proof::Look { motion, ..proof::Look::new("struct", layers) }
}

/// Looks are code that all three languages take, with their numbers written or in an array; what is off is not in it.
#[test]
fn looks_are_code_that_all_languages_take() {
    let look = every_layer();
    for language in Language::ALL {
        let code = look_code(&look, language, Numbers::Written);
        compiles(language, &code.file());
        assert_eq!(code.sets, ["2nd float!", "mask", "Höhe"]);
        assert_eq!((code.function.as_str(), code.numbers.len()), ("material_the_struct", 0));
        assert!(!code.text.contains("unused"), "{}", code.text);
        assert_eq!(code.gives, ["through", "soft", "normal"]);
        let taken: Vec<_> = code.images.iter().map(|own| (own.image.as_str(), own.data)).collect();
        assert_eq!(taken, [("rust & paint.png", false), ("rust & paint.png", true)]);
        assert!(code.takes_uv && code.takes_place);
        assert_eq!(code.motion.unwrap().sets, ["mask", "moves"]);
        let empty = proof::Look { layers: Vec::new(), ..look.clone() };
        compiles(language, &look_code(&empty, language, Numbers::Written).text);
    }
    let code = look_code(&look, Language::Glsl, Numbers::InArray);
    let array = format!(
        "layout(set = 0, binding = 0) uniform Numbers {{ float look_numbers[{}]; }};\n",
        code.numbers.len()
    );
    compiles(Language::Glsl, &format!("{array}{}", code.file()));
    // Each number is where its pointer says.
    let json = serde_json::to_value(&look).unwrap();
    for pointer in &code.numbers {
        assert!(json.pointer(pointer).is_some_and(serde_json::Value::is_number), "{pointer}");
    }
}

/// Of a file that stores a set's colors in linear light, the code encodes them before the look takes them, in what
/// shows and in what moves, and says what channels hold.
#[test]
fn what_a_file_stores_in_light_is_encoded_first() {
    let look = every_layer();
    let says = |set: &str| {
        (set == "mask").then(|| SetSays {
            in_light: true,
            lines: vec!["R: moss".to_owned(), "G: salt, (x - 0.5) * 2".to_owned()],
            ..SetSays::default()
        })
    };
    for language in Language::ALL {
        let code = look_code_of(&look, language, Numbers::Written, says);
        compiles(language, &code.file());
        let motion = code.motion.as_ref().unwrap();
        for text in [&code.text, &motion.text] {
            assert!(text.contains("//   R: moss\n//   G: salt, (x - 0.5) * 2"), "{text}");
            let is_encoded =
                |line: &str| line.contains("encoded(mask") && line.contains("_in_light.rgb)");
            assert!(text.lines().any(is_encoded), "{text}");
        }
        // Each stands for itself as well.
        compiles(language, &code.text);
        compiles(language, &motion.text);
        let plain = look_code(&look, language, Numbers::Written).file();
        assert!(!plain.contains("in_light"), "{plain}");
    }
    let in_light = look_nodes(&look, says, str::to_owned);
    let plain = look_nodes(&look, |_| None, str::to_owned);
    let encoders = |text: &str| text.matches("<look_encoded ").count();
    assert_eq!(encoders(&in_light), encoders(&plain) + 1);
}

/// Each node of a document is named once, and takes what is there before it.
fn hangs_together(text: &str) {
    let document = elements(text);
    let mut known: Vec<(String, String)> = Vec::new();
    for (scope, element, attributes) in &document {
        let get = |name: &str| {
            attributes.iter().find(|(own, _)| own == name).map(|(_, value)| value.clone())
        };
        if let Some(node) = get("nodename") {
            let is_there = known.contains(&(scope.clone(), node.clone()));
            assert!(is_there, "{element} takes {node}, which is not in {scope} before it");
        }
        if let Some(name) =
            get("name").filter(|_| element != "input" && !element.starts_with("nodedef"))
        {
            let own = (scope.clone(), name);
            assert!(!known.contains(&own), "{own:?} twice");
            known.push(own);
        }
    }
}

/// A document of nodes: each is named once, takes what is there before it, and is shown by a surface.
#[test]
fn looks_are_nodes_that_hang_together() {
    let look = every_layer();
    let text = look_nodes(
        &look,
        |set| (set == "mask").then(|| SetSays { place: 3, ..SetSays::default() }),
        |image| format!("textures/{image}"),
    );
    hangs_together(&text);
    assert!(text.contains("<input name=\"index\" type=\"integer\" value=\"3\"/>"), "{text}");
    assert!(text.contains("value=\"textures/rust &amp; paint.png\""), "{text}");
    for wanted in ["base_color", "specular_roughness", "metalness", "emission_color", "normal"] {
        assert!(text.contains(&format!("<input name=\"{wanted}\"")), "{wanted}");
    }
}

/// An element of a document: the graph that it is in, its name, its attributes.
type Element = (String, String, Vec<(String, String)>);

/// The elements of a document in order.
fn elements(text: &str) -> Vec<Element> {
    use quick_xml::{Reader, events::Event};
    let mut reader = Reader::from_str(text);
    let (mut scope, mut all) = (String::new(), Vec::new());
    loop {
        let event = reader.read_event().unwrap();
        let (Event::Start(tag) | Event::Empty(tag)) = &event else {
            if matches!(event, Event::Eof) {
                return all;
            }
            continue;
        };
        let name = String::from_utf8(tag.name().as_ref().to_vec()).unwrap();
        let attributes: Vec<(String, String)> = tag
            .attributes()
            .map(|own| {
                let own = own.unwrap();
                let key = String::from_utf8(own.key.as_ref().to_vec()).unwrap();
                (key, String::from_utf8_lossy(&own.value).into_owned())
            })
            .collect();
        if name == "nodegraph" || name == "nodedef" {
            scope = attributes.iter().find(|(key, _)| key == "name").unwrap().1.clone();
        }
        if name == "standard_surface" || name == "surfacematerial" {
            scope = String::new();
        }
        all.push((scope.clone(), name, attributes));
    }
}

/// Names that no language takes as they are, that say the same once they are made such, or that are its own words.
const NAMES: [&str; 8] =
    ["mask", "Mask", "mask ", "float", "2nd float!", "Höhe über Grund", "look", "a--b <&> \"c\""];

fn any_factor() -> impl Strategy<Value = Factor> {
    (prop::sample::select(&NAMES[..4]), 0_u8..4, any::<bool>())
        .prop_map(|(set, channel, complement)| Factor { set: set.to_owned(), channel, complement })
}

fn any_laid() -> impl Strategy<Value = Laid> {
    let lay =
        prop_oneof![Just(Lay::Uv), (0.01_f32..100.0).prop_map(|width| Lay::ThreeAxes { width })];
    let pairs = || prop::array::uniform2(-4.0_f32..4.0);
    (prop::sample::select(&NAMES[..3]), lay, pairs(), pairs(), -180.0_f32..180.0).prop_map(
        |(image, lay, repeat, offset, turn)| Laid {
            image: image.to_owned(),
            lay,
            repeat,
            offset,
            turn,
        },
    )
}

fn any_coat() -> impl Strategy<Value = Coat> {
    let color = || prop::array::uniform3(0.0_f32..=1.0);
    let set = || prop::sample::select(&NAMES[..4]).prop_map(str::to_owned);
    prop_oneof![
        color().prop_map(|color| Coat::Color { color }),
        any_laid().prop_map(|laid| Coat::Image { laid }),
        set().prop_map(|set| Coat::Set { set }),
        (prop::collection::vec(color(), 2..=3), any_factor())
            .prop_map(|(stops, by)| Coat::Ramp { stops, by }),
        (set(), prop::array::uniform3(-1.0_f32..1.0))
            .prop_map(|(set, amounts)| Coat::Shift { set, amounts }),
    ]
}

fn any_layer() -> impl Strategy<Value = Layer> {
    let share = || prop::option::of(0.0_f32..=1.0);
    let drive =
        (prop::collection::vec(any_factor(), 0..=4), -4.0_f32..4.0, -1.0_f32..1.0, any::<bool>())
            .prop_map(|(factors, contrast, offset, inverted)| Drive {
                factors,
                contrast,
                offset,
                inverted,
            });
    let normals =
        prop::option::of((any_laid(), 0.0_f32..2.0).prop_map(|(laid, strength)| NormalMap {
            laid: Laid { lay: Lay::Uv, ..laid },
            strength,
        }));
    let surface = (share(), share(), prop::option::of(0.0_f32..8.0), share(), share(), normals);
    let kind = (prop::sample::select(&NAMES[..]), prop::sample::select(LOOK_BLENDS), any::<bool>());
    (kind, any_coat(), drive, 0.0_f32..=1.0, surface).prop_map(
        |(
            (name, blend, off),
            coat,
            drive,
            strength,
            (rough, metal, glow, through, soft, normals),
        )| Layer {
            name: name.to_owned(),
            off,
            coat,
            blend,
            drive,
            strength,
            rough,
            metal,
            glow,
            through,
            soft,
            normals,
        },
    )
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Whatever a look is made of and called, its code is taken by the reference translator of WebGPU's language with its
    /// numbers written or in an array, and its nodes hang together; each number is where its pointer says.
    #[test]
    fn any_look_is_code_and_nodes(
        name in prop::sample::select(&NAMES[..]),
        layers in prop::collection::vec(any_layer(), 0..6),
        one_sided in any::<bool>(),
    ) {
        let look = proof::Look { one_sided, ..proof::Look::new(name, layers) };
        prop_assume!(look.problem().is_none());
        let says = |set: &str| {
            let in_light = set == "mask";
            Some(SetSays { place: set.len(), in_light, lines: vec!["R: */ ${x} -->".into()], ..SetSays::default() })
        };
        compiles(Language::Wgsl, &look_code_of(&look, Language::Wgsl, Numbers::Written, says).file());
        let code = look_code(&look, Language::Wgsl, Numbers::InArray);
        let array = format!("var<private> look_numbers: array<f32, {}>;\n", code.numbers.len().max(1));
        compiles(Language::Wgsl, &format!("{array}{}", code.file()));
        let json = serde_json::to_value(&look).unwrap();
        for pointer in &code.numbers {
            prop_assert!(json.pointer(pointer).is_some_and(serde_json::Value::is_number), "{}", pointer);
        }
        hangs_together(&look_nodes(&look, says, str::to_owned));
    }
}
