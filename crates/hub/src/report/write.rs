//! A report as a file: a page of HTML that needs nothing beside it, Markdown, JSON or CSV.

use std::io::Write;

use minijinja::syntax::SyntaxConfig;
use minijinja::value::Serde;
use minijinja::{AutoEscape, Environment, context};

use super::{Report, plots};

/// In which form a report is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ReportForm {
    /// A page of HTML, with plots.
    Html,
    /// Markdown.
    Markdown,
    /// JSON, with every number.
    Json,
    /// CSV, a number a row.
    Csv,
}

impl ReportForm {
    /// Every form with its word.
    pub const WORDS: [(&str, ReportForm); 4] = [
        ("html", ReportForm::Html),
        ("markdown", ReportForm::Markdown),
        ("json", ReportForm::Json),
        ("csv", ReportForm::Csv),
    ];

    /// The form that a file's name asks for.
    #[must_use]
    pub fn of_file(name: &str) -> Option<ReportForm> {
        let (_, extension) = name.rsplit_once('.')?;
        match extension.to_lowercase().as_str() {
            "html" | "htm" => Some(ReportForm::Html),
            "md" => Some(ReportForm::Markdown),
            "json" => Some(ReportForm::Json),
            "csv" => Some(ReportForm::Csv),
            _ => None,
        }
    }
}

/// Why a report cannot be written.
#[derive(Debug, thiserror::Error)]
pub enum WriteError {
    /// The file cannot be written.
    #[error(transparent)]
    File(#[from] std::io::Error),
    /// The form has a fault of its own.
    #[error("the report cannot be drawn: {0}")]
    Form(String),
}

/// Writes a report.
///
/// # Errors
/// Where it cannot be written.
pub fn write(report: &Report, form: ReportForm, to: &mut dyn Write) -> Result<(), WriteError> {
    match form {
        ReportForm::Html => drawn(report, "report.html", to),
        ReportForm::Markdown => drawn(report, "report.md", to),
        ReportForm::Json => {
            serde_json::to_writer_pretty(&mut *to, report).map_err(|error| WriteError::Form(error.to_string()))?;
            Ok(writeln!(to)?)
        }
        ReportForm::Csv => rows(report, to),
    }
}

fn drawn(report: &Report, template: &str, to: &mut dyn Write) -> Result<(), WriteError> {
    let fault = |error: minijinja::Error| WriteError::Form(format!("{error:#}"));
    let mut environment = Environment::new();
    environment.set_syntax(SyntaxConfig::builder().trim_blocks(true).lstrip_blocks(true).build().map_err(fault)?);
    environment.set_auto_escape_callback(
        |name| {
            if name.ends_with(".html") { AutoEscape::Html } else { AutoEscape::None }
        },
    );
    environment.add_filter("lasts", lasts);
    environment.add_filter("cell", |text: String| text.replace('|', "\\|").replace(['\n', '\r'], " "));
    environment.add_template("report.html", include_str!("../../templates/report.html")).map_err(fault)?;
    environment.add_template("report.md", include_str!("../../templates/report.md")).map_err(fault)?;
    let pictures = context! {
        came_in => plots::by_day("Entries that came in, by day", &report.days, &report.systems),
        went_out => plots::by_day("Documents that were written, by day", &report.days, &report.lanes),
        spread => plots::spread("How many changes took how long", &report.spread),
    };
    let context = context! { report => Serde(report), pictures };
    let text = environment.get_template(template).and_then(|template| template.render(context)).map_err(fault)?;
    Ok(to.write_all(text.as_bytes())?)
}

/// A length of time in words: `0.4 s`, `3 min`.
fn lasts(seconds: f64) -> String {
    match seconds {
        ..10.0 => format!("{seconds:.1} s"),
        ..120.0 => format!("{seconds:.0} s"),
        ..7_200.0 => format!("{:.0} min", seconds / 60.0),
        ..172_800.0 => format!("{:.0} h", seconds / 3_600.0),
        _ => format!("{:.0} days", seconds / 86_400.0),
    }
}

/// A number a row: what it is of, the day where it is of one, what is counted, and how much.
fn rows(report: &Report, to: &mut dyn Write) -> Result<(), WriteError> {
    let mut csv = csv::Writer::from_writer(to);
    let mut row = |of: &str, name: &str, day: &str, what: &str, value: String| {
        csv.write_record([of, name, day, what, &value]).map_err(|error| WriteError::Form(error.to_string()))
    };
    row("of", "name", "day", "what", "value".to_owned())?;
    for (of, flows) in [("system", &report.systems), ("lane", &report.lanes)] {
        for flow in flows {
            for count in &flow.counts {
                for (day, value) in report.days.iter().zip(&count.by_day).filter(|(_, value)| **value > 0) {
                    row(of, &flow.name, day, count.what, value.to_string())?;
                }
            }
        }
    }
    for latency in &report.latency {
        for (what, value) in [("p50", latency.p50), ("p95", latency.p95), ("worst", latency.worst)] {
            row("latency", &latency.lane, "", &format!("{what}, in seconds"), value.to_string())?;
        }
        row("latency", &latency.lane, "", "changes", latency.changes.to_string())?;
    }
    for trouble in &report.troubles {
        row(&trouble.kind, &trouble.lane, "", &trouble.reason, trouble.times.to_string())?;
    }
    for (of, fields) in [("held field", &report.held_fields), ("edited field", &report.edited_fields)] {
        for field in fields {
            row(of, &field.lane, "", &field.field, field.times.to_string())?;
        }
    }
    for one in &report.translated {
        let name = format!("{} {}", one.brief, one.language);
        row("translated", &name, "", "texts", one.texts.to_string())?;
        row("translated", &name, "", "words", one.words.to_string())?;
        if let Some(price) = &one.price {
            row("translated", &name, "", "price", price.clone())?;
        }
    }
    for alert in &report.alerts {
        row("alert", &alert.subject, &alert.opened.to_string(), &alert.kind, alert.message.clone())?;
    }
    Ok(csv.flush()?)
}
