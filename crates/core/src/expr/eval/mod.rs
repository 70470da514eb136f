//! The value of a program for one entry.

mod call;
mod lift;
mod operator;
mod path;
mod trace;

use std::borrow::Cow;
use std::cell::{Cell, RefCell};
use std::collections::{BTreeMap, BTreeSet};

use jiff::Timestamp;

use super::library::Library;
use super::operation::is_true;
use super::program::{Node, Op, Program};
use crate::diagnostic::Span;
use crate::value::{Address, LaneName, Record, State, Value};

pub use lift::lift;
pub use trace::Trace;

/// The entry an expression is about.
#[derive(Debug, Clone, Copy)]
pub struct Subject<'a> {
    /// Where it is.
    pub address: &'a Address,
    /// Its state.
    pub state: State,
    /// The fields that are read, each in its slot.
    pub values: &'a [&'a Value],
    /// What `now` is.
    pub now: Timestamp,
    /// What was last delivered of it.
    pub previous: Option<&'a Record>,
}

/// An entry that a reference leads to.
#[derive(Debug, Clone, PartialEq)]
pub struct Referenced {
    /// Its state.
    pub state: State,
    /// Its fields.
    pub fields: Record,
}

/// Why other entries cannot be looked at: where they are kept failed. No expression may take that
/// for an absence, for then a fallback would be delivered in the place of what is there.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{0}")]
pub struct WorldError(pub String);

/// What is known of other entries. It reads what was taken in before, never a system.
pub trait World {
    /// The entry at that address, unless it is not known or gone.
    ///
    /// # Errors
    /// Where that cannot be told.
    fn follow(&self, address: &Address) -> Result<Option<Referenced>, WorldError>;

    /// What that entry is called at the destination, by the lane named or any that leads there: one
    /// identifier, or one per language. Null where it is not there yet.
    ///
    /// # Errors
    /// Where that cannot be told.
    fn counterpart(&self, address: &Address, lane: Option<&LaneName>) -> Result<Value, WorldError>;

    /// The hub's own entry that stands for a word on a lane that makes documents of words; else why there is none.
    ///
    /// # Errors
    /// Where that cannot be told.
    fn word(&self, _: &str, lane: &LaneName) -> Result<Result<Address, String>, WorldError> {
        Ok(Err(format!("words are made documents only in the fields of a lane that leads where `{lane}` does")))
    }
}

/// A world without other entries.
#[derive(Debug, Clone, Copy, Default)]
pub struct NoWorld;

impl World for NoWorld {
    fn follow(&self, _: &Address) -> Result<Option<Referenced>, WorldError> {
        Ok(None)
    }

    fn counterpart(&self, _: &Address, _: Option<&LaneName>) -> Result<Value, WorldError> {
        Ok(Value::Null)
    }
}

/// Everything a program may look at.
#[derive(Clone, Copy)]
pub struct Sight<'a> {
    /// The entry.
    pub subject: Subject<'a>,
    /// Other entries.
    pub world: &'a dyn World,
    /// What the expressions of the hub share.
    pub library: &'a Library,
}

/// A value, and what was looked at to find it.
#[derive(Debug, Clone, PartialEq)]
pub struct Evaluated {
    /// The value.
    pub value: Value,
    /// What was looked at, and what was not there.
    pub dependencies: Dependencies,
}

/// The other entries that were looked at.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Dependencies {
    /// Entries whose fields or counterparts were read: when one changes, so may the value.
    pub reads: BTreeSet<Address>,
    /// References that lead nowhere.
    pub dead: BTreeSet<Address>,
    /// What entries were called at the destination when that was asked, by which lane; null where
    /// they were not there.
    pub called: BTreeMap<(Address, Option<LaneName>), Value>,
    /// Words that must have documents at the destination, by the hub's own entries that stand for them.
    pub words: BTreeMap<Address, String>,
}

impl Dependencies {
    /// The entries that were asked for and are not at the destination.
    pub fn not_there(&self) -> impl Iterator<Item = &Address> {
        self.called.iter().filter(|(_, name)| name.is_null()).map(|((address, _), _)| address)
    }

    /// The words that have no document at the destination, by the hub's own entries that stand for them.
    pub fn words_not_there(&self) -> impl Iterator<Item = (&Address, &str)> {
        let not_there: BTreeSet<&Address> = self.not_there().collect();
        let words = self.words.iter().filter(move |(address, _)| not_there.contains(address));
        words.map(|(address, word)| (address, word.as_str()))
    }

    /// Whether every entry that was asked for is still called as it was.
    ///
    /// # Errors
    /// Where that cannot be told.
    pub fn still_called_so(&self, world: &dyn World) -> Result<bool, WorldError> {
        for ((address, lane), name) in &self.called {
            if world.counterpart(address, lane.as_ref())? != *name {
                return Ok(false);
            }
        }
        Ok(true)
    }

    /// Adds what another evaluation looked at.
    pub fn extend(&mut self, other: Dependencies) {
        if other.reads.is_empty() && other.dead.is_empty() && other.called.is_empty() {
            return;
        }
        self.reads.extend(other.reads);
        self.dead.extend(other.dead);
        self.called.extend(other.called);
        self.words.extend(other.words);
    }
}

/// Why an expression has no value for this entry.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct EvalError {
    /// Where in the expression.
    pub span: Span,
    /// What went wrong.
    pub message: String,
    /// Set where the value could not be told because other entries could not be looked at.
    pub world: Option<WorldError>,
}

impl EvalError {
    /// A fault of the value at that place.
    #[must_use]
    pub fn of_value(span: Span, message: String) -> Self {
        EvalError { span, message, world: None }
    }
}

impl Program {
    /// The value where the program is nothing but a field, which need not be copied then.
    #[must_use]
    pub fn lent<'a>(&self, subject: Subject<'a>) -> Option<&'a Value> {
        match self.root.op {
            Op::Field(slot) => Some(subject.values.get(slot).copied().unwrap_or(&Value::Null)),
            _ => None,
        }
    }

    /// Finds the value for an entry.
    ///
    /// # Errors
    /// Where a value cannot be used as the expression has it.
    pub fn evaluate(&self, sight: Sight<'_>) -> Result<Evaluated, EvalError> {
        let scope = Scope::new(sight, None);
        let value = scope.whole(&self.root)?;
        Ok(Evaluated { value, dependencies: scope.dependencies.into_inner() })
    }

    /// Finds the value for an entry, and notes the value of every step on the way, also where one
    /// fails.
    pub fn traced(&self, sight: Sight<'_>) -> (Result<Evaluated, EvalError>, Trace) {
        let trace = RefCell::default();
        let scope = Scope::new(sight, Some(&trace));
        let value = scope.whole(&self.root);
        let dependencies = scope.dependencies.into_inner();
        (value.map(|value| Evaluated { value, dependencies }), trace.into_inner())
    }
}

/// A value that a name, or the item at hand, stands for.
#[derive(Clone, Copy)]
struct Frame<'f> {
    value: &'f Value,
    up: Option<&'f Frame<'f>>,
}

/// How many steps an evaluation may take: lists within lists multiply them.
const MOST_STEPS: u32 = 2_000_000;

struct Scope<'a> {
    sight: Sight<'a>,
    steps: Cell<u32>,
    dependencies: RefCell<Dependencies>,
    trace: Option<&'a RefCell<Trace>>,
    /// The first failure to look at other entries, whatever became of it on its way out.
    unseen: RefCell<Option<WorldError>>,
}

impl<'a> Scope<'a> {
    fn new(sight: Sight<'a>, trace: Option<&'a RefCell<Trace>>) -> Self {
        Scope { sight, steps: Cell::new(0), dependencies: RefCell::default(), trace, unseen: RefCell::default() }
    }
}

impl Scope<'_> {
    /// The value of a whole program. Where other entries could not be looked at there is none, also
    /// where a function made something of the failure.
    fn whole(&self, root: &Node) -> Result<Value, EvalError> {
        let value = self.value(root, None).map(Cow::into_owned);
        match self.unseen.take() {
            Some(error) => Err(EvalError { span: root.span.clone(), message: error.to_string(), world: Some(error) }),
            None => value,
        }
    }

    /// Notes that other entries could not be looked at.
    fn unseen(&self, error: WorldError) -> String {
        let message = error.to_string();
        self.unseen.borrow_mut().get_or_insert(error);
        message
    }

    /// Takes steps of what an evaluation may take.
    fn spend(&self, steps: usize, span: &Span) -> Result<(), EvalError> {
        self.steps.set(self.steps.get().saturating_add(u32::try_from(steps).unwrap_or(u32::MAX)));
        if self.steps.get() > MOST_STEPS {
            return Err(failed(span)(format!("this takes more than {MOST_STEPS} steps")));
        }
        Ok(())
    }

    fn value<'v>(&'v self, node: &'v Node, frame: Option<&'v Frame<'v>>) -> Result<Cow<'v, Value>, EvalError> {
        self.spend(1, &node.span)?;
        let value = match &node.op {
            Op::Literal(value) => Cow::Borrowed(value),
            Op::List(items) => {
                let items = items.iter().map(|item| self.value(item, frame).map(Cow::into_owned));
                Cow::Owned(Value::List(items.collect::<Result<_, _>>()?))
            }
            Op::Record(members) => {
                let value =
                    |(name, node): &'v (String, Node)| Ok((name.clone(), self.value(node, frame)?.into_owned()));
                Cow::Owned(Value::Record(members.iter().map(value).collect::<Result<_, EvalError>>()?))
            }
            Op::Field(slot) => Cow::Borrowed(self.sight.subject.values.get(*slot).copied().unwrap_or(&Value::Null)),
            Op::State => Cow::Owned(self.sight.subject.state.word().into()),
            Op::Entry => Cow::Owned(self.about_entry()),
            Op::Now => Cow::Owned(Value::Text(self.sight.subject.now.to_string())),
            Op::Previous => Cow::Owned(self.sight.subject.previous.cloned().map_or(Value::Null, Value::Record)),
            Op::Local(up) => Cow::Borrowed(local(frame, *up)),
            Op::Member(base, name) => self.member(self.value(base, frame)?, name).map_err(failed(&node.span))?,
            Op::Item(base, place) => self.item(self.value(base, frame)?, *place).map_err(failed(&node.span))?,
            Op::Language(base, tag) => self.language(self.value(base, frame)?, tag),
            Op::Not(inner) => self.not(inner, frame)?,
            Op::Binary(left, operator, right) => self.binary((left, *operator, right), frame, &node.span)?,
            Op::If(condition, yes, no) => self.choice(condition, (yes, no), frame)?,
            Op::Let(value, body) => {
                let value = self.value(value, frame)?;
                let inner = Frame { value: &value, up: frame };
                Cow::Owned(self.value(body, Some(&inner))?.into_owned())
            }
            Op::Call(call) => self.call(call, frame, &node.span)?,
        };
        if let (Some(trace), None) = (self.trace, frame) {
            trace.borrow_mut().note(&node.span, &value);
        }
        Ok(value)
    }

    fn choice<'v>(
        &'v self,
        condition: &'v Node,
        (yes, no): (&'v Node, &'v Node),
        frame: Option<&'v Frame<'v>>,
    ) -> Result<Cow<'v, Value>, EvalError> {
        let holds = self.value(condition, frame)?;
        if !matches!(*holds, Value::Localised(_)) {
            let branch = if is_true(&holds).map_err(failed(&condition.span))? { yes } else { no };
            return self.value(branch, frame);
        }
        let (yes, no) = (self.value(yes, frame)?, self.value(no, frame)?);
        let chosen = lift(&[&holds, &yes, &no], &mut |plain| {
            is_true(plain[0]).map(|truth| if truth { plain[1].clone() } else { plain[2].clone() })
        });
        chosen.map(Cow::Owned).map_err(failed(&condition.span))
    }
}

fn local<'v>(frame: Option<&'v Frame<'v>>, up: usize) -> &'v Value {
    let mut frame = frame;
    for _ in 0..up {
        frame = frame.and_then(|inner| inner.up);
    }
    frame.map_or(&Value::Null, |frame| frame.value)
}

fn failed(span: &Span) -> impl Fn(String) -> EvalError + '_ {
    |message| EvalError::of_value(span.clone(), message)
}

#[cfg(test)]
pub(super) mod tests;
