//! The hand work in full, by the interface: bands by drag, recolor, wipe, palette keys, stencils
//! from a file, selections, masks, adjustments, cutaway and views.

use std::{fs, path::Path, time::Instant};

use anyhow::{Context, Result, ensure};
use image::{Rgba, RgbaImage};
use serde_json::Value;
use speckle_e2e::{App, Browser, PATIENCE};

/// n × n quads from −1 to 1, facing the front, as an OBJ file.
fn wall(n: u32) -> String {
    let mut text = String::from("o Wall\n");
    for y in 0..=n {
        for x in 0..=n {
            let at = |i: u32| 2.0 * f64::from(i) / f64::from(n) - 1.0;
            text += &format!("v {} {} 0\n", at(x), at(y));
        }
    }
    for y in 0..n {
        for x in 0..n {
            let v = y * (n + 1) + x + 1;
            text += &format!("f {} {} {} {}\n", v, v + 1, v + n + 2, v + n + 1);
        }
    }
    text
}

/// The app with a wall in front of the camera that carries a white set per vertex.
pub async fn at_the_wall(folder: &Path) -> Result<(App, Browser)> {
    let app = App::start(&folder.join("toys"))?;
    let file = folder.join("wall.obj");
    fs::write(&file, wall(40))?;
    let browser = Browser::start().await?;
    browser.client.goto(&app.address).await?;
    browser.bring_in(&[&file]).await?;
    browser.until("window.speckle?.stage.surfaces.size === 1 && [...speckle.stage.surfaces.values()].every((s) => s.ready)").await?;
    browser.click("area-paint").await?;
    browser.click_text("button", "Add a set").await?;
    browser.choose("Placement", "Per vertex").await?;
    browser.click_text("button[ancestor::div[@role='dialog']]", "Add").await?;
    browser.until("speckle.state().parts[0].sets.length === 1 && document.querySelector('[role=dialog]') === null").await?;
    browser.until("speckle.stage.surfaces.values().next().value.values.size === 1").await?;
    browser.choose_look("Coat").await?;
    browser.choose_flat().await?;
    browser.press("!").await?;
    Ok((app, browser))
}

/// Where a point of the project's space is on the page.
pub async fn on_page(browser: &Browser, point: [f64; 3]) -> Result<(f64, f64)> {
    let [x, y, z] = point;
    let at = browser
        .eval(&format!(
            "(() => {{ const p = speckle.stage.eye.controls.target.clone().set({x}, {y}, {z}); const at = speckle.stage.eye.onPage(p); return [at.x, at.y]; }})()"
        ))
        .await?;
    let [x, y]: [f64; 2] = serde_json::from_value(at)?;
    Ok((x.round(), y.round()))
}

/// Waits until a place of the page has a color, to 2 of 255, with the pointer out of the way. A
/// busy machine draws late.
pub async fn shows(browser: &Browser, (x, y): (f64, f64), color: [u8; 3]) -> Result<()> {
    browser.hover(1100.0, 20.0).await?;
    let begun = Instant::now();
    loop {
        let picture = image::load_from_memory(&browser.client.screenshot().await?)?.to_rgba8();
        let Rgba([r, g, b, _]) = *picture.get_pixel(x as u32, y as u32);
        if [r, g, b].iter().zip(color).all(|(a, b)| a.abs_diff(b) <= 2) {
            return Ok(());
        }
        ensure!(begun.elapsed() < PATIENCE, "{x},{y} shows {r} {g} {b}, not {color:?}");
    }
}

pub async fn history_says(browser: &Browser, label: &str) -> Result<()> {
    browser.until(&format!("speckle.state().history.undo?.label === '{label}'")).await
}

async fn undo(browser: &Browser) -> Result<()> {
    let before = browser.eval("speckle.state().history.revision").await?;
    browser.click("undo").await?;
    browser.until(&format!("speckle.state().history.revision > {before}")).await
}

/// Row and column of the wall's vertices, 41 to a side.
fn row(vertex: usize) -> usize {
    vertex / 41
}

pub const ENTER: &str = "\u{e007}";

#[tokio::test]
async fn a_band_is_dragged_previewed_and_laid_on_and_repeated() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let (_app, browser) = at_the_wall(folder.path()).await?;
    browser.paint_with("#0000FF").await?;
    browser.click("tool-span").await?;
    let low = on_page(&browser, [0.0, -0.275, 0.0]).await?;
    let high = on_page(&browser, [0.2, 0.325, 0.0]).await?;
    browser.stroke(&[low, high]).await?;
    // From −0.275 to 0.325 lie thirteen rows, −0.25 to 0.3 less one: every 0.05 a row of 41.
    browser.until("speckle.state().covered === 12 * 41").await?;
    browser.until("document.querySelector('[data-test=fill-span]').innerText.includes('Paint 492 vertices')").await?;
    assert!(browser.held("Coat").await?.iter().all(|v| *v == [255; 4]), "a preview paints nothing");
    browser.press(ENTER).await?;
    history_says(&browser, "Band on Coat").await?;
    let held = browser.held("Coat").await?;
    for (vertex, value) in held.iter().enumerate() {
        let inside = (15..=26).contains(&row(vertex));
        assert_eq!(*value == [0, 0, 255, 255], inside, "{vertex}");
    }
    // Typed, along another axis, erasing, and once more by the key.
    browser.press("e").await?;
    browser.choose_row("Runs along", "X").await?;
    browser.type_into_knob("From", "-1").await?;
    browser.type_into_knob("To", "0.01").await?;
    browser.until("speckle.state().covered === 21 * 41").await?;
    browser.click("fill-span").await?;
    history_says(&browser, "Band (erase) on Coat").await?;
    let half = browser.held("Coat").await?;
    assert_eq!(half.iter().filter(|v| v[0] == 0).count(), 12 * 20);
    undo(&browser).await?;
    assert_eq!(browser.held("Coat").await?, held);
    browser.press("g").await?;
    history_says(&browser, "Band (erase) on Coat").await?;
    assert_eq!(browser.held("Coat").await?, half);
    // A lasso drawn freely covers what is seen inside it.
    browser.press("e").await?;
    browser.press("L").await?;
    let corners = [[-0.52, -0.52], [0.52, -0.52], [0.52, 0.52], [-0.52, 0.52]];
    let mut outline = Vec::new();
    for [x, y] in corners {
        outline.push(on_page(&browser, [x, y, 0.0]).await?);
    }
    browser.stroke(&outline).await?;
    browser.until("speckle.state().covered === 21 * 21").await?;
    browser.press("\u{e00c}").await?;
    browser.until("speckle.state().spanReady === false").await?;
    assert_eq!(browser.held("Coat").await?, half, "let go, it covers nothing");
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

#[tokio::test]
async fn palette_keys_recolor_and_the_eyedropper_choose_the_paint() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let (_app, browser) = at_the_wall(folder.path()).await?;
    browser.click("page-palette").await?;
    let file = folder.path().join("harbour.txt");
    fs::write(&file, "# harbour\n128 128 128 Quay\n200 30 40 Buoy red\n")?;
    browser.choose_file("palette-file", &file).await?;
    browser.until("speckle.state().swatches.length === 2").await?;
    fs::write(&file, "1 2 3 Fine\n4 5 Nonsense\n")?;
    browser.choose_file("palette-file", &file).await?;
    browser
        .until("document.body.innerText.includes('line 2: “Nonsense” is no number for blue')")
        .await?;
    assert_eq!(browser.eval("speckle.state().swatches.length").await?, Value::from(2));
    let text = speckle_e2e::fetch(&_app.address, "/api/v1/projects/1/palette?form=text")?;
    assert!(String::from_utf8(text)?.contains("200 30 40 Buoy red"));
    // Grey all over, then red in that shading: half of white's light is 188 as sRGB, and 128 is
    // 0.2158 of it (IEC 61966-2-1); red keeps its channels in proportion to that.
    browser.press("1").await?;
    browser.press("A").await?;
    let middle = on_page(&browser, [0.0, 0.0, 0.0]).await?;
    browser.stroke(&[middle]).await?;
    history_says(&browser, "Pour over all on Coat").await?;
    browser.press("2").await?;
    browser.click("page-tool").await?;
    browser.choose("Blend", "Recolor").await?;
    browser.stroke(&[middle]).await?;
    browser.until("speckle.state().history.revision >= 5").await?;
    let linear = |c: u8| (((f64::from(c) / 255.0) + 0.055) / 1.055).powf(2.4);
    let encoded = |l: f64| ((1.055 * l.powf(1.0 / 2.4) - 0.055) * 255.0).round() as u8;
    let red = encoded(linear(200) * linear(128));
    let held = browser.held("Coat").await?;
    assert!(
        held.iter().all(|v| v[0].abs_diff(red) <= 1 && v[0] > 90 && v[1] < 20),
        "{:?}",
        held[0]
    );
    shows(&browser, middle, [held[0][0], held[0][1], held[0][2]]).await?;
    // The eyedropper takes what is there; X swaps it with the second color.
    browser.press("i").await?;
    browser.stroke(&[middle]).await?;
    browser.until("speckle.state().picking === false").await?;
    let paint: [f64; 4] = serde_json::from_value(browser.eval("speckle.state().paint").await?)?;
    assert!((paint[0] * 255.0 - f64::from(held[0][0])).abs() < 0.6, "{paint:?}");
    browser.press("x").await?;
    browser.until("speckle.state().second[0] < 0.5 && speckle.state().paint[0] > 0.9").await?;
    // OKLCH as the browser's own CSS reckons it.
    browser.click("paint").await?;
    browser.unfolded().await?;
    browser.click("space-oklch").await?;
    for (i, number) in ["60", "0.1", "140"].into_iter().enumerate() {
        let field = browser.find(&format!("oklch-{i}")).await?;
        field.click().await?;
        field.send_keys(&format!("\u{e009}a\u{e000}{number}")).await?;
    }
    let off = browser
        .eval(
            "(() => { const c = document.createElement('canvas').getContext('2d'); c.fillStyle = 'oklch(60% 0.1 140)'; c.fillRect(0, 0, 1, 1);
                const css = c.getImageData(0, 0, 1, 1).data; return Math.max(...[0, 1, 2].map((i) => Math.abs(css[i] - speckle.state().paint[i] * 255))); })()",
        )
        .await?;
    assert!(off.as_f64().context("a number")? < 1.5, "{off}");
    assert_eq!(browser.complaints_beside_refusals().await?, Vec::<String>::new());
    browser.close().await
}

#[tokio::test]
async fn a_stencil_from_a_file_and_a_mask_hold_paint_back() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let (_app, browser) = at_the_wall(folder.path()).await?;
    let file = folder.path().join("halves.png");
    fs::write(&file, b"this is no picture")?;
    browser.choose_file("stencil-file", &file).await?;
    browser.until("document.body.innerText.includes('the stencil cannot be read')").await?;
    assert_eq!(browser.eval("speckle.state().stencil").await?, Value::Null);
    // White on the left, black on the right.
    let halves =
        RgbaImage::from_fn(
            64,
            64,
            |x, _| {
                if x < 32 { Rgba([255; 4]) } else { Rgba([0, 0, 0, 255]) }
            },
        );
    halves.save(&file)?;
    browser.choose_file("stencil-file", &file).await?;
    browser.until("speckle.state().stencil !== null && document.querySelector('[data-test=stencil-picture]')?.complete").await?;
    browser.until("document.querySelector('[data-test=target]').innerText.includes('through the stencil')").await?;
    browser.paint_with("#000000").await?;
    browser.press("A").await?;
    let middle = on_page(&browser, [0.0, 0.0, 0.0]).await?;
    browser.stroke(&[middle]).await?;
    history_says(&browser, "Pour over all on Coat").await?;
    let held = browser.held("Coat").await?;
    let dark: Vec<usize> = (0..held.len()).filter(|&v| held[v][0] < 128).collect();
    // 320 pixels wide about the middle, of which the left half lets paint through.
    assert!(dark.len() > 40 && dark.iter().all(|v| v % 41 <= 20), "{}", dark.len());
    undo(&browser).await?;
    browser.click_at(fantoccini::Locator::Css("[aria-label='Take the stencil away']")).await?;

    // The mask: a press on its button makes it; the right third is protected by a gradient's end.
    browser.click("into-mask").await?;
    browser
        .until("speckle.state().into === 'mask' && speckle.state().parts[0].helpers.length === 1")
        .await?;
    assert_eq!(browser.eval("speckle.state().parts[0].sets.length").await?, Value::from(1));
    browser.press("B").await?;
    browser.choose_row("Runs along", "X").await?;
    browser.type_into_knob("From", "0.01").await?;
    browser.type_into_knob("To", "1").await?;
    browser.until("speckle.state().covered === 20 * 41").await?;
    browser.press(ENTER).await?;
    history_says(&browser, "Band on Mask").await?;
    browser.click("into-set").await?;
    browser.press("A").await?;
    browser.stroke(&[middle]).await?;
    history_says(&browser, "Pour over all on Coat").await?;
    let held = browser.held("Coat").await?;
    assert!(held.iter().enumerate().all(|(v, value)| (value[0] == 255) == (v % 41 > 20)));
    // What changes nothing says so: everything that is open is black already.
    browser.stroke(&[middle]).await?;
    browser.until("document.body.innerText.includes('Nothing changed')").await?;
    // A brush of a radius that is none is told, and nothing is lost.
    browser.press("k").await?;
    browser.eval("(speckle.brush(0, 1, 1), true)").await?;
    browser.stroke(&[middle, (middle.0 + 4.0, middle.1)]).await?;
    browser
        .until("document.body.innerText.includes('the radius must be a number above 0')")
        .await?;
    assert_eq!(browser.held("Coat").await?, held);
    assert_eq!(browser.complaints_beside_refusals().await?, Vec::<String>::new());
    browser.close().await
}

#[tokio::test]
async fn selections_are_grown_adjusted_within_and_looked_at_before() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let (_app, browser) = at_the_wall(folder.path()).await?;
    browser.click("into-selection").await?;
    browser.until("speckle.state().into === 'selection'").await?;
    browser.press("B").await?;
    browser.type_into_knob("From", "-0.01").await?;
    browser.type_into_knob("To", "0.01").await?;
    browser.until("speckle.state().covered === 41").await?;
    browser.press(ENTER).await?;
    history_says(&browser, "Band on Selection 1").await?;
    browser.until("!speckle.state().spanReady").await?;
    browser.click("page-select").await?;
    browser.click("selection-grow").await?;
    history_says(&browser, "Grow of Selection 1").await?;
    // Three rows are striped now: the middle of the wall shows persimmon somewhere.
    let (x, y) = on_page(&browser, [0.0, 0.0, 0.0]).await?;
    let begun = Instant::now();
    loop {
        let picture = image::load_from_memory(&browser.client.screenshot().await?)?.to_rgba8();
        if (0..12).any(|dx| picture.get_pixel(x as u32 + dx, y as u32).0[2] < 120) {
            break;
        }
        ensure!(begun.elapsed() < PATIENCE, "what is selected is not marked");
    }

    browser.click("into-set").await?;
    browser.click("page-adjust").await?;
    browser.choose_row("How", "Invert").await?;
    browser.choose_row("Where", "within Selection 1").await?;
    // The preview shows it and writes nothing.
    let beside = on_page(&browser, [0.9, 0.9, 0.0]).await?;
    browser.until("speckle.stage.surfaces.values().next().value.previewed !== null").await?;
    let held = browser.held("Coat").await?;
    assert!(held.iter().all(|v| *v == [255; 4]));
    shows(&browser, beside, [255; 3]).await?;
    browser.choose_look("Stripes").await?;
    // The preview is on the stage, and goes when it is cancelled.
    shows(&browser, (x, y), [0; 3]).await?;
    browser.click("adjust-cancel").await?;
    shows(&browser, (x, y), [255; 3]).await?;
    browser.click("page-adjust").await?;
    browser.choose_row("How", "Invert").await?;
    browser.choose_row("Where", "within Selection 1").await?;
    browser.click("adjust-accept").await?;
    history_says(&browser, "Invert of Coat").await?;
    let held = browser.held("Coat").await?;
    for (vertex, value) in held.iter().enumerate() {
        let inside = (19..=21).contains(&row(vertex));
        assert_eq!(value[..3] == [0, 0, 0], inside, "{vertex}");
    }
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

#[tokio::test]
async fn all_parts_are_painted_at_once_mirrored_softened_and_spanned() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.open_piece(&app, "drifter").await?;
    browser.click("area-paint").await?;
    browser.press("!").await?;
    browser.paint_with("#1E6F7C").await?;
    browser.press("d").await?;
    browser.choose_row("Works on", "all visible parts").await?;
    browser
        .until(
            "document.querySelector('[data-test=target]').innerText.includes('all visible parts')",
        )
        .await?;
    // A ball half as large as the boat meets several of its parts.
    browser.eval("(speckle.brush(60, 1, 1), true)").await?;
    let [x, y] = browser.spot_on(0).await?;
    browser.stroke(&[(x, y), (x + 6.0, y)]).await?;
    browser
        .until("/^Deep stroke on Paint of [234] parts$/.test(speckle.state().history.undo?.label)")
        .await?;
    undo(&browser).await?;
    let bare = browser.held("Paint").await?;
    // One that lacks the set is named beside the brush.
    browser
        .edit("((part) => ({ type: 'rename_set', part: part.id, set: part.sets[0].id, name: 'Other' }))(speckle.state().parts[2])")
        .await?;
    let lacking = browser.eval("speckle.state().parts[2].name").await?;
    let name = lacking.as_str().context("a name")?.to_owned();
    browser
        .until(&format!(
            "document.querySelector('[data-test=target]').innerText.includes('{name} lacks it')"
        ))
        .await?;
    browser.choose_row("Works on", "this part").await?;

    // Mirrored across the boat's length, both sides are painted, also the one that is not seen.
    browser.press("k").await?;
    browser.click("mirror-Z").await?;
    browser.eval("(speckle.brush(12, 1, 1), true)").await?;
    browser.stroke(&[(x, y), (x + 12.0, y)]).await?;
    history_says(&browser, "Skin stroke on Paint").await?;
    let sides = browser
        .eval("(() => { const { stage, state } = speckle; const id = state().parts[0].id; const surface = stage.surfaces.get(id);
            const bytes = [...surface.values.get(state().parts[0].sets[0].id).bytes]; let near = 0, far = 0;
            for (let v = 0; v < bytes.length / 4; v++) if (bytes[4 * v] === 0x1E) { if (surface.position(v).z > 0) near++; else far++; }
            return [near, far]; })()")
        .await?;
    let [near, far]: [usize; 2] = serde_json::from_value(sides)?;
    assert!(near > 5 && near.abs_diff(far) <= near / 10, "{near} {far}");
    browser.click("mirror-Z").await?;

    // Softened, the hard border of that stroke gets in-between values.
    let painted = browser.held("Paint").await?;
    let between = |held: &[[u8; 4]]| held.iter().filter(|v| v[0] > 0x20 && v[0] < 0xD0).count();
    assert_eq!(between(&painted), 0);
    browser.click("tool-tidy").await?;
    browser.stroke(&[(x - 14.0, y), (x + 14.0, y), (x - 14.0, y)]).await?;
    history_says(&browser, "Soften on Paint").await?;
    assert!(between(&browser.held("Paint").await?) > 3);
    browser.click("page-tool").await?;
    browser.click("clear-part").await?;
    history_says(&browser, "Clear Hull").await?;
    assert_eq!(browser.held("Paint").await?, bare);

    // A solid is dragged from its middle outwards, a gradient from one end to the other.
    browser.press("S").await?;
    browser.stroke(&[(x, y), (x + 40.0, y)]).await?;
    browser.until("speckle.state().covered > 20 && speckle.state().span.size[0] > 1").await?;
    let counted = browser.eval("speckle.state().covered").await?.as_u64().context("a count")?;
    browser.click("fill-span").await?;
    history_says(&browser, "Sphere span on Paint").await?;
    let held = browser.held("Paint").await?;
    assert_eq!(held.iter().zip(&bare).filter(|(a, b)| a != b).count() as u64, counted);
    browser.press("G").await?;
    browser.choose_row("Runs along", "X").await?;
    browser.click("show-span").await?;
    browser.until("speckle.state().covered > 0").await?;
    browser.click("fill-span").await?;
    history_says(&browser, "Gradient on Paint").await?;
    assert!(between(&browser.held("Paint").await?) > 500);
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// A palette, a selection and a mask of one window are there in the other, and undo is shared.
#[tokio::test]
async fn what_serves_the_work_is_shared_by_windows() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let (app, browser) = at_the_wall(folder.path()).await?;
    let other = Browser::start().await?;
    let hash = browser.eval("location.hash").await?;
    let address = format!("{}/{}", app.address, hash.as_str().context("an address")?);
    other.client.goto(&address).await?;
    other.loaded().await?;
    browser.paint_with("#336699").await?;
    browser.click("add-swatch").await?;
    other.until("speckle.state().swatches.length === 1").await?;
    other.click("area-paint").await?;
    other.press("1").await?;
    other.until("Math.round(speckle.state().paint[2] * 255) === 0x99").await?;
    browser.click("into-mask").await?;
    other.until("speckle.state().parts[0].helpers.length === 1").await?;
    // The other window's tools still write into its set: nothing that one chooses moves the other.
    assert_eq!(other.eval("speckle.state().into").await?, Value::from("set"));
    browser.press("A").await?;
    let middle = on_page(&browser, [0.0, 0.0, 0.0]).await?;
    browser.stroke(&[middle]).await?;
    history_says(&browser, "Pour over all on Mask").await?;
    other.until("speckle.state().history.undo?.label === 'Pour over all on Mask'").await?;
    // Everything is protected now, in both.
    other.press("A").await?;
    other.press("!").await?;
    let there = on_page(&other, [0.0, 0.0, 0.0]).await?;
    other.stroke(&[there]).await?;
    other.until("document.body.innerText.includes('the mask protects it')").await?;
    other.click("undo").await?;
    browser.until("speckle.state().history.undo?.label === 'Add Mask'").await?;
    other.stroke(&[there]).await?;
    other.until("speckle.state().history.undo?.label === 'Pour over all on Coat'").await?;
    browser.until("speckle.state().history.undo?.label === 'Pour over all on Coat'").await?;
    assert!(browser.held("Coat").await?.iter().all(|v| *v == [0x33, 0x66, 0x99, 255]));
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    other.close().await?;
    browser.close().await
}
