//! Digests of arrays that are shared, each read to the end only once.

use std::{
    any::Any,
    collections::HashMap,
    sync::{Arc, Mutex, PoisonError, Weak},
};

use smallvec::SmallVec;
use speckle_color::{Channels, Rgba};
use speckle_model::Digest;

/// Digests of what was read, while it is there.
#[derive(Default)]
pub(super) struct Contents(Mutex<HashMap<(usize, Channels), Read>>);

/// Something that was read, while it is there, and its digest.
type Read = (Weak<dyn Any + Send + Sync>, Digest);

impl Contents {
    /// The digest of some channels of an array of values, which are read to the end only once.
    pub(super) fn of_values(&self, values: &Arc<Vec<Rgba>>, channels: Channels) -> Digest {
        self.of_channels(values, channels, |values| {
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

    /// The digest of something shared.
    pub(super) fn of<T: Send + Sync + serde::Serialize + 'static>(&self, what: &Arc<T>) -> Digest {
        self.of_channels(what, Channels::RGBA, Digest::of)
    }

    fn of_channels<T: Send + Sync + 'static>(
        &self,
        what: &Arc<T>,
        channels: Channels,
        digest: impl FnOnce(&T) -> Digest,
    ) -> Digest {
        let mut read = self.0.lock().unwrap_or_else(PoisonError::into_inner);
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
