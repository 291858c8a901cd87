//! Our blends beside those of the browser's own canvas, which follows the same standard (W3C
//! Compositing and Blending Level 1): Chromium is the outside source here.

use std::fmt::Write;

use anyhow::{Context, Result};
use speckle_color::{
    Encoding,
    blend::{Base, Blend},
    rgba_from_bytes,
};
use speckle_e2e::{App, Browser};

const BLENDS: [(Blend, &str); 15] = [
    (Blend::Multiply, "multiply"),
    (Blend::Screen, "screen"),
    (Blend::Overlay, "overlay"),
    (Blend::Darken, "darken"),
    (Blend::Lighten, "lighten"),
    (Blend::ColorDodge, "color-dodge"),
    (Blend::ColorBurn, "color-burn"),
    (Blend::HardLight, "hard-light"),
    (Blend::SoftLight, "soft-light"),
    (Blend::Difference, "difference"),
    (Blend::Exclusion, "exclusion"),
    (Blend::Hue, "hue"),
    (Blend::Saturation, "saturation"),
    (Blend::Color, "color"),
    (Blend::Luminosity, "luminosity"),
];

/// Pairs of what is there and paint: the ends, the middle, and colors in between.
fn pairs() -> Vec<[[u8; 3]; 2]> {
    let colors = [
        [0, 0, 0],
        [255, 255, 255],
        [128, 128, 128],
        [255, 0, 0],
        [30, 90, 200],
        [200, 160, 40],
        [64, 64, 65],
        [12, 240, 180],
    ];
    colors.iter().flat_map(|&a| colors.iter().map(move |&b| [a, b])).collect()
}

#[tokio::test]
async fn every_blend_is_that_of_the_browsers_canvas() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let app = App::start(&folder.path().join("toys"))?;
    let browser = Browser::start().await?;
    browser.client.goto(&app.address).await?;
    let pairs = pairs();
    let base = Base { encoding: Encoding::Color, ground: [1.0; 4] };
    let mut wrong = String::new();
    for (blend, name) in BLENDS {
        let told = browser
            .eval(&format!(
                "(() => {{ const canvas = new OffscreenCanvas(1, 1); const pen = canvas.getContext('2d', {{ willReadFrequently: true }});
                    const fill = (mode, [r, g, b]) => {{ pen.globalCompositeOperation = mode; pen.fillStyle = `rgb(${{r}} ${{g}} ${{b}})`; pen.fillRect(0, 0, 1, 1); }};
                    return {pairs}.map(([there, paint]) => {{ fill('source-over', there); fill('{name}', paint); return [...pen.getImageData(0, 0, 1, 1).data].slice(0, 3); }}); }})()",
                pairs = serde_json::to_string(&pairs)?
            ))
            .await?;
        let theirs: Vec<[u8; 3]> = serde_json::from_value(told).context("the canvas' numbers")?;
        for ([there, paint], theirs) in pairs.iter().zip(theirs) {
            let whole = |[r, g, b]: [u8; 3]| rgba_from_bytes([r, g, b, 255]);
            let ours = blend.of(base, whole(*there), whole(*paint)).map(|x| x * 255.0);
            let off = (0..3).map(|i| (ours[i] - f32::from(theirs[i])).abs()).fold(0.0, f32::max);
            // The canvas rounds to 8 bits on the way.
            if off > 2.0 {
                writeln!(wrong, "{name} {there:?} {paint:?}: {ours:?}, canvas {theirs:?}")?;
            }
        }
    }
    assert!(wrong.is_empty(), "{wrong}");

    // In the app: multiplying a white coat by a color gives the color, twice its square.
    browser.open_bollard(&app).await?;
    browser.choose("Blend", "Multiply").await?;
    browser.paint_with("#808080").await?;
    browser.eval("speckle.brush(60, 1, 1)").await?;
    let [x, y] = browser.spot_on(0).await?;
    let ground = browser.held("Coat").await?;
    let mut changed = Vec::new();
    for _ in 0..2 {
        browser.stroke(&[(x, y), (x + 3.0, y)]).await?;
        let held = browser.held("Coat").await?;
        let expected = |from: u8| (f32::from(from) * 128.0 / 255.0).round();
        let before = changed.last().unwrap_or(&ground);
        let touched: Vec<(&[u8; 4], &[u8; 4])> =
            before.iter().zip(&held).filter(|(a, b)| a != b).collect();
        assert!(touched.len() > 10);
        for (before, after) in touched {
            assert!(
                (0..3).all(|i| (expected(before[i]) - f32::from(after[i])).abs() <= 1.0),
                "{before:?} {after:?}"
            );
        }
        changed.push(held);
    }
    browser.until("document.querySelector('[data-test=target]').innerText.startsWith('Skin stroke, multiply')").await?;
    assert_eq!(browser.complaints().await?, Vec::<String>::new());
    browser.close().await
}
