//! Kind `feed`: what the configuration says of it.

use diaporos_core::diagnostic::Report;
use diaporos_core::model::Model;
use diaporos_core::settings::{Section, Table};

use super::settings::{FEEDS, FeedConfig, feeds};
use super::{FeedSource, Feeds, model};
use crate::Read;
use crate::kind::{Kind, System};
use crate::settings::{HubFiles, OF_ALL, PlaceText};
use crate::setup::{ConnectError, DocumentPlace, Setup};

static SYSTEM: Table = Table::new("system of kind feed", &[OF_ALL[0], OF_ALL[1], OF_ALL[2], OF_ALL[3], FEEDS]);

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
        Some(Box::new(FeedSystem { feeds: feeds(table, report)? }))
    }
}

/// Feeds, each under a name.
#[derive(Debug)]
struct FeedSystem {
    feeds: Vec<FeedConfig>,
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
        let sources = self.feeds.iter().filter(|feed| feed.on).map(|feed| {
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
}
