//! The chain of the ledger: each row carries the hash of the row before it, so that one which is taken
//! out or altered is found.

use super::database::{OptionalRow, Transaction, params};
use diaporos_core::change::fingerprint_texts;
use jiff::Timestamp;
use serde_json::{Value as Json, json};

use super::row::millis;
use super::{Store, StoreError};

/// What is linked.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Link {
    /// What is about to be sent.
    Intent,
    /// What became of it.
    Outcome,
    /// What was taken out.
    Checkpoint,
}

impl Link {
    const ALL: [Link; 3] = [Link::Intent, Link::Outcome, Link::Checkpoint];

    fn table(self) -> &'static str {
        match self {
            Link::Intent => "intent",
            Link::Outcome => "outcome",
            Link::Checkpoint => "checkpoint",
        }
    }

    fn number(self) -> &'static str {
        if self == Link::Outcome { "intent" } else { "id" }
    }

    /// A row as a text: a JSON list. The lane is not in it: what a lane delivered can be handed to another.
    fn text(self) -> String {
        let columns = match self {
            Link::Intent => {
                "id, run, (SELECT who FROM run WHERE run.id = intent.run), entry, language, action, request, id_there,
                     base_revision, hex(fingerprint), fields, at, item"
            }
            Link::Outcome => "intent, result, status, id_there, revision, message, at",
            Link::Checkpoint => "id, who, at, first, last, hex(first_before), hex(last_hash)",
        };
        let quoted: Vec<String> = columns.split(',').map(|column| format!("json_quote({})", column.trim())).collect();
        format!("'[\"{}\",' || {} || ']'", self.table(), quoted.join(" || ',' || "))
    }
}

/// The newest link, while rows are added to the chain within one change.
pub(super) struct Head {
    link: i64,
    hash: Vec<u8>,
}

impl Head {
    /// The newest link of a ledger.
    pub(super) fn of(transaction: &Transaction<'_>) -> Result<Head, StoreError> {
        let mut find = transaction.prepare_cached("SELECT link, hash FROM chain_head")?;
        Ok(find.query_row(params![], |row| Ok(Head { link: row.get(0)?, hash: row.get(1)? }))?)
    }

    /// Adds a row: what it says, as [`Link::text`] has it. Gives its place, and the hashes before it and its own.
    pub(super) fn add(&mut self, said: &[Json]) -> Result<(i64, Vec<u8>, Vec<u8>), StoreError> {
        let text = serde_json::to_string(said).map_err(StoreError::content)?;
        let own = hash(&self.hash, &text);
        self.link += 1;
        Ok((self.link, std::mem::replace(&mut self.hash, own.clone()), own))
    }

    /// Notes the newest link.
    pub(super) fn keep(&self, transaction: &Transaction<'_>) -> Result<(), StoreError> {
        transaction
            .prepare_cached("UPDATE chain_head SET link = ?1, hash = ?2")?
            .execute_soon(params![self.link, self.hash])?;
        Ok(())
    }
}

/// A fingerprint as a row of the chain says it.
pub(super) fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02X}")).collect()
}

fn hash(before: &[u8], text: &str) -> Vec<u8> {
    let before: String = before.iter().map(|byte| format!("{byte:02x}")).collect();
    fingerprint_texts([before.as_str(), text]).as_bytes().to_vec()
}

/// What an inspection of the chain found.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct ChainState {
    /// How many rows are linked and as they were written.
    pub good: u64,
    /// How many rows are of before the chain was begun.
    pub older: u64,
    /// How many stretches were taken out by `ledger --prune`.
    pub pruned: u64,
    /// The hash of the newest row, in hexadecimal digits.
    pub head: String,
    /// What is wrong, the first few.
    pub faults: Vec<String>,
}

/// The most faults that are told.
const TOLD: usize = 20;

/// A row of the chain, in its order.
struct Linked {
    link: i64,
    kind: String,
    number: i64,
    before: Vec<u8>,
    hash: Vec<u8>,
    text: String,
}

impl Store {
    /// Holds every row of the ledger against its hash, and the hashes against each other.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn verify_ledger(&self) -> Result<ChainState, StoreError> {
        let older = self.connection.query_row(
            "SELECT (SELECT count(*) FROM intent WHERE link IS NULL) + (SELECT count(*) FROM outcome WHERE link IS NULL)",
            params![],
            |row| row.get::<_, i64>(0).map(i64::unsigned_abs),
        )?;
        let pruned = self.connection.query_row("SELECT count(*) FROM checkpoint", params![], |row| {
            row.get::<_, i64>(0).map(i64::unsigned_abs)
        })?;
        let mut state = ChainState { older, pruned, ..ChainState::default() };
        let parts = Link::ALL.map(|kind| {
            format!(
                "SELECT link, '{}', {}, before, hash, {} FROM {} WHERE link IS NOT NULL",
                kind.table(),
                kind.number(),
                kind.text(),
                kind.table()
            )
        });
        let mut query = self.connection.prepare_cached(&format!("{} ORDER BY 1", parts.join(" UNION ALL ")))?;
        let mut rows = query.query(params![])?;
        let mut at = (0, Vec::new());
        while let Some(row) = rows.next()? {
            let row = Linked {
                link: row.get(0)?,
                kind: row.get(1)?,
                number: row.get(2)?,
                before: row.get(3)?,
                hash: row.get(4)?,
                text: row.get(5)?,
            };
            self.hold(&at, &row, &mut state)?;
            at = (row.link, row.hash);
        }
        let head: (i64, Vec<u8>) =
            self.connection
                .query_row("SELECT link, hash FROM chain_head", params![], |row| Ok((row.get(0)?, row.get(1)?)))?;
        if let Some(fault) = self.gap(&at, head.0 + 1, &head.1)? {
            state.faults.push(fault);
        }
        state.head = head.1.iter().map(|byte| format!("{byte:02x}")).collect();
        state.faults.truncate(TOLD);
        Ok(state)
    }

    fn hold(&self, at: &(i64, Vec<u8>), row: &Linked, state: &mut ChainState) -> Result<(), StoreError> {
        let missing = self.gap(at, row.link, &row.before)?;
        let altered =
            (hash(&row.before, &row.text) != row.hash).then(|| format!("the {} {} was altered", row.kind, row.number));
        if missing.is_none() && altered.is_none() {
            state.good += 1;
        }
        if state.faults.len() < TOLD {
            state.faults.extend(missing.into_iter().chain(altered));
        }
        Ok(())
    }

    /// What is wrong between a row and the next that is there: only what `--prune` signed off may be
    /// missing.
    fn gap(&self, (link, hash): &(i64, Vec<u8>), next: i64, before: &[u8]) -> Result<Option<String>, StoreError> {
        let (mut link, mut hash) = (*link, hash.clone());
        while link + 1 < next {
            let signed = self.connection.query_row(
                "SELECT last, last_hash FROM checkpoint WHERE first = ?1 AND first_before = ?2 AND last < ?3",
                params![link + 1, hash, next],
                |row| Ok((row.get(0)?, row.get(1)?)),
            );
            let Some((last, last_hash)) = signed.optional()? else {
                return Ok(Some(format!("the rows {} to {} of the chain were taken out", link + 1, next - 1)));
            };
            (link, hash) = (last, last_hash);
        }
        Ok((hash != before)
            .then(|| format!("the rows up to {link} of the chain are not those that {next} was written after")))
    }
}

/// Signs off what stands in the table `pruned` and is about to be taken out: a checkpoint for each
/// stretch of the chain.
pub(super) fn sign_off(transaction: &Transaction<'_>, who: &str, at: Timestamp) -> Result<(), StoreError> {
    let stretches: Vec<(i64, i64)> = {
        let mut query = transaction.prepare_cached(
            "WITH going AS (
                 SELECT link FROM outcome WHERE intent IN (SELECT id FROM pruned) AND link IS NOT NULL
                 UNION ALL SELECT link FROM intent WHERE id IN (SELECT id FROM pruned) AND link IS NOT NULL)
             SELECT min(link), max(link) FROM (SELECT link, link - row_number() OVER (ORDER BY link) AS stretch FROM going) AS linked
             GROUP BY stretch ORDER BY 1",
        )?;
        query.query_all(params![], |row| Ok((row.get(0)?, row.get(1)?)))?
    };
    let mut head = Head::of(transaction)?;
    for (first, last) in stretches {
        let of = |column: &str, link: i64| -> Result<Vec<u8>, StoreError> {
            let sql = format!(
                "SELECT {column} FROM intent WHERE link = ?1 UNION ALL SELECT {column} FROM outcome WHERE link = ?1"
            );
            Ok(transaction.query_row(&sql, [link], |row| row.get(0))?)
        };
        let (first_before, last_hash) = (of("before", first)?, of("hash", last)?);
        let number: i64 = transaction.query_row(
            "INSERT INTO checkpoint (who, at, first, last, first_before, last_hash) VALUES (?1, ?2, ?3, ?4, ?5, ?6) RETURNING id",
            params![who, millis(at), first, last, first_before, last_hash],
            |row| row.get(0),
        )?;
        let said = json!(["checkpoint", number, who, millis(at), first, last, hex(&first_before), hex(&last_hash)]);
        let (link, before, hash) = head.add(said.as_array().map_or(&[], Vec::as_slice))?;
        transaction.execute(
            "UPDATE checkpoint SET link = ?1, before = ?2, hash = ?3 WHERE id = ?4",
            params![link, before, hash, number],
        )?;
    }
    head.keep(transaction)
}
