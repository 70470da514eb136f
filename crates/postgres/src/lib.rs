//! How a PostgreSQL server is reached: its address, TLS to it, and what it says. What is asked of it is others' concern.

mod server;
mod tls;

pub use server::{Server, said};
pub use tls::tls_config;
