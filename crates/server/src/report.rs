//! The report: one page for whoever receives a model, with all that it needs inside, to be read and to be printed.

use std::{collections::HashMap, sync::Arc};

use base64::{Engine as _, prelude::BASE64_STANDARD};
use maud::{DOCTYPE, Markup, PreEscaped, html};
use speckle_core::checks::{Finding, Subject, Taker, Target, check};
use speckle_formats::{
    Weight,
    note::{ChannelNote, Origin, SetNote},
    recipient::{Goods, Recipient},
    shader::{self, Language, Numbers, SetSays, look_code_of},
};
use speckle_model::{ImageRecord, Part, proof::Look, words::grouped};
use speckle_tools::{
    bake::watch::{GivenUp, Watch},
    image_file::ImageFile,
    picture::{Shown, draw_shown},
};

/// The size of its pictures, pixels.
const PICTURE: [usize; 2] = [420, 320];
/// That of the first one.
const FIRST: [usize; 2] = [880, 520];
/// The most channels that have a picture each.
const MOST_CHANNELS: usize = 48;

const STYLE: &str = "
:root { color-scheme: light; --ink: #26222a; --soft: #6d6670; --line: #dcd5c7; --paper: #fffdf8; --warm: #b8481f; }
* { box-sizing: border-box; }
body { margin: 0 auto; max-width: 60rem; padding: 2.5rem 2rem 4rem; background: var(--paper); color: var(--ink);
  font: 15px/1.5 system-ui, sans-serif; }
h1 { font-size: 2rem; line-height: 1.2; margin: 0; }
h2 { font-size: 1.25rem; margin: 2.5rem 0 0.5rem; border-top: 1px solid var(--line); padding-top: 1rem; }
h3 { font-size: 1rem; margin: 1.25rem 0 0.25rem; }
p { margin: 0.25rem 0; }
.soft { color: var(--soft); }
figure { margin: 0; break-inside: avoid; }
figure img { display: block; width: 100%; height: auto; background: #b9b4aa; border-radius: 10px; }
figcaption { font-size: 0.85rem; padding-top: 0.25rem; }
.grid { display: grid; grid-template-columns: repeat(auto-fill, minmax(13rem, 1fr)); gap: 1rem; margin: 0.75rem 0; }
table { border-collapse: collapse; width: 100%; font-size: 0.9rem; margin: 0.5rem 0; }
th, td { text-align: left; vertical-align: top; padding: 0.3rem 0.6rem 0.3rem 0; border-bottom: 1px solid var(--line); }
td.n { font-variant-numeric: tabular-nums; white-space: nowrap; }
pre { background: #f4efe4; border-radius: 8px; padding: 0.75rem 1rem; overflow-x: auto; font-size: 0.78rem; line-height: 1.45; }
summary { cursor: pointer; }
.dot { display: inline-block; width: 0.8em; height: 0.8em; border-radius: 50%; border: 1px solid var(--line); margin-right: 0.4em; }
.found b { color: var(--warm); }
@media print {
  body { padding: 0; max-width: none; font-size: 11px; }
  h2 { break-after: avoid; }
  pre { white-space: pre-wrap; }
  details:not([open]) > :not(summary) { display: revert; }
}
";

/// What a report is made of.
pub struct Reported<'a> {
    /// The project.
    pub subject: Subject<'a>,
    /// Its images.
    pub images: &'a [ImageRecord],
    /// Where it comes from.
    pub origin: Origin,
    /// What it is called.
    pub name: &'a str,
    /// Whom it is checked for.
    pub target: Target,
}

/// The recipients that are kept with a project, with what they are not given.
#[must_use]
pub fn takers(kept: &[Recipient], goods: &Goods) -> Vec<Taker> {
    let taker = |recipient: &Recipient| {
        let lost = recipient.would_lose(goods).into_iter();
        let lost = lost.filter(|own| own.weight == Weight::Lost).map(|own| own.line());
        Taker { name: recipient.name.clone(), sets: recipient.sets.clone(), lost: lost.collect() }
    };
    kept.iter().map(taker).collect()
}

/// The page.
///
/// # Errors
/// When it was given up.
pub fn page(reported: &Reported, watch: &Watch) -> Result<String, GivenUp> {
    let Reported { subject, name, origin, target, .. } = reported;
    let parts: Vec<Part> =
        subject.parts.iter().filter(|part| part.traits.visible).cloned().collect();
    let note = ChannelNote::of(&parts, subject.traits, origin.clone());
    let findings = check(subject, *target, watch)?;
    let images = unpacked(reported);
    let draw = |size: [usize; 2], shown: Shown<'_>| picture(&parts, reported, size, shown);
    let worn = Shown::Look { proof: subject.proof, look: None, images: &images };
    let wears = parts.iter().any(|part| subject.proof.worn_by(part.id).is_some());
    let first = draw(FIRST, if wears { worn } else { Shown::First });
    watch.check()?;
    let sets = sets_of(&note);
    let mut left = MOST_CHANNELS;
    let mut channels = Vec::new();
    for set in &sets {
        channels.push(set_pictures(set, &draw, subject, &mut left));
        watch.check()?;
    }
    let looks: Vec<(&Look, Markup)> = subject
        .proof
        .looks
        .iter()
        .map(|look| {
            let shown = Shown::Look { proof: subject.proof, look: Some(look), images: &images };
            (look, draw(PICTURE, shown))
        })
        .collect();
    watch.check()?;
    let markup = html! {
        (DOCTYPE)
        html lang="en" {
            head {
                meta charset="utf-8";
                meta name="viewport" content="width=device-width, initial-scale=1";
                title { (name) ": what it carries" }
                style { (PreEscaped(STYLE)) }
            }
            body {
                h1 { (name) }
                p.soft {
                    @if origin.revision > 0 { "Revision " (origin.revision) ", " }
                    (origin.date) ". "
                    "Lengths are in " (subject.traits.unit.symbol()) "; "
                    (format!("{:?}", subject.traits.up).to_uppercase()) " points up."
                }
                figure style="margin-top: 1rem" { (first) }
                h2 { "What there is" }
                (parts_table(&parts, subject.traits.unit.symbol()))
                @if !sets.is_empty() {
                    h2 { "Channel by channel" }
                    @for own in &channels { (own) }
                    (channel_table(&sets))
                }
                @if !looks.is_empty() {
                    h2 { "Looks" }
                    @for (look, picture) in &looks { (look_section(look, picture, &note)) }
                }
                @if !sets.is_empty() {
                    h2 { "How a shader reads it" }
                    (code_blocks(|language| shader::code(&note, &shader::Look::Channels, language)))
                }
                h2 { "Checked for " (target_words(*target)) }
                (findings_list(&findings))
                p.soft style="margin-top: 3rem" { "Written by Jaunty Speckle." }
            }
        }
    };
    Ok(markup.into_string())
}

fn target_words(target: Target) -> &'static str {
    match target {
        Target::Shader => "a shader that reads its sets",
        Target::Spools => "a printer with several spools",
        Target::FullColor => "a printer in full color",
        Target::Archive => "being kept",
    }
}

fn unpacked(reported: &Reported) -> HashMap<String, Arc<speckle_tools::bake::image::Image>> {
    let looks = reported.subject.proof.looks.iter();
    let taken: Vec<&str> = looks.flat_map(Look::images).map(|(name, _)| name).collect();
    let taken = reported.images.iter().filter(|image| taken.contains(&image.name.as_str()));
    // One that cannot be read is transparent, as one that is missing.
    taken
        .filter_map(|image| {
            let read = ImageFile::new(image.file.clone()).ok()?.image().ok()?;
            Some((image.name.clone(), read))
        })
        .collect()
}

/// A picture that is in the page itself.
fn picture(
    parts: &[Part],
    reported: &Reported,
    [width, height]: [usize; 2],
    shown: Shown,
) -> Markup {
    let drawn = draw_shown(parts, reported.subject.traits.up, [width, height], shown);
    let png = drawn.png().unwrap_or_default();
    let source = format!("data:image/png;base64,{}", BASE64_STANDARD.encode(png));
    html! { img src=(source) width=(width) height=(height) alt=""; }
}

/// The sets, each once: parts share them by name.
fn sets_of(note: &ChannelNote) -> Vec<&SetNote> {
    let mut sets: Vec<&SetNote> = Vec::new();
    for set in &note.sets {
        if sets.iter().all(|own| own.name != set.name) {
            sets.push(set);
        }
    }
    sets
}

fn set_pictures(
    set: &SetNote,
    draw: &impl Fn([usize; 2], Shown) -> Markup,
    subject: &Subject,
    left: &mut usize,
) -> Markup {
    let all = Shown::Set { set: &set.name, palette: subject.palette };
    let is_swatches = set.encoding == speckle_color::Encoding::Swatch;
    // A channel that is the same all over says nothing in a picture.
    let says =
        |(_, own): &(usize, &speckle_formats::note::ChannelSays)| own.range[0] < own.range[1];
    let channels: Vec<_> = set
        .channels
        .iter()
        .enumerate()
        .filter(|own| !is_swatches && says(own))
        .take(*left)
        .collect();
    *left -= channels.len();
    html! {
        h3 { (set.name) }
        div.grid {
            @if set.encoding != speckle_color::Encoding::Data {
                figure { (draw(PICTURE, all)) figcaption { "all of it" } }
            }
            @for (i, says) in channels {
                figure {
                    (draw(PICTURE, Shown::Channel { set: &set.name, channel: i }))
                    figcaption { b { (says.channel) } " " (says.meaning) }
                }
            }
        }
    }
}

fn parts_table(parts: &[Part], unit: &str) -> Markup {
    html! {
        table {
            thead { tr { th { "Part" } th { "Faces" } th { "Vertices" } th { "Extent, " (unit) } th { "Sets" } } }
            tbody {
                @for part in parts {
                    @let measures = part.geometry.measures();
                    @let scale = part.traits.transform.mean_scale();
                    tr {
                        td { (part.traits.name) }
                        td.n { (grouped(part.geometry.mesh().face_count())) }
                        td.n { (grouped(part.geometry.mesh().vertex_count())) }
                        td.n {
                            @for axis in 0..3 {
                                @if axis > 0 { " × " }
                                (format!("{:.1}", (measures.max[axis] - measures.min[axis]) * scale))
                            }
                        }
                        td { (part.products().map(|set| set.name.as_str()).collect::<Vec<_>>().join(", ")) }
                    }
                }
            }
        }
    }
}

fn channel_table(sets: &[&SetNote]) -> Markup {
    html! {
        table {
            thead { tr { th { "Set" } th { "Channel" } th { "Holds" } th { "0 is" } th { "1 is" } th { "Range" } th { "Decoded" } } }
            tbody {
                @for set in sets {
                    @for own in &set.channels {
                        tr {
                            td { (set.name) }
                            td { (own.channel) }
                            td { (own.meaning) }
                            td { (own.low) }
                            td { (own.high) }
                            td.n { (format!("{:.3} – {:.3}", own.range[0], own.range[1])) }
                            td { (own.decode) }
                        }
                    }
                }
            }
        }
    }
}

fn look_section(look: &Look, picture: &Markup, note: &ChannelNote) -> Markup {
    html! {
        section style="break-inside: avoid-page" {
            h3 { (look.name) }
            figure style="max-width: 26rem" { (picture) }
            p.soft { "From bottom to top: " (look.layers.iter().filter(|own| !own.off).map(|own| own.name.as_str()).collect::<Vec<_>>().join(", ")) "." }
            (code_blocks(|language| {
                look_code_of(look, language, Numbers::Written, |set| SetSays::of(note, set)).file()
            }))
        }
    }
}

fn code_blocks(code: impl Fn(Language) -> String) -> Markup {
    html! {
        @for language in Language::ALL {
            details open[language == Language::Glsl] {
                summary { (language.extension().to_uppercase()) }
                pre { code { (code(language)) } }
            }
        }
    }
}

fn findings_list(findings: &[Finding]) -> Markup {
    html! {
        @if findings.is_empty() { p { "Nothing was found." } }
        ul.found {
            @for finding in findings {
                li {
                    @if let Some(reason) = &finding.silenced {
                        span.soft { (finding.says) ". Meant so: " (reason) }
                    } @else {
                        b { (finding.says) } ": "
                        span.soft { (finding.why) }
                    }
                }
            }
        }
    }
}
