//! Entries that are read by themselves: a person or a call from outside named them.

use std::time::Duration;

use diaporos_core::intake::Incoming;
use diaporos_core::value::{EntryId, SystemName, TypeName};
use diaporos_store::{Moments, Store, StoreError, TakenAlone};
use diaporos_systems::{Read, SystemError};
use futures::StreamExt;
use jiff::Timestamp;

/// Entries that are asked for at a time.
const AT_A_TIME: usize = 8;
/// How long after it was not there an entry is asked for again before it counts as gone: a source's copies may
/// lag behind each other.
const SECOND_LOOK: Duration = Duration::from_secs(1);
/// How often an entry is asked for anew because a listing brought something newer meanwhile.
const MOST_ANEW: u32 = 3;

/// What became of an entry that was asked for by itself.
#[derive(Debug, Clone, PartialEq)]
pub enum FoundAlone {
    /// It was not known, and was taken in.
    New,
    /// It changed, and was taken in.
    Changed,
    /// It is as it was known.
    Unchanged,
    /// It is gone: its source says so twice, and shows another entry of the type.
    Gone,
    /// It is not there, and was not known.
    NotThere,
    /// Its source says that it is not there, and cannot be believed; a whole listing tells.
    Doubtful(String),
    /// Entries of its type cannot be asked for by themselves; a listing tells.
    OnlyListed,
    /// It could not be had.
    Failed(SystemError),
}

impl FoundAlone {
    /// Whether a listing is needed to know more.
    #[must_use]
    pub fn needs_listing(&self) -> bool {
        matches!(self, FoundAlone::Doubtful(_) | FoundAlone::OnlyListed)
    }

    /// Whether anything was taken in.
    #[must_use]
    pub fn changed_something(&self) -> bool {
        matches!(self, FoundAlone::New | FoundAlone::Changed | FoundAlone::Gone)
    }
}

/// A source of which entries are asked for by themselves.
pub struct AloneSource<'a> {
    /// Its name.
    pub system: &'a SystemName,
    /// How it is read.
    pub reader: &'a dyn Read,
    /// The clock.
    pub clock: &'a (dyn Fn() -> Timestamp + Sync),
}

/// Asks for entries by themselves and takes them in; what came of each, in their order.
///
/// # Errors
/// Where the store fails.
pub async fn pull_alone(
    store: &mut Store,
    source: &AloneSource<'_>,
    wanted: &[(TypeName, EntryId)],
) -> Result<Vec<FoundAlone>, StoreError> {
    let asked = wanted.iter().map(|(kind, id)| async move { (kind, id, source.ask(kind, id).await) });
    let mut answers = futures::stream::iter(asked).buffered(AT_A_TIME);
    let mut found = Vec::with_capacity(wanted.len());
    while let Some((kind, id, answer)) = answers.next().await {
        found.push(source.taken(store, (kind, id), answer).await?);
    }
    let came_in = found.iter().filter(|found| matches!(found, FoundAlone::New | FoundAlone::Changed)).count();
    store.note_arrivals(source.system, came_in as u64, (source.clock)())?;
    Ok(found)
}

/// What a source said, and when it was asked.
type Answer = Option<(Timestamp, Result<Option<Incoming>, SystemError>)>;

impl AloneSource<'_> {
    async fn ask(&self, kind: &TypeName, id: &EntryId) -> Answer {
        if !self.reader.reads_one(kind) {
            return None;
        }
        let asked = (self.clock)();
        Some((asked, self.reader.one(kind, id).await))
    }

    async fn taken(
        &self,
        store: &mut Store,
        (kind, id): (&TypeName, &EntryId),
        mut answer: Answer,
    ) -> Result<FoundAlone, StoreError> {
        let mut looks = 0;
        for _ in 0..MOST_ANEW {
            let (asked, found) = match answer {
                None => return Ok(FoundAlone::OnlyListed),
                Some((_, Err(error))) => return Ok(FoundAlone::Failed(error)),
                Some((asked, Ok(found))) => (asked, found),
            };
            let moments = Moments { asked, taken: (self.clock)() };
            let of = (self.system, kind);
            let taken = match found {
                Some(entry) => store.take_in_alone(of, &entry, moments)?,
                None if !store.is_known(of, id)? => return Ok(FoundAlone::NotThere),
                None if looks == 0 => {
                    if let Some(why) = self.not_to_be_believed(store, (kind, id)).await? {
                        return Ok(FoundAlone::Doubtful(why));
                    }
                    looks += 1;
                    tokio::time::sleep(SECOND_LOOK).await;
                    answer = self.ask(kind, id).await;
                    continue;
                }
                None => match store.take_for_gone_alone(of, id, moments)? {
                    TakenAlone::Changed | TakenAlone::New => return Ok(FoundAlone::Gone),
                    other => other,
                },
            };
            match taken {
                TakenAlone::New => return Ok(FoundAlone::New),
                TakenAlone::Changed => return Ok(FoundAlone::Changed),
                TakenAlone::Unchanged => return Ok(FoundAlone::Unchanged),
                TakenAlone::Overtaken => answer = self.ask(kind, id).await,
            }
        }
        // A listing brings it faster than it can be asked for.
        Ok(FoundAlone::Unchanged)
    }

    /// Why a source is not believed that says an entry is not there: it says so of another one too, or there
    /// is none to ask for.
    async fn not_to_be_believed(
        &self,
        store: &Store,
        (kind, id): (&TypeName, &EntryId),
    ) -> Result<Option<String>, StoreError> {
        let Some(other) = store.another_entry((self.system, kind), id)? else {
            return Ok(Some("no other entry of its type is known to try the address with".to_owned()));
        };
        Ok(match self.reader.one(kind, &other).await {
            Ok(Some(_)) => None,
            Ok(None) => Some(format!("the source says of `{other}` too that it is not there")),
            Err(error) => Some(format!("`{other}` could not be read to try the address with: {error}")),
        })
    }
}
