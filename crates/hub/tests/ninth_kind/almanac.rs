//! Kind `almanac`: the days on which something is sown, made up from nothing. What a kind takes is in
//! this file alone.

use async_trait::async_trait;
use diaporos_core::change::{fingerprint_record, fingerprint_texts};
use diaporos_core::diagnostic::Report;
use diaporos_core::intake::{CacheValidators, Incoming, Listing, PageCounts};
use diaporos_core::model::{EntryType, Field, FieldKind, Model};
use diaporos_core::settings;
use diaporos_core::settings::{Form, Section, Table};
use diaporos_core::value::{EntryId, Record, State, TypeName, Value};
use diaporos_systems::kind::{Kind, System};
use diaporos_systems::settings::{HubFiles, OF_ALL, PlaceText};
use diaporos_systems::{Ask, ConnectError, ListingCapabilities, Page, PageContent, Read, Setup, SystemError};

static ALMANAC: Table = Table::new(
    "system of kind almanac",
    &[
        OF_ALL[0],
        OF_ALL[1],
        OF_ALL[2],
        OF_ALL[3],
        OF_ALL[4],
        settings![
            days: Form::Count(1), usual "2", "how many days it tells of", "7";
        ],
    ],
);

/// Days on which something is sown.
pub(crate) struct Almanac;

impl Kind for Almanac {
    fn word(&self) -> &'static str {
        "almanac"
    }

    fn settings(&self) -> &'static Table {
        &ALMANAC
    }

    fn read_settings(
        &self,
        table: &mut Section<'_>,
        _: &mut HubFiles<'_>,
        report: &mut Report,
    ) -> Option<Box<dyn System>> {
        let days = table.count("days", report)?.value;
        let sown = Field { kind: FieldKind::Text, ..Field::default() };
        let day = EntryType { fields: [("sown".to_owned(), sown)].into_iter().collect() };
        let types = [(TypeName::new("day").unwrap(), day)].into_iter().collect();
        Some(Box::new(Days { days, model: Model { types } }))
    }
}

#[derive(Debug, Clone)]
struct Days {
    days: u64,
    model: Model,
}

impl System for Days {
    fn model(&self) -> &Model {
        &self.model
    }

    fn places(&self) -> Vec<(String, &PlaceText)> {
        Vec::new()
    }

    fn reader(&self, _: &dyn Setup) -> Result<Box<dyn Read>, ConnectError> {
        Ok(Box::new(self.clone()))
    }
}

#[async_trait]
impl Read for Days {
    fn types(&self) -> Vec<TypeName> {
        self.model.types.keys().cloned().collect()
    }

    fn model(&self) -> &Model {
        &self.model
    }

    fn capabilities(&self, _: &TypeName) -> ListingCapabilities {
        ListingCapabilities::plain(Listing::Complete)
    }

    fn page_key(&self, _: Ask<'_>) -> String {
        "all days".to_owned()
    }

    async fn page(&self, _: Ask<'_>, _: Option<&CacheValidators>) -> Result<Page, SystemError> {
        let day = |day: u64| {
            let fields: Record = [("sown".to_owned(), Value::from("fern spores"))].into_iter().collect();
            let fingerprint = fingerprint_record(&fields);
            let id = EntryId::new(day.to_string()).unwrap();
            let (state, notes) = (State::Live, Vec::new());
            Incoming { id, part: None, state, revision: None, fields, fingerprint, raw: None, notes }
        };
        let entries: Vec<Incoming> = (1..=self.days).map(day).collect();
        let counts = PageCounts { items: entries.len() as u64, ..PageCounts::default() };
        let content = fingerprint_texts([self.days.to_string().as_str()]);
        let mark = CacheValidators { etag: None, last_modified: None, content, next: None, counts };
        Ok(Page::new(PageContent::Entries { entries, problems: Vec::new(), mark }, None))
    }
}
