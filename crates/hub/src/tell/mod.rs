//! Telling others what happened: decided and written down once, sent until it is taken.

mod render;
mod send;

pub use render::{RenderError, message_of, sample};
pub use send::{TellRun, TellTally};
