//! The app's own controls, worked as a user works them.

use std::{
    fmt::Display,
    path::Path,
    time::{Duration, Instant},
};

use anyhow::{Context, Result, bail};
use fantoccini::Locator;
use serde_json::Value;
use speckle_core::{Document, Edit};
use speckle_demo::Detail;
use speckle_store::Store;

use crate::{App, Browser, PATIENCE};

impl Browser {
    /// Chooses a paint by its hex number, as a user would.
    ///
    /// # Errors
    /// When the picker does not answer.
    pub async fn paint_with(&self, hex: &str) -> Result<()> {
        self.choose_color("paint", hex).await
    }

    /// Chooses the color of a well by its hex number, as a user would.
    ///
    /// # Errors
    /// When the picker does not answer.
    pub async fn choose_color(&self, well: &str, hex: &str) -> Result<()> {
        const SELECT_ALL: &str = "\u{e009}a\u{e000}";
        const ENTER: &str = "\u{e007}";
        self.click(well).await?;
        let field = self.find("hex").await?;
        field.click().await?;
        field.send_keys(&format!("{SELECT_ALL}{hex}{ENTER}")).await?;
        let label = format!("[data-test={well}][aria-label*='{}']", hex.to_uppercase());
        let css = Locator::Css(&label);
        self.client.wait().at_most(PATIENCE).for_element(css).await?;
        self.client.execute("document.querySelector('.MuiBackdrop-root').click()", vec![]).await?;
        self.until("document.querySelector('.MuiPopover-root') === null").await
    }

    /// Opens a fresh demo piece from the shelf, and waits until it is on the stage.
    ///
    /// # Errors
    /// When it does not come.
    pub async fn open_piece(&self, app: &App, key: &str) -> Result<()> {
        self.client.goto(&app.address).await?;
        self.click(&format!("piece-{key}")).await?;
        self.loaded().await
    }

    /// Opens the bollard with its coat alone, and waits until it is on the stage.
    ///
    /// # Errors
    /// When it does not come.
    pub async fn open_bollard(&self, app: &App) -> Result<()> {
        let piece = speckle_demo::piece("bollard").context("the bollard is on the shelf")?;
        let mut document = Document::default();
        let change = document.apply(Edit::bring_in(piece.make(Detail::Light)))?;
        let make = |store: &Store| {
            Ok(store.create_with(piece.title, &change, "Skerrybank Toyworks", 0, &document)?)
        };
        let project = app.bring_in(make).await?;
        self.client.goto(&format!("{}/#/project/{project}", app.address)).await?;
        self.loaded().await
    }

    /// Brings files in by the button's own field, with the choices the app starts from.
    ///
    /// # Errors
    /// When the app does not ask how.
    pub async fn bring_in(&self, files: &[&Path]) -> Result<()> {
        let picker = self.client.find(Locator::Css("[data-test=file]")).await?;
        let paths: Vec<String> = files.iter().map(|f| f.to_string_lossy().into_owned()).collect();
        picker.send_keys(&paths.join("\n")).await?;
        self.click("bring").await
    }

    /// A place on the page where a part, by its place in the list, is seen.
    ///
    /// # Errors
    /// When it is nowhere in view.
    pub async fn spot_on(&self, part: usize) -> Result<[f64; 2]> {
        let spot = self
            .eval(&format!(
                "(() => {{ const {{ stage, state }} = speckle; const id = state().parts[{part}].id;
                    const is = (x, y) => stage.under(x, y)?.part === id;
                    for (let y = 90; y < 620; y += 5) for (let x = 60; x < 880; x += 5)
                        if (is(x, y) && is(x + 10, y) && is(x + 5, y + 8) && is(x + 5, y - 8)) return [x + 5, y];
                    return null; }})()"
            ))
            .await?;
        serde_json::from_value(spot).context("the part is nowhere in view")
    }

    /// Makes an edit of the open project as another program would, and waits until the page has heard of it. The edit
    /// is JSON, or an expression of the page.
    ///
    /// # Errors
    /// When it is refused.
    pub async fn edit(&self, edit: impl Display) -> Result<()> {
        let revision = self.eval("speckle.state().history.revision").await?;
        let order = format!(
            "fetch(`/api/v1/projects/${{location.hash.split('/').pop()}}/edits`, {{
                method: 'POST', headers: {{ 'content-type': 'application/json' }}, body: JSON.stringify({edit}),
            }}).then(async (answer) => (answer.ok ? '' : await answer.text()))"
        );
        let trouble = self.eval(&order).await?;
        anyhow::ensure!(trouble == "", "{edit} was answered with {trouble}");
        self.until(&format!("speckle.state().history.revision > {revision}")).await
    }

    /// Waits until a project's meshes and values are on the stage.
    ///
    /// # Errors
    /// When they do not come.
    pub async fn loaded(&self) -> Result<()> {
        self.until(
            // A part that comes later frames the eye once more: whatever was found in view has moved.
            "window.speckle?.state().connected === true && speckle.stage.surfaces.size > 0 \
             && speckle.state().parts.every((part) => speckle.stage.surfaces.get(part.id)?.ready) \
             && Object.keys(speckle.state().figures).length > 0",
        )
        .await
    }

    /// Turns the flat look on, by its menu.
    ///
    /// # Errors
    /// When the menu does not answer.
    pub async fn choose_flat(&self) -> Result<()> {
        self.choose_look("Flat").await?;
        self.until("speckle.state().look.shade === 'flat'").await
    }

    /// Opens the menu of the button with a label, and chooses an entry by a word in it.
    ///
    /// # Errors
    /// When there is none.
    pub async fn choose_from_menu(&self, label: &str, word: &str) -> Result<()> {
        self.click_at(Locator::Css(&format!("[aria-label='{label}']"))).await?;
        self.choose_entry(word).await?;
        self.until("document.querySelector('[role=menu]') === null").await
    }

    /// Opens a list and waits until it stands still. Where what is around it moved at that moment and
    /// it did not open, it is clicked again, as a hand would.
    ///
    /// # Errors
    /// When it does not open.
    pub async fn unfold(&self, list: Locator<'_>) -> Result<()> {
        let is_open = "document.querySelector('[role=listbox]') !== null";
        for _ in 0..3 {
            self.click_at(list).await?;
            let begun = Instant::now();
            while begun.elapsed() < PATIENCE / 6 {
                if self.eval(is_open).await? == Value::Bool(true) {
                    return self.unfolded().await;
                }
                tokio::time::sleep(Duration::from_millis(50)).await;
            }
        }
        bail!("the list {list:?} does not open")
    }

    /// Waits until the open menu or sheet stands still: what still moves is missed by the pointer.
    ///
    /// # Errors
    /// When none stands still.
    pub async fn unfolded(&self) -> Result<()> {
        self.until(
            "(() => { const style = [...document.querySelectorAll('.MuiPopover-paper')].map(getComputedStyle).pop();
                return style?.opacity === '1' && ['none', 'matrix(1, 0, 0, 1, 0, 0)'].includes(style.transform); })()",
        )
        .await
    }

    /// Clicks the entry of the open menu that says a word, once the menu stands still.
    ///
    /// # Errors
    /// When no menu opens, or none of its entries says so.
    pub async fn choose_entry(&self, word: &str) -> Result<()> {
        self.unfolded().await?;
        self.click_text("li", word).await
    }

    /// Chooses an entry of a dialog's list by the list's label.
    ///
    /// # Errors
    /// When there is none.
    pub async fn choose(&self, label: &str, entry: &str) -> Result<()> {
        let field = format!(
            "//*[contains(@id, '-label') and contains(., '{label}')]/following-sibling::div//*[@role='combobox']"
        );
        self.unfold(Locator::XPath(&field)).await?;
        self.choose_entry(entry).await?;
        self.until("document.querySelector('[role=listbox]') === null").await
    }

    /// Chooses an entry of a sheet's list by the list's label.
    ///
    /// # Errors
    /// When there is none.
    pub async fn choose_row(&self, label: &str, entry: &str) -> Result<()> {
        let field = format!(
            "//*[@aria-label='{label}']/ancestor-or-self::*[contains(@class, 'MuiInputBase-root')]//*[@role='combobox']"
        );
        self.unfold(Locator::XPath(&field)).await?;
        self.click_at(Locator::XPath(&format!("//li[.='{entry}']"))).await?;
        self.until("document.querySelector('[role=listbox]') === null").await
    }

    /// Types a number into a knob of the tray.
    ///
    /// # Errors
    /// When there is no such knob.
    pub async fn type_into_knob(&self, label: &str, number: &str) -> Result<()> {
        self.type_over(&format!("[id='knob-{label}']"), number).await
    }

    /// Types a number beside a slider of the sheet.
    ///
    /// # Errors
    /// When there is no such slider.
    pub async fn type_into_row(&self, label: &str, number: &str) -> Result<()> {
        self.type_over(&format!("[aria-label='{label}, typed']"), number).await
    }

    /// Types a number into the field of a label, and waits until it shows it.
    ///
    /// # Errors
    /// When there is no such field, or it never does.
    pub async fn type_into_field(&self, label: &str, number: &str) -> Result<()> {
        let css = format!("[aria-label='{label}']");
        self.type_over(&css, number).await?;
        // What it shows when it is left is what has come back.
        self.until(&format!(
            "(document.activeElement.blur(), document.querySelector(\"{css}\").value === '{number}')"
        ))
        .await
    }

    /// Clicks what has a label.
    ///
    /// # Errors
    /// When there is nothing of that label.
    pub async fn click_labelled(&self, label: &str) -> Result<()> {
        self.click_at(Locator::Css(&format!("[aria-label='{label}']"))).await
    }

    async fn type_over(&self, css: &str, number: &str) -> Result<()> {
        self.click_at(Locator::Css(css)).await?;
        let field = self.client.find(Locator::Css(css)).await?;
        Ok(field.send_keys(&format!("\u{e009}a\u{e000}{number}\u{e007}")).await?)
    }

    /// Hands a file to the field marked `data-test`.
    ///
    /// # Errors
    /// When there is no such field.
    pub async fn choose_file(&self, mark: &str, file: &Path) -> Result<()> {
        let css = format!("[data-test={mark}]");
        let field = self.client.find(Locator::Css(&css)).await?;
        Ok(field.send_keys(&file.to_string_lossy()).await?)
    }

    /// The four numbers (0–255) of every element of a set of the first part as the page holds them.
    ///
    /// # Errors
    /// When there is no such set.
    pub async fn held(&self, set: &str) -> Result<Vec<[u8; 4]>> {
        let bytes = self
            .eval(&format!(
                "(() => {{ const part = speckle.state().parts[0]; const id = part.sets.find((s) => s.name === '{set}').id;
                    return [...speckle.stage.surfaces.get(part.id).values.get(id).bytes]; }})()"
            ))
            .await?;
        let bytes: Vec<u8> = serde_json::from_value(bytes)?;
        Ok(bytes.chunks_exact(4).map(|c| [c[0], c[1], c[2], c[3]]).collect())
    }

    /// Chooses an entry of the look's menu by a word in it.
    ///
    /// # Errors
    /// When the menu does not answer.
    pub async fn choose_look(&self, word: &str) -> Result<()> {
        self.click("look").await?;
        self.choose_entry(word).await?;
        self.until("document.querySelector('[role=menu]') === null").await
    }
}
