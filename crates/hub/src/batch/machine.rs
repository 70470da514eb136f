//! Asking a machine for translations before people work on a batch. What it gave is kept: a text is asked about once,
//! whatever batch it is in.

use diaporos_core::change::fingerprint_texts;
use diaporos_core::translate::{Block, Inline, Tag, Unit, nearness_of};
use diaporos_core::value::{LanguageTag, Value};
use diaporos_store::{BatchRow, BatchUnit, Origin, Store, StoreError, UnitStanding};
use diaporos_systems::service::Service;
use diaporos_systems::{ErrorKind, SystemError};
use futures::StreamExt;
use jiff::Timestamp;
use jiff::tz::TimeZone;

use super::BatchError;
use super::price::Price;
use crate::config::{Brief, Machine, MachineText};

/// Texts that are read together.
const TOGETHER: usize = 500;
/// The most texts without a translation that are named.
const NAMED: usize = 50;
/// By what values of machines are kept; their content tells them apart.
const KEPT_BY: &str = "machine";

/// What came of asking a machine.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct MachineTally {
    /// Texts that it was asked about.
    pub asked: u64,
    /// The characters that it was sent.
    pub characters: u64,
    /// Texts that it was asked about before.
    pub known: u64,
    /// Texts that have no translation of it: how many, and the first of them with why.
    pub without: (u64, Vec<(String, String)>),
    /// What it costs.
    pub price: Option<Price>,
}

/// A machine that can be asked.
#[derive(Debug)]
pub(super) struct Asker {
    pub(super) service: Service,
}

/// A text that is open.
struct Question {
    text: MachineText,
    source: Inline,
    tags: Vec<Tag>,
    name: String,
}

/// How asking goes.
struct Asking<'a> {
    service: &'a Service,
    machine: &'a Machine,
    store: &'a mut Store,
    clock: &'a (dyn Fn() -> Timestamp + Sync),
    tally: MachineTally,
    /// Texts without an answer, which may come yet, and why.
    unanswered: (u64, Option<String>),
    failures: u32,
    is_over: bool,
}

/// From which language into which.
type Languages<'a> = (&'a LanguageTag, &'a LanguageTag);

impl Asker {
    /// Asks about the texts of a batch that are still to be translated.
    ///
    /// # Errors
    /// Where the machine fails, or may not be asked any more today. What it gave is kept; asking again goes on.
    pub(super) async fn ask(
        &self,
        store: &mut Store,
        (brief, machine): (&Brief, &Machine),
        batch: &BatchRow,
        clock: &(dyn Fn() -> Timestamp + Sync),
    ) -> Result<MachineTally, BatchError> {
        let (tally, unanswered) = (MachineTally::default(), (0, None));
        let mut asking =
            Asking { service: &self.service, machine, store, clock, tally, unanswered, failures: 0, is_over: false };
        for into in &batch.into {
            asking.ask_into(batch, into).await?;
        }
        let Asking { mut tally, unanswered: (unanswered, why), .. } = asking;
        tally.price = machine.price(tally.characters).map(|(currency, sum)| Price::rounded(currency, sum));
        if unanswered > 0 {
            let why = why.unwrap_or_default();
            return Err(BatchError::Machine { brief: brief.name.clone(), batch: batch.name.clone(), unanswered, why });
        }
        Ok(tally)
    }
}

impl Asking<'_> {
    async fn ask_into(&mut self, batch: &BatchRow, into: &LanguageTag) -> Result<(), BatchError> {
        let languages = (&batch.from, into);
        let mut after = 0;
        loop {
            let page = self.store.batch_units(batch.number, into, after, TOGETHER)?;
            let Some(last) = page.last() else { return Ok(()) };
            after = last.text;
            let open = page.into_iter().map(|unit| self.question(unit, languages));
            let open = open.filter_map(Result::transpose).collect::<Result<Vec<_>, StoreError>>()?;
            self.ask_about(open, languages).await?;
        }
    }

    /// What is to be asked about a unit; nothing of one that is known, or that the machine is not asked about.
    fn question(&mut self, unit: BatchUnit, languages: Languages<'_>) -> Result<Option<Question>, StoreError> {
        if !is_asked_about(self.machine, &unit, languages.1) {
            return Ok(None);
        }
        let Unit { source, tags, name, .. } = unit.unit;
        let Some(text) = self.machine.text(&source, &tags, languages) else {
            self.without(&name, "it has tags or placeholders, and the machine takes plain text".to_owned());
            return Ok(None);
        };
        let Some((given, _)) = self.store.service_value(KEPT_BY, &text.content)? else {
            return Ok(Some(Question { text, source, tags, name }));
        };
        self.tally.known += 1;
        if let Err(why) = self.machine.made_of(&given, &source, &tags) {
            self.without(&name, unusable(&why));
        }
        Ok(None)
    }

    /// Asks about texts, so many in a request as the machine takes. A request that is refused is made anew for each of
    /// its texts.
    async fn ask_about(&mut self, mut open: Vec<Question>, languages: Languages<'_>) -> Result<(), BatchError> {
        let mut requests = Vec::new();
        while !open.is_empty() {
            let rest = open.split_off(self.machine.together.min(open.len()));
            requests.push(std::mem::replace(&mut open, rest));
        }
        while !requests.is_empty() {
            self.within_what_it_may_be_asked(&mut requests)?;
            let (service, machine) = (self.service, self.machine);
            let mut waiting = requests.iter().map(Vec::len).sum::<usize>() as u64;
            let sent = requests.into_iter().map(|questions| async move {
                let answer = answers((service, machine), &questions, languages).await;
                (questions, answer)
            });
            let mut answers = futures::stream::iter(sent).buffer_unordered(service.max_in_flight());
            requests = Vec::new();
            while let Some((questions, answer)) = answers.next().await {
                waiting -= questions.len() as u64;
                match answer {
                    Ok(values) => self.keep(&questions, values)?,
                    Err(error) => requests.extend(self.failed(questions, &error)),
                }
                if self.is_over {
                    self.unanswered.0 += waiting;
                    break;
                }
            }
        }
        Ok(())
    }

    /// Leaves out what may not be asked any more today, or is not asked after too many failures.
    fn within_what_it_may_be_asked(&mut self, requests: &mut Vec<Vec<Question>>) -> Result<(), StoreError> {
        let day = TimeZone::UTC.to_datetime((self.clock)()).date().to_string();
        let wanted = requests.len() as u64;
        let taken = match self.is_over {
            true => 0,
            false => self.store.take_questions((self.machine.system.as_str(), &day), wanted, self.machine.a_day)?,
        };
        let left = requests.split_off(usize::try_from(taken).unwrap_or(usize::MAX).min(requests.len()));
        if !left.is_empty() {
            self.unanswered.0 += left.iter().map(Vec::len).sum::<usize>() as u64;
            let most = self.machine.a_day.unwrap_or_default();
            let why = format!("it may be asked {most} times a day (`a_day`), and was");
            self.unanswered.1.get_or_insert(why);
        }
        Ok(())
    }

    /// What a failure is taken for. Gives what is asked anew, each text by itself.
    fn failed(&mut self, questions: Vec<Question>, error: &SystemError) -> Vec<Vec<Question>> {
        let is_about_texts = match &error.kind {
            ErrorKind::Status { status, .. } => *status < 500,
            ErrorKind::Content(_) => questions.len() > 1,
            _ => false,
        };
        match questions.as_slice() {
            [one] if is_about_texts => {
                self.without(&one.name, error.kind.to_string());
                return Vec::new();
            }
            _ if is_about_texts => return questions.into_iter().map(|question| vec![question]).collect(),
            _ => {}
        }
        self.unanswered.0 += questions.len() as u64;
        self.unanswered.1.get_or_insert_with(|| error.to_string());
        self.failures += 1;
        self.is_over = self.failures >= self.service.failure_limit();
        Vec::new()
    }

    fn keep(&mut self, questions: &[Question], values: Vec<Value>) -> Result<(), StoreError> {
        self.failures = 0;
        let now = (self.clock)();
        for (question, value) in questions.iter().zip(values) {
            self.tally.asked += 1;
            self.tally.characters += question.text.sent.chars().count() as u64;
            if let Err(why) = self.machine.made_of(&value, &question.source, &question.tags) {
                self.without(&question.name, unusable(&why));
            }
            self.store.keep_service_value((KEPT_BY, &question.text.content), &value, now)?;
        }
        Ok(())
    }

    fn without(&mut self, name: &str, why: String) {
        self.tally.without.0 += 1;
        if self.tally.without.1.len() < NAMED {
            self.tally.without.1.push((name.to_owned(), why));
        }
    }
}

async fn answers(
    (service, machine): (&Service, &Machine),
    questions: &[Question],
    languages: Languages<'_>,
) -> Result<Vec<Value>, SystemError> {
    let texts: Vec<&str> = questions.iter().map(|question| question.text.sent.as_str()).collect();
    let members = machine.question(&texts, languages);
    let contents: Vec<String> = questions.iter().map(|question| question.text.content.to_string()).collect();
    let content = fingerprint_texts(contents.iter().map(String::as_str));
    let values = match service.ask(&members, content).await? {
        Value::List(values) => values,
        one => vec![one],
    };
    if values.len() != questions.len() {
        let told = format!("it was sent {} texts and answered with {}", questions.len(), values.len());
        return Err(service.error(ErrorKind::Content(told)));
    }
    Ok(values)
}

fn unusable(why: &str) -> String {
    format!("what the machine made of it cannot be used: {why}")
}

fn is_asked_about(machine: &Machine, unit: &BatchUnit, into: &LanguageTag) -> bool {
    let context = &unit.unit.context;
    let near = context.near.first().map(|near| near.percent);
    let earlier = context.earlier.as_ref().and_then(|(said, _)| nearness_of(&unit.unit.source, said, 1));
    let percent = near.max(earlier.map(|near| near.percent));
    unit.origin != Origin::Repeated && unit.standing == UnitStanding::Out && machine.is_for(into, percent)
}

/// What the machine made of a unit, where that is known and can be used.
pub(super) fn suggestion(
    store: &Store,
    brief: &Brief,
    unit: &BatchUnit,
    into: &LanguageTag,
) -> Result<Option<Inline>, StoreError> {
    let Some(machine) = brief.machine.as_ref().filter(|machine| is_asked_about(machine, unit, into)) else {
        return Ok(None);
    };
    let (source, tags) = (&unit.unit.source, &unit.unit.tags);
    let Some(text) = machine.text(source, tags, (&brief.from, into)) else { return Ok(None) };
    let given = store.service_value(KEPT_BY, &text.content)?;
    Ok(given.and_then(|(given, _)| machine.made_of(&given, source, tags).ok()))
}

/// The characters that the machine of a brief would be sent for a text; none where it would not be asked.
pub(super) fn characters(
    store: &Store,
    brief: &Brief,
    block: &Block,
    (into, percent): (&LanguageTag, Option<u8>),
) -> Result<u64, StoreError> {
    let Some(machine) = brief.machine.as_ref().filter(|machine| machine.is_for(into, percent)) else { return Ok(0) };
    let Some(text) = machine.text(&block.source, &block.tags, (&brief.from, into)) else { return Ok(0) };
    let is_known = store.service_value(KEPT_BY, &text.content)?.is_some();
    Ok(if is_known { 0 } else { text.sent.chars().count() as u64 })
}
