//! Looks as MaterialX documents (1.38): a graph of the standard library's nodes, with a few of its own for what that
//! library has not, and a surface that shows it.
//!
//! It reckons what `speckle_tools::mix` does. Motion has no place in MaterialX and is left out.

mod defined;

use std::fmt::Write as _;

use speckle_color::{Encoding, blend::Blend, linear_from_srgb};
use speckle_model::proof::{Coat, Factor, Laid, Lay, Layer, Look};

use super::{
    names::{Names, number},
    nodes::set_read,
    says::SetSays,
    syntax::one_line,
};
use crate::xml::escaped;
use defined::defined;

/// What an input takes: another node's number, one of its several, or a number of its own.
#[derive(Clone)]
enum Value {
    Node(String),
    Part(String, &'static str),
    Own(String),
}

/// A graph as it is written, node by node.
struct Graph<'a> {
    out: String,
    names: Names,
    /// The four numbers of each set.
    sets: Vec<(&'a str, Vec<Value>)>,
    /// The file of an image, by name.
    file_of: &'a dyn Fn(&str) -> String,
}

fn own(value: f32) -> Value {
    Value::Own(number(value))
}

fn own_color(color: [f32; 3]) -> Value {
    Value::Own(color.map(number).join(", "))
}

/// A look as a MaterialX document. `says` tells what there is to know of a set in the file that goes along; those of
/// which nothing is said are read in the order in which the look takes them. `file_of` tells where an image is.
#[must_use]
pub fn look_nodes(
    look: &Look,
    says: impl Fn(&str) -> Option<SetSays>,
    file_of: impl Fn(&str) -> String,
) -> String {
    let mut graph =
        Graph { out: String::new(), names: Names::default(), sets: Vec::new(), file_of: &file_of };
    for (at, set) in look.material_sets().into_iter().enumerate() {
        let says = says(set).unwrap_or_else(|| SetSays { place: at, ..SetSays::default() });
        graph.take(set, &says);
    }
    let ground = linear_from_srgb(0.72);
    let mut below = Below {
        color: own_color([ground; 3]),
        rough: own(0.6),
        metal: own(0.0),
        glow: own_color([0.0; 3]),
        through: None,
        normal: None,
    };
    for (_, layer) in look.shown() {
        below = graph.layer(below, layer);
    }
    let mut surface = String::new();
    let mut outputs = String::new();
    // An output is a node's: numbers of the look's own pass through one.
    let mut give = |graph: &mut Graph, input: &str, name: &str, kind: &str, value: Value| {
        let zero = if kind == "float" { own(0.0) } else { own_color([0.0; 3]) };
        // Outputs have names among those of nodes.
        let words = format!("{name} given");
        let node = graph.node("add", &words, kind, &[("in1", kind, value), ("in2", kind, zero)]);
        let Value::Node(node) = node else { return };
        let _ =
            writeln!(outputs, "    <output name=\"{name}\" type=\"{kind}\" nodename=\"{node}\"/>");
        let _ = writeln!(
            surface,
            "    <input name=\"{input}\" type=\"{kind}\" nodegraph=\"look\" output=\"{name}\"/>"
        );
    };
    give(&mut graph, "base_color", "look_color", "color3", below.color);
    give(&mut graph, "specular_roughness", "look_rough", "float", below.rough);
    give(&mut graph, "metalness", "look_metal", "float", below.metal);
    give(&mut graph, "emission_color", "look_glow", "color3", below.glow);
    if let Some(through) = below.through {
        give(&mut graph, "subsurface", "look_through", "float", through);
    }
    let bent = below.normal.map(|normal| {
        let half = graph.times(normal, own(0.5), "vector3");
        let stored = graph.node(
            "add",
            "stored",
            "vector3",
            &[("in1", "vector3", half), ("in2", "float", own(0.5))],
        );
        graph.node("normalmap", "bent", "vector3", &[("in", "vector3", stored)])
    });
    if let Some(Value::Node(bent)) = bent {
        let _ = writeln!(
            outputs,
            "    <output name=\"look_normal\" type=\"vector3\" nodename=\"{bent}\"/>"
        );
        surface.push_str(
            "    <input name=\"normal\" type=\"vector3\" nodegraph=\"look\" output=\"look_normal\"/>\n",
        );
    }
    let thin = if look.shown().any(|(_, layer)| layer.through.is_some()) {
        "    <input name=\"thin_walled\" type=\"boolean\" value=\"true\"/>\n"
    } else {
        ""
    };
    let nodes = &graph.out;
    format!(
        "<?xml version=\"1.0\"?>\n<materialx version=\"1.38\" colorspace=\"lin_rec709\">\n  \
         <!-- The look {title} -->\n{defined}  <nodegraph name=\"look\">\n{nodes}{outputs}  </nodegraph>\n  \
         <standard_surface name=\"surface\" type=\"surfaceshader\">\n    \
         <input name=\"base\" type=\"float\" value=\"1.0\"/>\n    \
         <input name=\"emission\" type=\"float\" value=\"1.0\"/>\n{thin}{surface}  </standard_surface>\n  \
         <surfacematerial name=\"material\" type=\"material\">\n    \
         <input name=\"surfaceshader\" type=\"surfaceshader\" nodename=\"surface\"/>\n  \
         </surfacematerial>\n</materialx>\n",
        title = escaped(&one_line(&look.name)).replace("--", "-"),
        defined = defined(nodes),
    )
}

/// What lies below a layer.
struct Below {
    color: Value,
    rough: Value,
    metal: Value,
    glow: Value,
    through: Option<Value>,
    /// Along u, v and out of the surface.
    normal: Option<Value>,
}

impl<'a> Graph<'a> {
    /// Reads a set, encoded as looks take it.
    fn take(&mut self, set: &'a str, says: &SetSays) {
        let name = self.names.free(set, "set");
        // What it is read by on the way.
        self.names.free(&format!("{name} read"), "read");
        let title = escaped(&one_line(&[&[set.to_owned()], &says.lines[..]].concat().join("; ")));
        self.out.push_str(&set_read(&name, &title, says.place, says.attribute.as_deref()));
        let mut parts = self.parts(Value::Node(name), "color4");
        if says.in_light {
            let light = self.color(parts[..3].to_vec());
            let encoded = self.one("look_encoded", light, "color3");
            let encoded = self.parts(encoded, "color3");
            parts.splice(..3, encoded);
        }
        self.sets.push((set, parts));
    }

    /// The numbers of a color or a vector, each by itself.
    fn parts(&mut self, value: Value, kind: &str) -> Vec<Value> {
        let (category, names): (_, &[&str]) = match kind {
            "color4" => ("separate4", &["outr", "outg", "outb", "outa"]),
            "vector3" => ("separate3", &["outx", "outy", "outz"]),
            _ => ("separate3", &["outr", "outg", "outb"]),
        };
        match self.node(category, "parts", "multioutput", &[("in", kind, value)]) {
            Value::Node(node) => names.iter().map(|part| Value::Part(node.clone(), part)).collect(),
            other => vec![other; names.len()],
        }
    }

    /// A color of three numbers.
    fn color(&mut self, parts: Vec<Value>) -> Value {
        let inputs = ["in1", "in2", "in3"].into_iter().zip(parts);
        let inputs: Vec<_> = inputs.map(|(name, part)| (name, "float", part)).collect();
        self.node("combine3", "color", "color3", &inputs)
    }

    fn node(
        &mut self,
        category: &str,
        words: &str,
        kind: &str,
        inputs: &[(&str, &str, Value)],
    ) -> Value {
        let name = self.names.free(words, category);
        let _ = writeln!(self.out, "    <{category} name=\"{name}\" type=\"{kind}\">");
        for (input, of, value) in inputs {
            let value = match value {
                Value::Node(node) => format!("nodename=\"{node}\""),
                Value::Part(node, part) => format!("nodename=\"{node}\" output=\"{part}\""),
                Value::Own(own) => format!("value=\"{own}\""),
            };
            let _ = writeln!(self.out, "      <input name=\"{input}\" type=\"{of}\" {value}/>");
        }
        let _ = writeln!(self.out, "    </{category}>");
        Value::Node(name)
    }

    fn two(&mut self, category: &str, a: Value, b: Value, kind: &str) -> Value {
        self.node(category, category, kind, &[("in1", kind, a), ("in2", kind, b)])
    }

    fn times(&mut self, a: Value, by: Value, kind: &str) -> Value {
        self.node("multiply", "times", kind, &[("in1", kind, a), ("in2", "float", by)])
    }

    fn mix(&mut self, below: Value, above: Value, mask: &Value, kind: &str) -> Value {
        let inputs = [("fg", kind, above), ("bg", kind, below), ("mix", "float", mask.clone())];
        self.node("mix", "mixed", kind, &inputs)
    }

    fn one(&mut self, category: &str, value: Value, kind: &str) -> Value {
        self.node(category, category, kind, &[("in", kind, value)])
    }

    fn factor(&mut self, factor: &Factor) -> Value {
        let value = self.parts_of(&factor.set)[usize::from(factor.channel.min(3))].clone();
        if factor.complement { self.one("invert", value, "float") } else { value }
    }

    fn parts_of(&self, set: &str) -> Vec<Value> {
        let found = self.sets.iter().find(|(own, _)| *own == set);
        found.map_or_else(|| vec![own(0.0); 4], |(_, parts)| parts.clone())
    }

    /// The R, G and B of a set.
    fn set(&mut self, name: &str) -> Value {
        let parts = self.parts_of(name);
        self.color(parts[..3].to_vec())
    }

    fn layer(&mut self, below: Below, layer: &Layer) -> Below {
        let mut mask = self.mask(layer);
        // Encoded, and in linear light.
        let (coat, light) = match &layer.coat {
            Coat::Color { color } => (own_color(*color), own_color(color.map(linear_from_srgb))),
            Coat::Image { laid } => {
                let (light, alpha) = self.laid(laid, Encoding::Color);
                mask = self.two("multiply", mask, alpha, "float");
                (self.one("look_encoded", light.clone(), "color3"), light)
            }
            Coat::Set { set } => {
                let coat = self.set(set);
                let light = self.one("srgb_texture_to_lin_rec709", coat.clone(), "color3");
                (coat, light)
            }
            Coat::Ramp { stops, by } => {
                let along = self.factor(by);
                let coat = self.ramp(stops, along);
                let light = self.one("srgb_texture_to_lin_rec709", coat.clone(), "color3");
                (coat, light)
            }
            Coat::Shift { set, amounts } => {
                let from = self.set(set);
                let half = own_color([0.5; 3]);
                let signed = self.two("subtract", from, half, "color3");
                let by =
                    self.two("multiply", signed, own_color(amounts.map(|x| 2.0 * x)), "color3");
                let inputs = [("in", "color3", below.color.clone()), ("by", "color3", by)];
                let light = self.node("look_shifted", "shifted", "color3", &inputs);
                (self.one("look_encoded", light.clone(), "color3"), light)
            }
        };
        let color = if layer.blend == Blend::Normal {
            self.mix(below.color, light.clone(), &mask, "color3")
        } else {
            let under = self.one("look_encoded", below.color, "color3");
            let blended = self.blended(layer.blend, under.clone(), coat);
            let mixed = self.mix(under, blended, &mask, "color3");
            self.one("srgb_texture_to_lin_rec709", mixed, "color3")
        };
        let share = |graph: &mut Self, below: Value, value: Option<f32>| match value {
            Some(value) => graph.mix(below, own(value), &mask, "float"),
            None => below,
        };
        let rough = share(self, below.rough, layer.rough);
        let metal = share(self, below.metal, layer.metal);
        let through = match layer.through {
            Some(_) => Some(share(self, below.through.unwrap_or_else(|| own(0.0)), layer.through)),
            None => below.through,
        };
        let glow = match layer.glow {
            Some(glow) => {
                let given = self.times(light, own(glow), "color3");
                self.mix(below.glow, given, &mask, "color3")
            }
            None => below.glow,
        };
        let normal = match &layer.normals {
            Some(map) => {
                let (read, _) = self.laid(&map.laid, Encoding::Data);
                let doubled = self.times(read, own(2.0), "vector3");
                let signed = self.two(
                    "subtract",
                    doubled,
                    Value::Own("1.0, 1.0, 1.0".to_owned()),
                    "vector3",
                );
                let strength = number(map.strength);
                let steep = Value::Own(format!("{strength}, {strength}, 1.0"));
                let bent = self.two("multiply", signed, steep, "vector3");
                let flat = below.normal.unwrap_or_else(|| Value::Own("0.0, 0.0, 1.0".to_owned()));
                let mixed = self.mix(flat, bent, &mask, "vector3");
                Some(self.one("normalize", mixed, "vector3"))
            }
            None => below.normal,
        };
        Below { color, rough, metal, glow, through, normal }
    }

    fn mask(&mut self, layer: &Layer) -> Value {
        let drive = &layer.drive;
        let factors: Vec<Value> = drive.factors.iter().map(|own| self.factor(own)).collect();
        let product = factors.into_iter().reduce(|a, b| self.two("multiply", a, b, "float"));
        let from = self.two("subtract", product.unwrap_or_else(|| own(1.0)), own(0.5), "float");
        let steeper = self.times(from, own(drive.contrast), "float");
        let moved = self.two("add", steeper, own(0.5 + drive.offset), "float");
        let mut held = self.one("clamp", moved, "float");
        if drive.inverted {
            held = self.one("invert", held, "float");
        }
        self.times(held, own(layer.strength), "float")
    }

    fn ramp(&mut self, stops: &[[f32; 3]], along: Value) -> Value {
        let held = self.one("clamp", along, "float");
        match stops {
            [low, high] => self.mix(own_color(*low), own_color(*high), &held, "color3"),
            [low, middle, high] => {
                let doubled = self.times(held, own(2.0), "float");
                let first = self.two("min", doubled.clone(), own(1.0), "float");
                let rest = self.two("subtract", doubled, own(1.0), "float");
                let second = self.two("max", rest, own(0.0), "float");
                let lower = self.mix(own_color(*low), own_color(*middle), &first, "color3");
                self.mix(lower, own_color(*high), &second, "color3")
            }
            _ => own_color([0.0; 3]),
        }
    }

    /// By W3C Compositing and Blending Level 1, section 10.1, of encoded numbers.
    fn blended(&mut self, blend: Blend, under: Value, coat: Value) -> Value {
        let kind = "color3";
        match blend {
            Blend::Multiply => self.two("multiply", under, coat, kind),
            Blend::Darken => self.two("min", under, coat, kind),
            Blend::Lighten => self.two("max", under, coat, kind),
            Blend::Difference => {
                let difference = self.two("subtract", under, coat, kind);
                self.one("absval", difference, kind)
            }
            Blend::Add => {
                let sum = self.two("add", under, coat, kind);
                self.two("min", sum, own_color([1.0; 3]), kind)
            }
            Blend::Subtract => {
                let rest = self.two("subtract", under, coat, kind);
                self.two("max", rest, own_color([0.0; 3]), kind)
            }
            Blend::Screen => {
                let sum = self.two("add", under.clone(), coat.clone(), kind);
                let product = self.two("multiply", under, coat, kind);
                self.two("subtract", sum, product, kind)
            }
            Blend::HardLight => self.each("look_hard_light", under, coat),
            Blend::Overlay => self.each("look_hard_light", coat, under),
            Blend::SoftLight => self.each("look_soft_light", under, coat),
            _ => coat,
        }
    }

    /// A node of two numbers for each of three.
    fn each(&mut self, category: &str, a: Value, b: Value) -> Value {
        let (a, b) = (self.parts(a, "color3"), self.parts(b, "color3"));
        let made = a.into_iter().zip(b).map(|(a, b)| {
            self.node(category, category, "float", &[("b", "float", a), ("s", "float", b)])
        });
        let made = made.collect();
        self.color(made)
    }

    /// An image where it lies: a color in linear light with its alpha, or a vector of data.
    fn laid(&mut self, laid: &Laid, encoding: Encoding) -> (Value, Value) {
        let file = escaped(&(self.file_of)(&laid.image));
        let read = |graph: &mut Self, at: Value| {
            let (kind, space) = match encoding {
                Encoding::Data => ("vector3", ""),
                _ => ("color4", " colorspace=\"srgb_texture\""),
            };
            let name = graph.names.free(&laid.image, "image");
            let Value::Node(at) = at else { return Value::Node(name) };
            let _ = writeln!(
                graph.out,
                "    <image name=\"{name}\" type=\"{kind}\">\n      \
                 <input name=\"file\" type=\"filename\" value=\"{file}\"{space}/>\n      \
                 <input name=\"texcoord\" type=\"vector2\" nodename=\"{at}\"/>\n      \
                 <input name=\"uaddressmode\" type=\"string\" value=\"periodic\"/>\n      \
                 <input name=\"vaddressmode\" type=\"string\" value=\"periodic\"/>\n    </image>"
            );
            Value::Node(name)
        };
        let all = match laid.lay {
            Lay::Uv => {
                let uv = self.node("texcoord", "uv", "vector2", &[]);
                let at = self.placed(laid, uv);
                read(self, at)
            }
            Lay::ThreeAxes { width } => {
                let object = || Value::Own("object".to_owned());
                let place =
                    self.node("position", "place", "vector3", &[("space", "string", object())]);
                let place = self.times(place, own(1.0 / width), "vector3");
                let normal =
                    self.node("normal", "normal", "vector3", &[("space", "string", object())]);
                let square = self.two("multiply", normal.clone(), normal, "vector3");
                let fourth = self.two("multiply", square.clone(), square, "vector3");
                let places = self.parts(place, "vector3");
                let shares = self.parts(fourth, "vector3");
                let [x, y, z] = [0, 1, 2].map(|axis| places[axis].clone());
                let mut sums: Option<(Value, Value)> = None;
                // What goes across and up in the image that comes along each axis.
                let sides = [(z.clone(), y.clone()), (x.clone(), z), (x, y)];
                for ((across, up), share) in sides.into_iter().zip(shares) {
                    let inputs = [("in1", "float", across), ("in2", "float", up)];
                    let at = self.node("combine2", "at", "vector2", &inputs);
                    let at = self.placed(laid, at);
                    let side = read(self, at);
                    let part = self.times(side, share.clone(), "color4");
                    sums = Some(match sums {
                        None => (part, share),
                        Some((sum, all)) => (
                            self.two("add", sum, part, "color4"),
                            self.two("add", all, share, "float"),
                        ),
                    });
                }
                let (sum, all) = sums.unwrap_or_else(|| (own(0.0), own(1.0)));
                let all = self.two("max", all, own(1e-6), "float");
                self.node(
                    "divide",
                    "mean",
                    "color4",
                    &[("in1", "color4", sum), ("in2", "float", all)],
                )
            }
        };
        if encoding == Encoding::Data {
            return (all, own(1.0));
        }
        let parts = self.parts(all, "color4");
        (self.color(parts[..3].to_vec()), parts[3].clone())
    }

    /// A place in an image: turned about its middle, repeated, then moved to the right and down.
    fn placed(&mut self, laid: &Laid, at: Value) -> Value {
        let (sin, cos) = laid.turn.to_radians().sin_cos();
        let off = self.two("subtract", at, Value::Own("0.5, 0.5".to_owned()), "vector2");
        let [across, up] = [[cos, -sin], [sin, cos]].map(|row| {
            let row = Value::Own(row.map(number).join(", "));
            self.node(
                "dotproduct",
                "turned",
                "float",
                &[("in1", "vector2", off.clone()), ("in2", "vector2", row)],
            )
        });
        let turned = self.node(
            "combine2",
            "turned",
            "vector2",
            &[("in1", "float", across), ("in2", "float", up)],
        );
        let [x, y] = laid.repeat;
        let repeated =
            self.two("multiply", turned, Value::Own([x, y].map(number).join(", ")), "vector2");
        let moved = [0.5 * x - laid.offset[0], 0.5 * y + laid.offset[1]].map(number).join(", ");
        self.two("add", repeated, Value::Own(moved), "vector2")
    }
}
