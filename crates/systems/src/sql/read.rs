//! Reading rows, by a profile.

use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};

use async_trait::async_trait;
use diaporos_core::change::fingerprint_texts;
use diaporos_core::intake::{CacheValidators, Incoming, Listing, PageCounts, later};
use diaporos_core::model::Model;
use diaporos_core::value::{EntryId, TypeName};
use indexmap::IndexMap;
use rayon::prelude::*;
use serde_json::Value as Json;

use super::catalogue::described;
use super::columns::entry_type;
use super::database::Database;
use super::listing::{Listed, OpenListing, RowPage};
use super::rows::Row;
use super::source::source;
use super::suffixes::Suffixes;
use crate::decode::{Decoder, SHARE, id_at};
use crate::languages::LanguageCodes;
use crate::profile::{Id, Profile, ReadType, RowListing, RowsFrom};
use crate::query::scalar_text;
use crate::{Ask, ErrorKind, ListingCapabilities, Page, PageContent, Problem, Read, SystemError};

/// Reads the rows of a database. Nothing is ever written by its connections.
pub(super) struct SqlReader {
    database: Database,
    profile: Profile,
    languages: LanguageCodes,
    queries: IndexMap<String, String>,
    /// What changes with how rows are read.
    reading: String,
    open: Mutex<HashMap<TypeName, OpenListing>>,
}

impl SqlReader {
    pub(super) fn new(
        database: Database,
        profile: Profile,
        languages: LanguageCodes,
        queries: IndexMap<String, String>,
    ) -> SqlReader {
        let texts = queries.values().map(String::as_str);
        let codes = format!("{languages:?}");
        let reading = format!("{} {}", profile.fingerprint(), fingerprint_texts(texts.chain([codes.as_str()])));
        SqlReader { database, profile, languages, queries, reading, open: Mutex::default() }
    }

    fn read_type(&self, kind: &TypeName) -> Result<(&ReadType, &RowListing), SystemError> {
        let read = self.profile.read_type(kind).map_err(|kind| self.database.error("", kind))?;
        let rows = read.rows.as_ref();
        let rows = rows.ok_or_else(|| self.database.error("", ErrorKind::Refused("it lists no rows".to_owned())))?;
        Ok((read, rows))
    }

    fn suffixes(&self, kind: &TypeName, rows: &RowListing) -> Suffixes {
        let localised = self.profile.localised(kind);
        Suffixes::new(rows.language_suffix.as_deref(), localised, self.languages.codes())
    }

    /// A listing of the database as it is now.
    async fn begin(&self, read: &ReadType, rows: &RowListing) -> Result<OpenListing, SystemError> {
        let session = self.database.session().await?;
        let source = source(&rows.from, &self.queries);
        let wrong = |kind| self.database.error(&source, kind);
        let mut listing = OpenListing::begin(session, source.clone()).await.map_err(wrong)?;
        listing.count(rows, read.since.as_ref()).await.map_err(wrong)?;
        Ok(listing)
    }

    /// The listing that is under way; one that begins now for its first page, or where it was broken off.
    async fn listing(&self, ask: Ask<'_>, read: &ReadType, rows: &RowListing) -> Result<OpenListing, SystemError> {
        let known = self.open.lock().unwrap_or_else(PoisonError::into_inner).remove(ask.kind);
        match known.filter(|_| ask.cursor.is_some()) {
            Some(known) => Ok(known),
            None => self.begin(read, rows).await,
        }
    }

    /// Ends a listing; the session may be used again.
    async fn end(&self, listing: OpenListing) {
        if listing.session.commit().await.is_ok() {
            self.database.give_back(listing.session);
        }
    }

    /// The entries of rows, and what is wrong with those that cannot be read.
    fn entries(&self, kind: &TypeName, read: &ReadType, rows: Vec<Row>) -> (Vec<Incoming>, Vec<Problem>) {
        let fields = self.profile.types.get(kind).and_then(|known| known.fields.as_ref());
        let decoder = Decoder { system: &self.database.system, languages: &self.languages, read, fields };
        let most = usize::try_from(self.database.limits.max_bytes).unwrap_or(usize::MAX);
        let one = |row: Row| {
            let key: Vec<String> = row.key.iter().filter_map(scalar_text).collect();
            let place = key.join("/");
            if row.text.len() > most {
                let message = format!("is larger than {most} bytes; raise `max_bytes` if that is right");
                return Err(Problem::unnamed(place, message));
            }
            let item = Json::Object(row.members);
            decoder.incoming(&place, &item, row.text)
        };
        let read: Vec<_> = rows.into_par_iter().with_min_len(SHARE).map(one).collect();
        let (mut entries, mut problems) = (Vec::new(), Vec::new());
        for one in read {
            match one {
                Ok(entry) => entries.push(entry),
                Err(problem) => problems.push(problem),
            }
        }
        (entries, problems)
    }

    async fn page_of(&self, ask: Ask<'_>, listing: &OpenListing) -> Result<RowPage, SystemError> {
        let (read, rows) = self.read_type(ask.kind)?;
        let since = read.since.as_ref().zip(ask.since);
        let _place = self.database.turn().await;
        let page = listing.page(rows, Listed::Kept, since, ask.cursor).await;
        page.map_err(|kind| self.database.error(&listing.source, kind))
    }
}

#[async_trait]
impl Read for SqlReader {
    fn types(&self) -> Vec<TypeName> {
        self.profile.readable()
    }

    fn model(&self) -> &Model {
        self.profile.model()
    }

    fn capabilities(&self, kind: &TypeName) -> ListingCapabilities {
        let Ok((read, rows)) = self.read_type(kind) else { return ListingCapabilities::plain(Listing::Window) };
        let listing = if read.absent_is_gone { Listing::Complete } else { Listing::Window };
        let parts = read.languages.parts(&self.languages);
        ListingCapabilities {
            since: read.since.is_some(),
            whole_every: read.since.as_ref().and_then(|since| since.whole_every),
            items_hold_entries: read.each.is_some(),
            // One language of an entry may go while others stay.
            deleted: rows.deleted.is_some() && parts.is_none(),
            parts,
            ..ListingCapabilities::plain(listing)
        }
    }

    fn page_key(&self, ask: Ask<'_>) -> String {
        let (cursor, since) = (ask.cursor.unwrap_or_default(), ask.since.unwrap_or_default());
        format!("{} {cursor} {since} {}", ask.kind, self.reading)
    }

    async fn page(&self, ask: Ask<'_>, known: Option<&CacheValidators>) -> Result<Page, SystemError> {
        let (read, rows) = self.read_type(ask.kind)?;
        let listing = self.listing(ask, read, rows).await?;
        let RowPage { rows: mut found, next } = self.page_of(ask, &listing).await?;
        // The database counts once more what the pages show.
        let total = listing.total.filter(|_| ask.since.is_none());
        if next.is_some() {
            self.open.lock().unwrap_or_else(PoisonError::into_inner).insert(ask.kind.clone(), listing);
        } else {
            self.end(listing).await;
        }
        // A page is known again by its rows.
        let content = fingerprint_texts(found.iter().map(|row| row.text.as_str()));
        if known.is_some_and(|known| known.content == content && known.next == next) {
            return Ok(Page::new(PageContent::Same, next));
        }
        let counts = PageCounts { items: found.len() as u64, total, pages: None };
        let mark = CacheValidators { etag: None, last_modified: None, content, next: next.clone(), counts };
        let suffixes = self.suffixes(ask.kind, rows);
        found.iter_mut().for_each(|row| suffixes.fold(&mut row.members));
        let moments = read
            .since
            .iter()
            .flat_map(|since| found.iter().filter_map(|row| row.members.get(&since.parameter)).filter_map(scalar_text));
        let newest = moments.fold(None, |newest, moment| Some(later(newest, moment)));
        let (entries, problems) = self.entries(ask.kind, read, found);
        Ok(Page { newest, ..Page::new(PageContent::Entries { entries, problems, mark }, next) })
    }

    fn reads_one(&self, kind: &TypeName) -> bool {
        let Ok((read, rows)) = self.read_type(kind) else { return false };
        let by_key = matches!((&read.id, rows.id()), (Id::At(at), Some(key)) if at.len() == 1 && key.len() == 1 && at[0].as_str() == key[0].as_str());
        by_key && read.each.is_none() && read.languages.parts(&self.languages).is_none()
    }

    async fn one(&self, kind: &TypeName, id: &EntryId) -> Result<Option<Incoming>, SystemError> {
        if !self.reads_one(kind) {
            return Ok(None);
        }
        let (read, rows) = self.read_type(kind)?;
        let listing = self.begin(read, rows).await?;
        let found = listing.one(rows, id.as_str()).await;
        let found = found.map_err(|kind| self.database.error(&listing.source, kind))?;
        self.end(listing).await;
        let suffixes = self.suffixes(kind, rows);
        let row = found.map(|mut row| {
            suffixes.fold(&mut row.members);
            row
        });
        let (entries, problems) = self.entries(kind, read, row.into_iter().collect());
        match problems.into_iter().next() {
            Some(problem) => Err(self.database.error(id.as_str(), ErrorKind::Refused(problem.message))),
            None => Ok(entries.into_iter().next().filter(|entry| entry.id == *id)),
        }
    }

    async fn deleted(&self, kind: &TypeName, since: Option<&str>) -> Result<Vec<EntryId>, SystemError> {
        let (read, rows) = self.read_type(kind)?;
        let Id::At(at) = &read.id else { return Ok(Vec::new()) };
        let listing = self.begin(read, rows).await?;
        let wrong = |kind| self.database.error(&listing.source, kind);
        let (mut ids, mut after) = (Vec::new(), None::<String>);
        loop {
            let since = read.since.as_ref().zip(since);
            let _place = self.database.turn().await;
            let page = listing.page(rows, Listed::Deleted, since, after.as_deref()).await.map_err(wrong)?;
            for row in page.rows {
                let id = id_at(at, &Json::Object(row.members));
                ids.push(id.map_err(|message| wrong(ErrorKind::Content(message)))?);
            }
            after = page.next;
            if after.is_none() {
                break;
            }
        }
        self.end(listing).await;
        Ok(ids)
    }

    async fn described(&self) -> Result<Option<Model>, SystemError> {
        let session = self.database.session().await?;
        let mut model = Model::default();
        let tables = self.tables();
        for kind in self.profile.type_names() {
            let known = match self.from(kind) {
                None => continue,
                Some(RowsFrom::Table(table)) => described(&session, &table, &tables).await,
                Some(query) => {
                    session.columns(&source(&query, &self.queries)).await.map(|columns| entry_type(&columns))
                }
            };
            model.types.insert(kind.clone(), known.map_err(|error| self.database.error(kind.as_str(), error))?);
        }
        self.database.give_back(session);
        Ok(Some(model))
    }
}

impl SqlReader {
    /// Where a type's rows are: where they are read, or, of a type that is only written, the table.
    fn from(&self, kind: &TypeName) -> Option<RowsFrom> {
        let known = self.profile.types.get(kind)?;
        let read = known.read.as_ref().and_then(|read| read.rows.as_ref());
        let written = || known.places.as_ref().and_then(|places| places.rows.as_ref());
        read.map(|rows| rows.from.clone()).or_else(|| written().map(|rows| RowsFrom::Table(rows.table.clone())))
    }

    /// The types by their tables.
    fn tables(&self) -> HashMap<String, TypeName> {
        let table = |kind: &TypeName| match self.from(kind)? {
            RowsFrom::Table(table) => Some((table, kind.clone())),
            RowsFrom::Query(_) => None,
        };
        self.profile.type_names().filter_map(table).collect()
    }
}
