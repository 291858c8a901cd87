//! Brushes and fills that make the mesh beneath them finer, or cut it along their border: what is painted is
//! what it looks like, and one undo takes back mesh and paint.

use std::fmt::Write;

use anyhow::{Context, Result};
use speckle_e2e::Browser;

use crate::shapes::{PART, with_file};

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

/// The mesh becomes finer while the pointer is down, on polygons too; one undo takes back all of it, and what
/// was painted is there at once.
#[tokio::test]
async fn the_mesh_becomes_finer_while_the_pointer_moves() -> Result<()> {
    let (_folder, _app, browser) = with_file("Cube.ply", CUBE).await?;
    browser.click("area-paint").await?;
    browser.until(&format!("{PART}.faces === 6")).await?;
    browser.type_into_knob("Hardness", "100").await?;
    browser.type_into_knob("Radius", "1").await?;
    browser.click_text("label", "Finer faces under it").await?;
    browser.type_into_row("Edges up to", "0.5").await?;
    browser.until("speckle.state().brush.finer === 0.5").await?;
    let [x, y] = browser.spot_on(0).await?;
    browser.hold(x, y).await?;
    browser.until(&format!("{PART}.faces > 12 && {SHOWS_PAINT} > 1")).await?;
    let first = browser.eval(&format!("{PART}.faces")).await?.as_u64().context("a number")?;
    browser.hover(x + 40.0, y).await?;
    browser.until(&format!("{PART}.faces > {first}")).await?;
    browser.release().await?;
    browser.until("speckle.state().unsaved === 0").await?;
    browser.until("speckle.state().history.undo.label.endsWith('mesh finer')").await?;
    let last = browser.eval(&format!("{PART}.faces")).await?.as_u64().context("a number")?;
    assert!(last > first);
    browser.click("undo").await?;
    browser.until(&format!("{PART}.faces === 6 && {SHOWS_PAINT} === 0")).await?;
    browser.click("redo").await?;
    browser.until(&format!("{PART}.faces === {last} && {SHOWS_PAINT} > 1")).await?;
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

    // A stroke whose dabs make few each stops where they are many together; the brush, once let, goes on.
    browser.type_into_knob("Radius", "20").await?;
    browser.hover(x + 2.0, y).await?;
    browser.until("speckle.state().ahead > 0 && speckle.state().ahead < 20000").await?;
    let across = |down: f64| [(x - 150.0, y + down), (x + 150.0, y + down)];
    let along = [0.0, -90.0, 90.0].map(across).concat();
    browser.stroke(&along).await?;
    let stopped = browser.find("asked-ahead").await?.text().await?;
    assert!(stopped.contains("stopped at 20\u{2009}000 new triangles"), "{stopped}");
    browser
        .until(&format!("{PART}.faces > 20000 && {PART}.faces < 20100 && {PAINTED} > 0"))
        .await?;
    browser.click("ahead-cut").await?;
    browser.until("document.querySelector('[data-test=asked-ahead]') === null").await?;
    browser.click("undo").await?;
    browser.until(&format!("{PART}.faces === 8 && {PAINTED} === 0")).await?;
    browser.stroke(&along).await?;
    browser.until(&format!("{PART}.faces > 20100 && {PAINTED} > 0")).await?;
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
