//! The tests of the store, on a server.

use super::*;

#[path = "../alone_tests.rs"]
mod alone_tests;
#[path = "../lease_tests.rs"]
mod lease_tests;
#[path = "../tests.rs"]
mod tests;
