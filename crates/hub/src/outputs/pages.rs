//! Pages of documents and lists, by templates, and the map of the site.

use std::collections::BTreeMap;
use std::path::Path;

use diaporos_core::arrange::Node;
use diaporos_core::text::clean;
use diaporos_core::value::{Address, LanguageTag, Record, Value, to_json};
use diaporos_store::{Store, StoreError};
use diaporos_systems::settings::path::read_within;
use jiff::Timestamp;
use minijinja::value::Serde;
use minijinja::{Environment, Value as Shown, context};
use serde_json::{Map, Value as Json, json};

use super::documents::Shown as ShownDocument;
use super::places::{ASSETS, PagePlace, Site, absolute, filled, place, rooted};
use super::{OutputProblem, Wanted};
use crate::config::Config;
use crate::own::{ListPlace, list_places, outline_nodes};
use crate::template::{Capped, escape_lightly};

/// What a template may do before it is stopped.
const FUEL: u64 = 5_000_000;

/// What every page of a language may show beside its own.
struct Around {
    site: Json,
    outlines: Json,
    lists: Json,
}

/// What renders pages of an output.
pub(crate) struct Templates {
    environment: Environment<'static>,
}

impl Templates {
    /// Templates of a folder, in which one may include another.
    pub(crate) fn of(folder: &Path) -> Templates {
        let folder = folder.to_owned();
        let mut environment = Environment::new();
        escape_lightly(&mut environment);
        environment.set_fuel(Some(FUEL));
        environment.set_loader(move |name| match read_within(&folder, name) {
            Ok(text) => Ok(Some(text)),
            Err(_) => Ok(None),
        });
        Templates { environment }
    }

    fn render(&self, name: &str, values: Shown) -> Result<Vec<u8>, String> {
        let told = |error: minijinja::Error| format!("the template `{name}`: {error:#}");
        let template = self.environment.get_template(name).map_err(told)?;
        let mut to = Capped::default();
        template.render_captured_to(values, &mut to).map_err(told)?;
        Ok(to.into_bytes())
    }
}

/// Makes pages of documents and lists.
pub(super) struct PageMaker<'a> {
    pub(super) config: &'a Config,
    pub(super) store: &'a Store,
    pub(super) site: &'a Site<'a>,
    pub(super) now: Timestamp,
}

impl PageMaker<'_> {
    /// Makes every page.
    pub(super) fn make(&self, wanted: &mut Wanted) -> Result<(), StoreError> {
        let templates = Templates::of(&self.site.output.templates);
        let around = self.around(wanted)?;
        for (shown, place) in &self.site.shown {
            self.document(&templates, (shown, place), &around, wanted);
        }
        self.lists(&templates, &around, wanted);
        Ok(())
    }

    /// Makes the pages of one entry alone.
    pub(super) fn make_of(&self, entry: &Address, wanted: &mut Wanted) -> Result<(), StoreError> {
        let templates = Templates::of(&self.site.output.templates);
        let around = self.around(wanted)?;
        for (shown, place) in self.site.shown.iter().filter(|(shown, _)| shown.address == *entry) {
            self.document(&templates, (shown, place), &around, wanted);
        }
        Ok(())
    }

    fn document(
        &self,
        templates: &Templates,
        (shown, place): (&ShownDocument, &Result<PagePlace, String>),
        around: &BTreeMap<&LanguageTag, Around>,
        wanted: &mut Wanted,
    ) {
        let of = Some((shown.lane.clone(), shown.entry));
        let page = self.site.output.pages.get(&shown.kind);
        let (Some(page), Some(around)) = (page, around.get(&shown.language)) else { return };
        let place = match place {
            Ok(place) => place,
            Err(message) => {
                wanted.problems.push(OutputProblem { of, message: format!("{}: {message}", shown.address) });
                return;
            }
        };
        if !shown.is_there {
            // A folder that is missing for an hour takes no site away.
            let message = format!(
                "{}: its document `{}` is not there, so its page stays as it was; `diaporos push --verify {}` looks",
                shown.address, shown.id, shown.lane
            );
            wanted.kept.push(place.path.clone());
            wanted.problems.push(OutputProblem { of: None, message });
            return;
        }
        match templates.render(&page.template, of_document(self.site, shown, place, around)) {
            Ok(bytes) => wanted.add(place.path.clone(), bytes, of),
            Err(message) => {
                wanted.kept.push(place.path.clone());
                wanted.problems.push(OutputProblem { of, message: format!("{}: {message}", shown.address) });
            }
        }
    }

    /// The page of each list in each language.
    fn lists(&self, templates: &Templates, around: &BTreeMap<&LanguageTag, Around>, wanted: &mut Wanted) {
        let site = self.site;
        for (name, page) in &site.output.lists {
            let at = |language: &LanguageTag| filled(&page.at, language, None).map(|at| place(site.output, &at));
            let every = || site.languages.iter().copied();
            let languages = languages(every().filter_map(|other| Some((other, at(other).ok()?.url))));
            for (language, around) in around {
                let at = match at(language) {
                    Ok(at) => at,
                    Err(message) => {
                        wanted.problems.push(OutputProblem { of: None, message: format!("list {name}: {message}") });
                        continue;
                    }
                };
                let own = json!({ "name": name, "items": around.lists[name] });
                let values = context! {
                    list => Serde(&own), language => language.to_string(), languages => Serde(&languages),
                    url => at.url.clone(), absolute_url => absolute(&site.output.url, &at.url),
                    site => Serde(&around.site), outlines => Serde(&around.outlines), lists => Serde(&around.lists),
                };
                match templates.render(&page.template, values) {
                    Ok(bytes) => wanted.add(at.path, bytes, None),
                    Err(message) => {
                        wanted.kept.push(at.path);
                        wanted.problems.push(OutputProblem { of: None, message: format!("list {name}: {message}") });
                    }
                }
            }
        }
    }

    /// What every page may show beside its own, by language.
    fn around(&self, wanted: &mut Wanted) -> Result<BTreeMap<&LanguageTag, Around>, StoreError> {
        let mut around = BTreeMap::new();
        for language in self.site.languages.iter().copied() {
            around.insert(language, self.around_in(language, wanted)?);
        }
        Ok(around)
    }

    fn around_in(&self, language: &LanguageTag, wanted: &mut Wanted) -> Result<Around, StoreError> {
        let PageMaker { config, store, site, now } = *self;
        let mut outlines = Map::new();
        for (name, outline) in &config.outlines {
            match outline_nodes(config, store, outline, now)? {
                Ok(nodes) => drop(outlines.insert(name.clone(), menu(site, language, &nodes))),
                Err(_) => {
                    let message =
                        format!("outline {name}: it cannot be drawn; `diaporos outline show {name}` says why");
                    wanted.problems.push(OutputProblem { of: None, message });
                }
            }
        }
        let mut lists = Map::new();
        for (name, list) in config.lists.iter().filter(|(_, list)| list.on == site.output.of) {
            let (places, _) = list_places(config, store, (name, list), now)?;
            let item = |at: &ListPlace| {
                let (named, place) = site.page_of(&at.address, language)?;
                Some(linked(&named.fields, &place.url))
            };
            lists.insert(name.clone(), Json::Array(places.iter().filter_map(item).collect()));
        }
        let title = titled(&site.output.title, language).unwrap_or_default();
        let url = &site.output.url;
        let site = json!({ "title": title, "url": url.as_str(), "root": url.path() });
        Ok(Around { site, outlines: Json::Object(outlines), lists: Json::Object(lists) })
    }
}

fn languages<'a>(all: impl Iterator<Item = (&'a LanguageTag, String)>) -> Json {
    Json::Array(all.map(|(language, url)| json!({ "language": language.as_str(), "url": url })).collect())
}

/// What the template of a document is given.
fn of_document(site: &Site<'_>, shown: &ShownDocument, place: &PagePlace, around: &Around) -> Shown {
    let languages = languages(site.pages_of(&shown.address).map(|(language, place)| (language, place.url.clone())));
    context! {
        page => fields(site, shown), language => shown.language.to_string(), languages => Serde(&languages),
        url => place.url.clone(), absolute_url => absolute(&site.output.url, &place.url), address => shown.address.to_string(),
        kind => shown.kind.to_string(), site => Serde(&around.site), outlines => Serde(&around.outlines),
        lists => Serde(&around.lists),
    }
}

/// A document's fields for its template: HTML is cleaned and stands as it is, a document or an entry that is named is
/// where its page is, and a file where it will be.
fn fields(site: &Site<'_>, shown: &ShownDocument) -> Shown {
    let of = |(name, value): (&String, &Value)| {
        let shown_value = match value {
            Value::Text(text) if shown.html.contains(name) => {
                // What costs too much to clean is shown as text.
                clean(text).map_or_else(|_| Shown::from(text.as_str()), Shown::from_safe_string)
            }
            other => Shown::from(Serde(&resolved(site, &shown.language, other))),
        };
        (name.clone(), shown_value)
    };
    Shown::from(shown.fields.iter().map(of).collect::<BTreeMap<String, Shown>>())
}

/// A value with everything in it that has a place here as a record of its `url` and `title`.
fn resolved(site: &Site<'_>, language: &LanguageTag, value: &Value) -> Json {
    match value {
        Value::Text(text) if text.starts_with(ASSETS) => json!(rooted(&site.output.url, text)),
        Value::Text(text) => match site.page_called(text) {
            Some((named, place)) => linked(&named.fields, &place.url),
            None => json!(text),
        },
        Value::Reference(address) => match site.page_of(address, language) {
            Some((named, place)) => linked(&named.fields, &place.url),
            None => Json::Null,
        },
        Value::List(items) => Json::Array(items.iter().map(|item| resolved(site, language, item)).collect()),
        Value::Record(inner) => {
            Json::Object(inner.iter().map(|(name, value)| (name.clone(), resolved(site, language, value))).collect())
        }
        Value::Localised(by_language) => {
            by_language.get(language).map_or(Json::Null, |value| resolved(site, language, value))
        }
        other => to_json(other),
    }
}

fn linked(fields: &Record, url: &str) -> Json {
    let fields: Map<String, Json> = fields.iter().map(|(name, value)| (name.clone(), to_json(value))).collect();
    json!({ "url": url, "page": fields })
}

/// A title in a language, or in the first that it has.
pub(super) fn titled(title: &indexmap::IndexMap<String, String>, language: &LanguageTag) -> Option<String> {
    title.get(language.as_str()).or_else(|| title.values().next()).cloned()
}

/// The nodes of an outline in a language: each with where it leads.
fn menu(site: &Site<'_>, language: &LanguageTag, nodes: &[Node]) -> Json {
    let label = |value: &Value| match value {
        Value::Localised(by_language) => {
            let own = by_language.get(language).or_else(|| by_language.values().next());
            own.and_then(Value::scalar_text).map(std::borrow::Cow::into_owned)
        }
        other => other.scalar_text().map(std::borrow::Cow::into_owned),
    };
    let url = |entry: &Option<Address>, url: &Option<String>| match (entry, url) {
        (Some(entry), _) => site.page_of(entry, language).map(|(_, place)| place.url.clone()),
        (None, Some(url)) => Some(match filled(url.trim_start_matches('/'), language, None) {
            // An address of this output begins with a slash; any other is as it is.
            Ok(own) if url.starts_with('/') => rooted(&site.output.url, &own),
            _ => url.clone(),
        }),
        (None, None) => None,
    };
    let node = |node: &Node| {
        let label = label(&node.part.label).unwrap_or_else(|| node.part.key.clone());
        json!({
            "key": node.part.key, "label": label, "url": url(&node.part.entry, &node.part.url),
            "nodes": menu(site, language, &node.nodes),
        })
    };
    Json::Array(nodes.iter().map(node).collect())
}
