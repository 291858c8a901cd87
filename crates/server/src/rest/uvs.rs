//! Texture coordinates of a part: what they are good for, and images made from colors by them.

use std::sync::Arc;

use axum::{
    Json,
    extract::{Path, State},
    http::{HeaderMap, header},
    response::{IntoResponse, Response},
};
use serde::{Deserialize, Serialize};
use speckle_color::Encoding;
use speckle_core::ImageEdit;
use speckle_formats::map_file::MapFile;
use speckle_model::{PartId, SetId};
use speckle_store::ProjectId;
use speckle_tools::{
    layout::{UvTold, outlines, told},
    map::{MapChannel, MapPlan, MapProjection, render},
};
use utoipa::ToSchema;

use super::{hand, part_of, reform::MOST_OUTLINES};
use crate::{App, body::Said, error::ApiError};

/// A set of texture coordinates.
#[derive(Debug, Serialize, ToSchema)]
pub struct PartUvs {
    /// What there is to say of it.
    #[serde(flatten)]
    told: UvTold,
    /// The edges of its islands: u, v, u, v.
    #[schema(value_type = Vec<[f32; 4]>)]
    outlines: Vec<[f32; 4]>,
}

/// Tells of the texture coordinates of a part.
#[utoipa::path(
    get, path = "/api/v1/projects/{project}/parts/{part}/uvs",
    params(("project" = i64, Path), ("part" = u32, Path)),
    responses((status = 200, body = [PartUvs]), (status = 404, body = ApiError))
)]
pub async fn part_uvs(
    State(app): State<App>,
    Path((project, part)): Path<(ProjectId, PartId)>,
) -> Result<Json<Vec<PartUvs>>, ApiError> {
    let now = app.now(project).await?;
    let own = part_of(&now, part)?;
    let sets = app.aside(move |_| {
        let sets = own.geometry.mesh().uv_sets();
        let of = |(told, set): (UvTold, &speckle_mesh::mesh::UvSet)| PartUvs {
            told,
            outlines: outlines(&own.geometry, &set.uvs, MOST_OUTLINES),
        };
        Ok(told(&own).into_iter().zip(sets).map(of).collect())
    });
    Ok(Json(sets.await?))
}

/// The first texture coordinates of a part: u and v of each corner, as floats of four bytes, the lowest first;
/// nothing where it has none.
#[utoipa::path(
    get, path = "/api/v1/projects/{project}/parts/{part}/corner_uvs",
    params(("project" = i64, Path), ("part" = u32, Path)),
    responses((status = 200, content_type = "application/octet-stream", body = String), (status = 404, body = ApiError))
)]
pub async fn corner_uvs(
    State(app): State<App>,
    Path((project, part)): Path<(ProjectId, PartId)>,
) -> Result<Response, ApiError> {
    let now = app.now(project).await?;
    let own = part_of(&now, part)?;
    let bytes = app.aside(move |_| {
        let uvs = own.geometry.mesh().uv_sets().first().map_or(&[][..], |set| &set.uvs);
        Ok(uvs.iter().flat_map(|uv| uv.to_array()).flat_map(f32::to_le_bytes).collect::<Vec<u8>>())
    });
    Ok(([(header::CONTENT_TYPE, "application/octet-stream")], bytes.await?).into_response())
}

/// Which colors become an image of the project.
#[derive(Clone, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ImageOrder {
    /// The set whose colors it shows.
    set: SetId,
    /// The set of texture coordinates, from 0.
    #[serde(default)]
    uv_set: usize,
    /// Pixels on each side.
    side: usize,
    /// What it is called; an image of that name is replaced.
    name: String,
}

/// Makes an image of the project from the colors of a set, by texture coordinates.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/parts/{part}/image",
    params(("project" = i64, Path), ("part" = u32, Path)),
    request_body = ImageOrder,
    responses((status = 200), (status = 422, body = ApiError))
)]
pub async fn image_of_colors(
    State(app): State<App>,
    Path((project, part)): Path<(ProjectId, PartId)>,
    headers: HeaderMap,
    Said(order): Said<ImageOrder>,
) -> Result<(), ApiError> {
    let now = app.now(project).await?;
    let own = part_of(&now, part)?;
    let set = own.products().find(|set| set.id == order.set);
    let set = set.ok_or_else(|| ApiError::bad_request("the set is gone: choose another"))?;
    let (set, is_data) = (set.name.clone(), set.encoding == Encoding::Data);
    let from = move |channel| MapChannel::Set { set: set.clone(), channel, invert: false };
    let plan = MapPlan {
        width: order.side,
        height: order.side,
        lay: MapProjection::Uv { uv_set: order.uv_set },
        channels: [from(0), from(1), from(2), if is_data { from(3) } else { MapChannel::Covered }],
        padding: 8,
        samples: 2,
    };
    let drawn = app.aside(move |_| {
        let map = render(std::slice::from_ref(&own), &plan, |_| None);
        Ok(map
            .map_err(|error| error.to_string())
            .and_then(|map| MapFile::Png8.write(&map).map_err(|error| error.to_string())))
    });
    let file = Arc::new(drawn.await?.map_err(ApiError::bad_request)?);
    app.edit(project, ImageEdit::AddImage { name: order.name, file }, hand(&headers)).await?;
    Ok(())
}
