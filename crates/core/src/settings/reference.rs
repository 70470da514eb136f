//! The reference page of a file's settings, in Markdown: a table for each table of the file.

use std::collections::BTreeSet;
use std::fmt::Write;

use super::{Form, Setting, Table, Usual, Variants};

/// The tables of some files, the top-level ones first, each once under a heading of the level.
#[must_use]
pub fn reference(level: usize, files: &[&'static Table]) -> String {
    let mut page = Page { level, told: BTreeSet::new(), text: String::new() };
    for table in files {
        page.table(table);
    }
    page.text
}

struct Page {
    level: usize,
    told: BTreeSet<&'static str>,
    text: String,
}

impl Page {
    fn heading(&mut self, name: &'static str) -> bool {
        let is_new = self.told.insert(name);
        if is_new {
            let mut title = name.to_owned();
            title[..1].make_ascii_uppercase();
            let _ = write!(self.text, "\n{} {title}\n\n", "#".repeat(self.level));
        }
        is_new
    }

    fn table(&mut self, table: &'static Table) {
        if !self.heading(table.name) {
            return;
        }
        self.text += "| key | what it says | takes | unless said | for example |\n|---|---|---|---|---|\n";
        for setting in table.settings() {
            self.row(setting, None);
        }
        for setting in table.settings() {
            self.inner(&setting.form);
        }
    }

    /// Several tables as one, with a column for those that have a setting.
    fn variants(&mut self, variants: &'static Variants) {
        if !self.heading(variants.name) {
            return;
        }
        let of = (variants.of)();
        let mut settings: Vec<(&'static Setting, Vec<&'static str>)> = Vec::new();
        for (word, table) in &of {
            for setting in table.settings() {
                let same = |known: &&mut (&'static Setting, Vec<&'static str>)| {
                    known.0.key == setting.key && known.0.says == setting.says && known.0.usual == setting.usual
                };
                match settings.iter_mut().find(same) {
                    Some((_, words)) => words.push(word),
                    None => settings.push((setting, vec![word])),
                }
            }
        }
        let _ = write!(
            self.text,
            "| key | where `{}` is | what it says | takes | unless said | for example |\n|---|---|---|---|---|---|\n",
            variants.by
        );
        for (setting, words) in &settings {
            let words = if words.len() == of.len() {
                "any".to_owned()
            } else {
                words.iter().map(|word| format!("`{word}`")).collect::<Vec<_>>().join(", ")
            };
            self.row(setting, Some(&words));
        }
        for (setting, _) in &settings {
            self.inner(&setting.form);
        }
    }

    fn row(&mut self, setting: &Setting, of: Option<&str>) {
        let code = |text: &str| format!("`{}`", text.replace('|', "\\|"));
        let usual = match setting.usual {
            Usual::Required => "*must be there*".to_owned(),
            Usual::None => String::new(),
            Usual::Is(value) => code(&setting.written(value)),
        };
        let mut cells = vec![code(setting.key)];
        cells.extend(of.map(str::to_owned));
        cells.push(setting.says.replace('|', "\\|"));
        cells.push(taken(&setting.form));
        cells.push(usual);
        cells.push(code(&setting.written(setting.example)));
        let _ = writeln!(self.text, "| {} |", cells.join(" | "));
    }

    fn inner(&mut self, form: &'static Form) {
        match form {
            Form::Table(table) => self.table(table),
            Form::Variants(variants) => self.variants(variants),
            Form::List(of) | Form::OneOrMany(of) | Form::Named(of) => self.inner(of),
            Form::Either(short, long) => {
                self.inner(short);
                self.inner(long);
            }
            Form::Text(_) | Form::Word { .. } | Form::Boolean | Form::Count(_) | Form::Anything => {}
        }
    }
}

/// What stands under a key, in words; tables lead to where they are told.
fn taken(form: &Form) -> String {
    let link = |name: &str| format!("[{name}](#{})", name.replace(' ', "-"));
    match form {
        Form::Text(form) => form.name.to_owned(),
        Form::Word { of, .. } => of().iter().map(|word| format!("`{word}`")).collect::<Vec<_>>().join(", "),
        Form::Boolean => "true or false".to_owned(),
        Form::Count(0) => "a whole number".to_owned(),
        Form::Count(least) => format!("a whole number, at least {least}"),
        Form::List(form) => format!("a list: {}", taken(form)),
        Form::OneOrMany(form) => format!("one or a list: {}", taken(form)),
        Form::Table(table) => link(table.name),
        Form::Variants(variants) => link(variants.name),
        Form::Named(form) => format!("by name: {}", taken(form)),
        Form::Either(short, long) => format!("{}; or {}", taken(short), taken(long)),
        Form::Anything => "any value".to_owned(),
    }
}
