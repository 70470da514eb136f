//! A PostgreSQL server of a test process.

use std::fs;
use std::io::{Error, Result, Write};
use std::net::TcpListener;
use std::path::{Path, PathBuf};
use std::process::{Child, ChildStdin, Command, Stdio};
use std::sync::OnceLock;
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::{Duration, Instant};

use tempfile::TempDir;

/// A server in a folder of its own, which ends with whoever has it, or with the process.
#[derive(Debug)]
pub struct Postgres {
    programs: PathBuf,
    folder: TempDir,
    port: u16,
    settings: Vec<String>,
    running: Option<Running>,
}

/// Ends when its input does, however this process ends.
#[derive(Debug)]
struct Running {
    shell: Child,
    input: ChildStdin,
}

/// Starts the server, and ends it once nothing holds the shell's input any more. Where it was told nothing, the test's
/// process is gone, and the folder goes too.
const RUN: &str = r#"folder=$1; shift; "$@" & server=$!; read -r told; kill -INT $server; wait $server; [ -n "$told" ] || rm -rf "$folder""#;

impl Postgres {
    /// A server that answers; none where none is installed.
    ///
    /// # Errors
    /// Where it does not start.
    pub fn start() -> Result<Option<Postgres>> {
        let Some(programs) = programs() else { return Ok(None) };
        let folder = TempDir::new()?;
        let mut server = Postgres { programs, folder, port: free_port()?, settings: Vec::new(), running: None };
        if is_root()? {
            let owned = Command::new("chown").arg("postgres").arg(server.folder.path()).status()?;
            if !owned.success() {
                return Err(Error::other("the server's folder cannot be given to the user `postgres`"));
            }
        }
        let mut make = server.command("initdb")?;
        make.arg("-D").arg(server.data()).args(["-U", "postgres", "-A", "trust", "-E", "UTF8", "--locale=C.UTF-8"]);
        let made = make.stdout(Stdio::null()).output()?;
        if !made.status.success() {
            return Err(Error::other(String::from_utf8_lossy(&made.stderr).into_owned()));
        }
        server.run()?;
        Ok(Some(server))
    }

    /// Starts it, or starts it again.
    ///
    /// # Errors
    /// Where it does not answer within half a minute.
    pub fn run(&mut self) -> Result<()> {
        self.end();
        let mut run = Command::new("sh");
        run.args(["-c", RUN, "sh"]).arg(self.folder.path());
        let server = self.command("postgres")?;
        run.arg(server.get_program()).args(server.get_args());
        run.arg("-D").arg(self.data()).arg("-k").arg(self.folder.path()).arg("-p").arg(self.port.to_string());
        for setting in [
            "listen_addresses=127.0.0.1",
            "fsync=off",
            "max_connections=200",
            "shared_buffers=64MB",
            "max_wal_size=128MB",
        ] {
            run.arg("-c").arg(setting);
        }
        for setting in &self.settings {
            run.arg("-c").arg(setting);
        }
        let log = fs::File::create(self.folder.path().join("log"))?;
        let mut shell = run.stdin(Stdio::piped()).stdout(log.try_clone()?).stderr(log).spawn()?;
        let input = shell.stdin.take().ok_or_else(|| Error::other("no input"))?;
        self.running = Some(Running { shell, input });
        let began = Instant::now();
        while self.ask("postgres", "SELECT 1").is_err() {
            if began.elapsed() > Duration::from_secs(30) {
                return Err(Error::other(fs::read_to_string(self.folder.path().join("log")).unwrap_or_default()));
            }
            std::thread::sleep(Duration::from_millis(50));
        }
        Ok(())
    }

    /// Starts it again with a certificate and its key, in PEM; it takes connections with TLS and without.
    ///
    /// # Errors
    /// Where it does not start.
    pub fn secure(&mut self, certificate: &str, key: &str) -> Result<()> {
        for (name, text) in [("server.crt", certificate), ("server.key", key)] {
            let file = self.data().join(name);
            fs::write(&file, text)?;
            let mut own = vec![vec!["chmod", "600"]];
            if is_root()? {
                own.push(vec!["chown", "postgres"]);
            }
            for command in own {
                Command::new(command[0]).arg(command[1]).arg(&file).status()?;
            }
        }
        self.settings.push("ssl=on".to_owned());
        self.run()
    }

    /// Ends it.
    pub fn end(&mut self) {
        if let Some(Running { mut shell, mut input }) = self.running.take() {
            // Where it ended by itself there is nobody to be told.
            let _ = input.write_all(b"end\n");
            drop(input);
            let _ = shell.wait();
        }
    }

    /// Asks something of a database by the server's own program.
    ///
    /// # Errors
    /// Where it refuses.
    pub fn ask(&self, database: &str, sql: &str) -> Result<String> {
        ask(&self.address("postgres", database), sql)
    }

    /// A new, empty database, by its address.
    ///
    /// # Errors
    /// Where it cannot be made.
    pub fn new_database(&self) -> Result<String> {
        static MADE: AtomicU32 = AtomicU32::new(0);
        let name = format!("hub{}", MADE.fetch_add(1, Ordering::Relaxed));
        self.ask("postgres", &format!("CREATE DATABASE {name}"))?;
        Ok(self.address("postgres", &name))
    }

    /// The address of a database, for a role.
    #[must_use]
    pub fn address(&self, role: &str, database: &str) -> String {
        format!("postgres://{role}@127.0.0.1:{}/{database}", self.port)
    }

    fn data(&self) -> PathBuf {
        self.folder.path().join("data")
    }

    /// A program of the server, which does not run as root.
    fn command(&self, program: &str) -> Result<Command> {
        let program = self.programs.join(program);
        if !is_root()? {
            return Ok(Command::new(program));
        }
        let mut other = Command::new("setpriv");
        other.args(["--reuid=postgres", "--regid=postgres", "--clear-groups", "--"]).arg(program);
        Ok(other)
    }
}

impl Drop for Postgres {
    fn drop(&mut self) {
        self.end();
    }
}

/// A new database on the server of this test process, by its address. Where no server is installed there is none, and it
/// is said once; with `DIAPOROS_NO_SKIP` that is a failure.
///
/// # Panics
/// Where the server cannot be started, or none is installed and none may be missing.
#[must_use]
#[expect(clippy::panic, clippy::print_stderr, reason = "a test ends where its server does not start")]
pub fn new_database() -> Option<String> {
    static SERVER: OnceLock<Option<Postgres>> = OnceLock::new();
    let server = SERVER.get_or_init(|| {
        let started = Postgres::start().unwrap_or_else(|error| panic!("PostgreSQL does not start: {error}"));
        if started.is_none() {
            assert!(std::env::var_os("DIAPOROS_NO_SKIP").is_none(), "PostgreSQL is not installed");
            eprintln!("skipped: PostgreSQL is not installed, so that what runs on a server is tried in a file");
        }
        started
    });
    let made = server.as_ref()?.new_database();
    Some(made.unwrap_or_else(|error| panic!("no new database: {error}")))
}

/// Asks something of a database by the server's own program: a line a row.
///
/// # Errors
/// Where it refuses.
pub fn ask(address: &str, sql: &str) -> Result<String> {
    let programs = programs().ok_or_else(|| Error::other("PostgreSQL is not installed"))?;
    let mut ask = Command::new(programs.join("psql"));
    ask.args([address, "-X", "-A", "-t", "-q", "-v", "ON_ERROR_STOP=1", "-c", sql]);
    let answer = ask.stdin(Stdio::null()).output()?;
    match answer.status.success() {
        true => Ok(String::from_utf8_lossy(&answer.stdout).trim().to_owned()),
        false => Err(Error::other(String::from_utf8_lossy(&answer.stderr).into_owned())),
    }
}

/// Where the server's programs are: on the path, or where Debian puts them.
fn programs() -> Option<PathBuf> {
    let path = std::env::var_os("PATH").unwrap_or_default();
    let versions = fs::read_dir("/usr/lib/postgresql").into_iter().flatten().flatten();
    let debian = versions.map(|version| version.path().join("bin"));
    let has_all = |folder: &Path| ["initdb", "postgres", "psql"].iter().all(|program| folder.join(program).exists());
    debian.chain(std::env::split_paths(&path)).find(|folder| has_all(folder))
}

fn is_root() -> Result<bool> {
    let who = Command::new("id").arg("-u").output()?;
    Ok(String::from_utf8_lossy(&who.stdout).trim() == "0")
}

fn free_port() -> Result<u16> {
    Ok(TcpListener::bind(("127.0.0.1", 0))?.local_addr()?.port())
}
