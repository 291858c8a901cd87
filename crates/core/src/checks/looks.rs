//! Looks that ask for what is not there, and what is laid over that is not neutral.

use speckle_color::{Encoding, blend::Blend};
use speckle_model::{
    Part,
    proof::{Coat, Layer, Look},
};

use super::{Check, Finding, HandArea, Remedy, Subject, finding, sets::place_of};

/// How near to 0.5 a number is neutral: a step of 8 bits.
const NEAR: f32 = 1.1 / 255.0;

/// At the least so much of a set that is laid over was left alone.
const LEFT: f64 = 0.02;

/// Sets that looks ask for, of parts that wear them.
pub fn sets_of_looks(subject: &Subject, found: &mut Vec<Finding>) {
    for look in &subject.proof.looks {
        let wearers: Vec<&Part> = subject
            .seen()
            .filter(|part| subject.proof.worn_by(part.id).is_some_and(|own| own.id == look.id))
            .collect();
        for set in look.sets() {
            let has = |part: &&Part| part.sets.iter().any(|own| own.name == set);
            if !wearers.is_empty() && !wearers.iter().any(has) {
                found.push(Finding {
                    remedy: Some(Remedy::ByHand { area: HandArea::Proof }),
                    ..finding(
                        Check::LookWithoutSet,
                        wearers.first().copied(),
                        &format!("{} {set}", look.name),
                        format!(
                            "the look {} asks for the set {set}, which nothing that wears it has",
                            look.name
                        ),
                        "it is read as black",
                    )
                });
            }
        }
        for layer in look.layers.iter().filter(|layer| !layer.off) {
            for part in &wearers {
                found.extend(not_neutral(look, layer, part));
            }
        }
    }
}

/// Of what is laid over, 0.5 leaves what is below as it is.
fn not_neutral(look: &Look, layer: &Layer, part: &Part) -> Option<Finding> {
    let Coat::Set { set } = &layer.coat else { return None };
    if !matches!(layer.blend, Blend::Overlay | Blend::SoftLight | Blend::HardLight) {
        return None;
    }
    let set = part.sets.iter().find(|own| own.name == *set)?;
    let about = format!("{} {}", look.name, set.name);
    if set.encoding == Encoding::Color {
        return Some(Finding {
            remedy: Some(Remedy::ByHand { area: HandArea::Proof }),
            ..finding(
                Check::NotNeutral,
                Some(part),
                &about,
                format!(
                    "{} of {} is a color set, and {} lays it over",
                    set.name, part.traits.name, look.name
                ),
                "a format that stores linear light makes 0.214 of its 0.5; make it data",
            )
        });
    }
    let is_neutral = |value: &[f32; 4]| value[..3].iter().all(|x| (x - 0.5).abs() <= NEAR);
    let neutral = set.values.iter().filter(|value| is_neutral(value)).count();
    if neutral as f64 >= LEFT * set.values.len() as f64 {
        return None;
    }
    let furthest =
        |value: &[f32; 4]| value[..3].iter().fold(0.0_f32, |far, x| far.max((x - 0.5).abs()));
    let element = (0..set.values.len())
        .max_by(|a, b| furthest(&set.values[*a]).total_cmp(&furthest(&set.values[*b])))?;
    Some(Finding {
        count: set.values.len() - neutral,
        place: Some(place_of(part, set.placement, element)),
        remedy: Some(Remedy::ByHand { area: HandArea::Paint }),
        ..finding(
            Check::NotNeutral,
            Some(part),
            &about,
            format!(
                "{} of {} is hardly anywhere 0.5, and {} lays it over",
                set.name, part.traits.name, look.name
            ),
            "0.5 leaves the image below as it is: 1 brightens everything, 0 darkens it",
        )
    })
}

/// Layers that lie where single channels of one set say, as they are, share the surface between them: what they add up
/// to beyond 1 is taken from those below.
pub fn shares(subject: &Subject, found: &mut Vec<Finding>) {
    for look in &subject.proof.looks {
        let mut sharing: Vec<(&str, Vec<u8>)> = Vec::new();
        for (_, layer) in look.shown() {
            let drive = &layer.drive;
            let [factor] = drive.factors.as_slice() else { continue };
            let is_plain = drive.contrast == 1.0 && drive.offset == 0.0 && !drive.inverted;
            if factor.complement || !is_plain || layer.blend != Blend::Normal {
                continue;
            }
            match sharing.iter_mut().find(|(set, _)| *set == factor.set) {
                Some((_, channels)) if !channels.contains(&factor.channel) => {
                    channels.push(factor.channel);
                }
                Some(_) => {}
                None => sharing.push((&factor.set, vec![factor.channel])),
            }
        }
        for (name, channels) in sharing.into_iter().filter(|(_, channels)| channels.len() > 1) {
            let wearers = subject
                .seen()
                .filter(|part| subject.proof.worn_by(part.id).is_some_and(|own| own.id == look.id));
            found.extend(wearers.filter_map(|part| overfull(look, part, name, &channels)));
        }
    }
}

fn overfull(look: &Look, part: &Part, set: &str, channels: &[u8]) -> Option<Finding> {
    let set = part.products().find(|own| own.name == set)?;
    let sum = |value: &[f32; 4]| channels.iter().map(|&c| value[usize::from(c)]).sum::<f32>();
    let over = |value: &&[f32; 4]| sum(value) > 1.0 + NEAR * channels.len() as f32;
    let count = set.values.iter().filter(over).count();
    if count == 0 {
        return None;
    }
    let most = (0..set.values.len())
        .max_by(|a, b| sum(&set.values[*a]).total_cmp(&sum(&set.values[*b])))?;
    let letters: Vec<&str> =
        channels.iter().map(|&c| ["R", "G", "B", "A"][usize::from(c.min(3))]).collect();
    Some(Finding {
        count,
        place: Some(place_of(part, set.placement, most)),
        remedy: Some(Remedy::ByHand { area: HandArea::Paint }),
        ..finding(
            Check::Overfull,
            Some(part),
            &format!("{} {}", look.name, set.name),
            format!(
                "{} of {} on {} add up to {:.2}, and share a surface in {}",
                letters.join(" and "),
                set.name,
                part.traits.name,
                sum(&set.values[most]),
                look.name
            ),
            "what is beyond 1 is taken from the masks below: in a shader that divides it up, colors change",
        )
    })
}
