//! The expressions of a configuration in the house form.

use diaporos_core::diagnostic::{Report, Source, Span};
use diaporos_core::expr::parse;
use diaporos_core::settings::{InnerText, Item, Section, read_toml};

/// An expression that was written otherwise.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Rewritten {
    /// The line on which it begins.
    pub line: usize,
    /// As it stood.
    pub before: String,
    /// In the house form.
    pub after: String,
}

/// The text of a configuration with every expression that can be read in the house form, and what
/// was rewritten. Expressions of several lines keep them, unless more than white space differs.
#[must_use]
pub fn house_form(source: &Source) -> (String, Vec<Rewritten>) {
    let (found, _) = read_toml(source.clone(), |file, report| {
        let mut found = Vec::new();
        gather(file, &mut found, report);
        Some(found)
    });
    let mut text = source.text.clone();
    let mut rewritten = Vec::new();
    let mut found = found.unwrap_or_default();
    found.sort_by_key(|(span, _)| std::cmp::Reverse(span.start));
    for (span, before) in found {
        let Ok(tree) = parse(&before) else { continue };
        let after = tree.to_string();
        let bare = |text: &str| text.split_whitespace().collect::<String>();
        if after == before || (before.contains('\n') && bare(&after) == bare(&before)) {
            continue;
        }
        rewritten.push(Rewritten { line: source.position(span.start).0, before, after: after.clone() });
        text.replace_range(span, &quoted(&after));
    }
    rewritten.reverse();
    (text, rewritten)
}

/// A TOML text, without escapes where that can be.
fn quoted(text: &str) -> String {
    if text.contains('\'') || text.chars().any(char::is_control) { toml_basic(text) } else { format!("'{text}'") }
}

fn toml_basic(text: &str) -> String {
    let mut quoted = String::from("\"");
    for c in text.chars() {
        match c {
            '"' | '\\' => quoted.extend(['\\', c]),
            c if c.is_control() => quoted += &format!("\\u{:04x}", u32::from(c)),
            c => quoted.push(c),
        }
    }
    quoted.push('"');
    quoted
}

type ExpressionPlaces = Vec<(Span, String)>;

fn gather(file: &mut Section<'_>, found: &mut ExpressionPlaces, report: &mut Report) {
    let mut keep = |item: Option<Item<InnerText>>| {
        found.extend(item.map(|item| (item.span, item.value.as_str().to_owned())));
    };
    each(file, "lanes", report, |lane, report| {
        keep(lane.text("when", report));
        for fields in ["fields", "defaults"] {
            let Some(mut section) = lane.section(fields, report) else { continue };
            for name in section.names() {
                keep(section.named_text(&name.value, report));
            }
        }
        for (rules, condition) in [("require", "that"), ("protect", "when")] {
            each(lane, rules, report, |rule, report| keep(rule.text(condition, report)));
        }
    });
    each(file, "functions", report, |function, report| keep(function.text("is", report)));
    each(file, "views", report, |view, report| keep(view.text("where", report)));
}

fn each(
    within: &mut Section<'_>,
    key: &'static str,
    report: &mut Report,
    mut visit: impl FnMut(&mut Section<'_>, &mut Report),
) {
    let Some(mut section) = within.section(key, report) else { return };
    for name in section.names() {
        if let Some(mut table) = section.named_section(&name.value, report) {
            visit(&mut table, report);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_expressions_are_rewritten_and_a_second_time_changes_nothing() {
        let text = r#"# a   comment
[lanes.l]
when = "state=='x'"
[lanes.l.fields]
a = 'title|slug'       # kept
b = '((x)) ?? ("y")'
c = "don't | x"
d = '''
title
  | slug'''
e = "\"it's\"|upper"
[functions.f]
is = 'it|trim'
"#;
        let source = |text: &str| Source { name: "diaporos.toml".to_owned(), text: text.to_owned() };
        let (fixed, rewritten) = house_form(&source(text));
        assert_eq!(
            fixed,
            r#"# a   comment
[lanes.l]
when = "state=='x'"
[lanes.l.fields]
a = 'title | slug'       # kept
b = 'x ?? "y"'
c = "don't | x"
d = '''
title
  | slug'''
e = "\"it's\" | upper"
[functions.f]
is = 'it | trim'
"#
        );
        assert_eq!(rewritten.iter().map(|one| one.line).collect::<Vec<_>>(), [5, 6, 11, 13]);
        assert_eq!(house_form(&source(&fixed)), (fixed, Vec::new()));
    }
}
