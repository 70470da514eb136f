//! Documents of XML by templates of ours, and the map of the site.

use minijinja::Environment;
use minijinja::value::Serde;
use serde_json::{Value as Json, json};

use super::places::{Site, absolute};
use super::{OutputProblem, Wanted};
use crate::template::escape_lightly;

const MAP: &str = include_str!("templates/sitemap.xml");

/// The map of the site (sitemaps.org 0.9), each page with its other languages.
pub(super) fn map(site: &Site<'_>, wanted: &mut Wanted) {
    let output = site.output;
    let mut pages = Vec::new();
    for (shown, place) in &site.shown {
        let Ok(place) = place else { continue };
        let others: Vec<Json> = site
            .pages_of(&shown.address)
            .map(|(language, place)| json!({ "language": language.as_str(), "url": absolute(&output.url, &place.url) }))
            .collect();
        pages.push(json!({
            "url": absolute(&output.url, &place.url), "at": shown.delivered.strftime("%Y-%m-%d").to_string(), "others": others,
        }));
    }
    match xml(MAP, &json!({ "pages": pages })) {
        Ok(bytes) => wanted.add("sitemap.xml".to_owned(), bytes, None),
        Err(message) => wanted.problems.push(OutputProblem { of: None, message }),
    }
}

/// A document of XML by a template of ours; what XML has no place for is left out of texts (XML 1.0, §2.2).
pub(super) fn xml(template: &'static str, values: &Json) -> Result<Vec<u8>, String> {
    fn sound(value: &Json) -> Json {
        match value {
            Json::String(text) => {
                let stays = |c: &char| !c.is_control() || matches!(c, '\t' | '\n' | '\r');
                json!(text.chars().filter(stays).filter(|c| !matches!(c, '\u{fffe}' | '\u{ffff}')).collect::<String>())
            }
            Json::Array(items) => Json::Array(items.iter().map(sound).collect()),
            Json::Object(members) => {
                Json::Object(members.iter().map(|(name, value)| (name.clone(), sound(value))).collect())
            }
            other => other.clone(),
        }
    }
    let mut environment = Environment::new();
    escape_lightly(&mut environment);
    let told = |error: minijinja::Error| format!("{error:#}");
    environment.add_template("xml", template).map_err(told)?;
    let made = environment.get_template("xml").map_err(told)?.render(Serde(&sound(values))).map_err(told)?;
    Ok(made.into_bytes())
}
