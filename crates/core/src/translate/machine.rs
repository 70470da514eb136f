//! Texts as a machine that translates takes them: HTML whose elements are numbered. What must not change stands in
//! elements that are not translated (HTML, "The translate attribute").

use std::cell::RefCell;
use std::fmt::Write as _;

use html5ever::tokenizer::{
    BufferQueue, TagKind as HtmlTagKind, Token, TokenSink, TokenSinkResult, Tokenizer, TokenizerOpts,
};

use super::inline::{Inline, Piece, TagNumber};
use super::shape::{Tag, TagKind};

/// The text for a machine: `<span id="1">` for a pair of tags, and an element that is not translated for one that stands
/// alone, with what it shows.
#[must_use]
pub fn for_machine(text: &Inline, tags: &[Tag]) -> String {
    let mut html = String::new();
    for piece in text.pieces() {
        // Writing to memory does not fail.
        let _ = match piece {
            Piece::Text(text) => write!(html, "{}", escaped(text)),
            Piece::Open(number) => write!(html, "<span id=\"{number}\">"),
            Piece::Close(_) => write!(html, "</span>"),
            Piece::Alone(number) => {
                let shown = tag(tags, *number).and_then(|tag| tag.shown.as_deref()).unwrap_or_default();
                write!(html, "<span id=\"{number}\" translate=\"no\">{}</span>", escaped(shown))
            }
        };
    }
    html
}

/// Reads what a machine made of a text.
///
/// # Errors
/// Where it has other tags than the text, in words.
pub fn from_machine(html: &str, source: &Inline, tags: &[Tag]) -> Result<Inline, String> {
    let reading = Reading { tags, state: RefCell::default() };
    let tokenizer = Tokenizer::new(reading, TokenizerOpts::default());
    let input = BufferQueue::default();
    input.push_back(html.into());
    let _ = tokenizer.feed(&input);
    tokenizer.end();
    let State { read, open, fault, .. } = tokenizer.sink.state.into_inner();
    if let Some(fault) = fault {
        return Err(fault);
    }
    if !open.is_empty() {
        return Err("a tag is not closed".to_owned());
    }
    let (here, there) = (tags_of(source), tags_of(&read));
    if here != there {
        return Err("its tags are not those of the text".to_owned());
    }
    if read.is_blank() {
        return Err("it says nothing".to_owned());
    }
    Ok(read)
}

fn tag(tags: &[Tag], number: TagNumber) -> Option<&Tag> {
    tags.get((number as usize).checked_sub(1)?)
}

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}

/// The tags of a text in the order of their numbers.
fn tags_of(text: &Inline) -> Vec<(TagNumber, u8)> {
    let kind = |piece: &Piece| match piece {
        Piece::Text(_) => None,
        Piece::Open(number) => Some((*number, 0)),
        Piece::Close(number) => Some((*number, 1)),
        Piece::Alone(number) => Some((*number, 2)),
    };
    let mut found: Vec<_> = text.pieces().iter().filter_map(kind).collect();
    found.sort_unstable();
    found
}

#[derive(Default)]
struct State {
    read: Inline,
    /// The elements that are open, the innermost last.
    open: Vec<TagNumber>,
    /// How many elements are open within one whose content does not count.
    unread: usize,
    fault: Option<String>,
}

struct Reading<'a> {
    tags: &'a [Tag],
    state: RefCell<State>,
}

impl State {
    fn start(&mut self, tags: &[Tag], name: &str, id: Option<&str>, closes_itself: bool) {
        if self.unread > 0 {
            self.unread += usize::from(!closes_itself);
            return;
        }
        let number = id.filter(|_| name == "span").and_then(|id| id.parse().ok());
        match number.and_then(|number| Some((number, tag(tags, number)?.kind))) {
            Some((number, TagKind::Pair)) => {
                self.read.push(Piece::Open(number));
                self.open.push(number);
            }
            Some((number, TagKind::Alone)) => {
                self.read.push(Piece::Alone(number));
                self.unread = usize::from(!closes_itself);
            }
            None => self.fail("it has a tag that was not sent"),
        }
    }

    fn end(&mut self) {
        if self.unread > 0 {
            self.unread -= 1;
            return;
        }
        match self.open.pop() {
            Some(number) => self.read.push(Piece::Close(number)),
            None => self.fail("a tag ends that did not begin"),
        }
    }

    fn fail(&mut self, why: &str) {
        self.fault.get_or_insert_with(|| why.to_owned());
    }
}

impl TokenSink for Reading<'_> {
    type Handle = ();

    fn process_token(&self, token: Token, _: u64) -> TokenSinkResult<()> {
        let mut state = self.state.borrow_mut();
        match token {
            Token::CharacterTokens(text) if state.unread == 0 => state.read.push_text(&text),
            Token::TagToken(tag) if tag.kind == HtmlTagKind::StartTag => {
                let id = tag.attrs.iter().find(|attribute| &*attribute.name.local == "id");
                let id = id.map(|attribute| attribute.value.to_string());
                state.start(self.tags, &tag.name, id.as_deref(), tag.self_closing);
            }
            Token::TagToken(_) => state.end(),
            Token::CommentToken(_) | Token::DoctypeToken(_) => state.fail("it has a tag that was not sent"),
            _ => {}
        }
        TokenSinkResult::Continue
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::translate::inline::tests::any_inline;
    use proptest::prelude::*;

    fn tags() -> Vec<Tag> {
        let tag = |kind, name: &str, shown: Option<&str>| Tag {
            kind,
            name: name.to_owned(),
            shown: shown.map(str::to_owned),
            original: String::new(),
            original_end: String::new(),
        };
        vec![tag(TagKind::Pair, "em", None), tag(TagKind::Alone, "keep", Some("{name}")), tag(TagKind::Pair, "a", None)]
    }

    #[test]
    fn what_machines_make_of_tags() {
        let source = Inline::from_coded("Feed <1>{x} & <2/></1> now");
        let sent = for_machine(&source, &tags());
        assert_eq!(sent, "Feed <span id=\"1\">{x} &amp; <span id=\"2\" translate=\"no\">{name}</span></span> now");
        let read = |html: &str| from_machine(html, &source, &tags()).map(|read| read.coded());
        for (html, expected) in [
            (
                "Nourrir <span id=1>{x} et <span id=\"2\" translate=no>{name}</span></span>",
                "Nourrir <1>{x} et <2/></1>",
            ),
            // One that is moved, empty, closed by itself, or has something within.
            ("<span id='2'></span> <SPAN id='1'>l&#39;eau</SPAN>", "<2/> <1>l'eau</1>"),
            ("<span id=\"2\"/>a<span id=\"1\">b</span>", "<2/>a<1>b</1>"),
            ("<span id=\"1\">b</span><span id=\"2\"><i>{n</i>ame}</span>", "<1>b</1><2/>"),
        ] {
            assert_eq!(read(html).as_deref(), Ok(expected), "{html}");
        }
        for (html, why) in [
            ("Nourrir", "its tags are not those of the text"),
            (
                "<span id=\"1\">a</span><span id=\"2\"></span><span id=\"2\"></span>",
                "its tags are not those of the text",
            ),
            ("<span id=\"1\"><span id=\"2\"></span>", "a tag is not closed"),
            ("</span><span id=\"1\">a</span><span id=\"2\"></span>", "a tag ends that did not begin"),
            ("<script>x</script>", "it has a tag that was not sent"),
            ("<span id=\"9\">x</span>", "it has a tag that was not sent"),
            ("<!-- x -->", "it has a tag that was not sent"),
            ("<span id=\"1\"></span> <span id=\"2\"></span>", "it says nothing"),
        ] {
            assert_eq!(read(html), Err(why.to_owned()), "{html}");
        }
    }

    proptest! {
        #[test]
        fn what_is_given_back_as_it_was_is_the_same(text in any_inline()) {
            let tags = tags();
            // Those that a cut makes: each tag once, as what it is, closed in order.
            let mut sound = Inline::default();
            let mut seen = std::collections::BTreeSet::new();
            for piece in text.pieces() {
                match piece {
                    Piece::Text(text) => sound.push_text(text),
                    Piece::Open(number) | Piece::Alone(number) | Piece::Close(number) => {
                        if !seen.insert(*number) {
                            continue;
                        }
                        match tags[*number as usize - 1].kind {
                            TagKind::Alone => sound.push(Piece::Alone(*number)),
                            TagKind::Pair => {
                                sound.push(Piece::Open(*number));
                                sound.push_text("in");
                                sound.push(Piece::Close(*number));
                            }
                        }
                    }
                }
            }
            prop_assume!(!sound.is_blank());
            prop_assert_eq!(from_machine(&for_machine(&sound, &tags), &sound, &tags), Ok(sound));
        }
    }
}
