//! Takes the pictures of `docs/screenshots`, from the demo data: `cargo xtask screenshots`.

use std::{fs, path::Path};

use anyhow::Result;
use fantoccini::{
    Locator,
    actions::{InputSource, MOUSE_BUTTON_LEFT, MouseActions, PointerAction},
};
use speckle_e2e::{App, Browser, binary};
use std::time::Duration;

async fn drag(browser: &Browser, points: &[(i64, i64)]) -> Result<()> {
    let to = |&(x, y): &(i64, i64)| PointerAction::MoveTo {
        duration: Some(Duration::from_millis(120)),
        x,
        y,
    };
    let mut actions = MouseActions::new("hand".to_owned())
        .then(to(&points[0]))
        .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT });
    for point in &points[1..] {
        actions = actions.then(to(point));
    }
    browser
        .client
        .perform_actions(actions.then(PointerAction::Up { button: MOUSE_BUTTON_LEFT }))
        .await?;
    browser.until("speckle.state().unsaved === 0").await
}

async fn paint(browser: &Browser, hex: &str) -> Result<()> {
    browser.click("paint").await?;
    let field = browser.find("hex").await?;
    field.click().await?;
    field.send_keys("\u{e009}a\u{e000}").await?;
    field.send_keys(hex).await?;
    field.send_keys("\u{e007}").await?;
    tokio::time::sleep(Duration::from_millis(100)).await;
    browser.client.active_element().await?.send_keys("\u{e00c}").await?;
    tokio::time::sleep(Duration::from_millis(400)).await;
    Ok(())
}

#[tokio::test]
#[ignore = "writes pictures; run by cargo xtask screenshots"]
async fn pictures() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let goal = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/screenshots");
    let app = App::start(&folder.path().join("toys.sqlite"))?;
    let browser = Browser::start().await?;
    browser.client.goto(&app.address).await?;
    browser.find("piece-bollard").await?;
    tokio::time::sleep(Duration::from_millis(300)).await;
    fs::write(goal.join("shelf.png"), browser.client.screenshot().await?)?;

    browser.click("piece-bollard").await?;
    browser
        .until("window.speckle?.state().connected === true && speckle.stage.surfaces.size === 1")
        .await?;
    // Bands around the neck and the head, rust in the foot, the way a hand would lay them.
    let across = |y: i64, sag: i64| -> Vec<(i64, i64)> {
        (0..=12).map(|i| (150 + i * 52, y + sag * (36 - (i - 6) * (i - 6)) / 36)).collect()
    };
    let brush = |radius: f32, hardness: f32, opacity: f32| {
        format!(
            "(document.activeElement?.blur(), speckle.stage.redraw(), speckle.brush({radius}, {hardness}, {opacity}), true)"
        )
    };
    paint(&browser, "#1F4C51").await?;
    browser.eval(&brush(17.0, 0.85, 1.0)).await?;
    for y in [160, 190, 220] {
        drag(&browser, &across(y, 40)).await?;
    }
    paint(&browser, "#C43921").await?;
    browser.eval(&brush(20.0, 0.8, 1.0)).await?;
    drag(&browser, &across(352, 34)).await?;
    paint(&browser, "#C99B52").await?;
    browser.eval(&brush(12.0, 0.1, 0.75)).await?;
    drag(&browser, &across(440, 60)).await?;
    browser.eval(&brush(16.0, 0.5, 1.0)).await?;
    let hover = MouseActions::new("hand".to_owned())
        .then(PointerAction::MoveTo { duration: Some(Duration::from_millis(50)), x: 520, y: 300 })
        .then(PointerAction::MoveTo { duration: Some(Duration::from_millis(50)), x: 470, y: 300 });
    browser.client.perform_actions(hover).await?;
    browser.until("speckle.state().covered > 0").await?;
    tokio::time::sleep(Duration::from_millis(400)).await;
    fs::write(goal.join("paint.png"), browser.client.screenshot().await?)?;

    browser.click("area-deliver").await?;
    browser.click("export").await?;
    browser.find("exported").await?;
    tokio::time::sleep(Duration::from_millis(300)).await;
    fs::write(goal.join("deliver.png"), browser.client.screenshot().await?)?;

    let input = folder.path().join("quay-lamp.ply");
    let made = folder.path().join("lamp.glb");
    fs::copy(browser.downloads.join("Mooring bollard.glb"), &made)?;
    let convert = std::process::Command::new(binary()?)
        .args(["convert"])
        .arg(&made)
        .arg(&input)
        .args(["--ply-body", "ascii"])
        .status()?;
    assert!(convert.success());
    // What real files bring along: a property nobody knows, a face that is none.
    let text = fs::read_to_string(&input)?;
    let faces = text
        .lines()
        .find_map(|line| line.strip_prefix("element face "))
        .unwrap_or("0")
        .parse::<usize>()?;
    let text =
        text.replace(&format!("element face {faces}"), &format!("element face {}", faces + 2));
    fs::write(&input, text + "3 1 1 2\n3 7 9 7\n")?;
    browser.click("to-shelf").await?;
    browser.find("piece-bollard").await?;
    let field = browser.client.find(Locator::Css("[data-test=file]")).await?;
    field.send_keys(&input.to_string_lossy()).await?;
    browser.find("report").await?;
    browser.until("speckle.stage.surfaces.size === 1").await?;
    tokio::time::sleep(Duration::from_millis(500)).await;
    fs::write(goal.join("import-report.png"), browser.client.screenshot().await?)?;
    let complaints = browser.complaints().await?;
    browser.close().await?;
    assert!(complaints.is_empty(), "{complaints:?}");
    Ok(())
}
