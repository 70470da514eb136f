use jiff::civil::time;
use proptest::prelude::*;

use super::*;

fn zone(name: &str) -> TimeZone {
    TimeZone::get(name).unwrap()
}

fn moment(text: &str) -> Timestamp {
    text.parse().unwrap()
}

fn at(times: &[(i8, i8)], name: &str) -> Schedule {
    Schedule {
        times: Times::At(times.iter().map(|(hour, minute)| time(*hour, *minute, 0, 0)).collect()),
        zone: zone(name),
    }
}

fn cron(text: &str, name: &str) -> Schedule {
    Schedule { times: Times::Cron(Box::new(Cron::read(text).unwrap())), zone: zone(name) }
}

/// The next moments after one, as the zone shows them.
fn next(schedule: &Schedule, after: &str, most: usize) -> Vec<String> {
    let mut last = moment(after);
    let step = |_| {
        last = schedule.next(last)?;
        Some(last.to_zoned_datetime(schedule.zone.clone()).strftime("%d %H:%M %Z").to_string())
    };
    (0..most).map_while(step).collect()
}

#[test]
fn times_of_the_day_come_once_a_day_whatever_the_clock_does() {
    let daily = at(&[(2, 30), (18, 0)], "Europe/Berlin");
    // On 28 March 2027 the clock goes from 2:00 to 3:00.
    let spring = next(&daily, "2027-03-27T10:00:00Z", 5);
    assert_eq!(spring, ["27 18:00 CET", "28 03:30 CEST", "28 18:00 CEST", "29 02:30 CEST", "29 18:00 CEST"]);
    // On 31 October 2027 it shows 2:30 twice.
    let autumn = next(&daily, "2027-10-30T17:00:00Z", 4);
    assert_eq!(autumn, ["31 02:30 CEST", "31 18:00 CET", "01 02:30 CET", "01 18:00 CET"]);
    // In São Paulo a day of spring had no midnight.
    let midnight = next(&at(&[(0, 0)], "America/Sao_Paulo"), "2018-11-03T12:00:00Z", 2);
    assert_eq!(midnight, ["04 01:00 -02", "05 00:00 -02"]);
}

#[test]
fn cron_expressions_hold_in_their_zone() {
    let work_days = cron("30 6 * * MON-FRI", "Europe/London");
    assert_eq!(next(&work_days, "2026-11-27T07:00:00Z", 2), ["30 06:30 GMT", "01 06:30 GMT"]);
    let skipped = cron("30 1 * * *", "Europe/London");
    assert_eq!(next(&skipped, "2027-03-27T12:00:00Z", 2), ["28 02:00 BST", "29 01:30 BST"]);
    let twice = cron("30 1 * * *", "Europe/London");
    assert_eq!(next(&twice, "2027-10-30T12:00:00Z", 2), ["31 01:30 BST", "01 01:30 GMT"]);
    let hourly = cron("0 * * * *", "Europe/London");
    assert_eq!(
        next(&hourly, "2027-10-30T23:30:00Z", 4),
        ["31 01:00 BST", "31 01:00 GMT", "31 02:00 GMT", "31 03:00 GMT"]
    );
    assert_eq!(next(&cron("0 0 30 2 *", "UTC"), "2026-01-01T00:00:00Z", 1), Vec::<String>::new());
    for wrong in ["", "* * * *", "61 * * * *", "0 0 0 * * *", "often"] {
        assert!(Cron::read(wrong).is_err(), "{wrong}");
    }
}

#[test]
fn what_was_missed_is_due_once() {
    let started = moment("2026-11-29T12:00:00Z");
    let every = Schedule { times: Times::Every(SignedDuration::from_mins(5)), zone: TimeZone::UTC };
    let slept = moment("2026-11-28T20:00:00Z");
    let due = every.due(Some(slept), started, "news").unwrap();
    assert!(due < started, "it is due at once");
    assert_eq!(every.due(Some(started), started, "news"), Some(moment("2026-11-29T12:05:00Z")));
    let daily = at(&[(6, 30)], "UTC");
    let due = daily.due(Some(moment("2026-11-20T06:30:12Z")), started, "news").unwrap();
    assert!(due < started);
    let after = daily.due(Some(started), started, "news").unwrap();
    assert!(after > moment("2026-11-30T06:30:00Z") && after < moment("2026-11-30T06:31:00Z"));
    assert!(daily.due(None, started, "news").unwrap() > started, "what never ran waits for its time");
    assert!(every.due(None, started, "news").unwrap().duration_since(started) < SignedDuration::from_secs(3));
}

#[test]
fn what_has_the_same_times_does_not_begin_together() {
    let daily = at(&[(6, 30)], "UTC");
    let of = |name: &str| daily.next_spread(moment("2026-11-29T00:00:00Z"), name).unwrap();
    let mut moments: Vec<Timestamp> = (0..20).map(|number| of(&format!("feed-{number}"))).collect();
    assert_eq!(of("feed-3"), moments[3], "the same name comes at the same moment");
    moments.sort();
    moments.dedup();
    assert_eq!(moments.len(), 20);
    let (first, last) = (moments[0], moments[19]);
    assert!(first >= moment("2026-11-29T06:30:00Z") && last <= moment("2026-11-29T06:30:30Z"));
}

fn schedules() -> impl Strategy<Value = Schedule> {
    let zones = prop::sample::select(vec![
        "UTC",
        "Europe/London",
        "America/New_York",
        "Australia/Lord_Howe",
        "America/Sao_Paulo",
    ]);
    let times = prop_oneof![
        (1_i64..100_000).prop_map(|seconds| Times::Every(SignedDuration::from_secs(seconds))),
        prop::collection::vec((0_i8..24, 0_i8..60), 1..4).prop_map(|times| {
            Times::At(times.into_iter().map(|(hour, minute)| time(hour, minute, 0, 0)).collect())
        }),
        (0_u8..60, prop::option::of(0_u8..24)).prop_map(|(minute, hour)| {
            let hour = hour.map_or("*".to_owned(), |hour| hour.to_string());
            Times::Cron(Box::new(Cron::read(&format!("{minute} {hour} * * *")).unwrap()))
        }),
    ];
    (times, zones).prop_map(|(times, name)| Schedule { times, zone: zone(name) })
}

proptest! {
    /// Over a year with both changes of the clock, moments only ever go forwards, none is further off than a day
    /// and an hour, and a time of the day comes on every day.
    #[test]
    fn moments_go_forwards_and_leave_no_day_out(schedule in schedules(), start in 0_i64..31_000_000) {
        let mut last = Timestamp::from_second(1_798_761_600 + start).unwrap();
        for _ in 0..50 {
            let next = schedule.next(last).unwrap();
            let most = match &schedule.times {
                Times::Every(interval) => *interval,
                _ => SignedDuration::from_hours(25),
            };
            prop_assert!(next > last && next.duration_since(last) <= most, "{last} {next}");
            last = next;
        }
    }
}
