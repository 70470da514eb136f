//! The state of a hub as metrics (OpenMetrics 1.0).

use diaporos_store::{Leased, Store, StoreError};
use jiff::Timestamp;
use prometheus_client::encoding::text::encode;
use prometheus_client::metrics::counter::Counter;
use prometheus_client::metrics::family::Family;
use prometheus_client::metrics::gauge::Gauge;
use prometheus_client::registry::Registry;

use crate::look::status;
use crate::serve::shared::Shared;

type Labels = Vec<(String, String)>;
type Gauges = Family<Labels, Gauge>;

fn labels(pairs: &[(&str, &str)]) -> Labels {
    pairs.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect()
}

fn whole(count: u64) -> i64 {
    i64::try_from(count).unwrap_or(i64::MAX)
}

/// The metrics as they are scraped.
///
/// # Errors
/// Where the store fails.
pub(super) fn metrics(shared: &Shared, store: &Store, now: Timestamp) -> Result<String, StoreError> {
    let config = shared.config();
    let mut registry = Registry::with_prefix("diaporos");
    let entries = Gauges::default();
    registry.register("entries", "Entries of a lane by where they stand", entries.clone());
    for (lane, counts) in status(&config, store)? {
        for (standing, count) in counts.unwrap_or_default() {
            let labels = labels(&[("lane", lane.lane.name.as_str()), ("standing", standing.word())]);
            entries.get_or_create(&labels).set(whole(count));
        }
    }
    let (age, failures) = (Gauges::default(), Gauges::default());
    registry.register("well_age_seconds", "Seconds since a pull or a push last went well", age.clone());
    registry.register("failures", "Failures in a row of a pull or a push", failures.clone());
    let work = store.work()?;
    let systems = config.systems.keys().map(|name| (Leased::System(name.clone()), "system", name.as_str()));
    let lanes = config.lanes.keys().map(|name| (Leased::Lane(name.clone()), "lane", name.as_str()));
    for (what, label, name) in systems.chain(lanes) {
        let Some(last) = work.get(&what.to_string()) else { continue };
        let labels = labels(&[(label, name)]);
        failures.get_or_create(&labels).set(i64::from(last.failures));
        if let Some(well) = last.well {
            age.get_or_create(&labels).set(now.duration_since(well).as_secs());
        }
    }
    let calls = Family::<Labels, Counter>::default();
    registry.register("calls", "Calls from outside since serve began, by what became of them", calls.clone());
    for (word, count) in shared.counts.words() {
        calls.get_or_create(&labels(&[("outcome", word)])).inc_by(count);
    }
    let waiting = store.waiting()?;
    let gauge = |registry: &mut Registry, name: &str, help: &str, value: i64| {
        let gauge = Gauge::<i64>::default();
        gauge.set(value);
        registry.register(name, help, gauge);
    };
    gauge(&mut registry, "calls_waiting", "Calls that wait to be looked at", whole(waiting.events));
    gauge(&mut registry, "jobs", "Pulls and pushes that run now", whole(shared.running().len() as u64));
    gauge(&mut registry, "started_seconds", "When serve began, in seconds since 1970", shared.started.as_second());
    gauge(&mut registry, "store_bytes", "Size of the store", whole(store.size()?.0));
    let alerts = Gauges::default();
    registry.register("alerts", "Alerts that are open, by kind", alerts.clone());
    for row in store.alerts(None)? {
        alerts.get_or_create(&labels(&[("kind", &row.kind)])).inc();
    }
    let mut text = String::new();
    // A text takes whatever is written to it.
    let _ = encode(&mut text, &registry);
    Ok(text)
}
