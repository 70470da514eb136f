//! `batch make`.

use std::collections::BTreeMap;

use clap::Args;
use diaporos_core::expr::{KnownFields, Slots};
use diaporos_core::translate::Band;
use diaporos_core::value::LanguageTag;
use diaporos_hub::batch::{Carried, Made, MakeOptions, Making, Price, make, price};
use diaporos_hub::config::Brief;
use diaporos_store::{Leased, Origin, UnitCount};
use serde_json::json;

use super::{brief, language};
use crate::commands::counted;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Summary};
use crate::typed::Typed;

/// Make a batch of what a brief's entries lack: nothing that is out already, or known from before.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos batch make plants --dry-run\n  diaporos batch make plants --into fr\n  diaporos batch make plants --where 'habitat == \"bog\"'"
)]
pub(crate) struct Make {
    /// The brief.
    #[arg(value_name = "BRIEF")]
    brief: String,
    /// Only into this language; may be given several times.
    #[arg(long, value_name = "LANGUAGE")]
    into: Vec<String>,
    /// Only entries for which this holds.
    #[arg(long = "where", value_name = "CONDITION")]
    holds: Option<String>,
    /// Only say what it would be.
    #[arg(long)]
    dry_run: bool,
}

const COLUMNS: &[Column] = &[
    Column::text("language", "language"),
    Column::number("new", "new"),
    Column::number("changed", "changed"),
    Column::number("repeated", "repeated"),
    Column::number("in_context", "in context"),
    Column::number("exact", "exact"),
    Column::number("out_already", "out already"),
    Column::number("words_new", "words new"),
    Column::number("words_near_70", "70–84 %"),
    Column::number("words_near_85", "85–94 %"),
    Column::number("words_near_95", "95–99 %"),
    Column::number("words_repeated", "repeated"),
    Column::number("words_carried_over", "known"),
    Column::text("price", "price"),
];

/// The row of a language; none where nothing is to be said of it.
fn cells(made: &Made, brief: &Brief, tag: &LanguageTag) -> Option<Vec<Cell>> {
    let carried = made.carried.get(tag).copied().unwrap_or_default();
    let out = made.out.get(tag).copied().unwrap_or_default();
    let own: Vec<&UnitCount> = made.counts.iter().filter(|count| count.language == *tag).collect();
    if own.is_empty() && carried == Carried::default() && out == 0 {
        return None;
    }
    let units = |origin| Cell::count(own.iter().filter(|count| count.origin == origin).map(|count| count.units).sum());
    let words = |is_wanted: &dyn Fn(&UnitCount) -> bool| {
        Cell::count(own.iter().filter(|count| is_wanted(count)).map(|count| count.words).sum())
    };
    let rates = |into: &LanguageTag| brief.rules(into).rates.as_ref();
    let mut cells = vec![Cell::text(tag.to_string())];
    cells.extend([Origin::New, Origin::Changed, Origin::Repeated].map(units));
    cells.extend([carried.in_context.0, carried.exact.0, out].map(Cell::count));
    for (_, band) in Band::WORDS {
        cells.push(words(&|count| count.band == band && count.origin != Origin::Repeated));
    }
    cells.push(words(&|count| count.origin == Origin::Repeated));
    cells.push(Cell::count(carried.all().1));
    cells.push(Cell::maybe(price(&rates, own, &own_carried(made, tag)).map(|price| price.to_string())));
    Some(cells)
}

/// What is known of a language.
fn own_carried(made: &Made, tag: &LanguageTag) -> BTreeMap<LanguageTag, Carried> {
    made.carried.iter().filter(|(language, _)| *language == tag).map(|(tag, carried)| (tag.clone(), *carried)).collect()
}

/// What the machine will be asked.
fn machine(made: &Made, brief: &Brief) -> Option<String> {
    let machine = brief.machine.as_ref()?;
    let characters: u64 = made.machine.values().sum();
    let cost = machine.price(characters).map(|(currency, sum)| format!(", {}", Price::rounded(currency, sum)));
    let of = counted(characters, "character", "characters");
    (characters > 0).then(|| format!("when it is sent, its machine is asked about {of}{}", cost.unwrap_or_default()))
}

/// What was made, and what comes next.
fn sentences(made: &Made, dry_run: bool, units: u64, of_what: &str) -> Vec<String> {
    let mut sentences = Vec::new();
    match (made.batches.as_slice(), dry_run, units) {
        (_, true, 0) => sentences.push("Dry run: nothing is to be sent".to_owned()),
        (_, true, _) => sentences.push(format!("Dry run, nothing was made: it would be {of_what}")),
        ([], _, _) => sentences.push("Nothing is to be sent: no batch was made".to_owned()),
        ([name], _, _) => {
            sentences.push(format!("`{name}` is made: {of_what}"));
            sentences.push(format!("next: `diaporos batch send {name}`"));
        }
        (names, _, _) => {
            sentences.push(format!("`{}` are made, one for each carrier: {of_what}", names.join("`, `")));
            sentences.extend(names.iter().map(|name| format!("next: `diaporos batch send {name}`")));
        }
    }
    if made.is_cut {
        sentences.push("near matches were looked for in the first 500,000 texts of the memory".to_owned());
    }
    for (from, into) in &made.of_others {
        sentences.push(format!("some of what is carried over was translated from {from} into {into}"));
    }
    for (place, fault) in &made.broken {
        sentences.push(format!("{place} is not sent: {fault}"));
    }
    if made.values > 0 {
        let values = counted(made.values, "text was", "texts were");
        sentences.push(format!("{values} filled in from what is known; the next push takes them along"));
    }
    sentences
}

pub(crate) fn run(args: &Make, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let brief = brief(&config, &args.brief)?;
    let into = args.into.iter().map(|text| language(text, &brief.into)).collect::<Result<Vec<_>, _>>()?;
    let holds = match &args.holds {
        None => None,
        Some(text) => {
            let model = config.systems.get(&brief.of.system).map(|system| system.model());
            let known = model.map(|model| KnownFields { model, kind: &brief.of.kind });
            let mut typed = Typed { known, library: &config.library, slots: Slots::default() };
            let program = typed.expression("--where", text)?;
            Some((program, typed.slots))
        }
    };
    let options = MakeOptions { into, holds, making: if args.dry_run { Making::DryRun } else { Making::Kept } };
    let mut store = if args.dry_run {
        Context::store_unleased(&config)?
    } else {
        Context::store_leased(&config, &[Leased::Batches], "batch make")?
    };
    let made = make(&mut store, &config.library, brief, &options, Context::now())?;
    let mut sheet = context.sheet(COLUMNS).within("languages");
    brief.into.iter().filter_map(|tag| cells(&made, brief, tag)).for_each(|cells| sheet.row(cells));
    let units: u64 = made.counts.iter().map(|count| count.units).sum();
    let words: u64 = made.counts.iter().map(|count| count.words).sum();
    let rates = |into: &LanguageTag| brief.rules(into).rates.as_ref();
    let cost = price(&rates, &made.counts, &made.carried).map(|price| price.to_string());
    let of_what = format!(
        "{} of {}, {}{}",
        counted(units, "unit", "units"),
        counted(made.entries.len() as u64, "entry", "entries"),
        counted(words, "word", "words"),
        cost.as_ref().map(|cost| format!(", {cost}")).unwrap_or_default()
    );
    let machine = machine(&made, brief);
    let mut sentences = sentences(&made, args.dry_run, units, &of_what);
    let characters: u64 = made.machine.values().sum();
    if let Some(cost) = &machine {
        sentences.insert(1, cost.clone());
    }
    let machine = brief.machine.as_ref().map(|machine| {
        json!({
            "characters": characters,
            "price": machine.price(characters).map(|(currency, sum)| Price::rounded(currency, sum).to_string()),
        })
    });
    let counts = json!({
        "machine": machine, "batch": made.batches.first(), "batches": made.batches, "dry_run": args.dry_run, "units": units,
        "entries": made.entries.len(), "words": words,
        "price": cost, "filled_in": made.values,
        "broken": made.broken.iter().map(|(place, fault)| json!({ "text": place, "fault": fault })).collect::<Vec<_>>(),
    });
    let counts = counts.as_object().cloned().unwrap_or_default();
    sheet.end_with(Summary { counts, sentence: sentences.join("\n") })?;
    Ok(if made.broken.is_empty() { Exit::Done } else { Exit::Partly })
}
