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
#[derive(Default)]
struct Course {
    tally: MachineTally,
    /// Texts without an answer, which may come yet, and why.
    unanswered: (u64, Option<String>),
    failures: u32,
    is_over: bool,
}

impl Course {
    fn without(&mut self, name: &str, why: String) {
        self.tally.without.0 += 1;
        if self.tally.without.1.len() < NAMED {
            self.tally.without.1.push((name.to_owned(), why));
        }
    }
}

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
        let mut course = Course::default();
        for into in &batch.into {
            let languages = (&batch.from, into);
            let mut after = 0;
            loop {
                let page = store.batch_units(batch.number, into, after, TOGETHER)?;
                let Some(last) = page.last() else { break };
                after = last.text;
                let open = page.into_iter().map(|unit| question(store, machine, unit, languages, &mut course));
                let open = open.filter_map(Result::transpose).collect::<Result<Vec<_>, StoreError>>()?;
                self.ask_about(store, machine, open, (languages, clock), &mut course).await?;
            }
        }
        let Course { mut tally, unanswered: (unanswered, why), .. } = course;
        tally.price = machine.price(tally.characters).map(|(currency, sum)| Price::rounded(currency, sum));
        if unanswered > 0 {
            let why = why.unwrap_or_default();
            return Err(BatchError::Machine { brief: brief.name.clone(), batch: batch.name.clone(), unanswered, why });
        }
        Ok(tally)
    }

    async fn ask_about(
        &self,
        store: &mut Store,
        machine: &Machine,
        open: Vec<Question>,
        (languages, clock): ((&LanguageTag, &LanguageTag), &(dyn Fn() -> Timestamp + Sync)),
        course: &mut Course,
    ) -> Result<(), BatchError> {
        let mut requests: Vec<Vec<Question>> = Vec::new();
        for question in open {
            match requests.last_mut().filter(|last| last.len() < machine.together) {
                Some(last) => last.push(question),
                None => requests.push(vec![question]),
            }
        }
        while !requests.is_empty() {
            let day = TimeZone::UTC.to_datetime(clock()).date().to_string();
            let wanted = requests.len() as u64;
            let taken = match course.is_over {
                true => 0,
                false => store.take_questions((machine.system.as_str(), &day), wanted, machine.a_day)?,
            };
            let left = requests.split_off(usize::try_from(taken).unwrap_or(usize::MAX).min(requests.len()));
            let unasked = left.iter().map(Vec::len).sum::<usize>() as u64;
            if unasked > 0 {
                course.unanswered.0 += unasked;
                let most = machine.a_day.unwrap_or_default();
                let why = format!("it may be asked {most} times a day (`a_day`), and was");
                course.unanswered.1.get_or_insert(why);
            }
            let sent = requests.into_iter().map(|questions| async move {
                let answer = self.answers(machine, &questions, languages).await;
                (questions, answer)
            });
            let mut answers = futures::stream::iter(sent).buffer_unordered(self.service.max_in_flight());
            let mut again = Vec::new();
            while let Some((questions, answer)) = answers.next().await {
                match answer {
                    Ok(values) => {
                        course.failures = 0;
                        keep(store, machine, (&questions, values), clock(), course)?;
                    }
                    Err(error) => again.extend(self.failed(questions, &error, course)),
                }
                if course.is_over {
                    break;
                }
            }
            drop(answers);
            requests = again;
        }
        Ok(())
    }

    /// What a failure is taken for. Gives what is asked anew, each text by itself.
    fn failed(&self, questions: Vec<Question>, error: &SystemError, course: &mut Course) -> Vec<Vec<Question>> {
        let is_about_texts = match &error.kind {
            ErrorKind::Status { status, .. } => *status < 500,
            ErrorKind::Content(_) => questions.len() > 1,
            _ => false,
        };
        match questions.as_slice() {
            [one] if is_about_texts => {
                course.without(&one.name, error.kind.to_string());
                return Vec::new();
            }
            _ if is_about_texts => return questions.into_iter().map(|question| vec![question]).collect(),
            _ => {}
        }
        course.unanswered.0 += questions.len() as u64;
        course.unanswered.1.get_or_insert_with(|| error.to_string());
        course.failures += 1;
        course.is_over = course.failures >= self.service.failure_limit();
        Vec::new()
    }

    async fn answers(
        &self,
        machine: &Machine,
        questions: &[Question],
        languages: (&LanguageTag, &LanguageTag),
    ) -> Result<Vec<Value>, SystemError> {
        let texts: Vec<&str> = questions.iter().map(|question| question.text.sent.as_str()).collect();
        let members = machine.question(&texts, languages);
        let contents: Vec<String> = questions.iter().map(|question| question.text.content.to_string()).collect();
        let content = fingerprint_texts(contents.iter().map(String::as_str));
        let values = match self.service.ask(&members, content).await? {
            Value::List(values) => values,
            one => vec![one],
        };
        if values.len() != questions.len() {
            let told = format!("it was sent {} texts and answered with {}", questions.len(), values.len());
            return Err(self.service.error(ErrorKind::Content(told)));
        }
        Ok(values)
    }
}

/// What is to be asked about a unit; nothing of one that is known, or that the machine is not asked about.
fn question(
    store: &Store,
    machine: &Machine,
    unit: BatchUnit,
    languages: (&LanguageTag, &LanguageTag),
    course: &mut Course,
) -> Result<Option<Question>, StoreError> {
    if !is_asked_about(machine, &unit, languages.1) {
        return Ok(None);
    }
    let Unit { source, tags, name, .. } = unit.unit;
    let Some(text) = machine.text(&source, &tags, languages) else {
        course.without(&name, "it has tags or placeholders, and the machine takes plain text".to_owned());
        return Ok(None);
    };
    if let Some((given, _)) = store.service_value(KEPT_BY, &text.content)? {
        course.tally.known += 1;
        if let Err(why) = machine.made_of(&given, &source, &tags) {
            course.without(&name, unusable(&why));
        }
        return Ok(None);
    }
    Ok(Some(Question { text, source, tags, name }))
}

fn unusable(why: &str) -> String {
    format!("what the machine made of it cannot be used: {why}")
}

fn keep(
    store: &mut Store,
    machine: &Machine,
    (questions, values): (&[Question], Vec<Value>),
    now: Timestamp,
    course: &mut Course,
) -> Result<(), StoreError> {
    for (question, value) in questions.iter().zip(values) {
        course.tally.asked += 1;
        course.tally.characters += question.text.sent.chars().count() as u64;
        if let Err(why) = machine.made_of(&value, &question.source, &question.tags) {
            course.without(&question.name, unusable(&why));
        }
        store.keep_service_value((KEPT_BY, &question.text.content), &value, now)?;
    }
    Ok(())
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
