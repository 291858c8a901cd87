//! The built front end, carried inside the program.

use axum::{
    http::{StatusCode, Uri, header},
    response::{IntoResponse, Response},
};
use rust_embed::RustEmbed;

use crate::error::ApiError;

#[derive(RustEmbed)]
#[folder = "../../web/dist"]
#[allow_missing = true]
struct Assets;

/// A file of the front end; any other path outside `/api` is a page of the app itself.
pub async fn serve(uri: Uri) -> Response {
    let path = uri.path().trim_start_matches('/');
    if path.starts_with("api/") {
        return ApiError::new(StatusCode::NOT_FOUND, "there is nothing at this address")
            .into_response();
    }
    // A file that is not there is no page: only addresses of the app itself are answered by it.
    if path.rsplit('/').next().is_some_and(|name| name.contains('.')) && Assets::get(path).is_none()
    {
        let message = "there is no such file";
        return (StatusCode::NOT_FOUND, message).into_response();
    }
    let (file, name) = match Assets::get(path) {
        Some(file) if !path.is_empty() => (Some(file), path),
        _ => (Assets::get("index.html"), "index.html"),
    };
    let Some(file) = file else {
        let message = "the front end is not built: run `cargo xtask web`";
        return (StatusCode::NOT_FOUND, message).into_response();
    };
    // File names carry a hash of their content, but for the page itself.
    let cache = if name.starts_with("assets/") {
        "public, max-age=31536000, immutable"
    } else {
        "no-cache"
    };
    let kind = file.metadata.mimetype().to_owned();
    ([(header::CONTENT_TYPE, kind), (header::CACHE_CONTROL, cache.to_owned())], file.data)
        .into_response()
}
