//! `resolve`.

use std::collections::BTreeMap;

use clap::Args;
use diaporos_hub::Connector;
use diaporos_hub::config::ConfiguredLane;
use diaporos_hub::resolve::{Answer, Resolved, Side, Take, resolve};
use diaporos_store::Leased;

use super::{address, lanes, no_entry};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column};

/// Answer for an entry that the hub must not guess about: whose version is right?
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos show catalogue/plant-profile/p-001 --three-way\n  diaporos resolve catalogue/plant-profile/p-001 --take theirs\n  diaporos resolve catalogue/plant-profile/p-001 --take heading=ours,body=theirs"
)]
pub(crate) struct Resolve {
    /// The entry that is held.
    #[arg(value_name = "ADDRESS")]
    address: String,
    /// `ours` writes over what is there, by the next push; `theirs` leaves it until the entry changes;
    /// or a side by field, as in `heading=ours,body=theirs`.
    #[arg(long, value_name = "SIDE", value_delimiter = ',', required = true)]
    take: Vec<String>,
    /// Only on this lane; on every lane that holds it where not given.
    #[arg(long, value_name = "LANE")]
    lane: Option<String>,
}

const COLUMNS: &[Column] =
    &[Column::text("lane", "lane"), Column::text("address", "address"), Column::text("next", "next")];

pub(crate) async fn run(args: &Resolve, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let address = address(&args.address)?;
    let concerned: Vec<&ConfiguredLane> = lanes(&config, args.lane.as_slice())?
        .into_iter()
        .filter(|lane| (&lane.lane.from.system, &lane.lane.from.kind) == (&address.system, &address.kind))
        .collect();
    let leases: Vec<Leased> = concerned.iter().map(|lane| Leased::Lane(lane.lane.name.clone())).collect();
    let mut store = Context::store_leased(&config, &leases, "resolve")?;
    if store.entry(&address)?.is_none() {
        return Err(no_entry(&store, &address)?);
    }
    let connector = Connector::new(&config, &Context::variable);
    let take = take(&args.take)?;
    let next = match take {
        Take::All(Side::Ours) => "the next push writes ours",
        Take::All(Side::Theirs) => "theirs stays until the entry changes",
        Take::Fields(_) => "the next push goes by what was said of each field",
    };
    let mut sheet = context.sheet(COLUMNS);
    for configured in concerned {
        let lane = &configured.lane;
        let writer = connector.writer(&lane.to.system)?;
        let answer = Answer { lane: configured, address: &address, take: &take };
        let resolved = resolve(&mut store, answer, writer.as_ref(), Context::now()).await?;
        if let Resolved::NoSuchFields(fields) = &resolved {
            let known = lane.fields.keys().map(String::as_str).collect::<Vec<_>>().join(", ");
            return Err(Failure::wrong(format!("the lane `{}` does not map `{}`", lane.name, fields.join("`, `")))
                .advise(format!("it maps {known}")));
        }
        if resolved == Resolved::Settled {
            sheet.row(vec![Cell::text(lane.name.to_string()), Cell::text(address.to_string()), Cell::text(next)]);
        }
    }
    if sheet.rows() == 0 {
        return Err(Failure::failed(format!("`{address}` is not held for a question that this answers"))
            .advise("`diaporos holds` lists what is held, and the way out of each"));
    }
    sheet.end("")?;
    Ok(Exit::Done)
}

/// One side, or a side for each field that is named.
fn take(texts: &[String]) -> Result<Take, Failure> {
    let side = |word: &str| match word {
        "ours" => Ok(Side::Ours),
        "theirs" => Ok(Side::Theirs),
        other => Err(Failure::wrong(format!("`{other}` is neither `ours` nor `theirs`"))
            .advise("`--take ours`, `--take theirs`, or by field: `--take heading=ours,body=theirs`")),
    };
    if let [word] = texts
        && !word.contains('=')
    {
        return side(word).map(Take::All);
    }
    let mut fields = BTreeMap::new();
    for text in texts {
        let (field, word) = text.split_once('=').unwrap_or(("", text));
        if field.is_empty() {
            return Err(Failure::wrong(format!("`{text}` names no field"))
                .advise("one side for all, or `FIELD=ours` and `FIELD=theirs`, with commas"));
        }
        fields.insert(field.to_owned(), side(word)?);
    }
    Ok(Take::Fields(fields))
}
