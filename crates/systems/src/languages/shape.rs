//! The shapes in which systems hold the languages of an entry: read from profiles here, and known
//! nowhere else.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::lane::Documents;
use diaporos_core::settings;
use diaporos_core::settings::forms::{LANGUAGE, TEXT};
use diaporos_core::settings::{Form, InnerText, Item, Section, Setting, Table, TextForm, Variants, one_of};
use diaporos_core::value::{EntryId, LanguageTag, Value, from_json, to_json};
use serde_json::{Map, Value as Json};

use super::{Elements, LanguageCodes, UnknownCode};
use crate::query::{JSON_PATH, Query, scalar_text};
use crate::read::PartListing;

/// A shape in which a system holds the languages of an entry.
#[derive(Debug, Clone)]
pub(crate) enum LanguageShape {
    /// In one document; a localised field is an object by code, or a list of nodes.
    Map,
    /// In one document; a localised field is a text of XML elements.
    Elements(Elements),
    /// In a document each.
    Rows {
        /// The member that holds a document's language.
        language: Option<String>,
        /// The member that joins it to its other languages.
        item: Option<String>,
    },
    /// In a document each, at an address of its own: an id is the document's, a slash, and a code.
    Addresses,
    /// In one document, which has this language alone.
    One(LanguageTag),
    /// In an item of a listing each.
    Items {
        /// Where an item's language is.
        language: Query,
        /// The language whose values count for fields that have none.
        main: Option<LanguageTag>,
    },
    /// In a file each, whose name ends in its language, as in `about.fr.md`.
    FileNames {
        /// The code of files whose name does not.
        main: String,
    },
}

impl LanguageShape {
    /// How languages go into documents.
    pub(crate) fn documents(&self) -> Documents {
        match self {
            LanguageShape::Map | LanguageShape::Elements(_) => Documents::One,
            LanguageShape::One(tag) => Documents::OneLanguage(tag.clone()),
            _ => Documents::PerLanguage,
        }
    }

    /// How the languages of an entry belong together, where each is listed by itself.
    pub(crate) fn parts(&self, codes: &LanguageCodes) -> Option<PartListing> {
        match self {
            LanguageShape::Items { main, .. } => Some(PartListing { main: main.clone() }),
            LanguageShape::FileNames { main } => Some(PartListing { main: codes.tag(main).ok() }),
            _ => None,
        }
    }

    /// The document's own id, and its language's code where that is part of the id.
    pub(crate) fn split<'a>(&self, id: &'a EntryId) -> (&'a str, &'a str) {
        match (self, id.as_str().rsplit_once('/')) {
            (LanguageShape::Addresses, Some((id, code))) => (id, code),
            _ => (id.as_str(), ""),
        }
    }

    /// The code of a document's language, where it shows one; `code` is the one that its id has.
    pub(crate) fn language_of(&self, document: &Json, code: &str) -> Option<String> {
        match self {
            LanguageShape::Rows { language: Some(member), .. } => document.get(member).and_then(scalar_text),
            LanguageShape::Addresses => Some(code.to_owned()).filter(|code| !code.is_empty()),
            _ => None,
        }
    }

    /// The member that holds a document's language, where there is one for each.
    pub(crate) fn member(&self) -> Option<&str> {
        match self {
            LanguageShape::Rows { language, .. } => language.as_deref(),
            _ => None,
        }
    }

    /// The id of a document by what the system calls it, and the code of its language.
    pub(crate) fn id(&self, own: String, code: &str) -> String {
        match self {
            LanguageShape::Addresses => format!("{own}/{code}"),
            _ => own,
        }
    }

    /// A value as the system takes it: a localised one by the system's own codes.
    ///
    /// # Errors
    /// Where the system has no code for a language.
    pub(crate) fn encode(&self, value: &Value, codes: &LanguageCodes) -> Result<Json, UnknownCode> {
        let Value::Localised(by_language) = value else { return Ok(to_json(value)) };
        let by_code = by_language.iter().map(|(tag, inner)| Ok((codes.code(tag)?, to_json(inner))));
        match self {
            LanguageShape::Elements(elements) => {
                Ok(Json::String(elements.write(&by_code.collect::<Result<Vec<_>, _>>()?)))
            }
            _ => Ok(Json::Object(by_code.collect::<Result<_, _>>()?)),
        }
    }

    /// A localised field's value as the system has it. What is not in this shape stays what it is.
    pub(crate) fn decode(&self, json: &Json, codes: &LanguageCodes) -> Value {
        let localised = match (self, json) {
            (LanguageShape::Map | LanguageShape::Elements(_), Json::Object(by_code)) => {
                by_code.iter().map(|(code, inner)| Some((codes.tag(code).ok()?, from_json(inner)))).collect()
            }
            (LanguageShape::Elements(elements), Json::String(text)) => elements.read(codes, text),
            _ => None,
        };
        localised.map_or_else(|| from_json(json), Value::Localised)
    }

    /// Says of a new document which language it has, and which document it belongs to.
    pub(crate) fn name(&self, document: &mut Map<String, Json>, code: Option<String>, of: Option<Json>) {
        let LanguageShape::Rows { language, item } = self else { return };
        if let (Some(member), Some(code)) = (language, code) {
            document.insert(member.clone(), Json::String(code));
        }
        if let (Some(member), Some(of)) = (item, of) {
            document.insert(member.clone(), of);
        }
    }
}

const SHAPE: &[Setting] = settings![
    shape: Form::Text(&TextForm { name: "a shape of languages", pattern: None }), required, "`map`: one document, a localised field by code; `xml`: one document, a localised field as text of elements; `row`: a document per language; `address`: an address per language, `{id}` and `{language}` in the calls; `one`: one language alone", "row";
];
static MAP: Table = Table::new("languages in a map", &[SHAPE]);
static ROW: Table = Table::new(
    "languages in rows",
    &[
        SHAPE,
        settings![
            language: TEXT, required, "the member that holds a document's language", "lang";
            item: TEXT, none, "the member that joins it to its other languages", "item";
        ],
    ],
);
static PLACED_ROW: Table = Table::new(
    "languages in documents of their own",
    &[
        SHAPE,
        settings![
            language: TEXT, none, "the member that holds a document's language", "lang";
        ],
    ],
);
static ADDRESS: Table = Table::new("languages at addresses", &[SHAPE]);
static XML: Table = Table::new(
    "languages in elements",
    &[
        SHAPE,
        settings![
            element: TEXT, usual "text", "the elements' name", "string";
            attribute: TEXT, usual "lang", "the attribute that holds the language", "xml:lang";
        ],
    ],
);
static ONE: Table = Table::new(
    "one language",
    &[
        SHAPE,
        settings![
            language: LANGUAGE, required, "the language", "en";
        ],
    ],
);
/// The shapes of documents that are written by calls.
pub(crate) static OF_CALLS: Variants = Variants {
    name: "languages of documents",
    by: "shape",
    of: || vec![("map", &MAP), ("row", &ROW), ("address", &ADDRESS), ("xml", &XML), ("one", &ONE)],
};
/// The shapes of documents at places of our choosing.
pub(crate) static OF_PLACES: Variants = Variants {
    name: "languages of documents at places",
    by: "shape",
    of: || vec![("map", &MAP), ("row", &PLACED_ROW)],
};
/// Languages that are items of a listing each.
pub(crate) static OF_ITEMS: Table = Table::new(
    "languages in items",
    &[settings![
        language: JSON_PATH, required, "where an item's language is", "$.lang";
        main: LANGUAGE, none, "the language whose values count for fields that have none", "en";
    ]],
);

impl LanguageShape {
    /// Reads the shape of documents that are written by calls.
    pub(crate) fn of_calls(section: &mut Section<'_>, report: &mut Report) -> Option<LanguageShape> {
        LanguageShape::written(section, &OF_CALLS, report)
    }

    /// Reads the shape of documents at places of our choosing.
    pub(crate) fn of_places(section: &mut Section<'_>, report: &mut Report) -> Option<LanguageShape> {
        LanguageShape::written(section, &OF_PLACES, report)
    }

    fn written(section: &mut Section<'_>, variants: &Variants, report: &mut Report) -> Option<LanguageShape> {
        let word = section.text("shape", report)?;
        let described = one_of(word.value.as_str(), word.span, &(variants.of)(), "a shape of languages", report)?;
        section.is(described);
        Some(match word.value.as_str() {
            "map" => LanguageShape::Map,
            "address" => LanguageShape::Addresses,
            "xml" => LanguageShape::Elements(Elements {
                element: section.string("element", report)?,
                attribute: section.string("attribute", report)?,
            }),
            "one" => LanguageShape::One(tag(&section.text("language", report)?, report)?),
            _ if described.setting("item").is_some() => LanguageShape::Rows {
                language: Some(section.text("language", report)?.value.as_str().to_owned()),
                item: section.string("item", report),
            },
            _ => LanguageShape::Rows { language: section.string("language", report), item: None },
        })
    }

    /// Reads the shape of a listing that has an item for each language.
    pub(crate) fn of_items(section: &mut Section<'_>, report: &mut Report) -> Option<LanguageShape> {
        let language = Query::from_key(section, "language", report);
        let main = section.text("main", report);
        let main = main.map(|item| tag(&item, report));
        Some(LanguageShape::Items { language: language?, main: main.map_or(Some(None), |tag| tag.map(Some))? })
    }
}

fn tag(item: &Item<InnerText>, report: &mut Report) -> Option<LanguageTag> {
    let read = item.value.as_str().parse();
    read.map_err(|error| report.add(Diagnostic::error(Code::BadValue, item.span.clone(), format!("{error}")))).ok()
}
