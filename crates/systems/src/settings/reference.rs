//! Texts of the configuration that may name where the text itself is kept.

use crate::SecretReference;
use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings::{InnerText, Item};

/// Where something is: written out, or in an environment variable.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum PlaceText {
    /// As written.
    Plain(String),
    /// In the variable of that name.
    Variable(String),
}

/// A part of a credential that need not be secret.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum PartText {
    /// As written.
    Plain(String),
    /// By reference.
    Reference(SecretReference),
}

/// A place that is an address must be http, https or file, and have no user in it.
pub fn place(item: &Item<InnerText>, report: &mut Report) -> Option<PlaceText> {
    place_of(item, &["http", "https", "file"], report)
}

/// The same of other kinds of address.
pub fn place_of(item: &Item<InnerText>, schemes: &[&str], report: &mut Report) -> Option<PlaceText> {
    let text = item.value.as_str();
    if let Some(name) = text.strip_prefix("env:") {
        return Some(PlaceText::Variable(name.to_owned()));
    }
    if let Some((scheme, rest)) = text.split_once("://") {
        let host = rest.split('/').next().unwrap_or_default();
        if host.contains('@') {
            let finding =
                Diagnostic::error(Code::ClearSecret, item.span.clone(), "a user or password stands in this address");
            report.add(
                finding.help("take it out, and name the credential by reference: `read = { bearer = \"env:NAME\" }`"),
            );
            return None;
        }
        if !schemes.contains(&scheme) {
            let message = format!("`{scheme}:` addresses are not known here");
            let finding = Diagnostic::error(Code::BadValue, item.span.clone(), message);
            report.add(finding.help(format!("known here: {}", schemes.join(", "))));
            return None;
        }
    }
    Some(PlaceText::Plain(text.to_owned()))
}

/// Reads a part of a credential, or of a header.
pub(crate) fn part(item: &Item<InnerText>) -> PartText {
    let text = item.value.as_str();
    SecretReference::read(text).map_or_else(|| PartText::Plain(text.to_owned()), PartText::Reference)
}
