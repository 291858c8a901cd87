//! Sources by their sheets: what comes with time, light, lines, patterns, numbers for programs; each is
//! added in the tray, turned on its sheet and made.

use anyhow::Result;
use serde_json::Value;

use crate::recipe_sheet::Table;

/// A bollard with a set of data to work on.
async fn with_wear() -> Result<Table> {
    let table = Table::laid().await?;
    table.edit("{ type: 'add_set', part, name: 'Wear', placement: 'vertex', encoding: 'data', start: [0, 0, 0, 1] }").await?;
    table.browser.until("speckle.state().parts[0].sets.length === 2").await?;
    Ok(table)
}

impl Table {
    /// Adds a source to the recipe of a channel of *Wear*.
    async fn add(&self, channel: &str, family: &str, kind: &str) -> Result<()> {
        self.cell(channel, "Wear").await?;
        self.browser.click(&format!("family-{family}")).await?;
        self.browser.click(&format!("source-{kind}")).await
    }

    /// The source of the first step of a channel.
    async fn source(&self, channel: &str) -> Result<Value> {
        Ok(self.recipe("Wear", channel).await?["steps"][0]["source"].clone())
    }

    /// The least and the greatest number of a channel, once its recipe is made.
    async fn range(&self, channel: &str) -> Result<[u8; 2]> {
        self.status("Wear", channel, "fresh").await?;
        let k = ["R", "G", "B", "A"].iter().position(|own| *own == channel).unwrap_or(0);
        let held = self.browser.held("Wear").await?;
        let ends = held.iter().map(|value| value[k]);
        Ok([ends.clone().min().unwrap_or(0), ends.max().unwrap_or(0)])
    }
}

#[tokio::test]
async fn what_comes_with_time_is_made_from_its_sheets() -> Result<()> {
    let table = with_wear().await?;
    let browser = &table.browser;
    table.add("R", "weather", "streaks").await?;
    let [low, high] = table.range("R").await?;
    assert!(low == 0 && high > 40, "{low}–{high}");
    assert_eq!(table.source("R").await?["stray"], 0.3);
    table.add("G", "weather", "dust").await?;
    let [low, high] = table.range("G").await?;
    assert!(low == 0 && high > 60, "{low}–{high}");
    browser.click_text("label", "Other visible parts keep it off").await?;
    browser
        .until("speckle.state().parts[0].sets[1].recipes.some((r) => r.steps[0].source.kind === 'dust' && r.steps[0].source.other_parts === false)")
        .await?;
    table.add("B", "weather", "waterline").await?;
    assert_eq!(table.range("B").await?, [0, 255]);
    browser.click_text("label", "A third of the way up").await?;
    table.status("Wear", "B", "fresh").await?;
    let height = table.source("B").await?["height"].as_f64();
    assert!(height.is_some_and(|height| height > 0.0), "{height:?}");
    table.add("A", "weather", "wear").await?;
    let [low, high] = table.range("A").await?;
    assert!(low == 0 && high > 60, "{low}–{high}");
    assert!(browser.complaints().await?.is_empty());
    Ok(())
}

#[tokio::test]
async fn a_line_is_drawn_and_lamps_are_lit() -> Result<()> {
    let table = with_wear().await?;
    let browser = &table.browser;
    // A line is nothing until it is drawn, point by point, on the stage.
    table.add("R", "ways", "line").await?;
    table.status("Wear", "R", "failed").await?;
    browser.until("document.body.innerText.includes('draw the line first')").await?;
    browser.click("draw-line").await?;
    let [x, y] = browser.spot_on(0).await?;
    for (nth, at) in [(x, y), (x + 40.0, y + 10.0), (x + 10.0, y + 50.0)].into_iter().enumerate() {
        browser.stroke(&[at]).await?;
        browser
            .until(&format!(
                "document.querySelector('[data-test=line-points]').innerText === '{}'",
                nth + 1
            ))
            .await?;
    }
    browser.press("\u{e00c}").await?;
    browser.until("speckle.state().placing === null").await?;
    let [low, high] = table.range("R").await?;
    assert!(low < 10 && high == 255, "{low}–{high}");
    browser.choose_row("Tells", "how far along it").await?;
    assert_eq!(table.range("R").await?, [0, 255]);
    browser.click_text("button", "Last away").await?;
    table.status("Wear", "R", "fresh").await?;
    assert_eq!(table.source("R").await?["points"].as_array().map(Vec::len), Some(2));
    // The rim of a mask that is not there says so.
    table.add("A", "ways", "rim").await?;
    table.status("Wear", "A", "failed").await?;
    // Lamps come and go; the last one stays as long as the sky is dark.
    table.add("G", "form", "light").await?;
    table.status("Wear", "G", "fresh").await?;
    browser.click("add-lamp").await?;
    browser.until("document.querySelectorAll('[data-test=lamp]').length === 2").await?;
    table.status("Wear", "G", "fresh").await?;
    assert_eq!(table.source("G").await?["lamps"].as_array().map(Vec::len), Some(2));
    browser.click_at(fantoccini::Locator::Css("[aria-label='Take lamp 1 away']")).await?;
    browser.until("document.querySelectorAll('[data-test=lamp]').length === 1").await?;
    browser
        .until("document.querySelector(\"[aria-label='Take lamp 1 away']\").disabled === true")
        .await?;
    Ok(())
}

#[tokio::test]
async fn patterns_and_numbers_for_programs_are_made_from_their_sheets() -> Result<()> {
    let table = with_wear().await?;
    let browser = &table.browser;
    table.add("R", "chance", "pattern").await?;
    assert_eq!(table.range("R").await?, [0, 255]);
    browser.choose_row("Shows", "checks").await?;
    assert_eq!(table.range("R").await?, [0, 255]);
    browser.click_text("label", "Each with a number of its own").await?;
    table.status("Wear", "R", "fresh").await?;
    let held = browser.held("Wear").await?;
    let mut numbers: Vec<u8> = held.iter().map(|value| value[0]).collect();
    numbers.sort_unstable();
    numbers.dedup();
    assert!(numbers.len() > 20, "{}", numbers.len());
    // Pieces have numbers from 0 on: the body and six bolts.
    table.add("G", "given", "piece_number").await?;
    assert_eq!(table.range("G").await?, [0, 6]);
    browser.choose_row("Held in", "16 bits: a byte in each of two").await?;
    table.status("Wear", "G", "fresh").await?;
    browser.click("add-shaping").await?;
    browser.click("shape-byte").await?;
    browser.choose_row("Which half", "what is left of it").await?;
    assert_eq!(table.range("G").await?, [0, 6]);
    // Moored at the foot, in a box of its own.
    table.add("B", "given", "pivot").await?;
    table.status("Wear", "B", "fresh").await?;
    browser.click_text("label", "In its middle").await?;
    browser.click_text("label", "own box").await?;
    table.status("Wear", "B", "fresh").await?;
    let pivot = table.source("B").await?;
    assert_eq!(pivot["end"], "down");
    assert!(pivot["within"]["high"].is_array(), "{pivot}");
    assert!(browser.complaints().await?.is_empty());
    Ok(())
}
