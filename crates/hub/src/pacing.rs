//! What several machines ask of a system together, kept in the store that they share.

use std::fmt;
use std::sync::{Mutex, PoisonError};
use std::time::Duration;

use diaporos_core::value::SystemName;
use diaporos_store::{Store, StorePlace};
use diaporos_systems::http::Together;

/// The pace that the store keeps for all its processes. It is asked by a connection of its own, from the first request on.
pub(crate) struct StorePacing {
    place: StorePlace,
    /// What this process is called there.
    name: String,
    store: Mutex<Option<Store>>,
}

impl StorePacing {
    pub(crate) fn at(place: StorePlace) -> StorePacing {
        StorePacing { place, name: format!("{:016x}", fastrand::u64(..)), store: Mutex::default() }
    }

    /// Asks the store; none where it cannot be had, of which whatever works with it tells more.
    fn ask<T>(&self, ask: impl FnOnce(&mut Store) -> Result<T, diaporos_store::StoreError>) -> Option<T> {
        let mut store = self.store.lock().unwrap_or_else(PoisonError::into_inner);
        if store.is_none() {
            *store = Store::open_for_change(&self.place).ok();
        }
        ask(store.as_mut()?).inspect_err(|error| tracing::warn!("the pace cannot be told: {error}")).ok()
    }
}

impl Together for StorePacing {
    fn reserve(&self, system: &SystemName, many: u32, between: Duration) -> Option<Duration> {
        self.ask(|store| store.reserve_turns(system, many, between))
    }

    fn share(&self, system: &SystemName, by: u64, limit: usize, held: usize, idle: usize) -> Option<usize> {
        let own = format!("{}/{by}", self.name);
        self.ask(|store| store.share_places(system, &own, limit, (held, idle)))
    }
}

impl fmt::Debug for StorePacing {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "the pace kept at {}", self.place)
    }
}

impl Drop for StorePacing {
    fn drop(&mut self) {
        let store = self.store.get_mut().unwrap_or_else(PoisonError::into_inner);
        if let Some(store) = store {
            // Where it cannot be given back, it ends by itself.
            let _ = store.give_back_places(&self.name);
        }
    }
}
