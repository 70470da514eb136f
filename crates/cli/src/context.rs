//! What the program finds around it: variables, terminal, clock, folder. Only this file looks.

use std::cell::RefCell;
use std::io::{IsTerminal, Write};
use std::ops::{Deref, DerefMut};
use std::path::{Path, PathBuf};
use std::time::Duration;

use clap::Args;
use diaporos_core::diagnostic::Report;
use diaporos_core::value::{SystemName, TypeName};
use diaporos_hub::config::{self, Config, Loaded};
use diaporos_hub::leases::{LeasedStore, Worker};
use diaporos_hub::reaches::{mark_of, reaches};
use diaporos_store::{Leased, Store, StoreError};
use jiff::Timestamp;
use jiff::tz::TimeZone;

use crate::error::{Exit, Failure};
use crate::output::{Column, Format, Progress, Sheet, Style, Terminal, findings, messages, note, one_line};

/// Options that every command has.
#[derive(Debug, Args)]
#[command(next_help_heading = "Options of every command")]
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
    /// In CSV, keep a spreadsheet from taking a text for a formula: a `'` goes before it.
    #[arg(long, global = true)]
    safe_csv: bool,
    /// Show times in UTC and not in this machine's zone.
    #[arg(long, global = true)]
    utc: bool,
    /// Log what happens, on stderr; twice for every page and request.
    #[arg(short, long, global = true, action = clap::ArgAction::Count)]
    verbose: u8,
}

/// What the program finds around it.
#[derive(Clone)]
pub(crate) struct Context {
    hub: Option<PathBuf>,
    /// How results are printed.
    pub(crate) format: Format,
    /// Whether texts in CSV are kept from being formulas.
    safe_csv: bool,
    /// What the terminals can show.
    pub(crate) terminal: Terminal,
    /// The zone in which tables show times.
    pub(crate) zone: TimeZone,
}

impl Context {
    /// Looks around, and starts logging.
    pub(crate) fn gather(global: &Global) -> Context {
        let plain = std::env::var_os("NO_COLOR").is_some_and(|value| !value.is_empty())
            || std::env::var("TERM").is_ok_and(|term| term == "dumb");
        let terminal = Terminal::of_process(plain);
        let level = match global.verbose {
            0 => "off",
            1 => "diaporos_hub=debug,diaporos_systems=debug",
            _ => "diaporos_hub=trace,diaporos_systems=trace,diaporos_store=trace",
        };
        let filter = std::env::var("DIAPOROS_LOG").unwrap_or_else(|_| level.to_owned());
        tracing_subscriber::fmt()
            .with_env_filter(tracing_subscriber::EnvFilter::new(filter))
            .with_ansi(terminal.colour_err)
            .with_writer(messages)
            .init();
        Context {
            hub: global.hub.clone(),
            format: global.format,
            safe_csv: global.safe_csv,
            terminal,
            zone: if global.utc { TimeZone::UTC } else { TimeZone::system() },
        }
    }

    /// The same for another hub.
    pub(crate) fn at(&self, folder: &Path) -> Context {
        Context { hub: Some(folder.to_owned()), ..self.clone() }
    }

    /// An environment variable.
    pub(crate) fn variable(name: &str) -> Option<String> {
        std::env::var(name).ok()
    }

    /// Who runs this program, where, and which it is, for the ledger.
    pub(crate) fn who() -> String {
        let name = ["USER", "LOGNAME", "USERNAME"].iter().find_map(|name| std::env::var(name).ok());
        format!("{} at {}, diaporos {}", user(name), host(), env!("CARGO_PKG_VERSION"))
    }

    /// The time.
    pub(crate) fn now() -> Timestamp {
        Timestamp::now()
    }

    /// This program's own file.
    pub(crate) fn program() -> Result<PathBuf, Failure> {
        Ok(std::env::current_exe()?)
    }

    /// Rows on their way to stdout, in the format that was asked for.
    pub(crate) fn sheet(&self, columns: &[Column]) -> Sheet {
        Sheet::new(Style { format: self.format, safe_csv: self.safe_csv, terminal: self.terminal }, columns)
    }

    /// A line that moves while work goes on.
    pub(crate) fn progress(&self) -> Progress {
        Progress::new(self.terminal.width_err.is_some())
    }

    /// Prints a failure on stderr and says how to end.
    pub(crate) fn report(&self, failure: &Failure) -> Exit {
        let drawn = findings::draw(failure.reports(), self.terminal.colour_err, self.terminal.width_err);
        // Nobody is left to tell where stderr is closed.
        let _ = write!(messages(), "{drawn}{failure}");
        failure.exit()
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
        is_ours(&folder.join(config::FILE))?;
        let place = config::StoreSetting::of(&folder).place(&folder, &Context::variable)?;
        // Fields that are not declared are known from the entries, once there are any.
        let store = if place.exists() { Some(Store::open(&place)?) } else { None };
        let failed = RefCell::new(None);
        let seen = |system: &SystemName, kind: &TypeName| match &store {
            None => Default::default(),
            Some(store) => store.seen_fields(system.as_str(), kind.as_str()).unwrap_or_else(|error| {
                failed.borrow_mut().get_or_insert(error);
                Default::default()
            }),
        };
        let loaded = config::load(&folder, &seen, Context::now());
        // Fields that a damaged store does not tell would be named as faults of the configuration.
        if let Some(error) = failed.into_inner() {
            return Err(error.into());
        }
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

    /// Shows what a hub reaches before it first runs here, or when it reaches something new, and asks
    /// where somebody can answer.
    pub(crate) fn confirm_reach(&self, config: &Config) -> Result<(), Failure> {
        let file = config.own_folder().join("reach");
        let reached = reaches(config);
        let mark = mark_of(&reached);
        if std::fs::read_to_string(&file).is_ok_and(|known| known.trim() == mark) {
            return Ok(());
        }
        if can_answer() {
            note("this hub has not run here yet, or reaches something new:");
            for one in &reached {
                note(&one_line(&format!("  {} {} for {}, {}", one.what, one.name, one.system, one.purpose)));
            }
            if !says_yes()? {
                return Err(Failure::wrong("nothing was asked of any system").advise(
                    "`diaporos probe --reach` lists what the hub reaches; `diaporos check` reads its configuration",
                ));
            }
        }
        // Where nobody can answer, as in a scheduled run, whoever scheduled it has decided.
        config.store_place(&Context::variable)?.make_folder()?;
        // Put in its place, so that a link there leads to nothing that is written over.
        let keep = || -> std::io::Result<()> {
            let mut beside = tempfile::NamedTempFile::new_in(file.parent().unwrap_or(&config.folder))?;
            writeln!(beside, "{mark}")?;
            beside.persist(&file).map_err(|error| error.error)?;
            Ok(())
        };
        // Where nothing can be written, opening the store says so, with what to do; the next run asks again.
        let _ = keep();
        Ok(())
    }

    /// The store, for reading.
    pub(crate) fn store(config: &Config) -> Result<Store, Failure> {
        Ok(Store::open(&config.store_place(&Context::variable)?)?)
    }

    /// The store, for what one process at a time may do, with the configured lanes known to it. Waits a while
    /// where another process does it.
    pub(crate) fn store_leased(config: &Config, what: &[Leased], doing: &str) -> Result<WorkStore, Failure> {
        let mut leased = Self::leased(config, what, doing)?;
        diaporos_hub::look::register_lanes(config, &mut leased.store, Context::now())?;
        Ok(leased)
    }

    /// A store with leases that were taken.
    pub(crate) fn with_leases(store: LeasedStore, worker: Worker) -> WorkStore {
        WorkStore { store, _worker: Some(worker) }
    }

    /// The same, with the lanes known to it as they were.
    pub(crate) fn leased(config: &Config, what: &[Leased], doing: &str) -> Result<WorkStore, Failure> {
        let mut store = Context::open_for_change(config)?;
        let worker = Context::worker(config)?;
        let waiting = |error: &StoreError| note(&one_line(&format!("waiting: {error}")));
        worker.take_within(&mut store, (what, doing), WAITS_FOR_LEASE, &waiting)?;
        Ok(WorkStore { store: LeasedStore::new(store), _worker: Some(worker) })
    }

    /// The store, for changing; what tells the hub from others is the same on every machine.
    pub(crate) fn open_for_change(config: &Config) -> Result<Store, Failure> {
        let mut store = Store::open_for_change(&config.store_place(&Context::variable)?)?;
        diaporos_hub::share_identity(&config.folder, &mut store)?;
        Ok(store)
    }

    /// The store, where nothing is to be changed.
    pub(crate) fn store_unleased(config: &Config) -> Result<WorkStore, Failure> {
        Ok(WorkStore { store: LeasedStore::new(Context::store(config)?), _worker: None })
    }

    /// This process, as one that works on the hub.
    pub(crate) fn worker(config: &Config) -> Result<Worker, Failure> {
        let name = format!("{}-{:016x}", std::process::id(), fastrand::u64(..));
        Ok(Worker::begin(&config.store_place(&Context::variable)?, &name, &Context::who(), Context::now)?)
    }

    /// The store, for changing, with the configured lanes known to it.
    pub(crate) fn store_for_change(config: &Config) -> Result<Store, Failure> {
        let mut store = Context::open_for_change(config)?;
        diaporos_hub::look::register_lanes(config, &mut store, Context::now())?;
        Ok(store)
    }
}

/// How long a command waits for what another one is doing.
pub(crate) const WAITS_FOR_LEASE: Duration = Duration::from_secs(10);

/// The store with leases, and this process, which renews them.
pub(crate) struct WorkStore {
    store: LeasedStore,
    _worker: Option<Worker>,
}

impl Deref for WorkStore {
    type Target = Store;

    fn deref(&self) -> &Store {
        &self.store
    }
}

impl DerefMut for WorkStore {
    fn deref_mut(&mut self) -> &mut Store {
        &mut self.store
    }
}

/// A configuration says where credentials go; another's is not obeyed.
#[cfg(unix)]
fn is_ours(file: &Path) -> Result<(), Failure> {
    use std::os::unix::fs::MetadataExt;
    let Ok(found) = std::fs::metadata(file) else { return Ok(()) };
    let own = rustix::process::geteuid().as_raw();
    let trusted = std::env::var("DIAPOROS_TRUSTED_OWNER").ok().and_then(|uid| uid.parse().ok());
    if found.uid() == own || found.uid() == 0 || trusted == Some(found.uid()) {
        return Ok(());
    }
    let message = format!("{} belongs to another user (uid {})", file.display(), found.uid());
    Err(Failure::wrong(message).advise(format!(
        "where that user may decide what is sent with your credentials: `export DIAPOROS_TRUSTED_OWNER={}`",
        found.uid()
    )))
}

#[cfg(not(unix))]
fn is_ours(_: &Path) -> Result<(), Failure> {
    Ok(())
}

/// The user as the system knows it; a name out of the environment is what it says of itself.
#[cfg(unix)]
fn user(name: Option<String>) -> String {
    let number = rustix::process::geteuid().as_raw();
    name.map_or_else(|| format!("uid {number}"), |name| format!("{name} (uid {number})"))
}

#[cfg(not(unix))]
fn user(name: Option<String>) -> String {
    name.unwrap_or_else(|| "somebody".to_owned())
}

#[cfg(unix)]
fn host() -> String {
    rustix::system::uname().nodename().to_string_lossy().into_owned()
}

#[cfg(not(unix))]
fn host() -> String {
    std::env::var("COMPUTERNAME").unwrap_or_else(|_| "this machine".to_owned())
}

fn no_hub(folder: &Path) -> Failure {
    Failure::wrong(format!("there is no {} in {} or above it", config::FILE, folder.display()))
        .advise("go into a hub's folder, name one with `--hub DIR`, or make one: `diaporos init DIR`")
}

/// Whether somebody can answer a question.
pub(crate) fn can_answer() -> bool {
    std::io::stdin().is_terminal() && std::io::stderr().is_terminal()
}

/// Asks whether to go on.
pub(crate) fn says_yes() -> std::io::Result<bool> {
    let _ = write!(std::io::stderr(), "go on? [y/N] ");
    let mut answer = String::new();
    std::io::stdin().read_line(&mut answer)?;
    Ok(matches!(answer.trim(), "y" | "Y" | "yes"))
}
