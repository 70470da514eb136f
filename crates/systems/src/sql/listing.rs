//! A listing of rows: in the order of their key, as they are at one moment.

use diaporos_core::intake::from_when;
use jiff::civil::DateTime;
use jiff::{SignedDuration, Timestamp};
use serde_json::Value as Json;

use super::columns::{Column, ColumnForm};
use super::database::Session;
use super::rows::{Row, Selection};
use super::statement::{Statement, quoted};
use crate::ErrorKind;
use crate::profile::{RowListing, Since};

/// Rows of one page.
const ROWS_A_PAGE: usize = 1_000;
/// Bytes of a page, after which it ends.
const BYTES_A_PAGE: usize = 8 << 20;

/// A listing on its way: the snapshot that it reads.
pub(super) struct OpenListing {
    pub(super) session: Session,
    pub(super) source: String,
    pub(super) columns: Vec<Column>,
    /// How many rows there are, as the database counts them.
    pub(super) total: Option<u64>,
}

/// A page of rows.
pub(super) struct RowPage {
    pub(super) rows: Vec<Row>,
    /// The key of its last row, where more come.
    pub(super) next: Option<String>,
}

/// Which rows are listed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Listed {
    /// Those that are there.
    Kept,
    /// Those that are marked as deleted.
    Deleted,
}

impl OpenListing {
    /// Begins a listing.
    pub(super) async fn begin(session: Session, source: String) -> Result<OpenListing, ErrorKind> {
        session.begin_snapshot().await?;
        let columns = session.columns(&source).await?;
        Ok(OpenListing { session, source, columns, total: None })
    }

    /// Counts the rows, and looks whether each has a key: one without would be seen by no page.
    pub(super) async fn count(&mut self, listing: &RowListing, since: Option<&Since>) -> Result<(), ErrorKind> {
        let since = since.map(|since| &since.parameter);
        for name in listing.key.iter().chain(&listing.deleted).chain(since) {
            if !self.columns.iter().any(|column| column.name == *name) {
                let known: Vec<&str> = self.columns.iter().map(|column| column.name.as_str()).collect();
                let why = format!("there is no column `{name}`; there are {}", known.join(", "));
                return Err(ErrorKind::Refused(why));
            }
        }
        let mut counted = Statement::new("SELECT CAST(count(*) AS text) || ' ' || CAST(count(CASE WHEN ");
        counted.each(&listing.key, " OR ", |statement, name| {
            statement.say(&of_row(name)).say(" IS NULL");
        });
        counted.say(" THEN 1 END) AS text) FROM ").say(&self.source).say(" AS r");
        if let Some(deleted) = &listing.deleted {
            counted.say(" WHERE ").say(&unmarked(deleted));
        }
        let counts = self.session.text(&counted).await?.unwrap_or_default();
        let (all, without) = counts.split_once(' ').unwrap_or((&counts, "0"));
        if without != "0" {
            let rows = if without == "1" { "1 row has".to_owned() } else { format!("{without} rows have") };
            return Err(ErrorKind::Refused(format!(
                "{rows} no value in the key ({}), and would be missed; name columns that are never empty",
                listing.key.join(", ")
            )));
        }
        self.total = all.parse().ok();
        Ok(())
    }

    /// The page after a key.
    pub(super) async fn page(
        &self,
        listing: &RowListing,
        which: Listed,
        since: Option<(&Since, &str)>,
        after: Option<&str>,
    ) -> Result<RowPage, ErrorKind> {
        // A name by itself would be the text of the column that is asked for beside the row.
        let key = || listing.key.iter().map(|name| of_row(name));
        let say = |rest: &mut Statement, name: String| {
            rest.say(&name);
        };
        let mut rest = Statement::default();
        let mut joined = " WHERE ";
        let mut and = |rest: &mut Statement| {
            rest.say(joined);
            joined = " AND ";
        };
        if let Some(column) = &listing.deleted {
            and(&mut rest);
            let not = if which == Listed::Deleted { "NOT " } else { "" };
            rest.say(not).say(&unmarked(column));
        }
        if let Some((since, moment)) = since
            && let Some(columns) = self.moments(listing, which, since)
        {
            and(&mut rest);
            rest.say("(").each(columns, " OR ", |rest, column| {
                rest.say(&of_row(column)).say(" >= ").bind(moment_from(since, moment));
            });
            rest.say(")");
        }
        if let Some(after) = after {
            and(&mut rest);
            rest.say("(").each(key(), ", ", say);
            rest.say(") > (").bind_all(key_of(after)?).say(")");
        }
        rest.say(" ORDER BY ").each(key(), ", ", say);
        rest.say(&format!(" LIMIT {}", ROWS_A_PAGE + 1));
        let selection = self.selection(listing, rest);
        let (mut rows, mut all) = self.session.rows(&selection, &self.columns).await?;
        tell_apart(&rows, &listing.key)?;
        if rows.len() > ROWS_A_PAGE {
            rows.truncate(ROWS_A_PAGE);
            all = false;
        }
        let next = rows.last().filter(|_| !all).map(|last| Json::Array(last.key.clone()).to_string());
        Ok(RowPage { rows, next })
    }

    /// The columns of which one tells that a row changed since a moment; none where all are to be looked at. Whoever
    /// marks a row as deleted may not say that it changed: the mark tells it where it is a moment itself.
    fn moments<'l>(&self, listing: &'l RowListing, which: Listed, since: &'l Since) -> Option<Vec<&'l str>> {
        let mark = match (which, &listing.deleted) {
            (Listed::Deleted, Some(mark)) => mark,
            _ => return Some(vec![&since.parameter]),
        };
        let is_moment = |column: &&Column| column.name == *mark && column.form == ColumnForm::Instant;
        self.columns.iter().find(is_moment).map(|_| vec![since.parameter.as_str(), mark.as_str()])
    }

    /// The row of a key, where that is one column; none where it is not there, or deleted.
    pub(super) async fn one(&self, listing: &RowListing, id: &str) -> Result<Option<Row>, ErrorKind> {
        let Some(column) = listing.key.first() else { return Ok(None) };
        let mut rest = Statement::new(" WHERE ");
        rest.say(&self.session.as_text(&of_row(column))).say(" = ").bind(id.into());
        if let Some(deleted) = &listing.deleted {
            rest.say(" AND ").say(&unmarked(deleted));
        }
        rest.say(" LIMIT 2");
        let selection = self.selection(listing, rest);
        let (mut rows, _) = self.session.rows(&selection, &self.columns).await?;
        tell_apart(&rows, &listing.key)?;
        Ok(rows.pop())
    }

    fn selection(&self, listing: &RowListing, rest: Statement) -> Selection {
        Selection { source: self.source.clone(), rest, key: listing.key.clone(), most_bytes: BYTES_A_PAGE }
    }
}

/// Whether a column that says that a row is deleted is empty, or false as databases and people write it.
fn unmarked(column: &str) -> String {
    format!("coalesce(CAST({} AS text), '') IN ('', '0', 'false', 'f')", of_row(column))
}

/// A column of the source.
fn of_row(name: &str) -> String {
    format!("r.{}", quoted(name))
}

/// The key that a page begins after.
fn key_of(cursor: &str) -> Result<Vec<Json>, ErrorKind> {
    serde_json::from_str(cursor).map_err(|_| ErrorKind::Content(format!("`{cursor}` is no key of a row")))
}

/// Rows with one key would be one entry, and those of them on another page would be missed.
fn tell_apart(rows: &[Row], key: &[String]) -> Result<(), ErrorKind> {
    let Some(twice) = rows.windows(2).find(|pair| pair[0].key == pair[1].key) else { return Ok(()) };
    let values: Vec<String> =
        twice[0].key.iter().map(|json| json.as_str().map_or_else(|| json.to_string(), str::to_owned)).collect();
    Err(ErrorKind::Refused(format!(
        "two rows have the same key ({} = {}); name columns that together tell the rows apart",
        key.join(", "),
        values.join(", ")
    )))
}

/// The moment from which changes are asked for, as the database reads it.
fn moment_from(since: &Since, moment: &str) -> Json {
    if let (Err(_), Ok(civil)) = (moment.parse::<Timestamp>(), moment.parse::<DateTime>()) {
        let overlap = SignedDuration::try_from(since.overlap).unwrap_or(SignedDuration::ZERO);
        return civil.checked_sub(overlap).unwrap_or(civil).to_string().into();
    }
    let from = from_when(moment, since.overlap);
    // A number stays one, for databases that tell them from texts.
    from.parse::<i64>().map_or_else(|_| Json::String(from.clone()), Json::from)
}
