//! Standing deliveries over REST, the report, and what the stage asks of images and texture coordinates.

use std::{
    fs,
    net::SocketAddr,
    path::Path,
    time::{Duration, Instant},
};

use serde_json::{Value, json};
use speckle_server::Config;
use speckle_store::Store;

use crate::common::*;

/// Waits until what is told of a project's standing deliveries is so.
async fn until(address: SocketAddr, project: i64, is: impl Fn(&Value) -> bool) -> Value {
    let start = Instant::now();
    loop {
        let (status, state) = get(address, &format!("/api/v1/projects/{project}/standing")).await;
        assert_eq!(status, 200, "{state}");
        if is(&state) {
            return state;
        }
        assert!(start.elapsed() < Duration::from_secs(60), "{state}");
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
}

async fn keep(address: SocketAddr, project: i64, name: &str, standing: bool) {
    let (status, entries) = get(address, &format!("/api/v1/projects/{project}/recipients")).await;
    assert_eq!(status, 200);
    let mut recipient = entries[0]["recipient"].clone();
    recipient["name"] = name.into();
    recipient["standing"] = standing.into();
    let path = format!("/api/v1/projects/{project}/recipients");
    let (status, said) = send(address, "PUT", &path, &recipient).await;
    assert_eq!(status, 204, "{said}");
}

fn glb(folder: &Path) -> Vec<u8> {
    fs::read(folder.join("Mooring-bollard.glb"))
        .or_else(|_| fs::read(folder.join("Mooring bollard.glb")))
        .unwrap_or_default()
}

/// A folder follows the project: what it wants is there when it rests, again after a change, and not any more when it
/// is not wanted; trouble is told, and what was there stays.
#[tokio::test]
async fn a_folder_follows_the_project() {
    let folder = tempfile::tempdir().unwrap();
    let into = folder.path().join("out");
    let config = Config { into: Some(into.clone()), ..Config::default() };
    let address = serve_with(Store::temporary().unwrap(), config).await;
    let project = bollard(address).await;
    let idle = until(address, project, |state| state["folder"].is_string()).await;
    assert_eq!(idle["done"], json!([]));
    keep(address, project, "Shader folder", true).await;
    let done = until(address, project, |state| state["done"][0]["files"].is_array()).await;
    assert_eq!(done["done"][0]["recipient"], "Shader folder");
    assert!(done["done"][0].get("trouble").is_none(), "{done}");
    let own = Path::new(done["folder"].as_str().unwrap()).to_owned();
    assert!(own.starts_with(&into));
    let first = glb(&own);
    assert_eq!(&first[..4], b"glTF");
    let revision = done["done"][0]["revision"].as_i64().unwrap();

    let path = format!("/api/v1/projects/{project}");
    let (part, set) = first_of(address, project).await;
    let edit = json!({
        "type": "add_set", "part": part, "name": "Extra", "placement": "vertex", "encoding": "data",
        "start": [0.5, 0.5, 0.5, 1.0],
    });
    let (status, said) = post(address, &format!("{path}/edits"), edit).await;
    assert!(status < 300, "{status} {said}");
    until(address, project, |state| state["done"][0]["revision"].as_i64() > Some(revision)).await;
    let second = glb(&own);
    assert!(second.len() > first.len(), "{} {}", first.len(), second.len());

    // What cannot be written is told, and the file of before stays whole.
    let name = fs::read_dir(&own)
        .unwrap()
        .map(|entry| entry.unwrap().path())
        .find(|path| path.extension().is_some_and(|end| end == "glb"))
        .unwrap();
    let partial = name.with_extension("glb.partial");
    fs::create_dir(&partial).unwrap();
    let edit = json!({ "type": "rename_set", "part": part, "set": set, "name": "Other" });
    let (status, said) = post(address, &format!("{path}/edits"), edit).await;
    assert!(status < 300, "{status} {said}");
    let told = until(address, project, |state| state["done"][0]["trouble"].is_string()).await;
    assert!(told["done"][0]["trouble"].as_str().unwrap().contains("cannot be written"), "{told}");
    assert_eq!(glb(&own), second);
    fs::remove_dir(partial).unwrap();

    keep(address, project, "Shader folder", false).await;
    until(address, project, |state| state["done"] == json!([])).await;
}

/// Without a folder nothing stands, and it says so.
#[tokio::test]
async fn without_a_folder_nothing_stands() {
    let address = serve(Store::temporary().unwrap()).await;
    let project = bollard(address).await;
    let (status, state) = get(address, &format!("/api/v1/projects/{project}/standing")).await;
    assert_eq!((status, &state), (200, &json!({ "folder": null, "done": [] })));
    assert_eq!(get(address, "/api/v1/projects/99/standing").await.0, 404);
}

/// The report is one page with everything inside: nothing is asked of any other place.
#[tokio::test]
async fn the_report_is_one_page() {
    let address = serve(Store::temporary().unwrap()).await;
    let project = bollard(address).await;
    let head =
        format!("GET /api/v1/projects/{project}/report?for=archive HTTP/1.1\r\nHost: {address}");
    let (status, page) = ask(address, &head, b"").await;
    assert_eq!(status, 200);
    let page = String::from_utf8(page).unwrap();
    let page = page.replace("\r\n", "\n");
    for wanted in ["<!DOCTYPE html>", "Mooring bollard", "How a shader reads it", "being kept"] {
        assert!(page.contains(wanted), "{wanted}");
    }
    assert!(page.contains("src=\"data:image/png;base64,"));
    for outside in ["http://", "https://", "src=\"/", "href="] {
        assert!(!page.contains(outside), "{outside}");
    }
}

/// Images come as PNG whatever file they were, with alpha and colors as they are; a part without texture coordinates
/// has none.
#[tokio::test]
async fn the_stage_gets_images_and_texture_coordinates() {
    let address = serve(Store::temporary().unwrap()).await;
    let project = bollard(address).await;
    let mut tiff = std::io::Cursor::new(Vec::new());
    let pixels =
        image::RgbaImage::from_fn(3, 2, |x, y| image::Rgba([10 * x as u8, 200, 30 * y as u8, 128]));
    pixels.write_to(&mut tiff, image::ImageFormat::Tiff).unwrap();
    let at = format!("/api/v1/projects/{project}/images?name=rust.tif");
    let head = format!("POST {at} HTTP/1.1\r\nHost: {address}");
    assert_eq!(ask(address, &head, tiff.get_ref()).await.0, 204);
    let (status, png) =
        ask(address, &format!("GET {at}&png=true HTTP/1.1\r\nHost: {address}"), b"").await;
    assert_eq!(status, 200);
    let read = image::load_from_memory_with_format(&png, image::ImageFormat::Png).unwrap();
    assert_eq!(read.into_rgba8(), pixels);
    let (part, _) = first_of(address, project).await;
    let head = format!(
        "GET /api/v1/projects/{project}/parts/{part}/corner_uvs HTTP/1.1\r\nHost: {address}"
    );
    let (status, uvs) = ask(address, &head, b"").await;
    assert_eq!((status, uvs.len() % 8), (200, 0));
}
