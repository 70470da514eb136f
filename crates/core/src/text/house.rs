//! House style: terms that are written in one way, put right in texts.

use std::collections::HashMap;

use regex::{Regex, RegexBuilder};

/// Terms and how the house writes them, ready to be put right.
#[derive(Debug, Clone)]
pub struct HouseStyle {
    terms: HashMap<String, String, foldhash::fast::FixedState>,
    pattern: Option<Regex>,
}

/// A term that was put right.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Change {
    /// As it stood.
    pub from: String,
    /// As the house writes it.
    pub to: String,
}

impl PartialEq for HouseStyle {
    fn eq(&self, other: &Self) -> bool {
        self.terms == other.terms
    }
}

impl HouseStyle {
    /// Reads terms with how they are to be written. Capitals do not count in finding them.
    ///
    /// # Errors
    /// Where the terms are too many to be looked for at once.
    pub fn new<'a>(terms: impl IntoIterator<Item = (&'a str, &'a str)>) -> Result<HouseStyle, String> {
        let terms: HashMap<_, _, _> = terms
            .into_iter()
            .filter(|(from, _)| !from.trim().is_empty())
            .map(|(from, to)| (from.to_lowercase(), to.to_owned()))
            .collect();
        let mut longest_first: Vec<&String> = terms.keys().collect();
        longest_first.sort_by(|a, b| b.len().cmp(&a.len()).then(a.cmp(b)));
        let any = longest_first.iter().map(|term| regex::escape(term)).collect::<Vec<_>>().join("|");
        // A whole word: no letter or digit on either side. What is passed over is matched first.
        let text = format!(
            r"(?P<pass><a\b[^>]*>(?s:.*?)</a\s*>|<(?:code|pre|script|style)\b[^>]*>(?s:.*?)</(?:code|pre|script|style)\s*>|<[^>]*>|&#?\w+;|\b[a-z][a-z0-9+.-]*://\S+|\b[\w.+-]+@[\w-]+\.\w[\w.]*)|\b(?P<term>{any})\b"
        );
        let build = || RegexBuilder::new(&text).case_insensitive(true).size_limit(1 << 24).build();
        let pattern = if terms.is_empty() { None } else { Some(build().map_err(|error| error.to_string())?) };
        Ok(HouseStyle { terms, pattern })
    }

    /// The text as the house writes it, and what was changed for it. Tags, links, code and
    /// addresses stay as they are; a term in capitals, or with a capital first, keeps them.
    #[must_use]
    pub fn put_right(&self, text: &str) -> (String, Vec<Change>) {
        let Some(pattern) = &self.pattern else { return (text.to_owned(), Vec::new()) };
        let mut changes = Vec::new();
        let right = pattern.replace_all(text, |found: &regex::Captures<'_>| {
            let whole = found.get(0).map_or("", |whole| whole.as_str());
            let Some(term) = found.name("term") else { return whole.to_owned() };
            let Some(to) = self.terms.get(&term.as_str().to_lowercase()) else { return whole.to_owned() };
            let to = in_case_of(term.as_str(), to);
            if to != term.as_str() {
                changes.push(Change { from: term.as_str().to_owned(), to: to.clone() });
            }
            to
        });
        (right.into_owned(), changes)
    }
}

/// The replacement in capitals as the term had them. One that has capitals of its own keeps those.
fn in_case_of(term: &str, to: &str) -> String {
    let has_capitals = to.chars().any(char::is_uppercase);
    let letters: Vec<char> = term.chars().filter(|c| c.is_alphabetic()).collect();
    if has_capitals || letters.is_empty() {
        to.to_owned()
    } else if letters.len() > 1 && letters.iter().all(|c| c.is_uppercase()) {
        to.to_uppercase()
    } else if letters[0].is_uppercase() {
        super::capitalise(to)
    } else {
        to.to_owned()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn whole_words_outside_of_tags_and_links() {
        let terms = [
            ("glass house", "glasshouse"),
            ("colour", "color"),
            ("ostrel gardens", "Ostrel Gardens"),
            ("e.g.", "for example"),
        ];
        let house = HouseStyle::new(terms).unwrap();
        for (text, right) in [
            ("The glass house, the Glass House, the GLASS HOUSE", "The glasshouse, the Glasshouse, the GLASSHOUSE"),
            ("discolouring colours, a colour", "discolouring colours, a color"),
            ("ostrel gardens and OSTREL GARDENS", "Ostrel Gardens and Ostrel Gardens"),
            (r#"<p title="colour">colour</p>"#, r#"<p title="colour">color</p>"#),
            (r#"<a href="/x">the colour</a> colour"#, r#"<a href="/x">the colour</a> color"#),
            ("see https://x.example/colour for colour", "see https://x.example/colour for color"),
            ("<code>colour</code>", "<code>colour</code>"),
        ] {
            assert_eq!(house.put_right(text).0, right, "{text}");
        }
        let (_, changes) = house.put_right("A Colour");
        assert_eq!(changes, [Change { from: "Colour".into(), to: "Color".into() }]);
        assert_eq!(HouseStyle::new([]).unwrap().put_right("x").0, "x");
    }
}
