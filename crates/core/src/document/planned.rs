//! What edits come to before they are laid on, and how much of each element they touch.

use std::collections::HashMap;

use speckle_model::SetId;

use super::{Change, Document, EditError};

/// What an edit comes to.
pub(super) enum Planned {
    /// It is to be laid on. What it does to channels with recipes becomes hand paint on them, so much
    /// of each element.
    Painting(Change, Shares),
    /// It is to be laid on as it is: it says itself what becomes of hand paint.
    Plain(Change),
    /// It has been laid on.
    Done(Change),
}

impl From<Change> for Planned {
    fn from(change: Change) -> Self {
        Self::Painting(change, Shares::default())
    }
}

/// A family of edits.
pub(super) trait Family {
    /// Makes an edit into a change.
    fn plan(self, document: &mut Document) -> Result<Planned, EditError>;

    /// Why an edit may have made no difference, where a hand would wonder.
    fn why_nothing(&self) -> Option<&'static str> {
        None
    }
}

/// How an edit touched an element.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Touched {
    /// How much of it is new, 0–1.
    pub share: f32,
    /// Whether paint was taken away instead.
    pub erased: bool,
}

impl Touched {
    /// All of it is new.
    pub const ALL: Self = Self { share: 1.0, erased: false };
    /// All of it was taken away.
    pub const CLEARED: Self = Self { share: 1.0, erased: true };
}

/// How much of each element of sets with recipes an edit covered.
pub(super) struct Shares {
    of: Option<HashMap<SetId, HashMap<u32, Touched>>>,
    others: Touched,
}

impl Default for Shares {
    /// All of every element.
    fn default() -> Self {
        Self { of: None, others: Touched::ALL }
    }
}

impl Shares {
    /// All of every element, and it was taken away.
    pub(super) const CLEARED: Self = Self { of: None, others: Touched::CLEARED };

    /// So much of each element of a set.
    pub(super) fn put(&mut self, set: SetId, of: HashMap<u32, Touched>) {
        self.of.get_or_insert_default().insert(set, of);
    }

    pub(super) fn of(&self, set: SetId, element: u32) -> Touched {
        let of = self.of.as_ref().and_then(|of| of.get(&set));
        of.and_then(|shares| shares.get(&element)).copied().unwrap_or(self.others)
    }
}
