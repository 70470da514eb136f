//! The conditions of a lane: who goes, what is required, what is protected.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::expr::types::{Kinds, Languages};
use diaporos_core::expr::{KnownFields, Library, Slots};
use diaporos_core::lane::{FieldExpression, Rule};
use diaporos_core::settings::{InnerText, Item, Section};

use super::expression::expression;

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
    known: Option<KnownFields<'_>>,
    library: &Library,
    slots: &mut Slots,
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
        let read = table.required_text(keys.condition, report);
        let read = read.and_then(|item| condition(&item, known, library, slots, report));
        let message = table.required_text(keys.message, report);
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

/// Reads a condition, which must have one answer.
pub(super) fn condition(
    item: &Item<InnerText>,
    known: Option<KnownFields<'_>>,
    library: &Library,
    slots: &mut Slots,
    report: &mut Report,
) -> Option<FieldExpression> {
    let read = expression(item, known, library, slots, report)?;
    let gives = &read.program.gives;
    let finding = |message: String| {
        Diagnostic::error(Code::ExpressionType, item.value.in_file(0..item.value.as_str().len()), message)
    };
    let kinds = gives.kinds.without(Kinds::NULL);
    if !gives.loose && kinds.without(Kinds::BOOLEAN) != Kinds::NONE {
        report.add(finding(format!("a condition must be true or false, not {}", gives.clone().without_null())));
        return None;
    }
    if gives.languages == Languages::Each {
        let help = "choose a language, as in `title@en`";
        report.add(finding("a condition needs one answer, and this has one per language".to_owned()).help(help));
        return None;
    }
    Some(read)
}
