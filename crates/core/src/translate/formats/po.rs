//! gettext PO: a unit per message, its id as context, its tags as `<1>`.

use std::io::{self, BufRead, Write};

use super::{Heading, Incoming, LARGEST_UNIT, Outgoing, Returned, Told, UnitsError, WriteUnits};
use crate::translate::Inline;

pub(super) struct Writer<W: Write> {
    to: W,
}

impl<W: Write> Writer<W> {
    pub(super) fn begin(heading: &Heading, mut to: W) -> io::Result<Writer<W>> {
        let pseudo = if heading.pseudo { "X-Pseudo: made up, for trying\\n\"\n\"" } else { "" };
        let language = heading.into.as_str().replace('-', "_");
        write!(
            to,
            "# Tags are written <1>…</1> and <2/>: keep every one. A < in the text is &lt;.\nmsgid \"\"\nmsgstr \"\"\n\"Project-Id-Version: {batch}\\n\"\n\"Report-Msgid-Bugs-To: \\n\"\n\"PO-Revision-Date: \\n\"\n\"Last-Translator: \\n\"\n\"Language-Team: \\n\"\n\"MIME-Version: 1.0\\n\"\n\"Language: {language}\\n\"\n\"Content-Type: text/plain; charset=UTF-8\\n\"\n\"Content-Transfer-Encoding: 8bit\\n\"\n\"{pseudo}X-Source-Language: {from}\\n\"\n\"X-Batch: {batch}\\n\"\n",
            batch = heading.batch,
            from = heading.from,
        )?;
        Ok(Writer { to })
    }

    fn comment(&mut self, what: &str, text: &str) -> io::Result<()> {
        for line in text.lines() {
            writeln!(self.to, "#. {what}: {}", line.trim_end_matches('\r'))?;
        }
        Ok(())
    }

    fn message(&mut self, keyword: &str, text: &str) -> io::Result<()> {
        write!(self.to, "{keyword} ")?;
        let mut lines = text.split_inclusive('\n').peekable();
        if text.contains('\n') || text.is_empty() {
            self.to.write_all(b"\"\"\n")?;
        }
        while let Some(line) = lines.next() {
            let mut quoted = String::with_capacity(line.len() + 8);
            for c in line.chars() {
                match c {
                    '"' => quoted.push_str("\\\""),
                    '\\' => quoted.push_str("\\\\"),
                    '\n' => quoted.push_str("\\n"),
                    '\t' => quoted.push_str("\\t"),
                    '\r' => quoted.push_str("\\r"),
                    other => quoted.push(other),
                }
            }
            writeln!(self.to, "\"{quoted}\"")?;
            if lines.peek().is_some() && keyword.starts_with('#') {
                self.to.write_all(b"#| ")?;
            }
        }
        Ok(())
    }
}

impl<W: Write> WriteUnits for Writer<W> {
    fn unit(&mut self, Outgoing { unit, target, complaints }: Outgoing<'_>) -> io::Result<()> {
        let context = &unit.context;
        writeln!(self.to)?;
        for complaint in complaints {
            self.comment("rejected", complaint)?;
        }
        for text in &context.notes {
            self.comment("instruction", text)?;
        }
        if let Some(title) = &context.title {
            self.comment("title", title)?;
        }
        self.comment("place", &context.within)?;
        if let Some(limit) = context.limit {
            self.comment("limit", &format!("{limit} characters"))?;
        }
        for tag in &unit.tags {
            let number = unit.tags.iter().position(|known| std::ptr::eq(known, tag)).unwrap_or_default() + 1;
            self.comment(&format!("tag {number}"), tag.shown.as_deref().unwrap_or(&tag.original))?;
        }
        if let Some((source, target)) = &context.earlier {
            self.comment("earlier", &source.coded())?;
            self.comment("earlier translation", &target.coded())?;
        }
        writeln!(self.to, "#: {}", unit.name.replace(' ', "%20"))?;
        if !complaints.is_empty() {
            writeln!(self.to, "#, fuzzy")?;
        }
        self.message("msgctxt", unit.id.as_str())?;
        self.message("msgid", &unit.source.coded())?;
        self.message("msgstr", &target.map(Inline::coded).unwrap_or_default())
    }

    fn end(mut self: Box<Self>) -> io::Result<()> {
        self.to.flush()
    }
}

#[derive(Default)]
struct Message {
    context: String,
    id: String,
    text: String,
    fuzzy: bool,
    /// Which of them the next line goes on with.
    at: Option<Part>,
    begun: bool,
}

#[derive(Clone, Copy)]
enum Part {
    Context,
    Id,
    Text,
}

/// Reads messages. One that is marked `fuzzy` or has no translation nobody has come to yet.
pub(super) fn read(
    from: &mut dyn BufRead,
    take: &mut dyn FnMut(Incoming) -> Result<(), String>,
) -> Result<(), UnitsError> {
    let mut message = Message::default();
    let (mut at, mut line) = (0_u64, Vec::new());
    loop {
        line.clear();
        let read = io::Read::take(&mut *from, LARGEST_UNIT as u64).read_until(b'\n', &mut line)?;
        if read == LARGEST_UNIT {
            return Err(UnitsError::TooMuch("4 MiB on one line"));
        }
        let line_at = at;
        let wrong = |message: &str| UnitsError::IllFormed { message: message.to_owned(), at: line_at };
        let text = std::str::from_utf8(&line).map_err(|_| wrong("it is not in UTF-8"))?;
        let text = text.trim_start_matches('\u{feff}').trim();
        at += read as u64;
        let starts_anew = text.starts_with("msgctxt")
            || text.starts_with('#')
            || (text.starts_with("msgid ") && !matches!(message.at, Some(Part::Context)));
        if read == 0 || (starts_anew && matches!(message.at, Some(Part::Text))) {
            hand_over(std::mem::take(&mut message), at, take)?;
        }
        if read == 0 {
            return Ok(());
        }
        let (part, rest) = if let Some(rest) = text.strip_prefix("msgctxt ") {
            (Some(Part::Context), rest)
        } else if let Some(rest) = text.strip_prefix("msgid ") {
            (Some(Part::Id), rest)
        } else if let Some(rest) = text.strip_prefix("msgstr ") {
            (Some(Part::Text), rest)
        } else if text.starts_with('"') {
            (message.at, text)
        } else if text.starts_with("#,") {
            message.fuzzy |= text.contains("fuzzy");
            continue;
        } else if text.is_empty() || text.starts_with('#') {
            continue;
        } else if text.starts_with("msgid_plural") || text.starts_with("msgstr[") {
            return Err(wrong("messages with plural forms are none of ours"));
        } else {
            return Err(wrong("this is no line of a PO file"));
        };
        message.begun = true;
        message.at = part;
        let piece = unquoted(rest).ok_or_else(|| wrong("a text is not closed, or has an escape that is not read"))?;
        let into = match part {
            Some(Part::Context) => &mut message.context,
            Some(Part::Id) => &mut message.id,
            Some(Part::Text) => &mut message.text,
            None => return Err(wrong("a text stands there without a keyword")),
        };
        into.push_str(&piece);
        if into.len() > LARGEST_UNIT {
            return Err(UnitsError::TooMuch("4 MiB in one unit"));
        }
    }
}

fn hand_over(
    message: Message,
    at: u64,
    take: &mut dyn FnMut(Incoming) -> Result<(), String>,
) -> Result<(), UnitsError> {
    if !message.begun {
        return Ok(());
    }
    let incoming = if message.id.is_empty() && message.context.is_empty() {
        let field = |name: &str| {
            let line = message.text.lines().find_map(|line| line.strip_prefix(name)?.strip_prefix(':'));
            line.map(|value| value.trim().to_owned()).filter(|value| !value.is_empty())
        };
        Incoming::Heading(Told {
            batch: field("X-Batch"),
            from: field("X-Source-Language"),
            into: field("Language").map(|language| language.replace('_', "-")),
            pseudo: field("X-Pseudo").is_some(),
        })
    } else {
        Incoming::Unit(Returned {
            id: Some(message.context).filter(|id| !id.is_empty()),
            source: Some(Inline::from_coded(&message.id)),
            target: Some(message.text)
                .filter(|text| !text.is_empty() && !message.fuzzy)
                .map(|text| Inline::from_coded(&text)),
            at,
        })
    };
    take(incoming).map_err(UnitsError::Taker)
}

fn unquoted(text: &str) -> Option<String> {
    let inner = text.strip_prefix('"')?.strip_suffix('"')?;
    let mut read = String::with_capacity(inner.len());
    let mut chars = inner.chars();
    while let Some(c) = chars.next() {
        match c {
            '\\' => read.push(match chars.next()? {
                'n' => '\n',
                't' => '\t',
                'r' => '\r',
                other @ ('"' | '\\') => other,
                _ => return None,
            }),
            '"' => return None,
            other => read.push(other),
        }
    }
    Some(read)
}
