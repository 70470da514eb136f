//! Who carries a brief's batches: an agency that is reached itself, or people, from and to a folder.

use std::path::PathBuf;

use diaporos_core::translate::UnitFormat;
use diaporos_core::value::LanguageTag;
use diaporos_store::{BatchRow, BatchStanding, Store, UnitStanding};
use diaporos_systems::agency::Agency;
use jiff::Timestamp;

use super::collect::{Collected, Collector, FileSource, UnitRow, batch_told, returned_files};
use super::files::{UnitFile, write_out};
use super::machine::{Asker, MachineTally};
use super::progress::tallies;
use super::quote::{Quoted, settle};
use super::send::{Sent, keep_in_house, send, send_to_folder};
use super::{BatchError, ConnectError};
use crate::Connector;
use crate::config::{Brief, Carrier, Config};

/// A carrier that can be reached.
enum Way {
    /// An agency.
    Agency(Box<Agency>),
    /// A folder.
    Folder(PathBuf),
    /// Nobody: people of the house review what the machine makes.
    InHouse,
}

/// What became of sending a batch.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Sending {
    /// Where it went.
    pub sent: Sent,
    /// What came of asking a machine, where one was asked.
    pub machine: Option<MachineTally>,
    /// How it stands with the agency's price, where it says one.
    pub quoted: Option<Quoted>,
}

/// How a brief's batches go out, and come back.
pub struct Carrying {
    way: Way,
    machine: Option<Asker>,
}

/// What is told of a collection.
pub trait CollectListener {
    /// A unit wants to be seen to, or something is to be known of it.
    fn unit(&mut self, row: UnitRow);
    /// A file was looked at.
    fn file(&mut self, name: &str, collected: Collected);
}

impl Carrying {
    /// The carrier of a batch, whose languages have one.
    ///
    /// # Errors
    /// Where the agency cannot be set up.
    pub fn of(
        config: &Config,
        connector: &Connector<'_>,
        (brief, batch): (&Brief, &BatchRow),
    ) -> Result<Carrying, ConnectError> {
        let way = match brief.carrier_of(&batch.into) {
            Carrier::Folder(folder) => Way::Folder(config.folder.join(folder)),
            Carrier::Agency(name) => Way::Agency(Box::new(connector.agency(name)?)),
            Carrier::InHouse => Way::InHouse,
        };
        Ok(Carrying { way, machine: None })
    }

    /// Files that are put into a folder, whoever carries those of the brief otherwise.
    #[must_use]
    pub fn to_folder(folder: PathBuf) -> Carrying {
        Carrying { way: Way::Folder(folder), machine: None }
    }

    /// The same with the brief's machine, which is asked before a batch is sent. Without it, what it gave before still
    /// stands in files.
    ///
    /// # Errors
    /// Where the machine cannot be set up.
    pub fn asking(self, connector: &Connector<'_>, brief: &Brief) -> Result<Carrying, ConnectError> {
        let machine = brief.machine.as_ref().map(|machine| connector.machine(machine)).transpose()?;
        Ok(Carrying { machine: machine.map(|service| Asker { service }), ..self })
    }

    /// Sends a batch, once its machine was asked where it has one.
    ///
    /// # Errors
    /// Where the agency or the machine fails, or a file cannot be written; sending again goes on.
    pub async fn send(
        &self,
        store: &mut Store,
        brief: &Brief,
        batch: &mut BatchRow,
        clock: &(dyn Fn() -> Timestamp + Sync),
    ) -> Result<Sending, BatchError> {
        let is_open = matches!(batch.standing, BatchStanding::Made | BatchStanding::Sending);
        let is_parted = brief.by_carrier(&batch.into).len() > 1 && !matches!(self.way, Way::Folder(_));
        if is_open && is_parted {
            return Err(BatchError::Standing(format!(
                "the languages of `{}` have different carriers by now; cancel it, and make it anew",
                batch.name
            )));
        }
        let machine = match (&self.machine, &brief.machine) {
            (Some(asker), Some(machine)) if is_open => Some(asker.ask(store, (brief, machine), batch, clock).await?),
            _ => None,
        };
        let sent = match &self.way {
            Way::Agency(agency) => send(store, agency, brief, batch, clock).await,
            Way::Folder(folder) => send_to_folder(store, folder, brief, batch, clock()),
            Way::InHouse => keep_in_house(store, batch, clock()),
        };
        let sent = sent?;
        let quoted = match &self.way {
            Way::Agency(agency) => settle(agency, brief, batch).await?,
            _ => None,
        };
        Ok(Sending { sent, machine, quoted })
    }

    /// Accepts what the agency asks for a batch that was sent, where the brief does so by itself.
    ///
    /// # Errors
    /// Where the agency fails.
    pub(super) async fn settle(&self, brief: &Brief, batch: &BatchRow) -> Result<Option<Quoted>, BatchError> {
        match &self.way {
            Way::Agency(agency) => settle(agency, brief, batch).await,
            _ => Ok(None),
        }
    }

    /// Collects what lies in the folder, or is ready at the agency. Files that were collected before are looked
    /// at once more where that is wished.
    ///
    /// # Errors
    /// Where the agency fails, or the store; what was accepted before stays.
    pub async fn collect(
        &self,
        collector: &mut Collector<'_>,
        again: bool,
        listener: &mut dyn CollectListener,
    ) -> Result<(), BatchError> {
        match &self.way {
            Way::InHouse => {
                for into in &collector.batch.into {
                    let mut bytes = Vec::new();
                    let mut file = UnitFile { format: UnitFormat::Xliff2, to: &mut bytes };
                    if write_out(collector.store, collector.brief, collector.batch, into, &mut file)? > 0 {
                        let name = format!("{}, {into}", collector.batch.name);
                        take(collector, &FileSource::Bytes(name, bytes), again, listener)?;
                    }
                }
            }
            Way::Folder(folder) => {
                for source in returned_files(folder)? {
                    // A folder holds what came back of every batch.
                    if !matches!(batch_told(&source)?, Ok(Some(told)) if told != collector.batch.name) {
                        take(collector, &source, again, listener)?;
                    }
                }
            }
            Way::Agency(agency) => {
                let Some(order) = collector.batch.order_there.clone() else { return Ok(()) };
                let (here, _) = tallies(collector.store, collector.batch.clone())?;
                let is_done = |tag: &LanguageTag| {
                    let tally = here.languages.iter().find(|tally| tally.language == *tag);
                    tally.is_some_and(|tally| tally.units(UnitStanding::Accepted) == tally.all())
                };
                for there in agency.progress(&order).await? {
                    let tag = there.language;
                    if !there.is_ready || !collector.batch.into.contains(&tag) || is_done(&tag) {
                        continue;
                    }
                    let bytes = agency.download(&order, &tag).await?;
                    let name = format!("{}, {tag}", collector.batch.name);
                    take(collector, &FileSource::Bytes(name, bytes), again, listener)?;
                }
            }
        }
        Ok(())
    }
}

/// Collects a file.
///
/// # Errors
/// Where the store fails, or the file cannot be opened.
pub fn take(
    collector: &mut Collector<'_>,
    source: &FileSource,
    again: bool,
    listener: &mut dyn CollectListener,
) -> Result<(), BatchError> {
    let collected = collector.file(source, again, &mut |row| listener.unit(row))?;
    listener.file(&source.name(), collected);
    Ok(())
}
