//! How far something is that takes a while, for whoever waits for it.

use std::{
    collections::HashMap,
    sync::{Arc, Mutex, PoisonError, Weak},
};

use axum::{
    Json,
    extract::{Path, State},
    http::HeaderMap,
};
use serde::Serialize;
use speckle_tools::bake::watch::Watch;
use utoipa::ToSchema;

use super::transfer::GiveUp;
use crate::App;

/// The header by which a request says what it will be asked after by: any word of its own.
const WORK: &str = "x-work";

/// The longest word.
const LONGEST: usize = 64;

/// What is being worked out, by the words that requests gave.
#[derive(Clone, Default)]
pub struct Works(Arc<Mutex<HashMap<String, Weak<Watch>>>>);

impl Works {
    /// What looks on while a request is worked out: it is given up when nobody waits for it any more.
    pub(super) fn watch(&self, headers: &HeaderMap) -> (Arc<Watch>, GiveUp) {
        let watch = Arc::new(Watch::default());
        let word = headers.get(WORK).and_then(|word| word.to_str().ok());
        if let Some(word) = word.filter(|word| word.len() <= LONGEST) {
            let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
            all.retain(|_, watch| watch.strong_count() > 0);
            all.insert(word.to_owned(), Arc::downgrade(&watch));
        }
        (watch.clone(), GiveUp(watch))
    }

    fn share(&self, word: &str) -> Option<f32> {
        let all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.get(word)?.upgrade().map(|watch| watch.share())
    }
}

/// How far something is.
#[derive(Debug, Serialize, ToSchema)]
pub struct WorkShare {
    /// The share that is done, 0–1; nothing where it is not under way, or is over.
    share: Option<f32>,
}

/// Tells how far a request is that was sent with a word of its own.
#[utoipa::path(
    get, path = "/api/v1/works/{work}", params(("work" = String, Path)),
    responses((status = 200, body = WorkShare))
)]
pub async fn work(State(app): State<App>, Path(work): Path<String>) -> Json<WorkShare> {
    Json(WorkShare { share: app.works.share(&work) })
}
