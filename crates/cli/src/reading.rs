//! Reading files for the jobs without a screen.

use std::{
    fs,
    io::IsTerminal,
    path::{Component, Path},
    sync::Arc,
    time::Duration,
};

use anyhow::{Context, Result, anyhow};
use clap::{Args, ValueEnum};
use indicatif::{ProgressBar, ProgressStyle};
use speckle_core::{Document, PartEdit};
use speckle_formats::{Format, Groups, Import, MeshFile, ReadOptions, abilities::Says};
use speckle_mesh::{Conversion, Unit, UpAxis};
use speckle_model::{ImageRecord, ProjectTraits};
use speckle_tools::image_file::ImageFile;

use crate::LimitArgs;

/// How files are read.
#[derive(Args)]
pub struct ReadArgs {
    /// What becomes of named groups inside one mesh; by default parts for OBJ and STL, selections
    /// for glTF
    #[arg(long, value_enum)]
    groups: Option<GroupsArg>,
    /// How far apart corners of an STL file may lie and still be one vertex, in the file's numbers
    #[arg(long, default_value_t = 0.0)]
    weld: f32,
    /// The axis that points up in the file; what it says itself when left out, or what files of its
    /// kind usually have where it says nothing
    #[arg(long, value_enum)]
    up: Option<UpArg>,
    #[command(flatten)]
    limits: LimitArgs,
}

#[derive(Clone, Copy, ValueEnum)]
enum GroupsArg {
    /// Each becomes a part of its own
    Parts,
    /// They stay in one part
    Selections,
}

/// A unit of length.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum UnitArg {
    Mm,
    Cm,
    M,
    In,
    Ft,
}

impl From<UnitArg> for Unit {
    fn from(unit: UnitArg) -> Self {
        match unit {
            UnitArg::Mm => Self::Millimetre,
            UnitArg::Cm => Self::Centimetre,
            UnitArg::M => Self::Metre,
            UnitArg::In => Self::Inch,
            UnitArg::Ft => Self::Foot,
        }
    }
}

/// An axis that points up.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum UpArg {
    Y,
    Z,
}

impl From<UpArg> for UpAxis {
    fn from(up: UpArg) -> Self {
        match up {
            UpArg::Y => Self::Y,
            UpArg::Z => Self::Z,
        }
    }
}

impl ReadArgs {
    /// What the numbers of a file mean, where it says so or the user does.
    pub fn meaning(&self, import: &Import) -> Option<ProjectTraits> {
        (import.states || self.up.is_some()).then_some(import.traits)
    }

    /// Reads a file into a document, which vouches for it as it does for an import in the app.
    pub fn bring_in(&self, file: &Path) -> Result<(Document, Import)> {
        self.bring_in_converted(file, |_| (Conversion::NONE, None))
    }

    /// The same with its points converted, as what the file says of itself asks for, and with what
    /// its numbers mean from then on.
    pub fn bring_in_converted(
        &self,
        file: &Path,
        conversion: impl FnOnce(&Import) -> (Conversion, Option<ProjectTraits>),
    ) -> Result<(Document, Import)> {
        let shown = file.display();
        let bytes = fs::read(file).with_context(|| format!("{shown} cannot be read"))?;
        // Binary scenes are read by counts that they state: a damaged one ends this process alone.
        if Format::that_reads(&file.to_string_lossy()).is_ok_and(Format::trusts_counts) {
            speckle_server::reader::bound_memory(bytes.len() as u64);
        }
        let options = ReadOptions {
            limits: self.limits.limits(),
            groups: self.groups.map(|groups| match groups {
                GroupsArg::Parts => Groups::Parts,
                GroupsArg::Selections => Groups::Selections,
            }),
            weld: self.weld,
            unit: None,
            up: self.up.map(UpAxis::from),
            guess: false,
        };
        let beside = |name: &str| beside(file, name);
        let name = file.to_string_lossy();
        let file = MeshFile { name: &name, bytes: &bytes, beside: &beside };
        // The bare error first: scripts look for its place at the beginning.
        let mut import =
            speckle_formats::read(&file, &options).map_err(|error| anyhow!("{shown}: {error}"))?;
        let (conversion, meant) = conversion(&import);
        import.convert_by(conversion).with_context(|| shown.to_string())?;
        import.traits = meant.unwrap_or(import.traits);
        let traits = Some(import.traits);
        let mut document = Document::default();
        let parts = std::mem::take(&mut import.parts);
        let images = std::mem::take(&mut import.images);
        document.apply(PartEdit::AddParts { parts, images, traits })?;
        Ok((document, import))
    }
}

/// Whether a file's format says what its numbers are.
pub fn says_units(file: &Path) -> bool {
    let format = Format::that_reads(&file.to_string_lossy());
    format.is_ok_and(|format| format.abilities().units != Says::Nothing)
}

/// An image that came along by its name, or else a file.
pub fn image_of(name: &str, there: &[ImageRecord]) -> Result<ImageRecord> {
    if let Some(found) = there.iter().find(|image| image.name == name) {
        return Ok(found.clone());
    }
    let path = Path::new(name);
    let names = there.iter().map(|image| image.name.as_str()).collect::<Vec<_>>().join(", ");
    let file = fs::read(path).with_context(|| match names.is_empty() {
        true => format!("{name} cannot be read"),
        false => {
            format!("{name} cannot be read, and is none of the images that came along ({names})")
        }
    })?;
    let file = Arc::new(file);
    let called = path.file_name().map_or(name.to_owned(), |n| n.to_string_lossy().into_owned());
    ImageFile::new(file.clone()).map_err(|cause| anyhow!("the image {name} {cause}"))?;
    Ok(ImageRecord { name: called, file })
}

/// A file that another one names, when it lies in the same folder or below: names never lead out.
fn beside(file: &Path, name: &str) -> Option<Vec<u8>> {
    let name = name.replace('\\', "/");
    let path = Path::new(&name);
    if !path.components().all(|part| matches!(part, Component::Normal(_) | Component::CurDir)) {
        return None;
    }
    fs::read(file.parent()?.join(path)).ok()
}

/// A bar on the terminal for a row of files; nothing where the output is no terminal, or for one.
pub fn progress(files: usize) -> ProgressBar {
    if files < 2 || !std::io::stderr().is_terminal() {
        return ProgressBar::hidden();
    }
    let bar = ProgressBar::new(files as u64);
    if let Ok(style) = ProgressStyle::with_template("{bar:24} {pos}/{len} {wide_msg}") {
        bar.set_style(style);
    }
    bar.enable_steady_tick(Duration::from_millis(120));
    bar
}
