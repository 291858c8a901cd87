//! The shelf: projects made, named, copied, found, sent away as files and back, deleted.

use std::{fs, time::Instant};

use anyhow::{Context, Result};
use fantoccini::Locator;
use serde_json::Value;
use speckle_e2e::{App, Browser, PATIENCE, fetch};

fn names(app: &App) -> Result<Vec<String>> {
    let shelf: Value = serde_json::from_slice(&fetch(&app.address, "/api/v1/projects")?)?;
    let projects = shelf["projects"].as_array().context("a list")?;
    Ok(projects.iter().filter_map(|p| p["name"].as_str()).map(str::to_owned).collect())
}

/// Opens the menu of the first card and chooses an entry.
async fn of_first_card(browser: &Browser, entry: &str) -> Result<()> {
    browser.click("more").await?;
    browser.choose_entry(entry).await?;
    browser.until("document.querySelector('[role=menu]') === null").await
}

async fn name_it(browser: &Browser, name: &str) -> Result<()> {
    let field = browser.find("name").await?;
    field.send_keys(&format!("\u{e009}a\u{e000}{name}\u{e007}")).await?;
    browser.until("document.querySelector('[data-test=name]') === null").await
}

#[tokio::test]
async fn projects_are_named_copied_found_sent_away_and_deleted() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.open_piece(&app, "drifter").await?;
    let [x, y] = browser.spot_on(0).await?;
    browser.stroke(&[(x, y), (x + 8.0, y)]).await?;
    browser.click("to-shelf").await?;

    of_first_card(&browser, "Rename").await?;
    name_it(&browser, "Blue drifter").await?;
    browser.until("document.body.innerText.includes('Renamed to Blue drifter')").await?;
    of_first_card(&browser, "Duplicate").await?;
    browser.until("document.querySelectorAll('[data-test=card]').length === 2").await?;
    assert_eq!(names(&app)?, ["Blue drifter copy", "Blue drifter"]);
    // Each card has its picture, and the shelf tells the room it all takes.
    browser.until("[...document.images].every((i) => i.complete && i.naturalWidth > 0)").await?;
    browser
        .until(
            "/2 projects in [\\d.]+ [kM]B/.test(document.querySelector('[data-test=disk]').innerText)",
        )
        .await?;

    browser.click("more").await?;
    browser.click_text("a", "Export").await?;
    browser.until("document.querySelector('[role=menu]') === null").await?;
    let file = browser.downloads.join("Blue drifter copy.speckle");
    let begun = Instant::now();
    while !file.exists() && begun.elapsed() < PATIENCE {
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    of_first_card(&browser, "Delete").await?;
    browser.click("delete").await?;
    browser.until("document.querySelectorAll('[data-test=card]').length === 1").await?;

    // Back from its file it opens by itself, with the stroke in its history.
    let picker = browser.client.find(Locator::Css("[data-test=file]")).await?;
    picker.send_keys(&file.to_string_lossy()).await?;
    browser.loaded().await?;
    browser.until("speckle.state().history.undo?.label === 'Skin stroke on Paint'").await?;
    assert_eq!(names(&app)?, ["Blue drifter copy", "Blue drifter"]);
    // What is none of ours says so.
    browser.click("to-shelf").await?;
    let odd = folder.path().join("odd.speckle");
    fs::write(&odd, "nothing of the kind")?;
    picker_of(&browser).await?.send_keys(&odd.to_string_lossy()).await?;
    browser
        .until(
            "document.querySelector('[data-test=trouble]')?.innerText.includes('no project file')",
        )
        .await?;
    browser
        .client
        .find(Locator::XPath("//div[@data-test='trouble']//button"))
        .await?
        .click()
        .await?;

    // A search comes with the fifth project.
    browser.until("document.querySelector('[data-test=trouble]') === null").await?;
    for name in ["Pier", "Crane", "Buoy"] {
        browser.click("new-project").await?;
        name_it(&browser, name).await?;
        browser.until("speckle.state().connected === true").await?;
        browser.until("document.body.innerText.includes('Drop a mesh file here')").await?;
        browser.click("to-shelf").await?;
        browser.find("card").await?;
    }
    browser.find("search").await?.send_keys("bu").await?;
    browser.until("document.querySelectorAll('[data-test=card]').length === 1").await?;
    assert_eq!(browser.complaints_beside_refusals().await?, Vec::<String>::new());
    browser.close().await
}

async fn picker_of(browser: &Browser) -> Result<fantoccini::elements::Element> {
    Ok(browser.client.find(Locator::Css("[data-test=file]")).await?)
}

/// A scene in binary files, chosen all at once, or as one package: composed, and what is left out is
/// told.
#[tokio::test]
async fn a_binary_scene_comes_in_with_what_it_refers_to() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.client.goto(&app.address).await?;
    browser
        .until("['.usd', '.usdc', '.usdz'].every((end) => document.querySelector('[data-test=file]')?.accept.includes(end))")
        .await?;
    let reference = concat!(env!("CARGO_MANIFEST_DIR"), "/../formats/tests/reference");
    let reference = fs::canonicalize(reference)?;
    let file = |name: &str| reference.join(name);
    let files = ["usd_scene.usdc", "usd_scene_parts.usda", "usd_scene_base.usda"].map(file);
    browser.bring_in(&[&files[0], &files[1], &files[2]]).await?;
    browser.loaded().await?;
    browser.until("document.body.innerText.includes('Hidden is hidden there')").await?;
    assert!(browser.eval("speckle.state().parts.length").await?.as_u64().context("parts")? >= 12);
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// A bit of a file turns over on the disk: what is sound of the project is opened, and what was done
/// about the rest stays on the page until it is put away.
#[tokio::test]
async fn a_damaged_project_opens_as_far_as_it_is_sound_and_says_so() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let data = folder.path().join("toys");
    let app = App::start(&data)?;
    let browser = Browser::start().await?;
    browser.open_bollard(&app).await?;
    let part = browser.eval("speckle.state().parts[0].id").await?;
    let project = browser.eval("Number(location.hash.split('/').pop())").await?;
    for name in ["Bollard of oak", "Bollard of iron"] {
        let edit = serde_json::json!({ "type": "rename_part", "part": part, "name": name });
        browser.edit(edit).await?;
    }
    browser.close().await?;
    drop(app);

    let file = data.join(format!("{project}.speckle"));
    let database = rusqlite::Connection::open(&file)?;
    // The last row, and the state that was written when all was quiet, if it was.
    let last = "WHERE seq = (SELECT max(seq) FROM journal)";
    for (table, column, place) in [("journal", "change", last), ("checkpoint", "data", "")] {
        let query = format!("SELECT {column} FROM {table} {place}");
        let blob = database.query_row(&query, [], |row| row.get::<_, Vec<u8>>(0));
        let Ok(mut blob) = blob else { continue };
        let middle = blob.len() / 2;
        blob[middle] ^= 0x10;
        database.execute(&format!("UPDATE {table} SET {column} = ?1 {place}"), [blob])?;
    }
    let _ = fs::remove_dir_all(data.join("backups"));
    drop(database);

    let app = App::start(&data)?;
    let browser = Browser::start().await?;
    browser.client.goto(&app.address).await?;
    browser.click("project").await?;
    browser.loaded().await?;
    let said = browser.find("notice").await?.text().await?;
    assert!(said.contains("was damaged") && said.contains("the 1 after it"), "{said}");
    assert_eq!(browser.eval("speckle.state().parts[0].name").await?, "Bollard of oak");
    // It stays, whatever is done meanwhile, until it is put away.
    browser.click("undo").await?;
    browser.until("speckle.state().parts[0].name === 'Bollard'").await?;
    assert_eq!(browser.find("notice").await?.text().await?, said);
    // Away from the button, whose tip would lie over it.
    browser.hover(500.0, 400.0).await?;
    browser.click_at(Locator::Css("[data-test=notice] button")).await?;
    browser.until("document.querySelector('[data-test=notice]') === null").await?;
    browser.close().await
}
