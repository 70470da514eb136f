//! Intents before requests, outcomes after: each group in one commit, and each row linked to the one before it.

use diaporos_core::value::{EntryId, LaneName, LanguageTag, Revision};
use jiff::Timestamp;
use rusqlite::types::Value;
use serde_json::json;

use super::chain::{Head, hex};
use super::claimed::let_go;
use super::counterparts::{KnownBefore, keep_counterparts};
use super::delivery::note_all;
use super::happenings::{happen_outcome, is_anybody_told, note_changed};
use super::intent::{IntentRecord, OpenIntent, Outcome, OutcomeResult, Was};
use super::row::{fields_text, millis};
use super::together::{add_rows, perhaps, text};
use super::{Store, StoreError, Verdict};

const INTENT: [&str; 17] = [
    "id",
    "run",
    "lane",
    "entry",
    "language",
    "action",
    "request",
    "id_there",
    "base_revision",
    "fingerprint",
    "fields",
    "at",
    "item",
    "was",
    "link",
    "before",
    "hash",
];
const OUTCOME: [&str; 10] =
    ["intent", "result", "status", "id_there", "revision", "message", "at", "link", "before", "hash"];

impl Store {
    /// Writes intents, all in one commit that is on the disk before this returns.
    ///
    /// # Errors
    /// Where the store fails; none is written then.
    pub fn intend(
        &mut self,
        run: i64,
        lane: &LaneName,
        intents: &[IntentRecord],
        now: Timestamp,
    ) -> Result<Vec<OpenIntent>, StoreError> {
        self.surely(|store| store.intend_once(run, lane, intents, now))
    }

    fn intend_once(
        &mut self,
        run: i64,
        lane: &LaneName,
        intents: &[IntentRecord],
        now: Timestamp,
    ) -> Result<Vec<OpenIntent>, StoreError> {
        let lane = self.lane_number(lane)?;
        if intents.is_empty() {
            return Ok(Vec::new());
        }
        let transaction = self.fence.begin(&mut self.connection)?;
        let (last, who): (i64, Option<String>) = transaction.query_row(
            "SELECT (SELECT coalesce(max(id), 0) FROM intent), (SELECT who FROM run WHERE id = ?1)",
            [run],
            |row| Ok((row.get(0)?, row.get(1)?)),
        )?;
        let group = Group { run, lane, who, now };
        let mut head = Head::of(&transaction)?;
        let (mut rows, mut opened, mut open) = (Vec::new(), Vec::new(), Vec::with_capacity(intents.len()));
        for (number, intent) in (last + 1..).zip(intents) {
            rows.push(intent_row(&mut head, number, &group, intent)?);
            opened.push(vec![number.into(), lane.into(), intent.entry.into()]);
            open.push(OpenIntent { number, entry: intent.entry, at: millis(now) });
        }
        add_rows(&transaction, ("intent", &INTENT), &rows, "")?;
        add_rows(&transaction, ("open_intent", &["intent", "lane", "entry"]), &opened, "")?;
        head.keep(&transaction)?;
        transaction.commit()?;
        Ok(open)
    }

    /// Writes outcomes, the counterparts they made, and where their entries stand now, in one commit.
    ///
    /// # Errors
    /// Where the store fails; the intents are in doubt then, and the next run settles them.
    pub fn conclude(
        &mut self,
        lane: &LaneName,
        outcomes: Vec<(OpenIntent, Outcome)>,
        verdicts: &[Verdict],
        now: Timestamp,
    ) -> Result<(), StoreError> {
        self.surely(|store| store.conclude_once(lane, &outcomes, verdicts, now))
    }

    fn conclude_once(
        &mut self,
        lane: &LaneName,
        outcomes: &[(OpenIntent, Outcome)],
        verdicts: &[Verdict],
        now: Timestamp,
    ) -> Result<(), StoreError> {
        let lane = self.lane_number(lane)?;
        let transaction = self.fence.begin(&mut self.connection)?;
        let (is_told, mut changed) = (is_anybody_told(&transaction)?, Vec::new());
        // Before the counterparts, which make those owed again that looked in vain for one of them.
        let entries: Vec<i64> = verdicts.iter().map(|verdict| verdict.entry).collect();
        let all: Vec<i64> = entries.iter().copied().chain(outcomes.iter().map(|(intent, _)| intent.entry)).collect();
        let known = KnownBefore::of(&transaction, lane, &all)?;
        note_all(&transaction, &known, verdicts, now)?;
        let mut head = Head::of(&transaction)?;
        let (mut rows, mut closed) = (Vec::new(), Vec::new());
        for (intent, outcome) in outcomes {
            rows.push(outcome_row(&mut head, intent.number, outcome, now)?);
            closed.push(intent.number);
        }
        add_rows(&transaction, ("outcome", &OUTCOME), &rows, "")?;
        head.keep(&transaction)?;
        transaction
            .prepare_cached(
                "DELETE FROM open_intent WHERE intent IN (SELECT CAST(value AS BIGINT) FROM json_each(?1))",
            )?
            .execute_soon([serde_json::to_string(&closed).map_err(StoreError::content)?])?;
        let delivered =
            outcomes.iter().filter_map(|(intent, outcome)| Some((intent.entry, outcome.delivered.as_ref()?)));
        keep_counterparts(&transaction, &known, delivered, now)?;
        for (intent, outcome) in outcomes {
            if matches!(outcome.result, OutcomeResult::Done | OutcomeResult::FoundDone) {
                changed.push(intent.number);
                if is_told {
                    happen_outcome(&transaction, intent.number, now)?;
                }
            }
        }
        note_changed(&transaction, &changed, lane)?;
        let_go(&transaction, lane, &entries)?;
        Ok(transaction.commit()?)
    }
}

/// What the intents of a group have in common.
struct Group {
    run: i64,
    lane: i64,
    who: Option<String>,
    now: Timestamp,
}

/// An intent as a row, linked to the one before it.
fn intent_row(head: &mut Head, number: i64, of: &Group, intent: &IntentRecord) -> Result<Vec<Value>, StoreError> {
    let Group { run, lane, who, now } = of;
    let language = intent.language.as_ref().map_or("", LanguageTag::as_str);
    let (id_there, base) = (intent.id_there.as_ref().map(EntryId::as_str), intent.base.as_ref().map(Revision::as_str));
    let (fields, item) = (fields_text(&intent.fields), intent.item.as_ref().map(EntryId::as_str));
    let print = intent.fingerprint.as_bytes();
    let (link, before, hash) = head.add(&[
        json!("intent"),
        json!(number),
        json!(run),
        json!(who),
        json!(intent.entry),
        json!(language),
        json!(intent.action.word()),
        json!(intent.request),
        json!(id_there),
        json!(base),
        json!(hex(print)),
        json!(fields),
        json!(millis(*now)),
        json!(item),
    ])?;
    Ok(vec![
        number.into(),
        (*run).into(),
        (*lane).into(),
        intent.entry.into(),
        text(language),
        text(intent.action.word()),
        text(&intent.request),
        perhaps(id_there),
        perhaps(base),
        print.to_vec().into(),
        text(fields),
        millis(*now).into(),
        perhaps(item),
        perhaps(intent.was.as_ref().map(Was::text)),
        link.into(),
        before.into(),
        hash.into(),
    ])
}

/// An outcome as a row, linked to the one before it.
fn outcome_row(head: &mut Head, intent: i64, outcome: &Outcome, now: Timestamp) -> Result<Vec<Value>, StoreError> {
    let there = outcome.delivered.as_ref().map(|delivered| &delivered.counterpart);
    let (id_there, result) = (there.map(|known| known.id.as_str()), outcome.result.word());
    let revision = there.and_then(|known| known.revision.as_ref()).map(Revision::as_str);
    let (link, before, hash) = head.add(&[
        json!("outcome"),
        json!(intent),
        json!(result),
        json!(outcome.status),
        json!(id_there),
        json!(revision),
        json!(outcome.message),
        json!(millis(now)),
    ])?;
    Ok(vec![
        intent.into(),
        text(result),
        outcome.status.map_or(Value::Null, |status| i64::from(status).into()),
        perhaps(id_there),
        perhaps(revision),
        perhaps(outcome.message.clone()),
        millis(now).into(),
        link.into(),
        before.into(),
        hash.into(),
    ])
}
