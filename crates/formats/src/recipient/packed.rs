//! A delivery as it was packed.

use speckle_model::Part;

use crate::{Export, Loss, note::ChannelNote};

/// A file that goes out.
#[derive(Clone, Debug)]
pub struct PackedFile {
    /// What it is called.
    pub name: String,
    /// Its bytes.
    pub bytes: Vec<u8>,
}

/// A file of the format.
#[derive(Clone, Debug)]
pub struct PackedMesh {
    /// The file.
    pub file: PackedFile,
    /// The parts that are in it, as they go out.
    pub parts: Vec<Part>,
}

/// A delivery, ready to go.
#[derive(Clone, Debug)]
pub struct Packed {
    /// The files of the format: one, one for each part, or one for each swatch.
    pub meshes: Vec<PackedMesh>,
    /// What lies beside them: materials, images, the note.
    pub beside: Vec<PackedFile>,
    /// What is lost or changed.
    pub losses: Vec<Loss>,
    /// What travels inside, and beside if wanted.
    pub note: ChannelNote,
}

impl Packed {
    pub(super) fn take(&mut self, name: String, export: Export, parts: Vec<Part>) {
        for loss in export.losses {
            if !self.losses.contains(&loss) {
                self.losses.push(loss);
            }
        }
        self.meshes.push(PackedMesh { file: PackedFile { name, bytes: export.bytes }, parts });
        // Files of several parts share their images.
        for (name, bytes) in export.beside {
            if self.beside.iter().all(|other| other.name != name) {
                self.beside.push(PackedFile { name, bytes });
            }
        }
    }

    /// All files, those of the format first.
    pub fn files(&self) -> impl Iterator<Item = &PackedFile> {
        self.meshes.iter().map(|mesh| &mesh.file).chain(&self.beside)
    }

    /// The parts as they go out, in the order of the files.
    pub fn parts(&self) -> impl Iterator<Item = &Part> {
        self.meshes.iter().flat_map(|mesh| &mesh.parts)
    }

    /// All files, to be handed on.
    #[must_use]
    pub fn into_files(self) -> Vec<PackedFile> {
        self.meshes.into_iter().map(|mesh| mesh.file).chain(self.beside).collect()
    }
}
