//! What `serve` tells of what happened, a line each.

use diaporos_hub::alerts::AlertKind;
use diaporos_hub::batch::{CollectTally, TimedBatch, TimedCollection};
use diaporos_hub::pull::{FoundAlone, PullRow};
use diaporos_hub::push::PushSummary;
use diaporos_hub::serve::{Done, JobEnd, Looked, Subscribed, Told};
use diaporos_hub::slate::Launched;
use diaporos_hub::tell::TellTally;
use diaporos_hub::tidy::TidyRow;
use diaporos_store::{AlertChanges, AlertRow};

use crate::commands::counted;

/// What is told of an event, a line each; nothing of what changed nothing.
pub(crate) fn lines(told: &Told) -> Vec<String> {
    match told {
        Told::Runs { systems, lanes } => vec![format!(
            "serve runs: {} pulled and {} pushed by themselves; `diaporos serve --plan` says when",
            counted(*systems as u64, "system is", "systems are"),
            counted(*lanes as u64, "lane is", "lanes are")
        )],
        Told::Listens(at) => vec![format!("listening at http://{at}")],
        Told::Done(done) => ended(done),
        Told::Alerts(changes) => alerts(changes),
        Told::Trouble(error) => vec![format!("the store failed, and is tried again in a moment: {error}")],
        Told::Reloaded => vec!["the configuration changed, and is taken over".to_owned()],
        Told::Refused(fault) => {
            vec![format!("the configuration changed and is faulty; the one before goes on: {fault}")]
        }
        Told::Ending(jobs) => vec![format!(
            "ending: {} under way, finished and noted; once more ends at once",
            counted(*jobs as u64, "job is", "jobs are")
        )],
    }
}

fn alerts(changes: &AlertChanges) -> Vec<String> {
    let AlertChanges { opened, reminded, closed } = changes;
    let told = |word: &str, row: &AlertRow| {
        let way_out = AlertKind::way_out(&row.kind, &row.subject);
        format!("{word}: {} {}: {}; {way_out}", row.kind, row.subject, row.message)
    };
    let opened = opened.iter().map(|row| told("alert", row));
    let reminded = reminded.iter().map(|row| told("alert still", row));
    let closed = closed.iter().map(|row| format!("alert over: {} {}", row.kind, row.subject));
    opened.chain(reminded).chain(closed).collect()
}

fn ended(done: &Done) -> Vec<String> {
    let what = done.what.iter().map(ToString::to_string).collect::<Vec<_>>().join(", ");
    match &done.end {
        JobEnd::Pulled(rows) => pulled(rows),
        JobEnd::Looked(looked) => seen(looked),
        JobEnd::Subscribed(seen) => subscribed(&what, seen),
        JobEnd::Tidied(rows) => tidied(rows),
        JobEnd::Told(tally) => told(&what, tally),
        JobEnd::NotTold(error) => vec![format!("{what}: {error}")],
        JobEnd::Pushed(summary) => pushed(&what, summary),
        JobEnd::Launched(Ok(launched)) => vec![format!("{what}: {}", of_launch(launched))],
        JobEnd::Launched(Err(error)) => vec![format!("{what}: {error}")],
        JobEnd::Batched(Ok(batched)) => sent(&what, batched),
        JobEnd::Collected(Ok(collection)) => collected(&what, collection),
        JobEnd::Batched(Err(error)) | JobEnd::Collected(Err(error)) => vec![format!("{what}: {error}")],
        JobEnd::Taken(_) => Vec::new(),
        JobEnd::NotBegun(error) => vec![format!("{what}: {error}")],
        JobEnd::Store(error) => vec![format!("{what}: {error}; tried again in a moment")],
        JobEnd::Broken(error) => vec![format!("{what}: the program has a fault: {error}")],
    }
}

fn pulled(rows: &[PullRow]) -> Vec<String> {
    let mut lines = Vec::new();
    for row in rows {
        let kind = row.kind.as_ref().map_or(String::new(), |kind| format!("/{kind}"));
        let counts = [(row.tally.new, "new"), (row.tally.changed, "changed"), (row.gone, "gone")];
        let counts: Vec<String> =
            counts.iter().filter(|(count, _)| *count > 0).map(|(count, word)| format!("{count} {word}")).collect();
        if !counts.is_empty() {
            lines.push(format!("pulled {}{kind}: {}", row.system, counts.join(", ")));
        }
        if let Some(problem) = row.problems.first() {
            let more = row.problems.len() as u64 - 1;
            let more = if more > 0 { format!(" ({more} more)") } else { String::new() };
            lines.push(format!("problem: {}{kind}: {problem}{more}", row.system));
        }
    }
    lines
}

fn subscribed(what: &str, seen: &[Subscribed]) -> Vec<String> {
    let line = |one: &Subscribed| match &one.end {
        Ok(Some(hub)) => Some(format!("{what}: asked {hub} to call when `{}` publishes", one.feed)),
        Ok(None) => None,
        Err(error) => Some(format!("{what}: `{}`: {error}", one.feed)),
    };
    seen.iter().filter_map(line).collect()
}

fn tidied(rows: &[TidyRow]) -> Vec<String> {
    let all: u64 = rows.iter().map(|row| row.rows).sum();
    if all == 0 { Vec::new() } else { vec![format!("tidied: {} taken out", counted(all, "row was", "rows were"))] }
}

fn of_launch(launched: &Launched) -> String {
    match launched {
        Launched::Whole(summary) => format!("launched, as run {}", summary.run.unwrap_or_default()),
        Launched::Unseen(_) => "nothing is on view: some of it could not be saved; it is tried again".to_owned(),
        Launched::InPart(_) => "launched in part; the rest is tried again".to_owned(),
        Launched::Faulty(faults) => format!(
            "not launched: {} against it; `diaporos slate check` names them",
            counted(faults.len() as u64, "fault stands", "faults stand")
        ),
    }
}

fn sent(what: &str, batched: &TimedBatch) -> Vec<String> {
    match batched {
        TimedBatch::Waits { .. } => Vec::new(),
        TimedBatch::TooMany { words } => {
            vec![format!("{what}: {words} words lack a translation, more than are sent without a person")]
        }
        TimedBatch::Asked { batch, price } => {
            vec![format!("{what}: the agency asks {price} for {batch}: `diaporos batch quote {batch}`")]
        }
        TimedBatch::Sent { batches, words } => {
            vec![format!("{what}: sent {}, {}", batches.join(", "), counted(*words, "word", "words"))]
        }
    }
}

fn collected(what: &str, collection: &TimedCollection) -> Vec<String> {
    let CollectTally { accepted, pending, rejected, outdated, refused, .. } = collection.tally;
    let counts = [
        (accepted, "accepted"),
        (pending, "pending"),
        (rejected, "rejected"),
        (outdated, "of texts that have changed since"),
        (refused, "left alone"),
    ];
    let counts: Vec<String> =
        counts.iter().filter(|(count, _)| *count > 0).map(|(count, word)| format!("{count} {word}")).collect();
    let mut lines = Vec::new();
    if !counts.is_empty() {
        lines.push(format!("{what}: {}", counts.join(", ")));
    }
    lines.extend(collection.faults.iter().map(|fault| format!("{what}: {fault}")));
    lines
}

fn told(what: &str, tally: &TellTally) -> Vec<String> {
    let mut lines = Vec::new();
    if tally.told > 0 {
        lines.push(format!("{what}: {} told", tally.told));
    }
    if let Some((count, problem)) = &tally.failed {
        lines.push(format!("{what}: {} failed, the last: {problem}", counted(*count, "attempt", "attempts")));
    }
    if tally.given_up > 0 {
        lines.push(format!("{what}: {} given up; `diaporos tell` lists what was not told", tally.given_up));
    }
    if let Some((count, why)) = &tally.unsaid {
        let what_happened = counted(*count, "event has", "events have");
        lines.push(format!("{what}: {what_happened} no value for an expression, the last: {why}"));
    }
    lines
}

fn seen(looked: &Looked) -> Vec<String> {
    let mut lines = Vec::new();
    for ((kind, id), found) in &looked.entries {
        let what = format!("{}/{kind}/{id}", looked.system);
        match found {
            FoundAlone::New => lines.push(format!("called, and pulled {what}: new")),
            FoundAlone::Changed => lines.push(format!("called, and pulled {what}: changed")),
            FoundAlone::Gone => lines.push(format!("called, and pulled {what}: gone")),
            FoundAlone::Failed(error) => lines.push(format!("called, and could not read {what}: {error}")),
            FoundAlone::Doubtful(why) => lines.push(format!("called, and kept {what}: {why}")),
            FoundAlone::Unchanged | FoundAlone::NotThere | FoundAlone::OnlyListed => {}
        }
    }
    lines.extend(pulled(&looked.listed));
    lines
}

fn pushed(what: &str, summary: &PushSummary) -> Vec<String> {
    let quiet = ["unchanged", "outside"];
    let entries = summary.tally.entries();
    let counts: Vec<String> = entries
        .iter()
        .filter(|(word, count)| *count > 0 && !quiet.contains(word))
        .map(|(word, count)| format!("{count} {word}"))
        .collect();
    let mut lines = Vec::new();
    // What is held as before is told by `holds`, and not with every push.
    let says_more = entries.iter().any(|(word, count)| *count > 0 && *word != "held" && !quiet.contains(word));
    if says_more {
        lines.push(format!("pushed {what}: {}", counts.join(", ")));
    }
    lines.extend(summary.stopped.iter().map(|(lane, error)| format!("the lane {lane} stopped: {error}")));
    lines
}
