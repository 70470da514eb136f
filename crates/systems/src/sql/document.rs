//! A document as the rows that it is: one of the table, and those of its lists.

use diaporos_core::change::fingerprint_bytes;
use diaporos_core::value::Revision;
use serde_json::{Map, Value as Json};

use super::columns::{Column, ColumnForm};
use super::database::Session;
use super::rows::{Row, Selection};
use super::statement::{Statement, quoted, table as table_name};
use super::table::{ListTable, Table};
use crate::ErrorKind;
use crate::keyed_store::Stored;
use crate::profile::ListTarget;

/// Lists, each with the items that it is to have.
pub(super) type Lists<'t> = Vec<(&'t ListTarget, Json)>;

/// The place of a document in a table.
pub(super) struct Placed<'t> {
    table: &'t Table,
    key: &'t str,
    language: Option<&'t str>,
}

impl<'t> Placed<'t> {
    pub(super) fn new(table: &'t Table, place: &'t str) -> Placed<'t> {
        let (key, language) = table.target.parted(place);
        Placed { table, key, language }
    }

    pub(super) fn columns(&self) -> &'t [Column] {
        &self.table.columns
    }

    /// The columns that tell the row, each with its value.
    fn key(&self) -> Vec<(&'t str, Json)> {
        let target = &self.table.target;
        let language = target.language.as_deref().zip(self.language);
        let pairs = [Some((target.key.as_str(), self.key)), language];
        pairs.into_iter().flatten().map(|(column, value)| (column, Json::from(value))).collect()
    }

    fn source(&self) -> String {
        table_name(&self.table.target.table)
    }

    /// Says that it is this row.
    fn is_this(&self, statement: &mut Statement) {
        // The value is read as the column's type, and found by its index.
        statement.say(" WHERE ").each(self.key(), " AND ", |statement, (column, value)| {
            statement.say(&quoted(column)).say(" = ").bind(value);
        });
    }

    /// Where the row is found. `held` keeps others from it till the change ends.
    pub(super) fn selection(&self, held: &str) -> Selection {
        let mut rows = Statement::new("(SELECT ");
        rows.names(self.table.columns.iter().map(|column| column.name.as_str()));
        rows.say(" FROM ").say(&self.source());
        self.is_this(&mut rows);
        rows.say(held).say(")");
        let Statement { text: source, values } = rows;
        let rest = Statement { text: " LIMIT 2".to_owned(), values };
        Selection { source, rest, key: Vec::new(), most_bytes: usize::MAX }
    }

    /// The document as it is, with its lists; none where there is no such row.
    pub(super) async fn read(&self, session: &Session, held: &str) -> Result<Option<Map<String, Json>>, ErrorKind> {
        let (found, _) = session.rows(&self.selection(held), &self.table.columns).await?;
        let Some(mut members) = self.row(found)? else { return Ok(None) };
        for list in &self.table.lists {
            let items = self.items(session, list, &members).await?;
            members.insert(list.field.clone(), Json::Array(items));
        }
        Ok(Some(self.folded(members)))
    }

    /// The one row of those that were found.
    fn row(&self, mut found: Vec<Row>) -> Result<Option<Map<String, Json>>, ErrorKind> {
        if found.len() > 1 {
            return Err(ErrorKind::Refused(format!(
                "two rows of `{}` have the key `{}`; which of them is meant cannot be told",
                self.table.target.table, self.key
            )));
        }
        Ok(found.pop().map(|row| row.members))
    }

    fn folded(&self, mut members: Map<String, Json>) -> Map<String, Json> {
        self.table.suffixes.fold(&mut members);
        members
    }

    /// The document that a row is, of a table without lists.
    pub(super) fn alone(&self, found: Vec<Row>) -> Result<Option<Map<String, Json>>, ErrorKind> {
        Ok(self.row(found)?.map(|members| self.folded(members)))
    }

    /// A document with the version that it is known by: what it holds, and what its revision's column says.
    pub(super) fn versioned(&self, document: Map<String, Json>) -> Result<Stored, ErrorKind> {
        let text = serde_json::to_vec(&document).map_err(|error| ErrorKind::Content(error.to_string()))?;
        let hash = fingerprint_bytes("row", &text);
        let column = self.table.target.revision.as_ref().and_then(|column| document.get(column));
        let said = column.filter(|json| !json.is_null());
        let said = said.map(|json| json.as_str().map_or_else(|| json.to_string(), str::to_owned));
        let revision = said.map_or_else(|| hash.to_string(), |said| format!("{said} {hash}"));
        let revision = Revision::new(revision).map_err(|error| ErrorKind::Content(error.to_string()))?;
        Ok((document, revision))
    }

    /// A document that was read, where it is in the version that a write is based on.
    pub(super) fn unchanged(
        &self,
        found: Option<Map<String, Json>>,
        base: &Revision,
    ) -> Result<Map<String, Json>, ErrorKind> {
        let (document, now) = self.versioned(found.ok_or(ErrorKind::NotFound)?)?;
        if now != *base {
            return Err(ErrorKind::Differs { status: 412, message: String::new() });
        }
        Ok(document)
    }

    /// The items of a list.
    async fn items(
        &self,
        session: &Session,
        list: &ListTable,
        members: &Map<String, Json>,
    ) -> Result<Vec<Json>, ErrorKind> {
        let ListTable { target: list, columns, .. } = list;
        let source = table_name(&list.table);
        let mut rest = Statement::new(" WHERE ");
        rest.say("r.").say(&quoted(&list.parent)).say(" = ").bind(self.parent(list, members));
        let order = list.order.as_ref().or(list.value.as_ref());
        if let Some(order) = order {
            rest.say(" ORDER BY r.").say(&quoted(order));
        }
        let selection = Selection { source, rest, key: Vec::new(), most_bytes: usize::MAX };
        let (rows, _) = session.rows(&selection, columns).await?;
        let item = |mut members: Map<String, Json>| match &list.value {
            Some(value) => members.remove(value).unwrap_or(Json::Null),
            None => {
                members.remove(&list.parent);
                if let Some(order) = &list.order {
                    members.remove(order);
                }
                Json::Object(members)
            }
        };
        Ok(rows.into_iter().map(|row| item(row.members)).collect())
    }

    /// What the rows of a list name their document by.
    fn parent(&self, list: &ListTarget, members: &Map<String, Json>) -> Json {
        let column = list.of.as_deref().unwrap_or(&self.table.target.key);
        members.get(column).cloned().unwrap_or_else(|| self.key.into())
    }

    /// The columns and the lists that a document's members are.
    fn parted(&self, document: Map<String, Json>) -> Result<(Map<String, Json>, Lists<'t>), ErrorKind> {
        let mut columns = document;
        self.table.suffixes.unfold(&mut columns).map_err(ErrorKind::Refused)?;
        let lists = self.table.lists.iter();
        let lists = lists.filter_map(|list| Some((&list.target, columns.remove(&list.field)?))).collect();
        // The key and the version are not the document's to say.
        for (name, _) in self.key() {
            columns.remove(name);
        }
        if let Some((name, _)) = self.version() {
            columns.remove(name);
        }
        Ok((columns, lists))
    }

    /// What makes the row, and the lists that it is to have. `found` is what has its key already, though the database
    /// may not keep keys apart.
    pub(super) fn insertion(
        &self,
        session: &Session,
        found: Option<&Map<String, Json>>,
        wanted: Map<String, Json>,
    ) -> Result<(Statement, Lists<'t>), ErrorKind> {
        if found.is_some() {
            return Err(ErrorKind::Differs { status: 409, message: String::new() });
        }
        let (mut columns, lists) = self.parted(wanted)?;
        columns.extend(self.key().into_iter().map(|(name, value)| (name.to_owned(), value)));
        let version = self.version().map(|(name, step)| (name, step.first(session)));
        Ok((Statement::insert(&self.source(), &columns, version), lists))
    }

    /// What writes the columns that differ, and the lists that do; no statement where no column is written.
    pub(super) fn difference(
        &self,
        session: &Session,
        now: &Map<String, Json>,
        wanted: Map<String, Json>,
    ) -> Result<(Option<Statement>, Lists<'t>), ErrorKind> {
        let (columns, lists) = self.parted(wanted)?;
        let (known, known_lists) = self.parted(now.clone())?;
        let differs: Vec<_> = columns.iter().filter(|(name, value)| known.get(*name) != Some(value)).collect();
        let lists: Lists<'t> = lists.into_iter().filter(|list| !known_lists.contains(list)).collect();
        let version = self.version().filter(|_| !differs.is_empty() || !lists.is_empty());
        if differs.is_empty() && version.is_none() {
            return Ok((None, lists));
        }
        let mut update = Statement::new("UPDATE ");
        update.say(&self.source()).say(" SET ");
        update.each(&differs, ", ", |update, (name, value)| {
            update.say(&quoted(name)).say(" = ").bind((*value).clone());
        });
        if let Some((name, step)) = version {
            update.say(if differs.is_empty() { "" } else { ", " }).say(&quoted(name)).say(" = ");
            update.say(&step.next(name, session));
        }
        self.is_this(&mut update);
        Ok((Some(update), lists))
    }

    /// What removes the row.
    pub(super) fn deletion(&self) -> Statement {
        let mut delete = Statement::new("DELETE FROM ");
        delete.say(&self.source());
        self.is_this(&mut delete);
        delete
    }

    /// Puts lists in the place of those that a document has; `row` is what they name.
    pub(super) async fn put_lists(
        &self,
        session: &Session,
        row: &Map<String, Json>,
        lists: Lists<'t>,
    ) -> Result<(), ErrorKind> {
        for (list, items) in lists {
            self.put_items(session, list, row, items).await?;
        }
        Ok(())
    }

    /// The lists that documents have, all empty.
    pub(super) fn no_items(&self) -> Lists<'t> {
        self.table.lists.iter().map(|list| (&list.target, Json::Null)).collect()
    }

    /// Puts these items in the place of those that a list has.
    async fn put_items(
        &self,
        session: &Session,
        list: &ListTarget,
        members: &Map<String, Json>,
        items: Json,
    ) -> Result<(), ErrorKind> {
        let parent = self.parent(list, members);
        let mut clear = Statement::new("DELETE FROM ");
        clear.say(&table_name(&list.table)).say(" WHERE ").say(&quoted(&list.parent)).say(" = ").bind(parent.clone());
        session.execute(&clear).await?;
        let items = match items {
            Json::Null => Vec::new(),
            Json::Array(items) => items,
            one => vec![one],
        };
        for (place, item) in (1_u64..).zip(items) {
            let mut row = match (&list.value, item) {
                (Some(value), item) => Map::from_iter([(value.clone(), item)]),
                (None, Json::Object(members)) => members,
                (None, _) => {
                    let why = format!(
                        "an item of `{}` is no record, and no column takes it; say which by `value`",
                        list.table
                    );
                    return Err(ErrorKind::Refused(why));
                }
            };
            row.insert(list.parent.clone(), parent.clone());
            if let Some(order) = &list.order {
                row.insert(order.clone(), place.into());
            }
            session.execute(&Statement::insert(&table_name(&list.table), &row, None)).await?;
        }
        Ok(())
    }

    /// The column that says the version, where it is ours to move, and how it is moved.
    fn version(&self) -> Option<(&'t str, VersionStep)> {
        let name = self.table.target.revision.as_deref()?;
        let column = self.table.columns.iter().find(|column| column.name == name)?;
        let step = match column.form {
            ColumnForm::Integer | ColumnForm::Decimal | ColumnForm::Number => VersionStep::Count,
            ColumnForm::Instant => VersionStep::Moment,
            // What else it may be, the database's own rules make it.
            _ => return None,
        };
        Some((name, step))
    }
}

/// How a version is moved.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum VersionStep {
    Count,
    Moment,
}

impl VersionStep {
    /// The version of a new row, as a statement has it.
    fn first(self, session: &Session) -> &'static str {
        match self {
            VersionStep::Count => "1",
            VersionStep::Moment => session.now(),
        }
    }

    /// The version after the one that is there, as a statement has it.
    fn next(self, column: &str, session: &Session) -> String {
        match self {
            VersionStep::Count => format!("coalesce({}, 0) + 1", quoted(column)),
            VersionStep::Moment => session.now().to_owned(),
        }
    }
}
