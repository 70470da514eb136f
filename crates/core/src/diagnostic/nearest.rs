//! The name that was probably meant.

/// The known name nearest to the given one, if one is near enough to be a slip of the hand.
#[must_use]
pub fn nearest<'a>(given: &str, known: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    let given = given.to_lowercase();
    let most = (given.chars().count() / 3).max(1);
    known
        .into_iter()
        .map(|name| (strsim::damerau_levenshtein(&given, &name.to_lowercase()), name))
        .filter(|(distance, _)| *distance <= most)
        .min()
        .map(|(_, name)| name)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn slips_are_recognised_and_strangers_are_not() {
        let known = ["shorten", "slug", "plain"];
        assert_eq!(nearest("shorten", known), Some("shorten"));
        assert_eq!(nearest("shroten", known), Some("shorten"));
        assert_eq!(nearest("Slug", known), Some("slug"));
        assert_eq!(nearest("translate", known), None);
    }
}
