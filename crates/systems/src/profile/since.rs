//! How a system is asked for what changed since a moment.

use std::time::Duration;

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::intake::from_when;
use diaporos_core::settings;
use diaporos_core::settings::forms::{DURATION, TEXT};
use diaporos_core::settings::{Form, Section, Table, TextForm, words};
use jiff::{SignedDuration, Timestamp};
use serde_json::Value as Json;

use super::ListingForm;
use crate::query::{JSON_PATH, Query};

/// How only what changed is asked for.
pub(super) static SINCE: Table = Table::new(
    "since",
    &[settings![
        parameter: TEXT, required, "the parameter that says since when; of a query, its variable", "updated_after";
        at: JSON_PATH, required, "where an item says when it changed", "$.updated";
        form: Form::Word { what: "a form of moments", of: || words(&MomentForm::WORDS) }, usual "as-given", "how the moment is sent: as the source gives it, as seconds or milliseconds since 1970, or as a day", "seconds";
        within: TEXT, none, "what is sent, where the moment is a part of it", "updated>'{moment}'";
        overlap: DURATION, usual "5m", "how far before the newest change it is asked, against clocks that differ", "10m";
        whole_every: Form::Text(&TextForm { name: "a duration, or `never`", pattern: None }), usual "7d", "how often all is listed, for changes alone do not show what went", "30d";
    ]],
);

/// How only what changed is asked for.
#[derive(Debug, Clone)]
pub(crate) struct Since {
    /// The query parameter.
    pub(crate) parameter: String,
    form: MomentForm,
    /// What is sent, with `{moment}` in it.
    within: Option<String>,
    /// Where an item says when it changed.
    pub(crate) at: Query,
    /// How far before the newest change it is asked, against clocks that differ.
    pub(crate) overlap: Duration,
    /// How often everything is listed all the same; never where none.
    pub(crate) whole_every: Option<SignedDuration>,
}

impl Since {
    /// A source's parameter for changes by a column.
    pub(super) fn plain(parameter: String, at: Query, lengths: (Duration, Option<SignedDuration>)) -> Since {
        let (overlap, whole_every) = lengths;
        Since { parameter, form: MomentForm::AsGiven, within: None, at, overlap, whole_every }
    }

    /// What is sent to ask for what changed since the newest change that was seen; nothing where that is no moment and
    /// would be a part of a text: then all is asked for.
    pub(crate) fn asks(&self, newest: &str) -> Option<Json> {
        let moment = self.form.written(&from_when(newest, self.overlap));
        let Some(within) = &self.within else { return Some(moment) };
        let text = moment.as_str().map_or_else(|| moment.to_string(), str::to_owned);
        // What a source wrote is never more than a moment where it goes into a text of ours.
        let is_plain = text.chars().all(|c| c.is_ascii_alphanumeric() || matches!(c, '-' | ':' | '.' | '+' | '_'));
        is_plain.then(|| within.replace("{moment}", &text).into())
    }

    pub(super) fn from_section(section: &mut Section<'_>, form: ListingForm, report: &mut Report) -> Option<Since> {
        let parameter = section.text("parameter", report);
        let at = Query::from_key(section, "at", report);
        let moment_form = section.word("form", &MomentForm::WORDS, report);
        let within = section.text("within", report);
        if let Some(item) = within.as_ref().filter(|item| !item.value.as_str().contains("{moment}")) {
            report.add(Diagnostic::error(Code::BadValue, item.span.clone(), "`within` needs `{moment}` in it"));
        }
        if let Some(item) = parameter.as_ref().filter(|_| form == ListingForm::Query)
            && item.value.as_str().starts_with("$.")
        {
            report.add(Diagnostic::error(
                Code::BadValue,
                item.span.clone(),
                "a query's parameter is the name of a variable",
            ));
        }
        let within = within.map(|item| item.value.as_str().to_owned());
        let (overlap, whole_every) = Since::lengths(section, report)?;
        let parameter = parameter?.value.as_str().to_owned();
        Some(Since { parameter, form: moment_form?, within, at: at?, overlap, whole_every })
    }

    /// How far back it is asked, and how often everything is listed all the same.
    pub(super) fn lengths(
        section: &mut Section<'_>,
        report: &mut Report,
    ) -> Option<(Duration, Option<SignedDuration>)> {
        let overlap = length(section, "overlap", report);
        let whole_every = match section.string("whole_every", report).as_deref() {
            Some("never") => Some(None),
            _ => length(section, "whole_every", report).map(Some),
        };
        Some((overlap?.unsigned_abs(), whole_every?))
    }
}

/// A length of time that is not negative; days have 24 hours.
fn length(section: &mut Section<'_>, key: &'static str, report: &mut Report) -> Option<SignedDuration> {
    let item = section.text(key, report)?;
    let span = item.value.as_str().parse::<jiff::Span>().ok();
    let duration = span.and_then(|span| span.to_duration(jiff::SpanRelativeTo::days_are_24_hours()).ok());
    let duration = duration.filter(|duration| !duration.is_negative());
    if duration.is_none() {
        section.refuse(key, item.span, "this is not a duration", report);
    }
    duration
}

/// How a moment is sent.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum MomentForm {
    AsGiven,
    Seconds,
    Milliseconds,
    Day,
}

impl MomentForm {
    const WORDS: [(&str, MomentForm); 4] = [
        ("as-given", MomentForm::AsGiven),
        ("seconds", MomentForm::Seconds),
        ("milliseconds", MomentForm::Milliseconds),
        ("day", MomentForm::Day),
    ];

    /// A moment that a source gave, in this form; as it was given where it is none that is known.
    fn written(self, moment: &str) -> Json {
        let Some(known) = moment_of(moment) else { return moment.into() };
        match self {
            MomentForm::AsGiven => moment.into(),
            MomentForm::Seconds => known.as_second().into(),
            MomentForm::Milliseconds => known.as_millisecond().into(),
            // In UTC, and so never a later day than it is there.
            MomentForm::Day => known.strftime("%Y-%m-%d").to_string().into(),
        }
    }
}

/// A moment as sources write them: RFC 3339, or a number of seconds or milliseconds since 1970.
fn moment_of(text: &str) -> Option<Timestamp> {
    if let Ok(moment) = text.parse() {
        return Some(moment);
    }
    let number: i64 = text.parse().ok()?;
    if number > 100_000_000_000 {
        Timestamp::from_millisecond(number).ok()
    } else {
        Timestamp::from_second(number).ok()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn since(form: MomentForm, within: Option<&str>) -> Since {
        let lengths = (Duration::from_secs(60), None);
        let plain = Since::plain("since".to_owned(), Query::parse("$.updated"), lengths);
        Since { form, within: within.map(str::to_owned), ..plain }
    }

    #[test]
    fn moments_are_sent_as_a_source_wants_them() {
        let newest = "2026-05-01T00:00:30Z";
        for (form, within, sent) in [
            (MomentForm::AsGiven, None, Json::from("2026-04-30T23:59:30Z")),
            (MomentForm::Seconds, None, 1_777_593_570.into()),
            (MomentForm::Milliseconds, None, 1_777_593_570_000_i64.into()),
            (MomentForm::Day, None, "2026-04-30".into()),
            (MomentForm::AsGiven, Some("updated>'{moment}'"), "updated>'2026-04-30T23:59:30Z'".into()),
            (MomentForm::Seconds, Some("updated>{moment}"), "updated>1777593570".into()),
        ] {
            assert_eq!(since(form, within).asks(newest), Some(sent), "{form:?}");
        }
        assert_eq!(since(MomentForm::Seconds, None).asks("1777593630000"), Some(1_777_593_570.into()));
        // A source's word for a moment goes into no text of ours where it could be more than that.
        assert_eq!(since(MomentForm::AsGiven, Some("updated>'{moment}'")).asks("x' or '1'='1"), None);
        assert_eq!(since(MomentForm::AsGiven, None).asks("token 7'"), Some("token 7'".into()));
    }
}
