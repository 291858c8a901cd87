//! What images show: one of the project's, or those of the part's materials.

use glam::{Vec2, Vec3};
use rayon::prelude::*;
use speckle_color::{Encoding, Linear};
use speckle_mesh::Geometry;
use speckle_model::recipe::{
    Target,
    source::{Direction, Projection, Space, Wrap},
};

use super::MATERIAL_SET;
use crate::bake::{
    BakeError,
    field::Field,
    image::{self, Image, Mapping, Picture, Projected, Side},
    lookup::{Lookup, Plan},
    occlusion,
    samples::Samples,
};

/// The colors of an image.
pub(super) fn of_image<'a>(
    lookup: &mut Lookup<'a>,
    name: &str,
    (projection, tiles): (&'a Projection, bool),
    mapping: Mapping,
) -> Result<Plan<'a>, BakeError> {
    let mapping = Mapping { encoding: lookup.encoding(), is_covering: true, ..mapping };
    if let (Projection::Uv { uv_set }, true) = (projection, tiles) {
        return of_tiles(lookup, name, *uv_set, mapping);
    }
    let image = lookup.image(name)?;
    let (geometry, placement) = (lookup.geometry(), lookup.placement());
    let sampled = move |image: &Image, projected: Projected| {
        let picture = Picture { image: Some(image), projected, tint: Linear([1.0; 4]) };
        let colors = image::sampled(&[picture], &[], &mapping, geometry, placement);
        let alpha = colors.par_iter().map(|[.., alpha]| *alpha).collect();
        Field::seen(colors.into_par_iter().map(|[r, g, b, _]| [r, g, b]).collect(), alpha)
    };
    Ok(match *projection {
        Projection::Uv { uv_set } => {
            let uvs = lookup.uvs(uv_set)?;
            Box::new(move |_| Ok(sampled(&*image.unpacked()?, Projected::Uv(uvs))))
        }
        Projection::Along { direction, width, turned, seen } => {
            let along = lookup.direction(direction, Space::Part);
            let up = lookup.direction(Direction::Up, Space::Part);
            let (samples, starts) = (lookup.samples(Space::Part), lookup.ray_samples());
            Box::new(move |watch| {
                let image = image.unpacked()?;
                let side = side(along, width, None, up, geometry, &image);
                let field = sampled(&image, Projected::Sides(&[side]));
                if turned >= 180.0 && !seen {
                    return Ok(field);
                }
                watch.check()?;
                let faces = samples().mean(|_, normal| turned_to(-along, turned, normal));
                let is_seen = if seen {
                    seen_from(-along, geometry, &starts())
                } else {
                    vec![1.0; faces.len()]
                };
                let alpha = (0..field.len()).into_par_iter();
                let alpha = alpha.map(|i| field.alpha(i) * faces[i] * is_seen[i]).collect();
                let colors = (0..field.len()).into_par_iter().map(|i| field.at(i)).collect();
                Ok(Field::seen(colors, alpha))
            })
        }
        Projection::ThreeAxes { width } => {
            let up = lookup.direction(Direction::Up, Space::Part);
            Box::new(move |_| {
                let image = image.unpacked()?;
                let axes = [Vec3::X, Vec3::Y, Vec3::Z];
                let sides = axes.map(|a| side(-a, width, Some(a), up, geometry, &image));
                Ok(sampled(&image, Projected::Sides(&sides)))
            })
        }
    })
}

/// Over which angle an image that is cut off by how far the surface is turned fades, degrees.
const FADES: f32 = 5.0;

/// How much of an image there is on a surface that is turned away from where it comes from.
fn turned_to(towards: Vec3, most: f32, normal: Vec3) -> f32 {
    if most >= 180.0 {
        return 1.0;
    }
    let angle = normal.dot(towards).clamp(-1.0, 1.0).acos().to_degrees();
    (0.5 + (most - angle) / FADES).clamp(0.0, 1.0)
}

/// How much of each element is seen from a direction, the part itself standing before it.
fn seen_from(towards: Vec3, geometry: &Geometry, starts: &Samples) -> Vec<f32> {
    let (tree, hair) = (geometry.bvh(), occlusion::hair(geometry));
    starts.mean(|point, normal| {
        let is_away = normal.dot(towards) <= 0.0;
        let hidden = || tree.cast(point + normal * hair, towards).is_some();
        f32::from(u8::from(!(is_away || hidden())))
    })
}

/// The number of the tile of a square of texture coordinates: 1001 for the first of ten in a row.
fn tile_at(uv: Vec2) -> Option<u32> {
    let square = uv.floor();
    let is_one = (0.0..10.0).contains(&square.x) && (0.0..800.0).contains(&square.y);
    is_one.then(|| 1001 + square.x as u32 + 10 * square.y as u32)
}

/// The colors of images that lie side by side, each over a square of texture coordinates of its own.
/// A face shows the one that its middle lies on, and nothing where there is none.
fn of_tiles<'a>(
    lookup: &mut Lookup<'a>,
    name: &str,
    uv_set: usize,
    mapping: Mapping,
) -> Result<Plan<'a>, BakeError> {
    let (tiles, uvs) = (lookup.image_tiles(name)?, lookup.uvs(uv_set)?);
    let (geometry, placement) = (lookup.geometry(), lookup.placement());
    Ok(Box::new(move |watch| {
        let mesh = geometry.mesh();
        let none = tiles.len() as u32;
        let square = |face: usize| {
            let corners = mesh.face_corners(face);
            let count = corners.len() as f32;
            corners.map(|corner| uvs[corner]).sum::<Vec2>() / count
        };
        let of_faces: Vec<u32> = (0..mesh.face_count())
            .into_par_iter()
            .map(|face| {
                let own = tile_at(square(face));
                let tile = tiles.iter().position(|(number, _)| Some(*number) == own);
                tile.map_or(none, |tile| tile as u32)
            })
            .collect();
        watch.check()?;
        let mut images = Vec::new();
        for (nth, (_, image)) in tiles.iter().enumerate() {
            let is_shown = of_faces.iter().any(|&tile| tile as usize == nth);
            images.push(is_shown.then(|| image.unpacked()).transpose()?);
        }
        // What goes over the border of a square is the rim of its own image.
        let mapping = Mapping { wrap: Wrap::Clamp, ..mapping };
        let mut own = uvs.to_vec();
        for face in 0..mesh.face_count() {
            let low = square(face).floor();
            mesh.face_corners(face).for_each(|corner| own[corner] -= low);
        }
        let pictures = images.iter().map(|image| Picture {
            image: image.as_deref(),
            projected: Projected::Uv(&own),
            tint: Linear(if image.is_some() { [1.0; 4] } else { [0.0; 4] }),
        });
        let nothing =
            Picture { image: None, projected: Projected::Uv(&own), tint: Linear([0.0; 4]) };
        let pictures: Vec<Picture> = pictures.chain([nothing]).collect();
        let colors = image::sampled(&pictures, &of_faces, &mapping, geometry, placement);
        let alpha = colors.par_iter().map(|[.., alpha]| *alpha).collect();
        Ok(Field::seen(colors.into_par_iter().map(|[r, g, b, _]| [r, g, b]).collect(), alpha))
    }))
}

/// The color of each face's material: its own, times its image. Of a part that brought no materials
/// it is the set of that name.
pub(super) fn of_materials<'a>(lookup: &mut Lookup<'a>) -> Result<Plan<'a>, BakeError> {
    let materials = lookup.materials();
    if materials.list.is_empty() {
        let set = lookup.set(None, MATERIAL_SET, Target::Rgb);
        let set = set.map_err(|_| BakeError::NoMaterial(lookup.name().to_owned()))?;
        return Ok(Box::new(move |_| Ok(set())));
    }
    let mut shown = Vec::new();
    for material in &materials.list {
        let image = material.image.as_ref().map(|name| lookup.image(name)).transpose()?;
        let uvs: &[Vec2] = if image.is_some() { lookup.uvs(material.uv_set)? } else { &[] };
        shown.push((image, uvs, Linear::of(material.color)));
    }
    let (geometry, placement) = (lookup.geometry(), lookup.placement());
    Ok(Box::new(move |_| {
        let unpacked = shown.iter().map(|(image, ..)| image.map(|i| i.unpacked()).transpose());
        let unpacked = unpacked.collect::<Result<Vec<_>, BakeError>>()?;
        let pictures = shown.iter().zip(&unpacked).map(|(&(_, uvs, tint), image)| Picture {
            image: image.as_deref(),
            projected: Projected::Uv(uvs),
            tint,
        });
        let pictures: Vec<_> = pictures.collect();
        // As colors, whatever the target: material and image are.
        let mapping = Mapping { encoding: Encoding::Color, ..Mapping::default() };
        let of_faces = &materials.of_faces;
        let colors = image::sampled(&pictures, of_faces, &mapping, geometry, placement);
        Ok(Field::three(colors.into_par_iter().map(|[r, g, b, _]| [r, g, b]).collect()))
    }))
}

/// An image seen along a direction, as wide as is said or as the part is, in the middle of it.
fn side(
    along: Vec3,
    width: f32,
    facing: Option<Vec3>,
    project_up: Vec3,
    geometry: &Geometry,
    image: &Image,
) -> Side {
    let points = geometry.shown_points();
    let project_up = if along.dot(project_up).abs() > 0.999 {
        project_up.any_orthonormal_vector()
    } else {
        project_up
    };
    let across = along.cross(project_up).normalize_or(Vec3::X);
    let up = across.cross(along).normalize_or(Vec3::Y);
    let range = |axis: Vec3| {
        points
            .iter()
            .map(|p| p.dot(axis))
            .fold((f32::MAX, f32::MIN), |(low, high), x| (low.min(x), high.max(x)))
    };
    let (x, y) = (range(across), range(up));
    let [w, h] = image.size().map(|n| n as f32);
    let width = if width > 0.0 { width } else { (x.1 - x.0).max(f32::MIN_POSITIVE) };
    let height = width * h / w;
    let middle = across * ((x.0 + x.1) / 2.0) + up * ((y.0 + y.1) / 2.0);
    let origin = middle - across * (width / 2.0) - up * (height / 2.0);
    Side { across: across / width, up: up / height, origin, facing }
}
