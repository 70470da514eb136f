//! What of a text's markup follows its language: the language that it names, and where its links lead.

use crate::translate::variety::{Nearness, nearness};
use crate::value::LanguageTag;

/// A value of an attribute that follows the language of its text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum LocalValue {
    /// `lang`: the language of what it stands on.
    Language(String),
    /// An address.
    Link(String),
    /// `hreflang`: the language of what a link leads to, and the link.
    LinkLanguage { language: String, link: String },
}

/// Where links lead, by language.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Links {
    rules: Vec<LinkRule>,
}

/// What links of one kind begin with.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LinkRule {
    /// In the language of the source: `/en/`.
    pub from: String,
    /// In each language that has one of its own: `/cymraeg/`.
    pub by_language: Vec<(LanguageTag, String)>,
    /// In any other, with `{language}` for its tag; links stay as they are where there is none.
    pub any: Option<String>,
}

impl Links {
    /// A table of these rules; the one that fits most of a link counts.
    #[must_use]
    pub fn new(mut rules: Vec<LinkRule>) -> Links {
        rules.sort_by_key(|rule| std::cmp::Reverse(rule.from.len()));
        Links { rules }
    }

    /// A link in another language; none where it stays.
    fn link(&self, link: &str, into: &LanguageTag) -> Option<String> {
        let rule = self.rules.iter().find(|rule| link.starts_with(rule.from.as_str()))?;
        let own = rule.by_language.iter().find(|(language, _)| language == into).map(|(_, start)| start.clone());
        let start = own.or_else(|| Some(rule.any.as_ref()?.replace("{language}", &into.as_str().to_lowercase())))?;
        Some(format!("{start}{}", link.get(rule.from.len()..)?))
    }
}

/// From which language into which a text is joined.
#[derive(Debug, Clone, Copy)]
pub struct Local<'a> {
    /// The language of the source.
    pub from: &'a LanguageTag,
    /// The language of the translation.
    pub into: &'a LanguageTag,
    /// Where links lead.
    pub links: &'a Links,
}

impl Local<'_> {
    pub(super) fn link(&self, link: &str) -> Option<String> {
        self.links.link(link, self.into)
    }

    fn value(&self, value: &LocalValue) -> Option<String> {
        match value {
            LocalValue::Language(language) if nearness(language, self.from.as_str()) < Nearness::Other => {
                Some(self.into.to_string())
            }
            LocalValue::Language(_) => None,
            LocalValue::Link(link) => self.link(link),
            // What a link leads to is in another language where the link is another.
            LocalValue::LinkLanguage { link, .. } => self.link(link).map(|_| self.into.to_string()),
        }
    }
}

impl LocalValue {
    /// It in the source.
    pub(super) fn original(&self) -> &str {
        match self {
            LocalValue::Language(text) | LocalValue::Link(text) => text,
            LocalValue::LinkLanguage { language, .. } => language,
        }
    }

    /// It in the language of a translation.
    pub(super) fn within(&self, local: Option<&Local<'_>>) -> String {
        local.and_then(|local| local.value(self)).unwrap_or_else(|| self.original().to_owned())
    }

    /// The value of an attribute, where it follows the language; `link` is where its element leads.
    pub(super) fn of(attribute: &str, value: &str, link: Option<&str>) -> Option<LocalValue> {
        match attribute {
            "lang" => Some(LocalValue::Language(value.to_owned())),
            "href" | "src" | "action" | "formaction" | "poster" => Some(LocalValue::Link(value.to_owned())),
            "hreflang" => Some(LocalValue::LinkLanguage { language: value.to_owned(), link: link?.to_owned() }),
            _ => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::translate::{Form, Inline, Protected, TextStructure};

    #[test]
    fn languages_and_links_follow_the_text() {
        let rule = |from: &str, any: Option<&str>| LinkRule {
            from: from.into(),
            by_language: vec![("cy".parse().unwrap(), "/cymraeg/".into())],
            any: any.map(str::to_owned),
        };
        let links = Links::new(vec![rule("/en/", Some("/{language}/")), rule("/en/map/", None)]);
        let from = "en".parse().unwrap();
        let joined = |form, text: &str, into: &str| {
            let shape = TextStructure::of(form, text, &Protected::default());
            let own: Vec<Inline> = shape.blocks().iter().map(|block| block.source.clone()).collect();
            assert_eq!(shape.join(&own).unwrap(), text);
            shape.join_in(&own, Some(&Local { from: &from, into: &into.parse().unwrap(), links: &links })).unwrap()
        };
        for (text, into, expected) in [
            (
                "<p lang=\"en-GB\">See <a href=\"/en/ferns\" hreflang=\"en\">ferns</a></p>",
                "fr",
                "<p lang=\"fr\">See <a href=\"/fr/ferns\" hreflang=\"fr\">ferns</a></p>",
            ),
            ("<p><a href=\"/en/ferns\">ferns</a></p>", "cy", "<p><a href=\"/cymraeg/ferns\">ferns</a></p>"),
            ("<p><a href=\"/en/map/1\">map</a></p>", "fr", "<p><a href=\"/en/map/1\">map</a></p>"),
            (
                "<p><i lang=\"la\">filix</i> <b lang=\"en\" translate=\"no\">fern</b></p>",
                "fr",
                "<p><i lang=\"la\">filix</i> <b lang=\"en\" translate=\"no\">fern</b></p>",
            ),
            (
                "<a href=\"https://x.example/en/\" hreflang=\"en\">x</a>",
                "fr",
                "<a href=\"https://x.example/en/\" hreflang=\"en\">x</a>",
            ),
        ] {
            assert_eq!(joined(Form::Html, text, into), expected);
        }
        assert_eq!(
            joined(Form::Markdown, "See [ferns](/en/ferns \"All\"), [`x`](</en/a b>) and `](/en/x)`", "fr"),
            "See [ferns](/fr/ferns \"All\"), [`x`](</fr/a b>) and `](/en/x)`"
        );
    }
}
