//! HTTP with manners: requests as data, capped answers, redirects within limits, retried reads.

mod allowance;
mod answer;
mod client;
mod credential;
mod curl;
mod exchange;
mod form;
mod limits;
mod network;
mod pace;
mod part;
mod problem;
mod redirect;
mod request;
mod retry;
mod signing;
mod token_cache;
mod ways;

pub(crate) use answer::failure;
pub use answer::{Answer, AnswerForm};

pub use client::Client;
pub use credential::{ClientCredentials, Credential, LogIn};
pub(crate) use exchange::BodySink;
pub(crate) use form::FilePart;
pub use form::FormMedia;
pub use limits::Limits;
pub use network::{Network, is_loopback};
pub(crate) use pace::Pace;
pub use pace::{Rate, Together};
pub use part::Part;
pub(crate) use problem::describe;
pub use request::{Body, HeaderText, LookUpRequest, Method, Request, join_url, set_query, shown_url};
pub use signing::{MomentHeader, SignatureForm, Signing, SigningHash, SigningRecipe};
