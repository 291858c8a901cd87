//! Looks as shading code.

use axum::{Json, response::Response};
use serde::Deserialize;
use speckle_formats::shader::{Language, LookCode, Numbers, look_code};
use speckle_model::proof::Look;
use utoipa::ToSchema;

use super::as_file;
use crate::{body::Said, error::ApiError};

/// A look that is wanted as code.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct LookOrder {
    /// The look, as it is or as it would be.
    look: Look,
    /// In which language.
    language: Language,
    /// Whether its numbers stand in an array `look_numbers`, so that they can change without the code.
    #[serde(default)]
    in_array: bool,
}

impl LookOrder {
    fn code(&self) -> Result<LookCode, ApiError> {
        if let Some(problem) = self.look.problem() {
            return Err(ApiError::bad_request(problem));
        }
        let numbers = if self.in_array { Numbers::InArray } else { Numbers::Written };
        Ok(look_code(&self.look, self.language, numbers))
    }
}

/// A look as code: a function that takes the numbers of sets and gives the material there.
#[utoipa::path(
    post, path = "/api/v1/looks/code", request_body = LookOrder,
    responses((status = 200, body = LookCode), (status = 422, body = ApiError))
)]
pub async fn code_of_look(Said(order): Said<LookOrder>) -> Result<Json<LookCode>, ApiError> {
    order.code().map(Json)
}

/// The same as a file.
#[utoipa::path(
    post, path = "/api/v1/looks/file", request_body = LookOrder,
    responses((status = 200, content_type = "text/plain"), (status = 422, body = ApiError))
)]
pub async fn file_of_look(Said(order): Said<LookOrder>) -> Result<Response, ApiError> {
    let code = order.code()?;
    let name = format!("{}.{}", code.function, order.language.extension());
    Ok(as_file(code.file().into_bytes(), "text/plain; charset=utf-8", &name))
}
