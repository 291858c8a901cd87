//! What sources made, kept for the next time.

use std::{
    collections::HashMap,
    sync::{Arc, Mutex, PoisonError, Weak},
};

use smallvec::SmallVec;
use speckle_color::{Channels, Rgba};
use speckle_model::{Digest, recipe::Source};

use super::{BakeError, Inputs, field::Field, sources, watch::Watch};

/// How much is kept, bytes.
const ROOM: usize = 1 << 29;

/// Fields that sources made, by all they depend on; the longest unused go first.
#[derive(Default)]
pub struct Pantry {
    kept: Mutex<Kept>,
    /// Of arrays of values that were read to the end once: their digests.
    read: Mutex<HashMap<(usize, Channels), Read>>,
}

/// An array that was read, while it is there, and its digest.
type Read = (Weak<Vec<Rgba>>, [u8; 32]);

#[derive(Default)]
struct Kept {
    fields: HashMap<Digest, (Field, u64)>,
    bytes: usize,
    clock: u64,
}

impl Pantry {
    /// What a source makes, from what is kept if it is there.
    ///
    /// # Errors
    /// When something it needs is missing, or it was given up.
    pub fn source(
        &self,
        source: &Source,
        inputs: &Inputs,
        watch: &Watch,
    ) -> Result<Field, BakeError> {
        let digest = inputs.digest(source, self);
        {
            let mut kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
            kept.clock += 1;
            let clock = kept.clock;
            if let Some((field, used)) = kept.fields.get_mut(&digest) {
                *used = clock;
                return Ok(field.clone());
            }
        }
        let field = sources::made(source, inputs, watch)?;
        let mut kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        kept.clock += 1;
        let clock = kept.clock;
        kept.bytes += field.bytes();
        if let Some((old, _)) = kept.fields.insert(digest, (field.clone(), clock)) {
            kept.bytes -= old.bytes();
        }
        while kept.bytes > ROOM && kept.fields.len() > 1 {
            let oldest = kept.fields.iter().min_by_key(|(_, (_, used))| *used).map(|(d, _)| *d);
            let Some((field, _)) = oldest.and_then(|oldest| kept.fields.remove(&oldest)) else {
                break;
            };
            kept.bytes -= field.bytes();
        }
        Ok(field)
    }

    /// Whether what a source makes is at hand.
    #[must_use]
    pub fn has(&self, source: &Source, inputs: &Inputs) -> bool {
        let digest = inputs.digest(source, self);
        self.kept.lock().unwrap_or_else(PoisonError::into_inner).fields.contains_key(&digest)
    }

    /// The digest of some channels of an array of values, which are read to the end only once.
    #[must_use]
    pub fn content(&self, values: &Arc<Vec<Rgba>>, channels: Channels) -> [u8; 32] {
        let mut read = self.read.lock().unwrap_or_else(PoisonError::into_inner);
        let place = (Arc::as_ptr(values) as usize, channels);
        if let Some((known, digest)) = read.get(&place)
            && known.upgrade().is_some_and(|known| Arc::ptr_eq(&known, values))
        {
            return *digest;
        }
        read.retain(|_, (known, _)| known.strong_count() > 0);
        let mut hasher = blake3::Hasher::new();
        let mut numbers = Vec::new();
        for run in values.chunks(RUN) {
            numbers.clear();
            let chosen = |value: &Rgba| {
                let on = (0..4).filter(|&i| channels.0[i]).map(|i| value[i]);
                on.collect::<SmallVec<[f32; 4]>>()
            };
            numbers.extend(run.iter().flat_map(chosen));
            hasher.update(bytemuck::cast_slice(&numbers));
        }
        let digest = *hasher.finalize().as_bytes();
        read.insert(place, (Arc::downgrade(values), digest));
        digest
    }
}

/// How many values are read in a row.
const RUN: usize = 16_384;
