//! Calls from outside: whether they are from whom they say, and when they were made.
//!
//! Standard Webhooks (the specification of that name, version 1), HMAC-SHA-256 (RFC 2104) in a header, a bearer
//! token (RFC 6750), basic credentials (RFC 7617). Nothing of a call is believed before it is verified, and what
//! it says is a hint even then.

mod hub_signature;
mod sign;
mod verify;

pub use hub_signature::is_signed_by_hub;
pub use sign::{sign, signing_key};
pub use verify::{Encoding, Received, Refused, Scheme, bears, verify};

#[cfg(test)]
mod tests;
