//! `batch reject-note` and `batch pseudo`: files of a batch for people.

use std::io::Write;
use std::path::PathBuf;

use clap::Args;
use diaporos_core::translate::UnitFormat;
use diaporos_hub::batch::{FileWish, Overflow, Written, pseudo_files, reject_notes};

use super::{batch, language, unit_format};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, out};

/// Write the rejected units to a file with the reasons as notes, to send back to the translators.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  diaporos batch reject-note plants-1 --in handover")]
pub(crate) struct RejectNote {
    #[command(flatten)]
    files: Files,
}

/// Write pseudo-translations, to try a site before a word is paid for: accents, a third longer, tags
/// kept.
///
/// Collect the files like any return. They are values for trying only: the batch is waited for as
/// before, nothing is learnt of them, and `batch cancel` takes them out again.
#[derive(Debug, Args)]
#[command(
    after_help = "Example:\n  diaporos batch pseudo plants-1 --in trial\n  diaporos batch collect --from trial/plants-1.fr.pseudo.xlf"
)]
pub(crate) struct Pseudo {
    #[command(flatten)]
    files: Files,
}

#[derive(Debug, Args)]
struct Files {
    /// The batch.
    #[arg(value_name = "BATCH")]
    batch: String,
    /// Only into this language.
    #[arg(long, value_name = "LANGUAGE")]
    into: Option<String>,
    /// The folder for the files.
    #[arg(long = "in", value_name = "DIR", default_value = ".")]
    folder: PathBuf,
    /// The format of the files: xliff-2.1, xliff-1.2, po or csv.
    #[arg(long = "as", value_name = "FORMAT", value_parser = unit_format)]
    file_format: Option<UnitFormat>,
}

pub(crate) fn reject_note(args: &RejectNote, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let store = Context::store(&config)?;
    let (found, brief) = batch(&config, &store, &args.files.batch)?;
    let into = args.files.into.as_deref().map(|text| language(text, &found.into)).transpose()?;
    let format = args.files.file_format.unwrap_or(brief.format);
    let wish = FileWish { into: into.as_ref(), format, folder: &args.files.folder };
    told(reject_notes(&store, brief, &found, wish)?, "nothing is rejected", context)
}

pub(crate) fn pseudo(args: &Pseudo, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let store = Context::store(&config)?;
    let (found, brief) = batch(&config, &store, &args.files.batch)?;
    let into = args.files.into.as_deref().map(|text| language(text, &found.into)).transpose()?;
    let format = match args.files.file_format.unwrap_or(brief.format) {
        UnitFormat::Sheet => {
            return Err(Failure::wrong("a sheet cannot say that its texts are made up")
                .advise("write another format: `--as xliff-2.1`"));
        }
        format => format,
    };
    let wish = FileWish { into: into.as_ref(), format, folder: &args.files.folder };
    let (files, overflows) = pseudo_files(&store, &found, wish)?;
    for Overflow { language, name, length, limit } in overflows {
        crate::output::note(&format!(
            "{name} into {language}: it would have {length} characters, and is cut to {limit}"
        ));
    }
    told(files, "it has no units", context)
}

const COLUMNS: &[Column] = &[Column::text("language", "language"), Column::text("file", "file")];

fn told(files: Written, nothing: &str, context: &Context) -> Result<Exit, Failure> {
    if context.format == Format::Table {
        let mut out = out();
        for (_, file) in &files {
            writeln!(out, "{}", file.display())?;
        }
        if files.is_empty() {
            writeln!(out, "{nothing}")?;
        }
        out.flush()?;
        return Ok(Exit::Done);
    }
    let mut sheet = context.sheet(COLUMNS);
    for (tag, file) in files {
        sheet.row(vec![Cell::text(tag.to_string()), Cell::text(file.display().to_string())]);
    }
    sheet.end(nothing)?;
    Ok(Exit::Done)
}
