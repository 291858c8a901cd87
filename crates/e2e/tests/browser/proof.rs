//! Proof: looks are made, driven by channels, lit, undone, and given as code; what is seen is worked out by hand.

use anyhow::Result;
use fantoccini::{Locator, key::Key};
use speckle_e2e::{App, Browser};

use crate::layers::tower;

/// The linear light of a number that is encoded (IEC 61966-2-1), and back.
fn linear(c: f64) -> f64 {
    if c <= 0.04045 { c / 12.92 } else { ((c + 0.055) / 1.055).powf(2.4) }
}

fn encoded(c: f64) -> f64 {
    if c <= 0.003_130_8 { c * 12.92 } else { 1.055 * c.powf(1.0 / 2.4) - 0.055 }
}

/// The pixels in the middle of faces of the front, each with the bytes that the set shown holds there.
const FRONT: &str = "(() => {
    const { stage, state } = speckle;
    stage.drawWire();
    stage.renderer.render(stage.scene, stage.eye.camera);
    const gl = stage.canvas.getContext('webgl2');
    const box = stage.canvas.getBoundingClientRect();
    const ratio = gl.drawingBufferWidth / box.width;
    const out = [];
    for (let y = 130; y < 620; y += 9) for (let x = 100; x < 800; x += 9) {
        const near = [[0, 0], [3, 3], [-3, 3], [3, -3], [-3, -3]].map(([a, b]) => stage.under(x + 0.5 + a, y + 0.5 + b));
        if (near.some((u) => !u || stage.normalAt(u).z < 0.99)) continue;
        const pixel = new Uint8Array(4);
        gl.readPixels(Math.floor((x - box.left) * ratio), Math.floor((box.bottom - y) * ratio), 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, pixel);
        const surface = stage.surfaces.get(near[0].part);
        const held = near.map((u) => surface.valueAt(state().shown, u, u.vertices[0]).map((c) => Math.round(c * 255)).join());
        if (new Set(held).size > 1) continue;
        out.push([...pixel.slice(0, 3), ...held[0].split(',').map(Number)]);
    }
    return out;
})()";

type Seen = [f64; 7];

async fn front(browser: &Browser) -> Result<Vec<Seen>> {
    // The picture follows what is known by a frame.
    browser
        .eval("new Promise((then) => requestAnimationFrame(() => requestAnimationFrame(then)))")
        .await?;
    let seen: Vec<Seen> = serde_json::from_value(browser.eval(FRONT).await?)?;
    assert!(seen.len() > 50, "only {} pixels of the front are seen", seen.len());
    Ok(seen)
}

/// The light that is seen of green, at each place.
async fn lights(browser: &Browser) -> Result<Vec<f64>> {
    Ok(front(browser).await?.iter().map(|own| linear(own[1] / 255.0)).collect())
}

/// The tower from the front, in Proof, with nothing on but one even light, or one lamp.
async fn proof_of_tower(folder: &std::path::Path, app: &App) -> Result<Browser> {
    let file = folder.join("Tower.ply");
    std::fs::write(&file, tower())?;
    let browser = Browser::start().await?;
    browser.client.goto(&app.address).await?;
    browser.bring_in(&[&file]).await?;
    browser.until("window.speckle?.stage.surfaces.size === 1").await?;
    browser.until("[...speckle.stage.surfaces.values()].every((s) => s.ready)").await?;
    browser.click("area-proof").await?;
    // Faces as they are, without a normal that bends over their edges.
    browser.click("look").await?;
    let smooth = Locator::Css("[aria-label='Smooth over bends up to, in degrees']");
    browser
        .client
        .wait()
        .for_element(smooth)
        .await?
        .send_keys(&char::from(Key::Home).to_string())
        .await?;
    browser.until("speckle.state().look.smoothUpTo === 0").await?;
    browser.client.execute("document.querySelector('.MuiBackdrop-root').click()", vec![]).await?;
    browser.until("document.querySelector('[role=menu]') === null").await?;
    Ok(browser)
}

async fn light_is(browser: &Browser, label: &str, number: &str, field: &str) -> Result<()> {
    browser.type_into_knob(label, number).await?;
    browser.until(&format!("speckle.state().proof.lights.{field} === {number}")).await
}

/// A white surface in even light from everywhere sends back all of it (the white furnace test), whatever its
/// roughness; in the light of one lamp a matt one goes by the cosine (Lambert), beside what it mirrors, which a black
/// one does too.
#[tokio::test]
async fn light_is_that_of_closed_forms() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = proof_of_tower(folder.path(), &app).await?;
    browser.click("new-look").await?;
    browser.click("begin-plain").await?;
    browser.until("speckle.state().proof.looks.length === 1").await?;
    browser.click("layer-open").await?;
    // Soft as skin, light would bend around it.
    browser.click_labelled("Softness as below").await?;
    browser.until("speckle.state().proof.looks[0].layers[0].soft == null").await?;
    browser.choose_color("coat", "#FFFFFF").await?;
    browser.until("speckle.state().proof.looks[0].layers[0].coat.color[2] === 1").await?;
    light_is(&browser, "From behind", "0", "rim").await?;
    light_is(&browser, "Even light", "1", "even").await?;
    browser.click("remove-lamp").await?;
    browser.until("speckle.state().proof.lights.lamps.length === 1").await?;
    light_is(&browser, "Strength", "0", "lamps[0].strength").await?;
    for rough in ["0.05", "0.50", "1.00"] {
        browser.type_into_row("Roughness", rough).await?;
        browser
            .until(&format!(
                "speckle.state().proof.looks[0].layers[0].rough === {}",
                rough.parse::<f64>()?
            ))
            .await?;
        let white = lights(&browser).await?;
        assert!(white.iter().all(|light| (light - 1.0).abs() < 0.01), "{rough}: {white:?}");
    }
    light_is(&browser, "Even light", "0", "even").await?;
    light_is(&browser, "Turn", "60", "lamps[0].turn").await?;
    light_is(&browser, "Height", "0", "lamps[0].height").await?;
    light_is(&browser, "Strength", "0.8", "lamps[0].strength").await?;
    browser.choose_color("lamp-color", "#FFFFFF").await?;
    browser.until("speckle.state().proof.lights.lamps[0].color[0] === 1").await?;
    let white = lights(&browser).await?;
    browser.choose_color("coat", "#000000").await?;
    browser.until("speckle.state().proof.looks[0].layers[0].coat.color[2] === 0").await?;
    let black = lights(&browser).await?;
    assert_eq!(white.len(), black.len());
    for (white, black) in white.iter().zip(&black) {
        // 0.8 · cos 60°, to 1 % and half a step of 8 bits there.
        assert!((white - black - 0.4).abs() < 0.004 + 0.003, "{white} {black}");
    }
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// A layer that glows where R says shows R as light: worked by hand, with contrast, as complement, and undone.
#[tokio::test]
async fn a_look_is_driven_by_a_channel_turned_and_undone() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = proof_of_tower(folder.path(), &app).await?;
    light_is(&browser, "From behind", "0", "rim").await?;
    light_is(&browser, "Even light", "0", "even").await?;
    for left in [1, 0] {
        browser.click("remove-lamp").await?;
        browser.until(&format!("speckle.state().proof.lights.lamps.length === {left}")).await?;
    }
    browser.click("new-look").await?;
    browser.click("begin-glow").await?;
    browser.until("speckle.state().proof.looks[0]?.layers.length === 2").await?;
    browser
        .until("document.querySelector('[data-test=look]').innerText.includes('Glow test · look')")
        .await?;
    browser.until("document.querySelectorAll('[data-test=layer-open]').length === 2").await?;
    let shows = async |of: &dyn Fn(f64) -> f64| -> Result<()> {
        let seen = front(&browser).await?;
        let kinds: std::collections::BTreeSet<u8> = seen.iter().map(|own| own[3] as u8).collect();
        assert_eq!(kinds.len(), 2, "both colors of the tower are seen");
        for own in &seen {
            let wanted = 255.0 * encoded(of(own[3] / 255.0).clamp(0.0, 1.0));
            assert!((own[0] - wanted).abs() <= 1.0, "{own:?}, and not {wanted}");
        }
        Ok(())
    };
    shows(&|r| r).await?;
    browser.eval("document.querySelectorAll('[data-test=layer-open]')[1].click()").await?;
    browser.type_into_row("Contrast", "0.50").await?;
    browser.until("speckle.state().proof.looks[0].layers[1].drive.contrast === 0.5").await?;
    shows(&|r| (r - 0.5) * 0.5 + 0.5).await?;
    browser.click_labelled("Where: the complement").await?;
    browser.until("speckle.state().proof.looks[0].layers[1].drive.factors[0].complement").await?;
    shows(&|r| (0.5 - r) * 0.5 + 0.5).await?;
    browser.click("undo").await?;
    browser.until("!speckle.state().proof.looks[0].layers[1].drive.factors[0].complement").await?;
    browser.click("undo").await?;
    browser.until("speckle.state().proof.looks[0].layers[1].drive.contrast === 1").await?;
    shows(&|r| r).await?;
    // A lamp is dragged about the model: to the right in front of it, it turns to the right; and by a key.
    browser.click("add-lamp").await?;
    browser.until("speckle.state().proof.lights.lamps.length === 1").await?;
    light_is(&browser, "Turn", "0", "lamps[0].turn").await?;
    let [x, y] = browser.middle_of("[data-test=lamp-dot-0]").await?;
    let revision =
        browser.eval("speckle.state().history.revision").await?.as_i64().unwrap_or_default();
    // A hand that stands still and holds it has not let go: all of it is one step.
    let way = [(x, y), (x + 30.0, y), (x + 60.0, y)];
    browser.stroke_with_rests(&way, std::time::Duration::from_millis(900)).await?;
    browser.until("speckle.state().proof.lights.lamps[0].turn > 5").await?;
    browser.until("speckle.state().proofing.lights === null").await?;
    assert_eq!(browser.eval("speckle.state().history.revision").await?, revision + 1);
    let dot = browser.client.find(Locator::Css("[data-test=lamp-dot-0]")).await?;
    let turned = "speckle.state().proof.lights.lamps[0].turn";
    let before = browser.eval(turned).await?.as_f64().unwrap_or_default();
    dot.send_keys(&char::from(Key::Left).to_string()).await?;
    browser.until(&format!("Math.abs({turned} - ({before} - 5)) < 0.01")).await?;
    browser.click("remove-lamp").await?;
    browser.until("speckle.state().proof.lights.lamps.length === 0").await?;
    // Alone, and without looks at all.
    browser.click("layer-more").await?;
    browser.click_text("li", "Switch off").await?;
    browser.until("speckle.state().proof.looks[0].layers[0].off === true").await?;
    browser.click("undo").await?;
    browser.until("!speckle.state().proof.looks[0].layers[0].off").await?;
    // As code, in each language.
    browser.click("as-code").await?;
    let code = "(document.querySelector('[data-test=code]')?.innerText ?? '')";
    browser.until(&format!("{code}.includes('LookMaterial material_glow_test(vec4')")).await?;
    browser.click("code-hlsl").await?;
    browser.until(&format!("{code}.includes('LookMaterial material_glow_test(float4')")).await?;
    browser.click("code-wgsl").await?;
    browser.until(&format!("{code}.includes('fn material_glow_test(')")).await?;
    browser.click("code-file").await?;
    let file = browser.downloads.join("material_glow_test.wgsl");
    for _ in 0..200 {
        if file.exists() {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    assert!(std::fs::read_to_string(&file)?.contains("fn material_glow_test("));
    // As nodes, which are a document of their own.
    browser.click("code-mtlx").await?;
    browser.until(&format!("{code}.includes('<materialx ')")).await?;
    browser.until(&format!("{code}.includes('<surfacematerial ')")).await?;
    browser.click_text("button", "Done").await?;
    browser.until("document.querySelector('[role=dialog]') === null").await?;
    // Copied, worn, and removed.
    browser.click("look-more").await?;
    browser.click_text("li", "Copy").await?;
    browser.until("speckle.state().proof.looks.length === 2").await?;
    browser.until("speckle.state().proofing.chosen === speckle.state().proof.looks[1].id").await?;
    // A copy is in hand, and what is worn stays what it was.
    browser.until("speckle.state().proof.everywhere === speckle.state().proof.looks[0].id").await?;
    browser.eval("document.querySelectorAll('[data-test=look-more]')[1].click()").await?;
    browser.click_text("li", "Wear on all parts").await?;
    browser.until("speckle.state().proof.everywhere === speckle.state().proof.looks[1].id").await?;
    browser.click("undo").await?;
    browser
        .until("document.querySelector('[data-test=look]').innerText.includes('Glow test · look')")
        .await?;
    browser.click("look-more").await?;
    browser.click_text("li", "Remove").await?;
    browser.until("speckle.state().proof.looks.length === 1").await?;
    // It stands there as elsewhere when nothing is worn.
    browser.until("!document.querySelector('[data-test=look]').innerText.includes('look')").await?;
    browser.client.refresh().await?;
    browser.until("window.speckle?.stage.surfaces.size === 1").await?;
    browser.until("speckle.state().proof.looks[0].name === 'Glow test 1'").await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// What a key or a pointer turns is in the very next picture: of the light, and of a look's own numbers.
#[tokio::test]
async fn what_is_turned_is_in_the_next_picture() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.open_piece(&app, "bollard").await?;
    browser.click("area-proof").await?;
    browser.until("[...speckle.stage.surfaces.values()].every((s) => s.worn !== null)").await?;
    let [x, y] = browser.spot_on(0).await?;
    // Counts the frames of the page from a key to the first picture that shows another color at the place.
    let watch = format!(
        "(() => {{
            const {{ stage }} = speckle;
            const color = () => stage.drawnAt({x}, {y}).join();
            const watched = {{ frame: 0, keyed: null, before: '', took: null }};
            const count = () => {{ watched.frame++; requestAnimationFrame(count); }};
            requestAnimationFrame(count);
            addEventListener('keydown', () => Object.assign(watched, {{ keyed: watched.frame, before: color(), took: null }}), true);
            stage.whenDrawn(() => {{
                if (watched.keyed !== null && watched.took === null && color() !== watched.before)
                    watched.took = watched.frame - watched.keyed;
            }});
            window.watched = watched;
            return true;
        }})()"
    );
    browser.eval(&watch).await?;
    let exposure = Locator::Css("[id='knob-Exposure']");
    let exposure = browser.client.wait().for_element(exposure).await?;
    exposure.send_keys(&char::from(Key::Up).to_string()).await?;
    browser.until("watched.took !== null").await?;
    let took = async || anyhow::Ok(browser.eval("watched.took").await?.as_u64().unwrap_or(99));
    // In the frame that the key came in, or in the next.
    assert!(took().await? <= 1, "the light");
    browser.click("look-row").await?;
    browser.click("layer-open").await?;
    let strength =
        browser.client.wait().for_element(Locator::Css("[aria-label='Strength']")).await?;
    browser.eval("Object.assign(watched, { keyed: null, took: null }) && true").await?;
    strength.send_keys(&char::from(Key::Left).to_string()).await?;
    browser.until("watched.took !== null").await?;
    assert!(took().await? <= 1, "a number of the look");
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}

/// What is wrong is told with its place, mended by a click, left with a reason, and told again.
#[tokio::test]
async fn checks_are_mended_left_and_told_again() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.open_piece(&app, "pennant").await?;
    browser.click("area-proof").await?;
    let said = "(document.querySelector('[data-test=checks-said]')?.innerText ?? '')";
    browser.until(&format!("{said} === '1 found'")).await?;
    browser.until("document.querySelector('[data-test=finding]').innerText.includes('Mast lacks the set Motion')").await?;
    browser.click("leave").await?;
    let why = browser
        .client
        .wait()
        .for_element(Locator::Css("[aria-label='Why it is meant to be so']"))
        .await?;
    why.send_keys("The mast stands still.").await?;
    browser.click("leave-it").await?;
    browser.until(&format!("{said} === 'nothing found'")).await?;
    browser.until("document.querySelector('[data-test=silenced]').innerText.includes('The mast stands still.')").await?;
    browser.click_text("button", "Tell again").await?;
    browser.until(&format!("{said} === '1 found'")).await?;
    browser.click("remedy").await?;
    browser.until(&format!("{said} === 'nothing found'")).await?;
    browser
        .until(
            "speckle.state().parts.every((part) => part.sets.some((set) => set.name === 'Motion'))",
        )
        .await?;
    browser.click("undo").await?;
    browser.until(&format!("{said} === '1 found'")).await?;
    // Its cloth is open, which a printer cannot have; it is shown where.
    browser.choose_row("Goes to", "a printer in full color").await?;
    browser.until("document.querySelector('[data-test=finding]')?.innerText.includes('Pennant has 1 hole')").await?;
    let target = browser.eval("speckle.stage.eye.pose().target").await?;
    browser.click("show-finding").await?;
    browser
        .until(&format!("JSON.stringify(speckle.stage.eye.pose().target) !== '{target}'"))
        .await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}
