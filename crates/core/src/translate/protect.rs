//! Text within a text that must not change: names, codes, placeholders, addresses.

use std::collections::BTreeSet;
use std::ops::Range;
use std::sync::{Arc, LazyLock};

use regex::{Regex, RegexBuilder};

/// What is known to stand for something else in texts, by name.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Preset {
    /// `{name}`, `{{ x }}`, `${x}`, `#{x}`.
    Braces,
    /// `%s`, `%-10.2f`, `%1$d`, `%(name)s`, `%@`, `%%` (ISO C `printf`, and those of other languages).
    Printf,
    /// `%1`, `%2`.
    Numbered,
    /// `{% if x %}`, `{# note #}`, `<% x %>`.
    Templates,
    /// `[name key="value"]`, `[/name]`.
    Shortcodes,
    /// Addresses on the web.
    Links,
    /// Addresses of mail.
    Emails,
}

impl Preset {
    /// Every preset with its word.
    pub const WORDS: [(&str, Preset); 7] = [
        ("braces", Preset::Braces),
        ("printf", Preset::Printf),
        ("numbered", Preset::Numbered),
        ("templates", Preset::Templates),
        ("shortcodes", Preset::Shortcodes),
        ("links", Preset::Links),
        ("emails", Preset::Emails),
    ];

    /// Those that are looked for where a brief names none.
    pub const USUAL: [Preset; 6] =
        [Preset::Braces, Preset::Printf, Preset::Templates, Preset::Shortcodes, Preset::Links, Preset::Emails];

    fn pattern(self) -> &'static str {
        match self {
            Preset::Braces => r"\{\{\{?[^{}\n]+\}?\}\}|[$#]\{[^{}\n]+\}|\{[A-Za-z0-9_.-]+\}",
            Preset::Printf => {
                r"%\([A-Za-z0-9_.]+\)[-+0#]*[0-9]*(?:\.[0-9]+)?[sdifuxXeEgGcr]|%%|%(?:[0-9]{1,2}\$)?@|%(?:[0-9]{1,2}\$)?[-+0#']*(?:[0-9]{1,3}|\*)?(?:\.(?:[0-9]{1,3}|\*))?(?:hh|h|ll|l|L|q|j|z|t)?[sdiufFeEgGxXocpaAn]\b"
            }
            Preset::Numbered => r"%L?[0-9]{1,2}\b",
            // None goes beyond the next of its own marks: what is not closed is soon known to be none.
            Preset::Templates => r"\{%[^\n%]*%\}|\{#[^\n#]*#\}|<%[^\n%]*%>",
            Preset::Shortcodes => {
                r#"\[/[A-Za-z][A-Za-z0-9_-]*\]|\[[A-Za-z][A-Za-z0-9_-]*(?:\s+[A-Za-z_-]+=(?:"[^"\n]*"|'[^'\n]*'|“[^”\n]*”|[^\s\]]+))+\s*/?\]"#
            }
            Preset::Links => r"\bhttps?://[^\s<>]*[^\s<>.,;:!?)]",
            Preset::Emails => r"\b[A-Za-z0-9._%+-]+@[A-Za-z0-9-]+(?:\.[A-Za-z0-9-]+)*\.[A-Za-z]{2,}\b",
        }
    }
}

#[expect(clippy::expect_used, reason = "the patterns are constants that every test of texts compiles")]
static USUAL_PATTERN: LazyLock<Arc<Regex>> =
    LazyLock::new(|| Arc::new(Regex::new(&patterns(&Preset::USUAL)).expect("a pattern")));

fn patterns(presets: &[Preset]) -> String {
    presets.iter().map(|preset| preset.pattern()).collect::<Vec<_>>().join("|")
}

/// Finds what must not change, and knows which attributes are read beside those that HTML itself has for
/// people.
#[derive(Debug, Clone)]
pub struct Protected {
    /// Shared, for a copy of a pattern begins without what was learnt of texts, which costs more than most of them.
    pattern: Arc<Regex>,
    attributes: Arc<BTreeSet<String>>,
}

impl Default for Protected {
    fn default() -> Self {
        Protected { pattern: Arc::clone(&USUAL_PATTERN), attributes: Arc::default() }
    }
}

/// What of texts is kept, and what is read.
#[derive(Debug, Clone, Copy, Default)]
pub struct Keep<'a> {
    /// What is known to stand for something else; the usual ones where none are named.
    pub presets: Option<&'a [Preset]>,
    /// Names, where they stand as whole words.
    pub names: &'a [String],
    /// Regular expressions.
    pub patterns: &'a [String],
    /// Attributes whose values are read: `data-caption`.
    pub attributes: &'a [String],
}

impl Protected {
    /// What is made of these.
    ///
    /// # Errors
    /// Says which pattern cannot be used, and why.
    pub fn new(keep: Keep<'_>) -> Result<Protected, String> {
        let usual = patterns(keep.presets.unwrap_or(&Preset::USUAL));
        let mut any: Vec<String> = Some(usual).filter(|usual| !usual.is_empty()).into_iter().collect();
        for pattern in keep.patterns {
            match Regex::new(pattern) {
                Ok(known) if known.is_match("") => return Err(format!("`{pattern}` matches nothing at all")),
                Ok(_) => any.push(format!("(?:{pattern})")),
                Err(error) => {
                    let reason = error.to_string();
                    let last = reason.lines().last().unwrap_or_default().trim_start_matches("error: ");
                    return Err(format!("`{pattern}` is not a pattern: {last}"));
                }
            }
        }
        let mut longest_first: Vec<&String> = keep.names.iter().filter(|name| !name.trim().is_empty()).collect();
        longest_first.sort_by(|a, b| b.len().cmp(&a.len()).then(a.cmp(b)));
        any.extend(longest_first.iter().map(|name| {
            let edge = |c: Option<char>| if c.is_some_and(char::is_alphanumeric) { r"\b" } else { "" };
            format!("{}{}{}", edge(name.chars().next()), regex::escape(name), edge(name.chars().next_back()))
        }));
        // Of nothing at all, nothing is found.
        let any = if any.is_empty() { r"[^\s\S]".to_owned() } else { any.join("|") };
        let pattern = RegexBuilder::new(&any).size_limit(1 << 24).build();
        let attributes = Arc::new(keep.attributes.iter().map(|name| name.to_lowercase()).collect());
        Ok(Protected { pattern: Arc::new(pattern.map_err(|error| error.to_string())?), attributes })
    }

    /// Whether an attribute is read though HTML has it not for people.
    #[must_use]
    pub fn reads(&self, attribute: &str) -> bool {
        self.attributes.contains(attribute)
    }

    /// Where in the text something stands that must not change, in order.
    pub fn find<'a>(&'a self, text: &'a str) -> impl Iterator<Item = Range<usize>> + 'a {
        self.pattern.find_iter(text).map(|found| found.range()).filter(|range| !range.is_empty())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found<'a>(protected: &Protected, text: &'a str) -> Vec<&'a str> {
        protected.find(text).map(|range| &text[range]).collect()
    }

    #[test]
    fn placeholders_names_and_addresses() {
        let names = ["Fernhollow".to_owned(), "Fernhollow East".to_owned()];
        let keep = Keep { names: &names, patterns: &[r"OG-\d+".into()], ..Keep::default() };
        let protected = Protected::new(keep).unwrap();
        for (text, expected) in [
            ("Hello {name}, {{ count }} ferns", vec!["{name}", "{{ count }}"]),
            ("{{{raw}}}, ${sum}, #{sum}, {0}", vec!["{{{raw}}}", "${sum}", "#{sum}", "{0}"]),
            ("%s of %(all)d, 5 % more, 100% sure, 20%", vec!["%s", "%(all)d"]),
            (
                "%1$s %2$@ %@ %-10.2f %05d %lu %*d 100%%",
                vec!["%1$s", "%2$@", "%@", "%-10.2f", "%05d", "%lu", "%*d", "%%"],
            ),
            (
                "{% if open %}Open{% endif %}{# why #}<%= x %>",
                vec!["{% if open %}", "{% endif %}", "{# why #}", "<%= x %>"],
            ),
            ("[gallery ids=\"1,2\"]Ferns[/gallery] [sic] [a] b", vec!["[gallery ids=\"1,2\"]", "[/gallery]"]),
            ("Write to ferns@ostrel.example. Or @moss", vec!["ferns@ostrel.example"]),
            ("Fernhollow East and Fernhollows", vec!["Fernhollow East"]),
            ("OG-17 at https://ostrel.example/a.", vec!["OG-17", "https://ostrel.example/a"]),
            ("{} and { a b } and %20", vec![]),
        ] {
            assert_eq!(found(&protected, text), expected, "{text}");
        }
        let of =
            |pattern: &str| Protected::new(Keep { patterns: &[pattern.to_owned()], ..Keep::default() }).unwrap_err();
        assert_eq!(of("("), "`(` is not a pattern: unclosed group");
        assert_eq!(of("x*"), "`x*` matches nothing at all");
    }

    #[test]
    fn presets_are_chosen_by_name() {
        let of = |presets: &[Preset]| Protected::new(Keep { presets: Some(presets), ..Keep::default() }).unwrap();
        let text = "%1 {name} %s";
        assert_eq!(found(&of(&[Preset::Numbered]), text), ["%1"]);
        assert_eq!(found(&of(&[Preset::Braces, Preset::Printf]), text), ["{name}", "%s"]);
        assert_eq!(found(&of(&[]), text), [""; 0]);
    }
}
