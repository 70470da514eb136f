//! Paths of calls, with places to fill.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings::{InnerText, Item};

use super::filled::Filled;

const PLACES: [&str; 4] = ["id", "key", "language", "type"];

/// A path with its places filled, each percent-encoded.
pub(super) fn fill(path: &str, filled: Filled<'_>) -> String {
    let values = [filled.id, filled.key, filled.language, filled.kind];
    let fill = |path: &str, encoded: fn(&str) -> String| {
        let put = |path: String, (place, value): (&&str, &str)| path.replace(&format!("{{{place}}}"), &encoded(value));
        PLACES.iter().zip(values).fold(path.to_owned(), put)
    };
    match path.split_once('?') {
        Some((path, query)) => format!("{}?{}", fill(path, step), fill(query, encoded)),
        None => fill(path, step),
    }
}

/// Whether a path has no places but these; others are reported.
pub(super) fn without_unknown((path, item): (&str, &Item<InnerText>), allowed: &[&str], report: &mut Report) -> bool {
    let Some(place) = places(path).find(|place| !allowed.contains(place)) else { return true };
    let known: Vec<String> = allowed.iter().map(|place| format!("{{{place}}}")).collect();
    let message = format!("`{{{place}}}` has no meaning in this call");
    let finding = Diagnostic::error(Code::BadValue, item.span.clone(), message);
    report.add(finding.help(format!("known here: {}", known.join(", "))));
    false
}

pub(super) fn places(path: &str) -> impl Iterator<Item = &str> {
    path.split('{').skip(1).filter_map(|rest| rest.split_once('}')).map(|(place, _)| place)
}

/// Percent-encoded so that it is one part of a path or a query, whatever is in it.
pub(super) fn encoded(text: &str) -> String {
    url::form_urlencoded::byte_serialize(text.as_bytes()).collect::<String>().replace('+', "%20")
}

/// A step of a path. Two steps mean another place in every spelling (RFC 3986 §5.2.4); no place has
/// them for a name, and the spelling that is sent is none that a server undoes at once.
fn step(text: &str) -> String {
    if matches!(text, "." | "..") { text.replace('.', "%252E") } else { encoded(text) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_are_filled_and_nothing_escapes() {
        let path = |filled| fill("/pages/{id}?slug={key}&lang={language}", filled);
        let filled = Filled { id: "a/../b", key: "x&admin=1 ŵ", language: "en", ..Filled::default() };
        assert_eq!(path(filled), "/pages/a%2F..%2Fb?slug=x%26admin%3D1%20%C5%B5&lang=en");
        assert_eq!(path(Filled { id: "..", key: "..", ..filled }), "/pages/%252E%252E?slug=..&lang=en");
    }
}
