//! What may happen.

use proptest::prelude::*;

/// How many entries the source has.
pub(crate) const ENTRIES: usize = 3;
/// The fields of a page: two texts and a list. The key never changes.
pub(crate) const FIELDS: [&str; 3] = ["heading", "teaser", "topics"];

/// So many milliseconds a look-up lags at most: less than the system's settling time.
pub(crate) const MOST_LAG: u64 = 4_500;

/// Something that happens.
#[derive(Debug, Clone)]
pub(crate) enum Event {
    /// A field of an entry changes at its source.
    Edit(usize, usize, u8),
    /// The French of an entry changes at its source, comes or goes; nothing where entries have no languages.
    Translate(usize, Option<u8>),
    /// An entry comes to refer to another, which may refer to it, or to none.
    Refer(usize, Option<usize>),
    /// An entry goes live, or no longer is.
    Live(usize, bool),
    /// Somebody changes a field of a page by hand.
    HandEdit(usize, usize, u8),
    /// Somebody deletes a page.
    HandDelete(usize),
    /// Somebody locks a page, or lets go of it.
    Lock(usize, bool),
    /// The so-manieth run from the last is undone; the next push carries it out.
    Undo(u8),
    /// What was undone is released.
    Release,
    /// All that is live is launched together, with what the network does to its requests, and where it is killed.
    Launch {
        /// What becomes of the first, second, … request.
        faults: Vec<Fault>,
        /// Where the process dies.
        crash: Option<Crash>,
    },
    /// A launch that came to no end is taken back.
    TakeBack,
    /// A push, with what the network does to its requests, the step before which it is killed, and
    /// what other hands do while it runs.
    Push {
        /// What becomes of the first, second, … request.
        faults: Vec<Fault>,
        /// Where the process dies.
        crash: Option<Crash>,
        /// Page, field and value that somebody writes just before the request of that number.
        meddling: Option<(u8, usize, usize, u8)>,
        /// Whether it reads every page that is there.
        verify: bool,
        /// So many milliseconds a page that was just made is not found by its key.
        lag: u64,
    },
}

/// Where a process dies.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Crash {
    /// While it waits for the destination, the so-manieth time.
    Step(u8),
    /// As it looks at the clock, the so-manieth time: within what it does between two waits, before
    /// what it was about to commit.
    Look(u8),
}

/// What becomes of a request.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Fault {
    /// It goes well.
    None,
    /// It never arrives, and no answer comes.
    LostBefore,
    /// It is carried out, and the answer is lost.
    LostAfter,
    /// It is carried out, arrives a second time, and the second answer is what comes back.
    Doubled,
    /// It is sent away and can come again.
    Throttled,
    /// It is not carried out, and answered with a page that shows nothing; a look-up is answered with
    /// whatever is there, whatever key it asks by.
    WrongAnswer,
}

fn event() -> impl Strategy<Value = Event> {
    let page = 0..ENTRIES + 1;
    let fault = prop_oneof![
        6 => Just(Fault::None),
        1 => Just(Fault::LostBefore),
        2 => Just(Fault::LostAfter),
        1 => Just(Fault::Doubled),
        1 => Just(Fault::Throttled),
        1 => Just(Fault::WrongAnswer),
    ];
    let crash = proptest::option::weighted(
        0.5,
        prop_oneof![(0..40_u8).prop_map(Crash::Step), (0..30_u8).prop_map(Crash::Look)],
    );
    let launch = (proptest::collection::vec(fault.clone(), 0..12), crash);
    let push = (
        proptest::collection::vec(fault, 0..12),
        proptest::option::weighted(
            0.4,
            prop_oneof![(0..40_u8).prop_map(Crash::Step), (0..30_u8).prop_map(Crash::Look)],
        ),
        proptest::option::weighted(0.2, (0..8_u8, page.clone(), 0..3_usize, 10..14_u8)),
        any::<bool>(),
        prop_oneof![3 => Just(0), 1 => 1..MOST_LAG],
    );
    prop_oneof![
        4 => (0..ENTRIES, 0..3_usize, 0..4_u8).prop_map(|(entry, field, value)| Event::Edit(entry, field, value)),
        2 => (0..ENTRIES, proptest::option::of(0..4_u8)).prop_map(|(entry, value)| Event::Translate(entry, value)),
        1 => (0..ENTRIES, proptest::option::of(0..ENTRIES)).prop_map(|(entry, to)| Event::Refer(entry, to)),
        2 => (0..ENTRIES, any::<bool>()).prop_map(|(entry, live)| Event::Live(entry, live)),
        2 => (page.clone(), 0..3_usize, 10..14_u8).prop_map(|(page, field, value)| Event::HandEdit(page, field, value)),
        1 => page.clone().prop_map(Event::HandDelete),
        1 => (0..3_u8).prop_map(Event::Undo),
        1 => Just(Event::Release),
        2 => launch.prop_map(|(faults, crash)| Event::Launch { faults, crash }),
        1 => Just(Event::TakeBack),
        1 => (page, any::<bool>()).prop_map(|(page, locked)| Event::Lock(page, locked)),
        5 => push
            .prop_map(|(faults, crash, meddling, verify, lag)| Event::Push { faults, crash, meddling, verify, lag }),
    ]
}

pub(crate) fn history() -> impl Strategy<Value = Vec<Event>> {
    proptest::collection::vec(event(), 1..25)
}
