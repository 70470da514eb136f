//! Connections to a server that break off at every point: each change is made once, whole or not at all.

use super::database::Connection;
use super::database::breaks::Breaks;
use super::moving::{Sum, all_sums};
use super::moving_tests::filled;
use super::*;

type Sums = Vec<(String, Sum)>;

/// The sums of every table after the same work, with a break before a step; none where it has fewer steps.
fn worked(step: u64, loses_answers: bool) -> Option<Option<Sums>> {
    let folder = tempfile::tempdir().unwrap();
    let address = diaporos_peers::new_database()?;
    let server = Server::at(&address.clone().into(), None).unwrap();
    let place = StorePlace::Server { server: Box::new(server), folder: folder.path().to_owned() };
    let mut store = Store::open_for_change(&place).unwrap();
    let Connection::Server(session) = &store.connection else { panic!("it is in a file") };
    *session.breaks.borrow_mut() = Breaks::at(&address, step, loses_answers);
    filled(&mut store);
    let Connection::Server(session) = &store.connection else { panic!("it is in a file") };
    let is_over = session.breaks.borrow().are_over();
    Some(is_over.then(|| all_sums(&store).unwrap()))
}

#[test]
fn a_connection_may_break_off_anywhere() {
    let Some(Some(whole)) = worked(0, false) else { return };
    for loses_answers in [false, true] {
        // Every step of the first changes, and some of the many that are alike.
        for step in (1..24).chain((24..).step_by(293)) {
            match worked(step, loses_answers).flatten() {
                None => break,
                Some(sums) => assert_eq!(sums, whole, "before step {step}, answers lost: {loses_answers}"),
            }
        }
    }
}

#[test]
fn a_server_that_restarts_is_waited_for() {
    let Some(mut server) = diaporos_peers::Postgres::start().unwrap() else { return };
    let folder = tempfile::tempdir().unwrap();
    let address = server.new_database().unwrap();
    let of = Server::at(&address.into(), None).unwrap();
    let place = StorePlace::Server { server: Box::new(of), folder: folder.path().to_owned() };
    let mut store = Store::open_for_change(&place).unwrap();
    let working = std::thread::spawn(move || {
        filled(&mut store);
        store
    });
    std::thread::sleep(std::time::Duration::from_millis(300));
    server.end();
    std::thread::sleep(std::time::Duration::from_millis(500));
    server.run().unwrap();
    let store = working.join().unwrap();
    assert!(store.verify_ledger().unwrap().faults.is_empty());
    assert_eq!(store.types().unwrap()[0].2, 500);
}

/// A role that may only read is enough for looking, and is told where it is not.
#[test]
fn a_role_that_only_reads_may_look() {
    let Some(server) = diaporos_peers::Postgres::start().unwrap() else { return };
    let folder = tempfile::tempdir().unwrap();
    let address = server.new_database().unwrap();
    let database = address.rsplit('/').next().unwrap();
    let place = |address: &str| {
        let server = Box::new(Server::at(&address.to_owned().into(), None).unwrap());
        StorePlace::Server { server, folder: folder.path().to_owned() }
    };
    server.ask(database, "CREATE ROLE looker LOGIN").unwrap();
    let looker = place(&server.address("looker", database));
    assert!(matches!(Store::open(&looker), Err(StoreError::Older { found: 0, .. })), "there is none yet");
    filled(&mut Store::open_for_change(&place(&address)).unwrap());
    server.ask(database, "GRANT SELECT ON ALL TABLES IN SCHEMA public TO looker").unwrap();
    let mut store = Store::open(&looker).unwrap();
    assert_eq!(store.types().unwrap()[0].2, 500);
    assert!(store.verify_ledger().unwrap().faults.is_empty());
    let refused = store.begin_run("push", "looker", jiff::Timestamp::UNIX_EPOCH).unwrap_err();
    assert!(refused.is_forbidden(), "{refused}");
}
