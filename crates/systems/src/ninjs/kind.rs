//! Kind `ninjs`: what the configuration says of it.

use diaporos_core::diagnostic::Report;
use diaporos_core::model::Model;
use diaporos_core::settings;
use diaporos_core::settings::{Form, Section, Table};

use super::{NinjsReader, model};
use crate::Read;
use crate::kind::{Kind, System};
use crate::settings::forms::DOCUMENT;
use crate::settings::{CREDENTIAL, CredentialReference, Credentials, HubFiles, OF_ALL, PlaceText, credential, place};
use crate::setup::{ConnectError, DocumentPlace, Setup};

static SYSTEM: Table = Table::new(
    "system of kind ninjs",
    &[
        OF_ALL[0],
        OF_ALL[1],
        OF_ALL[2],
        OF_ALL[3],
        OF_ALL[4],
        settings![
            documents: Form::Named(&DOCUMENT), required, "the documents, each under a name", "{ today = \"https://wire.ostrel.example/today.json\" }";
            read: Form::Table(&CREDENTIAL), none, "the credential for reading; it goes to the host of the first document alone", "{ bearer = \"env:WIRE_READ_TOKEN\" }";
        ],
    ],
);

/// Documents of news items.
#[derive(Debug)]
pub struct Ninjs;

impl Kind for Ninjs {
    fn word(&self) -> &'static str {
        "ninjs"
    }

    fn settings(&self) -> &'static Table {
        &SYSTEM
    }

    fn read_settings(
        &self,
        table: &mut Section<'_>,
        _: &mut HubFiles<'_>,
        report: &mut Report,
    ) -> Option<Box<dyn System>> {
        let read = credential(table, "read", report);
        let mut section = table.section("documents", report)?;
        let mut documents = Vec::new();
        for name in section.names() {
            let place = section.named_text(&name.value, report).and_then(|item| place(&item, report));
            documents.extend(place.map(|place| (name.value, place)));
        }
        Some(Box::new(NinjsSystem { documents, read }))
    }
}

/// Documents of news items, each under a name.
#[derive(Debug)]
struct NinjsSystem {
    documents: Vec<(String, PlaceText)>,
    read: Option<CredentialReference>,
}

impl System for NinjsSystem {
    fn model(&self) -> &Model {
        model()
    }

    fn places(&self) -> Vec<(String, &PlaceText)> {
        self.documents.iter().map(|(label, place)| (label.clone(), place)).collect()
    }

    fn credentials(&self) -> Credentials<'_> {
        Credentials { read: self.read.as_ref(), write: None }
    }

    fn reader(&self, setup: &dyn Setup) -> Result<Box<dyn Read>, ConnectError> {
        let place = |(label, place): &(String, PlaceText)| Ok((label.clone(), setup.document(place)?));
        let documents = self.documents.iter().map(place).collect::<Result<Vec<_>, ConnectError>>()?;
        let base = documents.iter().find_map(|(_, place)| match place {
            DocumentPlace::Web(url) => Some(url),
            DocumentPlace::File(_) => None,
        });
        let credential = base.map_or(Ok(None), |base| setup.credential(base, self.read.as_ref()))?;
        Ok(Box::new(NinjsReader::new(setup.name().clone(), documents, credential, setup.limits()?)?))
    }
}
