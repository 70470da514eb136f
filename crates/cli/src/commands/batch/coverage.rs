//! `batch coverage`.

use clap::Args;
use diaporos_hub::batch::{Portion, TextStanding, coverage};
use diaporos_hub::look::Glance;

use super::{bar, briefs};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, Tint};

/// Show by language which entries are translated, which are not, and where the rest is.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos batch coverage\n  diaporos batch coverage plants --format json\n\ndone         translated, from what the source says today\nmissing      has no translation\nout of date  translated, and changed since\nout          in a batch that is waited for\nwaiting      came back, and waits for the rest of its text or for a person\nrejected     came back with defects: `diaporos batch show BATCH --rejected` says which\n\nAn entry counts where one of its texts most wants to be seen to; words count by their own text."
)]
pub(crate) struct CoverageOf {
    /// The briefs; all where none is named.
    #[arg(value_name = "BRIEF")]
    briefs: Vec<String>,
}

const COLUMNS: &[Column] = &[
    Column::text("brief", "brief"),
    Column::text("language", "language"),
    Column::number("done", "done"),
    Column::number("missing", "missing"),
    Column::number("out_of_date", "out of date"),
    Column::number("out", "out"),
    Column::number("waiting", "waiting"),
    Column::number("rejected", "rejected"),
    Column::number("words", "words"),
    Column::number("words_to_do", "to do"),
    Column::text("percent", "words done"),
];

/// For programs also the words of each standing.
const WITH_WORDS: &[Column] = &[
    Column::number("words_done", "words done"),
    Column::number("words_missing", "words missing"),
    Column::number("words_out_of_date", "words out of date"),
    Column::number("words_out", "words out"),
    Column::number("words_waiting", "words waiting"),
    Column::number("words_rejected", "words rejected"),
];

pub(crate) fn run(args: &CoverageOf, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let store = Context::store(&config)?;
    let glance = Glance { store: &store, library: &config.library, now: Context::now() };
    let for_people = context.format == Format::Table;
    let columns: Vec<Column> =
        if for_people { COLUMNS.to_vec() } else { COLUMNS.iter().chain(WITH_WORDS).cloned().collect() };
    let mut sheet = context.sheet(&columns);
    for brief in briefs(&config, &args.briefs)? {
        for of_language in coverage(glance, brief)? {
            let portion = |standing: TextStanding| of_language.portions.get(&standing).copied().unwrap_or_default();
            let total: Portion = of_language.total();
            let done = portion(TextStanding::Done).words;
            let to_do = portion(TextStanding::Missing).words + portion(TextStanding::OutOfDate).words;
            let mut cells = vec![Cell::text(&brief.name), Cell::text(of_language.language.to_string())];
            for (_, standing) in TextStanding::WORDS {
                let cell = Cell::count(portion(standing).entries);
                cells.push(match standing {
                    TextStanding::Missing | TextStanding::OutOfDate | TextStanding::Waiting if cell.shown != "0" => {
                        cell.tint(Tint::Warn)
                    }
                    TextStanding::Rejected if cell.shown != "0" => cell.tint(Tint::Bad),
                    _ => cell,
                });
            }
            cells.extend([Cell::count(total.words), Cell::count(to_do)]);
            cells.push(bar((done * 100).checked_div(total.words).unwrap_or(100)));
            if !for_people {
                cells.extend(TextStanding::WORDS.map(|(_, standing)| Cell::count(portion(standing).words)));
            }
            sheet.row(cells);
        }
    }
    sheet.end("no briefs; add a table `[briefs.NAME]` to diaporos.toml")?;
    Ok(Exit::Done)
}
