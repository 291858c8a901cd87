//! Where the elements of a mesh come from in another: the one way in which values go from mesh to
//! mesh, whatever changed it.

use crate::{carry::Carry, placement::Placement};

/// Where the elements of a new mesh come from in the old one.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Remap {
    /// Its vertices.
    pub vertices: Carry,
    /// Its corners.
    pub corners: Carry,
    /// Its faces.
    pub faces: Carry,
}

impl Remap {
    /// That of one kind of elements.
    #[must_use]
    pub fn of(&self, placement: Placement) -> &Carry {
        match placement {
            Placement::Vertex => &self.vertices,
            Placement::Corner => &self.corners,
            Placement::Face => &self.faces,
        }
    }

    /// This and then another, which starts from the mesh that this one leads to.
    #[must_use]
    pub fn then(&self, next: &Self) -> Self {
        Self {
            vertices: self.vertices.then(&next.vertices),
            corners: self.corners.then(&next.corners),
            faces: self.faces.then(&next.faces),
        }
    }
}
