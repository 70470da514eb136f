//! The outside parties that content comes from and goes to, one folder a kind.
//!
//! Reading and writing are separate narrow traits, so that a reading credential has nothing to
//! write with. A request is data first: preview, `--as-curl` and push share it.

pub mod agency;
pub mod asked;
pub mod asset;
mod beside;
pub mod blank;
mod decode;
pub mod docstore;
mod elements;
mod error;
pub mod feed;
pub mod files;
mod gather;
pub mod graphql;
pub mod hook;
pub mod http;
mod http_system;
mod keyed_store;
pub mod kind;
mod kinds;
mod languages;
pub mod mail;
pub mod ninjs;
pub mod openapi;
mod operation;
pub mod picture;
mod places;
mod profile;
mod query;
mod read;
pub mod rest;
mod search;
mod secret;
pub mod service;
pub mod settings;
mod setup;
mod sql;
mod text_file;
pub mod told;
#[cfg(any(test, fuzzing))]
pub mod untrusted;
pub mod webdav;
pub mod websub;
mod write;

pub use beside::Beside;
pub use error::{ErrorKind, SystemError};
pub use http_system::{HttpSettings, HttpSystem};
pub use kind::{Kind, System};
pub use kinds::KINDS;
pub use languages::{LanguageCodes, UnknownCode};
pub use profile::{ListingForm, Profile, ProfileRules, WritingForm, read_profile};
pub use read::{Ask, Document, ListingCapabilities, Page, PageContent, PartListing, Problem, Read};
pub use secret::{Secret, SecretReference};
pub use setup::{ConnectError, DocumentPlace, Setup};
pub use write::{ListedPage, Write};
