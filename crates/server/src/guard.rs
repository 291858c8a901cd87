//! Who may talk to the server: only pages it served itself.
//!
//! `Host` is checked on every request, so that a foreign name that was made to point here
//! (DNS rebinding) gets nothing; `Origin` is checked on the socket and on every write, so that a
//! foreign page cannot reach in.

use axum::{
    extract::{Request, State},
    http::{HeaderMap, HeaderName, HeaderValue, Method, StatusCode, header},
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
    // Browsers say who asks: another site's page may link to the app, but not embed what it serves,
    // nor have it computed.
    let is_elsewhere = text(headers, "sec-fetch-site") == Some("cross-site");
    let is_link = text(headers, "sec-fetch-mode") == Some("navigate")
        && text(headers, "sec-fetch-dest") == Some("document");
    if is_elsewhere && !is_link {
        return refuse("another site may not embed anything from here");
    }
    let mut response = next.run(request).await;
    for (name, value) in HEADERS {
        response.headers_mut().insert(name, HeaderValue::from_static(value));
    }
    response
}

/// What every answer says of itself: everything comes from here, nobody frames or embeds it, and
/// what it is called is what it is. Styles are written into the page by its components.
const HEADERS: [(HeaderName, &str); 5] = [
    (
        header::CONTENT_SECURITY_POLICY,
        "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; \
         img-src 'self' data: blob:; font-src 'self' data:; connect-src 'self' data: blob:; \
         worker-src 'self' blob:; object-src 'none'; base-uri 'none'; form-action 'none'; \
         frame-ancestors 'none'",
    ),
    (header::X_CONTENT_TYPE_OPTIONS, "nosniff"),
    (header::X_FRAME_OPTIONS, "DENY"),
    (header::REFERRER_POLICY, "no-referrer"),
    (HeaderName::from_static("cross-origin-resource-policy"), "same-origin"),
];

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
