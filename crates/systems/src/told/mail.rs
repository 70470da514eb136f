//! Telling by mail (SMTP, RFC 5321; STARTTLS, RFC 3207; implicit TLS, RFC 8314; AUTH, RFC 4954).

use std::time::Duration;

use diaporos_core::value::SystemName;
pub use lettre::message::Mailbox;
use lettre::message::header::{ContentTransferEncoding, ContentType, HeaderName, HeaderValue};
use lettre::message::{Message, SinglePart};
use lettre::transport::smtp::Error as SmtpError;
use lettre::transport::smtp::authentication::Credentials;
use lettre::transport::smtp::client::{Certificate, Tls, TlsParameters};
use lettre::{AsyncSmtpTransport, AsyncTransport, Tokio1Executor};

use super::{Reached, Telling};
use crate::http::is_loopback;
use crate::{ErrorKind, Secret, SystemError};

/// How long each step of a server may take.
const ANSWERS_WITHIN: Duration = Duration::from_secs(60);
/// The most characters of a subject.
const LONGEST_SUBJECT: usize = 200;

/// From whom mails are, and to whom.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Mails {
    /// From whom.
    pub from: Mailbox,
    /// To whom.
    pub to: Vec<Mailbox>,
}

/// People who are told by mail.
#[derive(Debug)]
pub struct MailRecipient {
    name: SystemName,
    place: String,
    mails: Mails,
    transport: AsyncSmtpTransport<Tokio1Executor>,
}

impl MailRecipient {
    /// People behind a mail server: `smtps` has TLS from the start, `smtp` turns it on before anything is said
    /// (STARTTLS), which only a server on this machine may be without.
    ///
    /// # Errors
    /// Where TLS cannot be set up.
    pub fn new(
        name: SystemName,
        at: &Reached,
        mails: Mails,
        login: Option<(String, Secret)>,
    ) -> Result<Self, SystemError> {
        let url = &at.url;
        let host = url.host_str().unwrap_or_default().trim_matches(['[', ']']).to_owned();
        let is_secure = url.scheme() == "smtps";
        let port = url.port().unwrap_or(if is_secure { 465 } else { 587 });
        let place = format!("{}://{host}:{port}", url.scheme());
        let failed = |error: SmtpError| SystemError {
            system: name.clone(),
            url: place.clone(),
            kind: ErrorKind::Refused(format!("TLS cannot be set up: {}", reasons(&error))),
        };
        let mut parameters = TlsParameters::builder(host.clone());
        if let Some(bundle) = &at.ca_bundle {
            parameters = parameters.add_root_certificate(Certificate::from_pem(bundle).map_err(failed)?);
        }
        let parameters = parameters.build().map_err(failed)?;
        let tls = match (is_secure, is_loopback(url)) {
            (true, _) => Tls::Wrapper(parameters),
            (false, true) => Tls::Opportunistic(parameters),
            (false, false) => Tls::Required(parameters),
        };
        let mut transport = AsyncSmtpTransport::<Tokio1Executor>::builder_dangerous(host).port(port).tls(tls);
        transport = transport.timeout(Some(ANSWERS_WITHIN));
        if let Some((user, password)) = login {
            transport = transport.credentials(Credentials::new(user, password.expose().to_owned()));
        }
        Ok(MailRecipient { name, place, mails, transport: transport.build() })
    }

    pub(super) async fn tell(&self, telling: Telling<'_>) -> Result<(), SystemError> {
        let failed = |kind| SystemError { system: self.name.clone(), url: self.place.clone(), kind };
        let mail = self.mail(telling).map_err(|error| failed(ErrorKind::Content(error.to_string())))?;
        self.transport.send(mail).await.map(drop).map_err(|error| failed(kind_of(&error)))
    }

    /// The mail. Its id is the same however often it is sent, so that a reader can drop what comes twice.
    fn mail(&self, telling: Telling<'_>) -> Result<Message, lettre::error::Error> {
        let subject = telling.headers.iter().find(|(name, _)| name == "subject").map_or("", |(_, text)| text);
        // A line end in a subject would begin a header of its own.
        let subject: String =
            subject.chars().map(|c| if c.is_control() { ' ' } else { c }).take(LONGEST_SUBJECT).collect();
        let id = format!("<{}@{}>", telling.id, self.mails.from.email.domain());
        let mut mail = Message::builder().from(self.mails.from.clone()).subject(subject).message_id(Some(id));
        for to in &self.mails.to {
            mail = mail.to(to.clone());
        }
        // RFC 3834: nobody's absence is told to a program.
        let name = HeaderName::new_from_ascii_str("Auto-Submitted");
        let mail = mail.raw_header(HeaderValue::new(name, "auto-generated".to_owned()));
        let text = SinglePart::builder()
            .header(ContentType::TEXT_PLAIN)
            .header(ContentTransferEncoding::QuotedPrintable)
            .body(telling.body.to_owned());
        mail.singlepart(text)
    }
}

/// What went wrong, with what it came of.
fn reasons(error: &dyn std::error::Error) -> String {
    let mut text = error.to_string();
    let mut source = error.source();
    while let Some(inner) = source {
        let inner_text = inner.to_string();
        if !text.contains(&inner_text) {
            text = format!("{text}: {inner_text}");
        }
        source = inner.source();
    }
    text
}

fn kind_of(error: &SmtpError) -> ErrorKind {
    let told = || crate::blank::blank(&reasons(error)).into_owned();
    if error.is_timeout() {
        return ErrorKind::TimedOut(ANSWERS_WITHIN);
    }
    match error.status() {
        Some(code) => ErrorKind::Status { status: u16::from(code), message: told() },
        None if error.is_response() || error.is_client() || error.is_tls() => ErrorKind::Refused(told()),
        None => ErrorKind::Unreachable(told()),
    }
}
