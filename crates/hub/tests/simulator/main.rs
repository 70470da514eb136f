//! Delivery under every fault, simulated: random histories of edits at the source, edits, deletions
//! and locks by other hands at the destination, lost answers, refusals, and crashes between any two
//! steps. Pull, push and store are those of the program; the network and both ends are simulated, and so is
//! time. A history that fails is printed and made as short as it can be.

#![expect(clippy::panic, clippy::unwrap_used, reason = "a test ends where something is not as it should be")]

mod crew;
mod found;
mod garden;
mod history;
mod hub;
mod right;
mod site;
mod world;

use std::time::Duration;

use crew::Hand;
use history::{Event, history};
use hub::{Hub, HubForm};
use proptest::bool::weighted;
use proptest::prelude::*;
use site::Site;
use world::World;

/// Plays a history, then lets the dust settle, and looks whether everything is as it must be.
async fn play(events: Vec<Event>, kind: HistoryKind) {
    let site = Site::new(World::new(kind.versions, kind.shows, kind.apart), kind.form == HubForm::Languages);
    let mut hub = Hub::new(kind.form);
    hub.garden.share_key(kind.shares_key);
    for event in events {
        match event {
            Event::Edit(entry, field, value) => hub.garden.edit(entry, field, value),
            Event::Translate(entry, value) => hub.garden.translate(entry, value),
            Event::Refer(entry, to) => hub.garden.refer(entry, to),
            Event::Live(entry, live) => hub.garden.set_live(entry, live),
            Event::HandEdit(page, field, value) => site.world().hand_edit(page, field, value),
            Event::HandDelete(page) => site.world().hand_delete(page),
            Event::Lock(page, locked) => site.world().lock(page, locked),
            Event::Undo(back) => hub.undo(back),
            Event::Release => hub.release(),
            Event::Launch { faults, crash } => {
                site.world().begin_run(faults, crash, None, Duration::ZERO);
                let _ = hub.launch(&site).await;
            }
            Event::TakeBack => hub.take_back(),
            Event::Push { faults, crash, meddling, verify, lag } => {
                site.world().begin_run(faults, crash, meddling, Duration::from_millis(lag));
                let _ = hub.push(&site, verify).await;
            }
        }
    }
    site.world().calm_down();
    assert!(hub.launch(&site).await);
    hub.take_back();
    assert!(hub.push(&site, true).await && hub.push(&site, true).await);
    let before = site.world().writes();
    assert!(hub.push(&site, true).await);
    assert_eq!(site.world().writes(), before, "a run with nothing owed sends nothing");
    // What was undone is kept so, whatever its source says, till it is released.
    hub.release();
    assert!(hub.push(&site, true).await && hub.push(&site, true).await);
    hub.everything_is_right(&site.world());
}

/// The same, with several processes that push from one store at once. Gives whether there is a server for it.
async fn play_together(events: Vec<(Event, Vec<Hand>)>, kind: HistoryKind) -> bool {
    let Some(address) = diaporos_peers::new_database() else { return false };
    let site = Site::new(World::new(kind.versions, kind.shows, false), kind.form == HubForm::Languages);
    site.world().is_of_many = true;
    let mut hub = Hub::on_a_server(kind.form, &address);
    hub.garden.share_key(kind.shares_key);
    for (turn, (event, hands)) in events.into_iter().enumerate() {
        // There is always something for each to do.
        (0..history::ENTRIES).for_each(|entry| hub.garden.edit(entry, 0, u8::try_from(turn % 5).unwrap()));
        site.world().begin_run(Vec::new(), None, None, Duration::ZERO);
        match event {
            Event::Edit(entry, field, value) => hub.garden.edit(entry, field, value),
            Event::Translate(entry, value) => hub.garden.translate(entry, value),
            Event::Refer(entry, to) => hub.garden.refer(entry, to),
            Event::Live(entry, live) => hub.garden.set_live(entry, live),
            Event::HandEdit(page, field, value) => site.world().hand_edit(page, field, value),
            Event::HandDelete(page) => site.world().hand_delete(page),
            Event::Lock(page, locked) => site.world().lock(page, locked),
            Event::Push { faults, crash, meddling, lag, .. } => {
                site.world().begin_run(faults, crash, meddling, Duration::from_millis(lag));
            }
            Event::Undo(_) | Event::Release | Event::Launch { .. } | Event::TakeBack => {}
        }
        hub.push_together(&site, &hands, &address).await;
    }
    site.world().calm_down();
    site.world().is_of_many = false;
    assert!(hub.push(&site, true).await && hub.push(&site, true).await);
    let before = site.world().writes();
    assert!(hub.push(&site, true).await);
    assert_eq!(site.world().writes(), before, "a run with nothing owed sends nothing");
    hub.everything_is_right(&site.world());
    true
}

/// Plays what happens at the source, and pushes it; then more of that, pushed and undone: what a visitor sees is
/// what was there before.
async fn undone(first: Vec<Event>, then: Vec<Event>, form: HubForm) {
    let site = Site::new(World::new(true, true, false), form == HubForm::Languages);
    let mut hub = Hub::new(form);
    at_the_source(&mut hub, first);
    assert!(hub.push(&site, true).await && hub.push(&site, true).await);
    let before = site.world().on_view();
    at_the_source(&mut hub, then);
    assert!(hub.push(&site, false).await);
    hub.undo(0);
    assert!(hub.push(&site, false).await);
    assert_eq!(site.world().on_view(), before);
    hub.release();
    assert!(hub.push(&site, true).await && hub.push(&site, true).await);
    hub.everything_is_right(&site.world());
}

/// Plays what happens at the source, and pushes it; then more of that, launched and taken back: what a visitor sees
/// is what was there before.
async fn launched_and_undone(first: Vec<Event>, then: Vec<Event>, kind: HistoryKind) {
    let site = Site::new(World::new(kind.versions, kind.shows, kind.apart), kind.form == HubForm::Languages);
    let mut hub = Hub::new(kind.form);
    at_the_source(&mut hub, first);
    assert!(hub.push(&site, true).await && hub.push(&site, true).await);
    let before = site.world().on_view();
    // A slate of what is live launches nothing that is withdrawn.
    at_the_source(&mut hub, then.into_iter().filter(|event| !matches!(event, Event::Live(_, false))).collect());
    assert!(hub.launch(&site).await);
    hub.undo_launch();
    assert!(hub.push(&site, false).await);
    assert_eq!(site.world().on_view(), before);
    hub.release();
    assert!(hub.push(&site, true).await && hub.push(&site, true).await);
    hub.everything_is_right(&site.world());
}

/// What happens at the source alone.
fn at_the_source(hub: &mut Hub, events: Vec<Event>) {
    for event in events {
        match event {
            Event::Edit(entry, field, value) => hub.garden.edit(entry, field, value),
            Event::Translate(entry, value) => hub.garden.translate(entry, value),
            Event::Live(entry, live) => hub.garden.set_live(entry, live),
            _ => {}
        }
    }
}

/// What is so in all of a history.
#[derive(Debug, Clone, Copy, Default)]
struct HistoryKind {
    /// Whether documents have versions.
    versions: bool,
    /// Whether answers show the document.
    shows: bool,
    /// Whether what is saved goes on view by a request of its own.
    apart: bool,
    /// Whether two entries have one key.
    shares_key: bool,
    /// What the hub delivers.
    form: HubForm,
}

fn form() -> impl Strategy<Value = HubForm> {
    prop_oneof![Just(HubForm::Plain), Just(HubForm::Languages), Just(HubForm::Words)]
}

fn simulate(events: Vec<Event>, kind: HistoryKind) {
    hub::die_quietly();
    let runtime = tokio::runtime::Builder::new_current_thread().enable_time().start_paused(true).build().unwrap();
    runtime.block_on(play(events, kind));
}

/// How many histories of each kind are played, others each time: `SIMULATED=200000` for a long run by hand.
fn cases() -> u32 {
    option_env!("SIMULATED").and_then(|text| text.parse().ok()).unwrap_or(1_500)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: cases(), max_shrink_iters: 20_000, ..ProptestConfig::default() })]

    #[test]
    fn where_documents_have_versions(events in history(), shows: bool, shares_key in weighted(0.2)) {
        simulate(events, HistoryKind { versions: true, shows, shares_key, form: HubForm::Plain, apart: false });
    }

    #[test]
    fn where_they_have_none(events in history(), shows: bool, shares_key in weighted(0.2)) {
        simulate(events, HistoryKind { versions: false, shows, shares_key, form: HubForm::Plain, apart: false });
    }

    #[test]
    fn a_run_that_is_undone_never_was(events in history(), edits in history(), form in form()) {
        hub::die_quietly();
        let runtime = tokio::runtime::Builder::new_current_thread().enable_time().start_paused(true).build().unwrap();
        runtime.block_on(undone(events, edits, form));
    }

    #[test]
    fn a_launch_that_is_undone_never_was(events in history(), edits in history(), form in form(), apart: bool) {
        hub::die_quietly();
        let runtime = tokio::runtime::Builder::new_current_thread().enable_time().start_paused(true).build().unwrap();
        let kind = HistoryKind { versions: true, shows: true, shares_key: false, form, apart };
        runtime.block_on(launched_and_undone(events, edits, kind));
    }

    #[test]
    fn where_each_language_is_a_document(events in history(), versions: bool, shows: bool, shares_key in weighted(0.1)) {
        simulate(events, HistoryKind { versions, shows, shares_key, form: HubForm::Languages, apart: false });
    }

    #[test]
    fn where_pages_name_words(events in history(), versions: bool, shows: bool, shares_key in weighted(0.1)) {
        simulate(events, HistoryKind { versions, shows, shares_key, form: HubForm::Words, apart: false });
    }

    #[test]
    fn where_what_is_saved_is_shown_by_a_call_of_its_own(events in history(), versions: bool, shows: bool, form in form()) {
        simulate(events, HistoryKind { versions, shows, shares_key: false, form, apart: true });
    }
}

/// How many histories of several processes are played: each is on a server, and takes its time.
fn cases_together() -> u32 {
    option_env!("SIMULATED").and_then(|text| text.parse().ok()).unwrap_or(5)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: cases_together(), max_shrink_iters: 200, ..ProptestConfig::default() })]

    #[test]
    fn where_several_push_at_once(
        events in history(),
        hands in proptest::collection::vec(crew::hands(), 6),
        versions: bool,
        shows: bool,
        shares_key in weighted(0.2),
        form in form(),
    ) {
        hub::die_quietly();
        let runtime = tokio::runtime::Builder::new_current_thread().enable_time().start_paused(true).build().unwrap();
        let kind = HistoryKind { versions, shows, shares_key, form, apart: false };
        runtime.block_on(play_together(events.into_iter().zip(hands).collect(), kind));
    }
}
