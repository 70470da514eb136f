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
pub(super) fn is_moved(before: &[Value], after: &[Value]) -> bool {
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
