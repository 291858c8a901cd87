//! How a project is proofed: its looks, what wears them, the light.

use serde::Deserialize;
use speckle_model::{
    PartId,
    proof::{
        LONGEST_REASON, Lights, Look, MOST_LOOKS, MOST_SILENCED, Proof, Silenced, Stirred, Tie,
        Wind, Worn,
    },
};
use strum::VariantNames;

use super::{
    Change, ChangeStep, Document, EditError,
    planned::{Family, Planned},
};

/// What changes how a project is proofed.
#[derive(Clone, Debug, Deserialize, VariantNames)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "type", rename_all = "snake_case")]
#[strum(serialize_all = "snake_case")]
pub enum ProofEdit {
    /// Makes a look, or changes the one of its number.
    SetLook {
        /// The look.
        look: Look,
        /// Whether parts of which nothing else is said wear it from then on.
        #[serde(default)]
        wear: bool,
    },
    /// Takes a look away; nothing wears it any more.
    RemoveLook {
        /// Its number.
        look: u32,
    },
    /// Says what parts wear.
    WearLook {
        /// The number of the look; none for what is worn everywhere, or for none at all where that is meant.
        look: Option<u32>,
        /// The parts; all of them, whatever they wore, when left out.
        #[serde(default)]
        parts: Option<Vec<PartId>>,
    },
    /// Says what proofs are lit by.
    SetLights {
        /// All of it.
        lights: Lights,
    },
    /// Says what wind there is.
    SetWind {
        /// It; none for the one of all parts, where single ones are meant.
        wind: Option<Wind>,
        /// The parts that have it for themselves; all that have none of their own when left out.
        #[serde(default)]
        parts: Option<Vec<PartId>>,
    },
    /// Ties a part to a vertex of another, or unties it.
    TiePart {
        /// The part.
        part: PartId,
        /// What it follows from then on.
        tie: Option<Tie>,
    },
    /// Says that a finding is meant to be so, or, without a reason, that it is not.
    SilenceCheck {
        /// Names the finding.
        key: String,
        /// Why it is meant.
        reason: Option<String>,
    },
}

impl Family for ProofEdit {
    fn plan(self, document: &mut Document) -> Result<Planned, EditError> {
        let before = document.proof.clone();
        let mut after = before.clone();
        let label = match self {
            Self::SetLook { look, wear } => {
                let (id, label) = set_look(document, &mut after, look)?;
                if wear {
                    after.everywhere = Some(id);
                }
                label
            }
            Self::RemoveLook { look } => {
                let name = named(&after, look)?;
                after.looks.retain(|own| own.id != look);
                after.worn.retain(|worn| worn.look != look);
                after.everywhere = after.everywhere.filter(|own| *own != look);
                format!("Remove the look {name}")
            }
            Self::WearLook { look, parts } => {
                let name = look.map(|look| named(&after, look)).transpose()?;
                wear(document, &mut after, look, parts)?;
                name.map_or("Take the look off".to_owned(), |name| format!("Wear {name}"))
            }
            Self::SetLights { lights } => {
                if let Some(problem) = lights.problem() {
                    return Err(EditError::Shelved(problem));
                }
                after.lights = lights;
                "Change the light".to_owned()
            }
            Self::SetWind { wind, parts } => set_wind(document, &mut after, wind, parts)?,
            Self::TiePart { part, tie } => tie_part(document, &mut after, part, tie)?,
            Self::SilenceCheck { key, reason } => silence(&mut after, key, reason)?,
        };
        let mut steps = Vec::new();
        if before != after {
            steps.push(ChangeStep::Proof { before: before.into(), after: after.into() });
        }
        Ok(Change { label, steps, ..Change::default() }.into())
    }
}

fn set_wind(
    document: &Document,
    proof: &mut Proof,
    wind: Option<Wind>,
    parts: Option<Vec<PartId>>,
) -> Result<String, EditError> {
    if let Some(problem) = wind.and_then(|wind| wind.problem()) {
        return Err(EditError::Shelved(problem.to_owned()));
    }
    let Some(parts) = parts else {
        proof.wind = wind.unwrap_or_default();
        return Ok("Change the wind".to_owned());
    };
    for &part in &parts {
        document.part(part)?;
        stir(proof, part, |own| own.wind = wind);
    }
    Ok(if wind.is_some() { "Change a part’s wind" } else { "Leave a part to the wind of all" }
        .to_owned())
}

fn tie_part(
    document: &Document,
    proof: &mut Proof,
    part: PartId,
    tie: Option<Tie>,
) -> Result<String, EditError> {
    let name = document.part(part)?.traits.name.clone();
    let Some(tie) = tie else {
        stir(proof, part, |own| own.tied = None);
        return Ok(format!("Untie {name}"));
    };
    let to = document.part(tie.to)?;
    let refused = |words: String| Err(EditError::Shelved(words));
    if tie.vertex as usize >= to.geometry.mesh().vertex_count() {
        return refused(format!("{} has no such vertex: choose another place", to.traits.name));
    }
    // One follows another, which stands for itself: a chain of them would hang on none.
    let to_name = &to.traits.name;
    if tie.to == part || proof.tied(tie.to).is_some() {
        return refused(format!("{to_name} is tied itself: tie {name} to what it hangs on"));
    }
    if proof.stirred.iter().any(|own| own.tied.is_some_and(|own| own.to == part)) {
        return refused(format!("others are tied to {name}: untie them first"));
    }
    let label = format!("Tie {name} to {}", to.traits.name);
    stir(proof, part, |own| own.tied = Some(tie));
    Ok(label)
}

/// Changes what moves a part otherwise than the others.
fn stir(proof: &mut Proof, part: PartId, by: impl FnOnce(&mut Stirred)) {
    let known = proof.stirred.iter().position(|own| own.part == part);
    let mut own =
        known.map_or(Stirred { part, wind: None, tied: None }, |at| proof.stirred.remove(at));
    by(&mut own);
    if own.wind.is_some() || own.tied.is_some() {
        proof.stirred.insert(known.unwrap_or(proof.stirred.len()), own);
    }
}

fn silence(proof: &mut Proof, key: String, reason: Option<String>) -> Result<String, EditError> {
    proof.silenced.retain(|own| own.key != key);
    let Some(reason) = reason.map(|reason| reason.trim().to_owned()) else {
        return Ok("Tell of a finding again".to_owned());
    };
    let refused = |words: &str| Err(EditError::Shelved(words.to_owned()));
    if reason.is_empty() || reason.len() > LONGEST_REASON || key.len() > LONGEST_REASON {
        return refused("say in a few words why it is meant to be so");
    }
    if proof.silenced.len() >= MOST_SILENCED {
        return refused("1000 findings are silenced already: tell of some again");
    }
    proof.silenced.push(Silenced { key, reason });
    Ok("Leave a finding".to_owned())
}

fn named(proof: &Proof, look: u32) -> Result<String, EditError> {
    let gone = || EditError::Shelved("that look is gone: choose another".to_owned());
    proof.look(look).map(|look| look.name.clone()).ok_or_else(gone)
}

fn set_look(
    document: &mut Document,
    proof: &mut Proof,
    mut look: Look,
) -> Result<(u32, String), EditError> {
    look.name = look.name.trim().to_owned();
    for layer in &mut look.layers {
        layer.name = layer.name.trim().to_owned();
    }
    if let Some(problem) = look.problem() {
        return Err(EditError::Shelved(problem));
    }
    let is_taken = |own: &Look| own.id != look.id && own.name == look.name;
    if proof.looks.iter().any(is_taken) {
        let words = format!("there is a look {} already: choose another name", look.name);
        return Err(EditError::Shelved(words));
    }
    let (id, name) = (look.id, look.name.clone());
    if id == 0 {
        if proof.looks.len() >= MOST_LOOKS {
            let words = format!("a project holds {MOST_LOOKS} looks at most: remove one first");
            return Err(EditError::Shelved(words));
        }
        look.id = document.take_id();
        let id = look.id;
        proof.looks.push(look);
        return Ok((id, format!("Make the look {name}")));
    }
    let was = named(proof, id)?;
    let own = proof.looks.iter_mut().find(|own| own.id == id);
    if let Some(own) = own {
        *own = look;
    }
    let label = if was == name {
        format!("Change the look {name}")
    } else {
        format!("Rename the look {was}")
    };
    Ok((id, label))
}

fn wear(
    document: &Document,
    proof: &mut Proof,
    look: Option<u32>,
    parts: Option<Vec<PartId>>,
) -> Result<(), EditError> {
    let Some(parts) = parts else {
        proof.worn.clear();
        proof.everywhere = look;
        return Ok(());
    };
    for &part in &parts {
        document.part(part)?;
    }
    proof.worn.retain(|worn| !parts.contains(&worn.part));
    if let Some(look) = look {
        proof.worn.extend(parts.into_iter().map(|part| Worn { part, look }));
    }
    Ok(())
}

impl Document {
    /// How the project is proofed.
    #[must_use]
    pub fn proof(&self) -> &Proof {
        &self.proof
    }
}
