//! Two windows on one project, and files that come with others.

use std::fs;

use anyhow::Result;
use speckle_e2e::{App, Browser};

const SUM: &str = "(() => { const part = speckle.state().parts[0]; const bytes = speckle.stage.surfaces.get(part.id).values.get(part.sets[0].id).bytes; let sum = 0; for (let i = 0; i < bytes.length; i++) sum = (sum * 31 + bytes[i]) % 1000000007; return sum; })()";

#[tokio::test]
async fn two_windows_see_each_others_strokes_and_whose_an_undo_is() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let (one, two) = (Browser::start().await?, Browser::start().await?);
    one.open_bollard(&app).await?;
    let address = one.client.current_url().await?;
    two.client.goto(address.as_str()).await?;
    two.loaded().await?;
    one.until("document.querySelector('[data-test=hands]')?.innerText.startsWith('with ')").await?;

    let ground = two.eval(SUM).await?;
    one.stroke(&[(470.0, 240.0), (560.0, 250.0)]).await?;
    let painted = one.eval(SUM).await?;
    assert_ne!(painted, ground);
    two.until(&format!("{SUM} === {painted}")).await?;
    // The one who painted reads "Undo skin stroke on Coat"; the other one reads by whom.
    one.until(
        "document.querySelector('[data-test=undo]').innerText === 'Undo skin stroke on Coat'",
    )
    .await?;
    two.until("/^Undo skin stroke on Coat by [A-Z][a-z]+$/.test(document.querySelector('[data-test=undo]').innerText)").await?;
    // Undo is the project's: the other one takes it back, for both.
    two.click("undo").await?;
    one.until(&format!("{SUM} === {ground}")).await?;

    // A new name and a new part reach the other window, and so does the end.
    two.click("area-gather").await?;
    two.click("part-more").await?;
    two.choose_entry("Duplicate").await?;
    one.until("speckle.stage.surfaces.size === 2").await?;
    two.click("to-shelf").await?;
    two.click("more").await?;
    two.choose_entry("Delete").await?;
    two.click("delete").await?;
    one.until("document.querySelector('[data-test=gone]')?.innerText.includes('was deleted')")
        .await?;
    one.close().await?;
    two.close().await
}

#[tokio::test]
async fn a_file_with_materials_groups_and_faults_comes_in_with_a_report_that_shows_them()
-> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.client.goto(&app.address).await?;
    browser.find("piece-bollard").await?;
    let model = folder.path().join("crate.obj");
    let materials = folder.path().join("crate.mtl");
    fs::write(
        &model,
        "mtllib crate.mtl\no crate\nv 0 0 0\nv 10 0 0\nv 10 10 0\nv 0 10 0\nv 5 5 9\n\
         g floor\nusemtl pine\nf 1 2 3 4\nf 3 4 1 2\nf 1 1 2\ng roof\nusemtl rust\nf 1 2 5\nf 2 3 5\n",
    )?;
    fs::write(&materials, "newmtl pine\nKd 0.8 0.6 0.4\nnewmtl rust\nKd 0.5 0.2 0.1\n")?;
    browser.bring_in(&[&model, &materials]).await?;
    let report = browser.find("report").await?;
    browser.until("speckle.state().parts.map((p) => p.name).join() === 'floor,roof'").await?;
    let text = report.text().await?;
    for words in ["stood there twice", "three different corners", "Material"] {
        assert!(text.contains(words), "{text}");
    }
    // Show: the places are marked on the model.
    browser.click("show-places").await?;
    browser.until("speckle.stage.marks.places.visible && speckle.stage.marks.places.geometry.getAttribute('position').count === 1").await?;
    // The material's color is on the faces, exactly.
    let face = "speckle.stage.surfaces.get(speckle.state().parts[1].id).values.get(speckle.state().parts[1].sets[0].id).bytes.slice(0, 3).join()";
    assert_eq!(browser.eval(face).await?, "128,51,26");
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}
