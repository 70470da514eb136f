//! `batch collect`.

use std::path::PathBuf;

use clap::Args;
use diaporos_hub::Connector;
use diaporos_hub::batch::{
    Carrying, CollectListener, CollectTally, Collected, Collector, FileSource, UnitRow, batch_told, take,
};
use diaporos_hub::config::Config;
use diaporos_store::{BatchRow, BatchStanding, Leased, Store};
use jiff::tz::TimeZone;
use serde_json::json;

use super::batch;
use crate::commands::counted;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Sheet, Summary, Tint, moment};

/// Collect what came back: checked unit by unit, the good taken, the rest named.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos batch collect\n  diaporos batch collect plants-1 --from returned.xlf\n\nA unit that is rejected goes back: `diaporos batch reject-note BATCH` writes a file with the reasons."
)]
pub(crate) struct Collect {
    /// The batch; all that were sent where none is named.
    #[arg(value_name = "BATCH")]
    batch: Option<String>,
    /// Collect these files, wherever they come from.
    #[arg(long, value_name = "FILE", num_args = 1..)]
    from: Vec<PathBuf>,
    /// Look at files again that were collected before.
    #[arg(long)]
    again: bool,
}

const COLUMNS: &[Column] = &[
    Column::text("batch", "batch"),
    Column::text("language", "lang"),
    Column::text("unit", "unit"),
    Column::text("outcome", "outcome"),
    Column::text("name", "where"),
    Column::prose("reasons", "why"),
];

/// What a collection has come to so far.
struct Gathered {
    sheet: Sheet,
    tally: CollectTally,
    /// What is to be known of files, a sentence each.
    files: Vec<String>,
    refused: u64,
    /// The batch that is collected.
    batch: String,
    zone: TimeZone,
    /// Batches of which something was rejected.
    to_send_back: Vec<String>,
    /// Batches of which something is pending.
    to_review: Vec<String>,
}

pub(crate) async fn run(args: &Collect, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let mut store = Context::store_leased(&config, &[Leased::Batches], "batch collect")?;
    let sheet = context.sheet(COLUMNS).within("units");
    let mut gathered = Gathered {
        sheet,
        tally: CollectTally::default(),
        files: Vec::new(),
        refused: 0,
        batch: String::new(),
        zone: context.zone.clone(),
        to_send_back: Vec::new(),
        to_review: Vec::new(),
    };
    if args.from.is_empty() {
        for found in waited_for(&config, &store, args.batch.as_deref())? {
            let (found, brief) = batch(&config, &store, &found.name)?;
            let carrying = Carrying::of(&config, &Connector::new(&config, &Context::variable), (brief, &found))?;
            let mut collector =
                Collector { store: &mut store, brief, batch: &found, now: Context::now(), reviewer: None };
            carrying.collect(&mut collector, args.again, gathered.of(&found)).await?;
        }
        return gathered.end();
    }
    gathered.files(args, &config, &mut store)?;
    gathered.end()
}

/// The batch of that name, or all that something can come back of.
fn waited_for(config: &Config, store: &Store, name: Option<&str>) -> Result<Vec<BatchRow>, Failure> {
    let Some(name) = name else {
        let batches = store.batches()?.into_iter().rev();
        let known = |batch: &BatchRow| config.briefs.contains_key(&batch.brief);
        return Ok(batches.filter(|batch| batch.standing == BatchStanding::Sent && known(batch)).collect());
    };
    let (found, _) = batch(config, store, name)?;
    match found.standing {
        BatchStanding::Sent => Ok(vec![found]),
        BatchStanding::Cancelled => Err(Failure::failed(format!("`{name}` was cancelled; nothing is waited for"))),
        _ => Err(Failure::failed(format!("`{name}` was not sent")).advise(format!("`diaporos batch send {name}`"))),
    }
}

impl CollectListener for Gathered {
    fn unit(&mut self, row: UnitRow) {
        self.sheet.row(cells(&self.batch, row));
    }

    fn file(&mut self, name: &str, collected: Collected) {
        match collected {
            Collected::Taken { tally, broken, .. } => {
                self.tally += tally;
                if tally.rejected > 0 && !self.to_send_back.contains(&self.batch) {
                    self.to_send_back.push(self.batch.clone());
                }
                if tally.pending > 0 && !self.to_review.contains(&self.batch) {
                    self.to_review.push(self.batch.clone());
                }
                if let Some(why) = broken {
                    self.refused += 1;
                    self.files.push(format!("{name}: {why}; its whole units were looked at"));
                }
            }
            Collected::Before(at) => {
                let at = moment(at, &self.zone);
                self.files.push(format!("{name}: collected at {at}, and has not changed"));
            }
            Collected::Refused(refusal) => self.refuse(name, &refusal.to_string()),
        }
    }
}

impl Gathered {
    /// Says of which batch is what comes next.
    fn of(&mut self, batch: &BatchRow) -> &mut Gathered {
        self.batch.clone_from(&batch.name);
        self
    }

    /// Collects the files that were named, wherever they come from.
    fn files(&mut self, args: &Collect, config: &Config, store: &mut Store) -> Result<(), Failure> {
        for path in &args.from {
            let source = FileSource::Path(path.clone());
            let told = match &args.batch {
                Some(name) => Some(name.clone()),
                None => match batch_told(&source)? {
                    Ok(told) => told,
                    Err(refusal) => {
                        self.refuse(&source.name(), &refusal.to_string());
                        continue;
                    }
                },
            };
            let Some(name) = told else {
                self.refuse(
                    &source.name(),
                    "it does not say of which batch it is; name it: `batch collect BATCH --from FILE`",
                );
                continue;
            };
            match batch(config, store, &name) {
                Ok((found, brief)) => {
                    let mut collector = Collector { store, brief, batch: &found, now: Context::now(), reviewer: None };
                    take(&mut collector, &source, args.again, self.of(&found))?;
                }
                Err(failure) if args.batch.is_some() => return Err(failure),
                Err(_) => {
                    self.refuse(&source.name(), &format!("it is of the batch `{name}`, which is none of this hub's"));
                }
            }
        }
        Ok(())
    }

    fn refuse(&mut self, file: &str, why: &str) {
        self.refused += 1;
        self.files.push(format!("{file}: left alone: {why}"));
    }

    fn end(mut self) -> Result<Exit, Failure> {
        let CollectTally { accepted, unchanged, pending, rejected, outdated, refused, waiting, made_up, values } =
            self.tally;
        let mut parts = Vec::new();
        let mut say = |count: u64, text: &str| {
            if count > 0 {
                parts.push(format!("{count} {text}"));
            }
        };
        say(accepted, "accepted");
        say(unchanged, "as before");
        say(pending, "pending");
        say(rejected, "rejected");
        say(outdated, "of texts that have changed since");
        say(refused, "left alone");
        say(waiting, "not translated yet");
        say(made_up, "made up, for trying");
        let files = std::mem::take(&mut self.files);
        let mut sentences = files.clone();
        sentences.push(match parts.as_slice() {
            [] => "Nothing new came back".to_owned(),
            parts => format!("Units: {}", parts.join(", ")),
        });
        if values > 0 {
            let texts = counted(values, "text is", "texts are");
            sentences.push(format!("{texts} whole, and values of their entries now; `diaporos push` takes them along"));
        }
        for batch in &self.to_send_back {
            sentences
                .push(format!("next: `diaporos batch reject-note {batch}` writes a file that says why, to send back"));
        }
        for batch in &self.to_review {
            sentences.push(format!(
                "next: `diaporos batch review {batch}` shows what is pending, and takes what a person decides"
            ));
        }
        if outdated > 0 {
            sentences.push("next: `diaporos batch make BRIEF` sends the texts as they are now".to_owned());
        }
        let counts = json!({
            "accepted": accepted, "unchanged": unchanged, "pending": pending, "rejected": rejected, "outdated": outdated, "refused": refused,
            "waiting": waiting, "made_up": made_up, "values": values, "files_refused": self.refused, "files": files,
        });
        let counts = counts.as_object().cloned().unwrap_or_default();
        self.sheet.end_with(Summary { counts, sentence: sentences.join("\n") })?;
        let is_sound = pending + rejected + outdated + refused + self.refused == 0;
        Ok(if is_sound { Exit::Done } else { Exit::Partly })
    }
}

fn cells(batch: &str, row: UnitRow) -> Vec<Cell> {
    let tint = match row.outcome {
        "accepted" => Tint::Good,
        "pending" | "outdated" => Tint::Warn,
        _ => Tint::Bad,
    };
    vec![
        Cell::text(batch),
        Cell::text(row.language.to_string()),
        Cell::text(row.unit),
        Cell::text(row.outcome).tint(tint),
        Cell::maybe(row.name),
        Cell { shown: crate::output::one_line(&row.reasons.join("; ")), ..Cell::list(row.reasons) },
    ]
}
