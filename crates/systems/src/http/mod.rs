//! HTTP with manners: requests as data, capped answers, redirects within limits, retried reads.

mod answer;
mod client;
mod curl;
mod request;

pub use answer::Answer;
pub use client::{Client, Limits};
pub use request::{Credential, HeaderText, Method, Request, join_url, shown_url};
