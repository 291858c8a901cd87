//! Pours: what one would cover, and the change it makes.

use serde::{Deserialize, Serialize};

use super::{Change, Document, EditError, PartId, sets::values_changed, strokes::surface_of};
use crate::{
    blend::{Base, Blend},
    color::Rgba,
    color_set::{Channels, SetId},
    pour::{self, Pour},
    stroke::{Action, Sample},
};

/// What a pour is made with.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PourStart {
    /// The part poured on.
    pub part: PartId,
    /// The set poured into.
    pub set: SetId,
    /// The channels poured; others stay bit-identical.
    pub channels: Channels,
    /// What it does.
    #[serde(default)]
    pub action: Action,
    /// How the paint meets what is there; erasing lays the ground color on as it is.
    #[serde(default)]
    pub blend: Blend,
    /// The paint, in the set's own encoding; erasing takes the set's ground color instead.
    #[cfg_attr(feature = "schema", schema(value_type = [f32; 4]))]
    pub paint: Rgba,
    /// How much of the paint is laid on, 0–1.
    pub opacity: f32,
    /// How far it reaches.
    pub pour: Pour,
    /// Where it starts; a pour over all needs no place.
    pub at: Sample,
}

impl Document {
    /// The elements a pour would cover; none when it starts beside the part.
    ///
    /// # Errors
    /// When the target is gone or the pour makes no sense.
    pub fn poured(&self, start: &PourStart) -> Result<Vec<u32>, EditError> {
        if let Some(problem) = start.pour.problem() {
            return Err(EditError::Stroke(problem));
        }
        let part = self.part(start.part)?;
        let set = self.set(start.part, start.set)?;
        let surface = surface_of(part, set.placement);
        let geometry = &part.geometry;
        let place = match start.pour {
            Pour::All => Some((0, glam::Vec3::ZERO)),
            _ => surface
                .placed
                .cast(geometry, start.at.origin, start.at.direction)
                .map(|hit| (hit.face, hit.point)),
        };
        Ok(place.map_or_else(Vec::new, |place| {
            let (values, channels) = (&set.values, start.channels);
            pour::covered(start.pour, geometry, set.placement, values, channels, place)
        }))
    }

    pub(super) fn change_pouring(&self, start: &PourStart) -> Result<Change, EditError> {
        if !(0.0..=1.0).contains(&start.opacity) {
            return Err(EditError::Stroke("opacity must lie between 0 and 100 %"));
        }
        if !start.paint.iter().all(|x| (0.0..=1.0).contains(x)) {
            return Err(EditError::Stroke("the paint's numbers must lie between 0 and 1"));
        }
        let (_, own, _) = self.own_set(start.part, start.set)?;
        let part = self.part(start.part)?;
        if !part.traits.visible {
            return Err(EditError::Hidden(part.traits.name.clone()));
        }
        let channels = super::strokes::open_channels(own, start.channels)?;
        let (paint, blend) = match start.action {
            Action::Paint => (start.paint, start.blend),
            Action::Erase => (own.ground, Blend::Normal),
        };
        let base = Base { encoding: own.encoding, ground: own.ground };
        let covered = self.poured(start)?;
        let own = self.as_kept(own);
        let mut after = own.values.to_vec();
        for element in covered {
            let value = &mut after[element as usize];
            let full = blend.of(base, *value, paint);
            for i in (0..4).filter(|&i| channels.0[i]) {
                value[i] = if start.opacity >= 1.0 {
                    full[i]
                } else {
                    value[i] + (full[i] - value[i]) * start.opacity
                };
            }
        }
        let verb = match start.action {
            Action::Paint => start.pour.title().to_owned(),
            Action::Erase => format!("{} (erase)", start.pour.title()),
        };
        let label = format!("{verb} on {}", own.name);
        Ok(values_changed(label, start.part, &own, &after))
    }
}
