//! Operations: what a file asks a GraphQL system to do (GraphQL, October 2021, "Operations"), with which variables,
//! and what its answer means.

mod answered;
mod errors;
mod text;

pub(crate) use answered::{Meaning, Outcome, outcome};
pub(crate) use errors::AnswerErrors;
pub(crate) use text::OperationText;
