//! Outlines: trees whose nodes lead to entries or addresses.

use std::collections::{BTreeMap, BTreeSet};

use serde::Deserialize;

use crate::value::{Address, LanguageTag, Localised, Value};

/// How deep an outline may be.
const DEEPEST: usize = 20;
/// How many nodes it may have.
const MOST: usize = 20_000;

/// A node as it is given: by itself, with what its parent is called. Nodes of one parent stand in their order.
#[derive(Debug, Clone, PartialEq)]
pub struct Part {
    /// What it is known by within its outline.
    pub key: String,
    /// The key of its parent; none at the top.
    pub parent: Option<String>,
    /// What it is called.
    pub label: Value,
    /// The entry that it leads to.
    pub entry: Option<Address>,
    /// The address that it leads to.
    pub url: Option<String>,
}

/// A node with those under it.
#[derive(Debug, Clone, PartialEq)]
pub struct Node {
    /// The node itself.
    pub part: Part,
    /// Those under it, in order.
    pub nodes: Vec<Node>,
}

/// Why nodes make no outline.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum OutlineFault {
    /// Nodes are each other's parents.
    #[error("a circle: {} and back to it", .0.iter().map(|key| format!("`{key}`")).collect::<Vec<_>>().join(" is under "))]
    Circle(Vec<String>),
    /// A parent is not there.
    #[error("`{key}` is under `{parent}`, which is not there")]
    Orphan {
        /// The node.
        key: String,
        /// The parent that it names.
        parent: String,
    },
    /// Two nodes have one key.
    #[error("two nodes have the key `{0}`")]
    Twice(String),
    /// It is too deep, or has too many nodes.
    #[error("an outline has at most {MOST} nodes, {DEEPEST} deep")]
    TooLarge,
    /// A file is not as it should be.
    #[error("{0}")]
    File(String),
}

/// Puts nodes together.
///
/// # Errors
/// Everything that is wrong with them.
pub fn tree(parts: Vec<Part>) -> Result<Vec<Node>, Vec<OutlineFault>> {
    let mut faults = Vec::new();
    if parts.len() > MOST {
        return Err(vec![OutlineFault::TooLarge]);
    }
    let mut parents: BTreeMap<&str, Option<&str>> = BTreeMap::new();
    for part in &parts {
        if parents.insert(&part.key, part.parent.as_deref()).is_some() {
            faults.push(OutlineFault::Twice(part.key.clone()));
        }
    }
    for (key, parent) in &parents {
        if let Some(parent) = parent.filter(|parent| !parents.contains_key(*parent)) {
            faults.push(OutlineFault::Orphan { key: (*key).to_owned(), parent: parent.to_owned() });
        }
    }
    faults.extend(circles(&parents));
    if !faults.is_empty() {
        return Err(faults);
    }
    let mut under: BTreeMap<Option<String>, Vec<Part>> = BTreeMap::new();
    for part in parts {
        under.entry(part.parent.clone()).or_default().push(part);
    }
    grown(None, &mut under, 0).map_err(|fault| vec![fault])
}

fn grown(
    parent: Option<String>,
    under: &mut BTreeMap<Option<String>, Vec<Part>>,
    depth: usize,
) -> Result<Vec<Node>, OutlineFault> {
    let own = under.remove(&parent).unwrap_or_default();
    if depth >= DEEPEST && !own.is_empty() {
        return Err(OutlineFault::TooLarge);
    }
    let node = |part: Part| Ok(Node { nodes: grown(Some(part.key.clone()), under, depth + 1)?, part });
    own.into_iter().map(node).collect()
}

/// Each circle once, from its smallest key on.
fn circles(parents: &BTreeMap<&str, Option<&str>>) -> Vec<OutlineFault> {
    let mut found: BTreeSet<Vec<String>> = BTreeSet::new();
    let mut settled: BTreeSet<&str> = BTreeSet::new();
    for start in parents.keys() {
        let mut way: Vec<&str> = Vec::new();
        let mut at = Some(*start);
        while let Some(key) = at.filter(|key| !settled.contains(key)) {
            if let Some(place) = way.iter().position(|known| *known == key) {
                let mut circle: Vec<String> = way[place..].iter().map(|key| (*key).to_owned()).collect();
                let least = circle.iter().enumerate().min_by(|(_, a), (_, b)| a.cmp(b)).map_or(0, |(at, _)| at);
                circle.rotate_left(least);
                found.insert(circle);
                break;
            }
            way.push(key);
            at = parents.get(key).copied().flatten();
        }
        settled.extend(way);
    }
    found.into_iter().map(OutlineFault::Circle).collect()
}

/// A node as a file has it.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Written {
    key: String,
    #[serde(default)]
    label: Label,
    entry: Option<String>,
    url: Option<String>,
    #[serde(default)]
    nodes: Vec<Written>,
}

#[derive(Debug, Deserialize, Default)]
#[serde(untagged)]
enum Label {
    #[default]
    Nothing,
    One(String),
    Each(BTreeMap<String, String>),
}

/// The file of an outline.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Outline {
    #[serde(default)]
    nodes: Vec<Written>,
}

/// The nodes of a file (TOML).
///
/// # Errors
/// Where it is not one, or a node says two things at once.
pub fn file_parts(text: &str) -> Result<Vec<Part>, OutlineFault> {
    let read: Outline = toml::from_str(text).map_err(|error| OutlineFault::File(error.to_string()))?;
    let mut parts = Vec::new();
    flatten(read.nodes, None, 0, &mut parts)?;
    Ok(parts)
}

fn flatten(nodes: Vec<Written>, parent: Option<&str>, depth: usize, parts: &mut Vec<Part>) -> Result<(), OutlineFault> {
    for Written { key, label, entry, url, nodes } in nodes {
        if depth >= DEEPEST || parts.len() >= MOST {
            return Err(OutlineFault::TooLarge);
        }
        if key.is_empty() {
            return Err(OutlineFault::File("a node has an empty `key`".to_owned()));
        }
        if entry.is_some() && url.is_some() {
            return Err(OutlineFault::File(format!("`{key}` leads to an entry and to an address; say one")));
        }
        let wrong = |text: &str, why: String| OutlineFault::File(format!("`{key}`: `{text}`: {why}"));
        let address = |text: String| text.parse::<Address>().map_err(|error| wrong(&text, error.to_string()));
        let entry = entry.map(address).transpose()?;
        let label = match label {
            Label::Nothing => Value::Null,
            Label::One(text) => Value::Text(text),
            Label::Each(texts) => {
                let mut label = Localised::new();
                for (tag, text) in texts {
                    let tag = tag.parse::<LanguageTag>().map_err(|error| wrong(&tag, error.to_string()))?;
                    label.insert(tag, Value::Text(text));
                }
                Value::Localised(label)
            }
        };
        parts.push(Part { key: key.clone(), parent: parent.map(str::to_owned), label, entry, url });
        flatten(nodes, Some(&key), depth + 1, parts)?;
    }
    Ok(())
}

impl Node {
    /// Takes out the nodes that lead to an entry of which `keeps` is false. One with others under it stays, and leads
    /// nowhere.
    ///
    /// # Errors
    /// The first of `keeps`.
    pub fn without<E>(nodes: Vec<Node>, keeps: &mut dyn FnMut(&Address) -> Result<bool, E>) -> Result<Vec<Node>, E> {
        let mut kept = Vec::new();
        for mut node in nodes {
            node.nodes = Node::without(node.nodes, keeps)?;
            let leads = match &node.part.entry {
                Some(entry) => keeps(entry)?,
                None => true,
            };
            if !leads && node.nodes.is_empty() {
                continue;
            }
            if !leads {
                node.part.entry = None;
            }
            kept.push(node);
        }
        Ok(kept)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn part(key: &str, parent: &str) -> Part {
        let parent = (!parent.is_empty()).then(|| parent.to_owned());
        Part { key: key.to_owned(), parent, label: Value::Null, entry: None, url: None }
    }

    fn told(pairs: &[(&str, &str)]) -> String {
        fn drawn(nodes: &[Node]) -> String {
            let one = |node: &Node| match node.nodes.as_slice() {
                [] => node.part.key.clone(),
                under => format!("{}({})", node.part.key, drawn(under)),
            };
            nodes.iter().map(one).collect::<Vec<_>>().join(" ")
        }
        match tree(pairs.iter().map(|(key, parent)| part(key, parent)).collect()) {
            Ok(nodes) => drawn(&nodes),
            Err(faults) => faults.iter().map(ToString::to_string).collect::<Vec<_>>().join("; "),
        }
    }

    #[test]
    fn nodes_grow_in_their_order_and_what_is_wrong_is_named() {
        for (pairs, expected) in [
            (&[("c", "a"), ("a", ""), ("b", "a"), ("d", "")][..], "a(c b) d"),
            (
                &[("a", "b"), ("b", "c"), ("c", "a"), ("d", "a")],
                "a circle: `a` is under `b` is under `c` and back to it",
            ),
            (&[("a", "a")], "a circle: `a` and back to it"),
            (&[("a", ""), ("b", "x")], "`b` is under `x`, which is not there"),
            (&[("a", ""), ("a", "")], "two nodes have the key `a`"),
            (&[], ""),
        ] {
            assert_eq!(told(pairs), expected, "{pairs:?}");
        }
    }

    #[test]
    fn a_file_is_read_or_says_what_is_wrong() {
        let text = "[[nodes]]\nkey = 'visit'\nlabel = { en = 'Visit', fr = 'Visiter' }\n[[nodes.nodes]]\nkey = 'trail'\nentry = 'catalogue/trail/t-1'\n[[nodes]]\nkey = 'shop'\nlabel = 'Shop'\nurl = '/shop'\n";
        let parts = file_parts(text).unwrap();
        let shown: Vec<(&str, Option<&str>)> =
            parts.iter().map(|part| (part.key.as_str(), part.parent.as_deref())).collect();
        assert_eq!(shown, [("visit", None), ("trail", Some("visit")), ("shop", None)]);
        for (text, says) in [
            ("[[nodes]]\nlabel = 'x'", "key"),
            ("[[nodes]]\nkey = 'x'\nlink = '/'", "link"),
            ("[[nodes]]\nkey = 'x'\nentry = 'nowhere'", "nowhere"),
            ("[[nodes]]\nkey = 'x'\nentry = 'a/b/c'\nurl = '/'", "say one"),
            ("nodes = 3", "nodes"),
        ] {
            let fault = file_parts(text).unwrap_err().to_string();
            assert!(fault.contains(says), "{text}: {fault}");
        }
    }

    #[test]
    fn what_is_not_on_view_is_taken_out_and_what_has_others_under_it_stays() {
        let mut parts = vec![part("a", ""), part("b", "a"), part("c", "")];
        for part in &mut parts {
            part.entry = Some(format!("s/t/{}", part.key).parse().unwrap());
        }
        let nodes = tree(parts).unwrap();
        let kept = Node::without::<()>(nodes, &mut |entry| Ok(entry.id.as_str() == "b")).unwrap();
        assert_eq!((kept.len(), kept[0].part.entry.is_none(), kept[0].nodes.len()), (1, true, 1));
    }

    proptest! {
        /// Whatever parents nodes name, they end as a tree with each of them once, or something is named.
        #[test]
        fn every_node_is_there_once_or_a_fault_is(pairs in proptest::collection::vec((0..8_u8, proptest::option::of(0..9_u8)), 0..10)) {
            let parts: Vec<Part> = pairs.iter().map(|(key, parent)| part(&key.to_string(), &parent.map_or(String::new(), |parent| parent.to_string()))).collect();
            let count = parts.len();
            fn size(nodes: &[Node]) -> usize {
                nodes.iter().map(|node| 1 + size(&node.nodes)).sum()
            }
            match tree(parts) {
                Ok(nodes) => prop_assert_eq!(size(&nodes), count),
                Err(faults) => prop_assert!(!faults.is_empty()),
            }
        }
    }
}
