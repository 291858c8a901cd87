//! Where a print stands on the plate.

use axum::{
    Json,
    extract::{Path, State},
};
use glam::{Affine3A, Quat, Vec3};
use speckle_model::Part;
use speckle_tools::layers::{Footprint, Plate, PlateTold, to_plate};

use super::layers::{Planned, cut_anew};
use crate::{App, body::Said, error::ApiError};

/// How a print that was cut stands on a plate, and whether it fits.
#[utoipa::path(
    post, path = "/api/v1/layers/{look}/plate", params(("look" = u32, Path)),
    request_body = Plate,
    responses((status = 200, body = PlateTold), (status = 404, body = ApiError), (status = 422, body = ApiError))
)]
pub async fn layer_plate(
    State(app): State<App>,
    Path(look): Path<u32>,
    Said(plate): Said<Plate>,
) -> Result<Json<PlateTold>, ApiError> {
    let planned = app.prints.get(look).ok_or_else(cut_anew)?;
    if let Some(problem) = plate.problem() {
        return Err(ApiError::bad_request(problem));
    }
    let told = app.aside(move |_| Ok(planned.footprint().map(|footprint| footprint.on(&plate))));
    told.await?.map(Json).ok_or_else(|| ApiError::bad_request("there is nothing to print"))
}

impl Planned {
    fn footprint(&self) -> Option<Footprint> {
        Footprint::of(&self.bodies())
    }

    /// Puts parts of the project, as many as are printed, to where they stand on a plate; why that is
    /// impossible, said for the user.
    pub(super) fn put_on(&self, plate: &Plate, parts: &mut [Part]) -> Result<(), String> {
        if let Some(problem) = plate.problem() {
            return Err(problem);
        }
        let footprint = self.footprint().ok_or("there is nothing to print")?;
        let told = footprint.on(plate);
        if told.margin < 0.0 {
            return Err(format!("it reaches {:.1} mm beyond the plate", -told.margin));
        }
        if told.too_high > 0.0 {
            return Err(format!("it is {:.1} mm higher than the printer reaches", told.too_high));
        }
        let (unit, up) = self.traits;
        let as_cut = Affine3A::from_scale(Vec3::splat(self.scale as f32)) * to_plate(unit, up);
        let motion = as_cut.inverse() * footprint.motion(plate) * as_cut;
        let (_, turn, shift) = motion.to_scale_rotation_translation();
        let turn: Quat = turn.normalize();
        for part in parts {
            let own = &mut part.traits.transform;
            *own = own.then_moved(turn, shift);
        }
        Ok(())
    }
}
