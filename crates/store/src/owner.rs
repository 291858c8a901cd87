//! One process owns a folder of projects for as long as it runs: two that write the same journal
//! would each cut off what the other acknowledged.

use std::{
    fs::{self, File, TryLockError},
    io::{Read, Seek, Write},
    path::Path,
};

use crate::StoreError;

/// The file that is locked; it marks the folder as ours too.
pub const OWNER: &str = "owner";

/// What the file begins with.
const MARK: &str = "Jaunty Speckle keeps projects here. This folder is in use by ";

/// The lock; gone with the process, however that ends.
pub struct Owner(File);

impl Owner {
    /// Takes the folder, making it when it is not there.
    pub fn take(folder: &Path) -> Result<Self, StoreError> {
        let path = folder.join(OWNER);
        if !path.exists() {
            let mut inside = match fs::read_dir(folder) {
                Ok(inside) => inside,
                Err(error) if error.kind() == std::io::ErrorKind::NotFound => {
                    fs::create_dir_all(folder)?;
                    fs::read_dir(folder)?
                }
                Err(error) => return Err(error.into()),
            };
            if inside.next().is_some() {
                return Err(StoreError::NotOurs(folder.display().to_string()));
            }
        }
        let mut file =
            File::options().read(true).write(true).create(true).truncate(false).open(&path)?;
        let mut said = String::new();
        // Whoever owns it may be writing its name just now: that is no reason to fail.
        let _ = (&mut file).take(4096).read_to_string(&mut said);
        if !said.is_empty() && !said.starts_with(MARK) {
            return Err(StoreError::NotOurs(folder.display().to_string()));
        }
        match file.try_lock() {
            Ok(()) => {}
            Err(TryLockError::WouldBlock) => {
                let who = said.strip_prefix(MARK).map(str::trim).filter(|who| !who.is_empty());
                let who = who.unwrap_or("another process").to_owned();
                return Err(StoreError::InUse { folder: folder.display().to_string(), who });
            }
            Err(TryLockError::Error(error)) => return Err(error.into()),
        }
        let mut owner = Self(file);
        owner.say("")?;
        Ok(owner)
    }

    /// Says where the owner can be reached, for whoever finds the folder taken.
    pub fn say(&mut self, address: &str) -> Result<(), StoreError> {
        let at = if address.is_empty() { String::new() } else { format!(" at {address}") };
        self.0.set_len(0)?;
        self.0.rewind()?;
        writeln!(self.0, "{MARK}process {}{at}", std::process::id())?;
        Ok(())
    }
}

/// Whether a folder is one of ours.
pub fn is_ours(folder: &Path) -> bool {
    fs::read_to_string(folder.join(OWNER)).is_ok_and(|said| said.starts_with(MARK))
}
