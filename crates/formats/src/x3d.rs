//! X3D in XML (ISO/IEC 19775 and 19776) and its elder, VRML97 (ISO/IEC 14772-1): two ways of
//! writing the same nodes.
//!
//! Colors belong to an `IndexedFaceSet`: by its points, by `colorIndex` for each corner, or by face.
//! Encoded as shown (common practice, no source). A `WorldInfo` beside a shape holds the part's
//! name, and our own files say there what its set is called (`color_set data Wear`); other readers
//! pass over it. Lengths are metres and +Y is up; a transform above the others says otherwise.

mod classic;
mod node;
mod nodes;
mod scene;

use crate::{Content, FormatError, MeshFile, Reading, Shipment, WriteOptions, Written, xml};

/// Reads X3D.
///
/// # Errors
/// With the byte of XML that is wrong, or the node.
pub fn read(file: &MeshFile, options: &Reading) -> Result<Content, FormatError> {
    let root = xml::read(file.bytes, options.budget)?;
    scene::read(root, file, options)
}

/// Reads VRML97.
///
/// # Errors
/// With the line that is wrong, or the node.
pub fn read_vrml(file: &MeshFile, options: &Reading) -> Result<Content, FormatError> {
    let root = classic::read(file.bytes, options.limits)?;
    scene::read(root, file, options)
}

/// Writes X3D.
pub fn write(shipment: &Shipment, options: WriteOptions) -> Written {
    let nodes = nodes::nodes(shipment, options);
    let mut out = String::from(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<X3D profile='Interchange' version='3.3' \
         xmlns:xsd='http://www.w3.org/2001/XMLSchema-instance' \
         xsd:noNamespaceSchemaLocation='http://www.web3d.org/specifications/x3d-3.3.xsd'>\n<head>\n\
         <meta name='generator' content='Jaunty Speckle'/>\n",
    );
    for line in shipment.note.map(|note| note.lines()).unwrap_or_default() {
        out.push_str(&format!("<meta name='description' content='{}'/>\n", xml::escaped(&line)));
    }
    out.push_str("</head>\n<Scene>\n");
    nodes.iter().for_each(|node| node.write_xml(&mut out));
    out.push_str("</Scene>\n</X3D>\n");
    Written::alone(out.into_bytes())
}

/// Writes VRML97.
pub fn write_vrml(shipment: &Shipment, options: WriteOptions) -> Written {
    let mut out = String::from("#VRML V2.0 utf8\n# Jaunty Speckle\n");
    for line in shipment.note.map(|note| note.lines()).unwrap_or_default() {
        out.push_str(&format!("# {line}\n"));
    }
    // It knows no alpha of single points.
    let options = WriteOptions { alpha: false, ..options };
    nodes::nodes(shipment, options).iter().for_each(|node| node.write_classic(&mut out));
    Written::alone(out.into_bytes())
}
