//! Making channels by recipes, without a screen.

use std::{
    fs,
    path::{Path, PathBuf},
};

use anyhow::{Context, Result, anyhow, bail};
use clap::{Args, Subcommand};
use serde_json::{Map, Value};
use speckle_core::{ChannelEdit, Document, Edit, ImageEdit, RecipeEdit};
use speckle_formats::Format;
use speckle_model::{
    PartId, SetId,
    recipe::{RecipeFile, Source, starters},
};
use speckle_tools::bake::{Pantry, watch::Watch};

use crate::{convert::write_document, reading::ReadArgs};

/// `speckle bake`
#[derive(Args)]
pub struct BakeArgs {
    /// The file to read
    input: PathBuf,
    /// The file to write; its extension tells the format
    output: PathBuf,
    /// The recipe: a JSON file, or a name from the shelf (see `speckle recipe list`)
    #[arg(long)]
    recipe: String,
    /// The set to make, instead of the recipe's
    #[arg(long)]
    set: Option<String>,
    /// How many rays each element gets, instead of the recipe's
    #[arg(long)]
    samples: Option<u32>,
    /// What all that is random comes from, instead of the recipe's
    #[arg(long)]
    seed: Option<u32>,
    #[command(flatten)]
    reading: ReadArgs,
}

/// `speckle recipe`
#[derive(Subcommand)]
pub enum RecipeCommand {
    /// The recipes of the shelf, with what they are good for
    List,
    /// A recipe of the shelf as a file
    Show {
        /// Its name
        name: String,
    },
    /// The JSON schema of recipe files
    Schema,
}

/// Shows recipes.
pub fn recipe(command: &RecipeCommand) -> Result<()> {
    match command {
        RecipeCommand::List => {
            for file in starters::all() {
                crate::say!("{}\n    {}", file.name, file.note);
            }
        }
        RecipeCommand::Show { name } => {
            let file = starters::named(name).with_context(|| unknown(name))?;
            crate::say!("{}", serde_json::to_string_pretty(&file)?);
        }
        RecipeCommand::Schema => crate::say!("{}", serde_json::to_string_pretty(&schema()?)?),
    }
    Ok(())
}

fn unknown(name: &str) -> String {
    let names: Vec<String> = starters::all().into_iter().map(|file| file.name).collect();
    format!(
        "there is no recipe {name} on the shelf, nor a file of that name; there are {}",
        names.join(", ")
    )
}

/// The schema of a recipe file, with all it refers to.
fn schema() -> Result<Value> {
    let api: Value = serde_json::from_str(&speckle_server::openapi_json())?;
    let schemas = api["components"]["schemas"].as_object().context("the API has schemas")?;
    let mut open = vec!["RecipeFile".to_owned()];
    let mut defs = Map::new();
    while let Some(name) = open.pop() {
        if defs.contains_key(&name) {
            continue;
        }
        let text = schemas.get(&name).with_context(|| format!("the API has {name}"))?.to_string();
        let prefix = "#/components/schemas/";
        for (at, _) in text.match_indices(prefix) {
            let rest = &text[at + prefix.len()..];
            open.extend(rest.split('"').next().map(str::to_owned));
        }
        defs.insert(name, serde_json::from_str(&text.replace(prefix, "#/$defs/"))?);
    }
    Ok(serde_json::json!({
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "$ref": "#/$defs/RecipeFile",
        "$defs": defs,
    }))
}

/// The recipe of a file or of the shelf, and the folder its images lie in.
fn find(name: &str) -> Result<(RecipeFile, PathBuf)> {
    let path = Path::new(name);
    if !path.is_file()
        && let Some(file) = starters::named(name)
    {
        return Ok((file, PathBuf::new()));
    }
    let text = fs::read_to_string(path).map_err(|error| match error.kind() {
        std::io::ErrorKind::NotFound => anyhow!(unknown(name)),
        _ => anyhow!("{name} cannot be read: {error}"),
    })?;
    let file = RecipeFile::read(&text)
        .map_err(|error| anyhow!("{name}: {error} (`speckle recipe schema` tells all words)"))?;
    Ok((file, path.parent().unwrap_or(Path::new("")).to_owned()))
}

/// The images a recipe names, from its folder.
fn bring_images(document: &mut Document, file: &RecipeFile, folder: &Path) -> Result<()> {
    for step in file.recipes.iter().flat_map(|recipe| &recipe.steps) {
        let Source::Image { image, .. } = &step.source else { continue };
        if document.image(image).is_some() {
            // It came with the mesh.
            continue;
        }
        let path = folder.join(image);
        let bytes = fs::read(&path)
            .with_context(|| format!("the image {} cannot be read", path.display()))?;
        document.apply(ImageEdit::AddImage { name: image.clone(), file: bytes.into() })?;
    }
    Ok(())
}

/// Makes a set of every part of a file and writes it.
pub fn run(args: &BakeArgs) -> Result<()> {
    // Before anything is computed: a name that says no format is told at once.
    Format::of_name(&args.output.to_string_lossy())
        .with_context(|| args.output.display().to_string())?;
    let (mut file, folder) = find(&args.recipe)?;
    if let Some(set) = &args.set {
        file.set.clone_from(set);
    }
    for step in file.recipes.iter_mut().flat_map(|recipe| &mut recipe.steps) {
        if let Some(rays) = args.samples
            && step.source.rays() > 0
        {
            step.source = step.source.with_rays(rays);
        }
        if let Some(seed) = args.seed {
            step.source = step.source.with_seed(seed);
        }
    }
    if let Some(problem) = file.problem() {
        bail!("{}: {problem}", args.recipe);
    }
    let (mut document, import) = args.reading.bring_in(&args.input)?;
    for repair in &import.repairs {
        eprintln!("{}: {}", args.input.display(), repair.message);
    }
    bring_images(&mut document, &file, &folder)?;
    let parts: Vec<PartId> = document.parts().iter().map(|part| part.id).collect();
    for part in parts {
        apply(&mut document, part, &file)?;
    }
    write_document(&args.output, &document, args.reading.meaning(&import))
}

/// Gives a part's set the recipes, makes what they say, and leaves it as plain numbers.
fn apply(document: &mut Document, part: PartId, file: &RecipeFile) -> Result<()> {
    let there = document.part(part)?.products().find(|set| set.name == file.set);
    if there.is_none() {
        document.apply(Edit::adding_set_of(part, file))?;
    }
    let set = document.part(part)?.products().find(|set| set.name == file.set).map(|set| set.id);
    let set: SetId = set.context("the set was just added")?;
    for recipe in file.recipes.clone() {
        // Asked for by name, it takes the place of what the file has there.
        let channels = recipe.channels.channels();
        document.apply(ChannelEdit::ClearChannels { part, set, channels })?;
        document.apply(RecipeEdit::SetRecipe { part, set, recipe })?;
    }
    let made = document.make_all(&Pantry::default(), &Watch::default());
    made.with_context(|| document.part(part).map_or(String::new(), |p| p.traits.name.clone()))?;
    for recipe in &file.recipes {
        document.apply(RecipeEdit::FreezeRecipe { part, set, channels: recipe.channels })?;
    }
    Ok(())
}
