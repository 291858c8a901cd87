//! Other shapes for a part in Gather: looked over and mended, made finer, moved by a channel, smoothed and
//! trimmed; each is shown before it is done, and is one undo.

use std::fmt::Write;

use anyhow::Result;
use fantoccini::Locator;
use speckle_e2e::{App, Browser};

use crate::transfer::bowl;

const FINDINGS: &str =
    "(document.querySelector('[data-test=shape-findings]')?.innerText ?? '').replace(/\\s/g, '')";

/// A ball of rows of quads as OBJ, with two holes, some faces the wrong way round and a loose vertex.
fn torn_ball() -> String {
    let (rows, around) = (12, 24);
    let mut text = String::from("v 0 0 10\nv 0 0 -10\n");
    for row in 1..rows {
        let (sin, cos) = (std::f32::consts::PI * row as f32 / rows as f32).sin_cos();
        for i in 0..around {
            let (y, x) = (std::f32::consts::TAU * i as f32 / around as f32).sin_cos();
            let _ = writeln!(text, "v {} {} {}", 10.0 * sin * x, 10.0 * sin * y, 10.0 * cos);
        }
    }
    text.push_str("v 30 30 30\n");
    let at = |row: usize, i: usize| 3 + (row - 1) * around + i % around;
    for i in 0..around {
        let _ = writeln!(text, "f 1 {} {}", at(1, i), at(1, i + 1));
        let _ = writeln!(text, "f 2 {} {}", at(rows - 1, i + 1), at(rows - 1, i));
        for row in 1..rows - 1 {
            let quad = [at(row, i), at(row + 1, i), at(row + 1, i + 1), at(row, i + 1)];
            let is_gone = (row == 3 && i < 2) || (row == 8 && i == 10);
            let is_turned = row == 5 && i % 3 == 0;
            let [a, b, c, d] = if is_turned { [quad[3], quad[2], quad[1], quad[0]] } else { quad };
            if !is_gone {
                let _ = writeln!(text, "f {a} {b} {c} {d}");
            }
        }
    }
    text
}

pub async fn with_file(name: &str, text: &str) -> Result<(tempfile::TempDir, App, Browser)> {
    let folder = tempfile::tempdir()?;
    let file = folder.path().join(name);
    std::fs::write(&file, text)?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.client.goto(&app.address).await?;
    browser.bring_in(&[&file]).await?;
    browser.until("window.speckle?.stage.surfaces.size === 1").await?;
    browser.until("[...speckle.stage.surfaces.values()].every((s) => s.ready)").await?;
    browser.click("area-gather").await?;
    Ok((folder, app, browser))
}

async fn typed(browser: &Browser, label: &str, number: &str) -> Result<()> {
    let field = format!("input[aria-label='{label}, typed']");
    let field = browser.client.find(Locator::Css(&field)).await?;
    field.click().await?;
    field.send_keys(&format!("\u{e009}a\u{e000}{number}\u{e007}")).await?;
    Ok(())
}

pub const PART: &str = "speckle.state().parts[0]";

#[tokio::test]
async fn a_torn_ball_is_looked_over_and_mended_in_one_step() -> Result<()> {
    let (_folder, _app, browser) = with_file("Ball.obj", &torn_ball()).await?;
    browser.until(&format!("{PART}.watertight === false")).await?;
    browser.click("gather-mend").await?;
    for fault in ["hole", "winding", "loose"] {
        browser.find(&format!("fault-{fault}")).await?;
    }
    browser
        .until("document.querySelector('[data-test=fault-hole]').innerText.includes('2 holes, the largest of 6 edges')")
        .await?;
    // What is ticked is shown on the stage already, and nothing has changed.
    browser.until(&format!("{FINDINGS}.includes('2holesareclosed')")).await?;
    browser.until(&format!("{FINDINGS}.includes('1loosevertexgoes')")).await?;
    browser.until(&format!("{FINDINGS}.includes('8facesareturnedover')")).await?;
    browser.until("speckle.stage.surfaces.get(-1)?.object.visible === true").await?;
    browser.until(&format!("{PART}.watertight === false")).await?;
    // Only small holes, and then all again.
    typed(&browser, "Holes up to", "5").await?;
    browser.until(&format!("{FINDINGS}.includes('1holeisclosed')")).await?;
    typed(&browser, "Holes up to", "64").await?;
    browser.until(&format!("{FINDINGS}.includes('2holesareclosed')")).await?;
    browser.click("do-mend").await?;
    browser.until(&format!("{PART}.watertight === true")).await?;
    browser
        .until("document.querySelector('[data-test=faults-said]').innerText.includes('nothing is wrong')")
        .await?;
    // Normals that are sharp at edges are the mesh's own, until they are forgotten.
    browser.choose_row("Normals", "sharp at hard edges").await?;
    browser.until(&format!("{FINDINGS}.includes('asbefore')")).await?;
    browser.click("do-mend").await?;
    browser.until(&format!("{PART}.own_normals === true")).await?;
    browser.choose_row("Normals", "follow the faces").await?;
    browser.until(&format!("{FINDINGS}.includes('asbefore')")).await?;
    browser.click("do-mend").await?;
    browser.until(&format!("{PART}.own_normals === false")).await?;
    for _ in 0..3 {
        browser.click("undo").await?;
    }
    browser.until(&format!("{PART}.watertight === false")).await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

#[tokio::test]
async fn a_bowl_is_made_finer_moved_by_a_channel_and_smoothed() -> Result<()> {
    let (_folder, _app, browser) = with_file("Bowl.ply", &bowl(12, true)).await?;
    browser.click("gather-density").await?;
    browser.choose_row("To get", "finer faces").await?;
    browser.until(&format!("{FINDINGS}.includes('1152triangles,288untilnow')")).await?;
    browser.choose_row("With", "rounded, in quads").await?;
    typed(&browser, "Times", "2").await?;
    browser.until(&format!("{FINDINGS}.includes('4608triangles,288untilnow')")).await?;
    browser.click("do-subdivide").await?;
    browser.until(&format!("{PART}.triangles === 4608 && {PART}.sets.length === 1")).await?;
    // The same once more, on what has become of it.
    browser.click("once-more").await?;
    browser.until(&format!("{FINDINGS}.includes('73728triangles,4608untilnow')")).await?;

    browser.click("gather-form").await?;
    browser.until(&format!("{FINDINGS}.includes('4608trianglesasbefore')")).await?;
    typed(&browser, "Amount", "4").await?;
    browser.until(&format!("{FINDINGS}.includes('Pointsgo')")).await?;
    browser.choose_row("Along", "Y").await?;
    browser.until("speckle.state().remade !== null").await?;
    browser.click("do-displace").await?;
    let mesh = browser.eval(&format!("{PART}.mesh")).await?;
    browser.until("document.body.innerText.includes('Turn anything to look further')").await?;
    browser.choose_row("To", "smooth bumps away").await?;
    browser.until(&format!("{FINDINGS}.includes('Pointsgo')")).await?;
    browser.click("do-smooth").await?;
    browser.until(&format!("{PART}.mesh !== {mesh}")).await?;
    for _ in 0..3 {
        browser.click("undo").await?;
    }
    browser.until(&format!("{PART}.triangles === 288")).await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

#[tokio::test]
async fn a_bowl_is_cut_in_two_along_its_color() -> Result<()> {
    let (_folder, _app, browser) = with_file("Bowl.ply", &bowl(20, true)).await?;
    browser.click("gather-form").await?;
    browser.choose_row("To", "trim by a channel").await?;
    browser.until(&format!("{FINDINGS}.includes('facesarecutthrough')")).await?;
    // All of it lies on one side: it is said, and can be turned back.
    typed(&browser, "Threshold", "1").await?;
    browser.find("shape-trouble").await?;
    typed(&browser, "Threshold", "0.55").await?;
    browser.until(&format!("{FINDINGS}.includes('facesarecutthrough')")).await?;
    browser.click_text("label", "Keep what is cut off as a part").await?;
    browser.until("speckle.state().remade !== null").await?;
    browser.until(&format!("{FINDINGS}.includes('facesarecutthrough')")).await?;
    browser.click("do-trim").await?;
    browser.until("speckle.state().parts.length === 2").await?;
    browser.click("undo").await?;
    browser
        .until(&format!("speckle.state().parts.length === 1 && {PART}.triangles === 800"))
        .await?;
    assert_eq!(browser.complaints_beside_refusals().await?, Vec::<String>::new());
    browser.close().await
}

/// A part is held by a grip on the stage: it goes where the hand leads it, and stands there as a step.
#[tokio::test]
async fn a_part_is_moved_by_its_grip() -> Result<()> {
    let (_folder, _app, browser) = with_file("Bowl.ply", &bowl(8, true)).await?;
    browser.click("grip-move").await?;
    let middle = "(() => { const s = [...speckle.stage.surfaces.values()][0]; const at = speckle.stage.eye.onPage(s.bounds.center.clone()); return [at.x, at.y]; })()";
    let middle = browser.eval(middle).await?;
    let [x, y] = [0, 1].map(|i| middle[i].as_f64().unwrap_or_default());
    // The arrow upwards begins in the middle.
    // The pointer tells only when it moves: the grip may not have been drawn yet.
    for try_again in 0..40 {
        browser.hover(x, y - 40.0 - f64::from(try_again % 2)).await?;
        if browser.eval("speckle.stage.grip.isUnder").await? == true {
            break;
        }
    }
    browser.until("speckle.stage.grip.isUnder").await?;
    browser.stroke(&[(x, y - 40.0), (x, y - 70.0), (x, y - 100.0)]).await?;
    browser.until(&format!("{PART}.transform.translation[1] > 1")).await?;
    browser.until(&format!("Math.abs({PART}.transform.translation[0]) < 1e-3")).await?;
    browser.press("\u{e00c}").await?;
    browser.until("speckle.state().grip === null").await?;
    browser.click("undo").await?;
    browser.until(&format!("{PART}.transform.translation[1] === 0")).await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// Two triangles in one file become two parts, and one again.
#[tokio::test]
async fn parts_are_split_joined_and_settled() -> Result<()> {
    let two = format!("{TRIANGLES}\n{}", TRIANGLES_BESIDE);
    let (_folder, _app, browser) = with_file("Two.obj", &two).await?;
    browser.click("gather-mend").await?;
    browser.choose_row("To", "split it into parts").await?;
    browser.until(&format!("{FINDINGS}.includes('Itbecomes2parts')")).await?;
    browser.click("do-split").await?;
    browser.until("speckle.state().parts.length === 2").await?;
    browser.choose_row("To", "take in where it stands").await?;
    browser.until("document.body.innerText.includes('nothing to take in')").await?;
    browser.choose_row("To", "join parts with it").await?;
    let list = "//*[@data-test='also-on']//*[@role='combobox']";
    browser.unfold(Locator::XPath(list)).await?;
    browser.choose_entry("piece 2").await?;
    browser.eval("document.querySelector('.MuiMenu-root .MuiBackdrop-root')?.click()").await?;
    browser.until("document.querySelector('.MuiMenu-root') === null").await?;
    browser.until(&format!("{FINDINGS}.includes('2triangles,1untilnow')")).await?;
    browser.click("do-join").await?;
    browser.until(&format!("speckle.state().parts.length === 1 && {PART}.triangles === 2")).await?;
    for _ in 0..2 {
        browser.click("undo").await?;
    }
    browser.until(&format!("speckle.state().parts.length === 1 && {PART}.pieces === 2")).await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

const TRIANGLES: &str = "v 0 0 0\nv 10 0 0\nv 0 10 0\nf 1 2 3";
const TRIANGLES_BESIDE: &str = "v 20 0 0\nv 30 0 0\nv 20 10 0\nf 4 5 6\n";

/// The name goes on the drifter's bow: strokes with a crisp rim cut the planks as finely as the letters need
/// it, each with its paint as one step.
#[tokio::test]
async fn a_letter_is_painted_on_the_bow_of_the_drifter() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.open_piece(&app, "drifter").await?;
    browser.click("area-paint").await?;
    let before = browser.eval(&format!("{PART}.triangles")).await?;
    browser.type_into_knob("Hardness", "100").await?;
    browser.type_into_knob("Radius", "1.2").await?;
    browser.click_text("label", "Crisp rim: cut faces along it").await?;
    browser.until("speckle.state().brush.crisp && speckle.state().brush.hardness === 1").await?;
    let [x, y] = browser.spot_on(0).await?;
    for way in [[(0.0, 0.0), (0.0, 8.0), (0.0, 16.0)], [(0.0, 16.0), (5.0, 16.0), (10.0, 16.0)]] {
        let triangles = browser.eval(&format!("{PART}.triangles")).await?;
        browser.stroke(&way.map(|(right, down)| (x + right, y + down))).await?;
        browser.until(&format!("{PART}.triangles > {triangles}")).await?;
    }
    browser.until("speckle.state().history.undo.label.endsWith('mesh finer')").await?;
    for _ in 0..2 {
        let then = browser.eval("speckle.state().history.revision").await?;
        browser.click("undo").await?;
        browser.until(&format!("speckle.state().history.revision > {then}")).await?;
    }
    browser.until(&format!("{PART}.triangles === {before}")).await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}
