//! The pure core of Diaporos: no I/O, no async, no clock.
//!
//! Everything that decides lives here, so that it can be tested by the thousand and shown before
//! it is carried out. Time comes in as an argument.

pub mod arrange;
pub mod change;
pub mod diagnostic;
pub mod expr;
pub mod hook;
pub mod image;
pub mod intake;
pub mod lane;
pub mod model;
pub mod plan;
pub mod schedule;
pub mod settings;
pub mod text;
pub mod translate;
pub mod value;
