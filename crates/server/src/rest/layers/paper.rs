//! The plan of a print on paper.

use axum::{
    extract::{Path, Query, State},
    response::Response,
};
use serde::Deserialize;
use speckle_store::ProjectId;
use speckle_tools::layers::{Inside, Pace, estimate, page, swap_list};
use utoipa::{IntoParams, ToSchema};

use super::{super::as_file, cut_anew};
use crate::{App, error::ApiError};

/// In which form a plan is written.
#[derive(Clone, Copy, Debug, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum PaperForm {
    /// When to load which swatch, as lines of text.
    Swaps,
    /// All of it as one page of HTML.
    Page,
}

/// What is written of a print that was cut.
#[derive(Debug, Deserialize, IntoParams)]
pub struct PaperQuery {
    /// In which form.
    #[param(inline)]
    form: PaperForm,
    /// What lies within, where paint goes right through and what the printer takes, as JSON: `inside`, `through`
    /// and `pace` of an order.
    said: String,
}

#[derive(Deserialize)]
struct PaperSaid {
    inside: Option<Inside>,
    #[serde(default)]
    through: Vec<[f64; 2]>,
    #[serde(default)]
    pace: Pace,
}

/// The plan of a print that was cut, for whoever stands at the printer.
#[utoipa::path(
    get, path = "/api/v1/projects/{project}/layers/{look}/paper",
    params(("project" = i64, Path), ("look" = u32, Path), PaperQuery),
    responses((status = 200, content_type = "text/plain", body = String), (status = 404, body = ApiError))
)]
pub async fn layers_paper(
    State(app): State<App>,
    Path((project, look)): Path<(ProjectId, u32)>,
    Query(PaperQuery { form, said }): Query<PaperQuery>,
) -> Result<Response, ApiError> {
    let said: PaperSaid = serde_json::from_str(&said)
        .map_err(|error| ApiError::bad_request(format!("what is said of the print: {error}")))?;
    if let Some(problem) = said.pace.problem() {
        return Err(ApiError::bad_request(problem));
    }
    let planned = app.prints.get(look).filter(|planned| planned.project == project);
    let planned = planned.ok_or_else(cut_anew)?;
    let name = app.now(project).await?.name;
    let of = name.clone();
    let written = app.blocking(move |_| {
        let inside = said.inside.unwrap_or_else(|| planned.usual_inside());
        let counted = planned.counted.clone().through(&said.through);
        let plan = counted.plan_for(inside, &said.pace, &planned.swatches);
        let estimate = estimate(&plan, &said.pace, &planned.swatches);
        Ok(match form {
            PaperForm::Swaps => swap_list(&plan, &planned.swatches),
            PaperForm::Page => page(&of, &plan, &estimate, &planned.swatches),
        })
    });
    let written = written.await?;
    Ok(match form {
        PaperForm::Swaps => {
            as_file(written, "text/plain; charset=utf-8", &format!("{name} swaps.txt"))
        }
        PaperForm::Page => {
            as_file(written, "text/html; charset=utf-8", &format!("{name} plan.html"))
        }
    })
}
