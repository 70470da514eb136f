//! The hub's configuration: `diaporos.toml` and the profiles it names.

mod alerting;
mod amendments;
mod briefs;
mod described;
mod ends;
mod expression;
mod hooks;
mod house_form;
mod keeping;
mod lane_checks;
mod lanes;
mod library;
mod models;
mod outputs;
mod own;
mod own_model;
mod pushed;
mod renditions;
mod return_lane;
mod rules;
mod services;
mod serving;
mod store;
mod systems;
mod table;
mod tells;
mod views;
mod words;

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use diaporos_core::change::{Fingerprint, fingerprint_texts};
use diaporos_core::diagnostic::{Code, Diagnostic, Report, Source};
use diaporos_core::expr::Library;
use diaporos_core::lane::{Amendments, Lane, Target};
use diaporos_core::model::Model;
use diaporos_core::settings::{Section, read_toml};
use diaporos_core::value::{LaneName, LanguageTag, SystemName, TypeName};
use diaporos_store::{StoreError, StorePlace};
use diaporos_systems::settings::HubFiles;
use diaporos_systems::{KINDS, Kind};
use indexmap::IndexMap;
use jiff::Timestamp;

pub use alerting::Alerting;
pub use amendments::{AMENDMENTS, AMENDMENTS_FILE, NamedAmendments, block, read_amendments};
pub(crate) use briefs::hundred_thousandths;
pub use briefs::{Back, Brief, BriefField, BriefRules, BriefTimes, Carrier, Machine, MachineText, Outdated, Rates};
pub use described::CONFIGURATION;
pub use hooks::HookConfig;
pub use house_form::{Rewritten, house_form};
pub use keeping::{Keeping, Kept};
pub use models::{KeptModels, model_file};
pub use outputs::{FeedConfig, FeedFields, FeedForm, OutputConfig, PageConfig, Slash};
pub use own::{Fills, ListConfig, NodeEntries, OutlineConfig, OutlineSource};
pub use own_model::OWN;
pub use pushed::{ByHand, Pushed, Pushing};
pub use services::ServiceConfig;
pub use serving::Serving;
pub use store::{StoreSetting, Variables, own_folder, server_at, store_file};
pub use systems::SystemConfig;
pub use tells::{Shape, TellConfig, TellWay, Topic};
pub use views::View;
pub use words::{WORD, is_of_words};

/// The name of the configuration file.
pub const FILE: &str = "diaporos.toml";

/// The configuration of a hub, whole and checked.
#[derive(Debug, Clone)]
pub struct Config {
    /// The hub's folder.
    pub folder: PathBuf,
    /// The systems, in the order of the file.
    pub systems: IndexMap<SystemName, SystemConfig>,
    /// The lanes, in the order of the file.
    pub lanes: IndexMap<LaneName, ConfiguredLane>,
    /// The briefs, in the order of the file.
    pub briefs: IndexMap<String, Brief>,
    /// The hooks, in the order of the file.
    pub hooks: IndexMap<String, HookConfig>,
    /// Where `serve` listens.
    pub serving: Serving,
    /// When a person is told of something.
    pub alerting: Alerting,
    /// How long what is no longer needed is kept.
    pub keeping: Keeping,
    /// Where the store is.
    pub store: StoreSetting,
    /// Who is told, in the order of the file.
    pub tells: IndexMap<SystemName, TellConfig>,
    /// The views, in the order of the file.
    pub views: IndexMap<String, View>,
    /// The lists, in the order of the file.
    pub lists: IndexMap<String, ListConfig>,
    /// The outlines, in the order of the file.
    pub outlines: IndexMap<String, OutlineConfig>,
    /// The outputs, in the order of the file.
    pub outputs: IndexMap<String, OutputConfig>,
    /// The services in between, in the order of the file.
    pub services: IndexMap<String, Arc<ServiceConfig>>,
    /// What people decided of entries, by name.
    pub amendments: NamedAmendments,
    /// What the expressions share.
    pub library: Arc<Library>,
    /// The models that the hub keeps.
    pub kept: KeptModels,
}

/// A lane with what its destination takes.
#[derive(Debug, Clone)]
pub struct ConfiguredLane {
    /// The lane.
    pub lane: Lane,
    /// What the destination type takes.
    pub target: Target,
    /// Changes with every change of what the lane delivers.
    pub definition: Fingerprint,
    /// The lanes that lead to the same system, this one among them.
    pub siblings: Vec<LaneName>,
    /// The model of the source system, as far as it is known.
    pub source: Model,
    /// The template by which a mapped entry is shown as a page, within the hub's folder.
    pub template: Option<PathBuf>,
    /// The languages in which translations go back on it to the very entries that they are of.
    pub returns: Option<Vec<LanguageTag>>,
    /// When it is pushed, and by whom.
    pub pushing: Pushing,
    /// What people decided of entries.
    pub amendments: Arc<Amendments>,
    /// The services whose fields it reads.
    pub services: Vec<Arc<ServiceConfig>>,
    /// The lanes by which words of its fields become documents at the destination.
    pub words: BTreeMap<LaneName, Arc<Lane>>,
}

impl ConfiguredLane {
    /// A lane with what its destination takes and what is known of its source, and nothing beside.
    fn of(lane: Lane, (target, source): (Target, Model), pushing: Pushing, now: Timestamp) -> ConfiguredLane {
        ConfiguredLane {
            definition: lane.definition(&target, now),
            lane,
            target,
            siblings: Vec::new(),
            source,
            template: None,
            returns: None,
            pushing,
            amendments: Arc::default(),
            services: Vec::new(),
            words: BTreeMap::new(),
        }
    }

    /// Whether it makes documents of words, which are then left as they are.
    #[must_use]
    pub fn is_of_words(&self) -> bool {
        is_of_words(&self.lane.from)
    }

    /// Gives it what people decided of entries, and what of that is about it: part of what it delivers.
    fn amend(&mut self, amendments: Arc<Amendments>, said: &[String]) {
        if !said.is_empty() {
            let own = self.definition.to_string();
            self.definition = fingerprint_texts(std::iter::once(own.as_str()).chain(said.iter().map(String::as_str)));
        }
        self.amendments = amendments;
    }
}

/// The fields that entries of a type were seen with, for types whose fields are not declared.
pub type SeenFields<'a> = &'a dyn Fn(&SystemName, &TypeName) -> Vec<String>;

/// What became of reading the configuration.
#[derive(Debug)]
pub struct Loaded {
    /// The configuration, where nothing in it stops the hub.
    pub config: Option<Config>,
    /// A report per file in which something was found.
    pub reports: Vec<Report>,
}

/// Reads the configuration of the hub in a folder, with every fault in it.
///
/// # Errors
/// Where `diaporos.toml` itself cannot be read.
pub fn load(folder: &Path, seen: SeenFields<'_>, now: Timestamp) -> Result<Loaded, std::io::Error> {
    load_with(KINDS, folder, seen, now)
}

/// Reads the configuration of a hub whose systems are of these kinds.
///
/// # Errors
/// Where `diaporos.toml` itself cannot be read.
pub fn load_with(
    kinds: &[&dyn Kind],
    folder: &Path,
    seen: SeenFields<'_>,
    now: Timestamp,
) -> Result<Loaded, std::io::Error> {
    let text = std::fs::read_to_string(folder.join(FILE))?;
    let source = Source { name: FILE.to_owned(), text };
    let (mut profile_reports, mut amendment_reports): (Vec<Report>, Vec<Report>) = (Vec::new(), Vec::new());
    let (read, report) = read_toml(source, &CONFIGURATION, |file, report| {
        let mut files = HubFiles { folder, reports: &mut profile_reports };
        let systems = systems::systems(file, kinds, &mut files, report);
        // A lane is held against profiles; while one of them is faulty that would only echo it.
        let profiles_are_sound = !profile_reports.iter().any(Report::has_errors);
        let kept = models::kept_models(folder, systems.keys(), &mut profile_reports);
        let library = Arc::new(library::library(file, folder, report));
        own::refuse_its_name(file, &systems, report);
        let around =
            ends::Around { systems: &systems, seen, library: &library, kept: &kept, profiles_are_sound, folder, now };
        let services = services::services(file, &around, report);
        let (mut lanes, briefs) = lanes_and_briefs(file, &around, &services, report);
        warn_of_no_system(&systems, report);
        // What reads the systems comes before what takes them.
        let config = Config {
            amendments: amendments::amend(folder, &mut lanes, &mut amendment_reports),
            folder: folder.to_owned(),
            lanes,
            services,
            briefs,
            hooks: hooks::hooks(file, &systems, report),
            serving: serving::serving(file, &systems, report),
            alerting: alerting::alerting(file, report),
            keeping: keeping::keeping(file, report),
            store: store::store(file, report),
            tells: tells::tells(file, (folder, &library), report),
            views: views::views(file, &library, report),
            lists: own::lists(file, &around, report),
            outlines: own::outlines(file, &around, report),
            outputs: outputs::outputs(file, (folder, &systems), report),
            systems: systems.into_iter().filter_map(|(name, known)| Some((name, known?))).collect(),
            library,
            kept,
        };
        if !report.has_errors() {
            config.warn_of_unused(file, report);
        }
        Some(config)
    });
    let mut reports = vec![report];
    reports.extend(profile_reports.into_iter().chain(amendment_reports));
    let sound = !reports.iter().any(Report::has_errors);
    reports.retain(|report| !report.findings.is_empty());
    Ok(Loaded { config: read.filter(|_| sound), reports })
}

/// The lanes, with those by which translations of briefs return.
fn lanes_and_briefs(
    file: &mut Section<'_>,
    around: &ends::Around<'_>,
    services: &services::ServiceConfigs,
    report: &mut Report,
) -> (IndexMap<LaneName, ConfiguredLane>, IndexMap<String, Brief>) {
    let mut lanes = lanes::lanes(file, (around, services), report);
    let briefs = briefs::briefs(file, around, report);
    for brief in briefs.values() {
        return_lane::add_return(file, brief, around, &mut lanes, report);
    }
    (lanes, briefs)
}

fn warn_of_no_system(systems: &ends::Systems, report: &mut Report) {
    if systems.is_empty() && !report.has_errors() {
        let finding = Diagnostic::warning(Code::MissingKey, 0..0, "no system is configured");
        report.add(finding.help("add a table `[systems.NAME]`"));
    }
}

impl Config {
    /// Warns of functions and tables that no expression uses.
    fn warn_of_unused(&self, file: &Section<'_>, report: &mut Report) {
        let of_lanes = self.lanes.values().flat_map(|lane| lane.lane.expressions());
        let of_briefs = self.briefs.values().filter_map(|brief| brief.when.as_ref());
        let of_views = self.views.values().filter_map(|view| view.holds.as_ref());
        let of_own = own::expressions(&self.lists, &self.outlines);
        let of_services = self.services.values().flat_map(|service| service.holds.iter().chain(service.send.values()));
        let of_tells = self.tells.values().flat_map(|tell| tell.when.iter().chain(tell.body.values()));
        let uses = of_lanes
            .map(|(_, expression)| expression)
            .chain(of_briefs)
            .chain(of_views)
            .chain(of_tells)
            .chain(of_own)
            .chain(of_services);
        library::warn_of_unused(file, &self.library, uses.map(|expression| &expression.program.uses), report);
    }

    /// The briefs whose texts an agency translates.
    pub fn briefs_of<'a>(&'a self, agency: &'a SystemName) -> impl Iterator<Item = &'a Brief> {
        self.briefs.values().filter(move |brief| brief.is_carried_by(agency))
    }

    /// Lanes, and after them those by which words of their fields become documents.
    #[must_use]
    pub fn with_words<'a>(&'a self, lanes: Vec<&'a ConfiguredLane>) -> Vec<&'a ConfiguredLane> {
        let mut all = lanes.clone();
        for name in lanes.iter().flat_map(|lane| lane.words.keys()) {
            if let Some(maker) = self.lanes.get(name)
                && !all.iter().any(|lane| lane.lane.name == *name)
            {
                all.push(maker);
            }
        }
        all
    }

    /// Where the store is.
    ///
    /// # Errors
    /// Where its address cannot be had or read.
    pub fn store_place(&self, variable: Variables<'_>) -> Result<StorePlace, StoreError> {
        self.store.place(&self.folder, variable)
    }

    /// The folder in which this machine keeps what is the hub's own.
    #[must_use]
    pub fn own_folder(&self) -> PathBuf {
        own_folder(&self.folder)
    }
}

/// The model of a system, from its declaration, from what is kept, or, of the one type, from what was
/// seen.
fn model_with_seen(
    declared: &Model,
    (system, kind): (&SystemName, &TypeName),
    kept: &KeptModels,
    seen: SeenFields<'_>,
) -> Model {
    let mut model = declared.clone();
    for (end, of) in kept.iter().filter(|(end, _)| end.system == *system) {
        if model.get(&end.kind).is_none() {
            model.types.insert(end.kind.clone(), of.clone());
        }
    }
    if model.get(kind).is_none() {
        let names = seen(system, kind);
        if !names.is_empty() {
            let fields = names.into_iter().map(|name| (name, diaporos_core::model::Field::default())).collect();
            model.types.insert(kind.clone(), diaporos_core::model::EntryType { fields });
        }
    }
    model
}

#[cfg(test)]
mod tests;
