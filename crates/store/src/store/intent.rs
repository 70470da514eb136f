//! What is to be sent, noted before it is, and what became of it.

use super::database::Row;
use diaporos_core::change::Fingerprint;
use diaporos_core::plan::{Intended, Order, Presence};
use diaporos_core::value::{EntryId, LanguageTag, Record, Revision, Value};

use super::StoreError;
use super::row::{entry_id, fields, fingerprint, revision};
use super::verdict::Delivered;

/// What a request is to do.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Action {
    /// Write a new document.
    Create,
    /// Change one.
    Update,
    /// Put on view what is saved of one.
    Show,
    /// Take one off view.
    Withdraw,
    /// Delete one.
    Delete,
}

impl Action {
    const WORDS: [(&'static str, Action); 5] = [
        ("create", Action::Create),
        ("update", Action::Update),
        ("show", Action::Show),
        ("withdraw", Action::Withdraw),
        ("delete", Action::Delete),
    ];

    /// The action's word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, action)| *action == self).map_or("", |(word, _)| word)
    }
}

/// What is about to be sent for one document.
#[derive(Debug, Clone, PartialEq)]
pub struct IntentRecord {
    /// The entry's number.
    pub entry: i64,
    /// The document's language.
    pub language: Option<LanguageTag>,
    /// What is to be done.
    pub action: Action,
    /// Method and address, without secrets.
    pub request: String,
    /// Which document, where it is there already.
    pub id_there: Option<EntryId>,
    /// The version it is based on.
    pub base: Option<Revision>,
    /// The fingerprint of the fields.
    pub fingerprint: Fingerprint,
    /// The fields.
    pub fields: Record,
    /// What joins a new document to the entry's others, where that was known.
    pub item: Option<EntryId>,
    /// What it changes, as it was before; none where nothing was there.
    pub was: Option<Was>,
}

/// A document before a request, as far as the request changes it.
#[derive(Debug, Clone, PartialEq)]
pub struct Was {
    /// Whether it was on view.
    pub presence: Presence,
    /// The fields that it changes, as they were; null where there was nothing.
    pub fields: Record,
}

/// An intent that stands in the ledger and has no outcome yet. Only it allows a request, and it
/// must become an outcome.
#[derive(Debug, PartialEq, Eq)]
#[must_use = "an intent without an outcome is in doubt"]
pub struct OpenIntent {
    pub(super) number: i64,
    pub(super) entry: i64,
    pub(super) at: i64,
}

impl OpenIntent {
    /// What tells its request from those of all other intents, of other hubs too.
    #[must_use]
    pub fn attempt(&self) -> String {
        format!("{}/{}", self.at, self.number)
    }

    /// The number of the entry it is about.
    #[must_use]
    pub fn entry(&self) -> i64 {
        self.entry
    }
}

/// What became of a request.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum OutcomeResult {
    /// It was carried out.
    Done,
    /// It was refused, and nothing was changed.
    Refused,
    /// It was surely not carried out.
    NotDone,
    /// The answer was lost, and the destination shows what it was to do.
    FoundDone,
    /// The answer was lost, and the destination shows that it was not carried out.
    FoundNotDone,
    /// The answer was lost, and the destination shows neither.
    Unclear,
}

impl OutcomeResult {
    /// The result's word.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            OutcomeResult::Done => "done",
            OutcomeResult::Refused => "refused",
            OutcomeResult::NotDone => "not done",
            OutcomeResult::FoundDone => "found done",
            OutcomeResult::FoundNotDone => "found not done",
            OutcomeResult::Unclear => "unclear",
        }
    }
}

/// What is written of a request after it.
#[derive(Debug, Clone, PartialEq)]
pub struct Outcome {
    /// What became of it.
    pub result: OutcomeResult,
    /// The answer's status.
    pub status: Option<u16>,
    /// What went wrong.
    pub message: Option<String>,
    /// The document as it is there now, where it was written.
    pub delivered: Option<Delivered>,
}

pub(super) fn action(word: &str) -> Result<Action, StoreError> {
    let found = Action::WORDS.iter().find(|(known, _)| *known == word).map(|(_, action)| *action);
    found.ok_or_else(|| StoreError::Content(format!("the action `{word}`")))
}

pub(super) fn intent(row: Row<'_>) -> Result<(OpenIntent, IntentRecord), StoreError> {
    let (number, entry): (i64, i64) = (row.get(0)?, row.get(1)?);
    let language: String = row.get(2)?;
    let word: String = row.get(3)?;
    let record = IntentRecord {
        entry,
        language: if language.is_empty() { None } else { Some(language.parse().map_err(StoreError::content)?) },
        action: action(&word)?,
        request: row.get(4)?,
        id_there: row.get::<_, Option<String>>(5)?.map(entry_id).transpose()?,
        base: revision(row.get(6)?)?,
        fingerprint: fingerprint(&row.get::<_, Vec<u8>>(7)?)?,
        fields: fields(&row.get::<_, String>(8)?)?,
        item: row.get::<_, Option<String>>(9)?.map(entry_id).transpose()?,
        was: None,
    };
    Ok((OpenIntent { number, entry, at: row.get(10)? }, record))
}

impl IntentRecord {
    /// The order that it was; `key` names the lane's key field. None where its document is not told.
    #[must_use]
    pub fn order(&self, key: Option<&str>) -> Option<Order> {
        let (fields, revision, language) = (self.fields.clone(), self.base.clone(), self.language.clone());
        let key = key.and_then(|key| self.fields.get(key)).and_then(Value::scalar_text).map(|text| text.into_owned());
        Some(match (self.action, self.id_there.clone()) {
            (Action::Create, _) => Order::Create { fields, language, item: self.item.clone(), key },
            (Action::Update, Some(id)) => Order::Update { id, revision, fields, language },
            (Action::Show, Some(id)) => Order::Show { id, revision },
            (Action::Withdraw, Some(id)) => Order::Withdraw { id, revision },
            (Action::Delete, Some(id)) => Order::Delete { id, revision },
            (_, None) => return None,
        })
    }

    /// What the request was to do, for settling; none for a creation, which is looked up by its key.
    #[must_use]
    pub fn intended(&self) -> Option<Intended> {
        match self.action {
            Action::Create => None,
            Action::Update => Some(Intended::Write {
                fields: self.fields.clone(),
                fingerprint: self.fingerprint,
                base: self.base.clone(),
            }),
            Action::Show => Some(Intended::Show),
            Action::Withdraw => Some(Intended::Withdraw),
            Action::Delete => Some(Intended::Delete),
        }
    }
}
