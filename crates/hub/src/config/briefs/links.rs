//! Where links lead, by language.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings::{Item, Section};
use diaporos_core::translate::{LinkRule, Links};
use diaporos_core::value::Value;

/// Reads the table of links; none where something is wrong with it, which is said.
pub(super) fn links(table: &mut Section<'_>, report: &mut Report) -> Option<Links> {
    let Some(mut section) = table.section("links", report) else { return Some(Links::default()) };
    let mut rules = Vec::new();
    for name in section.names() {
        let Some(item) = section.named_value(&name.value) else { continue };
        let span = item.span.clone();
        match rule(name.value, item) {
            Ok(rule) => rules.push(rule),
            Err(message) => {
                report.add(Diagnostic::error(Code::BadValue, span, message));
                return None;
            }
        }
    }
    Some(Links::new(rules))
}

fn rule(from: String, item: Item<Value>) -> Result<LinkRule, String> {
    if from.is_empty() {
        return Err("an empty text begins every link".to_owned());
    }
    match item.value {
        Value::Text(any) => Ok(LinkRule { from, by_language: Vec::new(), any: Some(any) }),
        Value::Record(by_language) => {
            let own = |(language, start): (&str, &Value)| {
                let language = language.parse().map_err(|error| format!("{error}"))?;
                let start = start.as_text().ok_or_else(|| format!("where `{from}` leads in {language} is a text"))?;
                Ok((language, start.to_owned()))
            };
            let by_language = by_language
                .iter()
                .map(|(language, start)| own((language.as_ref(), start)))
                .collect::<Result<_, String>>()?;
            Ok(LinkRule { from, by_language, any: None })
        }
        _ => Err(format!("where `{from}` leads is a text with `{{language}}`, or a table by language")),
    }
}
