//! Delivery under every fault, simulated: random histories of edits at the source, edits, deletions
//! and locks by other hands at the destination, lost answers, refusals, and crashes between any two
//! steps. The decisions are the real ones; disk and network are a few lines each. A history that
//! fails is printed and made as short as it can be.

#![expect(clippy::panic, clippy::unwrap_used, reason = "a test ends where something is not as it should be")]

mod history;
mod hub;
mod world;

use history::{Event, history};
use hub::Hub;
use proptest::prelude::*;
use world::World;

/// Plays a history, then lets the dust settle, and looks whether everything is as it must be.
fn play(events: Vec<Event>, versions: bool, shows: bool, shares_key: bool) {
    let mut world = World::new(versions, shows);
    let mut hub = Hub::default();
    hub.source.share_key(shares_key);
    for event in events {
        match event {
            Event::Edit(entry, field, value) => hub.source.edit(entry, field, value),
            Event::Live(entry, live) => hub.source.set_live(entry, live),
            Event::HandEdit(page, field, value) => world.hand_edit(page, field, value),
            Event::HandDelete(page) => world.hand_delete(page),
            Event::Lock(page, locked) => world.lock(page, locked),
            Event::Push { faults, crash, meddling, verify, lag } => {
                world.begin_run(faults, crash, meddling, lag);
                hub.push(&mut world, verify);
            }
        }
    }
    world.calm_down();
    hub.push(&mut world, true);
    hub.push(&mut world, true);
    let before = world.writes();
    hub.push(&mut world, true);
    assert_eq!(world.writes(), before, "a run with nothing owed sends nothing");
    hub.everything_is_right(&world);
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 6_000, max_shrink_iters: 20_000, ..ProptestConfig::default() })]

    #[test]
    fn never_twice_never_lost_nothing_overwritten(
        events in history(),
        versions: bool,
        shows: bool,
        shares_key in proptest::bool::weighted(0.2),
    ) {
        play(events, versions, shows, shares_key);
    }
}
