//! Errors as REST answers them: a status and a sentence.

use axum::{
    Json,
    http::StatusCode,
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
            StoreError::NoName | StoreError::NoProjectFile | StoreError::Damaged(_) => {
                StatusCode::UNPROCESSABLE_ENTITY
            }
            StoreError::DiskFull => StatusCode::INSUFFICIENT_STORAGE,
            _ => StatusCode::INTERNAL_SERVER_ERROR,
        };
        Self::new(status, error.to_string())
    }
}

impl IntoResponse for ApiError {
    fn into_response(self) -> Response {
        (self.status, Json(self)).into_response()
    }
}
