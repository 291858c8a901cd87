//! How much finer a stroke or fill will make meshes, found out on a copy before it is done.

use speckle_tools::stroke::{Sample, StrokeStart};

use super::{Document, Fill, HandId};

/// A copy of what will be made finer, to be worked on beside the project's thread.
pub struct Ahead {
    document: Document,
    what: What,
}

enum What {
    Fill(Box<Fill>),
    Dab(Box<StrokeStart>, Sample),
}

impl Document {
    /// A fill ahead of doing it; `None` where it leaves meshes alone.
    #[must_use]
    pub fn ahead_of_fill(&self, fill: &Fill) -> Option<Ahead> {
        fill.crisp
            .then(|| Ahead { document: self.set_aside(), what: What::Fill(Box::new(fill.clone())) })
    }

    /// A stroke of one dab ahead of doing it, likewise.
    #[must_use]
    pub fn ahead_of_dab(&self, start: &StrokeStart, sample: Sample) -> Option<Ahead> {
        let what = What::Dab(Box::new(*start), sample);
        start.brush.reshapes().then(|| Ahead { document: self.set_aside(), what })
    }

    /// The parts, what lies under their paint, and what paint goes on through; shapes and values are
    /// shared until one side changes them.
    fn set_aside(&self) -> Self {
        Self {
            traits: self.traits,
            parts: self.parts.clone(),
            swatches: self.swatches.clone(),
            next_id: self.next_id,
            stencils: self.stencils.clone(),
            beneath: self.beneath.clone(),
            volumes: self.volumes.clone(),
            image_files: self.image_files.clone(),
            images: self.images.clone(),
            ..Self::default()
        }
    }

    fn triangle_count(&self) -> usize {
        self.parts.iter().map(|part| part.geometry.mesh().triangle_count()).sum()
    }
}

impl Ahead {
    /// How many triangles will come; none where it will be refused.
    #[must_use]
    pub fn new_triangles(self) -> usize {
        let Self { mut document, what } = self;
        let before = document.triangle_count();
        match what {
            What::Fill(fill) => {
                // The mesh is left alone where no paint comes: that is known at its end.
                let _ = document.fill_crisply(*fill);
            }
            What::Dab(start, sample) => {
                let hand = HandId(0);
                if document.begin_stroke(hand, *start).is_ok() {
                    let _ = document.refine_ahead(hand, &[sample]);
                    let _ = document.extend_stroke(hand, &[sample]);
                    let _ = document.end_stroke(hand);
                }
            }
        }
        document.triangle_count().saturating_sub(before)
    }
}
