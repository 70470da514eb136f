//! Why an entry goes on a lane or does not, clause by clause, and what each step of a field gives.

use jiff::Timestamp;

use super::{FieldExpression, Lane};
use crate::expr::ast::{Expression, Node, Operator};
use crate::expr::{EvalError, Sight, Subject, Trace, World, WorldError, is_true};
use crate::value::{State, Value};

/// One clause of a condition, with what it came to.
#[derive(Debug, Clone, PartialEq)]
pub struct Clause {
    /// The clause as written.
    pub text: String,
    /// How deep it stands in `and`, `or` and `not`.
    pub depth: usize,
    /// What it came to; none where it was not reached.
    pub value: Option<Value>,
    /// What stands in it, with values: `state` is `"draft"`.
    pub parts: Vec<(String, Value)>,
}

/// What a condition of a lane says of an entry.
#[derive(Debug, Clone, PartialEq)]
pub struct Ruling {
    /// `when`, or the rule's name.
    pub name: String,
    /// Whether it holds; an error says why it has no answer.
    pub holds: Result<bool, String>,
    /// What the rule says.
    pub message: Option<String>,
    /// Its clauses.
    pub clauses: Vec<Clause>,
}

/// Why an entry goes on a lane or does not.
#[derive(Debug, Clone, PartialEq)]
pub struct Explanation {
    /// Whether it goes at all; none where that has no answer.
    pub goes: Option<bool>,
    /// Who goes.
    pub when: Ruling,
    /// What is required.
    pub require: Vec<Ruling>,
    /// What protects it.
    pub protect: Vec<Ruling>,
}

/// Explains what the conditions of a lane say of an entry.
///
/// # Errors
/// Where other entries cannot be looked at.
pub fn explain(
    lane: &Lane,
    subject: Subject<'_>,
    world: &dyn World,
    now: Timestamp,
) -> Result<Explanation, WorldError> {
    let sight = Sight { subject: Subject { now, ..subject }, world, library: &lane.library };
    let when = match &lane.when {
        Some(when) => ruling("when", None, when, sight)?,
        None => {
            let clause = Clause {
                text: "state == \"live\"".to_owned(),
                depth: 0,
                value: Some(Value::Boolean(subject.state == State::Live)),
                parts: vec![("state".to_owned(), subject.state.word().into())],
            };
            let holds = Ok(subject.state == State::Live);
            Ruling { name: "when".to_owned(), holds, message: None, clauses: vec![clause] }
        }
    };
    let rules = |rules: &[super::Rule]| -> Result<Vec<Ruling>, WorldError> {
        rules.iter().map(|rule| ruling(&rule.name, Some(&rule.message), &rule.condition, sight)).collect()
    };
    let goes = if subject.state == State::Gone { Some(false) } else { when.holds.clone().ok() };
    Ok(Explanation { goes, when, require: rules(&lane.require)?, protect: rules(&lane.protect)? })
}

fn ruling(
    name: &str,
    message: Option<&String>,
    condition: &FieldExpression,
    sight: Sight<'_>,
) -> Result<Ruling, WorldError> {
    let (value, trace) = condition.program.traced(sight);
    let holds = match value {
        Ok(found) => is_true(&found.value),
        Err(EvalError { world: Some(error), .. }) => return Err(error),
        Err(error) => Err(error.message),
    };
    let mut clauses = Vec::new();
    gather(&condition.tree, &condition.text, 0, &trace, &mut clauses);
    Ok(Ruling { name: name.to_owned(), holds, message: message.cloned(), clauses })
}

/// `and`, `or` and `not` are gone into; anything else is one clause.
fn gather(tree: &Expression, text: &str, depth: usize, trace: &Trace, clauses: &mut Vec<Clause>) {
    match &tree.node {
        Node::Binary(left, Operator::And | Operator::Or, right) => {
            gather(left, text, depth, trace, clauses);
            gather(right, text, depth, trace, clauses);
        }
        Node::Not(inner) => gather(inner, text, depth + 1, trace, clauses),
        _ => {
            let mut parts = Vec::new();
            paths(tree, text, trace, &mut parts);
            let written = text.get(tree.span.clone()).unwrap_or_default().to_owned();
            clauses.push(Clause { text: written, depth, value: trace.at(&tree.span).cloned(), parts });
        }
    }
}

/// The paths in a clause, with their values.
fn paths(tree: &Expression, text: &str, trace: &Trace, parts: &mut Vec<(String, Value)>) {
    if matches!(tree.node, Node::Name(_) | Node::Member(..) | Node::Language(..) | Node::Item(..) | Node::Pipe(..)) {
        let written = text.get(tree.span.clone()).unwrap_or_default();
        if let Some(value) = trace.at(&tree.span)
            && !parts.iter().any(|(known, _)| known == written)
        {
            parts.push((written.to_owned(), value.clone()));
        }
        return;
    }
    for child in tree.children() {
        paths(child, text, trace, parts);
    }
}

/// The value after every pipe of an expression, in order: the text up to there, and the value.
pub type Steps = Vec<(String, Option<Value>)>;

/// The value after every pipe of an expression, and why it goes no further, where it does not.
///
/// # Errors
/// Where other entries cannot be looked at.
pub fn steps(expression: &FieldExpression, sight: Sight<'_>) -> Result<(Steps, Option<String>), WorldError> {
    let (value, trace) = expression.program.traced(sight);
    let mut found = Vec::new();
    pipes(&expression.tree, &expression.text, &trace, &mut found);
    match value.err() {
        Some(EvalError { world: Some(error), .. }) => Err(error),
        error => Ok((found, error.map(|error| error.message))),
    }
}

fn pipes(tree: &Expression, text: &str, trace: &Trace, found: &mut Vec<(String, Option<Value>)>) {
    let step = |from: usize, to: usize| text.get(from..to).unwrap_or_default().trim().to_owned();
    match &tree.node {
        Node::Pipe(input, call) => {
            pipes(input, text, trace, found);
            let end = call.arguments.last().map_or(call.span.end, |last| last.span.end);
            found.push((format!("| {}", step(call.span.start, end)), trace.at(&tree.span).cloned()));
        }
        Node::Let(name, value, body) => {
            pipes(value, text, trace, found);
            if let Some((last, _)) = found.last_mut() {
                *last = format!("{last} → {name}");
            }
            pipes(body, text, trace, found);
        }
        _ => {
            let inner = tree.children().into_iter().any(has_pipe);
            if inner {
                tree.children()
                    .into_iter()
                    .filter(|child| has_pipe(child))
                    .for_each(|child| pipes(child, text, trace, found));
            }
            found.push((step(tree.span.start, tree.span.end), trace.at(&tree.span).cloned()));
        }
    }
}

fn has_pipe(tree: &Expression) -> bool {
    matches!(tree.node, Node::Pipe(..)) || tree.children().into_iter().any(has_pipe)
}
