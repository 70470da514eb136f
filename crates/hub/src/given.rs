//! What services gave an entry, to be shown.

use diaporos_core::lane::TypeRef;
use diaporos_core::value::{LanguageTag, Record, Value};
use diaporos_store::{EntryRow, Store, StoreError};
use jiff::Timestamp;

use crate::config::Config;
use crate::mapping::{given_value, known_of};

/// What a service gave an entry, in a language where it has such.
#[derive(Debug, Clone, PartialEq)]
pub struct Given {
    /// The service, which the field is called by.
    pub service: String,
    /// The language.
    pub language: Option<LanguageTag>,
    /// What it gave, and when; nothing where it was not asked yet. Else why it cannot be asked.
    pub end: Result<Option<(Value, Timestamp)>, String>,
}

/// What the services of its type gave an entry, as far as they are asked about it.
///
/// # Errors
/// Where the store fails.
pub fn given(config: &Config, store: &Store, row: &EntryRow) -> Result<Vec<Given>, StoreError> {
    let mut all = Vec::new();
    for service in config.services.values().filter(|service| service.of == of(row)) {
        let name = || service.name.clone();
        match known_of(store, service, &config.library, row)? {
            Err(why) => all.push(Given { service: name(), language: None, end: Err(why) }),
            Ok(known) => all.extend(known.into_iter().map(|known| Given {
                service: name(),
                language: known.question.language,
                end: Ok(known.given),
            })),
        }
    }
    Ok(all)
}

/// An entry's fields, those that services give it among them.
///
/// # Errors
/// Where the store fails.
pub fn with_given(config: &Config, store: &Store, row: &EntryRow) -> Result<Record, StoreError> {
    let mut fields = row.fields.clone();
    for service in config.services.values().filter(|service| service.of == of(row)) {
        let known = known_of(store, service, &config.library, row)?.unwrap_or_default();
        fields.insert(service.name.clone(), given_value(service, known));
    }
    Ok(fields)
}

fn of(row: &EntryRow) -> TypeRef {
    TypeRef { system: row.address.system.clone(), kind: row.address.kind.clone() }
}
