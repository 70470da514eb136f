//! Functions.

use std::borrow::Cow;
use std::cell::RefCell;

use super::lift::{lift, lift_top};
use super::{EvalError, Frame, Scope};
use crate::diagnostic::Span;
use crate::expr::functions::{self, Arguments, Lifts, Surroundings};
use crate::expr::library::Library;
use crate::expr::program::{Argument, Call};
use crate::value::{Address, LaneName, Value};

/// What the body of a called function can ask.
struct Around<'c> {
    call: &'c Call,
    scope: &'c Scope<'c>,
    frame: Option<&'c Frame<'c>>,
    /// The first place within an argument that has no value: better than the function's own.
    failed: RefCell<Option<EvalError>>,
}

impl Surroundings for Around<'_> {
    fn library(&self) -> &Library {
        self.scope.sight.library
    }

    fn of_item(&self, place: usize, item: &Value) -> Result<Value, String> {
        let Some(Argument::Item(node)) = self.call.arguments.get(place) else { return Ok(item.clone()) };
        let frame = Frame { value: item, up: self.frame };
        self.scope.value(node, Some(&frame)).map(Cow::into_owned).map_err(|error| {
            let message = error.message.clone();
            self.failed.borrow_mut().get_or_insert(error);
            message
        })
    }

    /// Notes beside that it was asked for.
    fn counterpart(&self, address: &Address, lane: Option<&LaneName>) -> Result<Value, String> {
        let world = self.scope.sight.world;
        let found = world.counterpart(address, lane).map_err(|error| self.scope.unseen(error))?;
        let mut dependencies = self.scope.dependencies.borrow_mut();
        dependencies.reads.insert(address.clone());
        dependencies.called.insert((address.clone(), lane.cloned()), found.clone());
        Ok(found)
    }

    /// Notes beside that it is needed.
    fn ensured(&self, word: &str, lane: &LaneName) -> Result<Value, String> {
        let world = self.scope.sight.world;
        let address = world.word(word, lane).map_err(|error| self.scope.unseen(error))??;
        let found = self.counterpart(&address, Some(lane))?;
        // The word's address stands for what is not there yet; no entry goes with it.
        let value = if found.is_null() { Value::Text(address.to_string()) } else { found };
        self.scope.dependencies.borrow_mut().words.entry(address).or_insert_with(|| word.to_owned());
        Ok(value)
    }
}

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
        let around = Around { call, scope: self, frame, failed: RefCell::default() };
        let mut apply = |plain: &[&Value]| {
            let mut values = plain[1..].iter();
            let given: Vec<functions::Argument<'_>> = call
                .arguments
                .iter()
                .map(|argument| match argument {
                    Argument::Value(_) => functions::Argument::Value(values.next().copied().unwrap_or(&Value::Null)),
                    Argument::Item(_) => functions::Argument::Item,
                    Argument::Pattern(pattern) => functions::Argument::Pattern(pattern),
                    Argument::Table(table) => functions::Argument::Table(table),
                    Argument::Terms(terms) => functions::Argument::Terms(terms),
                    Argument::Lane(lane) => functions::Argument::Lane(lane),
                    Argument::Nothing => functions::Argument::Nothing,
                })
                .collect();
            let arguments = Arguments { given: &given, around: &around };
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
            .map_err(|message| around.failed.take().unwrap_or_else(|| EvalError::of_value(span.clone(), message)))
    }
}
