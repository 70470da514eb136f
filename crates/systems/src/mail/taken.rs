//! What is done to messages that were taken in, where that is wanted: a flag, or another folder. With a log-in of its own,
//! and only to messages that an earlier pull has stored.

use async_imap::error::Error as ImapError;
use futures::TryStreamExt;

use super::connection::MailServer;
use crate::{ErrorKind, SystemError};

/// What is done to messages that were taken in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Taken {
    /// They get a flag.
    Flag(String),
    /// They go into a folder.
    Folder(String),
}

/// Marks messages that were taken in.
#[derive(Debug)]
pub(super) struct TakenMark {
    pub(super) server: MailServer,
    pub(super) does: Taken,
}

impl TakenMark {
    /// Marks those of the messages that are not marked yet. The same again does nothing.
    ///
    /// # Errors
    /// Where the server refuses, or the folder is another than the one that was read.
    pub(super) async fn mark(&self, (folder, validity): (&str, u32), numbers: &[u32]) -> Result<(), SystemError> {
        let server = &self.server;
        let mut session = server.session().await?;
        let name = utf7_imap::encode_utf7_imap(folder.to_owned());
        let mailbox = server.within(session.select(&name)).await?;
        if mailbox.uid_validity != Some(validity) {
            let why = format!("`{folder}` was made anew since it was read, and nothing is marked in it");
            return Err(server.failed(ErrorKind::Content(why)));
        }
        let set = numbers.iter().map(u32::to_string).collect::<Vec<_>>().join(",");
        match &self.does {
            Taken::Flag(flag) => {
                let open = server.within(session.uid_search(format!("UID {set} UNKEYWORD {flag}"))).await?;
                if !open.is_empty() {
                    let open = open.iter().map(u32::to_string).collect::<Vec<_>>().join(",");
                    let storing = async {
                        let stored = session.uid_store(&open, format!("+FLAGS.SILENT ({flag})")).await?;
                        stored.try_collect::<Vec<_>>().await
                    };
                    server.within(storing).await?;
                }
            }
            Taken::Folder(to) => {
                let can = server.within(session.capabilities()).await?;
                if !can.has_str("MOVE") {
                    let why = "the server cannot move messages in one step (RFC 6851); mark them with a flag instead";
                    return Err(server.failed(ErrorKind::Refused(why.to_owned())));
                }
                server.within(session.uid_mv(&set, utf7_imap::encode_utf7_imap(to.clone()))).await?;
            }
        }
        // What was done is done, whatever becomes of the good-bye.
        let _ = server.within(async { session.logout().await.map_err(|_| ImapError::ConnectionLost) }).await;
        Ok(())
    }
}
