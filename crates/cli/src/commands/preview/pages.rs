//! An entry as pages: in a file, or in a browser that follows what is changed.

use std::path::Path;
use std::sync::Arc;

use diaporos_core::value::Address;
use diaporos_hub::Connector;
use diaporos_hub::batch::Returns;
use diaporos_hub::config::{Config, ConfiguredLane};
use diaporos_hub::look::title;
use diaporos_hub::page::{DocumentPage, EntryPages, Showing, entry_list, lane_pages, output_pages, side_by_side};
use diaporos_hub::page_server::{folder_mark, serve_pages};
use diaporos_hub::preview::held_there;
use diaporos_hub::push::EntryPlan;
use diaporos_store::Store;
use diaporos_systems::Write;

use super::{first, one};
use crate::commands::lane;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::interrupt::Interrupt;
use crate::output::note;

/// What pages are made of.
pub(super) struct Pages<'a> {
    pub(super) config: &'a Config,
    pub(super) store: &'a Store,
    pub(super) lane: &'a ConfiguredLane,
    pub(super) writer: &'a dyn Write,
    /// Whether what is on view now stands beside.
    pub(super) against: bool,
}

impl Pages<'_> {
    /// A plan as a page: by the templates of the output that shows its documents, or by its lane's.
    pub(super) async fn drawn(&self, plan: &EntryPlan, follows: Option<String>) -> Result<String, Failure> {
        let shown = self.documents(plan).await?;
        let hold = plan.hold.as_ref().map(|hold| hold.message.clone());
        let pages =
            EntryPages { address: plan.address.to_string(), to: self.lane.lane.to.to_string(), hold, shown, follows };
        side_by_side(&pages).map_err(|error| Failure::failed(error.to_string()))
    }

    async fn documents(&self, plan: &EntryPlan) -> Result<Vec<DocumentPage>, Failure> {
        let Pages { config, store, lane, writer, against } = *self;
        let to = &lane.lane.to;
        let of = config.outputs.values().find(|output| output.of == to.system && output.pages.contains_key(&to.kind));
        if let Some(output) = of {
            let showing = Showing { lane, writer, output, against };
            let done = output_pages(config, store, showing, plan, Context::now()).await;
            return done.map_err(|error| Failure::failed(error.to_string()));
        }
        let mut held = Vec::new();
        if against {
            held.extend(held_there(plan, lane, writer).await?.into_iter().map(|(_, existing)| existing));
        }
        lane_pages(&config.folder, lane, plan, &held).map_err(|error| Failure::failed(error.to_string()))
    }
}

/// What is asked to be looked at.
#[derive(Clone)]
pub(super) struct Asked {
    /// The lane.
    pub(super) lane: String,
    /// The entry; the lane's first entries are listed without it.
    pub(super) address: Option<Address>,
    /// How many are listed.
    pub(super) most: usize,
    /// Whether what is on view now stands beside.
    pub(super) against: bool,
}

/// Shows pages in a browser on this machine until Ctrl-C. Each is drawn anew when it is asked for, from the
/// configuration and the templates as they are then.
pub(super) async fn serve(asked: Asked, port: u16, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    // What is not there is told now, and not to a browser.
    if let Some(address) = &asked.address {
        one(&Context::store(&config)?, lane(&config, &asked.lane)?, address, &Returns::default())?;
    }
    let outputs: Vec<std::path::PathBuf> = config.outputs.values().map(|output| output.folder.clone()).collect();
    let (folder, hub) = (config.folder.clone(), context.clone());
    let mark = Arc::new(move || {
        let without: Vec<&Path> = outputs.iter().map(std::path::PathBuf::as_path).collect();
        folder_mark(&folder, &without)
    });
    let marked = Arc::clone(&mark);
    let runtime = tokio::runtime::Handle::current();
    let draw = Arc::new(move |address: Option<Address>| {
        let follows = marked();
        let mut asked = asked.clone();
        asked.address = address.or(asked.address);
        let drawn = runtime.block_on(draw(&hub, &asked, follows));
        drawn.map_err(|failure| failure.in_a_line())
    });
    let interrupt = Interrupt::listen();
    let end = async move {
        while !interrupt.is_asked() {
            tokio::time::sleep(std::time::Duration::from_millis(100)).await;
        }
    };
    let begun = |at: std::net::SocketAddr| note(&format!("looking at it: http://{at}/  (Ctrl-C ends it)"));
    serve_pages(port, (draw, mark), begun, end).await?;
    Ok(Exit::Done)
}

async fn draw(context: &Context, asked: &Asked, follows: String) -> Result<String, Failure> {
    let config = context.config()?;
    let lane = lane(&config, &asked.lane)?;
    let store = Context::store(&config)?;
    let connector = Connector::new(&config, &Context::variable);
    let writer = connector.writer(&lane.lane.to.system)?;
    let Some(address) = &asked.address else { return list(&store, lane, asked.most) };
    let plan = one(&store, lane, address, &Returns::default())?;
    let pages = Pages { config: &config, store: &store, lane, writer: writer.as_ref(), against: asked.against };
    pages.drawn(&plan, Some(follows)).await
}

/// The entries that can be looked at.
fn list(store: &Store, lane: &ConfiguredLane, most: usize) -> Result<String, Failure> {
    let mut entries = Vec::new();
    for plan in first(store, lane, most)? {
        let known = store.entry(&plan.address)?;
        let named = known.as_ref().and_then(|entry| title(&entry.row.fields)).unwrap_or_default();
        entries.push((plan.address.to_string(), named.to_owned()));
    }
    entry_list(lane.lane.name.as_str(), &entries).map_err(|error| Failure::failed(error.to_string()))
}
