//! The subscriptions by which hubs call, for whoever listens.

use std::collections::HashMap;
use std::sync::{Arc, PoisonError, RwLock};

use diaporos_store::Subscription;

/// The subscriptions by the token by which hubs call, as far as they are known here.
#[derive(Clone, Default)]
pub(super) struct KnownHubs(Arc<RwLock<HashMap<String, Subscription>>>);

impl KnownHubs {
    pub(super) fn set(&self, all: Vec<Subscription>) {
        let all = all.into_iter().filter(|one| one.hub.is_some()).map(|one| (one.token.clone(), one)).collect();
        *self.0.write().unwrap_or_else(PoisonError::into_inner) = all;
    }

    pub(super) fn known(&self, token: &str) -> Option<Subscription> {
        self.0.read().unwrap_or_else(PoisonError::into_inner).get(token).cloned()
    }
}
