//! What the program finds around it: variables, terminal, clock, folder. Only this file looks.

use std::io::{IsTerminal, Write};
use std::path::{Path, PathBuf};

use clap::Args;
use diaporos_core::diagnostic::Report;
use diaporos_core::value::{SystemName, TypeName};
use diaporos_hub::config::{self, Config, Loaded};
use diaporos_store::Store;
use jiff::Timestamp;
use jiff::tz::TimeZone;

use crate::error::Failure;
use crate::output::Format;

/// Options that every command has.
#[derive(Debug, Args)]
pub(crate) struct Global {
    /// The hub's folder; the nearest with a `diaporos.toml`, from here upwards, where none is given.
    #[arg(long, global = true, value_name = "DIR")]
    hub: Option<PathBuf>,
    /// How results are printed: table, json, jsonl (a document per line) or csv.
    #[arg(
        long,
        global = true,
        value_enum,
        default_value = "table",
        value_name = "FORMAT",
        hide_possible_values = true
    )]
    format: Format,
    /// Log what happens, on stderr; twice for every page and request.
    #[arg(short, long, global = true, action = clap::ArgAction::Count)]
    verbose: u8,
}

/// What the terminals can show.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Terminal {
    /// Columns of stdout, where that is a terminal.
    pub(crate) width: Option<u16>,
    /// Whether stdout takes colour.
    pub(crate) colour: bool,
    /// Columns of stderr, where that is a terminal.
    pub(crate) width_err: Option<u16>,
    /// Whether stderr takes colour.
    pub(crate) colour_err: bool,
}

/// What the program finds around it.
pub(crate) struct Context {
    hub: Option<PathBuf>,
    /// How results are printed.
    pub(crate) format: Format,
    /// What the terminals can show.
    pub(crate) terminal: Terminal,
    /// The zone in which tables show times.
    pub(crate) zone: TimeZone,
}

impl Context {
    /// Looks around, and starts logging.
    pub(crate) fn gather(global: &Global) -> Context {
        let width = |is_terminal: bool| is_terminal.then(columns).flatten();
        let plain = std::env::var_os("NO_COLOR").is_some_and(|value| !value.is_empty())
            || std::env::var("TERM").is_ok_and(|term| term == "dumb");
        let (out, err) = (std::io::stdout().is_terminal(), std::io::stderr().is_terminal());
        let terminal =
            Terminal { width: width(out), colour: out && !plain, width_err: width(err), colour_err: err && !plain };
        let level = match global.verbose {
            0 => "off",
            1 => "diaporos_hub=debug,diaporos_systems=debug",
            _ => "diaporos_hub=trace,diaporos_systems=trace,diaporos_store=trace",
        };
        let filter = std::env::var("DIAPOROS_LOG").unwrap_or_else(|_| level.to_owned());
        tracing_subscriber::fmt()
            .with_env_filter(tracing_subscriber::EnvFilter::new(filter))
            .with_ansi(terminal.colour_err)
            .with_writer(std::io::stderr)
            .init();
        Context { hub: global.hub.clone(), format: global.format, terminal, zone: TimeZone::system() }
    }

    /// An environment variable.
    pub(crate) fn variable(name: &str) -> Option<String> {
        std::env::var(name).ok()
    }

    /// The time.
    pub(crate) fn now() -> Timestamp {
        Timestamp::now()
    }

    /// This program's own file.
    pub(crate) fn program() -> Result<PathBuf, Failure> {
        Ok(std::env::current_exe()?)
    }

    /// Where results go.
    pub(crate) fn out() -> Box<dyn Write + Send> {
        Box::new(std::io::BufWriter::new(std::io::stdout()))
    }

    /// A line beside the results.
    pub(crate) fn note(line: &str) {
        // Nobody is left to tell where stderr is closed.
        let _ = writeln!(std::io::stderr(), "{line}");
    }

    /// The hub's folder.
    pub(crate) fn folder(&self) -> Result<PathBuf, Failure> {
        if let Some(folder) = &self.hub {
            return Ok(folder.clone());
        }
        let here = std::env::current_dir()?;
        let found = here.ancestors().find(|folder| folder.join(config::FILE).is_file()).map(Path::to_owned);
        found.ok_or_else(|| no_hub(&here))
    }

    /// The configuration with all that was found in it, warnings too.
    pub(crate) fn load(&self) -> Result<(PathBuf, Loaded), Failure> {
        let folder = self.folder()?;
        let file = config::store_file(&folder);
        // Fields that are not declared are known from the entries, once there are any.
        let store = if file.exists() { Some(Store::open(&file)?) } else { None };
        let seen = |system: &SystemName, kind: &TypeName| {
            let seen = store.as_ref().map(|store| store.seen_fields(system.as_str(), kind.as_str()));
            seen.and_then(Result::ok).unwrap_or_default()
        };
        let loaded = config::load(&folder, &seen, Context::now());
        match loaded {
            Ok(loaded) => Ok((folder, loaded)),
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => Err(no_hub(&folder)),
            Err(error) => Err(Failure::wrong(format!("{}: {error}", folder.join(config::FILE).display()))),
        }
    }

    /// The configuration, which must be sound.
    pub(crate) fn config(&self) -> Result<Config, Failure> {
        let (_, Loaded { config, mut reports }) = self.load()?;
        reports.retain(Report::has_errors);
        config.ok_or_else(|| Failure::configuration(reports))
    }

    /// The store, for reading.
    pub(crate) fn store(config: &Config) -> Result<Store, Failure> {
        Ok(Store::open(&config.store_file())?)
    }

    /// The store, for changing, with the configured lanes known to it.
    pub(crate) fn store_for_change(config: &Config) -> Result<Store, Failure> {
        let mut store = Store::open_for_change(&config.store_file())?;
        diaporos_hub::look::register_lanes(config, &mut store, Context::now())?;
        Ok(store)
    }
}

fn columns() -> Option<u16> {
    // The table's own library asks the terminal.
    comfy_table::Table::new().set_content_arrangement(comfy_table::ContentArrangement::Dynamic).width()
}

fn no_hub(folder: &Path) -> Failure {
    Failure::wrong(format!("there is no {} in {} or above it", config::FILE, folder.display()))
        .advise("go into a hub's folder, name one with `--hub DIR`, or make one: `diaporos init DIR`")
}
