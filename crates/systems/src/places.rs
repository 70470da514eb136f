//! Places in texts, `{id}`, that are filled.

/// A text with its places filled, one after the other: what is filled in has no places of its own.
pub(crate) fn filled(text: &str, places: &[&str], values: &[&str]) -> String {
    let mut rest = text;
    let mut whole = String::new();
    while let Some(start) = rest.find('{') {
        whole.push_str(&rest[..start]);
        rest = &rest[start..];
        let place = rest.find('}').and_then(|end| {
            let number = places.iter().position(|place| *place == &rest[1..end])?;
            Some((end, *values.get(number)?))
        });
        match place {
            Some((end, value)) => {
                whole.push_str(value);
                rest = &rest[end + 1..];
            }
            None => {
                whole.push('{');
                rest = &rest[1..];
            }
        }
    }
    whole + rest
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_filled_in_has_no_places_of_its_own() {
        let filled = |text: &str| filled(text, &["id", "key"], &["{key}", "fern"]);
        assert_eq!(filled("/pages/{id}/{key}/{other}/{"), "/pages/{key}/fern/{other}/{");
    }
}
