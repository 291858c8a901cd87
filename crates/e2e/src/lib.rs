//! The ground for browser tests: the real app on a port of its own, and a headless Chromium.
//!
//! Everything started here is ended when dropped, also when a test panics.

use std::{
    io::{BufRead, BufReader},
    path::{Path, PathBuf},
    process::{Child, Command, Stdio},
    time::{Duration, Instant},
};

use anyhow::{Context, Result, bail};
use fantoccini::{
    Client, ClientBuilder, Locator,
    actions::{InputSource, MOUSE_BUTTON_LEFT, MouseActions, PointerAction},
    elements::Element,
    error::CmdError,
    wd::TimeoutConfiguration,
};
use hyper_util::client::legacy::connect::HttpConnector;
use serde_json::{Value, json};
use speckle_core::{Document, Edit};
use speckle_demo::Detail;
use speckle_store::{ProjectId, Store};
use tempfile::TempDir;
use tokio::{
    io::{AsyncReadExt, AsyncWriteExt},
    net::TcpStream,
};

/// How long a test waits for what should come by itself.
pub const PATIENCE: Duration = Duration::from_secs(30);

/// A process that ends with its owner.
struct Owned(Child);

impl Drop for Owned {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// The app, serving a project file.
pub struct App {
    _process: Owned,
    /// Where it is reached.
    pub address: String,
}

impl App {
    /// Starts the built `speckle serve` on a free port.
    ///
    /// # Errors
    /// When it is not built or does not start.
    pub fn start(data: &Path) -> Result<Self> {
        Self::start_at(data, 0)
    }

    /// Likewise, on a port of one's choice.
    ///
    /// # Errors
    /// When it is not built or does not start.
    pub fn start_at(data: &Path, port: u16) -> Result<Self> {
        let mut process = Command::new(binary()?)
            .args(["serve", "--no-open", "--port", &port.to_string(), "--data"])
            .arg(data)
            .stdout(Stdio::piped())
            .spawn()?;
        let out = process.stdout.take().context("the app's output is piped")?;
        let process = Owned(process);
        let mut line = String::new();
        BufReader::new(out).read_line(&mut line)?;
        let address = line.split_whitespace().find(|word| word.starts_with("http://"));
        let address = address.with_context(|| format!("the app said: {line:?}"))?.to_owned();
        Ok(Self { _process: process, address })
    }

    /// Brings in a project that is made in a store of its own; tells its number.
    ///
    /// # Errors
    /// When it cannot be made, or the app refuses it.
    pub async fn bring_in(
        &self,
        make: impl FnOnce(&Store) -> Result<ProjectId>,
    ) -> Result<ProjectId> {
        let folder = tempfile::tempdir()?;
        let file = folder.path().join("project.speckle");
        let store = Store::temporary()?;
        let project = make(&store)?;
        store.export_project(project, &file)?;
        let bytes = std::fs::read(file)?;
        let host = self.address.trim_start_matches("http://");
        let mut stream = TcpStream::connect(host.replace("localhost", "127.0.0.1")).await?;
        let head = format!(
            "POST /api/v1/projects/file HTTP/1.1\r\nHost: {host}\r\nConnection: close\r\n\
             Content-Length: {}\r\n\r\n",
            bytes.len()
        );
        stream.write_all(head.as_bytes()).await?;
        stream.write_all(&bytes).await?;
        let mut answer = String::new();
        stream.read_to_string(&mut answer).await?;
        let body = answer.split_once("\r\n\r\n").map_or("", |(_, body)| body);
        let made: Value = serde_json::from_str(body).context(answer.clone())?;
        made["id"].as_i64().context(answer)
    }
}

/// The program as this build made it, beside the test's own binary.
///
/// # Errors
/// When it is not there.
pub fn binary() -> Result<PathBuf> {
    let mut folder = std::env::current_exe()?;
    folder.pop();
    folder.pop();
    let binary = folder.join("speckle");
    if !binary.exists() {
        bail!("{} is not built: run `cargo xtask test`", binary.display());
    }
    Ok(binary)
}

/// The front end's folder, where node's packages are.
#[must_use]
pub fn web_folder() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../web")
}

/// A headless browser with one page.
pub struct Browser {
    /// Drives the page.
    pub client: Client,
    /// Where downloads land.
    pub downloads: PathBuf,
    folder: TempDir,
    _driver: Owned,
}

/// A driver that is killed leaves its browser behind, busy for ever: a test that failed ends it by
/// the profile that no other browser has.
impl Drop for Browser {
    fn drop(&mut self) {
        let profile = self.folder.path().to_string_lossy().into_owned();
        let processes = std::fs::read_dir("/proc").into_iter().flatten().flatten();
        for process in processes {
            let command = std::fs::read(process.path().join("cmdline")).unwrap_or_default();
            if String::from_utf8_lossy(&command).contains(&profile) {
                let _ = Command::new("kill").arg("-9").arg(process.file_name()).status();
            }
        }
    }
}

impl Browser {
    /// Starts Chromium at 1280×800.
    ///
    /// # Errors
    /// When Chromium or its driver is missing.
    pub async fn start() -> Result<Self> {
        let (driver, port) = start_driver()?;
        let folder = tempfile::tempdir()?;
        let downloads = folder.path().join("downloads");
        std::fs::create_dir(&downloads)?;
        let profile = format!("--user-data-dir={}", folder.path().join("profile").display());
        let capabilities = json!({
            "goog:loggingPrefs": { "browser": "ALL" },
            "goog:chromeOptions": {
                "args": [
                    "--headless", "--no-sandbox", "--disable-quic", "--no-first-run",
                    "--disable-background-networking", "--disable-component-update",
                    "--disable-sync", "--force-prefers-reduced-motion", "--use-angle=swiftshader", "--enable-unsafe-swiftshader",
                    "--window-size=1280,943", profile,
                ],
                "prefs": { "download.default_directory": downloads },
            },
        });
        let Value::Object(capabilities) = capabilities else { bail!("capabilities are an object") };
        let client = ClientBuilder::new(HttpConnector::new())
            .capabilities(capabilities)
            .connect(&format!("http://localhost:{port}"))
            .await?;
        client
            // A disk that is busy with what was just built can keep an answer waiting.
            .update_timeouts(TimeoutConfiguration::new(Some(3 * PATIENCE), Some(PATIENCE), None))
            .await?;
        let browser = Self { client, downloads, folder, _driver: driver };
        // Headless Chromium takes room for a bar that it does not draw, by version more or less.
        let height = browser.eval("innerHeight").await?.as_u64().context("a height")? as u32;
        browser.client.set_window_size(1280, 943 + 800 - height).await?;
        browser.until("innerHeight === 800").await?;
        Ok(browser)
    }

    /// Waits for the element marked `data-test`.
    ///
    /// # Errors
    /// When it does not appear.
    pub async fn find(&self, mark: &str) -> Result<Element> {
        let css = format!("[data-test={mark}]");
        let found = self.client.wait().at_most(PATIENCE).for_element(Locator::Css(&css)).await;
        found.with_context(|| format!("no element {mark} appeared"))
    }

    /// Clicks the element marked `data-test`.
    ///
    /// # Errors
    /// When it does not appear or cannot be clicked.
    pub async fn click(&self, mark: &str) -> Result<()> {
        self.click_at(Locator::Css(&format!("[data-test={mark}]"))).await
    }

    /// Clicks what a locator finds, as soon as nothing is in the way.
    ///
    /// # Errors
    /// When it does not appear or cannot be clicked.
    pub async fn click_at(&self, locator: Locator<'_>) -> Result<()> {
        let begun = Instant::now();
        loop {
            let found = self.client.wait().at_most(PATIENCE).for_element(locator).await;
            let found = found.with_context(|| format!("nothing appeared for {locator:?}"))?;
            // What still moves would be missed: clicks go to where a thing was.
            if begun.elapsed() < PATIENCE && !self.rests(&found).await {
                continue;
            }
            // What fades out or in is in the way for a moment, as it is for a hand.
            match found.click().await {
                Err(error) if begun.elapsed() < PATIENCE && is_in_the_way(&error) => {
                    tokio::time::sleep(Duration::from_millis(50)).await;
                }
                done => return Ok(done?),
            }
        }
    }

    /// Whether a thing stands where it stood a moment before.
    async fn rests(&self, found: &Element) -> bool {
        const LOOK_TWICE: &str = "const [thing, done] = arguments;
            const place = () => Object.values(thing.getBoundingClientRect().toJSON()).join();
            const before = place();
            setTimeout(() => done(thing.isConnected && place() === before), 40);";
        let Ok(thing) = serde_json::to_value(found) else { return false };
        let told = self.client.execute_async(LOOK_TWICE, vec![thing]).await;
        told.is_ok_and(|told| told == Value::Bool(true))
    }

    /// The value of a JavaScript expression in the page.
    ///
    /// # Errors
    /// When it fails.
    pub async fn eval(&self, expression: &str) -> Result<Value> {
        Ok(self.client.execute(&format!("return {expression}"), vec![]).await?)
    }

    /// Waits until a JavaScript expression is true.
    ///
    /// # Errors
    /// When it stays false.
    pub async fn until(&self, expression: &str) -> Result<()> {
        let begun = Instant::now();
        while self.eval(expression).await? != Value::Bool(true) {
            if begun.elapsed() > PATIENCE {
                bail!("waited in vain for: {expression}");
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        Ok(())
    }

    /// The middle of what a selector finds, once it stands still: what is above may be unfolding.
    ///
    /// # Errors
    /// When there is none, or it never rests.
    pub async fn middle_of(&self, css: &str) -> Result<[f64; 2]> {
        let middle = format!(
            "(() => {{ const b = document.querySelector(\"{css}\").getBoundingClientRect(); return [b.x + b.width / 2, b.y + b.height / 2]; }})()"
        );
        let begun = Instant::now();
        let mut last = [f64::NAN; 2];
        let mut rests = 0;
        while begun.elapsed() < PATIENCE {
            let now: [f64; 2] = serde_json::from_value(self.eval(&middle).await?)?;
            rests = if now == last { rests + 1 } else { 0 };
            if rests == RESTS {
                return Ok(now);
            }
            last = now;
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        bail!("{css} never stood still")
    }

    /// Moves the pointer to a place on the page.
    ///
    /// # Errors
    /// When the driver refuses.
    pub async fn hover(&self, x: f64, y: f64) -> Result<()> {
        let actions = MouseActions::new("hand".to_owned()).then(move_to((x, y)));
        Ok(self.client.perform_actions(actions).await?)
    }

    /// Drags with the left button along points of the page, and waits until all is saved.
    ///
    /// # Errors
    /// When the stroke is not acknowledged.
    pub async fn stroke(&self, points: &[(f64, f64)]) -> Result<()> {
        let (first, rest) = points.split_first().context("a stroke has a first point")?;
        let mut actions = MouseActions::new("hand".to_owned())
            .then(move_to(*first))
            .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT });
        for point in rest {
            actions = actions.then(move_to(*point));
        }
        let actions = actions.then(PointerAction::Up { button: MOUSE_BUTTON_LEFT });
        self.client.perform_actions(actions).await?;
        self.until("speckle.state().unsaved === 0").await
    }

    /// Presses the left button at a place and leaves it pressed, until [`Browser::release`].
    ///
    /// # Errors
    /// When the driver refuses.
    pub async fn hold(&self, x: f64, y: f64) -> Result<()> {
        let actions = MouseActions::new("hand".to_owned())
            .then(move_to((x, y)))
            .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT });
        Ok(self.client.perform_actions(actions).await?)
    }

    /// Lifts the left button.
    ///
    /// # Errors
    /// When the driver refuses.
    pub async fn release(&self) -> Result<()> {
        let up = PointerAction::Up { button: MOUSE_BUTTON_LEFT };
        Ok(self.client.perform_actions(MouseActions::new("hand".to_owned()).then(up)).await?)
    }

    /// Presses the left button at a place, holds it still, and lifts it.
    ///
    /// # Errors
    /// When the stroke is not acknowledged.
    pub async fn press_for(&self, x: f64, y: f64, time: Duration) -> Result<()> {
        let actions = MouseActions::new("hand".to_owned())
            .then(move_to((x, y)))
            .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT })
            .then(PointerAction::Pause { duration: time })
            .then(PointerAction::Up { button: MOUSE_BUTTON_LEFT });
        self.client.perform_actions(actions).await?;
        self.until("speckle.state().unsaved === 0").await
    }

    /// Chooses a paint by its hex number, as a user would.
    ///
    /// # Errors
    /// When the picker does not answer.
    pub async fn paint_with(&self, hex: &str) -> Result<()> {
        const SELECT_ALL: &str = "\u{e009}a\u{e000}";
        const ENTER: &str = "\u{e007}";
        self.click("paint").await?;
        let field = self.find("hex").await?;
        field.click().await?;
        field.send_keys(&format!("{SELECT_ALL}{hex}{ENTER}")).await?;
        let label = format!("[data-test=paint][aria-label*='{}']", hex.to_uppercase());
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
        let change = document.apply(Edit::bring_in(piece.make(Detail::Usual)))?;
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

    /// Clicks the first thing of a kind that says a word, as seen by the user.
    ///
    /// # Errors
    /// When there is none.
    pub async fn click_text(&self, tag: &str, word: &str) -> Result<()> {
        self.click_at(Locator::XPath(&format!("//{tag}[contains(., '{word}')]"))).await
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

    /// Presses a key on the page itself.
    ///
    /// # Errors
    /// When the driver refuses.
    pub async fn press(&self, key: &str) -> Result<()> {
        let body = self.client.find(Locator::Css("body")).await?;
        Ok(body.send_keys(key).await?)
    }

    /// Waits until a project's meshes and values are on the stage.
    ///
    /// # Errors
    /// When they do not come.
    pub async fn loaded(&self) -> Result<()> {
        self.until(
            "window.speckle?.state().connected === true && speckle.stage.surfaces.size > 0 \
             && [...speckle.stage.surfaces.values()].every((surface) => surface.ready) \
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
        let css = format!("[id='knob-{label}']");
        self.click_at(Locator::Css(&css)).await?;
        let field = self.client.find(Locator::Css(&css)).await?;
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

    /// Complaints on the page's console since the last call.
    ///
    /// # Errors
    /// When the log cannot be read.
    pub async fn complaints(&self) -> Result<Vec<String>> {
        let log = self.client.issue_cmd(ConsoleLog).await?;
        let entries = log.as_array().cloned().unwrap_or_default();
        Ok(entries
            .iter()
            .filter(|entry| entry["level"] == "SEVERE")
            .map(|entry| entry["message"].to_string())
            .collect())
    }

    /// The same without what the browser itself says about answers that were refusals.
    ///
    /// # Errors
    /// When the log cannot be read.
    pub async fn complaints_beside_refusals(&self) -> Result<Vec<String>> {
        let all = self.complaints().await?;
        Ok(all.into_iter().filter(|said| !said.contains("status of 422")).collect())
    }

    /// Ends the session, and with it the browser.
    ///
    /// # Errors
    /// When the driver does not answer.
    pub async fn close(self) -> Result<()> {
        Ok(self.client.clone().close().await?)
    }
}

/// True for what passes by itself: something lies over the element, or it was drawn anew.
fn is_in_the_way(error: &CmdError) -> bool {
    matches!(error, CmdError::Standard(error)
        if matches!(error.error().as_str(), "element click intercepted" | "stale element reference"))
}

fn move_to((x, y): (f64, f64)) -> PointerAction {
    PointerAction::MoveTo { duration: Some(Duration::from_millis(60)), x, y }
}

/// Starts ChromeDriver at a free port, which it tells. Between choosing a port and taking it for both
/// kinds of addresses another program can come first: then it ends without a word, and is started anew.
fn start_driver() -> Result<(Owned, u16)> {
    for _ in 0..TRIES {
        let mut process = Command::new("chromedriver")
            .arg("--port=0")
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .context("chromedriver is missing: run `cargo xtask test`")?;
        let out = process.stdout.take().context("the driver's output is piped")?;
        let driver = Owned(process);
        let told =
            BufReader::new(out).lines().map_while(std::result::Result::ok).find_map(|line| {
                let (_, port) = line.split_once("on port ")?;
                port.trim_end_matches('.').parse::<u16>().ok().filter(|&port| port > 0)
            });
        if let Some(port) = told {
            return Ok((driver, port));
        }
    }
    bail!("chromedriver told no port, {TRIES} times")
}

/// How many looks in a row find a thing at the same place before it counts as resting.
const RESTS: usize = 4;

/// How often ChromeDriver is started before that counts as a failure.
const TRIES: usize = 5;

/// Reads the console, which is no part of the WebDriver standard.
#[derive(Debug)]
struct ConsoleLog;

impl fantoccini::wd::WebDriverCompatibleCommand for ConsoleLog {
    fn endpoint(
        &self,
        base: &url::Url,
        session: Option<&str>,
    ) -> std::result::Result<url::Url, url::ParseError> {
        base.join(&format!("session/{}/se/log", session.unwrap_or_default()))
    }

    fn method_and_body(&self, _: &url::Url) -> (http::Method, Option<String>) {
        (http::Method::POST, Some(json!({ "type": "browser" }).to_string()))
    }
}

/// The body of a GET, past the browser.
///
/// # Errors
/// When the server does not answer 200.
pub fn fetch(address: &str, path: &str) -> Result<Vec<u8>> {
    use std::io::{Read, Write};
    let host = address.trim_start_matches("http://");
    let mut stream = std::net::TcpStream::connect(host)?;
    write!(stream, "GET {path} HTTP/1.1\r\nHost: {host}\r\nConnection: close\r\n\r\n")?;
    let mut answer = Vec::new();
    stream.read_to_end(&mut answer)?;
    let end = answer.windows(4).position(|w| w == b"\r\n\r\n").context("an answer has a head")?;
    let body = answer.split_off(end + 4);
    let head = String::from_utf8_lossy(&answer);
    if !head.starts_with("HTTP/1.1 200") {
        bail!("{path} was answered with {head}");
    }
    Ok(body)
}
