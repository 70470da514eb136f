//! A PostgreSQL server (15 and later) that many machines share.

mod place;
mod session;
mod stream;
mod tls;
mod translate;
mod values;

pub use place::Server;
pub(in crate::store) use session::{ServerStatement, Session};
pub(in crate::store) use stream::ServerRows;
pub(in crate::store) use values::ServerRow;
