//! The same numbers, whatever a language puts between their digits.

use std::collections::BTreeMap;
use std::sync::LazyLock;

use regex::Regex;

/// Digits, with points, commas, apostrophes and colons between them, and spaces before groups of
/// three.
#[expect(clippy::expect_used, reason = "the pattern is a constant that every test of checks compiles")]
static NUMBER: LazyLock<Regex> =
    LazyLock::new(|| Regex::new("[0-9]+(?:[.,'’:][0-9]+|[ \u{a0}\u{202f}\u{2009}][0-9]{3}\\b)*").expect("a pattern"));

pub(super) fn check(source: &str, target: &str) -> Option<String> {
    let (before, after) = (numbers(source), numbers(target));
    // A language may part what another writes together: 12:30 is 12 h 30.
    let digits = |text: &str| {
        let mut digits: Vec<char> =
            text.chars().filter_map(|c| c.to_digit(10).and_then(|n| char::from_digit(n, 10))).collect();
        digits.sort_unstable();
        digits
    };
    let shown = |numbers: &BTreeMap<String, (usize, String)>, other: &BTreeMap<String, (usize, String)>| {
        let more =
            |(key, (count, _)): &(&String, &(usize, String))| other.get(*key).is_none_or(|(there, _)| there < count);
        numbers.iter().filter(more).map(|(_, (_, text))| text.clone()).collect::<Vec<_>>()
    };
    let (lacking, added) = (shown(&before, &after), shown(&after, &before));
    let same = lacking.is_empty() && added.is_empty();
    if same || (lacking.len() != added.len() && digits(source) == digits(target)) {
        return None;
    }
    Some(match (lacking.is_empty(), added.is_empty()) {
        (false, true) => format!("{} is missing", lacking.join(", ")),
        (true, _) => format!("{} is not in the source", added.join(", ")),
        (false, false) => format!("{} is missing, and {} is not in the source", lacking.join(", "), added.join(", ")),
    })
}

/// By their digits alone: how often each stands there, and how it is written.
fn numbers(text: &str) -> BTreeMap<String, (usize, String)> {
    // Digits of other scripts are the same numbers.
    let western: String = text
        .chars()
        .map(|c| match c {
            '٠'..='٩' => char::from_digit(c as u32 - 0x660, 10).unwrap_or(c),
            '۰'..='۹' => char::from_digit(c as u32 - 0x6f0, 10).unwrap_or(c),
            '०'..='९' => char::from_digit(c as u32 - 0x966, 10).unwrap_or(c),
            '０'..='９' => char::from_digit(c as u32 - 0xff10, 10).unwrap_or(c),
            other => other,
        })
        .collect();
    let mut found = BTreeMap::new();
    for number in NUMBER.find_iter(&western) {
        let digits: String = number.as_str().chars().filter(char::is_ascii_digit).collect();
        found.entry(digits).or_insert((0, number.as_str().to_owned())).0 += 1;
    }
    found
}
