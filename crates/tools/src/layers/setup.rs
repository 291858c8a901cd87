//! How a project is printed, as it is kept with it.

use serde::{Deserialize, Serialize};

use super::{Inside, Pace, Plate, Rules, SeamMarks};

/// How a project is printed. Lengths are millimetres.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct PrintSetup {
    /// How it is cut.
    pub rules: Rules,
    /// What lies further within than paint goes; the base swatch of the first part when not given.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub inside: Option<Inside>,
    /// Heights above the plate between which paint goes right through.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub through: Vec<[f64; 2]>,
    /// How high the print is; as high as the model, where a printer could hold that, when not given.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub height: Option<f64>,
    /// What the printer takes for what it does.
    #[serde(default)]
    pub pace: Pace,
    /// Where layers begin.
    #[serde(default)]
    pub seams: SeamMarks,
    /// Where it stands on the plate; in the middle of the printer's when not given.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub plate: Option<Plate>,
}

/// The most heights between which paint goes through.
const MOST_THROUGH: usize = 10_000;

impl PrintSetup {
    /// What makes it impossible, said for the user.
    #[must_use]
    pub fn problem(&self) -> Option<String> {
        if let Some(problem) = self.pace.problem() {
            return Some(problem.to_owned());
        }
        if let Some(problem) = self.rules.problem() {
            return Some(problem.to_string());
        }
        let is_range = |[from, to]: &[f64; 2]| from.is_finite() && to.is_finite() && from <= to;
        if self.through.len() > MOST_THROUGH || !self.through.iter().all(is_range) {
            return Some("paint goes right through from one height up to another".to_owned());
        }
        if let Some(problem) = self.plate.as_ref().and_then(Plate::problem) {
            return Some(problem);
        }
        let is_high = self.height.is_none_or(|height| height.is_finite() && height > 0.0);
        (!is_high).then(|| "a print is higher than 0 mm".to_owned())
    }
}
