//! What a hub reaches: the hosts it asks, the variables and secret files it reads. Whoever runs a hub
//! that another made wants to know before it runs.

use std::collections::BTreeSet;

use diaporos_core::change::fingerprint_texts;
use diaporos_systems::SecretReference;
use diaporos_systems::settings::{CredentialReference, PartText, PlaceText};
use url::Url;

use crate::config::Config;

/// Something that a hub reaches.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Reached {
    /// Which system is it for.
    pub system: String,
    /// `host`, `folder`, `variable` or `secret file`.
    pub what: &'static str,
    /// Its name.
    pub name: String,
    /// What for.
    pub purpose: String,
}

/// Everything that a hub reaches, sorted.
#[must_use]
pub fn reaches(config: &Config) -> Vec<Reached> {
    let mut found = BTreeSet::new();
    if let Some(reference) = &config.store.url {
        OfSystem { system: "store", found: &mut found }.secret(reference, "where the store is");
    }
    for (name, system) in &config.systems {
        let mut of = OfSystem { system: name.as_str(), found: &mut found };
        for (purpose, place) in system.places() {
            of.place(place, &purpose);
        }
        let credentials = system.credentials();
        of.credential(credentials.read, "read");
        of.credential(credentials.write, "write");
        let network = &system.network;
        network.hosts.iter().for_each(|host| of.add("host", host, "where its answers lead"));
        network.asset_hosts.iter().for_each(|host| of.add("host", host, "files of entries"));
        network.headers.iter().for_each(|(header, part)| of.part(part, &format!("the header {header}")));
        network.client_certificate.iter().for_each(|secret| of.secret(secret, "a certificate of ours"));
    }
    found.into_iter().collect()
}

/// By what it is told that a hub reaches something new.
#[must_use]
pub fn mark_of(reached: &[Reached]) -> String {
    let texts = reached.iter().flat_map(|one| [one.system.as_str(), one.what, one.name.as_str(), one.purpose.as_str()]);
    fingerprint_texts(texts).to_string()
}

struct OfSystem<'a> {
    system: &'a str,
    found: &'a mut BTreeSet<Reached>,
}

impl OfSystem<'_> {
    fn add(&mut self, what: &'static str, name: &str, purpose: &str) {
        let (system, name, purpose) = (self.system.to_owned(), name.to_owned(), purpose.to_owned());
        self.found.insert(Reached { system, what, name, purpose });
    }

    fn place(&mut self, place: &PlaceText, purpose: &str) {
        match place {
            PlaceText::Variable(name) => self.add("variable", name, purpose),
            PlaceText::Plain(text) => match Url::parse(text) {
                Ok(url) if url.has_host() => {
                    let port = url.port().map_or(String::new(), |port| format!(":{port}"));
                    let host = format!("{}://{}{port}", url.scheme(), url.host_str().unwrap_or_default());
                    self.add("host", &host, purpose);
                }
                _ => self.add("folder", text, purpose),
            },
        }
    }

    fn secret(&mut self, secret: &SecretReference, purpose: &str) {
        match secret {
            SecretReference::Variable(name) => self.add("variable", name, purpose),
            SecretReference::File(path) => self.add("secret file", &path.to_string_lossy(), purpose),
        }
    }

    fn part(&mut self, part: &PartText, purpose: &str) {
        if let PartText::Reference(secret) = part {
            self.secret(secret, purpose);
        }
    }

    fn credential(&mut self, credential: Option<&CredentialReference>, which: &str) {
        let purpose = format!("the credential `{which}`");
        match credential {
            None => {}
            Some(CredentialReference::Bearer(secret)) => self.secret(secret, &purpose),
            Some(CredentialReference::Basic { user, password }) => {
                self.part(user, &purpose);
                self.secret(password, &purpose);
            }
            Some(CredentialReference::Header { value, .. } | CredentialReference::Query { value, .. }) => {
                self.secret(value, &purpose);
            }
            Some(CredentialReference::Sign { key, id, .. }) => {
                self.secret(key, &purpose);
                id.iter().for_each(|id| self.part(id, &purpose));
            }
            Some(CredentialReference::With(first, further)) => {
                self.credential(Some(first), which);
                self.credential(Some(further), which);
            }
            Some(CredentialReference::OAuth { token, id, secret, refresh, .. }) => {
                refresh.iter().for_each(|refresh| self.secret(refresh, &purpose));
                self.place(token, "where a token is fetched");
                self.part(id, &purpose);
                self.secret(secret, &purpose);
            }
            Some(CredentialReference::Session { fields, .. }) => {
                fields.iter().for_each(|(_, part)| self.part(part, &purpose));
            }
        }
    }
}
