//! The `Link` header (RFC 8288).

/// The target of the link with the relation `next` (RFC 8288 §3).
pub(super) fn next_link(header: &str) -> Option<String> {
    let mut rest = header;
    while let Some(start) = rest.find('<') {
        let end = start + rest[start..].find('>')?;
        let target = &rest[start + 1..end];
        let parameters = &rest[end + 1..];
        // The link's parameters end at a comma outside of quotes.
        let mut quoted = false;
        let comma = parameters.char_indices().find(|(_, c)| {
            quoted ^= *c == '"';
            *c == ',' && !quoted
        });
        let (own, after) = comma.map_or((parameters, ""), |(at, _)| (&parameters[..at], &parameters[at + 1..]));
        let is_next = own.split(';').filter_map(|parameter| parameter.split_once('=')).any(|(name, value)| {
            let value = value.trim().trim_matches('"');
            name.trim().eq_ignore_ascii_case("rel")
                && value.split_whitespace().any(|rel| rel.eq_ignore_ascii_case("next"))
        });
        if is_next {
            return Some(target.to_owned());
        }
        rest = after;
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_next_of_several_links() {
        for (header, expected) in [
            (
                r#"<http://a.example/?page=3>; rel="next", <http://a.example/?page=9>; rel="last""#,
                Some("http://a.example/?page=3"),
            ),
            (r#"<http://a.example/?q=a,b>; rel="prev"; title="one, two", </x?page=2>; rel=next"#, Some("/x?page=2")),
            (r#"<http://a.example/>; rel="last next""#, Some("http://a.example/")),
            (r#"<http://a.example/>; rel="last""#, None),
            ("<unclosed", None),
            ("", None),
        ] {
            assert_eq!(next_link(header).as_deref(), expected, "{header}");
        }
    }
}
