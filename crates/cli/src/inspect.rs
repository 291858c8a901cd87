//! What is in a mesh file, as JSON or as text.

use std::{fmt, path::PathBuf};

use anyhow::{Result, bail};
use serde::Serialize;
use speckle_color::{Encoding, figures};
use speckle_formats::Repair;
use speckle_mesh::Placement;
use speckle_model::Part;

use crate::reading::{ReadArgs, progress};

/// Inspects files one after the other; goes on after one that cannot be read, and fails at the end.
pub fn run(files: &[PathBuf], json: bool, reading: &ReadArgs) -> Result<()> {
    let mut reports = Vec::new();
    let mut failed = 0;
    let bar = progress(files.len());
    for file in files {
        bar.set_message(file.display().to_string());
        match reading.bring_in(file) {
            Ok((document, import)) => {
                let report = Report::new(document.parts(), import.repairs, import.notes);
                if !json {
                    bar.suspend(|| {
                        if files.len() > 1 {
                            crate::say!("── {}", file.display());
                        }
                        crate::say_all!("{report}");
                    });
                }
                reports.push((file, report));
            }
            Err(error) if files.len() == 1 => return Err(error),
            Err(error) => {
                bar.suspend(|| eprintln!("speckle: {error:#}"));
                failed += 1;
            }
        }
        bar.inc(1);
    }
    bar.finish_and_clear();
    if json {
        let text = match reports.as_slice() {
            [(_, only)] if files.len() == 1 => serde_json::to_string_pretty(only)?,
            several => {
                let named = several.iter().map(|(file, report)| Named { file, report });
                serde_json::to_string_pretty(&named.collect::<Vec<_>>())?
            }
        };
        crate::say!("{text}");
    }
    if failed > 0 {
        bail!("{failed} of {} files could not be read", files.len());
    }
    Ok(())
}

/// One of several files.
#[derive(Serialize)]
struct Named<'a> {
    file: &'a PathBuf,
    #[serde(flatten)]
    report: &'a Report,
}

/// The whole file.
#[derive(Serialize)]
pub struct Report {
    parts: Vec<PartReport>,
    repairs: Vec<Repair>,
    notes: Vec<String>,
}

#[derive(Serialize)]
struct PartReport {
    name: String,
    vertices: usize,
    faces: usize,
    corners: usize,
    triangles: usize,
    bounds: Bounds,
    area: f64,
    volume: f64,
    pieces: usize,
    watertight: bool,
    sets: Vec<SetReport>,
}

#[derive(Serialize)]
struct Bounds {
    min: [f32; 3],
    max: [f32; 3],
}

#[derive(Serialize)]
struct SetReport {
    name: String,
    placement: Placement,
    encoding: Encoding,
    channels: Vec<ChannelReport>,
}

/// As stored in the set: color sets are sRGB-encoded.
#[derive(Serialize)]
struct ChannelReport {
    min: f32,
    max: f32,
    mean: f64,
}

impl Report {
    /// Measures the parts.
    pub fn new(parts: &[Part], repairs: Vec<Repair>, notes: Vec<String>) -> Self {
        Self { parts: parts.iter().map(PartReport::new).collect(), repairs, notes }
    }
}

impl PartReport {
    fn new(part: &Part) -> Self {
        let (mesh, measures) = (part.geometry.mesh(), part.geometry.measures());
        let sets = part.sets.iter().map(|set| SetReport {
            name: set.name.clone(),
            placement: set.placement,
            encoding: set.encoding,
            channels: figures::of_channels(&set.values)
                .into_iter()
                .map(|c| ChannelReport { min: c.min, max: c.max, mean: c.mean })
                .collect(),
        });
        Self {
            name: part.traits.name.clone(),
            vertices: mesh.vertex_count(),
            faces: mesh.face_count(),
            corners: mesh.corner_count(),
            triangles: mesh.triangle_count(),
            bounds: Bounds { min: measures.min.to_array(), max: measures.max.to_array() },
            area: measures.area,
            volume: measures.volume,
            pieces: part.geometry.pieces().count(),
            watertight: part.geometry.topology().is_watertight(),
            sets: sets.collect(),
        }
    }
}

impl fmt::Display for Report {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for part in &self.parts {
            writeln!(f, "{}", part.name)?;
            writeln!(
                f,
                "  {} vertices, {} faces ({} triangles), {} piece{}, {}",
                part.vertices,
                part.faces,
                part.triangles,
                part.pieces,
                if part.pieces == 1 { "" } else { "s" },
                if part.watertight { "watertight" } else { "open" }
            )?;
            let Bounds { min, max } = part.bounds;
            writeln!(
                f,
                "  size {} × {} × {}, area {}, volume {}",
                max[0] - min[0],
                max[1] - min[1],
                max[2] - min[2],
                part.area,
                part.volume
            )?;
            for set in &part.sets {
                let placement = match set.placement {
                    Placement::Vertex => "per vertex",
                    Placement::Corner => "per corner",
                    Placement::Face => "per face",
                };
                let encoding = match set.encoding {
                    Encoding::Color => "color",
                    Encoding::Data => "data",
                    Encoding::Swatch => "swatches",
                };
                writeln!(f, "  set {}: {placement}, {encoding}", set.name)?;
                for (name, channel) in "RGBA".chars().zip(&set.channels) {
                    let ChannelReport { min, max, mean } = channel;
                    writeln!(f, "    {name}  {min:.3} to {max:.3}, mean {mean:.3}")?;
                }
            }
            if part.sets.is_empty() {
                writeln!(f, "  no color set")?;
            }
        }
        for repair in &self.repairs {
            let verb = if repair.notice { "noticed" } else { "mended" };
            writeln!(f, "{verb} in {}: {}", repair.part, repair.message)?;
        }
        self.notes.iter().try_for_each(|note| writeln!(f, "{note}"))
    }
}
