//! What the commands that make other shapes take.

use std::path::PathBuf;

use clap::{ArgGroup, Args, ValueEnum};

use crate::reading::ReadArgs;

/// Which files, and where to.
#[derive(Args)]
pub struct FileArgs {
    /// The files to read
    #[arg(required = true)]
    pub(super) files: Vec<PathBuf>,
    /// The file to write, for one file; its extension tells the format
    #[arg(long, conflicts_with = "into")]
    pub(super) to: Option<PathBuf>,
    /// The folder to write to, under the files' own names
    #[arg(long)]
    pub(super) into: Option<PathBuf>,
    /// Print what was done as JSON
    #[arg(long)]
    pub(super) json: bool,
    #[command(flatten)]
    pub(super) reading: ReadArgs,
}

/// `speckle decimate`
#[derive(Args)]
#[command(group = ArgGroup::new("goal").required(true))]
pub struct DecimateArgs {
    #[command(flatten)]
    pub(super) files: FileArgs,
    /// To so many triangles, each part
    #[arg(long, group = "goal")]
    pub(super) triangles: Option<usize>,
    /// To a share of the triangles, above 0 and below 1
    #[arg(long, group = "goal")]
    pub(super) share: Option<f32>,
    /// As far as the surface stays within a distance of what it was, in the file's unit
    #[arg(long, group = "goal")]
    pub(super) error: Option<f32>,
    /// How much borders of color weigh beside the shape, 0 to 1
    #[arg(long, default_value_t = 0.5)]
    pub(super) colors: f32,
    /// How much creases weigh, 0 to 1
    #[arg(long, default_value_t = 0.5)]
    pub(super) creases: f32,
    /// How much the borders of groups and selections weigh, 0 to 1
    #[arg(long, default_value_t = 0.5)]
    pub(super) group_borders: f32,
    /// Leave open edges as they are
    #[arg(long)]
    pub(super) keep_rims: bool,
    /// Make triangles even in size and shape
    #[arg(long)]
    pub(super) even: bool,
    /// Only the faces of a group
    #[arg(long)]
    pub(super) only: Option<String>,
}

/// `speckle subdivide`
#[derive(Args)]
pub struct SubdivideArgs {
    #[command(flatten)]
    pub(super) files: FileArgs,
    /// How new points are placed
    #[arg(long, value_enum, default_value_t = SchemeArg::Flat)]
    pub(super) scheme: SchemeArg,
    /// Flat: by how many points each edge is cut; smoothed: how many times
    #[arg(long, default_value_t = 1)]
    pub(super) times: u32,
    /// Keep edges sharp that bend by so many degrees or more, when smoothed
    #[arg(long)]
    pub(super) sharp: Option<f32>,
    /// Only the faces of a group
    #[arg(long)]
    pub(super) only: Option<String>,
}

/// `speckle refine`
#[derive(Args)]
pub struct RefineArgs {
    #[command(flatten)]
    pub(super) files: FileArgs,
    /// How long edges may be, in the file's unit
    #[arg(long)]
    pub(super) edges: f32,
    /// Only the faces of a group
    #[arg(long)]
    pub(super) only: Option<String>,
}

/// How new points are placed.
#[derive(Clone, Copy, ValueEnum)]
pub(super) enum SchemeArg {
    /// On the faces
    Flat,
    /// Smoothed, for triangles (Loop 1987)
    Loop,
    /// Smoothed, all faces become quads (Catmull and Clark 1978)
    CatmullClark,
}

/// `speckle mend`
#[derive(Args)]
pub struct MendArgs {
    #[command(flatten)]
    pub(super) files: FileArgs,
    /// Only tell what is wrong; nothing is written
    #[arg(long, conflicts_with_all = ["to", "into"])]
    pub(super) look: bool,
    /// Join vertices within this of each other, in the file's unit; 0 joins those at one place
    #[arg(long)]
    pub(super) join: Option<f32>,
    /// Drop faces without area, and those that stand there twice
    #[arg(long)]
    pub(super) degenerate: bool,
    /// Drop faces that lie back to back with another
    #[arg(long)]
    pub(super) double_walls: bool,
    /// Drop vertices that no face uses
    #[arg(long)]
    pub(super) loose: bool,
    /// Have the faces of each piece look the same way, and outwards
    #[arg(long)]
    pub(super) winding: bool,
    /// Close holes of up to so many edges
    #[arg(long)]
    pub(super) holes: Option<u32>,
    /// Have lids go on as what is around them does, and not flat
    #[arg(long, requires = "holes")]
    pub(super) smooth_lids: bool,
    /// Join vertices of open rims within this of each other, in the file's unit
    #[arg(long)]
    pub(super) stitch: Option<f32>,
    /// Forget the normals that the file says
    #[arg(long)]
    pub(super) forget_normals: bool,
    /// Make normals that are sharp at edges which bend by more than so many degrees
    #[arg(long, conflicts_with = "forget_normals")]
    pub(super) hard_edges: Option<f32>,
}

/// `speckle displace`
#[derive(Args)]
pub struct DisplaceArgs {
    #[command(flatten)]
    pub(super) files: FileArgs,
    /// How far a point goes where the number is 1 above the midpoint, in the file's unit
    #[arg(long, allow_negative_numbers = true)]
    pub(super) amount: f32,
    /// The set that says how far; all points go the same way when left out
    #[arg(long)]
    pub(super) set: Option<String>,
    /// An image that says how far, by texture coordinates: one of the file's materials, or a file
    #[arg(long, conflicts_with = "set")]
    pub(super) image: Option<String>,
    /// The channel of either; the luminance of its colors when left out
    #[arg(long, value_enum)]
    pub(super) channel: Option<ChannelArg>,
    /// The number that moves nothing, 0 to 1
    #[arg(long, default_value_t = 0.0)]
    pub(super) midpoint: f32,
    /// How steep numbers count about the midpoint
    #[arg(long, default_value_t = 1.0, allow_negative_numbers = true)]
    pub(super) contrast: f32,
    /// In a direction, x,y,z, and not along the normals
    #[arg(long, value_delimiter = ',', allow_negative_numbers = true)]
    pub(super) toward: Option<Vec<f32>>,
    /// Fade to nothing within this of open rims, in the file's unit
    #[arg(long, default_value_t = 0.0)]
    pub(super) fade: f32,
    /// Let faces fold over
    #[arg(long)]
    pub(super) may_fold: bool,
    /// Only the points of a group
    #[arg(long)]
    pub(super) only: Option<String>,
}

/// `speckle smooth`
#[derive(Args)]
pub struct SmoothArgs {
    #[command(flatten)]
    pub(super) files: FileArgs,
    /// How many rounds
    #[arg(long, default_value_t = 10)]
    pub(super) rounds: u32,
    /// Let it shrink
    #[arg(long)]
    pub(super) shrink: bool,
    /// Smooth open rims along themselves
    #[arg(long)]
    pub(super) move_rims: bool,
    /// Only the points of a group
    #[arg(long)]
    pub(super) only: Option<String>,
}

/// `speckle trim`
#[derive(Args)]
pub struct TrimArgs {
    #[command(flatten)]
    pub(super) files: FileArgs,
    /// The set whose numbers say where to cut
    #[arg(long, required_unless_present = "image")]
    pub(super) set: Option<String>,
    /// An image whose numbers say so, by texture coordinates: one of the file's materials, or a file
    #[arg(long, conflicts_with = "set")]
    pub(super) image: Option<String>,
    /// The channel of either
    #[arg(long, value_enum, default_value_t = ChannelArg::R)]
    pub(super) channel: ChannelArg,
    /// The number at the cut
    #[arg(long, default_value_t = 0.5)]
    pub(super) threshold: f32,
    /// Keep what lies above, and not what lies below
    #[arg(long)]
    pub(super) keep_above: bool,
    /// Keep what is cut off as a part of its own
    #[arg(long)]
    pub(super) keep_both: bool,
}

/// `speckle layout`
#[derive(Args)]
pub struct LayoutArgs {
    #[command(flatten)]
    pub(super) files: FileArgs,
    /// By how many degrees a face may look another way than its chart, 10 to 75
    #[arg(long, default_value_t = 50.0)]
    pub(super) angle: f32,
    /// How many pixels charts stay apart
    #[arg(long, default_value_t = 8)]
    pub(super) margin: u32,
    /// How many pixels the map has on each side
    #[arg(long, default_value_t = 2048)]
    pub(super) side: u32,
    /// Keep texture coordinates that are there, and put these behind them
    #[arg(long)]
    pub(super) behind: bool,
}

/// A channel.
#[derive(Clone, Copy, ValueEnum)]
pub(super) enum ChannelArg {
    R,
    G,
    B,
    A,
}
