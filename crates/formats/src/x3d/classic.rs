//! Reading the text of VRML97 into the same tree that X3D's XML gives.

use crate::{FormatError, Limits, Place, xml::Element};

/// How deep nodes may lie in each other.
const DEEPEST: usize = 256;

/// Reads a text; the outermost element holds the nodes of the scene.
///
/// # Errors
/// With the line that is wrong.
pub fn read(bytes: &[u8], limits: Limits) -> Result<Element, FormatError> {
    let text = String::from_utf8_lossy(bytes);
    let mut words = Words { rest: &text, line: 1 };
    if !text.starts_with("#VRML V2.0") {
        return Err(FormatError::new(
            Place::Line(1),
            "it does not begin with #VRML V2.0",
            "check that this is a VRML97 file (older ones are not read)",
        ));
    }
    let mut reader = Reader { words: &mut words, nodes: 0, limits };
    let mut root = Element::new("Scene");
    while let Some(word) = reader.words.next() {
        reader.statement(word, &mut root, 0)?;
    }
    Ok(root)
}

struct Reader<'a, 'b> {
    words: &'a mut Words<'b>,
    nodes: usize,
    limits: Limits,
}

impl<'b> Reader<'_, 'b> {
    fn broken(&self, cause: impl Into<String>) -> FormatError {
        let cause = cause.into();
        FormatError::new(
            Place::Line(self.words.line),
            cause,
            "correct the line, or export the file again",
        )
    }

    fn word(&mut self) -> Result<&'b str, FormatError> {
        self.words.next().ok_or_else(|| self.broken("the file ends within a node"))
    }

    /// A node where one may stand, or what is passed over.
    fn statement(
        &mut self,
        word: &'b str,
        into: &mut Element,
        depth: usize,
    ) -> Result<(), FormatError> {
        match word {
            "ROUTE" => {
                // ROUTE from TO to
                for _ in 0..3 {
                    self.word()?;
                }
                Ok(())
            }
            "PROTO" | "EXTERNPROTO" => {
                Err(self.broken("nodes of a file's own making are not read"))
            }
            _ => {
                let node = self.node(word, depth)?;
                into.children.push(node);
                Ok(())
            }
        }
    }

    fn node(&mut self, word: &'b str, depth: usize) -> Result<Element, FormatError> {
        self.nodes += 1;
        if depth > DEEPEST {
            return Err(self.broken("nodes lie too deep in each other"));
        }
        if self.nodes > self.limits.elements {
            return Err(FormatError::too_many(self.limits));
        }
        match word {
            "DEF" => {
                let name = self.word()?;
                let word = self.word()?;
                let mut node = self.node(word, depth + 1)?;
                node.set_attribute("DEF", name);
                return Ok(node);
            }
            "USE" => {
                let name = self.word()?;
                let mut node = Element::default();
                node.set_attribute("USE", name);
                return Ok(node);
            }
            _ => {}
        }
        let is_name = word.starts_with(|c: char| c.is_alphabetic() || c == '_');
        if !is_name || self.word()? != "{" {
            let shown: String = word.chars().take(24).collect();
            return Err(self.broken(format!("{shown:?} stands where a node is needed")));
        }
        let mut node = Element::new(word);
        loop {
            match self.word()? {
                "}" => return Ok(node),
                word @ ("ROUTE" | "PROTO" | "EXTERNPROTO") => {
                    self.statement(word, &mut node, depth)?;
                }
                field => self.field(field, &mut node, depth)?,
            }
        }
    }

    fn field(
        &mut self,
        field: &'b str,
        node: &mut Element,
        depth: usize,
    ) -> Result<(), FormatError> {
        let first = self.word()?;
        if first == "[" {
            let mut values = String::new();
            loop {
                match self.word()? {
                    "]" => break,
                    word if is_value(word) => {
                        values.push_str(word);
                        values.push(' ');
                    }
                    word => self.statement(word, node, depth + 1)?,
                }
            }
            if !values.is_empty() {
                node.set_attribute(field, values.trim_end());
            }
            return Ok(());
        }
        if first == "NULL" {
            return Ok(());
        }
        if !is_value(first) {
            return self.statement(first, node, depth + 1);
        }
        if let Some(text) = first.strip_prefix('"') {
            node.set_attribute(field, text.trim_end_matches('"'));
            return Ok(());
        }
        // Numbers of one value follow each other.
        let mut values = match first {
            "TRUE" => "true".to_owned(),
            "FALSE" => "false".to_owned(),
            _ => first.to_owned(),
        };
        while self.words.peek().is_some_and(is_number) {
            values.push(' ');
            values.push_str(self.word()?);
        }
        node.set_attribute(field, &values);
        Ok(())
    }
}

fn is_number(word: &str) -> bool {
    word.starts_with(|c: char| c.is_ascii_digit() || matches!(c, '-' | '+' | '.'))
}

fn is_value(word: &str) -> bool {
    is_number(word) || word.starts_with('"') || matches!(word, "TRUE" | "FALSE")
}

/// The words of a text: brackets are words of their own, commas are blanks, comments are none.
struct Words<'a> {
    rest: &'a str,
    line: usize,
}

impl<'a> Words<'a> {
    fn skip(&mut self) {
        loop {
            let blank = |c: char| c.is_whitespace() || c == ',';
            let trimmed = self.rest.trim_start_matches(blank);
            let skipped = &self.rest[..self.rest.len() - trimmed.len()];
            self.line += skipped.bytes().filter(|&b| b == b'\n').count();
            self.rest = trimmed;
            if !self.rest.starts_with('#') {
                return;
            }
            self.rest = &self.rest[self.rest.find('\n').unwrap_or(self.rest.len())..];
        }
    }

    fn peek(&mut self) -> Option<&'a str> {
        self.skip();
        let mut letters = self.rest.char_indices();
        let (_, first) = letters.next()?;
        let end = match first {
            '{' | '}' | '[' | ']' => 1,
            '"' => {
                let mut is_escaped = false;
                let end = letters.find(|&(_, c)| {
                    let ends = c == '"' && !is_escaped;
                    is_escaped = c == '\\' && !is_escaped;
                    ends
                });
                end.map_or(self.rest.len(), |(at, _)| at + 1)
            }
            _ => {
                let ends = |c: char| {
                    c.is_whitespace() || matches!(c, ',' | '{' | '}' | '[' | ']' | '"' | '#')
                };
                self.rest.find(ends).unwrap_or(self.rest.len())
            }
        };
        Some(&self.rest[..end])
    }

    fn next(&mut self) -> Option<&'a str> {
        let word = self.peek()?;
        self.line += word.bytes().filter(|&b| b == b'\n').count();
        self.rest = &self.rest[word.len()..];
        Some(word)
    }
}
