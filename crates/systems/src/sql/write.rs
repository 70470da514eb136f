//! Writing rows: each document in a transaction of its own, over the version that is known, and no column but those
//! that are mapped.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

use async_trait::async_trait;
use diaporos_core::value::{Revision, SystemName, TypeName};
use serde_json::{Map, Value as Json};
use url::Url;

use super::columns::Column;
use super::database::{Database, DatabasePlace, Session};
use super::document::Placed;
use super::statement::table as table_name;
use super::suffixes::Suffixes;
use super::table::{ListTable, Table};
use crate::http::{Body, Limits, Method, Request};
use crate::keyed_store::{Base, KeyedStore, KeyedStoreWriter, Stored};
use crate::languages::LanguageCodes;
use crate::profile::{Profile, RowTarget};
use crate::{ErrorKind, SystemError, Write};

/// A writer of a database's rows by a profile.
pub(super) fn sql_writer(database: Database, profile: Profile, languages: LanguageCodes) -> Box<dyn Write> {
    let store = RowStore { database, profile: profile.clone(), codes: languages.codes(), tables: Mutex::default() };
    Box::new(KeyedStoreWriter::new(store, profile, languages))
}

struct RowStore {
    database: Database,
    profile: Profile,
    codes: Vec<String>,
    /// The tables that were looked at.
    tables: Mutex<HashMap<TypeName, Arc<Table>>>,
}

impl RowStore {
    fn target(&self, kind: &TypeName) -> Result<&RowTarget, ErrorKind> {
        let rows = self.profile.places(kind).and_then(|places| places.rows.as_ref());
        rows.ok_or_else(|| ErrorKind::Refused(format!("the profile does not say how to write `{kind}`")))
    }

    /// A type's table, looked at once.
    async fn table(&self, kind: &TypeName, session: &Session) -> Result<Arc<Table>, ErrorKind> {
        let known = || self.tables.lock().unwrap_or_else(PoisonError::into_inner);
        let found = known().get(kind).cloned();
        if let Some(found) = found {
            return Ok(found);
        }
        let target = self.target(kind)?.clone();
        let suffixes =
            Suffixes::new(target.language_suffix.as_deref(), self.profile.localised(kind), self.codes.clone());
        let there = session.columns(&table_name(&target.table)).await?;
        let columns = self.mapped(kind, &target, &suffixes, there)?;
        let mut lists = Vec::new();
        for (field, list) in &target.lists {
            let columns = session.columns(&table_name(&list.table)).await?;
            lists.push(ListTable { field: field.clone(), target: list.clone(), columns });
        }
        let table = Arc::new(Table { target, columns, lists, suffixes });
        known().insert(kind.clone(), Arc::clone(&table));
        Ok(table)
    }

    /// Those columns of a table that documents have: all, where the profile does not say which.
    fn mapped(
        &self,
        kind: &TypeName,
        target: &RowTarget,
        suffixes: &Suffixes,
        there: Vec<Column>,
    ) -> Result<Vec<Column>, ErrorKind> {
        let wanted = self.profile.written_members(kind).map(|members| {
            let columns = members.into_iter().filter(|name| !target.lists.contains_key(name));
            let spread = columns.flat_map(|name| match suffixes.spread(&name) {
                true => suffixes.columns(&name).collect(),
                false => vec![name],
            });
            let of_target = [Some(&target.key), target.language.as_ref(), target.revision.as_ref()];
            let of_lists = target.lists.values().filter_map(|list| list.of.as_ref());
            spread.chain(of_target.into_iter().flatten().chain(of_lists).cloned()).collect::<Vec<String>>()
        });
        let Some(wanted) = wanted else { return Ok(there) };
        if let Some(lacking) = wanted.iter().find(|name| !there.iter().any(|column| column.name == **name)) {
            return Err(ErrorKind::Refused(format!("the table `{}` has no column `{lacking}`", target.table)));
        }
        Ok(there.into_iter().filter(|column| wanted.contains(&column.name)).collect())
    }

    /// Changes a row within a transaction of its own, which is taken back where it fails.
    async fn change(&self, kind: &TypeName, place: &str, change: Change<'_>) -> Result<Option<Stored>, SystemError> {
        let _place = self.database.turn().await;
        let session = self.database.session().await?;
        let changed = async {
            let table = self.table(kind, &session).await?;
            session.begin_change().await?;
            match change.within(&session, &Placed::new(&table, place)).await {
                // Where its answer is lost, nobody knows whether it was kept.
                Ok(done) => session.commit().await.map(|()| Ok(done)),
                Err(kind) => session.roll_back().await.map(|()| Err(kind)),
            }
        };
        match changed.await {
            Ok(done) => {
                self.database.give_back(session);
                done.map_err(|kind| self.database.error(place, kind))
            }
            Err(kind) => Err(self.database.error(place, kind)),
        }
    }
}

/// A change of one row.
enum Change<'c> {
    Put(Map<String, Json>, Base<'c>),
    Remove(&'c Revision),
}

impl Change<'_> {
    /// Makes the change; gives the document as it is kept.
    async fn within(self, session: &Session, placed: &Placed<'_>) -> Result<Option<Stored>, ErrorKind> {
        match self {
            Change::Put(document, Base::Absent) => placed.insert(session, document).await?,
            Change::Put(document, Base::Version(base)) => {
                let now = placed.unchanged(session, base).await?;
                placed.update(session, now, document).await?;
            }
            Change::Remove(base) => {
                let now = placed.unchanged(session, base).await?;
                placed.delete(session, &now).await?;
                return Ok(None);
            }
        }
        let gone = || ErrorKind::Content("what was written is not there any more".to_owned());
        placed.read(session, "").await?.ok_or_else(gone).and_then(|kept| placed.versioned(kept)).map(Some)
    }
}

#[async_trait]
impl KeyedStore for RowStore {
    async fn get(&self, kind: &TypeName, place: &str) -> Result<Option<Stored>, SystemError> {
        let _place = self.database.turn().await;
        let session = self.database.session().await?;
        let found = async {
            let table = self.table(kind, &session).await?;
            let placed = Placed::new(&table, place);
            // A row and its lists are as they were at one moment.
            let is_several = !table.lists.is_empty();
            if is_several {
                session.begin_snapshot().await?;
            }
            let document = placed.read(&session, "").await?;
            if is_several {
                session.commit().await?;
            }
            document.map(|document| placed.versioned(document)).transpose()
        };
        let found = found.await.map_err(|kind| self.database.error(place, kind))?;
        self.database.give_back(session);
        Ok(found)
    }

    async fn put(
        &self,
        kind: &TypeName,
        place: &str,
        document: Map<String, Json>,
        base: Base<'_>,
    ) -> Result<Stored, SystemError> {
        let kept = self.change(kind, place, Change::Put(document, base)).await?;
        kept.ok_or_else(|| self.database.error(place, ErrorKind::NotFound))
    }

    async fn remove(&self, kind: &TypeName, place: &str, base: &Revision) -> Result<(), SystemError> {
        self.change(kind, place, Change::Remove(base)).await.map(drop)
    }

    /// What is written, as a request to the row: there is no such call, and nothing else is written.
    fn request(
        &self,
        kind: &TypeName,
        place: &str,
        document: Option<&Map<String, Json>>,
    ) -> Result<Request, SystemError> {
        let wrong = |kind| self.database.error(place, kind);
        let target = self.target(kind).map_err(wrong)?;
        let unshown = || wrong(ErrorKind::Refused("its place cannot be an address".to_owned()));
        let mut url = match &self.database.place {
            DatabasePlace::Server(server) => Url::parse(&server.place()).map_err(|_| unshown())?,
            DatabasePlace::File(path) => {
                let path = std::path::absolute(path).unwrap_or_else(|_| path.clone());
                Url::from_file_path(path).map_err(|()| unshown())?
            }
        };
        url.path_segments_mut().map_err(|()| unshown())?.push(&target.table).push(place);
        let method = if document.is_some() { Method::Put } else { Method::Delete };
        let body = document.map(|document| Body::json(Json::Object(document.clone())));
        Ok(Request { body, ..Request::new(method, url) })
    }

    fn system(&self) -> &SystemName {
        &self.database.system
    }

    fn limits(&self) -> &Limits {
        &self.database.limits
    }

    fn error(&self, place: &str, kind: ErrorKind) -> SystemError {
        self.database.error(place, kind)
    }
}
