//! Field expressions of the configuration, read and held against what is known of their source.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::expr::{Finding, FindingKind, KnownFields, check, parse};
use diaporos_core::lane::FieldExpression;
use diaporos_core::settings::{InnerText, Item};

/// Reads an expression; what is wrong with it is reported at its place in the file.
pub(super) fn expression(
    item: &Item<InnerText>,
    known: Option<KnownFields<'_>>,
    report: &mut Report,
) -> Option<FieldExpression> {
    let text = item.value.as_str();
    match parse(text) {
        Err(error) => {
            let span = item.value.in_file(error.span);
            let mut finding = Diagnostic::error(Code::ExpressionSyntax, span, error.message);
            finding.help = error.help;
            report.add(finding);
            None
        }
        Ok(tree) => {
            for finding in check(&tree, known) {
                report.add(diagnostic(&finding, &item.value));
            }
            Some(FieldExpression { text: text.to_owned(), tree })
        }
    }
}

fn diagnostic(finding: &Finding, text: &InnerText) -> Diagnostic {
    let span = text.in_file(finding.span.clone());
    match &finding.kind {
        FindingKind::Function { name } => {
            Diagnostic::error(Code::UnknownFunction, span, format!("there is no function `{name}`"))
                .suggest(name, finding.kind.candidates())
        }
        FindingKind::Arguments { usage, message } => {
            Diagnostic::error(Code::Arguments, span, message.clone()).help(format!("it is written `{usage}`"))
        }
        FindingKind::Field { name, of, .. } => {
            Diagnostic::error(Code::UnknownField, span, format!("`{of}` has no field `{name}`"))
                .suggest(name, finding.kind.candidates())
        }
        FindingKind::Language { field } => {
            let finding = Diagnostic::error(Code::NoLanguages, span, format!("`{field}` has no languages"));
            finding.help(format!("leave the language out, or say `localised = true` of `{field}` in the profile"))
        }
    }
}
