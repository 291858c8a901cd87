//! Sets of other placements, the target of the paint, keys, and a server that goes and comes back.

use anyhow::{Context, Result};
use fantoccini::{Locator, elements::Element};
use serde_json::Value;
use speckle_e2e::{App, Browser};

const CONTROL_Z: &str = "\u{e009}z\u{e000}";
const CONTROL_Y: &str = "\u{e009}y\u{e000}";

async fn open_bollard(app: &App) -> Result<Browser> {
    let browser = Browser::start().await?;
    browser.open_bollard(app).await?;
    Ok(browser)
}

async fn button(browser: &Browser, words: &str) -> Result<Element> {
    let path = format!("//button[contains(., '{words}')]");
    Ok(browser.client.wait().for_element(Locator::XPath(&path)).await?)
}

#[tokio::test]
async fn a_face_mask_is_added_chosen_painted_in_one_channel_and_undone_by_keys() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = open_bollard(&app).await?;
    let coat = browser.held("Coat").await?;

    button(&browser, "Add a set").await?.click().await?;
    browser.choose("Holds", "Data").await?;
    browser.choose("Placement", "Per face").await?;
    browser.choose("Starts as", "Black").await?;
    browser
        .client
        .find(Locator::XPath("//div[@role='dialog']//button[.='Add']"))
        .await?
        .click()
        .await?;
    browser.until("speckle.state().parts[0].sets.length === 2 && document.querySelector('[role=dialog]') === null").await?;
    // Adding neither moves the target nor changes what is shown.
    assert_eq!(browser.eval("speckle.state().target === speckle.state().parts[0].sets[0].id && speckle.state().shown === speckle.state().target").await?, Value::Bool(true));

    let cell = Locator::Css("[aria-label='Paint G of Set 2']");
    browser.client.wait().for_element(cell).await?.click().await?;
    browser.until("document.querySelector('[data-test=target]').innerText.includes('another set is shown')").await?;
    let words = browser.find("target").await?.text().await?;
    assert!(words.contains("Bollard, Set 2") && words.contains(" G, per face"), "{words}");
    browser.choose_look("Set 2").await?;
    browser.choose_flat().await?;

    // Data is painted with one number.
    browser.click("value-half").await?;
    browser.until("speckle.state().value === 0.5").await?;
    browser.click("value-1").await?;
    browser.eval("(speckle.brush(24, 1, 1), true)").await?;
    browser.stroke(&[(470.0, 240.0), (560.0, 250.0)]).await?;
    let mask = browser.held("Set 2").await?;
    let painted = mask.iter().filter(|v| v[1] == 255).count();
    assert!(painted > 40, "{painted} faces");
    assert!(mask.iter().all(|v| [v[0], v[2], v[3]] == [0, 0, 255] && (v[1] == 0 || v[1] == 255)));
    assert_eq!(browser.held("Coat").await?, coat, "the other set is untouched");

    // In the flat look every pixel shows its face's value: per face, nothing blends.
    browser.hover(1100.0, 600.0).await?;
    let spots = browser
        .eval(
            "(() => { const { stage, state } = speckle; const out = [];
                for (let y = 160; y < 330; y += 5) for (let x = 330; x < 620; x += 5) {
                    const under = stage.under(x + 0.5, y + 0.5);
                    const near = [[2, 2], [-2, 2], [2, -2], [-2, -2]].map(([a, b]) => stage.under(x + 0.5 + a, y + 0.5 + b));
                    const surface = under && stage.surfaces.get(under.part);
                    const value = (u) => JSON.stringify(surface.valueAt(state().shown, u, u.vertices[0]));
                    if (!under || near.some((u) => !u || value(u) !== value(under))) continue;
                    out.push([x, y, Math.round(255 * surface.valueAt(state().shown, under, under.vertices[0])[1])]);
                } return out; })()",
        )
        .await?;
    let spots: Vec<(u32, u32, u8)> = serde_json::from_value(spots)?;
    let picture = image::load_from_memory(&browser.client.screenshot().await?)?.to_rgba8();
    for &(x, y, green) in &spots {
        let [r, g, b, _] = picture.get_pixel(x, y).0;
        assert!(r <= 2 && b <= 2 && g.abs_diff(green) <= 2, "{x},{y}: {r} {g} {b}, held {green}");
    }
    assert!(spots.iter().any(|s| s.2 == 255) && spots.iter().any(|s| s.2 == 0));

    let page = browser.client.find(Locator::Css("body")).await?;
    page.send_keys(CONTROL_Z).await?;
    browser.until("speckle.state().history.redo?.label === 'Skin stroke on Set 2'").await?;
    assert!(browser.held("Set 2").await?.iter().all(|v| v[1] == 0));
    page.send_keys(CONTROL_Y).await?;
    browser.until("speckle.state().history.redo === null").await?;
    assert_eq!(browser.held("Set 2").await?, mask);
    // Two undos: the stroke, then the set itself; what was chosen falls back to what is there.
    page.send_keys(CONTROL_Z).await?;
    browser.until("speckle.state().history.redo !== null").await?;
    page.send_keys(CONTROL_Z).await?;
    browser.until("speckle.state().parts[0].sets.length === 1").await?;
    browser.until("speckle.state().target === speckle.state().parts[0].sets[0].id").await?;
    let radius = |value: Value| value.as_f64().context("a radius");
    let before = radius(browser.eval("speckle.state().brush.radius").await?)?;
    page.send_keys("]").await?;
    assert!(radius(browser.eval("speckle.state().brush.radius").await?)? > before);
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

#[tokio::test]
async fn a_lost_server_is_told_and_found_again() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let data = folder.path().join("toys");
    let app = App::start(&data)?;
    let port: u16 = app.address.rsplit(':').next().context("a port")?.parse()?;
    let browser = open_bollard(&app).await?;
    browser.stroke(&[(470.0, 240.0), (560.0, 250.0)]).await?;
    let painted = browser.held("Coat").await?;

    drop(app);
    browser
        .until("document.querySelector('[data-test=saved]').innerText.includes('not connected')")
        .await?;
    // A press now paints nothing, and says why.
    browser.stroke(&[(470.0, 400.0), (480.0, 400.0)]).await?;
    browser.until("document.body.innerText.includes('The server is not connected')").await?;
    assert_eq!(browser.held("Coat").await?, painted);
    // Nor does what goes by a request of its own look done, or wait for ever.
    browser.press("j").await?;
    browser.until("document.body.innerText.includes('The server cannot be reached')").await?;
    assert_eq!(browser.eval("speckle.state().parts[0].visible").await?, Value::Bool(true));

    // What is on the stage stays there when the server is back: no mesh comes again, and the camera
    // and the choices are as they were.
    browser
        .eval("(speckle.kept = speckle.stage.surfaces.values().next().value, speckle.stage.eye.turn(0.3, 0.1), speckle.eye = speckle.stage.eye.camera.position.x, true)")
        .await?;
    let _app = App::start_at(&data, port)?;
    browser.loaded().await?;
    let resumed = "speckle.stage.surfaces.values().next().value === speckle.kept && speckle.stage.eye.camera.position.x === speckle.eye";
    assert_eq!(browser.eval(resumed).await?, Value::Bool(true));
    browser
        .until("document.querySelector('[data-test=saved]').innerText.includes('saved')")
        .await?;
    assert_eq!(browser.held("Coat").await?, painted);
    browser.stroke(&[(470.0, 400.0), (480.0, 400.0)]).await?;
    assert_ne!(browser.held("Coat").await?, painted);
    browser.close().await
}
