//! A plan for whoever stands at the printer: when to change which spool as text, and all of it as one page.

use std::fmt::Write;

use speckle_model::swatches::Swatch;

use super::{Estimate, Plan};

/// A change of spool.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Swap {
    /// The layer, from 0.
    pub layer: usize,
    /// Where it begins, mm above the plate.
    pub height: f64,
    /// The swatch until then; none before the first.
    pub from: Option<u8>,
    /// The swatch from then on.
    pub to: u8,
}

impl Plan {
    /// What is loaded first, and every change after it.
    #[must_use]
    pub fn swaps(&self) -> Vec<Swap> {
        let mut swaps: Vec<Swap> = Vec::new();
        for (layer, own) in self.layers.iter().enumerate() {
            for &to in &own.order {
                let from = swaps.last().map(|last| last.to);
                if from != Some(to) {
                    swaps.push(Swap { layer, height: own.bottom, from, to });
                }
            }
        }
        swaps
    }
}

/// As it is called: its number where it has one, its name, its spool.
fn called(swatch: &Swatch) -> String {
    let name = swatch.called();
    let numbered = if swatch.number > 0 { format!("{} {name}", swatch.number) } else { name };
    match swatch.filament.spool {
        Some(spool) => format!("{numbered} (spool {spool})"),
        None => numbered,
    }
}

/// The changes of spool as lines of height in mm, layer from 1, and swatch, parted by tabs.
#[must_use]
pub fn swap_list(plan: &Plan, swatches: &[Swatch]) -> String {
    let mut text = String::from("# height mm\tlayer\tswatch\n");
    for Swap { layer, height, to, .. } in plan.swaps() {
        let swatch = called(&swatches[usize::from(to)]);
        let _ = writeln!(text, "{height:.2}\t{}\t{swatch}", layer + 1);
    }
    text
}

/// Text that stands for itself within HTML (HTML Living Standard, 13.1.4).
fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

fn duration(seconds: f64) -> String {
    let minutes = (seconds / 60.0).round() as u64;
    format!("{} h {:02} min", minutes / 60, minutes % 60)
}

/// Layers as columns of their swatches, with a tick above each in which the spool changes.
#[must_use]
pub fn chart(plan: &Plan, swatches: &[Swatch]) -> String {
    let (wide, high) = (plan.layers.len().max(1), 100.0);
    let most = plan.layers.iter().map(|layer| layer.area).fold(1e-12, f64::max);
    let mut svg = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 -8 {wide} 108\" preserveAspectRatio=\"none\">\n"
    );
    let changed: Vec<usize> =
        plan.swaps().iter().filter(|swap| swap.from.is_some()).map(|swap| swap.layer).collect();
    for (x, layer) in plan.layers.iter().enumerate() {
        let mut top = high;
        for &(swatch, area) in &layer.swatches {
            let tall = high * area / most;
            top -= tall;
            let color = swatches[usize::from(swatch)].hex();
            let _ = writeln!(
                svg,
                "<rect x=\"{x}\" y=\"{top:.3}\" width=\"1\" height=\"{tall:.3}\" fill=\"{color}\"/>"
            );
        }
        if changed.binary_search(&x).is_ok() {
            let _ =
                writeln!(svg, "<rect x=\"{x}\" y=\"-6\" width=\"1\" height=\"4\" fill=\"#333\"/>");
        }
    }
    svg.push_str("</svg>\n");
    svg
}

/// The most changes that a page lists one by one.
const LISTED: usize = 400;

/// The plan as one page that needs nothing else.
#[must_use]
pub fn page(title: &str, plan: &Plan, estimate: &Estimate, swatches: &[Swatch]) -> String {
    let title = escaped(title);
    let top = plan.layers.last().map_or(0.0, |layer| layer.bottom + layer.height);
    let mut html = format!(
        "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n<title>{title}</title>\n<style>\n\
         body {{ font: 15px/1.5 sans-serif; max-width: 46em; margin: 2em auto; padding: 0 1em; color: #2a2933; }}\n\
         svg {{ width: 100%; height: 130px; display: block; }}\n\
         table {{ border-collapse: collapse; width: 100%; margin: 1em 0; }}\n\
         td, th {{ border-bottom: 1px dashed #ccc; padding: .2em .6em .2em 0; text-align: left; }}\n\
         td.n, th.n {{ text-align: right; }}\n\
         i {{ display: inline-block; width: .9em; height: .9em; border-radius: 50%; border: 1px solid #999; vertical-align: -.1em; }}\n\
         </style>\n</head>\n<body>\n<h1>{title}</h1>\n"
    );
    let _ = writeln!(
        html,
        "<p>{} layers, {top:.2} mm high; {} changes of spool; about {}, {:.1} g of which {:.1} g are purged.</p>",
        plan.layers.len(),
        plan.changes,
        duration(estimate.seconds),
        estimate.grams,
        estimate.grams_purged
    );
    html.push_str(&chart(plan, swatches));
    html.push_str("<table>\n<tr><th>Swatch</th><th>Material</th><th class=\"n\">Printed, cm³</th><th class=\"n\">Purged, cm³</th><th class=\"n\">g</th></tr>\n");
    for (swatch, cost) in swatches.iter().zip(&estimate.swatches) {
        if cost.printed + cost.purged <= 0.0 {
            continue;
        }
        let _ = writeln!(
            html,
            "<tr><td><i style=\"background:{}\"></i> {}</td><td>{}</td><td class=\"n\">{:.2}</td><td class=\"n\">{:.2}</td><td class=\"n\">{:.1}</td></tr>",
            swatch.hex(),
            escaped(&called(swatch)),
            escaped(&swatch.filament.material),
            cost.printed / 1e3,
            cost.purged / 1e3,
            cost.grams
        );
    }
    html.push_str("</table>\n<table>\n<tr><th class=\"n\">mm</th><th class=\"n\">Layer</th><th>Load</th></tr>\n");
    let swaps = plan.swaps();
    for Swap { layer, height, to, .. } in swaps.iter().take(LISTED) {
        let swatch = &swatches[usize::from(*to)];
        let _ = writeln!(
            html,
            "<tr><td class=\"n\">{height:.2}</td><td class=\"n\">{}</td><td><i style=\"background:{}\"></i> {}</td></tr>",
            layer + 1,
            swatch.hex(),
            escaped(&called(swatch))
        );
    }
    html.push_str("</table>\n");
    if swaps.len() > LISTED {
        let _ = writeln!(html, "<p>and {} more.</p>", swaps.len() - LISTED);
    }
    html.push_str("</body>\n</html>\n");
    html
}
