//! Where everything of an output is: the one rule for paths, addresses and closing slashes.

use std::collections::{BTreeMap, BTreeSet};

use diaporos_core::value::{Address, EntryId, LanguageTag, Record, Value};
use url::Url;

use super::documents::Shown;
use crate::config::{OutputConfig, Slash};

/// A page's path below the folder, and its address.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct PagePlace {
    pub(super) path: String,
    /// From the root of the host on.
    pub(super) url: String,
}

/// An output with the places of its documents.
pub(super) struct Site<'a> {
    pub(super) output: &'a OutputConfig,
    pub(super) shown: Vec<(&'a Shown, Result<PagePlace, String>)>,
    /// By entry and language, and by what the document is called.
    by_entry: BTreeMap<(&'a Address, &'a LanguageTag), usize>,
    by_id: BTreeMap<&'a EntryId, usize>,
    pub(super) languages: BTreeSet<&'a LanguageTag>,
}

impl<'a> Site<'a> {
    pub(super) fn of(output: &'a OutputConfig, all: &'a [Shown]) -> Site<'a> {
        let (mut by_entry, mut by_id) = (BTreeMap::new(), BTreeMap::new());
        let mut shown = Vec::with_capacity(all.len());
        for (at, one) in all.iter().enumerate() {
            let place = match output.pages.get(&one.kind) {
                Some(page) => filled(&page.at, &one.language, Some(&one.fields)).map(|at| place(output, &at)),
                None => Err("its type has no pages".to_owned()),
            };
            by_entry.insert((&one.address, &one.language), at);
            by_id.insert(&one.id, at);
            shown.push((one, place));
        }
        let languages = all.iter().map(|one| &one.language).collect();
        Site { output, shown, by_entry, by_id, languages }
    }

    /// Where the page of an entry is in a language.
    pub(super) fn page_of(&self, address: &Address, language: &LanguageTag) -> Option<(&Shown, &PagePlace)> {
        self.at(*self.by_entry.get(&(address, language))?)
    }

    /// Where the page is of a document by what it is called.
    pub(super) fn page_called(&self, id: &str) -> Option<(&Shown, &PagePlace)> {
        let id = EntryId::new(id).ok()?;
        self.at(*self.by_id.get(&id)?)
    }

    fn at(&self, at: usize) -> Option<(&Shown, &PagePlace)> {
        let (shown, place) = self.shown.get(at)?;
        Some((shown, place.as_ref().ok()?))
    }

    /// The pages of an entry, by language.
    pub(super) fn pages_of(&self, address: &'a Address) -> impl Iterator<Item = (&LanguageTag, &PagePlace)> {
        self.languages.iter().filter_map(|language| Some((*language, self.page_of(address, language)?.1)))
    }

    /// The files that documents name.
    pub(super) fn assets(&self) -> BTreeSet<EntryId> {
        fn gather(value: &Value, found: &mut BTreeSet<EntryId>) {
            match value {
                Value::Text(text) if text.starts_with(ASSETS) => found.extend(EntryId::new(text.clone()).ok()),
                Value::List(items) => items.iter().for_each(|item| gather(item, found)),
                Value::Record(fields) => fields.values().for_each(|inner| gather(inner, found)),
                Value::Localised(by_language) => by_language.values().for_each(|inner| gather(inner, found)),
                _ => {}
            }
        }
        let mut found = BTreeSet::new();
        self.shown.iter().flat_map(|(one, _)| one.fields.values()).for_each(|value| gather(value, &mut found));
        found
    }
}

/// Where a system of files keeps files of entries.
pub(super) const ASSETS: &str = "assets/";

/// An address below the output's with everything filled in. What is filled in is one step of it each.
pub(super) fn filled(at: &str, language: &LanguageTag, fields: Option<&Record>) -> Result<String, String> {
    let mut text = String::new();
    let mut rest = at;
    while let Some((before, after)) = rest.split_once('{') {
        let (name, after) = after.split_once('}').ok_or_else(|| format!("`{at}` has a `{{` without a `}}`"))?;
        text += before;
        if name == "language" {
            text += language.as_str();
        } else {
            let value = fields.and_then(|fields| fields.get(name)).and_then(Value::scalar_text);
            let value = value.filter(|value| !value.trim().is_empty());
            let value = value.ok_or_else(|| format!("its page has no address: `{name}` says nothing"))?;
            text += &step(&value);
        }
        rest = after;
    }
    Ok(text + rest)
}

/// A text as one step of a path: neither hidden, nor leading anywhere.
fn step(text: &str) -> String {
    let plain = |c: char| if c.is_alphanumeric() || matches!(c, '-' | '_' | '.') { c } else { '-' };
    let step: String = text.trim().chars().map(plain).take(120).collect();
    let step = step.trim_start_matches('.').to_owned();
    if step.is_empty() { "-".to_owned() } else { step }
}

/// Where a page is.
pub(super) fn place(output: &OutputConfig, at: &str) -> PagePlace {
    let path = match (at, output.slash) {
        ("", _) => "index.html".to_owned(),
        (at, Slash::With) => format!("{at}/index.html"),
        (at, Slash::Without) => format!("{at}.html"),
    };
    let end = if output.slash == Slash::With && !at.is_empty() { "/" } else { "" };
    PagePlace { path, url: rooted(&output.url, &format!("{at}{end}")) }
}

/// An address from the root of the host on.
pub(super) fn rooted(base: &Url, at: &str) -> String {
    base.join(at).map_or_else(|_| format!("{}{at}", base.path()), |url| url.path().to_owned())
}

/// A whole address.
pub(super) fn absolute(base: &Url, rooted: &str) -> String {
    base.join(rooted).map_or_else(|_| rooted.to_owned(), |url| url.to_string())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_are_filled_step_by_step() {
        let language: LanguageTag = "en".parse().unwrap();
        let fields: Record = [("slug", "royal fern"), ("dots", "../../etc"), ("empty", " ")]
            .into_iter()
            .map(|(name, text)| (name.to_owned(), Value::from(text)))
            .collect();
        for (at, expected) in [
            ("{language}/{slug}", Ok("en/royal-fern")),
            ("plain", Ok("plain")),
            ("", Ok("")),
            ("{language}/{dots}", Ok("en/-..-etc")),
            ("{empty}", Err("its page has no address: `empty` says nothing")),
            ("{other}", Err("its page has no address: `other` says nothing")),
            ("{slug", Err("`{slug` has a `{` without a `}`")),
        ] {
            let found = filled(at, &language, Some(&fields));
            assert_eq!(found.as_ref().map(String::as_str).map_err(String::as_str), expected, "{at}");
        }
    }
}
