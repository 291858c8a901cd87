//! Images of the project, which recipes lay on surfaces.

use std::{collections::HashMap, sync::Arc};

use serde::Deserialize;
use speckle_model::{
    ImageRecord,
    names::{self, FreeNames},
};
use speckle_tools::image_file::ImageFile;
use strum::VariantNames;

use super::{
    Change, ChangeStep, Document, EditError,
    planned::{Family, Planned},
};

/// The most images a project may have.
pub const MOST_IMAGES: usize = 64;

/// What brings images in, or takes them out.
#[derive(Clone, Debug, Deserialize, VariantNames)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "type", rename_all = "snake_case")]
#[strum(serialize_all = "snake_case")]
pub enum ImageEdit {
    /// Takes an image into the project, in place of the one of the same name.
    #[serde(skip)]
    AddImage {
        /// What recipes call it.
        name: String,
        /// The file as it is.
        file: Arc<Vec<u8>>,
    },
    /// Takes an image out of the project.
    DeleteImage {
        /// What it is called.
        name: String,
    },
}

impl Family for ImageEdit {
    fn plan(self, document: &mut Document) -> Result<Planned, EditError> {
        let change = match self {
            Self::AddImage { name, file } => document.change_adding_image(&name, file)?,
            Self::DeleteImage { name } => document.change_deleting_image(&name)?,
        };
        Ok(change.into())
    }
}

impl Document {
    /// The files of the images, in the order they came in.
    #[must_use]
    pub fn image_files(&self) -> &[ImageRecord] {
        &self.image_files
    }

    /// An image.
    #[must_use]
    pub fn image(&self, name: &str) -> Option<&ImageFile> {
        self.images.get(name)
    }

    pub(super) fn change_adding_image(
        &self,
        name: &str,
        file: Arc<Vec<u8>>,
    ) -> Result<Change, EditError> {
        let name = names::proper(name)?;
        let come = ImageRecord { name: name.to_owned(), file };
        read(&come)?;
        let gone: Vec<_> =
            self.image_files.iter().filter(|old| old.name == name).cloned().collect();
        if gone.is_empty() && self.image_files.len() >= MOST_IMAGES {
            return Err(EditError::Shelved(format!(
                "a project keeps {MOST_IMAGES} images at most: take one out first"
            )));
        }
        let verb = if gone.is_empty() { "Add" } else { "Replace" };
        let is_same = gone.contains(&come);
        let steps =
            if is_same { vec![] } else { vec![ChangeStep::Images { gone, come: vec![come] }] };
        Ok(Change { label: format!("{verb} image {name}"), steps, ..Change::default() })
    }

    /// Images that came along, as far as there is room, and what each is called from now on: those
    /// that are here already are not taken again, and one whose name another has gets a number.
    pub(super) fn new_images(
        &self,
        images: Vec<ImageRecord>,
    ) -> (Vec<ImageRecord>, HashMap<String, String>) {
        let mut come: Vec<ImageRecord> = Vec::new();
        let mut called = HashMap::new();
        for image in images {
            let there = || self.image_files.iter().chain(&come);
            if let Some(same) = there().find(|other| other.file == image.file) {
                called.insert(image.name, same.name.clone());
                continue;
            }
            if there().count() >= MOST_IMAGES || read(&image).is_err() {
                continue;
            }
            let mut free = FreeNames::beside(there().map(|other| other.name.clone()));
            let name = free.take(&names::fitted(&image.name));
            called.insert(image.name, name.clone());
            come.push(ImageRecord { name, file: image.file });
        }
        (come, called)
    }

    pub(super) fn change_deleting_image(&self, name: &str) -> Result<Change, EditError> {
        let gone: Vec<_> =
            self.image_files.iter().filter(|old| old.name == name).cloned().collect();
        if gone.is_empty() {
            return Err(EditError::Shelved(format!("there is no image {name} any more")));
        }
        let steps = vec![ChangeStep::Images { gone, come: Vec::new() }];
        Ok(Change { label: format!("Take out image {name}"), steps, ..Change::default() })
    }

    pub(super) fn exchange_images(
        &mut self,
        gone: &[ImageRecord],
        come: &[ImageRecord],
    ) -> Result<(), EditError> {
        let read = come.iter().map(read).collect::<Result<Vec<_>, _>>()?;
        self.image_files.retain(|old| !gone.contains(old));
        self.image_files.extend_from_slice(come);
        // By name, so that taking a change back leaves no other order.
        self.image_files.sort_by(|a, b| a.name.cmp(&b.name));
        let images = Arc::make_mut(&mut self.images);
        gone.iter().for_each(|old| drop(images.remove(&old.name)));
        images.extend(come.iter().zip(read).map(|(new, image)| (new.name.clone(), image)));
        Ok(())
    }
}

fn read(record: &ImageRecord) -> Result<ImageFile, EditError> {
    ImageFile::new(record.file.clone())
        .map_err(|cause| EditError::Shelved(format!("the image {} {cause}", record.name)))
}
