//! Field expressions of the configuration, read and held against what is known of their source.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::expr::{Expression, KnownFields, Library, Slots, compile, parse};
use diaporos_core::lane::FieldExpression;
use diaporos_core::settings::{InnerText, Item};

/// Reads the tree of an expression; what cannot be read is reported at its place in the file.
pub(super) fn tree(item: &Item<InnerText>, report: &mut Report) -> Option<Expression> {
    parse(item.value.as_str())
        .map_err(|error| {
            let mut finding = Diagnostic::error(Code::ExpressionSyntax, item.value.in_file(error.span), error.message);
            finding.help = error.help;
            report.add(finding);
        })
        .ok()
}

/// Reads an expression; what is wrong with it is reported at its place in the file.
pub(super) fn expression(
    item: &Item<InnerText>,
    known: Option<KnownFields<'_>>,
    library: &Library,
    slots: &mut Slots,
    report: &mut Report,
) -> Option<FieldExpression> {
    let tree = tree(item, report)?;
    let (program, findings) = compile(&tree, known, library, slots);
    for finding in findings {
        report.add(finding.within(|span| item.value.in_file(span)));
    }
    Some(FieldExpression { text: item.value.as_str().to_owned(), tree, program: program? })
}
