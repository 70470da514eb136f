//! The demo world: Ostrel Gardens, a made-up network of botanic gardens, and the stand-ins of the
//! systems that hold its content. They listen on loopback only and can be told to fail.

mod agency;
mod answer;
mod archive;
mod bulletins;
mod catalogue;
mod faults;
mod kiosk;
mod machine;
mod newsroom;
mod photographs;
mod phrases;
mod server;
mod slip;
mod translator;
mod visitor_site;

use std::io;
use std::path::Path;

pub use agency::Agency;
pub use archive::{ARCHIVE_KEY, Archive};
pub use catalogue::Catalogue;
pub use faults::{Annexe, Asked, Fault, Noticeboard, PastTheEnd, Rule, Says, Whim};
pub use kiosk::Kiosk;
pub use machine::{MachineSlip, TranslationMachine};
pub use newsroom::Newsroom;
pub use server::StandIn;
pub use slip::{FileSlip, Slip, Spoilt};
pub use visitor_site::VisitorSite;

/// The credentials of the demo world; as made up as the rest.
pub const CATALOGUE_READ_TOKEN: &str = "ostrel-catalogue-reader-7c1f";
/// What the catalogue takes for writing.
pub const CATALOGUE_WRITE_TOKEN: &str = "ostrel-catalogue-editor-40d2";
/// What the visitor site takes for writing.
pub const SITE_WRITE_TOKEN: &str = "ostrel-site-editor-93ab";
/// What the agency takes.
pub const AGENCY_TOKEN: &str = "ostrel-agency-client-51de";

/// What the service of phrases takes.
pub const PHRASES_TOKEN: &str = "ostrel-phrases-client-2e7a";
/// What the machine that translates takes.
pub const MACHINE_TOKEN: &str = "ostrel-machine-client-88f0";

/// The files of the demo's hub.
pub const HUB_FILES: [(&str, &str); 7] = [
    ("diaporos.toml", include_str!("../hub/diaporos.toml")),
    ("profiles/agency.toml", include_str!("../hub/profiles/agency.toml")),
    ("profiles/catalogue.toml", include_str!("../hub/profiles/catalogue.toml")),
    ("profiles/visitor-site.toml", include_str!("../hub/profiles/visitor-site.toml")),
    ("tables/sections.csv", include_str!("../hub/tables/sections.csv")),
    ("tables/terms.csv", include_str!("../hub/tables/terms.csv")),
    (".gitignore", "/.diaporos/\n"),
];

/// The archive, running by itself: for trying each shape in which a source can hand out content.
///
/// # Errors
/// Where no port can be had.
pub async fn start_archive() -> io::Result<(StandIn, Archive)> {
    let archive = Archive::new();
    Ok((StandIn::start(archive::routes(archive.clone())).await?, archive))
}

/// The annexe, running by itself: a listing of so many packets that misbehaves as it is told.
///
/// # Errors
/// Where no port can be had.
pub async fn start_annexe(packets: u64) -> io::Result<(StandIn, Annexe)> {
    let annexe = Annexe::new(packets);
    Ok((StandIn::start(faults::annexe_routes(annexe.clone())).await?, annexe))
}

/// The noticeboard, running by itself: a destination that misbehaves as it is told.
///
/// # Errors
/// Where no port can be had.
pub async fn start_noticeboard() -> io::Result<(StandIn, Noticeboard)> {
    let board = Noticeboard::default();
    Ok((StandIn::start(faults::noticeboard_routes(board.clone())).await?, board))
}

/// What is added to the hub's configuration for the time in which it runs by itself.
pub const RUNNING: &str = include_str!("../hub/running.toml");

/// The newsroom, running by itself: what a running hub has to do with besides.
///
/// # Errors
/// Where no port can be had.
pub async fn start_newsroom() -> io::Result<(StandIn, Newsroom)> {
    let newsroom = Newsroom::default();
    Ok((StandIn::start(newsroom::routes(newsroom.clone())).await?, newsroom))
}

/// All stand-ins, running.
#[derive(Debug)]
pub struct World {
    /// Two gardens' news feeds.
    pub bulletins: StandIn,
    /// The catalogue's server.
    pub catalogue: StandIn,
    /// What the catalogue holds.
    pub plants: Catalogue,
    /// The visitor site's server.
    pub visitor_site: StandIn,
    /// What the site holds.
    pub pages: VisitorSite,
    /// The agency's server.
    pub agency: StandIn,
    /// Its translators.
    pub translators: Agency,
    /// The server of the kiosk's database.
    pub kiosk: StandIn,
    /// What the kiosk holds.
    pub cards: Kiosk,
    /// The server of the service that gives phrases.
    pub phrases: StandIn,
    /// The server of the machine that translates.
    pub machine: StandIn,
    /// What it makes of texts.
    pub translation_machine: TranslationMachine,
}

impl World {
    /// Starts every stand-in on a free loopback port. `made_up` plant profiles are added to the
    /// catalogue's own.
    ///
    /// # Errors
    /// Where no port can be had.
    pub async fn start(made_up: usize) -> io::Result<World> {
        let plants = Catalogue::new(made_up);
        let pages = VisitorSite::new();
        let translators = Agency::default();
        let cards = Kiosk::default();
        let translation_machine = TranslationMachine::default();
        Ok(World {
            bulletins: StandIn::start(bulletins::routes()).await?,
            catalogue: StandIn::start(catalogue::routes(plants.clone())).await?,
            visitor_site: StandIn::start(visitor_site::routes(pages.clone())).await?,
            plants,
            pages,
            agency: StandIn::start(agency::routes(translators.clone())).await?,
            translators,
            kiosk: StandIn::start(kiosk::routes(cards.clone())).await?,
            cards,
            phrases: StandIn::start(phrases::routes()).await?,
            machine: StandIn::start(machine::routes(translation_machine.clone())).await?,
            translation_machine,
        })
    }

    /// The variables that the demo's hub needs, with their values.
    #[must_use]
    pub fn variables(&self) -> Vec<(&'static str, String)> {
        vec![
            ("FERNHOLLOW_FEED", format!("{}/fernhollow.atom", self.bulletins.url())),
            ("TARNSIDE_FEED", format!("{}/tarnside.rss", self.bulletins.url())),
            ("CATALOGUE_URL", self.catalogue.url()),
            ("CATALOGUE_READ_TOKEN", CATALOGUE_READ_TOKEN.to_owned()),
            ("CATALOGUE_WRITE_TOKEN", CATALOGUE_WRITE_TOKEN.to_owned()),
            ("SITE_URL", self.visitor_site.url()),
            ("SITE_WRITE_TOKEN", SITE_WRITE_TOKEN.to_owned()),
            ("AGENCY_URL", self.agency.url()),
            ("AGENCY_TOKEN", AGENCY_TOKEN.to_owned()),
            ("KIOSK_URL", format!("{}/kiosk", self.kiosk.url())),
            ("PHRASES_URL", format!("{}/phrases", self.phrases.url())),
            ("PHRASES_TOKEN", PHRASES_TOKEN.to_owned()),
            ("MACHINE_URL", format!("{}/translate", self.machine.url())),
            ("MACHINE_TOKEN", MACHINE_TOKEN.to_owned()),
        ]
    }
}

/// The files that the guide adds to the demo's hub.
const GUIDE_FILES: [(&str, &str); 6] = [
    ("profiles/kiosk.toml", include_str!("../guide/profiles/kiosk.toml")),
    ("profiles/guide.toml", include_str!("../guide/profiles/guide.toml")),
    ("menu.toml", include_str!("../guide/menu.toml")),
    ("templates/base.html", include_str!("../guide/templates/base.html")),
    ("templates/page.html", include_str!("../guide/templates/page.html")),
    ("templates/front.html", include_str!("../guide/templates/front.html")),
];

/// What is added to the hub's configuration for the guide.
const GUIDE: &str = include_str!("../guide/guide.toml");

/// Adds the guide to the demo's hub in a folder: its system, lane, list, menu, templates, and the plants' photographs.
///
/// # Errors
/// Where a file cannot be read or written.
pub fn add_guide(folder: &Path) -> io::Result<()> {
    for (name, text) in GUIDE_FILES {
        let file = folder.join(name);
        if let Some(parent) = file.parent() {
            std::fs::create_dir_all(parent)?;
        }
        std::fs::write(file, text)?;
    }
    std::fs::create_dir_all(folder.join("guide/data"))?;
    let alter = |name: &str, change: &dyn Fn(String) -> String| {
        let file = folder.join(name);
        std::fs::write(&file, change(std::fs::read_to_string(&file)?))
    };
    let photo =
        "latin_name  = \"text\"\nphoto       = \"asset\"\nphoto_alt   = { kind = \"text\", localised = true }\n";
    alter("profiles/catalogue.toml", &|text| text.replacen("latin_name  = \"text\"\n", photo, 1))?;
    alter("diaporos.toml", &|text| text + GUIDE)
}

/// Writes the demo's hub into a folder; files that are there stay as they are.
///
/// # Errors
/// Where a file cannot be written.
pub fn write_hub(folder: &Path) -> io::Result<()> {
    for (name, text) in HUB_FILES {
        let file = folder.join(name);
        if let Some(parent) = file.parent() {
            std::fs::create_dir_all(parent)?;
        }
        if !file.exists() {
            std::fs::write(file, text)?;
        }
    }
    Ok(())
}
