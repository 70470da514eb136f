//! The language of a file, as its path tells it: each platform has a way of its own.

use super::TextsForm;

/// What a path tells.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct InPath {
    /// The path without its ending, and without what names the language.
    pub(crate) stem: String,
    /// The language (BCP 47); none where it tells none.
    pub(crate) language: Option<String>,
}

/// The language in a path. In files whose names may also end in any word, a language is one that is known, or of two
/// letters; so that one that is not known is told. A folder of JSON is a language's where that is known.
pub(crate) fn language_in(form: TextsForm, path: &str, is_known: &dyn Fn(&str) -> bool) -> InPath {
    let (stem, _) = path.rsplit_once('.').unwrap_or((path, ""));
    let steps: Vec<&str> = stem.split('/').collect();
    let found = match form {
        TextsForm::Catalogue => None,
        TextsForm::Android => in_step(&steps, android),
        TextsForm::Strings => in_step(&steps, apple),
        TextsForm::Resx => in_last(&steps, &|name| after(name, '.')),
        TextsForm::Properties => in_last(&steps, &|name| first_known(name, '_', is_known)),
        TextsForm::Json => in_last(&steps, &|name| {
            let suffix = first_known(name, '.', is_known).or_else(|| first_known(name, '_', is_known));
            suffix.or_else(|| Some((String::new(), likely(name, is_known)?)))
        })
        .or_else(|| {
            let is_folder = |step: &&str| is_language(step) && is_known(step);
            in_step(&steps, |step| is_folder(&step).then(|| (String::new(), step.replace('_', "-"))))
        }),
    };
    match found {
        Some((stem, language)) => {
            let steps: Vec<&str> = stem.split('/').filter(|step| !step.is_empty()).collect();
            InPath { stem: steps.join("/"), language: Some(language).filter(|language| !language.is_empty()) }
        }
        None => InPath { stem: stem.to_owned(), language: None },
    }
}

/// What is left of a name, and the language in it.
type Parted = (String, String);

fn in_step(steps: &[&str], parted: impl Fn(&str) -> Option<Parted>) -> Option<Parted> {
    let (at, (left, language)) = steps.iter().enumerate().find_map(|(at, step)| Some((at, parted(step)?)))?;
    let with: Vec<&str> =
        steps[..at].iter().copied().chain([left.as_str()]).chain(steps[at + 1..].iter().copied()).collect();
    Some((with.join("/"), language))
}

fn in_last(steps: &[&str], parted: &dyn Fn(&str) -> Option<Parted>) -> Option<Parted> {
    let (last, before) = steps.split_last()?;
    let (left, language) = parted(last)?;
    let with: Vec<&str> = before.iter().copied().chain([left.as_str()]).collect();
    Some((with.join("/"), language))
}

/// `values-fr-rCA-night`: qualifiers after the country's and the network's are the language's ("Providing resources").
fn android(step: &str) -> Option<Parted> {
    let qualifiers = step.strip_prefix("values-")?;
    let mut left = vec!["values".to_owned()];
    let mut language = String::new();
    let mut parts = qualifiers.split('-').peekable();
    while let Some(part) = parts.next() {
        let is_network = part.starts_with("mcc") || part.starts_with("mnc");
        let is_tag = part.starts_with("b+");
        // `car` is how a screen is used.
        let is_code =
            matches!(part.len(), 2 | 3) && part.bytes().all(|byte| byte.is_ascii_lowercase()) && part != "car";
        if language.is_empty() && !is_network && (is_tag || is_code) {
            language = part.strip_prefix("b+").unwrap_or(part).replace('+', "-");
            if let Some(region) =
                parts.peek().and_then(|next| next.strip_prefix('r')).filter(|region| is_region(region))
            {
                language = format!("{language}-{region}");
                parts.next();
            }
        } else {
            left.push(part.to_owned());
        }
    }
    Some((left.join("-"), language))
}

fn apple(step: &str) -> Option<Parted> {
    let name = step.strip_suffix(".lproj")?;
    let language = if name == "Base" { "" } else { name };
    Some((String::new(), language.replace('_', "-")))
}

/// The language after the last mark.
fn after(name: &str, mark: char) -> Option<Parted> {
    let (left, language) = name.rsplit_once(mark)?;
    is_language(language).then(|| (left.to_owned(), language.replace('_', "-")))
}

/// What follows the first mark after which a known language stands.
fn first_known(name: &str, mark: char, is_known: &dyn Fn(&str) -> bool) -> Option<Parted> {
    let mut marks = name.match_indices(mark);
    marks.find_map(|(at, _)| Some((name[..at].to_owned(), likely(&name[at + mark.len_utf8()..], is_known)?)))
}

fn likely(name: &str, is_known: &dyn Fn(&str) -> bool) -> Option<String> {
    let is_short = name.split(['-', '_']).next().is_some_and(|first| first.len() == 2);
    (is_language(name) && (is_short || is_known(name))).then(|| name.replace('_', "-"))
}

fn is_region(text: &str) -> bool {
    let is_letters = text.len() == 2 && text.bytes().all(|byte| byte.is_ascii_uppercase());
    is_letters || (text.len() == 3 && text.bytes().all(|byte| byte.is_ascii_digit()))
}

/// Whether a name looks like a language's: `pt`, `pt_BR`, `sr-Latn-RS`.
fn is_language(name: &str) -> bool {
    let mut parts = name.split(['-', '_']);
    let first = parts.next().unwrap_or_default();
    let is_code = matches!(first.len(), 2 | 3) && first.bytes().all(|byte| byte.is_ascii_lowercase());
    let is_script = |part: &str| part.len() == 4 && part.starts_with(|c: char| c.is_ascii_uppercase());
    is_code && parts.all(|part| is_region(part) || is_script(part))
}
