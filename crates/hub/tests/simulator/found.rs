//! Histories in which something was wrong once, as short as they could be made.

use crate::history::{Event, Fault};
use crate::simulate;

fn push(faults: &[Fault], verify: bool) -> Event {
    Event::Push { faults: faults.to_vec(), crash: None, meddling: None, verify, lag: 0 }
}

/// Somebody puts an item into a list. A write that leaves the list alone gets no answer, and what it left
/// there is as an earlier delivery was, the item with it: the item is theirs all the same.
#[test]
fn what_a_hand_added_stays_when_ours_returns_to_what_it_was() {
    use Fault::{Doubled, LostAfter, LostBefore};
    let history = vec![
        push(&[LostBefore, Doubled], false),
        Event::Live(2, false),
        Event::HandEdit(0, 2, 10),
        push(&[], true),
        Event::Edit(1, 1, 1),
        push(&[], false),
        Event::Edit(1, 1, 0),
        push(&[Fault::None, Fault::None, LostAfter], true),
    ];
    simulate(history, true, false, false);
}
