//! Faults of the configuration, drawn into the file they stand in.

use std::fmt;

use super::cell::one_line;
use super::visible::is_unseen;
use diaporos_core::diagnostic::{Diagnostic, Report, Severity};
use miette::{
    GraphicalReportHandler, GraphicalTheme, LabeledSpan, MietteError, MietteSpanContents, NamedSource, SourceCode,
    SourceSpan, SpanContents,
};

/// Draws every finding of every report. Secrets in a source are blanked before (see
/// [`Report::finish`]).
pub(crate) fn draw(reports: &[Report], colour: bool, width: Option<u16>) -> String {
    let theme = if colour { GraphicalTheme::unicode() } else { GraphicalTheme::unicode_nocolor() };
    let handler = GraphicalReportHandler::new_themed(theme)
        .with_width(width.map_or(100, usize::from))
        .with_context_lines(1)
        .without_cause_chain();
    let mut drawn = String::new();
    for report in reports {
        let source = NamedSource::new(&report.source.name, WholeLines::new(visible_at_length(&report.source.text)));
        let groups = groups(report);
        for finding in report.findings.iter().filter(|finding| !is_in(&groups, finding)) {
            let pointed = Pointed { finding, source: &source };
            // Drawing into a text fails only where the source cannot be read, and then words remain.
            if handler.render_report(&mut drawn, &pointed).is_err() {
                drawn += &format!("{}: {}\n", report.source.name, finding.message);
            }
            drawn.push('\n');
        }
        groups.iter().for_each(|group| drawn += &drawn_group(report, group, colour));
    }
    drawn
}

/// Warnings of one kind that stand in a file more than once: they are told together, a line each.
fn groups(report: &Report) -> Vec<Vec<&Diagnostic>> {
    let mut groups: Vec<Vec<&Diagnostic>> = Vec::new();
    for finding in report.findings.iter().filter(|finding| !finding.is_error()) {
        match groups.iter_mut().find(|group| group[0].code == finding.code) {
            Some(group) => group.push(finding),
            None => groups.push(vec![finding]),
        }
    }
    groups.retain(|group| group.len() > 1);
    groups
}

fn is_in(groups: &[Vec<&Diagnostic>], finding: &Diagnostic) -> bool {
    groups.iter().flatten().any(|grouped| std::ptr::eq(*grouped, finding))
}

fn drawn_group(report: &Report, group: &[&Diagnostic], colour: bool) -> String {
    let (on, off) = if colour { ("\u{1b}[33m", "\u{1b}[0m") } else { ("", "") };
    let place = |finding: &&Diagnostic| {
        let (line, column) = report.source.position(finding.span.start);
        format!("{}:{line}:{column}", report.source.name)
    };
    let widest = group.iter().map(|finding| place(finding).len()).max().unwrap_or_default();
    let mut drawn = format!("{on}{}{off}\n\n", group[0].code);
    for finding in group {
        drawn += &format!("  {on}⚠{off} {:widest$}  {}\n", one_line(&place(finding)), one_line(&finding.message));
    }
    let mut helps: Vec<&String> = group.iter().filter_map(|finding| finding.help.as_ref()).collect();
    helps.dedup();
    // Of helps that name a number of their own, the first is example enough.
    if let Some(help) = helps.first() {
        drawn += &format!("  help: {help}\n");
    }
    drawn + "\n"
}

/// A source without what a terminal would obey, each place at the byte where it was.
fn visible_at_length(text: &str) -> String {
    let shown = |c: char| match c {
        '\n' | '\t' => c.to_string(),
        c if c.is_control() || is_unseen(c) => "?".repeat(c.len_utf8()),
        c => c.to_string(),
    };
    text.chars().map(shown).collect()
}

/// A text of which whole lines are shown: those that a finding touches, and no others, which
/// might hold what nobody else should read.
#[derive(Debug, Clone)]
struct WholeLines {
    text: String,
    /// Where each line begins.
    lines: Vec<usize>,
}

impl WholeLines {
    fn new(text: String) -> WholeLines {
        let lines = std::iter::once(0).chain(text.match_indices('\n').map(|(at, _)| at + 1)).collect();
        WholeLines { text, lines }
    }
}

impl SourceCode for WholeLines {
    fn read_span<'a>(
        &'a self,
        span: &SourceSpan,
        before: usize,
        after: usize,
    ) -> Result<Box<dyn SpanContents<'a> + 'a>, MietteError> {
        let text = self.text.as_bytes();
        let start = span.offset().min(text.len());
        let end = (start + span.len()).min(text.len());
        let line = self.lines.partition_point(|line| *line <= start) - 1;
        let line_start = self.lines[line];
        // Without lines around it is asked for line and column alone, else for an excerpt.
        let (start, end, column) = if before + after == 0 {
            (start, end, self.text.get(line_start..start).map_or(0, |before| before.chars().count()))
        } else {
            let next = self.lines.partition_point(|line| *line <= end);
            (line_start, self.lines.get(next).map_or(text.len(), |next| next - 1), 0)
        };
        let (shown, span) = (&text[start..end], SourceSpan::from(start..end));
        Ok(Box::new(MietteSpanContents::new(shown, span, line, column, self.lines.len())))
    }
}

#[derive(Debug)]
struct Pointed<'a> {
    finding: &'a Diagnostic,
    source: &'a NamedSource<WholeLines>,
}

impl fmt::Display for Pointed<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.finding.message)
    }
}

impl std::error::Error for Pointed<'_> {}

impl miette::Diagnostic for Pointed<'_> {
    fn code<'b>(&'b self) -> Option<Box<dyn fmt::Display + 'b>> {
        Some(Box::new(self.finding.code))
    }

    fn severity(&self) -> Option<miette::Severity> {
        Some(match self.finding.severity {
            Severity::Error => miette::Severity::Error,
            Severity::Warning => miette::Severity::Warning,
        })
    }

    fn help<'b>(&'b self) -> Option<Box<dyn fmt::Display + 'b>> {
        self.finding.help.as_ref().map(|help| Box::new(help) as Box<dyn fmt::Display>)
    }

    fn source_code(&self) -> Option<&dyn SourceCode> {
        Some(self.source)
    }

    fn labels(&self) -> Option<Box<dyn Iterator<Item = LabeledSpan> + '_>> {
        let label = Some(self.finding.label.clone()).filter(|label| !label.is_empty());
        let span = self.finding.span.clone();
        Some(Box::new(std::iter::once(LabeledSpan::new(label, span.start, span.len()))))
    }
}
