//! Histories in which something was wrong once, as short as they could be made.

use crate::history::{Crash, Event, Fault};
use crate::hub::HubForm;
use crate::{HistoryKind, simulate};

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
    simulate(history, HistoryKind { versions: true, ..HistoryKind::default() });
}

/// A search that does not tell languages apart gives the English document where the French one is looked
/// for, before anybody knows whose that is.
#[test]
fn a_document_in_another_language_is_not_taken_for_the_one_that_was_looked_for() {
    for crash in [None, Some(Crash::Step(6))] {
        let begin = Event::Push { faults: vec![Fault::LostBefore], crash: None, meddling: None, verify: false, lag: 0 };
        let killed = Event::Push { faults: Vec::new(), crash, meddling: None, verify: false, lag: 0 };
        let translated = if crash.is_some() { 2 } else { 1 };
        let mut history =
            vec![begin, Event::Translate(translated, Some(0)), killed, push(&[Fault::WrongAnswer], false)];
        if crash.is_some() {
            history.remove(0);
        } else {
            history.remove(2);
        }
        simulate(history, HistoryKind { form: HubForm::Languages, ..HistoryKind::default() });
    }
}

/// Two entries refer to each other. The answer to the creation of one is lost, and the other's coming
/// makes it owed again in the same run.
#[test]
fn what_is_in_doubt_is_not_sent_again_in_one_run() {
    for lost in [5, 6] {
        let mut faults = vec![Fault::None; lost + 1];
        (faults[0], faults[lost]) = (Fault::LostBefore, Fault::WrongAnswer);
        let circle = [Event::Refer(0, Some(1)), Event::Refer(1, Some(0))];
        let history: Vec<Event> = circle.into_iter().chain([push(&faults, false), Event::Live(0, false)]).collect();
        for versions in [true, false] {
            simulate(history.clone(), HistoryKind { versions, ..HistoryKind::default() });
        }
    }
}

/// Two entries that refer to each other failed both: neither waits for the other for ever.
#[test]
fn a_circle_that_failed_is_closed_by_the_next_run() {
    use Fault::{LostBefore, Throttled, WrongAnswer};
    let history = vec![
        Event::Refer(0, Some(1)),
        Event::Refer(1, Some(0)),
        push(&[Fault::None, WrongAnswer], false),
        push(&[LostBefore, Fault::None, Throttled], false),
    ];
    simulate(history, HistoryKind { versions: true, ..HistoryKind::default() });
}

/// The answer to a creation is lost, and what was created is not found for a while. Its coming to another
/// entry makes it owed again, in a later round of the same run.
#[test]
fn what_is_in_doubt_is_not_sent_again_in_a_later_round() {
    use Fault::{Doubled, LostAfter, LostBefore, WrongAnswer};
    for lag in [3_100, 3_151, 4_999] {
        let faults = vec![LostBefore, Fault::None, Doubled, LostAfter];
        let lost = Event::Push { faults, crash: None, meddling: None, verify: false, lag };
        let history = vec![Event::Refer(1, Some(0)), push(&[WrongAnswer], false), lost];
        simulate(history, HistoryKind::default());
    }
}

/// A creation is lost and the run is killed while it looks for it; then a hand deletes a document.
#[test]
fn what_a_killed_run_looked_for_and_a_hand_deleted() {
    let mut faults = vec![Fault::None; 7];
    faults[6] = Fault::LostAfter;
    let killed = Event::Push { faults, crash: Some(Crash::Look(12)), meddling: None, verify: false, lag: 1_851 };
    let history = vec![
        Event::Translate(0, Some(0)),
        killed,
        Event::HandDelete(1),
        Event::Edit(0, 0, 0),
        push(&[Fault::None, Fault::Doubled], false),
    ];
    simulate(history, HistoryKind { form: HubForm::Languages, ..HistoryKind::default() });
}

/// What somebody else keeps on a page beside ours is theirs still when a run is undone.
#[test]
fn what_a_hand_wrote_stays_theirs_when_a_run_is_undone() {
    let history = vec![
        push(&[Fault::None, Fault::LostBefore], false),
        Event::HandEdit(0, 1, 10),
        Event::Edit(2, 0, 1),
        push(&[], true),
        Event::Undo(0),
    ];
    for versions in [false, true] {
        simulate(history.clone(), HistoryKind { versions, ..HistoryKind::default() });
    }
}

/// What is saved unseen gets no answer, and its entry becomes what it was before anybody looks. The destination spells
/// texts its own way, so that what lies there may be a hand's draft: it is not put on view.
#[test]
fn a_draft_that_may_be_a_hands_stays_unseen() {
    use Fault::{Doubled, LostAfter, LostBefore};
    let history = vec![
        push(&[LostBefore], false),
        Event::Edit(0, 1, 1),
        Event::Launch { faults: vec![Doubled, Fault::None, Fault::None, LostAfter], crash: None },
        Event::Edit(0, 1, 0),
    ];
    simulate(history, HistoryKind { versions: true, shows: true, apart: true, ..HistoryKind::default() });
}

/// A hand adds to a list, and what is saved unseen is merged with that. Neither it nor the look after it gets an
/// answer: the next run finds it there, merged, and still has it to put on view.
#[test]
fn what_was_merged_with_a_hands_and_got_no_answer_goes_on_view() {
    use Fault::{Doubled, LostAfter, LostBefore, WrongAnswer};
    let history = vec![
        push(&[LostBefore], false),
        Event::Edit(0, 2, 1),
        Event::HandEdit(1, 2, 10),
        Event::Launch {
            faults: vec![Fault::None, WrongAnswer, Fault::None, Doubled, LostAfter, LostBefore],
            crash: None,
        },
        push(&[], false),
        Event::Undo(2),
    ];
    simulate(history, HistoryKind { apart: true, ..HistoryKind::default() });
}
