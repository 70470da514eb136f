//! Functions.

use std::borrow::Cow;
use std::cell::RefCell;

use super::arguments::{Arguments, Given};
use super::lift::{lift, lift_top};
use super::{EvalError, Frame, Scope};
use crate::diagnostic::Span;
use crate::expr::compile::{Argument, Call};
use crate::expr::functions::Lifts;
use crate::value::Value;

impl Scope<'_> {
    pub(super) fn call<'v>(
        &'v self,
        call: &'v Call,
        frame: Option<&'v Frame<'v>>,
        span: &Span,
    ) -> Result<Cow<'v, Value>, EvalError> {
        let input = self.value(&call.input, frame)?;
        let mut found: Vec<Cow<'v, Value>> = Vec::new();
        for argument in &call.arguments {
            if let Argument::Value(node) = argument {
                found.push(self.value(node, frame)?);
            }
        }
        let failed = RefCell::new(None);
        let mut apply = |plain: &[&Value]| {
            let mut values = plain[1..].iter();
            let given: Vec<Given<'_>> = call
                .arguments
                .iter()
                .map(|argument| match argument {
                    Argument::Value(_) => Given::Value(values.next().copied().unwrap_or(&Value::Null)),
                    Argument::Item(node) => Given::Item(node),
                    Argument::Pattern(pattern) => Given::Pattern(pattern),
                    Argument::Table(table) => Given::Table(table),
                    Argument::Terms(terms) => Given::Terms(terms),
                    Argument::Lane(lane) => Given::Lane(lane),
                    Argument::Nothing => Given::Nothing,
                })
                .collect();
            let arguments = Arguments { given: &given, scope: self, frame, failed: &failed };
            call.function.apply(plain[0], &arguments)
        };
        let mut lifted = |values: &[&Value]| match call.function.lifts {
            Lifts::Deep => lift(values, &mut apply),
            Lifts::Top => lift_top(values, &mut apply),
            Lifts::Whole => apply(values),
        };
        let result = if found.is_empty() {
            lifted(&[&input])
        } else {
            let arguments = found.iter().map(AsRef::as_ref);
            lifted(&std::iter::once(&*input).chain(arguments).collect::<Vec<&Value>>())
        };
        result
            .map(Cow::Owned)
            .map_err(|message| failed.into_inner().unwrap_or_else(|| EvalError::of_value(span.clone(), message)))
    }
}
