//! The hooks of the configuration.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings::Section;
use diaporos_core::value::SystemName;
use diaporos_systems::hook::{HookSettings, hook};
use indexmap::IndexMap;

use super::SystemConfig;

/// A hook of the configuration.
#[derive(Debug, Clone)]
pub struct HookConfig {
    /// The system whose entries it tells of.
    pub system: SystemName,
    /// From whom calls come, and what they say.
    pub settings: HookSettings,
}

/// Reads the hooks, by name.
pub(super) fn hooks(
    file: &mut Section<'_>,
    systems: &IndexMap<SystemName, Option<SystemConfig>>,
    report: &mut Report,
) -> IndexMap<String, HookConfig> {
    let mut hooks = IndexMap::new();
    let Some(mut section) = file.section("hooks", report) else { return hooks };
    for name in section.names() {
        let Some(mut table) = section.named_section(&name.value, report) else { continue };
        if !name.value.chars().all(|c| c.is_ascii_alphanumeric() || matches!(c, '-' | '_')) || name.value.is_empty() {
            let message = format!("`{}` cannot name a hook: letters, digits, `-` and `_` only", name.value);
            report.add(Diagnostic::error(Code::BadValue, name.span, message));
            continue;
        }
        let item = table.text("system", report);
        let settings = hook(&mut table, report);
        table.finish(report);
        let Some(item) = item else { continue };
        let known = systems.keys().find(|known| known.as_str() == item.value.as_str());
        let Some(system) = known else {
            let finding =
                Diagnostic::error(Code::BadValue, item.span, format!("there is no system `{}`", item.value.as_str()));
            report.add(finding.suggest(item.value.as_str(), systems.keys().map(SystemName::as_str)));
            continue;
        };
        if let Some(settings) = settings {
            hooks.insert(name.value, HookConfig { system: system.clone(), settings });
        }
    }
    hooks
}
