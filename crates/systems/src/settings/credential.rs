//! Credentials of the configuration: by reference, of one kind each.

use crate::SecretReference;
use crate::http::{MomentHeader, SignatureForm, SigningHash, SigningRecipe};
use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings;
use diaporos_core::settings::forms::TEXT;
use diaporos_core::settings::{Form, InnerText, Item, Section, Table, TextForm, words};
use jiff::Timestamp;
use jiff::civil::Date;
use jiff::tz::TimeZone;

use super::forms::{PART, PLACE, SECRET};
use super::reference::{PartText, PlaceText, part, place};

/// A day.
pub(super) const DATE: Form =
    Form::Text(&TextForm { name: "a day, `2027-03-31`", pattern: Some("^[0-9]{4}-[0-9]{2}-[0-9]{2}$") });

/// When a system's credentials end, where that is said: the last moment of that day, in UTC.
pub fn credentials_end(table: &mut Section<'_>, report: &mut Report) -> Option<Timestamp> {
    let item = table.text("credentials_end", report)?;
    let last_moment = |day: Date| TimeZone::UTC.to_timestamp(day.at(23, 59, 59, 0));
    match item.value.as_str().parse().and_then(last_moment) {
        Ok(end) => Some(end),
        Err(_) => {
            table.refuse("credentials_end", item.span, "this is not a day", report);
            None
        }
    }
}

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
        /// For whom the token is.
        audience: Option<String>,
        /// Whether the client shows who it is in the body.
        in_body: bool,
        /// A refresh token that was given.
        refresh: Option<SecretReference>,
    },
    /// A signature of every request.
    Sign {
        /// What it is signed with.
        key: SecretReference,
        /// Who signs.
        id: Option<PartText>,
        /// How.
        recipe: Box<SigningRecipe>,
    },
    /// A credential, and another that goes along with it.
    With(Box<CredentialReference>, Box<CredentialReference>),
    /// A log-in that answers with a cookie.
    Session {
        /// The path it is posted to.
        login: String,
        /// The members of the body.
        fields: Vec<(String, PartText)>,
    },
}

/// The credentials of a system.
#[derive(Debug, Clone, Copy, Default)]
pub struct Credentials<'a> {
    /// The one that it is read with.
    pub read: Option<&'a CredentialReference>,
    /// The one that it is written with.
    pub write: Option<&'a CredentialReference>,
}

/// A credential.
pub(crate) static CREDENTIAL: Table = Table {
    name: "credential",
    one_of: &[&["bearer", "basic", "header", "query", "oauth", "session", "sign"]],
    needs: &[],
    groups: &[settings![
        bearer: SECRET, none, "a bearer token (RFC 6750)", "env:TOKEN";
        basic: Form::Table(&BASIC), none, "a user and a password (RFC 7617)", "{ user = \"hub\", password = \"env:PASSWORD\" }";
        header: Form::Table(&HEADER), none, "a header of the system's own", "{ name = \"X-Api-Key\", value = \"env:KEY\" }";
        query: Form::Table(&QUERY), none, "a parameter of every query", "{ name = \"key\", value = \"env:KEY\" }";
        oauth: Form::Table(&OAUTH), none, "a token that is fetched (OAuth 2 client credentials, RFC 6749), renewed early, and once where it is refused", "{ token = \"https://id.ostrel.example/token\", id = \"hub\", secret = \"env:SECRET\", scope = \"read\" }";
        session: Form::Table(&SESSION), none, "a cookie that a log-in gives", "{ login = \"/login\", fields = { name = \"hub\", password = \"env:PASSWORD\" } }";
        sign: Form::Table(&SIGN), none, "a signature of every request (HMAC, RFC 2104), by the recipe that the system describes", "{ key = \"env:KEY\", text = \"{method} {path} {moment}\", moment_header = \"Date\" }";
        with: Form::Table(&WITH), none, "another credential that goes along, where a system wants two", "{ header = { name = \"X-Api-Key\", value = \"env:KEY\" } }";
    ]],
};
static SIGN: Table = Table::new(
    "signature of requests",
    &[settings![
        key: SECRET, required, "what it is signed with", "env:KEY";
        text: TEXT, required, "what is signed: `{method}`, `{host}`, `{path}`, `{query}`, `{moment}`, `{digest}`, the hash of the body, and `{id}` are filled", "{method} {path} {moment}";
        id: PART, none, "who signs", "hub";
        hash: Form::Word { what: "a hash", of: || words(&HASHES) }, usual "sha256", "the hash of signature and body", "sha512";
        encoding: Form::Word { what: "a way in which bytes are written", of: || words(&FORMS) }, usual "hex", "how signature and hash are written", "base64";
        header: TEXT, usual "X-Signature", "the header with the signature", "Authorization";
        says: TEXT, usual "{signature}", "what it says; `{id}` is filled too", "HMAC {id}:{signature}";
        moment: Form::Word { what: "a way in which moments are written", of: || words(&MOMENTS) }, usual "http", "how the moment of the request is written: as in the header `Date` (RFC 9110), as RFC 3339, or as seconds since 1970", "seconds";
        moment_header: TEXT, none, "the header with the moment", "Date";
        digest_header: TEXT, none, "the header with the hash of the body", "X-Content-Hash";
    ]],
);
const HASHES: [(&str, SigningHash); 2] = [("sha256", SigningHash::Sha256), ("sha512", SigningHash::Sha512)];
const FORMS: [(&str, SignatureForm); 2] = [("hex", SignatureForm::Hex), ("base64", SignatureForm::Base64)];
const MOMENTS: [(&str, MomentHeader); 3] =
    [("http", MomentHeader::Http), ("rfc3339", MomentHeader::Rfc3339), ("seconds", MomentHeader::Seconds)];
/// Where a client shows who it is: whether in the body.
const CLIENT: [(&str, bool); 2] = [("header", false), ("body", true)];
static WITH: Table = Table {
    name: "further credential",
    one_of: &[&["header", "query"]],
    needs: &[],
    groups: &[settings![
        header: Form::Table(&HEADER), none, "a header of the system's own", "{ name = \"X-Api-Key\", value = \"env:KEY\" }";
        query: Form::Table(&QUERY), none, "a parameter of every query", "{ name = \"key\", value = \"env:KEY\" }";
    ]],
};
/// A user and a password.
pub(crate) static BASIC: Table = Table::new(
    "user and password",
    &[settings![
        user: PART, required, "the user", "hub";
        password: SECRET, required, "the password", "env:PASSWORD";
    ]],
);
static HEADER: Table = Table::new(
    "header with a secret",
    &[settings![
        name: TEXT, required, "the header's name", "X-Api-Key";
        value: SECRET, required, "what it says", "env:KEY";
    ]],
);
static QUERY: Table = Table::new(
    "parameter with a secret",
    &[settings![
        name: TEXT, required, "the parameter's name", "key";
        value: SECRET, required, "what it is", "env:KEY";
    ]],
);
pub(crate) static OAUTH: Table = Table::new(
    "token that is fetched",
    &[settings![
        token: PLACE, required, "the token endpoint", "https://id.ostrel.example/token";
        id: PART, required, "the client's identifier", "hub";
        secret: SECRET, required, "the client's secret", "env:SECRET";
        scope: TEXT, none, "what is asked for", "read";
        audience: TEXT, none, "for whom the token is, where the endpoint wants to know", "https://catalogue.ostrel.example";
        client: Form::Word { what: "where the client shows who it is", of: || words(&CLIENT) }, usual "header", "where the client shows who it is: in a header, or in the body (RFC 6749 §2.3.1)", "body";
        refresh: SECRET, none, "a refresh token that was given: tokens are fetched by it (RFC 6749 §6)", "env:REFRESH";
    ]],
);
static SESSION: Table = Table::new(
    "log-in",
    &[settings![
        login: TEXT, required, "the path that it is posted to", "/login";
        fields: Form::Named(&PART), required, "the members of its body", "{ name = \"hub\", password = \"env:PASSWORD\" }";
    ]],
);

/// Reads the credential under a key.
pub(crate) fn credential(
    table: &mut Section<'_>,
    named: &'static str,
    report: &mut Report,
) -> Option<CredentialReference> {
    let mut section = table.section(named, report)?;
    let kinds = || CREDENTIAL.settings().map(|setting| setting.key).filter(|key| *key != "with");
    let given: Vec<&str> = kinds().filter(|kind| section.has(kind)).collect();
    let read = one_of(&mut section, report);
    let further = section.section("with", report).and_then(|mut with| {
        let further = key(&mut with, report);
        with.finish(report);
        further
    });
    let read = match (read, further) {
        (Some(read), Some(further)) => Some(CredentialReference::With(Box::new(read), Box::new(further))),
        (read, _) => read,
    };
    section.finish(report);
    match given.as_slice() {
        [_] => read,
        [] => {
            let message = format!("`{}` says no kind of credential", section.path());
            let finding = Diagnostic::error(Code::MissingKey, section.span(), message);
            report.add(finding.help(format!(
                "one of: {}; as in `{{ bearer = \"env:NAME\" }}`",
                kinds().collect::<Vec<_>>().join(", ")
            )));
            None
        }
        several => {
            let message = format!("`{}` has several credentials: {}", section.path(), several.join(", "));
            report.add(Diagnostic::error(Code::BadValue, section.span(), message).help("keep one"));
            None
        }
    }
}

/// Reads a token that is fetched.
pub(crate) fn oauth(section: &mut Section<'_>, report: &mut Report) -> Option<CredentialReference> {
    within(section, "oauth", report, |table, report| {
        let token = table.text("token", report).and_then(|item| place(&item, report));
        let id = table.text("id", report).map(|item| part(&item));
        let secret = required_secret(table, "secret", report);
        let (scope, audience) = (table.string("scope", report), table.string("audience", report));
        let in_body = table.word("client", &CLIENT, report);
        let refresh = table.text("refresh", report).map(|item| super::credential::secret(&item, report));
        let (token, id, secret, in_body) = (token?, id?, secret?, in_body?);
        let refresh = refresh.map_or(Some(None), |refresh| refresh.map(Some))?;
        Some(CredentialReference::OAuth { token, id, secret, scope, audience, in_body, refresh })
    })
}

fn one_of(section: &mut Section<'_>, report: &mut Report) -> Option<CredentialReference> {
    let bearer = section.text("bearer", report).and_then(|item| secret(&item, report)).map(CredentialReference::Bearer);
    let basic = basic(section, "basic", report);
    let key = key(section, report);
    let oauth = oauth(section, report);
    let session = within(section, "session", report, |table, report| {
        let login = table.string("login", report);
        let mut members = table.section("fields", report)?;
        let names = members.names();
        let fields = names.into_iter().filter_map(|name| {
            let item = members.named_text(&name.value, report)?;
            Some((name.value, part(&item)))
        });
        let fields = fields.collect();
        Some(CredentialReference::Session { login: login?, fields })
    });
    let sign = within(section, "sign", report, signature);
    bearer.or(basic).or(key).or(oauth).or(session).or(sign)
}

fn signature(table: &mut Section<'_>, report: &mut Report) -> Option<CredentialReference> {
    let key = required_secret(table, "key", report);
    let id = table.text("id", report).map(|item| part(&item));
    let text = table.string("text", report);
    let (hash, form) = (table.word("hash", &HASHES, report), table.word("encoding", &FORMS, report));
    let (header, says) = (table.string("header", report), table.string("says", report));
    let moment = table.word("moment", &MOMENTS, report);
    let mut name = |key| table.string(key, report).map(|name| name.to_ascii_lowercase());
    let (moment_header, digest_header) = (name("moment_header"), name("digest_header"));
    let header = header?.to_ascii_lowercase();
    let (text, hash, form, says, moment) = (text?, hash?, form?, says?, moment?);
    let recipe = SigningRecipe { text, hash, form, header, says, moment, moment_header, digest_header };
    Some(CredentialReference::Sign { key: key?, id, recipe: Box::new(recipe) })
}

/// A header or a parameter with a secret.
fn key(section: &mut Section<'_>, report: &mut Report) -> Option<CredentialReference> {
    let header = within(section, "header", report, |table, report| {
        named_value(table, report).map(|(name, value)| CredentialReference::Header { name, value })
    });
    let query = within(section, "query", report, |table, report| {
        named_value(table, report).map(|(name, value)| CredentialReference::Query { name, value })
    });
    header.or(query)
}

/// Reads the user and the password under a key.
pub(crate) fn basic(section: &mut Section<'_>, key: &'static str, report: &mut Report) -> Option<CredentialReference> {
    within(section, key, report, |table, report| {
        let user = table.text("user", report).map(|item| part(&item));
        let password = required_secret(table, "password", report);
        Some(CredentialReference::Basic { user: user?, password: password? })
    })
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
    let name = table.string("name", report);
    let value = required_secret(table, "value", report);
    Some((name?, value?))
}

fn required_secret(table: &mut Section<'_>, key: &'static str, report: &mut Report) -> Option<SecretReference> {
    table.text(key, report).and_then(|item| secret(&item, report))
}

/// Reads where a secret is kept; a text that is one itself is refused, and not shown.
pub fn secret(item: &Item<InnerText>, report: &mut Report) -> Option<SecretReference> {
    let read = SecretReference::read(item.value.as_str());
    if read.is_none() {
        let finding = Diagnostic::error(Code::ClearSecret, item.span.clone(), "a secret stands in the configuration")
            .label("hidden here")
            .help("put it into an environment variable or a file, and write `env:NAME` or `file:PATH`; then give it up as known");
        report.add(finding);
    }
    read
}
