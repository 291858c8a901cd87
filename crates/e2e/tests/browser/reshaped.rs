//! A mesh that changes while it is on the stage: what is drawn, and what the pointer meets, is what it
//! would be if the whole of it had come.

use anyhow::Result;
use glam::Vec3;
use serde_json::Value;
use speckle_color::Encoding;
use speckle_core::{Document, Edit};
use speckle_demo::Detail;
use speckle_e2e::{App, Browser};
use speckle_mesh::{Geometry, Mesh, Placement, geometry::local::LocalEdit, mesh::MeshArrays};
use speckle_model::{NewPart, NewSet};
use speckle_store::Store;

/// The bollard with bands of color per vertex, per corner and per face: so much of it in polygons, the
/// rest in triangles.
fn bollard(name: &str, share: usize) -> Result<NewPart> {
    let piece = speckle_demo::piece("bollard").expect("it is on the shelf").make(Detail::Light);
    let whole = &piece[0].mesh;
    let all = whole.cut(&Geometry::new(whole.clone()).triangulation().corners().concat());
    let mut arrays = MeshArrays::from(whole.clone());
    let half = whole.face_count() * share / 2;
    arrays.uv_sets.clear();
    let reach = Geometry::new(whole.clone()).extent();
    let beside = Vec3::X * (reach.max - reach.min).x * (1 - share) as f32;
    arrays.positions.iter_mut().for_each(|point| *point += beside);
    arrays.face_starts.truncate(half + 1);
    let corners = arrays.face_starts[half] as usize;
    arrays.corner_vertices.truncate(corners);
    for face in corners - 2 * half..all.face_count() {
        arrays.corner_vertices.extend(&all.corner_vertices()[all.face_corners(face)]);
        arrays.face_starts.push(arrays.corner_vertices.len() as u32);
    }
    let mesh = Mesh::new(arrays)?;
    let sets = [Placement::Vertex, Placement::Corner, Placement::Face].map(|placement| {
        let name = format!("Bands {placement:?}");
        let mut set = NewSet::flooded(&name, placement, Encoding::Color, [0.5; 4], &mesh);
        for (i, value) in set.values.iter_mut().enumerate() {
            *value = [(i % 7) as f32 / 6.0, (i % 11) as f32 / 10.0, (i % 3) as f32 / 2.0, 1.0];
        }
        set
    });
    Ok(NewPart::new(name, mesh, sets.to_vec()))
}

fn knead(edit: &mut LocalEdit, seed: usize) {
    for i in 0..600 {
        let corner = (seed + i * 7919) % edit.mesh().corner_count();
        match i % 3 {
            0 => drop(edit.split(corner, 0.3)),
            1 => _ = edit.flip(corner),
            _ => _ = edit.collapse(corner, 0.5),
        }
    }
}

/// All pixels of the stage, and what the pointer meets all over it.
const SEEN: &str = "(() => {
    const { stage } = speckle;
    stage.drawWire();
    stage.renderer.render(stage.scene, stage.eye.camera);
    const gl = stage.canvas.getContext('webgl2');
    const [w, h] = [gl.drawingBufferWidth, gl.drawingBufferHeight];
    const pixels = new Uint8Array(4 * w * h);
    gl.readPixels(0, 0, w, h, gl.RGBA, gl.UNSIGNED_BYTE, pixels);
    const met = [];
    for (let y = 60; y < 700; y += 13) for (let x = 40; x < 900; x += 13) {
        const under = stage.under(x, y);
        if (under) met.push([x, y, under.triangle, ...under.vertices, ...under.point.toArray().map((c) => c.toFixed(3))].join(' '));
    }
    window.before = window.now;
    window.now = { pixels, met };
    return met.length;
})()";

/// How many pixels and meetings differ between the last two looks.
const DIFFERENT: &str = "[
    now.pixels.reduce((sum, v, i) => sum + (v !== before.pixels[i] ? 1 : 0), 0),
    now.met.filter((m, i) => m !== before.met[i]).length + Math.abs(now.met.length - before.met.length),
]";

/// Has the whole mesh come again.
const ANEW: &str = "(() => {
    for (const surface of speckle.stage.surfaces.values()) { surface.mesh = 'none'; surface.isOld = true; }
    sockets[sockets.length - 1].close();
    return true;
})()";

#[tokio::test]
async fn a_mesh_that_changes_on_the_stage_is_seen_and_met_as_if_all_of_it_had_come() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let mut document = Document::default();
    let change = document.apply(Edit::bring_in(vec![bollard("Mixed", 1)?, bollard("Cut", 0)?]))?;
    let parts = [0, 1].map(|i| document.parts()[i].id);
    let make = |store: &Store| {
        let project = store.create_with("Bollard", &change, "Puffin", 0, &document)?;
        for (seed, part) in [5, 17, 29, 31].into_iter().zip(parts.into_iter().cycle()) {
            let label = format!("Knead {seed}");
            let change = document.reshape(part, label, |edit| knead(edit, seed))?;
            store.project(project)?.append(&change, "Puffin", 0, &document)?;
        }
        Ok(project)
    };
    let project = app.bring_in(make).await?;
    let browser = Browser::start().await?;
    browser.client.goto(&app.address).await?;
    browser.find("piece-drifter").await?;
    browser.eval("(() => { const Real = WebSocket; window.sockets = []; window.WebSocket = class extends Real { constructor(...all) { super(...all); sockets.push(this); } }; return true; })()").await?;
    browser.eval(&format!("(location.hash = '#/project/{project}', true)")).await?;
    browser.loaded().await?;
    browser.choose_look("Wireframe").await?;
    for (steps, set) in
        [("uuu", "Bands Corner"), ("rr", "Bands Vertex"), ("uuurrrr", "Bands Face"), ("uuu", "")]
    {
        if !set.is_empty() {
            let shown = format!("speckle.state().parts[0].sets.find((s) => s.name === '{set}').id");
            browser.choose_from_menu(&format!("More about {set}"), "Show it on the stage").await?;
            browser.until(&format!("speckle.state().shown === {shown}")).await?;
        }
        for step in steps.chars() {
            let revision = browser.eval("speckle.state().history.revision").await?;
            browser.eval("(window.those = [...speckle.stage.surfaces.values()], true)").await?;
            browser.click(if step == 'u' { "undo" } else { "redo" }).await?;
            browser.until(&format!("speckle.state().history.revision > {revision}")).await?;
        }
        // What rests is told in full.
        browser.until("speckle.state().parts.every((p, i) => p.mesh === those[i].mesh)").await?;
        let is_same = "[...speckle.stage.surfaces.values()].every((s, i) => s === those[i])";
        assert_eq!(browser.eval(is_same).await?, Value::Bool(true), "no whole mesh came");
        let met = browser.eval(SEEN).await?;
        assert!(met.as_u64() > Some(200), "{met}");
        browser.eval(ANEW).await?;
        let has_come = "(s) => !s.isOld && s.ready && s.values.size === 3";
        browser
            .until(&format!(
                "((all) => all.length === 2 && all.every({has_come}))([...speckle.stage.surfaces.values()])"
            ))
            .await?;
        browser.loaded().await?;
        browser.eval(SEEN).await?;
        let different: [u64; 2] = serde_json::from_value(browser.eval(DIFFERENT).await?)?;
        assert_eq!(different, [0, 0], "after {steps}: pixels, places");
    }
    browser.close().await
}
