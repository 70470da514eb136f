//! From text to syntax tree.
//!
//! ```text
//! expression = "let" name "=" expression ";" expression
//!            | "if" expression "then" expression "else" expression
//!            | operators { "|" call }
//! call       = name { operators }
//! operators  = and { "or" and }            and     = not { "and" not }
//! not        = "not" not | comparison
//! comparison = sum [ ("==" | "!=" | "<" | "<=" | ">" | ">=" | "in") sum ]
//! sum        = product { ("+" | "-") product }
//! product    = otherwise { ("*" | "/" | "%") otherwise }
//! otherwise  = path { "??" ( path | "@" tag ) }
//! path       = primary { "." name | "[" integer "]" | "@" tag }
//! primary    = literal | name | "[" [ expression { "," expression } ] "]"
//!            | "{" [ member { "," member } ] "}" | "(" expression ")"
//! member     = ( name | text ) ":" expression | name
//! ```

mod call;
mod error;
mod expected;
mod form;
mod operator;
mod path;
pub(super) mod token;

pub use error::SyntaxError;

use winnow::combinator::repeat;
use winnow::error::ErrMode;
use winnow::prelude::*;
use winnow::stream::{Stream, TokenSlice};

use super::ast::{Expression, Node};
use token::{Kind, Token};

/// The longest expression, in bytes.
const LONGEST: usize = 10_000;
/// How deep parentheses, lists, records, `not`, `if` and `let` may nest.
const DEEPEST: usize = 48;
/// How many steps may follow each other, as in `a + b + c` or `a | f | g`.
const LONGEST_CHAIN: usize = 200;

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
    let tree = parsed.map_err(|error| match error {
        ErrMode::Backtrack(error) | ErrMode::Cut(error) => error,
        ErrMode::Incomplete(_) => SyntaxError::new(text.len()..text.len(), "the expression is not complete"),
    })?;
    if depth(&tree) > DEEPEST + LONGEST_CHAIN {
        let message = format!("more than {LONGEST_CHAIN} steps follow each other");
        return Err(SyntaxError::new(0..text.len(), message).help("give parts of it names with `let`"));
    }
    Ok(tree)
}

fn depth(tree: &Expression) -> usize {
    1 + tree.children().into_iter().map(depth).max().unwrap_or(0)
}

fn expression(input: &mut Input<'_>) -> Parsed<Expression> {
    nested(input, |input| {
        if let Some(form) = form::form(input)? {
            return Ok(form);
        }
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
