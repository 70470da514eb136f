//! Counts by day. Pure.

use diaporos_store::{SLOT, SlotCount, Span};
use indexmap::IndexMap;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff::{SignedDuration, Timestamp};

use super::{Flow, FlowCount};

/// The days of a span, in a zone.
pub(super) struct Days {
    zone: TimeZone,
    first: Date,
    count: usize,
}

impl Days {
    pub(super) fn of(span: Span, zone: &TimeZone) -> Days {
        let day = |at: Timestamp| at.to_zoned_datetime(zone.clone()).date();
        // The moment after the span is none of it.
        let first = day(span.from);
        let last = day(span.until.checked_sub(SignedDuration::from_millis(1)).unwrap_or(span.until)).max(first);
        let count = usize::try_from((last - first).get_days()).unwrap_or_default() + 1;
        Days { zone: zone.clone(), first, count }
    }

    pub(super) fn names(&self) -> Vec<String> {
        self.first.series(jiff::Span::new().days(1)).take(self.count).map(|day| day.to_string()).collect()
    }

    /// Which of them a slot belongs to.
    fn place(&self, slot: i64) -> Option<usize> {
        let at = Timestamp::from_second(slot.checked_mul(SLOT)?).ok()?;
        let day = at.to_zoned_datetime(self.zone.clone()).date();
        // The slot in which a span begins may have begun on the day before.
        let place = (day - self.first).get_days().max(0);
        usize::try_from(place).ok().filter(|place| *place < self.count)
    }
}

/// Counts by system or lane, and by day; `words` says which are told, and how.
pub(super) fn by_day(days: &Days, slots: &[SlotCount], words: &[(&str, &'static str)]) -> Vec<Flow> {
    let mut flows: IndexMap<&str, Flow> = IndexMap::new();
    for slot in slots {
        let Some(word) = words.iter().position(|(known, _)| *known == slot.what) else { continue };
        let flow = flows.entry(slot.of.as_str()).or_insert_with(|| Flow {
            name: slot.of.clone(),
            counts: words.iter().map(|(_, what)| FlowCount { what, sum: 0, by_day: vec![0; days.count] }).collect(),
        });
        let (Some(count), Some(day)) = (flow.counts.get_mut(word), days.place(slot.slot)) else { continue };
        count.sum += slot.count;
        count.by_day[day] += slot.count;
    }
    flows.sort_unstable_keys();
    flows.into_values().collect()
}
