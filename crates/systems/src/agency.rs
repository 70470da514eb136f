//! An agency that takes texts for translation by REST.

use std::collections::BTreeMap;

use diaporos_core::value::LanguageTag;
use jiff::Timestamp;
use serde_json::{Map, Value as Json};
use url::Url;

use crate::http::{Answer, Body, Client, Credential, FilePart, Request, join_url, shown_url};
use crate::languages::LanguageCodes;
use crate::profile::{Call, Filled, TranslationCalls};
use crate::query::{Query, scalar_text};
use crate::search::searched;
use crate::{ErrorKind, HttpSystem, SystemError};

/// An agency.
#[derive(Debug)]
pub struct Agency {
    /// For what changes something there.
    writer: Client,
    /// For what only looks.
    reader: Client,
    base: Url,
    calls: TranslationCalls,
    languages: LanguageCodes,
}

/// What is ordered.
#[derive(Debug, Clone, Copy)]
pub struct TranslationOrder<'a> {
    /// Our reference, by which the order is found again.
    pub reference: &'a str,
    /// The language of the texts.
    pub from: &'a LanguageTag,
    /// By when it is wanted.
    pub due: Option<Timestamp>,
    /// What the agency calls the file of each language.
    pub files: &'a BTreeMap<LanguageTag, String>,
}

/// How far the translation into a language is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LanguageProgress {
    /// The language.
    pub language: LanguageTag,
    /// How much is done, in percent.
    pub percent: u8,
    /// Whether there is something to fetch.
    pub is_ready: bool,
}

/// What an agency asks for an order.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Quote {
    /// How much, as it says it; none where it has not said yet.
    pub price: Option<String>,
    /// In which currency (ISO 4217).
    pub currency: Option<String>,
    /// Whether it is accepted, so that work has begun.
    pub is_accepted: bool,
}

impl Agency {
    /// An agency with the credentials for writing and for reading.
    ///
    /// # Errors
    /// Where its profile does not say how texts are sent, or TLS cannot be set up.
    pub fn new(system: HttpSystem, reading: Option<Credential>) -> Result<Agency, SystemError> {
        let HttpSystem { name, url: base, profile, languages, credential: write, limits } = system;
        let lacks = || {
            let kind = ErrorKind::Content("the profile does not say how texts are sent for translation".to_owned());
            SystemError { system: name.clone(), url: shown_url(&base), kind }
        };
        let calls = profile.translation.clone().ok_or_else(lacks)?;
        let read = reading.or_else(|| write.clone());
        Ok(Agency {
            writer: Client::new(name.clone(), limits.clone(), write)?,
            reader: Client::new(name.clone(), limits, read)?,
            base,
            calls,
            languages,
        })
    }

    fn error(&self, message: impl Into<String>) -> SystemError {
        let kind = ErrorKind::Content(message.into());
        SystemError { system: self.writer.system().clone(), url: shown_url(&self.base), kind }
    }

    fn request(&self, client: &Client, call: &Call, filled: Filled<'_>) -> Result<Request, SystemError> {
        let url = join_url(&self.base, &call.path(filled)).map_err(|error| self.error(error.to_string()))?;
        let mut request = client.request(call.method, url);
        if !call.body.is_empty() {
            request.body = Some(call.body_of(call.members(filled)).map_err(|kind| self.error(kind.to_string()))?);
        }
        Ok(request)
    }

    fn code(&self, language: &LanguageTag) -> Result<String, SystemError> {
        self.languages.code(language).map_err(|error| self.error(error.to_string()))
    }

    fn json(&self, request: &Request, answer: &Answer) -> Result<Json, SystemError> {
        answer.json().map_err(|kind| self.writer.error(request, kind))
    }

    fn id_at(&self, request: &Request, at: &crate::query::Query, json: &Json) -> Result<String, SystemError> {
        let missing = || {
            let kind = ErrorKind::Content(format!("the answer has no id at `{}`", at.as_str()));
            self.writer.error(request, kind)
        };
        at.first(json).and_then(scalar_text).filter(|id| !id.is_empty()).ok_or_else(missing)
    }

    /// Hands over a file for a language, and gives what the agency calls it. A file that nothing
    /// orders costs nothing, so that one may be handed over twice.
    ///
    /// # Errors
    /// Where it was not taken, or the answer was lost.
    pub async fn upload(
        &self,
        name: &str,
        language: &LanguageTag,
        bytes: Vec<u8>,
        media: &str,
    ) -> Result<String, SystemError> {
        let code = self.code(language)?;
        let filled = Filled { key: name, language: &code, ..Filled::default() };
        let mut request = self.request(&self.writer, &self.calls.upload, filled)?;
        request.body = Some(match &self.calls.form {
            None => Body::Bytes(bytes, media.to_owned()),
            Some(part) => {
                let file = FilePart { part, file: name, media, bytes: &bytes };
                let (bytes, media) = file.in_form(&self.calls.upload.members(filled));
                Body::Bytes(bytes, media)
            }
        });
        let answer = self.writer.write(&request).await?;
        self.id_at(&request, &self.calls.file, &self.json(&request, &answer)?)
    }

    /// Orders a translation, and gives what the agency calls the order. The order carries our
    /// reference as a member and as its idempotency key.
    ///
    /// # Errors
    /// Where it was refused, or the answer was lost: `find` tells which.
    pub async fn order(&self, order: TranslationOrder<'_>) -> Result<String, SystemError> {
        let members = &self.calls.members;
        let file = |(language, id): (&LanguageTag, &String)| {
            let one = [(members.file.clone(), id.clone()), (members.language.clone(), self.code(language)?)];
            Ok(Json::Object(one.into_iter().map(|(name, text)| (name, text.into())).collect::<Map<_, _>>()))
        };
        let files = order.files.iter().map(file).collect::<Result<Vec<_>, SystemError>>()?;
        let filled = Filled { key: order.reference, ..Filled::default() };
        let mut body = self.calls.order.members(filled);
        body.insert(members.reference.clone(), order.reference.into());
        body.insert(members.from.clone(), self.code(order.from)?.into());
        if let Some(due) = order.due {
            body.insert(members.due.clone(), due.to_string().into());
        }
        body.insert(members.files.clone(), files.into());
        let request = self.request(&self.writer, &self.calls.order, filled)?;
        let mut request = request.header("idempotency-key", order.reference);
        request.body = Some(self.calls.order.body_of(body).map_err(|kind| self.error(kind.to_string()))?);
        let answer = self.writer.write(&request).await?;
        self.id_at(&request, &self.calls.id, &self.json(&request, &answer)?)
    }

    /// The order with our reference, where there is one.
    ///
    /// # Errors
    /// Where the agency does not answer.
    pub async fn find(&self, reference: &str) -> Result<Option<String>, SystemError> {
        let filled = Filled { key: reference, ..Filled::default() };
        let request = self.request(&self.reader, &self.calls.find, filled)?;
        let Some(json) = searched(&self.reader, &self.calls.find, &request).await? else { return Ok(None) };
        self.calls.found.first(&json).map(|found| self.id_at(&request, &self.calls.id, found)).transpose()
    }

    /// How far an order is, by language. Languages that the hub has no tag for are none of ours.
    ///
    /// # Errors
    /// Where the agency does not answer.
    pub async fn progress(&self, order: &str) -> Result<Vec<LanguageProgress>, SystemError> {
        let filled = Filled { id: order, ..Filled::default() };
        let request = self.request(&self.reader, &self.calls.progress, filled)?;
        let answer = self.reader.read(&request).await?;
        let json = self.json(&request, &answer)?;
        let mut languages = Vec::new();
        for of_language in self.calls.languages.all(&json) {
            let code = self.calls.language.first(of_language).and_then(scalar_text).unwrap_or_default();
            let Ok(language) = self.languages.tag(&code) else { continue };
            let percent = self.calls.percent.first(of_language).and_then(Json::as_f64).unwrap_or_default();
            #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "it lies between 0 and 100")]
            let percent = percent.clamp(0.0, 100.0) as u8;
            let says = self.calls.ready.as_ref().map(|ready| ready.first(of_language).and_then(Json::as_bool));
            languages.push(LanguageProgress {
                language,
                percent,
                is_ready: says.map_or(percent > 0, |says| says == Some(true)),
            });
        }
        Ok(languages)
    }

    /// Whether an order begins once its price is accepted.
    #[must_use]
    pub fn quotes(&self) -> bool {
        self.calls.quote.is_some()
    }

    /// What the agency asks for an order; none where it does not say what orders will cost.
    ///
    /// # Errors
    /// Where the agency does not answer, or its price is none.
    pub async fn quote(&self, order: &str) -> Result<Option<Quote>, SystemError> {
        let Some(calls) = &self.calls.quote else { return Ok(None) };
        let request = self.request(&self.reader, &calls.shown, Filled { id: order, ..Filled::default() })?;
        let answer = self.reader.read(&request).await?;
        let json = self.json(&request, &answer)?;
        let text = |query: &Query| query.first(&json).and_then(scalar_text).filter(|text| !text.is_empty());
        let wrong = |what: String| self.writer.error(&request, ErrorKind::Content(what));
        let accepted = calls.accepted.first(&json).and_then(Json::as_bool);
        let is_accepted = accepted.ok_or_else(|| {
            wrong(format!("the answer does not say at `{}` whether the price is accepted", calls.accepted.as_str()))
        })?;
        let price = text(&calls.price);
        let is_price =
            |price: &String| price.len() <= 20 && price.bytes().all(|byte| byte.is_ascii_digit() || byte == b'.');
        if let Some(price) = price.as_ref().filter(|price| !is_price(price)) {
            return Err(wrong(format!("`{}` is no price", price.chars().take(40).collect::<String>())));
        }
        let currency = calls.currency.as_ref().and_then(text);
        // It is told to people, and held against the brief's.
        let is_currency = |word: &String| word.len() == 3 && word.bytes().all(|byte| byte.is_ascii_uppercase());
        if currency.as_ref().is_some_and(|word| !is_currency(word)) {
            return Err(wrong("its currency is none of ISO 4217".to_owned()));
        }
        Ok(Some(Quote { price, currency, is_accepted }))
    }

    /// Accepts what the agency asks for an order.
    ///
    /// # Errors
    /// Where the agency refuses, or the answer was lost: `quote` tells which.
    pub async fn accept(&self, order: &str) -> Result<(), SystemError> {
        let Some(calls) = &self.calls.quote else { return Ok(()) };
        let filled = Filled { id: order, key: order, ..Filled::default() };
        self.writer.write(&self.request(&self.writer, &calls.accept, filled)?).await.map(drop)
    }

    /// The file of an order in a language, as it is by now.
    ///
    /// # Errors
    /// Where there is none, or the agency does not answer.
    pub async fn download(&self, order: &str, language: &LanguageTag) -> Result<Vec<u8>, SystemError> {
        let code = self.code(language)?;
        let filled = Filled { id: order, language: &code, ..Filled::default() };
        let request = self.request(&self.reader, &self.calls.download, filled)?;
        Ok(self.reader.read(&request).await?.body)
    }

    /// Calls an order off, and says whether the agency can be told so. One that is not there any more
    /// is called off.
    ///
    /// # Errors
    /// Where the agency refuses, or does not answer.
    pub async fn cancel(&self, order: &str) -> Result<bool, SystemError> {
        let Some(call) = &self.calls.cancel else { return Ok(false) };
        let request = self.request(&self.writer, call, Filled { id: order, ..Filled::default() })?;
        match self.writer.write(&request).await {
            Ok(_) | Err(SystemError { kind: ErrorKind::NotFound | ErrorKind::GoneForGood, .. }) => Ok(true),
            Err(error) => Err(error),
        }
    }
}
