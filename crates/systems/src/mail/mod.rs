//! Kind `mail`: messages of folders on a mail server, read by IMAP (RFC 9051, RFC 3501). Reading changes nothing there:
//! folders are examined, and what is fetched is peeked at.

mod connection;
mod kind;
mod message;
mod read;
mod senders;
mod taken;

pub use kind::Mail;
pub use read::MailReader;

/// Reads a message, whatever it is.
#[cfg(any(test, fuzzing))]
pub(crate) fn read_message(bytes: Vec<u8>) {
    let _ = message::read(bytes);
}
