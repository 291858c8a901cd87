//! Other shapes for a part in Gather: looked over and mended, made finer, moved by a channel, smoothed and
//! trimmed; each is shown before it is done, and is one undo.

use std::fmt::Write;

use anyhow::{Context, Result};
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

async fn with_file(name: &str, text: &str) -> Result<(tempfile::TempDir, App, Browser)> {
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

const PART: &str = "speckle.state().parts[0]";

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

/// Two big triangles with a color at each face, as PLY.
const SQUARE: &str = "ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\n\
     element face 2\nproperty list uchar int vertex_indices\nproperty uchar red\nproperty uchar green\nproperty uchar blue\n\
     end_header\n-50 -50 0\n50 -50 0\n50 50 0\n-50 50 0\n3 0 1 2 200 200 200\n3 0 2 3 200 200 200\n";

/// Takes a hard brush of a radius in hand that cuts faces along its rim.
async fn crisp_brush(browser: &Browser, radius: &str) -> Result<()> {
    browser.type_into_knob("Hardness", "100").await?;
    browser.type_into_knob("Radius", radius).await?;
    browser.click_text("label", "Crisp rim: cut faces along it").await?;
    browser.until("speckle.state().brush.crisp && speckle.state().brush.hardness === 1").await
}

/// Paints where the camera looks.
async fn stroke_in_the_middle(browser: &Browser) -> Result<()> {
    let middle = "(() => { const at = speckle.stage.eye.onPage(speckle.stage.eye.controls.target.clone()); return [at.x, at.y]; })()";
    let [x, y]: [f64; 2] = serde_json::from_value(browser.eval(middle).await?)?;
    browser.stroke(&[(x, y), (x + 1.0, y)]).await
}

#[tokio::test]
async fn a_crisp_stroke_on_two_triangles_cuts_them_and_one_undo_takes_both_back() -> Result<()> {
    let (_folder, _app, browser) = with_file("Square.ply", SQUARE).await?;
    browser.click("area-paint").await?;
    browser.until(&format!("{PART}.faces === 2")).await?;
    crisp_brush(&browser, "20").await?;
    stroke_in_the_middle(&browser).await?;
    browser.until(&format!("{PART}.faces > 60")).await?;
    // A circle as seen: on the slanted square an ellipse, π r² over the cosine.
    let cosine = "(() => { const { eye, target } = speckle.stage.eye.pose(); const d = eye.map((x, i) => x - target[i]); return Math.abs(d[2]) / Math.hypot(...d); })()";
    browser.until(&format!("Math.abs({PAINTED} * {cosine} / (Math.PI * 400) - 1) < 0.03")).await?;
    browser.click("undo").await?;
    browser.until(&format!("{PART}.faces === 2 && {PAINTED} === 0")).await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// An image of a disc, painted through on two triangles, is cut into them; undo has them whole again.
#[tokio::test]
async fn a_stencil_is_cut_into_two_triangles() -> Result<()> {
    let (folder, _app, browser) = with_file("Square.ply", SQUARE).await?;
    let disc = folder.path().join("disc.png");
    image::GrayImage::from_fn(128, 128, |x, y| {
        let far = (f64::from(x) - 63.5).hypot(f64::from(y) - 63.5);
        image::Luma([if far < 48.0 { 255 } else { 0 }])
    })
    .save(&disc)?;
    browser.click("area-paint").await?;
    browser.until(&format!("{PART}.faces === 2")).await?;
    crisp_brush(&browser, "60").await?;
    browser.choose_file("stencil-file", &disc).await?;
    browser.until("speckle.state().stencil?.name === 'disc.png'").await?;
    browser
        .until("document.body.innerText.includes('Faces are cut along the stencil as well')")
        .await?;
    browser.choose_row("Lies", "from three axes").await?;
    browser.until("speckle.state().stencil.lay === 'axes'").await?;
    stroke_in_the_middle(&browser).await?;
    browser.until(&format!("{PART}.faces > 60")).await?;
    // The image lies about the origin, as wide as it says: a disc of three quarters of that, π r².
    let radius = "(speckle.state().stencil.width.axes * 0.375)";
    browser.until(&format!("Math.abs({PAINTED} / (Math.PI * {radius} ** 2) - 1) < 0.02")).await?;
    browser.click("undo").await?;
    browser.until(&format!("{PART}.faces === 2 && {PAINTED} === 0")).await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// A band laid on two triangles is cut into them, with straight edges; undo has them whole again.
#[tokio::test]
async fn a_crisp_band_cuts_two_triangles_along_its_edges() -> Result<()> {
    let (_folder, _app, browser) = with_file("Square.ply", SQUARE).await?;
    browser.click("area-paint").await?;
    browser.until(&format!("{PART}.faces === 2")).await?;
    browser.click("tool-span").await?;
    browser.click("span-band").await?;
    browser.choose_row("Runs along", "X").await?;
    browser.type_into_knob("From", "-10").await?;
    browser.type_into_knob("To", "15").await?;
    browser.click_text("label", "Crisp border: cut faces along it").await?;
    browser.until("speckle.state().span.crisp").await?;
    browser.until("speckle.state().spanReady").await?;
    // How much finer it becomes is told before.
    let told = told_ahead(&browser).await?;
    browser.click_text("button", "Lay it on").await?;
    browser.until(&format!("{PART}.faces === {}", 2 + told)).await?;
    browser.until(&format!("Math.abs({PAINTED} / 2500 - 1) < 1e-3")).await?;
    browser.click("undo").await?;
    browser.until(&format!("{PART}.faces === 2 && {PAINTED} === 0")).await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// A cube of eight shared vertices, in grey.
const CUBE: &str = "ply\nformat ascii 1.0\nelement vertex 8\nproperty float x\nproperty float y\n\
    property float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\nelement face 6\n\
    property list uchar int vertex_indices\nend_header\n0 0 0 200 200 200\n10 0 0 200 200 200\n\
    0 10 0 200 200 200\n10 10 0 200 200 200\n0 0 10 200 200 200\n10 0 10 200 200 200\n\
    0 10 10 200 200 200\n10 10 10 200 200 200\n4 0 2 3 1\n4 4 5 7 6\n4 0 1 5 4\n4 2 6 7 3\n4 0 4 6 2\n\
    4 1 3 7 5\n";

/// One side of a cube is poured over, and the paint ends at its edges; undo has the cube as it was.
#[tokio::test]
async fn a_crisp_pour_stays_on_its_side_of_an_edge() -> Result<()> {
    let (_folder, _app, browser) = with_file("Cube.ply", CUBE).await?;
    browser.click("area-paint").await?;
    browser.until(&format!("{PART}.faces === 6")).await?;
    browser.click("tool-pour").await?;
    browser.click_text("label", "Crisp border: cut faces beside it").await?;
    browser.until("speckle.state().pour.crisp").await?;
    let [x, y] = browser.spot_on(0).await?;
    browser.hover(x, y).await?;
    let told = told_ahead(&browser).await?;
    browser
        .until(&format!("document.querySelector('[data-test=pour-covers]').innerText.endsWith('and adds {told} triangles.')"))
        .await?;
    browser.stroke(&[(x, y)]).await?;
    browser.until(&format!("{PART}.faces === {}", 12 + told)).await?;
    // A side is 100 large; what is painted at all ends a hundredth of an edge beyond it, on four sides.
    browser.until(&format!("Math.abs({SHOWS_PAINT} / 102 - 1) < 0.02")).await?;
    browser.click("undo").await?;
    browser.until(&format!("{PART}.faces === 6 && {SHOWS_PAINT} === 0")).await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// How many triangles the page says that will come.
async fn told_ahead(browser: &Browser) -> Result<u64> {
    browser.until("speckle.state().ahead > 0").await?;
    browser.eval("speckle.state().ahead").await?.as_u64().context("a number")
}

/// The square as four, of eight triangles.
fn quartered() -> String {
    let mut text = String::from(
        "ply\nformat ascii 1.0\nelement vertex 9\nproperty float x\nproperty float y\nproperty float z\n\
         element face 8\nproperty list uchar int vertex_indices\nproperty uchar red\nproperty uchar green\n\
         property uchar blue\nend_header\n",
    );
    for i in 0..9 {
        let _ = writeln!(text, "{} {} 0", i % 3 * 50 - 50, i / 3 * 50 - 50);
    }
    for [a, b, c, d] in [0, 1, 3, 4].map(|i| [i, i + 1, i + 4, i + 3]) {
        let _ = writeln!(text, "3 {a} {b} {c} 200 200 200\n3 {a} {c} {d} 200 200 200");
    }
    text
}

/// A brush and a span that would make very many triangles ask before: nothing comes of a no, the span goes on
/// as the mesh is where that is asked for, and the brush, once let, does what it said.
#[tokio::test]
async fn very_many_triangles_are_asked_about_before_they_are_made() -> Result<()> {
    let (folder, _app, browser) = with_file("Square.ply", &quartered()).await?;
    browser.click("area-paint").await?;
    browser.until(&format!("{PART}.faces === 8")).await?;
    browser.type_into_knob("Radius", "60").await?;
    browser.click_text("label", "Finer faces under it").await?;
    browser.type_into_row("Edges up to", "2").await?;
    browser.until("speckle.state().brush.finer === 2").await?;
    let middle = "(() => { const at = speckle.stage.eye.onPage(speckle.stage.eye.controls.target.clone()); return [at.x, at.y]; })()";
    let [x, y]: [f64; 2] = serde_json::from_value(browser.eval(middle).await?)?;
    browser.hover(x, y).await?;
    assert!(told_ahead(&browser).await? < 20_000);
    browser.type_into_row("Edges up to", "1").await?;
    browser.until("speckle.state().brush.finer === 1").await?;
    browser.hover(x + 1.0, y).await?;
    browser.until("speckle.state().ahead > 20000").await?;
    let told = told_ahead(&browser).await?;
    browser.stroke(&[(x + 1.0, y)]).await?;
    let asked = browser.find("asked-ahead").await?.text().await?;
    assert!(asked.replace('\u{2009}', "").contains(&told.to_string()), "{asked} for {told}");
    browser.click_text("button", "Cancel").await?;
    browser.until("document.querySelector('[data-test=asked-ahead]') === null").await?;
    browser.hover(x, y).await?;
    browser.until("speckle.state().ahead > 20000").await?;
    browser.stroke(&[(x, y)]).await?;
    browser.click("ahead-cut").await?;
    browser.until("document.querySelector('[data-test=asked-ahead]') === null").await?;
    browser.until(&format!("{PART}.faces === 8")).await?;
    browser.stroke(&[(x, y)]).await?;
    browser.until(&format!("{PART}.faces > 20000")).await?;
    browser.click("undo").await?;
    browser.until(&format!("{PART}.faces === 8 && {PAINTED} === 0")).await?;

    let checker = folder.path().join("checker.png");
    let shade = |x: u32, y: u32| image::Luma([255 * u8::from((x / 2 + y / 2).is_multiple_of(2))]);
    image::GrayImage::from_fn(128, 128, shade).save(&checker)?;
    browser.choose_file("stencil-file", &checker).await?;
    browser.until("speckle.state().stencil?.name === 'checker.png'").await?;
    browser.click("tool-span").await?;
    browser.click("span-band").await?;
    browser.choose_row("Runs along", "X").await?;
    browser.type_into_knob("From", "-60").await?;
    browser.type_into_knob("To", "60").await?;
    browser.click_text("label", "Crisp border: cut faces along it").await?;
    browser.until("speckle.state().ahead > 20000").await?;
    browser.click_text("button", "Lay it on").await?;
    browser.click("ahead-plain").await?;
    browser.until("speckle.state().history.undo.label.startsWith('Band')").await?;
    browser.until(&format!("{PART}.faces === 8")).await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// The area of the triangles of which a vertex is not as grey as it came, by how many are.
const SHOWS_PAINT: &str = "(() => { const s = [...speckle.stage.surfaces.values()][0]; const held = s.values.get(speckle.state().shown); \
    let area = 0; for (let t = 0; t < s.shape.triangleCount; t++) { const vertices = s.shape.verticesOf(t); \
    const dark = vertices.filter((v) => held.bytes[4 * v] !== 200).length; if (dark === 0) continue; \
    const [a, b, c] = vertices.map((v) => [0, 1, 2].map((i) => s.shape.positions[3 * v + i])); \
    const [p, q] = [b, c].map((to) => to.map((x, i) => x - a[i])); \
    area += (dark / 3) * Math.hypot(p[1] * q[2] - p[2] * q[1], p[2] * q[0] - p[0] * q[2], p[0] * q[1] - p[1] * q[0]) / 2; } return area; })()";

/// The area of the faces that are not as grey as they came.
const PAINTED: &str = "(() => { const s = [...speckle.stage.surfaces.values()][0]; const held = s.values.get(speckle.state().shown); \
    let area = 0; for (let f = 0; f < s.shape.faceCount; f++) { if (held.bytes[4 * f] === 200) continue; \
    const [a, b, c] = s.shape.verticesOf(f).map((v) => s.shape.positions.subarray(3 * v, 3 * v + 3)); \
    area += Math.abs((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])) / 2; } return area; })()";

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
