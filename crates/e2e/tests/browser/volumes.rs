//! Volumes: placed by a click, seen to come out elsewhere, moved by numbers, and frozen into paint.

use anyhow::Result;
use speckle_e2e::{App, Browser};

use crate::layers::tower;

/// The area of the tower in a swatch of the set that is shown.
fn area(number: u8) -> String {
    format!(
        "(speckle.state().areas[speckle.state().shown]?.find(([own]) => own === {number})?.[1] ?? 0)"
    )
}

/// A tower with a palette of three, looked at from the front, and the page of volumes.
async fn volumes_of_tower(folder: &std::path::Path, app: &App) -> Result<Browser> {
    let file = folder.join("Tower.ply");
    std::fs::write(&file, tower())?;
    let palette = folder.join("quay.txt");
    std::fs::write(&palette, "230 224 209 Chalk\n179 51 42 Tile red\n41 48 58 Slate\n")?;
    let browser = Browser::start().await?;
    browser.client.goto(&app.address).await?;
    browser.bring_in(&[&file]).await?;
    browser.until("window.speckle?.stage.surfaces.size === 1").await?;
    browser.until("[...speckle.stage.surfaces.values()].every((s) => s.ready)").await?;
    browser.click("area-paint").await?;
    browser.click("page-volumes").await?;
    browser.until("document.body.innerText.includes('the palette has none yet')").await?;
    browser.click("page-palette").await?;
    browser.choose_file("palette-file", &palette).await?;
    browser.until("speckle.state().swatches.length === 3").await?;
    browser.click("page-volumes").await?;
    browser.until("document.querySelector('[data-test=place-box]') !== null").await?;
    Ok(browser)
}

#[tokio::test]
async fn a_volume_is_placed_moved_through_and_frozen() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = volumes_of_tower(folder.path(), &app).await?;
    browser.click("place-box").await?;
    browser.until("document.querySelector('[data-test=placing]') !== null").await?;
    let [x, y] = browser.spot_on(0).await?;
    browser.stroke(&[(x, y)]).await?;
    // The tower is painted in swatches from then on, and the new volume is in hand.
    browser.until("speckle.state().volumes.length === 1").await?;
    browser.until("speckle.state().placing === null").await?;
    browser.until("speckle.state().parts[0].sets.some((set) => set.encoding === 'swatch')").await?;
    browser.until("document.querySelector('[data-test=volume-in-hand]') !== null").await?;
    browser.click("volume-in-2").await?;
    browser.until("speckle.state().volumes[0].swatch === 2").await?;
    // Its middle lies on one of the tower's six sides, its y axis along that side's normal.
    let on_a_side = "(() => { const [x, y, z] = speckle.state().volumes[0].transform.translation; \
                     return Math.min(...[x, 20 - x, y, 30 - y, -z, 20 + z].map(Math.abs)) < 1e-3; })()";
    browser.until(on_a_side).await?;
    // As large as the middle storey, by numbers: one of its faces at least is met, and from the other side
    // it comes out elsewhere.
    for (label, number) in [
        ("Place X", "10"),
        ("Place Y", "15"),
        ("Place Z", "-10"),
        ("Turn X", "0"),
        ("Turn Y", "0"),
        ("Turn Z", "0"),
        ("Scale X", "12"),
        ("Scale Y", "5"),
        ("Scale Z", "4"),
    ] {
        browser.type_into_field(label, number).await?;
    }
    browser.until("speckle.state().volumes[0].transform.scale.join() === '12,5,4'").await?;
    // Two walls of 20 × 10 have their middles in it.
    browser.until(&format!("Math.abs({} - 400) < 1e-3", area(2))).await?;
    browser.until("document.querySelector('[data-test=elsewhere]')?.innerText.includes('one other place')").await?;
    let faces = "speckle.state().parts[0].faces";
    let before = browser.eval(faces).await?;
    browser.click("freeze-volume").await?;
    browser.until("speckle.state().volumes.length === 0").await?;
    // Cut along its border: 8 × 10 on either wall.
    browser.until(&format!("Math.abs({} - 160) < 0.5", area(2))).await?;
    assert!(browser.eval(faces).await?.as_u64() > before.as_u64());
    browser.until("speckle.state().parts[0].sets.every((set) => set.recipes.length === 0)").await?;
    // Back, and away with it: as if it had never stood there.
    browser.click("undo").await?;
    browser.until("speckle.state().volumes.length === 1").await?;
    browser.until(&format!("Math.abs({} - 400) < 1e-3", area(2))).await?;
    // By the key, as it is in hand; and by its row, once that is taken back.
    browser.until("document.querySelector('[data-test=volume-in-hand]') !== null").await?;
    browser.press("\u{e017}").await?;
    browser.until("speckle.state().volumes.length === 0").await?;
    browser.click("undo").await?;
    browser.until("speckle.state().volumes.length === 1").await?;
    browser.click_labelled("Take Box 1 away").await?;
    browser.until("speckle.state().volumes.length === 0").await?;
    browser.until(&format!("{} === 0", area(2))).await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

#[tokio::test]
async fn a_volume_is_copied_mirrored_and_set_in_a_ring() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = volumes_of_tower(folder.path(), &app).await?;
    browser.click("place-sphere").await?;
    let [x, y] = browser.spot_on(0).await?;
    browser.stroke(&[(x, y)]).await?;
    browser.until("speckle.state().volumes.length === 1").await?;
    browser.until("document.querySelector('[data-test=volume-in-hand]') !== null").await?;
    for (label, number) in [("Place X", "20"), ("Place Y", "15"), ("Place Z", "-10")] {
        browser.type_into_field(label, number).await?;
    }
    // The middle of the tower is at 10, 15, −10: a mirror along X is on the wall across.
    browser.click("volume-more").await?;
    browser.choose_entry("Mirror along X about the middle of Tower").await?;
    browser.until("speckle.state().volumes.length === 2").await?;
    let places = "JSON.stringify(speckle.state().volumes.map(({ transform }) => transform.translation.map(Math.round)))";
    browser.until(&format!("{places} === '[[20,15,-10],[0,15,-10]]'")).await?;
    browser.click("undo").await?;
    browser.until("speckle.state().volumes.length === 1").await?;
    browser.click_at(fantoccini::Locator::Css("[data-test=volume] button")).await?;
    browser.until("document.querySelector('[data-test=volume-in-hand]') !== null").await?;
    browser.choose_row("More of it", "around Tower").await?;
    browser.click("set-in-row").await?;
    browser
        .until(&format!("{places} === '[[20,15,-10],[10,15,-20],[0,15,-10],[10,15,0]]'"))
        .await?;
    // The upper of two lies over the other.
    browser.click_labelled("Ball 4 further up").await?;
    browser.until("speckle.state().volumes.map(({ name }) => name).join() === 'Ball 1,Ball 2,Ball 4,Ball 3'").await?;
    let radius = browser.eval("speckle.state().volumes[0].transform.scale[0]").await?;
    let discs = 4.0 * std::f64::consts::PI * radius.as_f64().unwrap_or_default().powi(2);
    browser.click("freeze-all").await?;
    browser.until("speckle.state().volumes.length === 0").await?;
    // Four discs, each as large as the ball's section through its middle.
    browser.until(&format!("Math.abs({} / {discs} - 1) < 5e-3", area(1))).await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}
