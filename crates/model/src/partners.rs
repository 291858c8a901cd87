//! Which set of one side is which of another: files of some formats say no names.

use speckle_mesh::Placement;

/// What a set is known by.
pub type Known<'a> = (&'a str, Placement);

/// For each set of the first side, the number of the second side's that is the same: by name. Sets
/// whose names the other side does not know go by their order, where both have as many: among those
/// of their placement, if both have as many there as well, else among all.
#[must_use]
pub fn partners(ours: &[Known], theirs: &[Known]) -> Vec<Option<usize>> {
    let by_name = |name: &str| theirs.iter().position(|(other, _)| *other == name);
    let is_free = |i: &usize| ours.iter().all(|(name, _)| *name != theirs[*i].0);
    let of = |side: &[Known], placement: Placement| -> Vec<usize> {
        (0..side.len()).filter(|&i| side[i].1 == placement).collect()
    };
    let by_order = |nth: usize| {
        let placement = ours[nth].1;
        let (here, there) = (of(ours, placement), of(theirs, placement));
        let among = here.iter().position(|&i| i == nth)?;
        if here.len() == there.len() { Some(there[among]) } else { Some(nth) }
    };
    ours.iter()
        .enumerate()
        .map(|(nth, (name, _))| {
            let in_order = || by_order(nth).filter(|_| ours.len() == theirs.len());
            by_name(name).or_else(|| in_order().filter(is_free))
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use Placement::{Corner, Face, Vertex};

    #[test]
    fn names_count_first_then_the_order_among_those_of_a_placement() {
        let ours = [("Coat", Face), ("Wear", Vertex), ("Rust", Corner)];
        assert_eq!(partners(&ours, &ours), [Some(0), Some(1), Some(2)]);
        let nameless = [("Color", Vertex), ("Material", Face), ("Color 2", Corner)];
        assert_eq!(partners(&ours, &nameless), [Some(1), Some(0), Some(2)]);
        // Split for a format that knows vertices alone: the order is all there is.
        let split = [("COLOR_0", Vertex), ("COLOR_1", Vertex), ("COLOR_2", Vertex)];
        assert_eq!(partners(&ours, &split), [Some(0), Some(1), Some(2)]);
        // One of a known name is that set's alone.
        let swapped = [("Wear", Vertex), ("x", Face), ("y", Corner)];
        assert_eq!(partners(&ours, &swapped), [Some(1), Some(0), Some(2)]);
        assert_eq!(partners(&ours[..1], &nameless), [None], "not as many: nothing is guessed");
    }
}
