//! Kind `mail`: what the configuration says of it.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::model::Model;
use diaporos_core::settings;
use diaporos_core::settings::forms::{TEXT, TEXTS};
use diaporos_core::settings::{Form, Section, Table, words};
use diaporos_core::value::TypeName;
use indexmap::IndexMap;
use url::Url;

use super::connection::{LogIn, MailServer};
use super::message::model;
use super::read::{MailReader, MailSource};
use super::taken::{Taken, TakenMark};
use crate::http::{Client, Credential};
use crate::kind::{Kind, System};
use crate::settings::{
    CredentialReference, Credentials, HubFiles, OAUTH, OF_ALL, PLACE, PartText, PlaceText, SECRET, oauth, place_of,
    secret,
};
use crate::setup::{ConnectError, Setup};
use crate::{ErrorKind, Read};

static SYSTEM: Table = Table::new(
    "system of kind mail",
    &[
        OF_ALL[0],
        OF_ALL[1],
        OF_ALL[2],
        OF_ALL[3],
        OF_ALL[4],
        settings![
            server: PLACE, required, "the mail server: `imaps` has TLS from the start, `imap` turns it on (STARTTLS), which only a server on this machine may be without", "imaps://mail.ostrel.example";
            folders: Form::Named(&TEXT), required, "the folders that are read, each under the name of the type that its messages are", "{ message = \"INBOX\" }";
            read: Form::Table(&LOGIN), required, "who logs in to read; nothing is changed in a folder by it", "{ user = \"hub\", password = \"env:MAIL_PASSWORD\" }";
            senders: TEXTS, none, "senders whose messages are taken in: addresses, or all of a host; anybody's without it. What a message says of its sender can be forged", "[\"*@ostrel.example\"]";
            absent: Form::Word { what: "what can become of messages that are no longer there", of: || words(&ABSENT) }, usual "kept", "what becomes of messages that are no longer in their folder", "gone";
            taken: Form::Table(&TAKEN), none, "what is done to messages that were taken in, by the pull after; nothing without it", "{ flag = \"TakenIn\" }";
            write: Form::Table(&LOGIN), none, "who logs in to do that", "{ user = \"hub\", password = \"env:MAIL_PASSWORD\" }";
        ],
    ],
)
.needing(&[("taken", "write"), ("write", "taken")]);
static LOGIN: Table = Table {
    name: "log-in of a mail server",
    one_of: &[&["password", "oauth"]],
    needs: &[],
    groups: &[settings![
        user: TEXT, required, "the user", "hub";
        password: SECRET, none, "the password", "env:MAIL_PASSWORD";
        oauth: Form::Table(&OAUTH), none, "instead: a token that is fetched (XOAUTH2)", "{ token = \"https://id.ostrel.example/token\", id = \"hub\", secret = \"env:SECRET\", refresh = \"env:REFRESH\" }";
    ]],
};
static TAKEN: Table = Table {
    name: "messages that were taken in",
    one_of: &[&["flag", "folder"]],
    needs: &[],
    groups: &[settings![
        flag: TEXT, none, "the flag that they get, a word of one's own", "TakenIn";
        folder: TEXT, none, "the folder that they go into; where the server can move messages (RFC 6851)", "Taken in";
    ]],
};
const ABSENT: [(&str, bool); 2] = [("kept", false), ("gone", true)];

/// Messages of folders on a mail server.
#[derive(Debug)]
pub struct Mail;

impl Kind for Mail {
    fn word(&self) -> &'static str {
        "mail"
    }

    fn settings(&self) -> &'static Table {
        &SYSTEM
    }

    fn read_settings(
        &self,
        table: &mut Section<'_>,
        _: &mut HubFiles<'_>,
        report: &mut Report,
    ) -> Option<Box<dyn System>> {
        let server = table.text("server", report).and_then(|item| place_of(&item, &["imap", "imaps"], report));
        let folders = folders(table, report);
        let read = login(table, "read", report);
        let senders = table.texts("senders", report).unwrap_or_default().into_iter().map(|item| item.value).collect();
        let absent_is_gone = table.word("absent", &ABSENT, report);
        let taken = taken(table, absent_is_gone, report);
        let write = login(table, "write", report);
        let (server, read, folders) = (server?, read?, folders?);
        let model = model(folders.keys());
        Some(Box::new(MailSystem {
            model,
            server,
            folders,
            read,
            senders,
            absent_is_gone: absent_is_gone?,
            taken,
            write,
        }))
    }
}

fn folders(table: &mut Section<'_>, report: &mut Report) -> Option<IndexMap<TypeName, String>> {
    let mut section = table.section("folders", report)?;
    let mut folders = IndexMap::new();
    for name in section.names() {
        let folder = section.named_text(&name.value, report)?;
        match TypeName::new(name.value.clone()) {
            Ok(kind) => drop(folders.insert(kind, folder.value.as_str().to_owned())),
            Err(error) => {
                let message = format!("`{}` cannot name a type: {error}", name.value);
                report.add(Diagnostic::error(Code::BadValue, name.span, message));
            }
        }
    }
    section.finish(report);
    Some(folders)
}

fn taken(table: &mut Section<'_>, absent_is_gone: Option<bool>, report: &mut Report) -> Option<Taken> {
    let mut section = table.section("taken", report)?;
    let flag = section.text("flag", report);
    let folder = section.text("folder", report);
    section.finish(report);
    if let Some(flag) = flag {
        let is_atom = |c: char| c.is_ascii_alphanumeric() || matches!(c, '$' | '-' | '_');
        if flag.value.as_str().is_empty() || !flag.value.as_str().chars().all(is_atom) {
            let message = "a flag of one's own is a word of letters, digits, `$`, `-` and `_`";
            report.add(Diagnostic::error(Code::BadValue, flag.span, message));
            return None;
        }
        return Some(Taken::Flag(flag.value.as_str().to_owned()));
    }
    let folder = folder?;
    if absent_is_gone == Some(true) {
        let message = "what goes into another folder would be taken for gone (`absent = \"gone\"`)";
        report.add(Diagnostic::error(Code::BadValue, folder.span, message));
        return None;
    }
    Some(Taken::Folder(folder.value.as_str().to_owned()))
}

/// Who logs in: by a password, or by a token that is fetched.
fn login(table: &mut Section<'_>, key: &'static str, report: &mut Report) -> Option<(String, CredentialReference)> {
    let mut section = table.section(key, report)?;
    let user = section.text("user", report).map(|item| item.value.as_str().to_owned());
    let password = section.text("password", report).map(|item| secret(&item, report));
    let fetched = oauth(&mut section, report);
    section.finish(report);
    let user = user?;
    let shown = match (password, fetched) {
        (Some(password), _) => CredentialReference::Basic { user: PartText::Plain(user.clone()), password: password? },
        (None, Some(fetched)) => fetched,
        (None, None) => return None,
    };
    Some((user, shown))
}

#[derive(Debug)]
struct MailSystem {
    model: Model,
    server: PlaceText,
    folders: IndexMap<TypeName, String>,
    read: (String, CredentialReference),
    senders: Vec<String>,
    absent_is_gone: bool,
    taken: Option<Taken>,
    write: Option<(String, CredentialReference)>,
}

impl MailSystem {
    fn server(
        &self,
        setup: &dyn Setup,
        (user, shown): &(String, CredentialReference),
    ) -> Result<MailServer, ConnectError> {
        let text = setup.text(&self.server)?;
        let none = || ConnectError::Address { system: setup.name().clone(), text: text.clone() };
        let url = Url::parse(&text).ok().filter(|url| matches!(url.scheme(), "imap" | "imaps") && url.has_host());
        let url = url.ok_or_else(none)?;
        let limits = setup.limits()?;
        let credential = setup.credential(&url, Some(shown))?;
        let login = match credential {
            Some(Credential::Basic { password, .. }) => LogIn::Password(user.clone(), password),
            fetched => {
                let client = Client::new(setup.name().clone(), limits.clone(), fetched)?;
                LogIn::Token(user.clone(), Box::new(client))
            }
        };
        Ok(MailServer::new(setup.name().clone(), url, limits, login)?)
    }
}

impl System for MailSystem {
    fn model(&self) -> &Model {
        &self.model
    }

    fn places(&self) -> Vec<(String, &PlaceText)> {
        vec![("its address".to_owned(), &self.server)]
    }

    fn credentials(&self) -> Credentials<'_> {
        Credentials { read: Some(&self.read.1), write: self.write.as_ref().map(|(_, shown)| shown) }
    }

    fn reader(&self, setup: &dyn Setup) -> Result<Box<dyn Read>, ConnectError> {
        let server = self.server(setup, &self.read)?;
        let taken = match (&self.taken, &self.write) {
            (Some(does), Some(login)) => Some(TakenMark { server: self.server(setup, login)?, does: does.clone() }),
            _ => None,
        };
        let attachments = setup.limits()?.network.attachments.ok_or_else(|| {
            ConnectError::System(server.failed(ErrorKind::Broken("there is no folder for attachments".to_owned())))
        })?;
        let (folders, senders) = (self.folders.clone(), self.senders.clone());
        let absent_is_gone = self.absent_is_gone;
        Ok(Box::new(MailReader::new(MailSource { server, folders, senders, absent_is_gone, taken, attachments })))
    }
}
