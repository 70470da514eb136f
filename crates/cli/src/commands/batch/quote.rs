//! `batch quote`.

use clap::Args;
use diaporos_hub::batch::{Quoted, accept_quote, price, quoted, tallies};
use diaporos_store::Leased;

use super::send::{quote_exit, quote_told};
use super::{agency, batch};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format};

/// Say what an agency asks for a batch, and accept it.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos batch quote plants-1\n  diaporos batch quote plants-1 --accept 123.50\n\nThe price is said when it is accepted, so that another one than was seen is not. `accept_up_to` in the brief's rates accepts small ones without a person."
)]
pub(crate) struct Quote {
    /// The batch.
    #[arg(value_name = "BATCH")]
    batch: String,
    /// Accept the price, which is this.
    #[arg(long, value_name = "PRICE")]
    accept: Option<String>,
}

const COLUMNS: &[Column] = &[
    Column::text("batch", "batch"),
    Column::text("standing", "standing"),
    Column::text("price", "the agency's price"),
    Column::text("by_our_rates", "by our rates"),
];

pub(crate) async fn run(args: &Quote, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let store = match args.accept {
        Some(_) => Context::store_leased(&config, &[Leased::Batches], "batch quote")?,
        None => Context::store_unleased(&config)?,
    };
    let (found, brief) = batch(&config, &store, &args.batch)?;
    let asked = agency(&config, brief, &found)?.filter(diaporos_systems::agency::Agency::quotes);
    let Some(agency) = asked else {
        return Err(Failure::failed(format!("whoever translates `{}` does not say what it will cost", found.name))
            .advise("a table `quote` in the profile of an agency says how it does"));
    };
    let quoted = match &args.accept {
        Some(seen) => Some(accept_quote(&agency, &found, seen).await?),
        None => quoted(&agency, &found).await?,
    };
    let Some(quoted) = quoted else {
        return Err(Failure::failed(format!("`{}` was not ordered", found.name))
            .advise(format!("`diaporos batch send {}`", found.name)));
    };
    let (_, counts) = tallies(&store, found.clone())?;
    let rates = |into: &_| brief.rules(into).rates.as_ref();
    let ours = price(&rates, &counts, &std::collections::BTreeMap::new()).map(|price| price.to_string());
    let (standing, price) = match &quoted {
        Quoted::Waiting => ("waiting", None),
        Quoted::Asked(price) => ("asked", Some(price)),
        Quoted::Accepted(price) => ("accepted", Some(price)),
    };
    let mut sheet = context.sheet(COLUMNS);
    let cells = [Cell::text(&found.name), Cell::word(standing), Cell::maybe(price.cloned()), Cell::maybe(ours)];
    sheet.row(cells.to_vec());
    sheet.end("")?;
    if context.format == Format::Table { quote_told(Some(&quoted), &found.name) } else { Ok(quote_exit(Some(&quoted))) }
}
