//! `batch memory`.

use std::io::{BufReader, BufWriter, Write};
use std::path::PathBuf;

use clap::Args;
use diaporos_core::translate::{MemoryPair, TmxWriter, read_tmx};
use diaporos_store::{Leased, StoreError};

use diaporos_systems::files::publish;

use crate::commands::counted;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::out;

/// Take translations that are known from elsewhere into the memory, or give out what it knows (TMX 1.4b).
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  diaporos batch memory --take old.tmx\n  diaporos batch memory --give known.tmx")]
pub(crate) struct Memory {
    /// Take these files in.
    #[arg(long, value_name = "FILE", num_args = 1.., required_unless_present = "give")]
    take: Vec<PathBuf>,
    /// Write what is known to this file.
    #[arg(long, value_name = "FILE", conflicts_with = "take")]
    give: Option<PathBuf>,
}

/// Pairs that are written together.
const TOGETHER: usize = 500;

pub(crate) fn run(args: &Memory, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let mut out = out();
    if let Some(file) = &args.give {
        let store = Context::store(&config)?;
        let folder = file.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(std::path::Path::new("."));
        let temporary = tempfile::NamedTempFile::new_in(folder)?;
        let mut writer = TmxWriter::begin(BufWriter::new(&temporary), None)?;
        let mut count = 0;
        store.memory(|pair| -> Result<(), Failure> {
            count += 1;
            Ok(writer.pair(&pair)?)
        })?;
        writer.end()?;
        publish(temporary, file)?;
        writeln!(out, "{}: {}", file.display(), counted(count, "translation", "translations"))?;
        out.flush()?;
        return Ok(Exit::Done);
    }
    let mut store = Context::store_leased(&config, &[Leased::Batches], "batch memory")?;
    let mut exit = Exit::Done;
    for file in &args.take {
        let opened =
            std::fs::File::open(file).map_err(|error| Failure::failed(format!("{}: {error}", file.display())))?;
        let (mut count, mut waiting): (u64, Vec<MemoryPair>) = (0, Vec::new());
        let mut keep = |waiting: &mut Vec<MemoryPair>| -> Result<(), StoreError> {
            store.remember(waiting, "taken in", Context::now())?;
            waiting.clear();
            Ok(())
        };
        let read = read_tmx(&mut BufReader::new(opened), &mut |pair| {
            count += 1;
            waiting.push(pair);
            if waiting.len() < TOGETHER { Ok(()) } else { keep(&mut waiting).map_err(|error| error.to_string()) }
        });
        keep(&mut waiting)?;
        writeln!(out, "{}: {}", file.display(), counted(count, "translation", "translations"))?;
        if let Err(error) = read {
            out.flush()?;
            let why = match error {
                diaporos_core::translate::UnitsError::Foreign => "this is no TMX".to_owned(),
                other => other.to_string(),
            };
            exit = context.report(&Failure::failed(format!("{}: {why}", file.display())));
        }
    }
    out.flush()?;
    Ok(exit)
}
