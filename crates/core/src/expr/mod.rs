//! Field expressions: the small typed language in which a lane says what a destination field is.
//!
//! `parse` reads a text into `ast`, `compile` holds it against what is known of the source's fields
//! and makes a program of it, `eval` runs that for one entry, `print` writes the house form. The
//! functions stand one a file in `functions`.
//!
//! ```
//! use diaporos_core::expr::{Library, NoWorld, Sight, Slots, Subject, compile, parse};
//! use diaporos_core::value::{State, Value};
//!
//! let tree = parse(r#"title | trim | slug"#).unwrap();
//! let (library, mut slots) = (Library::default(), Slots::default());
//! let (program, findings) = compile(&tree, None, &library, &mut slots);
//! assert!(findings.is_empty());
//!
//! let (address, title) = ("garden/plant/1".parse().unwrap(), Value::from(" Royal Fern "));
//! let subject = Subject {
//!     address: &address,
//!     state: State::Live,
//!     values: &[&title],
//!     now: jiff::Timestamp::UNIX_EPOCH,
//!     previous: None,
//! };
//! let found = program.unwrap().evaluate(Sight { subject, world: &NoWorld, library: &library });
//! assert_eq!(found.unwrap().value, Value::from("royal-fern"));
//! ```

pub mod ast;
mod compile;
mod eval;
pub mod functions;
pub mod library;
mod operation;
mod parse;
mod print;
mod program;
pub mod types;

pub use ast::Expression;
pub use compile::{KnownFields, compile, compile_function};
pub use eval::{
    Dependencies, EvalError, Evaluated, NoWorld, Referenced, Sight, Subject, Trace, World, WorldError, lift,
};
pub use functions::Arguments;
pub use library::Library;
pub use operation::is_true;
pub use parse::{SyntaxError, parse};
pub use program::{Program, Slots, Uses};
