//! Layers: what a printer with several spools would do, the chart of heights, and what lies within.

use std::fmt::Write;

use anyhow::Result;
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

#[tokio::test]
async fn a_tower_is_cut_into_layers_and_paint_through_it_saves_changes() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let file = folder.path().join("Tower.ply");
    std::fs::write(&file, tower())?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.client.goto(&app.address).await?;
    browser.bring_in(&[&file]).await?;
    browser.until("window.speckle?.stage.surfaces.size === 1").await?;
    browser.until("[...speckle.stage.surfaces.values()].every((s) => s.ready)").await?;
    browser.click("area-layers").await?;
    // Painted outside only, the band has two swatches in each of its fifty layers.
    browser.until(&format!("{COSTS}.includes('Spoolchanges50')")).await?;
    browser.until(&format!("{COSTS}.includes('Layers150')")).await?;
    browser.until(&format!("{COSTS}.includes('Printed12.0cm³')")).await?;
    // Twice as large it has twice as many layers, and says so.
    browser.type_into_row("Height", "60").await?;
    browser.until(&format!("{COSTS}.includes('Stands60.0mmhigh,2.00:1')")).await?;
    browser.until(&format!("{COSTS}.includes('Layers300')")).await?;
    browser.type_into_row("Height", "30").await?;
    browser.until(&format!("{COSTS}.includes('Layers150')")).await?;
    // Right through there is one change at each border, and it is told before.
    browser.until(&format!("{COSTS}.includes('Paintgoesrightthrough2(−48)')")).await?;
    browser.click("within").await?;
    browser.until(&format!("{COSTS}.includes('Spoolchanges2')")).await?;
    browser.until(&format!("{COSTS}.includes('Purged0.280cm³')")).await?;
    // The needle: a press on the chart, keys, and the next change.
    browser.until("document.querySelectorAll('[data-test=layer-card] line').length >= 4").await?;
    browser.until("speckle.state().cutaway.on").await?;
    let [x, y] = browser.middle_of("[data-test=height-chart]").await?;
    browser.stroke(&[(x - 200.0, y), (x - 100.0, y), (x, y)]).await?;
    browser.until("document.querySelector('[data-test=layer-said]').innerText.includes('Layer 76 of 150')").await?;
    browser.click_text("button", "Next change").await?;
    browser.until("document.querySelector('[data-test=layer-said]').innerText.includes('Layer 101 of 150')").await?;
    browser.until("Math.abs(speckle.state().cutaway.offset - 20.2) < 1e-3").await?;
    // Elsewhere the stage is whole again.
    browser.click("area-gather").await?;
    browser.until("!speckle.state().cutaway.on").await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}
