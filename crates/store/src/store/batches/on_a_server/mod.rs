//! The tests of batches, on a server.

use super::*;

#[path = "../tests.rs"]
mod tests;
