//! The expressions of a configuration in the house form.

use diaporos_core::diagnostic::Source;
use diaporos_core::expr::parse;
use diaporos_core::settings::forms::EXPRESSION;
use diaporos_core::settings::texts_of;

use super::described::CONFIGURATION;

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
    let mut found = texts_of(&source.text, &CONFIGURATION, EXPRESSION);
    let mut text = source.text.clone();
    let mut rewritten = Vec::new();
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
