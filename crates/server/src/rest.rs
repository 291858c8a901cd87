//! Everything that is not live: [`shelf`] for the list of projects, [`project`] for one of
//! them, [`paints`] for what paint is laid on with, [`recipes`] for what is computed, [`deliver`]
//! for what goes out.

pub mod alignment;
pub mod bureau;
pub mod checks;
pub mod deliver;
pub mod history;
pub mod layers;
pub mod looked;
pub mod looks;
pub mod paints;
pub mod plate;
pub mod printer;
pub mod project;
pub mod recipes;
pub mod reform;
pub mod remedies;
pub mod replacement;
pub mod seams;
pub mod shelf;
pub mod swatches;
pub mod transfer;
pub mod uvs;
pub mod volumes;
pub mod works;

use axum::{
    http::{HeaderMap, HeaderValue, StatusCode, header},
    response::{IntoResponse, Response},
};
use speckle_core::{Document, Edit};
use speckle_model::{Part, PartId, names};
use speckle_store::ProjectId;
use tokio::sync::oneshot;

use crate::{
    App,
    error::ApiError,
    live::plain_name,
    session::{
        command::{Command, Now},
        now_ms,
    },
};

/// The header that says whose hand makes a change; the name of the socket's introduction.
const HAND: &str = "speckle-hand";

/// Whose hand makes a change; nobody's in particular when it does not say.
fn hand(headers: &HeaderMap) -> String {
    headers.get(HAND).and_then(|value| value.to_str().ok()).map(plain_name).unwrap_or_default()
}

/// An answer that the browser keeps as a file.
fn as_file(body: impl IntoResponse, media_type: &'static str, name: &str) -> Response {
    let mut response = body.into_response();
    let headers = response.headers_mut();
    headers.insert(header::CONTENT_TYPE, HeaderValue::from_static(media_type));
    if let Ok(value) = HeaderValue::from_str(&format!("attachment; filename=\"{name}\"")) {
        headers.insert(header::CONTENT_DISPOSITION, value);
    }
    response
}

impl App {
    /// Makes a project and its first edit, or nothing at all; tells its number and its parts.
    async fn project_with(
        &self,
        name: String,
        first: impl Into<Edit>,
        hand: String,
    ) -> Result<(ProjectId, Vec<Part>), ApiError> {
        let first: Edit = first.into();
        let made = self.aside(move |app| {
            let mut document = Document::default();
            let change = match document.apply(first) {
                Ok(change) => change,
                Err(error) => return Ok(Err(ApiError::bad_request(error.to_string()))),
            };
            let name = match names::fitted(&name) {
                name if name.is_empty() => "Project".to_owned(),
                name => name,
            };
            let project = app.store.create_with(&name, &change, &hand, now_ms(), &document)?;
            Ok(Ok((project, document.parts().to_vec())))
        });
        made.await?
    }

    /// Makes an edit; tells whether anything changed.
    async fn edit(
        &self,
        project: ProjectId,
        edit: impl Into<Edit>,
        hand: String,
    ) -> Result<bool, ApiError> {
        let (reply, answer) = oneshot::channel();
        self.send(project, Command::Edit(edit.into(), hand, reply)).await?;
        answer.await.map_err(|_| gone())?.map_err(ApiError::bad_request)
    }

    pub(crate) async fn now(&self, project: ProjectId) -> Result<Now, ApiError> {
        let (reply, answer) = oneshot::channel();
        self.send(project, Command::Parts(reply)).await?;
        answer.await.map_err(|_| gone())
    }
}

/// A part of a project as it is now.
fn part_of(now: &Now, part: PartId) -> Result<Part, ApiError> {
    let gone = || ApiError::new(StatusCode::NOT_FOUND, "the part is gone from the project");
    now.parts.iter().find(|own| own.id == part).cloned().ok_or_else(gone)
}

fn gone() -> ApiError {
    ApiError::new(StatusCode::INTERNAL_SERVER_ERROR, "the project closed unexpectedly: try again")
}
