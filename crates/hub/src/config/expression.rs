//! Field expressions of the configuration, read and held against what is known of their source.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::expr::types::{Kinds, Languages};
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

/// Reads the expressions over the entries of one type. What is wrong with one is reported at its place
/// in the file.
pub(super) struct Expressions<'a> {
    /// What is known of the entries' fields.
    known: Option<KnownFields<'a>>,
    library: &'a Library,
    /// The fields that the expressions read.
    pub(super) slots: Slots,
}

impl<'a> Expressions<'a> {
    pub(super) fn over(known: Option<KnownFields<'a>>, library: &'a Library) -> Expressions<'a> {
        Expressions { known, library, slots: Slots::default() }
    }

    /// Whether it is known that entries have that field.
    pub(super) fn has_field(&self, name: &str) -> bool {
        let of = self.known.and_then(|known| known.model.get(known.kind));
        of.is_some_and(|of| of.fields.contains_key(name))
    }

    /// Reads an expression.
    pub(super) fn read(&mut self, item: &Item<InnerText>, report: &mut Report) -> Option<FieldExpression> {
        let tree = tree(item, report)?;
        let (program, findings) = compile(&tree, self.known, self.library, &mut self.slots);
        for finding in findings {
            report.add(finding.within(|span| item.value.in_file(span)));
        }
        Some(FieldExpression { text: item.value.as_str().to_owned(), tree, program: program? })
    }

    /// Reads a condition, which must have one answer.
    pub(super) fn condition(&mut self, item: &Item<InnerText>, report: &mut Report) -> Option<FieldExpression> {
        let read = self.read(item, report)?;
        let gives = &read.program.gives;
        let finding = |message: String| {
            Diagnostic::error(Code::ExpressionType, item.value.in_file(0..item.value.as_str().len()), message)
        };
        let kinds = gives.kinds.without(Kinds::NULL);
        if !gives.loose && kinds.without(Kinds::BOOLEAN) != Kinds::NONE {
            report.add(finding(format!("a condition must be true or false, not {}", gives.clone().without_null())));
            return None;
        }
        if gives.languages == Languages::Each {
            let help = "choose a language, as in `title@en`";
            report.add(finding("a condition needs one answer, and this has one per language".to_owned()).help(help));
            return None;
        }
        Some(read)
    }
}
