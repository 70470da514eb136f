//! The conditions of a lane: who goes, what is required, what is protected.

use diaporos_core::diagnostic::Report;
use diaporos_core::lane::Rule;
use diaporos_core::settings::Section;

use super::expression::Expressions;

/// The keys of a kind of rule.
pub(super) struct RuleKeys {
    table: &'static str,
    condition: &'static str,
    message: &'static str,
}

/// `[lanes.NAME.require]`: what must hold.
pub(super) const REQUIRE: RuleKeys = RuleKeys { table: "require", condition: "that", message: "message" };
/// `[lanes.NAME.protect]`: what is never withdrawn or overwritten.
pub(super) const PROTECT: RuleKeys = RuleKeys { table: "protect", condition: "when", message: "why" };

/// Reads the rules of one kind; none where one of them is wrong.
pub(super) fn rules(
    lane: &mut Section<'_>,
    keys: &RuleKeys,
    expressions: &mut Expressions<'_>,
    report: &mut Report,
) -> Option<Vec<Rule>> {
    let Some(mut section) = lane.section(keys.table, report) else {
        return if lane.has(keys.table) { None } else { Some(Vec::new()) };
    };
    let mut rules = Vec::new();
    let mut sound = true;
    for name in section.names() {
        let Some(mut table) = section.named_section(&name.value, report) else {
            sound = false;
            continue;
        };
        let read = table.text(keys.condition, report);
        let read = read.and_then(|item| expressions.condition(&item, report));
        let message = table.text(keys.message, report);
        table.finish(report);
        match read.zip(message) {
            Some((condition, message)) => {
                rules.push(Rule { name: name.value, condition, message: message.value.as_str().to_owned() });
            }
            None => sound = false,
        }
    }
    sound.then_some(rules)
}
