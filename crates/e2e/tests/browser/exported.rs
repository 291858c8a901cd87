//! Looks travel: the code that is exported, in a plain scene with nothing of the app, shows what the stage shows.

use anyhow::{Context, Result, ensure};
use axum::{Router, http::header, response::Html, routing::get};
use base64::{Engine as _, prelude::BASE64_STANDARD};
use serde_json::Value;
use speckle_e2e::{App, Browser, web_folder};
use tokio::net::TcpListener;

use crate::layers::tower;

/// What a plain page needs, taken off the stage as it stands: shapes, what drives the looks, the code as it is
/// exported, the camera, the light.
const SCENE: &str = "(async () => {
    const { stage, state } = speckle;
    const st = state();
    const text = (array) => {
        const bytes = new Uint8Array(array.buffer, array.byteOffset, array.byteLength);
        let out = '';
        for (let i = 0; i < bytes.length; i += 8192) out += String.fromCharCode(...bytes.subarray(i, i + 8192));
        return btoa(out);
    };
    const parts = [];
    for (const part of st.parts.filter((own) => own.visible)) {
        const surface = stage.surfaces.get(part.id);
        const look = st.proof.looks.find((own) => own.id === st.proof.everywhere);
        const answer = await fetch('/api/v1/looks/code', {
            method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ look, language: 'glsl' }),
        });
        const code = await answer.json();
        const { geometry } = surface.object;
        const all = [...new Set([...code.sets, ...(code.motion?.sets ?? [])])];
        const of = (name) => geometry.getAttribute(name);
        const count = of('position').count;
        const index = geometry.getIndex();
        parts.push({
            code,
            smooth: surface.smoothCosine.value,
            matrix: surface.object.matrix.elements,
            position: text(of('position').array.subarray(0, 3 * count)),
            normal: text(of('normal').array.subarray(0, 4 * count)),
            uv: code.takes_uv ? text(of('uv').array.subarray(0, 2 * count)) : null,
            sets: all.map((_, i) => text(of(`set${i}`).array.subarray(0, 4 * count))),
            index: text(index.array.subarray(0, Math.min(index.count, geometry.drawRange.count === Infinity ? index.count : geometry.drawRange.count))),
        });
    }
    stage.drawWire();
    stage.renderer.render(stage.scene, stage.eye.camera);
    const { wind } = st.proof;
    const angle = (wind.direction * Math.PI) / 180;
    const scene = {
        size: [stage.canvas.width, stage.canvas.height],
        clear: stage.renderer.getClearColor({ copy(c) { Object.assign(this, { r: c.r, g: c.g, b: c.b }); return this; } }),
        camera: stage.eye.camera.matrixWorld.elements,
        projection: stage.eye.camera.projectionMatrix.elements,
        lights: st.proof.lights,
        seconds: stage.stir.uniforms.seconds.value,
        windTo: [Math.sin(angle), 0, Math.cos(angle)],
        wind: [wind.strength, wind.speed, wind.gusts],
        parts,
    };
    scene.images = {};
    for (const { image } of parts.flatMap((own) => own.code.images)) {
        const project = location.hash.match(/\\d+/)?.[0] ?? 1;
        const answer = await fetch(`/api/v1/projects/${project}/images?${new URLSearchParams({ name: image })}`);
        scene.images[image] = text(new Uint8Array(await answer.arrayBuffer()));
    }
    scene.clear = [scene.clear.r, scene.clear.g, scene.clear.b];
    return JSON.stringify({ scene, picture: stage.canvas.toDataURL('image/png') });
})()";

fn picture(url: &str) -> Result<image::RgbaImage> {
    let text = url.strip_prefix("data:image/png;base64,").context("no picture")?;
    let bytes = BASE64_STANDARD.decode(text)?;
    Ok(image::load_from_memory(&bytes)?.into_rgba8())
}

/// Draws what the stage shows in a plain scene, and holds both pictures against each other.
async fn is_the_same(browser: &Browser, what: &str) -> Result<()> {
    let taken = browser.eval(SCENE).await?;
    let taken: Value = serde_json::from_str(taken.as_str().context("no scene")?)?;
    let stage = picture(taken["picture"].as_str().unwrap_or_default())?;
    let scene = taken["scene"].to_string();
    let build = web_folder().join("node_modules/three/build");
    let script = |name: &'static str| {
        let file = build.join(name);
        get(move || async move {
            let text = std::fs::read(file).unwrap_or_default();
            ([(header::CONTENT_TYPE, "text/javascript")], text)
        })
    };
    let router = Router::new()
        .route("/", get(|| async { Html(include_str!("../plain/index.html")) }))
        .route("/three.module.js", script("three.module.js"))
        .route("/three.core.js", script("three.core.js"))
        .route("/scene.json", get(|| async { scene }));
    let listener = TcpListener::bind(("127.0.0.1", 0)).await?;
    let address = format!("http://{}/", listener.local_addr()?);
    let served = tokio::spawn(async move { axum::serve(listener, router).await });
    browser.client.goto(&address).await?;
    browser.until("window.drawn !== undefined").await?;
    let drawn = picture(browser.eval("window.drawn").await?.as_str().unwrap_or_default())?;
    served.abort();
    ensure!(stage.dimensions() == drawn.dimensions(), "{what}: pictures of two sizes");
    let differences: Vec<u8> =
        stage.as_raw().iter().zip(drawn.as_raw()).map(|(a, b)| a.abs_diff(*b)).collect();
    let mean = differences.iter().map(|&d| f64::from(d)).sum::<f64>() / differences.len() as f64;
    let near = differences.iter().filter(|d| **d <= 3).count() as f64 / differences.len() as f64;
    let first = stage.pixels().next().context("no pixel")?;
    let shown = stage.pixels().filter(|pixel| *pixel != first).count();
    ensure!(shown > 5000, "{what}: only {shown} pixels show anything");
    ensure!(mean < 1.0, "{what}: the mean difference is {mean}/255");
    ensure!(near >= 0.999, "{what}: only {near} of all numbers are within 3/255");
    Ok(())
}

async fn settled(browser: &Browser) -> Result<()> {
    browser.until("[...speckle.stage.surfaces.values()].every((s) => s.worn !== null)").await?;
    browser
        .eval("new Promise((then) => requestAnimationFrame(() => requestAnimationFrame(then)))")
        .await?;
    Ok(())
}

/// The looks of the demo world: masks and metal on the bollard, cloth in the wind at a moment, planks by an image from
/// three axes with a set laid over them.
#[tokio::test]
async fn exported_looks_show_what_the_stage_shows() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    for piece in ["bollard", "pennant", "drifter"] {
        let browser = Browser::start().await?;
        browser.open_piece(&app, piece).await?;
        browser.click("area-proof").await?;
        settled(&browser).await?;
        if piece == "pennant" {
            browser.click("look-row").await?;
            browser.click_text("label", "Let it move").await?;
            browser.click_text("label", "Hold it at a moment").await?;
            browser.until("speckle.state().proofing.moment === 0").await?;
            browser.type_into_row("Moment", "1.30").await?;
            browser.until("speckle.stage.stir.uniforms.seconds.value === 1.3").await?;
        }
        if piece == "drifter" {
            browser
                .until("[...speckle.stage.surfaces.values()].every((s) => s.worn.material.uniforms.image0.value.userData.width === 256)")
                .await?;
        }
        settled(&browser).await?;
        is_the_same(&browser, piece).await?;
        browser.close().await?;
    }
    Ok(())
}

/// Every way of blending, every coat, softness and light that comes through, one over the other on one model.
#[tokio::test]
async fn every_blend_shows_what_the_stage_shows() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let file = folder.path().join("Tower.ply");
    std::fs::write(&file, tower())?;
    let browser = Browser::start().await?;
    browser.client.goto(&app.address).await?;
    browser.bring_in(&[&file]).await?;
    browser.until("window.speckle?.stage.surfaces.size === 1").await?;
    browser.click("area-proof").await?;
    browser.click("new-look").await?;
    browser.click("begin-painted").await?;
    browser.until("speckle.state().proof.looks.length === 1").await?;
    // Laid on one after another through the app's own interface for edits.
    let made = "(() => {
        const { proof, parts } = speckle.state();
        const set = parts[0].sets[0].name;
        const blends = ['multiply', 'screen', 'overlay', 'soft_light', 'hard_light', 'darken', 'lighten', 'difference', 'add', 'subtract'];
        const layer = (name, more) => ({ name, coat: { kind: 'color', color: [0.8, 0.45, 0.3] }, blend: 'normal',
            drive: { factors: [{ set, channel: 0, complement: false }], contrast: 1, offset: 0, inverted: false }, strength: 0.6, ...more });
        const layers = [
            ...proof.looks[0].layers,
            ...blends.map((blend, i) => layer(blend, { blend, coat: { kind: 'color', color: [0.2 + 0.06 * i, 0.9 - 0.07 * i, 0.4] } })),
            layer('ramp', { coat: { kind: 'ramp', stops: [[0, 0.2, 0.4], [0.9, 0.6, 0.1], [1, 1, 0.9]], by: { set, channel: 1, complement: true } }, rough: 0.3, metal: 0.4 }),
            layer('shift', { coat: { kind: 'shift', set, amounts: [0.1, 0.1, -0.1] }, soft: 0.8, through: 0.5 }),
            layer('glow', { glow: 0.4, strength: 0.3 }),
        ];
        const motion = { disturb: { by: { set, channel: 0, complement: false }, far: 2, width: 5, speed: 0.5 } };
        const look = { ...proof.looks[0], layers, motion };
        return { type: 'set_look', look };
    })()";
    browser.edit(made).await?;
    browser.until("speckle.state().proof.looks[0].layers.length === 14").await?;
    browser.until("[...speckle.stage.surfaces.values()][0].worn?.dress.code.text.includes('look_subtract')").await?;
    browser.click_text("label", "Let it move").await?;
    browser.click_text("label", "Hold it at a moment").await?;
    browser.until("speckle.state().proofing.moment === 0").await?;
    settled(&browser).await?;
    is_the_same(&browser, "every blend").await?;
    browser.close().await
}
