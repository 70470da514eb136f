//! Markdown by where its texts stand: what is around them stays as it is, byte for byte.

mod attribute;
mod blocks;
mod escape;
mod html;
mod inline;
mod mapped;
mod run;
mod token;

use std::cmp::Reverse;
use std::ops::Range;

use pulldown_cmark::Options;

use super::building::joined;
use super::{Block, Part, TextStructure};
use crate::translate::protect::Protected;

pub(super) use escape::{TextPlace, escaped, escaped_title};
use run::Run;

/// CommonMark with what most readers of Markdown know beside it. Where a reader does not know one of these, its
/// marks stay where they are all the same.
const OPTIONS: Options = Options::ENABLE_TABLES
    .union(Options::ENABLE_STRIKETHROUGH)
    .union(Options::ENABLE_FOOTNOTES)
    .union(Options::ENABLE_TASKLISTS)
    .union(Options::ENABLE_HEADING_ATTRIBUTES)
    .union(Options::ENABLE_GFM)
    .union(Options::ENABLE_DEFINITION_LIST);

/// Cuts Markdown into its blocks. Those with words come first; the others are there so that what was joined can be
/// held against the source.
pub(super) fn cut(shape: &mut TextStructure, text: &str, protected: &Protected) {
    let runs = blocks::runs(text, protected);
    let mut order: Vec<usize> = (0..runs.len()).collect();
    order.sort_by_key(|at| (!runs[*at].has_words, runs[*at].place.start, Reverse(runs[*at].place.end)));
    let mut number = vec![0; runs.len()];
    for (new, old) in order.iter().enumerate() {
        number[*old] = new;
    }
    let places = Places::of(&runs);
    let renumbered = |parts: Vec<Part>| -> Vec<Part> {
        let renumber = |part| match part {
            Part::Block(old) => Part::Block(number.get(old).copied().unwrap_or(old)),
            fixed => fixed,
        };
        parts.into_iter().map(renumber).collect()
    };
    shape.parts = renumbered(places.parts(text, 0..text.len()));
    shape.sent = runs.iter().filter(|run| run.has_words).count();
    let mut runs: Vec<Option<Run>> = runs.into_iter().map(Some).collect();
    for old in order {
        let Some(run) = runs.get_mut(old).and_then(Option::take) else { continue };
        let own = renumbered(places.inner_parts(text, run.place));
        let block = run.block;
        let starts = block.starts.into_iter().map(renumbered).collect();
        let ends = block.ends.into_iter().map(renumbered).collect();
        shape.blocks.push(Block { own, starts, ends, ..block });
    }
}

/// Where runs stand in the source, in its order, those around others first.
struct Places(Vec<(Range<usize>, usize)>);

impl Places {
    fn of(runs: &[Run]) -> Places {
        let mut places: Vec<_> = runs.iter().enumerate().map(|(at, run)| (run.place.clone(), at)).collect();
        places.sort_by_key(|(place, _)| (place.start, Reverse(place.end)));
        Places(places)
    }

    /// A part of the source, with the outermost runs in it as blocks.
    fn parts(&self, source: &str, within: Range<usize>) -> Vec<Part> {
        self.parts_but(source, within, false)
    }

    /// The source of a run, with the runs in it as blocks.
    fn inner_parts(&self, source: &str, place: Range<usize>) -> Vec<Part> {
        self.parts_but(source, place, true)
    }

    fn parts_but(&self, source: &str, within: Range<usize>, but_itself: bool) -> Vec<Part> {
        let mut parts = Vec::new();
        let mut at = within.start;
        let first = self.0.partition_point(|(place, _)| place.start < within.start);
        for (place, run) in &self.0[first..] {
            if place.start >= within.end {
                break;
            }
            if place.start < at || place.end > within.end || (but_itself && *place == within) {
                continue;
            }
            parts.push(fixed(source, at..place.start));
            parts.push(Part::Block(*run));
            at = place.end;
        }
        parts.push(fixed(source, at..within.end));
        joined(parts)
    }
}

fn fixed(source: &str, place: Range<usize>) -> Part {
    Part::Fixed(source.get(place).unwrap_or_default().to_owned())
}

#[cfg(test)]
pub(crate) mod tests;
