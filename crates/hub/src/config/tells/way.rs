//! How somebody is told: by POST in a shape, or by mail.

use diaporos_core::diagnostic::{Code, Diagnostic, Report, Span};
use diaporos_core::settings;
use diaporos_core::settings::forms::{TEXT, TEXTS};
use diaporos_core::settings::{Form, Section, Table};
use diaporos_systems::SecretReference;
use diaporos_systems::settings::{PLACE, PlaceText, SECRET, place_of, secret};
use diaporos_systems::told::{Mailbox, Mails};

/// How somebody is told.
#[derive(Debug, Clone, PartialEq)]
pub enum TellWay {
    /// By POST.
    Post {
        /// At which address.
        to: PlaceText,
        /// In which shape.
        shape: Shape,
        /// The token that is shown.
        token: Option<SecretReference>,
        /// The key that signs.
        key: Option<SecretReference>,
    },
    /// By mail.
    Mail {
        /// The mail server.
        server: PlaceText,
        /// From whom, and to whom.
        mails: Mails,
        /// Who logs in at the mail server, and with which password.
        login: Option<(String, SecretReference)>,
    },
}

/// The shape of a body that is posted.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Shape {
    /// A CloudEvent in the body (CloudEvents 1.0, structured).
    Event,
    /// A CloudEvent of which the data is the body, and the rest stands in headers (CloudEvents 1.0, binary).
    EventBinary,
    /// JSON as expressions have it.
    Json,
}

pub(super) const SHAPES: [(&str, Shape); 3] =
    [("event", Shape::Event), ("event-binary", Shape::EventBinary), ("json", Shape::Json)];

/// What mail has not.
const OF_POST: [&str; 3] = ["shape", "token", "key"];

/// People who are told by mail.
pub(super) static MAIL: Table = Table::new(
    "mail",
    &[settings![
        server: PLACE, required, "the mail server: `smtps` has TLS from the start, `smtp` turns it on (STARTTLS), which only a server on this machine may be without", "smtps://mail.ostrel.example";
        from: TEXT, required, "from whom mails are", "Ostrel hub <hub@ostrel.example>";
        to: TEXTS, required, "to whom they go", "[\"editors@ostrel.example\"]";
        login: Form::Table(&LOGIN), none, "who logs in, where the server asks for that", "{ user = \"hub\", password = \"env:MAIL_PASSWORD\" }";
    ]],
);
static LOGIN: Table = Table::new(
    "log-in of mail",
    &[settings![
        user: TEXT, required, "the user", "hub";
        password: SECRET, required, "the password", "env:MAIL_PASSWORD";
    ]],
);

/// Reads how somebody is told.
pub(super) fn way(table: &mut Section<'_>, report: &mut Report) -> Option<TellWay> {
    let to = table.text("to", report);
    let shape = table.word("shape", &SHAPES, report);
    let token = table.text("token", report).map(|item| secret(&item, report));
    let key = table.text("key", report).map(|item| secret(&item, report));
    let has_mail = table.has("mail");
    if let Some(mut mail) = table.section("mail", report) {
        let read = by_mail(&mut mail, report);
        mail.finish(report);
        for key in OF_POST.into_iter().chain(["to"]).filter(|key| table.has(key)) {
            table.refuse(key, table.place(&[key]).unwrap_or_else(|| table.span()), "mail has none", report);
        }
        return read;
    }
    if to.is_none() && !has_mail {
        let finding = Diagnostic::error(Code::MissingKey, table.span(), format!("`{}` tells nobody", table.path()));
        report.add(finding.help("give an address, `to = \"https://…\"`, or people, `mail = { … }`"));
    }
    Some(TellWay::Post {
        to: place_of(&to?, &["http", "https"], report)?,
        shape: shape?,
        token: token.map_or(Some(None), |read| read.map(Some))?,
        key: key.map_or(Some(None), |read| read.map(Some))?,
    })
}

fn by_mail(table: &mut Section<'_>, report: &mut Report) -> Option<TellWay> {
    let server = table.text("server", report).and_then(|item| place_of(&item, &["smtp", "smtps"], report));
    let from = table.text("from", report).and_then(|item| mailbox(item.value.as_str(), item.span, report));
    let to = table.texts("to", report);
    let nobody = to.as_ref().is_some_and(Vec::is_empty);
    let to = to
        .map(|items| items.into_iter().map(|item| mailbox(&item.value, item.span, report)).collect::<Option<Vec<_>>>());
    let login = table.section("login", report).map(|mut section| {
        let user = section.text("user", report).map(|item| item.value.as_str().to_owned());
        let password = section.text("password", report).and_then(|item| secret(&item, report));
        section.finish(report);
        Some((user?, password?))
    });
    if nobody {
        table.refuse("to", table.span(), "a mail to nobody", report);
        return None;
    }
    let login = login.map_or(Some(None), |read| read.map(Some))?;
    Some(TellWay::Mail { server: server?, mails: Mails { from: from?, to: to?? }, login })
}

fn mailbox(text: &str, span: Span, report: &mut Report) -> Option<Mailbox> {
    match text.parse() {
        Ok(mailbox) => Some(mailbox),
        Err(error) => {
            report.add(Diagnostic::error(Code::BadValue, span, format!("this is no address of mail: {error}")));
            None
        }
    }
}
