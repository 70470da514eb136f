//! Messages with variables, plural forms and choices, cut into a block for each text in them. Of a plural
//! there is a block for every form that any language has: those that a language lacks are left out when
//! its text is joined.

mod parse;

use std::cmp::Reverse;
use std::ops::Range;

use super::building::{Building, has_words};
use super::{Block, JoinError, Part, TextStructure, Written};
use crate::translate::case::Case;
use crate::translate::inline::{Inline, Piece};
use crate::translate::plural::PluralForm;
use crate::translate::protect::Protected;

use parse::{Branch, Choice, ChoiceKind, Message, Node, parse};

/// The name of a tag that stands for a number which words may say as well.
pub(in crate::translate) const NUMBER: &str = "number";

/// The most texts in one message: each plural within another has six times as many.
const MOST_BLOCKS: usize = 1_000;

/// Cuts a message. One that is broken is kept as it is.
pub(super) fn cut(shape: &mut TextStructure, text: &str, protected: &Protected) {
    let message = match parse(text) {
        Ok(message) => message,
        Err(fault) => return broken(shape, text, fault),
    };
    let mut cutter = Cutter { text, protected, is_doubled: text.contains("''"), runs: vec![None] };
    let (lead, trail) = cutter.message(0, &message, &Standing { cases: Vec::new(), is_added: false, in_plural: false });
    if cutter.runs.len() > MOST_BLOCKS {
        return broken(shape, text, format!("it has more than {MOST_BLOCKS} texts"));
    }
    let runs: Vec<Block> = cutter.runs.into_iter().flatten().collect();
    let words: Vec<bool> = runs.iter().map(|block| has_words(&block.source)).collect();
    let mut order: Vec<usize> = (0..runs.len()).collect();
    order.sort_by_key(|at| (Reverse(words.get(*at).copied()), *at));
    let mut number = vec![0; runs.len()];
    for (new, old) in order.iter().enumerate() {
        number[*old] = new;
    }
    shape.sent = words.iter().filter(|has_words| **has_words).count();
    let first = Part::Block(number.first().copied().unwrap_or_default());
    shape.parts = super::building::joined(vec![Part::Fixed(lead), first, Part::Fixed(trail)]);
    let mut runs: Vec<Option<Block>> = runs.into_iter().map(Some).collect();
    for old in order {
        let Some(block) = runs.get_mut(old).and_then(Option::take) else { continue };
        shape.blocks.push(renumbered(block, &number));
    }
}

fn broken(shape: &mut TextStructure, text: &str, fault: String) {
    shape.parts = vec![Part::Fixed(text.to_owned())];
    shape.fault = Some(fault);
}

fn renumbered(block: Block, number: &[usize]) -> Block {
    let new = |old: usize| number.get(old).copied().unwrap_or(old);
    let parts = |parts: Vec<Part>| -> Vec<Part> {
        let renumber = |part| match part {
            Part::Block(old) => Part::Block(new(old)),
            Part::Branch { before, block, after, within } => {
                let within = within.into_iter().map(new).collect();
                Part::Branch { before, block: new(block), after, within }
            }
            fixed => fixed,
        };
        parts.into_iter().map(renumber).collect()
    };
    Block {
        own: parts(block.own),
        starts: block.starts.into_iter().map(&parts).collect(),
        ends: block.ends.into_iter().map(&parts).collect(),
        ..block
    }
}

/// Where a branch stands.
#[derive(Clone)]
struct Standing {
    cases: Vec<Case>,
    /// Whether the source has no such branch.
    is_added: bool,
    in_plural: bool,
}

impl Standing {
    /// Whether words can say the number: `one fern` is as good as `# fern`.
    fn says_number(&self) -> bool {
        match self.cases.last() {
            Some(Case::Plural { form, .. }) => matches!(form, PluralForm::Zero | PluralForm::One | PluralForm::Two),
            Some(Case::Choice { .. }) => true,
            None => false,
        }
    }
}

struct Cutter<'a> {
    text: &'a str,
    protected: &'a Protected,
    /// Whether the message writes every apostrophe twice.
    is_doubled: bool,
    runs: Vec<Option<Block>>,
}

impl Cutter<'_> {
    fn raw(&self, place: Range<usize>) -> String {
        self.text.get(place).unwrap_or_default().to_owned()
    }

    /// Puts the block of a message in its place, and those of its branches behind it. Gives the white space
    /// around it, which is not its own.
    fn message(&mut self, at: usize, message: &Message, standing: &Standing) -> (String, String) {
        let written = Written::Message { in_plural: standing.in_plural, is_doubled: self.is_doubled };
        let raw = self.text.get(message.place.clone()).unwrap_or_default();
        let inner = raw.trim();
        let lead = raw.len() - raw.trim_start().len();
        let inner = message.place.start + lead..message.place.start + lead + inner.len();
        let mut building = Building::new(written);
        let mut own = Vec::new();
        for node in &message.nodes {
            match node {
                Node::Text { text, place } => {
                    let text = if place.start < inner.start { text.trim_start() } else { text };
                    let text = if place.end > inner.end { text.trim_end() } else { text };
                    building.add_text(text, self.protected, str::to_owned, |range| {
                        written_message(&text[range], standing.in_plural, self.is_doubled)
                    });
                    own.push(Part::Fixed(self.raw(place.start.max(inner.start)..place.end.min(inner.end))));
                }
                Node::Variable { place } | Node::Number { place } => {
                    let raw = self.raw(place.clone());
                    let can_go = matches!(node, Node::Number { .. }) && standing.says_number();
                    let name = if can_go { NUMBER } else { "keep" };
                    building.alone(name, vec![Part::Fixed(raw.clone())], Some(raw.clone()));
                    own.push(Part::Fixed(raw));
                }
                Node::Choice(choice) => {
                    let parts = self.choice(choice, standing);
                    let kind = match choice.kind {
                        ChoiceKind::Plural(_) => "plural",
                        ChoiceKind::Select => "select",
                    };
                    let shown = format!("{{{}, {kind}, …}}", choice.argument);
                    building.alone("keep", parts.clone(), Some(shown));
                    own.extend(parts);
                }
            }
        }
        let within = standing.cases.iter().map(Case::to_string).collect::<Vec<_>>().join(", ");
        let within = if within.is_empty() { "text" } else { &within };
        let (cases, is_added) = (standing.cases.clone(), standing.is_added);
        let block = Block { own: super::building::joined(own), cases, is_added, ..building.block(within) };
        if let Some(place) = self.runs.get_mut(at) {
            *place = Some(block);
        }
        (self.raw(message.place.start..inner.start), self.raw(inner.end..message.place.end))
    }

    /// The branches of an argument, with those that other languages need before `other`.
    fn choice(&mut self, choice: &Choice, standing: &Standing) -> Vec<Part> {
        let own = |branch: &Branch| Some((branch.selector.clone(), false));
        let added = |(word, _): &(&str, PluralForm)| {
            choice.branches.iter().all(|branch| branch.selector != *word).then(|| ((*word).to_owned(), true))
        };
        let other = choice.branches.iter().find(|branch| branch.selector == "other");
        let needs_all = matches!(choice.kind, ChoiceKind::Plural(_)) && other.is_some_and(|other| says(&other.message));
        let mut wanted = Vec::new();
        for branch in &choice.branches {
            if needs_all && branch.selector == "other" {
                wanted.extend(PluralForm::WORDS.iter().filter_map(added).map(|selector| (selector, branch)));
            }
            wanted.extend(own(branch).map(|selector| (selector, branch)));
        }
        let mut parts = vec![Part::Fixed(self.raw(choice.head.clone()))];
        // Those of one argument stand beside each other, before what stands within them.
        let first = self.runs.len();
        self.runs.extend((0..wanted.len()).map(|_| None));
        for (block, ((selector, is_added), branch)) in (first..).zip(wanted) {
            if self.runs.len() > MOST_BLOCKS {
                break;
            }
            let inner = self.runs.len();
            let standing = Standing {
                cases: standing.cases.iter().cloned().chain([case(choice, &selector)]).collect(),
                is_added: standing.is_added || is_added,
                in_plural: matches!(choice.kind, ChoiceKind::Plural(_)),
            };
            let (lead, trail) = self.message(block, &branch.message, &standing);
            // The other branches are there in every language.
            let may_go = standing.cases.last().is_some_and(may_go);
            let within = [block].into_iter().chain(inner..self.runs.len()).filter(|_| may_go).collect();
            let (before, after) = if is_added {
                (format!("{selector} {{{lead}"), format!("{trail}}} "))
            } else {
                let head = self.raw(branch.head.clone());
                (format!("{head}{lead}"), format!("{trail}{}", self.raw(branch.tail.clone())))
            };
            parts.push(Part::Branch { before, block, after, within });
        }
        parts.push(Part::Fixed(self.raw(choice.tail.clone())));
        parts
    }
}

/// Whether a language may lack a case.
fn may_go(case: &Case) -> bool {
    matches!(case, Case::Plural { form, .. } if *form != PluralForm::Other)
}

fn case(choice: &Choice, selector: &str) -> Case {
    let argument = choice.argument.clone();
    match (choice.kind, selector.parse::<PluralForm>()) {
        (ChoiceKind::Plural(counting), Ok(form)) => Case::Plural { argument, counting, form },
        _ => Case::Choice { argument, selector: selector.to_owned() },
    }
}

/// Whether there is a word in a message, at any depth.
fn says(message: &Message) -> bool {
    message.nodes.iter().any(|node| match node {
        Node::Text { text, .. } => text.chars().any(char::is_alphabetic),
        Node::Choice(choice) => choice.branches.iter().any(|branch| says(&branch.message)),
        Node::Variable { .. } | Node::Number { .. } => false,
    })
}

/// Text as a message has it: marks are quoted, an apostrophe is written twice where it could quote, or
/// where all are.
pub(super) fn written_message(text: &str, in_plural: bool, is_doubled: bool) -> String {
    let mut written = String::with_capacity(text.len());
    let mut chars = text.chars().peekable();
    while let Some(c) = chars.next() {
        match c {
            '{' | '}' => written.extend(['\'', c, '\'']),
            '#' if in_plural => written.push_str("'#'"),
            '\'' => {
                let is_mark = |next: &char| matches!(next, '{' | '}' | '#' | '|' | '\'');
                let quotes = chars.peek().is_none_or(is_mark);
                written.push_str(if is_doubled || quotes { "''" } else { "'" });
            }
            other => written.push(other),
        }
    }
    written
}

/// Whether a joined message is read as what was meant: each text stands there, in its case.
pub(super) fn is_read_as_meant(shape: &TextStructure, joined: &str, targets: &[Inline]) -> Result<(), JoinError> {
    if targets.is_empty() {
        return Ok(());
    }
    let read = TextStructure::of(shape.form, joined, &shape.protected);
    if read.fault.is_some() {
        return Err(JoinError::IllFormed);
    }
    let mut found: Vec<(&[Case], String)> = read
        .blocks
        .iter()
        .filter(|block| !block.is_added)
        .map(|block| (block.cases.as_slice(), shown(block, &block.source)))
        .collect();
    for (block, target) in shape.blocks().iter().zip(targets).filter(|(_, target)| !target.pieces().is_empty()) {
        let meant = shown(block, target);
        let place = found.iter().position(|(cases, text)| *cases == block.cases && *text == meant.trim());
        found.swap_remove(place.ok_or(JoinError::IllFormed)?);
    }
    Ok(())
}

/// A text with what its tags stand for.
fn shown(block: &Block, text: &Inline) -> String {
    let of = |piece: &Piece| match piece {
        Piece::Text(text) => text.clone(),
        Piece::Open(number) | Piece::Close(number) | Piece::Alone(number) => {
            let tag = block.tags.get((*number as usize).saturating_sub(1));
            tag.and_then(|tag| tag.shown.clone()).unwrap_or_default()
        }
    };
    text.pieces().iter().map(of).collect()
}

/// A brace in a text would be a variable that nobody knows: variables are tags.
pub(super) fn stray_brace(source: &Inline, target: &Inline) -> Option<char> {
    let count = |text: &Inline, brace: char| text.plain().chars().filter(|c| *c == brace).count();
    ['{', '}'].into_iter().find(|brace| count(target, *brace) > count(source, *brace))
}

#[cfg(test)]
mod tests;
