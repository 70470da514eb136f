//! Forms of texts that the settings of systems share.

use diaporos_core::settings::{Form, TextForm};

/// Where something is.
pub const PLACE: Form = Form::Text(&TextForm { name: "an address, or `env:NAME`", pattern: None });
/// Where a document is.
pub(crate) const DOCUMENT: Form = Form::Text(&TextForm { name: "an address, a file or `env:NAME`", pattern: None });
/// Where a secret is kept.
pub const SECRET: Form =
    Form::Text(&TextForm { name: "`env:NAME` or `file:PATH`", pattern: Some("^(env:[A-Za-z0-9_]+|file:.+)$") });
/// A text, or where it is kept.
pub(crate) const PART: Form = Form::Text(&TextForm { name: "a text, `env:NAME` or `file:PATH`", pattern: None });
/// A host's name.
pub(crate) const HOST: Form = Form::Text(&TextForm { name: "a host", pattern: Some("^[^/*@ ]+$") });
/// How many requests in which time.
pub(crate) const RATE: Form = Form::Text(&TextForm { name: "a rate", pattern: Some("^[0-9]+ ?/ ?(s|min|h)$") });
