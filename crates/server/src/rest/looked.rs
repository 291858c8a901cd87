//! What was looked at last, and may be done next.

use std::{
    collections::VecDeque,
    sync::{Arc, Mutex},
    time::{Duration, Instant},
};

use axum::{
    body::Bytes,
    http::{StatusCode, header},
    response::{IntoResponse, Response},
};

use crate::{error::ApiError, session::lock};

/// How long a plan is kept for being done: it may be as large as the part.
const WHILE: Duration = Duration::from_secs(120);

/// The last plans that were looked at: done next, nothing is read and found a second time.
pub struct Looked<T>(Arc<Mutex<Kept<T>>>);

struct Kept<T> {
    last: u32,
    plans: VecDeque<Looking<T>>,
}

struct Looking<T> {
    number: u32,
    plan: T,
    /// Until when it is kept.
    until: Instant,
}

impl<T> Clone for Looked<T> {
    fn clone(&self) -> Self {
        Self(self.0.clone())
    }
}

impl<T> Default for Looked<T> {
    fn default() -> Self {
        Self(Arc::new(Mutex::new(Kept { last: 0, plans: VecDeque::new() })))
    }
}

impl<T: Send + 'static> Looked<T> {
    /// How many are kept: several windows look at things of their own.
    pub const MOST: usize = 4;

    /// Keeps what was looked at, until others are, or nobody wants it any more; tells its number.
    pub fn keep_a_while(&self, plan: T) -> u32 {
        let number = {
            let mut kept = lock(&self.0);
            kept.last += 1;
            let number = kept.last;
            kept.plans.push_back(Looking { number, plan, until: Instant::now() + WHILE });
            if kept.plans.len() > Self::MOST {
                kept.plans.pop_front();
            }
            number
        };
        self.let_go_later();
        number
    }

    /// Keeps what is kept already and meant for as long again, under the number that it has: whoever looks at
    /// it by that number goes on.
    pub fn again(&self, is_it: impl Fn(&T) -> bool) -> Option<(u32, T)>
    where
        T: Clone,
    {
        let found = {
            let mut kept = lock(&self.0);
            let at = kept.plans.iter().position(|own| is_it(&own.plan))?;
            let own = kept.plans.remove(at)?;
            let found = (own.number, own.plan.clone());
            kept.plans.push_back(Looking { until: Instant::now() + WHILE, ..own });
            found
        };
        self.let_go_later();
        Some(found)
    }

    fn let_go_later(&self) {
        let kept = self.0.clone();
        tokio::spawn(async move {
            tokio::time::sleep(WHILE).await;
            lock(&kept).plans.retain(|own| own.until > Instant::now());
        });
    }

    /// Takes what is meant, where it is kept.
    pub fn take(&self, is_it: impl Fn(&T) -> bool) -> Option<T> {
        let mut kept = lock(&self.0);
        let at = kept.plans.iter().position(|own| is_it(&own.plan))?;
        kept.plans.remove(at).map(|own| own.plan)
    }

    /// What is kept that will do.
    pub fn find(&self, will_do: impl Fn(&T) -> bool) -> Option<T>
    where
        T: Clone,
    {
        let kept = lock(&self.0);
        kept.plans.iter().rev().find(|own| will_do(&own.plan)).map(|own| own.plan.clone())
    }

    /// What is kept under a number.
    pub fn get(&self, number: u32) -> Option<T>
    where
        T: Clone,
    {
        let kept = lock(&self.0);
        kept.plans.iter().find(|own| own.number == number).map(|own| own.plan.clone())
    }

    /// Numbers of what is kept, as bytes.
    pub fn bytes(
        &self,
        number: u32,
        of: impl FnOnce(&T) -> Option<Bytes>,
    ) -> Result<Response, ApiError> {
        let kept = lock(&self.0);
        let found = kept.plans.iter().find(|own| own.number == number);
        let bytes = found.and_then(|own| of(&own.plan)).ok_or_else(|| {
            let message = "what was looked at is not kept any more: look again";
            ApiError::new(StatusCode::NOT_FOUND, message)
        })?;
        Ok(([(header::CONTENT_TYPE, "application/octet-stream")], bytes).into_response())
    }
}
