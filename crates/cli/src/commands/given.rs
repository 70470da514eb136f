//! What services gave an entry.

use std::collections::BTreeSet;

use diaporos_core::value::{LanguageTag, to_json};
use diaporos_hub::config::ConfiguredLane;
use diaporos_hub::given::Given;
use indexmap::IndexMap;
use serde_json::{Value as Json, json};

use crate::context::Context;
use crate::error::Failure;
use crate::output::fields::value_text;
use crate::output::{Cell, Column, moment, one_line};

const COLUMNS: &[Column] = &[
    Column::text("service", "service"),
    Column::text("language", "lang"),
    Column::prose("gives", "gives"),
    Column::text("asked", "asked"),
];

/// Draws them.
pub(crate) fn draw(given: &[Given], context: &Context) -> Result<(), Failure> {
    let mut sheet = context.sheet(COLUMNS);
    for Given { service, language, end } in given {
        let (gives, asked) = match end {
            Ok(Some((value, asked))) => (value_text(value), Cell::moment(*asked, &context.zone)),
            Ok(None) => ("the next push asks it".to_owned(), Cell::text("not yet")),
            Err(why) => (one_line(why), Cell::text("cannot be")),
        };
        sheet.row(vec![
            Cell::text(service),
            Cell::maybe(language.as_ref().map(ToString::to_string)),
            Cell::text(gives),
            asked,
        ]);
    }
    sheet.end("no service is asked about it")
}

/// Of the services whose fields a lane reads, when each was asked; nothing where it reads none.
pub(crate) fn told(lane: &ConfiguredLane, given: &[Given], context: &Context) -> Option<String> {
    let read: BTreeSet<&str> = lane.services.iter().map(|service| service.name.as_str()).collect();
    let own = given.iter().filter(|given| read.contains(given.service.as_str()));
    // Languages that were asked together are told together.
    let mut said: IndexMap<String, Vec<&str>> = IndexMap::new();
    for Given { service, language, end } in own {
        let asked = match end {
            Ok(Some((_, asked))) => format!("`{service}` asked {}", moment(*asked, &context.zone)),
            Ok(None) => format!("`{service}` not asked yet; the next push asks it"),
            Err(why) => one_line(why),
        };
        said.entry(asked).or_default().extend(language.as_ref().map(LanguageTag::as_str));
    }
    let told = said.into_iter().map(|(asked, languages)| match languages.as_slice() {
        [] => asked,
        languages => format!("{asked} ({})", languages.join(", ")),
    });
    let told: Vec<String> = told.collect();
    (!told.is_empty()).then(|| told.join("; "))
}

/// One as JSON.
pub(crate) fn document(given: &Given) -> Json {
    let (value, asked, problem) = match &given.end {
        Ok(Some((value, asked))) => (to_json(value), Some(asked.to_string()), None),
        Ok(None) => (Json::Null, None, None),
        Err(why) => (Json::Null, None, Some(why)),
    };
    json!({
        "service": given.service,
        "language": given.language.as_ref().map(ToString::to_string),
        "gives": value,
        "asked": asked,
        "problem": problem,
    })
}
