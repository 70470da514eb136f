//! Who stands at which place of a list.

/// A place of a list.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Place<T> {
    /// Who stands there.
    pub item: T,
    /// Whether a person put it there.
    pub pinned: bool,
}

/// Fills the places of a list: those that are pinned at theirs, in order of the place, and the others with
/// candidates, in their order, each once. A pin beyond the end stands at the end; the list has at most so many places.
#[must_use]
pub fn places<T: Copy + PartialEq>(pins: &[(u64, T)], candidates: &[T], most: usize) -> Vec<Place<T>> {
    let mut sorted: Vec<(u64, T)> = pins.to_vec();
    sorted.sort_by_key(|(place, _)| *place);
    let mut pins: Vec<(u64, T)> = Vec::new();
    for (place, item) in sorted {
        if pins.len() < most && pins.iter().all(|(_, known)| *known != item) {
            pins.push((place, item));
        }
    }
    let is_pinned = |item: &T| pins.iter().any(|(_, pinned)| pinned == item);
    let mut others = candidates.iter().filter(|item| !is_pinned(item)).copied();
    let mut waiting = pins.iter().copied().peekable();
    let mut filled: Vec<Place<T>> = Vec::new();
    while filled.len() < most {
        let place = filled.len() as u64 + 1;
        // So many places must be left as pins wait for one.
        let is_due = waiting.peek().is_some_and(|(wanted, _)| *wanted <= place)
            || waiting.clone().count() >= most - filled.len();
        let next = if is_due { None } else { others.next() };
        let next = next.map(|item| Place { item, pinned: false });
        let Some(next) = next.or_else(|| waiting.next().map(|(_, item)| Place { item, pinned: true })) else { break };
        if filled.iter().all(|known| known.item != next.item) {
            filled.push(next);
        }
    }
    filled
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn told(pins: &[(u64, char)], candidates: &str, most: usize) -> String {
        let candidates: Vec<char> = candidates.chars().collect();
        let shown = |place: Place<char>| if place.pinned { place.item.to_ascii_uppercase() } else { place.item };
        places(pins, &candidates, most).into_iter().map(shown).collect()
    }

    #[test]
    fn pins_stand_at_their_places_and_the_rest_is_filled() {
        for (pins, candidates, most, expected) in [
            (&[][..], "abcdef", 3, "abc"),
            (&[(1, 'x')], "abc", 3, "Xab"),
            (&[(2, 'b')], "abc", 3, "aBc"),
            (&[(3, 'x'), (1, 'y')], "abc", 4, "YaXb"),
            (&[(9, 'x')], "abc", 10, "abcX"),
            (&[(9, 'x')], "abc", 3, "abX"),
            (&[(1, 'x'), (1, 'y')], "a", 5, "XYa"),
            (&[(2, 'x'), (3, 'y')], "", 5, "XY"),
            (&[(1, 'x'), (2, 'y'), (3, 'z')], "a", 2, "XY"),
            (&[], "aab", 5, "ab"),
            (&[(1, 'x')], "abc", 0, ""),
        ] {
            assert_eq!(told(pins, candidates, most), expected, "{pins:?} {candidates} {most}");
        }
    }

    proptest! {
        #[test]
        fn nobody_stands_twice_and_no_place_is_left_that_could_be_filled(
            pins in proptest::collection::vec((1..12_u64, 0..10_u8), 0..6), candidates in proptest::collection::vec(0..20_u8, 0..15), most in 0..12_usize,
        ) {
            let filled = places(&pins, &candidates, most);
            let mut all: Vec<u8> = filled.iter().map(|place| place.item).collect();
            all.sort_unstable();
            let once = all.len();
            all.dedup();
            prop_assert_eq!(once, all.len());
            let mut offered: Vec<u8> = candidates.iter().copied().chain(pins.iter().map(|(_, item)| *item)).collect();
            offered.sort_unstable();
            offered.dedup();
            prop_assert_eq!(filled.len(), most.min(offered.len()));
        }
    }
}
