//! Looks of the toyworks: small materials that its channels drive.

use speckle_color::blend::Blend;
use speckle_core::{Change, Document, EditError, ProofEdit};
use speckle_model::proof::{Coat, Drive, Factor, Layer, Look};

fn factor(set: &str, channel: u8) -> Factor {
    Factor { set: set.to_owned(), channel, complement: false }
}

fn layer(name: &str, color: [f32; 3], factors: Vec<Factor>) -> Layer {
    Layer {
        name: name.to_owned(),
        off: false,
        coat: Coat::Color { color },
        blend: Blend::Normal,
        drive: Drive { factors, ..Drive::default() },
        strength: 1.0,
        rough: None,
        metal: None,
        glow: None,
    }
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
    let look = Look { id: 0, name: "Weathered iron".to_owned(), layers };
    document.apply(ProofEdit::SetLook { look, wear: true })
}
