//! Merging lists three ways, item by item and with their order.

use crate::value::Value;

/// The items of both sides: without what either took out, and with what either put in. They stand in the order of
/// the side that moved some, and ours where neither did; where both moved some otherwise nobody can tell. What the
/// other side put in stands after the item that it has before it; theirs stands at the end of ours. An item that
/// stands several times is told apart by how often it stood before.
pub(super) fn items((base, there): (&[Value], &[Value]), ours: &[Value], theirs: &[Value]) -> Option<Vec<Value>> {
    let wanted = counted(base, ours, theirs);
    let (we_moved, they_moved) = (is_moved(base, ours), is_moved(there, theirs));
    if they_moved && we_moved && is_moved(ours, theirs) {
        return None;
    }
    if !they_moved {
        return Some(wanted);
    }
    // Theirs first, so far as it stays; then each of ours after the one that it follows.
    let count = |side: &[Value], item: &Value| side.iter().filter(|other| *other == item).count();
    let mut merged: Vec<Value> = Vec::new();
    for item in theirs {
        if count(&merged, item) < count(&wanted, item) {
            merged.push(item.clone());
        }
    }
    let mut before: Option<&Value> = None;
    for item in ours {
        if count(&merged, item) < count(&wanted, item) {
            let place = before.and_then(|before| merged.iter().rposition(|other| other == before));
            merged.insert(place.map_or(0, |place| place + 1), item.clone());
        }
        before = Some(item);
    }
    Some(merged)
}

/// Whether items that both have stand in another order.
fn is_moved(before: &[Value], after: &[Value]) -> bool {
    let common = |of: &[Value], other: &[Value]| -> Vec<Value> {
        let mut left: Vec<&Value> = other.iter().collect();
        let mut is_left =
            |item: &Value| left.iter().position(|known| *known == item).map(|at| left.swap_remove(at)).is_some();
        of.iter().filter(|item| is_left(item)).cloned().collect()
    };
    common(before, after) != common(after, before)
}

/// Ours in our order, without what they took out, and with what they put in at the end.
fn counted(base: &[Value], ours: &[Value], theirs: &[Value]) -> Vec<Value> {
    let count = |side: &[Value], item: &Value| side.iter().filter(|other| *other == item).count();
    let mut merged: Vec<Value> = Vec::new();
    for item in ours.iter().chain(theirs) {
        let wanted = how_often(count(base, item), count(ours, item), count(theirs, item));
        if count(&merged, item) < wanted {
            merged.push(item.clone());
        }
    }
    merged
}

/// How often an item stands that stood so often before and on either side.
fn how_often(base: usize, ours: usize, theirs: usize) -> usize {
    use std::cmp::Ordering::{Equal, Greater, Less};
    match (ours.cmp(&base), theirs.cmp(&base)) {
        (Equal, _) => theirs,
        (_, Equal) => ours,
        (Greater, Greater) => ours.max(theirs),
        (Less, Less) => ours.min(theirs),
        // Taken out for good by one side.
        _ if ours == 0 || theirs == 0 => 0,
        _ => (ours + theirs).saturating_sub(base),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::change::{Base, Divergences, MergePolicies, merge};
    use crate::value::Record;
    use proptest::prelude::*;

    fn values(side: &[i64]) -> Vec<Value> {
        side.iter().map(|item| Value::Integer(*item)).collect()
    }

    fn any_list() -> impl Strategy<Value = Vec<i64>> {
        proptest::collection::vec(0..6_i64, 0..6)
    }

    proptest! {
        #[test]
        fn lists_keep_what_each_side_put_in_and_lose_what_each_took_out(
            base in any_list(),
            ours in any_list(),
            theirs in any_list(),
        ) {
            let before = values(&base);
            let Some(merged) = items((&before, &before), &values(&ours), &values(&theirs)) else {
                // Only what both moved is left to a person.
                prop_assert!(is_moved(&before, &values(&ours)) && is_moved(&before, &values(&theirs)));
                return Ok(());
            };
            for item in 0..6_i64 {
                let in_side = |side: &[i64]| side.contains(&item);
                let expected = match (in_side(&base), in_side(&ours), in_side(&theirs)) {
                    (false, a, b) => a || b,
                    (true, a, b) => a && b,
                };
                prop_assert_eq!(merged.contains(&Value::Integer(item)), expected, "{}", item);
            }
        }

        /// Whatever hands make of a list between our deliveries, it comes to rest, at once.
        #[test]
        fn a_list_comes_to_rest_after_any_disorder(
            rounds in proptest::collection::vec((any_list(), proptest::option::of(any_list())), 1..8),
        ) {
            let record = |side: &[i64]| Record::from_iter([("items".to_owned(), Value::List(values(side)))]);
            let (mut delivered, mut divergences, mut there) = (record(&[]), Divergences::new(), record(&[]));
            for (ours, by_hand) in rounds {
                if let Some(by_hand) = by_hand {
                    there = record(&by_hand);
                }
                let ours = record(&ours);
                let base = Base { delivered: &delivered, divergences: &divergences };
                let first = merge(base, &ours, &there, false, &MergePolicies::default());
                if !first.conflicts.is_empty() {
                    // A person decides; nothing was written.
                    continue;
                }
                if first.owes {
                    there.extend(first.fields);
                }
                (delivered, divergences) = (ours.clone(), first.divergences);
                let base = Base { delivered: &delivered, divergences: &divergences };
                let again = merge(base, &ours, &there, false, &MergePolicies::default());
                prop_assert!(!again.owes && again.conflicts.is_empty() && again.drifted.is_empty(), "{:?}", again);
            }
        }
    }
}
