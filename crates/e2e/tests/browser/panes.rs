//! Panes of Proof: what each shows of one model, what is under the pointer in each, wiped and flipped; images in looks,
//! and what moves.

use anyhow::Result;
use fantoccini::{Locator, key::Key};
use serde_json::json;
use speckle_e2e::{App, Browser};

/// How many pixels of a rectangle of the canvas, in shares from its upper left, show anything.
const SHOWN: &str = "((left, top, width, height) => {
    const { stage } = speckle;
    const gl = stage.renderer.getContext();
    const [w, h] = [gl.drawingBufferWidth, gl.drawingBufferHeight];
    const [x, y, cw, ch] = [left * w, (1 - top - height) * h, width * w, height * h].map(Math.round);
    const pixels = new Uint8Array(4 * cw * ch);
    gl.readPixels(x, y, cw, ch, gl.RGBA, gl.UNSIGNED_BYTE, pixels);
    const ground = stage.renderer.getClearColor({ copy(c) { return [c.r, c.g, c.b].map((n) => Math.round(255 * n)); } });
    let count = 0;
    for (let i = 0; i < pixels.length; i += 4)
        if ([0, 1, 2].some((k) => Math.abs(pixels[i + k] - ground[k]) > 2)) count++;
    return count;
})";

async fn drawn(browser: &Browser) -> Result<()> {
    browser
        .eval("new Promise((then) => requestAnimationFrame(() => requestAnimationFrame(then)))")
        .await?;
    Ok(())
}

async fn shown(browser: &Browser, [left, top, width, height]: [f64; 4]) -> Result<f64> {
    drawn(browser).await?;
    let count = browser.eval(&format!("{SHOWN}({left}, {top}, {width}, {height})")).await?;
    Ok(count.as_f64().unwrap_or_default())
}

/// Four panes see what one sees, each a quarter of its area; a pane of a set shows the stored numbers exactly, and says
/// them under the pointer; the second is wiped over the first, or in its place.
#[tokio::test]
async fn panes_show_one_model_in_several_ways() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.open_piece(&app, "bollard").await?;
    browser.until("[...speckle.stage.surfaces.values()].every((s) => s.ready)").await?;
    browser.click("area-proof").await?;
    browser.until("[...speckle.stage.surfaces.values()].every((s) => s.worn !== null)").await?;
    let whole = shown(&browser, [0.0, 0.0, 1.0, 1.0]).await?;
    browser.click("panes-four").await?;
    browser.until("document.querySelectorAll('[data-test^=pane-shows-]').length === 3").await?;
    for (left, top) in [(0.0, 0.0), (0.5, 0.0), (0.0, 0.5), (0.5, 0.5)] {
        let own = shown(&browser, [left, top, 0.5, 0.5]).await?;
        assert!((4.0 * own / whole - 1.0).abs() < 0.02, "{left} {top}: {own} of {whole}");
    }
    // The same point is met in every pane, and each tells what it has there.
    let [x, y] = browser.spot_on(0).await?;
    browser.hover(x, y).await?;
    browser.until("document.querySelectorAll('[data-test^=pane-value-]').length === 4").await?;
    let same = "(() => {
        const { stage, state } = speckle;
        const canvas = stage.canvas.getBoundingClientRect();
        const own = stage.eye.pane(X, Y);
        const under = stage.under(X, Y);
        const moved = stage.under(X - own.left + canvas.left + canvas.width / 2, Y - own.top + canvas.top + canvas.height / 2);
        return under.triangle === moved.triangle;
    })()"
    .replace('X', &x.to_string())
    .replace('Y', &y.to_string());
    assert_eq!(browser.eval(&same).await?, true);
    // Another channel, and the numbers of a set beside those of the first pane.
    browser.click("pane-shows-2").await?;
    browser.click_labelled("A alone, in the pane").await?;
    browser.until("speckle.state().panes.list[2].shows.channel === 3").await?;
    browser
        .until("document.querySelector('[data-test=pane-shows-2]').innerText.includes('A alone')")
        .await?;
    browser.click("pane-shows-1").await?;
    browser.click_text("li", "Looks as they are worn").await?;
    browser.until("speckle.state().panes.list[1].shows.kind === 'worn'").await?;
    // Wiped: the divider moves by a key, and what lies on its left is the first.
    browser.click("panes-wipe").await?;
    let divider = Locator::Css("[aria-label='Divider between first and second']");
    let divider = browser.client.wait().for_element(divider).await?;
    divider.send_keys(&char::from(Key::Right).to_string()).await?;
    browser.until("Math.abs(speckle.state().panes.share - 0.52) < 0.001").await?;
    let wiped = shown(&browser, [0.0, 0.0, 1.0, 1.0]).await?;
    assert!((wiped / whole - 1.0).abs() < 0.02, "{wiped} of {whole}");
    // Flipped: in its place.
    browser.click("panes-flip").await?;
    browser.until("[...speckle.stage.surfaces.values()][0].worn !== null").await?;
    browser.click("pane-shows-1").await?;
    browser.click_text("li", "Wear · set").await?;
    browser.until("speckle.state().panes.list[1].shows.kind === 'set'").await?;
    browser.click("flip-panes").await?;
    browser.until("[...speckle.stage.surfaces.values()][0].worn === null").await?;
    browser.click("panes-one").await?;
    browser.until("[...speckle.stage.surfaces.values()][0].worn !== null").await?;
    // Flat, what is drawn is what is stored: of a coat that is the same all over, exactly.
    browser.click("panes-four").await?;
    browser.click("pane-shows-1").await?;
    browser.click_text("li", "Coat · set").await?;
    browser.until("speckle.state().panes.list[1].shows.set === 'Coat'").await?;
    browser.choose_flat().await?;
    browser.hover(x - 3.0, y).await?;
    browser.hover(x, y).await?;
    browser.until("document.querySelectorAll('[data-test^=pane-value-]').length === 4").await?;
    drawn(&browser).await?;
    let exact = "(() => {
        const { stage, state } = speckle;
        const [own, first] = [stage.eye.pane(X, Y), stage.eye.pane()];
        const drawn = stage.drawnAt(X - own.left + first.left + own.width, Y - own.top + first.top);
        const value = state().paneValues[1];
        return [0, 1, 2].every((i) => Math.abs(drawn[i] - value[i]) < 1.01 / 255);
    })()"
        .replace('X', &x.to_string())
        .replace('Y', &y.to_string());
    assert_eq!(browser.eval(&exact).await?, true);
    // Elsewhere there is one pane, and no look.
    browser.click("panes-two").await?;
    browser.until("speckle.stage.eye.grid[0] === 2").await?;
    browser.click("area-paint").await?;
    browser.until("speckle.stage.eye.grid[0] === 1").await?;
    browser.until("[...speckle.stage.surfaces.values()][0].worn === null").await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// An image is brought in for a layer, laid from three axes, and seen; taken out of the project, what lies below shows,
/// and it is told.
#[tokio::test]
async fn a_layer_lays_an_image() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let file = folder.path().join("violet.png");
    // So large that it goes to the graphics card in bands.
    image::RgbaImage::from_pixel(1500, 1000, image::Rgba([120, 20, 200, 255])).save(&file)?;
    let browser = Browser::start().await?;
    browser.open_piece(&app, "token").await?;
    browser.click("area-proof").await?;
    browser.click("new-look").await?;
    browser.click("begin-plain").await?;
    browser.until("speckle.state().proof.looks.length === 1").await?;
    browser.click("layer-open").await?;
    browser.choose_row("Lays on", "an image").await?;
    browser.choose_file("image-file", &file).await?;
    browser.until("speckle.state().proof.looks[0].layers[0].coat.kind === 'image'").await?;
    browser.choose_row("Lies", "from three axes").await?;
    browser
        .until("speckle.state().proof.looks[0].layers[0].coat.laid.lay.kind === 'three_axes'")
        .await?;
    browser.until("[...speckle.stage.surfaces.values()][0].worn?.material.uniforms.image0?.value?.userData?.width === 1500").await?;
    let [x, y] = browser.spot_on(0).await?;
    drawn(&browser).await?;
    let seen = browser.eval(&format!("speckle.stage.drawnAt({x}, {y})")).await?;
    let at = |i: usize| seen[i].as_f64().unwrap_or_default();
    assert!(at(2) > at(0) && at(0) > at(1) + 0.1, "violet: {seen}");
    browser.type_into_row("Across", "3.00").await?;
    browser.until("speckle.state().proof.looks[0].layers[0].coat.laid.repeat[0] === 3").await?;
    browser.click_text("button", "Take out").await?;
    browser.until("speckle.state().images.length === 0").await?;
    browser.until("document.body.innerText.includes('violet.png is not in the project')").await?;
    drawn(&browser).await?;
    let grey = browser.eval(&format!("speckle.stage.drawnAt({x}, {y})")).await?;
    let spread = (grey[0].as_f64().unwrap_or_default() - grey[2].as_f64().unwrap_or(1.0)).abs();
    assert!(spread < 0.06, "the grey below: {grey}");
    browser.click("undo").await?;
    browser.until("speckle.state().images.length === 1").await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// What sways stands still until it is let move, moves with time, is held at a moment, in a wind that is turned; the
/// mast, tied to the cloth, follows it.
#[tokio::test]
async fn cloth_sways_and_what_is_tied_to_it_follows() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.open_piece(&app, "pennant").await?;
    browser.click("area-proof").await?;
    browser.until("[...speckle.stage.surfaces.values()].every((s) => s.worn !== null)").await?;
    browser.until("[...speckle.stage.surfaces.values()].every((s) => s.ready)").await?;
    let picture = "speckle.stage.canvas.toDataURL('image/png')";
    drawn(&browser).await?;
    let still = browser.eval(picture).await?;
    browser.click("move").await?;
    browser.until("speckle.state().proofing.moment === 'running'").await?;
    browser.until("speckle.stage.stir.uniforms.seconds.value > 0").await?;
    let before = browser.eval("speckle.stage.stir.uniforms.seconds.value").await?;
    browser.until(&format!("speckle.stage.stir.uniforms.seconds.value !== {before}")).await?;
    browser.click("look-row").await?;
    browser.click_text("label", "Hold it at a moment").await?;
    browser.until("speckle.state().proofing.moment === 0").await?;
    drawn(&browser).await?;
    let at_zero = browser.eval(picture).await?;
    assert_ne!(still, at_zero, "half of the way downwind");
    browser.type_into_row("Moment", "0.50").await?;
    browser.until("speckle.stage.stir.uniforms.seconds.value === 0.5").await?;
    drawn(&browser).await?;
    let later = browser.eval(picture).await?;
    assert_ne!(at_zero, later);
    // No wind, no sway.
    browser.type_into_row("Wind", "0").await?;
    browser.until("speckle.state().proof.wind.strength === 0").await?;
    drawn(&browser).await?;
    assert!(browser.eval(picture).await? == still, "it hangs as it stands");
    browser.click("undo").await?;
    browser.until("speckle.state().proof.wind.strength === 1").await?;
    drawn(&browser).await?;
    assert!(browser.eval(picture).await? == later);
    // The mast follows where it is tied.
    browser.eval("speckle.state().parts.find((own) => own.name === 'Mast').id").await?;
    browser.click("area-gather").await?;
    browser.click_text("[data-test=part] *", "Mast").await.ok();
    browser.click("area-proof").await?;
    let tied = "(() => {
        const { parts } = speckle.state();
        const [cloth, mast] = ['Pennant', 'Mast'].map((name) => parts.find((own) => own.name === name).id);
        const surface = speckle.stage.surfaces.get(cloth);
        const far = surface.bounds.center.clone();
        far.x += surface.bounds.radius;
        return { type: 'tie_part', part: mast, tie: { to: cloth, vertex: surface.nearestVertex(far) } };
    })()";
    browser.edit(tied).await?;
    browser.until("speckle.state().proof.stirred.length === 1").await?;
    let carried = "(() => {
        const mast = speckle.state().parts.find((own) => own.name === 'Mast').id;
        const { worn, own } = speckle.stage.surfaces.get(mast);
        return worn?.carrier !== null && worn?.carrier !== undefined && own.tiedSets.value[0].w > 0.5;
    })()";
    browser.until(carried).await?;
    drawn(&browser).await?;
    assert_ne!(browser.eval(picture).await?, later, "the mast went along");
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// Changes since two snapshots lie beside each other as heat, on one scale: what was painted before the second is hot
/// since the first alone, what was painted after it since both.
#[tokio::test]
async fn changes_since_several_snapshots_lie_beside_each_other() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.open_piece(&app, "bollard").await?;
    let [x, y] = browser.spot_on(0).await?;
    // Both places, and one between them that nobody paints.
    let spots = [y, y + 60.0, y + 30.0]
        .map(|y| format!("speckle.stage.under({}, {y}).point.clone()", x + 1.0));
    browser.eval(&format!("(window.spots = [{}]) && true", spots.join(", "))).await?;
    browser.type_into_knob("Radius", "12").await?;
    for (snapshot, y) in [("Before", y), ("Between", y + 60.0)] {
        browser.edit(json!({ "type": "take_snapshot", "name": snapshot })).await?;
        browser.stroke(&[(x, y), (x + 2.0, y)]).await?;
    }
    browser.click("area-proof").await?;
    browser.click("panes-four").await?;
    for (pane, snapshot) in [(1, "Before"), (2, "Between")] {
        browser.click(&format!("pane-shows-{pane}")).await?;
        browser.click_text("li", &format!("Change since {snapshot}, as heat")).await?;
        browser
            .until(&format!("speckle.state().panes.list[{pane}].shows.snapshot === '{snapshot}'"))
            .await?;
    }
    browser
        .until("[...speckle.stage.surfaces.values()].some((s) => s.heatNames.length === 2)")
        .await?;
    browser.until("speckle.state().heatRange?.[1] > 1").await?;
    browser.find("heat-scale").await?;
    drawn(&browser).await?;
    // In each of the two panes: how far the color of a place is from that of the place that nobody painted, which the
    // light may make a little.
    let heats = "(() => {
        const { stage } = speckle;
        const first = stage.eye.pane();
        return [1, 2].map((pane) => {
            const [left, top] = [first.left + (pane % 2) * first.width, first.top + Math.floor(pane / 2) * first.height];
            const [a, b, cold] = spots.map((spot) => {
                const at = spot.clone().project(stage.eye.camera);
                return stage.drawnAt(left + (at.x + 1) / 2 * first.width, top + (1 - at.y) / 2 * first.height);
            });
            return [a, b].map((own) => Math.hypot(...[0, 1, 2].map((i) => own[i] - cold[i])));
        });
    })()";
    let heats: [[f64; 2]; 2] = serde_json::from_value(browser.eval(heats).await?)?;
    let [[early, late], [early_since, late_since]] = heats;
    assert!(early > 0.2 && late > 0.2, "both are changed since the first: {heats:?}");
    assert!(early_since < 0.1 && late_since > 0.2, "one is since the second: {heats:?}");
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}
