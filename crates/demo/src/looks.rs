//! Looks of the toyworks: small materials that its channels drive.

use speckle_color::blend::Blend;
use speckle_core::{Change, Document, EditError, ProofEdit};
use speckle_model::proof::{Coat, Drive, Factor, Laid, Lay, Layer, Look, Motion, Sway};

use crate::drifter;

fn factor(set: &str, channel: u8) -> Factor {
    Factor { set: set.to_owned(), channel, complement: false }
}

fn layer(name: &str, color: [f32; 3], factors: Vec<Factor>) -> Layer {
    Layer { drive: Drive { factors, ..Drive::default() }, ..Layer::of_color(name, color) }
}

/// Cast iron, polished where ropes run, grimy in its hollows, with salt on what faces up, and darker where it is
/// closed in.
pub fn weathered_iron(document: &mut Document, set: &str) -> Result<Change, EditError> {
    let wears = |channel| vec![factor(set, channel)];
    let iron = Layer {
        rough: Some(0.62),
        metal: Some(0.55),
        ..layer("Cast iron", [0.33, 0.34, 0.36], Vec::new())
    };
    let polished = Layer {
        drive: Drive { factors: wears(2), contrast: 1.6, ..Drive::default() },
        rough: Some(0.2),
        metal: Some(1.0),
        ..layer("Polished by ropes", [0.78, 0.76, 0.71], Vec::new())
    };
    let grime = Layer {
        rough: Some(0.9),
        metal: Some(0.0),
        ..layer("Grime", [0.33, 0.24, 0.15], wears(3))
    };
    let salt = Layer {
        drive: Drive { factors: wears(1), offset: -0.15, ..Drive::default() },
        strength: 0.8,
        rough: Some(0.8),
        metal: Some(0.0),
        ..layer("Salt", [0.93, 0.93, 0.9], Vec::new())
    };
    let by = factor(set, 0);
    let closed_in = Layer {
        coat: Coat::Ramp { stops: vec![[0.25, 0.24, 0.26], [1.0; 3]], by },
        blend: Blend::Multiply,
        ..layer("Closed in", [1.0; 3], Vec::new())
    };
    let layers = vec![iron, polished, grime, salt, closed_in];
    let look = Look::new("Weathered iron", layers);
    document.apply(ProofEdit::SetLook { look, wear: true })
}

/// The dyes of cloth that lets light through and sways by a set's A, the more the further from its mast.
pub fn in_the_wind(document: &mut Document, set: &str) -> Result<Change, EditError> {
    let dyed = Layer {
        coat: Coat::Set { set: "Dye".to_owned() },
        rough: Some(0.85),
        metal: Some(0.0),
        through: Some(0.7),
        ..Layer::of_color("Dyed cloth", [1.0; 3])
    };
    let sway = Sway { by: factor(set, 3), far: 70.0, phase: None };
    let motion = Motion { sway: Some(sway), ..Motion::default() };
    let look = Look { motion, ..Look::new("Pennant in the wind", vec![dyed]) };
    document.apply(ProofEdit::SetLook { look, wear: true })
}

/// Planks from three axes, with a set laid over them of which 0.5 leaves them as they are.
pub fn overlay(document: &mut Document, image: &str) -> Result<Change, EditError> {
    let laid = Laid {
        image: image.to_owned(),
        lay: Lay::ThreeAxes { width: 60.0 },
        repeat: [1.0; 2],
        offset: [0.0; 2],
        turn: 0.0,
    };
    let planks = Layer {
        coat: Coat::Image { laid },
        rough: Some(0.6),
        metal: Some(0.0),
        ..Layer::of_color("Planks", [1.0; 3])
    };
    let toned = Layer {
        coat: Coat::Set { set: drifter::TONING.to_owned() },
        blend: Blend::Overlay,
        ..Layer::of_color("Toning", [1.0; 3])
    };
    let look = Look::new("Toned planks", vec![planks, toned]);
    document.apply(ProofEdit::SetLook { look, wear: true })
}
