//! How numbers are written for the user.

/// A count in groups of three digits, as the interface shows it: with thin spaces.
#[must_use]
pub fn grouped(count: usize) -> String {
    let digits = count.to_string();
    let groups: Vec<&str> =
        digits.as_bytes().rchunks(3).rev().filter_map(|group| str::from_utf8(group).ok()).collect();
    groups.join("\u{2009}")
}

#[cfg(test)]
mod tests {
    use super::grouped;

    #[test]
    fn counts_stand_in_groups_of_three() {
        let told = [0, 999, 1000, 21_960, 2_614_242].map(grouped);
        assert_eq!(told, ["0", "999", "1\u{2009}000", "21\u{2009}960", "2\u{2009}614\u{2009}242"]);
    }
}
