//! Names that people and files give: one line, not endless, and a number behind them where they are
//! taken.

use std::collections::{HashMap, HashSet};

/// The most letters a name may have.
pub const LONGEST_NAME: usize = 200;

/// Why a name cannot be kept.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NameError {
    /// There is nothing in it.
    #[error("a name is needed")]
    Empty,
    /// Nobody would read it to its end.
    #[error("a name may have {LONGEST_NAME} letters at most: choose a shorter one")]
    TooLong,
}

/// A name as it is kept, given by somebody who can give another.
///
/// # Errors
/// When there is nothing in it, or it is too long.
pub fn proper(name: &str) -> Result<&str, NameError> {
    let name = name.trim();
    match name.chars().count() {
        0 => Err(NameError::Empty),
        many if many > LONGEST_NAME => Err(NameError::TooLong),
        _ => Ok(name),
    }
}

/// A name as a file gives it, cut where it is too long.
#[must_use]
pub fn fitted(name: &str) -> String {
    let cut: String = name.trim().chars().take(LONGEST_NAME).collect();
    cut.trim_end().to_owned()
}

/// Finds names that are free, however many of one kind are wanted.
#[derive(Debug, Default)]
pub struct FreeNames {
    taken: HashSet<String>,
    /// The number each wanted name is tried with next.
    next: HashMap<String, usize>,
}

impl FreeNames {
    /// Those beside names that are taken.
    pub fn beside(taken: impl IntoIterator<Item = String>) -> Self {
        Self { taken: taken.into_iter().collect(), next: HashMap::new() }
    }

    /// Takes a name, with a number behind it when it is taken.
    pub fn take(&mut self, wanted: &str) -> String {
        let mut name = wanted.to_owned();
        if self.taken.contains(wanted) {
            let next = self.next.entry(wanted.to_owned()).or_insert(2);
            loop {
                // The number counts among the letters.
                let number = format!(" {next}");
                let room = LONGEST_NAME.saturating_sub(number.len());
                let cut: String = wanted.chars().take(room).collect();
                name = cut + &number;
                *next += 1;
                if !self.taken.contains(&name) {
                    break;
                }
            }
        }
        self.taken.insert(name.clone());
        name
    }
}
