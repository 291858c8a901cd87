//! Deliver in the browser: a packing list for each recipient, what is lost, the proof, sending again.

use std::path::Path;

use anyhow::{Context, Result};
use fantoccini::Locator;
use serde_json::Value;
use speckle_e2e::{App, Browser};

async fn at_the_bollard(folder: &Path) -> Result<(App, Browser)> {
    let app = App::start(&folder.join("toys"))?;
    let browser = Browser::start().await?;
    browser.open_piece(&app, "bollard").await?;
    browser.click("area-deliver").await?;
    packed(&browser).await?;
    Ok((app, browser))
}

/// Waits until what is in hand is packed.
async fn packed(browser: &Browser) -> Result<()> {
    browser
        .until("document.querySelector('[data-test=goods]') !== null && !document.querySelector('[data-test=export]').disabled")
        .await
}

/// Unfolds the choices of the recipient in hand.
async fn show_how(browser: &Browser) -> Result<()> {
    browser.click("show-how").await?;
    browser.until("document.querySelector('.MuiCollapse-entered [data-test=how]') !== null").await
}

async fn said(browser: &Browser, mark: &str) -> Result<String> {
    let text = browser
        .eval(&format!("document.querySelector('[data-test={mark}]')?.innerText ?? ''"))
        .await?;
    Ok(text.as_str().unwrap_or_default().to_owned())
}

async fn choose(browser: &Browser, name: &str) -> Result<()> {
    browser.unfold(Locator::Css("[data-test=recipient]")).await?;
    browser.choose_entry(name).await?;
    browser.until("document.querySelector('[role=listbox]') === null").await?;
    packed(browser).await
}

#[tokio::test]
async fn every_recipient_is_packed_told_its_losses_and_proved() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let (_app, browser) = at_the_bollard(folder.path()).await?;
    for (name, file, lost, largest) in [
        ("Real-time shader", "Mooring bollard.glb", "", 0.01),
        ("Renderer material", "Mooring bollard.usda", "", 0.01),
        // Every face in its nearest swatch: what is sent is what comes back.
        (
            "Several-spool printer",
            "Mooring bollard.3mf",
            "the set Wear was left out, 3MF has no room",
            0.51,
        ),
        // One set an object: the other is named as lost, and the proof misses it.
        (
            "Full-color printer",
            "Mooring bollard.3mf",
            "the set Wear was left out, 3MF has no room",
            0.51,
        ),
        ("Script or lab", "Mooring bollard.ply", "", 0.0),
        ("Archive", "Mooring bollard.x3d", "the set Wear was left out, X3D has no room", 0.01),
    ] {
        choose(&browser, name).await?;
        let goods = said(&browser, "goods").await?;
        assert!(goods.contains(file) && goods.contains("-channels.md"), "{name}: {goods}");
        let losses = said(&browser, "losses").await?;
        if lost.is_empty() {
            assert!(!losses.contains("left out"), "{name}: {losses}");
        } else {
            assert!(losses.contains(lost), "{name}: {losses}");
        }
        browser.click("prove").await?;
        browser.until("document.querySelector('[data-test=proof]') !== null").await?;
        let rows = browser
            .eval("[...document.querySelectorAll('[data-test=proof] tbody tr')].map((row) => [...row.cells].map((cell) => cell.innerText))")
            .await?;
        let rows: Vec<[String; 3]> = serde_json::from_value(rows)?;
        assert_eq!(rows.len(), 2, "{name}: {rows:?}");
        for [set, most, mean] in &rows {
            if most == "not there" {
                assert!(!lost.is_empty() && set == "Wear", "{name}: {rows:?}");
                continue;
            }
            let (most, mean): (f64, f64) = (most.parse()?, mean.parse()?);
            assert!(most <= largest && mean <= most, "{name}: {rows:?}");
        }
    }
    // Spools: listed with their share; a file for each in STL; smooth color again without.
    choose(&browser, "Several-spool printer").await?;
    let spools = said(&browser, "spools").await?;
    assert!(spools.contains('%') && spools.starts_with('1'), "{spools}");
    assert!(said(&browser, "losses").await?.contains("Every face is printed in"));
    show_how(&browser).await?;
    browser.choose_row("Format", "STL (.stl)").await?;
    browser.until("document.querySelectorAll('[data-test=goods]')[0].innerText.includes('Mooring bollard-1 ')").await?;
    packed(&browser).await?;
    browser.choose_row("Color goes as", "nothing, the shape alone").await?;
    browser.until("document.querySelector('[data-test=spools]') === null").await?;
    browser
        .until(
            "document.querySelector('[data-test=goods]').innerText.includes('Mooring bollard.stl')",
        )
        .await?;
    browser.click("show-how").await?;
    // glTF counts in metres, 3MF in what the project does.
    choose(&browser, "Real-time shader").await?;
    assert!(said(&browser, "goods").await?.contains("Read in m, it is 0.300 × 0.270 × 0.300 m"));
    choose(&browser, "Full-color printer").await?;
    assert!(said(&browser, "goods").await?.contains("Read in mm, it is 300 × 270 × 300 mm"));
    // Channels as an image: without UVs, as seen from above.
    browser.click("show-map").await?;
    browser
        .until("document.querySelector('.MuiCollapse-entered [data-test=map]') !== null")
        .await?;
    browser.choose_row("A holds", "1 − Wear · R occlusion").await?;
    browser.choose_row("Side", "256 pixels").await?;
    browser.click("write-map").await?;
    browser.until("document.querySelector('[data-test=map-handed]') !== null").await?;
    let file = browser.downloads.join("Mooring bollard-map.png");
    browser.until("document.querySelector('[data-test=map-handed]').innerText.includes('Mooring bollard-map.png')").await?;
    let begun = std::time::Instant::now();
    while !file.exists() && begun.elapsed().as_secs() < 20 {
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    // The head of a PNG (ISO/IEC 15948): signature, IHDR, width and height, 8 bits, RGBA.
    let bytes = std::fs::read(&file)?;
    assert_eq!(&bytes[..8], b"\x89PNG\r\n\x1a\n");
    assert_eq!(bytes[16..26], [0, 0, 1, 0, 0, 0, 1, 0, 8, 6]);
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// three.js' own loaders read the files alone; what they find is what the stage holds, to the rounding
/// of 8 bits on both sides.
#[tokio::test]
async fn others_read_in_the_files_what_was_painted() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let (_app, browser) = at_the_bollard(folder.path()).await?;
    for (name, sets) in [
        ("Real-time shader", &["Coat", "Wear"][..]),
        ("Full-color printer", &["Coat"]),
        ("Script or lab", &["Coat"]),
    ] {
        choose(&browser, name).await?;
        browser.click("open-sent").await?;
        browser.until("document.querySelector('[data-test=loaded-places]') !== null").await?;
        let places = said(&browser, "loaded-places").await?;
        // 43 320 triangles, or 21 960 polygons cut by another program in its own way.
        assert!(
            places.starts_with("All ") && places.contains("stand where they should"),
            "{name}: {places}"
        );
        let rows = browser
            .eval("[...document.querySelectorAll('[data-test=loaded-sets] tbody tr')].map((row) => [...row.cells].map((cell) => cell.innerText))")
            .await?;
        let rows: Vec<[String; 3]> = serde_json::from_value(rows)?;
        let names: Vec<&str> = rows.iter().map(|row| row[0].as_str()).collect();
        assert_eq!(names, sets, "{name}");
        for row in &rows {
            let (most, mean): (f64, f64) = (row[1].parse()?, row[2].parse()?);
            assert!(most < 1.01 && mean <= most, "{name}: {row:?}");
        }
        browser.click("view-heat").await?;
        browser.until("document.querySelector('[data-test=opened-sent]').innerText.includes('Light is 0')").await?;
        browser.click_text("button", "Close").await?;
        browser.until("document.querySelector('[role=dialog]') === null").await?;
    }

    // Asked for as linear light, others show it darker, which is told; our own reader knows.
    show_how(&browser).await?;
    browser.choose_row("Colors as", "linear light").await?;
    let told = "takes them for sRGB-encoded and shows them darker";
    browser
        .until(&format!(
            "document.querySelector('[data-test=losses]')?.innerText.includes('{told}') === true"
        ))
        .await?;
    browser.click("open-sent").await?;
    browser.until("document.querySelector('[data-test=loaded-light]') !== null").await?;
    assert!(said(&browser, "loaded-light").await?.contains("shows them darker"));
    let most =
        "Number(document.querySelector('[data-test=loaded-sets] tbody td:nth-child(2)').innerText)";
    assert!(browser.eval(most).await?.as_f64().context("a number")? > 20.0);
    browser.click_text("button", "Close").await?;
    browser.until("document.querySelector('[role=dialog]') === null").await?;
    browser.click("prove").await?;
    browser.until("document.querySelector('[data-test=proof]') !== null").await?;
    let most =
        "Number(document.querySelector('[data-test=proof] tbody td:nth-child(2)').innerText)";
    assert!(browser.eval(most).await?.as_f64().context("a number")? < 0.01);
    // What helps is one click away, and any choice can be taken back.
    browser.click("cure").await?;
    browser
        .until(
            "!document.querySelector('[data-test=losses]').innerText.includes('shows them darker')",
        )
        .await?;
    browser.click("take-back").await?;
    browser
        .until(
            "document.querySelector('[data-test=losses]').innerText.includes('shows them darker')",
        )
        .await?;
    // By the keys as well, wherever the focus is in the sheet.
    browser.find("take-back").await?.send_keys("\u{e009}z\u{e000}").await?;
    browser.until("document.querySelector('[data-test=take-back]') === null").await?;
    assert_eq!(
        browser.eval("speckle.state().history.redo").await?,
        Value::Null,
        "no deed is undone"
    );
    packed(&browser).await?;
    choose(&browser, "Archive").await?;
    browser.click("open-sent").await?;
    browser.until("document.querySelector('[role=dialog]')?.innerText.includes('no loader for this format')").await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

#[tokio::test]
async fn what_was_sent_is_remembered_and_what_changed_since_is_told() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let (app, browser) = at_the_bollard(folder.path()).await?;
    let project = browser.eval("location.hash.split('/').pop()").await?;
    let project = project.as_str().context("a project is open")?.to_owned();
    browser.click("export").await?;
    browser.until("document.querySelector('[data-test=exported]') !== null").await?;
    assert!(said(&browser, "exported").await?.contains("Mooring bollard.zip"));
    browser.until("document.querySelector('[data-test=since]')?.innerText.includes('Nothing has changed since')").await?;
    browser
        .until("document.querySelector('[data-test=export]')?.innerText === 'Send again'")
        .await?;

    // A change of one set is told by its name, and by nothing else.
    let part = browser.eval("speckle.state().parts[0].id").await?;
    let set =
        browser.eval("speckle.state().parts[0].sets.find((s) => s.name === 'Coat').id").await?;
    let edit = serde_json::json!({ "type": "convert_set", "part": part, "set": set, "placement": "corner" });
    browser.edit(edit).await?;
    browser.until("document.querySelector('[data-test=since]')?.innerText.includes('Coat of Bollard has changed')").await?;
    assert!(!said(&browser, "since").await?.contains("Wear"), "only what changed is told");

    // One of one's own: another format, sets in another order, kept with the project.
    browser.click("recipient-more").await?;
    browser.choose_entry("New recipient like this").await?;
    browser.find("name").await?.send_keys("\u{e009}a\u{e000}Harbour game\u{e007}").await?;
    browser
        .until("document.querySelector('[data-test=recipient]')?.innerText === 'Harbour game'")
        .await?;
    show_how(&browser).await?;
    browser.choose_row("Format", "PLY (.ply)").await?;
    browser
        .until("document.querySelector('[data-test=goods]')?.innerText.includes('.ply')")
        .await?;
    browser.click_at(Locator::Css("[aria-label='Wear earlier']")).await?;
    browser
        .until("/Wear, Coat/.test(document.querySelector('[data-test=goods]')?.innerText ?? '')")
        .await?;
    browser.click_at(Locator::XPath("//input[@aria-label='Coat goes along']/..")).await?;
    browser
        .until("!/Coat/.test(document.querySelector('[data-test=goods]')?.innerText ?? 'Coat')")
        .await?;
    packed(&browser).await?;
    browser.click("export").await?;
    browser.until("document.querySelector('[data-test=exported]') !== null").await?;

    // Sent again without the page, it is the same file, and another program finds the numbers.
    let kept: Value = ask(&app, &format!("/api/v1/projects/{project}/recipients"))?;
    let own = kept
        .as_array()
        .and_then(|all| all.iter().find(|each| each["recipient"]["name"] == "Harbour game"));
    let own = own.context("the recipient is kept")?;
    assert_eq!(own["recipient"]["sets"], serde_json::json!(["Wear"]));
    assert_eq!(own["sent"]["files"][0], "Mooring bollard.ply");

    browser.click("recipient-more").await?;
    browser.choose_entry("Forget it").await?;
    browser
        .until("document.querySelector('[data-test=recipient]')?.innerText.startsWith('Real-time shader')")
        .await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// A folder that is kept up to date holds what was painted, soon after, and nothing once that is
/// given up.
#[tokio::test]
async fn a_recipient_is_kept_up_to_date_in_a_folder() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let into = folder.path().join("game");
    let app = App::start_into(&folder.path().join("toys"), &into)?;
    let browser = Browser::start().await?;
    browser.open_piece(&app, "pennant").await?;
    browser.click("area-deliver").await?;
    choose(&browser, "Archive").await?;
    show_how(&browser).await?;
    browser.click_text("label", "Kept up to date in the server’s folder").await?;
    let files = "document.querySelector('[data-test=standing]')?.innerText ?? ''";
    browser.until(&format!("/^[1-9]\\d* files? of revision /.test({files})")).await?;

    browser.click("area-paint").await?;
    let [x, y] = browser.spot_on(0).await?;
    browser.stroke(&[(x, y), (x + 8.0, y)]).await?;
    let revision = browser.eval("speckle.state().history.revision").await?;
    browser.click("area-deliver").await?;
    browser.until(&format!("/^[1-9]\\d* files? of revision {revision} in /.test({files})")).await?;
    assert!(said(&browser, "standing").await?.contains(&*into.to_string_lossy()));
    let own = into.join("Signal pennant");
    assert!(std::fs::read_dir(&own)?.next().is_some(), "what is told to be written is there");

    // Where nothing can be written it says so, and goes on when it can.
    std::fs::remove_dir_all(&into)?;
    std::fs::write(&into, "in the way")?;
    browser.click("undo").await?;
    browser.until("document.querySelector('[data-test=standing-trouble]') !== null").await?;
    std::fs::remove_file(&into)?;
    browser.click("redo").await?;
    browser.until("document.querySelector('[data-test=standing-trouble]') === null").await?;
    browser.until(&format!("/ files? of revision /.test({files})")).await?;
    assert!(std::fs::read_dir(&own)?.next().is_some(), "it is written again");
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

fn ask(app: &App, path: &str) -> Result<Value> {
    Ok(serde_json::from_slice(&speckle_e2e::fetch(&app.address, path)?)?)
}
