//! Sets that differ where they should be alike, say nothing, or hold what a receiver cannot read.

use std::collections::HashMap;

use serde_json::json;
use speckle_color::Encoding;
use speckle_mesh::placement::{Placement, point_of};
use speckle_model::{ColorSet, Part};

use super::{Check, Finding, HandArea, Remedy, Subject, finding};

/// As many sets as receivers of shaders usually are given at most: 8 (common practice, no source).
const SHADER_SETS: usize = 8;

/// How far a number is from another to be another: a step and a half of 8 bits.
const STEP: f32 = 1.5 / 255.0;

/// Sets that receivers are given: those of swatches go as swatches.
pub(super) fn given(part: &Part) -> impl Iterator<Item = &ColorSet> {
    part.products().filter(|set| set.encoding != Encoding::Swatch)
}

/// A name as two are compared: without capitals, spaces, dashes and underscores.
fn bare(name: &str) -> String {
    name.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
}

/// Which sets parts have, how those are called, where they stand, and what they hold values at.
pub fn alike(subject: &Subject, found: &mut Vec<Finding>) {
    let parts: Vec<&Part> = subject.seen().collect();
    if parts.len() < 2 {
        return;
    }
    let mut first: Vec<(&Part, &ColorSet)> = Vec::new();
    for part in &parts {
        for set in given(part) {
            let known = first.iter().find(|(_, own)| own.name == set.name);
            let Some((_, own)) = known else {
                let like = first.iter().find(|(other, own)| {
                    bare(&own.name) == bare(&set.name)
                        && given(part).all(|each| each.name != own.name)
                        && given(other).all(|each| each.name != set.name)
                });
                if let Some((other, own)) = like {
                    found.push(unlike_names(part, set, other, own));
                } else {
                    first.push((part, set));
                }
                continue;
            };
            if own.placement != set.placement {
                let words = [own.placement, set.placement].map(|placement| placement.words());
                found.push(Finding {
                    remedy: Some(Remedy::Edit {
                        label: format!("Hold it {}", words[0]),
                        edit: json!({
                            "type": "convert_set", "part": part.id, "set": set.id, "placement": own.placement,
                        }),
                    }),
                    ..finding(
                        Check::UnlikePlacement,
                        Some(part),
                        &set.name,
                        format!("{} of {} holds its values {}, elsewhere {}", set.name, part.traits.name, words[1], words[0]),
                        "a receiver reads one set in one way on all parts",
                    )
                });
            }
        }
    }
    for (owner, set) in &first {
        let is_without = |part: &&&Part| given(part).all(|own| bare(&own.name) != bare(&set.name));
        let without: Vec<&&Part> = parts.iter().filter(is_without).collect();
        if without.is_empty() {
            continue;
        }
        let names: Vec<&str> = without.iter().map(|part| part.traits.name.as_str()).collect();
        let ids: Vec<_> = without.iter().map(|part| part.id).collect();
        found.push(Finding {
            count: without.len(),
            remedy: Some(Remedy::Edit {
                label: "Give it to them".to_owned(),
                edit: json!({ "type": "copy_set", "part": owner.id, "set": set.id, "to": ids }),
            }),
            ..finding(
                Check::MissingSet,
                without.first().map(|part| **part),
                &set.name,
                format!("{} lacks the set {}", names.join(", "), set.name),
                "a shader that reads the set is given black there, or stops",
            )
        });
    }
    order(&parts, found);
}

fn unlike_names(part: &Part, set: &ColorSet, other: &Part, own: &ColorSet) -> Finding {
    Finding {
        remedy: Some(Remedy::Edit {
            label: format!("Call it {}", own.name),
            edit: json!({ "type": "rename_set", "part": part.id, "set": set.id, "name": own.name }),
        }),
        ..finding(
            Check::UnlikeNames,
            Some(part),
            &set.name,
            format!(
                "{} of {} is called {} on {}",
                set.name, part.traits.name, own.name, other.traits.name
            ),
            "a receiver that goes by names finds it on one of them alone",
        )
    }
}

/// Receivers that go by the place read what stands first, second and so on.
fn order(parts: &[&Part], found: &mut Vec<Finding>) {
    let Some(first) = parts.first() else { return };
    let wanted: Vec<&str> = given(first).map(|set| set.name.as_str()).collect();
    for part in &parts[1..] {
        let own: Vec<&str> = given(part).map(|set| set.name.as_str()).collect();
        let mut sorted = own.clone();
        sorted.sort_unstable();
        let mut same = wanted.clone();
        same.sort_unstable();
        if sorted != same || own == wanted {
            continue;
        }
        let at = wanted.iter().zip(&own).position(|(a, b)| a != b).unwrap_or(0);
        let moved = given(part).find(|set| set.name == wanted[at]);
        let to = part.sets.iter().position(|set| set.name == own[at]);
        found.push(Finding {
            remedy: moved.zip(to).map(|(set, to)| Remedy::Edit {
                label: format!("Put {} before {}", wanted[at], own[at]),
                edit: json!({ "type": "move_set", "part": part.id, "set": set.id, "to": to }),
            }),
            ..finding(
                Check::UnlikeOrder,
                Some(part),
                "",
                format!(
                    "{} has its sets in the order {}, {} in {}",
                    part.traits.name,
                    own.join(", "),
                    first.traits.name,
                    wanted.join(", ")
                ),
                "a receiver that goes by their places reads one for another",
            )
        });
    }
}

/// What sets hold: one white or black, numbers that 8 bits do not hold, channels that nobody knows the meaning of.
pub fn values(subject: &Subject, found: &mut Vec<Finding>) {
    for part in subject.seen() {
        for set in given(part) {
            let (low, high) = ranges(set);
            let is_all = |wanted: f32| (0..3).all(|i| (low[i], high[i]) == (wanted, wanted));
            let is_blank = (is_all(0.0) || is_all(1.0)) && low[3] == high[3];
            // What says something on another part has to be on this one as well.
            let is_needed = subject
                .seen()
                .any(|other| other.id != part.id && given(other).any(|own| own.name == set.name));
            if !set.values.is_empty() && is_blank && !is_needed {
                let word = if is_all(0.0) { "black" } else { "white" };
                found.push(Finding {
                    count: set.values.len(),
                    remedy: Some(Remedy::Edit {
                        label: "Take it away".to_owned(),
                        edit: json!({ "type": "delete_set", "part": part.id, "set": set.id }),
                    }),
                    ..finding(
                        Check::Blank,
                        Some(part),
                        &set.name,
                        format!("{} of {} is {word} all over", set.name, part.traits.name),
                        "it costs room in every file and says nothing",
                    )
                });
                continue;
            }
            let is_out = |value: &[f32; 4]| value.iter().any(|x| !(-STEP..=1.0 + STEP).contains(x));
            let out = set.values.iter().filter(|value| is_out(value)).count();
            if let Some(element) = set.values.iter().position(is_out) {
                let least = low.into_iter().fold(f32::INFINITY, f32::min);
                let most = high.into_iter().fold(f32::NEG_INFINITY, f32::max);
                found.push(Finding {
                    count: out,
                    place: Some(place_of(part, set.placement, element)),
                    remedy: Some(Remedy::ByHand { area: HandArea::Paint }),
                    ..finding(
                        Check::OutOfRange,
                        Some(part),
                        &set.name,
                        format!(
                            "{} of {} reaches from {least:.2} to {most:.2}",
                            set.name, part.traits.name
                        ),
                        "what is stored in 8 or 16 bits ends at 0 and 1",
                    )
                });
            }
            // Colors mean themselves; of data a channel that changes anywhere should say what it is.
            let is_unsaid = |i: &usize| {
                set.encoding == Encoding::Data
                    && low[*i] < high[*i]
                    && set.channels[*i].meaning.trim().is_empty()
            };
            let unsaid: Vec<usize> = (0..4).filter(is_unsaid).collect();
            if !unsaid.is_empty() {
                let letters: Vec<&str> = unsaid.iter().map(|i| ["R", "G", "B", "A"][*i]).collect();
                found.push(Finding {
                    count: unsaid.len(),
                    ..finding(
                        Check::NoMeaning,
                        Some(part),
                        &set.name,
                        format!(
                            "{} of {}: nobody said what {} means",
                            set.name,
                            part.traits.name,
                            letters.join(", ")
                        ),
                        "after it was handed over nobody remembers; say it on the channel board",
                    )
                });
            }
        }
    }
}

/// The least and the greatest number of each channel.
fn ranges(set: &ColorSet) -> ([f32; 4], [f32; 4]) {
    let none = ([f32::INFINITY; 4], [f32::NEG_INFINITY; 4]);
    set.values.iter().fold(none, |(low, high), value| {
        (
            std::array::from_fn(|i| low[i].min(value[i])),
            std::array::from_fn(|i| high[i].max(value[i])),
        )
    })
}

/// Where an element is, in the project's space.
pub(super) fn place_of(part: &Part, placement: Placement, element: usize) -> [f32; 3] {
    let geometry = &part.geometry;
    let point = point_of(geometry.mesh(), geometry.topology(), placement, element);
    part.traits.transform.to_project().transform_point3(point).to_array()
}

/// How many sets there are.
pub fn limits(subject: &Subject, found: &mut Vec<Finding>) {
    for part in subject.seen() {
        let count = given(part).count();
        if count > SHADER_SETS {
            found.push(Finding {
                count,
                ..finding(
                    Check::TooManySets,
                    Some(part),
                    "",
                    format!("{} has {count} sets", part.traits.name),
                    "a shader is seldom given more than 8",
                )
            });
        }
    }
}

/// Weights of sway: something has to stand still, and what meets has to stay together.
pub fn sway(subject: &Subject, found: &mut Vec<Finding>) {
    // By place, the least and the greatest weight there, over all parts.
    let mut meeting: HashMap<[i64; 3], (f32, f32, [f32; 3])> = HashMap::new();
    let (mut most, mut torn) = ((0.0, [0.0; 3], None), 0);
    let sizes = subject.seen().map(|part| part.geometry.measures().diagonal());
    let grain = f64::from(sizes.fold(0.0, f32::max)) * 1e-5;
    for part in subject.seen() {
        for set in given(part) {
            let channel = (0..4).find(|&i| {
                let meaning = set.channels[i].meaning.to_lowercase();
                meaning.contains("sway") && set.channels[i].signed.is_none()
            });
            let Some(channel) = channel else { continue };
            let least =
                set.values.iter().enumerate().min_by(|a, b| a.1[channel].total_cmp(&b.1[channel]));
            let Some((element, value)) = least else { continue };
            // What stands on another part that stands still may sway all over.
            let is_alone = subject.seen().count() == 1;
            if value[channel] > 0.02 && is_alone {
                found.push(Finding {
                    count: set.values.len(),
                    place: Some(place_of(part, set.placement, element)),
                    remedy: Some(Remedy::ByHand { area: HandArea::Bake }),
                    ..finding(
                        Check::NowhereStill,
                        Some(part),
                        &set.name,
                        format!(
                            "the sway of {} is nowhere less than {:.2}",
                            part.traits.name, value[channel]
                        ),
                        "what sways at its root as well slides about as a whole",
                    )
                });
            }
            if set.placement != Placement::Vertex || grain <= 0.0 {
                continue;
            }
            let to_project = part.traits.transform.to_project();
            for (position, value) in part.geometry.mesh().positions().iter().zip(set.values.iter())
            {
                let place = to_project.transform_point3(*position);
                let cell = place.to_array().map(|x| (f64::from(x) / grain).round() as i64);
                let weight = value[channel];
                let own = meeting.entry(cell).or_insert((weight, weight, place.to_array()));
                let was = own.1 - own.0;
                (own.0, own.1) = (own.0.min(weight), own.1.max(weight));
                let is = own.1 - own.0;
                torn += usize::from(is > 0.02 && was <= 0.02);
                if is > most.0 {
                    most = (is, own.2, Some(part));
                }
            }
        }
    }
    if torn > 0 {
        found.push(Finding {
            count: torn,
            place: Some(most.1),
            remedy: Some(Remedy::ByHand { area: HandArea::Bake }),
            ..finding(
                Check::Torn,
                most.2,
                "sway",
                format!(
                    "at {torn} places that meet, weights of sway differ by up to {:.2}",
                    most.0
                ),
                "they sway apart, and a gap opens",
            )
        });
    }
}

/// Recipes that would make something else by now.
pub fn stale(subject: &Subject, found: &mut Vec<Finding>) {
    for (part, set, channels) in subject.stale {
        let Some(part) = subject.parts.iter().find(|own| own.id == *part) else { continue };
        let Some(set) = part.sets.iter().find(|own| own.id == *set) else { continue };
        let word = channels.letters();
        found.push(Finding {
            remedy: Some(Remedy::ByHand { area: HandArea::Bake }),
            ..finding(
                Check::Stale,
                Some(part),
                &format!("{} {word}", set.name),
                format!(
                    "the recipe of {} · {word} on {} would make something else by now",
                    set.name, part.traits.name
                ),
                "what is handed over is older than what it was made from",
            )
        });
    }
}

/// At the least so many vertices tell how a color changes along them.
const ENOUGH: usize = 64;

/// How far colors spread at least, as a standard deviation, to be any.
const SPREAD: f64 = 0.08;

/// As large a share of the spread lies between neighbours: of noise all of it does, of a ramp over ten vertices a
/// tenth.
const ROUGH: f64 = 0.75;

/// Values at vertices that change from one to the next as much as all over: of what they were made from, a pattern
/// finer than the mesh, every vertex caught another speck.
pub fn too_fine(subject: &Subject, found: &mut Vec<Finding>) {
    for part in subject.seen() {
        let mesh = part.geometry.mesh();
        let topology = part.geometry.topology();
        for set in given(part) {
            // Data may well be another number at every vertex.
            let is_color = set.encoding == Encoding::Color && set.placement == Placement::Vertex;
            if !is_color || set.values.len() < ENOUGH {
                continue;
            }
            let count = set.values.len() as f64;
            let mean: [f64; 3] = std::array::from_fn(|i| {
                set.values.iter().map(|value| f64::from(value[i])).sum::<f64>() / count
            });
            let spread = |value: &[f32; 4]| {
                (0..3).map(|i| (f64::from(value[i]) - mean[i]).powi(2)).sum::<f64>()
            };
            let variance = set.values.iter().map(spread).sum::<f64>() / count;
            if variance.sqrt() < SPREAD {
                continue;
            }
            let (mut sum, mut edges) = (0.0, 0_usize);
            for corner in topology.edges() {
                let a = mesh.corner_vertices()[corner] as usize;
                let own = mesh.face_corners(topology.face_of(corner));
                let next = if corner + 1 == own.end { own.start } else { corner + 1 };
                let b = mesh.corner_vertices()[next] as usize;
                let (a, b) = (set.values[a], set.values[b]);
                sum += (0..3).map(|i| f64::from(a[i] - b[i]).powi(2)).sum::<f64>();
                edges += 1;
            }
            // Of two that have nothing to do with each other, the squared difference is twice the variance.
            let share = sum / edges.max(1) as f64 / (2.0 * variance);
            if share < ROUGH {
                continue;
            }
            found.push(Finding {
                count: set.values.len(),
                remedy: Some(Remedy::ByHand { area: HandArea::Gather }),
                ..finding(
                    Check::TooFine,
                    Some(part),
                    &set.name,
                    format!(
                        "{} of {} changes from vertex to vertex: it is finer than the mesh carries",
                        set.name, part.traits.name
                    ),
                    "what is seen is what single vertices caught; refine the mesh, or soften the color",
                )
            });
        }
    }
}
