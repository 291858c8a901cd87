//! Ready code for what reads the sets: functions in GLSL, HLSL and WGSL that give the channels their
//! meanings as names, decode signed ones and show a look; an OSL shader and a MaterialX document that
//! read the same.

mod look_nodes;
mod mix;
mod motion;
mod names;
mod nodes;
mod packed;
mod prelude;
mod says;
mod syntax;
mod writer;

use std::fmt::Write as _;

use serde::{Deserialize, Serialize};
use speckle_color::Encoding;
use speckle_model::color_set::Signed;

use crate::{Light, holds::Holds, note::ChannelNote};
pub use look_nodes::look_nodes;
pub use mix::{ImageTaken, LookCode, look_code, look_code_of};
pub use motion::MotionCode;
use names::{Named, NamedSet, capital_first, named, number, remark};
pub use nodes::{material_x, osl};
pub use says::SetSays;
pub use writer::Numbers;

/// The languages that shaders are written in.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = ShadingLanguage))]
#[serde(rename_all = "snake_case")]
pub enum Language {
    /// OpenGL Shading Language, from version 1.40 on.
    Glsl,
    /// High-Level Shader Language.
    Hlsl,
    /// WebGPU Shading Language.
    Wgsl,
}

impl Language {
    /// All of them.
    pub const ALL: [Self; 3] = [Self::Glsl, Self::Hlsl, Self::Wgsl];

    /// The file name extension, without a dot.
    #[must_use]
    pub fn extension(self) -> &'static str {
        match self {
            Self::Glsl => "glsl",
            Self::Hlsl => "hlsl",
            Self::Wgsl => "wgsl",
        }
    }
}

/// What the code shows beside the channels: a look of the stage.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Look {
    /// None: the channels alone.
    #[default]
    Channels,
    /// The first color set, flat.
    Color,
    /// The first color set in the light of a lamp, which is matt (Lambert's cosine law).
    Lit,
    /// The first color set over a checker, by its alpha.
    Checker,
    /// One channel in grey.
    Channel {
        /// The set, by name.
        set: String,
        /// 0–3 for R, G, B, A.
        channel: usize,
    },
}

/// Words that no shading language, or none of the three, leaves to names.
const RESERVED: &[&str] = &[
    "active",
    "alpha_to_coverage",
    "array",
    "asm",
    "bool",
    "break",
    "case",
    "cast",
    "class",
    "common",
    "const",
    "continue",
    "default",
    "discard",
    "do",
    "double",
    "else",
    "enum",
    "extern",
    "external",
    "false",
    "filter",
    "fixed",
    "flat",
    "float",
    "fn",
    "for",
    "goto",
    "half",
    "if",
    "in",
    "inline",
    "inout",
    "input",
    "int",
    "interface",
    "let",
    "line",
    "long",
    "loop",
    "matrix",
    "namespace",
    "noinline",
    "out",
    "output",
    "override",
    "partition",
    "pass",
    "pixelfragment",
    "point",
    "precise",
    "private",
    "public",
    "ref",
    "return",
    "sample",
    "sampler",
    "self",
    "shared",
    "short",
    "sizeof",
    "smooth",
    "snorm",
    "static",
    "std",
    "string",
    "struct",
    "super",
    "switch",
    "target",
    "template",
    "texture",
    "this",
    "triangle",
    "true",
    "type",
    "typedef",
    "uint",
    "uniform",
    "union",
    "unorm",
    "unsigned",
    "using",
    "var",
    "varying",
    "vec2",
    "vec3",
    "vec4",
    "vector",
    "void",
    "volatile",
    "while",
    "where",
];

fn decoded(vector: &str, channel: &Named) -> String {
    let plain = format!("{vector}.{}", channel.letter);
    match (channel.says.signed, channel.says.holds) {
        (Some(Signed { neutral, amount }), _) => {
            format!("({plain} - {}) * {}", number(neutral), number(amount))
        }
        (None, Some(Holds::Number { low, high })) => {
            format!("{} + {plain} * {}", number(low), number(high - low))
        }
        (None, _) => plain,
    }
}

/// A name with capitals, as types are written.
fn capital(name: &str) -> String {
    let words = name.split('_').filter(|word| !word.is_empty());
    words.map(|word| word[..1].to_ascii_uppercase() + &word[1..]).collect()
}

/// Functions that take a set's four numbers as the receiver has them and give its channels by name.
#[must_use]
pub fn code(note: &ChannelNote, look: &Look, language: Language) -> String {
    let mut out = String::new();
    let origin = &note.origin;
    let _ = writeln!(out, "// Jaunty Speckle: the channels by their names.");
    if !origin.project.is_empty() {
        let project = origin.project.split_whitespace().collect::<Vec<_>>().join(" ");
        let _ = writeln!(
            out,
            "// From the project {project}, revision {}, {}.",
            origin.revision, origin.date
        );
    }
    for set in named(note) {
        let (name, kind) = (&set.name, capital(&set.name));
        let says = match (set.set.encoding, set.set.light) {
            (Encoding::Data | Encoding::Swatch, _) => {
                "plain numbers, never to be gamma-corrected".to_owned()
            }
            (Encoding::Color, Some(light)) => format!("a color, {} in the file", light.words()),
            (Encoding::Color, None) => "a color".to_owned(),
        };
        let title = set.set.name.split_whitespace().collect::<Vec<_>>().join(" ");
        let _ = writeln!(out, "\n// {title}: {says}. {}.", capital_first(&set.whereabouts()));
        let vector = language.vector(4);
        let _ = writeln!(out, "struct {kind} {{");
        for channel in &set.channels {
            let remark = remark(channel.says);
            let _ = match language {
                Language::Wgsl => writeln!(out, "    {}: f32, // {remark}", channel.name),
                _ => writeln!(out, "    float {}; // {remark}", channel.name),
            };
        }
        let _ = match language {
            Language::Wgsl => writeln!(
                out,
                "}}\n\nfn unpack_{name}(stored: {vector}) -> {kind} {{\n    var unpacked: {kind};"
            ),
            _ => writeln!(
                out,
                "}};\n\n{kind} unpack_{name}({vector} stored) {{\n    {kind} unpacked;"
            ),
        };
        for channel in &set.channels {
            let _ =
                writeln!(out, "    unpacked.{} = {};", channel.name, decoded("stored", channel));
        }
        out.push_str("    return unpacked;\n}\n");
        out.push_str(&packed::functions(&set, language));
    }
    out.push_str(&shown(&named(note), look, language));
    out
}

/// The set that a look shows.
fn of_look<'a, 'b>(sets: &'b [NamedSet<'a>], look: &Look) -> Option<&'b NamedSet<'a>> {
    match look {
        Look::Channels => None,
        Look::Channel { set, .. } => sets.iter().find(|own| own.set.name == *set),
        Look::Color | Look::Lit | Look::Checker => {
            sets.iter().find(|own| own.set.encoding == Encoding::Color)
        }
    }
}

/// A function that gives the color of a look, in linear light.
fn shown(sets: &[NamedSet], look: &Look, language: Language) -> String {
    let Some(set) = of_look(sets, look) else { return String::new() };
    let rgb = if is_encoded(set) { "light_of(stored.rgb)" } else { "stored.rgb" };
    let [two, three, four] = [2, 3, 4].map(|count| language.vector(count));
    let (title, inputs, body) = match look {
        Look::Channels => return String::new(),
        Look::Color => ("flat", vec![], rgb.to_owned()),
        Look::Lit => (
            "in the light of a lamp",
            vec![("normal", three), ("to_light", three)],
            format!("{rgb} * max(dot(normalize(normal), normalize(to_light)), 0.0)"),
        ),
        Look::Checker => {
            // As on the stage: squares of 12 pixels, 0.42 and 0.58 encoded, here in linear light.
            let square = "fract(floor(pixel.x / 12.0) * 0.5 + floor(pixel.y / 12.0) * 0.5)";
            let square = if language == Language::Hlsl {
                square.replace("fract", "frac")
            } else {
                square.to_owned()
            };
            let mix = language.mix();
            (
                "over a checker",
                vec![("pixel", two)],
                format!(
                    "{mix}({three}(1.0, 1.0, 1.0) * (0.1473 + 0.2968 * {square}), {rgb}, stored.a)"
                ),
            )
        }
        Look::Channel { channel, .. } => {
            let letter = ["r", "g", "b", "a"][(*channel).min(3)];
            let stored = format!("stored.{letter}");
            // The stage shows plain numbers as they are, which in linear light is darker.
            let is_light = set.set.encoding == Encoding::Color && *channel < 3 && !is_encoded(set);
            let grey = if is_light { stored } else { linear(&stored, language) };
            ("one channel in grey", vec![], format!("{three}(1.0, 1.0, 1.0) * ({grey})"))
        }
    };
    let inputs = std::iter::once(("stored", four))
        .chain(inputs)
        .map(|(name, kind)| language.input(kind, name));
    let inputs = inputs.collect::<Vec<_>>().join(", ");
    let whereabouts = set.whereabouts();
    let head = match language {
        Language::Wgsl => format!("fn look({inputs}) -> {three} {{"),
        _ => format!("{three} look({inputs}) {{"),
    };
    let decoding = if body.contains("light_of(") {
        let [r, g, b] = ["c.r", "c.g", "c.b"].map(|x| linear(x, language));
        let head = match language {
            Language::Wgsl => format!("fn light_of(c: {three}) -> {three} {{"),
            _ => format!("{three} light_of({three} c) {{"),
        };
        format!(
            "\n// The light of encoded colors (IEC 61966-2-1).\n{head}\n    return {three}({r}, {g}, {b});\n}}\n"
        )
    } else {
        String::new()
    };
    format!(
        "{decoding}\n// The look, {title}: takes {whereabouts}.\n{head}\n    return {body};\n}}\n"
    )
}

/// Whether a set's colors stand encoded in the file.
fn is_encoded(set: &NamedSet) -> bool {
    set.set.light == Some(Light::Encoded)
}

/// The linear light of an encoded number (IEC 61966-2-1).
fn linear(x: &str, language: Language) -> String {
    let (low, high) = (format!("{x} / 12.92"), format!("pow(({x} + 0.055) / 1.055, 2.4)"));
    match language {
        Language::Wgsl => format!("select({high}, {low}, {x} <= 0.04045)"),
        _ => format!("{x} <= 0.04045 ? {low} : {high}"),
    }
}
