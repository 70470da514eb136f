use diaporos_store::{Passage, SLOT, SlotCount};
use jiff::SignedDuration;

use super::*;

fn at(text: &str) -> Timestamp {
    text.parse().unwrap()
}

fn slot(moment: &str, of: &str, what: &str, count: u64) -> SlotCount {
    SlotCount { slot: at(moment).as_second() / SLOT, of: of.to_owned(), what: what.to_owned(), count }
}

#[test]
fn days_are_those_of_the_zone_also_where_one_has_23_hours() {
    let zone = TimeZone::get("Europe/London").unwrap();
    // The clock goes forward on 29 March 2026.
    let span = Span { from: at("2026-03-28T00:00:00Z"), until: at("2026-03-30T23:00:00Z") };
    let days = Days::of(span, &zone);
    assert_eq!(days.names(), ["2026-03-28", "2026-03-29", "2026-03-30"]);
    let slots = [
        slot("2026-03-28T23:45:00Z", "news", "new", 1),
        slot("2026-03-29T22:45:00Z", "news", "new", 2),
        slot("2026-03-29T23:00:00Z", "news", "new", 4),
        slot("2026-03-29T12:00:00Z", "news", "gone", 8),
        slot("2026-03-29T12:00:00Z", "archive", "changed", 16),
        slot("2026-03-29T12:00:00Z", "archive", "unheard of", 32),
    ];
    let flows = by_day(&days, &slots, &CAME_IN);
    let told: Vec<_> = flows
        .iter()
        .map(|flow| (flow.name.as_str(), flow.counts.iter().map(|count| count.sum).collect::<Vec<_>>()))
        .collect();
    assert_eq!(told, [("archive", vec![0, 16, 0]), ("news", vec![7, 0, 8])]);
    assert_eq!(flows[1].counts[0].by_day, [1, 2, 4]);
    let india = Days::of(span, &TimeZone::get("Asia/Kolkata").unwrap());
    let late = by_day(&india, &[slot("2026-03-28T18:30:00Z", "news", "new", 1)], &CAME_IN);
    assert_eq!(late[0].counts[0].by_day, [0, 1, 0, 0], "a day there begins at half past six here");
}

#[test]
fn how_long_changes_take_is_told_from_their_source_where_it_says_when() {
    let taken = at("2026-11-29T12:00:10Z");
    let passage = |revision: Option<&str>, seconds: i64| Passage {
        lane: "profiles".to_owned(),
        revision: revision.map(str::to_owned),
        taken,
        live: taken + SignedDuration::from_secs(seconds),
    };
    let told = |passages: &[Passage]| {
        let mut all = Latencies::default();
        passages.iter().for_each(|passage| all.add(passage));
        let spread: Vec<u64> = all.spread().iter().map(|step| step.changes).collect();
        let row = all.by_lane().remove(0);
        ((row.changes, row.p50, row.p95, row.worst), spread)
    };
    assert_eq!(told(&[passage(None, 2)]).0, (1, 2.0, 2.0, 2.0));
    assert_eq!(told(&[passage(Some("2026-11-29T12:00:00Z"), 2)]).0, (1, 12.0, 12.0, 12.0));
    // A version that is no moment, one that is yet to come, and one of long ago: from the pull.
    for revision in ["7", "2026-11-29T13:00:00Z", "2019-01-01T00:00:00Z"] {
        assert_eq!(told(&[passage(Some(revision), 2)]).0.3, 2.0, "{revision}");
    }
    let many: Vec<Passage> = (1..=100).map(|seconds| passage(None, seconds)).collect();
    let (row, spread) = told(&many);
    assert_eq!(row, (100, 50.0, 95.0, 100.0));
    assert_eq!(spread, [1, 4, 25, 70, 0, 0, 0, 0, 0]);
    // A clock that was set back makes nothing faster than at once.
    assert_eq!(told(&[passage(None, -5)]).0.3, 0.0);
}
