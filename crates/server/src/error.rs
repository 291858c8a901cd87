//! Errors as REST answers them: a status and a sentence.

use axum::{
    Json,
    extract::Request,
    http::{StatusCode, header},
    middleware::Next,
    response::{IntoResponse, Response},
};
use serde::Serialize;
use speckle_store::StoreError;
use utoipa::ToSchema;

/// What went wrong, for the user.
#[derive(Debug, Serialize, ToSchema)]
pub struct ApiError {
    /// What is wrong, where, and what to do.
    pub message: String,
    #[serde(skip)]
    status: StatusCode,
}

impl ApiError {
    pub fn new(status: StatusCode, message: impl Into<String>) -> Self {
        Self { message: message.into(), status }
    }

    pub fn is_not_found(&self) -> bool {
        self.status == StatusCode::NOT_FOUND
    }

    pub fn bad_request(message: impl Into<String>) -> Self {
        Self::new(StatusCode::UNPROCESSABLE_ENTITY, message)
    }
}

impl From<StoreError> for ApiError {
    fn from(error: StoreError) -> Self {
        let status = match error {
            StoreError::NoSuchProject(_) => StatusCode::NOT_FOUND,
            StoreError::NoName
            | StoreError::LongName
            | StoreError::NoProjectFile
            | StoreError::Later
            | StoreError::Moved(_)
            | StoreError::Damaged(_) => StatusCode::UNPROCESSABLE_ENTITY,
            StoreError::DiskFull => StatusCode::INSUFFICIENT_STORAGE,
            _ => StatusCode::INTERNAL_SERVER_ERROR,
        };
        Self::new(status, error.to_string())
    }
}

/// Answers refusals of the framework, which are plain text, in the shape of ours.
pub async fn in_our_shape(request: Request, next: Next) -> Response {
    let is_rest = request.uri().path().starts_with("/api/");
    let response = next.run(request).await;
    let status = response.status();
    let is_ours = response
        .headers()
        .get(header::CONTENT_TYPE)
        .is_some_and(|kind| kind.as_bytes().starts_with(b"application/json"));
    if !is_rest || is_ours || !(status.is_client_error() || status.is_server_error()) {
        return response;
    }
    let text = axum::body::to_bytes(response.into_body(), 4096).await.unwrap_or_default();
    let message = match String::from_utf8_lossy(&text).trim() {
        "" => status.canonical_reason().unwrap_or("it cannot be done").to_lowercase(),
        text => text.to_owned(),
    };
    ApiError::new(status, message).into_response()
}

impl IntoResponse for ApiError {
    fn into_response(self) -> Response {
        (self.status, Json(self)).into_response()
    }
}
