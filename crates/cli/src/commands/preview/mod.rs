//! `preview`.

mod against;
mod drawn;
mod pages;
mod pictures;
mod requests;
mod steps;

use std::collections::BTreeSet;
use std::io::{BufRead, BufReader, Write};
use std::path::PathBuf;

use clap::Args;
use diaporos_core::plan::DocumentPlan;
use diaporos_core::value::{Address, LanguageTag};
use diaporos_hub::Connector;
use diaporos_hub::batch::Returns;
use diaporos_hub::config::{Config, ConfiguredLane};
use diaporos_hub::given::given;
use diaporos_hub::look::{EntryQuery, Glance, entries};
use diaporos_hub::preview::{preview, preview_with};
use diaporos_hub::push::EntryPlan;
use diaporos_hub::stream::stream;
use diaporos_store::Store;

use super::{address, counted, lane, no_entry};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Format, note, one_line, out};

/// Show what entries become on a lane, field by field, without sending anything.
///
/// Nothing is asked of the destination, but with `--against`: what was never delivered is shown as
/// it would be created.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos preview profiles catalogue/plant-profile/p-001\n  diaporos preview profiles catalogue/plant-profile/p-001 --steps\n  diaporos preview profiles catalogue/plant-profile/p-001 --against\n  diaporos preview profiles catalogue/plant-profile/p-001 --as-curl\n  diaporos preview profiles catalogue/plant-profile/p-001 --html look.html\n  diaporos preview profiles --html look.html --against\n  diaporos preview profiles --serve\n  diaporos preview profiles catalogue/plant-profile/p-005 --returned plants-1 --html look.html\n  diaporos preview profiles --pictures look.html --most 20\n  diaporos preview profiles --from plants.jsonl > pages.jsonl"
)]
pub(crate) struct Preview {
    /// The lane.
    #[arg(value_name = "LANE")]
    lane: String,
    /// The entry, as `system/type/id`; the first that go on the lane where none is given.
    #[arg(value_name = "ADDRESS")]
    address: Option<String>,
    /// Print the very requests that a push would send, secrets as variables.
    #[arg(long, group = "manner")]
    as_curl: bool,
    /// Print the value after every step of every field.
    #[arg(long, group = "manner")]
    steps: bool,
    /// Ask the destination what it holds now, and print what differs, word by word; with `--html` or `--serve`, show
    /// what is on view now beside it.
    #[arg(long, conflicts_with_all = ["as_curl", "steps", "pictures", "from"])]
    against: bool,
    /// Write a page that shows the entry at three widths: by the template of the output that shows it, or the lane's
    /// `template`.
    #[arg(long, value_name = "FILE", group = "manner")]
    html: Option<PathBuf>,
    /// Write a page that shows every rendition of the entries' pictures, as they would be delivered.
    #[arg(long, value_name = "FILE", group = "manner")]
    pictures: Option<PathBuf>,
    /// Map the entries of a file of JSON Lines (`-`: standard input), without the store or any
    /// system, and print a line for each document.
    #[arg(long, value_name = "FILE", group = "manner", conflicts_with = "address")]
    from: Option<PathBuf>,
    /// Show the entry, or the first that go on the lane, in a browser on this machine, and follow changes of templates
    /// and lanes till Ctrl-C.
    #[arg(long, group = "manner")]
    serve: bool,
    /// Show the entry with what came back of it in this batch, whether anybody has accepted that or not.
    #[arg(long, value_name = "BATCH", requires = "address", conflicts_with_all = ["serve", "steps", "pictures", "from"])]
    returned: Option<String>,
    /// The port for `--serve`; a free one where not given.
    #[arg(long, value_name = "PORT", default_value_t = 0, requires = "serve")]
    port: u16,
    /// How many entries, where no address is given.
    #[arg(long, value_name = "N", default_value_t = 3)]
    most: usize,
}

pub(crate) async fn run(args: &Preview, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let lane = lane(&config, &args.lane)?;
    if let Some(from) = &args.from {
        return map_lines(lane, from);
    }
    if args.serve {
        let address = args.address.as_deref().map(address).transpose()?;
        let (lane, most, against) = (args.lane.clone(), args.most.max(50), args.against);
        return pages::serve(pages::Asked { lane, address, most, against }, args.port, context).await;
    }
    let store = Context::store(&config)?;
    let plans = match &args.address {
        Some(text) => vec![one(&store, lane, &address(text)?, &returns(args, &config, &store)?)?],
        None => first(&store, lane, args.most)?,
    };
    let connector = Connector::new(&config, &Context::variable);
    let to = &lane.lane.to.system;
    if let Some(file) = &args.pictures {
        let addresses: Vec<Address> = plans.iter().map(|plan| plan.address.clone()).collect();
        return pictures::write(file, lane, (&store, connector.writer(to)?.as_ref()), &addresses).await;
    }
    tell_of_services(&config, &store, (lane, &plans))?;
    if args.as_curl {
        requests::show(&plans, lane, connector.writer(to)?.as_ref(), context)?;
    } else if args.against && args.html.is_none() {
        against::show(&plans, lane, connector.writer(to)?.as_ref(), context).await?;
    } else if args.steps {
        steps::show(&plans, (&config, lane), &store, context)?;
    } else if let Some(file) = &args.html {
        let Some(plan) = plans.first() else {
            return Err(Failure::failed(format!("no entry goes on `{}`", lane.lane.name)));
        };
        let writer = connector.writer(to)?;
        let of = pages::Pages { config: &config, store: &store, lane, writer: writer.as_ref(), against: args.against };
        let made = of.drawn(plan, None).await?;
        std::fs::write(file, made).map_err(|error| Failure::failed(format!("{}: {error}", file.display())))?;
        writeln!(out(), "{} as a page: {}", plan.address, file.display())?;
    } else if context.format == Format::Table {
        drawn::draw(&plans, lane)?;
    } else {
        let mut sheet = context.sheet(drawn::FIELDS);
        plans.iter().for_each(|plan| drawn::rows(plan, &mut sheet));
        sheet.end("")?;
    }
    let held = plans.iter().any(|plan| plan.hold.is_some());
    Ok(if held { Exit::Partly } else { Exit::Done })
}

/// Says which fields are not what they will be, since their services were not asked yet.
fn tell_of_services(
    config: &Config,
    store: &Store,
    (lane, plans): (&ConfiguredLane, &[EntryPlan]),
) -> Result<(), Failure> {
    if lane.services.is_empty() {
        return Ok(());
    }
    for plan in plans.iter().filter(|plan| plan.goes) {
        let Some(entry) = store.entry(&plan.address)? else { continue };
        let given = given(config, store, &entry.row)?;
        let is_read = |name: &str| lane.services.iter().any(|service| service.name == name);
        let open = given.iter().filter(|given| given.end == Ok(None) && is_read(&given.service));
        let open: BTreeSet<&str> = open.map(|given| given.service.as_str()).collect();
        for service in open {
            note(&format!("{}: `{service}` was not asked about it yet; a push asks it first", plan.address));
        }
    }
    Ok(())
}

/// Maps lines and tells what is wrong with them.
fn map_lines(lane: &ConfiguredLane, from: &std::path::Path) -> Result<Exit, Failure> {
    let mut input: Box<dyn BufRead + Send> = if from.as_os_str() == "-" {
        Box::new(BufReader::with_capacity(1 << 18, std::io::stdin()))
    } else {
        let file = std::fs::File::open(from);
        let file = file.map_err(|error| Failure::failed(format!("{}: {error}", from.display())))?;
        Box::new(BufReader::with_capacity(1 << 18, file))
    };
    let mut out = out();
    let mut told = |line: u64, message: &str| note(&format!("line {line}: {}", one_line(message)));
    let tally = stream(lane, &mut input, &mut out, Context::now(), &mut told)?;
    out.flush()?;
    if tally.faulty == 0 && tally.outside == 0 {
        return Ok(Exit::Done);
    }
    let (lines, faulty) = (counted(tally.lines, "line", "lines"), tally.faulty);
    let (documents, outside) = (counted(tally.documents, "document", "documents"), tally.outside);
    note(&format!("{lines} read: {documents} written, {outside} do not go, {faulty} with faults"));
    Ok(if faulty == 0 { Exit::Done } else { Exit::Partly })
}

fn one(store: &Store, lane: &ConfiguredLane, address: &Address, returns: &Returns) -> Result<EntryPlan, Failure> {
    let from = &lane.lane.from;
    if (&from.system, &from.kind) != (&address.system, &address.kind) {
        return Err(Failure::wrong(format!(
            "the lane `{}` takes entries of `{from}`, not `{address}`",
            lane.lane.name
        )));
    }
    match preview_with(store, lane, address, Context::now(), &|fields| returns.put_into(fields))? {
        Some(plan) => Ok(plan),
        None => Err(no_entry(store, address)?),
    }
}

/// The first entries that go on the lane.
fn first(store: &Store, lane: &ConfiguredLane, most: usize) -> Result<Vec<EntryPlan>, Failure> {
    let from = &lane.lane.from;
    let query = EntryQuery {
        system: Some(from.system.to_string()),
        kind: Some(from.kind.to_string()),
        ..EntryQuery::default()
    };
    let now = Context::now();
    let mut plans = Vec::new();
    let glance = Glance { store, library: &lane.lane.library, now };
    entries(glance, &query, |row| -> Result<(), Failure> {
        if plans.len() < most
            && let Some(plan) = preview(store, lane, &row.address, now)?
            && plan.goes
        {
            plans.push(plan);
        }
        Ok(())
    })?;
    Ok(plans)
}

/// What came back of the entry in the batch that is named; nothing where none is.
fn returns(args: &Preview, config: &Config, store: &Store) -> Result<Returns, Failure> {
    let (Some(batch), Some(text)) = (&args.returned, &args.address) else { return Ok(Returns::default()) };
    let (found, brief) = super::batch::batch(config, store, batch)?;
    let address = address(text)?;
    let returns = Returns::of(store, brief, &found, &address)?;
    if returns.is_empty() {
        note(&format!("nothing of {address} has come back in `{batch}`: it is shown as it is"));
    }
    Ok(returns)
}

fn language(document: &DocumentPlan) -> String {
    document.language.as_ref().map_or(String::new(), LanguageTag::to_string)
}
