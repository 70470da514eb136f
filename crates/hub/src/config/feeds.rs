//! The feeds of a system.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings::{Section, TextOrTable};
use diaporos_core::value::SystemName;
use diaporos_systems::feed::{ItemChoice, Medium};

use super::limits::duration;
use super::reference::{PlaceText, place};

/// A feed of the configuration.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FeedConfig {
    /// The name under which its items are told apart.
    pub name: String,
    /// Where it is.
    pub place: PlaceText,
    /// Whether it is pulled.
    pub on: bool,
    /// Which of its items are taken.
    pub wanted: ItemChoice,
}

/// Reads the feeds: each an address, or a table with more to say.
pub(super) fn feeds(table: &mut Section<'_>, report: &mut Report) -> Option<Vec<FeedConfig>> {
    let Some(mut section) = table.section("feeds", report) else {
        if !table.has("feeds") {
            table.missing("feeds", report);
        }
        return None;
    };
    let mut feeds = Vec::new();
    for name in section.names() {
        if let Err(error) = SystemName::new(name.value.clone()) {
            let message = format!("`{}` cannot name a feed: {error}", name.value);
            report.add(Diagnostic::error(Code::BadValue, name.span, message));
            continue;
        }
        match section.named_shape(&name.value, report) {
            None => {}
            Some(TextOrTable::Text(item)) => {
                let place = place(&item, report);
                feeds.extend(place.map(|place| FeedConfig {
                    name: name.value,
                    place,
                    on: true,
                    wanted: ItemChoice::default(),
                }));
            }
            Some(TextOrTable::Table(mut table)) => {
                feeds.extend(feed(name.value, &mut table, report));
                table.finish(report);
            }
        }
    }
    Some(feeds)
}

fn feed(name: String, table: &mut Section<'_>, report: &mut Report) -> Option<FeedConfig> {
    let place = table.required_text("at", report).and_then(|item| place(&item, report));
    let on = table.boolean("on", report).unwrap_or(true);
    let mut media = Vec::new();
    for item in table.texts("only", report).unwrap_or_default() {
        match Medium::WORDS.iter().find(|(word, _)| *word == item.value) {
            Some((_, medium)) => media.push(*medium),
            None => {
                let message = format!("`{}` is not a kind of item", item.value);
                let finding = Diagnostic::error(Code::BadValue, item.span, message);
                report.add(finding.suggest(&item.value, Medium::WORDS.map(|(word, _)| word)));
            }
        }
    }
    let newest = duration(table, "newest", report);
    let label = table.text("label", report).map(|item| item.value.as_str().to_owned());
    Some(FeedConfig { name, place: place?, on, wanted: ItemChoice { media, newest, label } })
}
