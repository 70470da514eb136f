//! `pull ADDRESS`: single entries, as a call from outside has them read.

use diaporos_core::value::{Address, EntryId, TypeName};
use diaporos_hub::Connector;
use diaporos_hub::config::Config;
use diaporos_hub::pull::{AloneSource, FoundAlone, pull_alone};
use diaporos_store::Leased;
use indexmap::IndexMap;

use crate::commands::{address, system};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Tint, note, one_line};

const COLUMNS: &[Column] =
    &[Column::text("address", "address"), Column::text("outcome", "outcome"), Column::prose("message", "message")];

pub(super) async fn run(names: &[String], config: &Config, context: &Context) -> Result<Exit, Failure> {
    let mut wanted: IndexMap<_, Vec<(TypeName, EntryId)>> = IndexMap::new();
    for name in names {
        let Address { system: of, kind, id } = address(name)?;
        wanted.entry(system(config, of.as_str())?).or_default().push((kind, id));
    }
    let leases: Vec<Leased> = wanted.keys().map(|system| Leased::Entries((*system).clone())).collect();
    let mut store = Context::store_leased(config, &leases, "pull")?;
    let connector = Connector::new(config, &Context::variable);
    let mut sheet = context.sheet(COLUMNS);
    let mut is_partial = false;
    let mut to_list = Vec::new();
    for (system, entries) in wanted {
        let reader = connector.reader(system)?;
        let source = AloneSource { system, reader: reader.as_ref(), clock: &Context::now };
        for ((kind, id), found) in entries.iter().zip(pull_alone(&mut store, &source, &entries).await?) {
            is_partial |= matches!(found, FoundAlone::NotThere | FoundAlone::Failed(_)) || found.needs_listing();
            if found.needs_listing() && !to_list.contains(&system) {
                to_list.push(system);
            }
            let (outcome, message) = told(found);
            let cell = Cell::text(outcome).tint(if message.is_empty() { Tint::Plain } else { Tint::Bad });
            sheet.row(vec![Cell::text(format!("{system}/{kind}/{id}")), cell, Cell::text(one_line(&message))]);
        }
    }
    sheet.end("")?;
    for system in to_list {
        note(&format!("a listing tells: `diaporos pull {system}`"));
    }
    Ok(if is_partial { Exit::Partly } else { Exit::Done })
}

fn told(found: FoundAlone) -> (&'static str, String) {
    match found {
        FoundAlone::New => ("new", String::new()),
        FoundAlone::Changed => ("changed", String::new()),
        FoundAlone::Unchanged => ("unchanged", String::new()),
        FoundAlone::Gone => ("gone", String::new()),
        FoundAlone::NotThere => ("not there", "its source does not have it, and it was never pulled".to_owned()),
        FoundAlone::Doubtful(why) => ("kept", format!("its source says that it is not there; {why}")),
        FoundAlone::OnlyListed => {
            ("not asked", "its type is only listed; a profile's `one` says how an entry is read by itself".to_owned())
        }
        FoundAlone::Failed(error) => ("failed", error.to_string()),
    }
}
