//! The head of a PLY file: what follows, and in which form.

use percent_encoding::percent_decode_str;

use crate::{Body, FormatError, Light, Place, numbers::Numbers};

/// The scalar types of PLY.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Scalar {
    /// 8 bits, signed.
    I8,
    /// 8 bits.
    U8,
    /// 16 bits, signed.
    I16,
    /// 16 bits.
    U16,
    /// 32 bits, signed.
    I32,
    /// 32 bits.
    U32,
    /// 32-bit float.
    F32,
    /// 64-bit float.
    F64,
}

impl Scalar {
    fn parse(name: &str) -> Option<Self> {
        Some(match name {
            "char" | "int8" => Self::I8,
            "uchar" | "uint8" => Self::U8,
            "short" | "int16" => Self::I16,
            "ushort" | "uint16" => Self::U16,
            "int" | "int32" => Self::I32,
            "uint" | "uint32" => Self::U32,
            "float" | "float32" => Self::F32,
            "double" | "float64" => Self::F64,
            _ => return None,
        })
    }

    /// Bytes in a binary body.
    pub fn size(self) -> usize {
        match self {
            Self::I8 | Self::U8 => 1,
            Self::I16 | Self::U16 => 2,
            Self::I32 | Self::U32 | Self::F32 => 4,
            Self::F64 => 8,
        }
    }

    /// What a color of this type is divided by to lie in 0–1.
    pub fn full_scale(self) -> f32 {
        match self {
            Self::I8 => f32::from(i8::MAX),
            Self::U8 => f32::from(u8::MAX),
            Self::I16 => f32::from(i16::MAX),
            Self::U16 => f32::from(u16::MAX),
            Self::I32 => i32::MAX as f32,
            Self::U32 => u32::MAX as f32,
            Self::F32 | Self::F64 => 1.0,
        }
    }
}

/// A property of an element.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Property {
    /// Its name.
    pub name: String,
    /// Its type, or that of a list's items.
    pub scalar: Scalar,
    /// The type of a list's count; `None` for a single value.
    pub list_count: Option<Scalar>,
}

/// An element: rows of properties.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Element {
    /// Its name.
    pub name: String,
    /// How many rows.
    pub count: usize,
    /// What each row holds.
    pub properties: Vec<Property>,
    /// The line that declares it.
    pub line: usize,
}

/// What a comment of ours says about the set of a placement.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SetComment {
    /// `vertex` or `face`.
    pub element: String,
    /// What its numbers are.
    pub numbers: Numbers,
    /// Its name.
    pub name: String,
}

/// The whole head.
#[derive(Clone, Debug)]
pub struct Header {
    /// How the body is written.
    pub body: Body,
    /// What it holds, in order.
    pub elements: Vec<Element>,
    /// What our own files say about their sets.
    pub sets: Vec<SetComment>,
    /// The first byte of the body.
    pub body_start: usize,
}

/// Reads the head.
///
/// # Errors
/// With the line that is wrong.
pub fn parse(bytes: &[u8]) -> Result<Header, FormatError> {
    let broken = |line: usize, cause: String| {
        FormatError::new(
            Place::Line(line),
            cause,
            "check that this is a PLY file, or export it again",
        )
    };
    let mut body = None;
    let mut elements: Vec<Element> = Vec::new();
    let mut sets = Vec::new();
    let mut start = 0;
    for line in 1.. {
        let Some(length) = bytes[start..].iter().position(|&b| b == b'\n') else {
            let cause = if line == 1 {
                "it does not begin with a line that says ply"
            } else {
                "the header has no end_header line"
            };
            return Err(broken(line, cause.to_owned()));
        };
        let text = String::from_utf8_lossy(&bytes[start..start + length]);
        start += length + 1;
        let words: Vec<&str> = text.split_ascii_whitespace().collect();
        if line == 1 {
            if words != ["ply"] {
                return Err(broken(1, "it does not begin with a line that says ply".to_owned()));
            }
            continue;
        }
        match words.as_slice() {
            ["format", form, _version] => {
                body = Some(match *form {
                    "ascii" => Body::Ascii,
                    "binary_little_endian" => Body::Little,
                    "binary_big_endian" => Body::Big,
                    other => return Err(broken(line, format!("there is no PLY format {other}"))),
                });
            }
            ["comment", "color_set", element, numbers, name @ ..] if !name.is_empty() => {
                sets.push(SetComment {
                    element: (*element).to_owned(),
                    numbers: Numbers::of_word(numbers, Light::Encoded),
                    // Written so by us: see `write`.
                    name: percent_decode_str(&name.join(" ")).decode_utf8_lossy().into_owned(),
                });
            }
            ["comment" | "obj_info", ..] | [] => {}
            ["element", name, count] => {
                let count = count.parse().map_err(|_| {
                    broken(line, format!("{count} is no number of {name} elements"))
                })?;
                if elements.iter().any(|element| element.name == *name) {
                    return Err(broken(line, format!("the element {name} is declared twice")));
                }
                elements.push(Element {
                    name: (*name).to_owned(),
                    count,
                    properties: Vec::new(),
                    line,
                });
            }
            ["property", rest @ ..] => {
                let (list_count, scalar, name) = match rest {
                    ["list", count, scalar, name] => (Some(*count), *scalar, *name),
                    [scalar, name] => (None, *scalar, *name),
                    _ => return Err(broken(line, format!("cannot make sense of: {text}"))),
                };
                let parse = |word: &str| {
                    Scalar::parse(word)
                        .ok_or_else(|| broken(line, format!("there is no PLY type {word}")))
                };
                let element = elements.last_mut().ok_or_else(|| {
                    broken(line, "a property stands before any element".to_owned())
                })?;
                element.properties.push(Property {
                    name: name.to_owned(),
                    scalar: parse(scalar)?,
                    list_count: list_count.map(parse).transpose()?,
                });
            }
            ["end_header"] => {
                let body =
                    body.ok_or_else(|| broken(line, "the header has no format line".to_owned()))?;
                return Ok(Header { body, elements, sets, body_start: start });
            }
            _ => return Err(broken(line, format!("cannot make sense of: {}", text.trim()))),
        }
    }
    unreachable!("the loop above only ends by returning")
}
