//! What stands in a brief.

use diaporos_core::settings;
use diaporos_core::settings::forms::{
    DURATION, EXPRESSION, FILE, LANGUAGE, NAMED_EXPRESSIONS, NAMED_TEXTS, TEXT, TEXTS, TYPE,
};
use diaporos_core::settings::{Form, Table, words};
use diaporos_core::translate::{AcceptFrom, CheckPolicy, Preset, UnitFormat};

use diaporos_systems::settings::TIMES;

use super::machine::MACHINE;
use super::timed::TIMED;
use super::{Back, Outdated};

/// A brief.
pub(in crate::config) static BRIEF: Table = Table {
    name: "brief",
    one_of: &[&["agency", "folder", "in_house"]],
    needs: &[("in_house", "machine")],
    groups: &[
        TIMES,
        TIMED,
        settings![
            type: TYPE, required, "the type whose texts are translated", "catalogue/plant-profile";
            fields: TEXTS, required, "which of its fields: of kind `text`, `html` or `markdown`, declared with a value per language", "[\"common_name\", \"description\"]";
            messages: TEXTS, none, "which of the fields, of kind `text`, hold messages with variables, plural forms and choices (ICU MessageFormat)", "[\"common_name\"]";
            from: LANGUAGE, required, "the language of the texts", "en";
            into: Form::List(&LANGUAGE), required, "the languages they are translated into", "[\"fr\", \"cy\"]";
            when: EXPRESSION, none, "which entries; without it, those that are live", "\"public\" in tags";
            agency: TEXT, none, "the system that translates, whose profile has a table `translation`", "agency";
            folder: TEXT, none, "instead: a folder that people carry files from (`out/`) and to (`back/`)", "translations";
            in_house: Form::Boolean, none, "instead: true, where people of the house review what the machine makes (`batch review`), and nothing is sent out", "true";
            machine: Form::Table(&MACHINE), none, "a machine that translates before people do. What it makes stands in their files, marked as a suggestion, and never counts before a person has decided about it", "{ url = \"https://translate.ostrel.example/v1\", send = { text = \"{text}\", from = \"{from}\", into = \"{into}\" }, at = \"$.translation\" }";
            back: Form::Word { what: "where translations can go", of: || words(&Back::WORDS) }, usual "lanes", "where translations go: `lanes` read them at once; `source` writes them into the entries that they are of, on the lane `BRIEF-back`, and lanes read them when they come back; or `both`", "source";
            outdated: Form::Word { what: "what can become of a translation of a text that has changed", of: || words(&Outdated::WORDS) }, usual "hold", "what becomes of a sound translation of a text that has changed since it was sent: it is held, or taken as out of date", "take";
            accept_from: Form::Word { what: "a state to accept from", of: || words(&AcceptFrom::WORDS) }, usual "translated", "from which state on translations are taken, by what XLIFF says (`state`, `subState`, `approved`); what is below waits. PO and CSV say no more than `translated`. `any` leaves states unheard, for tools that do not know them. What a machine or a memory suggested (`mt-suggestion`, `fuzzy`) waits with each of them", "reviewed";
            review: Form::Boolean, usual "false", "whether each translation waits until a person accepts it: `batch review`", "true";
            format: Form::Word { what: "a format of files for translators", of: || words(&UnitFormat::WORDS) }, usual "xliff-2.1", "the format of files for translators", "po";
            due: DURATION, none, "how long translators have", "10d";
            notes: Form::OneOrMany(&TEXT), none, "what translators should know of all texts", "Plant names stay Latin.";
            references: NAMED_EXPRESSIONS, none, "where translators see a text as it is read, by what is there: addresses of pages, of pictures of the screen", "{ Page = '\"https://ostrel.example/plants/\" + entry.id' }";
            field_notes: NAMED_TEXTS, none, "what they should know, by field", "{ common_name = \"as gardeners say it\" }";
            limits: Form::Named(&Form::Count(1)), none, "the most characters of a plain text, by field; the model's `max_length` without it", "{ common_name = 60 }";
            keep: TEXTS, none, "names that must not change, beside placeholders and addresses", "[\"Ostrel\"]";
            placeholders: Form::List(&PLACEHOLDERS), none, "what else must not change: all but `numbered` where it is not there. `braces` is `{name}`, `{{ x }}`, `${x}`; `printf` is `%s`, `%1$d`, `%@`, `%(name)s`; `numbered` is `%1`; `templates` is `{% x %}`, `<% x %>`; `shortcodes` is `[name key=\"x\"]`, `[/name]`", "[\"braces\", \"links\", \"emails\"]";
            attributes: TEXTS, none, "attributes of HTML that are translated too, beside those that HTML itself has for people", "[\"data-caption\"]";
            keep_patterns: TEXTS, none, "regular expressions for what must not change", "[\"[A-Z]{2}-[0-9]+\"]";
            links: Form::Named(&Form::Anything), none, "where links lead in other languages, by how they begin in the texts: a text in which `{language}` is the language, or a table by language. `lang` and `hreflang` follow", "{ \"/en/\" = \"/{language}/\", \"/shop/en/\" = { fr = \"/boutique/\" } }";
            glossary: FILE, none, "terms: CSV with the headings `term,language,say,avoid` (several texts in a cell are parted by `|`), or TBX-Basic", "glossary.csv";
            checks: Form::Named(&Form::Word { what: "what can become of a defect", of: || words(&CheckPolicy::WORDS) }), none, "what becomes of what fails a check, by check: it is rejected, taken and told, or not looked for", "{ numbers = \"tell\" }";
            near: Form::Count(0), usual "70", "from which percentage on texts of the memory that are nearly the same are offered to translators; 0 offers none", "85";
            by_language: Form::Named(&Form::Table(&BY_LANGUAGE)), none, "rules of one language, where they differ", "{ cy = { review = true, checks = { script = \"tell\" } } }";
            rates: Form::Table(&RATES), none, "what a word costs, by why it is sent", "{ currency = \"EUR\", new = 0.14, changed = 0.09, repeated = 0.03 }";
        ],
    ],
};
static PLACEHOLDERS: Form = Form::Word { what: "a kind of placeholders", of: || words(&Preset::WORDS) };
static BY_LANGUAGE: Table = Table::new(
    "rules of a language",
    &[settings![
        agency: TEXT, none, "the system that translates into it", "agency";
        folder: TEXT, none, "instead: the folder that people carry its files from and to", "translations/welsh";
        accept_from: Form::Word { what: "a state to accept from", of: || words(&AcceptFrom::WORDS) }, none, "from which state on translations into it are taken", "final";
        review: Form::Boolean, none, "whether each waits until a person accepts it", "true";
        glossary: FILE, none, "its own glossary", "glossary.csv";
        checks: Form::Named(&Form::Word { what: "what can become of a defect", of: || words(&CheckPolicy::WORDS) }), none, "what becomes of what fails a check, where that differs", "{ numbers = \"tell\" }";
        rates: Form::Table(&RATES), none, "what a word costs", "{ currency = \"EUR\", new = 0.22 }";
    ]],
);
static RATES: Table = Table::new(
    "rates",
    &[settings![
        currency: TEXT, required, "the currency (ISO 4217)", "EUR";
        new: Form::Anything, none, "a word of a new text; nothing without it", "0.14";
        changed: Form::Anything, none, "a word of a changed one, where no rate of its band is given; as a new one without it", "0.09";
        near_70: Form::Anything, none, "a word of one that is 70 to 84 % like a text whose translation is known; without it as if it were not", "0.10";
        near_85: Form::Anything, none, "the same, of 85 to 94 %", "0.07";
        near_95: Form::Anything, none, "the same, of 95 % and more", "0.04";
        exact: Form::Anything, none, "a word of a text whose translation is known from elsewhere; nothing without it", "0.01";
        in_context: Form::Anything, none, "a word of a text whose translation is known for its very place; nothing without it", "0";
        minimum: Form::Anything, none, "the least that a language of a batch costs", "25";
        accept_up_to: Form::Anything, none, "up to which price what an agency asks for a batch is accepted without a person; none is without it", "250";
        repeated: Form::Anything, none, "a word of one that stands in the batch already; nothing without it", "0.03";
    ]],
);
