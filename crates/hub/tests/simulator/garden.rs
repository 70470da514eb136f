//! The source as the pull reads it.

use std::collections::BTreeMap;

use async_trait::async_trait;
use diaporos_core::change::fingerprint_record;
use diaporos_core::intake::{CacheValidators, Incoming, Listing, PageCounts};
use diaporos_core::model::Model;
use diaporos_core::value::{EntryId, LanguageTag, Record, State, TypeName, Value};
use diaporos_systems::{Ask, ListingCapabilities, Page, PageContent, Read, SystemError};

use crate::history::{ENTRIES, FIELDS};

/// What the source has.
#[derive(Debug, Clone, Default)]
pub(crate) struct Garden {
    values: BTreeMap<(usize, usize), u8>,
    /// The French of each entry, where entries have languages.
    french: Option<[Option<u8>; ENTRIES]>,
    hidden: [bool; ENTRIES],
    /// The entry that each refers to.
    friends: [Option<usize>; ENTRIES],
    shares_key: bool,
    model: Model,
}

impl Garden {
    /// A source whose entries have languages, or have none.
    pub(crate) fn new(languages: bool) -> Garden {
        Garden { french: languages.then_some([None; ENTRIES]), ..Garden::default() }
    }

    pub(crate) fn translate(&mut self, entry: usize, value: Option<u8>) {
        if let Some(french) = &mut self.french {
            french[entry] = value;
        }
    }

    /// The languages of an entry; one without a name where entries have none.
    pub(crate) fn languages(&self, entry: usize) -> Vec<Option<LanguageTag>> {
        match self.french {
            None => vec![None],
            Some(french) => {
                let french = french[entry].map(|_| "fr".parse().unwrap());
                [Some("en".parse().unwrap()), french].into_iter().filter(Option::is_some).collect()
            }
        }
    }

    /// The fields of an entry as a document in a language has them.
    pub(crate) fn fields_in(&self, entry: usize, language: Option<&LanguageTag>) -> Record {
        let in_language = |value: Value| match (value, language) {
            (Value::Localised(by_language), Some(language)) => by_language.get(language).cloned().unwrap_or_default(),
            (value, _) => value,
        };
        self.fields(entry).into_iter().map(|(name, value)| (name, in_language(value))).collect()
    }

    pub(crate) fn edit(&mut self, entry: usize, field: usize, value: u8) {
        self.values.insert((entry, field), value);
    }

    pub(crate) fn set_live(&mut self, entry: usize, live: bool) {
        self.hidden[entry] = !live;
    }

    pub(crate) fn refer(&mut self, entry: usize, to: Option<usize>) {
        self.friends[entry] = to;
    }

    pub(crate) fn friend(&self, entry: usize) -> Option<usize> {
        self.friends[entry]
    }

    /// The second entry has the key of the first.
    pub(crate) fn share_key(&mut self, shared: bool) {
        self.shares_key = shared;
    }

    pub(crate) fn shares_key(&self) -> bool {
        self.shares_key
    }

    pub(crate) fn key(&self, entry: usize) -> String {
        let owner = if self.shares_key && entry == 1 { 0 } else { entry };
        format!("page-{owner}")
    }

    pub(crate) fn is_live(&self, entry: usize) -> bool {
        !self.hidden[entry]
    }

    fn fields(&self, entry: usize) -> Record {
        let key = self.key(entry);
        let mut fields: Record = [("slug".to_owned(), Value::from(key.as_str()))].into_iter().collect();
        for (place, name) in FIELDS.into_iter().enumerate() {
            let value = self.values.get(&(entry, place)).copied().unwrap_or_default();
            let text = |value: u8| Value::from(format!("ours-{value}").as_str());
            let value = match self.french {
                _ if name == "topics" => Value::List((0..value).map(text).collect()),
                None => text(value),
                Some(french) => {
                    let french = french[entry].map(|french| ("fr".parse().unwrap(), text(french + 40)));
                    Value::Localised([("en".parse().unwrap(), text(value))].into_iter().chain(french).collect())
                }
            };
            fields.insert(name.to_owned(), value);
        }
        fields
    }

    fn incoming(&self, entry: usize) -> Incoming {
        let fields = self.fields(entry);
        let mut fields = fields;
        let friends = self.friends.iter().filter(|_| self.french.is_none());
        let friend = friends
            .copied()
            .nth(entry)
            .flatten()
            .map(|to| Value::Reference(format!("garden/plant/{to}").parse().unwrap()));
        fields.extend(friend.map(|friend| ("friend".to_owned(), friend)));
        Incoming {
            id: EntryId::new(entry.to_string()).unwrap(),
            part: None,
            state: if self.is_live(entry) { State::Live } else { State::Withdrawn },
            revision: None,
            fingerprint: fingerprint_record(&fields),
            fields,
            raw: None,
            notes: Vec::new(),
        }
    }
}

#[async_trait]
impl Read for Garden {
    fn types(&self) -> Vec<TypeName> {
        vec![TypeName::new("plant").unwrap()]
    }

    fn model(&self) -> &Model {
        &self.model
    }

    fn capabilities(&self, _: &TypeName) -> ListingCapabilities {
        ListingCapabilities::plain(Listing::Complete)
    }

    fn page_key(&self, _: Ask<'_>) -> String {
        "all".to_owned()
    }

    async fn page(&self, _: Ask<'_>, _: Option<&CacheValidators>) -> Result<Page, SystemError> {
        let entries: Vec<Incoming> = (0..ENTRIES).map(|entry| self.incoming(entry)).collect();
        let said = format!("{:?} {:?} {:?} {:?}", self.values, self.french, self.hidden, self.friends);
        let content = diaporos_core::change::fingerprint_texts([said.as_str()]);
        let counts = PageCounts::default();
        let mark = CacheValidators { etag: None, last_modified: None, content, next: None, counts };
        Ok(Page::new(PageContent::Entries { entries, problems: Vec::new(), mark }, None))
    }
}
