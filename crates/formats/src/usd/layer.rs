//! A layer of USD's text as a tree: prims, what is said of them, their attributes.

use std::collections::BTreeMap;

use crate::{FormatError, Limits, Place};

/// How deep prims and values may lie in each other.
const DEEPEST: usize = 128;

/// A value: numbers are kept flat, whatever tuples and lists they stood in.
#[derive(Clone, Debug, PartialEq)]
pub enum Value {
    /// Numbers.
    Numbers(Vec<f32>),
    /// Whole numbers of attributes that are declared so.
    Integers(Vec<i64>),
    /// Texts, tokens, paths and assets.
    Texts(Vec<String>),
    /// Named values.
    Dictionary(Named),
    /// Nothing, or what is passed over.
    None,
}

/// Values by name.
pub type Named = BTreeMap<String, Value>;

/// An attribute of a prim.
#[derive(Clone, Debug)]
pub struct Attribute {
    /// What it holds.
    pub value: Value,
    /// What is said of it.
    pub says: Named,
}

/// A prim.
#[derive(Debug, Default)]
pub struct Prim {
    /// `def`, `over` or `class`.
    pub specifier: String,
    /// Its type: `Mesh`, `Xform`; empty where it has none.
    pub kind: String,
    /// Its name.
    pub name: String,
    /// What is said of it.
    pub says: Named,
    /// Its attributes, by name.
    pub attributes: BTreeMap<String, Attribute>,
    /// The prims in it, in order.
    pub children: Vec<Prim>,
}

/// Reads a layer: a prim without a name, with what is said of the layer.
///
/// # Errors
/// With the line that is wrong.
pub fn read(bytes: &[u8], limits: Limits) -> Result<Prim, FormatError> {
    let text = std::str::from_utf8(bytes).map_err(|error| {
        FormatError::new(
            Place::Byte(error.valid_up_to()),
            "it is no text",
            "check that this is a .usda file, or export it as one",
        )
    })?;
    if !text.starts_with("#usda") {
        return Err(FormatError::new(
            Place::Line(1),
            "it does not begin with #usda",
            "check that this is a .usda file, or export it as one",
        ));
    }
    let mut reader = Reader { bytes, at: 0, limits, prims: 0 };
    let mut root = Prim::default();
    if reader.takes(b'(') {
        root.says = reader.named(b')', 0)?;
    }
    reader.contents(&mut root, true, 0)?;
    Ok(root)
}

struct Reader<'a> {
    bytes: &'a [u8],
    at: usize,
    limits: Limits,
    prims: usize,
}

impl<'a> Reader<'a> {
    fn broken(&self, cause: impl Into<String>) -> FormatError {
        let before = &self.bytes[..self.at.min(self.bytes.len())];
        let line = 1 + memchr::memchr_iter(b'\n', before).count();
        FormatError::new(Place::Line(line), cause, "correct the line, or export the file again")
    }

    fn skip(&mut self) {
        while let Some(&byte) = self.bytes.get(self.at) {
            if byte.is_ascii_whitespace() || byte == b';' {
                self.at += 1;
            } else if byte == b'#' {
                let rest = &self.bytes[self.at..];
                self.at += memchr::memchr(b'\n', rest).unwrap_or(rest.len());
            } else {
                return;
            }
        }
    }

    fn peek(&mut self) -> Option<u8> {
        self.skip();
        self.bytes.get(self.at).copied()
    }

    fn takes(&mut self, byte: u8) -> bool {
        let is = self.peek() == Some(byte);
        self.at += usize::from(is);
        is
    }

    fn expect(&mut self, byte: u8) -> Result<(), FormatError> {
        if self.takes(byte) {
            return Ok(());
        }
        let found = self.peek().map_or("the end".to_owned(), |b| format!("{:?}", char::from(b)));
        Err(self.broken(format!("{:?} is needed here, {found} stands here", char::from(byte))))
    }

    /// A word: letters, digits and what names are made of.
    fn word(&mut self) -> &'a str {
        self.skip();
        let rest = &self.bytes[self.at..];
        let is_part = |b: &u8| {
            b.is_ascii_alphanumeric() || matches!(b, b'_' | b':' | b'.' | b'-' | b'+') || *b >= 128
        };
        let length = rest.iter().position(|b| !is_part(b)).unwrap_or(rest.len());
        self.at += length;
        std::str::from_utf8(&rest[..length]).unwrap_or_default()
    }

    /// A text between quotes of either kind, one or three of them.
    fn text(&mut self) -> Result<String, FormatError> {
        let quote = self.peek().filter(|b| matches!(b, b'"' | b'\''));
        let Some(quote) = quote else { return Err(self.broken("a text is needed here")) };
        let three = [quote; 3];
        let is_long = self.bytes[self.at..].starts_with(&three);
        self.at += if is_long { 3 } else { 1 };
        let mut out: Vec<u8> = Vec::new();
        loop {
            let Some(&byte) = self.bytes.get(self.at) else {
                return Err(self.broken("a text does not end"));
            };
            if byte == quote && (!is_long || self.bytes[self.at..].starts_with(&three)) {
                self.at += if is_long { 3 } else { 1 };
                return Ok(String::from_utf8_lossy(&out).into_owned());
            }
            self.at += 1;
            if byte != b'\\' {
                out.push(byte);
                continue;
            }
            let next = self.bytes.get(self.at).copied().unwrap_or(b'\\');
            self.at += 1;
            out.push(match next {
                b'n' => b'\n',
                b'r' => b'\r',
                b't' => b'\t',
                other => other,
            });
        }
    }

    fn value(&mut self, depth: usize) -> Result<Value, FormatError> {
        if depth > DEEPEST {
            return Err(self.broken("values lie too deep in each other"));
        }
        match self.peek() {
            Some(b'[' | b'(') => {
                let mut numbers = Vec::new();
                let mut texts = Vec::new();
                self.items(&mut numbers, &mut texts, depth)?;
                Ok(if texts.is_empty() { Value::Numbers(numbers) } else { Value::Texts(texts) })
            }
            Some(b'{') => {
                self.at += 1;
                Ok(Value::Dictionary(self.named(b'}', depth + 1)?))
            }
            Some(b'"' | b'\'') => Ok(Value::Texts(vec![self.text()?])),
            Some(b'@' | b'<') => Ok(Value::Texts(vec![self.reference()?])),
            Some(_) => {
                let word = self.word();
                match fast_float2::parse::<f32, _>(word) {
                    Ok(number) => Ok(Value::Numbers(vec![number])),
                    Err(_) if word.is_empty() => Err(self.broken("a value is needed here")),
                    Err(_) if word == "None" => Ok(Value::None),
                    Err(_) => Ok(Value::Texts(vec![word.to_owned()])),
                }
            }
            None => Err(self.broken("the file ends where a value is needed")),
        }
    }

    /// The numbers or texts of a list or tuple, whatever else they stand in.
    fn items(
        &mut self,
        numbers: &mut Vec<f32>,
        texts: &mut Vec<String>,
        depth: usize,
    ) -> Result<(), FormatError> {
        let close = if self.peek() == Some(b'[') { b']' } else { b')' };
        self.at += 1;
        if depth > DEEPEST {
            return Err(self.broken("values lie too deep in each other"));
        }
        loop {
            match self.peek() {
                Some(byte) if byte == close => {
                    self.at += 1;
                    return Ok(());
                }
                Some(b',') => self.at += 1,
                Some(b'[' | b'(') => self.items(numbers, texts, depth + 1)?,
                Some(b'"' | b'\'') => texts.push(self.text()?),
                Some(b'@' | b'<') => texts.push(self.reference()?),
                Some(b'{') => drop(self.value(depth + 1)?),
                Some(_) => {
                    let rest = &self.bytes[self.at..];
                    match fast_float2::parse_partial::<f32, _>(rest) {
                        Ok((number, length)) if length > 0 => {
                            numbers.push(number);
                            self.at += length;
                        }
                        _ => match self.word() {
                            "" => {
                                return Err(
                                    self.broken("a list does not go on in a way that is known")
                                );
                            }
                            word => texts.push(word.to_owned()),
                        },
                    }
                    if numbers.len() > self.limits.elements.saturating_mul(4) {
                        return Err(FormatError::too_many(self.limits));
                    }
                }
                None => return Err(self.broken("a list does not end")),
            }
        }
    }

    /// A list of whole numbers, exact whatever their size.
    fn integers(&mut self) -> Result<Value, FormatError> {
        self.expect(b'[')?;
        let mut found = Vec::new();
        loop {
            match self.peek() {
                Some(b']') => {
                    self.at += 1;
                    return Ok(Value::Integers(found));
                }
                Some(b',') => self.at += 1,
                _ => {
                    let word = self.word();
                    let number =
                        word.parse().map_err(|_| self.broken("a whole number is needed here"))?;
                    found.push(number);
                }
            }
            if found.len() > self.limits.elements {
                return Err(FormatError::too_many(self.limits));
            }
        }
    }

    /// An asset (`@…@`) or a path (`<…>`).
    fn reference(&mut self) -> Result<String, FormatError> {
        let close = if self.bytes[self.at] == b'@' { b'@' } else { b'>' };
        let rest = &self.bytes[self.at + 1..];
        let Some(length) = memchr::memchr(close, rest) else {
            return Err(self.broken("a reference does not end"));
        };
        self.at += length + 2;
        Ok(String::from_utf8_lossy(&rest[..length]).into_owned())
    }

    /// Named values up to a bracket. A type may stand before a name.
    fn named(&mut self, close: u8, depth: usize) -> Result<Named, FormatError> {
        let mut named = Named::new();
        loop {
            match self.peek() {
                Some(byte) if byte == close => {
                    self.at += 1;
                    return Ok(named);
                }
                Some(b',') => self.at += 1,
                // A text alone is a note on the layer or prim.
                Some(b'"' | b'\'') if close == b')' => drop(self.text()?),
                Some(_) => {
                    let mut name = String::new();
                    loop {
                        name = match self.peek() {
                            Some(b'=') if !name.is_empty() => break,
                            Some(b'"' | b'\'') => self.text()?,
                            Some(b'[') => {
                                // Of a list type.
                                self.at += 1;
                                self.expect(b']')?;
                                continue;
                            }
                            Some(_) => match self.word() {
                                "" => return Err(self.broken("a name is needed here")),
                                word => word.to_owned(),
                            },
                            None => return Err(self.broken("the file ends within a bracket")),
                        };
                    }
                    self.expect(b'=')?;
                    let value = self.value(depth + 1)?;
                    named.insert(name, value);
                }
                None => return Err(self.broken("the file ends within a bracket")),
            }
        }
    }

    /// What stands in a prim, or in the layer.
    fn contents(
        &mut self,
        prim: &mut Prim,
        is_layer: bool,
        depth: usize,
    ) -> Result<(), FormatError> {
        if depth > DEEPEST {
            return Err(self.broken("prims lie too deep in each other"));
        }
        loop {
            match self.peek() {
                None if is_layer => return Ok(()),
                None => return Err(self.broken("the file ends within a prim")),
                Some(b'}') if !is_layer => {
                    self.at += 1;
                    return Ok(());
                }
                Some(_) => {}
            }
            let begun = self.at;
            match self.word() {
                specifier @ ("def" | "over" | "class") => {
                    let mut child = Prim { specifier: specifier.to_owned(), ..Prim::default() };
                    if !matches!(self.peek(), Some(b'"' | b'\'')) {
                        child.kind = self.word().to_owned();
                    }
                    child.name = self.text()?;
                    if self.takes(b'(') {
                        child.says = self.named(b')', depth)?;
                    }
                    self.expect(b'{')?;
                    self.prims += 1;
                    if self.prims > self.limits.elements {
                        return Err(FormatError::too_many(self.limits));
                    }
                    self.contents(&mut child, false, depth + 1)?;
                    prim.children.push(child);
                }
                "variantSet" => {
                    // Variants are not chosen from: they are passed over.
                    self.text()?;
                    self.expect(b'=')?;
                    self.balanced()?;
                }
                "reorder" => {
                    self.word();
                    self.expect(b'=')?;
                    self.value(depth)?;
                }
                _ => {
                    self.at = begun;
                    self.attribute(prim, depth)?;
                }
            }
        }
    }

    /// Anything between brackets.
    fn balanced(&mut self) -> Result<(), FormatError> {
        self.expect(b'{')?;
        let mut open = 1;
        while open > 0 {
            match self.peek() {
                Some(b'{') => open += 1,
                Some(b'}') => open -= 1,
                Some(b'"' | b'\'') => {
                    self.text()?;
                    continue;
                }
                None => return Err(self.broken("the file ends within a bracket")),
                _ => {}
            }
            self.at += 1;
        }
        Ok(())
    }

    fn attribute(&mut self, prim: &mut Prim, depth: usize) -> Result<(), FormatError> {
        // Words and list marks up to the name: `uniform token[] xformOpOrder`.
        let (mut name, mut is_whole) = ("", false);
        loop {
            match self.peek() {
                Some(b'[') => {
                    self.at += 1;
                    self.expect(b']')?;
                }
                Some(b) if b.is_ascii_alphanumeric() || b == b'_' || b >= 128 => {
                    is_whole |= name == "int";
                    name = self.word();
                }
                _ => break,
            }
        }
        if name.is_empty() {
            return Err(self.broken("an attribute is needed here"));
        }
        let mut attribute = Attribute { value: Value::None, says: Named::new() };
        if self.takes(b'=') {
            let is_list = is_whole && self.peek() == Some(b'[');
            attribute.value = if is_list { self.integers()? } else { self.value(depth)? };
        }
        if self.takes(b'(') {
            attribute.says = self.named(b')', depth)?;
        }
        prim.attributes.insert(name.to_owned(), attribute);
        Ok(())
    }
}
