//! Answers that come late, or never: nothing that is no longer wanted is shown, and nothing is
//! waited for in vain.

use anyhow::Result;
use serde_json::Value;
use speckle_e2e::{App, Browser};

/// From here on what a socket hears can be held up: by `late` milliseconds, `held` counts what waits; and the
/// first so many, `dead`, hear nothing any more.
const SLOW_SOCKETS: &str = "(() => {
    const Real = WebSocket;
    Object.assign(window, { late: 0, held: 0, dead: 0, sockets: [] });
    window.WebSocket = class extends Real {
        constructor(...all) { super(...all); sockets.push(this); }
        set onmessage(hear) {
            super.onmessage = (event) => {
                if (sockets.indexOf(this) < dead) return;
                if (late === 0) return hear(event);
                held++;
                setTimeout(() => { held--; hear(event); }, late);
            };
        }
    };
    return true;
})()";

/// The drifter, painted with a brush, with sockets that can be slow.
async fn at_the_drifter(app: &App) -> Result<Browser> {
    let browser = Browser::start().await?;
    browser.client.goto(&app.address).await?;
    browser.find("piece-drifter").await?;
    browser.eval(SLOW_SOCKETS).await?;
    browser.click("piece-drifter").await?;
    browser.loaded().await?;
    browser.click("area-paint").await?;
    browser.press("k").await?;
    Ok(browser)
}

/// Two parts of the project that are seen, by their places in the list.
async fn two_in_view(browser: &Browser) -> Result<[(usize, [f64; 2]); 2]> {
    let count = browser.eval("speckle.state().parts.length").await?.as_u64().unwrap_or(0);
    let mut found = Vec::new();
    for part in 0..count as usize {
        if let Ok(spot) = browser.spot_on(part).await {
            found.push((part, spot));
        }
        if let [one, other] = found[..] {
            return Ok([one, other]);
        }
    }
    anyhow::bail!("{count} parts, and no two of them are seen")
}

#[tokio::test]
async fn the_brush_shows_what_it_covers_also_after_an_answer_for_another_part() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = at_the_drifter(&app).await?;
    let [one, other] = two_in_view(&browser).await?;
    let choose = async |(part, [x, y]): (usize, [f64; 2])| {
        browser.click("area-gather").await?;
        browser.stroke(&[(x, y)]).await?;
        browser
            .until(&format!("speckle.state().part === speckle.state().parts[{part}].id"))
            .await?;
        browser.click("area-paint").await
    };
    choose(one).await?;
    browser.eval("(window.late = 4000)").await?;
    browser.hover(one.1[0], one.1[1]).await?;
    browser.until("held > 0").await?;
    // Before the answer is here, another part is in hand.
    choose(other).await?;
    browser.eval("(window.late = 0, true)").await?;
    let mut asked = 0;
    while browser.eval("speckle.state().covered > 0").await? != Value::Bool(true) {
        asked += 1;
        anyhow::ensure!(asked < 100, "it never shows what it covers");
        let away = f64::from(asked % 3);
        browser.hover(other.1[0] + away, other.1[1]).await?;
        browser.until("held === 0").await?;
    }
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

#[tokio::test]
async fn a_preview_that_comes_late_or_is_cut_off_leaves_nothing_behind() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = at_the_drifter(&app).await?;
    let none = "[...speckle.stage.surfaces.values()].every((s) => s.previewed === null)";
    browser.click("page-adjust").await?;
    browser.choose_row("How", "Invert").await?;
    browser.until(&format!("!({none})")).await?;
    browser.click("adjust-cancel").await?;
    browser.until(none).await?;

    // Asked for and taken back before it is here.
    browser.click("page-adjust").await?;
    browser.eval("(window.late = 1500)").await?;
    browser.choose_row("How", "Invert").await?;
    browser.until("held > 0").await?;
    browser.click("adjust-cancel").await?;
    browser.until("held === 0").await?;
    assert_eq!(browser.eval(none).await?, Value::Bool(true));
    browser.eval("(window.late = 0, true)").await?;

    // The socket breaks while one is shown, and another is under way.
    browser.click("page-adjust").await?;
    browser.choose_row("How", "Invert").await?;
    browser.until(&format!("!({none})")).await?;
    let before = browser.eval("sockets.length").await?;
    browser.eval("(sockets.at(-1).close(), true)").await?;
    browser
        .until(&format!("sockets.length > {before} && speckle.state().connected === true"))
        .await?;
    browser.until(none).await?;
    // And it is asked for anew when a number changes.
    browser.choose_row("How", "Posterise").await?;
    browser.until(&format!("!({none})")).await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// The line breaks somewhere on the way: nobody is told, and nothing comes any more.
#[tokio::test]
async fn a_line_that_went_dead_is_noticed_within_seconds_and_work_goes_on() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = at_the_drifter(&app).await?;
    let stencil = folder.path().join("grid.png");
    image::RgbaImage::from_fn(8, 8, |x, _| image::Rgba([255 * (x % 2) as u8; 4])).save(&stencil)?;
    browser.choose_file("stencil-file", &stencil).await?;
    browser.until("speckle.state().stencil !== null").await?;
    let before = browser.eval("[sockets.length, speckle.state().stencil.id]").await?;
    // Of the one that is there nothing comes any more; the next one is as good as ever.
    let begun = std::time::Instant::now();
    browser.eval("(window.dead = sockets.length)").await?;
    browser.until(&format!("sockets.length > {}", before[0])).await?;
    let noticed = begun.elapsed();
    assert!(noticed.as_secs() < 25, "noticed after {noticed:?}");
    browser.until("speckle.state().connected === true").await?;
    // The stencil was handed over again, by its new name.
    browser.until(&format!("speckle.state().stencil.id !== {}", before[1])).await?;
    let [x, y] = browser.spot_on(0).await?;
    browser.stroke(&[(x, y)]).await?;
    browser.until("speckle.state().history.undo !== null").await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

#[tokio::test]
async fn a_stroke_that_was_cut_off_says_so_and_what_had_come_is_kept() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = at_the_drifter(&app).await?;
    let [x, y] = browser.spot_on(0).await?;
    browser.click("area-gather").await?;
    browser.stroke(&[(x, y)]).await?;
    browser.click("area-paint").await?;
    let revision = browser.eval("speckle.state().history.revision").await?;
    browser.hover(x, y).await?;
    browser.hold(x, y).await?;
    browser.until("speckle.state().unsaved === 1").await?;
    browser.eval("(sockets.at(-1).close(), true)").await?;
    browser
        .until("document.body.innerText.includes('The connection broke during this stroke')")
        .await?;
    browser.release().await?;
    browser.until("speckle.state().connected === true && speckle.state().unsaved === 0").await?;
    browser.until(&format!("speckle.state().history.revision > {revision}")).await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// What another project was asked for comes when this one is looked at.
#[tokio::test]
async fn a_delivery_is_of_the_project_that_is_open_whatever_comes_late() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    let open = async |piece: &str| {
        browser.click(piece).await?;
        browser.loaded().await?;
        browser.click("area-deliver").await
    };
    let goods = "(document.querySelector('[data-test=goods]')?.innerText ?? '')";
    browser.client.goto(&app.address).await?;
    browser.find("piece-bollard").await?;
    // Answers about a project may be held up from here on.
    browser
        .eval(
            "(() => {
                Object.assign(window, { slow: null, held: 0, let_go: [] });
                for (const read of ['json', 'text']) {
                    const real = Response.prototype[read];
                    Response.prototype[read] = async function () {
                        if (slow?.test(this.url)) {
                            held++;
                            await new Promise((go) => let_go.push(go));
                            held--;
                        }
                        return real.call(this);
                    };
                }
                return true;
            })()",
        )
        .await?;
    open("piece-bollard").await?;
    browser.until(&format!("{goods}.includes('Mooring bollard')")).await?;
    // Once who it is sent to is late, once what it is packed into.
    for late in ["recipients", "packing"] {
        let project = "location.hash.split('/').pop()";
        browser.click("area-paint").await?;
        let slow =
            format!("(window.slow = new RegExp('/projects/' + {project} + '/{late}'), true)");
        browser.eval(&slow).await?;
        browser.click("area-deliver").await?;
        browser.until("held > 0").await?;
        browser.click("to-shelf").await?;
        browser.find("piece-drifter").await?;
        open("piece-drifter").await?;
        browser.until(&format!("{goods}.includes('drifter')")).await?;
        let before = browser.eval(goods).await?;
        browser.eval("(window.slow = null, let_go.splice(0).forEach((go) => go()), true)").await?;
        browser.until("held === 0").await?;
        browser.until("new Promise((go) => requestAnimationFrame(() => go(true)))").await?;
        assert_eq!(browser.eval(goods).await?, before, "{late}");
        browser.click("to-shelf").await?;
        browser.click_text("h3", "ollard").await?;
        browser.loaded().await?;
    }
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}
