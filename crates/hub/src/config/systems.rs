//! The systems of the configuration.

use std::ops::Deref;
use std::sync::Arc;

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::schedule::Schedule;
use diaporos_core::settings::Section;
use diaporos_core::value::SystemName;
use diaporos_systems::http::{Limits, is_loopback};
use diaporos_systems::settings::{
    HubFiles, NetworkConfig, PlaceText, Quiet, credentials_end, limits, network, quiet, times,
};
use diaporos_systems::{Kind, System};
use indexmap::IndexMap;
use jiff::Timestamp;

/// A system of the configuration.
#[derive(Debug, Clone)]
pub struct SystemConfig {
    /// What its kind makes of its settings.
    system: Arc<dyn System>,
    /// What is asked of it at most.
    pub limits: Limits,
    /// How it is reached.
    pub network: NetworkConfig,
    /// When `serve` pulls it; never where nothing is said.
    pub pulled: Option<Schedule>,
    /// When its credentials end, where that is said.
    pub credentials_end: Option<Timestamp>,
    /// How long it may be quiet.
    pub quiet: Quiet,
}

impl Deref for SystemConfig {
    type Target = dyn System;

    fn deref(&self) -> &Self::Target {
        &*self.system
    }
}

impl SystemConfig {
    /// Reports a credential that would cross plain http to another machine.
    fn in_clear(&self, table: &Section<'_>, report: &mut Report) {
        let (credentials, places) = (self.credentials(), self.places());
        if self.network.plain_http || (credentials.read.is_none() && credentials.write.is_none()) {
            return;
        }
        let Some((_, PlaceText::Plain(text))) = places.first() else { return };
        if url::Url::parse(text).is_ok_and(|url| url.scheme() == "http" && !is_loopback(&url)) {
            let span = table.place(&["url"]).unwrap_or_else(|| table.span());
            let finding =
                Diagnostic::error(Code::PlainHttp, span, "a credential would cross plain http to another machine");
            report.add(finding.help("use https; where the network between is safe, say `plain_http = true`"));
        }
    }

    /// Whether there is anything to pull.
    #[must_use]
    pub fn can_be_read(&self) -> bool {
        match self.profile() {
            None => true,
            Some(profile) => profile.type_names().any(|kind| profile.reads(kind)),
        }
    }
}

/// Reads the systems. A faulty one is there without its configuration, so that lanes can tell a
/// faulty system from an unknown one.
pub(super) fn systems(
    file: &mut Section<'_>,
    kinds: &[&dyn Kind],
    files: &mut HubFiles<'_>,
    report: &mut Report,
) -> IndexMap<SystemName, Option<SystemConfig>> {
    let mut systems = IndexMap::new();
    let Some(mut section) = file.section("systems", report) else { return systems };
    for name in section.names() {
        let system = match SystemName::new(name.value.clone()) {
            Ok(system) => system,
            Err(error) => {
                let message = format!("`{}` cannot name a system: {error}", name.value);
                report.add(Diagnostic::error(Code::BadValue, name.span, message));
                continue;
            }
        };
        let Some(mut table) = section.named_section(&name.value, report) else { continue };
        let config = one_system(&mut table, kinds, files, report);
        systems.insert(system, config);
    }
    systems
}

fn one_system(
    table: &mut Section<'_>,
    kinds: &[&dyn Kind],
    files: &mut HubFiles<'_>,
    report: &mut Report,
) -> Option<SystemConfig> {
    let word = table.text("kind", report)?;
    let kind = kinds.iter().find(|kind| kind.word() == word.value.as_str());
    if let Some(kind) = kind {
        table.is(kind.settings());
    }
    let limits = limits(table, report);
    let network = network(table, files.folder, report);
    let pulled = times(table, report);
    let credentials_end = credentials_end(table, report);
    let quiet = quiet(table, report);
    let Some(kind) = kind else {
        let other = word.value.as_str();
        let finding = Diagnostic::error(Code::BadValue, word.span, format!("`{other}` is not a kind of system"));
        report.add(finding.suggest(other, kinds.iter().map(|kind| kind.word())));
        return None;
    };
    let system = kind.read_settings(table, files, report);
    table.finish(report);
    let config = SystemConfig { system: system?.into(), limits, network, pulled, credentials_end, quiet: quiet? };
    config.in_clear(table, report);
    Some(config)
}
