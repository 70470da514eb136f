//! What is wrong in a file of the user's, where, and how to mend it. Knows nothing of any language.

mod code;
mod hide;
mod nearest;

use std::ops::Range;

pub use code::Code;
pub use nearest::nearest;

/// A stretch of a source text, in bytes.
pub type Span = Range<usize>;

/// A text to point into, with the name under which the user knows it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Source {
    /// The file's name, relative to the hub.
    pub name: String,
    /// The whole text.
    pub text: String,
}

impl Source {
    /// Line and column, from 1, of a byte offset; columns count characters.
    #[must_use]
    pub fn position(&self, offset: usize) -> (usize, usize) {
        let mut end = offset.min(self.text.len());
        while !self.text.is_char_boundary(end) {
            end -= 1;
        }
        let before = &self.text[..end];
        let line_start = before.rfind('\n').map_or(0, |newline| newline + 1);
        (before.matches('\n').count() + 1, before[line_start..].chars().count() + 1)
    }
}

/// How bad it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Severity {
    /// Worth knowing; nothing is refused.
    Warning,
    /// Nothing runs until it is mended.
    Error,
}

/// One finding.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Diagnostic {
    /// A stable name for the kind of finding.
    pub code: Code,
    /// How bad it is.
    pub severity: Severity,
    /// What is wrong, in one sentence without a full stop.
    pub message: String,
    /// Where, in bytes of the source.
    pub span: Span,
    /// What to say at that place.
    pub label: String,
    /// How to mend it.
    pub help: Option<String>,
}

impl Diagnostic {
    /// An error at a place.
    pub fn error(code: Code, span: Span, message: impl Into<String>) -> Self {
        Diagnostic { code, severity: Severity::Error, message: message.into(), span, label: String::new(), help: None }
    }

    /// A warning at a place.
    pub fn warning(code: Code, span: Span, message: impl Into<String>) -> Self {
        Diagnostic { severity: Severity::Warning, ..Diagnostic::error(code, span, message) }
    }

    /// Whether nothing runs until it is mended.
    #[must_use]
    pub fn is_error(&self) -> bool {
        self.severity == Severity::Error
    }

    /// The same, in a text in which this one begins at an offset.
    #[must_use]
    pub fn within(mut self, place: impl Fn(Span) -> Span) -> Self {
        self.span = place(self.span);
        self
    }

    /// Says something at the place.
    #[must_use]
    pub fn label(mut self, label: impl Into<String>) -> Self {
        self.label = label.into();
        self
    }

    /// Says how to mend it.
    #[must_use]
    pub fn help(mut self, help: impl Into<String>) -> Self {
        self.help = Some(help.into());
        self
    }

    /// Offers the nearest of the known names, or lists them where there are few and none is near.
    #[must_use]
    pub fn suggest<'a>(self, given: &str, known: impl IntoIterator<Item = &'a str>) -> Self {
        let known: Vec<&str> = known.into_iter().collect();
        match nearest(given, known.iter().copied()) {
            Some(near) => self.help(format!("did you mean `{near}`?")),
            None if known.is_empty() || known.len() > 20 => self,
            None => self.help(format!("known here: {}", known.join(", "))),
        }
    }
}

/// The most findings that are told of one source.
const MOST_FINDINGS: usize = 200;

/// All findings in one source, in the order of their places.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Report {
    /// The text the findings point into.
    pub source: Source,
    /// The findings.
    pub findings: Vec<Diagnostic>,
}

impl Report {
    /// A report without findings.
    #[must_use]
    pub fn new(source: Source) -> Self {
        Report { source, findings: Vec::new() }
    }

    /// Adds a finding.
    pub fn add(&mut self, finding: Diagnostic) {
        match self.findings.len() {
            // Whoever mends two hundred runs the check again.
            0..MOST_FINDINGS => self.findings.push(finding),
            MOST_FINDINGS => {
                let message =
                    format!("there are more than {MOST_FINDINGS} faults in this file; only the first are told");
                self.findings.push(Diagnostic { message, label: String::new(), help: None, ..finding });
            }
            _ => {}
        }
    }

    /// Whether anything found stops the hub from running.
    #[must_use]
    pub fn has_errors(&self) -> bool {
        self.findings.iter().any(Diagnostic::is_error)
    }

    /// Sorts the findings by place and blanks out secrets that stand in the source, character by
    /// character, so that a drawn excerpt never shows one.
    pub fn finish(&mut self) {
        self.findings.sort_by_key(|finding| (finding.span.start, finding.span.end));
        self.findings.dedup();
        let told = self.findings.iter().filter(|finding| finding.code == Code::ClearSecret);
        let mut places: Vec<Span> = told.map(|finding| finding.span.clone()).collect();
        places.extend(hide::places(&self.source.text));
        if places.is_empty() {
            return;
        }
        let text = std::mem::take(&mut self.source.text);
        let mut bytes = text.clone().into_bytes();
        for place in places {
            let Some(secret) = text.get(place.clone()) else { continue };
            bytes[place].iter_mut().filter(|byte| **byte != b'\n').for_each(|byte| *byte = b'*');
            self.hide_in_words(secret.trim_matches(['"', '\'']));
        }
        self.source.text = String::from_utf8_lossy(&bytes).into_owned();
    }

    /// Takes a value that could be a secret out of what is said of it.
    fn hide_in_words(&mut self, secret: &str) {
        // What is as short stands in ordinary words.
        if secret.len() < 6 || secret.bytes().all(|byte| byte == b'*') {
            return;
        }
        for finding in &mut self.findings {
            for said in [&mut finding.message, &mut finding.label] {
                if said.contains(secret) {
                    *said = said.replace(secret, "***");
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn positions_count_lines_and_characters() {
        let source = Source { name: "a".into(), text: "one\ntŵo x".into() };
        assert_eq!(source.position(0), (1, 1));
        assert_eq!(source.position(4), (2, 1));
        assert_eq!(source.position(source.text.find('x').unwrap()), (2, 5));
        assert_eq!(source.position(999), (2, 6));
    }

    #[test]
    fn a_secret_is_blanked_before_anything_is_drawn() {
        let text = "bearer = \"s3cret ŵ\"\nurl = 1".to_owned();
        let mut report = Report::new(Source { name: "a".into(), text });
        report.add(Diagnostic::error(Code::ClearSecret, 9..20, "a secret"));
        report.finish();
        assert_eq!(report.source.text, "bearer = ***********\nurl = 1");
    }
}
