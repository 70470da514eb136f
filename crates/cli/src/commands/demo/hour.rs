//! An hour of a hub that runs by itself, told in a few seconds: on a copy of the demo's hub, under a clock of its
//! own that goes on by five minutes at a time.

use std::cell::RefCell;
use std::collections::HashMap;
use std::io::Write;
use std::path::Path;
use std::rc::Rc;
use std::sync::atomic::{AtomicI64, Ordering};
use std::sync::{Arc, OnceLock};
use std::time::{Duration, Instant};

use diaporos_core::value::SystemName;
use diaporos_demo::{Newsroom, RUNNING, StandIn, World, start_newsroom};
use diaporos_hub::config::{FILE, store_file};
use diaporos_hub::leases::Worker;
use diaporos_hub::report::{ReportForm, report, write};
use diaporos_hub::serve::{Asked, Serve};
use diaporos_store::{Span, Store, StorePlace};
use diaporos_systems::http::{Client, Method};
use diaporos_systems::settings::usual_limits;
use diaporos_systems::told::{PostRecipient, Reached, Telling};
use diaporos_systems::{Secret, SecretReference};
use jiff::{SignedDuration, Timestamp};
use serde_json::json;
use url::Url;

use crate::commands::serve::lines;
use crate::context::Context;
use crate::error::Failure;
use crate::output::{one_line, out};

/// How far the clock goes at a time.
const STEP: SignedDuration = SignedDuration::from_mins(5);
const STEPS: u32 = 12;
/// What the editor calls a plant.
const SAVED: &str = "Hart's-tongue of the old mill";
/// The key with which the catalogue signs its calls; as made up as the rest.
const HOOK_KEY: &str = "whsec_T3N0cmVsIGNhdGFsb2d1ZSBjYWxscyB0aGUgaHVi";
/// The key with which the hub signs what it tells the build.
const BUILD_KEY: &str = "whsec_T3N0cmVsIGh1YiBjYWxscyB0aGUgYnVpbGQgIQ==";

/// Milliseconds by which the demo's clock is ahead of the machine's.
static AHEAD: AtomicI64 = AtomicI64::new(0);
static VARIABLES: OnceLock<HashMap<&'static str, String>> = OnceLock::new();

fn now() -> Timestamp {
    let machine = Context::now();
    machine.checked_add(SignedDuration::from_millis(AHEAD.load(Ordering::Relaxed))).unwrap_or(machine)
}

fn variable(name: &str) -> Option<String> {
    VARIABLES.get()?.get(name).cloned()
}

/// What the hour is told with.
struct Hour<'a> {
    world: &'a World,
    newsroom: Newsroom,
    asked: Arc<Asked>,
    /// What `serve` said so far.
    said: Rc<RefCell<Vec<String>>>,
}

/// Tells the hour. The state at its end, as a page, and a report are left in `left`.
pub(super) async fn tell(world: &World, folder: &Path, left: &Path, context: &Context) -> Result<(), Failure> {
    let (ears, newsroom) = start_newsroom().await?;
    let around = tempfile::tempdir()?;
    let copy = around.path().join("ostrel-gardens");
    copy_hub(folder, &copy)?;
    VARIABLES.get_or_init(|| variables(world, &ears));
    writeln!(
        out(),
        "# An hour of the hub by itself, told in seconds, on a copy of it. Its configuration gains:{}",
        RUNNING.trim_end()
    )?;
    writeln!(out())?;
    let hub = context.at(&copy);
    let config = hub.config()?;
    let asked = Arc::new(Asked::default());
    let said = Rc::new(RefCell::new(Vec::new()));
    let worker = Worker::begin(&config.store_place(&Context::variable)?, "demo", &Context::who(), now)?;
    let (later, heard, zone) = (hub.clone(), Rc::clone(&said), context.zone.clone());
    let serve = Serve {
        folder: copy.clone(),
        listen: None,
        load: Box::new(move || later.config().map_err(|failure| failure.in_a_line())),
        worker: Arc::new(worker),
        variable,
        clock: now,
        who: Context::who(),
        asked: Arc::clone(&asked),
        tell: Box::new(move |told| {
            for line in lines(told) {
                let at = now().to_zoned_datetime(zone.clone()).strftime("%H:%M");
                // The story goes on where nobody reads it.
                let _ = writeln!(out(), "  {at}  {}", one_line(&line));
                heard.borrow_mut().push(line);
            }
        }),
    };
    let hour = Hour { world, newsroom, asked, said };
    let (served, told) = futures::join!(serve.run(config), hour.tell(left));
    served?;
    told?;
    let config = hub.config()?;
    let span = Span { from: now() - SignedDuration::from_hours(24), until: now() };
    let made = report(&config, &Store::open(&config.store_place(&Context::variable)?)?, span, (&context.zone, now()))?;
    let mut file = std::fs::File::create(left.join("report.html"))?;
    write(&made, ReportForm::Html, &mut file).map_err(|error| Failure::failed(error.to_string()))?;
    Ok(())
}

/// The hub's files and its store, without which the hour would begin with everything still to be done.
fn copy_hub(folder: &Path, copy: &Path) -> Result<(), Failure> {
    diaporos_demo::write_hub(copy)?;
    let file = copy.join(FILE);
    std::fs::write(&file, format!("{}{RUNNING}", std::fs::read_to_string(&file)?))?;
    let (from, to) = (StorePlace::File(store_file(folder)), StorePlace::File(store_file(copy)));
    to.make_folder()?;
    Store::open(&from)?.back_up(&store_file(copy))?;
    Ok(())
}

fn variables(world: &World, ears: &StandIn) -> HashMap<&'static str, String> {
    let own = [
        ("HIGHMOSS_FEED", format!("{}/highmoss.atom", ears.url())),
        ("CATALOGUE_HOOK_KEY", HOOK_KEY.to_owned()),
        ("BUILD_URL", format!("{}/build", ears.url())),
        ("BUILD_KEY", BUILD_KEY.to_owned()),
        ("CHAT_URL", format!("{}/chat", ears.url())),
    ];
    world.variables().into_iter().chain(own).collect()
}

impl Hour<'_> {
    /// The hour's story; the hub is asked to end at its end, however that comes.
    async fn tell(&self, left: &Path) -> Result<(), Failure> {
        let told = self.story(left).await;
        self.asked.end();
        told
    }

    async fn story(&self, left: &Path) -> Result<(), Failure> {
        self.until("it listens", || self.listens().is_some()).await?;
        let at = self.listens().unwrap_or_default();
        writeln!(out(), "\n# An editor saves a plant, and the catalogue calls.")?;
        self.world.plants.edit_text("p-002", "common_name", "eng", SAVED);
        let began = Instant::now();
        self.call(&at, "p-002").await?;
        self.until("the page is live", || self.shows(SAVED)).await?;
        let passed = began.elapsed().as_millis();
        self.until("the build is called", || self.newsroom.builds().len() == 1).await?;
        self.until("the chat is told", || !self.newsroom.chat().is_empty()).await?;
        writeln!(out(), "  The page was live {passed} ms after it was saved; the build was called once.")?;
        writeln!(out(), "\n# Two more are saved, and nobody calls: they come in with the next pull.")?;
        for (id, name) in [("p-003", "Marsh Fern of the north ditch"), ("p-010", "Cotton-grass, common")] {
            self.world.plants.edit_text(id, "common_name", "eng", name);
        }
        for _ in 0..STEPS {
            let ahead =
                AHEAD.load(Ordering::Relaxed).saturating_add(i64::try_from(STEP.as_millis()).unwrap_or_default());
            AHEAD.store(ahead, Ordering::Relaxed);
            self.asked.look();
            // What became due has its time to be done before the clock goes on.
            tokio::time::sleep(Duration::from_millis(250)).await;
        }
        self.until("the pages are live", || self.shows("Cotton-grass, common")).await?;
        self.until("the alert is told", || self.newsroom.chat().iter().any(|said| said.contains("highmoss"))).await?;
        self.until("the build is called again", || self.newsroom.builds().len() >= 2).await?;
        writeln!(out(), "\n# In the chat:")?;
        for said in self.newsroom.chat() {
            writeln!(out(), "  {}", one_line(&said))?;
        }
        writeln!(
            out(),
            "The build was called {} times: once a run that changed something.\n",
            self.newsroom.builds().len()
        )?;
        let page = Url::parse(&format!("{at}/?still")).map_err(|error| Failure::failed(error.to_string()))?;
        let client = Client::new(name("page")?, usual_limits(), None)?;
        let page = client.read(&client.request(Method::Get, page)).await?;
        Ok(std::fs::write(left.join("status.html"), page.body)?)
    }

    fn listens(&self) -> Option<String> {
        let said = self.said.borrow();
        said.iter().find_map(|line| line.strip_prefix("listening at ").map(str::to_owned))
    }

    fn shows(&self, heading: &str) -> bool {
        self.world.pages.rows().iter().any(|page| page["status"] == "live" && page["heading"] == heading)
    }

    /// Calls as the catalogue does when an editor saves.
    async fn call(&self, at: &str, id: &str) -> Result<(), Failure> {
        let url = Url::parse(&format!("{at}/hooks/catalogue")).map_err(|error| Failure::failed(error.to_string()))?;
        let key = Secret::new(SecretReference::Variable("CATALOGUE_HOOK_KEY".to_owned()), HOOK_KEY.to_owned());
        let catalogue = PostRecipient::new(name("catalogue")?, Reached { url, ca_bundle: None }, None, Some(key))?;
        let body = json!({ "id": id }).to_string();
        let telling =
            Telling { id: "saved-1", second: now().as_second(), media: "application/json", headers: &[], body: &body };
        Ok(diaporos_systems::told::Recipient::Post(Box::new(catalogue)).tell(telling).await?)
    }

    async fn until(&self, what: &str, holds: impl Fn() -> bool) -> Result<(), Failure> {
        for _ in 0..1_500 {
            if holds() {
                return Ok(());
            }
            tokio::time::sleep(Duration::from_millis(10)).await;
        }
        Err(Failure::failed(format!("the demo waited in vain till {what}")))
    }
}

fn name(text: &str) -> Result<SystemName, Failure> {
    SystemName::new(text).map_err(|error| Failure::failed(error.to_string()))
}
