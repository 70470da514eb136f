//! Texts that depend on a number, as messages (ICU MessageFormat): `{n, plural, one {…} other {…}}`.

/// The forms of a plural as a message; none where it lacks the form that is always there, `other`.
pub(super) fn message(forms: &[(String, String)]) -> Option<String> {
    if !forms.iter().any(|(form, _)| form == "other") {
        return None;
    }
    let forms: String = forms.iter().map(|(form, text)| format!(" {form} {{{}}}", quoted(text))).collect();
    Some(format!("{{n, plural,{forms}}}"))
}

/// The forms of a plural that CLDR has.
pub(super) const FORMS: [&str; 6] = ["zero", "one", "two", "few", "many", "other"];

/// A text as it stands in a message: what has a meaning there is quoted.
fn quoted(text: &str) -> String {
    let mut quoted = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '\'' => quoted.push_str("''"),
            '{' | '}' | '#' => {
                quoted.push('\'');
                quoted.push(c);
                quoted.push('\'');
            }
            other => quoted.push(other),
        }
    }
    quoted
}
