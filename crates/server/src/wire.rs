//! What goes over the live socket: JSON for control, binary [`frames`] for arrays.

pub mod frames;
pub mod outline;

use axum::extract::ws::{Message, Utf8Bytes};
use serde::{Deserialize, Serialize};
use speckle_color::{
    Encoding,
    figures::{self, ChannelFigures},
};
use speckle_core::document::{Adjustment, Fill};
use speckle_model::{
    ColorSet, Part, PartId, SetId,
    recipe::{Recipe, Target},
};
use speckle_tools::{
    bake::taste::Taste,
    stroke::{Sample, StrokeStart},
};
use utoipa::ToSchema;

use crate::facts::Facts;
pub use outline::Outline;

/// What the browser sends.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(tag = "type", rename_all = "snake_case")]
pub enum ClientMessage {
    /// First message: who is here, and which meshes need not be sent again.
    Join {
        /// The name under which this hand's changes are kept.
        hand: String,
        /// Parts whose mesh the client holds already, from before its socket was lost.
        #[serde(default)]
        held: Vec<HeldMesh>,
    },
    /// Asks for a recipe to be made now.
    MakeRecipe {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// The channels it makes.
        channels: Target,
    },
    /// Gives up a recipe that is being made.
    GiveUp {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// The channels it makes.
        channels: Target,
    },
    /// Says which set is looked at.
    Looking {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
    },
    /// The pointer goes down.
    StrokeBegin {
        /// What the stroke is made with.
        start: StrokeStart,
    },
    /// The pointer moves.
    StrokeMove {
        /// Where it went since the last message.
        samples: Vec<Sample>,
    },
    /// The pointer is lifted.
    StrokeEnd,
    /// Wants to know something, which changes nothing.
    Ask {
        /// Names the question among the client's: what answers it carries the number, and `answered`
        /// ends it. From 1; no two that are open have the same.
        question: u32,
        /// What it is about.
        about: Question,
    },
    /// Still here: answers every `beat`.
    Beat,
    /// Take the last change back.
    Undo,
    /// Lay the next change on again.
    Redo,
}

/// What a client may want to know.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(tag = "type", rename_all = "snake_case")]
pub enum Question {
    /// The pointer hovers: what would a dab cover here? Answered by a footprint frame.
    Hover {
        /// What a stroke would be made with.
        start: StrokeStart,
        /// Where the pointer is.
        sample: Sample,
    },
    /// Where are the faces of a named group? Answered by a places frame.
    Selection {
        /// The part.
        part: PartId,
        /// Which of its groups.
        index: usize,
    },
    /// What would a fill cover? Answered by footprint frames, one for each part it covers.
    FillHover {
        /// The fill.
        fill: Fill,
    },
    /// How many triangles would a fill with a crisp border add to the mesh? Answered by `ahead`; the newest of a
    /// client counts, of fills and dabs alike.
    FillAhead {
        /// The fill.
        fill: Fill,
    },
    /// How many would a dab of a brush that makes the mesh finer? Likewise.
    DabAhead {
        /// What a stroke would be made with.
        start: StrokeStart,
        /// Where the pointer is.
        sample: Sample,
    },
    /// What would an adjustment make of a set? Answered by a preview frame.
    Preview {
        /// The adjustment.
        adjustment: Adjustment,
    },
    /// What does a snapshot hold? Answered by a values frame.
    Values {
        /// The part.
        part: PartId,
        /// The snapshot of a set.
        set: SetId,
    },
    /// What does every corner at a vertex hold? Answered by `corners`.
    Corners {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// The vertex.
        vertex: u32,
    },
    /// How long are the edges at each vertex, or, given a snapshot, how far is each element from
    /// what it was? Answered by a heat frame.
    Heat {
        /// The part.
        part: PartId,
        /// The snapshot of a set.
        snapshot: Option<SetId>,
    },
    /// What would another recipe make of the channels? Answered by a preview frame and `tastes`;
    /// the newest of a client counts.
    TryRecipe {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// The recipe.
        recipe: Recipe,
    },
    /// What do the steps of a recipe make, each by itself? Answered by `tastes`.
    TasteRecipe {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// The channels it makes.
        channels: Target,
    },
}

/// A mesh that a client holds.
#[derive(Clone, Debug, PartialEq, Eq, Deserialize, ToSchema)]
pub struct HeldMesh {
    /// The part.
    pub part: PartId,
    /// What the server called the mesh.
    pub mesh: String,
}

/// What the server sends as JSON.
#[derive(Clone, Debug, Serialize, ToSchema)]
#[serde(tag = "type", rename_all = "snake_case")]
pub enum ServerMessage {
    /// First message: the project as it is. Geometry and values follow as frames.
    Hello {
        /// Names this connection.
        client: u32,
        /// The project's name.
        name: String,
        /// What the page need not know by itself.
        facts: Box<Facts>,
        /// The project without its arrays.
        outline: Outline,
        /// What can be undone and redone.
        history: History,
    },
    /// Who is here now.
    Present {
        /// The name of each connection.
        hands: Vec<String>,
    },
    /// The project has another name.
    Renamed {
        /// Its name.
        name: String,
    },
    /// The project was deleted.
    Gone,
    /// Parts or sets came or went; geometry and values of new ones follow as frames.
    Outline {
        /// The project without its arrays.
        outline: Outline,
    },
    /// A part's mesh has changed here and there: frames with what has changed of it and of its sets
    /// follow, and an outline when it rests.
    Reshaped {
        /// The part.
        part: PartId,
        /// Names the mesh that it is then.
        mesh: String,
        /// How many vertices it has.
        vertices: usize,
        /// How many faces.
        faces: usize,
        /// How many corners.
        corners: usize,
        /// How many triangles the faces are cut into.
        triangles: usize,
    },
    /// The numbers of a set, after it changed.
    Figures {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// R, G, B, A.
        channels: Vec<ChannelFigures>,
        /// Of a set of swatches: the area in each, by number, ascending; 0 is unpainted.
        areas: Vec<(u8, f64)>,
    },
    /// A change is on disk.
    Kept {
        /// What was done.
        label: String,
        /// The connection that asked for it over its socket: by a stroke, an undo or a redo.
        by: Option<u32>,
        /// What can be undone and redone now.
        history: History,
    },
    /// Every corner at a vertex.
    Corners {
        /// What it answers.
        question: u32,
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// The vertex.
        vertex: u32,
        /// The corners of the faces around it.
        corners: Vec<CornerValue>,
    },
    /// How much finer a stroke or fill will make the mesh.
    Ahead {
        /// What it answers.
        question: u32,
        /// How many triangles will come.
        triangles: usize,
    },
    /// A question is answered: nothing more comes of it.
    Answered {
        /// Which.
        question: u32,
        /// Why there is no answer, where there is none and it is still wanted.
        trouble: Option<String>,
    },
    /// How the recipes stand, all of them.
    Recipes {
        /// In the order of parts and sets.
        recipes: Vec<RecipeState>,
    },
    /// What the steps of a recipe make, each by itself.
    Tastes {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// The channels it makes.
        channels: Target,
        /// Whether rays were saved: better ones follow when it is made.
        is_draft: bool,
        /// The elements that were looked at, ascending.
        elements: Vec<u32>,
        /// For each step what it made there; none for those passed over.
        steps: Vec<Option<Taste>>,
    },
    /// Still here; told every few seconds, and to be answered: whoever is silent for long is gone.
    Beat,
    /// A stroke ended without touching anything, or there was nothing to undo or redo.
    Nothing,
    /// A stroke of this connection made as many faces as it was let, and went over the mesh as it is from there on.
    Stopped,
    /// Something about the project that whoever opens it must know; said until it is put away.
    Notice {
        /// What, and what was done about it.
        message: String,
    },
    /// Something could not be done; the project is as it was.
    Refused {
        /// What, and what to do.
        message: String,
    },
}

/// How a recipe stands.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct RecipeState {
    /// The part.
    pub part: PartId,
    /// The set.
    pub set: SetId,
    /// The channels it makes.
    pub channels: Target,
    /// Whether the channels are what it makes.
    pub status: RecipeStatus,
    /// Whether it was made anew, since the project was opened, by a truer rule than before.
    pub is_truer: bool,
    /// How much of it is done while it is made, 0–1.
    pub share: f32,
    /// How long it took last, milliseconds.
    pub ms: u32,
    /// The most rays of a step.
    pub rays: u32,
    /// Why it could not be made.
    pub message: Option<String>,
    /// For each step, what is worth saying about how it stands in the recipe.
    pub remarks: Vec<Option<String>>,
}

/// Whether channels are what their recipe makes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum RecipeStatus {
    /// They are.
    Fresh,
    /// Something they depend on has changed.
    Stale,
    /// They are being made.
    Making,
    /// They could not be made.
    Failed,
}

/// What a corner holds.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct CornerValue {
    /// Its face.
    pub face: u32,
    /// The element that has the value: vertex, corner or face.
    pub element: u32,
    /// R, G, B and A as stored.
    pub value: [f32; 4],
}

/// Where the project stands in its history.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct History {
    /// Counts every change, undo and redo; never goes back.
    pub revision: i64,
    /// What undo takes back.
    pub undo: Option<Deed>,
    /// What redo brings back.
    pub redo: Option<Deed>,
}

/// A change in the history.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct Deed {
    /// What was done.
    pub label: String,
    /// Whose hand did it.
    pub hand: String,
}

/// A JSON message, ready to send.
pub fn json(message: &ServerMessage) -> Message {
    let text = serde_json::to_string(message).expect("our messages are plain data");
    Message::Text(Utf8Bytes::from(text))
}

/// The numbers of a set, ready to send.
pub fn figures(part: &Part, set: &ColorSet) -> Message {
    let is_painted = set.encoding == Encoding::Swatch;
    let areas = if is_painted { part.swatch_areas(set) } else { Vec::new() };
    let channels = figures::of_channels(&set.values).to_vec();
    json(&ServerMessage::Figures { part: part.id, set: set.id, channels, areas })
}
