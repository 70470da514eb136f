//! The dates of an item: what the reader made of them, and what can be made of the others.

use std::sync::LazyLock;

use jiff::Timestamp;
use jiff::civil::{Date, DateTime};
use jiff::tz::TimeZone;
use regex::Regex;

/// Which of an item's two dates.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum When {
    Published,
    Updated,
}

#[expect(clippy::expect_used, reason = "the pattern is a constant that every test of feeds compiles")]
static DATE: LazyLock<Regex> = LazyLock::new(|| {
    let names = "pubDate|date|published|issued|updated|modified|date_published|date_modified";
    Regex::new(&format!(
        r#"<(?:[A-Za-z_][\w.-]*:)?({names})(?:\s[^>]*)?>\s*(?:<!\[CDATA\[)?([^<\]]*)|"({names})"\s*:\s*"([^"]*)""#
    ))
    .expect("a pattern")
});

/// Forms that people write and no standard has; a day and a month that could be taken for each other
/// are in none of them.
const MOMENTS: &[&str] = &[
    "%Y-%m-%d %H:%M:%S",
    "%Y-%m-%d %H:%M",
    "%Y/%m/%d %H:%M:%S",
    "%Y-%m-%dT%H:%M:%S",
    "%Y-%m-%dT%H:%M",
    "%a, %d %b %Y %H:%M:%S",
    "%A, %d %B %Y %H:%M:%S",
    "%d %B %Y %H:%M:%S",
    "%d %b %Y %H:%M",
    "%B %d, %Y %H:%M",
    "%B %d, %Y %I:%M %p",
];
const DAYS: &[&str] = &[
    "%Y-%m-%d",
    "%Y/%m/%d",
    "%Y%m%d",
    "%d %B %Y",
    "%d %b %Y",
    "%B %d, %Y",
    "%b %d, %Y",
    "%a, %d %b %Y",
    "%A, %d %B %Y",
];

/// The dates in an item as it was received, in its order.
pub(super) fn written(raw: &str) -> Vec<(When, &str)> {
    let found = DATE.captures_iter(raw).filter_map(|found| {
        let name = found.get(1).or_else(|| found.get(3))?.as_str();
        let text = found.get(2).or_else(|| found.get(4))?.as_str().trim();
        let when =
            if matches!(name, "updated" | "modified" | "date_modified") { When::Updated } else { When::Published };
        (!text.is_empty()).then_some((when, text))
    });
    found.collect()
}

/// Whether a date is written as RFC 3339 or RFC 822 and its successors have it.
pub(super) fn is_standard(text: &str) -> bool {
    text.parse::<Timestamp>().is_ok() || jiff::fmt::rfc2822::parse(text).is_ok()
}

/// The moment that was probably meant; without a zone, in UTC.
pub(super) fn salvage(text: &str) -> Option<Timestamp> {
    let bare = text.trim().trim_end_matches(['Z', 'z']).trim_end_matches("UTC").trim_end_matches("GMT").trim();
    let moment = MOMENTS.iter().find_map(|form| DateTime::strptime(form, bare).ok());
    let moment = moment.or_else(|| {
        Some(DAYS.iter().find_map(|form| Date::strptime(form, bare).ok())?.to_datetime(jiff::civil::Time::midnight()))
    });
    TimeZone::UTC.to_timestamp(moment?).ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn dates_as_people_write_them() {
        for (text, expected) in [
            ("2026-05-01 09:30:00", Some("2026-05-01T09:30:00Z")),
            ("2026-05-01 09:30", Some("2026-05-01T09:30:00Z")),
            ("2026-05-01", Some("2026-05-01T00:00:00Z")),
            ("1 May 2026", Some("2026-05-01T00:00:00Z")),
            ("May 1, 2026 9:30 PM", Some("2026-05-01T21:30:00Z")),
            ("01/05/2026", None),
            ("32 May 2026", None),
            ("soon", None),
        ] {
            assert_eq!(salvage(text).map(|moment| moment.to_string()).as_deref(), expected, "{text}");
        }
        assert!(is_standard("Fri, 01 May 2026 09:30:00 +0100") && is_standard("2026-05-01T09:30:00+01:00"));
        assert!(!is_standard("2026-05-01") && !is_standard("Friday"));
    }

    #[test]
    fn dates_are_found_where_they_stand() {
        let item = "<item><pubDate>Fri</pubDate><dc:date> 2026 </dc:date><atom:updated x='1'><![CDATA[now]]></atom:updated></item>";
        assert_eq!(written(item), [(When::Published, "Fri"), (When::Published, "2026"), (When::Updated, "now")]);
        assert_eq!(written(r#"{"date_modified": "x"}"#), [(When::Updated, "x")]);
    }
}
