//! A connection to a mail server: safe before anybody logs in, and given up where it takes too long.

use std::fmt::Debug;
use std::future::Future;
use std::sync::Arc;
use std::time::Duration;

use async_imap::error::Error as ImapError;
use async_imap::types::Mailbox;
use async_imap::{Authenticator, Client as ImapClient, Session as ImapSession};
use diaporos_core::value::SystemName;
use rustls::ClientConfig;
use rustls::pki_types::ServerName;
use tokio::io::{AsyncRead, AsyncWrite};
use tokio::net::TcpStream;
use tokio_rustls::TlsConnector;
use url::Url;

use crate::blank::blank;
use crate::http::{Client, Limits, is_loopback};
use crate::{ErrorKind, Secret, SystemError};

/// What is read from and written to.
pub(super) trait Wire: AsyncRead + AsyncWrite + Unpin + Debug + Send + Sync {}
impl<T: AsyncRead + AsyncWrite + Unpin + Debug + Send + Sync> Wire for T {}

/// A session of somebody who is logged in.
pub(super) type Session = ImapSession<Box<dyn Wire>>;

/// Who logs in.
#[derive(Debug)]
pub(super) enum LogIn {
    /// By a password.
    Password(String, Secret),
    /// By a token that is fetched (XOAUTH2); the client fetches it.
    Token(String, Box<Client>),
}

/// A mail server, and who logs in there.
#[derive(Debug)]
pub(super) struct MailServer {
    pub(super) system: SystemName,
    pub(super) url: Url,
    pub(super) limits: Limits,
    tls: Arc<ClientConfig>,
    login: LogIn,
}

/// What is answered to a server's question for a token.
struct Token(String);

impl Authenticator for Token {
    type Response = String;

    fn process(&mut self, _: &[u8]) -> String {
        // Asked a second time, the server tells why it refused, and wants an empty answer.
        std::mem::take(&mut self.0)
    }
}

impl MailServer {
    /// A server, and who logs in there.
    ///
    /// # Errors
    /// Where TLS cannot be set up.
    pub(super) fn new(system: SystemName, url: Url, limits: Limits, login: LogIn) -> Result<MailServer, SystemError> {
        let tls = diaporos_postgres::tls_config(limits.network.ca_bundle.as_deref());
        let place = place(&url);
        let tls = tls.map_err(|why| SystemError {
            system: system.clone(),
            url: place,
            kind: ErrorKind::Refused(format!("TLS cannot be set up: {why}")),
        })?;
        Ok(MailServer { system, url, limits, tls, login })
    }

    /// The server's address, without a user.
    pub(super) fn place(&self) -> String {
        place(&self.url)
    }

    pub(super) fn failed(&self, kind: ErrorKind) -> SystemError {
        SystemError { system: self.system.clone(), url: self.place(), kind }
    }

    fn imap(&self, error: &ImapError) -> SystemError {
        self.failed(kind_of(error))
    }

    /// Waits for something that the server does, for as long as an answer may take.
    ///
    /// # Errors
    /// Where it fails, or takes longer.
    pub(super) async fn within<T>(&self, doing: impl Future<Output = Result<T, ImapError>>) -> Result<T, SystemError> {
        let most: Duration = self.limits.whole;
        match tokio::time::timeout(most, doing).await {
            Ok(done) => done.map_err(|error| self.imap(&error)),
            Err(_) => Err(self.failed(ErrorKind::TimedOut(most))),
        }
    }

    /// Connects and logs in.
    ///
    /// # Errors
    /// Where the server cannot be reached, would hear a password in clear, or refuses whoever logs in.
    pub(super) async fn session(&self) -> Result<Session, SystemError> {
        let wire = self.wire().await?;
        match &self.login {
            LogIn::Password(user, password) => {
                let login = async { wire.login(user, password.expose()).await.map_err(|(error, _)| error) };
                self.within(login).await.map_err(|error| self.refused(error))
            }
            LogIn::Token(user, client) => {
                let token = client.fetched().await.map_err(|kind| self.failed(kind))?;
                let said = Token(format!("user={user}\u{1}auth=Bearer {token}\u{1}\u{1}"));
                let login = async { wire.authenticate("XOAUTH2", said).await.map_err(|(error, _)| error) };
                self.within(login).await.map_err(|error| self.refused(error))
            }
        }
    }

    /// A refusal while somebody logs in is one of the credential.
    fn refused(&self, error: SystemError) -> SystemError {
        match error.kind {
            ErrorKind::Refused(message) => {
                SystemError { kind: ErrorKind::Unauthorised { status: 401, message }, ..error }
            }
            _ => error,
        }
    }

    async fn wire(&self) -> Result<ImapClient<Box<dyn Wire>>, SystemError> {
        let host = self.url.host_str().unwrap_or_default().trim_matches(['[', ']']).to_owned();
        let is_secure = self.url.scheme() == "imaps";
        let port = self.url.port().unwrap_or(if is_secure { 993 } else { 143 });
        let unreachable = |error: std::io::Error| self.failed(ErrorKind::Unreachable(error.to_string()));
        let connecting = tokio::time::timeout(self.limits.connect, TcpStream::connect((host.as_str(), port)));
        let tcp = match connecting.await {
            Ok(connected) => connected.map_err(unreachable)?,
            Err(_) => return Err(self.failed(ErrorKind::TimedOut(self.limits.connect))),
        };
        let secured = |tcp: TcpStream| async {
            let name = ServerName::try_from(host.clone()).map_err(std::io::Error::other);
            let connecting = async { TlsConnector::from(Arc::clone(&self.tls)).connect(name?, tcp).await };
            match tokio::time::timeout(self.limits.connect, connecting).await {
                Ok(connected) => connected.map_err(unreachable),
                Err(_) => Err(self.failed(ErrorKind::TimedOut(self.limits.connect))),
            }
        };
        if is_secure {
            let mut client = ImapClient::new(Box::new(secured(tcp).await?) as Box<dyn Wire>);
            self.greeted(&mut client).await?;
            return Ok(client);
        }
        if is_loopback(&self.url) {
            let mut client = ImapClient::new(Box::new(tcp) as Box<dyn Wire>);
            self.greeted(&mut client).await?;
            return Ok(client);
        }
        let mut client = ImapClient::new(tcp);
        self.greeted(&mut client).await?;
        self.within(client.run_command_and_check_ok("STARTTLS", None)).await?;
        // What came before in clear is not read any more.
        Ok(ImapClient::new(Box::new(secured(client.into_inner()).await?) as Box<dyn Wire>))
    }

    async fn greeted<T: Wire>(&self, client: &mut ImapClient<T>) -> Result<(), SystemError> {
        let greeting = self.within(async { client.read_response().await.map_err(ImapError::Io) }).await?;
        match greeting {
            Some(_) => Ok(()),
            None => Err(self.failed(ErrorKind::Unreachable("it closed the connection without a greeting".to_owned()))),
        }
    }

    /// Opens a folder to be read: nothing is changed in it, no message becomes read.
    ///
    /// # Errors
    /// Where there is none of that name, or it cannot be told from one that was made anew.
    pub(super) async fn examine(&self, session: &mut Session, folder: &str) -> Result<(Mailbox, u32), SystemError> {
        let mailbox = self.within(session.examine(utf7_imap::encode_utf7_imap(folder.to_owned()))).await;
        let mailbox = mailbox.map_err(|error| match error.kind {
            ErrorKind::Refused(why) => {
                self.failed(ErrorKind::Content(format!("the folder `{folder}` cannot be opened: {why}")))
            }
            _ => error,
        })?;
        match mailbox.uid_validity {
            Some(validity) => Ok((mailbox, validity)),
            None => Err(self.failed(ErrorKind::Content(format!(
                "the folder `{folder}` has no UIDVALIDITY, so that its messages have no lasting numbers"
            )))),
        }
    }
}

fn place(url: &Url) -> String {
    format!(
        "{}://{}{}",
        url.scheme(),
        url.host_str().unwrap_or_default(),
        url.port().map(|port| format!(":{port}")).unwrap_or_default()
    )
}

fn kind_of(error: &ImapError) -> ErrorKind {
    let told = || blank(&error.to_string()).into_owned();
    match error {
        ImapError::Io(_) | ImapError::ConnectionLost => ErrorKind::Broken(told()),
        ImapError::No(why) | ImapError::Bad(why) => ErrorKind::Refused(blank(why).into_owned()),
        _ => ErrorKind::Content(format!("it answered what is no IMAP: {}", told())),
    }
}
