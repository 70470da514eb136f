//! Kind `feed`: what the configuration says of it.

use diaporos_core::diagnostic::Report;
use diaporos_core::model::Model;
use diaporos_core::settings::{Section, Table};

use super::settings::{FEEDS, FeedConfig, feeds};
use super::{FeedSource, Feeds, model};
use crate::Read;
use crate::http::Client;
use crate::kind::{Kind, System};
use crate::settings::{HubFiles, OF_ALL, PlaceText};
use crate::setup::{ConnectError, DocumentPlace, Setup};
use crate::websub::Subscriber;

static SYSTEM: Table =
    Table::new("system of kind feed", &[OF_ALL[0], OF_ALL[1], OF_ALL[2], OF_ALL[3], OF_ALL[4], FEEDS]);

/// Feeds: RSS, RDF, Atom and JSON Feed.
#[derive(Debug)]
pub struct Feed;

impl Kind for Feed {
    fn word(&self) -> &'static str {
        "feed"
    }

    fn settings(&self) -> &'static Table {
        &SYSTEM
    }

    fn read_settings(
        &self,
        table: &mut Section<'_>,
        _: &mut HubFiles<'_>,
        report: &mut Report,
    ) -> Option<Box<dyn System>> {
        let subscribe = table.boolean("subscribe", report);
        Some(Box::new(FeedSystem { feeds: feeds(table, report)?, subscribe }))
    }
}

/// Feeds, each under a name.
#[derive(Debug)]
struct FeedSystem {
    feeds: Vec<FeedConfig>,
    /// Whether their hubs are to call.
    subscribe: bool,
}

impl FeedSystem {
    /// The feeds that are read.
    fn on(&self) -> impl Iterator<Item = &FeedConfig> {
        self.feeds.iter().filter(|feed| feed.on)
    }
}

impl System for FeedSystem {
    fn model(&self) -> &Model {
        model()
    }

    fn places(&self) -> Vec<(String, &PlaceText)> {
        self.feeds.iter().map(|feed| (format!("the feed {}", feed.name), &feed.place)).collect()
    }

    fn feeds(&self) -> Option<Vec<(String, &PlaceText)>> {
        let title = |feed: &FeedConfig| feed.wanted.label.clone().unwrap_or_else(|| feed.name.clone());
        Some(self.feeds.iter().map(|feed| (title(feed), &feed.place)).collect())
    }

    fn reader(&self, setup: &dyn Setup) -> Result<Box<dyn Read>, ConnectError> {
        let sources = self.on().map(|feed| {
            let place = setup.document(&feed.place)?;
            let credential = match &place {
                DocumentPlace::Web(url) => setup.credential(url, feed.read.as_ref())?,
                DocumentPlace::File(_) => None,
            };
            Ok((FeedSource { name: feed.name.clone(), place, wanted: feed.wanted.clone() }, credential))
        });
        let sources = sources.collect::<Result<_, ConnectError>>()?;
        Ok(Box::new(Feeds::new(setup.name().clone(), sources, setup.limits()?)?))
    }

    fn subscribed(&self) -> Vec<&str> {
        self.on().filter(|_| self.subscribe).map(|feed| feed.name.as_str()).collect()
    }

    fn subscriber(&self, setup: &dyn Setup) -> Result<Subscriber, ConnectError> {
        let client = Client::new(setup.name().clone(), setup.limits()?, None)?;
        let mut feeds = Vec::new();
        for feed in self.on() {
            // A file calls nobody.
            if let DocumentPlace::Web(url) = setup.document(&feed.place)? {
                let credential = setup.credential(&url, feed.read.as_ref())?;
                feeds.push((feed.name.clone(), url, client.for_credential(credential)));
            }
        }
        Ok(Subscriber::new(feeds))
    }
}
