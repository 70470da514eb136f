//! A call before a call: what it looks up goes into the other one.

use diaporos_core::diagnostic::Report;
use diaporos_core::settings;
use diaporos_core::settings::{Form, Section, Table, TextForm};

use super::filled::Filled;
use super::path::{fill, without_unknown};
use crate::query::{JSON_PATH, Query};

/// The place that is filled with what was looked up.
pub(crate) const FOUND: &str = "{found}";

const GET: Form = Form::Text(&TextForm { name: "a call that reads, `GET /path`", pattern: Some("^GET [^ ]+$") });
/// What is looked up before a call.
pub(super) static LOOK_UP: Table = Table::new(
    "look-up before a call",
    &[settings![
        call: GET, required, "the call that looks it up, with the places of the call that follows", "GET /drafts/next";
        at: JSON_PATH, required, "where its answer has what goes into the call that follows, in the place of `{found}`", "$.draft";
    ]],
);

/// What is looked up before a call: the path that is asked.
#[derive(Debug, Clone)]
pub(crate) struct LookUp {
    path: String,
    /// Where the answer has it.
    pub(crate) at: Query,
}

impl LookUp {
    /// Reads what is looked up before a call with such places.
    pub(super) fn from_key(section: &mut Section<'_>, allowed: &[&str], report: &mut Report) -> Option<LookUp> {
        let mut table = section.section("look_up", report)?;
        let path = table.text("call", report).and_then(|item| {
            let path = item.value.as_str().strip_prefix("GET ").map(str::to_owned);
            if path.is_none() {
                table.refuse("call", item.span.clone(), "what is looked up is asked for with GET", report);
            }
            path.filter(|path| without_unknown((path, &item), allowed, report))
        });
        let at = Query::from_key(&mut table, "at", report);
        table.finish(report);
        Some(LookUp { path: path?, at: at? })
    }

    /// The path that is asked.
    pub(crate) fn path(&self, filled: Filled<'_>) -> String {
        fill(&self.path, filled)
    }
}
