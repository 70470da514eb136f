//! The functions, one file each: name, parameters, examples and body together.
//!
//! Calls are checked from these descriptions, every example is run as a test, and the reference in
//! `docs/expressions.md` is written from them.

mod clean;
mod date;
mod first;
mod join;
mod lower;
mod plain;
mod shorten;
mod slug;
mod trim;
mod unique;
mod upper;

use crate::value::Value;

/// Every function, by name.
pub const ALL: &[Function] = &[
    clean::CLEAN,
    date::DATE,
    first::FIRST,
    join::JOIN,
    lower::LOWER,
    plain::PLAIN,
    shorten::SHORTEN,
    slug::SLUG,
    trim::TRIM,
    unique::UNIQUE,
    upper::UPPER,
];

/// What a function takes or gives.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// Text.
    Text,
    /// A whole number that is not negative.
    Count,
    /// A list.
    List,
    /// Any value.
    Anything,
}

impl Kind {
    /// The kind with its article, for messages.
    #[must_use]
    pub fn phrase(self) -> &'static str {
        match self {
            Kind::Text => "text",
            Kind::Count => "a whole number from 0",
            Kind::List => "a list",
            Kind::Anything => "any value",
        }
    }

    /// Whether the value is of this kind.
    #[must_use]
    pub fn takes(self, value: &Value) -> bool {
        match self {
            Kind::Text => matches!(value, Value::Text(_)),
            Kind::Count => matches!(value, Value::Integer(0..)),
            Kind::List => matches!(value, Value::List(_)),
            Kind::Anything => true,
        }
    }
}

/// A parameter that follows the function's name.
#[derive(Debug)]
pub struct Parameter {
    /// Its name in the documentation.
    pub name: &'static str,
    /// What it takes.
    pub kind: Kind,
    /// Whether it may be left out.
    pub optional: bool,
}

/// A function as it is described, checked, documented and called.
#[derive(Debug)]
pub struct Function {
    /// The name that follows the pipe.
    pub name: &'static str,
    /// What it does, in one sentence.
    pub summary: &'static str,
    /// What must come through the pipe; null goes through every function unchanged.
    pub takes: Kind,
    /// What it gives.
    pub gives: Kind,
    /// What follows the name.
    pub parameters: &'static [Parameter],
    /// Expressions with what they give, both as expressions.
    pub examples: &'static [(&'static str, &'static str)],
    /// The body. The input and the arguments are of the kinds described.
    pub call: fn(&Value, &[Value]) -> Result<Value, String>,
}

impl Function {
    /// The function of that name.
    #[must_use]
    pub fn named(name: &str) -> Option<&'static Function> {
        ALL.iter().find(|function| function.name == name)
    }

    /// How it is written: `shorten MOST`.
    #[must_use]
    pub fn usage(&self) -> String {
        let parameter = |parameter: &Parameter| {
            let name = parameter.name.to_uppercase();
            if parameter.optional { format!(" [{name}]") } else { format!(" {name}") }
        };
        self.parameters.iter().fold(self.name.to_owned(), |usage, next| usage + &parameter(next))
    }

    /// Calls the body after checking kinds.
    ///
    /// # Errors
    /// Says which value is of the wrong kind, or what the body could not do.
    pub fn apply(&self, input: &Value, arguments: &[Value]) -> Result<Value, String> {
        if input.is_null() {
            return Ok(Value::Null);
        }
        if !self.takes.takes(input) {
            return Err(format!("`{}` takes {}, not {}", self.name, self.takes.phrase(), input.kind_name()));
        }
        for (parameter, argument) in self.parameters.iter().zip(arguments) {
            if !parameter.kind.takes(argument) {
                let (name, phrase) = (parameter.name, parameter.kind.phrase());
                return Err(format!("`{}` wants {phrase} for {name}, not {}", self.name, argument.kind_name()));
            }
        }
        (self.call)(input, arguments)
    }
}

fn text(value: &Value) -> &str {
    value.as_text().unwrap_or_default()
}

fn items(value: &Value) -> &[Value] {
    match value {
        Value::List(items) => items,
        _ => &[],
    }
}

fn on_text(input: &Value, change: impl Fn(&str) -> String) -> Result<Value, String> {
    Ok(Value::Text(change(text(input))))
}

#[cfg(test)]
mod tests;
