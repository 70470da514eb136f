//! *The machine*: it translates word by word from a small dictionary, leaves elements and numbers as they are, and can be
//! told to make what such machines make of texts on bad days.

use std::sync::{Arc, Mutex, PoisonError};

use axum::Router;
use axum::extract::{Json, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::post;
use serde::Deserialize;
use serde_json::json;

use crate::MACHINE_TOKEN;

/// The most texts that it takes at once.
const MOST_TEXTS: usize = 50;

/// What it makes of texts on a bad day.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum MachineSlip {
    /// It answers with one translation too few.
    LosesOne,
    /// It leaves elements out.
    LosesTags,
    /// It answers with nothing for each.
    SaysNothing,
    /// It will have no text with a number.
    RefusesNumbers,
    /// It answers 200 with a page to log in on.
    LogIn,
    /// It answers every text with what it was shown.
    Echoes,
}

/// A machine that translates.
#[derive(Debug, Clone, Default)]
pub struct TranslationMachine {
    slip: Arc<Mutex<Option<MachineSlip>>>,
}

impl TranslationMachine {
    /// Makes it slip from now on, or not any more.
    pub fn slip(&self, slip: Option<MachineSlip>) {
        *self.slip.lock().unwrap_or_else(PoisonError::into_inner) = slip;
    }

    fn now(&self) -> Option<MachineSlip> {
        *self.slip.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

#[derive(Debug, Deserialize)]
struct Question {
    texts: Vec<String>,
    target: String,
}

pub(crate) fn routes(machine: TranslationMachine) -> Router {
    Router::new().route("/translate", post(translate)).with_state(machine)
}

async fn translate(
    State(machine): State<TranslationMachine>,
    headers: HeaderMap,
    Json(Question { texts, target }): Json<Question>,
) -> Response {
    let shown = headers.get(header::AUTHORIZATION).and_then(|value| value.to_str().ok()).unwrap_or_default();
    if shown != format!("Bearer {MACHINE_TOKEN}") {
        return (StatusCode::UNAUTHORIZED, Json(json!({ "detail": "no such client" }))).into_response();
    }
    let slip = machine.now();
    let is_refused = |text: &String| slip == Some(MachineSlip::RefusesNumbers) && text.contains("312");
    if texts.len() > MOST_TEXTS || texts.iter().any(is_refused) {
        let told = json!({ "detail": "a text was refused" });
        return (StatusCode::UNPROCESSABLE_ENTITY, Json(told)).into_response();
    }
    if slip == Some(MachineSlip::LogIn) {
        return Html("<!doctype html><title>Log in</title><form></form>").into_response();
    }
    let mut made: Vec<String> = texts
        .iter()
        .map(|text| match slip {
            Some(MachineSlip::SaysNothing) => String::new(),
            Some(MachineSlip::LosesTags) => words_of(text, &target).split(['<', '>']).step_by(2).collect(),
            Some(MachineSlip::Echoes) => format!("{} {shown}", words_of(text, &target)),
            _ => words_of(text, &target),
        })
        .collect();
    if slip == Some(MachineSlip::LosesOne) {
        made.pop();
    }
    let made: Vec<_> = made.into_iter().map(|text| json!({ "text": text })).collect();
    Json(json!({ "translations": made })).into_response()
}

/// A text of HTML with each word that the dictionary has in the other language.
fn words_of(html: &str, target: &str) -> String {
    let mut made = String::new();
    let mut rest = html;
    while let Some(first) = rest.chars().next() {
        let end = match first {
            '<' => rest.find('>').map_or(rest.len(), |at| at + 1),
            '&' => rest.find(';').map_or(1, |at| at + 1),
            c if c.is_alphabetic() => rest.find(|c: char| !c.is_alphabetic()).unwrap_or(rest.len()),
            other => other.len_utf8(),
        };
        let (part, after) = rest.split_at(end);
        made.push_str(word_of(part, target).unwrap_or(part));
        rest = after;
    }
    made
}

fn word_of(word: &str, target: &str) -> Option<&'static str> {
    let at = match target {
        "fr" => 1,
        "cy" => 2,
        _ => return None,
    };
    let lower = word.to_lowercase();
    DICTIONARY.iter().find(|entry| entry[0] == lower).map(|entry| entry[at])
}

const DICTIONARY: [[&str; 3]; 26] = [
    ["fern", "fougère", "rhedynen"],
    ["ferns", "fougères", "rhedyn"],
    ["oak", "chêne", "derw"],
    ["garden", "jardin", "gardd"],
    ["gardens", "jardins", "gerddi"],
    ["plant", "plante", "planhigyn"],
    ["plants", "plantes", "planhigion"],
    ["wardens", "gardiens", "wardeniaid"],
    ["count", "comptent", "cyfrif"],
    ["the", "le", "y"],
    ["of", "de", "o"],
    ["in", "en", "yn"],
    ["and", "et", "a"],
    ["its", "ses", "ei"],
    ["each", "chaque", "pob"],
    ["spring", "printemps", "gwanwyn"],
    ["may", "mai", "Mai"],
    ["june", "juin", "Mehefin"],
    ["white", "blanc", "gwyn"],
    ["royal", "royale", "brenhinol"],
    ["moss", "mousse", "mwsogl"],
    ["water", "eau", "dŵr"],
    ["cold", "froid", "oer"],
    ["walkers", "marcheurs", "cerddwyr"],
    ["eastern", "orientale", "dwyreiniol"],
    ["relative", "parente", "perthynas"],
];
