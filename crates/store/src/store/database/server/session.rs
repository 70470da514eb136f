//! A connection to a server that outlives its breaks: what a change had done is done again on a new one, answer for
//! answer, and it goes on from there.

use std::cell::RefCell;
use std::fmt;
use std::sync::{Arc, Weak};
use std::time::{Duration, Instant};

use diaporos_postgres::Server;
use futures::executor::block_on;

use super::link::{Answered, Failed, Link, Pending, Step, failed};
use super::place::connect;
use super::stream::{Asked, Shared, open};
use super::translate::only_reads;
use super::values::Bound;
use crate::store::database::{DatabaseError, Result, ServerFault};

/// How long a server that went away is waited for: longer than a restart, or a change to another machine, takes.
const WAITS: Duration = Duration::from_secs(120);
/// The first pause before it is tried again; each further one is twice as long.
const FIRST_PAUSE: Duration = Duration::from_millis(50);
const LONGEST_PAUSE: Duration = Duration::from_secs(5);
/// So many statements are on their way at once.
const MOST_SENT: usize = 256;

/// A connection to a server.
pub(in crate::store) struct Session {
    server: Server,
    link: RefCell<Link>,
    /// The change, or the look of one moment, that is under way.
    under_way: RefCell<Option<UnderWay>>,
    /// The question whose rows may still come.
    asked: RefCell<Weak<std::sync::Mutex<Asked>>>,
    /// Statements that were sent, and whose ends were not asked for yet.
    sent: RefCell<Vec<Pending>>,
    /// Where a test has the connection break off.
    #[cfg(test)]
    pub(in crate::store) breaks: RefCell<super::breaks::Breaks>,
}

/// What was done since a change began.
struct UnderWay {
    is_change: bool,
    /// By what the server knows it.
    number: String,
    steps: Vec<Step>,
}

impl Session {
    /// A connection to a server that answers now.
    pub(in crate::store) fn to(server: &Server) -> Result<Session> {
        let link = Link::of(connect(server)?);
        let (under_way, asked) = (RefCell::new(None), RefCell::new(Weak::new()));
        Ok(Session {
            server: server.clone(),
            link: RefCell::new(link),
            under_way,
            asked,
            sent: RefCell::default(),
            #[cfg(test)]
            breaks: RefCell::default(),
        })
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
            #[cfg(test)]
            self.breaks.borrow_mut().step();
            let ended = self.link.borrow().end("COMMIT");
            #[cfg(test)]
            let ended = self.breaks.borrow_mut().lose(ended, || self.link.borrow().end("SELECT 1"));
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
        // What became of them is of no account any more.
        self.sent.take().into_iter().for_each(|pending| drop(block_on(pending)));
        if self.under_way.take().is_some() && self.be_free().is_ok() {
            let _ = self.link.borrow().end("ROLLBACK");
        }
    }

    /// Carries out several statements that answer nothing.
    pub(in crate::store) fn execute_batch(&self, sql: &str) -> Result<()> {
        self.be_free()?;
        // Only what makes the store comes so, in a change that is begun anew where it breaks off.
        self.link.borrow().execute_batch(sql).map_err(|error| match failed(&error) {
            Failed::Broke(why) => self.unreachable(why),
            Failed::Refused(error) => error,
        })
    }

    /// Carries out a statement, and gives how many rows it changed.
    pub(super) fn execute(&self, sql: &Arc<str>, values: Vec<Bound>) -> Result<usize> {
        if !self.is_within_a_change() {
            return self.alone(|| self.execute(sql, values.clone()));
        }
        self.be_free()?;
        let rows = self.surely(|link| link.execute(sql, &values))?;
        self.note(Step::Done { sql: Arc::clone(sql), values, rows: Some(rows) });
        Ok(usize::try_from(rows).unwrap_or(usize::MAX))
    }

    /// Carries out a statement of a change, of which only the end of the change tells whether it could be.
    pub(super) fn execute_soon(&self, sql: &Arc<str>, values: Vec<Bound>) -> Result<()> {
        if !self.is_within_a_change() {
            return self.execute(sql, values).map(drop);
        }
        let is_known = self.link.borrow().is_prepared(sql);
        if !is_known || self.asked.borrow().upgrade().is_some() || self.sent.borrow().len() >= MOST_SENT {
            self.be_free()?;
        }
        let pending = self.surely(|link| link.send(sql, values.clone()))?;
        self.sent.borrow_mut().push(pending);
        self.note(Step::Done { sql: Arc::clone(sql), values, rows: None });
        Ok(())
    }

    /// Waits for the ends of all statements that were sent.
    fn finish_sent(&self) -> Result<()> {
        for pending in self.sent.take() {
            if let Err(error) = block_on(pending) {
                // On a new connection all is done again that was done, these too.
                return self.after(&error, None);
            }
        }
        Ok(())
    }

    /// Asks for rows.
    pub(super) fn query(&self, sql: &Arc<str>, values: Vec<Bound>) -> Result<Shared> {
        if !self.is_within_a_change() && !only_reads(sql) {
            return self.alone(|| {
                let asked = self.ask(sql, values.clone())?;
                let rest = open(&asked).take_rest();
                rest.or_else(|error| self.after(&error, None))?;
                Ok(asked)
            });
        }
        self.ask(sql, values)
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
    fn alone<T>(&self, change: impl Fn() -> Result<T>) -> Result<T> {
        loop {
            self.begin_change()?;
            let done = change().and_then(|done| self.commit().map(|()| done));
            match done {
                // Nothing was kept, and there is nothing but this statement that others could have overtaken.
                Err(error) if error.is_overtaken() => self.roll_back(),
                Err(error) => {
                    self.roll_back();
                    return Err(error);
                }
                Ok(done) => return Ok(done),
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
        self.finish_sent()?;
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
    fn surely<T>(&self, act: impl Fn(&mut Link) -> Answered<T>) -> Result<T> {
        loop {
            #[cfg(test)]
            self.breaks.borrow_mut().step();
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
                Ok(false) => return Err(ServerFault::Overtaken.into()),
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
                Ok(None) => return Err(ServerFault::Overtaken.into()),
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
            match connect(&self.server) {
                Ok(client) => {
                    self.sent.borrow_mut().clear();
                    *self.link.borrow_mut() = Link::of(client);
                    return Ok(());
                }
                Err(error) if began.elapsed() >= WAITS => return Err(error),
                Err(error) => tracing::warn!("the store is waited for: {error}"),
            }
            std::thread::sleep(pause);
            pause = (pause * 2).min(LONGEST_PAUSE);
        }
    }

    fn unreachable(&self, why: String) -> DatabaseError {
        ServerFault::Unreachable { place: self.server.place(), why }.into()
    }
}

impl fmt::Debug for Session {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Debug::fmt(&self.server, f)
    }
}
