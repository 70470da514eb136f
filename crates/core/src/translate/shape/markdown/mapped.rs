//! Text as it is read, which knows where in its source it stands.

use std::ops::Range;

/// Text as it is read, and where in the source each part of it stands.
#[derive(Debug, Clone, Default)]
pub(super) struct Mapped {
    pub(super) text: String,
    spans: Vec<Span>,
}

/// A part of the text.
#[derive(Debug, Clone)]
struct Span {
    /// Where it begins in the text, in bytes.
    at: usize,
    /// Where it stands in the source.
    place: Range<usize>,
    /// Whether it is written there as it is read, byte for byte.
    is_exact: bool,
}

impl Mapped {
    /// Adds text that stands at this place of the source.
    pub(super) fn push(&mut self, text: &str, place: Range<usize>, source: &str) {
        if text.is_empty() {
            return;
        }
        let is_exact = source.get(place.clone()) == Some(text);
        self.spans.push(Span { at: self.text.len(), place, is_exact });
        self.text.push_str(text);
    }

    /// Where a part of the text stands in the source; the whole of what is written otherwise there.
    pub(super) fn place_of(&self, part: Range<usize>) -> Range<usize> {
        let Some(first) = self.span_at(part.start) else { return 0..0 };
        let last = self.span_at(part.end.saturating_sub(1)).unwrap_or(first);
        let start = first.place.start + if first.is_exact { part.start - first.at } else { 0 };
        let end = if last.is_exact { last.place.start + (part.end - last.at) } else { last.place.end };
        start..end.max(start)
    }

    fn span_at(&self, at: usize) -> Option<&Span> {
        let after = self.spans.partition_point(|span| span.at <= at);
        self.spans.get(after.checked_sub(1)?)
    }
}
