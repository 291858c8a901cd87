//! Many short lists in one array, each of which can be replaced by itself.

use std::ops::Range;

/// Things by which group each is in, ascending within it: where each group begins, and one past the last, and
/// the things. Those in none are left out.
#[must_use]
pub fn grouped(
    groups: usize,
    things: usize,
    group_of: impl Fn(usize) -> Option<usize>,
) -> (Vec<u32>, Vec<u32>) {
    let mut starts = vec![0_u32; groups + 1];
    (0..things).filter_map(&group_of).for_each(|group| starts[group + 1] += 1);
    (0..groups).for_each(|group| starts[group + 1] += starts[group]);
    let mut next = starts.clone();
    let mut members = vec![0_u32; starts[groups] as usize];
    for (thing, group) in (0..things).filter_map(|thing| Some((thing, group_of(thing)?))) {
        members[next[group] as usize] = thing as u32;
        next[group] += 1;
    }
    (starts, members)
}

/// Lists of numbers, by number. One that is replaced by a longer one moves to the end and leaves a
/// gap; when a third is gaps, [`Lists::compact`] closes them.
#[derive(Clone, Debug, Default)]
pub struct Lists {
    /// Where each begins and ends.
    spans: Vec<[u32; 2]>,
    items: Vec<u32>,
    /// How many items belong to no list.
    unused: usize,
}

impl Lists {
    /// Lists that follow each other: where each begins, and one past the last.
    #[must_use]
    pub fn new(starts: &[u32], items: Vec<u32>) -> Self {
        let spans = starts.windows(2).map(|w| [w[0], w[1]]).collect();
        Self { spans, items, unused: 0 }
    }

    /// One of them.
    #[must_use]
    pub fn of(&self, list: usize) -> &[u32] {
        &self.items[self.range(list)]
    }

    fn range(&self, list: usize) -> Range<usize> {
        self.spans[list][0] as usize..self.spans[list][1] as usize
    }

    /// Replaces one.
    pub fn set(&mut self, list: usize, items: &[u32]) {
        let range = self.range(list);
        if items.len() <= range.len() {
            self.unused += range.len() - items.len();
            let end = range.start + items.len();
            self.items[range.start..end].copy_from_slice(items);
            self.spans[list][1] = end as u32;
        } else {
            self.unused += range.len();
            let start = self.items.len() as u32;
            self.items.extend_from_slice(items);
            self.spans[list] = [start, self.items.len() as u32];
        }
    }

    /// So many from now on: new ones are empty.
    pub fn resize(&mut self, count: usize) {
        let gone: usize =
            self.spans.iter().skip(count).map(|[from, to]| (to - from) as usize).sum();
        self.unused += gone;
        self.spans.resize(count, [0, 0]);
    }

    /// Whether a third is gaps.
    #[must_use]
    pub fn has_gaps(&self) -> bool {
        3 * self.unused > self.items.len()
    }

    /// Closes the gaps: the lists follow each other again.
    pub fn compact(&mut self) {
        let mut items = Vec::with_capacity(self.items.len() - self.unused);
        for span in &mut self.spans {
            let start = items.len() as u32;
            items.extend_from_slice(&self.items[span[0] as usize..span[1] as usize]);
            *span = [start, items.len() as u32];
        }
        (self.items, self.unused) = (items, 0);
    }
}

#[cfg(test)]
mod tests {
    use proptest::{collection::vec, prelude::*};

    use super::*;

    proptest! {
        #[test]
        fn lists_hold_what_was_put_in_them(
            edits in vec((0..9_usize, vec(0..99_u32, 0..5), 1..9_usize), 1..60),
        ) {
            let mut wanted: Vec<Vec<u32>> = vec![vec![1, 2], vec![], vec![3]];
            let mut lists = Lists::new(&[0, 2, 2, 3], vec![1, 2, 3]);
            for (list, items, count) in edits {
                if list < wanted.len() {
                    lists.set(list, &items);
                    wanted[list] = items;
                } else {
                    lists.resize(count);
                    wanted.resize(count, Vec::new());
                }
                if lists.has_gaps() {
                    lists.compact();
                    prop_assert!(lists.unused == 0 && lists.items.len() == wanted.concat().len());
                }
                let held: Vec<_> = (0..lists.spans.len()).map(|list| lists.of(list).to_vec()).collect();
                prop_assert_eq!(&held, &wanted);
            }
        }
    }
}
