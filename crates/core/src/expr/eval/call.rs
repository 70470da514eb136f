//! Functions.

use std::borrow::Cow;

use super::lift::lift;
use super::{EvalError, Scope, failed};
use crate::expr::ast::{Call, Expression};
use crate::expr::functions::Function;
use crate::value::Value;

impl<'a> Scope<'a> {
    pub(super) fn call(&self, input: &'a Expression, call: &'a Call) -> Result<Cow<'a, Value>, EvalError> {
        let function = Function::named(&call.function)
            .ok_or_else(|| failed(&call.span)(format!("there is no function `{}`", call.function)))?;
        let input = self.value(input)?;
        let arguments = call.arguments.iter().map(|argument| self.value(argument)).collect::<Result<Vec<_>, _>>()?;
        let mut values: Vec<&Value> = vec![&input];
        values.extend(arguments.iter().map(AsRef::as_ref));
        let result = lift(&values, &mut |plain| {
            let arguments: Vec<Value> = plain[1..].iter().map(|&argument| argument.clone()).collect();
            function.apply(plain[0], &arguments)
        });
        result.map(Cow::Owned).map_err(failed(&call.span))
    }
}
