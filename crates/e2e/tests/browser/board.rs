//! The channel board in full: locks, meanings, channels alone, conversions; and pours by click.

use std::fs;

use anyhow::Result;
use fantoccini::Locator;
use speckle_e2e::{App, Browser};

/// A cube of six sides of four corners each.
const CUBE: &str = "o Crate\nv 0 0 0\nv 1 0 0\nv 0 1 0\nv 1 1 0\nv 0 0 1\nv 1 0 1\nv 0 1 1\nv 1 1 1\n\
f 1 3 4 2\nf 5 6 8 7\nf 1 2 6 5\nf 3 7 8 4\nf 1 5 7 3\nf 2 4 8 6\n";

/// The app with a cube in it that carries a white set per corner.
async fn cube() -> Result<(tempfile::TempDir, App, Browser)> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let file = folder.path().join("crate.obj");
    fs::write(&file, CUBE)?;
    let browser = Browser::start().await?;
    browser.client.goto(&app.address).await?;
    browser.bring_in(&[&file]).await?;
    browser.until("window.speckle?.stage.surfaces.size === 1 && [...speckle.stage.surfaces.values()].every((s) => s.ready)").await?;
    browser.click_text("button", "Paint").await?;
    browser.click_text("button", "Add a set").await?;
    // A new color set starts per corner, where sharp borders are possible.
    browser.click_text("button[ancestor::div[@role='dialog']]", "Add").await?;
    browser.until("speckle.state().parts[0].sets[0]?.placement === 'corner' && document.querySelector('[role=dialog]') === null").await?;
    browser.until("speckle.stage.surfaces.values().next().value.values.size === 1").await?;
    browser.choose_look("Coat").await?;
    Ok((folder, app, browser))
}

async fn undone(browser: &Browser) -> Result<()> {
    let before = browser.eval("speckle.state().history.revision").await?;
    browser.click("undo").await?;
    browser.until(&format!("speckle.state().history.revision > {before}")).await
}

#[tokio::test]
async fn a_side_is_poured_by_a_click_and_a_conversion_tells_what_it_loses() -> Result<()> {
    let (_folder, app, browser) = cube().await?;
    browser.press("!").await?;
    browser.choose_flat().await?;
    browser.paint_with("#FF0000").await?;
    browser.click("tool-pour").await?;
    // All bends of a cube are right angles: the angle it suggests stops at them.
    let [x, y] = browser.spot_on(0).await?;
    browser.hover(x + 60.0, y + 60.0).await?;
    browser.until("document.querySelector('[data-test=pour-covers]').innerText.includes('covers 4 corners')").await?;
    assert_eq!(browser.held("Coat").await?, [[255; 4]; 24]);
    browser.stroke(&[(x + 60.0, y + 60.0)]).await?;
    browser.until("speckle.state().history.undo?.label === 'Crease pour on Coat'").await?;
    let poured = browser.held("Coat").await?;
    assert_eq!(poured.iter().filter(|v| **v == [255, 0, 0, 255]).count(), 4);
    // A drag from the model turns it and pours nothing.
    browser.stroke(&[(x + 60.0, y + 60.0), (x + 90.0, y + 60.0)]).await?;
    assert_eq!(browser.held("Coat").await?, poured);
    browser.press("!").await?;

    // R alone is white on that side, G black; the chip says so, and the look stays as chosen.
    for (channel, level) in [("R", 255_u8), ("G", 0)] {
        browser.choose_from_menu(&format!("More about {channel} of Coat"), "Show it alone").await?;
        browser.until(&format!("document.querySelector('[data-test=look]').innerText.includes('{channel} alone in grey')")).await?;
        browser.hover(1100.0, 700.0).await?;
        let picture = image::load_from_memory(&browser.client.screenshot().await?)?.to_rgba8();
        let [r, g, b, _] = picture.get_pixel((x + 60.0) as u32, (y + 60.0) as u32).0;
        assert!(r.abs_diff(level) <= 2 && (g, b) == (r, r), "{channel}: {r} {g} {b}");
    }
    browser.choose_look("as a color").await?;

    // At each of its four points one red corner meets two white ones: all twelve corners change.
    // White mixed with a third of red has two thirds of the green light, which is 213 as sRGB
    // (IEC 61966-2-1): the red corners' green rises by that.
    browser.choose_from_menu("More about Coat", "Hold it per vertex").await?;
    browser.until("document.querySelector('[data-test=loss]')?.innerText === '12 of 24 corners change, by up to 213 of 255.'").await?;
    browser.click_text("button", "Hold it per vertex").await?;
    browser.until("speckle.state().parts[0].sets[0].placement === 'vertex'").await?;
    let by_vertex = browser.held("Coat").await?;
    assert_eq!(by_vertex.iter().filter(|v| **v == [255, 213, 213, 255]).count(), 4);
    assert_eq!(by_vertex.iter().filter(|v| **v == [255; 4]).count(), 4);
    undone(&browser).await?;
    browser.until("speckle.state().parts[0].sets[0].placement === 'corner'").await?;
    assert_eq!(browser.held("Coat").await?, poured);
    // To faces nothing is lost, and that is said.
    browser.choose_from_menu("More about Coat", "Hold it per face").await?;
    browser
        .until("document.querySelector('[data-test=loss]')?.innerText === 'nothing is lost.'")
        .await?;
    browser.click_text("button", "Cancel").await?;
    browser.until("document.querySelector('[role=dialog]') === null").await?;

    // By keys: everything, erased.
    browser.press("I").await?;
    browser.until("speckle.state().pour.kind === 'piece'").await?;
    browser.press("e").await?;
    browser.stroke(&[(x + 60.0, y + 60.0)]).await?;
    browser.until("speckle.state().history.undo?.label === 'Piece pour (erase) on Coat'").await?;
    assert_eq!(browser.held("Coat").await?, [[255; 4]; 24]);
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    drop(app);
    browser.close().await
}

#[tokio::test]
async fn locked_channels_stay_and_meanings_are_written_down() -> Result<()> {
    let (_folder, _app, browser) = cube().await?;
    browser.press("!").await?;
    browser.choose_from_menu("More about G of Coat", "Say what it holds").await?;
    browser.find("meaning").await?.send_keys("edge wear").await?;
    browser.find("low").await?.send_keys("new").await?;
    browser.find("high").await?.send_keys("worn").await?;
    browser.click_text("button", "Write it down").await?;
    browser.until("speckle.state().parts[0].sets[0].channels[1].high === 'worn' && document.querySelector('[role=dialog]') === null").await?;
    browser.choose_from_menu("More about G of Coat", "Lock").await?;
    browser.until("document.querySelectorAll('[data-test=locked]').length === 1").await?;
    assert_eq!(
        browser.eval("speckle.state().history.undo.label").await?,
        "Lock G edge wear of Coat"
    );

    let [x, y] = browser.spot_on(0).await?;
    browser.paint_with("#000000").await?;
    browser.eval("speckle.brush(3, 1, 1)").await?;
    browser
        .until(
            "document.querySelector('[data-test=target]').innerText.includes('locked ones stay')",
        )
        .await?;
    browser.stroke(&[(x + 60.0, y + 60.0), (x + 70.0, y + 60.0)]).await?;
    let painted = browser.held("Coat").await?;
    assert!(painted.iter().any(|v| [v[0], v[2]] == [0, 0]));
    assert!(
        painted.iter().all(|v| [v[1], v[3]] == [255, 255]),
        "green is locked, alpha not chosen"
    );

    // With nothing but the locked one chosen, the stage says so beforehand, and the tool after.
    for cell in ["R", "B"] {
        let label = format!("button[@aria-label='Paint {cell} of Coat']");
        browser.click_text(&label, "").await?;
    }
    browser.until("document.querySelector('[data-test=target]').innerText.includes('locked: unlock it on the board')").await?;
    browser.stroke(&[(x + 60.0, y + 60.0)]).await?;
    browser.until("speckle.state().said?.text.includes('G edge wear of Coat is locked')").await?;
    assert_eq!(browser.held("Coat").await?, painted);

    // Another channel comes in, inverted: where red is 0, blue becomes 1.
    browser.choose_from_menu("More about B of Coat", "Bring another channel in").await?;
    browser.click_text("label", "Inverted first").await?;
    browser.click_text("button", "Bring it in").await?;
    browser.until("document.querySelector('[role=dialog]') === null").await?;
    browser
        .until("speckle.state().history.undo.label === 'Copy R of Coat, inverted, into B of Coat'")
        .await?;
    assert!(browser.held("Coat").await?.iter().all(|v| v[2] == 255 - v[0]));
    browser.choose_from_menu("More about R of Coat", "Make a grey set of it").await?;
    browser.until("speckle.state().parts[0].sets[1]?.name === 'Coat R'").await?;
    browser.until("speckle.stage.surfaces.values().next().value.values.size === 2").await?;
    assert!(
        browser.held("Coat R").await?.iter().all(|v| v[0] == v[1] && v[1] == v[2] && v[3] == 255)
    );
    // The set to read first is the upper one; the other moves up.
    browser.choose_from_menu("More about Coat R", "Move up").await?;
    browser.until("speckle.state().parts[0].sets[0].name === 'Coat R'").await?;
    assert_eq!(
        browser.eval("speckle.state().target === speckle.state().parts[0].sets[1].id").await?,
        true
    );
    browser.close().await
}

#[tokio::test]
async fn parts_that_lack_a_set_are_named_and_made_to_agree() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.open_piece(&app, "drifter").await?;
    assert_eq!(
        browser.eval("document.querySelector('[data-test=agree]')").await?,
        serde_json::Value::Null
    );
    browser.choose_from_menu("More about Paint", "Duplicate").await?;
    browser.until("document.querySelector('[data-test=agree]')?.innerText.startsWith('3 parts lack sets')").await?;
    browser.click("agree").await?;
    browser.until("speckle.state().parts.every((part) => part.sets.length === 3) && document.querySelector('[data-test=agree]') === null").await?;
    assert_eq!(browser.eval("speckle.state().history.undo.label").await?, "Make the parts agree");
    browser.choose_from_menu("More about Paint copy", "Rename").await?;
    browser.find("name").await?.send_keys("\u{e009}a\u{e000}Wear\u{e007}").await?;
    browser.until("speckle.state().parts[0].sets.some((set) => set.name === 'Wear')").await?;
    browser.choose_from_menu("More about Wear", "Delete").await?;
    browser.until("speckle.state().parts[0].sets.length === 2").await?;
    undone(&browser).await?;
    browser.until("speckle.state().parts[0].sets.some((set) => set.name === 'Wear')").await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

#[tokio::test]
async fn a_fast_facet_stroke_paints_whole_faces_one_beside_the_other() -> Result<()> {
    let (_folder, _app, browser) = cube().await?;
    // Onto the edge between three sides, so that a quick drag crosses two of them.
    browser.eval("(speckle.stage.eye.controls.object.position.set(4, 1.1, 2.5), speckle.stage.eye.controls.update(), speckle.stage.redraw(), true)").await?;
    browser.press("t").await?;
    browser
        .until("document.querySelector('[data-test=target]').innerText.startsWith('Facet stroke')")
        .await?;
    browser.paint_with("#0000FF").await?;
    let [x, y] = browser.spot_on(0).await?;
    let end = |step: i32| {
        format!(
            "(() => {{ let x = {x}; while (speckle.stage.under(x + {step}, {y} + 40)) x += {step}; return x; }})()"
        )
    };
    let left = browser.eval(&end(-4)).await?.as_f64().unwrap_or_default();
    let right = browser.eval(&end(4)).await?.as_f64().unwrap_or_default();
    browser.stroke(&[(left, y + 40.0), (right, y + 40.0)]).await?;
    browser.until("speckle.state().history.undo?.label === 'Facet stroke on Coat'").await?;
    let held = browser.held("Coat").await?;
    let blue: Vec<bool> =
        held.chunks(4).map(|side| side.iter().all(|v| *v == [0, 0, 255, 255])).collect();
    assert_eq!(blue.iter().filter(|is| **is).count(), 2, "{held:?}");
    assert_eq!(held.iter().filter(|v| **v == [0, 0, 255, 255]).count(), 8, "whole faces only");
    // Erased by the corner: one of the eight.
    browser.press("n").await?;
    browser.press("e").await?;
    browser.stroke(&[(x + 2.0, y + 40.0)]).await?;
    browser.until("speckle.state().history.undo?.label === 'Corner erase on Coat'").await?;
    let held = browser.held("Coat").await?;
    assert_eq!(held.iter().filter(|v| **v == [0, 0, 255, 255]).count(), 7);
    browser.close().await
}

/// The set in hand is a card, the others are one line each; borders go where they are dragged, by
/// pointer or keys, and stay there.
#[tokio::test]
async fn the_board_keeps_to_itself_and_borders_stay_where_they_are_put() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.open_piece(&app, "bollard").await?;
    browser.click("area-paint").await?;
    let count = |mark: &str| format!("document.querySelectorAll('[data-test={mark}]').length");
    let [cards, strips] = ["set-card", "set-strip"].map(count);
    browser.until(&format!("{cards} === 1 && {strips} === 1")).await?;
    // Looked into without taking it in hand, and folded again.
    browser.click_at(Locator::Css("[aria-label='Unfold Wear']")).await?;
    browser.until(&format!("{cards} === 2 && {strips} === 0")).await?;
    browser
        .until("document.querySelector('[data-test=target]').innerText.includes('Coat')")
        .await?;
    browser.click_at(Locator::Css("[aria-label='Fold Wear']")).await?;
    browser.until(&format!("{cards} === 1 && {strips} === 1")).await?;
    // One of its channels in hand: it is the card now.
    browser.click_at(Locator::Css("[data-test=set-strip] [aria-label='Paint G of Wear']")).await?;
    browser
        .until("document.querySelector('[data-test=target]').innerText.includes('Wear')")
        .await?;
    browser.until("document.querySelector('[aria-label=\"Unfold Coat\"]') !== null").await?;

    let size = async |id: &str, side: &str| {
        let of = format!("document.getElementById('{id}').getBoundingClientRect().{side}");
        anyhow::Ok(browser.eval(&of).await?.as_f64().unwrap_or(f64::NAN))
    };
    let before = [size("column", "width").await?, size("board", "height").await?];
    let [x, y] = browser.middle_of("[data-test=border-column]").await?;
    browser.stroke(&[(x, y), (x - 60.0, y)]).await?;
    browser
        .until(&format!(
            "document.getElementById('column').getBoundingClientRect().width > {}",
            before[0] + 40.0
        ))
        .await?;
    for (border, key, times) in [("border-board", "\u{E015}", 2), ("border-tray", "\u{E007}", 1)] {
        let border = browser.find(border).await?;
        for _ in 0..times {
            border.send_keys(key).await?;
        }
    }
    let folded = "document.getElementById('tray').getBoundingClientRect().height < 2";
    browser.until(folded).await?;
    let after = [size("column", "width").await?, size("board", "height").await?];
    assert!(after[1] > before[1] + 10.0, "{before:?} {after:?}");
    browser.client.refresh().await?;
    browser.loaded().await?;
    browser.until(folded).await?;
    let again = [size("column", "width").await?, size("board", "height").await?];
    assert!((0..2).all(|i| (again[i] - after[i]).abs() < 2.0), "{after:?} {again:?}");
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}
