//! Talking to devices and services over HTTP: with JSON, patience of a few seconds, and sentences where it fails.

use std::time::Duration;

use axum::{body::Bytes, http::StatusCode};
use http_body_util::{BodyExt, Full, Limited};
use hyper::{Method, Request};
use hyper_util::{
    client::legacy::{Client, connect::HttpConnector},
    rt::TokioExecutor,
};
use serde::{Deserialize, de::DeserializeOwned};

/// How long an answer may take, and how long one to a file.
const PATIENCE: Duration = Duration::from_secs(3);
const PATIENCE_WITH_FILES: Duration = Duration::from_secs(60);

/// The longest answer that is read.
const MOST_ANSWER: usize = 16 << 20;

/// Something that is reached under an address.
#[derive(Clone)]
pub struct Outside {
    /// "the printer".
    what: &'static str,
    address: String,
    client: Client<HttpConnector, Full<Bytes>>,
}

/// Why nothing came of it.
#[derive(Debug, thiserror::Error)]
#[error("{0}")]
pub struct NoAnswer(String);

#[derive(Deserialize)]
struct Refusal {
    message: String,
}

impl Outside {
    pub fn new(what: &'static str, address: &str) -> Self {
        let client = Client::builder(TokioExecutor::new()).build_http();
        Self { what, address: address.trim_end_matches('/').to_owned(), client }
    }

    /// Asks for something.
    pub async fn get<T: DeserializeOwned>(&self, path: &str) -> Result<T, NoAnswer> {
        self.ask(Method::GET, path, Bytes::new()).await
    }

    /// Hands something over, or has something done.
    pub async fn ask<T: DeserializeOwned>(
        &self,
        method: Method,
        path: &str,
        body: Bytes,
    ) -> Result<T, NoAnswer> {
        let what = self.what;
        let silent =
            || NoAnswer(format!("{what} does not answer at {}: is it plugged in?", self.address));
        let patience = if body.is_empty() { PATIENCE } else { PATIENCE_WITH_FILES };
        let request = Request::builder()
            .method(method)
            .uri(format!("{}{path}", self.address))
            .header("content-type", "application/octet-stream")
            .body(Full::new(body))
            .map_err(|error| {
                NoAnswer(format!("{what} has no address that makes sense: {error}"))
            })?;
        let asked = async {
            let answer = self.client.request(request).await.map_err(|_| silent())?;
            let status = answer.status();
            let body = Limited::new(answer.into_body(), MOST_ANSWER).collect().await;
            Ok((status, body.map_err(|_| silent())?.to_bytes()))
        };
        let (status, bytes) =
            tokio::time::timeout(patience, asked).await.map_err(|_| silent())??;
        if status.is_success() {
            return serde_json::from_slice(&bytes).map_err(|error| {
                NoAnswer(format!("what {what} says cannot be understood: {error}"))
            });
        }
        let refusal = serde_json::from_slice(&bytes).map_or_else(
            |_| format!("it answers {}", status.as_u16()),
            |Refusal { message }| message,
        );
        Err(NoAnswer(match status {
            StatusCode::SERVICE_UNAVAILABLE => format!("{what} is not ready: {refusal}"),
            _ => format!("{what} refuses: {refusal}"),
        }))
    }
}
