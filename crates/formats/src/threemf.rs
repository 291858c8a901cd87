//! 3MF (3MF Core and its Materials and Properties extension, 3MF Consortium): a package with a
//! model in XML, for printers.
//!
//! Colors are sRGB in 8 bits by the standard, in a `colorgroup` for each object, from which every
//! triangle takes one for each of its corners. Our own files say in the object's metadata what its
//! set is called; other readers pass over it.

pub mod read;
pub mod write;

/// The relationship that leads to the model.
const MODEL: &str = "http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel";
/// The namespace of the core.
const CORE: &str = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02";
/// The namespace of the materials extension.
const MATERIALS: &str = "http://schemas.microsoft.com/3dmanufacturing/material/2015/02";
/// The namespace of what only we read.
const OWN: &str = "urn:jaunty-speckle:3mf";
/// Where the model lies in files that do not say.
const USUAL_PLACE: &str = "3D/3dmodel.model";
