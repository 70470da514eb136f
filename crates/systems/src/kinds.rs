//! The kinds of systems, a line each.

use crate::kind::Kind;
use crate::{docstore, feed, files, graphql, mail, ninjs, rest, sql, webdav};

/// Every kind of system.
pub const KINDS: &[&dyn Kind] = &[
    &feed::Feed,
    &ninjs::Ninjs,
    &rest::Rest,
    &graphql::Graphql,
    &files::Files,
    &webdav::Webdav,
    &docstore::Docstore,
    &sql::Sql,
    &mail::Mail,
];
