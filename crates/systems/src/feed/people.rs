//! Those who wrote an item, in all the forms that feeds have for them.

use std::collections::BTreeSet;

use diaporos_core::value::{Record, Value};
use serde_json::Value as Json;

use super::node::Node;
use super::references::Mended;
use super::table::Role;
use super::texts::line;

/// Somebody.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(super) struct Person {
    pub(super) name: Option<String>,
    pub(super) email: Option<String>,
    pub(super) url: Option<String>,
    pub(super) role: Option<String>,
}

impl Person {
    /// Somebody as written in one text: `name`, `email`, `email (name)`, `name <email>`.
    pub(super) fn read(text: &str) -> Person {
        let text = text.trim();
        let some = |text: &str| Some(text.trim().trim_matches('"').trim().to_owned()).filter(|text| !text.is_empty());
        let pairs = [('(', ')'), ('<', '>')].iter().find_map(|(opens, closes)| {
            let (before, within) = text.strip_suffix(*closes)?.rsplit_once(*opens)?;
            (is_email(before) || is_email(within)).then_some((before, within))
        });
        let person = match pairs {
            Some((before, within)) if is_email(within) => {
                Person { name: some(before), email: some(within), ..Person::default() }
            }
            Some((before, within)) => Person { name: some(within), email: some(before), ..Person::default() },
            None if is_email(text) => Person { email: some(text), ..Person::default() },
            None => Person { name: some(text), ..Person::default() },
        };
        let email = person.email.map(|email| email.trim_start_matches("mailto:").to_owned());
        Person { email, ..person }
    }

    /// Somebody as an element has them: in elements within (RFC 4287 §3.2), or in its text.
    pub(super) fn of(node: &Node<'_>, role: Role, mended: &mut BTreeSet<Mended>) -> Option<Person> {
        let mut within = |names: &[&str]| {
            let child = names.iter().find_map(|name| node.child(name))?;
            line(child, mended)
        };
        let (name, email, url) = (within(&["name"]), within(&["email"]), within(&["uri", "url", "homepage"]));
        let mut person = match &name {
            None if email.is_none() => Person::read(&line(node, mended)?),
            _ => Person { name, email, ..Person::default() },
        };
        person.url =
            url.or_else(|| node.attribute("href").map(str::to_owned)).map(|url| node.absolute(&url)).or(person.url);
        person.role = match role {
            Role::Author => Some("author".to_owned()),
            Role::Contributor => Some("contributor".to_owned()),
            Role::Said => Some(node.attribute("role").unwrap_or("host").to_lowercase()),
        };
        Some(person)
    }

    /// Somebody of a JSON Feed: a text or an object.
    pub(super) fn of_json(json: &Json) -> Option<Person> {
        let text = |name: &str| json.get(name).and_then(Json::as_str).map(str::trim).filter(|text| !text.is_empty());
        let mut person = match json {
            Json::String(text) => Person::read(text),
            _ => Person { name: text("name").map(str::to_owned), ..Person::default() },
        };
        match text("url") {
            Some(url) if url.starts_with("mailto:") => {
                person.email = Some(url.trim_start_matches("mailto:").to_owned());
            }
            url => person.url = url.map(str::to_owned),
        }
        person.role = Some("author".to_owned());
        person.is_somebody().then_some(person)
    }

    /// Adds somebody to others: what is known of one who is there already is put together.
    pub(super) fn join(others: &mut Vec<Person>, person: Person) {
        let known = others
            .iter_mut()
            .find(|other| other.name == person.name && other.role == person.role && other.name.is_some());
        match known {
            Some(known) => {
                known.email = known.email.take().or(person.email);
                known.url = known.url.take().or(person.url);
            }
            None => others.push(person),
        }
    }

    /// Whether anything is known of them.
    pub(super) fn is_somebody(&self) -> bool {
        self.name.is_some() || self.email.is_some() || self.url.is_some()
    }

    /// What they are called.
    pub(super) fn called(&self) -> Option<&str> {
        self.name.as_deref().or(self.email.as_deref()).or(self.url.as_deref())
    }

    /// All that is known of them.
    pub(super) fn record(&self) -> Value {
        let parts = [("name", &self.name), ("email", &self.email), ("url", &self.url), ("role", &self.role)];
        let known = parts.into_iter().filter_map(|(name, part)| Some((name.to_owned(), Value::Text(part.clone()?))));
        Value::Record(Record::from_iter(known))
    }
}

fn is_email(text: &str) -> bool {
    let text = text.trim();
    text.contains('@') && !text.contains(char::is_whitespace) && !text.starts_with('@')
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn people_as_they_are_written() {
        for (text, name, email) in [
            ("Nia Rowe", Some("Nia Rowe"), None),
            ("nia@garden.example (Nia Rowe)", Some("Nia Rowe"), Some("nia@garden.example")),
            ("Nia Rowe (nia@garden.example)", Some("Nia Rowe"), Some("nia@garden.example")),
            ("\"Nia Rowe\" <nia@garden.example>", Some("Nia Rowe"), Some("nia@garden.example")),
            ("mailto:nia@garden.example", None, Some("nia@garden.example")),
            ("Nia Rowe (Fernhollow)", Some("Nia Rowe (Fernhollow)"), None),
            ("@nia", Some("@nia"), None),
        ] {
            let person = Person::read(text);
            assert_eq!((person.name.as_deref(), person.email.as_deref()), (name, email), "{text}");
        }
    }
}
