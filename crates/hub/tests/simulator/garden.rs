//! The source as the pull reads it.

use std::collections::BTreeMap;

use async_trait::async_trait;
use diaporos_core::change::fingerprint_record;
use diaporos_core::intake::{CacheValidators, Incoming, Listing, PageCounts};
use diaporos_core::model::Model;
use diaporos_core::value::{EntryId, Record, State, TypeName, Value};
use diaporos_systems::{Ask, ListingCapabilities, Page, PageContent, Read, SystemError};

use crate::history::{ENTRIES, FIELDS};

/// What the source has.
#[derive(Debug, Clone, Default)]
pub(crate) struct Garden {
    values: BTreeMap<(usize, usize), u8>,
    hidden: [bool; ENTRIES],
    /// The entry that each refers to.
    friends: [Option<usize>; ENTRIES],
    shares_key: bool,
    model: Model,
}

impl Garden {
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

    pub(crate) fn fields(&self, entry: usize) -> Record {
        let key = self.key(entry);
        let mut fields: Record = [("slug".to_owned(), Value::from(key.as_str()))].into_iter().collect();
        for (place, name) in FIELDS.into_iter().enumerate() {
            let value = self.values.get(&(entry, place)).copied().unwrap_or_default();
            let text = |value: u8| Value::from(format!("ours-{value}").as_str());
            let value = if name == "topics" { Value::List((0..value).map(text).collect()) } else { text(value) };
            fields.insert(name.to_owned(), value);
        }
        fields
    }

    fn incoming(&self, entry: usize) -> Incoming {
        let fields = self.fields(entry);
        let mut fields = fields;
        let friend = self.friends[entry].map(|to| Value::Reference(format!("garden/plant/{to}").parse().unwrap()));
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
        let said = format!("{:?} {:?} {:?}", self.values, self.hidden, self.friends);
        let content = diaporos_core::change::fingerprint_texts([said.as_str()]);
        let counts = PageCounts::default();
        let mark = CacheValidators { etag: None, last_modified: None, content, next: None, counts };
        Ok(Page::new(PageContent::Entries { entries, problems: Vec::new(), mark }, None))
    }
}
