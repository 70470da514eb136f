//! What profiles say of how types are listed and read.

use diaporos_core::settings;
use diaporos_core::settings::forms::{ANY_VALUES, FILE, TEXT};
use diaporos_core::settings::{Form, Setting, Table, words};
use diaporos_core::value::State;

use super::paging::{PAGING, QUERY_PAGING};
use super::read_type::{ABSENT, EMBEDDED};
use super::row_listing::SINCE_COLUMN;
use super::search_call::LISTING;
use super::since::SINCE;
use crate::languages::OF_ITEMS;
use crate::query::JSON_PATH;
use crate::text_file::TextsForm;

const STATE: Form = Form::Word { what: "a state", of: || words(&State::WORDS) };

/// Where things are in an item.
const ITEM: &[Setting] = settings![
    items: JSON_PATH, none, "where the items are in an answer, a file or a document; it must be there for a listing of many", "$.entries[*]";
    each: JSON_PATH, none, "where entries are within an item; all paths then start at `$.outer`, the item, or `$.inner`, the entry", "$.rooms[*]";
    id: Form::OneOrMany(&JSON_PATH), none, "where the id is in an item; several are joined by slashes; without it, of files the path without its ending, of documents of a database `$._id`, of rows their key", "$.id";
    alone: TEXT, none, "instead of `id`: the type has one entry, called so", "about";
    revision: JSON_PATH, none, "where its revision is", "$.revision";
    state: JSON_PATH, none, "where its state is; all are live without it", "$.status";
    states: Form::Named(&STATE), none, "the system's words for states", "{ published = \"live\", retired = \"withdrawn\" }";
    state_missing: STATE, none, "what an item is that has no word there", "draft";
    fields_at: JSON_PATH, none, "where its fields are; the item itself without it", "$.content";
    ignore: Form::OneOrMany(&TEXT), none, "fields that are no change by themselves; they come along with the next one", "[\"views\", \"touched_at\"]";
    embedded: Form::Named(&Form::Word { what: "a form that is read inside a text", of: || words(&EMBEDDED) }), none, "texts that hold a document of their own", "{ payload = \"xml\", meta = \"json\" }";
    languages: Form::Table(&OF_ITEMS), none, "where each language of an entry is an item of its own; items with one id belong together", "{ language = \"$.lang\", main = \"en\" }";
    absent: Form::Word { what: "what becomes of an entry that a whole listing lacks", of: || words(&ABSENT) }, usual "gone", "what becomes of an entry that a whole listing lacks", "kept";
];

/// How pages of JSON are listed and read.
pub(crate) static READ_PAGES: Table = Table {
    name: "reading pages",
    one_of: &[&["id", "alone"]],
    needs: &[("detail", "revision")],
    groups: &[
        settings![
            list: LISTING, required, "the path of the listing; what chooses fields or writes out references belongs into its query; or a search, `{ post = \"/search\", body = { type = \"page\" } }`, in whose body a parameter stands that is a place, `$.page`", "/v1/entries?type=page";
        ],
        ITEM,
        settings![
            paging: Form::Variants(&PAGING), none, "how the listing goes on; it has one page without it", "{ style = \"page\" }";
            since: Form::Table(&SINCE), none, "asks for what changed only", "{ parameter = \"updated_after\", at = \"$.updated\" }";
            deleted: Form::Table(&DELETED_PAGES), none, "a listing of what was deleted", "{ list = \"/v1/deleted\", items = \"$.items[*]\", id = \"$.id\" }";
            detail: TEXT, none, "the path of one entry, for fields that the listing leaves out; asked for where the `revision` moved", "/v1/entries/{id}";
            one: TEXT, none, "the path of one entry with all its fields, read alone by hooks and `pull ADDRESS`; as `detail` without it", "/v1/entries/{id}";
        ],
    ],
};
static DELETED_PAGES: Table = Table::new(
    "what was deleted",
    &[settings![
        list: LISTING, required, "the path of the listing, or a search", "/v1/deleted";
        items: JSON_PATH, required, "where its items are", "$.items[*]";
        id: Form::OneOrMany(&JSON_PATH), required, "where an item has the id", "$.id";
        paging: Form::Variants(&PAGING), none, "how it goes on, where that is another way", "{ style = \"link\" }";
    ]],
);

/// How the answers to a query are read.
pub(crate) static READ_QUERY: Table = Table {
    name: "reading a query",
    one_of: &[&["id", "alone"]],
    needs: &[("detail", "revision")],
    groups: &[
        settings![
            query: FILE, required, "the file with the query", "plants.graphql";
        ],
        ITEM,
        settings![
            variables: ANY_VALUES, none, "variables that are sent with it", "{ shelf = \"north\" }";
            paging: Form::Variants(&QUERY_PAGING), none, "how the listing goes on; it has one page without it", "{ style = \"connection\", at = \"$.data.plants.pageInfo\" }";
            since: Form::Table(&SINCE), none, "asks for what changed only", "{ parameter = \"since\", at = \"$.updated\" }";
            detail: Form::Table(&DETAIL_QUERY), none, "a query for one entry, `$id`, where the listing leaves fields out; only those whose `revision` changed are asked for", "{ query = \"plant.graphql\", document = \"$.data.plant\" }";
            deleted: Form::Table(&DELETED_QUERY), none, "a query for what was deleted", "{ query = \"plants.graphql\", items = \"$.data.gone[*]\", id = \"$.id\" }";
        ],
    ],
};
static DETAIL_QUERY: Table = Table::new(
    "query for one entry",
    &[settings![
        query: FILE, required, "the file with the query", "plant.graphql";
        document: JSON_PATH, required, "where its answer has the entry", "$.data.plant";
    ]],
);
static DELETED_QUERY: Table = Table::new(
    "query for what was deleted",
    &[settings![
        query: FILE, required, "the file with the query", "plants.graphql";
        items: JSON_PATH, required, "where its items are", "$.data.gone[*]";
        id: Form::OneOrMany(&JSON_PATH), required, "where an item has the id", "$.id";
        paging: Form::Variants(&QUERY_PAGING), none, "how it goes on, where that is another way", "{ style = \"connection\", at = \"$.data.gone.pageInfo\" }";
    ]],
);

/// How files are read.
pub(crate) static READ_FILES: Table = Table::new(
    "reading files",
    &[
        settings![
            files: TEXT, required, "a pattern of paths within the folder", "pages/**/*.md";
            language_in_name: TEXT, none, "reads `about.fr.md` as the French of `about`; the language of `about.md`", "en";
            texts: Form::Word { what: "a form of files of texts by key", of: || words(&TextsForm::WORDS) }, none, "the files hold texts by key, in this form. An item has `key`, `text` (or `html`, or `plural` as a message), `note` and `translatable`; its id is the file's path and the key", "xcstrings";
        ],
        ITEM,
    ],
);

/// How the documents of a database are read.
pub(crate) static READ_CHANGES: Table = Table::new(
    "reading changes",
    &[
        settings![
            where: ANY_VALUES, none, "the members that tell documents of the type from others", "{ type = \"page\" }";
        ],
        ITEM,
    ],
);

/// How rows are listed and read.
pub(crate) static READ_ROWS: Table = Table {
    name: "reading rows",
    one_of: &[&["table", "query"]],
    needs: &[],
    groups: &[
        settings![
            table: TEXT, none, "the table or view, with its schema where it has one", "garden.plants";
            query: FILE, none, "instead of `table`: the file with one SELECT", "plants.sql";
            key: Form::OneOrMany(&TEXT), required, "the columns that together tell the rows apart, none of them empty; the listing goes in their order", "id";
            since: Form::Table(&SINCE_COLUMN), none, "asks for what changed only", "{ column = \"updated_at\" }";
            deleted: TEXT, none, "a column that is empty, or false, until the row is deleted", "deleted_at";
            language_suffix: TEXT, none, "what stands between the name of a localised field and the language's code in the names of its columns: `title_en`, `title_fr`", "_";
        ],
        ITEM,
    ],
};
