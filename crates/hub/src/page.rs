//! A mapped entry as a page, to look at in a browser at three widths.

mod output;

use std::path::Path;

use diaporos_core::model::FieldKind;
use diaporos_core::plan::Existing;
use diaporos_core::value::{Record, to_json};
use diaporos_systems::settings::path::read_within;
use minijinja::value::Serde;
use minijinja::{AutoEscape, Environment, context};
use serde::Serialize;

use crate::config::ConfiguredLane;
use crate::push::EntryPlan;
use crate::template::{Capped, escape_lightly};

pub use output::{OutputPageError, Showing, output_pages};

/// The widths at which a page is shown, in CSS pixels: a telephone, a tablet, a desk.
const WIDTHS: [u32; 3] = [360, 768, 1200];
/// What a template may do before it is stopped.
const FUEL: u64 = 1_000_000;

/// Why there is no page.
#[derive(Debug, thiserror::Error)]
pub enum PageError {
    /// The template cannot be read.
    #[error("the template `{name}` cannot be read: {error}")]
    Read {
        /// Its name.
        name: String,
        /// Why.
        error: std::io::Error,
    },
    /// The template is faulty, or asks for what is not there.
    #[error("the template: {0}")]
    Template(String),
}

/// A document as a page.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct DocumentPage {
    /// Its language; empty where there is one document for all.
    pub language: String,
    /// What is to be done for it.
    pub step: String,
    /// The page as it would be.
    pub body: String,
    /// The page that is on view now, where that was asked for and there is one.
    pub now: Option<String>,
}

/// What is looked at: an entry on a lane, as pages.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct EntryPages {
    /// The entry.
    pub address: String,
    /// Where it goes.
    pub to: String,
    /// Why it does not go.
    pub hold: Option<String>,
    /// Its pages.
    pub shown: Vec<DocumentPage>,
    /// What the page looks at to follow changes; it stands still without.
    pub follows: Option<String>,
}

/// The pages of a plan: each document through the lane's template, or as a plain list of its fields; beside what is
/// held there now, in order of the plan's documents, as far as that is given.
///
/// # Errors
/// Where the template cannot be read or rendered.
pub fn lane_pages(
    folder: &Path,
    lane: &ConfiguredLane,
    plan: &EntryPlan,
    held: &[Option<Existing>],
) -> Result<Vec<DocumentPage>, PageError> {
    let template = match &lane.template {
        None => PLAIN.to_owned(),
        Some(name) => read_within(folder, &name.to_string_lossy())
            .map_err(|error| PageError::Read { name: name.display().to_string(), error })?,
    };
    let mut environment = Environment::new();
    environment.set_auto_escape_callback(|_| AutoEscape::Html);
    environment.set_fuel(Some(FUEL));
    environment.add_template("page.html", &template).map_err(wrong)?;
    // What the destination takes as HTML was cleaned, and may stand in a page as it is.
    let fields = lane.target.fields.iter().flat_map(|known| &known.fields);
    let html: Vec<String> =
        fields.filter(|(_, field)| field.kind == FieldKind::Html).map(|(name, _)| name.clone()).collect();
    let address = plan.address.to_string();
    let page = |language: &str, fields: &Record| {
        let plain: serde_json::Map<_, _> = fields.iter().map(|(name, value)| (name.clone(), to_json(value))).collect();
        let fields = minijinja::Value::from(Serde(&plain));
        let values = context! { fields, language, address => address.clone(), html => html.clone() };
        let mut to = Capped::default();
        environment.get_template("page.html")?.render_captured_to(values, &mut to)?;
        Ok(String::from_utf8_lossy(&to.into_bytes()).into_owned())
    };
    let mut shown = Vec::new();
    for (place, document) in plan.documents.iter().enumerate() {
        let Some(ours) = &document.document else { continue };
        let language = ours.language.as_ref().map_or(String::new(), ToString::to_string);
        let there = held.get(place).and_then(Option::as_ref);
        let now = there.map(|there| page(&language, &there.fields)).transpose().map_err(wrong)?;
        let body = page(&language, &ours.fields).map_err(wrong)?;
        shown.push(DocumentPage { language, step: document.step.word().to_owned(), body, now });
    }
    Ok(shown)
}

fn wrong(error: minijinja::Error) -> PageError {
    PageError::Template(format!("{error:#}"))
}

/// Pages beside each other at each width. What templates made is shown in frames that may run nothing.
///
/// # Errors
/// Where that cannot be drawn.
pub fn side_by_side(pages: &EntryPages) -> Result<String, PageError> {
    let mut environment = Environment::new();
    escape_lightly(&mut environment);
    environment.add_template("around.html", AROUND).map_err(wrong)?;
    environment.add_global("widths", minijinja::Value::from(Serde(&WIDTHS)));
    environment.get_template("around.html").and_then(|around| around.render(Serde(pages))).map_err(wrong)
}

/// A list of entries, each with its title, that leads to their pages.
///
/// # Errors
/// Where that cannot be drawn.
pub fn entry_list(lane: &str, entries: &[(String, String)]) -> Result<String, PageError> {
    let mut environment = Environment::new();
    escape_lightly(&mut environment);
    environment.add_template("list.html", include_str!("page/list.html")).map_err(wrong)?;
    let values = context! { lane, entries => Serde(&entries) };
    environment.get_template("list.html").and_then(|list| list.render(values)).map_err(wrong)
}

const PLAIN: &str = include_str!("page/plain.html");
const AROUND: &str = include_str!("page/around.html");
