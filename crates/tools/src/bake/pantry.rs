//! What sources made, kept for the next time.

use std::{
    any::Any,
    collections::HashMap,
    sync::{Arc, Mutex, PoisonError, Weak},
};

use smallvec::SmallVec;
use speckle_color::{Channels, Rgba};
use speckle_model::{Digest, recipe::Source};

use super::{BakeError, Inputs, field::Field, look::Look, watch::Watch};

/// How much is kept, bytes.
const ROOM: usize = 1 << 29;

/// Fields that sources made, by all they depend on; the longest unused go first.
#[derive(Default)]
pub struct Pantry {
    kept: Mutex<Kept>,
    /// Of what was read to the end once: digests.
    read: Mutex<HashMap<(usize, Channels), Read>>,
}

/// Something that was read, while it is there, and its digest.
type Read = (Weak<dyn Any + Send + Sync>, Digest);

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
        let (digest, plan) = Look::planned(source, inputs, self);
        let plan = plan?;
        {
            let mut kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
            kept.clock += 1;
            let clock = kept.clock;
            if let Some((field, used)) = kept.fields.get_mut(&digest) {
                *used = clock;
                return Ok(field.clone());
            }
        }
        let field = plan(watch)?;
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
        let (digest, _) = Look::planned(source, inputs, self);
        self.kept.lock().unwrap_or_else(PoisonError::into_inner).fields.contains_key(&digest)
    }

    /// The digest of some channels of an array of values, which are read to the end only once.
    #[must_use]
    pub fn content(&self, values: &Arc<Vec<Rgba>>, channels: Channels) -> Digest {
        self.read_once(values, channels, |values| {
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
            Digest(*hasher.finalize().as_bytes())
        })
    }

    /// The digest of something shared, which is read to the end only once while it is there.
    pub(super) fn read_once<T: Send + Sync + 'static>(
        &self,
        what: &Arc<T>,
        channels: Channels,
        digest: impl FnOnce(&T) -> Digest,
    ) -> Digest {
        let mut read = self.read.lock().unwrap_or_else(PoisonError::into_inner);
        // What is still known keeps its place: nothing else can have come there meanwhile.
        let place = (Arc::as_ptr(what) as usize, channels);
        if let Some((known, digest)) = read.get(&place)
            && known.strong_count() > 0
        {
            return *digest;
        }
        read.retain(|_, (known, _)| known.strong_count() > 0);
        let digest = digest(what);
        let what: Arc<dyn Any + Send + Sync> = what.clone();
        read.insert(place, (Arc::downgrade(&what), digest));
        digest
    }
}

/// How many values are read in a row.
const RUN: usize = 16_384;
