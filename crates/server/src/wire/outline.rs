//! A project without its arrays, as the page is told of it.

use serde::Serialize;
use speckle_color::Encoding;
use speckle_core::Document;
use speckle_mesh::{Placement, Transform, geometry::bends::crease_angle};
use speckle_model::{
    ColorSet, ImageRecord, Part, PartId, ProjectTraits, SetId,
    color_set::{ChannelTraits, Role},
    proof::Proof,
    recipe::Recipe,
    swatches::Swatch,
    views::SavedView,
    volumes::Volume,
};
use speckle_tools::layers::PrintSetup;
use utoipa::ToSchema;

/// A project without its arrays.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct Outline {
    /// The unit of its lengths, and the axis that points up.
    pub traits: ProjectTraits,
    /// Its parts, in order.
    pub parts: Vec<PartOutline>,
    /// Its palette, in order.
    pub swatches: Vec<Swatch>,
    /// Its saved views, in order.
    pub views: Vec<SavedView>,
    /// Its volumes, those that lie over others first.
    pub volumes: Vec<Volume>,
    /// How it is printed, where that was said.
    pub print: Option<PrintSetup>,
    /// How it is proofed: its looks, what wears them, the light.
    pub proof: Proof,
    /// Its images, in the order they came in.
    pub images: Vec<ImageOutline>,
}

/// An image without its pixels.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct ImageOutline {
    /// What recipes call it.
    pub name: String,
    /// Pixels from left to right.
    pub width: usize,
    /// Pixels from top to bottom.
    pub height: usize,
    /// How large its file is.
    pub bytes: usize,
    /// Another file has another one.
    pub digest: String,
}

/// A part without its arrays.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct PartOutline {
    /// Names it.
    pub id: PartId,
    /// What the user calls it.
    pub name: String,
    /// Whether it is seen.
    pub visible: bool,
    /// Whether nothing about it may change.
    pub locked: bool,
    /// Where it stands.
    pub transform: Transform,
    /// The same as a 4 × 4 matrix, column by column.
    pub matrix: Vec<f32>,
    /// Named groups of its faces.
    pub selections: Vec<SelectionOutline>,
    /// The groups it stands in, the outermost first.
    pub path: Vec<String>,
    /// What its surfaces are made of.
    pub materials: Vec<MaterialOutline>,
    /// Names its mesh.
    pub mesh: String,
    /// How many vertices.
    pub vertices: usize,
    /// How many faces.
    pub faces: usize,
    /// How many corners.
    pub corners: usize,
    /// How many triangles the faces are cut into.
    pub triangles: usize,
    /// How many pieces hang together.
    pub pieces: usize,
    /// Whether every edge joins two faces.
    pub watertight: bool,
    /// Least coordinates, in the part's own space.
    pub min: [f32; 3],
    /// Greatest coordinates, likewise.
    pub max: [f32; 3],
    /// Median edge length, in the project's unit.
    pub median_edge: f32,
    /// A brush radius to begin with, likewise.
    pub starting_radius: f32,
    /// The bend, in degrees, where its smooth edges end and its sharp ones begin.
    pub crease: f32,
    /// How many sets of texture coordinates it has.
    pub uv_sets: usize,
    /// Whether its mesh has normals of its own.
    pub own_normals: bool,
    /// Its sets.
    pub sets: Vec<SetOutline>,
    /// The number of its base swatch; 0 for the palette's first.
    pub base: u8,
    /// Its mask, selections and snapshots.
    pub helpers: Vec<SetOutline>,
}

/// A named group of faces.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct SelectionOutline {
    /// Its name.
    pub name: String,
    /// How many faces.
    pub faces: usize,
}

/// A material.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct MaterialOutline {
    /// What the file calls it.
    pub name: String,
    /// Its color, sRGB-encoded.
    pub color: [f32; 4],
    /// The image its color is multiplied by.
    pub image: Option<String>,
}

/// A set without its values.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct SetOutline {
    /// Names it.
    pub id: SetId,
    /// What the user calls it.
    pub name: String,
    /// What each value belongs to.
    pub placement: Placement,
    /// Whether the numbers are colors or plain data.
    pub encoding: Encoding,
    /// Its ground color.
    pub ground: [f32; 4],
    /// What its channels hold, R, G, B, A.
    pub channels: Vec<ChannelTraits>,
    /// What it is there for.
    pub role: Role,
    /// How its channels are made, where they are.
    pub recipes: Vec<Recipe>,
}

/// The project without its arrays.
pub fn of(document: &Document, mut mesh_name: impl FnMut(&Part) -> String) -> Outline {
    Outline {
        traits: document.traits(),
        parts: document.parts().iter().map(|part| part_outline(part, mesh_name(part))).collect(),
        swatches: document.swatches().to_vec(),
        views: document.views().to_vec(),
        volumes: document.volumes().to_vec(),
        print: document.print().cloned(),
        proof: document.proof().clone(),
        images: document.image_files().iter().map(|file| image_outline(document, file)).collect(),
    }
}

fn image_outline(document: &Document, file: &ImageRecord) -> ImageOutline {
    let read = document.image(&file.name);
    let [width, height] = read.map_or([0, 0], |image| image.size());
    let digest = read.map_or_else(String::new, |image| {
        format!(
            "{:016x}",
            u64::from_be_bytes(image.digest().first_chunk().copied().unwrap_or_default())
        )
    });
    ImageOutline { name: file.name.clone(), width, height, bytes: file.file.len(), digest }
}

fn set_outline(set: &ColorSet) -> SetOutline {
    SetOutline {
        id: set.id,
        name: set.name.clone(),
        placement: set.placement,
        encoding: set.encoding,
        ground: set.ground,
        channels: set.channels.to_vec(),
        role: set.role,
        recipes: set.recipes.iter().map(|own| own.recipe.clone()).collect(),
    }
}

fn part_outline(part: &Part, mesh_name: String) -> PartOutline {
    let (mesh, measures) = (part.geometry.mesh(), part.geometry.measures());
    let traits = &part.traits;
    let scale = traits.transform.mean_scale();
    PartOutline {
        id: part.id,
        name: traits.name.clone(),
        visible: traits.visible,
        locked: traits.locked,
        transform: traits.transform,
        matrix: traits.transform.matrix().to_vec(),
        path: traits.path.clone(),
        selections: traits
            .selections
            .iter()
            .map(|s| SelectionOutline { name: s.name.clone(), faces: s.faces.len() })
            .collect(),
        materials: part
            .materials
            .list
            .iter()
            .map(|m| MaterialOutline {
                name: m.name.clone(),
                color: m.color,
                image: m.image.clone(),
            })
            .collect(),
        mesh: mesh_name,
        vertices: mesh.vertex_count(),
        faces: mesh.face_count(),
        corners: mesh.corner_count(),
        triangles: mesh.triangle_count(),
        pieces: part.geometry.pieces().count(),
        watertight: part.geometry.topology().is_watertight(),
        min: measures.min.to_array(),
        max: measures.max.to_array(),
        median_edge: measures.median_edge * scale,
        starting_radius: measures.starting_radius() * scale,
        crease: crease_angle(part.geometry.bends()),
        uv_sets: mesh.uv_sets().len(),
        own_normals: mesh.normals().is_some(),
        base: traits.base,
        sets: part.products().map(set_outline).collect(),
        helpers: part
            .sets
            .iter()
            .filter(|set| !set.is_product() && !set.role.is_layer())
            .map(set_outline)
            .collect(),
    }
}
