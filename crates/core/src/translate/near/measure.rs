//! How near two texts are: the weighted edit distance of their words (Levenshtein, "Binary codes capable of
//! correcting deletions, insertions, and reversals", 1966), in which a word that is replaced by one of like
//! letters costs as much as their letters differ (normalised Levenshtein distance).

use std::ops::Range;

use serde::{Deserialize, Serialize};
use unicode_segmentation::UnicodeSegmentation;

use crate::translate::{Inline, Piece};

/// In what two texts differ.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Difference {
    /// Words.
    Words,
    /// Numbers.
    Numbers,
    /// Marks, spaces, and small or large letters.
    Marks,
    /// Tags.
    Tags,
}

impl Difference {
    /// Its word.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Difference::Words => "words",
            Difference::Numbers => "numbers",
            Difference::Marks => "marks",
            Difference::Tags => "tags",
        }
    }
}

#[derive(Debug, Clone, PartialEq)]
enum Token {
    Word(String),
    Number(String),
    Mark(String),
    Tag,
}

/// A number that is another is soon written.
const OTHER_NUMBER: f32 = 0.2;

impl Token {
    /// What it costs to add it or to leave it out.
    fn weight(&self) -> f32 {
        match self {
            Token::Word(_) | Token::Number(_) => 1.0,
            Token::Mark(_) => 0.25,
            Token::Tag => 0.1,
        }
    }

    fn replaced(&self, other: &Token) -> f32 {
        match (self, other) {
            (Token::Word(one), Token::Word(other)) if one == other => 0.0,
            (Token::Word(one), Token::Word(other)) => {
                let (shorter, longer) = (one.len().min(other.len()), one.len().max(other.len()));
                // What has not half of its letters in common is another word.
                if shorter * 2 < longer {
                    return 1.0;
                }
                #[expect(clippy::cast_possible_truncation, reason = "it is between 0 and 1")]
                let alike = strsim::normalized_levenshtein(one, other) as f32;
                if alike < 0.5 { 1.0 } else { 1.0 - alike }
            }
            (Token::Number(one), Token::Number(other)) => {
                if one == other {
                    0.0
                } else {
                    OTHER_NUMBER
                }
            }
            (Token::Mark(one), Token::Mark(other)) => {
                if one == other {
                    0.0
                } else {
                    0.25
                }
            }
            (Token::Tag, Token::Tag) => 0.0,
            _ => self.weight() + other.weight(),
        }
    }
}

/// A text as it is measured.
#[derive(Debug, Clone)]
pub(super) struct Measured {
    tokens: Vec<Token>,
    weight: f32,
}

/// The text of a token, where it is of a kind.
type Kind = fn(&Token) -> Option<String>;

impl Measured {
    pub(super) fn of(text: &Inline) -> Measured {
        let mut tokens = Vec::new();
        for piece in text.pieces() {
            let Piece::Text(text) = piece else {
                tokens.push(Token::Tag);
                continue;
            };
            for part in text.split_word_bounds().filter(|part| !part.trim().is_empty()) {
                tokens.push(if part.starts_with(|c: char| c.is_numeric()) {
                    Token::Number(part.to_owned())
                } else if part.chars().any(char::is_alphanumeric) {
                    Token::Word(part.to_lowercase())
                } else {
                    Token::Mark(part.to_owned())
                });
            }
        }
        let weight = tokens.iter().map(Token::weight).sum();
        Measured { tokens, weight }
    }

    /// How near another is, in percent; none where it is less than `least`.
    pub(super) fn percent(&self, other: &Measured, least: u8) -> Option<u8> {
        let longer = self.weight.max(other.weight);
        if longer == 0.0 {
            return None;
        }
        let most = longer * f32::from(100 - least.min(100)) / 100.0;
        // What is so much longer cannot be near.
        if (self.weight - other.weight).abs() > most + 0.001 {
            return None;
        }
        let distance = self.distance(other, most)?;
        #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "it is between 0 and 100")]
        let percent = (100.0 * (1.0 - distance / longer) + 0.001).floor().clamp(0.0, 100.0) as u8;
        (percent >= least).then_some(percent)
    }

    /// The distance; none where it is more than `most`.
    fn distance(&self, other: &Measured, most: f32) -> Option<f32> {
        let (rows, columns) = (&self.tokens, &other.tokens);
        // Tags and marks weigh little: so many of them may be between.
        let light = |tokens: &[Token]| tokens.iter().filter(|token| token.weight() < 1.0).count();
        #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "it is a small count")]
        let band = most.ceil() as usize + light(rows).max(light(columns)) + 1;
        let within = |row: usize| -> Range<usize> { row.saturating_sub(band)..(row + band + 1).min(columns.len() + 1) };
        let mut before: Vec<f32> = std::iter::once(0.0)
            .chain(columns.iter().scan(0.0, |sum, token| {
                *sum += token.weight();
                Some(*sum)
            }))
            .collect();
        let mut row_costs = vec![f32::INFINITY; columns.len() + 1];
        for (at, token) in rows.iter().enumerate() {
            let row = at + 1;
            row_costs.fill(f32::INFINITY);
            let mut least = f32::INFINITY;
            for column in within(row) {
                let removed = before.get(column).copied().unwrap_or(f32::INFINITY) + token.weight();
                let mut cost = removed;
                if let Some(other) = column.checked_sub(1).and_then(|column| columns.get(column)) {
                    let left = row_costs.get(column - 1).copied().unwrap_or(f32::INFINITY) + other.weight();
                    let diagonal = before.get(column - 1).copied().unwrap_or(f32::INFINITY);
                    cost = cost.min(left);
                    if diagonal < cost {
                        cost = cost.min(diagonal + token.replaced(other));
                    }
                }
                if let Some(place) = row_costs.get_mut(column) {
                    *place = cost;
                }
                least = least.min(cost);
            }
            if least > most + 0.001 {
                return None;
            }
            std::mem::swap(&mut before, &mut row_costs);
        }
        before.last().copied().filter(|distance| *distance <= most + 0.001)
    }

    /// In what it differs from another.
    pub(super) fn differences(&self, other: &Measured) -> Vec<Difference> {
        let of = |measured: &Measured, kind: Kind| -> Vec<String> { measured.tokens.iter().filter_map(kind).collect() };
        let kinds: [(Difference, Kind); 4] = [
            (Difference::Words, |token| if let Token::Word(word) = token { Some(word.clone()) } else { None }),
            (Difference::Numbers, |token| if let Token::Number(number) = token { Some(number.clone()) } else { None }),
            (Difference::Marks, |token| if let Token::Mark(mark) = token { Some(mark.clone()) } else { None }),
            (Difference::Tags, |token| if *token == Token::Tag { Some(String::new()) } else { None }),
        ];
        let differs = kinds.into_iter().filter(|(_, kind)| of(self, *kind) != of(other, *kind));
        let found: Vec<Difference> = differs.map(|(difference, _)| difference).collect();
        if found.is_empty() { vec![Difference::Marks] } else { found }
    }
}
