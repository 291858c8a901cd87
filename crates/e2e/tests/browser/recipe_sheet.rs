//! The recipe sheet beyond its steps: what to start from, copies, masks, several channels together,
//! when things are made again, two windows, parts that depend on each other.

use anyhow::{Context, Result};
use fantoccini::Locator;
use serde_json::{Value, json};
use speckle_e2e::{App, Browser};

/// A bollard in Bake.
pub struct Table {
    pub browser: Browser,
    app: App,
    _folder: tempfile::TempDir,
}

impl Table {
    /// The bare bollard in Bake.
    pub async fn laid() -> Result<Self> {
        let folder = tempfile::tempdir()?;
        let app = App::start(&folder.path().join("toys"))?;
        let browser = Browser::start().await?;
        browser.open_bollard(&app).await?;
        browser.click("area-bake").await?;
        Ok(Self { browser, app, _folder: folder })
    }

    pub async fn cell(&self, channel: &str, set: &str) -> Result<()> {
        let css = format!("[aria-label='Paint {channel} of {set}']");
        self.browser.click_at(Locator::Css(&css)).await
    }

    /// Waits until the recipe of channels of a set, by name, is so.
    pub async fn status(&self, set: &str, channels: &str, status: &str) -> Result<()> {
        self.browser
            .until(&format!(
                "(() => {{ const own = speckle.state().parts.flatMap((p) => p.sets).find((s) => s.name === '{set}');
                    return speckle.settled() && speckle.state().recipes.some((r) => r.set === own?.id && r.channels === '{channels}' && r.status === '{status}'); }})()"
            ))
            .await
            .with_context(|| format!("{channels} of {set} is not {status}"))
    }

    pub async fn edit(&self, edit: &str) -> Result<()> {
        let with_part = format!("((part) => ({edit}))(speckle.state().parts[0].id)");
        self.browser.edit(with_part).await
    }

    pub async fn recipe(&self, set: &str, channels: &str) -> Result<Value> {
        self.browser.eval(&format!("speckle.state().parts[0].sets.find((s) => s.name === '{set}').recipes.find((r) => r.channels === '{channels}') ?? null")).await
    }
}

#[tokio::test]
async fn starters_fill_cells_or_make_sets_and_channels_are_made_together() -> Result<()> {
    let table = Table::laid().await?;
    let browser = &table.browser;
    // The color set's R G B stand chosen; a starter of one channel does not fit there.
    browser.until("document.querySelectorAll('[data-test=starter]').length === 9").await?;
    assert!(browser.find("recipe-title").await?.text().await?.contains("Coat · R G B"));
    browser.click_text("button", "As the set Shade").await?;
    table.status("Shade", "R", "fresh").await?;
    let shade = browser.held("Shade").await?;
    assert!(shade.iter().any(|v| v[0] > 200) && shade.iter().any(|v| v[0] < 120));
    assert_eq!(browser.eval("speckle.state().history.undo.label").await?, "Take Soft shade");

    // Into a cell of it: the same recipe makes that channel.
    table.cell("G", "Shade").await?;
    browser
        .until("document.querySelector('[data-test=recipe-title]').innerText.includes('Shade · G')")
        .await?;
    browser.click_text("button", "Into Shade · G").await?;
    table.status("Shade", "G", "fresh").await?;
    assert_eq!(table.recipe("Shade", "G").await?["name"], "Soft shade");

    // A group of cells: what is free is offered, what is taken is not.
    table.cell("B", "Shade").await?;
    browser.until("document.querySelector('[data-test=target-RGB]').disabled === true").await?;
    table.cell("R", "Coat").await?;
    browser.until("document.querySelector('[data-test=target-RGBA]') !== null").await?;
    browser.click("target-RGBA").await?;
    browser.click("family-given").await?;
    browser.click("source-color").await?;
    table.status("Coat", "RGBA", "fresh").await?;
    // Any of its cells stands for all of it.
    table.cell("A", "Coat").await?;
    browser
        .until("document.querySelector('[data-test=recipe-title]').innerText.includes('R G B A')")
        .await?;
    let coat = browser.held("Coat").await?;
    assert!(coat.iter().all(|v| v == &coat[0]), "one color everywhere");
    // Two of Shade and four of Coat bear the mark.
    assert_eq!(browser.client.find_all(Locator::Css("[data-test=recipe-fresh]")).await?.len(), 6);
    Ok(())
}

/// The numbers that came to sources and shapings: each is turned on the sheet, goes to the server and
/// is made.
#[tokio::test]
async fn sources_and_shapings_are_turned_by_all_they_have() -> Result<()> {
    let table = Table::laid().await?;
    let browser = &table.browser;
    table.edit("{ type: 'add_set', part, name: 'Wear', placement: 'vertex', encoding: 'data', start: [0, 0, 0, 1] }").await?;
    browser.until("speckle.state().parts[0].sets.length === 2").await?;
    let source = async |channel: &str| -> Result<Value> {
        Ok(table.recipe("Wear", channel).await?["steps"][0]["source"].clone())
    };

    // Two scales of relief, and softened over a length.
    table.cell("R", "Wear").await?;
    browser.click("family-form").await?;
    browser.click("source-relief").await?;
    table.status("Wear", "R", "fresh").await?;
    browser.click("add-scale").await?;
    table.status("Wear", "R", "fresh").await?;
    assert_eq!(source("R").await?["scales"].as_array().map(Vec::len), Some(2));
    let range = async || -> Result<[u8; 2]> {
        let reds: Vec<u8> = browser.held("Wear").await?.iter().map(|v| v[0]).collect();
        let ends = reds.iter().min().zip(reds.iter().max()).context("an empty set")?;
        Ok([*ends.0, *ends.1])
    };
    let sharp = range().await?;
    assert!(sharp[0] < 120 && sharp[1] > 136, "{sharp:?}");
    browser.click("add-shaping").await?;
    browser.click("shape-soften").await?;
    table.status("Wear", "R", "fresh").await?;
    let shaping = table.recipe("Wear", "R").await?["steps"][0]["shaping"][0].clone();
    assert!(shaping["length"].as_f64().is_some_and(|length| length > 0.0), "{shaping}");
    let soft = range().await?;
    assert!(soft[0] >= sharp[0] && soft[1] <= sharp[1] && soft != sharp, "{soft:?}, {sharp:?}");
    browser.choose_row("Around", "so many elements").await?;
    table.status("Wear", "R", "fresh").await?;

    // Occlusion that fades, from one side.
    table.cell("G", "Wear").await?;
    browser.click("source-occlusion").await?;
    table.status("Wear", "G", "fresh").await?;
    browser.choose_row("By distance", "less and less").await?;
    browser.click_text("label", "More light from one side").await?;
    table.status("Wear", "G", "fresh").await?;
    let turned = source("G").await?;
    assert_eq!((&turned["falloff"], &turned["sky"]), (&json!("linear"), &json!("up")));
    assert!(turned["reach"].as_f64().is_some_and(|reach| reach > 0.0));
    assert!(browser.find("step-open").await?.text().await?.contains("fades by distance"));
    // Switched off and on again by undo, its picture is there again.
    let tasted = |all: bool| {
        let some = if all { "every(Boolean)" } else { "every((taste) => !taste)" };
        format!(
            "Object.values(speckle.state().tastes).some((t) => t.channels === 'G' && t.steps.{some})"
        )
    };
    browser.until(&tasted(true)).await?;
    browser.choose_from_menu("More about Occlusion", "Switch off").await?;
    browser.until(&tasted(false)).await?;
    browser.click("undo").await?;
    browser.until(&tasted(true)).await?;

    // A few different numbers for the pieces, and noise that fills its range.
    table.cell("B", "Wear").await?;
    browser.click("family-chance").await?;
    browser.click("source-per_piece").await?;
    table.status("Wear", "B", "fresh").await?;
    browser.choose_row("For each of", "what touches").await?;
    table.status("Wear", "B", "fresh").await?;
    assert_eq!(source("B").await?["by"], "touching");
    table.cell("A", "Wear").await?;
    browser.click("source-noise").await?;
    table.status("Wear", "A", "fresh").await?;
    browser.choose_row("Kind", "cell edges").await?;
    table.status("Wear", "A", "fresh").await?;
    let noise = browser.held("Wear").await?;
    assert!(noise.iter().any(|v| v[3] > 230) && noise.iter().any(|v| v[3] < 25));
    assert!(browser.complaints().await?.is_empty());
    Ok(())
}

#[tokio::test]
async fn steps_are_doubled_copied_masked_and_made_only_when_looked_at() -> Result<()> {
    let table = Table::laid().await?;
    let browser = &table.browser;
    table.edit("{ type: 'add_set', part, name: 'Wear', placement: 'vertex', encoding: 'data', start: [0, 0, 0, 1] }").await?;
    browser.until("speckle.state().parts[0].sets.length === 2").await?;
    table.cell("R", "Wear").await?;
    browser.click("family-place").await?;
    browser.click("source-height_ramp").await?;
    table.status("Wear", "R", "fresh").await?;
    browser.choose_from_menu("More about Height", "Duplicate").await?;
    browser.until("document.querySelectorAll('[data-test=step]').length === 2").await?;
    table.status("Wear", "R", "fresh").await?;
    let twice = browser.held("Wear").await?;
    browser.choose_from_menu("More about Height", "Switch off").await?;
    table.status("Wear", "R", "fresh").await?;
    let once = browser.held("Wear").await?;
    // Multiplied with itself it was the square.
    for (square, plain) in twice.iter().zip(&once) {
        let wanted = (f64::from(plain[0]) / 255.0).powi(2) * 255.0;
        assert!((f64::from(square[0]) - wanted).abs() < 2.0, "{} for {wanted}", square[0]);
    }

    // One step to another channel, then a second one behind it.
    browser.choose_from_menu("More about Height", "Copy to another").await?;
    browser.choose("Channels", "B").await?;
    browser.click("copy-accept").await?;
    browser.until("document.querySelector('[role=dialog]') === null").await?;
    table.status("Wear", "B", "fresh").await?;
    assert_eq!(table.recipe("Wear", "B").await?["steps"].as_array().map(Vec::len), Some(1));
    browser.choose_from_menu("More about Height", "Copy to another").await?;
    browser.choose("Channels", "B").await?;
    browser.until("document.querySelector('[role=dialog]').innerText.includes('It becomes the last step')").await?;
    browser.click("copy-accept").await?;
    browser.until("document.querySelector('[role=dialog]') === null").await?;
    assert_eq!(table.recipe("Wear", "B").await?["steps"].as_array().map(Vec::len), Some(2));

    // Masked by another channel, the other way round.
    table.cell("G", "Wear").await?;
    browser.click("family-given").await?;
    browser.click("source-constant").await?;
    table.status("Wear", "G", "fresh").await?;
    browser.choose_row("Counts", "by Wear · R").await?;
    table.status("Wear", "G", "fresh").await?;
    let masked = browser.held("Wear").await?;
    for value in &masked {
        let wanted = f64::from(value[0]) * 0.5;
        assert!((f64::from(value[1]) - wanted).abs() < 2.0, "{value:?}");
    }
    browser.choose_row("That is", "the other way round").await?;
    table.status("Wear", "G", "fresh").await?;
    for value in browser.held("Wear").await? {
        let wanted = (255.0 - f64::from(value[0])) * 0.5;
        assert!((f64::from(value[1]) - wanted).abs() < 2.0, "{value:?}");
    }

    // Made when looked at: not while something else is on the stage.
    browser.choose_row("Made again", "when looked at").await?;
    table.status("Wear", "G", "fresh").await?;
    browser.click_at(Locator::Css("[data-test=step-open]")).await?;
    if browser.client.find_all(Locator::Css("[data-test=step-fields]")).await?.is_empty() {
        browser.click_at(Locator::Css("[data-test=step-open]")).await?;
    }
    let field = browser.client.find(Locator::Css("[aria-label='Number, typed']")).await?;
    field.click().await?;
    field.send_keys("\u{e009}a\u{e000}0.9\u{e007}").await?;
    table.status("Wear", "G", "stale").await?;
    browser.click("show-made").await?;
    table.status("Wear", "G", "fresh").await
}

#[tokio::test]
async fn one_window_tries_both_see_what_is_made_and_one_undo_takes_it_back() -> Result<()> {
    let table = Table::laid().await?;
    let one = &table.browser;
    let two = Browser::start().await?;
    let address = one.client.current_url().await?;
    two.client.goto(address.as_str()).await?;
    two.loaded().await?;
    let watch = "(window.shown = 0, speckle.stage.surfaces.forEach((surface) => { const old = surface.preview.bind(surface); surface.preview = (set, bytes) => { if (set !== null) window.shown++; old(set, bytes); }; }), true)";
    for window in [one, &two] {
        window.eval(watch).await?;
    }
    one.click("family-place").await?;
    one.click("source-facing").await?;
    table.status("Coat", "RGB", "fresh").await?;
    two.until("speckle.state().recipes.some((r) => r.status === 'fresh')").await?;
    let (mine, theirs) = (one.held("Coat").await?, two.held("Coat").await?);
    assert!(mine == theirs && mine.iter().any(|v| v[0] > 240));

    // What is tried is seen by who tries alone, until the hand rests.
    let before = two.eval("window.shown").await?;
    one.eval("(speckle.state().parts, window.shown = 0, true)").await?;
    let thumb = "(() => { const t = [...document.querySelectorAll('[data-test=step-fields] .MuiSlider-thumb')][0].getBoundingClientRect(); return [t.x + t.width / 2, t.y + t.height / 2]; })()";
    let [x, y]: [f64; 2] = serde_json::from_value(one.eval(thumb).await?)?;
    one.stroke(&[(x, y), (x - 10.0, y), (x - 20.0, y), (x - 30.0, y)]).await?;
    one.until("window.shown > 0").await?;
    one.until("speckle.state().parts[0].sets[0].recipes[0].steps[0].source.half_angle < 90")
        .await?;
    table.status("Coat", "RGB", "fresh").await?;
    assert_eq!(two.eval("window.shown").await?, before, "the other window saw nothing of it");
    two.until("speckle.state().parts[0].sets[0].recipes[0].steps[0].source.half_angle < 90")
        .await?;
    two.until(&format!("speckle.stage.surfaces.values().next().value.values.get(speckle.state().parts[0].sets[0].id).bytes.reduce((a, b) => a + b, 0) !== {}", mine.iter().flatten().map(|&b| u64::from(b)).sum::<u64>())).await?;
    assert!(one.held("Coat").await? == two.held("Coat").await?);
    // One undo, by the other hand, takes back the whole turn with what it made.
    two.click("undo").await?;
    one.until("speckle.state().parts[0].sets[0].recipes[0].steps[0].source.half_angle === 90")
        .await?;
    one.until(&format!("speckle.stage.surfaces.values().next().value.values.get(speckle.state().parts[0].sets[0].id).bytes.reduce((a, b) => a + b, 0) === {}", mine.iter().flatten().map(|&b| u64::from(b)).sum::<u64>())).await
}

#[tokio::test]
async fn what_others_shade_is_stale_when_they_move() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.open_piece(&app, "drifter").await?;
    browser.until("speckle.stage.surfaces.size === 4").await?;
    let table = Table { browser, app, _folder: folder };
    let browser = &table.browser;
    let recipe = |kind: &str| {
        format!(
            "{{ type: 'set_recipe', part, set: speckle.state().parts[0].sets[0].id, recipe: {{ channels: '{kind}', remake: 'by_click', steps: [{{ source: {} }}] }} }}",
            if kind == "RGB" {
                json!({ "kind": "occlusion", "rays": 16 })
            } else {
                json!({ "kind": "ridges" })
            }
        )
    };
    table.edit(&recipe("RGB")).await?;
    table.edit(&recipe("A")).await?;
    browser.click("area-bake").await?;
    for cell in ["R", "A"] {
        table.cell(cell, "Paint").await?;
        browser.click("make").await?;
        table.status("Paint", if cell == "R" { "RGB" } else { "A" }, "fresh").await?;
    }
    // The mast moves: what it shades is out of date, how the hull bends is not.
    let away = "{ type: 'place_part', part: speckle.state().parts[2].id, transform: { translation: [0, 500, 0], rotation_degrees: [0, 0, 0], scale: [1, 1, 1] } }";
    table.edit(away).await?;
    table.status("Paint", "RGB", "stale").await?;
    table.status("Paint", "A", "fresh").await?;
    assert_eq!(browser.client.find_all(Locator::Css("[data-test=recipe-stale]")).await?.len(), 3);
    // Back where it was, what was made is right again.
    browser.click("undo").await?;
    table.status("Paint", "RGB", "fresh").await?;
    // Hidden, it shades no more.
    table
        .edit("{ type: 'show_parts', parts: [speckle.state().parts[2].id], visible: false }")
        .await?;
    table.status("Paint", "RGB", "stale").await?;
    assert!(!table.app.address.is_empty());
    Ok(())
}
