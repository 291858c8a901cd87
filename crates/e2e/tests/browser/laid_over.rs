//! A file laid over a part in the browser, and numbers that were taken for the wrong unit.

use std::{fs, path::PathBuf};

use anyhow::Result;
use speckle_e2e::{App, Browser};

/// A strip of quads in PLY (Turk 1994), 0.4 long, with a grey at each vertex.
fn quay(folder: &tempfile::TempDir, name: &str, quads: usize, grey: u8) -> Result<PathBuf> {
    let at = |i: usize| 0.4 * i as f64 / quads as f64;
    let rows = |y: f64| -> String {
        (0..=quads).map(|i| format!("{} {y} 0 {grey} {grey} {grey}\n", at(i))).collect()
    };
    let face = |i: usize| format!("4 {i} {} {} {}\n", i + 1, quads + 2 + i, quads + 1 + i);
    let faces: String = (0..quads).map(face).collect();
    let path = folder.path().join(name);
    let text = format!(
        "ply\nformat ascii 1.0\nelement vertex {}\nproperty float x\nproperty float y\nproperty float z\n\
         property uchar red\nproperty uchar green\nproperty uchar blue\nelement face {quads}\n\
         property list uchar int vertex_indices\nend_header\n{}{}{faces}",
        2 * (quads + 1),
        rows(0.0),
        rows(0.1),
    );
    fs::write(&path, text)?;
    Ok(path)
}

const GREYS: &str = "[...new Uint8Array([...speckle.stage.surfaces.values()][0].values.get(speckle.state().parts[0].sets[0].id).bytes.buffer)].filter((_, i) => i % 4 === 0).join()";

async fn greys(browser: &Browser, wanted: &[u8]) -> Result<()> {
    let wanted = wanted.iter().map(u8::to_string).collect::<Vec<_>>().join(",");
    browser.until(&format!("{GREYS} === '{wanted}'")).await
}

async fn text(browser: &Browser, mark: &str) -> Result<String> {
    browser.find(mark).await?;
    // As the page has it: a dialog may still be fading in.
    let said =
        browser.eval(&format!("document.querySelector('[data-test={mark}]').innerText")).await?;
    Ok(said.as_str().unwrap_or_default().to_owned())
}

#[tokio::test]
async fn a_file_gives_a_part_other_colors_or_another_shape_and_undo_takes_it_back() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.client.goto(&app.address).await?;
    browser.bring_in(&[&quay(&folder, "quay.ply", 2, 100)?]).await?;
    browser.loaded().await?;

    // The unit was a guess, with its reason, and can be put right where it is told.
    let reading = text(&browser, "reading").await?;
    assert!(reading.contains("A guess.") && reading.contains("0.400 long"), "{reading}");
    browser.choose_row("The file was in", "centimetres").await?;
    browser.until("speckle.state().traits.unit === 'centimetre'").await?;
    browser
        .until("document.querySelector('[data-test=reading]').innerText.includes('as you say')")
        .await?;

    browser.click("part-more").await?;
    browser.choose_entry("Replace its colors").await?;
    let file = quay(&folder, "darker.ply", 2, 30)?;
    browser.choose_file("replacement-file", &file).await?;
    let seen = text(&browser, "replacement").await?;
    assert!(seen.contains("order, corner by corner: every point lies where it lay"), "{seen}");
    assert!(seen.contains("Color: 6 of 6 change"), "{seen}");
    assert!(seen.contains("does not say which project"), "{seen}");
    // In another unit it would lie elsewhere, and that is seen before.
    browser.choose("One step of its numbers is a", "Metres").await?;
    browser
        .until("document.querySelector('[data-test=replacement]').innerText.includes('at most 40')")
        .await?;
    browser.choose("One step of its numbers is a", "Centimetres").await?;
    browser.until("document.querySelector('[data-test=replacement]').innerText.includes('every point lies where it lay')").await?;
    greys(&browser, &[100; 6]).await?;
    browser.until("!document.querySelector('[data-test=replace-now]').disabled").await?;
    browser.click("replace-now").await?;
    greys(&browser, &[30; 6]).await?;
    browser.click("undo").await?;
    greys(&browser, &[100; 6]).await?;

    // A finer mesh takes the place of this one, with what is painted on it.
    browser.until("document.querySelector('[role=dialog]') === null").await?;
    browser.click("part-more").await?;
    browser.choose_entry("Replace its shape").await?;
    let finer = quay(&folder, "finer.ply", 4, 255)?;
    browser.choose_file("replacement-file", &finer).await?;
    browser.until("document.querySelector('[data-test=replacement]')?.innerText.includes('2 faces become 4')").await?;
    browser.until("document.querySelector('[data-test=replacement]').innerText.includes('place, each to the nearest')").await?;
    browser.choose("Matched by", "order, corner by corner").await?;
    let trouble = text(&browser, "replace-trouble").await?;
    assert!(trouble.contains("match by the nearest surface"), "{trouble}");
    browser.choose("Matched by", "place, the nearest surface").await?;
    browser.until("!document.querySelector('[data-test=replace-now]').disabled").await?;
    browser.click("replace-now").await?;
    browser.until("speckle.state().parts[0].faces === 4").await?;
    greys(&browser, &[100; 10]).await?;
    browser.click("undo").await?;
    browser.until("speckle.state().parts[0].faces === 2").await?;
    greys(&browser, &[100; 6]).await?;

    // No mesh at all: told, and nothing has happened.
    browser.until("document.querySelector('[role=dialog]') === null").await?;
    browser.click("part-more").await?;
    browser.choose_entry("Replace its shape").await?;
    let nonsense = folder.path().join("nonsense.ply");
    fs::write(&nonsense, "no mesh")?;
    browser.choose_file("replacement-file", &nonsense).await?;
    browser.find("replace-trouble").await?;
    // Read as the page has it: the dialog may still be fading in.
    let said =
        browser.eval("document.querySelector('[data-test=replace-trouble]').innerText").await?;
    assert!(said.as_str().is_some_and(|text| text.contains("nonsense.ply")), "{said}");
    browser.click_text("button", "Cancel").await?;
    browser.until("document.querySelector('[role=dialog]') === null").await?;
    assert_eq!(browser.complaints_beside_refusals().await?, Vec::<String>::new());
    browser.close().await
}
