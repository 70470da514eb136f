//! The feeds of a system.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings;
use diaporos_core::settings::forms::{DURATION, TEXT};
use diaporos_core::settings::{Form, Section, Setting, Table, TextOrTable, words};
use diaporos_core::value::SystemName;

use super::{ItemChoice, Medium};
use crate::settings::forms::DOCUMENT;
use crate::settings::{CREDENTIAL, CredentialReference, PlaceText, credential, duration, place};

/// A feed of the configuration.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct FeedConfig {
    /// The name under which its items are told apart.
    pub(super) name: String,
    /// Where it is.
    pub(super) place: PlaceText,
    /// Whether it is pulled.
    pub(super) on: bool,
    /// Which of its items are taken.
    pub(super) wanted: ItemChoice,
    /// The credential that it is read with.
    pub(super) read: Option<CredentialReference>,
}

/// What is said of feeds.
pub(super) const FEEDS: &[Setting] = settings![
    subscribe: Form::Boolean, usual "false", "whether `serve` subscribes to the feeds that offer it (WebSub), so that their hub calls when they publish; needs `public` in `[serve]`", "true";
    feeds: Form::Named(&Form::Either(&DOCUMENT, &Form::Table(&FEED))), required, "the feeds, each under a name by which its items are told apart", "{ fernhollow = \"https://fernhollow.example/news.atom\", tarnside = \"file:tarnside.rss\" }";
];
static FEED: Table = Table::new(
    "feed",
    &[settings![
        at: DOCUMENT, required, "where it is", "https://tarnside.example/audio.xml";
        label: TEXT, none, "what people call it", "The tarn";
        only: Form::List(&Form::Word { what: "a kind of item", of: || words(&Medium::WORDS) }), none, "which of its items are taken; all without it", "[\"audio\"]";
        newest: DURATION, none, "how old an item may be that is taken", "90d";
        read: Form::Table(&CREDENTIAL), none, "the credential that it is read with; it goes to the feed's own host alone", "{ bearer = \"env:TARNSIDE_READ_TOKEN\" }";
        on: Form::Boolean, usual "true", "whether it is pulled", "false";
    ]],
);

/// Reads the feeds: each an address, or a table with more to say.
pub(crate) fn feeds(table: &mut Section<'_>, report: &mut Report) -> Option<Vec<FeedConfig>> {
    let mut section = table.section("feeds", report)?;
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
                    read: None,
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
    let place = table.text("at", report).and_then(|item| place(&item, report));
    let on = table.boolean("on", report);
    let media = table.words("only", &Medium::WORDS, report);
    let newest = duration(table, "newest", report);
    let label = table.string("label", report);
    let read = credential(table, "read", report);
    Some(FeedConfig { name, place: place?, on, wanted: ItemChoice { media, newest, label }, read })
}
