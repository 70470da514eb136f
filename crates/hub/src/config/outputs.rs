//! Whole outputs in the configuration: a site of pages, feeds and a map, made of the documents of a system of files.

use std::path::PathBuf;

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings;
use diaporos_core::settings::forms::{FILE, LANGUAGE, NAMED_TEXTS, TEXT};
use diaporos_core::settings::{Form, InnerText, Item, Section, Table, TextForm, words};
use diaporos_core::value::{LanguageTag, SystemName, TypeName};
use diaporos_systems::settings::path::within;
use indexmap::IndexMap;
use url::Url;

use super::ends::{Systems, known_system, named_tables};

/// A whole output.
#[derive(Debug, Clone)]
pub struct OutputConfig {
    /// The system of files whose documents it shows.
    pub of: SystemName,
    /// The folder that it is written to.
    pub folder: PathBuf,
    /// The folder of its templates.
    pub templates: PathBuf,
    /// Where it will be looked at.
    pub url: Url,
    /// Whether addresses of pages end with a slash.
    pub slash: Slash,
    /// The language of documents that have none.
    pub language: LanguageTag,
    /// What it is called, by language.
    pub title: IndexMap<String, String>,
    /// How documents become pages, by type.
    pub pages: IndexMap<TypeName, PageConfig>,
    /// Pages of lists, by the list's name.
    pub lists: IndexMap<String, PageConfig>,
    /// Feeds, by name.
    pub feeds: IndexMap<String, FeedConfig>,
}

/// Whether addresses of pages end with a slash.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Slash {
    /// They do: a page is an `index.html` in a folder of its own.
    With,
    /// They do not: a page is a file.
    Without,
}

impl Slash {
    const WORDS: [(&'static str, Slash); 2] = [("with", Slash::With), ("without", Slash::Without)];
}

/// How something becomes a page.
#[derive(Debug, Clone)]
pub struct PageConfig {
    /// The template, in the folder of templates.
    pub template: String,
    /// Its address below the output's; `{language}`, and of documents `{FIELD}`.
    pub at: String,
}

/// A form of feeds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FeedForm {
    /// Atom (RFC 4287).
    Atom,
    /// RSS 2.0.
    Rss,
    /// JSON Feed 1.1.
    Json,
    /// News items (ninjs 2.0).
    Ninjs,
}

impl FeedForm {
    const WORDS: [(&'static str, FeedForm); 4] =
        [("atom", FeedForm::Atom), ("rss", FeedForm::Rss), ("json", FeedForm::Json), ("ninjs", FeedForm::Ninjs)];
}

/// A feed of an output.
#[derive(Debug, Clone)]
pub struct FeedConfig {
    /// Of documents of this type.
    pub of: TypeName,
    /// How it is written.
    pub form: FeedForm,
    /// Its address below the output's; `{language}`.
    pub at: String,
    /// How many items it has.
    pub most: usize,
    /// Whether older items stand in archives (RFC 5005).
    pub archives: bool,
    /// What it is called, by language.
    pub title: IndexMap<String, String>,
    /// Which fields of a document are which part of an item.
    pub fields: FeedFields,
}

/// Which fields of a document are which part of an item.
#[derive(Debug, Clone)]
pub struct FeedFields {
    /// What the item is called.
    pub title: String,
    /// What it says in short.
    pub summary: Option<String>,
    /// What it says, as HTML.
    pub content: Option<String>,
    /// Since when it is there; since its first delivery without it.
    pub published: Option<String>,
    /// Its picture.
    pub picture: Option<String>,
}

/// An output.
pub(super) static OUTPUT: Table = Table::new(
    "output",
    &[settings![
        of: TEXT, required, "the system of kind `files` whose documents it shows", "guide";
        folder: FILE, required, "the folder that it is written to; what stands there and is not ours is left alone", "guide/public";
        templates: FILE, required, "the folder of its templates (Jinja syntax)", "templates";
        url: URL, required, "where it will be looked at", "https://guide.ostrel.example/";
        slash: Form::Word { what: "a way to end addresses", of: || words(&Slash::WORDS) }, usual "with", "whether addresses of pages end with a slash", "without";
        language: LANGUAGE, usual "en", "the language of documents that have none", "fr";
        title: NAMED_TEXTS, none, "what it is called, by language", "{ en = \"Visitor guide\" }";
        pages: Form::Named(&Form::Table(&PAGE)), none, "how documents become pages, by type", "{ page = { template = \"page.html\", at = \"{language}/{slug}\" } }";
        lists: Form::Named(&Form::Table(&PAGE)), none, "pages of lists, by the list's name", "{ front-page = { template = \"front.html\", at = \"{language}\" } }";
        feeds: Form::Named(&Form::Table(&FEED)), none, "feeds, by name", "{ news = { of = \"page\", at = \"{language}/news.xml\", title_from = \"heading\" } }";
    ]],
)
.needing(&[("feeds", "pages")]);
const URL: Form = Form::Text(&TextForm { name: "an http or https address", pattern: Some("^https?://") });
static PAGE: Table = Table::new(
    "page of an output",
    &[settings![
        template: TEXT, required, "the template, in the folder of templates", "page.html";
        at: TEXT, required, "its address below the output\'s; `{language}`, and of documents a field in braces", "{language}/{slug}";
    ]],
);
static FEED: Table = Table::new(
    "feed of an output",
    &[settings![
        of: TEXT, required, "of documents of this type, which has pages", "page";
        form: Form::Word { what: "a form of feeds", of: || words(&FeedForm::WORDS) }, usual "atom", "how it is written", "json";
        at: TEXT, required, "its address below the output\'s; `{language}`", "{language}/news.xml";
        most: Form::Count(1), usual "20", "how many items it has", "50";
        archives: Form::Boolean, usual "false", "whether older items stand in archives (RFC 5005); of Atom and RSS", "true";
        title: NAMED_TEXTS, none, "what it is called, by language; as the output without it", "{ en = \"News\" }";
        title_from: TEXT, required, "the field that is an item\'s title", "heading";
        summary_from: TEXT, none, "the field that says it in short", "teaser";
        content_from: TEXT, none, "the field that says it whole, as HTML", "body";
        published_from: TEXT, none, "the field that says since when it is there (RFC 3339); since its delivery without it", "live_at";
        picture_from: TEXT, none, "the field that is its picture", "banner";
    ]],
);

/// Reads the outputs.
pub(super) fn outputs(
    file: &mut Section<'_>,
    (folder, systems): (&std::path::Path, &Systems),
    report: &mut Report,
) -> IndexMap<String, OutputConfig> {
    named_tables(file, "outputs", report, |_, table, report| output(table, (folder, systems), report))
}

fn output(
    table: &mut Section<'_>,
    (folder, systems): (&std::path::Path, &Systems),
    report: &mut Report,
) -> Option<OutputConfig> {
    let of = table.text("of", report).and_then(|item| known_system(systems, &item, report));
    let inside = |key: &'static str, table: &mut Section<'_>, report: &mut Report| {
        let item = table.text(key, report)?;
        let found = within(folder, item.value.as_str());
        found.map_err(|fault| report.add(fault.told(&item, "a folder of the hub"))).ok()
    };
    let out = inside("folder", table, report);
    let templates = inside("templates", table, report);
    let url = table.text("url", report).and_then(|item| address(&item, report));
    let slash = table.word("slash", &Slash::WORDS, report);
    let language = table.text("language", report).map(|item| {
        let read = item.value.as_str().parse::<LanguageTag>();
        read.map_err(|error| report.add(Diagnostic::error(Code::BadValue, item.span.clone(), error.to_string()))).ok()
    });
    let title = texts("title", table, report);
    let mut pages = IndexMap::new();
    for (name, page) in named_tables(table, "pages", report, |_, table, report| page(table, report)) {
        match TypeName::new(name) {
            Ok(kind) => drop(pages.insert(kind, page)),
            Err(error) => report.add(Diagnostic::error(Code::BadValue, table.span(), error.to_string())),
        }
    }
    let lists = named_tables(table, "lists", report, |_, table, report| page(table, report));
    let feeds = named_tables(table, "feeds", report, |_, table, report| feed(table, report));
    for (name, feed) in &feeds {
        if !pages.contains_key(&feed.of) {
            let message = format!("the feed `{name}` is of `{}`, which has no pages", feed.of);
            let place = table.place(&["feeds", name]).unwrap_or_else(|| table.span());
            report.add(Diagnostic::error(Code::UnknownName, place, message).help("say so in `pages`"));
        }
    }
    Some(OutputConfig {
        of: of?,
        folder: out?,
        templates: templates?,
        url: url?,
        slash: slash?,
        language: language??,
        title,
        pages,
        lists,
        feeds,
    })
}

fn address(item: &Item<InnerText>, report: &mut Report) -> Option<Url> {
    let mut url = Url::parse(item.value.as_str()).ok().filter(|url| url.has_host());
    if let Some(url) = &mut url {
        url.set_fragment(None);
        if !url.path().ends_with('/') {
            let path = format!("{}/", url.path());
            url.set_path(&path);
        }
    } else {
        let message = format!("`{}` is not an address", item.value.as_str());
        report.add(Diagnostic::error(Code::BadValue, item.span.clone(), message));
    }
    url
}

fn texts(key: &'static str, table: &mut Section<'_>, report: &mut Report) -> IndexMap<String, String> {
    let mut found = IndexMap::new();
    let Some(mut section) = table.section(key, report) else { return found };
    for name in section.names() {
        let text = section.named_text(&name.value, report);
        found.extend(text.map(|text| (name.value, text.value.as_str().to_owned())));
    }
    section.finish(report);
    found
}

/// An address below the output's: no step leads upwards, or is hidden.
fn below(table: &mut Section<'_>, report: &mut Report) -> Option<String> {
    let item = table.text("at", report)?;
    let text = item.value.as_str();
    let wrong = text.split('/').any(|step| step.starts_with('.')) || text.contains(['\\', '?', '#']);
    if wrong || text.starts_with('/') {
        let message = format!("`{text}` is no address below the output's");
        let finding = Diagnostic::error(Code::BadValue, item.span, message);
        report.add(finding.help("as in `{language}/{slug}`, without a slash before it"));
        return None;
    }
    Some(text.trim_end_matches('/').to_owned())
}

fn page(table: &mut Section<'_>, report: &mut Report) -> Option<PageConfig> {
    let template = table.string("template", report);
    let at = below(table, report);
    Some(PageConfig { template: template?, at: at? })
}

fn feed(table: &mut Section<'_>, report: &mut Report) -> Option<FeedConfig> {
    let of = table.text("of", report).and_then(|item| {
        let kind = TypeName::new(item.value.as_str());
        kind.map_err(|error| report.add(Diagnostic::error(Code::BadValue, item.span.clone(), error.to_string()))).ok()
    });
    let form = table.word("form", &FeedForm::WORDS, report);
    let at = below(table, report);
    let most = table.count("most", report).map_or(20, |count| usize::try_from(count.value).unwrap_or(usize::MAX));
    let archives = table.boolean("archives", report);
    let title = texts("title", table, report);
    let own_title = table.string("title_from", report);
    let summary = table.string("summary_from", report);
    let content = table.string("content_from", report);
    let published = table.string("published_from", report);
    let picture = table.string("picture_from", report);
    let fields = FeedFields { title: own_title?, summary, content, published, picture };
    Some(FeedConfig { of: of?, form: form?, at: at?, most, archives, title, fields })
}
