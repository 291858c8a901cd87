//! The Bake area as tests of recipes work it.

use std::{
    fs,
    path::{Path, PathBuf},
    time::Duration,
};

use anyhow::{Context, Result};
use fantoccini::{
    Locator,
    actions::{InputSource, MOUSE_BUTTON_LEFT, MouseActions, PointerAction},
};
use serde_json::{Value, json};
use speckle_e2e::{App, Browser, fetch};

/// The Bake area, worked by hand.
pub struct Table {
    pub browser: Browser,
    pub app: App,
    _folder: tempfile::TempDir,
}

impl Table {
    /// A demo piece in the Bake area.
    pub async fn of(piece: &str) -> Result<Self> {
        let folder = tempfile::tempdir()?;
        let app = App::start(&folder.path().join("toys"))?;
        let browser = Browser::start().await?;
        browser.open_piece(&app, piece).await?;
        browser.click("area-bake").await?;
        Ok(Self { browser, app, _folder: folder })
    }

    /// The bare bollard with a data set that waits for recipes, its R chosen.
    pub async fn laid() -> Result<Self> {
        let folder = tempfile::tempdir()?;
        let app = App::start(&folder.path().join("toys"))?;
        let browser = Browser::start().await?;
        browser.open_bollard(&app).await?;
        let table = Self { browser, app, _folder: folder };
        table.edit(json!({ "type": "add_set", "part": "PART", "name": "Wear", "placement": "vertex", "encoding": "data", "start": [0, 0, 0, 1] })).await?;
        table.browser.until("speckle.state().parts[0].sets.length === 2").await?;
        table.browser.click("area-bake").await?;
        table.cell("R").await?;
        Ok(table)
    }

    /// An edit made elsewhere, on the first part.
    pub async fn edit(&self, edit: Value) -> Result<()> {
        let edit = edit
            .to_string()
            .replace("\"PART\"", "speckle.state().parts[0].id")
            .replace("\"SET\"", "speckle.state().target");
        self.browser.edit(edit).await
    }

    pub async fn cell(&self, channel: &str) -> Result<()> {
        let css = format!("[aria-label='Paint {channel} of Wear']");
        self.browser.click_at(Locator::Css(&css)).await
    }

    /// Waits until a recipe is so.
    pub async fn status(&self, channels: &str, status: &str) -> Result<()> {
        // What is known before an edit is kept is from before it.
        self.browser
            .until(&format!("speckle.settled() && speckle.state().recipes.some((r) => r.channels === '{channels}' && r.status === '{status}')"))
            .await
            .with_context(|| format!("{channels} is not {status}"))
    }

    pub async fn add(&self, family: &str, source: &str) -> Result<()> {
        let steps = self.count("step").await?;
        self.browser.click(&format!("family-{family}")).await?;
        self.browser.click(&format!("source-{source}")).await?;
        let more =
            format!("document.querySelectorAll('[data-test=step]').length === {}", steps + 1);
        self.browser.until(&more).await
    }

    pub async fn count(&self, mark: &str) -> Result<u64> {
        let all = format!("document.querySelectorAll('[data-test={mark}]').length");
        self.browser.eval(&all).await?.as_u64().context("a number")
    }

    /// Types a number into a row of the step that is open.
    pub async fn type_into(&self, label: &str, number: &str) -> Result<()> {
        let css = format!("[aria-label='{label}, typed']");
        let field = self.browser.client.find(Locator::Css(&css)).await?;
        field.click().await?;
        Ok(field.send_keys(&format!("\u{e009}a\u{e000}{number}\u{e007}")).await?)
    }

    /// Drags from the middle of one thing to another place on the page.
    pub async fn drag(&self, from: &str, to: &str, below: f64) -> Result<()> {
        let [x0, y0] = self.browser.middle_of(from).await?;
        let [x1, y1] = self.browser.middle_of(to).await?;
        let move_to =
            |x, y| PointerAction::MoveTo { duration: Some(Duration::from_millis(40)), x, y };
        let hand = MouseActions::new("hand".to_owned())
            .then(move_to(x0, y0))
            .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT })
            .then(move_to((x0 + x1) / 2.0, (y0 + y1) / 2.0))
            .then(move_to(x1, y1 + below))
            .then(move_to(x1, y1 + below))
            .then(PointerAction::Up { button: MOUSE_BUTTON_LEFT });
        Ok(self.browser.client.perform_actions(hand).await?)
    }

    /// What the steps start from, in order.
    pub async fn titles(&self) -> Result<Vec<String>> {
        let titles = "[...document.querySelectorAll('[data-test=step-open]')].map((e) => e.firstChild.innerText)";
        Ok(serde_json::from_value(self.browser.eval(titles).await?)?)
    }

    pub async fn bins(&self) -> Result<Value> {
        let of = "(() => { const wear = speckle.state().parts[0].sets.find((s) => s.name === 'Wear'); return speckle.state().figures[wear.id][0].bins; })()";
        self.browser.eval(of).await
    }

    pub async fn undo_label(&self) -> Result<String> {
        let label = self.browser.eval("speckle.state().history.undo?.label ?? ''").await?;
        Ok(label.as_str().unwrap_or_default().to_owned())
    }

    /// What is written of a project as a file, downloaded by hand.
    pub fn export(&self, folder: &Path, file: &str, project: u64) -> Result<PathBuf> {
        let bytes = fetch(
            &self.app.address,
            &format!("/api/v1/projects/{project}/export?format=ply&depth=float"),
        )?;
        let path = folder.join(file);
        fs::write(&path, bytes)?;
        Ok(path)
    }

    pub async fn project(&self) -> Result<u64> {
        let hash = self.browser.eval("location.hash").await?;
        hash.as_str().and_then(|h| h.rsplit('/').next()?.parse().ok()).context("a project")
    }
}
