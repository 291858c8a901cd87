//! The files of a scene, as the reader of USD asks for them: all in memory, each by its name as seen
//! from the first one.
//!
//! Long lists of numbers in text are read here and set aside, with a few numbers in their place that
//! lead back to them: reading them one by one as words of a language takes several times as long.

use std::{
    collections::{BTreeMap, BTreeSet},
    io::{self, Cursor},
    sync::{Arc, Mutex, MutexGuard, PoisonError},
};

use memchr::memmem;
use openusd::{
    ar::{Asset, ResolvedPath, Resolver},
    sdf::Value,
};

use crate::{Budget, FormatError, Place};

/// How deep braces may lie in each other.
const MOST_DEPTH: usize = 256;

/// Lists of fewer numbers stay where they are.
const LONG: usize = 1024;

/// Stands before the place of a list that was set aside.
const MARK: f32 = -2.5e38;
/// The same among whole numbers.
const WHOLE_MARK: i32 = -2_147_483_647;

/// Numbers in rows.
#[derive(Clone, Debug, PartialEq)]
pub struct Rows {
    /// Numbers in a row.
    pub width: usize,
    /// Row by row.
    pub numbers: Arc<Vec<f32>>,
}

#[derive(Clone)]
enum SetAside {
    Rows(Rows),
    Whole(Arc<Vec<i32>>),
}

#[derive(Default)]
struct Inner {
    files: BTreeMap<String, Arc<Vec<u8>>>,
    missing: BTreeSet<String>,
    aside: Vec<SetAside>,
}

/// The files that are known, and those that were asked for in vain.
#[derive(Clone, Default)]
pub struct Files(Arc<Mutex<Inner>>);

impl Files {
    fn inner(&self) -> MutexGuard<'_, Inner> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Takes a file in.
    ///
    /// # Errors
    /// When a text is nested too deep, or takes too much.
    pub fn add(&self, name: &str, bytes: &[u8], budget: &Budget) -> Result<(), FormatError> {
        let mut inner = self.inner();
        let bytes = if bytes.starts_with(b"#usda") {
            let short = without_long_lists(bytes, &mut inner.aside, budget)?;
            nests(&short)?;
            short
        } else {
            budget.memory(bytes.len())?;
            bytes.to_vec()
        };
        inner.files.insert(name.to_owned(), Arc::new(bytes));
        Ok(())
    }

    /// The names that were asked for in vain since this was asked last.
    pub fn missing(&self) -> BTreeSet<String> {
        std::mem::take(&mut self.inner().missing)
    }

    /// Numbers in rows, also where they were set aside; `None` where the value is something else.
    pub fn rows(&self, value: Value) -> Option<Rows> {
        let narrow = |numbers: &[f64]| numbers.iter().map(|&x| x as f32).collect();
        let (width, numbers): (usize, Vec<f32>) = match value {
            Value::FloatVec(numbers) => (1, numbers),
            Value::DoubleVec(numbers) => (1, narrow(&numbers)),
            Value::HalfVec(numbers) => (1, numbers.iter().map(|x| x.to_f32()).collect()),
            Value::Float(x) => (1, vec![x]),
            Value::Double(x) => (1, vec![x as f32]),
            Value::Vec2fVec(rows) => (2, bytemuck::cast_slice(&rows).to_vec()),
            Value::Vec3fVec(rows) => (3, bytemuck::cast_slice(&rows).to_vec()),
            Value::Vec4fVec(rows) => (4, bytemuck::cast_slice(&rows).to_vec()),
            Value::Vec2dVec(rows) => (2, narrow(bytemuck::cast_slice(&rows))),
            Value::Vec3dVec(rows) => (3, narrow(bytemuck::cast_slice(&rows))),
            Value::Vec4dVec(rows) => (4, narrow(bytemuck::cast_slice(&rows))),
            Value::Vec3f(row) => (3, <[f32; 3]>::from(row).to_vec()),
            Value::Vec4f(row) => (4, <[f32; 4]>::from(row).to_vec()),
            Value::Vec2hVec(rows) => {
                let row = |row: &openusd::gf::Vec2h| [row.x, row.y].map(|x| x.to_f32());
                (2, rows.iter().flat_map(row).collect())
            }
            Value::Vec3hVec(rows) => {
                let row = |row: &openusd::gf::Vec3h| [row.x, row.y, row.z].map(|x| x.to_f32());
                (3, rows.iter().flat_map(row).collect())
            }
            Value::Vec4hVec(rows) => {
                let row =
                    |row: &openusd::gf::Vec4h| [row.x, row.y, row.z, row.w].map(|x| x.to_f32());
                (4, rows.iter().flat_map(row).collect())
            }
            _ => return None,
        };
        if let [MARK, at, ..] = *numbers
            && let Some(SetAside::Rows(rows)) = self.inner().aside.get(at as usize)
        {
            return Some(rows.clone());
        }
        Some(Rows { width, numbers: Arc::new(numbers) })
    }

    /// Whole numbers, likewise.
    pub fn whole(&self, value: Value) -> Option<Arc<Vec<i32>>> {
        let numbers = match value {
            Value::IntVec(numbers) => numbers,
            Value::UintVec(numbers) => {
                numbers.iter().map(|&n| i32::try_from(n).unwrap_or(-1)).collect()
            }
            Value::Int64Vec(numbers) => {
                numbers.iter().map(|&n| i32::try_from(n).unwrap_or(-1)).collect()
            }
            _ => return None,
        };
        if let [WHOLE_MARK, at] = *numbers
            && let Some(SetAside::Whole(numbers)) = self.inner().aside.get(at as usize)
        {
            return Some(numbers.clone());
        }
        Some(Arc::new(numbers))
    }
}

impl Resolver for Files {
    fn create_identifier(&self, asset_path: &str, anchor: Option<&ResolvedPath>) -> String {
        let anchor = anchor.map(|anchor| anchor.to_string_lossy().replace('\\', "/"));
        let folder = anchor.as_deref().and_then(|anchor| anchor.rsplit_once('/'));
        let asset_path = asset_path.replace('\\', "/");
        let mut names: Vec<&str> = Vec::new();
        let folder = folder.map_or("", |(folder, _)| folder).split('/');
        for name in folder.chain(asset_path.split('/')) {
            match name {
                "" | "." => {}
                // Nothing lies outside.
                ".." => drop(names.pop()),
                name => names.push(name),
            }
        }
        names.join("/")
    }

    fn resolve(&self, asset_path: &str) -> Option<ResolvedPath> {
        let mut inner = self.inner();
        if inner.files.contains_key(asset_path) {
            return Some(ResolvedPath::new(asset_path));
        }
        inner.missing.insert(asset_path.to_owned());
        None
    }

    fn resolve_for_new_asset(&self, _: &str) -> Option<ResolvedPath> {
        None
    }

    fn open_asset(&self, resolved_path: &ResolvedPath) -> io::Result<Box<dyn Asset>> {
        let name = resolved_path.to_string_lossy();
        let found = self.inner().files.get(&*name).cloned();
        let found = found.ok_or_else(|| io::Error::from(io::ErrorKind::NotFound))?;
        Ok(Box::new(Cursor::new(found.to_vec())))
    }

    fn get_modification_timestamp(
        &self,
        _: &str,
        _: &ResolvedPath,
    ) -> Option<std::time::SystemTime> {
        None
    }
}

/// Looks at how deep a text is nested: its reader goes as deep.
fn nests(text: &[u8]) -> Result<(), FormatError> {
    let (mut depth, mut at, mut line) = (0_usize, 0, 1);
    while let Some(&c) = text.get(at) {
        at += 1;
        match c {
            b'\n' => line += 1,
            b'{' | b'(' | b'[' => depth += 1,
            b'}' | b')' | b']' => depth = depth.saturating_sub(1),
            b'#' => at += memchr::memchr(b'\n', &text[at..]).unwrap_or(text.len() - at),
            b'"' | b'\'' if text[at..].starts_with(&[c; 2]) => {
                // Three of them open a text that ends with three.
                let end = memmem::find(&text[at + 2..], &[c; 3]).map_or(0, |end| end + 3);
                line += text[at..at + 2 + end].iter().filter(|c| **c == b'\n').count();
                at += 2 + end;
            }
            b'"' | b'\'' if text.get(at) == Some(&c) => at += 1,
            b'"' | b'\'' => {
                while let Some(&inside) = text.get(at).filter(|inside| **inside != c) {
                    line += usize::from(inside == b'\n');
                    at += if inside == b'\\' { 2 } else { 1 };
                }
                at += 1;
            }
            _ => {}
        }
        if depth > MOST_DEPTH {
            return Err(FormatError::new(
                Place::Line(line),
                "it is nested too deep",
                "the file is damaged: export it again",
            ));
        }
    }
    Ok(())
}

/// How many numbers a row of a declared type has, of those that are set aside; 0 for whole numbers.
fn width_of(declared: &[u8]) -> Option<usize> {
    Some(match declared {
        b"int" => 0,
        b"float" => 1,
        b"float2" | b"texCoord2f" => 2,
        b"float3" | b"point3f" | b"normal3f" | b"vector3f" | b"color3f" | b"texCoord3f" => 3,
        b"float4" | b"color4f" => 4,
        _ => return None,
    })
}

fn without_long_lists(
    text: &[u8],
    aside: &mut Vec<SetAside>,
    budget: &Budget,
) -> Result<Vec<u8>, FormatError> {
    let mut out = Vec::new();
    let mut kept = 0;
    let mut at = 0;
    let is_space = |c: &&u8| c.is_ascii_whitespace();
    while let Some(found) = memmem::find(&text[at..], b"[] ") {
        let brackets = at + found;
        at = brackets + 3;
        let before = text[..brackets].iter().rev().take_while(|c| !is_space(c)).count();
        let Some(width) = width_of(&text[brackets - before..brackets]) else { continue };
        let name = text[at..].iter().take_while(|c| !is_space(c) && **c != b'=').count();
        let mut start = at + name;
        start += text[start..].iter().take_while(is_space).count();
        if text.get(start) != Some(&b'=') {
            continue;
        }
        start += 1;
        start += text[start..].iter().take_while(is_space).count();
        if text.get(start) != Some(&b'[') {
            continue;
        }
        start += 1;
        let Some((list, length)) = list(&text[start..], width, budget)? else { continue };
        let place = aside.len();
        out.extend_from_slice(&text[kept..start]);
        let mark = match width {
            0 => format!("{WHOLE_MARK}, {place}"),
            1 => format!("{MARK:e}, {place}"),
            width => format!("({MARK:e}, {place}{})", ", 0".repeat(width - 2)),
        };
        out.extend_from_slice(mark.as_bytes());
        aside.push(list);
        (kept, at) = (start + length, start + length);
    }
    out.extend_from_slice(&text[kept..]);
    Ok(out)
}

/// A long list up to its end, and how long it is in the text; `None` for a short one, or one with
/// anything else in it, which its reader shall tell of.
fn list(
    text: &[u8],
    width: usize,
    budget: &Budget,
) -> Result<Option<(SetAside, usize)>, FormatError> {
    let (mut numbers, mut whole) = (Vec::new(), Vec::new());
    let (mut at, mut spent) = (0, 0);
    loop {
        let between = |c: &&u8| matches!(**c, b' ' | b',' | b'(' | b')' | b'\n' | b'\r' | b'\t');
        at += text[at..].iter().take_while(between).count();
        match text.get(at) {
            Some(b']') => break,
            Some(_) => {}
            None => return Ok(None),
        }
        if width == 0 {
            let mut length = usize::from(text[at] == b'-');
            length += text[at + length..].iter().take_while(|c| c.is_ascii_digit()).count();
            let word = std::str::from_utf8(&text[at..at + length]).unwrap_or_default();
            let Ok(number) = word.parse::<i32>() else { return Ok(None) };
            whole.push(number);
            at += length;
        } else {
            let Ok((number, length)) = fast_float2::parse_partial::<f32, _>(&text[at..]) else {
                return Ok(None);
            };
            numbers.push(number);
            at += length;
        }
        let ends = |c: &u8| matches!(c, b' ' | b',' | b'(' | b')' | b'\n' | b'\r' | b'\t' | b']');
        if !text.get(at).is_some_and(ends) {
            return Ok(None);
        }
        let count = numbers.len() + whole.len();
        if count >= spent + (1 << 16) {
            budget.memory(4 * (count - spent))?;
            spent = count;
        }
    }
    if numbers.len() + whole.len() < LONG {
        return Ok(None);
    }
    Ok(match width {
        0 => Some((SetAside::Whole(Arc::new(whole)), at)),
        width if numbers.len().is_multiple_of(width) => {
            Some((SetAside::Rows(Rows { width, numbers: Arc::new(numbers) }), at))
        }
        _ => None,
    })
}
