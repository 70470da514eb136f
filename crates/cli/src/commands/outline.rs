//! `outline`.

use clap::{Args, Subcommand};
use diaporos_core::arrange::Node;
use diaporos_core::value::{Address, LanguageTag, Value};
use diaporos_hub::config::{Config, OutlineSource};
use diaporos_hub::own::outline_nodes;
use diaporos_store::Store;
use serde_json::json;

use super::unknown;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Summary, Tint, note, one_line};

/// Look at outlines: trees of sections or menu items.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos outline show\n  diaporos outline show menu\n\nAn outline is configured in `[outlines.NAME]`; a lane from `hub/outline` delivers it whole, one from `hub/node` node by node."
)]
pub(crate) struct OutlineCommand {
    #[command(subcommand)]
    what: What,
}

#[derive(Debug, Subcommand)]
enum What {
    Show(Show),
}

/// Draw an outline, with how each node stands; all outlines where none is named.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  diaporos outline show\n  diaporos outline show menu")]
struct Show {
    /// The outline.
    #[arg(value_name = "NAME")]
    name: Option<String>,
}

pub(crate) fn run(args: &OutlineCommand, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let What::Show(Show { name }) = &args.what;
    match name {
        None => all(&config, context),
        Some(name) => show(&config, name, context),
    }
}

const ALL: &[Column] = &[
    Column::text("outline", "outline"),
    Column::text("from", "from"),
    Column::number("nodes", "nodes"),
    Column::prose("fault", "what is wrong"),
];

fn all(config: &Config, context: &Context) -> Result<Exit, Failure> {
    let store = Context::store(config)?;
    let mut sheet = context.sheet(ALL);
    for (name, outline) in &config.outlines {
        let from = match &outline.from {
            OutlineSource::File(path) => path.file_name().unwrap_or_default().to_string_lossy().into_owned(),
            OutlineSource::Entries(of) => of.of.to_string(),
        };
        let (count, fault) = match outline_nodes(config, &store, outline, Context::now())? {
            Ok(nodes) => (Cell::count(size(&nodes) as u64), Cell::nothing()),
            Err(faults) => (Cell::nothing(), Cell::text(one_line(&faults.join("; "))).tint(Tint::Bad)),
        };
        sheet.row(vec![Cell::text(name.as_str()), Cell::text(from), count, fault]);
    }
    sheet.end("no outline is configured; `[outlines.NAME]` in diaporos.toml makes one")?;
    Ok(Exit::Done)
}

fn size(nodes: &[Node]) -> usize {
    nodes.iter().map(|node| 1 + size(&node.nodes)).sum()
}

const COLUMNS: &[Column] = &[
    Column::text("node", "node"),
    Column::text("key", "key"),
    Column::text("leads_to", "leads to"),
    Column::text("standings", "standings"),
];

fn show(config: &Config, name: &str, context: &Context) -> Result<Exit, Failure> {
    let outline = config.outlines.get(name);
    let outline = outline.ok_or_else(|| unknown("outline", name, config.outlines.keys().map(String::as_str)))?;
    let store = Context::store(config)?;
    let nodes = match outline_nodes(config, &store, outline, Context::now())? {
        Ok(nodes) => nodes,
        Err(faults) => {
            for fault in &faults {
                note(&format!("{name}: {}", one_line(fault)));
            }
            return Err(Failure::failed(format!("`{name}` cannot be drawn as it is"))
                .advise("mend what was said; till then it stands at its destinations as it was"));
        }
    };
    let language = config.library.fallback.first().or(config.library.languages.first());
    let mut drawing = Drawing { store: &store, name, language, rows: Vec::new() };
    drawing.add(&nodes, "")?;
    let rows = drawing.rows;
    let mut sheet = context.sheet(COLUMNS).within("nodes");
    let count = rows.len();
    rows.into_iter().for_each(|row| sheet.row(row));
    let counts = [("outline", json!(name)), ("count", json!(count))];
    let counts = counts.into_iter().map(|(name, value)| (name.to_owned(), value)).collect();
    let sentence = format!("`{name}` has {}", super::counted(count as u64, "node", "nodes"));
    sheet.end_with(Summary { counts, sentence })?;
    Ok(Exit::Done)
}

/// An outline as rows, with the lines of the tree before each label.
struct Drawing<'a> {
    store: &'a Store,
    name: &'a str,
    language: Option<&'a LanguageTag>,
    rows: Vec<Vec<Cell>>,
}

impl Drawing<'_> {
    fn add(&mut self, nodes: &[Node], before: &str) -> Result<(), Failure> {
        for (place, node) in nodes.iter().enumerate() {
            let is_last = place + 1 == nodes.len();
            let (own, under) = if is_last { ("└─ ", "   ") } else { ("├─ ", "│  ") };
            let label = label(&node.part.label, self.language).unwrap_or_else(|| node.part.key.clone());
            let leads = match (&node.part.entry, &node.part.url) {
                (Some(entry), _) => entry.to_string(),
                (None, Some(url)) => url.clone(),
                (None, None) => String::new(),
            };
            self.rows.push(vec![
                Cell::text(format!("{before}{own}{label}")),
                Cell::text(node.part.key.as_str()),
                Cell::text(leads),
                Cell::text(standings(self.store, self.name, node)?),
            ]);
            self.add(&node.nodes, &format!("{before}{under}"))?;
        }
        Ok(())
    }
}

/// A label in the hub's first language, or in the first that it has.
fn label(value: &Value, language: Option<&LanguageTag>) -> Option<String> {
    match value {
        Value::Localised(by_language) => {
            let own = language.and_then(|language| by_language.get(language));
            own.or_else(|| by_language.values().next()).and_then(|own| label(own, None))
        }
        other => other.scalar_text().map(std::borrow::Cow::into_owned),
    }
}

/// How a node stands as a row of its own, where a lane delivers nodes; else how the entry stands that it leads to.
fn standings(store: &Store, outline: &str, node: &Node) -> Result<String, Failure> {
    let own: Option<Address> = format!("hub/node/{outline}/{}", node.part.key).parse().ok();
    for address in own.iter().chain(&node.part.entry) {
        let known = store.standings(address)?;
        let told: Vec<String> =
            known.iter().map(|at| format!("{} {} {}", at.lane, at.standing.sign(), at.standing.word())).collect();
        if !told.is_empty() {
            return Ok(told.join(", "));
        }
    }
    Ok(String::new())
}
