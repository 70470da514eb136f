//! A PostgreSQL server (15 and later) that many machines share.

#[cfg(test)]
pub(in crate::store) mod breaks;
mod link;
mod place;
mod rows;
mod session;
mod stream;
mod translate;
mod values;

pub(in crate::store) use rows::{ServerRows, ServerStatement};
pub(in crate::store) use session::Session;
pub(in crate::store) use values::ServerRow;
