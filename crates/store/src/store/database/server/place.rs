//! A connection to the server that holds the store.

use std::sync::{Arc, OnceLock, mpsc};

use diaporos_postgres::{Server, said};
use tokio::runtime::Runtime;
use tokio_postgres::Client;

use crate::store::database::{DatabaseError, Result, ServerFault};

/// What every connection begins with: no statement takes for ever, a change that nobody ends is taken back, and what
/// is kept outlives a power cut. Moments of a change are read as they are when it has its turn.
const BEGINNING: &str = "SET statement_timeout = '120s'; SET idle_in_transaction_session_timeout = '120s';
    SET synchronous_commit = on; SET default_transaction_isolation = 'read committed'; SET bytea_output = hex;
    SET client_min_messages = warning";

/// A connection that is ready.
pub(super) fn connect(server: &Server) -> Result<Client> {
    let (answer, answered) = mpsc::channel();
    let asked = server.clone();
    runtime()?.spawn(async move {
        // Whoever asked is there, or needs no answer.
        let _ = answer.send(asked.connect(BEGINNING).await);
    });
    let unreachable = |why: String| DatabaseError::from(ServerFault::Unreachable { place: server.place(), why });
    let answered = answered.recv().map_err(|error| unreachable(error.to_string()))?;
    answered.map_err(|error| unreachable(said(&error)))
}

/// What carries the bytes of all connections, on a thread of its own.
fn runtime() -> Result<Arc<Runtime>> {
    static RUNTIME: OnceLock<std::result::Result<Arc<Runtime>, String>> = OnceLock::new();
    let made = RUNTIME.get_or_init(|| {
        let mut builder = tokio::runtime::Builder::new_multi_thread();
        let built = builder.worker_threads(1).thread_name("store").enable_all().build();
        built.map(Arc::new).map_err(|error| error.to_string())
    });
    made.clone().map_err(|why| ServerFault::Other(why).into())
}
