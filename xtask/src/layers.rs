//! Keeps the layers: crates lean on what lies below them alone, and the files of a crate do not
//! import each other in circles. What a parent module and its children tell each other is theirs.

use std::{
    collections::BTreeMap,
    fs,
    path::{Path, PathBuf},
    process::Command,
};

use anyhow::{Context, Result, bail};
use petgraph::{algo::tarjan_scc, graph::DiGraph};
use serde_json::Value;
use syn::visit::Visit;

/// The crates from the ground up, each with those of ours that it may lean on.
const LAYERS: [(&str, &[&str]); 11] = [
    ("color", &[]),
    ("mesh", &[]),
    ("model", &["color", "mesh"]),
    ("tools", &["color", "mesh", "model"]),
    ("core", &["color", "mesh", "model", "tools"]),
    ("formats", &["color", "mesh", "model", "tools"]),
    ("demo", &["color", "mesh", "model", "tools", "core"]),
    ("store", &["color", "mesh", "model", "tools", "core"]),
    ("server", &["color", "mesh", "model", "tools", "core", "formats", "demo", "store"]),
    ("cli", &["color", "mesh", "model", "tools", "core", "formats", "demo", "store", "server"]),
    ("e2e", &["color", "mesh", "model", "tools", "core", "demo", "store"]),
];

/// Fails where something is imported that lies above, or files import each other in a circle.
///
/// # Errors
/// With each of them.
pub fn check(root: &Path) -> Result<()> {
    let mut wrong = upward(root)?;
    for (name, _) in LAYERS {
        let source = root.join("crates").join(name).join("src");
        let circles = circles(&source)?;
        wrong.extend(circles.into_iter().map(|circle| {
            format!("in {name}, files import each other in a circle: {}", circle.join(", "))
        }));
    }
    if wrong.is_empty() { Ok(()) } else { bail!("the layers are not kept:\n{}", wrong.join("\n")) }
}

/// The crates that lean on what they may not.
fn upward(root: &Path) -> Result<Vec<String>> {
    let cargo = std::env::var("CARGO").unwrap_or_else(|_| "cargo".to_owned());
    let args = ["metadata", "--format-version", "1", "--no-deps", "--offline"];
    let output = Command::new(cargo).args(args).current_dir(root).output()?;
    let told: Value = serde_json::from_slice(&output.stdout).context("cargo tells its metadata")?;
    let mut wrong = Vec::new();
    for package in told["packages"].as_array().into_iter().flatten() {
        let name = |value: &Value| value["name"].as_str().map(|n| n.replacen("speckle-", "", 1));
        let own = name(package).context("a package has a name")?;
        let Some((_, below)) = LAYERS.iter().find(|(name, _)| *name == own) else { continue };
        let leans_on = package["dependencies"].as_array().into_iter().flatten();
        // Tests may look around.
        let in_earnest = leans_on.filter(|on| on["kind"].is_null());
        for on in in_earnest.filter_map(name).filter(|on| LAYERS.iter().any(|(n, _)| n == on)) {
            if !below.contains(&on.as_str()) {
                wrong.push(format!("{own} leans on {on}, which does not lie below it"));
            }
        }
    }
    Ok(wrong)
}

/// A module by its path within its crate.
type Module = Vec<String>;

/// The circles among the files of a crate.
fn circles(source: &Path) -> Result<Vec<Vec<String>>> {
    let mut files = BTreeMap::new();
    collect(source, &Module::new(), &mut files)?;
    let modules: Vec<&Module> = files.keys().collect();
    let number = |module: &[String]| modules.iter().position(|own| *own == module);
    let mut graph = DiGraph::<usize, ()>::new();
    let nodes: Vec<_> = (0..modules.len()).map(|n| graph.add_node(n)).collect();
    for (module, path) in &files {
        let text = fs::read_to_string(path)?;
        let file = syn::parse_file(&text).with_context(|| path.display().to_string())?;
        let mut imports = Imports { module, found: Vec::new() };
        imports.visit_file(&file);
        for path in imports.found {
            // The longest beginning that is a file of its own.
            let to = (0..=path.len()).rev().find_map(|len| Some((number(&path[..len])?, len)));
            let (Some(from), Some((to, len))) = (number(module), to) else { continue };
            let is_kin = module.starts_with(&path[..len]) || path[..len].starts_with(module);
            if !is_kin {
                graph.update_edge(nodes[from], nodes[to], ());
            }
        }
    }
    let rounds = tarjan_scc(&graph).into_iter().filter(|round| round.len() > 1);
    Ok(rounds
        .map(|round| round.iter().map(|&node| modules[graph[node]].join("::")).collect())
        .collect())
}

/// Files below a folder by their modules; the crate's root is the empty path.
fn collect(folder: &Path, module: &Module, files: &mut BTreeMap<Module, PathBuf>) -> Result<()> {
    for entry in fs::read_dir(folder)? {
        let path = entry?.path();
        let stem = path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
        let mut inner = module.clone();
        inner.push(stem.clone());
        if path.is_dir() {
            collect(&path, &inner, files)?;
        } else if path.extension().is_some_and(|e| e == "rs") {
            let is_root = module.is_empty() && (stem == "lib" || stem == "main");
            files.insert(if is_root { Module::new() } else { inner }, path);
        }
    }
    Ok(())
}

/// The paths of its own crate that a file names.
struct Imports<'a> {
    module: &'a Module,
    found: Vec<Module>,
}

impl Imports<'_> {
    fn note(&mut self, path: &[String]) {
        let absolute = match path.first().map(String::as_str) {
            Some("crate") => path[1..].to_vec(),
            Some("self") => [self.module, &path[1..]].concat(),
            Some("super") => {
                let up = path.iter().take_while(|part| *part == "super").count();
                let kept = self.module.len().saturating_sub(up);
                [&self.module[..kept], &path[up..]].concat()
            }
            _ => return,
        };
        self.found.push(absolute);
    }

    fn note_tree(&mut self, before: &[String], tree: &syn::UseTree) {
        let with = |ident: &syn::Ident| [before, &[ident.to_string()]].concat();
        match tree {
            syn::UseTree::Path(path) => self.note_tree(&with(&path.ident), &path.tree),
            syn::UseTree::Name(name) => self.note(&with(&name.ident)),
            syn::UseTree::Rename(name) => self.note(&with(&name.ident)),
            syn::UseTree::Glob(_) => self.note(before),
            syn::UseTree::Group(group) => {
                for tree in &group.items {
                    self.note_tree(before, tree);
                }
            }
        }
    }
}

impl<'ast> Visit<'ast> for Imports<'_> {
    fn visit_item_use(&mut self, item: &'ast syn::ItemUse) {
        self.note_tree(&[], &item.tree);
    }

    fn visit_path(&mut self, path: &'ast syn::Path) {
        let parts: Vec<String> = path.segments.iter().map(|s| s.ident.to_string()).collect();
        self.note(&parts);
        syn::visit::visit_path(self, path);
    }

    fn visit_item_mod(&mut self, module: &'ast syn::ItemMod) {
        // Tests within a file say `super` of the file itself.
        if module.ident != "tests" {
            syn::visit::visit_item_mod(self, module);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn circles_are_found_through_imports_and_paths_but_not_between_parent_and_child() {
        let folder = std::env::temp_dir().join(format!("layers-{}", std::process::id()));
        let file = |name: &str, text: &str| {
            let path = folder.join(name);
            fs::create_dir_all(path.parent().unwrap()).unwrap();
            fs::write(path, text).unwrap();
        };
        file("lib.rs", "pub mod a; pub mod b; pub mod c; pub use a::A;");
        file("a.rs", "mod inner; use crate::b::{self, B}; pub struct A; use inner::Inner;");
        file("a/inner.rs", "use super::A; use crate::A as Again; pub struct Inner;");
        file("b.rs", "pub struct B; fn f() -> u8 { super::c::number() }");
        file("c.rs", "pub fn number() -> u8 { 1 }\n#[cfg(test)] mod tests { use super::*; }");
        assert_eq!(circles(&folder).unwrap(), Vec::<Vec<String>>::new());
        file("c.rs", "use crate::a::inner::Inner; pub fn number() -> u8 { 1 }");
        // A child counts by itself: c → inner, and nobody goes on from there.
        assert_eq!(circles(&folder).unwrap(), Vec::<Vec<String>>::new());
        file("c.rs", "pub fn number() -> crate::a::A { todo!() }");
        let mut found = circles(&folder).unwrap();
        found[0].sort();
        assert_eq!(found, [["a", "b", "c"]]);
        fs::remove_dir_all(folder).unwrap();
    }
}
