//! Who is told of what happened: by POST, or by mail.

mod mail;
mod post;

use url::Url;

use crate::SystemError;

pub use mail::{MailRecipient, Mailbox, Mails};
pub use post::PostRecipient;

/// Somebody who is told.
#[derive(Debug)]
pub enum Recipient {
    /// By POST.
    Post(Box<PostRecipient>),
    /// By mail.
    Mail(Box<MailRecipient>),
}

/// Where somebody is reached.
#[derive(Debug, Clone)]
pub struct Reached {
    /// The address.
    pub url: Url,
    /// Certificates of authorities that are trusted beside those of the machine, in PEM.
    pub ca_bundle: Option<Vec<u8>>,
}

/// What is told.
#[derive(Debug, Clone, Copy)]
pub struct Telling<'a> {
    /// Its id, the same however often it is sent.
    pub id: &'a str,
    /// When it is sent, in seconds since 1970.
    pub second: i64,
    /// The media type of the body.
    pub media: &'a str,
    /// Headers besides.
    pub headers: &'a [(String, String)],
    /// The body.
    pub body: &'a str,
}

impl Recipient {
    /// Tells it. Where the answer is lost it may have been told all the same; by the id it knows that.
    ///
    /// # Errors
    /// Where it was not taken, or no answer came.
    pub async fn tell(&self, telling: Telling<'_>) -> Result<(), SystemError> {
        match self {
            Recipient::Post(recipient) => recipient.tell(telling).await,
            Recipient::Mail(recipient) => recipient.tell(telling).await,
        }
    }
}
