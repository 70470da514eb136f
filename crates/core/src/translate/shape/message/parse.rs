//! Reading a message: ICU MessageFormat (ICU User Guide, "Formatting Messages"), with every place kept, so
//! that what is not translated is written as it was.

use std::ops::Range;

use crate::translate::plural::Counting;

/// Arguments within arguments.
const DEEPEST: usize = 12;
/// The most branches of one argument.
const MOST_BRANCHES: usize = 100;

/// A message, or a branch of one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Message {
    pub(super) nodes: Vec<Node>,
    pub(super) place: Range<usize>,
}

/// A part of a message.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Node {
    /// Text as it is read.
    Text { text: String, place: Range<usize> },
    /// A variable.
    Variable { place: Range<usize> },
    /// `#`: the number that is counted.
    Number { place: Range<usize> },
    /// A text for each of several cases.
    Choice(Choice),
}

/// An argument with a text for each of its cases.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Choice {
    pub(super) argument: String,
    pub(super) kind: ChoiceKind,
    /// From `{` to the first selector.
    pub(super) head: Range<usize>,
    pub(super) branches: Vec<Branch>,
    /// What stands behind the last branch: `}`.
    pub(super) tail: Range<usize>,
}

/// By what the text is chosen.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum ChoiceKind {
    /// By number.
    Plural(Counting),
    /// By word.
    Select,
}

/// The text for one case.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Branch {
    pub(super) selector: String,
    /// From the selector to its `{`.
    pub(super) head: Range<usize>,
    pub(super) message: Message,
    /// From its `}` to what follows.
    pub(super) tail: Range<usize>,
}

/// Reads a message.
///
/// # Errors
/// Says what is wrong, and where, in characters from 1.
pub(super) fn parse(text: &str) -> Result<Message, String> {
    let mut parser = Parser { text, at: 0 };
    let message = parser.message(0, false)?;
    if parser.at < text.len() {
        return Err(parser.wrong("a `}` closes nothing"));
    }
    Ok(message)
}

struct Parser<'a> {
    text: &'a str,
    at: usize,
}

impl Parser<'_> {
    fn wrong(&self, what: &str) -> String {
        let character = self.text.get(..self.at).map_or(0, |before| before.chars().count()) + 1;
        format!("{what}, at character {character}")
    }

    fn rest(&self) -> &str {
        self.text.get(self.at..).unwrap_or_default()
    }

    fn next(&self) -> Option<char> {
        self.rest().chars().next()
    }

    fn skip_white(&mut self) {
        self.at += self.rest().len() - self.rest().trim_start().len();
    }

    /// Text and arguments, to the end or to a `}`.
    fn message(&mut self, depth: usize, in_plural: bool) -> Result<Message, String> {
        if depth > DEEPEST {
            return Err(self.wrong("arguments stand within each other too deep"));
        }
        let start = self.at;
        let mut nodes = Vec::new();
        while let Some(c) = self.next() {
            match c {
                '}' => break,
                '{' => nodes.push(self.argument(depth)?),
                '#' if in_plural => {
                    self.at += 1;
                    nodes.push(Node::Number { place: self.at - 1..self.at });
                }
                _ => nodes.push(self.text(in_plural)),
            }
        }
        Ok(Message { nodes, place: start..self.at })
    }

    /// Text to the next argument. An apostrophe quotes where it stands before a mark (ICU's default); two
    /// are one.
    fn text(&mut self, in_plural: bool) -> Node {
        let start = self.at;
        let mut text = String::new();
        let is_mark = |c: char| matches!(c, '{' | '}') || (in_plural && c == '#');
        while let Some(c) = self.next() {
            if is_mark(c) {
                break;
            }
            self.at += c.len_utf8();
            if c != '\'' {
                text.push(c);
                continue;
            }
            match self.next() {
                Some('\'') => {
                    self.at += 1;
                    text.push('\'');
                }
                Some(mark) if is_mark(mark) => text.push_str(&self.quoted()),
                _ => text.push('\''),
            }
        }
        Node::Text { text, place: start..self.at }
    }

    /// What is quoted, to the apostrophe that ends it, or to the end.
    fn quoted(&mut self) -> String {
        let mut text = String::new();
        while let Some(c) = self.next() {
            self.at += c.len_utf8();
            match c {
                '\'' if self.next() == Some('\'') => {
                    self.at += 1;
                    text.push('\'');
                }
                '\'' => break,
                other => text.push(other),
            }
        }
        text
    }

    fn word(&mut self) -> String {
        let is_own = |c: char| !c.is_whitespace() && !matches!(c, '{' | '}' | ',' | '\'' | '#' | '|' | '<' | '>');
        let word: String = self.rest().chars().take_while(|c| is_own(*c)).collect();
        self.at += word.len();
        word
    }

    fn argument(&mut self, depth: usize) -> Result<Node, String> {
        let start = self.at;
        self.at += 1;
        self.skip_white();
        let argument = self.word();
        if argument.is_empty() {
            return Err(self.wrong("a `{` is not followed by the name of a variable"));
        }
        self.skip_white();
        match self.next() {
            Some('}') => {
                self.at += 1;
                return Ok(Node::Variable { place: start..self.at });
            }
            Some(',') => self.at += 1,
            Some(_) => return Err(self.wrong(&format!("`{{{argument}` is not closed"))),
            None => return Err(self.wrong(&format!("`{{{argument}` is not closed at the end of the text"))),
        }
        self.skip_white();
        let kind = match self.word().as_str() {
            "plural" => ChoiceKind::Plural(Counting::Cardinal),
            "selectordinal" => ChoiceKind::Plural(Counting::Ordinal),
            "select" => ChoiceKind::Select,
            "choice" => return Err(self.wrong("`choice` is not read: write it as `plural`")),
            "" => return Err(self.wrong(&format!("`{{{argument},` does not say of which kind it is"))),
            _ => return self.simple(start, &argument),
        };
        self.skip_white();
        if self.next() != Some(',') {
            return Err(self.wrong(&format!("`{{{argument}, …}}` has no cases")));
        }
        self.at += 1;
        self.choice(start, argument, kind, depth).map(Node::Choice)
    }

    /// A variable with a format, which is kept as it is.
    fn simple(&mut self, start: usize, argument: &str) -> Result<Node, String> {
        let mut open = 1;
        while let Some(c) = self.next() {
            self.at += c.len_utf8();
            match c {
                '{' => open += 1,
                '}' => open -= 1,
                '\'' if self.next() == Some('\'') => self.at += 1,
                '\'' => drop(self.quoted()),
                _ => {}
            }
            if open == 0 {
                return Ok(Node::Variable { place: start..self.at });
            }
        }
        Err(self.wrong(&format!("`{{{argument}, …` is not closed at the end of the text")))
    }

    fn choice(&mut self, start: usize, argument: String, kind: ChoiceKind, depth: usize) -> Result<Choice, String> {
        self.skip_white();
        let shown = format!("`{{{argument}, …}}`");
        if matches!(kind, ChoiceKind::Plural(_)) && self.rest().starts_with("offset:") {
            self.at += "offset:".len();
            self.skip_white();
            if self.word().parse::<u32>().is_err() {
                return Err(self.wrong(&format!("the offset of {shown} is no number")));
            }
            self.skip_white();
        }
        let head = start..self.at;
        let mut branches: Vec<Branch> = Vec::new();
        while self.next().is_some_and(|c| c != '}') {
            let branch = self.branch(kind, &shown, depth)?;
            if branches.iter().any(|known| known.selector == branch.selector) {
                return Err(self.wrong(&format!("{shown} has `{}` twice", branch.selector)));
            }
            branches.push(branch);
            if branches.len() > MOST_BRANCHES {
                return Err(self.wrong(&format!("{shown} has more than {MOST_BRANCHES} cases")));
            }
        }
        if self.next().is_none() {
            return Err(self.wrong(&format!("{shown} is not closed at the end of the text")));
        }
        if branches.iter().all(|branch| branch.selector != "other") {
            return Err(self.wrong(&format!("{shown} has no `other`")));
        }
        self.at += 1;
        Ok(Choice { argument, kind, head, branches, tail: self.at - 1..self.at })
    }

    fn branch(&mut self, kind: ChoiceKind, shown: &str, depth: usize) -> Result<Branch, String> {
        let start = self.at;
        let selector = self.word();
        let is_number = selector.strip_prefix('=').is_some_and(|number| number.parse::<f64>().is_ok());
        let is_form = selector.parse::<crate::translate::PluralForm>().is_ok();
        if selector.is_empty() || (matches!(kind, ChoiceKind::Plural(_)) && !is_number && !is_form) {
            return Err(self.wrong(&format!("{shown} has a case that is none: `{selector}`")));
        }
        self.skip_white();
        if self.next() != Some('{') {
            return Err(self.wrong(&format!("`{selector}` of {shown} has no text in braces")));
        }
        self.at += 1;
        let head = start..self.at;
        // Within a `select` in a plural, `#` is text (ICU reads it so).
        let message = self.message(depth + 1, matches!(kind, ChoiceKind::Plural(_)))?;
        if self.next() != Some('}') {
            return Err(self.wrong(&format!("`{selector}` of {shown} is not closed")));
        }
        let end = self.at;
        self.at += 1;
        self.skip_white();
        Ok(Branch { selector, head, message, tail: end..self.at })
    }
}
