//! Several parts: chosen, hidden, locked, placed, copied, deleted; and the brush and the camera on
//! them.

use anyhow::Result;
use fantoccini::actions::{InputSource, KeyAction, KeyActions, MouseActions, PointerAction};
use serde_json::Value;
use speckle_e2e::{App, Browser};

async fn drifter() -> Result<(tempfile::TempDir, App, Browser)> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.open_piece(&app, "drifter").await?;
    browser
        .until("[...speckle.stage.surfaces.values()].filter((s) => s.ready && s.values.size === 2).length === 4")
        .await?;
    Ok((folder, app, browser))
}

const NAMES: &str = "speckle.state().parts.map((p) => p.name).join()";

/// How many elements of a part differ from its first value.
fn painted(part: &str) -> String {
    format!(
        "(() => {{ const part = speckle.state().parts.find((p) => p.name === '{part}');
            const words = new Uint32Array(speckle.stage.surfaces.get(part.id).values.get(part.sets[0].id).bytes.buffer);
            const ground = part.sets[0].ground.map((v) => Math.round(v * 255));
            const whole = ground[0] + ground[1] * 256 + ground[2] * 65536 + ground[3] * 16777216;
            return words.filter((w) => w !== whole).length; }})()"
    )
}

async fn number(browser: &Browser, expression: &str) -> Result<u64> {
    Ok(browser.eval(expression).await?.as_u64().unwrap_or(u64::MAX))
}

#[tokio::test]
async fn the_list_of_parts_does_what_it_says_and_undo_takes_it_back() -> Result<()> {
    let (_folder, _app, browser) = drifter().await?;
    browser.click("area-gather").await?;
    assert_eq!(browser.eval(NAMES).await?, "Hull,Wheelhouse,Mast,Nets");

    // A click on the model chooses the part under it.
    let at = browser.spot_on(1).await?;
    let click = MouseActions::new("hand".to_owned())
        .then(PointerAction::MoveTo { duration: None, x: at[0], y: at[1] })
        .then(PointerAction::Down { button: 0 })
        .then(PointerAction::Up { button: 0 });
    browser.client.perform_actions(click).await?;
    browser.until("speckle.state().part === speckle.state().parts[1].id").await?;

    // Hidden: gone from the stage, for the pointer too. Then back by undo.
    browser.click("eye").await?;
    browser.until("speckle.state().parts[0].visible === false").await?;
    browser
        .until("speckle.stage.surfaces.get(speckle.state().parts[0].id).object.visible === false")
        .await?;
    browser.click("undo").await?;
    browser.until("speckle.state().parts[0].visible === true").await?;

    // Placed by a number: it moves on the stage.
    let field =
        browser.client.find(fantoccini::Locator::Css("input[aria-label='Place Y']")).await?;
    field.click().await?;
    field.send_keys("\u{e009}a\u{e000}25\u{e007}").await?;
    browser.until("speckle.state().parts[1].transform.translation[1] === 25").await?;
    browser.until("speckle.stage.surfaces.get(speckle.state().parts[1].id).object.matrix.elements[13] === 25").await?;

    // Copied, renamed, moved, deleted by the menu of the first row.
    let menu = async |entry: &str| -> Result<()> {
        browser.click("part-more").await?;
        browser.choose_entry(entry).await?;
        browser.until("document.querySelector('[role=menu]') === null").await
    };
    menu("Duplicate").await?;
    browser.until("speckle.stage.surfaces.size === 5").await?;
    assert_eq!(browser.eval(NAMES).await?, "Hull,Hull copy,Wheelhouse,Mast,Nets");
    menu("Move down").await?;
    browser.until(&format!("{NAMES} === 'Hull copy,Hull,Wheelhouse,Mast,Nets'")).await?;
    menu("Delete").await?;
    browser.click("delete-part").await?;
    browser.until("speckle.stage.surfaces.size === 4").await?;
    menu("Rename").await?;
    let name = browser.find("name").await?;
    name.send_keys("\u{e009}a\u{e000}Keel and planks\u{e007}").await?;
    browser.until(&format!("{NAMES} === 'Keel and planks,Wheelhouse,Mast,Nets'")).await?;
    for _ in 0..2 {
        let before = browser.eval("speckle.state().history.revision").await?;
        browser.click("undo").await?;
        browser.until(&format!("speckle.state().history.revision > {before}")).await?;
    }
    browser.until(&format!("{NAMES} === 'Hull copy,Hull,Wheelhouse,Mast,Nets'")).await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

#[tokio::test]
async fn paint_goes_to_the_active_part_and_the_deep_stroke_through_it() -> Result<()> {
    let (_folder, _app, browser) = drifter().await?;
    let count = async |part: &str| number(&browser, &painted(part)).await;
    // From the side, across the hull, with a brush that reaches through both its walls.
    browser.press("!").await?;
    browser.eval("speckle.brush(45, 1, 1)").await?;
    let middle = browser
        .eval("(() => { const p = speckle.stage.eye.onPage(speckle.stage.eye.controls.target.clone().setY(28)); return [p.x, p.y]; })()")
        .await?;
    let [x, y]: [f64; 2] = serde_json::from_value(middle)?;
    assert!(x > 100.0 && x < 900.0 && y > 100.0 && y < 600.0, "{x}, {y}");
    browser.stroke(&[(x, y), (x + 4.0, y)]).await?;
    let skin = count("Hull").await?;
    assert!(skin > 100, "{skin}");
    browser.click("undo").await?;
    browser.until("speckle.state().history.redo !== null").await?;
    browser.click("reach-deep").await?;
    browser.stroke(&[(x, y), (x + 4.0, y)]).await?;
    let deep = count("Hull").await?;
    assert!(deep > skin * 3 / 2, "{deep} deep, {skin} skin");
    browser.until("speckle.state().history.undo.label === 'Deep stroke on Paint'").await?;
    for other in ["Wheelhouse", "Mast", "Nets"] {
        assert_eq!(count(other).await?, 0, "only the active part is painted");
    }
    // Erased again it is as it was.
    browser.click("erase").await?;
    browser.eval("speckle.brush(80, 1, 1)").await?;
    browser.stroke(&[(x, y), (x + 4.0, y)]).await?;
    assert_eq!(count("Hull").await?, 0);

    // A locked part takes no paint, and says so.
    browser.click("area-gather").await?;
    browser.click("lock").await?;
    browser.until("speckle.state().parts[0].locked === true").await?;
    browser.click("area-paint").await?;
    browser.stroke(&[(x, y), (x + 4.0, y)]).await?;
    browser.until("document.body.innerText.includes('is locked')").await?;
    assert_eq!(count("Hull").await?, 0);
    browser.close().await
}

#[tokio::test]
async fn keys_change_the_brush_by_moving_the_view_and_the_look() -> Result<()> {
    let (_folder, _app, browser) = drifter().await?;
    let number = async |what: &str| -> Result<f64> {
        Ok(browser.eval(what).await?.as_f64().unwrap_or(f64::NAN))
    };
    // Hold R and move to the right: the radius grows, twice as large every 160 pixels.
    let before = number("speckle.state().brush.radius").await?;
    let hold = KeyActions::new("keys".to_owned()).then(KeyAction::Down { value: 'r' });
    browser.hover(400.0, 300.0).await?;
    browser.client.perform_actions(hold).await?;
    browser.hover(400.0, 300.0).await?;
    browser.hover(560.0, 300.0).await?;
    let release = KeyActions::new("keys".to_owned()).then(KeyAction::Up { value: 'r' });
    browser.client.perform_actions(release).await?;
    let after = number("speckle.state().brush.radius").await?;
    assert!((after / before - 2.0).abs() < 0.05, "{before} to {after}");

    // Parallel lines of sight: a stroke lands where the pointer is, as in perspective.
    browser.press("!").await?;
    browser.press("v").await?;
    browser.until("speckle.stage.eye.view().kind === 'parallel'").await?;
    browser.eval("speckle.brush(6, 1, 1)").await?;
    let place = "speckle.stage.under(430, 410)?.point.toArray()";
    let at: [f64; 3] = serde_json::from_value(browser.eval(place).await?)?;
    browser.stroke(&[(430.0, 410.0)]).await?;
    let far = browser
        .eval(&format!(
            "(() => {{ const part = speckle.state().parts[0]; const s = speckle.stage.surfaces.get(part.id);
                const words = new Uint32Array(s.values.get(part.sets[0].id).bytes.buffer); const most = words[words.length - 1];
                let far = 0, n = 0; words.forEach((w, i) => {{ if (w !== most) {{ n++; const p = s.position(i); far = Math.max(far, Math.hypot(p.x - {}, p.y - {})); }} }});
                return n > 0 ? far : -1; }})()",
            at[0], at[1]
        ))
        .await?
        .as_f64()
        .unwrap_or(f64::NAN);
    assert!((0.0..=6.05).contains(&far), "painted up to {far} from the pointer");
    browser.press("v").await?;
    browser.until("speckle.stage.eye.view().kind === 'perspective'").await?;

    // Wireframe: the chip tells how dense the mesh is, and lines darken the picture.
    let ink = "(() => { speckle.stage.renderer.render(speckle.stage.scene, speckle.stage.eye.camera); const gl = speckle.stage.canvas.getContext('webgl2'); const p = new Uint8Array(4 * 120 * 60); gl.readPixels(380, 260, 120, 60, gl.RGBA, gl.UNSIGNED_BYTE, p); return p.filter((v, i) => i % 4 === 0 && v < 70).length; })()";
    browser.eval("speckle.stage.eye.turn(0, 0, 0.35)").await?;
    let bare = number(ink).await?;
    browser.press("w").await?;
    browser
        .until("/edges [\\d.]+ mm/.test(document.querySelector('[data-test=look]').innerText)")
        .await?;
    browser.drawn().await?;
    let wired = number(ink).await?;
    assert!(wired > bare + 50.0, "{bare} dark pixels, {wired} with wires");

    // The sheet of keys, searched.
    browser.press("?").await?;
    browser
        .until(
            "document.querySelector('[data-test=shortcuts]')?.innerText.includes('hold R, move')",
        )
        .await?;
    let search = browser
        .client
        .find(fantoccini::Locator::Css("input[aria-label='Search the keys']"))
        .await?;
    search.send_keys("undo").await?;
    browser
        .until("!document.querySelector('[data-test=shortcuts]').innerText.includes('hold R')")
        .await?;
    assert_eq!(
        browser
            .eval("document.querySelector('[data-test=shortcuts]').innerText.includes('Ctrl Z')")
            .await?,
        Value::Bool(true)
    );
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}
