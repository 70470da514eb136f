//! What a run of inline content is made of.

use std::ops::Range;

use super::attribute::AttributePlace;

/// A part of a run of inline content.
#[derive(Debug, Clone)]
pub(super) enum Token {
    /// Text as it is read.
    Text {
        text: String,
        place: Range<usize>,
    },
    Mark(Mark),
}

/// Markup within a line.
#[derive(Debug, Clone)]
pub(super) struct Mark {
    pub(super) role: Role,
    /// The name of the element that it stands for.
    pub(super) name: String,
    pub(super) place: Range<usize>,
    pub(super) origin: Origin,
}

/// What a mark does.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Role {
    Open,
    /// What stands at the end instead of what the source has there.
    Close {
        instead: Option<String>,
    },
    /// What it shows, where that can be read.
    Alone {
        shown: Option<String>,
    },
}

/// In which syntax a mark is written.
#[derive(Debug, Clone)]
pub(super) enum Origin {
    /// Markdown, which closes what it opens.
    Markdown,
    /// A tag of HTML, which may stand without its other half.
    Html { is_opaque: bool, attributes: Vec<AttributePlace> },
}

impl Token {
    pub(super) fn place(&self) -> &Range<usize> {
        match self {
            Token::Text { place, .. } | Token::Mark(Mark { place, .. }) => place,
        }
    }
}

/// Makes a mark of every half of a tag of HTML that has no other half here, and one of all that must be kept whole.
pub(super) fn paired(tokens: Vec<Token>, source: &str) -> Vec<Token> {
    let halves = halves(&tokens);
    let mut paired = Vec::with_capacity(tokens.len());
    let mut kept_until = 0;
    for (at, token) in tokens.into_iter().enumerate() {
        if at < kept_until {
            if let (Some(Token::Mark(whole)), place) = (paired.last_mut(), token.place()) {
                whole.place.end = place.end;
                whole.take_shown(&token, source);
            }
            continue;
        }
        let Token::Mark(mut mark) = token else {
            paired.push(token);
            continue;
        };
        let other = halves.get(at).copied().flatten();
        match (&mark.origin, other) {
            (Origin::Html { is_opaque: true, .. }, Some(end)) if mark.role == Role::Open => {
                mark.role = Role::Alone { shown: Some(String::new()) };
                kept_until = end + 1;
            }
            (Origin::Html { .. }, None) if !matches!(mark.role, Role::Alone { .. }) => {
                mark.role = Role::Alone { shown: None };
            }
            _ => {}
        }
        paired.push(Token::Mark(mark));
    }
    paired
}

impl Mark {
    /// What is kept whole shows the text in it.
    fn take_shown(&mut self, token: &Token, source: &str) {
        let Role::Alone { shown: Some(shown) } = &mut self.role else { return };
        match token {
            Token::Text { text, .. } => shown.push_str(text),
            Token::Mark(Mark { role: Role::Alone { shown: Some(inner) }, .. }) => shown.push_str(inner),
            Token::Mark(Mark { place, origin: Origin::Markdown, .. }) => {
                shown.push_str(source.get(place.clone()).unwrap_or_default());
            }
            Token::Mark(_) => {}
        }
    }
}

/// The place of each mark's other half.
fn halves(tokens: &[Token]) -> Vec<Option<usize>> {
    let mut halves = vec![None; tokens.len()];
    let mut open: Vec<(usize, &Mark)> = Vec::new();
    for (at, token) in tokens.iter().enumerate() {
        let Token::Mark(mark) = token else { continue };
        match (&mark.role, &mark.origin) {
            (Role::Open, _) => open.push((at, mark)),
            (Role::Close { .. }, Origin::Markdown) => {
                // Tags of HTML that were opened within it have no end here.
                while let Some((start, opened)) = open.pop() {
                    if matches!(opened.origin, Origin::Markdown) {
                        (halves[start], halves[at]) = (Some(at), Some(start));
                        break;
                    }
                }
            }
            (Role::Close { .. }, Origin::Html { .. }) => {
                let is_own = |(_, opened): &&(usize, &Mark)| {
                    matches!(opened.origin, Origin::Html { .. }) && opened.name == mark.name
                };
                if let Some((start, _)) = open.last().filter(is_own) {
                    (halves[*start], halves[at]) = (Some(at), Some(*start));
                    open.pop();
                }
            }
            (Role::Alone { .. }, _) => {}
        }
    }
    halves
}
