//! Field expressions: the small typed language in which a lane says what a destination field is.
//!
//! `parse` reads a text into `ast`, `check` holds it against what is known of the source's fields,
//! `eval` finds its value for one entry. The functions stand one a file in `functions`.

pub mod ast;
mod check;
mod eval;
pub mod functions;
mod parse;

pub use ast::Expression;
pub use check::{Finding, FindingKind, KnownFields, check};
pub use eval::{EvalError, Evaluated, Follow, Referenced, Subject, evaluate, is_true};
pub use parse::{SyntaxError, parse};
