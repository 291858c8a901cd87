//! Who may talk to the server: only pages it served itself.
//!
//! `Host` is checked on every request, so that a foreign name that was made to point here
//! (DNS rebinding) gets nothing; `Origin` is checked on the socket and on every write, so that a
//! foreign page cannot reach in.

use axum::{
    extract::{Request, State},
    http::{HeaderMap, Method, StatusCode, header},
    middleware::Next,
    response::{IntoResponse, Response},
};

use crate::{App, error::ApiError};

/// Lets a request pass or answers 403.
pub async fn check(State(app): State<App>, request: Request, next: Next) -> Response {
    let headers = request.headers();
    let host = text(headers, header::HOST.as_str());
    if !host.is_some_and(|host| app.allows(host)) {
        return refuse(
            "this address is not served here: use localhost, or start with --allow-host",
        );
    }
    let reads = matches!(*request.method(), Method::GET | Method::HEAD);
    let origin_counts = !reads || headers.contains_key(header::UPGRADE);
    if let Some(origin) = text(headers, header::ORIGIN.as_str())
        && origin_counts
    {
        let from = origin.split_once("://").map_or("", |(_, host)| host);
        if !app.allows(from) || Some(from) != host {
            return refuse("another site may not change anything here");
        }
    }
    next.run(request).await
}

fn text<'a>(headers: &'a HeaderMap, name: &str) -> Option<&'a str> {
    headers.get(name).and_then(|value| value.to_str().ok())
}

fn refuse(message: &str) -> Response {
    ApiError::new(StatusCode::FORBIDDEN, message).into_response()
}

/// The name in a `Host` value, without its port.
pub fn name_of(host: &str) -> &str {
    match host.rsplit_once(':') {
        Some((name, port)) if port.bytes().all(|b| b.is_ascii_digit()) => name,
        _ => host,
    }
}
