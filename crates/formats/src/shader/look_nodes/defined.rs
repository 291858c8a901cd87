//! Nodes that the standard library has not, defined from those it has: encoding, hard and soft light, the shift.

use std::fmt::Write as _;

use super::super::{
    names::number,
    prelude::{OKLAB, Oklab},
};

/// The nodes of its own that a graph asks for.
pub(super) fn defined(nodes: &str) -> String {
    let mut out = String::new();
    let asks = |name: &str| nodes.contains(&format!("<{name} "));
    if asks("look_encoded") || asks("look_shifted") {
        out.push_str(&encoded());
    }
    for (name, body) in [("look_hard_light", HARD_LIGHT), ("look_soft_light", SOFT_LIGHT)] {
        if asks(name) {
            let _ = write!(
                out,
                "  <nodedef name=\"ND_{name}\" node=\"{name}\">\n    <input name=\"b\" type=\"float\" value=\"0.0\"/>\n    \
                 <input name=\"s\" type=\"float\" value=\"0.0\"/>\n    <output name=\"out\" type=\"float\"/>\n  \
                 </nodedef>\n  <nodegraph name=\"NG_{name}\" nodedef=\"ND_{name}\">\n{}  </nodegraph>\n",
                formula(body)
            );
        }
    }
    if asks("look_shifted") {
        out.push_str(&shifted());
    }
    out
}

/// Formulas in turn: what is made, of what; a name is that of an input, a number, or one made before.
type Formula = &'static [(&'static str, &'static str, &'static [&'static str])];

/// `2bs` where `s` is no more than ½, else the screen of `b` and `2s − 1`.
const HARD_LIGHT: Formula = &[
    ("twice", "multiply", &["s", "2.0"]),
    ("low", "multiply", &["b", "twice"]),
    ("rest", "subtract", &["twice", "1.0"]),
    ("sum", "add", &["b", "rest"]),
    ("product", "multiply", &["b", "rest"]),
    ("high", "subtract", &["sum", "product"]),
    ("out", "ifgreater", &["s", "0.5", "high", "low"]),
];

/// `b − (1 − 2s)b(1 − b)` where `s` is no more than ½, else `b + (2s − 1)(d − b)`, where `d` is `((16b − 12)b + 4)b`
/// up to ¼ and the root from there.
const SOFT_LIGHT: Formula = &[
    ("twice", "multiply", &["s", "2.0"]),
    ("rest", "subtract", &["twice", "1.0"]),
    ("other", "subtract", &["1.0", "b"]),
    ("both", "multiply", &["b", "other"]),
    ("bent", "multiply", &["rest", "both"]),
    ("low", "add", &["b", "bent"]),
    ("a", "multiply", &["b", "16.0"]),
    ("c", "subtract", &["a", "12.0"]),
    ("e", "multiply", &["c", "b"]),
    ("f", "add", &["e", "4.0"]),
    ("g", "multiply", &["f", "b"]),
    ("root", "power", &["b", "0.5"]),
    ("d", "ifgreater", &["b", "0.25", "root", "g"]),
    ("more", "subtract", &["d", "b"]),
    ("steep", "multiply", &["rest", "more"]),
    ("high", "add", &["b", "steep"]),
    ("out", "ifgreater", &["s", "0.5", "high", "low"]),
];

/// A formula of floats as the nodes of a graph.
fn formula(steps: Formula) -> String {
    let mut out = String::new();
    for (name, category, of) in steps {
        // A graph's output has that name: the node that gives it has another.
        let name = if *name == "out" { "given" } else { name };
        let _ = writeln!(out, "    <{category} name=\"{name}\" type=\"float\">");
        let inputs: &[&str] = match *category {
            "ifgreater" => &["value1", "value2", "in1", "in2"],
            _ => &["in1", "in2"],
        };
        for (input, of) in inputs.iter().zip(*of) {
            let value = if of.parse::<f32>().is_ok() {
                format!("value=\"{of}\"")
            } else if ["b", "s"].contains(of) {
                format!("interfacename=\"{of}\"")
            } else {
                format!("nodename=\"{of}\"")
            };
            let _ = writeln!(out, "      <input name=\"{input}\" type=\"float\" {value}/>");
        }
        let _ = writeln!(out, "    </{category}>");
    }
    out.push_str("    <output name=\"out\" type=\"float\" nodename=\"given\"/>\n");
    out
}

/// The sRGB transfer function, IEC 61966-2-1, from linear light.
fn encoded() -> String {
    let mut out = String::from(
        "  <nodedef name=\"ND_look_encoded\" node=\"look_encoded\">\n    \
         <input name=\"in\" type=\"color3\" value=\"0.0, 0.0, 0.0\"/>\n    \
         <output name=\"out\" type=\"color3\"/>\n  </nodedef>\n  \
         <nodegraph name=\"NG_look_encoded\" nodedef=\"ND_look_encoded\">\n    \
         <max name=\"held\" type=\"color3\">\n      <input name=\"in1\" type=\"color3\" interfacename=\"in\"/>\n      \
         <input name=\"in2\" type=\"float\" value=\"0.0\"/>\n    </max>\n    \
         <separate3 name=\"parts\" type=\"multioutput\">\n      \
         <input name=\"in\" type=\"color3\" nodename=\"held\"/>\n    </separate3>\n",
    );
    for part in ["r", "g", "b"] {
        let read = format!("nodename=\"parts\" output=\"out{part}\"");
        let _ = write!(
            out,
            "    <multiply name=\"low_{part}\" type=\"float\">\n      <input name=\"in1\" type=\"float\" {read}/>\n      \
             <input name=\"in2\" type=\"float\" value=\"12.92\"/>\n    </multiply>\n    \
             <power name=\"power_{part}\" type=\"float\">\n      <input name=\"in1\" type=\"float\" {read}/>\n      \
             <input name=\"in2\" type=\"float\" value=\"0.4166667\"/>\n    </power>\n    \
             <multiply name=\"scaled_{part}\" type=\"float\">\n      \
             <input name=\"in1\" type=\"float\" nodename=\"power_{part}\"/>\n      \
             <input name=\"in2\" type=\"float\" value=\"1.055\"/>\n    </multiply>\n    \
             <subtract name=\"high_{part}\" type=\"float\">\n      \
             <input name=\"in1\" type=\"float\" nodename=\"scaled_{part}\"/>\n      \
             <input name=\"in2\" type=\"float\" value=\"0.055\"/>\n    </subtract>\n    \
             <ifgreater name=\"{part}\" type=\"float\">\n      <input name=\"value1\" type=\"float\" {read}/>\n      \
             <input name=\"value2\" type=\"float\" value=\"0.0031308\"/>\n      \
             <input name=\"in1\" type=\"float\" nodename=\"high_{part}\"/>\n      \
             <input name=\"in2\" type=\"float\" nodename=\"low_{part}\"/>\n    </ifgreater>\n"
        );
    }
    out.push_str(
        "    <combine3 name=\"given\" type=\"color3\">\n      <input name=\"in1\" type=\"float\" nodename=\"r\"/>\n      \
         <input name=\"in2\" type=\"float\" nodename=\"g\"/>\n      <input name=\"in3\" type=\"float\" nodename=\"b\"/>\n    \
         </combine3>\n    <output name=\"out\" type=\"color3\" nodename=\"given\"/>\n  </nodegraph>\n",
    );
    out
}

/// The shift of a color in OKLab, in linear light before and after.
fn shifted() -> String {
    let Oklab { to_lms, to_lab, from_lab, from_lms } = OKLAB;
    let mut out = String::from(
        "  <nodedef name=\"ND_look_shifted\" node=\"look_shifted\">\n    \
         <input name=\"in\" type=\"color3\" value=\"0.0, 0.0, 0.0\"/>\n    \
         <input name=\"by\" type=\"color3\" value=\"0.0, 0.0, 0.0\"/>\n    \
         <output name=\"out\" type=\"color3\"/>\n  </nodedef>\n  \
         <nodegraph name=\"NG_look_shifted\" nodedef=\"ND_look_shifted\">\n    \
         <convert name=\"from\" type=\"vector3\">\n      <input name=\"in\" type=\"color3\" interfacename=\"in\"/>\n    \
         </convert>\n    <convert name=\"shift\" type=\"vector3\">\n      \
         <input name=\"in\" type=\"color3\" interfacename=\"by\"/>\n    </convert>\n",
    );
    // Each of three is what a row of a matrix makes of three.
    let rows = |out: &mut String, name: &str, matrix: [[f32; 3]; 3], of: &str| {
        for (i, row) in matrix.iter().enumerate() {
            let row = row.map(number).join(", ");
            let _ = write!(
                out,
                "    <dotproduct name=\"{name}_{i}\" type=\"float\">\n      \
                 <input name=\"in1\" type=\"vector3\" nodename=\"{of}\"/>\n      \
                 <input name=\"in2\" type=\"vector3\" value=\"{row}\"/>\n    </dotproduct>\n"
            );
        }
        let _ = write!(
            out,
            "    <combine3 name=\"{name}\" type=\"vector3\">\n      \
             <input name=\"in1\" type=\"float\" nodename=\"{name}_0\"/>\n      \
             <input name=\"in2\" type=\"float\" nodename=\"{name}_1\"/>\n      \
             <input name=\"in3\" type=\"float\" nodename=\"{name}_2\"/>\n    </combine3>\n"
        );
    };
    let two = |out: &mut String, category: &str, name: &str, a: &str, b: &str| {
        let _ = write!(
            out,
            "    <{category} name=\"{name}\" type=\"vector3\">\n      \
             <input name=\"in1\" type=\"vector3\" nodename=\"{a}\"/>\n      \
             <input name=\"in2\" {b}/>\n    </{category}>\n"
        );
    };
    let float = |x: &str| format!("type=\"float\" value=\"{x}\"");
    let node = |name: &str| format!("type=\"vector3\" nodename=\"{name}\"");
    rows(&mut out, "cone", to_lms, "from");
    two(&mut out, "max", "held", "cone", &float("0.0"));
    two(&mut out, "power", "root", "held", &float("0.33333334"));
    rows(&mut out, "lab", to_lab, "root");
    two(&mut out, "add", "moved", "lab", &node("shift"));
    rows(&mut out, "roots", from_lab, "moved");
    two(&mut out, "multiply", "squares", "roots", &node("roots"));
    two(&mut out, "multiply", "cubes", "squares", &node("roots"));
    rows(&mut out, "light", from_lms, "cubes");
    out.push_str(
        "    <clamp name=\"within\" type=\"vector3\">\n      <input name=\"in\" type=\"vector3\" nodename=\"light\"/>\n    \
         </clamp>\n    <convert name=\"given\" type=\"color3\">\n      \
         <input name=\"in\" type=\"vector3\" nodename=\"within\"/>\n    </convert>\n    \
         <output name=\"out\" type=\"color3\" nodename=\"given\"/>\n  </nodegraph>\n",
    );
    out
}
