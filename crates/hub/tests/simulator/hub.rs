//! The hub: a store on a disk, pulled into and pushed from by the very code of the program.

use std::panic::{AssertUnwindSafe, panic_any, resume_unwind, set_hook, take_hook};
use std::path::PathBuf;
use std::sync::{Arc, LazyLock, Once};

use diaporos_core::plan::{Counterpart, HoldReason, Presence};
use diaporos_core::value::{Address, LaneName, SystemName, Value};
use diaporos_hub::Silent;
use diaporos_hub::config::{Config, load};
use diaporos_hub::look::register_lanes;
use diaporos_hub::pull::{PullOptions, PullSource, pull};
use diaporos_hub::push::{Author, PushOptions, PushRun, Target};
use diaporos_store::{Standing, Store, StoreError};
use futures::FutureExt;
use jiff::Timestamp;
use tempfile::TempDir;
use tokio::time::Instant;

use crate::garden::Garden;
use crate::history::ENTRIES;
use crate::site::Site;
use crate::world::{Died, Page, World};

const CONFIG: &str = r#"
[systems.garden]
kind = "files"
folder = "."
profile = "garden.toml"

[systems.site]
kind = "rest"
url = "http://site.example"
profile = "site.toml"

[lanes.pages]
from = "garden/plant"
to = "site/page"
match = "slug"

[lanes.pages.fields]
slug = 'slug'
heading = 'heading'
teaser = 'teaser'
topics = 'topics'
friend = 'friend | counterpart'
"#;

const FIELDS: &str = r#"
slug = "text"
heading = "text"
teaser = "text"
topics = { kind = "text", many = true }
"#;

const SITE: &str = r#"
[types.page.write]
find = "GET /pages?slug={key}"
found = "$[*]"
read = "GET /pages/{id}"
create = "POST /pages"
update = "PATCH /pages/{id}"
withdraw = { call = "PATCH /pages/{id}", body = { status = "off" } }
id = "$.id"
"#;

/// The configuration, read once for all histories, and an empty store.
static MADE: LazyLock<(Config, Vec<u8>)> = LazyLock::new(|| {
    let folder = TempDir::new().unwrap();
    let write = |name: &str, text: String| std::fs::write(folder.path().join(name), text).unwrap();
    write("diaporos.toml", CONFIG.to_owned());
    let friend = "friend = { kind = \"reference\", to = \"plant\" }";
    write("garden.toml", format!("[types.plant.read]\nfiles = \"*.json\"\n[types.plant.fields]{FIELDS}{friend}"));
    write("site.toml", format!("[types.page.fields]{FIELDS}friend = \"text\"\n{SITE}"));
    let loaded = load(folder.path(), &|_, _| Default::default(), Timestamp::UNIX_EPOCH).unwrap();
    let config = loaded.config.unwrap_or_else(|| panic!("{:?}", loaded.reports));
    let file = folder.path().join("store.db");
    drop(Store::open(&file).unwrap());
    (config, std::fs::read(file).unwrap())
});

/// A death that was meant says nothing.
pub(crate) fn die_quietly() {
    static ONCE: Once = Once::new();
    ONCE.call_once(|| {
        let tell = take_hook();
        set_hook(Box::new(move |why| {
            if !why.payload().is::<Died>() {
                tell(why);
            }
        }));
    });
}

/// What survives a crash, and what is done with it.
pub(crate) struct Hub {
    pub(crate) garden: Garden,
    folder: TempDir,
    /// Kept open while the process lives.
    store: Option<Store>,
    began: Instant,
}

impl Hub {
    pub(crate) fn new() -> Hub {
        // In memory where the system has a folder there: nobody cuts its power.
        let shared = PathBuf::from("/dev/shm");
        let folder = if shared.is_dir() { TempDir::new_in(shared) } else { TempDir::new() }.unwrap();
        std::fs::write(folder.path().join("store.db"), &MADE.1).unwrap();
        Hub { garden: Garden::default(), folder, store: None, began: Instant::now() }
    }

    /// A pull and a push, till their end or their death; the next ones find what is on the disk. Says
    /// whether they came to their end.
    pub(crate) async fn push(&mut self, site: &Site, verify: bool) -> bool {
        // The death of an earlier process is not this one's.
        let _ = site.died.notified().now_or_never();
        let open = || Store::open_for_change(&self.folder.path().join("store.db")).unwrap();
        let mut store = self.store.take().unwrap_or_else(open);
        let died = Arc::clone(&site.died);
        tokio::select! {
            biased;
            // The store goes with the process.
            () = died.notified() => return false,
            done = AssertUnwindSafe(self.run(&mut store, site, verify)).catch_unwind() => match done {
                Ok(done) => done.unwrap(),
                Err(why) if why.is::<Died>() => return false,
                Err(why) => resume_unwind(why),
            },
        }
        self.store = Some(store);
        true
    }

    async fn run(&self, store: &mut Store, site: &Site, verify: bool) -> Result<(), StoreError> {
        let config = &MADE.0;
        let began = self.began;
        let clock = || {
            let lives = site.world().look_at_the_clock();
            lives.unwrap_or_else(|died| panic_any(died));
            Timestamp::UNIX_EPOCH.checked_add(began.elapsed()).unwrap()
        };
        register_lanes(config, store, clock())?;
        let garden = SystemName::new("garden").unwrap();
        let sources = vec![PullSource { system: &garden, reader: Ok(Box::new(self.garden.clone())) }];
        pull(store, sources, PullOptions::default(), &clock, &mut Silent).await?;
        let target = |lane| Target { lane, writer: Arc::new(site.clone()) };
        let targets: Vec<Target<'_>> = config.lanes.values().map(target).collect();
        let mut run = PushRun { store, targets: &targets, clock: &clock, stop: &|| false };
        let options =
            PushOptions { verify, allow_removals: Some(100), allow_adoptions: Some(100), ..PushOptions::default() };
        let author = Author { command: "push", who: "simulator" };
        let done = run.run(options, author, &mut Silent, &mut |_, _| {}).await?;
        assert!(done.stopped.is_empty(), "{:?}", done.stopped);
        Ok(())
    }

    /// What must hold when all is calm.
    pub(crate) fn everything_is_right(&self, world: &World) {
        let store = self.store.as_ref().unwrap();
        let lane = LaneName::new("pages").unwrap();
        assert_eq!(store.count_in_doubt(&lane).unwrap(), 0, "in doubt for good");
        let address = |entry: usize| -> Address { format!("garden/plant/{entry}").parse().unwrap() };
        let known: Vec<Option<Counterpart>> = (0..ENTRIES)
            .map(|entry| store.look_at(&lane, &address(entry)).unwrap()?.counterparts.pop().map(|row| row.counterpart))
            .collect();
        let mut held: Vec<Option<HoldReason>> = vec![None; ENTRIES];
        let noted = store.held::<StoreError>(|row| {
            assert_eq!(row.standing, Standing::Held, "{}: {}", row.address, row.message);
            held[row.address.id.as_str().parse::<usize>().unwrap()] = HoldReason::from_word(&row.reason);
            Ok(())
        });
        noted.unwrap();
        for (entry, held) in held.into_iter().enumerate() {
            self.entry_is_right(entry, (&known, held), world);
        }
    }

    fn entry_is_right(
        &self,
        entry: usize,
        (counterparts, held): (&[Option<Counterpart>], Option<HoldReason>),
        world: &World,
    ) {
        let key = Value::from(self.garden.key(entry).as_str());
        let is_anothers = |id: &u64| {
            let others = counterparts.iter().enumerate().filter(|(by, _)| *by != entry);
            others.filter_map(|(_, known)| known.as_ref()).any(|known| known.id.as_str() == id.to_string())
        };
        let has_key = |(_, page): &(&u64, &Page)| page.fields.get("slug") == Some(&key);
        let all = world.pages.iter().filter(has_key).count();
        assert!(all <= 1, "the key of `page-{entry}` is there {all} times");
        let pages: Vec<_> = world.pages.iter().filter(has_key).filter(|(id, _)| !is_anothers(id)).collect();
        let known = counterparts[entry].as_ref();
        let by_hand = |id: u64| world.deleted.contains(&id) || world.touched.contains(&id);
        match held {
            None => {}
            Some(HoldReason::KeyTaken) => {
                assert!(self.garden.shares_key() && entry < 2, "only what shares a key is held for it");
                return;
            }
            Some(reason) => {
                let id: u64 = known.unwrap().id.as_str().parse().unwrap();
                assert!(by_hand(id) || world.unsure.contains(&id), "held, {reason:?}, and nobody else did anything");
                return;
            }
        }
        match (self.garden.is_live(entry), pages.first()) {
            (true, Some((id, page))) => {
                assert_eq!(known.unwrap().id.as_str(), id.to_string(), "the identifier that is kept");
                assert_eq!(page.presence, Presence::Present);
                self.page_is_right(entry, (**id, page), world);
                self.friend_is_right(entry, page, counterparts);
            }
            (true, None) => panic!("`page-{entry}` is not there, is not held, and should be there"),
            (false, Some((id, page))) => {
                assert!(page.presence == Presence::Withdrawn || by_hand(**id), "`page-{entry}` should be off view");
            }
            (false, None) => {}
        }
    }

    /// What an entry refers to is named as it is called there, where it is there to be named.
    fn friend_is_right(&self, entry: usize, page: &Page, counterparts: &[Option<Counterpart>]) {
        let friend = self.garden.friend(entry);
        let known = friend.and_then(|friend| counterparts[friend].as_ref());
        let called =
            known.filter(|known| known.presence == Presence::Present).map(|known| Value::from(known.id.as_str()));
        let named = page.fields.get("friend").filter(|named| !named.is_null()).cloned();
        assert_eq!(named, called, "the friend of `page-{entry}`, {friend:?}");
    }

    fn page_is_right(&self, entry: usize, (id, page): (u64, &Page), world: &World) {
        for (name, ours) in &self.garden.fields(entry) {
            let theirs = page.fields.get(name).unwrap();
            let is_ours = match (ours, theirs) {
                (Value::Text(ours), Value::Text(theirs)) => ours.trim_end() == theirs.trim_end(),
                (ours, theirs) => ours == theirs,
            };
            let merged = matches!((ours, theirs), (Value::List(ours), Value::List(theirs))
                if ours.iter().all(|item| theirs.contains(item)));
            // Nobody can tell its own spelling from a hand's, nor who took an item out of a list that a
            // hand wrote to while our own write was in doubt.
            let in_doubt = world.lost.contains(&id) && world.touched.contains(&id);
            let unsure = (name == "teaser" && world.unsure.contains(&id)) || (name == "topics" && in_doubt);
            assert!(
                is_ours || unsure || page.by_hand.get(name) == Some(theirs) || merged,
                "`{name}` of `page-{entry}` is {theirs:?}, and should be {ours:?}"
            );
        }
    }
}
