//! The destination as the push talks to it.

use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use async_trait::async_trait;
use diaporos_core::lane::Documents;
use diaporos_core::model::EntryType;
use diaporos_core::plan::{Existing, Lack, Order, Presence, Response, Written};
use diaporos_core::value::{EntryId, LanguageTag, Revision, SystemName, TypeName};
use diaporos_systems::asset::Asset;
use diaporos_systems::http::{Method, Request};
use diaporos_systems::{ErrorKind, SystemError, Write};
use tokio::sync::Notify;

use crate::world::World;

/// The destination, and how the process learns that it is dead.
#[derive(Clone)]
pub(crate) struct Site {
    world: Arc<Mutex<World>>,
    pub(crate) died: Arc<Notify>,
    documents: Documents,
    in_flight: usize,
}

impl Site {
    pub(crate) fn new(world: World, languages: bool) -> Site {
        let documents = if languages { Documents::PerLanguage } else { Documents::One };
        Site { world: Arc::new(Mutex::new(world)), died: Arc::default(), documents, in_flight: 3 }
    }

    /// The same destination, as another process meets it, which sends one request at a time.
    pub(crate) fn of_another(&self) -> Site {
        Site { died: Arc::default(), in_flight: 1, ..self.clone() }
    }

    pub(crate) fn world(&self) -> MutexGuard<'_, World> {
        self.world.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// A step of the process. Where it dies here, nothing comes after it.
    pub(crate) async fn step(&self) {
        tokio::task::yield_now().await;
        let is_over = self.world().step().is_err();
        if is_over {
            self.died.notify_one();
            std::future::pending::<()>().await;
        }
    }

    fn lost(&self) -> SystemError {
        self.failed(ErrorKind::TimedOut(Duration::from_secs(1)))
    }
}

#[async_trait]
impl Write for Site {
    fn documents(&self, _: &TypeName) -> Option<Documents> {
        Some(self.documents.clone())
    }

    fn fields(&self, _: &TypeName) -> Option<&EntryType> {
        None
    }

    fn max_in_flight(&self, _: &TypeName) -> usize {
        self.in_flight
    }

    fn failure_limit(&self) -> u32 {
        1_000
    }

    fn place(&self) -> String {
        "http://site.example/".to_owned()
    }

    fn failed(&self, kind: ErrorKind) -> SystemError {
        SystemError { system: SystemName::new("site").unwrap(), url: self.place(), kind }
    }

    fn settles_within(&self) -> Duration {
        Duration::from_secs(5)
    }

    fn guards(&self, _: &TypeName, revision: Option<&Revision>) -> bool {
        self.world().has_versions() && revision.is_some()
    }

    async fn find(
        &self,
        _: &TypeName,
        key: &str,
        language: Option<&LanguageTag>,
    ) -> Result<Vec<Existing>, SystemError> {
        self.step().await;
        let found = self.world().find(key, language);
        found.map_err(|()| self.lost())
    }

    async fn read(&self, _: &TypeName, id: &EntryId) -> Result<Option<Existing>, SystemError> {
        self.step().await;
        let found = self.world().read(id);
        found.map_err(|()| self.lost())
    }

    fn request(&self, _: &TypeName, order: &Order) -> Result<Request, SystemError> {
        let method = if order.id().is_some() { Method::Patch } else { Method::Post };
        Ok(Request::new(method, self.place().parse().unwrap()))
    }

    fn shows_apart(&self, _: &TypeName) -> bool {
        self.world().shows_apart()
    }

    async fn write(&self, kind: &TypeName, order: &Order, attempt: &str) -> Result<Written, SystemError> {
        let written = self.save_unseen(kind, order, attempt).await?;
        let Some(id) = written.id.clone().filter(|_| self.shows_apart(kind) && order.fields().is_some()) else {
            return Ok(written);
        };
        let show = Order::Show { id, revision: written.revision.clone() };
        match self.save_unseen(kind, &show, attempt).await {
            Ok(shown) => Ok(Written { revision: shown.revision, ..written }),
            // What was saved is there, whatever became of this.
            Err(_) => Ok(Written { presence: Presence::Unseen, ..written }),
        }
    }

    async fn save_unseen(&self, _: &TypeName, order: &Order, _: &str) -> Result<Written, SystemError> {
        self.step().await;
        let response = self.world().write(order);
        self.step().await;
        let kind = match response {
            Response::Done(written) => return Ok(written),
            Response::Lost => return Err(self.lost()),
            Response::NotDone => ErrorKind::Throttled { after: None },
            Response::Differs => ErrorKind::Differs { status: 412, message: String::new() },
            Response::Absent => ErrorKind::NotFound,
            Response::Locked => ErrorKind::Locked { message: String::new() },
            Response::Refused => ErrorKind::Refused(String::new()),
        };
        Err(self.failed(kind))
    }

    async fn deliver_asset(&self, _: &TypeName, _: &Asset) -> Result<EntryId, SystemError> {
        Err(self.failed(ErrorKind::Refused("it takes no files".to_owned())))
    }

    async fn make(&self, _: &TypeName, _: &Lack) -> Result<(), SystemError> {
        Err(self.failed(ErrorKind::Refused("it makes nothing".to_owned())))
    }
}
