//! Takes the pictures of `docs/screenshots`, from the demo data: `cargo xtask screenshots`.

use std::time::Duration;
use std::{fs, path::Path};

use anyhow::Result;
use fantoccini::Locator;
use speckle_e2e::{App, Browser, binary};

#[tokio::test]
#[ignore = "writes pictures; run by cargo xtask screenshots"]
async fn pictures() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let goal = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/screenshots");
    let app = App::start_as_usual(&folder.path().join("toys"))?;
    let browser = Browser::start_as_usual().await?;
    browser.client.goto(&app.address).await?;
    browser.find("piece-bollard").await?;
    tokio::time::sleep(Duration::from_millis(300)).await;
    // Pieces are drawn one after the other.
    browser
        .until("document.images.length >= 4 && [...document.images].every((image) => image.complete && image.naturalWidth > 0)")
        .await?;
    fs::write(goal.join("shelf.png"), browser.client.screenshot().await?)?;

    browser.click("piece-bollard").await?;
    browser
        .until("window.speckle?.state().connected === true && speckle.stage.surfaces.size === 1")
        .await?;
    // Bands around the neck and the head, rust in the foot, the way a hand would lay them: from the
    // middle out past both sides.
    let across = |y: f64, sag: f64| -> Vec<(f64, f64)> {
        [470.0, 400.0, 330.0, 260.0, 200.0, 260.0, 330.0, 400.0, 470.0, 540.0, 610.0, 680.0, 740.0]
            .map(|x: f64| (x, y + sag * (1.0 - ((x - 470.0) / 210.0).powi(2))))
            .to_vec()
    };
    let brush = |radius: f32, hardness: f32, opacity: f32| {
        format!(
            "(document.activeElement?.blur(), speckle.stage.redraw(), speckle.brush({radius}, {hardness}, {opacity}), true)"
        )
    };
    browser.paint_with("#1F4C51").await?;
    browser.eval(&brush(17.0, 0.85, 1.0)).await?;
    for y in [200.0, 216.0, 232.0] {
        browser.stroke(&across(y, 52.0)).await?;
    }
    browser.paint_with("#C43921").await?;
    browser.eval(&brush(20.0, 0.8, 1.0)).await?;
    browser.stroke(&across(360.0, 36.0)).await?;
    browser.paint_with("#C99B52").await?;
    browser.eval(&brush(12.0, 0.1, 0.75)).await?;
    browser.stroke(&across(505.0, 92.0)).await?;
    browser.eval(&brush(16.0, 0.5, 1.0)).await?;
    browser.hover(520.0, 300.0).await?;
    browser.hover(470.0, 300.0).await?;
    browser.until("speckle.state().covered > 0").await?;
    tokio::time::sleep(Duration::from_millis(400)).await;
    fs::write(goal.join("paint.png"), browser.client.screenshot().await?)?;

    browser.click("area-deliver").await?;
    browser.until("document.querySelector('[data-test=goods]') !== null").await?;
    // What a printer's format has no room for, and the proof of the rest.
    browser.click("recipient").await?;
    browser.choose_entry("Full-color printer").await?;
    browser
        .until("document.querySelector('[data-test=goods]')?.innerText.includes('.3mf')")
        .await?;
    browser.click("prove").await?;
    browser.find("proof").await?;
    browser
        .eval("document.querySelector('[data-test=proof]').scrollIntoView({ block: 'end' })")
        .await?;
    tokio::time::sleep(Duration::from_millis(400)).await;
    fs::write(goal.join("deliver.png"), browser.client.screenshot().await?)?;

    let input = folder.path().join("quay-lamp.ply");
    let made = folder.path().join("lamp.glb");
    let project = browser.eval("location.hash.split('/').pop()").await?;
    let project = project.as_str().unwrap_or_default();
    let path = format!("/api/v1/projects/{project}/export?format=glb");
    fs::write(&made, speckle_e2e::fetch(&app.address, &path)?)?;
    let convert = std::process::Command::new(binary()?)
        .args(["convert"])
        .arg(&made)
        .arg(&input)
        .args(["--body", "ascii", "--scale", "1000"])
        .status()?;
    assert!(convert.success());
    // What real files bring along: a property nobody knows, a face that is none.
    let text = fs::read_to_string(&input)?;
    let faces = text
        .lines()
        .find_map(|line| line.strip_prefix("element face "))
        .unwrap_or("0")
        .parse::<usize>()?;
    let text =
        text.replace(&format!("element face {faces}"), &format!("element face {}", faces + 2));
    fs::write(&input, text + "3 1 1 2\n3 7 9 7\n")?;
    browser.click("to-shelf").await?;
    browser.find("piece-bollard").await?;
    browser.bring_in(&[&input]).await?;
    browser.find("report").await?;
    browser.until("speckle.stage.surfaces.size === 1").await?;
    tokio::time::sleep(Duration::from_millis(500)).await;
    fs::write(goal.join("import-report.png"), browser.client.screenshot().await?)?;

    browser.open_piece(&app, "drifter").await?;
    browser.until("speckle.stage.surfaces.size === 4").await?;
    browser.click("area-gather").await?;
    browser.eval("(speckle.stage.eye.turn(0.45, -0.08, 0.86), true)").await?;
    tokio::time::sleep(Duration::from_millis(900)).await;
    fs::write(goal.join("parts.png"), browser.client.screenshot().await?)?;
    browser.client.refresh().await?;
    browser.loaded().await?;
    browser.click("tool-pour").await?;
    browser.press("!").await?;
    let [x, y] = browser.spot_on(0).await?;
    browser.paint_with("#1F4C51").await?;
    browser.stroke(&[(x, y)]).await?;
    browser.until("speckle.state().history.undo.label === 'Crease pour on Paint'").await?;
    browser.hover(x, y).await?;
    tokio::time::sleep(Duration::from_millis(700)).await;
    fs::write(goal.join("pour.png"), browser.client.screenshot().await?)?;
    browser.client.refresh().await?;
    browser.loaded().await?;
    hand_work(&browser, &goal).await?;
    browser.client.refresh().await?;
    browser.loaded().await?;
    baking(&browser, &app, &goal).await?;
    crisp_letters(&browser, &app, &goal).await?;
    let scan = folder.path().join("torn-scan.ply");
    fs::write(&scan, torn(&fs::read_to_string(&input)?))?;
    browser.click("to-shelf").await?;
    browser.find("piece-bollard").await?;
    browser.bring_in(&[&scan]).await?;
    browser.until("speckle.stage.surfaces.size === 1").await?;
    browser.click("area-gather").await?;
    browser.click_text("button", "Close").await?;
    browser.click("gather-mend").await?;
    browser.until("speckle.state().remade !== null").await?;
    browser.click("remade-before").await?;
    browser.click_at(Locator::XPath("//*[@data-test='fault-hole']//button[.='Show']")).await?;
    tokio::time::sleep(Duration::from_millis(900)).await;
    fs::write(goal.join("mend.png"), browser.client.screenshot().await?)?;
    let complaints = browser.complaints_beside_refusals().await?;
    browser.close().await?;
    assert!(complaints.is_empty(), "{complaints:?}");
    Ok(())
}

/// A scan in text with holes, faces the wrong way round and a loose vertex.
fn torn(text: &str) -> String {
    let (head, body) = text.split_once("end_header\n").unwrap_or((text, ""));
    let count = |what: &str| {
        let line = head.lines().find_map(|line| line.strip_prefix(what));
        line.and_then(|n| n.trim().parse::<usize>().ok()).unwrap_or(0)
    };
    let [vertices, faces] = ["element vertex ", "element face "].map(count);
    let lines: Vec<&str> = body.lines().collect();
    let (points, rest) = lines.split_at(vertices.min(lines.len()));
    let is_gone = |i: usize| (1500..1512).contains(&i) || (2600..2604).contains(&i);
    let kept = rest.iter().take(faces).enumerate().filter(|(i, _)| !is_gone(*i));
    let turned = kept.map(|(i, line)| {
        let mut words: Vec<&str> = line.split(' ').collect();
        if i % 97 == 0 && words.len() == 4 {
            words.swap(2, 3);
        }
        words.join(" ")
    });
    let all: Vec<String> = turned.collect();
    let head =
        head.replace(&format!("element face {faces}"), &format!("element face {}", all.len()));
    format!("{head}end_header\n{}\n{}\n", points.join("\n"), all.join("\n"))
}

/// Letters on the lighthouse door whose rims are cut into its faces.
async fn crisp_letters(browser: &Browser, app: &App, goal: &Path) -> Result<()> {
    browser.open_piece(app, "door").await?;
    browser.click("area-paint").await?;
    browser.choose_look("Wireframe").await?;
    browser.eval("(speckle.stage.eye.turn(0.25, 0.0, 0.6), true)").await?;
    browser.paint_with("#C43921").await?;
    browser.click_text("label", "Crisp rim: cut faces along it").await?;
    browser.eval("(document.activeElement?.blur(), speckle.stage.redraw(), speckle.brush(22.0, 1.0, 1.0), true)").await?;
    tokio::time::sleep(Duration::from_millis(900)).await;
    let letters: [&[(f64, f64)]; 2] = [
        &[(380.0, 230.0), (380.0, 330.0), (440.0, 330.0)],
        &[(490.0, 330.0), (490.0, 230.0), (550.0, 330.0), (550.0, 232.0)],
    ];
    for way in letters {
        let before = browser.eval("speckle.state().parts[0].triangles").await?;
        browser.stroke(way).await?;
        browser.until(&format!("speckle.state().parts[0].triangles !== {before}")).await?;
    }
    tokio::time::sleep(Duration::from_millis(1500)).await;
    Ok(fs::write(goal.join("crisp.png"), browser.client.screenshot().await?)?)
}

/// Recipes: the bollard's four channels, the pennant's sway, the stone with its image, the door
/// that weathered.
async fn baking(browser: &Browser, app: &App, goal: &Path) -> Result<()> {
    let settled = || tokio::time::sleep(Duration::from_millis(1200));
    let picture = async |name: &str| -> Result<()> {
        settled().await;
        Ok(fs::write(goal.join(name), browser.client.screenshot().await?)?)
    };
    browser.open_piece(app, "bollard").await?;
    browser.click("area-bake").await?;
    browser.click_at(Locator::Css("[aria-label='Paint B of Wear']")).await?;
    browser.click("show-made").await?;
    browser.until("document.querySelectorAll('[data-test=step]').length === 3").await?;
    picture("bake.png").await?;
    // The pennant at a moment in the wind, beside what sways it, and what is found.
    browser.open_piece(app, "pennant").await?;
    browser.click("area-proof").await?;
    browser.find("look-row").await?;
    browser.click("panes-two").await?;
    browser.click("pane-shows-1").await?;
    browser.click_text("li", "Motion · set").await?;
    browser.until("speckle.state().panes.list[1].shows.set === 'Motion'").await?;
    browser.click("pane-shows-1").await?;
    browser.click_at(Locator::Css("[aria-label='A alone, in the pane']")).await?;
    browser.until("speckle.state().panes.list[1].shows.channel === 3").await?;
    browser.click_at(Locator::Css("[data-test=look-row] button")).await?;
    browser.click("move").await?;
    browser.click_text("label", "Hold it at a moment").await?;
    browser.type_into_row("Moment", "0.50").await?;
    browser.until("speckle.stage.stir.uniforms.seconds.value === 0.5").await?;
    browser.click_at(Locator::Css("[data-test=look-row] button")).await?;
    browser
        .until("document.querySelector('[data-test=checks-said]')?.innerText === '1 found'")
        .await?;
    picture("sway.png").await?;
    // Its report, as a receiver opens it.
    let project = browser.eval("location.hash.split('/').pop()").await?;
    let project = project.as_str().unwrap_or_default();
    let page = speckle_e2e::fetch(&app.address, &format!("/api/v1/projects/{project}/report"))?;
    let file = goal.join("report.html");
    fs::write(&file, page)?;
    let here = browser.client.current_url().await?;
    browser.client.goto(&format!("file://{}", file.canonicalize()?.display())).await?;
    browser
        .until("document.images.length > 0 && [...document.images].every((own) => own.complete)")
        .await?;
    picture("report.png").await?;
    fs::remove_file(&file)?;
    browser.client.goto(here.as_str()).await?;
    browser.until("window.speckle?.stage.surfaces.size > 0").await?;

    browser.open_piece(app, "stone").await?;
    lighter_stone(browser, goal).await?;

    // Hard edges: rust that runs from the irons, paint that is rubbed off.
    browser.open_piece(app, "door").await?;
    browser.click("area-bake").await?;
    browser.find("step").await?;
    browser.click("family-weather").await?;
    browser.eval("(speckle.stage.eye.turn(0.35, 0.0, 0.62), true)").await?;
    picture("weather.png").await?;

    // The bollard as a material that its channels drive.
    browser.open_piece(app, "bollard").await?;
    browser.click("area-proof").await?;
    browser.find("look-row").await?;
    browser.click_at(Locator::Css("[data-test=look-row] button")).await?;
    browser.until("document.querySelectorAll('[data-test=layer]').length === 5").await?;
    browser.until("document.querySelector('[data-test=checks-said]')?.innerText !== ''").await?;
    browser.click("panes-two").await?;
    browser.click("pane-shows-1").await?;
    browser.click_text("li", "Wear · set").await?;
    browser.until("speckle.state().panes.list[1].shows.set === 'Wear'").await?;
    picture("proof.png").await?;
    browser.click("panes-one").await?;

    // What makes the lighthouse change spools.
    browser.open_piece(app, "lighthouse").await?;
    browser.click("area-layers").await?;
    browser.until("document.querySelectorAll('[data-test=layer-card] line').length > 0").await?;
    browser.until("document.querySelector('[data-test=cause-bands]') !== null").await?;
    browser.until("document.querySelector('[data-test=changes-then]') !== null").await?;
    browser
        .eval("(document.querySelector('[data-test=mend]').scrollIntoView({ block: 'end' }), true)")
        .await?;
    picture("layers.png").await?;

    // Volumes on the token, one of them about to be moved.
    browser.open_piece(app, "token").await?;
    browser.click("area-paint").await?;
    browser.click("page-volumes").await?;
    for (shape, [x, y]) in [("cone", [400.0, 330.0]), ("box", [545.0, 395.0])] {
        browser.click(&format!("place-{shape}")).await?;
        browser.stroke(&[(x, y)]).await?;
        browser.until("speckle.state().placing === null").await?;
        browser.until("document.querySelector('[data-test=volume-in-hand]') !== null").await?;
        browser.click("volume-in-2").await?;
    }
    browser.click("grip-move").await?;
    browser.until("document.querySelector('[data-test=meets]') !== null").await?;
    picture("volumes.png").await
}

/// A copy of the tide stone with few triangles, looked at; and its colors carried to it once it has lost
/// them.
async fn lighter_stone(browser: &Browser, goal: &Path) -> Result<()> {
    let settled = || tokio::time::sleep(Duration::from_millis(1200));
    // The light copy that is there makes room for one made here.
    let delete = "(async () => { const own = speckle.state().parts[1]; await fetch('/api/v1/projects/' + location.hash.split('/').at(-1) + '/edits', \
        { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ type: 'delete_parts', parts: [own.id] }) }); })()";
    browser.eval(delete).await?;
    browser.until("speckle.state().parts.length === 1").await?;
    browser.press("f").await?;
    browser.click("area-gather").await?;
    browser.click("gather-density").await?;
    browser.choose_row("It comes", "as a copy beside it").await?;
    browser.until("speckle.state().remade !== null").await?;
    browser.click_text("label", "Edges").await?;
    settled().await;
    fs::write(goal.join("density.png"), browser.client.screenshot().await?)?;
    browser.click_text("label", "Edges").await?;
    browser.click("do-decimate").await?;
    browser.until("speckle.state().parts.length === 2").await?;
    let clear = "(async () => { const [, copy] = speckle.state().parts; const [set] = copy.sets; \
        const edit = (body) => fetch('/api/v1/projects/' + location.hash.split('/').at(-1) + '/edits', \
            { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }); \
        for (const { channels } of set.recipes) await edit({ type: 'freeze_recipe', part: copy.id, set: set.id, channels }); \
        await edit({ type: 'clear_channels', part: copy.id, set: set.id, channels: [true, true, true, true] }); })()";
    browser.eval(clear).await?;
    browser.until("speckle.state().history.undo.label.startsWith('Clear')").await?;
    let row = "//*[@data-test='part']//button[contains(., 'copy')]";
    browser.click_at(Locator::XPath(row)).await?;
    browser.click("eye").await?;
    browser.click("gather-transfer").await?;
    browser.until("speckle.state().trial !== null").await?;
    browser.click("trial-wipe").await?;
    browser.eval("(document.querySelector('[data-test=transfer-findings]').scrollIntoView({ block: 'end' }), true)").await?;
    settled().await;
    Ok(fs::write(goal.join("transfer.png"), browser.client.screenshot().await?)?)
}

/// The hand work on the drifter: a waterline by span, the bow by lasso, its adjustment, and what it
/// was like before.
async fn hand_work(browser: &Browser, goal: &Path) -> Result<()> {
    const ENTER: &str = "\u{e007}";
    let settled = || tokio::time::sleep(Duration::from_millis(700));
    browser.click("area-paint").await?;
    browser.press("!").await?;
    browser.eval("(speckle.stage.eye.turn(0.5, -0.3, 0.8), true)").await?;
    browser.click("page-views").await?;
    browser.click("take-snapshot").await?;
    browser.find("name").await?.send_keys(&format!("Bare hull{ENTER}")).await?;
    browser.until("document.querySelector('[role=dialog]') === null").await?;
    for (hex, name) in [("#C43921", 0), ("#EDE7D6", 1), ("#CB974E", 2), ("#1E6F7C", 3)] {
        browser.paint_with(hex).await?;
        browser.click("add-swatch").await?;
        browser.until(&format!("speckle.state().swatches.length === {}", name + 1)).await?;
    }
    browser.click("page-tool").await?;
    browser.press("1").await?;
    browser.press("B").await?;
    browser.type_into_knob("From", "-5").await?;
    browser.type_into_knob("To", "17").await?;
    browser.until("speckle.state().covered > 100").await?;
    settled().await;
    browser.press(ENTER).await?;
    browser.until("speckle.state().history.undo.label === 'Band on Paint'").await?;

    browser.click("into-selection").await?;
    browser.until("speckle.state().into === 'selection'").await?;
    browser.click("page-select").await?;
    browser.press("L").await?;
    let outline = [(560.0, 250.0), (800.0, 230.0), (820.0, 470.0), (600.0, 520.0), (540.0, 400.0)];
    browser.stroke(&outline).await?;
    browser.until("speckle.state().covered > 100").await?;
    browser.press(ENTER).await?;
    browser.until("speckle.state().history.undo.label === 'Lasso on Selection 1'").await?;

    browser.click("into-set").await?;
    browser.click("page-adjust").await?;
    browser.choose_row("How", "Hue, chroma, lightness").await?;
    browser.choose_row("Where", "within Selection 1").await?;
    let hue = browser.client.find(Locator::Css("[aria-label='Hue, typed']")).await?;
    hue.click().await?;
    hue.send_keys(&format!("\u{e009}a\u{e000}150{ENTER}")).await?;
    settled().await;
    fs::write(goal.join("adjust.png"), browser.client.screenshot().await?)?;
    browser.click("adjust-accept").await?;
    browser.until("speckle.state().history.undo.label === 'Shift of color of Paint'").await?;
    browser.choose_look("Stripes").await?;
    browser.click("page-views").await?;
    browser.click_text("button", "Wipe").await?;
    browser.until("speckle.state().wipe !== null").await?;
    settled().await;
    fs::write(goal.join("wipe.png"), browser.client.screenshot().await?)?;
    Ok(())
}
