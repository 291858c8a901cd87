//! What the hand does beside strokes: pinned pictures, stencils moved by keys, spans in a drawn
//! direction, the cutaway's knob, parts hidden by keys, a pen's pressure, the palette's order.

use anyhow::{Context, Result};
use fantoccini::Locator;
use serde_json::Value;
use speckle_e2e::{App, Browser};

struct Table {
    browser: Browser,
    _app: App,
    folder: tempfile::TempDir,
}

impl Table {
    async fn of_drifter() -> Result<Self> {
        let folder = tempfile::tempdir()?;
        let app = App::start(&folder.path().join("toys"))?;
        let browser = Browser::start().await?;
        browser.open_piece(&app, "drifter").await?;
        browser.until("speckle.stage.surfaces.size === 4").await?;
        Ok(Self { browser, _app: app, folder })
    }

    /// An image of two halves, the left one of a color.
    fn image(&self, name: &str, left: [u8; 3], right: [u8; 3]) -> Result<String> {
        let path = self.folder.path().join(name);
        let picture =
            image::RgbImage::from_fn(64, 32, |x, _| image::Rgb(if x < 32 { left } else { right }));
        picture.save(&path)?;
        Ok(path.to_string_lossy().into_owned())
    }

    async fn give(&self, mark: &str, path: &str) -> Result<()> {
        let css = format!("[data-test={mark}]");
        Ok(self.browser.client.find(Locator::Css(&css)).await?.send_keys(path).await?)
    }

    /// Where something is on the page: left, top, width, height.
    async fn bounds(&self, css: &str) -> Result<[f64; 4]> {
        let of = format!(
            "(() => {{ const b = document.querySelector(\"{css}\").getBoundingClientRect(); return [b.x, b.y, b.width, b.height]; }})()"
        );
        Ok(serde_json::from_value(self.browser.eval(&of).await?)?)
    }

    /// Holds a key down while the pointer goes from one place to another, without a button.
    async fn held(&self, key: &str, from: (f64, f64), to: (f64, f64)) -> Result<()> {
        let send = |kind: &str| {
            format!(
                "(document.body.dispatchEvent(new KeyboardEvent('{kind}', {{ key: '{key}', code: 'Key{}', bubbles: true }})), true)",
                key.to_uppercase()
            )
        };
        self.browser.hover(from.0, from.1).await?;
        self.browser.eval(&send("keydown")).await?;
        for step in 0..=4 {
            let share = f64::from(step) / 4.0;
            self.browser
                .hover(from.0 + (to.0 - from.0) * share, from.1 + (to.1 - from.1) * share)
                .await?;
        }
        self.browser.eval(&send("keyup")).await?;
        Ok(())
    }

    async fn number(&self, expression: &str) -> Result<f64> {
        self.browser.eval(expression).await?.as_f64().context("a number")
    }
}

#[tokio::test]
async fn a_pinned_picture_gives_colors_and_a_stencil_is_placed_by_held_keys() -> Result<()> {
    let table = Table::of_drifter().await?;
    let browser = &table.browser;
    browser.click("page-views").await?;
    table.give("pin-file", &table.image("paints.png", [30, 111, 124], [201, 155, 82])?).await?;
    browser
        .until(
            "document.querySelector('[data-test=pinned] img, [data-test=pinned] canvas') !== null",
        )
        .await?;
    browser.click("pick").await?;
    browser.until("speckle.state().picking === true").await?;
    let pinned = "[data-test=pinned] img, [data-test=pinned] canvas";
    browser.middle_of(pinned).await?;
    let [x, y, width, height] = table.bounds(pinned).await?;
    // The right half of the picture is the second of its colors.
    browser.hover(x + width * 0.75, y + height / 2.0).await?;
    browser.stroke(&[(x + width * 0.75, y + height / 2.0)]).await?;
    browser.until("speckle.state().picking === false").await?;
    let paint =
        browser.eval("speckle.state().paint.slice(0, 3).map((c) => Math.round(c * 255))").await?;
    assert_eq!(paint, serde_json::json!([201, 155, 82]));

    browser.click("page-tool").await?;
    table.give("stencil-file", &table.image("halves.png", [255; 3], [0; 3])?).await?;
    browser.until("speckle.state().stencil?.name === 'halves.png'").await?;
    let before = table.bounds("[data-test=stencil-picture]").await?;
    table.held("s", (400.0, 300.0), (460.0, 340.0)).await?;
    let moved = table.bounds("[data-test=stencil-picture]").await?;
    assert!(
        (moved[0] - before[0] - 60.0).abs() < 2.0 && (moved[1] - before[1] - 40.0).abs() < 2.0,
        "{before:?} {moved:?}"
    );
    table.held("z", (400.0, 300.0), (460.0, 300.0)).await?;
    let sized = table.bounds("[data-test=stencil-picture]").await?;
    assert!(sized[2] > moved[2] * 1.05, "{moved:?} {sized:?}");
    table.held("y", (400.0, 300.0), (440.0, 300.0)).await?;
    assert!(table.number("speckle.state().stencil.turn").await?.abs() > 1.0);
    // White lets paint through, black holds it: half of a fill is painted.
    browser.eval("(window.was = [...speckle.stage.surfaces.get(speckle.state().part).values.get(speckle.state().target).bytes], true)").await?;
    browser.click("tool-pour").await?;
    browser.click("pour-all").await?;
    let [x, y] = browser.spot_on(0).await?;
    browser.stroke(&[(x, y)]).await?;
    browser.until("speckle.state().history.undo?.label.startsWith('Pour over all')").await?;
    let shares = browser.eval("(() => { const now = speckle.stage.surfaces.get(speckle.state().part).values.get(speckle.state().target).bytes; let changed = 0; for (let i = 0; i < now.length; i += 4) changed += now[i] !== window.was[i] ? 1 : 0; return changed / (now.length / 4); })()").await?;
    let share = shares.as_f64().context("a share")?;
    assert!(share > 0.02 && share < 0.9, "{share} of it is painted");
    Ok(())
}

#[tokio::test]
async fn spans_are_drawn_in_any_direction_and_as_rectangles() -> Result<()> {
    let table = Table::of_drifter().await?;
    let browser = &table.browser;
    browser.click("tool-span").await?;
    browser.click("span-gradient").await?;
    browser.choose_row("Runs along", "the line I draw").await?;
    let [x, y] = browser.spot_on(0).await?;
    browser.stroke(&[(x, y), (x + 40.0, y - 5.0), (x + 110.0, y - 10.0)]).await?;
    browser.until("speckle.state().spanReady === true && speckle.state().covered > 50").await?;
    let direction: [f64; 3] =
        serde_json::from_value(browser.eval("speckle.state().span.direction").await?)?;
    let length = direction.iter().map(|x| x * x).sum::<f64>().sqrt();
    assert!((length - 1.0).abs() < 1e-3 && direction[0].abs() > 0.5, "{direction:?}");
    browser.press("\u{e007}").await?;
    browser.until("speckle.state().history.undo?.label === 'Gradient on Paint'").await?;

    browser.click("span-lasso").await?;
    browser.choose_row("Outline", "a rectangle").await?;
    browser.stroke(&[(x - 50.0, y - 30.0), (x, y), (x + 50.0, y + 30.0)]).await?;
    browser.until("speckle.state().spanReady === true && speckle.state().covered > 20").await?;
    let covered = table.number("speckle.state().covered").await?;
    // As an outline drawn freely around the same corners covers.
    browser.choose_row("Outline", "drawn freely").await?;
    let (left, right, top, bottom) = (x - 50.0, x + 50.0, y - 30.0, y + 30.0);
    browser
        .stroke(&[(left, top), (right, top), (right, bottom), (left, bottom), (left, top)])
        .await?;
    browser.until("speckle.state().spanReady === true && speckle.state().covered > 20").await?;
    let free = table.number("speckle.state().covered").await?;
    assert!((covered - free).abs() <= 0.05 * free + 3.0, "{covered} and {free}");
    browser.press("\u{e00c}").await?;
    browser.until("speckle.state().spanReady === false").await
}

#[tokio::test]
async fn parts_hide_by_keys_the_cutaway_moves_by_its_knob_and_snapshots_flip() -> Result<()> {
    let table = Table::of_drifter().await?;
    let browser = &table.browser;
    let visible = "speckle.state().parts.map((part) => part.visible)";
    browser.press("j").await?;
    browser.until(&format!("JSON.stringify({visible}) === '[false,true,true,true]'")).await?;
    browser.press("j").await?;
    browser.press("J").await?;
    browser.until(&format!("JSON.stringify({visible}) === '[true,false,false,false]'")).await?;
    browser.press("J").await?;
    browser.until(&format!("{visible}.every(Boolean)")).await?;

    // The cutaway faces the view, and its knob moves it along.
    browser.click("page-views").await?;
    browser.click("cut-view").await?;
    browser.until("speckle.state().cutaway.on === true").await?;
    browser.find("cutaway-handle").await?;
    browser.middle_of("[data-test=cutaway-handle]").await?;
    let normal: [f64; 3] =
        serde_json::from_value(browser.eval("speckle.state().cutaway.normal").await?)?;
    assert!((normal.iter().map(|x| x * x).sum::<f64>() - 1.0).abs() < 1e-3, "{normal:?}");
    let before = table.number("speckle.state().cutaway.offset").await?;
    let [x, y, width, height] = table.bounds("[data-test=cutaway-handle]").await?;
    let at = (x + width / 2.0, y + height / 2.0);
    browser.stroke(&[at, (at.0 + 10.0, at.1 + 10.0), (at.0 + 40.0, at.1 + 40.0)]).await?;
    let after = table.number("speckle.state().cutaway.offset").await?;
    assert!(before != after, "{before} and {after}");

    // What it was like is seen while a key is held, and not longer.
    browser.eval("(speckle.stage.eye.frame(), true)").await?;
    browser.click("take-snapshot").await?;
    browser.find("name").await?.send_keys("Bare\u{e007}").await?;
    browser.until("document.querySelector('[role=dialog]') === null").await?;
    browser.until("speckle.state().parts[0].helpers.some((h) => h.name === 'Bare')").await?;
    let flip = |kind: &str| {
        format!(
            "(document.body.dispatchEvent(new KeyboardEvent('{kind}', {{ key: 'b', code: 'KeyB', bubbles: true }})), speckle.state().flipped)"
        )
    };
    assert_eq!(browser.eval(&flip("keydown")).await?, Value::from("Bare"));
    assert_eq!(browser.eval(&flip("keyup")).await?, Value::Null);
    Ok(())
}

#[tokio::test]
async fn a_pen_presses_and_swatches_take_names_and_places() -> Result<()> {
    let table = Table::of_drifter().await?;
    let browser = &table.browser;
    for (hex, count) in [("#C43921", 1), ("#EDE7D6", 2), ("#1E6F7C", 3)] {
        browser.paint_with(hex).await?;
        browser.click("add-swatch").await?;
        browser.until(&format!("speckle.state().swatches.length === {count}")).await?;
    }
    browser.click("page-palette").await?;
    let rows = browser.client.find_all(Locator::Css("[data-test=palette-row]")).await?;
    assert_eq!(rows.len(), 3);
    let name = browser.client.find(Locator::Css("[data-test=palette-row] input")).await?;
    name.click().await?;
    name.send_keys("Buoy red\u{e007}").await?;
    browser.until("speckle.state().swatches[0].name === 'Buoy red'").await?;
    let down = Locator::Css("[data-test=palette-row] [aria-label*='down']");
    browser.click_at(down).await?;
    browser.until("speckle.state().swatches[1].name === 'Buoy red'").await?;

    // A pen's pressure follows the curve of the opacity: a light touch leaves less.
    browser.click("page-tool").await?;
    let [x, y] = browser.spot_on(0).await?;
    browser.eval("(speckle.brush(10, 1, 1), true)").await?;
    browser.eval("(() => { const s = speckle.state(); s.brush.pressure_opacity = [0, 0.25, 0.5, 0.75, 1]; return true; })()").await?;
    let press = |pressure: f64| {
        format!(
            "(() => {{ const stage = document.querySelector('[data-test=stage]'); stage.setPointerCapture = () => {{}}; stage.releasePointerCapture = () => {{}}; const send = (type, buttons) => stage.dispatchEvent(new PointerEvent(type, {{ pointerId: 7, pointerType: 'pen', isPrimary: true, bubbles: true, button: 0, buttons, pressure: {pressure}, clientX: {x}, clientY: {y} }})); send('pointermove', 0); send('pointerdown', 1); send('pointermove', 1); send('pointerup', 0); return true; }})()"
        )
    };
    let darkest = "Math.min(...speckle.stage.surfaces.get(speckle.state().part).values.get(speckle.state().target).bytes.filter((_, i) => i % 4 === 0))";
    let bare = table.number(darkest).await?;
    browser.paint_with("#000000").await?;
    browser.eval(&press(0.3)).await?;
    browser.until("speckle.state().history.undo?.label.startsWith('Skin stroke') && speckle.state().unsaved === 0").await?;
    let light = table.number(darkest).await?;
    assert!(light < bare - 20.0 && light > 0.4 * bare, "{bare} became {light} under a light touch");
    browser.eval(&press(1.0)).await?;
    browser.until(&format!("{darkest} < 5")).await
}
