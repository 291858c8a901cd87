//! Looks as shading code: a function that takes the numbers of the sets and gives the material there, for GLSL, HLSL
//! and WGSL. The stage shows looks by the very GLSL that is exported.
//!
//! It reckons what `speckle_tools::mix` does.

use std::fmt::Write as _;

use serde::Serialize;
use speckle_color::{blend::Blend, linear_from_srgb};
use speckle_model::proof::{Coat, Factor, Layer, Look};

use super::{
    Language,
    names::{Names, number, plain},
};

/// A look as code.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct LookCode {
    /// All of it: the struct `LookMaterial` and the function.
    pub text: String,
    /// What the function is called.
    pub function: String,
    /// The sets whose numbers it takes, by name, in the order in which it takes them.
    pub sets: Vec<String>,
    /// Where numbers stand in an array: the look's numbers there, as JSON pointers (RFC 6901) into the look.
    pub numbers: Vec<String>,
}

/// How numbers stand in code.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Numbers {
    /// As they are.
    Written,
    /// In an array `look_numbers`, so that they change without the code.
    InArray,
}

struct Writer<'a> {
    language: Language,
    numbers: Numbers,
    pointers: Vec<String>,
    /// The sets, and what they are called in the code.
    sets: Vec<(&'a str, String)>,
    body: String,
}

/// A look as a function.
#[must_use]
pub fn look_code(look: &Look, language: Language, numbers: Numbers) -> LookCode {
    let mut names = Names::default();
    // What the function needs for itself.
    for taken in ["below", "coat", "mask", "under", "material", "light", "encoded"] {
        names.free(taken, taken);
    }
    let sets: Vec<(&str, String)> =
        look.sets().into_iter().map(|set| (set, names.free(set, "set"))).collect();
    let mut writer = Writer { language, numbers, pointers: Vec::new(), sets, body: String::new() };
    for (at, layer) in look.layers.iter().enumerate().filter(|(_, layer)| !layer.off) {
        writer.layer(at, layer);
    }
    let function = format!("material_{}", plain(&look.name, "of_layers"));
    let Writer { body, sets, pointers, .. } = writer;
    let [three, four] = match language {
        Language::Glsl => ["vec3", "vec4"],
        Language::Hlsl => ["float3", "float4"],
        Language::Wgsl => ["vec3<f32>", "vec4<f32>"],
    };
    let inputs = sets.iter().map(|(_, name)| match language {
        Language::Wgsl => format!("{name}: {four}"),
        _ => format!("{four} {name}"),
    });
    let inputs = inputs.collect::<Vec<_>>().join(", ");
    let title = look.name.split_whitespace().collect::<Vec<_>>().join(" ");
    let mut text = format!("// The look {title}.");
    for (set, name) in &sets {
        let set = set.split_whitespace().collect::<Vec<_>>().join(" ");
        let _ = write!(text, "\n// {name}: the four numbers of the set {set}, as they are stored.");
    }
    text.push_str("\n\n");
    text.push_str(&prelude(language, &body, three));
    let ground = number(linear_from_srgb(0.72));
    let _ = match language {
        Language::Wgsl => write!(
            text,
            "fn {function}({inputs}) -> LookMaterial {{\n    var material: LookMaterial;\n"
        ),
        _ => write!(text, "LookMaterial {function}({inputs}) {{\n    LookMaterial material;\n"),
    };
    let _ = write!(
        text,
        "    material.color = {three}({ground}, {ground}, {ground});\n    material.rough = 0.6;\n    \
         material.metal = 0.0;\n    material.glow = {three}(0.0, 0.0, 0.0);\n{body}    return material;\n}}\n"
    );
    LookCode {
        text,
        function,
        sets: sets.into_iter().map(|(set, _)| set.to_owned()).collect(),
        numbers: pointers,
    }
}

impl Writer<'_> {
    fn three(&self) -> &'static str {
        match self.language {
            Language::Glsl => "vec3",
            Language::Hlsl => "float3",
            Language::Wgsl => "vec3<f32>",
        }
    }

    fn mix(&self) -> &'static str {
        if self.language == Language::Hlsl { "lerp" } else { "mix" }
    }

    /// A number of the look.
    fn number(&mut self, pointer: String, value: f32) -> String {
        match self.numbers {
            Numbers::Written => number(value),
            Numbers::InArray => {
                self.pointers.push(pointer);
                format!("look_numbers[{}]", self.pointers.len() - 1)
            }
        }
    }

    fn color(&mut self, pointer: &str, color: [f32; 3]) -> String {
        let [r, g, b] = [0, 1, 2].map(|i| self.number(format!("{pointer}/{i}"), color[i]));
        format!("{}({r}, {g}, {b})", self.three())
    }

    fn set(&self, name: &str) -> &str {
        self.sets.iter().find(|(set, _)| *set == name).map_or("", |(_, name)| name)
    }

    fn factor(&self, factor: &Factor) -> String {
        let letter = ["r", "g", "b", "a"][usize::from(factor.channel.min(3))];
        let number = format!("{}.{letter}", self.set(&factor.set));
        if factor.complement { format!("(1.0 - {number})") } else { number }
    }

    fn local(&self, kind: &str, name: &str, value: &str) -> String {
        match self.language {
            Language::Wgsl => format!("        let {name} = {value};\n"),
            _ => format!("        {kind} {name} = {value};\n"),
        }
    }

    fn layer(&mut self, at: usize, layer: &Layer) {
        let (three, mix) = (self.three(), self.mix());
        let pointer = format!("/layers/{at}");
        let name = layer.name.split_whitespace().collect::<Vec<_>>().join(" ");
        let mut out = format!("    {{ // {name}\n");
        let mask = self.mask(&pointer, layer);
        out.push_str(&self.local("float", "mask", &mask));
        let coat = self.coat(&pointer, &layer.coat);
        out.push_str(&self.local(three, "coat", &coat));
        if layer.blend == Blend::Normal {
            let _ = writeln!(
                out,
                "        material.color = {mix}(material.color, look_light(coat), mask);"
            );
        } else {
            out.push_str(&self.local(three, "under", "look_encoded(material.color)"));
            let [r, g, b] = ["r", "g", "b"]
                .map(|letter| format!("look_{}(under.{letter}, coat.{letter})", word(layer.blend)));
            let _ = writeln!(
                out,
                "        material.color = look_light({mix}(under, {three}({r}, {g}, {b}), mask));"
            );
        }
        for (field, value) in [("rough", layer.rough), ("metal", layer.metal)] {
            if let Some(value) = value {
                let value = self.number(format!("{pointer}/{field}"), value);
                let _ = writeln!(
                    out,
                    "        material.{field} = {mix}(material.{field}, {value}, mask);"
                );
            }
        }
        if let Some(glow) = layer.glow {
            let glow = self.number(format!("{pointer}/glow"), glow);
            let _ = writeln!(
                out,
                "        material.glow = {mix}(material.glow, look_light(coat) * {glow}, mask);"
            );
        }
        out.push_str("    }\n");
        self.body.push_str(&out);
    }

    fn mask(&mut self, pointer: &str, layer: &Layer) -> String {
        let drive = &layer.drive;
        let product = if drive.factors.is_empty() {
            "1.0".to_owned()
        } else {
            let factors: Vec<String> = drive.factors.iter().map(|own| self.factor(own)).collect();
            factors.join(" * ")
        };
        let contrast = self.number(format!("{pointer}/drive/contrast"), drive.contrast);
        let offset = self.number(format!("{pointer}/drive/offset"), drive.offset);
        let strength = self.number(format!("{pointer}/strength"), layer.strength);
        let inner = format!("({product} - 0.5) * ({contrast}) + 0.5 + ({offset})");
        let held = match self.language {
            Language::Hlsl => format!("saturate({inner})"),
            _ => format!("clamp({inner}, 0.0, 1.0)"),
        };
        let held = if drive.inverted { format!("(1.0 - {held})") } else { held };
        format!("{held} * {strength}")
    }

    fn coat(&mut self, pointer: &str, coat: &Coat) -> String {
        let (three, mix) = (self.three(), self.mix());
        match coat {
            Coat::Color { color } => self.color(&format!("{pointer}/coat/color"), *color),
            Coat::Set { set } => format!("{}.rgb", self.set(set)),
            Coat::Ramp { stops, by } => {
                let along = self.factor(by);
                let held = match self.language {
                    Language::Hlsl => format!("saturate({along})"),
                    _ => format!("clamp({along}, 0.0, 1.0)"),
                };
                let stops: Vec<String> = stops
                    .iter()
                    .enumerate()
                    .map(|(i, stop)| self.color(&format!("{pointer}/coat/stops/{i}"), *stop))
                    .collect();
                match stops.as_slice() {
                    [low, high] => format!("{mix}({low}, {high}, {held})"),
                    [low, middle, high] => {
                        let first = format!("min({held} * 2.0, 1.0)");
                        let second = format!("max({held} * 2.0 - 1.0, 0.0)");
                        format!("{mix}({mix}({low}, {middle}, {first}), {high}, {second})")
                    }
                    _ => format!("{three}(0.0, 0.0, 0.0)"),
                }
            }
            Coat::Shift { set, amounts } => {
                let set = self.set(set).to_owned();
                let amounts = self.color(&format!("{pointer}/coat/amounts"), *amounts);
                let half = format!("{three}(0.5, 0.5, 0.5)");
                format!("look_shifted(material.color, ({set}.rgb - {half}) * 2.0 * {amounts})")
            }
        }
    }
}

/// What a way of blending is called in the code.
fn word(blend: Blend) -> &'static str {
    match blend {
        Blend::Multiply => "multiply",
        Blend::Screen => "screen",
        Blend::Overlay => "overlay",
        Blend::SoftLight => "soft_light",
        Blend::HardLight => "hard_light",
        Blend::Darken => "darken",
        Blend::Lighten => "lighten",
        Blend::Difference => "difference",
        Blend::Add => "add",
        Blend::Subtract => "subtract",
        _ => "normal",
    }
}

/// A function of numbers of one kind: its name, what it takes, and what it gives.
struct Helper {
    name: &'static str,
    takes: &'static [&'static str],
    gives: &'static str,
}

/// Ways of blending, by W3C Compositing and Blending Level 1, section 10.1: `b` the backdrop, `s` the source. Those
/// that others need come before them. `?:` stands for a choice.
const BLENDS: &[Helper] = &[
    Helper { name: "multiply", takes: &["b", "s"], gives: "b * s" },
    Helper { name: "screen", takes: &["b", "s"], gives: "b + s - b * s" },
    Helper {
        name: "hard_light",
        takes: &["b", "s"],
        gives: "?(s <= 0.5 : b * 2.0 * s : b + (2.0 * s - 1.0) - b * (2.0 * s - 1.0))",
    },
    Helper { name: "overlay", takes: &["b", "s"], gives: "look_hard_light(s, b)" },
    Helper {
        name: "soft_light",
        takes: &["b", "s"],
        gives: "?(s <= 0.5 : b - (1.0 - 2.0 * s) * b * (1.0 - b) : b + (2.0 * s - 1.0) * (?(b <= 0.25 : ((16.0 * b - \
                12.0) * b + 4.0) * b : sqrt(b)) - b))",
    },
    Helper { name: "darken", takes: &["b", "s"], gives: "min(b, s)" },
    Helper { name: "lighten", takes: &["b", "s"], gives: "max(b, s)" },
    Helper { name: "difference", takes: &["b", "s"], gives: "abs(b - s)" },
    Helper { name: "add", takes: &["b", "s"], gives: "min(b + s, 1.0)" },
    Helper { name: "subtract", takes: &["b", "s"], gives: "max(b - s, 0.0)" },
];

/// A choice as the language writes it: `?(condition : if so : if not)`, innermost first.
fn choices(text: &str, language: Language) -> String {
    let mut text = text.to_owned();
    while let Some(start) = text.rfind("?(") {
        let inner = start + 2;
        let (mut depth, mut parts, mut from) = (0, Vec::new(), inner);
        let mut end = text.len();
        for (at, c) in text[inner..].char_indices().map(|(at, c)| (inner + at, c)) {
            match c {
                '(' => depth += 1,
                ')' if depth == 0 => {
                    parts.push(text[from..at].trim().to_owned());
                    end = at;
                    break;
                }
                ')' => depth -= 1,
                ':' if depth == 0 => {
                    parts.push(text[from..at].trim().to_owned());
                    from = at + 1;
                }
                _ => {}
            }
        }
        let [condition, yes, no] = [0, 1, 2].map(|i| parts.get(i).cloned().unwrap_or_default());
        let choice = match language {
            Language::Wgsl => format!("select({no}, {yes}, {condition})"),
            // Not as a colon, which parts choices here; it becomes one at last.
            _ => format!("(({condition}) \u{1} ({yes}) \u{2} ({no}))"),
        };
        text.replace_range(start..=end, &choice);
    }
    text.replace('\u{1}', "?").replace('\u{2}', ":")
}

/// What the body needs: the struct, and the functions it calls.
fn prelude(language: Language, body: &str, three: &str) -> String {
    let mut out = String::from("struct LookMaterial {\n");
    let fields = [
        ("color", three, "in linear light"),
        ("rough", "float", "0 to 1"),
        ("metal", "float", "0 to 1"),
        ("glow", three, "the light that it gives, linear"),
    ];
    for (name, kind, says) in fields {
        let _ = match language {
            Language::Wgsl => {
                let kind = if kind == "float" { "f32" } else { kind };
                writeln!(out, "    {name}: {kind}, // {says}")
            }
            _ => writeln!(out, "    {kind} {name}; // {says}"),
        };
    }
    out.push_str(if language == Language::Wgsl { "}\n\n" } else { "};\n\n" });
    let scalar = if language == Language::Wgsl { "f32" } else { "float" };
    let function = |name: &str, kind: &str, takes: &[&str], gives: &str| {
        let inputs = takes.iter().map(|input| match language {
            Language::Wgsl => format!("{input}: {kind}"),
            _ => format!("{kind} {input}"),
        });
        let inputs = inputs.collect::<Vec<_>>().join(", ");
        let gives = choices(gives, language);
        match language {
            Language::Wgsl => {
                format!("fn {name}({inputs}) -> {kind} {{\n    return {gives};\n}}\n\n")
            }
            _ => format!("{kind} {name}({inputs}) {{\n    return {gives};\n}}\n\n"),
        }
    };
    // The sRGB transfer function, IEC 61966-2-1.
    let light = "?(c <= 0.04045 : c / 12.92 : pow(max(c + 0.055, 0.0) / 1.055, 2.4))";
    let encoded = "?(c <= 0.0031308 : c * 12.92 : 1.055 * pow(max(c, 0.0), 1.0 / 2.4) - 0.055)";
    let needs_shift = body.contains("look_shifted(");
    for (name, formula, is_needed) in [
        ("light", light, body.contains("look_light(")),
        ("encoded", encoded, body.contains("look_encoded(") || needs_shift),
    ] {
        if is_needed {
            let one = format!("look_{name}_of");
            out.push_str(&function(&one, scalar, &["c"], formula));
            let all = format!("{three}({one}(c.r), {one}(c.g), {one}(c.b))");
            out.push_str(&function(&format!("look_{name}"), three, &["c"], &all));
        }
    }
    let is_asked = |name: &str| body.contains(&format!("look_{name}("));
    for helper in BLENDS {
        let is_needed =
            is_asked(helper.name) || (helper.name == "hard_light" && is_asked("overlay"));
        if is_needed {
            let name = format!("look_{}", helper.name);
            out.push_str(&function(&name, scalar, helper.takes, helper.gives));
        }
    }
    if needs_shift {
        out.push_str(&shift(language, three));
    }
    out
}

/// The shift of a color in OKLab, with the matrices of CSS Color 4, section 10.10.
fn shift(language: Language, three: &str) -> String {
    let to_lms = [
        [0.412_221_46, 0.536_332_55, 0.051_445_99],
        [0.211_903_5, 0.680_699_5, 0.107_396_96],
        [0.088_302_46, 0.281_718_85, 0.629_978_7],
    ];
    let to_lab = [
        [0.210_454_26, 0.793_617_8, -0.004_072_047],
        [1.977_998_5, -2.428_592_2, 0.450_593_7],
        [0.025_904_037, 0.782_771_77, -0.808_675_77],
    ];
    let from_lab = [
        [1.0, 0.396_337_78, 0.215_803_76],
        [1.0, -0.105_561_346, -0.063_854_17],
        [1.0, -0.089_484_18, -1.291_485_5],
    ];
    let from_lms = [
        [4.076_741_7, -3.307_711_6, 0.230_969_94],
        [-1.268_438, 2.609_757_4, -0.341_319_38],
        [-0.004_196_086_3, -0.703_418_6, 1.707_614_7],
    ];
    let rows = |matrix: [[f32; 3]; 3], of: &str| {
        let rows = matrix.map(|row| {
            let [a, b, c] = row.map(number);
            format!("dot({three}({a}, {b}, {c}), {of})")
        });
        format!("{three}({})", rows.join(", "))
    };
    let local = |name: &str, value: &str| match language {
        Language::Wgsl => format!("    let {name} = {value};\n"),
        _ => format!("    {three} {name} = {value};\n"),
    };
    let head = match language {
        Language::Wgsl => format!("fn look_shifted(c: {three}, by: {three}) -> {three} {{\n"),
        _ => format!("{three} look_shifted({three} c, {three} by) {{\n"),
    };
    let zeros = format!("{three}(0.0, 0.0, 0.0)");
    let ones = format!("{three}(1.0, 1.0, 1.0)");
    let third = format!("{three}(1.0 / 3.0, 1.0 / 3.0, 1.0 / 3.0)");
    [
        head,
        local("cone", &format!("max({}, {zeros})", rows(to_lms, "c"))),
        local("root", &format!("pow(cone, {third})")),
        local("lab", &format!("{} + by", rows(to_lab, "root"))),
        local("roots", &rows(from_lab, "lab")),
        local("linear_c", &rows(from_lms, "(roots * roots * roots)")),
        format!("    return look_encoded(clamp(linear_c, {zeros}, {ones}));\n}}\n\n"),
    ]
    .concat()
}
