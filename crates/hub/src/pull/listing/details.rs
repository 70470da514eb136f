//! Entries of which the listing leaves fields out, asked for one by one.

use diaporos_core::intake::Incoming;
use diaporos_systems::Problem;
use futures::StreamExt;

use super::PullListing;

/// Entries that are asked for one by one at a time.
const DETAILS: usize = 8;

impl PullListing<'_, '_> {
    /// Asks for the entries that changed, one by one, for the fields that the listing leaves out. One that
    /// is listed and not there is no less listed: it stays as it is known.
    pub(super) async fn details(&self, entries: Vec<Incoming>, problems: &mut Vec<Problem>) -> Vec<Incoming> {
        let (reader, kind) = (self.reader, self.key.1);
        let asked = entries.into_iter().map(|entry| async move { (reader.detail(kind, &entry.id).await, entry) });
        let answers: Vec<_> = futures::stream::iter(asked).buffered(DETAILS).collect().await;
        let mut whole = Vec::new();
        for (answer, listed) in answers {
            match answer {
                // The listing's revision is the one by which it is known next time.
                Ok(Some(entry)) => whole.push(Incoming { revision: listed.revision, id: listed.id, ..entry }),
                Ok(None) => {
                    problems
                        .push(Problem::of(&listed.id, "is listed, and is not there when it is asked for by itself"));
                }
                Err(error) => problems.push(Problem::of(&listed.id, error.to_string())),
            }
        }
        whole
    }
}
