//! The same for renderers: an OSL shader and a MaterialX document.

use speckle_color::Encoding;
use speckle_model::color_set::Signed;
use std::fmt::Write as _;

use super::names::SHOWN;
use super::{Language, is_encoded, linear, names::named, number};
use crate::{note::ChannelNote, xml::escaped};

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

/// Nodes that read a set, by its place or by what the file calls it; the last of them, a color4, has the name.
pub(super) fn set_read(name: &str, title: &str, place: usize, attribute: Option<&str>) -> String {
    let numbered = match attribute {
        None => Some(place),
        Some(attribute) => attribute.strip_prefix("COLOR_").and_then(|n| n.parse().ok()),
    };
    match (numbered, attribute) {
        (Some(index), _) => format!(
            "    <geomcolor name=\"{name}\" type=\"color4\" doc=\"{title}\">\n      \
             <input name=\"index\" type=\"integer\" value=\"{index}\"/>\n    </geomcolor>\n"
        ),
        (None, Some(SHOWN)) => format!(
            "    <geompropvalue name=\"{name}_read\" type=\"color3\" doc=\"{title}\">\n      \
             <input name=\"geomprop\" type=\"string\" value=\"{SHOWN}\"/>\n    </geompropvalue>\n    \
             <convert name=\"{name}\" type=\"color4\">\n      \
             <input name=\"in\" type=\"color3\" nodename=\"{name}_read\"/>\n    </convert>\n"
        ),
        (None, attribute) => format!(
            "    <geompropvalue name=\"{name}\" type=\"color4\" doc=\"{title}\">\n      \
             <input name=\"geomprop\" type=\"string\" value=\"{}\"/>\n    </geompropvalue>\n",
            escaped(attribute.unwrap_or_default())
        ),
    }
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
        out.push_str(&set_read(name, &title, set.place, set.set.attribute.as_deref()));
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
