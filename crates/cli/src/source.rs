//! What commands are given: a mesh file, a project as a file, or a project by its name.

use std::{path::Path, time::UNIX_EPOCH};

use anyhow::{Context, Result, anyhow, bail};
use speckle_core::Document;
use speckle_formats::{
    Format,
    note::{Origin, day},
    recipient::{Goods, Packed, Recipient},
};
use speckle_model::ProjectTraits;
use speckle_store::{Project, Store};

use crate::{convert::stem, reading::ReadArgs, usual_data};

/// What a command is given, with the recipients that are kept with it.
pub struct Source {
    pub name: String,
    pub document: Document,
    traits: ProjectTraits,
    pub origin: Origin,
    pub kept: Vec<Recipient>,
}

impl Source {
    /// All of it, to be packed.
    pub fn goods(&self) -> Goods<'_> {
        Goods {
            name: &self.name,
            parts: self.document.parts(),
            images: self.document.image_files(),
            palette: self.document.swatches(),
            looks: &self.document.proof().looks,
            traits: self.traits,
        }
    }

    /// Packs it for a recipient.
    pub fn packed(&self, recipient: &Recipient) -> Result<Packed> {
        Ok(recipient.pack(&self.goods(), self.origin.clone())?)
    }

    /// Opens a mesh file, a project as a file, or a project by its name among those of a folder.
    pub fn open(source: &str, data: Option<&Path>, reading: &ReadArgs) -> Result<Self> {
        let path = Path::new(source);
        if path.extension().is_some_and(|end| end == "speckle") {
            let store = Store::temporary()?;
            let id = store
                .import_project(path, 0)
                .with_context(|| format!("{source} cannot be read"))?;
            return Self::kept(&store, id);
        }
        if path.is_file() || Format::that_reads(source).is_ok() {
            let (document, import) = reading.bring_in(path)?;
            let origin = Origin { date: today(), ..Origin::default() };
            let traits = import.traits;
            return Ok(Self { name: stem(path), document, traits, origin, kept: Vec::new() });
        }
        let (store, project) = kept_project(source, data)?;
        Self::kept(&store, project.id)
    }

    /// A project of a store.
    pub fn kept(store: &Store, id: i64) -> Result<Self> {
        let project = store.listed(id)?;
        let opened = store.open_project(id)?;
        let kept = store.project(id)?.recipients()?;
        let kept = kept.iter().filter_map(|kept| serde_json::from_str(&kept.settings).ok());
        Ok(Self {
            traits: opened.document.traits(),
            document: opened.document,
            origin: Origin {
                project: project.name.clone(),
                project_id: project.mark(),
                revision: project.revision,
                date: today(),
            },
            name: project.name,
            kept: kept.collect(),
        })
    }
}

/// The date, in UTC.
fn today() -> String {
    day(UNIX_EPOCH.elapsed().map_or(0, |d| d.as_millis() as i64))
}

/// A project by its name, among those of a folder that the app may be running on meanwhile.
pub fn kept_project(name: &str, data: Option<&Path>) -> Result<(Store, Project)> {
    let data = data.map_or_else(usual_data, Path::to_owned);
    let Ok(store) = Store::look(&data) else {
        bail!(
            "there is no file {name}, and no projects in {}: name one with --data",
            data.display()
        );
    };
    let projects = store.projects()?;
    let found = projects.iter().find(|project| project.name == name).ok_or_else(|| {
        let names: Vec<&str> = projects.iter().map(|project| project.name.as_str()).collect();
        anyhow!("there is no file and no project {name}; there are {}", names.join(", "))
    })?;
    let found = found.clone();
    Ok((store, found))
}
