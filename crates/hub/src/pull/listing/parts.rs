//! Entries whose languages are listed one by one, put together.

use diaporos_core::intake::{Incoming, join, removal_limit};
use diaporos_store::{Moments, PageTally, Seen};

use super::{PullListing, Stopped};

/// Entries put together from their languages at a time.
const JOINED: u32 = 500;

impl PullListing<'_, '_> {
    /// Puts together the entries of which a language changed. From here on, `seen` holds entries.
    pub(super) fn join_parts(&mut self, complete: bool) -> Result<(), Stopped> {
        let mut run = self.run.shared();
        let store = &mut *run.store;
        let mut too_many = None;
        if complete {
            for (language, (missing, known)) in store.missing_by_language(self.key, &self.seen)? {
                let most = self.run.options.allow_gone.unwrap_or(removal_limit(known));
                if missing > most {
                    let (system, kind) = self.key;
                    too_many = Some(format!(
                        "{system}/{kind}: the source lacks {missing} of {known} known texts in {language}; nothing was taken for gone (at most {most} may be). \
                         If they are gone: `diaporos pull {system} --allow-gone {missing}`"
                    ));
                }
            }
            if too_many.is_none() {
                store.forget_parts(self.key, &self.seen)?;
            }
        }
        let model = self.reader.model().get(self.key.1);
        let declared = |name: &str| model.map(|known| known.fields.get(name).is_some_and(|field| field.localised));
        let main = self.capabilities.parts.as_ref().and_then(|parts| parts.main.clone());
        let mut seen = Seen::default();
        loop {
            let batch = store.touched_parts(self.key, JOINED)?;
            if batch.is_empty() {
                break;
            }
            let (numbers, parts): (Vec<i64>, Vec<_>) = batch.into_iter().unzip();
            let entries: Vec<Incoming> =
                parts.into_iter().filter_map(|parts| join(parts, main.as_ref(), &declared)).collect();
            let now = (self.run.clock)();
            self.row.tally += store.take_in(self.key, &entries, None, &mut seen, Moments { asked: now, taken: now })?;
            store.put_together(&numbers)?;
        }
        let unchanged = store.see_joined(self.key, &mut seen)?;
        self.row.tally += PageTally { pulled: unchanged, unchanged, ..PageTally::default() };
        self.seen = seen;
        too_many.map_or(Ok(()), |problem| Err(Stopped::Listing(problem)))
    }
}
