//! Images in Gather: a part laid out for them, colors made into one, and one that says where a mesh is too
//! coarse; a part that follows another by a recipe.

use anyhow::Result;
use speckle_e2e::{App, Browser};

use crate::transfer::bowl;

const FINDINGS: &str =
    "(document.querySelector('[data-test=shape-findings]')?.innerText ?? '').replace(/\\s/g, '')";
const PART: &str = "speckle.state().parts[0]";

async fn with_bowl(n: usize) -> Result<(tempfile::TempDir, App, Browser)> {
    let folder = tempfile::tempdir()?;
    let file = folder.path().join("Bowl.ply");
    std::fs::write(&file, bowl(n, true))?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.client.goto(&app.address).await?;
    browser.bring_in(&[&file]).await?;
    browser.until("window.speckle?.stage.surfaces.size === 1").await?;
    browser.until("[...speckle.stage.surfaces.values()].every((s) => s.ready)").await?;
    browser.click("area-gather").await?;
    Ok((folder, app, browser))
}

#[tokio::test]
async fn a_bowl_is_laid_out_its_colors_become_an_image_and_that_says_where_it_is_coarse()
-> Result<()> {
    let (_folder, _app, browser) = with_bowl(24).await?;
    browser.click("gather-images").await?;
    browser.until("document.querySelector('[data-test=uvs-told]').innerText.includes('no texture coordinates')").await?;
    browser.click("look-layout").await?;
    browser.until(&format!("/[0-9]+charts?\\./.test({FINDINGS})")).await?;
    browser.find("island-plan").await?;
    // Nothing has changed yet.
    browser.until(&format!("{PART}.uv_sets === 0")).await?;
    browser.click("do-layout").await?;
    browser.until(&format!("{PART}.uv_sets === 1")).await?;
    browser.until("/pixels lie along a/.test(document.querySelector('[data-test=uvs-told]')?.innerText ?? '')").await?;
    browser.choose_row("To", "make its colors an image").await?;
    browser.click("do-image").await?;
    browser.until("speckle.state().images.length === 1").await?;
    browser.find("project-image").await?;
    assert_eq!(browser.eval("speckle.state().images[0].name").await?, "Bowl Color.png");

    // A light bowl of the same shape shows too little of it: where, and what makes it fine enough.
    browser.click("gather-density").await?;
    browser.choose_row("To get", "fewer triangles").await?;
    browser.until(&format!("{FINDINGS}.includes('288triangles,1152untilnow')")).await?;
    browser.click("do-decimate").await?;
    browser.until(&format!("{PART}.triangles === 288")).await?;
    browser.choose_row("To get", "as fine as colors need it").await?;
    browser.until(&format!("{FINDINGS}.includes('Verticeswereoffby')")).await?;
    browser.click("remade-loss").await?;
    browser.find("heat-scale").await?;
    browser.click("remade-after").await?;
    browser.click("do-detail").await?;
    browser.until(&format!("{PART}.triangles > 288")).await?;

    // Each was a step.
    for _ in 0..4 {
        let before = browser.eval("speckle.state().history.revision").await?;
        browser.click("undo").await?;
        browser.until(&format!("speckle.state().history.revision > {before}")).await?;
    }
    browser.until(&format!("{PART}.uv_sets === 0 && {PART}.triangles === 1152")).await?;
    browser.until("speckle.state().images.length === 0").await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

#[tokio::test]
async fn a_sheet_is_laid_over_a_bowl_and_follows_its_colors_live() -> Result<()> {
    let (_folder, _app, browser) = with_bowl(16).await?;
    browser.click("gather-form").await?;
    browser.choose_row("To", "lay a sheet over it").await?;
    browser.until(&format!("{FINDINGS}.includes('triangles,512untilnow')")).await?;
    browser.click("do-drape").await?;
    browser.until("speckle.state().parts.length === 2").await?;
    let sheet = "speckle.state().parts.find((p) => p.name === 'Sheet over Bowl')";
    browser.until(&format!("{sheet}.sets.length === 1 && {sheet}.uv_sets === 1")).await?;
    // Its color follows the bowl's from now on.
    browser.until("[...speckle.stage.surfaces.values()].every((s) => s.ready)").await?;
    let row = "//*[@data-test='part']//button[.='Sheet over Bowl']";
    browser.click_at(fantoccini::Locator::XPath(row)).await?;
    browser.until(&format!("speckle.state().part === {sheet}.id")).await?;
    // What it has of its own would stay as hand paint over it.
    browser.edit(cleared(sheet)).await?;
    browser.click("area-bake").await?;
    browser.click("family-given").await?;
    browser.click("source-from_part").await?;
    let recipe = format!("{sheet}.sets[0].recipes[0]");
    browser.until(&format!("{recipe}?.steps[0].source.kind === 'from_part' && {recipe}.steps[0].source.part === 'Bowl'")).await?;
    browser.until("speckle.state().recipes.every((r) => r.status === 'fresh')").await?;
    let held =
        format!("speckle.stage.surfaces.get({sheet}.id).values.get({sheet}.sets[0].id).bytes");
    let reds = format!("new Set([...{held}].filter((_, i) => i % 4 === 0)).size");
    browser.until(&format!("{reds} > 20")).await?;
    // The bowl painted over is one red, and so is the sheet.
    browser.edit(cleared(PART)).await?;
    browser.until(&format!("{reds} === 1")).await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// Clears all channels of a part's first set.
fn cleared(part: &str) -> String {
    format!(
        "{{ type: 'clear_channels', part: {part}.id, set: {part}.sets[0].id, channels: [true, true, true, true] }}"
    )
}
