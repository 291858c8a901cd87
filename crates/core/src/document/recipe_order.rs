//! In which order recipes are made: those first that others look at.
//!
//! Names lead from one recipe to another, and names change; so recipes may come to look at each
//! other in a circle by a renaming, too. Such a one has no end: it is not made, and says so.

use std::{collections::HashMap, sync::Arc};

use petgraph::{algo::tarjan_scc, graph::DiGraph};
use speckle_model::{
    ColorSet, Digest, SetId,
    recipe::{Recipe, Target},
};
use speckle_tools::bake::{Inputs, Needs, Pantry};

use super::{Document, Order, Part, PartId};

/// Names a recipe: channels of a set of a part.
pub type RecipeId = (PartId, SetId, Target);

/// How a recipe stands.
#[derive(Clone, Debug, PartialEq)]
pub struct Standing {
    /// Which.
    pub id: RecipeId,
    /// Names all it is made from now.
    pub digest: Digest,
    /// Whether its channels are not what it would make now.
    pub is_stale: bool,
    /// Whether it looks at what it makes itself, over any number of others: it cannot be made.
    pub is_circular: bool,
}

/// A recipe and where it is.
#[derive(Clone, Copy)]
struct Node<'a> {
    part: usize,
    set: &'a ColorSet,
    recipe: &'a Recipe,
}

impl Node<'_> {
    fn makes(&self, channels: Target) -> bool {
        meets(self.recipe.channels, channels)
    }
}

fn meets(a: Target, b: Target) -> bool {
    (0..4).any(|i| a.channels().0[i] && b.channels().0[i])
}

/// Every recipe of some parts.
fn nodes(parts: &[Part]) -> Vec<Node<'_>> {
    let mut nodes = Vec::new();
    for (part, own) in parts.iter().enumerate() {
        for set in own.products() {
            nodes.extend(set.recipes.iter().map(|own| Node { part, set, recipe: &own.recipe }));
        }
    }
    nodes
}

/// What each recipe looks at.
fn needs_of<'a>(nodes: &[Node<'a>], inputs: &'a [Inputs]) -> Vec<Needs<'a>> {
    nodes.iter().zip(inputs).map(|(node, inputs)| inputs.needs(node.recipe)).collect()
}

/// Groups of recipes, by their places: those that others look at come first. More than one in a
/// group look at each other in a circle, and one may look at itself.
fn groups(nodes: &[Node], needs: &[Needs]) -> Vec<(Vec<usize>, bool)> {
    let mut by_set: HashMap<SetId, Vec<usize>> = HashMap::new();
    for (at, node) in nodes.iter().enumerate() {
        by_set.entry(node.set.id).or_default().push(at);
    }
    let mut graph = DiGraph::<(), ()>::new();
    let places: Vec<_> = nodes.iter().map(|_| graph.add_node(())).collect();
    for (at, needs) in needs.iter().enumerate() {
        for (_, set, channels) in needs.sets() {
            for &maker in by_set.get(set).into_iter().flatten() {
                if nodes[maker].makes(*channels) {
                    graph.update_edge(places[at], places[maker], ());
                }
            }
        }
    }
    let is_circular = |group: &[_]| group.len() > 1 || graph.contains_edge(group[0], group[0]);
    let found = tarjan_scc(&graph).into_iter();
    found.map(|g| (g.iter().map(|n| n.index()).collect(), is_circular(&g))).collect()
}

impl Document {
    /// What each recipe may look at.
    fn inputs_of(&self, nodes: &[Node]) -> Vec<Inputs> {
        let parts = Arc::new(self.parts.clone());
        let inputs = |node: &Node| self.inputs(parts.clone(), self.parts[node.part].id, node.set);
        // Each is of a part that is there.
        nodes.iter().filter_map(inputs).collect()
    }

    /// Whether a recipe would look at what it makes itself, over any number of others, once it is
    /// what makes its channels of a set.
    pub(super) fn would_be_circular(&self, set: SetId, recipe: &Recipe) -> bool {
        let mut nodes = nodes(&self.parts);
        let channels = recipe.channels;
        nodes.retain(|node| node.set.id != set || node.recipe.channels != channels);
        let owner = self.parts.iter().enumerate().find_map(|(part, own)| {
            own.products().find(|own| own.id == set).map(|set| (part, set))
        });
        let Some((part, set)) = owner else { return false };
        let new = nodes.len();
        nodes.push(Node { part, set, recipe });
        let inputs = self.inputs_of(&nodes);
        let needs = needs_of(&nodes, &inputs);
        let groups = groups(&nodes, &needs);
        groups.iter().any(|(group, is_circular)| *is_circular && group.contains(&new))
    }

    /// How every recipe stands, those first that others look at.
    #[must_use]
    pub fn standings(&self, pantry: &Pantry) -> Vec<Standing> {
        let nodes = nodes(&self.parts);
        let inputs = self.inputs_of(&nodes);
        let needs = needs_of(&nodes, &inputs);
        let mut standings = Vec::with_capacity(nodes.len());
        for (group, is_circular) in groups(&nodes, &needs) {
            for at in group {
                let Node { part, set, recipe } = nodes[at];
                let digest = pantry.digest(recipe, &needs[at]);
                let own = set.recipes.iter().find(|own| own.recipe.channels == recipe.channels);
                let is_stale = own.is_none_or(|own| own.made != Some(digest));
                let id = (self.parts[part].id, set.id, recipe.channels);
                standings.push(Standing { id, digest, is_stale, is_circular });
            }
        }
        standings
    }

    /// Recipes whose channels are not what they would make now, those first that others wait for.
    /// Locked channels are among them: whoever makes them again passes those over.
    #[must_use]
    pub fn stale(&self, pantry: &Pantry) -> Vec<RecipeId> {
        let standings = self.standings(pantry).into_iter();
        standings.filter(|s| s.is_stale && !s.is_circular).map(|s| s.id).collect()
    }

    pub(super) fn inputs(
        &self,
        parts: Arc<Vec<Part>>,
        part: PartId,
        set: &ColorSet,
    ) -> Option<Inputs> {
        let traits = (set.placement, set.encoding, set.ground);
        let inputs = Inputs::new(parts, part, traits, self.traits.up, self.images.clone())?;
        Some(Inputs { volumes: self.volumes.clone(), ..inputs })
    }

    /// The order for a recipe that a set does not have, or not yet.
    ///
    /// # Errors
    /// When the set is gone.
    pub fn trial(
        &self,
        part: PartId,
        set: SetId,
        recipe: Recipe,
    ) -> Result<Order, super::EditError> {
        let own = self.set(part, set)?;
        let inputs = self.inputs(Arc::new(self.parts.clone()), part, own);
        let inputs = inputs.ok_or(super::EditError::NoSuchPart)?;
        Ok(Order { part, set, recipe, inputs, there: own.values.clone() })
    }
}
