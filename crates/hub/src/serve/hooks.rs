//! The hooks of a hub that runs: who may call, how often, and what is counted of it.

use std::collections::BTreeMap;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError, RwLock};

use diaporos_core::value::SystemName;
use diaporos_systems::hook::Hook;
use jiff::{SignedDuration, Timestamp};

use crate::config::Config;
use crate::{ConnectError, Connector};

/// A hook that can be called.
pub(super) struct OpenHook {
    pub(super) system: SystemName,
    pub(super) hook: Hook,
    /// Since when calls are counted against its rate, and how many came.
    window: Mutex<(Timestamp, u32)>,
}

impl OpenHook {
    /// Counts a call; how many seconds to wait where there were too many.
    pub(super) fn admit(&self, now: Timestamp) -> Result<(), u64> {
        let Some(rate) = self.hook.settings().rate else { return Ok(()) };
        let within = SignedDuration::try_from(rate.within).unwrap_or(SignedDuration::MAX);
        let mut window = self.window.lock().unwrap_or_else(PoisonError::into_inner);
        let passed = now.duration_since(window.0);
        // A clock that was set back begins anew.
        if passed >= within || passed.is_negative() {
            *window = (now, 0);
        }
        if window.1 >= rate.requests {
            let left = within - now.duration_since(window.0);
            return Err(left.as_secs().max(0).unsigned_abs() + 1);
        }
        window.1 += 1;
        Ok(())
    }
}

/// The hooks by name; others may be put in their place while calls come in.
#[derive(Clone, Default)]
pub(super) struct Hooks(Arc<RwLock<Arc<BTreeMap<String, OpenHook>>>>);

impl Hooks {
    /// The hooks of a configuration, with their secrets.
    ///
    /// # Errors
    /// Where a secret cannot be had.
    pub(super) fn set(&self, config: &Config, connector: &Connector<'_>) -> Result<(), ConnectError> {
        let mut hooks = BTreeMap::new();
        for (name, known) in &config.hooks {
            let hook = connector.hook(known)?;
            let window = Mutex::new((Timestamp::UNIX_EPOCH, 0));
            hooks.insert(name.clone(), OpenHook { system: known.system.clone(), hook, window });
        }
        *self.0.write().unwrap_or_else(PoisonError::into_inner) = Arc::new(hooks);
        Ok(())
    }

    /// The hooks as they are now.
    pub(super) fn now(&self) -> Arc<BTreeMap<String, OpenHook>> {
        Arc::clone(&self.0.read().unwrap_or_else(PoisonError::into_inner))
    }
}

/// What is counted of calls; no caller makes it grow.
#[derive(Debug, Default)]
pub struct CallCounts {
    /// Kept.
    pub taken: AtomicU64,
    /// Kept before, by their ids.
    pub repeated: AtomicU64,
    /// Concerning nobody here.
    pub ignored: AtomicU64,
    /// Not from whom they should be.
    pub refused: AtomicU64,
    /// By a name that no hook has.
    pub unknown: AtomicU64,
    /// Making no sense.
    pub senseless: AtomicU64,
    /// With too large a body, or one that came too slowly.
    pub too_large: AtomicU64,
    /// Too many.
    pub too_many: AtomicU64,
    /// Not kept, because the store failed.
    pub failed: AtomicU64,
}

impl CallCounts {
    pub(super) fn count(of: &AtomicU64) {
        of.fetch_add(1, Ordering::Relaxed);
    }

    /// Every count with its word.
    #[must_use]
    pub fn words(&self) -> [(&'static str, u64); 9] {
        [
            ("taken", &self.taken),
            ("repeated", &self.repeated),
            ("ignored", &self.ignored),
            ("refused", &self.refused),
            ("unknown", &self.unknown),
            ("senseless", &self.senseless),
            ("too_large", &self.too_large),
            ("too_many", &self.too_many),
            ("failed", &self.failed),
        ]
        .map(|(word, count)| (word, count.load(Ordering::Relaxed)))
    }
}
