//! Deliveries in a folder: every file is there whole, or as it was before.

use std::{
    fs,
    io::{self, Write as _},
    path::{Path, PathBuf},
};

use crate::recipient::Packed;

/// Writes a file whole: whoever reads it meanwhile reads what it was, or what it is.
///
/// # Errors
/// When it cannot be written; what was there stays.
pub fn write_whole(path: &Path, bytes: &[u8]) -> io::Result<()> {
    let mut partial = path.as_os_str().to_owned();
    partial.push(".partial");
    let partial = PathBuf::from(partial);
    let written = fs::File::create(&partial).and_then(|mut file| {
        file.write_all(bytes)?;
        file.sync_all()?;
        fs::rename(&partial, path)
    });
    written.inspect_err(|_| drop(fs::remove_file(&partial)))
}

/// Brings a folder up to date with a delivery: files that are as they should be are left alone, so that tools that
/// watch them stay at rest, and those of the delivery before that are in this one no more are taken out. Names the
/// files that are there then.
///
/// # Errors
/// Which file could not be written, and why.
pub fn keep_up(folder: &Path, packed: &Packed, before: &[String]) -> Result<Vec<String>, String> {
    let said =
        |path: &Path, cause: &io::Error| format!("{} cannot be written: {cause}", path.display());
    fs::create_dir_all(folder).map_err(|cause| said(folder, &cause))?;
    for file in packed.files() {
        let path = folder.join(&file.name);
        if fs::read(&path).is_ok_and(|there| there == file.bytes) {
            continue;
        }
        write_whole(&path, &file.bytes).map_err(|cause| said(&path, &cause))?;
    }
    let names: Vec<String> = packed.files().map(|file| file.name.clone()).collect();
    for gone in before.iter().filter(|name| !names.contains(name)) {
        // One that is not there any more is what is wanted.
        let _ = fs::remove_file(folder.join(gone));
    }
    Ok(names)
}
