//! From text to syntax tree.
//!
//! ```text
//! expression = operators { "|" call }
//! call       = name { operators }
//! operators  = and { "or" and }            and   = not { "and" not }
//! not        = "not" not | comparison
//! comparison = otherwise [ ("==" | "!=" | "<" | "<=" | ">" | ">=" | "in") otherwise ]
//! otherwise  = path { "??" path }
//! path       = primary { "." name | "[" integer "]" | "@" tag }
//! primary    = literal | name | "[" [ operators { "," operators } ] "]" | "(" expression ")"
//! ```

mod call;
mod error;
mod operator;
mod path;
mod token;

pub use error::SyntaxError;

use winnow::combinator::repeat;
use winnow::error::ErrMode;
use winnow::prelude::*;
use winnow::stream::{Stream, TokenSlice};

use super::ast::{Expression, Node};
use token::{Kind, Token};

/// The longest expression, in bytes.
const LONGEST: usize = 10_000;
/// How deep parentheses, lists and `not` may nest.
const DEEPEST: usize = 48;

type Input<'t> = winnow::stream::Stateful<TokenSlice<'t, Token>, usize>;
type Parsed<T> = ModalResult<T, SyntaxError>;

/// Reads a field expression.
///
/// # Errors
/// The first thing that cannot be read, with its place and a way to mend it.
pub fn parse(text: &str) -> Result<Expression, SyntaxError> {
    if text.len() > LONGEST {
        let message = format!("the expression is {} bytes long; at most {LONGEST} are read", text.len());
        return Err(SyntaxError::new(0..text.len(), message));
    }
    let tokens = token::tokens(text)?;
    let mut input = Input { input: TokenSlice::new(&tokens), state: 0 };
    let parsed = expression(&mut input).and_then(|tree| end(&mut input).map(|()| tree));
    parsed.map_err(|error| match error {
        ErrMode::Backtrack(error) | ErrMode::Cut(error) => error,
        ErrMode::Incomplete(_) => SyntaxError::new(text.len()..text.len(), "the expression is not complete"),
    })
}

fn expression(input: &mut Input<'_>) -> Parsed<Expression> {
    nested(input, |input| {
        let first = operator::operators(input)?;
        let calls: Vec<_> = repeat(0.., call::piped).parse_next(input)?;
        Ok(calls.into_iter().fold(first, |piped, (call, end)| Expression {
            span: piped.span.start..end,
            node: Node::Pipe(Box::new(piped), call),
        }))
    })
}

/// Runs a parser one level deeper, within the limit.
fn nested<T>(input: &mut Input<'_>, parser: impl FnOnce(&mut Input<'_>) -> Parsed<T>) -> Parsed<T> {
    if input.state >= DEEPEST {
        let message = format!("the expression nests more than {DEEPEST} deep");
        return Err(ErrMode::Cut(SyntaxError::new(peek(input).span.clone(), message)));
    }
    input.state += 1;
    let result = parser(input);
    input.state -= 1;
    result
}

fn peek<'t>(input: &Input<'t>) -> &'t Token {
    static END: Token = Token { kind: Kind::End, span: 0..0 };
    input.input.peek_token().unwrap_or(&END)
}

/// Takes the next token if it is the one wanted.
fn take<'t>(input: &mut Input<'t>, wanted: impl Fn(&Kind) -> bool) -> Option<&'t Token> {
    let token = peek(input);
    if wanted(&token.kind) && token.kind != Kind::End {
        return input.input.next_token();
    }
    None
}

/// Takes the token that must come next.
fn must<'t>(input: &mut Input<'t>, kind: &Kind, expected: &str) -> Parsed<&'t Token> {
    take(input, |found| found == kind).ok_or_else(|| ErrMode::Cut(SyntaxError::unexpected(peek(input), expected)))
}

fn end(input: &mut Input<'_>) -> Parsed<()> {
    let token = peek(input);
    if token.kind == Kind::End {
        return Ok(());
    }
    Err(ErrMode::Cut(SyntaxError::unexpected(token, "an operator, `|` or the end")))
}

#[cfg(test)]
mod tests;
