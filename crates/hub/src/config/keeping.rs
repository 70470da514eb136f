//! How long what is no longer needed is kept.

use std::collections::BTreeMap;

use diaporos_core::diagnostic::Report;
use diaporos_core::lane::TypeRef;
use diaporos_core::settings;
use diaporos_core::settings::forms::{DURATION, TYPE};
use diaporos_core::settings::{Form, Section, Setting, Table};
use diaporos_core::value::{SystemName, TypeName};
use diaporos_systems::settings::duration;
use jiff::SignedDuration;

const OF_A_TYPE: &[Setting] = settings![
    versions: DURATION, none, "how long versions are kept that newer ones replaced; the two newest always are", "90d";
    gone: DURATION, none, "how long entries are kept that are gone and have no document at any destination", "30d";
    undelivered: DURATION, none, "how long entries are kept that did not change and never had a document anywhere, as old items of feeds", "365d";
];

/// How long what is no longer needed of a type is kept.
static KEPT: Table = Table::new(
    "what is kept of a type",
    &[
        settings![
            type: TYPE, required, "the type", "bulletins/item";
        ],
        OF_A_TYPE,
    ],
);

/// How long what is no longer needed is kept.
pub(super) static KEEP: Table = Table::new(
    "keep",
    &[
        OF_A_TYPE,
        settings![
            ledger: DURATION, none, "how long rows of the ledger are kept", "400d";
            of: Form::Named(&Form::Table(&KEPT)), none, "the same for single types, by any name", "{ news = { type = \"bulletins/item\", versions = \"7d\" } }";
        ],
    ],
);

/// How long what is no longer needed is kept; for good where nothing is said.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Keeping {
    /// Of every type of which nothing else is said.
    pub usual: Kept,
    /// By type.
    pub of: BTreeMap<TypeRef, Kept>,
    /// Rows of the ledger.
    pub ledger: Option<SignedDuration>,
}

/// How long what is no longer needed of a type is kept.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Kept {
    /// Versions that newer ones replaced.
    pub versions: Option<SignedDuration>,
    /// Entries that are gone.
    pub gone: Option<SignedDuration>,
    /// Entries that were never delivered.
    pub undelivered: Option<SignedDuration>,
}

impl Keeping {
    /// What is said of a type.
    #[must_use]
    pub fn of(&self, end: &TypeRef) -> Kept {
        let own = self.of.get(end).copied().unwrap_or_default();
        Kept {
            versions: own.versions.or(self.usual.versions),
            gone: own.gone.or(self.usual.gone),
            undelivered: own.undelivered.or(self.usual.undelivered),
        }
    }
}

fn signed(table: &mut Section<'_>, key: &'static str, report: &mut Report) -> Option<SignedDuration> {
    duration(table, key, report).and_then(|lasts| SignedDuration::try_from(lasts).ok())
}

fn kept(table: &mut Section<'_>, report: &mut Report) -> Kept {
    Kept {
        versions: signed(table, "versions", report),
        gone: signed(table, "gone", report),
        undelivered: signed(table, "undelivered", report),
    }
}

/// Reads how long what is no longer needed is kept.
pub(super) fn keeping(file: &mut Section<'_>, report: &mut Report) -> Keeping {
    let Some(mut table) = file.section("keep", report) else { return Keeping::default() };
    let (usual, ledger) = (kept(&mut table, report), signed(&mut table, "ledger", report));
    let mut of = BTreeMap::new();
    if let Some(mut section) = table.section("of", report) {
        for name in section.names() {
            let Some(mut own) = section.named_section(&name.value, report) else { continue };
            let item = own.text("type", report);
            let read = item.as_ref().and_then(|item| item.value.as_str().split_once('/')).and_then(|(system, kind)| {
                Some(TypeRef { system: SystemName::new(system).ok()?, kind: TypeName::new(kind).ok()? })
            });
            let kept = kept(&mut own, report);
            own.finish(report);
            match (read, item) {
                (Some(end), _) => drop(of.insert(end, kept)),
                (None, Some(item)) => own.refuse("type", item.span, "this is not a type", report),
                (None, None) => {}
            }
        }
    }
    table.finish(report);
    Keeping { usual, of, ledger }
}
