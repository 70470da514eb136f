//! Holding an expression against what is known before any entry is seen: functions, their
//! arguments, the source's fields and languages.

use super::ast::{Call, Expression, Node};
use super::functions::Function;
use crate::diagnostic::Span;
use crate::model::{EntryType, Field, FieldKind, Model};
use crate::value::{TypeName, Value};

/// What is known of the source.
#[derive(Debug, Clone, Copy)]
pub struct KnownFields<'a> {
    /// The source system's model; a type that is not in it is not checked.
    pub model: &'a Model,
    /// The type of the entry.
    pub kind: &'a TypeName,
}

/// Something wrong in an expression.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Finding {
    /// Where, in bytes of the expression.
    pub span: Span,
    /// What.
    pub kind: FindingKind,
}

/// What can be wrong.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum FindingKind {
    /// No such function.
    Function {
        /// The name as written.
        name: String,
    },
    /// Too few, too many, or wrong arguments.
    Arguments {
        /// How the function is written.
        usage: String,
        /// What is wrong.
        message: String,
    },
    /// No such field.
    Field {
        /// The name as written.
        name: String,
        /// The type that lacks it.
        of: TypeName,
        /// The fields it has.
        known: Vec<String>,
    },
    /// A language is asked of what has none.
    Language {
        /// The field.
        field: String,
    },
}

/// The names that every entry has.
const ENTRY_NAMES: [&str; 3] = ["state", "entry", "fields"];

/// Finds everything wrong in an expression. Where nothing is known of the source, its fields are
/// not checked.
#[must_use]
pub fn check(expression: &Expression, known: Option<KnownFields<'_>>) -> Vec<Finding> {
    let mut checker = Checker { known, findings: Vec::new() };
    checker.walk(expression);
    checker.findings
}

/// What an expression is known to be: a field, the fields themselves, or nothing in particular.
enum Known<'a> {
    Field(&'a str, &'a Field),
    Fields(&'a TypeName, &'a EntryType),
    Nothing,
}

struct Checker<'a> {
    known: Option<KnownFields<'a>>,
    findings: Vec<Finding>,
}

impl<'a> Checker<'a> {
    fn report(&mut self, span: &Span, kind: FindingKind) {
        self.findings.push(Finding { span: span.clone(), kind });
    }

    fn walk(&mut self, expression: &'a Expression) -> Known<'a> {
        match &expression.node {
            Node::Name(name) if ENTRY_NAMES.contains(&name.as_str()) => match (name.as_str(), self.own_type()) {
                ("fields", Some((kind, own))) => Known::Fields(kind, own),
                _ => Known::Nothing,
            },
            Node::Name(name) => match self.own_type() {
                Some((kind, own)) => self.field(kind, own, name, &expression.span),
                None => Known::Nothing,
            },
            Node::Member(base, name) => {
                let base = self.walk(base);
                self.member(&base, name, expression)
            }
            Node::Language(base, _) => {
                if let Known::Field(name, field) = self.walk(base)
                    && !field.localised
                    && field.kind != FieldKind::Anything
                {
                    self.report(&expression.span, FindingKind::Language { field: name.to_owned() });
                }
                Known::Nothing
            }
            Node::Pipe(input, call) => {
                self.walk(input);
                self.call(call);
                call.arguments.iter().for_each(|argument| {
                    self.walk(argument);
                });
                Known::Nothing
            }
            _ => {
                expression.children().for_each(|child| {
                    self.walk(child);
                });
                Known::Nothing
            }
        }
    }

    fn own_type(&self) -> Option<(&'a TypeName, &'a EntryType)> {
        let KnownFields { model, kind } = self.known?;
        Some((kind, model.get(kind)?))
    }

    fn field(&mut self, of: &TypeName, within: &'a EntryType, name: &'a str, span: &Span) -> Known<'a> {
        if let Some(field) = within.fields.get(name) {
            return Known::Field(name, field);
        }
        let known = within.fields.keys().cloned().chain(ENTRY_NAMES.map(str::to_owned)).collect();
        self.report(span, FindingKind::Field { name: name.to_owned(), of: of.clone(), known });
        Known::Nothing
    }

    /// `curator.name` is held against the type that `curator` refers to.
    fn member(&mut self, base: &Known<'a>, name: &'a str, expression: &'a Expression) -> Known<'a> {
        let end = expression.span.end;
        let span = end.saturating_sub(name.len())..end;
        match base {
            Known::Fields(of, within) => self.field(of, within, name, &span),
            Known::Field(_, Field { kind: FieldKind::Reference(to), many: false, .. }) if name != "state" => {
                match self.known.and_then(|known| known.model.get(to)) {
                    Some(within) => self.field(to, within, name, &span),
                    None => Known::Nothing,
                }
            }
            _ => Known::Nothing,
        }
    }

    fn call(&mut self, call: &Call) {
        let Some(function) = Function::named(&call.function) else {
            return self.report(&call.span, FindingKind::Function { name: call.function.clone() });
        };
        let (given, most) = (call.arguments.len(), function.parameters.len());
        let least = function.parameters.iter().filter(|parameter| !parameter.optional).count();
        let wrong = |message: String| FindingKind::Arguments { usage: function.usage(), message };
        if given < least || given > most {
            let wanted = if least == most { format!("{most}") } else { format!("{least} to {most}") };
            let noun = if most == 1 { "argument" } else { "arguments" };
            return self.report(
                &call.span,
                wrong(format!("`{}` wants {wanted} {noun}, and {given} follow it", function.name)),
            );
        }
        for (parameter, argument) in function.parameters.iter().zip(&call.arguments) {
            if let Node::Literal(value) = &argument.node
                && !parameter.kind.takes(value)
            {
                let (name, phrase) = (parameter.name, parameter.kind.phrase());
                self.report(
                    &argument.span,
                    wrong(format!("`{}` wants {phrase} for {name}, not {}", function.name, value_name(value))),
                );
            }
        }
    }
}

fn value_name(value: &Value) -> &'static str {
    match value {
        Value::Integer(..0) => "a negative number",
        other => other.kind_name(),
    }
}

impl FindingKind {
    /// The names that may have been meant, for a suggestion.
    #[must_use]
    pub fn candidates(&self) -> Vec<&str> {
        match self {
            FindingKind::Function { .. } => super::functions::ALL.iter().map(|function| function.name).collect(),
            FindingKind::Field { known, .. } => known.iter().map(String::as_str).collect(),
            FindingKind::Arguments { .. } | FindingKind::Language { .. } => Vec::new(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::expr::parse;

    fn findings(text: &str) -> Vec<String> {
        let localised = Field { kind: FieldKind::Text, localised: true, ..Field::default() };
        let curator = TypeName::new("curator").unwrap();
        let plant = TypeName::new("plant").unwrap();
        let reference = Field { kind: FieldKind::Reference(curator.clone()), ..Field::default() };
        let text_field = Field { kind: FieldKind::Text, ..Field::default() };
        let plants = [("name", localised), ("latin", text_field.clone()), ("curator", reference)];
        let of = |fields: Vec<(&str, Field)>| EntryType {
            fields: fields.into_iter().map(|(n, f)| (n.to_owned(), f)).collect(),
        };
        let types = [(plant.clone(), of(plants.into())), (curator, of(vec![("full_name", text_field)]))].into();
        let model = Model { types };
        check(&parse(text).unwrap(), Some(KnownFields { model: &model, kind: &plant }))
            .into_iter()
            .map(|finding| format!("{} {:?}", &text[finding.span], finding.kind))
            .collect()
    }

    #[test]
    fn good_expressions_have_no_findings() {
        for text in [
            "name@en | slug",
            "curator.full_name",
            "state == \"live\"",
            "entry.id",
            "fields.name@en",
            "latin | date",
            "curator.state",
        ] {
            assert_eq!(findings(text), Vec::<String>::new(), "{text}");
        }
    }

    #[test]
    fn all_faults_are_found_in_one_pass() {
        let texts = [
            "nmae | slgu",
            "curator.nmae",
            "latin@en",
            "name | shorten",
            "name | shorten \"x\" 3",
            "name | shorten -1",
            "name | shorten \"x\"",
            "name | slug 3",
            "fields.nope",
            "tags | join nope",
        ];
        insta::assert_snapshot!(texts.map(|text| format!("{text}\n  {}", findings(text).join("\n  "))).join("\n"));
    }
}
