//! The functions, one file each: name, parameters, examples and body together.
//!
//! Calls are checked from these descriptions, every example is run as a test, and the reference in
//! `docs/functions.md` and `diaporos functions` are written from them.

mod absolute;
mod absolute_url;
mod alternative;
mod any;
mod arguments;
mod ascii;
mod capitalise;
mod capture;
mod ceiling;
mod clean;
mod count;
mod counterpart;
mod counterparts;
mod crop;
mod date;
mod digits;
mod each;
mod ends;
mod ensure;
mod escape;
mod every;
mod fallback;
mod filter;
mod first;
mod flatten;
mod floor;
mod from_json;
mod from_xml;
mod get;
pub mod gives;
mod greatest;
mod hash;
mod house;
mod house_changes;
mod html;
mod id;
mod instant;
mod join;
mod keys;
mod keywords;
mod languages;
mod last;
mod later;
mod least;
mod length;
mod lookup;
mod lower;
mod markdown;
mod matches;
mod merge;
mod normalise;
mod number;
mod pad;
mod pairs;
mod phrases;
mod plain;
mod present;
mod rendition;
mod replace;
mod reverse;
mod rewrite;
mod round;
mod shorten;
mod skip;
mod slug;
mod sort;
mod split;
mod squeeze;
mod starts;
mod sum;
mod summary;
mod take;
mod text;
mod title_case;
mod to_json;
mod trim;
mod unique;
mod until;
mod upper;
mod url_encode;
mod url_part;
mod url_query;
mod values;
mod with_query;
mod words;
mod zone;

use std::borrow::Cow;
use std::cmp::Ordering;

use super::operation::{LONGEST_TEXT, compare};
use super::types::{Kind, Type};
use crate::value::Value;

/// The function that has a lane make documents of words.
pub(super) const ENSURE: &str = ensure::ENSURE.name;

pub use arguments::Arguments;
pub(super) use arguments::{Argument, Surroundings};
pub use gives::Given;

/// Every function, by name.
pub const ALL: &[Function] = &[
    absolute::ABSOLUTE,
    absolute_url::ABSOLUTE_URL,
    alternative::ALTERNATIVE,
    any::ANY,
    ascii::ASCII,
    capitalise::CAPITALISE,
    capture::CAPTURE,
    ceiling::CEILING,
    clean::CLEAN,
    count::COUNT,
    counterpart::COUNTERPART,
    counterparts::COUNTERPARTS,
    crop::CROP,
    date::DATE,
    digits::DIGITS,
    each::EACH,
    ends::ENDS,
    ensure::ENSURE,
    escape::ESCAPE,
    every::EVERY,
    fallback::FALLBACK,
    first::FIRST,
    flatten::FLATTEN,
    floor::FLOOR,
    from_json::FROM_JSON,
    from_xml::FROM_XML,
    get::GET,
    greatest::GREATEST,
    hash::HASH,
    house::HOUSE,
    house_changes::HOUSE_CHANGES,
    html::HTML,
    id::ID,
    instant::INSTANT,
    join::JOIN,
    keys::KEYS,
    keywords::KEYWORDS,
    languages::LANGUAGES,
    last::LAST,
    later::LATER,
    least::LEAST,
    length::LENGTH,
    lookup::LOOKUP,
    lower::LOWER,
    markdown::MARKDOWN,
    matches::MATCHES,
    merge::MERGE,
    normalise::NORMALISE,
    number::NUMBER,
    pad::PAD,
    pairs::PAIRS,
    phrases::PHRASES,
    plain::PLAIN,
    present::PRESENT,
    rendition::RENDITION,
    replace::REPLACE,
    reverse::REVERSE,
    rewrite::REWRITE,
    round::ROUND,
    shorten::SHORTEN,
    skip::SKIP,
    slug::SLUG,
    sort::SORT,
    split::SPLIT,
    squeeze::SQUEEZE,
    starts::STARTS,
    sum::SUM,
    summary::SUMMARY,
    take::TAKE,
    text::TEXT,
    title_case::TITLE_CASE,
    to_json::TO_JSON,
    trim::TRIM,
    unique::UNIQUE,
    until::UNTIL,
    upper::UPPER,
    url_encode::URL_ENCODE,
    url_part::URL_PART,
    url_query::URL_QUERY,
    values::VALUES,
    filter::WHERE,
    with_query::WITH_QUERY,
    words::WORDS,
    zone::ZONE,
];

/// The groups in which functions are shown.
pub const GROUPS: &[&str] = &[
    "Text",
    "House style",
    "Lists",
    "Records",
    "Numbers",
    "Dates and times",
    "Addresses",
    "Data",
    "Languages",
    "Pictures",
    "The hub",
];

/// What a function does with a value per language.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Lifts {
    /// It is called for each language, with everything as that language has it.
    Deep,
    /// It is called for each language of a localised input; what is in it keeps its languages.
    Top,
    /// It sees the languages.
    Whole,
}

/// A parameter that follows the function's name.
#[derive(Debug)]
pub struct Parameter {
    /// Its name in the documentation.
    pub name: &'static str,
    /// What it takes.
    pub kind: Kind,
    /// Whether it may be left out.
    pub optional: bool,
}

/// A function as it is described, checked, documented and called.
#[derive(Debug)]
pub struct Function {
    /// The name that follows the pipe.
    pub name: &'static str,
    /// The group in which it is shown.
    pub group: &'static str,
    /// What it does.
    pub summary: &'static str,
    /// What must come through the pipe. A null input or argument makes the result null.
    pub takes: Kind,
    /// What it gives for an input that is not null.
    pub gives: fn(&Type, &[Given]) -> Type,
    /// What follows the name.
    pub parameters: &'static [Parameter],
    /// Expressions with what they give, both as expressions.
    pub examples: &'static [(&'static str, &'static str)],
    /// What it does with languages.
    pub lifts: Lifts,
    /// The body. The input and the arguments are of the kinds described.
    pub body: fn(&Value, &Arguments<'_>) -> Result<Value, String>,
}

impl Function {
    /// The function of that name.
    #[must_use]
    pub fn named(name: &str) -> Option<&'static Function> {
        ALL.binary_search_by(|function| function.name.cmp(name)).ok().map(|place| &ALL[place])
    }

    /// How many arguments must follow.
    #[must_use]
    pub fn least(&self) -> usize {
        self.parameters.iter().filter(|parameter| !parameter.optional).count()
    }

    /// How it is written: `shorten MOST [AT]`.
    #[must_use]
    pub fn usage(&self) -> String {
        let parameter = |parameter: &Parameter| {
            let name = parameter.name.to_uppercase();
            if parameter.optional { format!(" [{name}]") } else { format!(" {name}") }
        };
        self.parameters.iter().fold(self.name.to_owned(), |usage, next| usage + &parameter(next))
    }

    /// Calls the body after checking kinds, for not all is known before an entry is seen.
    ///
    /// # Errors
    /// Says which value is of the wrong kind, or what the body could not do.
    pub fn apply(&self, input: &Value, arguments: &Arguments<'_>) -> Result<Value, String> {
        if input.is_null() {
            return Ok(Value::Null);
        }
        if !self.takes.takes(input) && self.lifts != Lifts::Whole {
            return Err(format!("`{}` takes {}, not {}", self.name, self.takes.phrase(), input.kind_name()));
        }
        for (place, parameter) in self.parameters.iter().enumerate() {
            let Some(argument) = arguments.value(place) else { continue };
            let name = parameter.name;
            match (parameter.kind, argument) {
                (Kind::Anything, _) => {}
                (_, argument) if argument.is_null() => return Ok(Value::Null),
                (Kind::Count, Value::Integer(..0)) => {
                    return Err(format!("`{}` cannot use a negative number for {name}", self.name));
                }
                (kind, argument) if !kind.takes(argument) => {
                    let phrase = kind.phrase();
                    return Err(format!("`{}` wants {phrase} for {name}, not {}", self.name, argument.kind_name()));
                }
                _ => {}
            }
        }
        (self.body)(input, arguments)
    }
}

fn text(value: &Value) -> &str {
    value.as_text().unwrap_or_default()
}

fn scalar(value: &Value) -> Cow<'_, str> {
    value.scalar_text().unwrap_or_default()
}

fn items(value: &Value) -> &[Value] {
    match value {
        Value::List(items) => items,
        _ => &[],
    }
}

fn members(value: &Value) -> impl Iterator<Item = (&String, &Value)> {
    let members = if let Value::Record(members) = value { Some(members) } else { None };
    members.into_iter().flatten()
}

fn record<const N: usize>(members: [(&str, Value); N]) -> Value {
    Value::Record(members.into_iter().map(|(name, value)| (name.to_owned(), value)).collect())
}

fn integer(count: usize) -> Value {
    Value::Integer(i64::try_from(count).unwrap_or(i64::MAX))
}

/// A number without a fraction as an integer, where it is one that an integer can hold.
fn whole(number: f64) -> Value {
    format!("{number:.0}").parse().map_or(Value::Number(number), Value::Integer)
}

/// Whether a text of so many bytes may be made.
fn affordable(bytes: usize) -> Result<(), String> {
    if bytes > LONGEST_TEXT { Err(format!("a text may have {LONGEST_TEXT} bytes")) } else { Ok(()) }
}

fn on_text(input: &Value, change: impl Fn(&str) -> String) -> Result<Value, String> {
    Ok(Value::Text(change(text(input))))
}

/// The order of sorting: numbers, then texts, then what has no order; nulls last.
fn order(a: &Value, b: &Value) -> Ordering {
    let rank = |value: &Value| match value {
        Value::Integer(_) | Value::Number(_) => 0,
        Value::Text(_) => 1,
        Value::Boolean(_) => 2,
        Value::Null => 4,
        _ => 3,
    };
    let by_value = match (a, b) {
        (Value::Text(a), Value::Text(b)) => crate::text::moment::order(a, b),
        (Value::Boolean(a), Value::Boolean(b)) => a.cmp(b),
        _ => compare(a, b).unwrap_or(Ordering::Equal),
    };
    rank(a).cmp(&rank(b)).then(by_value)
}

#[cfg(test)]
mod tests;
