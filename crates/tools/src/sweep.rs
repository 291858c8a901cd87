//! Regions of one swatch, and the specks among them: too small to be worth a change of spool, or narrower
//! than a printer's line.
//!
//! A region is what hangs together over edges in one swatch. How wide it is, is the short side of the
//! rectangle that has its area and its perimeter; of one that is rounder than any rectangle, the side of the
//! square.

use std::collections::{BTreeMap, BTreeSet};

use glam::{Affine3A, Vec3};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use speckle_mesh::Geometry;

/// What is swept up: regions below either.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = SweepLimits))]
#[serde(deny_unknown_fields)]
pub struct Limits {
    /// Smaller than this, mm².
    pub area: f64,
    /// Narrower than this, mm.
    pub width: f64,
}

impl Limits {
    /// What is wrong with them, said for the user.
    #[must_use]
    pub fn problem(&self) -> Option<&'static str> {
        let is_length = |x: f64| x.is_finite() && x >= 0.0;
        (!is_length(self.area) || !is_length(self.width))
            .then_some("the least area and the least width are numbers from 0 on")
    }

    fn catch(&self, region: &Region) -> bool {
        region.area < self.area || region.width < self.width
    }
}

/// Faces that hang together in one swatch.
#[derive(Clone, Debug, PartialEq)]
pub struct Region {
    /// Its swatch.
    pub swatch: u8,
    /// How many faces.
    pub faces: usize,
    /// The largest of them.
    pub face: u32,
    /// mm².
    pub area: f64,
    /// mm.
    pub width: f64,
    /// The middle of its largest face, in the part's space.
    pub place: Vec3,
    /// The swatch of the region that it has the longest border with; none where it is alone.
    pub beside: Option<u8>,
}

/// All regions of a part.
pub struct Regions {
    /// In the order of their first faces.
    pub list: Vec<Region>,
    of_faces: Vec<u32>,
    /// How long the border with each other region is.
    borders: Vec<BTreeMap<u32, f64>>,
    perimeters: Vec<f64>,
}

impl Regions {
    /// Those of a part whose faces have swatches, as large as `to_print` makes it, in mm.
    #[must_use]
    pub fn of(geometry: &Geometry, swatches: &[u8], to_print: &Affine3A) -> Self {
        let (mesh, topology) = (geometry.mesh(), geometry.topology());
        let places: Vec<Vec3> =
            mesh.positions().par_iter().map(|&point| to_print.transform_point3(point)).collect();
        let next = |corner: usize, corners: &std::ops::Range<usize>| {
            if corner + 1 == corners.end { corners.start } else { corner + 1 }
        };
        let at = |corner: usize| places[mesh.corner_vertices()[corner] as usize];
        let area_of = |face: usize| {
            let corners = mesh.face_corners(face);
            let first = at(corners.start);
            let pairs = corners.clone().skip(1).zip(corners.skip(2));
            let sum: Vec3 = pairs.map(|(a, b)| (at(a) - first).cross(at(b) - first)).sum();
            f64::from(sum.length()) / 2.0
        };
        let mut of_faces = vec![u32::MAX; mesh.face_count()];
        let mut list: Vec<Region> = Vec::new();
        let mut open = Vec::new();
        for first in 0..mesh.face_count() {
            if of_faces[first] != u32::MAX {
                continue;
            }
            let number = list.len() as u32;
            let swatch = swatches[first];
            let (mut faces, mut area, mut largest) = (0, 0.0, (-1.0, first));
            of_faces[first] = number;
            open.push(first);
            while let Some(face) = open.pop() {
                let own = area_of(face);
                (faces, area) = (faces + 1, area + own);
                if own > largest.0 {
                    largest = (own, face);
                }
                for other in mesh.face_corners(face).flat_map(|c| topology.around(c).skip(1)) {
                    let other = topology.face_of(other);
                    if of_faces[other] == u32::MAX && swatches[other] == swatch {
                        of_faces[other] = number;
                        open.push(other);
                    }
                }
            }
            let face = largest.1 as u32;
            let place = mesh.face_centroid(largest.1);
            list.push(Region { swatch, faces, face, area, width: 0.0, place, beside: None });
        }
        let mut borders: Vec<BTreeMap<u32, f64>> = vec![BTreeMap::new(); list.len()];
        let mut perimeters = vec![0.0; list.len()];
        for face in 0..mesh.face_count() {
            let own = of_faces[face];
            let corners = mesh.face_corners(face);
            for corner in corners.clone() {
                let length = f64::from(at(corner).distance(at(next(corner, &corners))));
                let others: BTreeSet<u32> = topology
                    .around(corner)
                    .skip(1)
                    .map(|other| of_faces[topology.face_of(other)])
                    .collect();
                if others.contains(&own) {
                    continue;
                }
                perimeters[own as usize] += length;
                for other in others {
                    *borders[own as usize].entry(other).or_insert(0.0) += length;
                }
            }
        }
        for (number, region) in list.iter_mut().enumerate() {
            region.width = width(region.area, perimeters[number]);
        }
        let mut own = Self { list, of_faces, borders, perimeters };
        for number in 0..own.list.len() {
            own.list[number].beside =
                longest(&own.borders[number]).map(|other| own.list[other as usize].swatch);
        }
        own
    }

    /// The region that a face belongs to.
    #[must_use]
    pub fn of_face(&self, face: u32) -> u32 {
        self.of_faces[face as usize]
    }

    /// The faces of a region, ascending.
    #[must_use]
    pub fn faces(&self, region: u32) -> Vec<u32> {
        let all = (0_u32..).zip(&self.of_faces);
        all.filter(|(_, own)| **own == region).map(|(face, _)| face).collect()
    }

    /// Those to be swept up, the smallest first: none that stands alone.
    #[must_use]
    pub fn specks(&self, limits: &Limits) -> Vec<u32> {
        let is_speck = |&number: &u32| {
            let region = &self.list[number as usize];
            region.beside.is_some() && limits.catch(region)
        };
        let mut specks: Vec<u32> = (0..self.list.len() as u32).filter(is_speck).collect();
        specks.sort_by(|&a, &b| {
            let area = |number: u32| self.list[number as usize].area;
            area(a).total_cmp(&area(b)).then(a.cmp(&b))
        });
        specks
    }

    /// The swatch of every face once some regions are in that of their neighbour with the longest border, the
    /// smallest first: one that lies in another speck goes with it.
    #[must_use]
    pub fn absorbed(&self, specks: &[u32]) -> Vec<u8> {
        // Which region each is part of by now; of what was joined, the swatch, area and borders.
        let mut part_of: Vec<u32> = (0..self.list.len() as u32).collect();
        let mut borders = self.borders.clone();
        let mut area: Vec<f64> = self.list.iter().map(|region| region.area).collect();
        let is_speck: BTreeSet<u32> = specks.iter().copied().collect();
        let mut open: BTreeSet<(u64, u32)> =
            is_speck.iter().map(|&number| (area[number as usize].to_bits(), number)).collect();
        while let Some((_, speck)) = open.pop_first() {
            let Some(into) = longest(&borders[speck as usize]) else { continue };
            part_of[speck as usize] = into;
            let gone = std::mem::take(&mut borders[speck as usize]);
            let was = area[into as usize];
            area[into as usize] += area[speck as usize];
            if open.remove(&(was.to_bits(), into)) {
                open.insert((area[into as usize].to_bits(), into));
            }
            borders[into as usize].remove(&speck);
            for (other, length) in gone {
                if other == into {
                    continue;
                }
                borders[other as usize].remove(&speck);
                *borders[other as usize].entry(into).or_insert(0.0) += length;
                *borders[into as usize].entry(other).or_insert(0.0) += length;
            }
        }
        let root = |mut number: u32| {
            while part_of[number as usize] != number {
                number = part_of[number as usize];
            }
            number
        };
        let swatches: Vec<u8> = (0..self.list.len() as u32)
            .map(|number| self.list[root(number) as usize].swatch)
            .collect();
        self.of_faces.iter().map(|&region| swatches[region as usize]).collect()
    }

    /// How long the border of a region with others is, mm; where the surface ends it has none.
    #[must_use]
    pub fn border(&self, region: u32) -> f64 {
        self.borders[region as usize].values().sum()
    }

    /// How long the border of a region is all around, mm.
    #[must_use]
    pub fn perimeter(&self, region: u32) -> f64 {
        self.perimeters[region as usize]
    }
}

/// The other side of the longest border; of equal ones the first.
fn longest(borders: &BTreeMap<u32, f64>) -> Option<u32> {
    let longest = borders.iter().reduce(|a, b| if b.1 > a.1 { b } else { a });
    longest.map(|(other, _)| *other)
}

/// The short side of the rectangle of an area and a perimeter.
fn width(area: f64, perimeter: f64) -> f64 {
    let half = perimeter / 2.0;
    let square = half * half - 4.0 * area;
    if square <= 0.0 {
        return area.max(0.0).sqrt();
    }
    // By its larger root: the small one is a difference of nearly equal numbers.
    2.0 * area / (half + square.sqrt())
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A rectangle of 3 × 0.2 and a circle of radius 1, by their formulas.
    #[test]
    fn a_strip_is_as_wide_as_it_is_and_a_disc_about_its_diameter() {
        assert!((width(0.6, 6.4) - 0.2).abs() < 1e-12);
        let disc = width(std::f64::consts::PI, std::f64::consts::TAU);
        assert!((disc - std::f64::consts::PI.sqrt()).abs() < 1e-12, "{disc}");
        assert_eq!(width(0.0, 0.0), 0.0);
    }
}
