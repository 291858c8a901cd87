//! A headless Chromium: what a hand and an eye do with it.

use std::{
    io::{BufRead, BufReader},
    path::PathBuf,
    process::{Command, Stdio},
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
use tempfile::TempDir;

use crate::{Owned, PATIENCE};

/// What a page says of itself when something was waited for in vain.
const SITUATION: &str = "(() => { const state = window.speckle?.state();
    const marks = [...document.querySelectorAll('[data-test=trouble], [role=alert], [role=dialog]')];
    return { at: location.hash, shown: marks.map((mark) => mark.innerText),
        ...(state && { connected: state.connected, history: state.history, said: state.said,
            unsaved: state.unsaved, area: state.area }) }; })()";

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
    /// Starts Chromium at 1280×800. There is no graphics card: the page around the stage is drawn
    /// without one, and the stage, which imitates one, without smoothing its edges. Both together
    /// take most of the time otherwise.
    ///
    /// # Errors
    /// When Chromium or its driver is missing.
    pub async fn start() -> Result<Self> {
        Self::start_with(&["--disable-gpu-compositing", "--webgl-antialiasing-mode=none"]).await
    }

    /// Starts it as a user has it, for pictures.
    ///
    /// # Errors
    /// When Chromium or its driver is missing.
    pub async fn start_as_usual() -> Result<Self> {
        Self::start_with(&[]).await
    }

    async fn start_with(more: &[&str]) -> Result<Self> {
        let (driver, port) = start_driver()?;
        let folder = tempfile::tempdir()?;
        let downloads = folder.path().join("downloads");
        std::fs::create_dir(&downloads)?;
        let profile = format!("--user-data-dir={}", folder.path().join("profile").display());
        let usual = [
            "--headless",
            "--no-sandbox",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--force-prefers-reduced-motion",
            // A window of the page alone: what a browser shows around it starts pages of its own.
            "--app=data:,",
            "--use-angle=swiftshader",
            "--enable-unsafe-swiftshader",
            "--window-size=1280,943",
            &profile,
        ];
        let args = [&usual, more].concat();
        let capabilities = json!({
            "goog:loggingPrefs": { "browser": "ALL" },
            "goog:chromeOptions": {
                "args": args,
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

    /// Whether a thing stands where it stood a moment before, and can be clicked.
    async fn rests(&self, found: &Element) -> bool {
        const LOOK_TWICE: &str = "const [thing, done] = arguments;
            const place = () => Object.values(thing.getBoundingClientRect().toJSON()).join();
            const before = place();
            setTimeout(() => done(thing.isConnected && !thing.disabled && place() === before), 40);";
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
                let page = self.eval(SITUATION).await.unwrap_or_default();
                bail!("waited in vain for: {expression}\n{page:#}");
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        Ok(())
    }

    /// Waits until what the page was told so far is drawn.
    ///
    /// # Errors
    /// When it draws nothing.
    pub async fn drawn(&self) -> Result<()> {
        const TWO_FRAMES: &str =
            "requestAnimationFrame(() => requestAnimationFrame(() => arguments[0](true)))";
        self.client.execute_async(TWO_FRAMES, vec![]).await?;
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
        self.stroke_with_rests(points, Duration::ZERO).await
    }

    /// The same by a hand that stands still at every point for a time.
    ///
    /// # Errors
    /// When the stroke is not acknowledged.
    pub async fn stroke_with_rests(&self, points: &[(f64, f64)], time: Duration) -> Result<()> {
        let (first, rest) = points.split_first().context("a stroke has a first point")?;
        let mut actions = MouseActions::new("hand".to_owned())
            .then(move_to(*first))
            .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT });
        for point in rest {
            actions = actions.then(move_to(*point));
            if time > Duration::ZERO {
                actions = actions.then(PointerAction::Pause { duration: time });
            }
        }
        let actions = actions.then(PointerAction::Up { button: MOUSE_BUTTON_LEFT });
        self.client.perform_actions(actions).await?;
        self.until("speckle.state().unsaved === 0").await
    }

    /// Presses the second button of the pointer at a place and lets it go.
    ///
    /// # Errors
    /// When the driver refuses.
    pub async fn second_click(&self, x: f64, y: f64) -> Result<()> {
        let actions = MouseActions::new("hand".to_owned())
            .then(move_to((x, y)))
            .then(PointerAction::Down { button: 2 })
            .then(PointerAction::Up { button: 2 });
        Ok(self.client.perform_actions(actions).await?)
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

    /// Clicks the first thing of a kind that says a word, as seen by the user.
    ///
    /// # Errors
    /// When there is none.
    pub async fn click_text(&self, tag: &str, word: &str) -> Result<()> {
        self.click_at(Locator::XPath(&format!("//{tag}[contains(., '{word}')]"))).await
    }

    /// Presses a key on the page itself.
    ///
    /// # Errors
    /// When the driver refuses.
    pub async fn press(&self, key: &str) -> Result<()> {
        let body = self.client.find(Locator::Css("body")).await?;
        Ok(body.send_keys(key).await?)
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
