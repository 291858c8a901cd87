//! When something goes wrong: nothing that was entered is lost, nothing waits for ever, and the page
//! says in words what is the matter.

use anyhow::Result;
use fantoccini::key::Key;
use speckle_e2e::{App, Browser};

/// The port that an app listens on.
fn port_of(app: &App) -> u16 {
    let port =
        app.address.rsplit(':').next().and_then(|port| port.trim_end_matches('/').parse().ok());
    port.expect("an address ends with its port")
}

#[tokio::test]
async fn a_name_that_was_entered_stays_until_the_server_has_taken_it() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let data = folder.path().join("toys");
    let app = App::start(&data)?;
    let port = port_of(&app);
    let browser = Browser::start().await?;
    browser.client.goto(&app.address).await?;
    browser.find("piece-drifter").await?;
    browser.click("new-project").await?;
    let field = browser.find("name").await?;
    field.send_keys(&(Key::Control + "a")).await?;
    field.send_keys("Gull weathervane").await?;
    drop(app);
    browser.click_text("button", "Create").await?;
    browser.until("document.querySelector('[role=dialog] [role=alert]')?.innerText.includes('cannot be reached')").await?;
    browser
        .until("document.querySelector('[data-test=name]')?.value === 'Gull weathervane'")
        .await?;
    // The same deed again, when the server is back.
    let app = App::start_at(&data, port)?;
    browser.click_text("button", "Create").await?;
    browser.until("window.speckle?.state().project === 'Gull weathervane'").await?;

    // In a project as well: a name that is taken is said where it was entered.
    browser.client.goto(&format!("{}#", app.address)).await?;
    browser.open_piece(&app, "bollard").await?;
    browser.click("area-paint").await?;
    let names = browser.eval("speckle.state().parts[0].sets.map((s) => s.name)").await?;
    let [first, second] = [0, 1].map(|i| names[i].as_str().unwrap_or_default().to_owned());
    browser.choose_from_menu(&format!("More about {second}"), "Rename").await?;
    let field = browser.find("name").await?;
    field.send_keys(&(Key::Control + "a")).await?;
    field.send_keys(&first).await?;
    browser.click_text("button", "Rename").await?;
    browser
        .until(
            "document.querySelector('[role=dialog] [role=alert]')?.innerText.includes('already')",
        )
        .await?;
    field.send_keys(" 2").await?;
    browser.click_text("button", "Rename").await?;
    browser.until(&format!("speckle.state().parts[0].sets[1].name === '{first} 2'")).await?;
    browser.until("document.querySelector('[role=dialog]') === null").await?;
    browser.until("speckle.state().unsaved === 0").await?;
    browser.close().await
}

#[tokio::test]
async fn a_browser_without_webgl_and_a_page_that_breaks_say_so_in_words() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.open_piece(&app, "bollard").await?;
    // Something in the page breaks.
    let look_elsewhere = "document.querySelector('[data-test=area-gather]').click()";
    browser.eval(&format!("(speckle.state().parts = null, {look_elsewhere}, true)")).await?;
    let broken = browser.find("broken").await?;
    assert!(broken.text().await?.contains("is kept"));
    browser.click_text("button", "To the shelf").await?;
    browser.find("project").await?;
    // What it was is there again.
    browser.click("project").await?;
    browser.loaded().await?;
    browser.client.goto(&app.address).await?;
    browser.find("project").await?;
    // A browser that draws nothing in 3D.
    browser.eval("(HTMLCanvasElement.prototype.getContext = () => null, true)").await?;
    browser.click("project").await?;
    let said = browser.find("cannot-draw").await?.text().await?;
    assert!(said.contains("WebGL 2 is missing"), "{said}");
    let is_silent = "document.querySelector('[data-test=saved]') === null";
    browser.until(is_silent).await?;
    browser.close().await
}
