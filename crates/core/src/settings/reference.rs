//! The reference page of a file's settings, in Markdown: a table for each table of the file.

use std::collections::BTreeSet;
use std::fmt::Write;

use super::{Form, Setting, Table, Usual, Variants};

/// The tables of a file, the top-level one first, each under a heading of the level.
#[must_use]
pub fn reference(level: usize, table: &'static Table) -> String {
    let mut page = Page { level, told: BTreeSet::new(), text: String::new() };
    page.table(table);
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
                    known.0.key == setting.key && known.0.says == setting.says
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
        cells.push(setting.form.described());
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
