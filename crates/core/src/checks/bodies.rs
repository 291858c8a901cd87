//! Bodies that are to be printed: whether they are closed, thick enough, and painted in what is loaded.

use speckle_color::{Encoding, difference::ciede2000};
use speckle_model::{Part, swatches};
use speckle_tools::{
    bake::watch::{GivenUp, Watch},
    layers::to_plate,
    reform::mend::{Fault, look_over},
    solid::{Wanted, measured, piece_volumes},
    spools::LoadedSpool,
    sweep::{Limits, Regions},
};

use super::{Check, Finding, HandArea, Remedy, Subject, finding};

/// Walls and drains that every full-color printer makes, mm (common practice, no source).
const WANTED: Wanted = Wanted { wall: 0.8, drain: 2.0 };

/// The width of a line that a nozzle lays, mm (common practice, no source).
const LINE: f64 = 0.45;

/// Colors nearer than this are hard to tell apart, CIEDE2000 (common practice, no source).
const LIKE: f32 = 5.0;

/// What is wrong with surfaces.
pub fn faults(subject: &Subject, watch: &Watch, found: &mut Vec<Finding>) -> Result<(), GivenUp> {
    for part in subject.seen() {
        let name = &part.traits.name;
        for fault in look_over(part, watch)? {
            let count = fault.count;
            let (check, says, why) = match fault.fault {
                Fault::Hole => (
                    Check::Hole,
                    format!("{name} has {count} {}", if count == 1 { "hole" } else { "holes" }),
                    "nothing says what is inside: it is closed by guesses, or refused",
                ),
                Fault::Branching => (
                    Check::Tangled,
                    format!("at {count} edges of {name} more than two faces meet"),
                    "what is inside is said twice there",
                ),
                Fault::Winding => (
                    Check::Tangled,
                    format!("at {count} edges of {name} faces look to different sides"),
                    "inside and outside change places there",
                ),
                // A shell within another looks inwards, and is a hollow.
                Fault::InsideOut if is_inward(part) => (
                    Check::InsideOut,
                    format!("{name} looks inwards"),
                    "it is printed as a hollow, or not at all",
                ),
                _ => continue,
            };
            let to_project = part.traits.transform.to_project();
            let place = fault.places.first().map(|place| to_project.transform_point3(*place));
            let about = serde_json::to_string(&fault.fault).unwrap_or_default();
            found.push(Finding {
                count,
                place: place.map(|place| place.to_array()),
                remedy: Some(Remedy::ByHand { area: HandArea::Gather }),
                ..finding(check, Some(part), &about, says, why)
            });
        }
    }
    Ok(())
}

/// Whether a closed part encloses less than nothing; what is open encloses nothing.
fn is_inward(part: &Part) -> bool {
    part.geometry.topology().is_watertight()
        && piece_volumes(&part.geometry).iter().sum::<f64>() < 0.0
}

/// Parts in swatches: all of them, in swatches that can be told apart and are loaded, without specks.
pub fn swatches(subject: &Subject, watch: &Watch, found: &mut Vec<Finding>) -> Result<(), GivenUp> {
    let parts: Vec<&Part> = subject.seen().collect();
    let are_painted = parts.iter().any(|part| part.swatch_set().is_some());
    let mut used = [false; 256];
    for part in &parts {
        watch.check()?;
        let name = &part.traits.name;
        let Some(set) = part.swatch_set() else {
            if are_painted {
                found.push(Finding {
                    remedy: Some(Remedy::ByHand { area: HandArea::Layers }),
                    ..finding(
                        Check::NotInSwatches,
                        Some(part),
                        "",
                        format!("{name} is not painted in swatches"),
                        "it prints in what its colors are taken for",
                    )
                });
            }
            continue;
        };
        let places = swatches::places(subject.palette, part.traits.base);
        let numbers: Vec<u8> = set
            .values
            .iter()
            .map(|value| places[usize::from(speckle_color::swatch_of(*value))] as u8)
            .collect();
        numbers.iter().for_each(|number| used[usize::from(*number)] = true);
        let to_print =
            to_plate(subject.traits.unit, subject.traits.up) * part.traits.transform.to_project();
        let regions = Regions::of(&part.geometry, &numbers, &to_print);
        let specks = regions.specks(&Limits { area: 4.0 * LINE * LINE, width: LINE });
        if let Some(first) = specks.first() {
            let face = regions.list[*first as usize].face as usize;
            let place = part.geometry.mesh().face_centroid(face);
            found.push(Finding {
                count: specks.len(),
                place: Some(part.traits.transform.to_project().transform_point3(place).to_array()),
                remedy: Some(Remedy::ByHand { area: HandArea::Layers }),
                ..finding(
                    Check::Specks,
                    Some(part),
                    "",
                    format!("{name} has {} specks narrower than a line of {LINE} mm", specks.len()),
                    "each costs changes of the spool, and prints as a blob as wide as the line",
                )
            });
        }
    }
    let used: Vec<&swatches::Swatch> =
        (0..).zip(subject.palette).filter(|(i, _)| used[*i]).map(|(_, own)| own).collect();
    for (i, a) in used.iter().enumerate() {
        for b in &used[i + 1..] {
            let [one, other] = [a, b].map(|own| [own.color[0], own.color[1], own.color[2], 1.0]);
            let apart = ciede2000(one, other);
            if apart < LIKE {
                found.push(Finding {
                    remedy: Some(Remedy::ByHand { area: HandArea::Paint }),
                    ..finding(
                        Check::NearLike,
                        None,
                        &format!("{} {}", a.number, b.number),
                        format!("{} and {} are ΔE {apart:.1} apart", a.called(), b.called()),
                        "on the print nobody tells them apart, and every change between them costs",
                    )
                });
            }
        }
    }
    if used.iter().any(|own| own.filament.spool.is_some()) {
        for own in used.iter().filter(|own| own.filament.spool.is_none()) {
            found.push(Finding {
                remedy: Some(Remedy::ByHand { area: HandArea::Layers }),
                ..finding(
                    Check::NoSpool,
                    None,
                    &own.number.to_string(),
                    format!("{} is used, and no spool is said for it", own.called()),
                    "the printer does not know what to print it in",
                )
            });
        }
    }
    found.extend(used.iter().filter_map(|own| not_loaded(own, subject.loaded?)));
    Ok(())
}

/// How far the color of a loaded spool may be from a swatch's, ΔE (CIEDE2000), to be taken for it.
const SAME_SPOOL: f32 = 10.0;

/// A swatch whose spool is not where it is said to be.
fn not_loaded(swatch: &swatches::Swatch, loaded: &[LoadedSpool]) -> Option<Finding> {
    let slot = swatch.filament.spool?;
    let opaque = |color: [f32; 3]| [color[0], color[1], color[2], 1.0];
    let says = match loaded.iter().find(|spool| spool.slot == slot) {
        None => format!("{} prints from slot {slot}, which is empty now", swatch.called()),
        Some(spool) => {
            let apart = ciede2000(opaque(swatch.color), opaque(spool.color));
            if apart <= SAME_SPOOL {
                return None;
            }
            format!(
                "{} prints from slot {slot}, which holds {} now, ΔE {apart:.0} from it",
                swatch.called(),
                spool.name
            )
        }
    };
    Some(Finding {
        remedy: Some(Remedy::ByHand { area: HandArea::Layers }),
        ..finding(
            Check::NotLoaded,
            None,
            &swatch.number.to_string(),
            says,
            "it would print in another color, or stop",
        )
    })
}

/// Bodies in full color: thick enough, draining, with a color.
pub fn solids(subject: &Subject, watch: &Watch, found: &mut Vec<Finding>) -> Result<(), GivenUp> {
    let are_colored = |part: &&Part| part.products().any(|set| set.encoding != Encoding::Data);
    let any = subject.seen().any(|part| are_colored(&part));
    for part in subject.seen() {
        let name = &part.traits.name;
        if any && !are_colored(&part) {
            found.push(finding(
                Check::Bare,
                Some(part),
                "",
                format!("{name} has no color"),
                "it prints in the material's own",
            ));
        }
        let Ok(told) = measured(part, subject.mm(), &WANTED, watch) else { continue };
        let told = told?;
        // A hundredth or two of a surface is thin at every sharp edge.
        if told.watertight
            && told.thin > 0.02
            && let Some(thinnest) = told.thinnest
        {
            let place = glam::Vec3::from_array(told.place);
            found.push(Finding {
                place: Some(place.to_array()),
                ..finding(
                    Check::Thin,
                    Some(part),
                    "",
                    format!(
                        "{:.0} % of {name} is thinner than {} mm, down to {thinnest:.2}",
                        100.0 * told.thin,
                        WANTED.wall
                    ),
                    "what is so thin breaks, or is refused",
                )
            });
        }
        for hollow in &told.hollows {
            let out = hollow
                .way_out
                .map_or("has no way out".to_owned(), |way| format!("drains through {way:.2} mm"));
            found.push(Finding {
                place: Some(hollow.place),
                ..finding(
                    Check::Hollow,
                    Some(part),
                    &format!("{:.0}", hollow.volume),
                    format!("a hollow of {:.2} cm³ in {name} {out}", hollow.volume / 1e3),
                    "what is left of the printing stays in it",
                )
            });
        }
    }
    Ok(())
}
