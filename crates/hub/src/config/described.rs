//! What stands in `diaporos.toml`.

use diaporos_core::settings;
use diaporos_core::settings::{Form, Table, Variants};
use diaporos_systems::KINDS;
use diaporos_systems::hook::HOOK;

use super::alerting::ALERTS;
use super::briefs::BRIEF;
use super::keeping::KEEP;
use super::lanes::LANE;
use super::library::{FUNCTION, LANGUAGES};
use super::outputs::OUTPUT;
use super::own::{LIST, OUTLINE};
use super::renditions::RENDITION;
use super::services::SERVICE;
use super::serving::SERVE;
use super::store::STORE;
use super::table::LOOKUP_TABLE;
use super::tells::TELL;
use super::views::VIEW;

/// The whole configuration.
pub static CONFIGURATION: Table = Table::new(
    "configuration",
    &[settings![
        systems: Form::Named(&Form::Variants(&SYSTEM)), none, "the systems that content comes from and goes to, by name", "{ news = { kind = \"feed\", feeds = { garden = \"https://garden.example/news.xml\" } } }";
        lanes: Form::Named(&Form::Table(&LANE)), none, "the ways from a source type to a destination type, by name", "{ pages = { from = \"catalogue/plant-profile\", to = \"visitor-site/page\", match = \"slug\", fields = { slug = 'entry.id | slug', heading = 'common_name' } } }";
        briefs: Form::Named(&Form::Table(&BRIEF)), none, "what is translated, by name: small letters, digits and `-`", "{ plants = { type = \"catalogue/plant-profile\", fields = [\"common_name\"], from = \"en\", into = [\"fr\"], folder = \"translations\" } }";
        hooks: Form::Named(&Form::Table(&HOOK)), none, "calls from outside that say that an entry changed, by name: letters, digits, `-` and `_`; `serve` takes them at `/hooks/NAME`", "{ catalogue = { system = \"catalogue\", verify = \"standard-webhooks\", secrets = \"env:CATALOGUE_HOOK_SECRET\", of = \"plant-profile\", id = \"$.entry.id\" } }";
        serve: Form::Table(&SERVE), none, "where `serve` listens", "{ listen = \"127.0.0.1:8090\" }";
        alerts: Form::Table(&ALERTS), none, "when a person is told of something that is out of order", "{ failures = 5, held = \"3d\" }";
        store: Form::Table(&STORE), none, "where the store is", "{ url = \"env:STORE_URL\" }";
        keep: Form::Table(&KEEP), none, "how long what is no longer needed is kept; for good where nothing is said", "{ versions = \"90d\", gone = \"30d\" }";
        tell: Form::Named(&Form::Table(&TELL)), none, "who is told of what happens, by name", "{ build = { on = [\"run.changed\"], to = \"env:BUILD_HOOK_URL\" } }";
        views: Form::Named(&Form::Table(&VIEW)), none, "lists of entries that are looked at again and again, by name", "{ soon = { type = \"exhibit\", sort = \"opens\" } }";
        lists: Form::Named(&Form::Table(&LIST)), none, "ordered lists of entries, by name; lanes take them from `hub/list`, or item by item from `hub/list-item`", "{ front-page = { of = \"catalogue/plant-profile\", sort = \"common_name@en\", most = 8, on = \"visitor-site\" } }";
        outlines: Form::Named(&Form::Table(&OUTLINE)), none, "trees of sections or menu items, by name; lanes take them from `hub/outline`, or node by node from `hub/node`", "{ menu = { file = \"menu.toml\" } }";
        services: Form::Named(&Form::Table(&SERVICE)), none, "services in between, by name: HTTP calls that give entries one more field before they are mapped", "{ phrases = { of = \"catalogue/plant-profile\", url = \"https://phrases.ostrel.example/v1\", send = { text = 'description@en' }, at = \"$.phrases[*]\", many = true } }";
        tables: Form::Named(&Form::Table(&LOOKUP_TABLE)), none, "tables to look values up in, by name", "{ sections = { rows = { bog = \"Wetlands\" }, unknown = \"hold\" } }";
        outputs: Form::Named(&Form::Table(&OUTPUT)), none, "whole outputs, by name: pages, feeds and a map, made of the documents of a system of files after each push", "{ guide = { of = \"guide\", folder = \"guide/public\", templates = \"templates\", url = \"https://guide.ostrel.example/\" } }";
        renditions: Form::Named(&Form::Table(&RENDITION)), none, "what pictures become for their places, by name; `image | rendition \"NAME\"` in a lane", "{ top-story = { size = \"1200x630\" } }";
        functions: Form::Named(&Form::Table(&FUNCTION)), none, "functions of the hub's own, by name", "{ teaser = { is = 'it | plain | shorten 160' } }";
        languages: Form::Table(&LANGUAGES), none, "the languages of the hub", "{ known = [\"en\", \"fr\"], fallback = [\"en\"] }";
    ]],
);

/// A system, by its kind.
static SYSTEM: Variants =
    Variants { name: "system", by: "kind", of: || KINDS.iter().map(|kind| (kind.word(), kind.settings())).collect() };
