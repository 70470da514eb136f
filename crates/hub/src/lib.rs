//! The use cases of a hub, one file each. They emit events; who calls them draws.

pub mod alerts;
pub mod align;
pub mod batch;
pub mod config;
mod connect;
mod event;
pub mod explain;
mod identity;
pub mod impact;
pub mod init;
pub mod leases;
pub mod left_behind;
pub mod look;
mod mapping;
pub mod model;
pub mod openapi;
pub mod page;
pub mod preview;
pub mod probe;
pub mod pull;
pub mod push;
pub mod reaches;
pub mod refs;
pub mod report;
pub mod resolve;
pub mod review;
pub mod serve;
pub mod stream;
pub mod tell;
pub mod three_way;
pub mod tidy;
pub mod undo;
mod write_check;

pub use connect::{ConnectError, Connector};
pub use event::{Event, Listener, Silent};
pub use write_check::write_check;
