//! A field's expression held against the field of the destination, before any entry is seen.

use super::{Documents, FieldExpression, Target};
use crate::diagnostic::{Code, Diagnostic};
use crate::expr::types::{Form, Kinds, Languages, Type};
use crate::model::{Field, FieldKind};

/// What is wrong, or may be, with what an expression gives to a field of a destination. The places
/// are in the expression's text.
#[must_use]
pub fn check_field(
    name: &str,
    expression: &FieldExpression,
    default: Option<&FieldExpression>,
    field: &Field,
    target: &Target,
) -> Vec<Diagnostic> {
    let mut gives = expression.program.gives.clone();
    if let Some(default) = default {
        let otherwise = &default.program.gives;
        gives = gives.without_null().or(otherwise);
        gives.kinds = if otherwise.may_be_null() { gives.kinds } else { gives.kinds.without(Kinds::NULL) };
    }
    let whole = 0..expression.text.len();
    let mut findings = Vec::new();
    let error = |code, message: String| Diagnostic::error(code, whole.clone(), message);
    let warning = |code, message: String| Diagnostic::warning(code, whole.clone(), message);
    if !fits(&gives, field) {
        let message = format!("`{name}` takes {}, and this gives {gives}", phrase(field));
        findings.push(error(Code::ExpressionType, message).help(advice(&gives, field)));
        return findings;
    }
    if gives.languages == Languages::Each && !field.localised && target.documents == Documents::One {
        let message = format!("`{name}` has one value at the destination, and this gives one per language");
        findings.push(error(Code::ExpressionType, message).help("choose a language, as in `title@en`"));
    }
    if field.required && gives.may_be_null() && !gives.loose {
        let message = format!("`{name}` is required, and this may be null");
        let help =
            "an entry for which it is null is held; say what to take then, with `??` or in the lane's `defaults`";
        findings.push(warning(Code::MayBeNull, message).label(format!("this is {gives}")).help(help));
    }
    if let (Some(most), true) = (field.max_length, gives.kinds.has(Kinds::TEXT)) {
        let longest = gives.longest;
        if longest.is_none_or(|longest| longest > most) && !(gives.loose && longest.is_none()) {
            let can = longest.map_or("of any length".to_owned(), |longest| format!("of up to {longest} characters"));
            let message = format!("`{name}` takes {most} characters, and this may be {can}");
            let help =
                format!("an entry that has more is held; `| shorten {most}` cuts a text, `| slug {most}` a slug");
            findings.push(warning(Code::TooLong, message).help(help));
        }
    }
    findings.extend(lost_form(name, &gives, field).map(|(message, help)| warning(Code::FormLost, message).help(help)));
    for tag in expression.program.uses.languages.iter().filter(|tag| !target.takes(tag)) {
        let known: Vec<&str> = target.languages.iter().map(crate::value::LanguageTag::as_str).collect();
        if gives.languages != Languages::One {
            let message = format!("the destination does not take the language `{tag}`");
            findings.push(warning(Code::LanguageNotTaken, message).suggest(tag.as_str(), known));
        }
    }
    findings
}

/// What becomes of rich text where the destination takes text of another form, and what to do.
fn lost_form(name: &str, gives: &Type, field: &Field) -> Option<(String, &'static str)> {
    let is_plain = matches!(field.kind, FieldKind::Text | FieldKind::Url);
    match gives.form {
        Form::Html if is_plain && gives.kinds.has(Kinds::TEXT) => {
            Some((format!("`{name}` takes plain text, and this gives HTML"), "`| plain` takes the tags out"))
        }
        Form::Markdown if is_plain && gives.kinds.has(Kinds::TEXT) => Some((
            format!("`{name}` takes plain text, and this gives Markdown"),
            "`| html | plain` takes the marks out",
        )),
        Form::Markdown if field.kind == FieldKind::Html => {
            Some((format!("`{name}` takes HTML, and this gives Markdown"), "`| html` makes HTML of it"))
        }
        _ => None,
    }
}

impl Target {
    /// Whether the destination takes a language.
    #[must_use]
    pub fn takes(&self, language: &crate::value::LanguageTag) -> bool {
        self.languages.is_empty() || self.languages.contains(language)
    }
}

/// Whether what an expression gives can be what a field takes, for any entry.
fn fits(gives: &Type, field: &Field) -> bool {
    let kinds = gives.kinds.without(Kinds::NULL);
    let possible = |wanted: Kinds, given: &Type| {
        let kinds = given.kinds.without(Kinds::NULL);
        kinds == Kinds::NONE || if given.loose { kinds.has(wanted) } else { kinds.without(wanted) == Kinds::NONE }
    };
    let wanted = wanted(field);
    match (field.many, &gives.item) {
        _ if kinds == Kinds::NONE => true,
        (true, Some(item)) => possible(Kinds::LIST, gives) && possible(wanted, item),
        (true, None) => possible(Kinds::LIST, gives),
        (false, _) => possible(wanted, gives),
    }
}

fn wanted(field: &Field) -> Kinds {
    match field.kind {
        FieldKind::Anything => Kinds::ALL,
        FieldKind::Text
        | FieldKind::Html
        | FieldKind::Markdown
        | FieldKind::Url
        | FieldKind::Date
        | FieldKind::Instant
        | FieldKind::Choice(_) => Kinds::TEXT,
        FieldKind::Integer => Kinds::INTEGER,
        FieldKind::Number => Kinds::NUMERIC,
        FieldKind::Boolean => Kinds::BOOLEAN,
        FieldKind::Record => Kinds::RECORD,
        FieldKind::Asset => Kinds::RECORD.with(Kinds::TEXT),
        FieldKind::Reference(_) => Kinds::TEXT.with(Kinds::INTEGER),
    }
}

fn phrase(field: &Field) -> String {
    let word = match &field.kind {
        FieldKind::Reference(_) => "the identifier of a counterpart",
        kind => kind.word(),
    };
    if field.many { format!("a list of {word}") } else { word.to_owned() }
}

fn advice(gives: &Type, field: &Field) -> String {
    let has = |kinds| gives.kinds.has(kinds);
    let text = wanted(field) == Kinds::TEXT;
    let advice = if field.many && !has(Kinds::LIST) {
        "put it between brackets to make a list of it: `[…]`"
    } else if !field.many && has(Kinds::LIST) {
        if text {
            "`| join \", \"` makes one text of a list, `| first` takes its first item"
        } else {
            "`| first` takes its first item"
        }
    } else if has(Kinds::REFERENCE) {
        "`| counterpart` gives what it is called at the destination; `.name` a field of what it refers to"
    } else if text && has(Kinds::SCALAR) {
        "`| text` makes text of it"
    } else if wanted(field).has(Kinds::NUMERIC) && has(Kinds::TEXT) {
        "`| number` reads the number in a text"
    } else {
        "give it a value of that kind"
    };
    advice.to_owned()
}
