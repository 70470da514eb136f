//! Credentials of the configuration: by reference, of one kind each.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings::{InnerText, Item, Section};
use diaporos_systems::SecretReference;

use super::reference::{PartText, PlaceText, part, place};

/// A credential by reference.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum CredentialReference {
    /// A bearer token.
    Bearer(SecretReference),
    /// A user and a password.
    Basic {
        /// The user.
        user: PartText,
        /// The password.
        password: SecretReference,
    },
    /// A header of the system's own.
    Header {
        /// Its name.
        name: String,
        /// Its value.
        value: SecretReference,
    },
    /// A query parameter.
    Query {
        /// Its name.
        name: String,
        /// Its value.
        value: SecretReference,
    },
    /// A token that is fetched (OAuth 2 client credentials).
    OAuth {
        /// The token endpoint.
        token: PlaceText,
        /// The client's identifier.
        id: PartText,
        /// Its secret.
        secret: SecretReference,
        /// What is asked for.
        scope: Option<String>,
    },
    /// A log-in that answers with a cookie.
    Session {
        /// The path it is posted to.
        login: String,
        /// The members of the body.
        fields: Vec<(String, PartText)>,
    },
}

const KINDS: [&str; 6] = ["bearer", "basic", "header", "query", "oauth", "session"];

/// Reads the credential under a key.
pub(super) fn credential(
    table: &mut Section<'_>,
    key: &'static str,
    report: &mut Report,
) -> Option<CredentialReference> {
    let mut section = table.section(key, report)?;
    let given: Vec<&str> = KINDS.into_iter().filter(|kind| section.has(kind)).collect();
    let read = one_of(&mut section, report);
    section.finish(report);
    match given.as_slice() {
        [_] => read,
        [] => {
            let message = format!("`{}` says no kind of credential", section.path());
            let finding = Diagnostic::error(Code::MissingKey, section.span(), message);
            report.add(finding.help(format!("one of: {}; as in `{{ bearer = \"env:NAME\" }}`", KINDS.join(", "))));
            None
        }
        several => {
            let message = format!("`{}` has several credentials: {}", section.path(), several.join(", "));
            report.add(Diagnostic::error(Code::BadValue, section.span(), message).help("keep one"));
            None
        }
    }
}

fn one_of(section: &mut Section<'_>, report: &mut Report) -> Option<CredentialReference> {
    let bearer = section.text("bearer", report).and_then(|item| secret(&item, report)).map(CredentialReference::Bearer);
    let basic = within(section, "basic", report, |table, report| {
        let user = table.required_text("user", report).map(|item| part(&item));
        let password = required_secret(table, "password", report);
        Some(CredentialReference::Basic { user: user?, password: password? })
    });
    let header = within(section, "header", report, |table, report| {
        named_value(table, report).map(|(name, value)| CredentialReference::Header { name, value })
    });
    let query = within(section, "query", report, |table, report| {
        named_value(table, report).map(|(name, value)| CredentialReference::Query { name, value })
    });
    let oauth = within(section, "oauth", report, |table, report| {
        let token = table.required_text("token", report).and_then(|item| place(&item, report));
        let id = table.required_text("id", report).map(|item| part(&item));
        let secret = required_secret(table, "secret", report);
        let scope = table.text("scope", report).map(|item| item.value.as_str().to_owned());
        Some(CredentialReference::OAuth { token: token?, id: id?, secret: secret?, scope })
    });
    let session = within(section, "session", report, |table, report| {
        let login = table.required_text("login", report).map(|item| item.value.as_str().to_owned());
        let mut members = table.section("fields", report);
        if members.is_none() && !table.has("fields") {
            table.missing("fields", report);
        }
        let members = members.as_mut()?;
        let names = members.names();
        let fields = names.into_iter().filter_map(|name| {
            let item = members.named_text(&name.value, report)?;
            Some((name.value, part(&item)))
        });
        let fields = fields.collect();
        Some(CredentialReference::Session { login: login?, fields })
    });
    bearer.or(basic).or(header).or(query).or(oauth).or(session)
}

fn within(
    section: &mut Section<'_>,
    key: &'static str,
    report: &mut Report,
    read: impl FnOnce(&mut Section<'_>, &mut Report) -> Option<CredentialReference>,
) -> Option<CredentialReference> {
    let mut table = section.section(key, report)?;
    let credential = read(&mut table, report);
    table.finish(report);
    credential
}

fn named_value(table: &mut Section<'_>, report: &mut Report) -> Option<(String, SecretReference)> {
    let name = table.required_text("name", report).map(|item| item.value.as_str().to_owned());
    let value = required_secret(table, "value", report);
    Some((name?, value?))
}

fn required_secret(table: &mut Section<'_>, key: &'static str, report: &mut Report) -> Option<SecretReference> {
    table.required_text(key, report).and_then(|item| secret(&item, report))
}

fn secret(item: &Item<InnerText>, report: &mut Report) -> Option<SecretReference> {
    let read = SecretReference::read(item.value.as_str());
    if read.is_none() {
        let finding = Diagnostic::error(Code::ClearSecret, item.span.clone(), "a secret stands in the configuration")
            .label("hidden here")
            .help("put it into an environment variable or a file, and write `env:NAME` or `file:PATH`; then give it up as known");
        report.add(finding);
    }
    read
}
