//! Refs: who refers to whom.

use std::collections::BTreeSet;

use diaporos_core::value::{Address, State, Value};
use diaporos_store::{Store, StoreError};

/// Which way references are followed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Way {
    /// To what an entry refers to.
    Forth,
    /// To what refers to an entry.
    Back,
}

/// An entry in the tree of references.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RefRow {
    /// The entry.
    pub address: Address,
    /// How far from the first it is.
    pub depth: usize,
    /// The field that leads from the one before; empty for the first, and backwards.
    pub field: String,
    /// What became of following it.
    pub end: RefEnd,
    /// Whether it is the last below the one before it.
    pub last: bool,
}

/// What became of following a reference.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RefEnd {
    /// It leads to an entry in this state.
    Entry(State),
    /// It leads nowhere: no such entry was taken in.
    Dead,
    /// It leads back to an entry above it.
    Circle(State),
    /// Its own references stand elsewhere in the tree.
    Again(State),
}

/// Walks references from an entry, to a depth. Each entry's own references are told once.
///
/// # Errors
/// Where the store fails.
pub fn refs(store: &Store, from: &Address, way: Way, depth: usize) -> Result<Vec<RefRow>, StoreError> {
    let mut walk = Walk { store, way, depth, above: Vec::new(), told: BTreeSet::new(), rows: Vec::new() };
    walk.visit(from, String::new(), true)?;
    Ok(walk.rows)
}

struct Walk<'a> {
    store: &'a Store,
    way: Way,
    depth: usize,
    above: Vec<Address>,
    told: BTreeSet<Address>,
    rows: Vec<RefRow>,
}

impl Walk<'_> {
    fn visit(&mut self, address: &Address, field: String, last: bool) -> Result<(), StoreError> {
        let entry = self.store.entry(address)?.filter(|entry| entry.row.state != State::Gone);
        let end = match &entry {
            None => RefEnd::Dead,
            Some(entry) if self.above.contains(address) => RefEnd::Circle(entry.row.state),
            Some(entry) if self.told.contains(address) => RefEnd::Again(entry.row.state),
            Some(entry) => RefEnd::Entry(entry.row.state),
        };
        let depth = self.above.len();
        self.rows.push(RefRow { address: address.clone(), depth, field, end, last });
        let (Some(entry), RefEnd::Entry(_)) = (entry, end) else { return Ok(()) };
        if depth >= self.depth {
            return Ok(());
        }
        self.told.insert(address.clone());
        self.above.push(address.clone());
        let next: Vec<(String, Address)> = match self.way {
            Way::Forth => {
                let mut found = Vec::new();
                entry.row.fields.iter().for_each(|(name, value)| gather(name, value, &mut found));
                found
            }
            Way::Back => self.store.referring_to(address)?.into_iter().map(|from| (String::new(), from)).collect(),
        };
        let count = next.len();
        for (place, (field, target)) in next.into_iter().enumerate() {
            self.visit(&target, field, place + 1 == count)?;
        }
        self.above.pop();
        Ok(())
    }
}

fn gather(path: &str, value: &Value, found: &mut Vec<(String, Address)>) {
    match value {
        Value::Reference(address) => found.push((path.to_owned(), address.clone())),
        Value::List(items) => items.iter().for_each(|item| gather(path, item, found)),
        Value::Record(fields) => {
            fields.iter().for_each(|(name, inner)| gather(&format!("{path}.{name}"), inner, found));
        }
        Value::Localised(by_language) => {
            by_language.iter().for_each(|(tag, inner)| gather(&format!("{path}@{tag}"), inner, found));
        }
        _ => {}
    }
}
