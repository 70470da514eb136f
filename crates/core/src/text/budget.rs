//! What a text of markup may cost. Readers of HTML take time and memory by how deep elements nest and
//! how many stay open; a text that would take all of them is refused before it is read.

/// Why a text is not read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum TooMuch {
    /// Longer than any page.
    #[error("this text has more than {MOST_BYTES} bytes, which is more than is read as HTML or Markdown")]
    Long,
    /// Elements within elements.
    #[error("this HTML nests deeper than {DEEPEST} elements, or leaves as many open")]
    Deep,
    /// Many tags while many elements are open.
    #[error("this HTML would take more than {MOST_STEPS} steps to read")]
    Steps,
}

const MOST_BYTES: usize = 8 << 20;
const DEEPEST: usize = 200;
const MOST_STEPS: usize = 5_000_000;

/// Elements that have no end (HTML §13.1.2).
const VOID: [&str; 14] =
    ["area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "param", "source", "track", "wbr"];

/// Elements that are often left open.
const LEFT_OPEN: [&str; 11] = ["p", "li", "dt", "dd", "tr", "td", "th", "option", "thead", "tbody", "colgroup"];

/// Whether a text may be read as HTML.
///
/// # Errors
/// Says what it has too much of.
pub fn affordable_html(html: &str) -> Result<(), TooMuch> {
    if html.len() > MOST_BYTES {
        return Err(TooMuch::Long);
    }
    let (mut open, mut steps): (Vec<&str>, usize) = (Vec::new(), 0);
    let mut rest = html;
    while let Some(at) = memchr::memchr(b'<', rest.as_bytes()) {
        rest = &rest[at + 1..];
        let (is_end, inner) = rest.strip_prefix('/').map_or((false, rest), |inner| (true, inner));
        let length = inner.find(|c: char| !c.is_ascii_alphanumeric() && c != '-').unwrap_or(inner.len());
        let name = &inner[..length];
        if !name.starts_with(|c: char| c.is_ascii_alphabetic()) {
            continue;
        }
        // Each attribute of an element is held against all others of it.
        let end = memchr::memchr(b'>', inner.as_bytes()).unwrap_or(inner.len());
        let attributes =
            inner.as_bytes()[..end].iter().filter(|byte| byte.is_ascii_whitespace() || **byte == b'/').count();
        steps += open.len() + 1 + attributes * attributes / 16;
        if steps > MOST_STEPS {
            return Err(TooMuch::Steps);
        }
        // An end closes the last of its name alone: readers open again what is closed in the wrong order.
        // Items, cells and paragraphs are closed by the next of their kind too (HTML §13.1.2.4).
        let last = || open.iter().rposition(|known| known.eq_ignore_ascii_case(name));
        if (is_end || is_one_of(&LEFT_OPEN, name))
            && let Some(place) = last()
        {
            open.remove(place);
        }
        if !is_end && !is_one_of(&VOID, name) {
            open.push(name);
            if open.len() > DEEPEST {
                return Err(TooMuch::Deep);
            }
        }
    }
    Ok(())
}

fn is_one_of(names: &[&str], name: &str) -> bool {
    names.iter().any(|known| known.eq_ignore_ascii_case(name))
}

/// Whether a text may be read as Markdown.
///
/// # Errors
/// Says what it has too much of.
pub fn affordable_markdown(markdown: &str) -> Result<(), TooMuch> {
    if markdown.len() > MOST_BYTES {
        return Err(TooMuch::Long);
    }
    let nests = |c: char| {
        matches!(c, '>' | ' ' | '\t' | '-' | '*' | '+' | '[' | '(' | '!' | '_' | '~') || c.is_ascii_digit() || c == '.'
    };
    let mut steps = 0_usize;
    for line in markdown.lines() {
        let marks = line.chars().take_while(|c| nests(*c)).filter(|c| matches!(c, '>' | '-' | '*' | '+' | '.')).count();
        let brackets = line.matches('[').count();
        if marks > DEEPEST && line.chars().any(|c| c == '>' || c.is_alphanumeric()) {
            return Err(TooMuch::Deep);
        }
        steps = steps.saturating_add(brackets.saturating_mul(brackets));
        if steps > MOST_STEPS {
            return Err(TooMuch::Steps);
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_refused_and_what_is_not() {
        let article =
            "<h1>Ferns</h1><ul><li>one<li>two</ul><table><tr><td>a<td>b</table><p>x<br>y<img src=z>".repeat(2_000);
        assert_eq!(affordable_html(&article), Ok(()));
        for (html, why) in [
            ("<b>".repeat(1_000), TooMuch::Deep),
            ("<div>".repeat(201), TooMuch::Deep),
            ("<b></i>".repeat(500), TooMuch::Deep),
            ("<B a=1>".repeat(300), TooMuch::Deep),
            (format!("{}{}", "<b>".repeat(150), "<p>".repeat(100_000)), TooMuch::Steps),
            (format!("<a {}>", "b=1 ".repeat(20_000)), TooMuch::Steps),
            ("x".repeat(9 << 20), TooMuch::Long),
        ] {
            assert_eq!(affordable_html(&html), Err(why));
        }
        assert_eq!(affordable_html("a < b & c <3 </x"), Ok(()));
        assert_eq!(affordable_markdown(&"- a\n  - b\n> c [d](e)\n".repeat(5_000)), Ok(()));
        assert_eq!(affordable_markdown(&">".repeat(30_000)), Err(TooMuch::Deep));
        assert_eq!(affordable_markdown(&"[".repeat(30_000)), Err(TooMuch::Steps));
    }
}
