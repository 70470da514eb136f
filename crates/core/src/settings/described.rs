//! A setting, described once: the reader, its messages, the JSON Schema and the reference page are made
//! from it.

/// One setting of a table.
#[derive(Debug)]
pub struct Setting {
    /// Its key.
    pub key: &'static str,
    /// What stands there.
    pub form: Form,
    /// What counts where it is not there.
    pub usual: Usual,
    /// What it is for, in a sentence without its full stop.
    pub says: &'static str,
    /// What may stand there. Of a text, the text alone; of all else, as TOML has it.
    pub example: &'static str,
}

/// What counts where a setting is not there.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Usual {
    /// It must be there.
    Required,
    /// Nothing: what it is for is not done, or is told otherwise.
    None,
    /// This, written as an example is.
    Is(&'static str),
}

/// What stands under a key.
#[derive(Debug, Clone, Copy)]
pub enum Form {
    /// A text of some form.
    Text(&'static TextForm),
    /// One word of several.
    Word {
        /// What each of them is: `a state`.
        what: &'static str,
        /// The words.
        of: fn() -> Vec<&'static str>,
    },
    /// True or false.
    Boolean,
    /// A whole number of at least so much.
    Count(u64),
    /// A list.
    List(&'static Form),
    /// One, or a list of several.
    OneOrMany(&'static Form),
    /// A table.
    Table(&'static Table),
    /// A table that its reader chooses by the word at a key.
    Variants(&'static Variants),
    /// A table whose keys are the user's own names.
    Named(&'static Form),
    /// A short form, or a longer one.
    Either(&'static Form, &'static Form),
    /// Any value that TOML has.
    Anything,
}

/// A form of texts.
#[derive(Debug)]
pub struct TextForm {
    /// What such a text is: `a duration`.
    pub name: &'static str,
    /// The regular expression that it matches (ECMA-262, as JSON Schema has them).
    pub pattern: Option<&'static str>,
}

/// A table: its settings, in groups that tables may share.
#[derive(Debug)]
pub struct Table {
    /// What it is called in the reference and in the schema, unlike all others.
    pub name: &'static str,
    /// The groups.
    pub groups: &'static [&'static [Setting]],
    /// Sets of keys of which exactly one is there.
    pub one_of: &'static [&'static [&'static str]],
    /// Keys that need another beside them.
    pub needs: &'static [(&'static str, &'static str)],
}

/// Tables of which one is meant, by the word at a key.
#[derive(Debug)]
pub struct Variants {
    /// What they are called together.
    pub name: &'static str,
    /// The key. Each table describes it.
    pub by: &'static str,
    /// The tables by word.
    pub of: fn() -> Vec<(&'static str, &'static Table)>,
}

impl Table {
    /// A table of settings that know nothing of each other.
    #[must_use]
    pub const fn new(name: &'static str, groups: &'static [&'static [Setting]]) -> Table {
        Table { name, groups, one_of: &[], needs: &[] }
    }

    /// The same with sets of keys of which exactly one is there.
    #[must_use]
    pub const fn with_one_of(self, one_of: &'static [&'static [&'static str]]) -> Table {
        Table { one_of, ..self }
    }

    /// The same with keys that need another beside them.
    #[must_use]
    pub const fn needing(self, needs: &'static [(&'static str, &'static str)]) -> Table {
        Table { needs, ..self }
    }

    /// Its settings, in their order.
    pub fn settings(&self) -> impl Iterator<Item = &'static Setting> + use<> {
        self.groups.iter().flat_map(|group| group.iter())
    }

    /// The setting at the end of a path, on which names of the user's own are as they like.
    #[must_use]
    pub fn at(&'static self, path: &[&str]) -> Option<&'static Setting> {
        let (first, rest) = path.split_first()?;
        let setting = self.setting(first)?;
        if rest.is_empty() { Some(setting) } else { setting.form.at(rest) }
    }

    /// The setting of a key.
    #[must_use]
    pub fn setting(&self, key: &str) -> Option<&'static Setting> {
        self.settings().find(|setting| setting.key == key)
    }
}

impl Form {
    fn at(&'static self, path: &[&str]) -> Option<&'static Setting> {
        match self {
            Form::Table(table) => table.at(path),
            Form::Variants(variants) => (variants.of)().into_iter().find_map(|(_, table)| table.at(path)),
            Form::Named(of) => of.at(path.get(1..)?),
            Form::Either(_, long) => long.at(path),
            _ => None,
        }
    }

    /// Whether a text stands there, so that examples need no quotes.
    #[must_use]
    pub fn is_text(&self) -> bool {
        match self {
            Form::Text(_) | Form::Word { .. } => true,
            Form::OneOrMany(form) | Form::Either(form, _) => form.is_text(),
            _ => false,
        }
    }
}

impl Setting {
    /// A value as the file has it: a text in quotes, all else as it is.
    #[must_use]
    pub fn written(&self, value: &str) -> String {
        let may_be_longer = matches!(self.form, Form::Either(..) | Form::OneOrMany(_));
        let is_toml = !self.form.is_text() || (may_be_longer && value.starts_with(['{', '[']));
        match (is_toml, value.contains('"')) {
            (true, _) => value.to_owned(),
            (false, true) => format!("'{value}'"),
            (false, false) => format!("\"{value}\""),
        }
    }

    /// The example with its key, as a line of the file.
    #[must_use]
    pub fn line(&self) -> String {
        format!("{} = {}", self.key, self.written(self.example))
    }
}

/// The words of a list of words with their meanings.
#[must_use]
pub fn words<T>(all: &[(&'static str, T)]) -> Vec<&'static str> {
    all.iter().map(|(word, _)| *word).collect()
}

/// A group of settings, a line each: its key, what stands there, what counts where it is not there
/// (`required`, `none`, or `usual` and a value), what it is for, and an example.
#[macro_export]
macro_rules! settings {
    ($($key:ident: $form:expr, $usual:ident $($value:literal)?, $says:literal, $example:literal;)*) => {
        &[$($crate::settings::Setting {
            key: stringify!($key),
            form: $form,
            usual: $crate::usual!($usual $($value)?),
            says: $says,
            example: $example,
        }),*]
    };
}

/// What counts where a setting is not there.
#[doc(hidden)]
#[macro_export]
macro_rules! usual {
    (required) => {
        $crate::settings::Usual::Required
    };
    (none) => {
        $crate::settings::Usual::None
    };
    (usual $value:literal) => {
        $crate::settings::Usual::Is($value)
    };
}
