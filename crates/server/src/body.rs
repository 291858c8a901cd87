//! What requests carry: JSON that is bounded and whose numbers are numbers, and files that go to
//! disk as they come.

use std::io::Write;

use axum::{
    body::{Body, to_bytes},
    extract::{FromRequest, Request},
    http::StatusCode,
};
use futures::StreamExt;
use serde::de::DeserializeOwned;
use speckle_model::json;

use crate::error::ApiError;

/// The most bytes of a request in JSON.
const MOST_JSON: usize = 64 << 20;

/// A request's body, read from JSON.
pub struct Said<T>(pub T);

impl<T: DeserializeOwned, S: Send + Sync> FromRequest<S> for Said<T> {
    type Rejection = ApiError;

    async fn from_request(request: Request, _: &S) -> Result<Self, ApiError> {
        let bytes = to_bytes(request.into_body(), MOST_JSON).await.map_err(|error| {
            let message = format!("the request could not be read: {error}");
            ApiError::new(StatusCode::PAYLOAD_TOO_LARGE, message)
        })?;
        json::read(&bytes).map(Self).map_err(|error| {
            ApiError::bad_request(format!("the request cannot be understood: {error}"))
        })
    }
}

/// Writes a body to a file as it comes, so that its size costs no memory.
pub async fn to_file(body: Body, file: &mut std::fs::File, most: usize) -> Result<(), ApiError> {
    let mut stream = body.into_data_stream();
    let mut whole = 0;
    while let Some(bytes) = stream.next().await {
        let bytes = bytes.map_err(|error| {
            ApiError::bad_request(format!("the file did not come through: {error}"))
        })?;
        whole += bytes.len();
        if whole > most {
            let message = format!("the file has more than {most} bytes, the limit set");
            return Err(ApiError::new(StatusCode::PAYLOAD_TOO_LARGE, message));
        }
        // A few kilobytes at a time into the page cache: shorter than handing them to a thread.
        file.write_all(&bytes).map_err(speckle_store::StoreError::from)?;
    }
    Ok(())
}
