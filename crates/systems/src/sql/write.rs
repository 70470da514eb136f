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
use super::statement::{Statement, table as table_name};
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

    /// Looks at a document once.
    async fn look(&self, kind: &TypeName, place: &str) -> Result<Option<Stored>, SystemError> {
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

    /// Changes a row within a transaction of its own, which is taken back where it fails.
    async fn change(&self, kind: &TypeName, place: &str, change: Change<'_>) -> Result<Option<Stored>, SystemError> {
        let _place = self.database.turn().await;
        let session = self.database.session().await?;
        let changed = async {
            let table = self.table(kind, &session).await?;
            let placed = Placed::new(&table, place);
            let done = match table.lists.is_empty() {
                true => alone(&session, &placed, change).await,
                false => with_lists(&session, &placed, change).await,
            };
            match done {
                Ok(done) => Ok(Ok(done)),
                // Whether it was kept is not known; the session is given up.
                Err(kind) if kind.leaves_doubt() => Err(kind),
                // Where it cannot be taken back, it is over already: the session is given up.
                Err(kind) => match session.roll_back().await {
                    Ok(()) => Ok(Err(kind)),
                    Err(_) => Err(kind),
                },
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

/// Changes a row that is all of its document: looked at and held, then changed and read as it is kept, each in one step.
async fn alone(session: &Session, placed: &Placed<'_>, change: Change<'_>) -> Result<Option<Stored>, ErrorKind> {
    let columns = placed.columns();
    let found = session.begin_change_with(&placed.selection(session.for_update()), columns).await?;
    let found = placed.alone(found)?;
    let (statement, stays) = match change {
        Change::Put(document, Base::Absent) => (Some(placed.insertion(session, found.as_ref(), document)?.0), true),
        Change::Put(document, Base::Version(base)) => {
            let now = placed.unchanged(found, base)?;
            (placed.difference(session, &now, document)?.0, true)
        }
        Change::Remove(base) => {
            placed.unchanged(found, base)?;
            (Some(placed.deletion()), false)
        }
    };
    let (rows, kept) = session.end_change_with(statement.as_ref(), &placed.selection(""), columns).await?;
    one_row(statement.as_ref(), rows)?;
    kept_of(placed, placed.alone(kept)?, stays)
}

/// Changes a row and those of its lists.
async fn with_lists(session: &Session, placed: &Placed<'_>, change: Change<'_>) -> Result<Option<Stored>, ErrorKind> {
    session.begin_change().await?;
    let found = placed.read(session, session.for_update()).await?;
    let stays = !matches!(change, Change::Remove(_));
    match change {
        Change::Put(document, Base::Absent) => {
            let (statement, lists) = placed.insertion(session, found.as_ref(), document)?;
            session.execute(&statement).await?;
            // What the database made of the row, such as its number, is what its lists name.
            let made = placed.read(session, "").await?.unwrap_or_default();
            placed.put_lists(session, &made, lists).await?;
        }
        Change::Put(document, Base::Version(base)) => {
            let now = placed.unchanged(found, base)?;
            let (statement, lists) = placed.difference(session, &now, document)?;
            if let Some(statement) = &statement {
                one_row(Some(statement), session.execute(statement).await?)?;
            }
            placed.put_lists(session, &now, lists).await?;
        }
        Change::Remove(base) => {
            let now = placed.unchanged(found, base)?;
            placed.put_lists(session, &now, placed.no_items()).await?;
            let statement = placed.deletion();
            one_row(Some(&statement), session.execute(&statement).await?)?;
        }
    }
    let kept = placed.read(session, "").await?;
    session.commit().await?;
    kept_of(placed, kept, stays)
}

/// One row was changed, where any was to be. It is held since it was read: where it was not, rules of the database's own
/// stand against it.
fn one_row(statement: Option<&Statement>, rows: u64) -> Result<(), ErrorKind> {
    match (statement, rows) {
        (None, _) | (Some(_), 1) => Ok(()),
        (Some(_), rows) => Err(ErrorKind::Refused(format!(
            "the database changed {rows} rows where one was meant: rules of its own do that"
        ))),
    }
}

/// A document as it is kept.
fn kept_of(placed: &Placed<'_>, kept: Option<Map<String, Json>>, stays: bool) -> Result<Option<Stored>, ErrorKind> {
    match (kept, stays) {
        (Some(kept), true) => placed.versioned(kept).map(Some),
        (None, false) => Ok(None),
        (None, true) => Err(ErrorKind::Content("what was written is not there any more".to_owned())),
        (Some(_), false) => {
            Err(ErrorKind::Refused("it is still there: rules of the database's own keep it".to_owned()))
        }
    }
}

#[async_trait]
impl KeyedStore for RowStore {
    async fn get(&self, kind: &TypeName, place: &str) -> Result<Option<Stored>, SystemError> {
        let mut left = self.database.limits.retries;
        loop {
            match self.look(kind, place).await {
                // A connection that lay idle may have been ended: a look is taken again by another.
                Err(error) if left > 0 && matches!(error.kind, ErrorKind::Broken(_)) => left -= 1,
                found => return found,
            }
        }
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
                Url::parse(&format!("sqlite://{}", path.display())).map_err(|_| unshown())?
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
