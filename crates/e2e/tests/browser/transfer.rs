//! Colors carried from part to part in Gather, and parts with fewer triangles: looked at before it is
//! done, done, undone, and had back from what was once.

use std::fmt::Write;

use anyhow::Result;
use speckle_e2e::{App, Browser};

/// A bumpy bowl of n × n quads, red where it is high, as PLY; bare where colors are not wanted.
pub fn bowl(n: usize, is_colored: bool) -> String {
    let mut text = format!("ply\nformat ascii 1.0\nelement vertex {}\n", (n + 1) * (n + 1));
    text.push_str("property float x\nproperty float y\nproperty float z\n");
    if is_colored {
        text.push_str("property uchar red\nproperty uchar green\nproperty uchar blue\n");
    }
    let _ = writeln!(text, "element face {}", n * n);
    text.push_str("property list uchar int vertex_indices\nend_header\n");
    for i in 0..(n + 1) * (n + 1) {
        let [x, y] = [i % (n + 1), i / (n + 1)].map(|k| 100.0 * (k as f32 / n as f32 - 0.5));
        let z = x * x / 60.0 + y * y / 140.0 + 5.0 * (x / 11.0).sin() * (y / 17.0).cos();
        let _ = write!(text, "{x} {z} {}", -y);
        let red = (4.0 * z + 60.0).clamp(0.0, 255.0).round();
        text.push_str(&if is_colored { format!(" {red} 40 90\n") } else { "\n".to_owned() });
    }
    for i in 0..n * n {
        let v = i / n * (n + 1) + i % n;
        let _ = writeln!(text, "4 {v} {} {} {}", v + 1, v + n + 2, v + n + 1);
    }
    text
}

const FINDINGS: &str = "(document.querySelector('[data-test=transfer-findings]')?.innerText ?? '')";

async fn two_bowls() -> Result<(tempfile::TempDir, App, Browser)> {
    let folder = tempfile::tempdir()?;
    let (dense, light) = (folder.path().join("Dense.ply"), folder.path().join("Light.ply"));
    std::fs::write(&dense, bowl(40, true))?;
    std::fs::write(&light, bowl(9, false))?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.client.goto(&app.address).await?;
    // The light one first: it is the part in hand.
    browser.bring_in(&[&light, &dense]).await?;
    browser.until("window.speckle?.stage.surfaces.size === 2").await?;
    browser.until("[...speckle.stage.surfaces.values()].every((s) => s.ready)").await?;
    browser.click("area-gather").await?;
    browser
        .until("speckle.state().part === speckle.state().parts.find((p) => p.name === 'Light').id")
        .await?;
    Ok((folder, app, browser))
}

#[tokio::test]
async fn colors_are_looked_at_carried_undone_and_had_back() -> Result<()> {
    let (_folder, _app, browser) = two_bowls().await?;
    browser.click("gather-transfer").await?;
    browser.until("speckle.state().trial?.shows === 'after'").await?;
    browser.until(&format!("{FINDINGS}.includes('100 of 100 vertices find their place')")).await?;
    browser.until(&format!("{FINDINGS}.includes('becomes a new set')")).await?;
    // Nothing has changed yet, and what would stands on the stage.
    let light = "speckle.state().parts.find((p) => p.name === 'Light')";
    browser.until(&format!("{light}.sets.length === 0")).await?;
    let tried = format!("speckle.stage.surfaces.get({light}.id).values.get(-1)?.bytes");
    browser.until(&format!("{tried}?.length === 400 && {tried}[2] > 80")).await?;
    browser.until(&format!("speckle.stage.surfaces.get({light}.id).shownSet === -1")).await?;
    browser.click("trial-before").await?;
    browser.until(&format!("speckle.stage.surfaces.get({light}.id).shownSet !== -1")).await?;
    browser.click("do-transfer").await?;
    browser.until(&format!("{light}.sets.length === 1")).await?;
    browser.until("document.body.innerText.includes('every vertex found its place')").await?;

    // Once more: nothing would change, and heat says so. A wipe has a divider.
    browser.until(&format!("{FINDINGS}.includes('changes in 0 of 100')")).await?;
    browser.click("trial-wipe").await?;
    browser.find("wipe").await?;
    browser.click("trial-change").await?;
    browser.find("heat-scale").await?;
    browser.click("trial-after").await?;
    // A set that is not to be carried, and then is, goes where it would by itself.
    let tick = fantoccini::Locator::Css("[data-test=transfer-table] input[type=checkbox]");
    browser.client.find(tick).await?.click().await?;
    browser.find("transfer-trouble").await?;
    browser.client.find(tick).await?.click().await?;
    browser.until(&format!("{FINDINGS}.includes('changes in 0 of 100')")).await?;

    // Painted over, and had back from an earlier step.
    let paint = format!(
        "(() => {{ const part = {light}; return fetch('/api/v1/projects/' + location.hash.split('/').at(-1) + '/edits', {{ \
            method: 'POST', headers: {{ 'content-type': 'application/json' }}, \
            body: JSON.stringify({{ type: 'clear_channels', part: part.id, set: part.sets[0].id, channels: [true, true, true, true] }}) }}); }})()"
    );
    browser.eval(&paint).await?;
    browser.until(&format!("!{FINDINGS}.includes('changes in 0 of 100')")).await?;
    browser.choose_row("From", "an earlier step").await?;
    let step = "[...document.querySelectorAll('li')].find((li) => li.innerText.includes('Transfer from Dense'))?.innerText";
    browser.unfold(fantoccini::Locator::XPath("//*[@aria-label='As it was after']/ancestor-or-self::*[contains(@class, 'MuiInputBase-root')]//*[@role='combobox']")).await?;
    let entry = browser.eval(step).await?;
    browser.choose_entry(entry.as_str().unwrap_or_default()).await?;
    browser.until(&format!("{FINDINGS}.includes('100 of 100 vertices find their place')")).await?;
    browser.click("do-transfer").await?;
    let now =
        format!("speckle.stage.surfaces.get({light}.id).values.get({light}.sets[0].id).bytes[2]");
    browser.until(&format!("{now} > 80 && {now} < 100")).await?;

    for _ in 0..3 {
        let before = browser.eval("speckle.state().history.revision").await?;
        browser.click("undo").await?;
        browser.until(&format!("speckle.state().history.revision > {before}")).await?;
    }
    browser.until(&format!("{light}.sets.length === 0")).await?;
    // Leaving Gather leaves the trial.
    browser.click("area-paint").await?;
    browser.until("speckle.state().trial === null").await?;
    // A step that was undone is refused, and nothing else is said.
    assert_eq!(browser.complaints_beside_refusals().await?, Vec::<String>::new());
    browser.close().await
}

#[tokio::test]
async fn what_lies_elsewhere_is_said_put_there_and_what_is_lost_is_kept() -> Result<()> {
    let (_folder, _app, browser) = two_bowls().await?;
    let dense = "speckle.state().parts.find((p) => p.name === 'Dense')";
    browser
        .eval(&format!(
            "(() => {{ const part = {dense}; fetch('/api/v1/projects/' + location.hash.split('/').at(-1) + '/edits', {{ \
                method: 'POST', headers: {{ 'content-type': 'application/json' }}, \
                body: JSON.stringify({{ type: 'place_part', part: part.id, transform: {{ ...part.transform, translation: [9, 4, -6], rotation_degrees: [5, 12, -7] }} }}) }}); }})()"
        ))
        .await?;
    browser.until(&format!("{dense}.transform.translation[0] === 9")).await?;
    browser.click("gather-transfer").await?;
    browser.until("speckle.state().trial !== null").await?;
    browser.click("best-fit").await?;
    browser
        .until(&format!("{dense}.transform.translation.every((x) => Math.abs(x) < 1.5)"))
        .await?;
    browser.until("document.body.innerText.includes('in the root of the mean square')").await?;
    // A reach that only some vertices lie within.
    browser.until(&format!("{FINDINGS}.includes('100 of 100')")).await?;
    let reach = browser.client.find(fantoccini::Locator::Css("input[aria-label='Reach']")).await?;
    reach.click().await?;
    reach.send_keys("\u{e009}a\u{e000}0.3\u{e007}").await?;
    browser.until(&format!("{FINDINGS}.includes('are lost')")).await?;
    browser.click("trial-lost").await?;
    browser.click_text("label", "Keep what is lost as a selection").await?;
    browser.until(&format!("{FINDINGS}.includes('are lost')")).await?;
    browser.click("do-transfer").await?;
    browser
        .until("speckle.state().parts.find((p) => p.name === 'Light').helpers.some((h) => h.name === 'Lost' && h.role === 'selection')")
        .await?;
    // What is wrong is said in the sheet.
    reach.click().await?;
    reach.send_keys("\u{e009}a\u{e000}0.0000001\u{e007}").await?;
    browser.find("transfer-trouble").await?;
    // What was turned too far is turned back.
    reach.click().await?;
    reach.send_keys("\u{e009}a\u{e000}9\u{e007}").await?;
    browser.until(&format!("{FINDINGS}.includes('100 of 100')")).await?;
    browser.close().await
}

#[tokio::test]
async fn fewer_triangles_are_looked_at_and_come_in_place_or_beside() -> Result<()> {
    let (_folder, _app, browser) = two_bowls().await?;
    let dense = "speckle.state().parts.find((p) => p.name === 'Dense')";
    let row = "//*[@data-test='part']//button[.='Dense']";
    browser.click_at(fantoccini::Locator::XPath(row)).await?;
    browser.until(&format!("speckle.state().part === {dense}.id")).await?;
    browser.click("gather-density").await?;
    browser.until("speckle.state().remade?.shows === 'after'").await?;
    let said = "(document.querySelector('[data-test=shape-findings]')?.innerText ?? '').replace(/\\s/g, '')";
    browser.until(&format!("{said}.includes('3200untilnow')")).await?;
    // Nothing has changed, and what would stands in the part's place.
    browser.until("speckle.stage.surfaces.get(-1)?.object.visible === true").await?;
    browser
        .until(&format!("speckle.stage.surfaces.get({dense}.id).object.visible === false"))
        .await?;
    browser.click("remade-before").await?;
    browser
        .until(&format!("speckle.stage.surfaces.get({dense}.id).object.visible === true"))
        .await?;
    browser.choose_row("It comes", "as a copy beside it").await?;
    browser.click("do-decimate").await?;
    browser.until("speckle.state().parts.length === 3").await?;
    browser
        .until("speckle.state().parts.some((p) => p.name === 'Dense copy' && p.triangles <= 800)")
        .await?;
    browser.until("document.body.innerText.includes('Turn anything to look further')").await?;
    browser.until("speckle.state().remade === null && !speckle.stage.surfaces.has(-1)").await?;
    browser.click("undo").await?;
    browser.until("speckle.state().parts.length === 2").await?;

    browser.choose_row("It comes", "in its place").await?;
    browser.choose_row("Down to", "so many triangles").await?;
    browser.until("speckle.state().remade !== null").await?;
    let field = browser
        .client
        .find(fantoccini::Locator::Css("input[aria-label='Triangles, typed']"))
        .await?;
    field.click().await?;
    field.send_keys("\u{e009}a\u{e000}200\u{e007}").await?;
    browser
        .until(&format!(
            "{said}.includes('200triangles,3200until') || {said}.includes('199triangles,3200until')"
        ))
        .await?;
    browser.click("do-decimate").await?;
    browser.until(&format!("{dense}.triangles <= 200 && {dense}.sets.length === 1")).await?;
    browser.click("undo").await?;
    browser.until(&format!("{dense}.triangles === 3200")).await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}
