//! The same numbers, whatever a language puts between their digits.

use std::collections::BTreeMap;
use std::ops::Range;
use std::sync::LazyLock;

use icu_properties::CodePointMapData;
use icu_properties::props::GeneralCategory;
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
        .map(|c| if c.is_ascii() { c } else { digit(c).and_then(|digit| char::from_digit(digit, 10)).unwrap_or(c) })
        .collect();
    let mut found = BTreeMap::new();
    for number in NUMBER.find_iter(&western) {
        if is_month(&western, number.range()) {
            continue;
        }
        let digits: String = number.as_str().chars().filter(char::is_ascii_digit).collect();
        found.entry(digits).or_insert((0, number.as_str().to_owned())).0 += 1;
    }
    found
}

/// The value of a digit of any script: the decimal digits of each stand in a row, from nought
/// (Unicode Standard, §4.6).
fn digit(c: char) -> Option<u32> {
    let is_digit = |code: u32| {
        char::from_u32(code)
            .is_some_and(|c| CodePointMapData::<GeneralCategory>::new().get(c) == GeneralCategory::DecimalNumber)
    };
    let before = (0..60).take_while(|back| (c as u32).checked_sub(*back).is_some_and(is_digit)).count();
    u32::try_from(before.checked_sub(1)?).ok().map(|before| before % 10)
}

/// Whether a number is the name of a month, as several languages have it: `5月`, `5월`, `tháng 5`.
fn is_month(text: &str, number: Range<usize>) -> bool {
    let (before, after) = (text.get(..number.start).unwrap_or_default(), text.get(number.end..).unwrap_or_default());
    let is_named = after.trim_start().starts_with(['月', '월']) || before.trim_end().to_lowercase().ends_with("tháng");
    is_named
        && text.get(number).and_then(|digits| digits.parse().ok()).is_some_and(|month: u8| (1..=12).contains(&month))
}
