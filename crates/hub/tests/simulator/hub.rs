//! The hub: a store on a disk, pulled into and pushed from by the very code of the program.

use std::panic::{AssertUnwindSafe, panic_any, resume_unwind, set_hook, take_hook};
use std::path::PathBuf;
use std::sync::{Arc, LazyLock, Once};

use diaporos_core::value::{Address, SystemName};
use diaporos_hub::Silent;
use diaporos_hub::config::{Config, load};
use diaporos_hub::look::register_lanes;
use diaporos_hub::pull::{PullOptions, PullSource, pull};
use diaporos_hub::push::{Author, PushOptions, PushRun, Target};
use diaporos_hub::slate::{Launch, LaunchBy};
use diaporos_hub::undo::undo;
use diaporos_store::{Server, Slate, SlateAction, SlateStanding, Store, StoreError, StorePlace};
use futures::FutureExt;
use jiff::Timestamp;
use tempfile::TempDir;
use tokio::time::Instant;

use crate::garden::Garden;
use crate::history::ENTRIES;
use crate::site::Site;
use crate::world::Died;

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
"#;

const FIELDS: &str = r#"
slug = "text"
heading = { kind = "text", localised = LOCALISED }
teaser = { kind = "text", localised = LOCALISED }
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

/// Words of entries, pages of their own.
const WORDS: &str = r#"
[lanes.words]
from = "hub/word"
to = "site/page"
match = "slug"

[lanes.words.fields]
slug = '"word-" + word'
heading = 'word'
"#;

/// What a hub delivers.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(crate) enum HubForm {
    /// Pages that name others.
    #[default]
    Plain,
    /// A page for each language.
    Languages,
    /// Pages that name a page for a word of theirs, which must be there.
    Words,
}

/// A configuration, read once for all histories, and an empty store.
type Made = (Config, Vec<u8>);
static WITHOUT_LANGUAGES: LazyLock<Made> = LazyLock::new(|| made(HubForm::Plain));
static WITH_LANGUAGES: LazyLock<Made> = LazyLock::new(|| made(HubForm::Languages));
static WITH_WORDS: LazyLock<Made> = LazyLock::new(|| made(HubForm::Words));

fn made_as(form: HubForm) -> &'static Made {
    match form {
        HubForm::Plain => &WITHOUT_LANGUAGES,
        HubForm::Languages => &WITH_LANGUAGES,
        HubForm::Words => &WITH_WORDS,
    }
}

fn made(form: HubForm) -> Made {
    let languages = form == HubForm::Languages;
    let folder = TempDir::new().unwrap();
    let write = |name: &str, text: String| std::fs::write(folder.path().join(name), text).unwrap();
    let fields = FIELDS.replace("LOCALISED", if languages { "true" } else { "false" });
    let read = "[types.plant.read]\nfiles = \"*.json\"\n[types.plant.fields]";
    // Each entry names another, where that has one name.
    let friend = "friend = { kind = \"reference\", to = \"plant\" }";
    let (friend, named, goes) = match form {
        HubForm::Languages => ("", "", "".to_owned()),
        HubForm::Plain => (friend, "friend = \"text\"", "friend = 'friend | counterpart'".to_owned()),
        HubForm::Words => (friend, "friend = \"text\"", format!("friend = 'heading | ensure words'\n{WORDS}")),
    };
    let rows = if languages { "languages = { shape = \"row\", language = \"lang\", item = \"item\" }\n" } else { "" };
    write("diaporos.toml", format!("{CONFIG}{goes}\n"));
    write("garden.toml", format!("{read}{fields}{friend}\n"));
    write("site.toml", format!("[types.page.fields]{fields}{named}\n{SITE}{rows}"));
    let loaded = load(folder.path(), &|_, _| Default::default(), Timestamp::UNIX_EPOCH).unwrap();
    let config = loaded.config.unwrap_or_else(|| panic!("{:?}", loaded.reports));
    let file = folder.path().join("store.db");
    drop(Store::open(&StorePlace::File(file.clone())).unwrap());
    (config, std::fs::read(file).unwrap())
}

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

/// What a process does.
#[derive(Debug, Clone, Copy)]
enum Work {
    Push { verify: bool },
    Launch,
}

/// What survives a crash, and what is done with it.
pub(crate) struct Hub {
    pub(crate) garden: Garden,
    pub(crate) form: HubForm,
    _folder: TempDir,
    /// Where its store is.
    pub(crate) place: StorePlace,
    /// Kept open while the process lives.
    pub(crate) store: Option<Store>,
    pub(crate) began: Instant,
    pub(crate) config: &'static Config,
}

impl Hub {
    pub(crate) fn new(form: HubForm) -> Hub {
        let made = made_as(form);
        // In memory where the system has a folder there: nobody cuts its power.
        let shared = PathBuf::from("/dev/shm");
        let folder = if shared.is_dir() { TempDir::new_in(shared) } else { TempDir::new() }.unwrap();
        let file = folder.path().join("store.db");
        std::fs::write(&file, &made.1).unwrap();
        Hub::at(StorePlace::File(file), folder, form)
    }

    /// A hub whose store is on a server, by its address.
    pub(crate) fn on_a_server(form: HubForm, address: &str) -> Hub {
        let folder = TempDir::new().unwrap();
        let server = Box::new(Server::at(&address.to_owned().into(), None).unwrap());
        Hub::at(StorePlace::Server { server, folder: folder.path().to_owned() }, folder, form)
    }

    fn at(place: StorePlace, folder: TempDir, form: HubForm) -> Hub {
        let (config, garden) = (&made_as(form).0, Garden::new(form == HubForm::Languages));
        Hub { config, garden, form, _folder: folder, place, store: None, began: Instant::now() }
    }

    /// A pull and a push, till their end or their death; the next ones find what is on the disk. Says
    /// whether they came to their end.
    pub(crate) async fn push(&mut self, site: &Site, verify: bool) -> bool {
        self.live(site, Work::Push { verify }).await
    }

    /// A pull, and the launch of all that is live: of the slate that waits for it, else of a new one. Nothing of it
    /// is on view while it is not all saved.
    pub(crate) async fn launch(&mut self, site: &Site) -> bool {
        let before = site.world().on_view();
        let ended = self.live(site, Work::Launch).await;
        let pending = self.open().slates().unwrap().into_iter().find(|slate| slate.standing.is_pending());
        if site.world().shows_apart() && pending.is_some_and(|slate| slate.standing != SlateStanding::Showing) {
            assert_eq!(site.world().on_view(), before, "all or nothing");
        }
        ended
    }

    /// Has what was saved of a launch that came to no end taken back; the next push carries it out.
    pub(crate) fn take_back(&mut self) {
        for slate in self.open().slates().unwrap().into_iter().filter(|slate| slate.standing.is_pending()) {
            let runs = self.open().slate_runs(&slate.name).unwrap();
            self.keep_as_before(&runs);
            let cancelled = Slate { standing: SlateStanding::Cancelled, ..slate };
            self.open().keep_slate(&cancelled, Timestamp::UNIX_EPOCH).unwrap();
        }
    }

    /// Has the only launch undone; the next push carries it out.
    pub(crate) fn undo_launch(&mut self) {
        let slates = self.open().slates().unwrap();
        let runs = self.open().slate_runs(&slates[0].name).unwrap();
        self.keep_as_before(&runs);
    }

    fn keep_as_before(&mut self, runs: &[i64]) {
        let config = self.config;
        let store = self.open();
        let rows = undo(config, store, runs, ("simulator", Timestamp::UNIX_EPOCH)).unwrap();
        let kept = rows.into_iter().filter_map(|row| Some((row.lane, row.entry, row.end.ok()?)));
        store.keep_undone(&kept.collect::<Vec<_>>()).unwrap();
    }

    async fn live(&mut self, site: &Site, work: Work) -> bool {
        // The death of an earlier process is not this one's.
        let _ = site.died.notified().now_or_never();
        let open = || Store::open_for_change(&self.place).unwrap();
        let mut store = self.store.take().unwrap_or_else(open);
        let died = Arc::clone(&site.died);
        tokio::select! {
            biased;
            // The store goes with the process.
            () = died.notified() => return false,
            done = AssertUnwindSafe(self.run(&mut store, site, work)).catch_unwind() => match done {
                Ok(done) => done.unwrap(),
                Err(why) if why.is::<Died>() => return false,
                Err(why) => resume_unwind(why),
            },
        }
        self.store = Some(store);
        true
    }

    pub(crate) fn open(&mut self) -> &mut Store {
        let place = &self.place;
        self.store.get_or_insert_with(|| Store::open_for_change(place).unwrap())
    }

    /// Has the so-manieth run from the last undone; the next push carries it out.
    pub(crate) fn undo(&mut self, back: u8) {
        let store = self.open();
        let last = (1..).take_while(|run| store.has_run_numbered(*run).unwrap()).last().unwrap_or(0);
        self.keep_as_before(&[last - i64::from(back)]);
    }

    /// Has everything go as its lane has it again.
    pub(crate) fn release(&mut self) {
        let store = self.open();
        let all = store.all_undone().unwrap();
        let released: Vec<_> = all.into_iter().map(|(lane, _, entry, _)| (lane, entry)).collect();
        store.release_undone(&released, Timestamp::UNIX_EPOCH).unwrap();
    }

    /// The slate that waits to be launched, or a new one of all that is live.
    fn slate(&self, store: &mut Store, now: Timestamp) -> Result<Slate, StoreError> {
        let slates = store.slates()?;
        if let Some(pending) = slates.iter().find(|slate| slate.standing.is_pending()) {
            return Ok(pending.clone());
        }
        let slate = Slate {
            name: format!("slate-{}", slates.len()),
            does: SlateAction::Launch,
            lanes: Vec::new(),
            keeps_back: slates.len() % 2 == 0,
            standing: SlateStanding::Open,
            made: now,
            who: "simulator".to_owned(),
            launch_at: None,
            launched: None,
            run: None,
        };
        store.keep_slate(&slate, now)?;
        let live = (0..ENTRIES).filter(|entry| self.garden.is_live(*entry));
        let address = |entry: usize| -> Address { format!("garden/plant/{entry}").parse().unwrap() };
        let numbers: Vec<i64> = live.filter_map(|entry| Some(store.entry(&address(entry)).unwrap()?.number)).collect();
        store.add_to_slate(&slate.name, &numbers, now)?;
        Ok(slate)
    }

    async fn run(&self, store: &mut Store, site: &Site, work: Work) -> Result<(), StoreError> {
        let config = self.config;
        let began = self.began;
        let clock = || {
            let lives = site.world().look_at_the_clock();
            lives.unwrap_or_else(|died| panic_any(died));
            Timestamp::UNIX_EPOCH.checked_add(began.elapsed()).unwrap()
        };
        register_lanes(config, store, clock())?;
        let garden = SystemName::new("garden").unwrap();
        let sources = vec![PullSource { system: &garden, reader: Ok(Box::new(self.garden.clone())) }];
        pull(store, sources, PullOptions { allow_gone: Some(100), ..PullOptions::default() }, &clock, &mut Silent)
            .await?;
        let target = |lane| Target { lane, writer: Arc::new(site.clone()), services: Arc::default() };
        let author = Author { command: "push", who: "simulator" };
        let verify = match work {
            Work::Push { verify } => verify,
            Work::Launch => {
                let slate = self.slate(store, clock())?;
                let by = LaunchBy { author, clock: &clock, stop: &|| false };
                let launch =
                    Launch::of((config, store), slate, |lanes| Ok(lanes.iter().map(|lane| target(lane)).collect()), by)
                        .unwrap();
                launch.carry_out(store, Some(100), &mut |_, _| {}).await.unwrap();
                return Ok(());
            }
        };
        let targets: Vec<Target<'_>> = config.lanes.values().map(target).collect();
        let mut run = PushRun { store, targets: &targets, chosen: None, own: None, clock: &clock, stop: &|| false };
        let options =
            PushOptions { verify, allow_removals: Some(100), allow_adoptions: Some(100), ..PushOptions::default() };
        let done = run.run(options, author, &mut Silent, &mut |_, _| {}).await?;
        assert!(done.stopped.is_empty(), "{:?}", done.stopped);
        Ok(())
    }
}
