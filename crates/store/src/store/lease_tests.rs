use diaporos_core::value::LaneName;
use jiff::Timestamp;

use super::*;

fn at(second: i64) -> Timestamp {
    Timestamp::from_second(1_790_000_000 + second).unwrap()
}

fn lane(name: &str) -> Leased {
    Leased::Lane(LaneName::new(name).unwrap())
}

struct Bench {
    _folder: tempfile::TempDir,
    place: StorePlace,
}

impl Bench {
    fn new() -> Bench {
        let folder = tempfile::tempdir().unwrap();
        let place = place_of_a_test(module_path!(), folder.path());
        Bench { _folder: folder, place }
    }

    /// The same store, as a machine of its own sees it.
    fn at(place: StorePlace) -> Bench {
        let folder = tempfile::tempdir().unwrap();
        let StorePlace::Server { server, .. } = place else { panic!("it is in a file") };
        Bench { place: StorePlace::Server { server, folder: folder.path().to_owned() }, _folder: folder }
    }

    fn place(&self) -> StorePlace {
        self.place.clone()
    }

    fn store(&self) -> Store {
        Store::open_for_change(&self.place()).unwrap()
    }

    fn process(&self, name: &str) -> Process {
        Process::begin(&self.place(), name).unwrap()
    }
}

fn take(store: &mut Store, process: &Process, what: &[Leased], from: i64, until: i64) -> Result<(), StoreError> {
    let holder = Holder { process, who: "an engineer", doing: "push" };
    store.take_leases(what, holder, (at(from), at(until)))
}

/// All leases come to their end, by whatever clock.
fn time_passes(store: &Store) {
    store.connection.execute("UPDATE lease SET ends = ?1", [1]).unwrap();
}

#[test]
fn one_process_at_a_time_has_a_lease() {
    let bench = Bench::new();
    let (mut first, mut second) = (bench.store(), bench.store());
    let (one, two) = (bench.process("one"), bench.process("two"));
    take(&mut first, &one, &[lane("profiles"), lane("news")], 0, 60).unwrap();
    let refused = take(&mut second, &two, &[lane("trails"), lane("news")], 1, 61);
    assert!(matches!(&refused, Err(StoreError::Leased(row)) if row.what == "lane news" && row.doing == "push"));
    take(&mut second, &two, &[lane("trails")], 1, 61).unwrap();
    first.give_up_leases().unwrap();
    take(&mut second, &two, &[lane("news")], 2, 62).unwrap();
    let names: Vec<String> = second.leases(at(3)).unwrap().into_iter().map(|row| row.what).collect();
    assert_eq!(names, ["lane news", "lane trails"], "none of what was refused was kept");
}

#[test]
fn the_lease_of_a_dead_process_ends_with_it() {
    let bench = Bench::new();
    let (mut first, mut second) = (bench.store(), bench.store());
    let (one, two) = (bench.process("one"), bench.process("two"));
    take(&mut first, &one, &[lane("profiles")], 0, 3600).unwrap();
    drop(one);
    assert!(second.leases(at(1)).unwrap().is_empty());
    take(&mut second, &two, &[lane("profiles")], 1, 61).unwrap();
}

#[test]
fn a_process_that_slept_writes_nothing_over_its_successor() {
    let bench = Bench::new();
    let (mut first, mut second) = (bench.store(), bench.store());
    let (one, two) = (bench.process("one"), bench.process("two"));
    take(&mut first, &one, &[lane("profiles")], 0, 60).unwrap();
    assert!(take(&mut second, &two, &[lane("profiles")], 59, 119).is_err());
    second.renew_leases(&one, (at(60), at(70))).unwrap();
    assert!(take(&mut second, &two, &[lane("profiles")], 69, 119).is_err(), "it was renewed");
    first.register_lanes(&[], at(1)).unwrap();
    time_passes(&second);
    take(&mut second, &two, &[lane("profiles")], 71, 131).unwrap();
    let late = first.register_lanes(&[], at(72));
    assert!(matches!(late, Err(StoreError::LeaseLost { what }) if what == "lane profiles"));
    first.give_up_leases().unwrap();
    second.register_lanes(&[], at(73)).unwrap();
    assert_eq!(second.leases(at(74)).unwrap().len(), 1, "the successor's lease is its own");
}

/// The clocks of machines differ, by hours at times, and none can look whether another's process lives: its lease counts
/// till the server's clock says that it ended.
#[test]
fn another_machines_lease_ends_by_the_servers_clock() {
    let bench = Bench::new();
    if bench.place.file().is_some() {
        return;
    }
    let (here, other) = (Bench::at(bench.place()), Bench::at(bench.place()));
    let (mut first, mut second) = (here.store(), other.store());
    let one = here.process("one");
    take(&mut first, &one, &[lane("profiles")], 0, 60).unwrap();
    drop(one);
    let two = other.process("two");
    for now in [1, 59, 3_600, -3_600] {
        assert!(take(&mut second, &two, &[lane("profiles")], now, now + 60).is_err(), "{now}");
        assert_eq!(second.leases(at(now)).unwrap().len(), 1);
    }
    time_passes(&second);
    take(&mut second, &two, &[lane("profiles")], -3_600, -3_540).unwrap();
    assert!(matches!(first.register_lanes(&[], at(1)), Err(StoreError::LeaseLost { .. })));
}

#[test]
fn what_a_killed_process_left_is_swept() {
    let bench = Bench::new();
    let running = bench.place.folder().join("running");
    drop(bench.store());
    std::fs::create_dir_all(&running).unwrap();
    std::fs::write(running.join("killed"), "").unwrap();
    let one = bench.process("one");
    let names = || std::fs::read_dir(&running).unwrap().map(|file| file.unwrap().file_name()).collect::<Vec<_>>();
    assert_eq!(names(), [one.name()]);
    drop(one);
    assert!(names().is_empty());
}
