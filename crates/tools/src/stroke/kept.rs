//! The values that strokes under way have painted over, by element.

use speckle_color::Rgba;

/// No value is kept here yet.
const NONE: u32 = 0;

/// Values of some elements of a set. A large dab meets thousands of elements for the first time,
/// so finding a place must cost no more than a look into a table; the table of a set is blank
/// memory that the system hands out where it is touched.
#[derive(Clone, Debug, Default)]
pub struct Kept {
    /// For each element, one more than its place in `values`; as long as the set once it is used.
    places: Vec<u32>,
    values: Vec<(u32, Rgba)>,
}

impl Kept {
    /// The value of an element; `value` is kept if there was none. `count` is how many elements
    /// there are in all.
    pub fn get_or_keep(&mut self, element: u32, count: usize, value: Rgba) -> Rgba {
        if self.places.is_empty() {
            self.places = vec![NONE; count];
        }
        let place = &mut self.places[element as usize];
        if *place == NONE {
            self.values.push((element, value));
            *place = self.values.len() as u32;
        }
        self.values[*place as usize - 1].1
    }

    /// The value of an element, if one is kept.
    #[must_use]
    pub fn get(&self, element: u32) -> Option<Rgba> {
        let place = *self.places.get(element as usize)?;
        (place != NONE).then(|| self.values[place as usize - 1].1)
    }

    /// Replaces the value of an element that has one.
    pub fn replace(&mut self, element: u32, value: Rgba) {
        if let Some(&place) = self.places.get(element as usize).filter(|&&place| place != NONE) {
            self.values[place as usize - 1].1 = value;
        }
    }

    /// Changes places with the values of a set: those that were painted over stand there then, and what was
    /// painted is kept here.
    pub fn swap(&mut self, values: &mut [Rgba]) {
        for (element, value) in &mut self.values {
            std::mem::swap(value, &mut values[*element as usize]);
        }
    }

    /// Each element with its value, in the order they came.
    #[must_use]
    pub fn values(&self) -> &[(u32, Rgba)] {
        &self.values
    }

    /// The same where elements have changed: there are so many now, and those given have another
    /// value, or none any more.
    #[must_use]
    pub fn carried(&self, count: usize, changed: &[(u32, Option<Rgba>)]) -> Self {
        let mut now = Self::default();
        let stays = |element: u32| {
            (element as usize) < count
                && changed.binary_search_by_key(&element, |(changed, _)| *changed).is_err()
        };
        for &(element, value) in self.values.iter().filter(|(element, _)| stays(*element)) {
            now.get_or_keep(element, count, value);
        }
        for &(element, value) in changed {
            if let Some(value) = value {
                now.get_or_keep(element, count, value);
            }
        }
        now
    }

    /// Makes room for that many more.
    pub fn reserve(&mut self, more: usize) {
        self.values.reserve(more);
    }
}
