//! What is to be told of a source, and the same with other numbers.

use super::{Dust, Light, Pattern, Source, Streaks, Target, Waterline, Wear};

impl Source {
    /// What it is called.
    #[must_use]
    pub fn title(&self) -> &'static str {
        match self {
            Self::Occlusion { .. } => "Occlusion",
            Self::OpenWay { .. } => "Open way",
            Self::Hollows { .. } => "Hollows",
            Self::Ridges { .. } => "Ridges",
            Self::Relief { .. } => "Relief",
            Self::Edges { .. } => "Edges",
            Self::Facing { .. } => "Facing",
            Self::HeightRamp { .. } => "Height ramp",
            Self::Between { .. } => "Between points",
            Self::Distance { .. } => "Distance",
            Self::Trail { .. } => "Trail",
            Self::Joint { .. } => "Joint",
            Self::Thickness { .. } => "Thickness",
            Self::Openness { .. } => "Openness to a light",
            Self::Light(_) => "Light",
            Self::Streaks(_) => "Streaks",
            Self::Dust(_) => "Dust",
            Self::Waterline(_) => "Waterline",
            Self::Wear(_) => "Wear",
            Self::Line(_) => "Line",
            Self::Rim(_) => "Rim",
            Self::Pattern(_) => "Pattern",
            Self::Pivot(_) => "Pivot",
            Self::PieceNumber(_) => "Piece number",
            Self::PerPiece { .. } => "Per-piece",
            Self::PerPieceShift { .. } => "Per-piece shift",
            Self::Noise { .. } => "Noise",
            Self::Image { .. } => "Image",
            Self::Material => "Material",
            Self::Normal { .. } => "Normal",
            Self::Position { .. } => "Position",
            Self::Constant { .. } => "Constant",
            Self::Color { .. } => "Color",
            Self::Channel { .. } => "From channel",
            Self::FromPart(_) => "From part",
            Self::Volumes { .. } => "Volumes",
            Self::HandPaint { .. } => "Hand paint",
        }
    }

    /// Whether it says itself where it lies, and leaves what is elsewhere.
    #[must_use]
    pub fn lies_on(&self) -> bool {
        matches!(self, Self::HandPaint { .. } | Self::Volumes { .. })
    }

    /// Whether it yields three numbers.
    #[must_use]
    pub fn is_three(&self) -> bool {
        if let Self::FromPart(from) = self {
            return from.is_three();
        }
        matches!(
            self,
            Self::OpenWay { .. }
                | Self::PerPieceShift { .. }
                | Self::Light(Light { intensity: false, .. })
                | Self::Pivot(_)
                | Self::Image { .. }
                | Self::Material
                | Self::Normal { .. }
                | Self::Position { .. }
                | Self::Color { .. }
                | Self::Channel { channel: Target::Rgb | Target::Rgba, .. }
        )
    }

    /// The same with so many rays, where it casts any.
    #[must_use]
    pub fn with_rays(&self, count: u32) -> Self {
        let mut same = self.clone();
        if let Self::Occlusion { rays, .. }
        | Self::OpenWay { rays, .. }
        | Self::Thickness { rays, .. }
        | Self::Openness { rays, .. }
        | Self::Light(Light { rays, .. })
        | Self::Dust(Dust { rays, .. }) = &mut same
        {
            *rays = count;
        }
        same
    }

    /// The rays from each element; 0 where it casts none.
    #[must_use]
    pub fn rays(&self) -> u32 {
        match self {
            Self::Occlusion { rays, .. }
            | Self::OpenWay { rays, .. }
            | Self::Thickness { rays, .. }
            | Self::Openness { rays, .. }
            | Self::Light(Light { rays, .. })
            | Self::Dust(Dust { rays, .. }) => *rays,
            _ => 0,
        }
    }

    /// The same from another seed, where it has one.
    #[must_use]
    pub fn with_seed(&self, other: u32) -> Self {
        let mut same = self.clone();
        if let Self::Occlusion { seed, .. }
        | Self::OpenWay { seed, .. }
        | Self::Thickness { seed, .. }
        | Self::Openness { seed, .. }
        | Self::Light(Light { seed, .. })
        | Self::Streaks(Streaks { seed, .. })
        | Self::Dust(Dust { seed, .. })
        | Self::Waterline(Waterline { seed, .. })
        | Self::Wear(Wear { seed, .. })
        | Self::Pattern(Pattern { seed, .. })
        | Self::PerPiece { seed, .. }
        | Self::PerPieceShift { seed, .. }
        | Self::Noise { seed, .. } = &mut same
        {
            *seed = other;
        }
        same
    }
}
