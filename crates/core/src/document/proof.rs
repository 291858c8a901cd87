//! How a project is proofed: its looks, what wears them, the light.

use serde::Deserialize;
use speckle_model::{
    PartId,
    proof::{LONGEST_REASON, Lights, Look, MOST_LOOKS, MOST_SILENCED, Proof, Silenced, Worn},
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
            Self::SilenceCheck { key, reason } => silence(&mut after, key, reason)?,
        };
        let mut steps = Vec::new();
        if before != after {
            steps.push(ChangeStep::Proof { before: before.into(), after: after.into() });
        }
        Ok(Change { label, steps, ..Change::default() }.into())
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
