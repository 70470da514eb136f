//! The use cases of a hub, one file each. They emit events; who calls them draws.

pub mod config;
mod connect;
mod event;
pub mod init;
pub mod look;
pub mod preview;
pub mod pull;
pub mod push;
pub mod resolve;

pub use connect::{ConnectError, Connector};
pub use event::{Event, Listener, Silent};
