//! What is kept up and serves nobody, or is lost on the way: sets, paint, numbers of recipients.

use serde_json::json;
use speckle_model::recipe::{Merge, Step, source::Source};

use super::{Check, Finding, HandArea, Remedy, Subject, Taker, finding, sets::given};

/// Sets that nobody takes: where looks are worn and recipients kept, and none of them names the set.
pub fn unused(subject: &Subject, found: &mut Vec<Finding>) {
    let Subject { proof, takers, .. } = subject;
    let takes_all = |taker: &Taker| taker.sets.is_empty();
    if takers.is_empty() || takers.iter().any(takes_all) || proof.looks.is_empty() {
        return;
    }
    let by_looks: Vec<&str> = proof.looks.iter().flat_map(|look| look.sets()).collect();
    for part in subject.seen() {
        for set in given(part) {
            let is_taken = by_looks.contains(&set.name.as_str())
                || takers.iter().flat_map(|own| &own.sets).any(|name| *name == set.name);
            if is_taken {
                continue;
            }
            found.push(Finding {
                remedy: Some(Remedy::Edit {
                    label: "Remove it".to_owned(),
                    edit: json!({ "type": "delete_set", "part": part.id, "set": set.id }),
                }),
                ..finding(
                    Check::Unused,
                    Some(part),
                    &set.name,
                    format!("no look and no recipient takes {} of {}", set.name, part.traits.name),
                    "it is kept up for nobody",
                )
            });
        }
    }
}

/// What recipients that are kept with the project are not given: what their formats and their choices leave out.
pub fn lost(subject: &Subject, found: &mut Vec<Finding>) {
    for taker in subject.takers {
        for (i, words) in taker.lost.iter().enumerate() {
            found.push(Finding {
                remedy: Some(Remedy::ByHand { area: HandArea::Deliver }),
                ..finding(
                    Check::Lost,
                    None,
                    &format!("{} {i}", taker.name),
                    format!("on the way to {}: {words}", taker.name),
                    "whoever receives it cannot have it back",
                )
            });
        }
    }
}

/// Paint by hand that a later step of its recipe takes the place of, everywhere.
pub fn hidden_paint(subject: &Subject, found: &mut Vec<Finding>) {
    for part in subject.parts {
        for (set, own) in
            part.sets.iter().flat_map(|set| set.recipes.iter().map(move |own| (set, own)))
        {
            let steps = &own.recipe.steps;
            let hides = |step: &Step| {
                !step.off
                    && step.merge == Some(Merge::Replace)
                    && step.mask.is_none()
                    && step.strength.is_none_or(|strength| strength >= 1.0)
                    && !matches!(step.source, Source::HandPaint { .. } | Source::Image { .. })
            };
            let painted = |step: &Step| {
                !step.off && matches!(step.source, Source::HandPaint { paint: Some(_) })
            };
            let Some(first) = steps.iter().position(painted) else { continue };
            let Some(by) = steps[first + 1..].iter().find(|step| hides(step)) else { continue };
            let word = own.recipe.channels.letters();
            found.push(Finding {
                remedy: Some(Remedy::ByHand { area: HandArea::Bake }),
                ..finding(
                    Check::HiddenPaint,
                    Some(part),
                    &format!("{} {word}", set.name),
                    format!(
                        "paint in {} · {word} on {} lies beneath the step {}, which takes its place",
                        set.name,
                        part.traits.name,
                        by.source.title()
                    ),
                    "it is kept, and nobody sees it: move the paint after the step, or let the step mix",
                )
            });
        }
    }
}
