//! Services that are asked about entries before these are planned.

use std::collections::{BTreeMap, HashMap};

use diaporos_core::change::Fingerprint;
use diaporos_core::lane::Mapped;
use diaporos_core::value::Value;
use diaporos_store::{Due, StoreError};
use diaporos_systems::SystemError;
use futures::StreamExt;
use jiff::Timestamp;
use jiff::tz::TimeZone;

use super::PushError;
use super::flow::Flow;
use crate::mapping::{Question, map, still_to_ask};

/// The entries that a service gave nothing for, with why.
pub(super) type Ungiven = HashMap<i64, String>;

/// What is to be asked, once for each content.
type Open = BTreeMap<(String, Fingerprint), Question>;

impl Flow<'_, '_, '_> {
    /// Asks services about the entries of a window that go, about each content once. A dry run only counts what would
    /// be asked. Gives the entries that lack what they need.
    pub(super) async fn ask_services(&mut self, due: &[Due], now: Timestamp) -> Result<Ungiven, PushError> {
        let lane = self.push.lane;
        let mut ungiven = Ungiven::new();
        if lane.services.is_empty() {
            return Ok(ungiven);
        }
        let (mut open, mut of_entry) = (Open::new(), Vec::new());
        for due in due {
            let (questions, fault) = still_to_ask(self.push.store, lane, &due.entry)?;
            if (questions.is_empty() && fault.is_none()) || !self.may_go(due, now)? {
                continue;
            }
            ungiven.extend(fault.map(|fault| (due.number, fault)));
            for question in questions {
                let key = (question.service.name.clone(), question.content);
                of_entry.push((due.number, key.clone()));
                open.insert(key, question);
            }
        }
        if self.options.dry_run {
            open.retain(|key, _| self.questions.insert(key.clone()));
            self.tally.asked += open.len() as u64;
            return Ok(Ungiven::new());
        }
        let failed = self.ask_each(open, now).await?;
        for (entry, key) in of_entry {
            if let Some(why) = failed.get(&key) {
                ungiven.entry(entry).or_insert_with(|| why.clone());
            }
        }
        Ok(ungiven)
    }

    /// Whether an entry may go: about one that does not, nobody is asked.
    fn may_go(&self, due: &Due, now: Timestamp) -> Result<bool, StoreError> {
        let lane = self.push.lane;
        Ok(lane.goes_by_services() || !matches!(map(self.push.store, lane, due, now)?.mapped, Mapped::Outside))
    }

    /// Asks what is open, service by service, within what each may be asked. Gives what was not answered, with why.
    async fn ask_each(
        &mut self,
        open: Open,
        now: Timestamp,
    ) -> Result<BTreeMap<(String, Fingerprint), String>, PushError> {
        let mut failed = BTreeMap::new();
        let mut by_service: BTreeMap<String, Vec<Question>> = BTreeMap::new();
        for ((name, _), question) in open {
            by_service.entry(name).or_default().push(question);
        }
        let day = TimeZone::UTC.to_datetime(now).date().to_string();
        for (name, mut questions) in by_service {
            let Some(service) = self.push.services.get(&name) else { continue };
            let Some(config) = questions.first().map(|question| question.service.clone()) else { continue };
            let mut fail = |question: &Question, why: String| {
                if config.otherwise.is_none() {
                    failed.insert((name.clone(), question.content), why);
                }
            };
            let failures = self.failures.entry(name.clone()).or_default();
            if *failures >= service.failure_limit() {
                let why =
                    format!("the service `{name}` failed {failures} times in a row, and is asked no more by this push");
                questions.iter().for_each(|question| fail(question, why.clone()));
                continue;
            }
            let wanted = questions.len() as u64;
            let left = self.push.store.take_questions((&name, &day), wanted, config.a_day)?;
            for question in questions.drain(usize::try_from(left).unwrap_or(usize::MAX).min(questions.len())..) {
                let most = config.a_day.unwrap_or_default();
                fail(&question, format!("the service `{name}` may be asked {most} times a day (`a_day`), and was"));
            }
            let asked = questions.into_iter().map(|question| async move {
                let answer = service.ask(&question.members, question.content).await;
                (question, answer)
            });
            let mut answers = futures::stream::iter(asked).buffered(service.max_in_flight());
            while let Some((question, answer)) = answers.next().await {
                self.tally.asked += 1;
                let answer: Result<Value, SystemError> = answer;
                match answer {
                    Ok(value) => {
                        *failures = 0;
                        self.push.store.keep_service_value((&name, &question.content), &value, now)?;
                    }
                    Err(error) => {
                        *failures += 1;
                        fail(&question, error.to_string());
                    }
                }
            }
        }
        Ok(failed)
    }
}
