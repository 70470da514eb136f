//! A mapped entry as a page, to look at in a browser at three widths.

use std::io::Write;
use std::path::Path;

use diaporos_core::model::FieldKind;
use diaporos_core::value::to_json;
use diaporos_systems::settings::path::read_within;
use minijinja::value::Serde;
use minijinja::{AutoEscape, Environment, context};

use crate::config::ConfiguredLane;

use crate::push::EntryPlan;

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

/// The page of a plan: each document through the lane's template, or a plain list of its fields,
/// at each width. What the template makes is shown in frames that may run nothing.
///
/// # Errors
/// Where the template cannot be read or rendered.
pub fn page(folder: &Path, lane: &ConfiguredLane, plan: &EntryPlan) -> Result<String, PageError> {
    let template = match &lane.template {
        None => PLAIN.to_owned(),
        Some(name) => read_within(folder, &name.to_string_lossy())
            .map_err(|error| PageError::Read { name: name.display().to_string(), error })?,
    };
    let wrong = |error: minijinja::Error| PageError::Template(format!("{error:#}"));
    let mut environment = Environment::new();
    environment.set_auto_escape_callback(|_| AutoEscape::Html);
    environment.set_fuel(Some(FUEL));
    environment.add_template("page.html", &template).map_err(wrong)?;
    environment.add_template("around.html", AROUND).map_err(wrong)?;
    // What the destination takes as HTML was cleaned, and may stand in a page as it is.
    let fields = lane.target.fields.iter().flat_map(|known| &known.fields);
    let html: Vec<String> =
        fields.filter(|(_, field)| field.kind == FieldKind::Html).map(|(name, _)| name.clone()).collect();
    let mut shown = Vec::new();
    for document in &plan.documents {
        let Some(ours) = &document.document else { continue };
        let plain: serde_json::Map<_, _> =
            ours.fields.iter().map(|(name, value)| (name.clone(), to_json(value))).collect();
        let fields = minijinja::Value::from(Serde(&plain));
        let language = ours.language.as_ref().map_or(String::new(), ToString::to_string);
        let address = plan.address.to_string();
        let page = environment.get_template("page.html").map_err(wrong)?;
        let values = context! { fields, language => language.clone(), address, html => html.clone() };
        let mut to = Capped(Vec::new());
        page.render_captured_to(values, &mut to).map_err(wrong)?;
        let body = String::from_utf8_lossy(&to.0).into_owned();
        shown.push(context! { language, step => document.step.word(), body });
    }
    let around = environment.get_template("around.html").map_err(wrong)?;
    let hold = plan.hold.as_ref().map(|hold| hold.message.clone());
    let (address, to) = (plan.address.to_string(), lane.lane.to.to_string());
    around.render(context! { address, to, hold, shown, widths => WIDTHS }).map_err(wrong)
}

/// The most bytes that a template makes of one document.
const LONGEST_PAGE: usize = 8 << 20;

/// A page that grows so far and no further.
#[derive(Default)]
pub(crate) struct Capped(Vec<u8>);

impl Capped {
    pub(crate) fn into_bytes(self) -> Vec<u8> {
        self.0
    }
}

impl Write for Capped {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        if self.0.len() + bytes.len() > LONGEST_PAGE {
            return Err(std::io::Error::other(format!("it makes more than {LONGEST_PAGE} bytes of one document")));
        }
        self.0.extend_from_slice(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

const PLAIN: &str = include_str!("page/plain.html");
const AROUND: &str = include_str!("page/around.html");
