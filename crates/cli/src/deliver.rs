//! Sending a project or a file to a recipient.

use std::{
    fs,
    path::{Path, PathBuf},
    time::UNIX_EPOCH,
};

use anyhow::{Context, Result, anyhow, bail};
use clap::Args;
use serde_json::json;
use speckle_core::Document;
use speckle_formats::{
    Format, Loss,
    note::{Origin, day},
    recipient::{Goods, Packed, Recipient, starters},
};
use speckle_model::ProjectTraits;
use speckle_store::{Project, Store};

use crate::{
    convert::{stem, write_whole},
    reading::{ReadArgs, progress},
    usual_data,
};

/// `speckle deliver`
#[derive(Args)]
pub struct DeliverArgs {
    /// Mesh files, projects as files (.speckle), or names of projects in --data
    #[arg(required = true)]
    sources: Vec<String>,
    /// A recipient by its name, or a file that describes one (JSON)
    #[arg(long)]
    recipient: String,
    /// The folder to write to
    #[arg(short = 'o', long, default_value = ".")]
    out: PathBuf,
    /// The folder that keeps the projects [default: speckle.projects]
    #[arg(long)]
    data: Option<PathBuf>,
    /// Print what was written, and what is lost, as JSON
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    reading: ReadArgs,
}

/// What is to be sent, with the recipients it keeps.
pub struct Sending {
    pub name: String,
    document: Document,
    traits: ProjectTraits,
    pub origin: Origin,
    pub kept: Vec<Recipient>,
}

impl Sending {
    /// Packs it for a recipient.
    pub fn packed(&self, recipient: &Recipient) -> Result<Packed> {
        let goods = Goods {
            name: &self.name,
            parts: self.document.parts(),
            images: self.document.image_files(),
            palette: self.document.swatches(),
            looks: &self.document.proof().looks,
            traits: self.traits,
        };
        Ok(recipient.pack(&goods, self.origin.clone())?)
    }
}

/// Delivers each source; goes on after one that cannot be, and fails at the end.
pub fn run(args: &DeliverArgs) -> Result<()> {
    fs::create_dir_all(&args.out)
        .with_context(|| format!("{} cannot be made", args.out.display()))?;
    let bar = progress(args.sources.len());
    let (mut done, mut failed) = (Vec::new(), 0);
    for source in &args.sources {
        bar.set_message(source.clone());
        match one(args, source) {
            Ok((files, losses)) => {
                if !args.json {
                    for loss in &losses {
                        bar.suspend(|| eprintln!("{source}: {}", loss.line()));
                    }
                    for file in &files {
                        bar.suspend(|| crate::say!("{}", file.display()));
                    }
                }
                done.push(json!({ "source": source, "files": files, "losses": losses }));
            }
            Err(error) if args.sources.len() == 1 => return Err(error),
            Err(error) => {
                bar.suspend(|| eprintln!("speckle: {source}: {error:#}"));
                failed += 1;
            }
        }
        bar.inc(1);
    }
    bar.finish_and_clear();
    if args.json {
        crate::say!("{}", serde_json::to_string_pretty(&done)?);
    }
    if failed > 0 {
        bail!("{failed} of {} could not be delivered", args.sources.len());
    }
    Ok(())
}

fn one(args: &DeliverArgs, source: &str) -> Result<(Vec<PathBuf>, Vec<Loss>)> {
    let source = open(args, source)?;
    let recipient = find(&args.recipient, &source.kept)?;
    let packed = source.packed(&recipient)?;
    let mut files = Vec::new();
    for file in packed.files() {
        let path = args.out.join(&file.name);
        write_whole(&path, &file.bytes)?;
        files.push(path);
    }
    Ok((files, packed.losses))
}

fn open(args: &DeliverArgs, source: &str) -> Result<Sending> {
    let path = Path::new(source);
    let today = today();
    if path.extension().is_some_and(|end| end == "speckle") {
        let store = Store::temporary()?;
        let id =
            store.import_project(path, 0).with_context(|| format!("{source} cannot be read"))?;
        return from_store(&store, id, today);
    }
    if path.is_file() || Format::that_reads(source).is_ok() {
        let (document, import) = args.reading.bring_in(path)?;
        let origin = Origin { date: today, ..Origin::default() };
        let traits = import.traits;
        return Ok(Sending { name: stem(path), document, traits, origin, kept: Vec::new() });
    }
    let (store, project) = kept_project(source, args.data.as_deref())?;
    from_store(&store, project.id, today)
}

/// The date, in UTC.
pub fn today() -> String {
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

pub fn from_store(store: &Store, id: i64, date: String) -> Result<Sending> {
    let project = store.listed(id)?;
    let opened = store.open_project(id)?;
    let kept = store.project(id)?.recipients()?;
    let kept = kept.iter().filter_map(|kept| serde_json::from_str(&kept.settings).ok());
    Ok(Sending {
        traits: opened.document.traits(),
        document: opened.document,
        origin: Origin {
            project: project.name.clone(),
            project_id: project.mark(),
            revision: project.revision,
            date,
        },
        name: project.name,
        kept: kept.collect(),
    })
}

pub fn find(name: &str, kept: &[Recipient]) -> Result<Recipient> {
    let path = Path::new(name);
    if path.is_file() {
        let text = fs::read_to_string(path).with_context(|| format!("{name} cannot be read"))?;
        return serde_json::from_str(&text).with_context(|| {
            format!("{name} describes no recipient (`speckle recipients` shows some)")
        });
    }
    let starters: Vec<Recipient> = starters().into_iter().map(|(own, _)| own).collect();
    kept.iter()
        .chain(&starters)
        .find(|own| own.name.eq_ignore_ascii_case(name))
        .cloned()
        .ok_or_else(|| {
            let names: Vec<&str> =
                kept.iter().chain(&starters).map(|own| own.name.as_str()).collect();
            anyhow!(
                "there is no recipient {name}, nor a file of that name; there are {}",
                names.join(", ")
            )
        })
}

/// Shows the recipients to begin with, as files for `--recipient`.
pub fn recipients() -> Result<()> {
    let all: Vec<Recipient> = starters().into_iter().map(|(own, _)| own).collect();
    crate::say!("{}", serde_json::to_string_pretty(&all)?);
    Ok(())
}
