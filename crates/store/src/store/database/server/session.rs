//! A connection to a server that outlives its breaks: what a change had done is done again on a new one, answer for
//! answer, and it goes on from there.

use std::cell::RefCell;
use std::collections::HashMap;
use std::fmt;
use std::sync::{Arc, Weak};
use std::time::{Duration, Instant};

use futures::executor::block_on;
use futures::future::join;
use rusqlite::types::ToSql;
use tokio_postgres::types::ToSql as Sent;
use tokio_postgres::{Client, RowStream};

use super::place::{Server, said};
use super::stream::{Asked, ServerRows, Shared, open, overtaken};
use super::translate::{only_reads, translated};
use super::values::{Bound, owned};
use crate::store::database::{Result, ServerFault};

/// How long a server that went away is waited for: longer than a restart, or a change to another machine, takes.
const WAITS: Duration = Duration::from_secs(120);
/// The first pause before it is tried again; each further one is twice as long.
const FIRST_PAUSE: Duration = Duration::from_millis(50);
const LONGEST_PAUSE: Duration = Duration::from_secs(5);

/// Whose turn it is to change the store, and the number by which the server knows the change.
const TURN: &str =
    "SELECT pg_advisory_xact_lock(1684107119, hashtext(current_schema())) IS NULL, pg_current_xact_id()::text";

/// A connection to a server.
pub(in crate::store) struct Session {
    server: Server,
    link: RefCell<Link>,
    /// The change, or the look of one moment, that is under way.
    under_way: RefCell<Option<UnderWay>>,
    /// The question whose rows may still come.
    asked: RefCell<Weak<std::sync::Mutex<Asked>>>,
}

/// A connection as it is now.
struct Link {
    client: Client,
    statements: HashMap<Arc<str>, tokio_postgres::Statement>,
}

/// What was done since a change began.
struct UnderWay {
    is_change: bool,
    /// By what the server knows it.
    number: String,
    steps: Vec<Step>,
}

/// A statement with what it answered.
#[derive(Clone)]
enum Step {
    Done { sql: Arc<str>, values: Vec<Bound>, rows: u64 },
    Asked(Shared),
}

/// A failure of the connection, or of the statement.
enum Failed {
    /// The connection broke off.
    Broke(String),
    /// What was asked cannot be.
    Refused(crate::store::database::DatabaseError),
}

fn failed(error: &tokio_postgres::Error) -> Failed {
    let Some(fault) = error.as_db_error() else {
        let is_network =
            error.is_closed() || std::error::Error::source(error).is_some_and(|source| source.is::<std::io::Error>());
        return match is_network {
            true => Failed::Broke(said(error)),
            false => Failed::Refused(ServerFault::Other(said(error)).into()),
        };
    };
    let code = fault.code().code();
    // It shuts down, starts up, was told to end the connection, or lost it (PostgreSQL, appendix A).
    if code.starts_with("57P0") || code.starts_with("08") || code == "25P03" {
        return Failed::Broke(fault.message().to_owned());
    }
    Failed::Refused(ServerFault::Refused { code: code.to_owned(), message: fault.message().to_owned() }.into())
}

impl Session {
    /// A connection to a server that answers now.
    pub(in crate::store) fn to(server: &Server) -> Result<Session> {
        let link = Link { client: server.connect()?, statements: HashMap::new() };
        let (under_way, asked) = (RefCell::new(None), RefCell::new(Weak::new()));
        Ok(Session { server: server.clone(), link: RefCell::new(link), under_way, asked })
    }

    pub(in crate::store) fn statement(&self, sql: &str) -> ServerStatement<'_> {
        ServerStatement { session: self, sql: Arc::from(sql) }
    }

    pub(super) fn is_within_a_change(&self) -> bool {
        self.under_way.borrow().is_some()
    }

    pub(in crate::store) fn begin_change(&self) -> Result<()> {
        self.begin(true)
    }

    pub(in crate::store) fn begin_snapshot(&self) -> Result<()> {
        self.begin(false)
    }

    fn begin(&self, is_change: bool) -> Result<()> {
        self.be_free()?;
        let number = self.surely(|link| link.begin(is_change))?;
        *self.under_way.borrow_mut() = Some(UnderWay { is_change, number, steps: Vec::new() });
        Ok(())
    }

    /// Keeps what was changed, once: where the answer is lost, the server is asked whether it did.
    pub(in crate::store) fn commit(&self) -> Result<()> {
        self.be_free()?;
        loop {
            let ended = self.link.borrow().end("COMMIT");
            let Err(error) = ended else {
                *self.under_way.borrow_mut() = None;
                return Ok(());
            };
            let number =
                self.under_way.borrow().as_ref().filter(|under_way| under_way.is_change).map(|it| it.number.clone());
            match (failed(&error), number) {
                (Failed::Broke(why), Some(number)) => {
                    let under_way = self.under_way.take();
                    self.connect_again(&why)?;
                    if self.was_kept(&number)? {
                        return Ok(());
                    }
                    *self.under_way.borrow_mut() = under_way;
                    self.do_again()?;
                }
                // Nothing was to be kept.
                (Failed::Broke(_), None) => {
                    *self.under_way.borrow_mut() = None;
                    return Ok(());
                }
                (Failed::Refused(error), _) => {
                    self.roll_back();
                    return Err(error);
                }
            }
        }
    }

    /// Whether a change whose end got no answer was kept.
    fn was_kept(&self, number: &str) -> Result<bool> {
        let began = Instant::now();
        loop {
            let kept = self.surely(|link| link.status(number))?;
            match kept.as_str() {
                "committed" => return Ok(true),
                "aborted" => return Ok(false),
                // The server has not noticed yet that the connection is gone.
                "in progress" if began.elapsed() < WAITS => std::thread::sleep(FIRST_PAUSE),
                _ => return Err(ServerFault::InDoubt.into()),
            }
        }
    }

    /// Takes back what was changed. Where the connection broke off, the server does.
    pub(in crate::store) fn roll_back(&self) {
        if self.under_way.take().is_some() && self.be_free().is_ok() {
            let _ = self.link.borrow().end("ROLLBACK");
        }
    }

    /// Carries out several statements that answer nothing.
    pub(in crate::store) fn execute_batch(&self, sql: &str) -> Result<()> {
        self.be_free()?;
        // Only what makes the store comes so, in a change that is begun anew where it breaks off.
        block_on(self.link.borrow().client.batch_execute(sql)).map_err(|error| match failed(&error) {
            Failed::Broke(why) => self.unreachable(why),
            Failed::Refused(error) => error,
        })
    }

    /// Carries out a statement, and gives how many rows it changed.
    fn execute(&self, sql: &Arc<str>, values: Vec<Bound>) -> Result<usize> {
        if !self.is_within_a_change() {
            return self.alone(|| self.execute(sql, values.clone()));
        }
        self.be_free()?;
        let rows = self.surely(|link| link.execute(sql, &values))?;
        self.note(Step::Done { sql: Arc::clone(sql), values, rows });
        Ok(usize::try_from(rows).unwrap_or(usize::MAX))
    }

    /// Asks for rows.
    fn query(&self, sql: &Arc<str>, values: Vec<Bound>) -> Result<ServerRows<'_>> {
        if !self.is_within_a_change() && !only_reads(sql) {
            return self.alone(|| {
                let asked = self.ask(sql, values.clone())?;
                let rest = open(&asked).take_rest();
                rest.or_else(|error| self.after(&error, None))?;
                Ok(ServerRows::new(self, asked))
            });
        }
        Ok(ServerRows::new(self, self.ask(sql, values)?))
    }

    fn ask(&self, sql: &Arc<str>, values: Vec<Bound>) -> Result<Shared> {
        self.be_free()?;
        let source = self.surely(|link| link.query(sql, &values))?;
        let asked = Asked::new(Arc::clone(sql), values, source);
        *self.asked.borrow_mut() = Arc::downgrade(&asked);
        self.note(Step::Asked(Arc::clone(&asked)));
        Ok(asked)
    }

    /// A change of one statement.
    fn alone<T>(&self, change: impl FnOnce() -> Result<T>) -> Result<T> {
        self.begin_change()?;
        match change() {
            Ok(done) => self.commit().map(|()| done),
            Err(error) => {
                self.roll_back();
                Err(error)
            }
        }
    }

    fn note(&self, step: Step) {
        if let Some(under_way) = &mut *self.under_way.borrow_mut() {
            under_way.steps.push(step);
        }
    }

    /// Takes in what still comes of the last question, so that the connection can be asked something else.
    fn be_free(&self) -> Result<()> {
        let asked = self.asked.take().upgrade();
        let Some(asked) = asked else { return Ok(()) };
        let rest = open(&asked).take_rest();
        let Err(error) = rest else { return Ok(()) };
        let alone = (!self.is_within_a_change()).then_some(&asked);
        self.after(&error, alone)?;
        self.asked.replace(Arc::downgrade(&asked));
        self.be_free()
    }

    /// Does something with the connection, and once more after each break.
    fn surely<T>(&self, act: impl Fn(&mut Link) -> std::result::Result<T, tokio_postgres::Error>) -> Result<T> {
        loop {
            let done = act(&mut self.link.borrow_mut());
            match done {
                Ok(done) => return Ok(done),
                Err(error) => self.after(&error, None)?,
            }
        }
    }

    /// After a failure: where the connection broke off there is a new one, on which the change that was under way has
    /// come as far as it had, and a question that was asked alone is asked again.
    pub(super) fn after(&self, error: &tokio_postgres::Error, alone: Option<&Shared>) -> Result<()> {
        match failed(error) {
            Failed::Refused(error) => return Err(error),
            Failed::Broke(why) => self.connect_again(&why)?,
        }
        match alone {
            Some(asked) => self.ask_again(asked),
            None => self.do_again(),
        }
    }

    fn ask_again(&self, asked: &Shared) -> Result<()> {
        loop {
            let (sql, values) = {
                let asked = open(asked);
                (Arc::clone(&asked.sql), asked.values.clone())
            };
            let source = self.link.borrow_mut().query(&sql, &values);
            let again = source.and_then(|source| open(asked).go_on(source));
            match again.map_err(|error| failed(&error)) {
                Ok(true) => return Ok(()),
                Ok(false) => return overtaken(),
                Err(Failed::Broke(why)) => self.connect_again(&why)?,
                Err(Failed::Refused(error)) => return Err(error),
            }
        }
    }

    /// Does on this connection what the change under way had done.
    fn do_again(&self) -> Result<()> {
        loop {
            let Some((is_change, steps)) =
                self.under_way.borrow().as_ref().map(|under_way| (under_way.is_change, under_way.steps.clone()))
            else {
                return Ok(());
            };
            let again = self.link.borrow_mut().again(is_change, &steps);
            match again.map_err(|error| failed(&error)) {
                Ok(Some(number)) => {
                    if let Some(under_way) = &mut *self.under_way.borrow_mut() {
                        under_way.number = number;
                    }
                    return Ok(());
                }
                Ok(None) => return overtaken(),
                Err(Failed::Broke(why)) => self.connect_again(&why)?,
                Err(Failed::Refused(error)) => return Err(error),
            }
        }
    }

    /// A new connection, which is waited for as long as a server may be away.
    fn connect_again(&self, why: &str) -> Result<()> {
        let (began, mut pause) = (Instant::now(), FIRST_PAUSE);
        tracing::warn!("the connection to the store broke off: {why}");
        loop {
            match self.server.connect() {
                Ok(client) => {
                    *self.link.borrow_mut() = Link { client, statements: HashMap::new() };
                    return Ok(());
                }
                Err(error) if began.elapsed() >= WAITS => return Err(error),
                Err(error) => tracing::warn!("the store is waited for: {error}"),
            }
            std::thread::sleep(pause);
            pause = (pause * 2).min(LONGEST_PAUSE);
        }
    }

    fn unreachable(&self, why: String) -> crate::store::database::DatabaseError {
        ServerFault::Unreachable { place: self.server.place(), why }.into()
    }
}

impl fmt::Debug for Session {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Debug::fmt(&self.server, f)
    }
}

fn sent(values: &[Bound]) -> Vec<&(dyn Sent + Sync)> {
    values.iter().map(|value| value as &(dyn Sent + Sync)).collect()
}

type Answered<T> = std::result::Result<T, tokio_postgres::Error>;

impl Link {
    fn prepared(&mut self, sql: &Arc<str>) -> Answered<tokio_postgres::Statement> {
        if let Some(known) = self.statements.get(sql) {
            return Ok(known.clone());
        }
        let statement = block_on(self.client.prepare(&translated(sql)))?;
        self.statements.insert(Arc::clone(sql), statement.clone());
        Ok(statement)
    }

    /// Begins a change or a look, and gives by what the server knows it.
    fn begin(&mut self, is_change: bool) -> Answered<String> {
        if !is_change {
            let begin = "BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY";
            return block_on(self.client.batch_execute(begin)).map(|()| String::new());
        }
        let turn = self.prepared(&Arc::from(TURN))?;
        let (begun, turn) = block_on(join(self.client.batch_execute("BEGIN"), self.client.query_one(&turn, &[])));
        begun?;
        turn?.try_get(1)
    }

    fn end(&self, how: &str) -> Answered<()> {
        block_on(self.client.batch_execute(how))
    }

    fn status(&mut self, number: &str) -> Answered<String> {
        let status =
            self.prepared(&Arc::from("SELECT coalesce(pg_xact_status(CAST(CAST($1 AS text) AS xid8)), '')"))?;
        block_on(self.client.query_one(&status, &[&number]))?.try_get(0)
    }

    fn execute(&mut self, sql: &Arc<str>, values: &[Bound]) -> Answered<u64> {
        let statement = self.prepared(sql)?;
        block_on(self.client.execute(&statement, &sent(values)))
    }

    fn query(&mut self, sql: &Arc<str>, values: &[Bound]) -> Answered<RowStream> {
        let statement = self.prepared(sql)?;
        block_on(self.client.query_raw(&statement, sent(values)))
    }

    /// Does what was done, and gives by what the server knows it now; none where it answers something else.
    fn again(&mut self, is_change: bool, steps: &[Step]) -> Answered<Option<String>> {
        let number = self.begin(is_change)?;
        let last = steps.len().saturating_sub(1);
        for (place, step) in steps.iter().enumerate() {
            let is_as_before = match step {
                Step::Done { sql, values, rows } => self.execute(sql, values)? == *rows,
                Step::Asked(asked) => {
                    let (sql, values) = {
                        let asked = open(asked);
                        (Arc::clone(&asked.sql), asked.values.clone())
                    };
                    let source = self.query(&sql, &values)?;
                    let mut asked = open(asked);
                    let is_as_before = asked.go_on(source)?;
                    // The next is asked by the same connection.
                    if place < last {
                        asked.take_rest()?;
                    }
                    is_as_before
                }
            };
            if !is_as_before {
                return Ok(None);
            }
        }
        Ok(Some(number))
    }
}

/// A statement of a server.
pub(in crate::store) struct ServerStatement<'s> {
    session: &'s Session,
    sql: Arc<str>,
}

impl<'s> ServerStatement<'s> {
    pub(in crate::store) fn execute(&self, values: &[&dyn ToSql]) -> Result<usize> {
        self.session.execute(&self.sql, owned(values)?)
    }

    pub(in crate::store) fn query(&self, values: &[&dyn ToSql]) -> Result<ServerRows<'s>> {
        self.session.query(&self.sql, owned(values)?)
    }
}
