//! Ready code for what reads the sets: functions in GLSL, HLSL and WGSL that give the channels their
//! meanings as names, decode signed ones and show a look; an OSL shader and a MaterialX document that
//! read the same.

use std::{collections::HashSet, fmt::Write as _};

use serde::{Deserialize, Serialize};
use speckle_color::Encoding;
use speckle_model::color_set::Signed;

use crate::{
    Light,
    note::{ChannelNote, ChannelSays, SetNote},
    xml::escaped,
};

/// The languages that shaders are written in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
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

/// A name as all three languages take it: small letters, digits and single underscores.
fn plain(words: &str, usual: &str) -> String {
    let mut name = String::new();
    for c in words.chars() {
        if c.is_ascii_alphanumeric() {
            name.push(c.to_ascii_lowercase());
        } else if !name.ends_with('_') && !name.is_empty() {
            name.push('_');
        }
    }
    let name = name.trim_matches('_').to_owned();
    let name = if name.is_empty() { usual.to_owned() } else { name };
    if name.starts_with(|c: char| c.is_ascii_digit()) || RESERVED.contains(&name.as_str()) {
        format!("the_{name}")
    } else {
        name
    }
}

/// Names, each once.
#[derive(Default)]
struct Names(HashSet<String>);

impl Names {
    fn free(&mut self, words: &str, usual: &str) -> String {
        let wanted = plain(words, usual);
        let numbered = (2..).map(|n| format!("{wanted}_{n}"));
        let mut names = std::iter::once(wanted.clone()).chain(numbered);
        let name = names.find(|name| !self.0.contains(name)).unwrap_or(wanted);
        self.0.insert(name.clone());
        name
    }
}

/// A channel with its name in the code.
struct Named<'a> {
    name: String,
    letter: &'static str,
    says: &'a ChannelSays,
}

/// A set with its name in the code, and the place it is sent at.
struct NamedSet<'a> {
    name: String,
    place: usize,
    set: &'a SetNote,
    channels: Vec<Named<'a>>,
}

impl NamedSet<'_> {
    /// Where the file has it, in words.
    fn whereabouts(&self) -> String {
        match &self.set.attribute {
            Some(attribute) => format!("what is stored as {attribute}"),
            None => format!("the set at place {}, counted from 0", self.place),
        }
    }
}

fn capital_first(words: &str) -> String {
    let mut chars = words.chars();
    chars.next().map(|c| c.to_ascii_uppercase()).into_iter().chain(chars).collect()
}

/// The primvar that USD shows: three numbers, with its opacity in another.
const SHOWN: &str = "displayColor";

/// The sets of the first part that has each: parts of a project share them by name.
fn named(note: &ChannelNote) -> Vec<NamedSet<'_>> {
    let mut names = Names::default();
    let mut seen: Vec<&str> = Vec::new();
    let mut named = Vec::new();
    for set in &note.sets {
        if seen.contains(&set.name.as_str()) {
            continue;
        }
        seen.push(&set.name);
        let mut own = Names::default();
        let usual = ["red", "green", "blue", "alpha"];
        let letters = ["r", "g", "b", "a"];
        let channels = set.channels.iter().enumerate().map(|(i, says)| Named {
            name: own.free(&says.meaning, usual[i.min(3)]),
            letter: letters[i.min(3)],
            says,
        });
        let channels = channels.collect();
        let name = names.free(&set.name, "set");
        named.push(NamedSet { name, place: named.len(), set, channels });
    }
    named
}

/// A number as the languages write it: with a point.
fn number(x: f32) -> String {
    let text = format!("{x:?}");
    if text.contains('e') { format!("{x:.9}") } else { text }
}

/// What follows behind a field, for people.
fn remark(says: &ChannelSays) -> String {
    let mut remark = says.channel.clone();
    for (end, words) in [("0", &says.low), ("1", &says.high)] {
        if !words.is_empty() {
            let _ = write!(remark, ", {end} is {words}");
        }
    }
    // A line break would end the remark in the middle of words.
    remark.split_whitespace().collect::<Vec<_>>().join(" ")
}

fn decoded(vector: &str, channel: &Named) -> String {
    let plain = format!("{vector}.{}", channel.letter);
    match channel.says.signed {
        Some(Signed { neutral, amount }) => {
            format!("({plain} - {}) * {}", number(neutral), number(amount))
        }
        None => plain,
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
            (Encoding::Data, _) => "plain numbers, never to be gamma-corrected".to_owned(),
            (Encoding::Color, Some(light)) => format!("a color, {} in the file", light.words()),
            (Encoding::Color, None) => "a color".to_owned(),
        };
        let title = set.set.name.split_whitespace().collect::<Vec<_>>().join(" ");
        let _ = writeln!(out, "\n// {title}: {says}. {}.", capital_first(&set.whereabouts()));
        let (vector, open) = match language {
            Language::Glsl => ("vec4", format!("struct {kind} {{")),
            Language::Hlsl => ("float4", format!("struct {kind} {{")),
            Language::Wgsl => ("vec4<f32>", format!("struct {kind} {{")),
        };
        let _ = writeln!(out, "{open}");
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
    let [two, three, four] = match language {
        Language::Glsl => ["vec2", "vec3", "vec4"],
        Language::Hlsl => ["float2", "float3", "float4"],
        Language::Wgsl => ["vec2<f32>", "vec3<f32>", "vec4<f32>"],
    };
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
            let mix = if language == Language::Hlsl { "lerp" } else { "mix" };
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
    let inputs =
        std::iter::once(("stored", four)).chain(inputs).map(|(name, kind)| match language {
            Language::Wgsl => format!("{name}: {kind}"),
            _ => format!("{kind} {name}"),
        });
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

/// An OSL shader (Open Shading Language 1.9) that reads every set as an attribute of its name and
/// gives its channels, decoded, and the first color set.
#[must_use]
pub fn osl(note: &ChannelNote) -> String {
    let sets = named(note);
    let mut out = String::from("// Jaunty Speckle: the channels by their names.\n");
    let is_any_encoded =
        sets.iter().any(|set| set.set.encoding == Encoding::Color && is_encoded(set));
    if is_any_encoded {
        let decoded = linear("x", Language::Glsl);
        let _ = writeln!(
            out,
            "// The light of an encoded number (IEC 61966-2-1).\n\
             float light_of(float x)\n{{\n    return {decoded};\n}}\n"
        );
    }
    out.push_str("shader channels(\n");
    let (mut outputs, mut body) = (Vec::new(), String::new());
    for set in &sets {
        let name = &set.name;
        let attribute = set.set.attribute.as_ref().unwrap_or(&set.set.name);
        let attribute = attribute.replace(['\\', '"', '\n', '\r'], "_");
        let _ = writeln!(out, "    string {name}_attribute = \"{attribute}\",");
        let _ = if attribute == SHOWN {
            writeln!(
                body,
                "    color {name}_read = 1;\n    \
                 getattribute({name}_attribute, {name}_read);\n    \
                 float {name}_opacity = 1;\n    \
                 getattribute(\"displayOpacity\", {name}_opacity);\n    \
                 float {name}_stored[4] = {{ {name}_read[0], {name}_read[1], {name}_read[2], {name}_opacity }};"
            )
        } else {
            writeln!(
                body,
                "    float {name}_stored[4] = {{ 1, 1, 1, 1 }};\n    \
                 getattribute({name}_attribute, {name}_stored);"
            )
        };
        if set.set.encoding == Encoding::Color {
            outputs.push(format!("output color {name}_color = 1"));
            let stored = [0, 1, 2].map(|i| {
                let stored = format!("{name}_stored[{i}]");
                if is_encoded(set) { format!("light_of({stored})") } else { stored }
            });
            let _ = writeln!(body, "    {name}_color = color({});", stored.join(", "));
        }
        for (i, channel) in set.channels.iter().enumerate() {
            let own = format!("{name}_{}", channel.name);
            outputs.push(format!("output float {own} = 0"));
            let stored = format!("{name}_stored[{i}]");
            let value = match channel.says.signed {
                Some(Signed { neutral, amount }) => {
                    format!("({stored} - {}) * {}", number(neutral), number(amount))
                }
                None => stored,
            };
            let _ = writeln!(body, "    {own} = {value};");
        }
    }
    let _ = writeln!(out, "    {}\n)\n{{\n{body}}}", outputs.join(",\n    "));
    out
}

/// A MaterialX document (1.38): a node graph that reads each set and gives its channels by name, and
/// a surface that shows the first color set.
#[must_use]
pub fn material_x(note: &ChannelNote) -> String {
    let mut out = String::from(
        "<?xml version=\"1.0\"?>\n<materialx version=\"1.38\" colorspace=\"lin_rec709\">\n",
    );
    let sets = named(note);
    let mut outputs = String::new();
    let mut shown = None;
    out.push_str("  <nodegraph name=\"channels\">\n");
    for set in &sets {
        let name = &set.name;
        let title = escaped(&set.set.name);
        let numbered = match &set.set.attribute {
            None => Some(set.place),
            Some(attribute) => attribute.strip_prefix("COLOR_").and_then(|n| n.parse().ok()),
        };
        let _ = match (numbered, &set.set.attribute) {
            (Some(index), _) => writeln!(
                out,
                "    <geomcolor name=\"{name}\" type=\"color4\" doc=\"{title}\">\n      \
                 <input name=\"index\" type=\"integer\" value=\"{index}\"/>\n    </geomcolor>"
            ),
            (None, Some(attribute)) if attribute == SHOWN => writeln!(
                out,
                "    <geompropvalue name=\"{name}_read\" type=\"color3\" doc=\"{title}\">\n      \
                 <input name=\"geomprop\" type=\"string\" value=\"{SHOWN}\"/>\n    </geompropvalue>\n    \
                 <convert name=\"{name}\" type=\"color4\">\n      \
                 <input name=\"in\" type=\"color3\" nodename=\"{name}_read\"/>\n    </convert>"
            ),
            (None, attribute) => writeln!(
                out,
                "    <geompropvalue name=\"{name}\" type=\"color4\" doc=\"{title}\">\n      \
                 <input name=\"geomprop\" type=\"string\" value=\"{}\"/>\n    </geompropvalue>",
                escaped(attribute.as_deref().unwrap_or_default())
            ),
        };
        let _ = writeln!(
            out,
            "    <separate4 name=\"{name}_parts\" type=\"multioutput\">\n      \
             <input name=\"in\" type=\"color4\" nodename=\"{name}\"/>\n    </separate4>"
        );
        if set.set.encoding == Encoding::Color && shown.is_none() {
            shown = Some(format!("{name}_color"));
            let _ = writeln!(
                out,
                "    <convert name=\"{name}_opaque\" type=\"color3\">\n      \
                 <input name=\"in\" type=\"color4\" nodename=\"{name}\"/>\n    </convert>"
            );
            let mut last = format!("{name}_opaque");
            if is_encoded(set) {
                let _ = writeln!(
                    out,
                    "    <srgb_texture_to_lin_rec709 name=\"{name}_light\" type=\"color3\">\n      \
                     <input name=\"in\" type=\"color3\" nodename=\"{last}\"/>\n    </srgb_texture_to_lin_rec709>"
                );
                last = format!("{name}_light");
            }
            let _ = writeln!(
                outputs,
                "    <output name=\"{name}_color\" type=\"color3\" nodename=\"{last}\"/>"
            );
        }
        for channel in &set.channels {
            let own = format!("{name}_{}", channel.name);
            let part = format!("nodename=\"{name}_parts\" output=\"out{}\"", channel.letter);
            match channel.says.signed {
                None => {
                    let _ = writeln!(outputs, "    <output name=\"{own}\" type=\"float\" {part}/>");
                }
                Some(Signed { neutral, amount }) => {
                    let _ = writeln!(
                        out,
                        "    <subtract name=\"{own}_from_neutral\" type=\"float\">\n      \
                         <input name=\"in1\" type=\"float\" {part}/>\n      \
                         <input name=\"in2\" type=\"float\" value=\"{neutral}\"/>\n    </subtract>\n    \
                         <multiply name=\"{own}_decoded\" type=\"float\">\n      \
                         <input name=\"in1\" type=\"float\" nodename=\"{own}_from_neutral\"/>\n      \
                         <input name=\"in2\" type=\"float\" value=\"{amount}\"/>\n    </multiply>"
                    );
                    let _ = writeln!(
                        outputs,
                        "    <output name=\"{own}\" type=\"float\" nodename=\"{own}_decoded\"/>"
                    );
                }
            }
        }
    }
    out.push_str(&outputs);
    out.push_str("  </nodegraph>\n");
    if let Some(shown) = shown {
        let _ = write!(
            out,
            "  <standard_surface name=\"surface\" type=\"surfaceshader\">\n    \
             <input name=\"base_color\" type=\"color3\" nodegraph=\"channels\" output=\"{shown}\"/>\n  \
             </standard_surface>\n  <surfacematerial name=\"material\" type=\"material\">\n    \
             <input name=\"surfaceshader\" type=\"surfaceshader\" nodename=\"surface\"/>\n  </surfacematerial>\n"
        );
    }
    out.push_str("</materialx>\n");
    out
}
