//! A zip of files: all meshes in it, with what they name lying beside them in the same zip.
//!
//! Nothing is written to disk, so names that lead out of a folder lead nowhere.

use std::{
    collections::BTreeMap,
    io::{Cursor, Read},
};

use zip::ZipArchive;

use crate::{Budget, Format, FormatError, Import, MeshFile, Place, ReadOptions, read_within};

/// How much larger than in the package a file may be, and what may grow as it likes (bytes): files
/// that shrink more were made to fill memories.
const MOST_GROWTH: u64 = 250;
/// See [`MOST_GROWTH`].
const HARMLESS: u64 = 1 << 24;

/// The most files a package may hold.
const MOST_FILES: usize = 4096;

fn damaged(cause: impl Into<String>) -> FormatError {
    FormatError::new(Place::File, cause, "pack the files again")
}

/// Whether a name is a package's.
pub fn is_package(name: &str) -> bool {
    name.rsplit_once('.').is_some_and(|(_, end)| end.eq_ignore_ascii_case("zip"))
}

/// Whether so many bytes may come out of so few.
pub fn may_grow(packed: u64, size: u64) -> bool {
    size <= packed.saturating_mul(MOST_GROWTH).max(HARMLESS)
}

/// Reads all meshes of a package, one after the other, in the units of the first.
///
/// # Errors
/// When it is none, has no mesh, unpacks to more than the limits allow, or a mesh in it is wrong.
pub fn read_all(
    file: &MeshFile,
    options: &ReadOptions,
    budget: &Budget,
) -> Result<Import, FormatError> {
    let files = unpacked(file.bytes, budget)?;
    let is_mesh = |name: &&String| Format::that_reads(name).is_ok();
    let mut whole: Option<Import> = None;
    for name in files.keys().filter(is_mesh) {
        let folder = name.rsplit_once('/').map_or("", |(folder, _)| folder);
        let beside = |wanted: &str| {
            let wanted = wanted.replace('\\', "/");
            let own = wanted.rsplit('/').next().unwrap_or(&wanted);
            // Beside the mesh first, then anywhere by its own name.
            let near =
                if folder.is_empty() { wanted.clone() } else { format!("{folder}/{wanted}") };
            let anywhere = || {
                files.iter().find(|(name, _)| name.rsplit('/').next() == Some(own)).map(|(_, b)| b)
            };
            files.get(&near).or_else(anywhere).cloned()
        };
        let inner = MeshFile { name, bytes: &files[name], beside: &beside };
        let mut import = read_within(&inner, options, budget).map_err(|error| FormatError {
            cause: format!("{name} in it: {}", error.cause),
            ..error
        })?;
        match &mut whole {
            None => whole = Some(import),
            Some(whole) => {
                whole.states &= import.states;
                import.convert(whole.traits)?;
                whole.parts.append(&mut import.parts);
                whole.images.append(&mut import.images);
                whole.repairs.append(&mut import.repairs);
                whole.notes.append(&mut import.notes);
                whole.reasons.join(name, &import.reasons);
                whole.origin = whole.origin.take().or(import.origin);
            }
        }
    }
    whole.ok_or_else(|| {
        let known = Format::ALL.map(|format| format!(".{}", format.extension())).join(", ");
        FormatError::new(
            Place::File,
            "no mesh is in the package",
            format!("pack files of one of {known}"),
        )
    })
}

/// The name of the first file of a package.
pub fn first_name(bytes: &[u8]) -> Option<String> {
    let mut package = ZipArchive::new(Cursor::new(bytes)).ok()?;
    let first = package.by_index_raw(0).ok()?;
    Some(first.name().ok()?.replace('\\', "/"))
}

/// The files of a package by their names, bounded.
pub fn unpacked(bytes: &[u8], budget: &Budget) -> Result<BTreeMap<String, Vec<u8>>, FormatError> {
    let mut package = ZipArchive::new(Cursor::new(bytes))
        .map_err(|error| damaged(format!("it is no package: {error}")))?;
    if package.len() > MOST_FILES {
        return Err(damaged(format!("it holds more than {MOST_FILES} files")));
    }
    let mut files = BTreeMap::new();
    let (mut whole, mut packed) = (0_u64, 0_u64);
    for number in 0..package.len() {
        let entry = package.by_index(number).map_err(|error| {
            damaged(format!("file {} of it cannot be read: {error}", number + 1))
        })?;
        if entry.is_dir() {
            continue;
        }
        let name = entry.name().map_err(|error| damaged(error.to_string()))?.replace('\\', "/");
        whole = whole.saturating_add(entry.size());
        packed = packed.saturating_add(entry.compressed_size());
        if packed > bytes.len() as u64 {
            return Err(damaged("its files lie in each other"));
        }
        let most = budget.limits().bytes as u64;
        if !may_grow(entry.compressed_size(), entry.size()) || whole > most {
            return Err(damaged(format!("{name} in it would unpack to {} bytes", entry.size())));
        }
        // What it says of its size may be wrong.
        let size = entry.size();
        budget.memory(size as usize)?;
        let mut content = Vec::new();
        let read = entry.take(size).read_to_end(&mut content);
        read.map_err(|error| damaged(format!("{name} in it cannot be unpacked: {error}")))?;
        files.insert(name, content);
    }
    Ok(files)
}
