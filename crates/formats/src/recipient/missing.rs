//! What a recipient does not get.

use speckle_model::Part;
use speckle_tools::separation::Separation;

use super::piles::Caps;
use crate::{Loss, LossKind, Weight};

/// What a separation changes.
pub(super) fn losses_of(separation: &Separation, parts: &[Part]) -> Vec<Loss> {
    let mut losses = Vec::new();
    // Two colors less far apart than this are hardly told apart (common practice, no source).
    let weight =
        if separation.max_difference <= JUST_SEEN { Weight::Fine } else { Weight::Careful };
    let spools = match separation.swatches.len() {
        1 => "one swatch".to_owned(),
        n => format!("the nearest of {n} swatches"),
    };
    let text = format!(
        "every face is printed in {spools}: at most ΔE {:.1} from what is painted, {:.1} in the mean",
        separation.max_difference, separation.mean_difference
    );
    let remedy = match weight {
        Weight::Fine => "",
        _ => "Load more spools, or put the colors that matter into the palette.",
    };
    losses.push(Loss {
        kind: LossKind::Swatches,
        weight,
        part: None,
        text,
        remedy: remedy.to_owned(),
        cures: Vec::new(),
    });
    for part in parts.iter().filter(|part| part.products().next().is_none()) {
        let text = "it has no set, and is printed as if it were white".to_owned();
        losses.push(Loss {
            kind: LossKind::Swatches,
            weight: Weight::Careful,
            part: Some(part.traits.name.clone()),
            text,
            remedy: "Give it a set, or leave it at home.".to_owned(),
            cures: Vec::new(),
        });
    }
    losses
}

/// What finds no room in bodies of one swatch each.
pub(super) fn left_out(parts: &[Part], caps: Option<&Caps>) -> Vec<Loss> {
    let told = |text: String, remedy: &str| Loss {
        kind: LossKind::Receivers,
        weight: Weight::Careful,
        part: None,
        text,
        remedy: remedy.to_owned(),
        cures: Vec::new(),
    };
    let said = |count: usize, one: &str, several: &str| match count {
        1 => format!("one {one}"),
        count => format!("{count} {several}"),
    };
    let mut open = Vec::new();
    match caps {
        None => open.push(told(
            "each file holds the faces of one swatch, a skin without thickness where colors meet on a part".to_owned(),
            "Let the slicer load all of them as one object, send closed bodies, or send 3MF.",
        )),
        Some(caps) => {
            if caps.flat > 0 {
                open.push(told(
                    said(
                        caps.flat,
                        "flat patch of one swatch encloses nothing even when closed: it goes through nothing",
                        "flat patches of one swatch enclose nothing even when closed: they go through nothing",
                    ),
                    "Paint it as a band through the wall, or send 3MF.",
                ));
            }
            if caps.open > 0 {
                open.push(told(
                    said(
                        caps.open,
                        "body of one swatch cannot be closed, its border branches",
                        "bodies of one swatch cannot be closed, their borders branch",
                    ),
                    "Look it over in Gather under Mend, or send 3MF.",
                ));
            }
        }
    }
    let others = parts.iter().flat_map(|part| {
        part.products().skip(1).map(|set| Loss {
            kind: LossKind::Sets,
            weight: Weight::Lost,
            part: Some(part.traits.name.clone()),
            text: format!("the set {} was left out, spools take the first one", set.name),
            remedy: "Move the set that matters to the first place.".to_owned(),
            cures: Vec::new(),
        })
    });
    open.into_iter().chain(others).collect()
}

/// The difference up to which two colors pass for one, CIEDE2000.
pub(super) const JUST_SEEN: f32 = 2.3;
