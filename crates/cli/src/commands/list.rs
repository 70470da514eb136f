//! `list`.

use clap::{Args, Subcommand};
use diaporos_core::value::Address;
use diaporos_hub::config::{Config, ListConfig};
use diaporos_hub::look::title;
use diaporos_hub::own::{list_places, make_own};
use diaporos_store::{Pin, Store};
use serde_json::json;

use super::moments::moment_to_come;
use super::{address, counted, no_entry, unknown};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Summary, Tint, note, one_line};

/// Look at ordered lists of entries, and say what a person says of them.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos list show\n  diaporos list show front-page\n  diaporos list pin front-page catalogue/plant-profile/p-002 --at 1 --until 2030-03-01T09:00\n  diaporos list add picks catalogue/plant-profile/p-001\n\nA list is configured in `[lists.NAME]`, and a lane from `hub/list` delivers it."
)]
pub(crate) struct ListCommand {
    #[command(subcommand)]
    what: What,
}

#[derive(Debug, Subcommand)]
enum What {
    Show(Show),
    Pin(PinArgs),
    Unpin(Entry),
    Add(Add),
    Move(Placed),
    Drop(Entries),
}

/// Show who stands at which place, and what is pinned; all lists where none is named.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  diaporos list show\n  diaporos list show front-page")]
struct Show {
    /// The list.
    #[arg(value_name = "NAME")]
    name: Option<String>,
}

/// Put an entry at a place of its own in a list that fills itself.
#[derive(Debug, Args)]
#[command(
    after_help = "Example:\n  diaporos list pin front-page catalogue/plant-profile/p-002 --at 1 --until 2030-03-01T09:00 --zone Europe/London"
)]
struct PinArgs {
    #[command(flatten)]
    placed: Placed,
    /// Till then.
    #[arg(long, value_name = "WHEN")]
    until: Option<String>,
    /// The time zone (IANA) of `--until`; this machine's where not given.
    #[arg(long, value_name = "ZONE", requires = "until")]
    zone: Option<String>,
}

/// Let an entry have no place of its own any more.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  diaporos list unpin front-page catalogue/plant-profile/p-002")]
struct Entry {
    /// The list.
    #[arg(value_name = "NAME")]
    name: String,
    /// The entry, as `system/type/id`.
    #[arg(value_name = "ADDRESS")]
    address: String,
}

/// Add entries to a list that is put together by hand, at its end or at a place.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  diaporos list add picks catalogue/plant-profile/p-001 --at 1")]
struct Add {
    #[command(flatten)]
    entries: Entries,
    /// At this place, from 1; at the end where not given.
    #[arg(long, value_name = "PLACE", value_parser = clap::value_parser!(u64).range(1..))]
    at: Option<u64>,
}

/// Move an entry of a list that is put together by hand to another place.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  diaporos list move picks catalogue/plant-profile/p-001 --at 1")]
struct Placed {
    #[command(flatten)]
    entry: Entry,
    /// The place, from 1.
    #[arg(long, value_name = "PLACE", value_parser = clap::value_parser!(u64).range(1..))]
    at: u64,
}

/// Take entries out of a list that is put together by hand.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  diaporos list drop picks catalogue/plant-profile/p-001")]
struct Entries {
    /// The list.
    #[arg(value_name = "NAME")]
    name: String,
    /// The entries, as `system/type/id`.
    #[arg(value_name = "ADDRESS", required = true)]
    addresses: Vec<String>,
}

pub(crate) fn run(args: &ListCommand, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    match &args.what {
        What::Show(Show { name: None }) => all(&config, context),
        What::Show(Show { name: Some(name) }) => show(&config, name, context),
        What::Pin(args) => {
            let until = args.until.as_deref().map(|text| moment_to_come(text, args.zone.as_deref(), context));
            let until = until.transpose()?;
            let Placed { entry, at } = &args.placed;
            change(&config, &entry.name, Fill::ByItself, |store, pins| {
                let pin = pin(store, &entry.address, *at)?;
                pins.retain(|known| known.entry != pin.entry);
                pins.push(Pin { until, ..pin });
                Ok(format!("{} stands at place {at} of `{}`", entry.address, entry.name))
            })
        }
        What::Unpin(Entry { name, address: text }) => change(&config, name, Fill::ByItself, |_, pins| {
            take_out(pins, text)?;
            Ok(format!("{text} has no place of its own in `{name}` any more"))
        }),
        What::Add(Add { entries, at }) => change(&config, &entries.name, Fill::ByHand, |store, pins| {
            let mut place = at.map_or(pins.len() + 1, |at| usize::try_from(at).unwrap_or(usize::MAX)) - 1;
            for text in &entries.addresses {
                let new = pin(store, text, 0)?;
                pins.retain(|known| known.entry != new.entry);
                place = place.min(pins.len());
                pins.insert(place, new);
                place += 1;
            }
            Ok(format!("`{}` has {}", entries.name, counted(pins.len() as u64, "entry", "entries")))
        }),
        What::Move(Placed { entry, at }) => change(&config, &entry.name, Fill::ByHand, |_, pins| {
            let moved = take_out(pins, &entry.address)?;
            let place = usize::try_from(*at).unwrap_or(usize::MAX) - 1;
            pins.insert(place.min(pins.len()), moved);
            Ok(format!("{} stands at place {at} of `{}`", entry.address, entry.name))
        }),
        What::Drop(Entries { name, addresses }) => change(&config, name, Fill::ByHand, |_, pins| {
            for text in addresses {
                take_out(pins, text)?;
            }
            Ok(format!("`{name}` has {}", counted(pins.len() as u64, "entry", "entries")))
        }),
    }
}

/// How a list is filled.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Fill {
    ByItself,
    ByHand,
}

fn fill(list: &ListConfig) -> Fill {
    if list.fills.is_some() { Fill::ByItself } else { Fill::ByHand }
}

fn list<'a>(config: &'a Config, name: &str) -> Result<&'a ListConfig, Failure> {
    config.lists.get(name).ok_or_else(|| unknown("list", name, config.lists.keys().map(String::as_str)))
}

/// Changes what a person says of a list, and makes it anew.
fn change(
    config: &Config,
    name: &str,
    wanted: Fill,
    change: impl FnOnce(&Store, &mut Vec<Pin>) -> Result<String, Failure>,
) -> Result<Exit, Failure> {
    let known = fill(list(config, name)?);
    if known != wanted {
        return Err(match wanted {
            Fill::ByHand => Failure::wrong(format!("`{name}` fills itself"))
                .advise(format!("`diaporos list pin {name} ADDRESS --at 1` gives an entry a place of its own")),
            Fill::ByItself => Failure::wrong(format!("`{name}` is put together by hand"))
                .advise(format!("`diaporos list add {name} ADDRESS`, `move` or `drop`")),
        });
    }
    let mut store = Context::store_for_change(config)?;
    let mut pins = store.pins(name)?;
    let done = change(&store, &mut pins)?;
    if wanted == Fill::ByHand {
        for (place, pin) in (1..).zip(&mut pins) {
            pin.place = place;
        }
    }
    store.keep_pins(name, &pins)?;
    let made = make_own(config, &mut store, Context::now())?;
    let next = if made.new + made.changed > 0 { "; `diaporos push` delivers it" } else { "; nothing changes by it" };
    note(&format!("{done}{next}"));
    Ok(Exit::Done)
}

fn pin(store: &Store, text: &str, place: u64) -> Result<Pin, Failure> {
    let address = address(text)?;
    let Some(entry) = store.entry(&address)?.map(|entry| entry.number) else { return Err(no_entry(store, &address)?) };
    Ok(Pin { address, entry, place, until: None, who: Context::who(), since: Context::now() })
}

fn take_out(pins: &mut Vec<Pin>, text: &str) -> Result<Pin, Failure> {
    let wanted: Address = address(text)?;
    let place = pins.iter().position(|pin| pin.address == wanted);
    place.map(|place| pins.remove(place)).ok_or_else(|| {
        Failure::wrong(format!("{wanted} has no place of its own there"))
            .advise("`diaporos list show NAME` shows which")
    })
}

fn titled(store: &Store, address: &Address) -> Result<Option<String>, Failure> {
    Ok(store.entry(address)?.and_then(|entry| title(&entry.row.fields).map(str::to_owned)))
}

const ALL: &[Column] = &[
    Column::text("list", "list"),
    Column::text("filled", "filled"),
    Column::text("on", "on view at"),
    Column::number("entries", "entries"),
    Column::number("most", "at most"),
    Column::number("pinned", "pinned"),
];

fn all(config: &Config, context: &Context) -> Result<Exit, Failure> {
    let store = Context::store(config)?;
    let mut sheet = context.sheet(ALL);
    for (name, of) in &config.lists {
        let (places, _) = list_places(config, &store, (name, of), Context::now())?;
        sheet.row(vec![
            Cell::text(name.as_str()),
            Cell::text(if fill(of) == Fill::ByItself { "by itself" } else { "by hand" }),
            Cell::text(of.on.to_string()),
            Cell::count(places.len() as u64),
            Cell::count(of.most),
            Cell::count(places.iter().filter(|place| place.pinned).count() as u64),
        ]);
    }
    sheet.end("no list is configured; `[lists.NAME]` in diaporos.toml makes one")?;
    Ok(Exit::Done)
}

const COLUMNS: &[Column] = &[
    Column::number("place", "place"),
    Column::text("address", "address"),
    Column::text("title", "title"),
    Column::prose("pinned", "by"),
];

fn show(config: &Config, name: &str, context: &Context) -> Result<Exit, Failure> {
    let of = list(config, name)?;
    let store = Context::store(config)?;
    let now = Context::now();
    let (places, problems) = list_places(config, &store, (name, of), now)?;
    let pins = store.pins(name)?;
    let mut sheet = context.sheet(COLUMNS).within("places");
    for (place, at) in (1_u64..).zip(&places) {
        let pin = pins.iter().find(|pin| at.pinned && pin.entry == at.entry);
        let by = match pin {
            None => Cell::text("its order").tint(Tint::Faint),
            Some(Pin { until: None, who, .. }) => Cell::text(format!("pinned by {}", one_line(who))),
            Some(Pin { until: Some(until), who, .. }) => {
                let until = crate::output::moment(*until, &context.zone);
                Cell::text(format!("pinned till {until} by {}", one_line(who)))
            }
        };
        sheet.row(vec![
            Cell::count(place),
            Cell::text(at.address.to_string()),
            Cell::maybe(titled(&store, &at.address)?),
            by,
        ]);
    }
    let waiting: Vec<&Pin> = pins.iter().filter(|pin| places.iter().all(|place| place.entry != pin.entry)).collect();
    for pin in &waiting {
        let why = match pin.until {
            Some(until) if until <= now => "its time is over".to_owned(),
            _ => format!("it is not on view at {}, or there is no place for it", of.on),
        };
        sheet.row(vec![
            Cell::nothing(),
            Cell::text(pin.address.to_string()),
            Cell::maybe(titled(&store, &pin.address)?),
            Cell::text(format!("pinned, and not in it: {why}")).tint(Tint::Warn),
        ]);
    }
    let count = counted(places.len() as u64, "entry", "entries");
    let sentence = format!("`{name}` has {count} of at most {}, all on view at {}", of.most, of.on);
    let counts = [("list", json!(name)), ("entries", json!(places.len())), ("waiting", json!(waiting.len()))];
    let counts = counts.into_iter().map(|(name, value)| (name.to_owned(), value)).collect();
    sheet.end_with(Summary { counts, sentence })?;
    for problem in &problems {
        note(&format!("left out: {}", one_line(problem)));
    }
    Ok(if problems.is_empty() { Exit::Done } else { Exit::Partly })
}
