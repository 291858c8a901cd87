//! What images show: one of the project's, or those of the part's materials.

use glam::{Vec2, Vec3};
use rayon::prelude::*;
use speckle_color::{Encoding, Linear};
use speckle_mesh::Geometry;
use speckle_model::recipe::{
    Target,
    source::{Direction, Projection, Space},
};

use super::MATERIAL_SET;
use crate::bake::{
    BakeError,
    field::Field,
    image::{self, Image, Mapping, Picture, Projected, Side},
    lookup::{Lookup, Plan},
};

/// The colors of an image.
pub(super) fn of_image<'a>(
    lookup: &mut Lookup<'a>,
    name: &str,
    projection: &'a Projection,
    mapping: Mapping,
) -> Result<Plan<'a>, BakeError> {
    let image = lookup.image(name)?;
    let mapping = Mapping { encoding: lookup.encoding(), is_covering: true, ..mapping };
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
        Projection::Along { direction, width } => {
            let along = lookup.direction(direction, Space::Part);
            let up = lookup.direction(Direction::Up, Space::Part);
            Box::new(move |_| {
                let image = image.unpacked()?;
                let side = side(along, width, None, up, geometry, &image);
                Ok(sampled(&image, Projected::Sides(&[side])))
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
