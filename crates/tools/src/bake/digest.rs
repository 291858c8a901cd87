//! What a recipe and each of its sources depend on, in one number.

use serde::Serialize;
use speckle_color::{Channels, Encoding};
use speckle_mesh::Placement;
use speckle_model::{
    ColorSet, Digest,
    recipe::{
        Mask, Recipe, Source,
        source::{Among, Direction, NoiseSpace, Root, Space},
    },
};

use super::{
    inputs::{Chosen, Inputs},
    pantry::Pantry,
    sources::MATERIAL_SET,
};

/// All that a source depends on, beside itself.
#[derive(Serialize)]
struct Needs<'a> {
    mesh: [u8; 16],
    placement: Placement,
    source: &'a Source,
    encoding: Option<Encoding>,
    up: Option<[f32; 3]>,
    stands: Option<[f32; 16]>,
    parts: Vec<([u8; 16], [f32; 16], u32)>,
    content: Vec<[u8; 32]>,
}

impl Inputs {
    /// A digest of all that a source depends on: equal digests, equal fields.
    #[must_use]
    pub fn digest(&self, source: &Source, pantry: &Pantry) -> Digest {
        let own = self.own();
        let uses_up = |d: &Direction| matches!(d, Direction::Up | Direction::Down);
        let up = || Some(self.direction(Direction::Up, Space::World).to_array());
        let stands = || Some(own.traits.transform.matrix());
        let mut needs = Needs {
            mesh: *self.body.geometry.id().as_bytes(),
            placement: self.placement,
            source,
            encoding: None,
            up: None,
            stands: None,
            parts: Vec::new(),
            content: Vec::new(),
        };
        let visible = || {
            let others = self.parts.iter().filter(|p| p.id != self.part && p.traits.visible);
            others
                .map(|p| (*p.geometry.id().as_bytes(), p.traits.transform.matrix(), p.id.0))
                .collect()
        };
        let of_set = |set: &ColorSet, on: Channels| pantry.content(&set.values, on);
        let of_selection = |name: &str| match self.selection(name) {
            Ok(Chosen::Made(set)) => vec![of_set(set, Channels::R)],
            Ok(Chosen::Named(faces)) => vec![*blake3::hash(bytemuck::cast_slice(faces)).as_bytes()],
            Err(_) => vec![],
        };
        let of_materials = || {
            let groups = self.materials().iter();
            groups.map(|s| *blake3::hash(bytemuck::cast_slice(&s.faces)).as_bytes()).collect()
        };
        match source {
            Source::Occlusion { other_parts, ground, .. } => {
                if *other_parts {
                    needs.parts = visible();
                }
                if (*other_parts && !needs.parts.is_empty()) || *ground {
                    (needs.up, needs.stands) = (up(), stands());
                }
            }
            Source::Openness { light, other_parts, .. } => {
                if *other_parts {
                    needs.parts = visible();
                }
                if uses_up(light) || !needs.parts.is_empty() {
                    (needs.up, needs.stands) = (up(), stands());
                }
            }
            Source::Facing { direction, space, .. }
            | Source::HeightRamp { direction, space, .. } => {
                if *space == Space::World || uses_up(direction) {
                    (needs.up, needs.stands) = (up(), stands());
                }
            }
            Source::Between { space, .. }
            | Source::Normal { space }
            | Source::Position { space } => {
                needs.stands = if *space == Space::World { stands() } else { None };
            }
            Source::Noise { space, .. } => {
                needs.stands = if *space == NoiseSpace::World { stands() } else { None };
            }
            Source::Distance { from: root, .. } | Source::Trail { root, .. } => match root {
                Root::Selection { name } => needs.content = of_selection(name),
                Root::End { towards } if uses_up(towards) => {
                    (needs.up, needs.stands) = (up(), stands());
                }
                Root::Part { name } => {
                    needs.stands = stands();
                    let other = self.other(name).ok().into_iter();
                    needs.parts = other
                        .map(|p| (*p.geometry.id().as_bytes(), p.traits.transform.matrix(), p.id.0))
                        .collect();
                }
                _ => {}
            },
            Source::Joint { between, .. } => match between {
                Among::Parts => (needs.parts, needs.stands) = (visible(), stands()),
                Among::Materials => needs.content = of_materials(),
                Among::Pieces => {}
            },
            Source::PerPiece { by, .. } | Source::PerPieceShift { by, .. } => match by {
                Among::Materials => needs.content = of_materials(),
                Among::Parts => needs.parts = vec![([0; 16], [0.0; 16], self.part.0)],
                Among::Pieces => {}
            },
            Source::Image { image, .. } => {
                needs.encoding = Some(self.encoding);
                (needs.up, needs.stands) = (up(), stands());
                let picture = self.images.get(image).map(|image| image.digest());
                needs.content = picture.into_iter().collect();
            }
            Source::Channel { set, part, channel } => {
                let owner = match part.as_deref() {
                    Some(name) if name != self.name() => self.other(name).ok(),
                    _ => Some(own),
                };
                let set = owner.and_then(|owner| self.set(owner, set).ok());
                needs.content = set.iter().map(|set| of_set(set, channel.channels())).collect();
            }
            Source::Material => {
                let materials = &own.materials;
                let set = self.set(own, MATERIAL_SET).ok();
                let set = set.filter(|_| materials.list.is_empty());
                let images =
                    materials.list.iter().filter_map(|m| self.images.get(m.image.as_ref()?));
                needs.content = set.iter().map(|set| of_set(set, Channels::RGB)).collect();
                needs.content.extend(images.map(|image| image.digest()));
                needs.content.push(Digest::of(&**materials).0);
            }
            Source::HandPaint { paint } => {
                if let Some(paint) = self.paint(*paint) {
                    let layers = [paint.values, paint.coverage];
                    needs.content = layers.map(|v| pantry.content(v, Channels::RGBA)).to_vec();
                }
            }
            Source::Hollows { .. }
            | Source::Ridges { .. }
            | Source::Edges { .. }
            | Source::Thickness { .. }
            | Source::Constant { .. }
            | Source::Color { .. } => {}
        }
        Digest::of(&needs)
    }

    /// A digest of all that a recipe depends on: what it made is still true while this is the same.
    #[must_use]
    pub fn recipe_digest(&self, recipe: &Recipe, pantry: &Pantry) -> Digest {
        let mut all = Vec::new();
        for step in recipe.steps.iter().filter(|step| !step.off) {
            all.push(Digest::of(step));
            all.push(self.digest(&step.source, pantry));
            let content = match &step.mask {
                None => None,
                Some(Mask::Own { .. }) => {
                    self.own().mask().map(|m| pantry.content(&m.values, Channels::R))
                }
                Some(Mask::Selection { name, .. }) => match self.selection(name) {
                    Ok(Chosen::Made(set)) => Some(pantry.content(&set.values, Channels::R)),
                    _ => None,
                },
                Some(Mask::Channel { set, channel, .. }) => {
                    let set = self.set(self.own(), set).ok();
                    set.map(|set| pantry.content(&set.values, channel.channels()))
                }
            };
            all.push(Digest::of(&content));
        }
        Digest::of(&(recipe.channels, self.ground, self.encoding, self.placement, all))
    }
}
