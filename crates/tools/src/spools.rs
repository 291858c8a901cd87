//! Which of a printer's spools serve a palette.

use palette::{FromColor, Lab, Srgb, color_difference::Ciede2000, white_point::D65};
use serde::{Deserialize, Serialize};

/// A spool that is loaded.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct LoadedSpool {
    /// Where, from 1.
    pub slot: u8,
    /// What its maker calls it.
    pub name: String,
    /// sRGB-encoded.
    pub color: [f32; 3],
    /// What it is made of.
    pub material: String,
    /// What is left on it, g.
    pub left: f64,
}

/// Colors that are nearer than this, CIEDE2000, are hard to tell apart beside each other (common practice,
/// no source).
pub const ALIKE: f32 = 5.0;

/// The spool that a swatch is printed from.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SpoolMatch {
    /// The spool's slot; none where nothing is loaded.
    pub slot: Option<u8>,
    /// How far its color is from the swatch's, CIEDE2000.
    pub difference: f32,
    /// Whether another swatch has it too: there are more swatches than spools.
    pub is_shared: bool,
    /// Other spools that are as near as can hardly be told apart.
    pub alike: Vec<u8>,
}

/// Finds a spool for each color: pairs are made from the nearest on, each spool for one color as long as there
/// are enough; colors that are left share the nearest.
#[must_use]
pub fn matched(colors: &[[f32; 3]], spools: &[LoadedSpool]) -> Vec<SpoolMatch> {
    let lab = |color: [f32; 3]| Lab::<D65, f32>::from_color(Srgb::from(color));
    let theirs: Vec<_> = spools.iter().map(|spool| lab(spool.color)).collect();
    let differences: Vec<Vec<f32>> = colors
        .iter()
        .map(|&color| {
            let same = |spool: &LoadedSpool| spool.color == color;
            let far = |(spool, other): (&LoadedSpool, &Lab<D65, f32>)| match same(spool) {
                true => 0.0,
                false => lab(color).difference(*other),
            };
            spools.iter().zip(&theirs).map(far).collect()
        })
        .collect();
    let mut pairs: Vec<(usize, usize)> =
        (0..colors.len()).flat_map(|i| (0..spools.len()).map(move |k| (i, k))).collect();
    pairs.sort_by(|a, b| differences[a.0][a.1].total_cmp(&differences[b.0][b.1]).then(a.cmp(b)));
    let (mut of, mut is_taken) = (vec![None; colors.len()], vec![false; spools.len()]);
    for (color, spool) in pairs {
        if of[color].is_none() && !is_taken[spool] {
            (of[color], is_taken[spool]) = (Some(spool), true);
        }
    }
    for (own, differences) in of.iter_mut().zip(&differences) {
        let nearest = (0..spools.len()).min_by(|&a, &b| differences[a].total_cmp(&differences[b]));
        *own = own.or(nearest);
    }
    of.iter()
        .zip(&differences)
        .map(|(own, differences)| {
            let Some(own) = *own else {
                let (slot, difference, is_shared, alike) = Default::default();
                return SpoolMatch { slot, difference, is_shared, alike };
            };
            let is_alike =
                |&k: &usize| k != own && differences[k] <= differences[own].max(0.0) + ALIKE;
            SpoolMatch {
                slot: Some(spools[own].slot),
                difference: differences[own],
                is_shared: of.iter().filter(|other| **other == Some(own)).count() > 1,
                alike: (0..spools.len()).filter(is_alike).map(|k| spools[k].slot).collect(),
            }
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn spool(slot: u8, color: [f32; 3]) -> LoadedSpool {
        LoadedSpool { slot, name: String::new(), color, material: String::new(), left: 1.0 }
    }

    #[test]
    fn nearest_pairs_come_first_and_those_left_share() {
        let (white, red, dark) = ([0.95; 3], [0.7, 0.2, 0.15], [0.1; 3]);
        let spools = [spool(1, dark), spool(2, [0.68, 0.22, 0.16]), spool(3, [0.9; 3])];
        let found = matched(&[white, red, dark], &spools);
        let slots: Vec<_> = found.iter().map(|own| own.slot).collect();
        assert_eq!(slots, [Some(3), Some(2), Some(1)]);
        assert_eq!(found[2].difference, 0.0);
        assert!(found.iter().all(|own| !own.is_shared && own.alike.is_empty()));
        // Two reds, one red spool: the nearer one has it, the other what is left.
        let found = matched(&[[0.6, 0.3, 0.2], [0.68, 0.22, 0.16]], &spools[..2]);
        assert_eq!((found[0].slot, found[1].slot), (Some(1), Some(2)));
        let found = matched(&[white, white, dark], &spools[..1]);
        assert!(found.iter().all(|own| own.slot == Some(1) && own.is_shared));
        assert_eq!(matched(&[white], &[])[0].slot, None);
        // Nearly the same beside it is told.
        let near = [spool(1, [0.5; 3]), spool(2, [0.51; 3])];
        assert_eq!(matched(&[[0.5; 3]], &near)[0].alike, [2]);
    }
}
