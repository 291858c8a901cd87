//! What a dab covers, whichever way it reaches.

use std::sync::Arc;

use glam::Vec3;
use speckle_mesh::{
    Geometry,
    body::Surface,
    geometry::bvh::Hit,
    placement::point_of,
    scene::{Others, Scene},
};

use super::{
    Reach, deep,
    elements::{DabElement, DabPlace, Elements, ReachRules},
    skin::Skin,
};

/// Finds what each dab of a stroke covers.
pub struct Footprint {
    surface: Surface,
    scene: Scene,
    elements: Elements,
    way: ReachRules,
    /// What the skin reach knows.
    skin: Option<Skin>,
}

impl Footprint {
    /// A footprint on a surface, as seen in a scene.
    #[must_use]
    pub fn new(way: impl Into<ReachRules>, surface: Surface, scene: Scene) -> Self {
        let way = way.into();
        let elements = Elements::new(&surface);
        let skin = (way.reach == Reach::Skin).then(|| {
            Skin::new(way, &surface.body.geometry, elements.count(), &surface.body.placed, &scene)
        });
        Self { surface, scene, elements, way, skin }
    }

    /// Whether it was made for this.
    #[must_use]
    pub fn is_for(&self, way: ReachRules, surface: &Surface) -> bool {
        (self.way, &self.surface) == (way, surface)
    }

    /// What it was seen in.
    #[must_use]
    pub fn scene(&self) -> &Scene {
        &self.scene
    }

    /// Looks from somewhere; what was learned from elsewhere is forgotten.
    pub fn look_at(&mut self, scene: Scene) {
        if self.scene == scene {
            return;
        }
        if let Some(skin) = &mut self.skin {
            skin.look_at(&self.surface.body.placed, &scene);
        }
        self.scene = scene;
    }

    /// Goes on in a scene in which all surfaces are where they were: what was learned holds.
    pub(super) fn go_on_in(&mut self, scene: Scene) {
        self.scene = scene;
    }

    /// Goes on on a surface that is where it was, of which some faces have changed or come: what was learned
    /// of all others holds.
    pub(super) fn follow(&mut self, surface: Surface, scene: Scene, changed: &[u32]) {
        self.elements.follow(&surface);
        if let Some(skin) = &mut self.skin {
            skin.follow(&surface, changed);
        }
        (self.surface, self.scene) = (surface, scene);
    }

    /// Lets go of a shape that is about to change, and of all that stands around.
    pub(super) fn let_go(&mut self, shape: &Arc<Geometry>, instead: &Arc<Geometry>) {
        self.scene.others = Others::none();
        if Arc::ptr_eq(&self.surface.body.geometry, shape) {
            self.surface.body.geometry = instead.clone();
        }
    }

    /// What it is found on.
    #[must_use]
    pub fn surface(&self) -> &Surface {
        &self.surface
    }

    /// Where a line of sight of the project's space meets the surface, and how far along it.
    #[must_use]
    pub fn cast(&self, origin: Vec3, direction: Vec3) -> Option<(Hit, f32)> {
        self.scene.cast(&self.surface.body, origin, direction)
    }

    /// Whether another part hides what is met at a distance along a line of sight; a brush that
    /// goes through does not mind.
    #[must_use]
    pub fn is_hidden(&self, origin: Vec3, direction: Vec3, distance: f32) -> bool {
        !self.way.through && self.scene.is_behind_others(origin, direction, distance)
    }

    /// The elements covered by a dab of a radius (the project's unit), each once.
    pub fn cover(&mut self, touch: &DabPlace, radius: f32) -> &[DabElement] {
        let Self { surface, scene, elements, way, skin } = self;
        elements.begin_dab();
        let geometry = &surface.body.geometry;
        match (way.reach, skin, touch.face) {
            (Reach::Skin, Some(skin), _) => skin.cover(elements, geometry, scene, touch, radius),
            (Reach::Deep, ..) => deep::cover(elements, geometry, touch, radius),
            (Reach::Facet, _, Some(face)) => {
                elements.gather(geometry.mesh(), face as usize, touch.face, |_| Some(0.0));
            }
            (Reach::Corner, _, Some(face)) => {
                let point = surface.body.placed.to_part(touch.middle);
                let element = surface.placement.nearest(geometry.mesh(), face as usize, point);
                elements.consider(element, || Some(0.0));
            }
            _ => {}
        }
        if let Some(cutaway) = scene.cutaway.filter(|cutaway| !cutaway.covers_hidden) {
            let (mesh, topology) = (geometry.mesh(), geometry.topology());
            let (placed, placement) = (surface.body.placed, surface.placement);
            elements.covered.retain(|covered| {
                let point = point_of(mesh, topology, placement, covered.element as usize);
                !cutaway.spares(placed.to_project(point))
            });
        }
        &elements.covered
    }
}
