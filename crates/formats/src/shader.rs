//! Ready code for what reads the sets: functions in GLSL, HLSL and WGSL that give the channels their
//! meanings as names and decode signed ones, and a MaterialX document that reads the same.

use std::{collections::HashSet, fmt::Write as _};

use speckle_core::{Encoding, color_set::Signed};

use crate::{
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
pub fn code(note: &ChannelNote, language: Language) -> String {
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
        let says = match set.set.encoding {
            Encoding::Color => "a color in linear light, as glTF and USD hold it",
            Encoding::Data => "plain numbers, never to be gamma-corrected",
        };
        let title = set.set.name.split_whitespace().collect::<Vec<_>>().join(" ");
        let _ =
            writeln!(out, "\n// {title}: {says}. The set at place {}, counted from 0.", set.place);
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
        let _ = writeln!(
            out,
            "    <geomcolor name=\"{name}\" type=\"color4\" doc=\"{}\">\n      \
             <input name=\"index\" type=\"integer\" value=\"{}\"/>\n    </geomcolor>",
            escaped(&set.set.name),
            set.place
        );
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
            let _ = writeln!(
                outputs,
                "    <output name=\"{name}_color\" type=\"color3\" nodename=\"{name}_opaque\"/>"
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
