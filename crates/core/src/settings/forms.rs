//! Forms of texts that settings share.

use super::{Form, TextForm};

/// Any text.
pub const TEXT: Form = Form::Text(&TextForm { name: "a text", pattern: None });
/// A field expression.
pub const EXPRESSION: Form = Form::Text(&AN_EXPRESSION);
static AN_EXPRESSION: TextForm = TextForm { name: "an expression", pattern: None };
/// A language tag (BCP 47).
pub const LANGUAGE: Form =
    Form::Text(&TextForm { name: "a language tag (BCP 47)", pattern: Some("^[A-Za-z]{2,8}(-[A-Za-z0-9]{1,8})*$") });
/// A length of time; a day has 24 hours.
pub const DURATION: Form =
    Form::Text(&TextForm { name: "a duration", pattern: Some("^[0-9]+ ?[a-z]+( ?[0-9]+ ?[a-z]+)*$") });
/// A file in the hub's folder, relative to it.
pub const FILE: Form = Form::Text(&TextForm { name: "a file in the hub's folder", pattern: None });
/// A type of a system.
pub const TYPE: Form = Form::Text(&TextForm { name: "a type, `system/type`", pattern: Some("^[^/]+/[^/]+$") });
/// A regular expression.
pub const PATTERN: Form = Form::Text(&TextForm { name: "a regular expression", pattern: None });
/// A list of any texts.
pub const TEXTS: Form = Form::List(&TEXT);
/// A table of the user's own names with any values.
pub const ANY_VALUES: Form = Form::Named(&Form::Anything);
/// A table of the user's own names with texts.
pub const NAMED_TEXTS: Form = Form::Named(&TEXT);
/// A table of the user's own names with field expressions.
pub const NAMED_EXPRESSIONS: Form = Form::Named(&EXPRESSION);
