//! From characters to tokens.

use std::fmt;

use winnow::LocatingSlice;
use winnow::ascii::{digit1, multispace0};
use winnow::combinator::{alt, opt, preceded, repeat};
use winnow::prelude::*;
use winnow::stream::Location;
use winnow::token::{any, one_of, take_while};

use super::SyntaxError;
use crate::diagnostic::Span;
use crate::expr::ast::Operator;

/// A token with its place.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Token {
    pub(super) kind: Kind,
    pub(super) span: Span,
}

/// What a token can be.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Kind {
    Name(String),
    Text(String),
    Integer(i64),
    Number(f64),
    True,
    False,
    Null,
    Not,
    If,
    Then,
    Else,
    Let,
    Compare(Operator),
    And,
    Or,
    /// `+` and `-`.
    Sum(Operator),
    /// `*`, `/` and `%`.
    Product(Operator),
    Otherwise,
    Pipe,
    Dot,
    Language(String),
    Open,
    Close,
    /// `[` right after what it belongs to: an item of it.
    OpenItem,
    /// `[` on its own: a list.
    OpenList,
    CloseSquare,
    OpenRecord,
    CloseRecord,
    Comma,
    Colon,
    Semicolon,
    SingleEqual,
    End,
}

impl fmt::Display for Kind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let fixed = match self {
            Kind::Name(name) => return write!(f, "the name `{name}`"),
            Kind::Text(_) => "a text",
            Kind::Integer(_) | Kind::Number(_) => "a number",
            Kind::True => "`true`",
            Kind::False => "`false`",
            Kind::Null => "`null`",
            Kind::Not => "`not`",
            Kind::If => "`if`",
            Kind::Then => "`then`",
            Kind::Else => "`else`",
            Kind::Let => "`let`",
            Kind::Compare(operator) | Kind::Sum(operator) | Kind::Product(operator) => {
                return write!(f, "`{}`", operator.symbol());
            }
            Kind::And => "`and`",
            Kind::Or => "`or`",
            Kind::Otherwise => "`??`",
            Kind::Pipe => "`|`",
            Kind::Dot => "`.`",
            Kind::Language(tag) => return write!(f, "`@{tag}`"),
            Kind::Open => "`(`",
            Kind::Close => "`)`",
            Kind::OpenItem | Kind::OpenList => "`[`",
            Kind::CloseSquare => "`]`",
            Kind::OpenRecord => "`{`",
            Kind::CloseRecord => "`}`",
            Kind::Comma => "`,`",
            Kind::Colon => "`:`",
            Kind::Semicolon => "`;`",
            Kind::SingleEqual => "`=`",
            Kind::End => "the end",
        };
        f.write_str(fixed)
    }
}

type Characters<'t> = LocatingSlice<&'t str>;

/// All tokens of the text, closed by one for its end.
pub(super) fn tokens(text: &str) -> Result<Vec<Token>, SyntaxError> {
    let mut input = Characters::new(text);
    let mut tokens: Vec<Token> = Vec::new();
    loop {
        let space: ModalResult<&str> = multispace0.parse_next(&mut input);
        let spaced = space.is_ok_and(|space| !space.is_empty());
        let start = input.current_token_start();
        if input.is_empty() {
            tokens.push(Token { kind: Kind::End, span: start..start });
            return Ok(tokens);
        }
        let follows_a_value = !spaced && tokens.last().is_some_and(|before| before.kind.ends_a_value());
        let after_a_name = matches!(tokens.last(), Some(Token { kind: Kind::Name(_), .. }));
        let read: ModalResult<Kind> = if follows_a_value && !after_a_name && text[start..].starts_with('-') {
            symbol.parse_next(&mut input)
        } else {
            alt((word, number, text_literal, quoted_name, symbol)).parse_next(&mut input)
        };
        let Ok(kind) = read else {
            return Err(unreadable(&text[start..], start));
        };
        let span = start..input.current_token_start();
        let kind = match kind {
            Kind::OpenList if follows_a_value => Kind::OpenItem,
            Kind::Integer(_) | Kind::Sum(Operator::Subtract) if follows_a_value && after_a_name => {
                return Err(SyntaxError::new(span, "a name cannot go on with `-`").help(
                    "put a name with other characters between backticks, `` `plant-2` ``, and spaces around a minus",
                ));
            }
            other => other,
        };
        tokens.push(Token { kind, span });
    }
}

impl Kind {
    fn ends_a_value(&self) -> bool {
        matches!(
            self,
            Kind::Name(_)
                | Kind::Integer(_)
                | Kind::Number(_)
                | Kind::Close
                | Kind::CloseSquare
                | Kind::CloseRecord
                | Kind::Language(_)
        )
    }
}

fn unreadable(rest: &str, start: usize) -> SyntaxError {
    let first = rest.chars().next().unwrap_or(' ');
    let span = start..start + first.len_utf8();
    match first {
        '"' => SyntaxError::new(start..start + rest.len(), "this text is not closed, or has an escape that is not one")
            .help(r#"texts stand between double quotes; within them \" \\ \n \t \u{2026} are escapes"#),
        '`' => SyntaxError::new(start..start + rest.len(), "this quoted name is not closed"),
        '\'' => SyntaxError::new(span, "texts stand between double quotes").help("write \"text\""),
        '&' => SyntaxError::new(span, "unknown character `&`").help("write `and`"),
        '!' => SyntaxError::new(span, "unknown character `!`").help("write `not`, or `!=` for different"),
        '?' => SyntaxError::new(span, "unknown character `?`").help("write `??` for a value to take instead of null"),
        '0'..='9' | '-' => {
            SyntaxError::new(span, "this number cannot be read").help("whole numbers have at most 64 bits")
        }
        other => SyntaxError::new(span, format!("unknown character `{}`", other.escape_debug())),
    }
}

fn word(input: &mut Characters<'_>) -> ModalResult<Kind> {
    let first = |c: char| c.is_alphabetic() || c == '_';
    let rest = |c: char| c.is_alphanumeric() || c == '_';
    let word = (one_of(first), take_while(0.., rest)).take().parse_next(input)?;
    Ok(match word {
        "true" => Kind::True,
        "false" => Kind::False,
        "null" => Kind::Null,
        "not" => Kind::Not,
        "and" => Kind::And,
        "or" => Kind::Or,
        "in" => Kind::Compare(Operator::In),
        "if" => Kind::If,
        "then" => Kind::Then,
        "else" => Kind::Else,
        "let" => Kind::Let,
        name => Kind::Name(name.to_owned()),
    })
}

/// Whether a name can be written without backticks.
pub(in crate::expr) fn is_plain_name(name: &str) -> bool {
    let mut input = Characters::new(name);
    matches!(word(&mut input), Ok(Kind::Name(_))) && input.is_empty()
}

fn quoted_name(input: &mut Characters<'_>) -> ModalResult<Kind> {
    let name = ('`', take_while(1.., |c| c != '`'), '`').parse_next(input)?.1;
    Ok(Kind::Name(name.to_owned()))
}

fn number(input: &mut Characters<'_>) -> ModalResult<Kind> {
    let whole = (opt('-'), digit1).take();
    let fraction = opt(('.', digit1).take());
    let exponent = opt((one_of(['e', 'E']), opt(one_of(['+', '-'])), digit1).take());
    let (whole, fraction, exponent) = (whole, fraction, exponent).parse_next(input)?;
    let backtrack = || winnow::error::ErrMode::Backtrack(winnow::error::ContextError::new());
    if fraction.is_none() && exponent.is_none() {
        return whole.parse().map(Kind::Integer).map_err(|_| backtrack());
    }
    let text = format!("{whole}{}{}", fraction.unwrap_or(""), exponent.unwrap_or(""));
    text.parse().ok().filter(|number: &f64| number.is_finite()).map(Kind::Number).ok_or_else(backtrack)
}

fn text_literal(input: &mut Characters<'_>) -> ModalResult<Kind> {
    let plain = take_while(1.., |c| c != '"' && c != '\\').map(str::to_owned);
    let part = alt((plain, preceded('\\', escape).map(String::from)));
    let parts: String =
        preceded('"', repeat(0.., part).fold(String::new, |text, part: String| text + &part)).parse_next(input)?;
    '"'.parse_next(input)?;
    Ok(Kind::Text(parts))
}

fn escape(input: &mut Characters<'_>) -> ModalResult<char> {
    let hex = ('{', take_while(1..=6, |c: char| c.is_ascii_hexdigit()), '}').map(|(_, digits, _)| digits);
    let unicode =
        preceded('u', hex).verify_map(|digits: &str| u32::from_str_radix(digits, 16).ok().and_then(char::from_u32));
    let short = any.verify_map(|c| match c {
        '"' | '\\' => Some(c),
        'n' => Some('\n'),
        't' => Some('\t'),
        _ => None,
    });
    alt((unicode, short)).parse_next(input)
}

fn symbol(input: &mut Characters<'_>) -> ModalResult<Kind> {
    let tag = preceded('@', take_while(1.., |c: char| c.is_ascii_alphanumeric() || c == '-'));
    let two = alt((
        "==".value(Kind::Compare(Operator::Equal)),
        "!=".value(Kind::Compare(Operator::NotEqual)),
        "<=".value(Kind::Compare(Operator::LessOrEqual)),
        ">=".value(Kind::Compare(Operator::GreaterOrEqual)),
        "??".value(Kind::Otherwise),
    ));
    let one = any.verify_map(|symbol| {
        Some(match symbol {
            '<' => Kind::Compare(Operator::Less),
            '>' => Kind::Compare(Operator::Greater),
            '|' => Kind::Pipe,
            '.' => Kind::Dot,
            '(' => Kind::Open,
            ')' => Kind::Close,
            '[' => Kind::OpenList,
            ']' => Kind::CloseSquare,
            '{' => Kind::OpenRecord,
            '}' => Kind::CloseRecord,
            ',' => Kind::Comma,
            ':' => Kind::Colon,
            ';' => Kind::Semicolon,
            '+' => Kind::Sum(Operator::Add),
            '-' => Kind::Sum(Operator::Subtract),
            '*' => Kind::Product(Operator::Multiply),
            '/' => Kind::Product(Operator::Divide),
            '%' => Kind::Product(Operator::Remainder),
            '=' => Kind::SingleEqual,
            _ => return None,
        })
    });
    alt((tag.map(|tag: &str| Kind::Language(tag.to_owned())), two, one)).parse_next(input)
}
