//! Where the elements of one kind come from, and their values carried along.

use std::{iter::Sum, ops::Mul};

/// Where each new element's value comes from, in order.
#[derive(Clone, Debug, Default, PartialEq)]
pub enum Carry {
    /// The elements are the same.
    #[default]
    Same,
    /// Each is as an old one was.
    Copies(Vec<u32>),
    /// Each is a mix of old ones.
    Mixes(Mixes),
    /// Most are the same.
    Local(Local),
}

/// So many elements, each of them the one of the same number, but for some.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Local {
    count: usize,
    /// Which are not, ascending.
    at: Vec<u32>,
    of: Mixes,
}

impl Local {
    /// So many, of which those given, ascending, are mixes of others.
    #[must_use]
    pub fn new(count: usize, at: Vec<u32>, of: Mixes) -> Self {
        Self { count, at, of }
    }

    /// How many elements there are.
    #[must_use]
    pub fn count(&self) -> usize {
        self.count
    }

    /// Those that are not what they were, each with what it is mixed of.
    pub fn changed(&self) -> impl Iterator<Item = (u32, Vec<(u32, f32)>)> + '_ {
        self.at.iter().enumerate().map(|(n, &at)| (at, self.of.of(n).collect()))
    }

    /// Elements one by one, the same ones by `same`, others by what they are mixed of.
    fn each<T>(&self, same: impl Fn(u32) -> T, mixed: impl Fn(usize) -> T) -> Vec<T> {
        let mut changed = self.at.iter().copied().enumerate().peekable();
        let of = |element| match changed.next_if(|(_, at)| *at == element) {
            Some((n, _)) => mixed(n),
            None => same(element),
        };
        (0..self.count as u32).map(of).collect()
    }

    /// The same, said of every element.
    fn spelled_out(&self) -> Mixes {
        let mut all = Mixes::default();
        for mix in self.each(|n| vec![(n, 1.0)], |n| self.of.of(n).collect()) {
            all.push(&mix);
        }
        all
    }
}

/// Mixes of old elements with weights above 0 that sum to 1.
#[derive(Clone, Debug, PartialEq)]
pub struct Mixes {
    /// Where each mix begins, and one past the last.
    starts: Vec<u32>,
    elements: Vec<u32>,
    weights: Vec<f32>,
}

impl Default for Mixes {
    fn default() -> Self {
        Self { starts: vec![0], elements: Vec::new(), weights: Vec::new() }
    }
}

impl Mixes {
    /// Adds the next element: old ones with weights of any sum. Weights of 0 and less do not count;
    /// where all are such, the first one is copied.
    pub fn push(&mut self, mix: &[(u32, f32)]) {
        let sum: f32 = mix.iter().map(|&(_, weight)| weight.max(0.0)).sum();
        if sum > 0.0 {
            let counting = mix.iter().filter(|(_, weight)| *weight > 0.0);
            self.elements.extend(counting.clone().map(|&(element, _)| element));
            self.weights.extend(counting.map(|&(_, weight)| weight / sum));
        } else if let Some(&(element, _)) = mix.first() {
            self.elements.push(element);
            self.weights.push(1.0);
        }
        self.starts.push(self.elements.len() as u32);
    }

    /// How many there are.
    #[must_use]
    pub fn len(&self) -> usize {
        self.starts.len() - 1
    }

    /// Whether there are none.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// What an element is mixed of.
    pub fn of(&self, element: usize) -> impl Iterator<Item = (u32, f32)> + '_ {
        let range = self.starts[element] as usize..self.starts[element + 1] as usize;
        self.elements[range.clone()].iter().copied().zip(self.weights[range].iter().copied())
    }
}

impl Carry {
    /// Copies of the values that the elements had; of a mix, of the one that counts most.
    #[must_use]
    pub fn copies<T: Clone>(&self, values: &[T]) -> Vec<T> {
        match self {
            Self::Same => values.to_vec(),
            Self::Copies(old) => old.iter().map(|&i| values[i as usize].clone()).collect(),
            Self::Mixes(mixes) => {
                let most = |n: usize| mixes.of(n).max_by(|a, b| a.1.total_cmp(&b.1));
                let all = (0..mixes.len()).filter_map(most);
                all.map(|(i, _)| values[i as usize].clone()).collect()
            }
            Self::Local(local) => local.each(
                |n| values[n as usize].clone(),
                |n| {
                    let most = local.of.of(n).max_by(|a, b| a.1.total_cmp(&b.1));
                    values[most.map_or(0, |(i, _)| i as usize)].clone()
                },
            ),
        }
    }

    /// [`Carry::copies`] of values that nobody else wants.
    #[must_use]
    pub fn taken<T: Clone>(&self, values: Vec<T>) -> Vec<T> {
        match self {
            Self::Same => values,
            _ => self.copies(&values),
        }
    }

    /// The values at the new elements, mixed as they are.
    #[must_use]
    pub fn mixed<T: Copy + Mul<f32, Output = T> + Sum>(&self, values: &[T]) -> Vec<T> {
        let mean = |mixes: &Mixes, n: usize| {
            mixes.of(n).map(|(i, weight)| values[i as usize] * weight).sum()
        };
        match self {
            Self::Mixes(mixes) => (0..mixes.len()).map(|n| mean(mixes, n)).collect(),
            Self::Local(local) => local.each(|n| values[n as usize], |n| mean(&local.of, n)),
            _ => self.copies(values),
        }
    }

    /// This and then another, whose old elements are the new ones of this.
    #[must_use]
    pub fn then(&self, next: &Self) -> Self {
        match (self, next) {
            (_, Self::Same) => self.clone(),
            (Self::Same, _) => next.clone(),
            (Self::Copies(old), Self::Copies(_)) => Self::Copies(next.copies(old)),
            (Self::Local(local), _) => Self::Mixes(local.spelled_out()).then(next),
            (_, Self::Local(local)) => self.then(&Self::Mixes(local.spelled_out())),
            _ => {
                let before = |n: u32| -> Vec<(u32, f32)> {
                    match self {
                        Self::Same => vec![(n, 1.0)],
                        Self::Copies(old) => vec![(old[n as usize], 1.0)],
                        Self::Mixes(mixes) => mixes.of(n as usize).collect(),
                        Self::Local(_) => unreachable!("spelled out above"),
                    }
                };
                let mut all = Mixes::default();
                let mut mix: Vec<(u32, f32)> = Vec::new();
                let mut put = |from: &mut dyn Iterator<Item = (u32, f32)>| {
                    mix.clear();
                    for (n, share) in from {
                        for (element, weight) in before(n) {
                            match mix.iter_mut().find(|(other, _)| *other == element) {
                                Some((_, sum)) => *sum += weight * share,
                                None => mix.push((element, weight * share)),
                            }
                        }
                    }
                    all.push(&mix);
                };
                match next {
                    Self::Copies(of) => of.iter().for_each(|&n| put(&mut [(n, 1.0)].into_iter())),
                    Self::Mixes(mixes) => (0..mixes.len()).for_each(|n| put(&mut mixes.of(n))),
                    Self::Same | Self::Local(_) => {}
                }
                Self::Mixes(all)
            }
        }
    }
}

impl From<Vec<u32>> for Carry {
    fn from(old: Vec<u32>) -> Self {
        Self::Copies(old)
    }
}

#[cfg(test)]
mod tests {
    use proptest::{collection::vec, prelude::*};

    use super::*;

    /// Any way from some old elements to some new ones.
    fn carry(old: usize) -> impl Strategy<Value = Carry> {
        let one = 0..old as u32;
        let mix = vec((one.clone(), -0.5_f32..2.0), 1..5);
        let some = vec((any::<bool>(), mix.clone()), 1..9);
        prop_oneof![
            Just(Carry::Same),
            some.prop_map(move |all| {
                // What lies beyond the old ones is always made of some.
                let mut at = Vec::new();
                let mut of = Mixes::default();
                for (element, (is_mixed, mix)) in all.iter().enumerate() {
                    if *is_mixed || element >= old {
                        at.push(element as u32);
                        of.push(mix);
                    }
                }
                Carry::Local(Local::new(all.len(), at, of))
            }),
            vec(one.clone(), 1..9).prop_map(Carry::Copies),
            vec(mix, 1..9).prop_map(|all| {
                let mut mixes = Mixes::default();
                all.iter().for_each(|mix| mixes.push(mix));
                Carry::Mixes(mixes)
            }),
        ]
    }

    fn count(carry: &Carry, old: usize) -> usize {
        carry.copies(&vec![(); old]).len()
    }

    proptest! {
        /// Two ways in one carry as the two one after the other, and weights always sum to 1.
        #[test]
        fn two_ways_are_one(
            (first, second) in carry(6).prop_flat_map(|first| {
                let count = count(&first, 6);
                (Just(first), carry(count))
            }),
            values in vec(-1.0_f32..1.0, 6),
        ) {
            let both = first.then(&second);
            let (apart, at_once) = (second.mixed(&first.mixed(&values)), both.mixed(&values));
            prop_assert_eq!(apart.len(), at_once.len());
            for (a, b) in apart.iter().zip(&at_once) {
                prop_assert!((a - b).abs() < 1e-5, "{} {}", a, b);
            }
            prop_assert!(both.mixed(&[1.0_f32; 6]).iter().all(|sum| (sum - 1.0).abs() < 1e-5));
        }
    }

    #[test]
    fn a_mix_of_nothing_is_a_copy_and_the_heaviest_counts_where_nothing_can_be_mixed() {
        let mut mixes = Mixes::default();
        mixes.push(&[(3, 0.0), (1, -1.0)]);
        mixes.push(&[(0, 1.0), (2, 3.0), (1, 0.0)]);
        let carry = Carry::Mixes(mixes.clone());
        assert_eq!(carry.copies(&["a", "b", "c", "d"]), ["d", "c"]);
        assert_eq!(mixes.of(1).collect::<Vec<_>>(), [(0, 0.25), (2, 0.75)]);
    }
}
