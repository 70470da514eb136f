//! Field expressions that were typed at the command line.

use diaporos_core::diagnostic::Diagnostic;
use diaporos_core::expr::{KnownFields, Library, Program, Slots, compile, parse};

use crate::error::Failure;

/// What typed expressions are read against; the fields that they read are gathered.
pub(crate) struct Typed<'a> {
    pub(crate) known: Option<KnownFields<'a>>,
    pub(crate) library: &'a Library,
    pub(crate) slots: Slots,
}

impl Typed<'_> {
    /// Reads an expression; the place of a fault is shown under it.
    pub(crate) fn expression(&mut self, option: &str, text: &str) -> Result<Program, Failure> {
        let tree = parse(text).map_err(|error| {
            let advice =
                error.help.unwrap_or_else(|| "docs/expressions.md says how expressions are written".to_owned());
            fault(option, text, error.span.start, &error.message).advise(advice)
        })?;
        let (program, findings) = compile(&tree, self.known, self.library, &mut self.slots);
        let Some(program) = program else {
            let finding = findings.into_iter().find(Diagnostic::is_error);
            let (start, message, help) =
                finding.map_or_else(Default::default, |finding| (finding.span.start, finding.message, finding.help));
            let advice = help.unwrap_or_else(|| {
                "`diaporos model show SYSTEM/TYPE` lists fields, `diaporos functions` functions".to_owned()
            });
            return Err(fault(option, text, start, &message).advise(advice));
        };
        Ok(program)
    }
}

fn fault(option: &str, text: &str, start: usize, message: &str) -> Failure {
    let before = text.get(..start).unwrap_or(text).chars().count();
    Failure::wrong(format!("`{option}`: {message}\n  {text}\n  {}^", " ".repeat(before)))
}
