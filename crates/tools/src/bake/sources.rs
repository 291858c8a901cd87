//! What each source makes of a part.

use std::sync::Arc;

use glam::{Affine3A, Vec2, Vec3};
use rayon::prelude::*;
use speckle_color::{Channels, Encoding, Linear, noise::Noise};
use speckle_mesh::{
    Geometry,
    body::{Body, Placed},
    geometry::bvh::Bvh,
};
use speckle_model::{
    Material,
    recipe::{
        Source, Target,
        source::{Among, Direction, Lay, NoiseSpace, Root, Space},
    },
};

use super::{
    BakeError, Inputs, curvature, diffusion,
    field::Field,
    image::{self, Side, Way},
    occlusion::{self, Blockers, Casting, Cone},
    pieces,
    samples::Samples,
    trail::{self, Laying, Start},
    watch::Watch,
};

/// The set that holds the colors of materials where a part itself knows of none.
pub const MATERIAL_SET: &str = "Material";

/// How much of what is furthest in a direction counts as its end, as a share of the diagonal.
const END: f32 = 1e-4;

/// What a source makes; lengths that are 0 by themselves come from the part's size.
///
/// # Errors
/// When something it needs is missing, or it was given up.
pub fn made(source: &Source, inputs: &Inputs, watch: &Watch) -> Result<Field, BakeError> {
    if let Some(missing) = source.missing() {
        return Err(BakeError::Recipe(missing.to_owned()));
    }
    let geometry = &inputs.body.geometry;
    let (mesh, measures) = (geometry.mesh(), geometry.measures());
    let placement = inputs.placement;
    let or = |length: f32, by_itself: f32| if length > 0.0 { length } else { by_itself };
    let diagonal = measures.diagonal().max(f32::MIN_POSITIVE);
    let samples = || Samples::of(geometry, placement);
    let samples_in = |space: Space| match space {
        Space::Part => samples(),
        Space::World => samples().placed(&inputs.body.placed),
    };
    Ok(match source {
        Source::Occlusion { rays, reach, offset, both_sides, other_parts, ground, seed } => {
            let others: Vec<_> = if *other_parts { inputs.visible() } else { vec![] };
            let up = inputs.height_axis(Direction::Up, Space::Part);
            let ground = ground.then(|| {
                let lowest =
                    geometry.shown_points().iter().map(|p| p.dot(up)).fold(f32::MAX, f32::min);
                (up, lowest)
            });
            let blockers = Blockers::new(&inputs.body, &others, ground);
            let casting = Casting {
                rays: *rays,
                reach: *reach,
                offset: or(*offset, blockers.hair()),
                cone: Cone::Cosine,
                seed: *seed,
            };
            let samples = samples();
            let open = occlusion::openness(&samples, &blockers, &casting, watch)?;
            if !both_sides {
                return Ok(Field::one(open));
            }
            let inward = Casting { cone: Cone::Inward, ..casting };
            let other = occlusion::openness(&samples, &blockers, &inward, watch)?;
            Field::one(open.iter().zip(other).map(|(a, b)| a.max(b)).collect())
        }
        Source::Openness { light, spread, rays, other_parts, seed } => {
            let others: Vec<_> = if *other_parts { inputs.visible() } else { vec![] };
            let blockers = Blockers::new(&inputs.body, &others, None);
            let towards = inputs.direction(*light, Space::Part);
            let spread = spread.to_radians().sin();
            let casting = Casting {
                rays: *rays,
                reach: 0.0,
                offset: blockers.hair(),
                cone: Cone::Light { towards, spread },
                seed: *seed,
            };
            Field::one(occlusion::openness(&samples(), &blockers, &casting, watch)?)
        }
        Source::Thickness { rays, reach, seed } => {
            let reach = or(*reach, diagonal / 4.0);
            Field::one(occlusion::thickness(&samples(), geometry, *rays, reach, *seed, watch)?)
        }
        Source::Hollows { scale } | Source::Ridges { scale } => {
            let sign = if matches!(source, Source::Ridges { .. }) { 1.0 } else { -1.0 };
            let mean = curvature::mean(geometry, *scale, watch)?;
            let scale = or(*scale, measures.median_edge);
            let value = |h: f32| (sign * h * scale).clamp(0.0, 1.0);
            let values = mean.into_par_iter().map(value).collect();
            Field::one(diffusion::placed(geometry, placement, values))
        }
        Source::Edges { angle, width, bends } => {
            let width = or(*width, measures.median_edge).max(f32::MIN_POSITIVE);
            let edges = curvature::edges(geometry, *angle, *bends);
            Field::one(samples().mean(|p, _| {
                edges.nearest(p, width, |_| true).map_or(0.0, |(.., far)| 1.0 - far / width)
            }))
        }
        Source::Facing { direction, space, half_angle, softness } => {
            let towards = inputs.direction(*direction, *space);
            let none = half_angle.to_radians().cos();
            let all = (half_angle * (1.0 - softness)).to_radians().cos();
            Field::one(samples_in(*space).mean(|_, n| {
                let facing = n.dot(towards);
                if all - none <= f32::EPSILON {
                    f32::from(u8::from(facing >= none))
                } else {
                    ((facing - none) / (all - none)).clamp(0.0, 1.0)
                }
            }))
        }
        Source::HeightRamp { direction, space, from, to } => {
            let along = inputs.height_axis(*direction, *space);
            let heights = || {
                let points = geometry.shown_points().iter().map(|&p| match space {
                    Space::Part => p.dot(along),
                    Space::World => inputs.body.placed.to_project(p).dot(along),
                });
                points.fold((f32::MAX, f32::MIN), |(low, high), h| (low.min(h), high.max(h)))
            };
            let own = if from.is_none() || to.is_none() { heights() } else { (0.0, 0.0) };
            let (low, high) = (from.unwrap_or(own.0), to.unwrap_or(own.1));
            Field::one(samples_in(*space).mean(|p, _| ramp(p.dot(along), low, high)))
        }
        Source::Between { from, to, space } => {
            let (from, to) = (Vec3::from(*from), Vec3::from(*to));
            let along = to - from;
            let whole = along.length_squared().max(f32::MIN_POSITIVE);
            Field::one(
                samples_in(*space).mean(|p, _| ((p - from).dot(along) / whole).clamp(0.0, 1.0)),
            )
        }
        Source::Distance { from, reach } => {
            let reach = or(*reach, diagonal);
            Field::one(distance(from, reach, inputs)?)
        }
        Source::Trail { root, reach, joined, touch } => {
            let start =
                start(root, inputs, *joined == speckle_model::recipe::source::Joined::Apart)?;
            let laying =
                Laying { reach: *reach, joined: *joined, touch: or(*touch, measures.median_edge) };
            let values = trail::trail(geometry, &start, laying, watch)?;
            Field::one(diffusion::placed(geometry, placement, values))
        }
        Source::Joint { between, width, offset } => {
            let width = or(*width, diagonal / 20.0);
            Field::one(joint(*between, width, *offset, inputs))
        }
        Source::PerPiece { by, seed } => {
            let of = pieces::of_faces(geometry, *by, inputs.materials());
            let own = inputs.part_number(*by);
            let value = |face: usize| pieces::random(*seed ^ own, of[face])[0];
            Field::one(pieces::by_face(geometry, placement, value, 0.0))
        }
        Source::PerPieceShift { by, amounts, seed } => {
            let of = pieces::of_faces(geometry, *by, inputs.materials());
            let own = inputs.part_number(*by);
            let value = |face: usize| {
                let random = pieces::random(*seed ^ own, of[face]);
                std::array::from_fn(|k| 0.5 + (random[k] - 0.5) * amounts[k])
            };
            Field::three(pieces::by_face(geometry, placement, value, [0.5; 3]))
        }
        Source::Noise { noise, size, octaves, warp, space, seed } => {
            let noise = Noise { kind: *noise, octaves: *octaves, warp: *warp, seed: *seed };
            match space {
                NoiseSpace::Uv(uv_set) => {
                    let size = or(*size, 0.1);
                    let uvs = inputs.uvs(*uv_set)?;
                    let at = |c: usize| noise.at((uvs[c] / size).extend(0.0));
                    Field::one(super::inputs::from_corners(geometry, placement, at))
                }
                NoiseSpace::Part | NoiseSpace::World => {
                    let size = or(*size, diagonal / 10.0);
                    let is_world = *space == NoiseSpace::World;
                    let samples = samples_in(if is_world { Space::World } else { Space::Part });
                    Field::one(samples.mean(|p, _| noise.at(p / size)))
                }
            }
        }
        Source::Image { image, lay, repeat, offset, turn, wrap, hard_pixels, averaged } => {
            let picture = &*inputs.image(image)?;
            let laid = image::Laid {
                repeat: Vec2::from(*repeat),
                offset: Vec2::from(*offset),
                turn: turn.to_radians(),
                wrap: *wrap,
                hard_pixels: *hard_pixels,
                averaged: *averaged,
                encoding: inputs.encoding,
            };
            let sides;
            let way = match lay {
                Lay::Uv { uv_set } => Way::Uv(inputs.uvs(*uv_set)?),
                Lay::Along { direction, width } => {
                    let from = inputs.direction(*direction, Space::Part);
                    sides = vec![side(from, *width, None, inputs, picture)];
                    Way::Sides(&sides)
                }
                Lay::ThreeAxes { width } => {
                    let axes = [Vec3::X, Vec3::Y, Vec3::Z];
                    sides = axes.map(|a| side(-a, *width, Some(a), inputs, picture)).to_vec();
                    Way::Sides(&sides)
                }
            };
            let picture = image::Picture { image: Some(picture), way, tint: Linear([1.0; 4]) };
            let colors = image::sampled(&[picture], &[], &laid, geometry, placement);
            Field::three(colors.into_par_iter().map(|[r, g, b, _]| [r, g, b]).collect())
        }
        Source::Material => of_materials(inputs)?,
        Source::Normal { space } => {
            let samples = samples_in(*space);
            let k = samples.per_element;
            let mean = |n: &[Vec3]| (n.iter().sum::<Vec3>() / k as f32 * 0.5 + 0.5).to_array();
            Field::three(samples.normals.par_chunks(k).map(mean).collect())
        }
        Source::Position { space } => {
            let samples = samples_in(*space);
            let k = samples.per_element;
            let (mut low, mut high) = (Vec3::INFINITY, Vec3::NEG_INFINITY);
            for &p in geometry.shown_points() {
                let p = if *space == Space::World { inputs.body.placed.to_project(p) } else { p };
                (low, high) = (low.min(p), high.max(p));
            }
            let size = (high - low).max(Vec3::splat(f32::MIN_POSITIVE));
            let mean = |p: &[Vec3]| {
                let at = p.iter().sum::<Vec3>() / k as f32;
                ((at - low) / size).clamp(Vec3::ZERO, Vec3::ONE).to_array()
            };
            Field::three(samples.points.par_chunks(k).map(mean).collect())
        }
        Source::Constant { value } => Field::one(vec![*value; placement.count(mesh)]),
        Source::Color { color } => Field::three(vec![*color; placement.count(mesh)]),
        Source::Channel { set, channel, part } => {
            inputs.set_values(part.as_deref(), set, *channel)?
        }
        // Merged on its own: see `super::made_by`.
        Source::HandPaint { .. } => Field::One(Arc::new(vec![0.0; placement.count(mesh)])),
    })
}

/// The color of each face's material: its own, times its image. Of a part that brought no materials
/// it is the set of that name.
fn of_materials(inputs: &Inputs) -> Result<Field, BakeError> {
    let materials = &inputs.own().materials;
    if materials.list.is_empty() {
        return inputs
            .set_values(None, MATERIAL_SET, Target::Rgb)
            .map_err(|_| BakeError::NoMaterial(inputs.name().to_owned()));
    }
    let named = |material: &Material| material.image.as_ref().map(|name| inputs.image(name));
    let images = materials.list.iter().map(|material| named(material).transpose());
    let images = images.collect::<Result<Vec<_>, BakeError>>()?;
    let pictures = materials.list.iter().zip(&images).map(|(material, image)| {
        let uvs = if image.is_some() { inputs.uvs(material.uv_set)? } else { &[] };
        let tint = Linear::of(material.color);
        Ok(image::Picture { image: image.as_deref(), way: Way::Uv(uvs), tint })
    });
    let pictures = pictures.collect::<Result<Vec<_>, BakeError>>()?;
    // As colors, whatever the target: material and image are.
    let laid = image::Laid { encoding: Encoding::Color, ..image::Laid::default() };
    let geometry = &inputs.body.geometry;
    let colors = image::sampled(&pictures, &materials.of_faces, &laid, geometry, inputs.placement);
    Ok(Field::three(colors.into_par_iter().map(|[r, g, b, _]| [r, g, b]).collect()))
}

fn ramp(height: f32, low: f32, high: f32) -> f32 {
    let whole = high - low;
    if whole.abs() <= f32::MIN_POSITIVE {
        return f32::from(u8::from(height >= high));
    }
    ((height - low) / whole).clamp(0.0, 1.0)
}

/// An image seen along a direction, as wide as is said or as the part is, in the middle of it.
fn side(
    along: Vec3,
    width: f32,
    facing: Option<Vec3>,
    inputs: &Inputs,
    picture: &image::Image,
) -> Side {
    let points = inputs.body.geometry.shown_points();
    let project_up = inputs.direction(Direction::Up, Space::Part);
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
    let [w, h] = picture.size().map(|n| n as f32);
    let width = if width > 0.0 { width } else { (x.1 - x.0).max(f32::MIN_POSITIVE) };
    let height = width * h / w;
    let middle = across * ((x.0 + x.1) / 2.0) + up * ((y.0 + y.1) / 2.0);
    let origin = middle - across * (width / 2.0) - up * (height / 2.0);
    Side { across: across / width, up: up / height, origin, facing }
}

/// Another part's surface, to find what is nearest to points of ours.
struct Near {
    geometry: Arc<Geometry>,
    /// From our space to that of `geometry`, and how much longer lengths are there.
    to_other: Option<(Affine3A, f32)>,
}

/// How much the axes of a matrix may differ in length, and how far they may be from square to each
/// other, as a share, and still be said to scale evenly.
const EVEN: f32 = 1e-4;

impl Near {
    fn new(own: &Body, other: &Arc<Geometry>, placed: &Placed) -> Self {
        let to_other = placed.part_to_other(&own.placed);
        let axes = [to_other.matrix3.x_axis, to_other.matrix3.y_axis, to_other.matrix3.z_axis];
        let scale = axes[0].length();
        let is_even = axes.iter().all(|axis| (axis.length() - scale).abs() < EVEN * scale)
            && [(0, 1), (1, 2), (2, 0)]
                .iter()
                .all(|&(i, j)| axes[i].dot(axes[j]).abs() < EVEN * scale * scale);
        let here = |p: Vec3| own.placed.to_part(placed.to_project(p));
        let moved = (!is_even).then(|| other.mesh().moved(here).ok()).flatten();
        let near = match moved {
            // What is nearest there is not what is nearest here: the surface itself comes over.
            Some(moved) => Self { geometry: Arc::new(Geometry::new(moved)), to_other: None },
            None => Self { geometry: other.clone(), to_other: Some((to_other, scale)) },
        };
        // Asked for before work is shared out: see `Geometry`.
        let _ = near.geometry.bvh();
        near
    }

    /// How far a point of ours is from it, in our space.
    fn distance(&self, point: Vec3) -> Option<f32> {
        let (point, scale) = match &self.to_other {
            Some((to_other, scale)) => (to_other.transform_point3(point), *scale),
            None => (point, 1.0),
        };
        self.geometry.bvh().nearest(point, f32::MAX, |_| true).map(|(.., far)| far / scale)
    }
}

fn distance(from: &Root, reach: f32, inputs: &Inputs) -> Result<Vec<f32>, BakeError> {
    let geometry = &inputs.body.geometry;
    let samples = Samples::of(geometry, inputs.placement);
    let to_tree = |tree: &Bvh, samples: &Samples| {
        samples.mean(|p, _| {
            tree.nearest(p, reach, |_| true).map_or(1.0, |(.., far)| (far / reach).min(1.0))
        })
    };
    Ok(match from {
        Root::Point { at } => {
            let at = Vec3::from(*at);
            samples.mean(|p, _| (p.distance(at) / reach).min(1.0))
        }
        Root::Selection { name } => {
            let faces = inputs.selected_faces(name)?;
            let tree = Bvh::over_faces(geometry.mesh(), geometry.triangulation(), &faces);
            to_tree(&tree, &samples)
        }
        Root::OpenEdge => {
            let edges = curvature::open_edges(geometry);
            if edges.is_empty() {
                return Err(BakeError::NoOpenEdge(inputs.name().to_owned()));
            }
            let at = |v: usize| geometry.mesh().positions()[v];
            let segments: Vec<[Vec3; 2]> = edges.iter().map(|e| e.map(at)).collect();
            to_tree(&Bvh::over_segments(&segments), &samples)
        }
        Root::End { towards } => {
            let along = inputs.height_axis(*towards, Space::Part);
            let end = geometry.shown_points().iter().map(|p| p.dot(along)).fold(f32::MIN, f32::max);
            samples.mean(|p, _| ((end - p.dot(along)) / reach).clamp(0.0, 1.0))
        }
        Root::Part { name } => {
            let other = inputs.other(name)?;
            let placed = Placed::new(&other.traits.transform);
            let near = Near::new(&inputs.body, &other.geometry, &placed);
            samples.mean(|p, _| near.distance(p).map_or(1.0, |far| (far / reach).min(1.0)))
        }
    })
}

fn start(root: &Root, inputs: &Inputs, each_piece: bool) -> Result<Start, BakeError> {
    let geometry = &inputs.body.geometry;
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    Ok(match root {
        Root::Point { at } => {
            let at = Vec3::from(*at);
            let nearest = geometry.bvh().nearest(at, f32::MAX, |_| true);
            let (face, on, _) = nearest.ok_or(BakeError::NoSurface)?;
            let vertices = mesh.face_vertices(face as usize);
            let far = |&v: &u32| (v, mesh.positions()[v as usize].distance(on));
            Start { seeds: vertices.iter().map(far).collect(), is_point: true }
        }
        Root::Selection { name } => {
            let vertices = inputs.selected_vertices(name)?;
            let is_point = vertices.len() == 1;
            Start { seeds: vertices.into_iter().map(|v| (v, 0.0)).collect(), is_point }
        }
        Root::OpenEdge => {
            let edges = curvature::open_edges(geometry);
            if edges.is_empty() {
                return Err(BakeError::NoOpenEdge(inputs.name().to_owned()));
            }
            let seeds = edges.into_iter().flatten().map(|v| (v as u32, 0.0)).collect();
            Start { seeds, is_point: false }
        }
        Root::End { towards } => {
            let along = inputs.height_axis(*towards, Space::Part);
            let hair = geometry.measures().diagonal() * END;
            let pieces = if each_piece { topology.piece_count() } else { 1 };
            let mut ends = vec![f32::MIN; pieces];
            let mut of = vec![usize::MAX; mesh.vertex_count()];
            for face in 0..mesh.face_count() {
                let piece = if each_piece { topology.piece_of(face) } else { 0 };
                for &v in mesh.face_vertices(face) {
                    of[v as usize] = piece;
                    ends[piece] = ends[piece].max(mesh.positions()[v as usize].dot(along));
                }
            }
            let is_end = |v: &usize| {
                of[*v] != usize::MAX && mesh.positions()[*v].dot(along) >= ends[of[*v]] - hair
            };
            let seeds: Vec<(u32, f32)> =
                (0..mesh.vertex_count()).filter(is_end).map(|v| (v as u32, 0.0)).collect();
            let is_point = seeds.len() == pieces;
            Start { seeds, is_point }
        }
        Root::Part { name } => return Err(BakeError::NoPart(name.clone())),
    })
}

fn joint(between: Among, width: f32, offset: f32, inputs: &Inputs) -> Vec<f32> {
    let geometry = &inputs.body.geometry;
    let samples = Samples::of(geometry, inputs.placement);
    let far = width + offset;
    let value = |distance: f32| (1.0 - (distance - offset) / width).clamp(0.0, 1.0);
    match between {
        Among::Parts => {
            let others = inputs.visible();
            let near: Vec<Near> = others
                .iter()
                .map(|other| Near::new(&inputs.body, &other.geometry, &other.placed))
                .collect();
            samples.mean(|p, _| {
                let nearest = near.iter().filter_map(|other| other.distance(p));
                nearest.min_by(f32::total_cmp).map_or(0.0, value)
            })
        }
        Among::Pieces => {
            // Of every sample, the piece: elements in their order, samples in theirs.
            let of = pieces::by_face(
                geometry,
                inputs.placement,
                |face| geometry.topology().piece_of(face) as u32,
                u32::MAX,
            );
            let bvh = geometry.bvh();
            let k = samples.per_element;
            let at = |element: usize| {
                let own = of[element];
                let points = &samples.points[element * k..(element + 1) * k];
                let sum: f32 = points
                    .iter()
                    .map(|&p| {
                        let is_other =
                            |face: u32| geometry.topology().piece_of(face as usize) as u32 != own;
                        bvh.nearest(p, far, is_other).map_or(0.0, |(.., d)| value(d))
                    })
                    .sum();
                sum / k as f32
            };
            (0..samples.elements()).into_par_iter().map(at).collect()
        }
        Among::Materials => {
            let of = pieces::of_faces(geometry, Among::Materials, inputs.materials());
            let (mesh, topology) = (geometry.mesh(), geometry.topology());
            let mut segments = Vec::new();
            for a in topology.edges() {
                let first = of[topology.face_of(a)];
                if topology.around(a).all(|corner| of[topology.face_of(corner)] == first) {
                    continue;
                }
                let range = mesh.face_corners(topology.face_of(a));
                let b = if a + 1 < range.end { a + 1 } else { range.start };
                segments.push([mesh.corner_position(a), mesh.corner_position(b)]);
            }
            let tree = Bvh::over_segments(&segments);
            samples.mean(|p, _| tree.nearest(p, far, |_| true).map_or(0.0, |(.., d)| value(d)))
        }
    }
}

/// Which channels a field goes into when it has three numbers: R, G and B, or all of one.
#[must_use]
pub fn channels_of(target: Target, field: &Field) -> Channels {
    match (target, field) {
        (Target::Rgba, Field::Three(_)) => Channels::RGB,
        _ => target.channels(),
    }
}
