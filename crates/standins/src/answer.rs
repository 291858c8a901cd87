//! Refusals, as JSON with a sentence.

use axum::{
    Json,
    http::StatusCode,
    response::{IntoResponse, Response},
};
use serde::Serialize;

/// Why something is not done.
#[derive(Debug, Serialize)]
pub struct Refusal {
    #[serde(skip)]
    status: StatusCode,
    message: String,
}

impl Refusal {
    pub fn new(status: StatusCode, message: impl Into<String>) -> Self {
        Self { status, message: message.into() }
    }
}

impl IntoResponse for Refusal {
    fn into_response(self) -> Response {
        (self.status, Json(self)).into_response()
    }
}
