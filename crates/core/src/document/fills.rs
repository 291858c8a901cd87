//! Fills: pours, spans and selections, what one would cover and the change it makes.

use std::{
    collections::HashMap,
    sync::{Arc, PoisonError},
};

use serde::{Deserialize, Serialize};
use speckle_color::{
    Encoding,
    blend::{Base, Blend},
};
use speckle_mesh::{
    Geometry,
    body::{Body, Placed},
    placement::point_of,
    scene::Scene,
    sight::View,
};
use speckle_model::{ColorSet, SetId};
use speckle_tools::{
    region::{self, Covered, Region},
    stroke::{Action, Coat, Sample},
};

use super::{
    Change, Document, EditError, PartId,
    planned::{Shares, Touched},
    strokes::{open_channels, surface_of},
    whole,
};

/// A region that is painted, erased or chosen at once.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Fill {
    /// What is laid on, and where.
    #[serde(flatten)]
    pub coat: Coat,
    /// How much of the paint is laid on, 0–1.
    pub opacity: f32,
    /// How far it reaches.
    pub region: Region,
    /// Where the pointer is, for regions that start there.
    #[serde(default)]
    pub at: Option<Sample>,
    /// Whether what is not covered goes back to the ground color: a new selection, a new mask.
    #[serde(default)]
    pub afresh: bool,
    /// Whether faces are cut along its border, so that it is crisp on any mesh: of spans and outlines with
    /// a hard edge, and of pours up to creases.
    #[serde(default)]
    pub crisp: bool,
}

/// The faces that a pour reached.
pub(super) struct Flood {
    region: Region,
    geometry: Arc<Geometry>,
    faces: Arc<Vec<bool>>,
}

/// The face under the pointer, where a fill starts from it and nothing lies before it, and the point there.
fn started(fill: &Fill, body: &Body, scene: &Scene) -> Option<(u32, glam::Vec3)> {
    let at = fill.at.filter(|_| fill.region.starts_at_pointer())?;
    let (hit, distance) = scene.cast(body, at.origin, at.direction)?;
    let is_open = !scene.is_behind_others(at.origin, at.direction, distance);
    is_open.then_some((hit.face, hit.point))
}

impl Document {
    /// What a fill would cover of each set it goes on; nothing when it starts beside the part.
    ///
    /// # Errors
    /// When the target is gone or the fill makes no sense.
    pub fn covered(&self, fill: &Fill) -> Result<Vec<(PartId, SetId, Vec<Covered>)>, EditError> {
        let Fill { coat, region, .. } = fill;
        if let Some(problem) = region.problem() {
            return Err(EditError::Stroke(problem));
        }
        let mut all = Vec::new();
        for (part, set) in self.targets(coat)? {
            // From the pointer nothing goes on to other parts.
            if part == coat.part || !region.starts_at_pointer() {
                all.push((part, set, self.covered_of(fill, part, set)?));
            }
        }
        Ok(all)
    }

    fn covered_of(&self, fill: &Fill, id: PartId, set: SetId) -> Result<Vec<Covered>, EditError> {
        let Fill { coat, region, .. } = fill;
        let part = self.part(id)?;
        let set = self.set(id, set)?;
        let surface = surface_of(part, set.placement);
        let geometry = &part.geometry;
        let view = match region {
            Region::Lasso { screen, .. } => screen.view,
            _ => View::Parallel { forward: glam::Vec3::NEG_Z },
        };
        let scene = self.scene(id, view, coat);
        let start = started(fill, &surface.body, &scene);
        let group = |index: usize| Some(part.traits.selections.get(index)?.faces.as_slice());
        let other = |id: SetId| self.alike(coat.part, id, part);
        let changed = |id: SetId| {
            let snapshot = self.alike(coat.part, id, part)?;
            self.changed_since(part.id, snapshot.id).ok()
        };
        let flooded = start.and_then(|(face, _)| self.flooded(region, geometry, face));
        let mut covered = region::covered(
            region,
            &region::Ground {
                surface: &surface,
                scene: &scene,
                set,
                channels: coat.channels,
                start,
                flooded: flooded.as_deref().map(Vec::as_slice),
                other: &other,
                group: &group,
                changed: &changed,
            },
        );
        if let Some(cutaway) = coat.cutaway.filter(|cutaway| !cutaway.covers_hidden) {
            let (mesh, topology) = (geometry.mesh(), geometry.topology());
            covered.retain(|c| {
                let point = point_of(mesh, topology, set.placement, c.element as usize);
                !cutaway.spares(surface.body.placed.to_project(point))
            });
        }
        Ok(covered)
    }

    /// The faces that a pour up to creases goes over; none of any other fill.
    pub(super) fn within_creases(&self, fill: &Fill, part: &super::Part) -> Vec<u32> {
        if !matches!(fill.region, Region::Crease { .. }) || part.id != fill.coat.part {
            return Vec::new();
        }
        let placed = Placed::new(&part.traits.transform);
        let body = Body { geometry: part.geometry.clone(), placed };
        let view = View::Parallel { forward: glam::Vec3::NEG_Z };
        let start = started(fill, &body, &self.scene(part.id, view, &fill.coat));
        let flooded = start.and_then(|(face, _)| self.flooded(&fill.region, &part.geometry, face));
        let is_in = flooded.iter().flat_map(|is_in| is_in.iter());
        (0_u32..).zip(is_in).filter_map(|(face, is_in)| is_in.then_some(face)).collect()
    }

    /// The faces that a crease or piece pour reaches from a face. The last answer is remembered: a
    /// pointer that hovers within one region asks for it again and again.
    fn flooded(
        &self,
        region: &Region,
        geometry: &Arc<Geometry>,
        start: u32,
    ) -> Option<Arc<Vec<bool>>> {
        if !matches!(region, Region::Crease { .. } | Region::Piece) {
            return None;
        }
        let mut last = self.last_flood.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(Flood { region: known, geometry: on, faces }) = &*last
            && known == region
            && Arc::ptr_eq(on, geometry)
            && faces[start as usize]
        {
            return Some(faces.clone());
        }
        let faces = Arc::new(region::faces(region, geometry, start)?);
        let (region, geometry) = (region.clone(), geometry.clone());
        *last = Some(Flood { region, geometry, faces: faces.clone() });
        Some(faces)
    }

    /// The set of a part that stands for one of another part: the same one, or of the same name
    /// and role.
    fn alike<'a>(
        &'a self,
        home: PartId,
        set: SetId,
        part: &'a super::Part,
    ) -> Option<&'a ColorSet> {
        let meant = self.set(home, set).ok()?;
        part.sets.iter().find(|own| own.id == set).or_else(|| {
            let same =
                |own: &&ColorSet| own.name == meant.name && own.role.noun() == meant.role.noun();
            part.sets.iter().find(same)
        })
    }

    pub(super) fn change_filling(
        &self,
        fill: &Fill,
        shares: &mut Shares,
    ) -> Result<Change, EditError> {
        let Fill { coat, opacity, region, afresh, .. } = fill;
        if !(0.0..=1.0).contains(opacity) {
            return Err(EditError::Stroke("opacity must lie between 0 and 100 %"));
        }
        if let Some(problem) = coat.problem() {
            return Err(EditError::Stroke(problem));
        }
        if coat.action.tidies() {
            return Err(EditError::Stroke("a fill paints or erases: soften and smear are strokes"));
        }
        let (_, own, _) = self.own_set(coat.part, coat.set)?;
        let part = self.part(coat.part)?;
        if !part.traits.visible {
            return Err(EditError::Hidden(part.traits.name.clone()));
        }
        open_channels(own, coat.channels)?;
        whole::fits(own, coat)?;
        let (title, name) = (region.title(), own.name.clone());
        let mut change = Change::default();
        let mut parts = 0;
        for (part, set, covered) in self.covered(fill)? {
            let own = self.set(part, set)?;
            let Ok(channels) = open_channels(own, coat.channels) else { continue };
            let is_swatch = own.encoding == Encoding::Swatch;
            let owner = self.part(part)?;
            let stencil = self.laid(coat, &surface_of(owner, own.placement))?;
            let (paint, blend) = match coat.action {
                Action::Erase => (own.ground, Blend::Normal),
                _ if is_swatch => (coat.paint, Blend::Normal),
                _ => (coat.paint, coat.blend),
            };
            let base = Base { encoding: own.encoding, ground: own.ground };
            let own = self.as_kept(own);
            let lit = self.lit(owner, &own, coat)?.filter(|_| !afresh);
            let is_erased = coat.action == Action::Erase;
            let beneath = is_erased.then(|| self.beneath(&own)).flatten();
            let mut theirs_of = own.recipes.first().map(|_| HashMap::new());
            let mut after = own.values.to_vec();
            if *afresh {
                for value in &mut after {
                    for i in (0..4).filter(|&i| channels.0[i]) {
                        value[i] = own.ground[i];
                    }
                }
            }
            for Covered { element, share } in covered {
                let through = stencil.as_ref().map_or(1.0, |s| s.share(element as usize));
                let share = opacity * share * through;
                let value = &mut after[element as usize];
                let paint = beneath.as_ref().map_or(paint, |under| under[element as usize]);
                if let Some(theirs) = &mut theirs_of {
                    theirs.insert(element, Touched { share, erased: is_erased });
                }
                let lit = lit.as_ref().map(|lit| lit[element as usize][0]);
                let full = blend.of(lit.map_or(base, |lit| base.lit(lit)), *value, paint);
                let laid = own.encoding.between(*value, full, share);
                (0..4).filter(|&i| channels.0[i]).for_each(|i| value[i] = laid[i]);
            }
            if let Some(mut theirs) = theirs_of {
                if let Some(shield) = self.shield(owner, &own) {
                    theirs.iter_mut().for_each(|(&e, touched)| touched.share *= shield[e as usize]);
                }
                shares.put(set, theirs);
            }
            let theirs = self.values_changed(String::new(), part, &own, after)?;
            parts += usize::from(!theirs.is_empty());
            change.steps.extend(theirs.steps);
        }
        let erased = if coat.action == Action::Erase { " (erase)" } else { "" };
        let of_parts = if parts > 1 { format!(" of {parts} parts") } else { String::new() };
        change.label = format!("{title}{erased} on {name}{of_parts}");
        Ok(change)
    }
}
