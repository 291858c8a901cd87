//! Nodes on their way out, and the two ways they are written.

use std::fmt::Write as _;

use crate::xml::escaped;

/// What a field holds.
pub enum NodeField {
    /// True or false.
    Bool(bool),
    /// Numbers of one value.
    One(String),
    /// Any number of values.
    Many(String),
    /// A text.
    Text(String),
    /// Several texts.
    Texts(Vec<String>),
}

/// A node with its fields, and the nodes in it, each with the field it stands in.
pub struct Node {
    name: &'static str,
    fields: Vec<(&'static str, NodeField)>,
    nodes: Vec<(&'static str, Node)>,
}

impl Node {
    /// An empty one.
    pub fn new(name: &'static str) -> Self {
        Self { name, fields: Vec::new(), nodes: Vec::new() }
    }

    /// With one more field.
    pub fn with(mut self, name: &'static str, field: NodeField) -> Self {
        self.fields.push((name, field));
        self
    }

    /// With one more node in it.
    pub fn holding(mut self, field: &'static str, node: Node) -> Self {
        self.nodes.push((field, node));
        self
    }

    /// As an XML element, whose nodes find their fields by themselves.
    pub fn write_xml(&self, out: &mut String) {
        let _ = write!(out, "<{}", self.name);
        for (name, field) in &self.fields {
            let _ = match field {
                NodeField::Bool(is) => write!(out, " {name}='{is}'"),
                NodeField::One(numbers) | NodeField::Many(numbers) => {
                    write!(out, " {name}='{numbers}'")
                }
                NodeField::Text(text) => write!(out, " {name}='{}'", escaped(text)),
                NodeField::Texts(texts) => {
                    let quoted: Vec<String> = texts.iter().map(|text| quoted(text)).collect();
                    write!(out, " {name}='{}'", escaped(&quoted.join(" ")))
                }
            };
        }
        if self.nodes.is_empty() {
            out.push_str("/>\n");
            return;
        }
        out.push_str(">\n");
        self.nodes.iter().for_each(|(_, node)| node.write_xml(out));
        let _ = writeln!(out, "</{}>", self.name);
    }

    /// As VRML97 writes it.
    pub fn write_classic(&self, out: &mut String) {
        let _ = writeln!(out, "{} {{", self.name);
        for (name, field) in &self.fields {
            let _ = match field {
                NodeField::Bool(is) => {
                    writeln!(out, "{name} {}", if *is { "TRUE" } else { "FALSE" })
                }
                NodeField::One(numbers) => writeln!(out, "{name} {numbers}"),
                NodeField::Many(numbers) => writeln!(out, "{name} [ {numbers} ]"),
                NodeField::Text(text) => writeln!(out, "{name} {}", quoted(text)),
                NodeField::Texts(texts) => {
                    let quoted: Vec<String> = texts.iter().map(|text| quoted(text)).collect();
                    writeln!(out, "{name} [ {} ]", quoted.join(" "))
                }
            };
        }
        // Fields of several nodes are lists.
        let several = |field: &str| field == "children";
        let mut open = "";
        for (field, node) in &self.nodes {
            if several(open) && open != *field {
                out.push_str("]\n");
            }
            if several(field) {
                if open != *field {
                    let _ = writeln!(out, "{field} [");
                }
            } else {
                let _ = write!(out, "{field} ");
            }
            open = field;
            node.write_classic(out);
        }
        if several(open) {
            out.push_str("]\n");
        }
        out.push_str("}\n");
    }
}

fn quoted(text: &str) -> String {
    format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""))
}
