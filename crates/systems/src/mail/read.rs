//! Reading the messages of folders, so many numbers a page. A page that holds the numbers that it held is not fetched.

use std::collections::BTreeMap;
use std::path::PathBuf;

use async_trait::async_trait;
use diaporos_core::change::{Fingerprint, fingerprint_texts};
use diaporos_core::intake::{CacheValidators, Incoming, Listing, PageCounts};
use diaporos_core::model::Model;
use diaporos_core::value::TypeName;
use futures::TryStreamExt;
use indexmap::IndexMap;
use tokio::sync::Mutex;

use super::connection::{MailServer, Session};
use super::message::{self, SCHEME, model};
use super::senders::Senders;
use super::taken::TakenMark;
use crate::{Ask, ErrorKind, ListingCapabilities, Page, PageContent, Problem, Read, SystemError};

/// Numbers of messages on a page: those from a multiple of it on.
const NUMBERS_A_PAGE: u32 = 100;

/// What is known of a folder while it is listed.
#[derive(Debug, Clone)]
struct Folder {
    validity: u32,
    /// The numbers of its messages, by the page that each is on.
    pages: BTreeMap<u32, Vec<u32>>,
    /// What speaks against these being all.
    doubt: Option<String>,
}

/// Reads the messages of folders.
#[derive(Debug)]
pub struct MailReader {
    model: Model,
    server: MailServer,
    folders: IndexMap<TypeName, String>,
    senders: Senders,
    /// Whether a message that is no longer in its folder is gone.
    absent_is_gone: bool,
    /// What is done to messages that were taken in.
    taken: Option<TakenMark>,
    /// Where attachments are kept.
    attachments: PathBuf,
    state: Mutex<State>,
}

#[derive(Debug, Default)]
struct State {
    session: Option<(Session, String)>,
    folders: BTreeMap<TypeName, Folder>,
}

/// What a reader of messages is made of.
pub(super) struct MailSource {
    pub(super) server: MailServer,
    pub(super) folders: IndexMap<TypeName, String>,
    pub(super) senders: Vec<String>,
    pub(super) absent_is_gone: bool,
    pub(super) taken: Option<TakenMark>,
    pub(super) attachments: PathBuf,
}

impl MailReader {
    pub(super) fn new(source: MailSource) -> MailReader {
        let MailSource { server, folders, senders, absent_is_gone, taken, attachments } = source;
        let senders = Senders::new(senders);
        MailReader {
            model: model(folders.keys()),
            server,
            folders,
            senders,
            absent_is_gone,
            taken,
            attachments,
            state: Mutex::default(),
        }
    }

    fn folder(&self, kind: &TypeName) -> Result<&str, SystemError> {
        let unknown = || self.server.failed(ErrorKind::Content(format!("no folder is called `{kind}`")));
        self.folders.get(kind).map(String::as_str).ok_or_else(unknown)
    }

    /// Opens a folder, in the session that there is or a new one.
    async fn opened<'s>(&self, state: &'s mut State, folder: &str) -> Result<(&'s mut Session, u32, u32), SystemError> {
        let mut session = match state.session.take() {
            Some((session, _)) => session,
            None => self.server.session().await?,
        };
        let opened = match self.server.examine(&mut session, folder).await {
            // A session that lay idle may have been ended.
            Err(error) if matches!(error.kind, ErrorKind::Broken(_)) => {
                session = self.server.session().await?;
                self.server.examine(&mut session, folder).await
            }
            opened => opened,
        };
        let (mailbox, validity) = opened?;
        let (session, _) = state.session.insert((session, folder.to_owned()));
        Ok((session, validity, mailbox.exists))
    }

    /// Lists the numbers of a folder's messages.
    async fn listed(&self, state: &mut State, kind: &TypeName) -> Result<Folder, SystemError> {
        let (session, validity, exists) = self.opened(state, self.folder(kind)?).await?;
        let numbers = self.server.within(session.uid_search("ALL")).await?;
        let doubt = (numbers.len() < exists as usize)
            .then(|| format!("the folder says that it has {exists} messages, and lists {}", numbers.len()));
        let mut pages: BTreeMap<u32, Vec<u32>> = BTreeMap::new();
        for number in numbers {
            pages.entry(number / NUMBERS_A_PAGE).or_default().push(number);
        }
        pages.values_mut().for_each(|numbers| numbers.sort_unstable());
        let folder = Folder { validity, pages, doubt };
        state.folders.insert(kind.clone(), folder.clone());
        Ok(folder)
    }

    /// Fetches messages, without changing any. Gives those that could be read, and what is wrong with others.
    async fn fetched(
        &self,
        state: &mut State,
        kind: &TypeName,
        numbers: &[u32],
    ) -> Result<(Vec<Incoming>, Vec<Problem>, usize), SystemError> {
        let folder = self.folder(kind)?;
        let (session, _, _) = self.opened(state, folder).await?;
        let (mut entries, mut problems, mut others): (Vec<Incoming>, Vec<Problem>, usize) = Default::default();
        let most = self.server.limits.max_bytes;
        for chunk in numbers.chunks(20) {
            let set = chunk.iter().map(u32::to_string).collect::<Vec<_>>().join(",");
            let sizes = self
                .server
                .within(async { session.uid_fetch(&set, "(UID RFC822.SIZE)").await?.try_collect::<Vec<_>>().await })
                .await?;
            let mut fit = Vec::new();
            for one in &sizes {
                let Some(number) = one.uid else { continue };
                match one.size {
                    Some(size) if u64::from(size) > most => {
                        let why = format!("has {size} bytes, and at most {most} are read (`max_bytes`)");
                        problems.push(Problem::unnamed(format!("message {number} of `{folder}`"), why));
                    }
                    _ => fit.push(number),
                }
            }
            for number in fit {
                let asked = async {
                    session.uid_fetch(number.to_string(), "(UID BODY.PEEK[])").await?.try_collect::<Vec<_>>().await
                };
                let got = self.server.within(asked).await?;
                let body = got.iter().filter(|one| one.uid == Some(number)).find_map(|one| one.body());
                let name = || format!("message {number} of `{folder}`");
                let Some(body) = body else {
                    problems.push(Problem::unnamed(name(), "was listed, and is not given".to_owned()));
                    continue;
                };
                match message::read(body.to_vec()) {
                    Err(why) => problems.push(Problem::unnamed(name(), why)),
                    Ok(read) if !self.senders.allow(read.sender.as_deref()) => others += 1,
                    Ok(read) => {
                        let kept = read.keep_attachments(&self.attachments);
                        kept.map_err(|error| {
                            self.server.failed(ErrorKind::Broken(format!("an attachment cannot be kept: {error}")))
                        })?;
                        // One that lies there twice is one.
                        if !entries.iter().any(|known: &Incoming| known.id == read.entry.id) {
                            entries.push(read.entry);
                        }
                    }
                }
            }
        }
        Ok((entries, problems, others))
    }
}

#[async_trait]
impl Read for MailReader {
    fn types(&self) -> Vec<TypeName> {
        self.folders.keys().cloned().collect()
    }

    fn model(&self) -> &Model {
        &self.model
    }

    fn capabilities(&self, _: &TypeName) -> ListingCapabilities {
        ListingCapabilities::plain(if self.absent_is_gone { Listing::Complete } else { Listing::Window })
    }

    fn page_key(&self, ask: Ask<'_>) -> String {
        let folder = self.folders.get(ask.kind).map_or("", String::as_str);
        format!("{} {folder} {} {:?}", self.server.place(), ask.cursor.unwrap_or("0"), self.senders)
    }

    async fn page(&self, ask: Ask<'_>, known: Option<&CacheValidators>) -> Result<Page, SystemError> {
        let mut state = self.state.lock().await;
        let page: u32 = ask.cursor.unwrap_or("0").parse().unwrap_or(0);
        let folder = match state.folders.get(ask.kind).filter(|_| page > 0) {
            Some(folder) => folder.clone(),
            None => self.listed(&mut state, ask.kind).await?,
        };
        let numbers = folder.pages.get(&page).cloned().unwrap_or_default();
        let next = folder.pages.range(page + 1..).next().map(|(page, _)| page.to_string());
        let doubt = folder.doubt.clone().filter(|_| page == 0);
        let content = content(folder.validity, &numbers);
        if known.is_some_and(|known| known.content == content && known.next == next) {
            // What the page holds was taken in by an earlier pull.
            let note = match &self.taken {
                Some(taken) if !numbers.is_empty() => taken
                    .mark((self.folder(ask.kind)?, folder.validity), &numbers)
                    .await
                    .err()
                    .map(|error| error.to_string()),
                _ => None,
            };
            return Ok(Page { doubt, note, ..Page::new(PageContent::Same, next) });
        }
        let fetched = self.fetched(&mut state, ask.kind, &numbers).await;
        // A session in which something went wrong is not used again.
        let (entries, problems, others) = fetched.inspect_err(|_| state.session = None)?;
        let counts = PageCounts::default();
        let mark = CacheValidators { etag: None, last_modified: None, content, next: next.clone(), counts };
        let note =
            (others > 0).then(|| format!("{others} messages of senders who are not among `senders` were left alone"));
        Ok(Page { doubt, note, ..Page::new(PageContent::Entries { entries, problems, mark }, next) })
    }
}

/// By what a page is known again: the numbers of its messages, and what makes them last.
fn content(validity: u32, numbers: &[u32]) -> Fingerprint {
    let numbers = numbers.iter().map(u32::to_string).collect::<Vec<_>>().join(" ");
    fingerprint_texts([SCHEME, &validity.to_string(), &numbers])
}
