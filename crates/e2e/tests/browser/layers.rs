//! Layers: what a printer with several spools would do, the chart of heights, and what lies within.

use std::fmt::Write;

use anyhow::Result;
use fantoccini::{Locator, key::Key};
use speckle_e2e::{App, Browser};

/// A square tower 20 wide and 30 high, in three bands of two colors, as PLY with y up.
pub fn tower() -> String {
    let mut text = String::from("ply\nformat ascii 1.0\nelement vertex 16\n");
    text.push_str("property float x\nproperty float y\nproperty float z\nelement face 14\n");
    text.push_str("property list uchar int vertex_indices\n");
    text.push_str("property uchar red\nproperty uchar green\nproperty uchar blue\nend_header\n");
    for level in 0..4 {
        for [x, y] in [[0, 0], [20, 0], [20, 20], [0, 20]] {
            let _ = writeln!(text, "{x} {} {}", 10 * level, -y);
        }
    }
    text.push_str("4 3 2 1 0 230 220 200\n4 12 13 14 15 230 220 200\n");
    for level in 0..3 {
        for i in 0..4 {
            let [a, b] = [4 * level + i, 4 * level + (i + 1) % 4];
            let color = if level == 1 { "200 40 30" } else { "230 220 200" };
            let _ = writeln!(text, "4 {a} {b} {} {} {color}", b + 4, a + 4);
        }
    }
    text
}

const COSTS: &str =
    "(document.querySelector('[data-test=layers-costs]')?.innerText ?? '').replace(/\\s/g, '')";
const WITHIN: &str = "(document.querySelector('[aria-label=\"What lies within\"]')?.innerText ?? '').replace(/\\s/g, '')";

async fn open_tower(folder: &std::path::Path, app: &App) -> Result<Browser> {
    let file = folder.join("Tower.ply");
    std::fs::write(&file, tower())?;
    let browser = Browser::start().await?;
    browser.client.goto(&app.address).await?;
    browser.bring_in(&[&file]).await?;
    browser.until("window.speckle?.stage.surfaces.size === 1").await?;
    browser.until("[...speckle.stage.surfaces.values()].every((s) => s.ready)").await?;
    browser.click("area-layers").await?;
    // Painted outside only, the band has two swatches in each of its fifty layers.
    browser.until(&format!("{COSTS}.includes('Spoolchanges50')")).await?;
    Ok(browser)
}

#[tokio::test]
async fn a_tower_is_cut_into_layers_and_paint_through_it_saves_changes() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = open_tower(folder.path(), &app).await?;
    browser.until(&format!("{COSTS}.includes('150layers')")).await?;
    // 12 cm³ of 1.24 g/cm³ and fifty changes of some 140 mm³.
    browser.until(&format!("/Material2[2-5]\\.\\dg/.test({COSTS})")).await?;
    // Twice as large it has twice as many layers, and says so.
    browser.type_into_row("Height", "60").await?;
    browser.until(&format!("{COSTS}.includes('60.0mmhigh,2.00:1')")).await?;
    browser.until(&format!("{COSTS}.includes('300layers')")).await?;
    browser.type_into_row("Height", "30").await?;
    browser.until(&format!("{COSTS}.includes('150layers')")).await?;
    // Right through there is one change at each border, and it is told before.
    browser.until(&format!("{WITHIN}.includes('Paintgoesrightthrough2(−48)')")).await?;
    browser.click("within").await?;
    browser.until(&format!("{COSTS}.includes('Spoolchanges2')")).await?;
    // The needle: a press on the chart, keys, and the next change.
    browser.until("document.querySelectorAll('[data-test=layer-card] line').length >= 4").await?;
    browser.until("speckle.state().cutaway.on").await?;
    let [x, y] = browser.middle_of("[data-test=height-chart]").await?;
    browser.stroke(&[(x - 200.0, y), (x - 100.0, y), (x, y)]).await?;
    browser.until("document.querySelector('[data-test=layer-said]').innerText.includes('Layer 76 of 150')").await?;
    browser.click_text("button", "Next change").await?;
    browser.until("document.querySelector('[data-test=layer-said]').innerText.includes('Layer 101 of 150')").await?;
    browser.until("Math.abs(speckle.state().cutaway.offset - 20.2) < 1e-3").await?;
    for chart in ["changes", "time", "areas"] {
        browser.click(&format!("chart-{chart}")).await?;
        let on =
            format!("document.querySelector('[data-test=chart-{chart}]').ariaPressed === 'true'");
        browser.until(&on).await?;
    }
    // Elsewhere the stage is whole again.
    browser.click("area-gather").await?;
    browser.until("!speckle.state().cutaway.on").await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// The remedy says what it gains before, and gains it; one undo takes it back.
#[tokio::test]
async fn a_band_is_remedied_through_the_wall_as_promised_and_undone() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = open_tower(folder.path(), &app).await?;
    browser.until("document.querySelector('[data-test=cause-bands]') !== null").await?;
    browser.until("document.querySelector('[data-test=changes-then]')?.innerText === '2'").await?;
    browser.click("mend").await?;
    browser.until("document.querySelector('[data-test=changes-now]')?.innerText === '2'").await?;
    browser.until("speckle.state().parts[0].sets.some((set) => set.encoding === 'swatch')").await?;
    browser.until("!document.querySelector('[data-test=cause-bands]')").await?;
    browser.until(&format!("{WITHIN}.includes('Rightthroughfrom10.0to20.0mm')")).await?;
    // Both what was painted and that it goes right through.
    browser.click("undo").await?;
    browser
        .until("!speckle.state().parts[0].sets.some((set) => set.encoding === 'swatch')")
        .await?;
    browser.until(&format!("!{WITHIN}.includes('Rightthrough')")).await?;
    browser.until(&format!("{COSTS}.includes('Spoolchanges50')")).await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// Finer layers where the band is, what a pair of swatches purges, and where layers begin: all of it is kept
/// with the project, and undone with it.
#[tokio::test]
async fn how_it_prints_is_turned_kept_and_undone() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = open_tower(folder.path(), &app).await?;
    browser.click("add-range").await?;
    for (label, number) in [("Range 1 from", "10"), ("Range 1 to", "20"), ("Range 1 layers", "0.1")]
    {
        browser.type_into_field(label, number).await?;
    }
    browser.until(&format!("{COSTS}.includes('200layers')")).await?;
    browser.until(&format!("{COSTS}.includes('Spoolchanges100')")).await?;
    browser.until("speckle.state().print?.rules.ranges?.[0].layer === 0.1").await?;
    // A pair that purges ten times as much.
    let purged = "Number(/Purged([\\d.]+)g/.exec(document.querySelector('[data-test=layers-costs]').innerText.replace(/\\s/g, ''))[1])";
    browser.click("purges").await?;
    browser.until("document.querySelector('[aria-label=\"Purged from 1 to 2\"]') !== null").await?;
    let before = browser.eval(purged).await?.as_f64().unwrap_or_default();
    browser.type_into_field("Purged from 1 to 2", "1400").await?;
    browser.until(&format!("{purged} > 3 * {before}")).await?;
    browser.click("purges-by-model").await?;
    browser.until(&format!("Math.abs({purged} - {before}) < 0.1")).await?;
    // A square tower hides nothing: every layer begins at a corner.
    browser
        .click_at(Locator::Css("[aria-label='Where layers begin'] input[type=checkbox]"))
        .await?;
    browser
        .until("document.querySelector('[data-test=seams]')?.innerText.includes('200 at a corner')")
        .await?;
    // Kept, and read again when the project is opened anew.
    browser.until("speckle.state().print?.pace.pairs?.length === 0 || speckle.state().print?.pace.pairs === undefined").await?;
    browser.client.refresh().await?;
    browser.until("window.speckle?.stage.surfaces.size === 1").await?;
    browser.click("area-layers").await?;
    browser.until(&format!("{COSTS}.includes('200layers')")).await?;
    while browser.eval("speckle.state().print !== null").await? == true {
        let revision = browser.eval("speckle.state().history.revision").await?;
        browser.click("undo").await?;
        browser.until(&format!("speckle.state().history.revision !== {revision}")).await?;
    }
    browser.until(&format!("{COSTS}.includes('150layers')")).await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// A print that reaches beyond its plate is turned to where it has room, moved by a key, and stays so.
#[tokio::test]
async fn a_print_is_placed_on_its_plate() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = open_tower(folder.path(), &app).await?;
    // 20 × 20 on a plate of 200 × 200, in its middle.
    let fits = "(document.querySelector('[data-test=plate-fits]')?.innerText ?? '')";
    browser.until(&format!("{fits}.startsWith('90.0 mm to the nearest edge')")).await?;
    // It follows the pointer, and is put back into the middle.
    browser
        .eval("(document.querySelector('[data-test=plate-print]').scrollIntoView({ block: 'center' }), true)")
        .await?;
    let [x, y] = browser.middle_of("[data-test=plate-print]").await?;
    browser.stroke(&[(x, y), (x + 20.0, y), (x + 40.0, y)]).await?;
    browser.until("speckle.state().print?.plate?.at[0] > 0").await?;
    let [moved, _] = browser.middle_of("[data-test=plate-print]").await?;
    assert!((moved - x - 40.0).abs() < 2.0, "{x} to {moved}");
    browser.click_text("button", "In the middle").await?;
    browser.until(&format!("{fits}.startsWith('90.0 mm to the nearest edge')")).await?;
    browser.type_into_field("Width of the plate", "27").await?;
    browser.until(&format!("{fits}.startsWith('3.50 mm to the nearest edge')")).await?;
    // Turned by 45° it is √2 · 20 wide.
    browser.type_into_row("Turned", "45").await?;
    browser.until(&format!("{fits}.startsWith('It reaches 0.642 mm beyond the plate')")).await?;
    browser.click("plate-best").await?;
    browser.until(&format!("{fits}.startsWith('3.50 mm to the nearest edge')")).await?;
    let print = browser.client.find(Locator::Css("[data-test=plate-print]")).await?;
    print.send_keys(&char::from(Key::Right).to_string()).await?;
    browser.until(&format!("{fits}.startsWith('2.50 mm to the nearest edge')")).await?;
    browser.until("speckle.state().print?.plate?.at[0] === 1").await?;
    browser.client.refresh().await?;
    browser.until("window.speckle?.stage.surfaces.size === 1").await?;
    browser.click("area-layers").await?;
    browser.until(&format!("{fits}.startsWith('2.50 mm to the nearest edge')")).await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// What is worth leaving unpainted is told with its reason, and taken by a click.
#[tokio::test]
async fn the_best_base_is_told_and_taken() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = open_tower(folder.path(), &app).await?;
    browser.click("paint-swatches").await?;
    browser.until("document.querySelector('[data-test=suggest-base]') !== null").await?;
    browser.click("suggest-base").await?;
    browser.until("document.querySelector('[data-test=best-base]') !== null").await?;
    // Two patches of the one, one of the other, with the same border of 160 mm.
    let told = "document.querySelector('[data-test=best-base]').innerText";
    browser.until(&format!("{told}.includes('2 patches with 160 mm of border')")).await?;
    if browser.eval("document.querySelector('[data-test=take-base]') !== null").await? == true {
        browser.click("take-base").await?;
        browser.until("document.querySelector('[data-test=suggest-base]') !== null").await?;
        browser.click("suggest-base").await?;
    }
    browser
        .until("document.querySelector('[data-test=best-base]')?.innerText.includes('is the best base already')")
        .await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// Faces are painted in swatches by pours with either button and by keys.
#[tokio::test]
async fn swatches_are_poured_with_both_buttons() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = open_tower(folder.path(), &app).await?;
    browser.click("paint-swatches").await?;
    browser.until("speckle.state().parts[0].sets.some((set) => set.encoding === 'swatch')").await?;
    browser.until("speckle.state().swatches.length === 2").await?;
    browser.until("document.querySelectorAll('[data-test=swatch-area]').length === 2").await?;
    browser.click("area-paint").await?;
    browser.click_at(Locator::Css("[data-test=swatch-card] button")).await?;
    browser.until("speckle.state().target === speckle.state().parts[0].sets.at(-1).id").await?;
    browser.click("tool-pour").await?;
    browser.click("pour-piece").await?;
    // The second swatch of the palette poured over all, and back to unpainted with the second button.
    browser.press("2").await?;
    browser
        .until("document.querySelector('[data-test=swatch-in-hand]').dataset.number === '2'")
        .await?;
    let area = "speckle.state().areas[speckle.state().target].map(([number]) => number).join()";
    let [x, y] = browser.middle_of("canvas").await?;
    browser.stroke(&[(x, y)]).await?;
    browser.until(&format!("{area} === '2'")).await?;
    browser.second_click(x, y).await?;
    browser.until(&format!("{area} === '0'")).await?;
    browser.click("undo").await?;
    browser.click("undo").await?;
    browser.until(&format!("{area} === '1,2'")).await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// Specks of the lighthouse are listed, shown, absorbed one by one and all at once; what a cause promised for it
/// is what comes.
#[tokio::test]
async fn specks_are_listed_and_swept_up() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(folder.path())?;
    let browser = Browser::start().await?;
    browser.open_piece(&app, "lighthouse").await?;
    browser.click("area-layers").await?;
    let said = |words: &str| {
        format!("document.querySelector('[data-test=specks-said]')?.innerText === '{words}'")
    };
    browser.until(&said("3 specks")).await?;
    browser.until("document.querySelector('[data-test=cause-sweep]') !== null").await?;
    browser.until("document.querySelectorAll('[data-test=speck]').length === 3").await?;
    browser.click_at(Locator::Css("[data-test=speck] button")).await?;
    browser.click_text("button", "Absorb").await?;
    browser.until(&said("2 specks")).await?;
    browser.click("sweep-all").await?;
    browser.until(&said("no specks")).await?;
    browser.until("!document.querySelector('[data-test=cause-sweep]')").await?;
    browser.until("document.querySelector('[data-test=cause-bands]') !== null").await?;
    browser.click("undo").await?;
    browser.until(&said("2 specks")).await?;
    // A swatch is given a material and a price, and the print costs something.
    browser.click_at(Locator::Css("[data-test=print-swatch]")).await?;
    browser.find("swatch-take").await?;
    browser.click("swatch-take").await?;
    browser.until("!document.querySelector('[data-test=swatch-take]')").await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// The palette is matched to what the printer has loaded, a print is sent and taken back; with the printer gone
/// in the middle it is said, and the palette stays.
#[tokio::test]
async fn spools_are_matched_and_a_print_is_sent_until_the_printer_is_gone() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let printer = App::printer()?;
    let app = App::start_with_printer(folder.path(), &printer)?;
    let browser = Browser::start().await?;
    browser.open_piece(&app, "lighthouse").await?;
    browser.click("area-layers").await?;
    browser.until("document.querySelectorAll('[data-test=print-swatch]').length === 4").await?;
    browser
        .until("document.querySelector('[data-test=printer-state]')?.innerText === 'ready'")
        .await?;
    let not_loaded = "[...document.querySelectorAll('[data-test=print-swatch]')].filter((e) => e.innerText.includes('not loaded')).length";
    browser.until(&format!("{not_loaded} === 4")).await?;
    browser.click("match").await?;
    browser.until("document.querySelectorAll('[data-test=match-row]').length === 4").await?;
    browser.click("match-take").await?;
    // Chalk, tile red and slate have spools like them; nothing is like the lamp.
    browser
        .until("speckle.state().swatches.map((own) => own.filament?.spool).join() === '1,2,4,'")
        .await?;
    browser.until(&format!("{not_loaded} === 1")).await?;
    browser.click("print").await?;
    browser.until("document.querySelectorAll('[data-test=print-job]').length === 1").await?;
    browser
        .until("document.querySelector('[data-test=printer-state]')?.innerText === 'printing'")
        .await?;
    browser.click("cancel-print").await?;
    browser
        .until("document.querySelector('[data-test=print-job]').innerText.includes('cancelled')")
        .await?;
    drop(printer);
    browser.until("document.querySelector('[data-test=printer-trouble]') !== null").await?;
    browser.click("match").await?;
    browser.until("document.querySelector('[data-test=match-trouble]') !== null").await?;
    browser.until("speckle.state().swatches.length === 4").await?;
    assert_eq!(browser.complaints_beside_refusals().await?, Vec::<String>::new());
    browser.close().await
}

/// A tower of 12 cm³ is priced, ordered as its real file, which the bureau reads, and taken back; too many
/// are refused with the reason.
#[tokio::test]
async fn a_full_color_print_is_priced_ordered_and_taken_back() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start_with_bureau(&folder.path().join("toys"))?;
    let browser = open_tower(folder.path(), &app).await?;
    browser.click("quote").await?;
    // 12 cm³ at 1.10, and as much of a box at 0.04.
    browser
        .until("document.querySelector('[data-test=quote-total]')?.innerText === '13.68 EUR'")
        .await?;
    browser
        .until("document.querySelector('[data-test=checks]').innerText.includes('12.0 cm³')")
        .await?;
    browser
        .until(
            "document.querySelector('[data-test=checks]').innerText.includes('walls from 20.0 mm')",
        )
        .await?;
    browser.click("order").await?;
    browser.until("document.querySelectorAll('[data-test=bureau-order]').length === 1").await?;
    let read = "document.querySelector('[data-test=bureau-order]').innerText";
    browser
        .until(&format!(
            "{read}.includes('28 triangles with color') && {read}.includes('12.0 cm³')"
        ))
        .await?;
    browser.click("cancel-order").await?;
    browser.until(&format!("{read}.includes('cancelled')")).await?;
    let field = Locator::Css("input[aria-label='How many of Tower']");
    browser.client.find(field).await?.send_keys("001").await?;
    browser.until("document.querySelector('[data-test=quote-total]') === null").await?;
    browser.click("quote").await?;
    browser
        .until("document.querySelector('[data-test=refusal]')?.innerText.includes('between 1 and 1000')")
        .await?;
    browser.until("document.querySelector('[data-test=order]').disabled").await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// Swatches are made of a set's colors by a pattern, a swatch is made the base, and colors are made of them; what
/// was chosen among the causes stays chosen while a knob is turned.
#[tokio::test]
async fn swatches_are_made_of_a_set_rebased_and_made_colors_again() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = open_tower(folder.path(), &app).await?;
    // None of the remedies is wanted: a turn of what a change takes does not choose them again.
    browser
        .until("document.querySelector('[data-test=cause-bands] input')?.checked === true")
        .await?;
    browser.click_at(Locator::Css("[data-test=cause-bands] input")).await?;
    browser.until("document.querySelector('[data-test=mend]').disabled").await?;
    browser.type_into_row("and takes", "60").await?;
    browser
        .until("document.querySelector('[data-test=cause-bands] input')?.checked === false")
        .await?;

    browser.click("area-paint").await?;
    browser.click_at(Locator::Css("[aria-label='More about Face color']")).await?;
    browser.click("swatches-of").await?;
    browser.click_text("label", "Mix gradients").await?;
    browser.click("make-swatches").await?;
    browser.until("document.querySelector('[data-test=make-swatches]') === null").await?;
    let part = "speckle.state().parts[0]";
    browser
        .until(&format!(
            "{part}.sets.find((set) => set.encoding === 'swatch')?.id === speckle.state().target"
        ))
        .await?;
    browser.until("speckle.state().swatches.map((own) => own.number).join() === '1,2'").await?;
    browser.until("document.querySelectorAll('[data-test=swatch-area]').length === 2").await?;
    browser.click_at(Locator::XPath("//button[contains(@aria-label, 'the base')]")).await?;
    browser.until(&format!("{part}.base === 2")).await?;
    browser.click_at(Locator::Css("[aria-label='More about Swatches']")).await?;
    browser.click("colors-of").await?;
    browser.until(&format!("{part}.sets.at(-1).name === 'Swatches colors' && {part}.sets.at(-1).encoding === 'color'")).await?;
    for _ in 0..3 {
        browser.click("undo").await?;
        browser.until("speckle.state().unsaved === 0").await?;
    }
    browser.until(&format!("{part}.sets.length === 1 && {part}.base === 0")).await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}
