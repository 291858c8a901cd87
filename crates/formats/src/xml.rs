//! XML: a small tree of elements for the formats that are read whole, and texts made safe for
//! writing. No entity but the five of the standard is known, so none can reach out or blow up.

use quick_xml::{
    Reader,
    events::{BytesStart, Event},
};

use crate::{Budget, FormatError, Place};

/// The most attributes of an element; the formats that are read know of a dozen.
const MOST_ATTRIBUTES: usize = 256;

/// How deep elements may lie in each other.
const DEEPEST: usize = 256;

/// An element with all that is in it.
#[derive(Debug, Default)]
pub struct Element {
    /// Its name, without a prefix.
    pub name: String,
    attributes: Vec<(String, String)>,
    /// The texts within, joined.
    pub text: String,
    /// The elements within, in order.
    pub children: Vec<Element>,
}

impl Element {
    /// An attribute by its name, without a prefix.
    pub fn attribute(&self, name: &str) -> Option<&str> {
        self.attributes.iter().find(|(own, _)| own == name).map(|(_, value)| value.as_str())
    }

    /// An empty one.
    pub fn new(name: &str) -> Self {
        Self { name: name.to_owned(), ..Self::default() }
    }

    /// Gives it an attribute.
    pub fn set_attribute(&mut self, name: &str, value: &str) {
        self.attributes.push((name.to_owned(), value.to_owned()));
    }

    /// The first child of a name.
    pub fn child(&self, name: &str) -> Option<&Self> {
        self.children.iter().find(|child| child.name == name)
    }

    /// The children of a name.
    pub fn all<'a>(&'a self, name: &'a str) -> impl Iterator<Item = &'a Self> + 'a {
        self.children.iter().filter(move |child| child.name == name)
    }
}

/// Says what is wrong with XML at a byte.
pub fn broken(at: u64, cause: impl std::fmt::Display) -> FormatError {
    FormatError::new(
        Place::Byte(at as usize),
        format!("the XML cannot be read: {cause}"),
        "the file is damaged: export it again",
    )
}

/// The attributes of a tag, without their prefixes.
///
/// # Errors
/// When one is written wrong, or names an entity that is not of the five.
pub fn attributes(tag: &BytesStart, at: u64) -> Result<Vec<(String, String)>, FormatError> {
    let mut found = Vec::new();
    // Each is looked up among all: many would be many times many.
    for attribute in tag.attributes().with_checks(false) {
        if found.len() >= MOST_ATTRIBUTES {
            return Err(broken(at, format!("a tag has more than {MOST_ATTRIBUTES} attributes")));
        }
        let attribute = attribute.map_err(|error| broken(at, error))?;
        let value = std::str::from_utf8(&attribute.value).map_err(|error| broken(at, error))?;
        let value = quick_xml::escape::unescape(value).map_err(|error| broken(at, error))?;
        let name = String::from_utf8_lossy(attribute.key.local_name().as_ref()).into_owned();
        found.push((name, value.into_owned()));
    }
    Ok(found)
}

/// Reads a document into its outermost element.
///
/// # Errors
/// With the byte where it is not well-formed, or lies deeper or is more than the limits allow.
pub fn read(bytes: &[u8], budget: &Budget) -> Result<Element, FormatError> {
    let mut reader = Reader::from_reader(bytes);
    let mut open: Vec<Element> = Vec::new();
    let mut elements = 0;
    let named = |tag: &BytesStart, at: u64| -> Result<Element, FormatError> {
        let name = String::from_utf8_lossy(tag.local_name().as_ref()).into_owned();
        Ok(Element { name, attributes: attributes(tag, at)?, ..Element::default() })
    };
    loop {
        let at = reader.buffer_position();
        let event = reader.read_event().map_err(|error| broken(at, error))?;
        let mut closed = None;
        match event {
            Event::Start(tag) => {
                elements += 1;
                if open.len() >= DEEPEST {
                    return Err(broken(at, "elements lie too deep in each other"));
                }
                open.push(named(&tag, at)?);
            }
            Event::Empty(tag) => {
                elements += 1;
                closed = Some(named(&tag, at)?);
            }
            Event::End(_) => closed = open.pop(),
            Event::Text(text) => {
                if let Some(element) = open.last_mut() {
                    let text = text.decode().map_err(|error| broken(at, error))?;
                    element.text.push_str(&text);
                }
            }
            Event::CData(data) => {
                if let Some(element) = open.last_mut() {
                    element.text.push_str(&String::from_utf8_lossy(&data));
                }
            }
            Event::GeneralRef(entity) => {
                let name = String::from_utf8_lossy(&entity).into_owned();
                let letter = match entity.resolve_char_ref() {
                    Ok(Some(letter)) => letter.to_string(),
                    _ => quick_xml::escape::resolve_xml_entity(&name)
                        .ok_or_else(|| broken(at, format!("the entity {name} is not known")))?
                        .to_owned(),
                };
                if let Some(element) = open.last_mut() {
                    element.text.push_str(&letter);
                }
            }
            Event::Eof => return Err(broken(at, "it ends before its outermost element does")),
            _ => {}
        }
        if elements > budget.limits().elements {
            return Err(FormatError::too_many(budget.limits()));
        }
        if elements % 4096 == 0 {
            budget.look()?;
        }
        if let Some(element) = closed {
            match open.last_mut() {
                Some(around) => around.children.push(element),
                None => return Ok(element),
            }
        }
    }
}

/// Numbers in a text, between blanks and commas.
///
/// # Errors
/// Says which word is none.
pub fn floats(text: &str, what: &str) -> Result<Vec<f32>, FormatError> {
    words(text)
        .map(|word| fast_float2::parse::<f32, _>(word).map_err(|_| no_number(word, what)))
        .collect()
}

/// Whole numbers in a text, of which −1 may be one.
///
/// # Errors
/// Says which word is none.
pub fn integers(text: &str, what: &str) -> Result<Vec<i64>, FormatError> {
    words(text).map(|word| word.parse::<i64>().map_err(|_| no_number(word, what))).collect()
}

fn words(text: &str) -> impl Iterator<Item = &str> {
    text.split([' ', '\t', '\n', '\r', ',']).filter(|word| !word.is_empty())
}

fn no_number(word: &str, what: &str) -> FormatError {
    let shown: String = word.chars().take(24).collect();
    FormatError::new(
        Place::File,
        format!("{shown:?} among {what} is no number"),
        "the file is damaged: export it again",
    )
}

/// A text as XML may hold it.
pub fn escaped(text: &str) -> String {
    // Letters that XML has no way to say are left out.
    let allowed = |c: &char| matches!(c, '\t' | '\n' | '\r' | ' '..='\u{D7FF}' | '\u{E000}'..='\u{FFFD}' | '\u{10000}'..);
    let text: String = text.chars().filter(allowed).collect();
    quick_xml::escape::escape(&text).into_owned()
}
