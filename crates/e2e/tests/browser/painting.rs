//! The whole slice as a user goes through it, on the real app in a real browser.

use std::{fs, path::Path, process::Command, time::Duration};

use anyhow::{Context, Result};
use fantoccini::Locator;
use image::RgbaImage;
use serde_json::{Value, json};
use speckle_e2e::{App, Browser, fetch, web_folder};

/// The colors of a GLB, sRGB-encoded, as the crate `gltf` reads them: a reader that shares no code
/// with ours. `COLOR_0` is linear by glTF 2.0; the encoding is IEC 61966-2-1.
fn colors_of_glb(bytes: &[u8]) -> Result<Vec<[f32; 4]>> {
    let gltf = gltf::Gltf::from_slice(bytes)?;
    let blob = gltf.blob.clone().context("a GLB has a binary chunk")?;
    let mesh = gltf.meshes().next().context("a mesh is there")?;
    let primitive = mesh.primitives().next().context("a primitive is there")?;
    let reader = primitive.reader(|_| Some(&blob));
    let colors = reader.read_colors(0).context("colors are there")?.into_rgba_f32();
    let encode = |linear: f32| {
        if linear <= 0.003_130_8 { 12.92 * linear } else { 1.055 * linear.powf(1.0 / 2.4) - 0.055 }
    };
    Ok(colors.map(|[r, g, b, a]| [encode(r), encode(g), encode(b), a]).collect())
}

fn on_server(app: &App, project: i64) -> Result<Vec<[f32; 4]>> {
    colors_of_glb(&fetch(&app.address, &format!("/api/v1/projects/{project}/export?format=glb"))?)
}

/// What the page holds for the set shown, 0–255, by vertex.
async fn on_page(browser: &Browser) -> Result<Vec<[u8; 4]>> {
    let held = browser
        .eval(
            "(() => { const s = [...speckle.stage.surfaces.values()][0];
                return [...s.object.geometry.getAttribute('color').array]; })()",
        )
        .await?;
    let numbers: Vec<u8> = serde_json::from_value(held)?;
    Ok(numbers.chunks_exact(4).map(|c| [c[0], c[1], c[2], c[3]]).collect())
}

fn largest_difference(a: &[[f32; 4]], b: &[[f32; 4]]) -> f32 {
    assert_eq!(a.len(), b.len());
    let pairs = a.iter().flatten().zip(b.iter().flatten());
    pairs.map(|(x, y)| (x - y).abs()).fold(0.0, f32::max)
}

/// A pixel with the values at the corners of the triangle it lies in.
type Spot = (u32, u32, [u8; 4], [u8; 4], [u8; 4]);

/// Compares pixels of the flat look with the values at the corners of the triangles they lie in:
/// equal where the corners agree, between them where they do not. Returns how many were equal to
/// the paint.
async fn check_pixels(browser: &Browser, paint: [u8; 3]) -> Result<usize> {
    browser.hover(1100.0, 600.0).await?;
    browser.drawn().await?;
    let picture: RgbaImage =
        image::load_from_memory(&browser.client.screenshot().await?)?.to_rgba8();
    let spots = browser
        .eval(
            "(() => {
                const { stage, state } = speckle; const out = [];
                for (let y = 120; y < 600; y += 6) for (let x = 200; x < 760; x += 6) {
                    const near = [[0, 0], [2, 2], [-2, 2], [2, -2], [-2, -2]].map(([a, b]) => stage.under(x + 0.5 + a, y + 0.5 + b));
                    if (near.some((u) => !u)) continue;
                    const surface = stage.surfaces.get(near[0].part);
                    out.push([x, y, ...near[0].vertices.map((v) => surface.valueAt(state().shown, near[0], v).map((c) => Math.round(c * 255)))]);
                }
                return out;
            })()",
        )
        .await?;
    let spots: Vec<Spot> = serde_json::from_value(spots)?;
    assert!(spots.len() > 1000, "only {} pixels lie on the model", spots.len());
    let mut painted = 0;
    for (x, y, a, b, c) in spots {
        let pixel = picture.get_pixel(x, y).0;
        for channel in 0..3 {
            let corners = [a[channel], b[channel], c[channel]];
            let (low, high) = (corners.iter().min().unwrap(), corners.iter().max().unwrap());
            let at = pixel[channel];
            assert!(
                at >= low.saturating_sub(2) && at <= high.saturating_add(2),
                "pixel {x},{y} shows {pixel:?} where the set holds {a:?} {b:?} {c:?}"
            );
        }
        painted += usize::from([a, b, c].iter().all(|v| v[..3] == paint));
    }
    Ok(painted)
}

/// glTF 2.0 as the Khronos validator (npm `gltf-validator`) judges it.
fn assert_valid_gltf(file: &Path) -> Result<()> {
    let output = Command::new("node")
        .arg("scripts/validate-gltf.mjs")
        .arg(file)
        .current_dir(web_folder())
        .output()?;
    let report: Value = serde_json::from_slice(&output.stdout)
        .with_context(|| String::from_utf8_lossy(&output.stderr).into_owned())?;
    assert_eq!((&report["errors"], &report["warnings"]), (&0.into(), &0.into()), "{report}");
    Ok(())
}

async fn download(browser: &Browser, name: &str) -> Result<Vec<u8>> {
    let file = browser.downloads.join(name);
    for _ in 0..200 {
        if let Ok(bytes) = fs::read(&file) {
            return Ok(bytes);
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    anyhow::bail!("{name} was not downloaded")
}

#[tokio::test]
async fn a_stroke_is_seen_kept_undone_redone_and_delivered() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let data = folder.path().join("toys");
    let app = App::start(&data)?;
    let browser = Browser::start().await?;
    browser.open_bollard(&app).await?;
    let hash = browser.eval("location.hash").await?;
    let project: i64 =
        hash.as_str().and_then(|h| h.rsplit('/').next()?.parse().ok()).context("a project")?;
    let before = on_server(&app, project)?;
    browser.choose_flat().await?;
    assert_eq!(check_pixels(&browser, [0x1E, 0x6F, 0x7C]).await?, 0);

    browser.paint_with("#1E6F7C").await?;
    browser.eval("(speckle.brush(22, 0.6, 1), true)").await?;
    browser.stroke(&[(470.0, 250.0), (380.0, 270.0), (560.0, 260.0), (470.0, 400.0)]).await?;

    let painted = on_server(&app, project)?;
    let paint = [0x1E, 0x6F, 0x7C].map(|byte| byte as f32 / 255.0);
    let changed = before.iter().zip(&painted).filter(|(a, b)| a != b).count();
    let full = painted.iter().filter(|v| (0..3).all(|i| (v[i] - paint[i]).abs() < 1e-3)).count();
    assert!(changed > 50 && full > 25, "{changed} changed, {full} fully");
    assert!(before.iter().zip(&painted).all(|(a, b)| a[3] == b[3]), "alpha was not chosen");
    let page = on_page(&browser).await?;
    let page: Vec<[f32; 4]> = page.iter().map(|v| v.map(|b| f32::from(b) / 255.0)).collect();
    assert!(largest_difference(&painted, &page) <= 0.5 / 255.0 + 1e-4);
    assert!(check_pixels(&browser, [0x1E, 0x6F, 0x7C]).await? > 100);

    browser.click("undo").await?;
    browser.until("speckle.state().history.redo !== null").await?;
    assert!(largest_difference(&before, &on_server(&app, project)?) < 1e-6);
    assert_eq!(check_pixels(&browser, [0x1E, 0x6F, 0x7C]).await?, 0);
    browser.click("redo").await?;
    browser.until("speckle.state().history.redo === null").await?;
    assert!(largest_difference(&painted, &on_server(&app, project)?) < 1e-6);

    browser.client.refresh().await?;
    browser.loaded().await?;
    let again = on_page(&browser).await?;
    let again: Vec<[f32; 4]> = again.iter().map(|v| v.map(|b| f32::from(b) / 255.0)).collect();
    assert_eq!(largest_difference(&page, &again), 0.0);

    browser.click("area-deliver").await?;
    browser.until("document.querySelector('[data-test=goods]') !== null").await?;
    // Without the note beside it, it is one file.
    browser.click("show-how").await?;
    browser
        .until("document.querySelector('.MuiCollapse-entered [data-test=how]') !== null")
        .await?;
    browser.click_text("label", "The channel note beside it").await?;
    browser
        .until("/One file, /.test(document.querySelector('[aria-label=Tray]').innerText)")
        .await?;
    browser.click("export").await?;
    browser.find("exported").await?;
    let bytes = download(&browser, "Mooring bollard.glb").await?;
    assert!(largest_difference(&painted, &colors_of_glb(&bytes)?) < 1.0 / 255.0);
    assert_valid_gltf(&browser.downloads.join("Mooring bollard.glb"))?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());

    // The app is ended and started again on the same file: the stroke is there, and can be undone.
    drop(app);
    let app = App::start(&data)?;
    assert!(largest_difference(&painted, &on_server(&app, project)?) < 1e-6);
    browser.client.goto(&format!("{}/#/project/{project}", app.address)).await?;
    browser.loaded().await?;
    browser.click("undo").await?;
    browser.until("speckle.state().history.redo !== null").await?;
    assert!(largest_difference(&before, &on_server(&app, project)?) < 1e-6);
    browser.close().await
}

#[tokio::test]
async fn holding_still_builds_up_only_if_asked() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.open_bollard(&app).await?;
    browser.paint_with("#000000").await?;
    let darkest = || async {
        Ok::<u8, anyhow::Error>(on_page(&browser).await?.iter().map(|v| v[0]).min().unwrap_or(0))
    };
    let ground = darkest().await?;

    browser.eval("(speckle.brush(20, 0.6, 0.5), true)").await?;
    browser.press_for(470.0, 250.0, Duration::from_millis(900)).await?;
    let once = darkest().await?;
    // Half of black over the ground, however long it is held.
    assert!(once.abs_diff(ground / 2) <= 1, "{ground} became {once}");

    browser.choose_row("Builds up", "also while held still").await?;
    browser.press_for(470.0, 400.0, Duration::from_millis(2500)).await?;
    let built = darkest().await?;
    assert!(built < once - 20, "held, it goes on past its opacity: {ground}, {once}, {built}");
    browser.close().await
}

#[tokio::test]
async fn files_come_in_by_button_and_by_drop_and_broken_ones_say_why() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.client.goto(&app.address).await?;
    browser.find("piece-bollard").await?;

    let broken = folder.path().join("torn.ply");
    let head = "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n";
    fs::write(&broken, format!("{head}0 0 0\n1 zero 0\n0 1 0\n3 0 1 2\n"))?;
    browser.bring_in(&[&broken]).await?;
    browser.find("trouble").await?;
    let said = browser.eval("document.querySelector('[data-test=trouble]').innerText").await?;
    let said = said.as_str().unwrap_or_default();
    assert!(
        said.contains("torn.ply") && said.contains("line 11") && said.contains("zero"),
        "{said}"
    );
    let projects = fetch(&app.address, "/api/v1/projects")?;
    let shelf: Value = serde_json::from_slice(&projects)?;
    assert_eq!(shelf["projects"], json!([]), "nothing may be half-imported");
    browser
        .client
        .find(Locator::XPath("//div[@data-test='trouble']//button"))
        .await?
        .click()
        .await?;
    browser.until("document.querySelector('[data-test=trouble]') === null").await?;

    let whole = folder.path().join("kite.ply");
    fs::write(&whole, format!("{head}0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n"))?;
    browser.bring_in(&[&whole]).await?;
    let report = browser.find("report").await?.text().await?;
    assert!(report.contains("kite") && report.contains("no color set"), "{report}");

    // A second one by drop, with colors of its own per face.
    let colored = head.replace(
        "vertex_indices",
        "vertex_indices\nproperty uchar red\nproperty uchar green\nproperty uchar blue",
    );
    let text = format!("{colored}0 0 2\n1 0 2\n0 1 2\n3 0 1 2 255 0 0\n");
    browser
        .client
        .execute(
            "const box = new DataTransfer(); box.items.add(new File([arguments[0]], 'sail.ply'));
             document.querySelector('canvas').dispatchEvent(new DragEvent('drop', { dataTransfer: box, bubbles: true, cancelable: true }));",
            vec![text.into()],
        )
        .await?;
    browser.click("bring").await?;
    browser
        .until("speckle.state().parts.length === 2 && speckle.stage.surfaces.size === 2")
        .await?;
    browser.until("speckle.state().parts[1].sets[0]?.placement === 'face'").await?;
    browser
        .until("document.querySelector('[data-test=report]').innerText.includes('Face color')")
        .await?;
    // Undo takes the second part away again, and only that.
    browser.click("undo").await?;
    browser
        .until("speckle.state().parts.length === 1 && speckle.stage.surfaces.size === 1")
        .await?;
    browser.close().await
}
