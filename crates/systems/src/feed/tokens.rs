//! Markup as tokens, however badly it is written: nothing that is not markup is taken for it, and what
//! has no end does not swallow what follows. Time grows with the length alone.

use memchr::memchr;
use memchr::memmem;

/// A piece of markup.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Token<'a> {
    /// The start of an element, its attributes as written.
    Open {
        /// The name, with its prefix.
        name: &'a str,
        /// What stands between the name and the end of the tag.
        attributes: &'a str,
        /// Whether it has no content.
        empty: bool,
    },
    /// The end of an element.
    Close(&'a str),
    /// Text, its references as written.
    Text(&'a str),
    /// The content of a CDATA section.
    Verbatim(&'a str),
    /// A declaration, `<!…>`.
    Declaration(&'a str),
    /// A comment or an instruction, or the start of one without an end.
    Aside,
}

/// Something that begins and ends with certain characters, and is no element.
#[derive(Clone, Copy)]
struct Bracket {
    opens: &'static str,
    closes: &'static str,
}

const SECTION: Bracket = Bracket { opens: "<![CDATA[", closes: "]]>" };
const COMMENT: Bracket = Bracket { opens: "<!--", closes: "-->" };
const INSTRUCTION: Bracket = Bracket { opens: "<?", closes: "?>" };

/// How long a quoted value of an attribute may be.
const MOST_QUOTED: usize = 65_536;

/// The tokens of a text.
#[derive(Debug, Clone)]
pub(super) struct Tokens<'a> {
    text: &'a str,
    at: usize,
    /// Where sections, comments and instructions next end, so that no end is looked for twice.
    ends: [Option<NextEnd>; 3],
    /// Whether something had no end in this text.
    pub(super) lacks_end: bool,
}

/// The next end of a bracket, as seen from a place.
#[derive(Debug, Clone, Copy)]
struct NextEnd {
    seen_from: usize,
    at: Option<usize>,
}

impl<'a> Tokens<'a> {
    /// The tokens of a text from a byte on.
    pub(super) fn of(text: &'a str, at: usize) -> Tokens<'a> {
        Tokens { text, at, ends: [None; 3], lacks_end: false }
    }

    /// The byte that the next token begins at.
    pub(super) fn at(&self) -> usize {
        self.at
    }

    /// Goes back to a byte that a token began at.
    pub(super) fn go_back(&mut self, at: usize) {
        self.at = at;
    }

    /// The content of a bracket that begins here; none where it has no end of its own.
    fn bracketed(&mut self, which: usize, bracket: Bracket) -> Option<&'a str> {
        let start = self.at + bracket.opens.len();
        let end = match self.ends[which] {
            Some(known) if known.seen_from <= start && known.at.is_none_or(|end| end >= start) => known.at,
            _ => {
                let end = memmem::find(&self.text.as_bytes()[start..], bracket.closes.as_bytes());
                let end = end.map(|end| start + end);
                self.ends[which] = Some(NextEnd { seen_from: start, at: end });
                end
            }
        };
        let Some(end) = end else {
            self.lacks_end = true;
            self.at = start;
            return None;
        };
        let content = &self.text[start..end];
        // An end beyond the next item's own beginning is that one's: this bracket has none.
        if let Some(next) = memmem::find(content.as_bytes(), bracket.opens.as_bytes())
            && ends_an_item(&content[..next])
        {
            self.at = start;
            return None;
        }
        self.at = end + bracket.closes.len();
        Some(content)
    }

    /// `<!DOCTYPE …>` and its like, with what may stand in brackets within.
    fn declaration(&mut self) -> Token<'a> {
        let rest = &self.text.as_bytes()[self.at..];
        let end = memchr(b'>', rest).map(|end| match memchr(b'[', &rest[..end]) {
            Some(inner) => memchr(b']', &rest[inner..])
                .map_or(end, |close| memchr(b'>', &rest[inner + close..]).map_or(end, |end| inner + close + end)),
            None => end,
        });
        self.lacks_end |= end.is_none();
        let start = self.at;
        self.at += end.map_or(2, |end| end + 1);
        Token::Declaration(&self.text[start..self.at])
    }

    fn close(&mut self) -> Option<Token<'a>> {
        let start = self.at + 2;
        let rest = self.text.get(start..)?;
        if !rest.starts_with(begins_name) {
            return None;
        }
        let length = rest.find(ends_name).unwrap_or(rest.len());
        let after = &rest[length..];
        let end = after.find(['>', '<']);
        self.lacks_end |= end.is_none();
        let end = end.unwrap_or(after.len());
        self.at = start + length + end + usize::from(after[end..].starts_with('>'));
        Some(Token::Close(&rest[..length]))
    }

    fn open(&mut self) -> Option<Token<'a>> {
        let start = self.at + 1;
        let rest = self.text.get(start..)?;
        if !rest.starts_with(begins_name) {
            return None;
        }
        let length = rest.find(ends_name).unwrap_or(rest.len());
        let Some(end) = end_of_tag(rest, length) else {
            self.lacks_end |= memchr(b'<', &rest.as_bytes()[length..]).is_none();
            return None;
        };
        self.at = start + end + 1;
        let inner = &rest[length..end];
        let (attributes, empty) = inner.strip_suffix('/').map_or((inner, false), |inner| (inner, true));
        Some(Token::Open { name: &rest[..length], attributes, empty })
    }

    /// Text up to the next `<` that is not where we are.
    fn words(&mut self) -> Token<'a> {
        let start = self.at;
        let rest = &self.text.as_bytes()[start..];
        let first = usize::from(rest[0] == b'<');
        let end = memchr(b'<', &rest[first..]).map_or(rest.len(), |end| first + end);
        self.at = start + end;
        Token::Text(&self.text[start..self.at])
    }
}

impl<'a> Iterator for Tokens<'a> {
    type Item = Token<'a>;

    fn next(&mut self) -> Option<Token<'a>> {
        let rest = &self.text[self.at..];
        let bytes = rest.as_bytes();
        if bytes.is_empty() {
            return None;
        }
        let token = match bytes.get(..2).unwrap_or_default() {
            b"<!" if rest.starts_with(SECTION.opens) => {
                Some(self.bracketed(0, SECTION).map_or(Token::Aside, Token::Verbatim))
            }
            b"<!" if rest.starts_with(COMMENT.opens) => {
                self.bracketed(1, COMMENT);
                Some(Token::Aside)
            }
            b"<!" => Some(self.declaration()),
            b"<?" => {
                self.bracketed(2, INSTRUCTION);
                Some(Token::Aside)
            }
            b"</" => self.close(),
            [b'<', _] => self.open(),
            _ => None,
        };
        Some(token.unwrap_or_else(|| self.words()))
    }
}

fn begins_name(c: char) -> bool {
    c.is_alphabetic() || c == '_' || c == ':'
}

fn ends_name(c: char) -> bool {
    c.is_whitespace() || matches!(c, '/' | '>' | '<')
}

/// Where a tag ends, `>` itself; none where another begins first.
fn end_of_tag(rest: &str, from: usize) -> Option<usize> {
    let bytes = rest.as_bytes();
    let mut at = from;
    while let Some(byte) = bytes.get(at) {
        match byte {
            b'>' => return Some(at),
            b'<' => return None,
            b'"' | b'\'' if rest[from..at].trim_end().ends_with('=') => {
                let inner = &bytes[at + 1..bytes.len().min(at + 1 + MOST_QUOTED)];
                match memchr(*byte, inner) {
                    Some(end) if memmem::find(&inner[..end], b"</").is_none() => at += end + 1,
                    _ => {}
                }
            }
            _ => {}
        }
        at += 1;
    }
    None
}

/// Whether an item ends somewhere in a text.
fn ends_an_item(text: &str) -> bool {
    memmem::find_iter(text.as_bytes(), b"</").any(|at| {
        let rest = &text[at + 2..];
        super::names::is_item(&rest[..rest.find(ends_name).unwrap_or(rest.len())])
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn drawn(text: &str) -> String {
        let one = |token: Token<'_>| match token {
            Token::Open { name, attributes, empty } => {
                format!("<{name}{}{}>", attributes.trim_end(), if empty { "/" } else { "" })
            }
            Token::Close(name) => format!("</{name}>"),
            Token::Text(text) => format!("({text})"),
            Token::Verbatim(text) => format!("[{text}]"),
            Token::Declaration(_) | Token::Aside => "…".to_owned(),
        };
        Tokens::of(text, 0).map(one).collect()
    }

    #[test]
    fn markup_however_it_is_written() {
        for (text, expected) in [
            ("<a b='1'>x</a >", "<a b='1'>(x)</a>"),
            ("<a/><b c=\"/>\"/>", "<a/><b c=\"/>\"/>"),
            ("<!-- <a> --><![CDATA[<b>]]><?x y?>", "…[<b>]…"),
            ("<!DOCTYPE rss [<!ENTITY x 'y>'>]><a>", "…<a>"),
            // What is not markup is text.
            ("1 < 2 <3 & <>", "(1 )(< 2 )(<3 & )(<>)"),
            ("it's <b>bold", "(it's )<b>(bold)"),
            ("<p it's>x", "<p it's>(x)"),
            ("<a <b>x</b", "(<a )<b>(x)</b>"),
            ("<a href=\"x>y</a><b c=\"d\">", "<a href=\"x>(y)</a><b c=\"d\">"),
            // What has no end swallows nothing.
            ("<![CDATA[x</a><b>", "…(x)</a><b>"),
            ("<!-- x</a><b>", "…( x)</a><b>"),
            ("<![CDATA[x</item><item><![CDATA[y]]>", "…(x)</item><item>[y]"),
            ("<![CDATA[how to write <![CDATA[y]]>", "[how to write <![CDATA[y]"),
            ("<?x", "…(x)"),
        ] {
            assert_eq!(drawn(text), expected, "{text}");
        }
    }

    #[test]
    fn what_has_no_end_is_looked_for_once() {
        for piece in
            ["<!--&", "<![CDATA[", "<?", "<a b=\"", "<a", "<!DOCTYPE [", "<![CDATA[</item>", "</item", "<a b='<"]
        {
            let began = std::time::Instant::now();
            let text = piece.repeat(200_000);
            let count = Tokens::of(&text, 0).count();
            assert!(count > 0 && began.elapsed().as_secs() < 20, "{piece}: {:?}", began.elapsed());
        }
    }

    proptest! {
        #[test]
        fn tokens_go_through_every_text_to_its_end(text in "[<>/!\\[\\]CDATA\\-?='\"a-c &;é ]{0,80}") {
            let mut tokens = Tokens::of(&text, 0);
            let mut at = 0;
            while tokens.next().is_some() {
                prop_assert!(tokens.at() > at);
                at = tokens.at();
            }
            prop_assert_eq!(at, text.len());
        }
    }
}
