//! Recipes as a user makes them: steps by hand, knobs, paint on top, giving up, freezing, files.

use std::{fs, path::Path, process::Command, time::Duration};

use anyhow::{Context, Result};
use fantoccini::Locator;
use serde_json::{Value, json};
use speckle_e2e::{Browser, binary};

use crate::bake_table::Table;

/// The mean color of a patch of the stage.
async fn shade(browser: &Browser, (x, y): (u32, u32)) -> Result<f64> {
    let picture = image::load_from_memory(&browser.client.screenshot().await?)?.into_luma8();
    let near = (0..12).flat_map(|i| (0..12).map(move |j| (i, j)));
    Ok(near.map(|(i, j)| f64::from(picture.get_pixel(x + i, y + j).0[0])).sum::<f64>() / 144.0)
}

#[tokio::test]
async fn three_steps_are_made_by_hand_turned_painted_over_and_undone() -> Result<()> {
    let table = Table::laid().await?;
    let browser = &table.browser;
    let look =
        browser.eval("JSON.stringify([speckle.state().shown, speckle.state().look])").await?;

    // Three steps: the first by a click, the second carried above it, the third by a click.
    table.add("place", "height_ramp").await?;
    table.status("R", "fresh").await?;
    browser.click("family-chance").await?;
    table.drag("[data-test=source-noise]", "[data-test=step]", -8.0).await?;
    browser.until("document.querySelectorAll('[data-test=step]').length === 2").await?;
    assert_eq!(table.titles().await?, ["Noise", "Height"]);
    table.add("form", "ridges").await?;
    assert_eq!(table.titles().await?, ["Noise", "Height", "Ridges"]);
    table.status("R", "fresh").await?;
    // Adding and editing never changes what the stage shows.
    assert_eq!(
        browser.eval("JSON.stringify([speckle.state().shown, speckle.state().look])").await?,
        look
    );
    browser.click("show-made").await?;
    browser.until("speckle.state().look.channel === 0").await?;

    // The last by its grip to the top, by keys one back.
    table
        .drag("[data-step='2'] [data-test=grip]", "[data-step='0'] [data-test=grip]", -12.0)
        .await?;
    browser
        .until("document.querySelector('[data-test=step-open]').innerText.startsWith('Ridges')")
        .await?;
    let grip = browser.client.find(Locator::Css("[data-step='0'] [data-test=grip]")).await?;
    grip.send_keys("\u{e015}").await?;
    browser
        .until("document.querySelector('[data-test=step-open]').innerText.startsWith('Noise')")
        .await?;
    assert_eq!(table.titles().await?, ["Noise", "Ridges", "Height"]);

    // Every step has a picture of its own result, with more than its ground in it.
    browser.until("[...document.querySelectorAll('[data-test=step-grain]')].every((c) => new Set(new Uint32Array(c.getContext('2d').getImageData(0, 0, c.width, c.height).data.buffer)).size > 5)").await?;

    // A later step that replaces says what becomes of those above, until it is switched off.
    browser.click_at(Locator::Css("[data-step='2'] [data-test=step-open]")).await?;
    browser.choose_row("Meets the above", "replace").await?;
    browser.until("document.querySelector('[data-test=remark]')?.innerText.includes('leaves no trace of the steps above')").await?;
    table.status("R", "fresh").await?;
    let held = browser.held("Wear").await?;
    assert_eq!(held.iter().map(|v| v[0]).max(), Some(255));

    // A knob turned: the stage and the histogram follow, and undo takes the whole turn back.
    let (bins, low) = (table.bins().await?, shade(browser, (455, 560)).await?);
    browser.click_at(Locator::Css("[data-test=add-shaping]")).await?;
    browser.click("shape-invert").await?;
    browser.until("document.querySelector('[data-test=shaping]') !== null").await?;
    table.status("R", "fresh").await?;
    browser
        .until(&format!(
            "JSON.stringify(speckle.state().figures[speckle.state().target][0].bins) !== {:?}",
            bins.to_string()
        ))
        .await?;
    browser.drawn().await?;
    let turned = shade(browser, (455, 560)).await?;
    assert!(turned > low + 60.0, "the foot was {low}, is {turned}");
    table.type_into("Strength", "50").await?;
    browser
        .until("document.querySelector('[aria-label=\"Strength, typed\"]').value === '50 %'")
        .await?;
    browser.until("speckle.state().parts[0].sets[1].recipes[0].steps[2].strength === 0.5").await?;
    let before = table.undo_label().await?;
    assert_eq!(before, "Change the recipe of R of Wear");
    browser.click("undo").await?;
    browser.until("speckle.state().parts[0].sets[1].recipes[0].steps[2].strength == null").await?;
    browser
        .until("document.querySelector('[aria-label=\"Strength, typed\"]').value === '100 %'")
        .await?;

    // Painted over: the paint is a step of its own on top, and what is under it can change.
    browser.click("redo").await?;
    table.status("R", "fresh").await?;
    browser.click("area-paint").await?;
    browser.click("value-1").await?;
    browser.eval("(speckle.brush(24, 1, 1), true)").await?;
    // What is said goes away after some seconds, which a slow machine may need for the stroke alone.
    browser.eval("(window.heard = '', new MutationObserver(() => { heard += document.querySelector('[data-test=said]')?.innerText ?? ''; }).observe(document.body, { subtree: true, childList: true, characterData: true }), true)").await?;
    browser.stroke(&[(470.0, 240.0), (560.0, 250.0)]).await?;
    // That it lies over a recipe is said before, and what becomes of it after.
    assert!(browser.find("target").await?.text().await?.contains("over its recipe"));
    browser
        .until("heard.includes('R of Wear is made by a recipe: what you paint there lies on it')")
        .await?;
    browser.click("area-bake").await?;
    assert_eq!(table.titles().await?, ["Noise", "Ridges", "Height", "Hand paint"]);
    let painted = browser.held("Wear").await?;
    let white: Vec<usize> = (0..painted.len()).filter(|&i| painted[i][0] == 255).collect();
    assert!(white.len() > 10, "{} vertices", white.len());
    browser.click_at(Locator::Css("[data-step='2'] [data-test=step-more]")).await?;
    browser.choose_entry("Switch off").await?;
    browser.until("speckle.state().parts[0].sets[1].recipes[0].steps[2].off === true").await?;
    table.status("R", "fresh").await?;
    let after = browser.held("Wear").await?;
    assert!(after != painted && white.iter().all(|&i| after[i][0] == 255));

    // Erased, the bake shows again.
    browser.click("area-paint").await?;
    browser.click("erase").await?;
    browser.stroke(&[(470.0, 240.0), (560.0, 250.0)]).await?;
    let erased = browser.held("Wear").await?;
    let shown_again = white.iter().filter(|&&i| erased[i][0] < 255).count();
    assert!(shown_again * 10 > white.len() * 8, "{shown_again} of {}", white.len());
    // The other channels never took part.
    assert!(erased.iter().all(|v| v[1..] == [0, 0, 255]));
    Ok(())
}

#[tokio::test]
async fn a_curve_is_drawn_over_the_histogram_by_pointer_and_by_keys() -> Result<()> {
    let table = Table::laid().await?;
    let browser = &table.browser;
    table.add("place", "height_ramp").await?;
    table.status("R", "fresh").await?;
    browser.click("add-shaping").await?;
    browser.click("shape-curve").await?;
    browser.find("curve-editor").await?;
    // The grain behind it is that of the ramp.
    browser
        .until("document.querySelector('[data-test=curve-grain]')?.getAttribute('d').length > 500")
        .await?;

    table.status("R", "fresh").await?;

    // A click beside the points makes one; it can be dragged, broken, moved by keys and taken out.
    browser.eval("(document.querySelector('[data-test=curve-editor]').scrollIntoView({ block: 'center' }), true)").await?;
    let points = "speckle.state().parts[0].sets[1].recipes[0].steps[0].shaping[0].points";
    table.drag("[data-test=curve-editor] rect", "[data-test=curve-editor] rect", 50.0).await?;
    browser
        .until(&format!(
            "{points}.length === 3 && {points}[1].y < 0.35 && Math.abs({points}[1].x - 0.5) < 0.05"
        ))
        .await?;
    table.status("R", "fresh").await?;
    browser.click("curve-corner").await?;
    browser.until(&format!("{points}[1].corner === true")).await?;
    let middle = browser
        .client
        .find(Locator::Css("[data-test=curve-editor] g[role=slider]:nth-of-type(2)"))
        .await?;
    let was = browser.eval(&format!("{points}[1].x")).await?.as_f64().context("a number")?;
    middle.send_keys("\u{e014}\u{e014}\u{e014}").await?;
    browser.until(&format!("Math.abs({points}[1].x - {was} - 0.03) < 0.001")).await?;
    table.status("R", "fresh").await?;

    // What was drawn is what was made: heights through the same curve, of the ramp over the part.
    let curve: Vec<Value> = serde_json::from_value(browser.eval(points).await?)?;
    let at =
        |i: usize| (curve[i]["x"].as_f64().unwrap_or(0.0), curve[i]["y"].as_f64().unwrap_or(0.0));
    let (x, y) = at(1);
    let held = browser.held("Wear").await?;
    let heights = browser.eval("(() => { const part = speckle.state().parts[0]; const surface = speckle.stage.surfaces.get(part.id); return Array.from({ length: Math.floor(part.vertices / 10) }, (_, i) => { const v = i * 10; return [v, (surface.position(v).y - part.min[1]) / (part.max[1] - part.min[1])]; }); })()").await?;
    let heights: Vec<(usize, f64)> = serde_json::from_value(heights)?;
    // Beside a corner both stretches are straight.
    for (vertex, height) in heights {
        let wanted =
            if height <= x { y * height / x } else { y + (1.0 - y) * (height - x) / (1.0 - x) };
        let got = f64::from(held[vertex][0]) / 255.0;
        assert!((got - wanted).abs() < 0.004, "{height}: {got} for {wanted}");
    }
    middle.send_keys("\u{e017}").await?;
    browser.until(&format!("{points}.length === 2")).await?;
    Ok(())
}

#[tokio::test]
async fn a_long_bake_shows_a_draft_is_given_up_and_made_when_asked() -> Result<()> {
    let table = Table::laid().await?;
    let browser = &table.browser;
    browser.eval("(window.seen = [], speckle.stage.surfaces.forEach((surface) => { const old = surface.preview.bind(surface); surface.preview = (set, bytes) => { window.seen.push([set, bytes ? Array.from(bytes.subarray(0, 400)).reduce((a, b) => a + b, 0) : 0]); old(set, bytes); }; }), true)").await?;
    table.add("form", "occlusion").await?;
    table.type_into("Rays", "4000").await?;
    browser
        .until("speckle.state().parts[0].sets[1].recipes[0].steps[0].source.rays === 4000")
        .await?;
    // More than the slider gives, so that it lasts on any machine.
    table.edit(json!({ "type": "set_recipe", "part": "PART", "set": "SET", "recipe": { "channels": "R", "steps": [{ "source": { "kind": "occlusion", "rays": 60000 } }] } })).await?;
    browser
        .until("speckle.state().parts[0].sets[1].recipes[0].steps[0].source.rays === 60000")
        .await?;
    table.status("R", "making").await?;
    // Something to look at is there long before all the rays are cast.
    browser.until("window.seen.some(([set, sum]) => set !== null && sum > 0)").await?;
    browser.until("document.querySelector('[data-test=jobs]')?.innerText.includes('%')").await?;
    let words = browser.find("recipe-chip").await?.text().await?;
    assert!(words.contains("draft") || words.contains("being made"), "{words}");

    // The numbers stay readable while a stroke goes on meanwhile.
    browser.click("area-paint").await?;
    browser.click_at(Locator::Css("[aria-label='Paint G of Wear']")).await?;
    browser.eval("(speckle.brush(20, 1, 1), true)").await?;
    browser.stroke(&[(470.0, 240.0), (540.0, 250.0)]).await?;
    assert!(browser.held("Wear").await?.iter().any(|v| v[1] == 255));
    browser.click("area-bake").await?;
    table.cell("R").await?;
    table.status("R", "making").await?;

    let there = browser.held("Wear").await?;
    let asked = std::time::Instant::now();
    browser.click("give-up").await?;
    table.status("R", "failed").await?;
    assert!(asked.elapsed() < Duration::from_secs(3), "{:?}", asked.elapsed());
    let words = browser.find("recipe-state").await?.text().await?;
    assert!(words.contains("Given up: what was there stays"), "{words}");
    assert!(browser.held("Wear").await? == there);

    // By click only, it waits and says so; asked for, it is made.
    browser.choose_row("Made again", "by click").await?;
    browser.click_at(Locator::Css("[data-test=step-open]")).await?;
    if table.count("step-fields").await? == 0 {
        browser.click_at(Locator::Css("[data-test=step-open]")).await?;
    }
    table.type_into("Rays", "16").await?;
    table.status("R", "stale").await?;
    assert!(browser.find("recipe-state").await?.text().await?.contains("Not up to date"));
    browser.until("document.querySelector('[data-test=recipe-stale]') !== null").await?;
    browser.click("make").await?;
    table.status("R", "fresh").await?;
    browser.until("document.querySelector('[data-test=recipe-fresh]') !== null").await?;
    let held = browser.held("Wear").await?;
    assert!(held.iter().any(|v| v[0] > 240) && held.iter().any(|v| v[0] < 40));
    let words = browser.find("recipe-state").await?.text().await?;
    assert!(words.contains("Up to date") && words.contains("16 rays"), "{words}");
    Ok(())
}

#[tokio::test]
async fn recipes_are_saved_run_without_a_screen_to_the_same_bytes_loaded_copied_and_frozen()
-> Result<()> {
    let table = Table::laid().await?;
    let browser = &table.browser;
    let folder = tempfile::tempdir()?;
    let project = table.project().await?;
    let bare = table.export(folder.path(), "bare.ply", project)?;

    table.add("form", "occlusion").await?;
    table.type_into("Rays", "24").await?;
    table.add("place", "facing").await?;
    table.status("R", "fresh").await?;
    browser.click("recipe-more").await?;
    browser.choose_entry("Name it").await?;
    let name = browser.find("name").await?;
    name.send_keys("\u{e009}a\u{e000}Shade from above\u{e007}").await?;
    browser
        .until("speckle.state().parts[0].sets[1].recipes[0].name === 'Shade from above'")
        .await?;
    browser.until("document.querySelector(\"[aria-label='Paint R of Wear']\").innerText.includes('Shade from above')").await?;
    table.status("R", "fresh").await?;

    // Saved as a file, it makes the same without a screen.
    browser.click("recipe-more").await?;
    browser.click("recipe-save").await?;
    let saved = browser.downloads.join("Mooring bollard Wear recipe.json");
    for _ in 0..100 {
        if saved.exists() {
            break;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    let text = fs::read_to_string(&saved)?;
    assert!(text.contains("Shade from above") && !text.contains("hand_paint"), "{text}");
    let made = folder.path().join("made.glb");
    let bake = Command::new(binary()?)
        .arg("bake")
        .arg(&bare)
        .arg(&made)
        .arg("--recipe")
        .arg(&saved)
        .args(["--set", "Wear"])
        .output()?;
    assert!(bake.status.success(), "{}", String::from_utf8_lossy(&bake.stderr));
    let from_page = browser.held("Wear").await?;
    let reds: Vec<u8> = from_page.iter().map(|v| v[0]).collect();
    let other = reds_of(&made)?;
    let apart = other.iter().zip(&reds).filter(|(a, b)| a != b).count();
    assert_eq!(
        (other.len(), apart),
        (reds.len(), 0),
        "the command line made something else: {text}"
    );

    // Loaded again, into another project's part, it makes the set with its recipe.
    browser.open_bollard(&table.app).await?;
    browser.click("area-bake").await?;
    browser
        .client
        .find(Locator::Css("[data-test=recipe-file]"))
        .await?
        .send_keys(&saved.to_string_lossy())
        .await?;
    browser.until("speckle.state().parts[0].sets.some((s) => s.name === 'Wear')").await?;
    table.status("R", "fresh").await?;
    assert!(browser.held("Wear").await?.iter().map(|v| v[0]).eq(reds.iter().copied()));
    assert_eq!(table.undo_label().await?, "Take Wear");

    // Copied to another channel, frozen there: plain numbers, which the next change leaves alone.
    table.cell("R").await?;
    browser.click("recipe-more").await?;
    browser.choose_entry("Copy to other").await?;
    browser.choose("Channels", "G").await?;
    browser.click("copy-accept").await?;
    table.status("G", "fresh").await?;
    table.cell("G").await?;
    browser.click("freeze").await?;
    browser.until("speckle.state().parts[0].sets[1].recipes.length === 1").await?;
    assert!(browser.held("Wear").await?.iter().map(|v| v[1]).eq(reds.iter().copied()));
    // A channel without a recipe offers the shelf.
    assert!(browser.find("starter").await?.text().await?.contains("Into Wear · G"));

    // What is no recipe is refused in words, and nothing changes.
    let newer = folder.path().join("newer.json");
    fs::write(&newer, r#"{"version":9,"set":"Wear","recipes":[]}"#)?;
    browser
        .client
        .find(Locator::Css("[data-test=recipe-file]"))
        .await?
        .send_keys(&newer.to_string_lossy())
        .await?;
    browser.until("document.body.innerText.includes('newer.json: it is of version 9, and this app knows versions up to 1: get a newer app')").await?;
    Ok(())
}

/// The first channel of the set Wear of a GLB file, its last, in steps of 1/255.
fn reds_of(path: &Path) -> Result<Vec<u8>> {
    let (document, buffers, _) = gltf::import(path)?;
    let primitive =
        document.meshes().next().and_then(|mesh| mesh.primitives().next()).context("a mesh")?;
    let reader = primitive.reader(|buffer| Some(&buffers[buffer.index()]));
    let sets = primitive
        .attributes()
        .filter(|(kind, _)| matches!(kind, gltf::Semantic::Colors(_)))
        .count();
    let colors = reader.read_colors(sets as u32 - 1).context("colors")?.into_rgba_f32();
    Ok(colors.map(|c| (c[0] * 255.0).round() as u8).collect())
}

#[tokio::test]
async fn what_cannot_be_made_says_what_to_do() -> Result<()> {
    let table = Table::laid().await?;
    let browser = &table.browser;
    let folder = tempfile::tempdir()?;
    // No UVs.
    let stripes = folder.path().join("stripes.png");
    image::RgbImage::from_fn(16, 16, |x, _| image::Rgb([if x % 4 < 2 { 250 } else { 10 }; 3]))
        .save(&stripes)?;
    table.add("given", "image").await?;
    table.status("R", "failed").await?;
    assert!(browser.find("recipe-state").await?.text().await?.contains("choose an image"));
    // What is no image is refused.
    let broken = folder.path().join("broken.png");
    fs::write(&broken, b"\x89PNG no more")?;
    let picker = browser.client.find(Locator::Css("[data-test=image-file]")).await?;
    picker.send_keys(&broken.to_string_lossy()).await?;
    browser.until("document.body.innerText.includes('the image broken.png cannot be read') && document.body.innerText.includes('choose a PNG, JPEG')").await?;
    picker.send_keys(&stripes.to_string_lossy()).await?;
    // Without UVs it starts from three axes, and is made; by UV it says what is missing.
    table.status("R", "fresh").await?;
    let held = browser.held("Wear").await?;
    assert!(held.iter().any(|v| v[0] > 200) && held.iter().any(|v| v[0] < 60));
    browser.choose_row("Lies", "by UV").await?;
    table.status("R", "failed").await?;
    let words = browser.find("recipe-state").await?.text().await?;
    assert!(
        words.contains("has no UV set 1") && words.contains("lay the image along an axis"),
        "{words}"
    );
    browser.click("undo").await?;
    table.status("R", "fresh").await?;

    // An empty selection as root.
    table.edit(json!({ "type": "add_helper", "part": "PART", "role": "selection", "name": "Roots", "placement": "face" })).await?;
    browser.until("speckle.state().parts[0].helpers.length === 1").await?;
    table.add("ways", "trail").await?;
    browser.choose_row("From", "a selection").await?;
    table.status("R", "failed").await?;
    let words = browser.find("recipe-state").await?.text().await?;
    assert!(
        words.contains("the selection Roots is empty: select something in Paint first"),
        "{words}"
    );
    // A root from the stage.
    browser.choose_row("From", "a point on it").await?;
    table.status("R", "fresh").await?;
    let root = "speckle.state().parts[0].sets[1].recipes[0].steps[1].source.root.at";
    let before = browser.eval(&format!("JSON.stringify({root})")).await?;
    browser.click("place-root").await?;
    browser.until("document.querySelector('[data-test=recipe-chip]').innerText.includes('Click where it starts')").await?;
    // Before the click comes, somebody else turns another number of the recipe: it is not put back.
    let recipe = "speckle.state().parts[0].sets[1].recipes[0]";
    let mut turned = browser.eval(recipe).await?;
    turned["name"] = json!("Trails of rust");
    turned["steps"][1]["strength"] = json!(0.375);
    table
        .edit(json!({ "type": "set_recipe", "part": "PART", "set": "SET", "recipe": turned }))
        .await?;
    browser.until(&format!("{recipe}.steps[1].strength === 0.375")).await?;
    let [x, y] = browser.spot_on(0).await?;
    browser.stroke(&[(x, y)]).await?;
    browser.until(&format!("JSON.stringify({root}) !== {before}")).await?;
    assert_eq!(browser.eval(&format!("{recipe}.steps[1].strength")).await?, 0.375);
    assert_eq!(browser.eval(&format!("{recipe}.name")).await?, "Trails of rust");
    table.status("R", "fresh").await?;

    // A locked channel takes no recipe, and says why.
    table.cell("B").await?;
    table.edit(json!({ "type": "describe_channel", "part": "PART", "set": "SET", "channel": 2, "traits": { "meaning": "", "low": "", "high": "", "signed": null, "locked": true } })).await?;
    browser.until("document.querySelector('[data-test=locked]') !== null").await?;
    browser.click("family-form").await?;
    browser.click("source-hollows").await?;
    browser.until("document.body.innerText.includes('B of Wear is locked: unlock it on the channel board first')").await?;
    assert_eq!(table.count("step").await?, 0);
    Ok(())
}

#[tokio::test]
async fn the_demo_pieces_come_with_their_recipes_and_follow_what_changes() -> Result<()> {
    let table = Table::of("pennant").await?;
    let browser = &table.browser;
    browser.click_at(Locator::Css("[aria-label='Paint A of Motion']")).await?;
    browser.until("document.querySelectorAll('[data-test=step]').length === 1").await?;
    browser
        .until(
            "document.querySelector('[data-test=recipe-state]').innerText.includes('Up to date')",
        )
        .await?;
    // The toggle is one piece and moves as one: all its vertices sway alike, and the fly end most.
    let toggle = browser.eval("(() => { const part = speckle.state().parts[0]; const motion = part.sets.find((s) => s.name === 'Motion'); const held = speckle.stage.surfaces.get(part.id).values.get(motion.id).bytes; const cloth = 73 * 23; const all = Array.from({ length: part.vertices }, (_, v) => held[4 * v + 3]); return [Math.min(...all.slice(cloth)), Math.max(...all.slice(cloth)), Math.max(...all.slice(0, cloth)), Math.min(...all.slice(0, cloth))]; })()").await?;
    let [low, high, most, least]: [u8; 4] = serde_json::from_value(toggle)?;
    assert!(low == high && low > 0, "the toggle sways {low} to {high}");
    assert_eq!((least, most), (0, 255));

    browser.open_piece(&table.app, "stone").await?;
    browser.click("area-bake").await?;
    browser.until("document.querySelector('[data-test=recipe-title]')?.innerText === 'Recipe for Surface · R G B'").await?;
    browser
        .until("speckle.state().images.length === 1 && speckle.state().images[0].width === 1024")
        .await?;
    // Another part's occlusion is stale when this one moves; this recipe depends on its own mesh alone.
    let before = browser.held("Surface").await?;
    table.edit(json!({ "type": "delete_image", "name": "tide stone.png" })).await?;
    table.status("RGB", "failed").await?;
    let words = browser.find("recipe-state").await?.text().await?;
    assert!(words.contains("tide stone.png is not in the project: add it to the step"), "{words}");
    assert!(browser.held("Surface").await? == before);
    browser.click("undo").await?;
    table.status("RGB", "fresh").await?;
    Ok(())
}
