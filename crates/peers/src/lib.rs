//! Servers that tests start, each with its process, for as long as the test's process lives.

mod postgres;

pub use postgres::{Postgres, ask, new_database};
