//! Fuzz targets, one for each reader: whole files are mutated again and again, what a reader takes
//! in is kept as the ground of further mutations, and what makes one panic is written down.
//!
//! `cargo xtask fuzz ply --seconds 600`. A mutation engine of our own on the stable compiler: the
//! usual ones need a nightly one. It knows no coverage; the corpus grows by what is accepted.

use std::{
    env, fs,
    panic::{AssertUnwindSafe, catch_unwind},
    path::PathBuf,
    time::{Duration, Instant},
};

use anyhow::{Context, Result, bail};

use proptest::{
    prelude::Rng,
    test_runner::{RngAlgorithm, TestRng},
};
use speckle_core::{Document, Edit};
use speckle_formats::{Body, Format, Limits, MeshFile, ReadOptions, Shipment, WriteOptions};
use speckle_store::Store;

const MOST_KEPT: usize = 400;

fn main() -> Result<()> {
    let mut args = env::args().skip(1);
    let reader = args.next().context("the reader: a format by its extension, or project")?;
    let seconds: u64 = args.next().context("for how many seconds")?.parse()?;
    let mut corpus = seeds(&reader)?;
    let mut rng = TestRng::deterministic_rng(RngAlgorithm::ChaCha);
    let end = Instant::now() + Duration::from_secs(seconds);
    let (mut tried, mut taken) = (0_u64, 0_u64);
    std::panic::set_hook(Box::new(|_| {}));
    while Instant::now() < end {
        let below = |rng: &mut TestRng, n: usize| rng.next_u64() as usize % n.max(1);
        let mut bytes = corpus[below(&mut rng, corpus.len())].clone();
        let other = corpus[below(&mut rng, corpus.len())].clone();
        mutate(&mut bytes, &other, &mut rng);
        tried += 1;
        match catch_unwind(AssertUnwindSafe(|| is_taken(&reader, &bytes))) {
            Ok(true) => {
                taken += 1;
                if corpus.len() < MOST_KEPT {
                    corpus.push(bytes);
                } else {
                    let place = below(&mut rng, corpus.len());
                    corpus[place] = bytes;
                }
            }
            Ok(false) => {}
            Err(_) => {
                let path = PathBuf::from(format!("fuzz-{reader}-{tried}.bin"));
                fs::write(&path, &bytes)?;
                bail!("the reader of {reader} panicked; the file is {}", path.display());
            }
        }
    }
    println!("{reader}: {tried} files, {taken} taken in, the others refused, no panic");
    Ok(())
}

/// Whole files of the kind, small enough to be read thousands of times a second.
fn seeds(reader: &str) -> Result<Vec<Vec<u8>>> {
    let mut document = Document::default();
    let ascii = include_bytes!("../../formats/tests/reference/ascii_uchar.ply");
    let file = MeshFile::alone("p.ply", ascii);
    document.apply(Edit::bring_in(speckle_formats::read(&file, &ReadOptions::default())?.parts))?;
    if reader == "project" {
        let folder = tempfile::tempdir()?;
        let store = Store::temporary()?;
        let mut document = Document::default();
        let import = speckle_formats::read(&file, &ReadOptions::default())?;
        let change = document.apply(Edit::bring_in(import.parts))?;
        let project = store.create_with("Seed", &change, "", 1, &document)?;
        let path = folder.path().join("seed.speckle");
        store.export_project(project, &path)?;
        return Ok(vec![fs::read(path)?]);
    }
    let format = Format::of_name(&format!("x.{reader}"))?;
    let mut seeds = Vec::new();
    for body in [Body::Ascii, Body::Little, Body::Big] {
        let options = WriteOptions { body, ..WriteOptions::default() };
        seeds.push(speckle_formats::write(format, &Shipment::of(document.parts()), options)?.bytes);
    }
    if format == Format::Obj {
        seeds.push(include_bytes!("../../formats/tests/reference/colors.obj").to_vec());
    }
    Ok(seeds)
}

fn is_taken(reader: &str, bytes: &[u8]) -> bool {
    if reader == "project" {
        let Ok(folder) = tempfile::tempdir() else { return false };
        let path = folder.path().join("x.speckle");
        return fs::write(&path, bytes).is_ok()
            && Store::temporary().is_ok_and(|store| store.import_project(&path, 1).is_ok());
    }
    let limits = Limits { elements: 200_000, bytes: 200_000, ..Limits::default() };
    let name = format!("x.{reader}");
    let beside = |_: &str| Some(bytes.to_vec());
    let file = MeshFile { name: &name, bytes, beside: &beside };
    let Ok(import) = speckle_formats::read(&file, &ReadOptions { limits, ..Default::default() })
    else {
        return false;
    };
    let mut document = Document::default();
    document.apply(Edit::bring_in(import.parts)).expect("what a reader lets in, a document takes");
    let _ = document.parts().iter().map(|p| p.geometry.pieces().count()).sum::<usize>();
    true
}

/// A few changes of the kinds that break readers: bytes, lengths, numbers, pieces of other files.
fn mutate(bytes: &mut Vec<u8>, other: &[u8], rng: &mut TestRng) {
    for _ in 0..1 + rng.next_u32() % 6 {
        let length = bytes.len().max(1);
        let at = rng.next_u64() as usize % length;
        let to = (at + 1 + rng.next_u64() as usize % 64).min(bytes.len());
        match rng.next_u32() % 8 {
            0 if at < bytes.len() => bytes[at] = rng.next_u32() as u8,
            1 if at < bytes.len() => bytes[at] ^= 1 << (rng.next_u32() % 8),
            2 => bytes.truncate(at),
            3 if at < to => drop(bytes.drain(at..to)),
            4 if at < to => {
                let copy = bytes[at..to].to_vec();
                bytes.splice(at..at, copy);
            }
            5 if !other.is_empty() => {
                let from = rng.next_u64() as usize % other.len();
                let until = (from + 64).min(other.len());
                bytes.splice(at.min(bytes.len())..to, other[from..until].iter().copied());
            }
            6 if at + 4 <= bytes.len() => {
                let odd = [0, 1, 0x7fff_ffff, 0x8000_0000, u32::MAX, u32::MAX - 1, 0x7fc0_0000];
                let word = odd[rng.next_u32() as usize % odd.len()];
                bytes[at..at + 4].copy_from_slice(&word.to_le_bytes());
            }
            _ => {
                let odd: [&[u8]; 8] =
                    [b"-1", b"0", b"4294967296", b"1e999", b"nan", b"\n", b" ", b"99999999999"];
                let word = odd[rng.next_u32() as usize % odd.len()];
                bytes.splice(at.min(bytes.len())..at.min(bytes.len()), word.iter().copied());
            }
        }
    }
}
