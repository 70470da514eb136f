//! Outlines: trees of sections or menu items.

use diaporos_core::arrange::{Node, Part, file_parts, tree};
use diaporos_core::value::{Address, Value};
use diaporos_store::{Store, StoreError};
use jiff::Timestamp;

use super::{AllMade, Made, Wanted, record, those_wanted, value};
use crate::config::{Config, NodeEntries, OWN, OutlineConfig, OutlineSource};
use crate::look::{Glance, in_order};

/// The most bytes of a file of nodes.
const MOST_BYTES: u64 = 4 << 20;

/// The nodes of an outline by now, or everything that is wrong with it.
///
/// # Errors
/// Where the store fails.
pub fn outline_nodes(
    config: &Config,
    store: &Store,
    outline: &OutlineConfig,
    now: Timestamp,
) -> Result<Result<Vec<Node>, Vec<String>>, StoreError> {
    let parts = match &outline.from {
        OutlineSource::File(path) => match read(path) {
            Ok(parts) => parts,
            Err(problem) => return Ok(Err(vec![problem])),
        },
        OutlineSource::Entries(of) => {
            let mut problems = Vec::new();
            let parts = of_entries(config, store, of, now, &mut problems)?;
            if !problems.is_empty() {
                return Ok(Err(problems));
            }
            parts
        }
    };
    let nodes = match tree(parts) {
        Ok(nodes) => nodes,
        Err(faults) => return Ok(Err(faults.iter().map(ToString::to_string).collect())),
    };
    let Some(on) = &outline.on else { return Ok(Ok(nodes)) };
    let mut is_on_view = |address: &Address| match store.entry(address)? {
        Some(entry) => store.is_on_view_at(on, entry.number),
        None => Ok(false),
    };
    Node::without(nodes, &mut is_on_view).map(Ok)
}

fn read(path: &std::path::Path) -> Result<Vec<Part>, String> {
    let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let told = |error: &dyn std::fmt::Display| format!("{name}: {error}");
    let size = std::fs::metadata(path).map_err(|error| told(&error))?.len();
    if size > MOST_BYTES {
        return Err(format!("{name}: it has {size} bytes, and at most {MOST_BYTES} are read"));
    }
    let text = std::fs::read_to_string(path).map_err(|error| told(&error))?;
    file_parts(&text).map_err(|error| told(&error))
}

/// What is known of an entry that is a node, before it is known which keys there are.
struct Given {
    sort: Value,
    address: Address,
    key: String,
    parent: Value,
    label: Value,
}

fn of_entries(
    config: &Config,
    store: &Store,
    of: &NodeEntries,
    now: Timestamp,
    problems: &mut Vec<String>,
) -> Result<Vec<Part>, StoreError> {
    let glance = Glance { store, library: &config.library, now };
    let wanted = Wanted { of: &of.of, holds: of.holds.as_ref(), slots: &of.slots };
    let mut given: Vec<Given> = Vec::new();
    those_wanted(glance, &wanted, problems, |entry, problems| {
        let address = entry.row.address.clone();
        let mut of_entry = |expression: &diaporos_core::lane::FieldExpression| {
            value(&expression.program, &of.slots, &entry.row, glance, problems)
        };
        let key = match &of.key {
            Some(key) => of_entry(key)?.and_then(|key| key.scalar_text().map(std::borrow::Cow::into_owned)),
            None => Some(address.id.to_string()),
        };
        let sort = of.sort.as_ref().map(&mut of_entry).transpose()?.flatten().unwrap_or_default();
        let (parent, label) = (of_entry(&of.parent)?, of_entry(&of.label)?);
        match (key, parent, label) {
            (Some(key), Some(parent), Some(label)) if !key.is_empty() => {
                given.push(Given { sort, address, key, parent, label });
            }
            (None, ..) | (Some(_), Some(_), Some(_)) => problems.push(format!("{address}: it has no key")),
            _ => {}
        }
        Ok(())
    })?;
    given.sort_by(|a, b| in_order(&a.sort, &b.sort, false));
    let key_of =
        |address: &Address| given.iter().find(|other| other.address == *address).map(|other| other.key.clone());
    let part = |of: &Given| {
        let parent = match &of.parent {
            Value::Null => None,
            Value::Reference(parent) => Some(key_of(parent).unwrap_or_else(|| parent.to_string())),
            other => other.scalar_text().map(std::borrow::Cow::into_owned).filter(|key| !key.is_empty()),
        };
        Part { key: of.key.clone(), parent, label: of.label.clone(), entry: Some(of.address.clone()), url: None }
    };
    Ok(given.iter().map(part).collect())
}

/// Adds an outline's entries: the outline, and an entry for each node, parents first. One with a fault is left as it
/// was.
pub(super) fn add((name, outline): (&str, &OutlineConfig), nodes: Result<Vec<Node>, Vec<String>>, all: &mut AllMade) {
    let nodes = match nodes {
        Ok(nodes) => nodes,
        Err(problems) => {
            all.problems.extend(problems.into_iter().map(|problem| format!("outline {name}: {problem}")));
            all.left.insert(name.to_owned());
            return;
        }
    };
    let fields = record([
        ("name", Value::from(name)),
        ("title", outline.title.clone()),
        ("nodes", Value::List(nodes.iter().map(nested).collect())),
    ]);
    all.entries.push(Made { kind: "outline", id: name.to_owned(), fields });
    flat(name, &nodes, None, 1, &mut all.entries);
}

fn leads_to(node: &Node) -> (Value, Value) {
    let entry = node.part.entry.clone().map_or(Value::Null, Value::Reference);
    (entry, node.part.url.as_deref().map_or(Value::Null, Value::from))
}

fn nested(node: &Node) -> Value {
    let (entry, url) = leads_to(node);
    Value::Record(record([
        ("key", Value::from(node.part.key.as_str())),
        ("label", node.part.label.clone()),
        ("leads_to", entry),
        ("url", url),
        ("nodes", Value::List(node.nodes.iter().map(nested).collect())),
    ]))
}

fn flat(outline: &str, nodes: &[Node], parent: Option<&str>, depth: i64, made: &mut Vec<Made>) {
    let id = |key: &str| format!("{outline}/{key}");
    let reference = |key: &str| format!("{OWN}/node/{}", id(key)).parse().map_or(Value::Null, Value::Reference);
    for (place, node) in (1..).zip(nodes) {
        let (entry, url) = leads_to(node);
        let fields = record([
            ("outline", Value::from(outline)),
            ("key", Value::from(node.part.key.as_str())),
            ("label", node.part.label.clone()),
            ("parent", parent.map_or(Value::Null, reference)),
            ("place", Value::Integer(place)),
            ("depth", Value::Integer(depth)),
            ("leads_to", entry),
            ("url", url),
        ]);
        made.push(Made { kind: "node", id: id(&node.part.key), fields });
        flat(outline, &node.nodes, Some(&node.part.key), depth + 1, made);
    }
}
