//! Writing PO.

use std::io::{self, Write};

use super::plural_forms::{header, whole_forms};
use crate::translate::formats::{Candidate, Heading, MACHINE, Outgoing, Purpose, WriteUnits, candidates};
use crate::translate::plural::{Counting, PluralForm};
use crate::translate::{Case, Inline, Unit};

pub(in crate::translate::formats) struct Writer<W: Write> {
    to: W,
    heading: Heading,
    /// The forms that messages with plural forms have, where the heading can say so.
    forms: Vec<PluralForm>,
    /// The forms of one message that have come so far.
    waiting: Vec<Kept>,
}

/// A unit that waits for the others of its message.
struct Kept {
    unit: Unit,
    target: Option<Inline>,
    complaints: Vec<String>,
}

impl Kept {
    fn as_outgoing(&self) -> Outgoing<'_> {
        Outgoing { unit: &self.unit, target: self.target.as_ref(), complaints: &self.complaints }
    }
}

/// The plural form that a unit is of, where it is of a number that is counted.
fn form(unit: &Unit) -> Option<PluralForm> {
    match unit.context.cases.last() {
        Some(Case::Plural { counting: Counting::Cardinal, form, .. }) => Some(*form),
        _ => None,
    }
}

/// Whether two units are forms of one message.
fn is_of_one(one: &Unit, other: &Unit) -> bool {
    let place = |unit: &Unit| {
        let around = unit.context.cases.split_last().map(|(_, around)| around.to_vec());
        let argument = match unit.context.cases.last() {
            Some(Case::Plural { argument, .. }) => Some(argument.clone()),
            _ => None,
        };
        let field = unit.name.rsplit_once('.').map(|(field, _)| field.to_owned());
        (unit.context.entry.clone(), field, around, argument)
    };
    place(one) == place(other) && form(one) != form(other)
}

impl<W: Write> Writer<W> {
    pub(in crate::translate::formats) fn begin(heading: &Heading, mut to: W) -> io::Result<Writer<W>> {
        let pseudo = if heading.purpose == Purpose::Pseudo { "X-Pseudo: made up, for trying\\n\"\n\"" } else { "" };
        let language = heading.into.as_str().replace('-', "_");
        let plural = header(&heading.into);
        let forms = if plural.is_some() { whole_forms(&heading.into) } else { Vec::new() };
        let plural = plural.map(|field| format!("\"Plural-Forms: {field}\\n\"\n")).unwrap_or_default();
        write!(
            to,
            "# Tags are written <1>…</1> and <2/>: keep every one. A < in the text is &lt;.\nmsgid \"\"\nmsgstr \"\"\n\"Project-Id-Version: {batch}\\n\"\n\"Report-Msgid-Bugs-To: \\n\"\n\"Last-Translator: \\n\"\n\"Language-Team: \\n\"\n\"MIME-Version: 1.0\\n\"\n\"Language: {language}\\n\"\n\"Content-Type: text/plain; charset=UTF-8\\n\"\n\"Content-Transfer-Encoding: 8bit\\n\"\n{plural}\"{pseudo}X-Source-Language: {from}\\n\"\n\"X-Batch: {batch}\\n\"\n",
            batch = heading.batch,
            from = heading.from,
        )?;
        Ok(Writer { to, heading: heading.clone(), forms, waiting: Vec::new() })
    }

    fn comment(&mut self, what: &str, text: &str) -> io::Result<()> {
        for line in text.lines() {
            writeln!(self.to, "#. {what}: {}", line.trim_end_matches('\r'))?;
        }
        Ok(())
    }

    fn message(&mut self, keyword: &str, text: &str) -> io::Result<()> {
        write!(self.to, "{keyword} ")?;
        if text.contains('\n') || text.is_empty() {
            self.to.write_all(b"\"\"\n")?;
        }
        let begins = if keyword.starts_with("#|") { "#| " } else { "" };
        for (at, line) in text.split_inclusive('\n').enumerate() {
            if at > 0 || text.contains('\n') {
                self.to.write_all(begins.as_bytes())?;
            }
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
        }
        Ok(())
    }

    /// What a translator should know of a unit.
    fn about(&mut self, Outgoing { unit, complaints, .. }: Outgoing<'_>) -> io::Result<()> {
        let context = &unit.context;
        for complaint in complaints {
            self.comment("rejected", complaint)?;
        }
        for text in &context.notes {
            self.comment("instruction", text)?;
        }
        if let Some(title) = &context.title {
            self.comment("title", title)?;
        }
        for (name, address) in &context.references {
            self.comment(&format!("reference, {name}"), address)?;
        }
        self.comment("place", &context.within)?;
        let into = self.heading.into.clone();
        for case in &context.cases {
            self.comment("case", &case.told(&into))?;
        }
        if let Some(limit) = context.limit {
            self.comment("limit", &format!("{limit} characters"))?;
        }
        for (tag, number) in unit.tags.iter().zip(1..) {
            self.comment(&format!("tag {number}"), tag.shown.as_deref().unwrap_or(&tag.original))?;
        }
        let known = candidates(unit).into_iter().filter(|known| known.origin != MACHINE);
        for Candidate { source, target, percent, origin } in known {
            let near = percent.map(|percent| format!(", {percent} %")).unwrap_or_default();
            self.comment(&format!("near ({origin}{near})"), &source.coded())?;
            self.comment("its translation", &target.coded())?;
        }
        writeln!(self.to, "#: {}", unit.name.replace(' ', "%20"))
    }

    fn single(&mut self, outgoing: Outgoing<'_>) -> io::Result<()> {
        writeln!(self.to)?;
        self.about(outgoing)?;
        // The nearest stands there to be mended, marked as not decided about, beside what it is of (gettext
        // manual, "The Format of PO Files").
        let candidates = candidates(outgoing.unit);
        let is_near =
            |known: &&Candidate<'_>| outgoing.target.is_none() && known.percent.is_some_and(|percent| percent >= 70);
        let nearest = candidates.iter().filter(is_near).max_by_key(|known| known.percent);
        // A machine is asked only where nothing known is near enough.
        let machine = outgoing.suggested();
        if !outgoing.complaints.is_empty() || nearest.is_some() || machine.is_some() {
            writeln!(self.to, "#, fuzzy")?;
        }
        if let Some(Candidate { source, .. }) = nearest.filter(|_| machine.is_none()) {
            self.message("#| msgid", &source.coded())?;
        }
        let target = outgoing.target.or(machine).or(nearest.map(|nearest| nearest.target));
        self.message("msgctxt", outgoing.unit.id.as_str())?;
        self.message("msgid", &outgoing.unit.source.coded())?;
        self.message("msgstr", &target.map(Inline::coded).unwrap_or_default())
    }

    /// Writes the forms that wait: as one message, where they are those that its heading tells apart and of
    /// two sources at most.
    fn end_message(&mut self) -> io::Result<()> {
        let mut waiting = std::mem::take(&mut self.waiting);
        waiting.sort_by_key(|kept| form(&kept.unit));
        let (whole, rest): (Vec<Kept>, Vec<Kept>) =
            waiting.into_iter().partition(|kept| form(&kept.unit).is_some_and(|form| self.forms.contains(&form)));
        let is_one = whole.len() > 1 && whole.iter().filter_map(|kept| form(&kept.unit)).eq(self.forms.iter().copied());
        let sources = sources(&whole).filter(|_| is_one);
        let Some((one, other)) = sources else {
            return whole.iter().chain(&rest).try_for_each(|kept| self.single(kept.as_outgoing()));
        };
        writeln!(self.to)?;
        for kept in &whole {
            self.about(kept.as_outgoing())?;
        }
        if whole.iter().any(|kept| !kept.complaints.is_empty() || kept.as_outgoing().suggested().is_some()) {
            writeln!(self.to, "#, fuzzy")?;
        }
        let ids: Vec<&str> = whole.iter().map(|kept| kept.unit.id.as_str()).collect();
        self.message("msgctxt", &ids.join(" "))?;
        self.message("msgid", &one)?;
        self.message("msgid_plural", &other)?;
        for (at, kept) in whole.iter().enumerate() {
            self.message(&format!("msgstr[{at}]"), &kept.as_outgoing().shown().map(Inline::coded).unwrap_or_default())?;
        }
        rest.iter().try_for_each(|kept| self.single(kept.as_outgoing()))
    }
}

/// The two sources of a message, for one and for more; none where its forms have others.
fn sources(forms: &[Kept]) -> Option<(String, String)> {
    let of = |kept: &Kept| kept.unit.source.coded();
    let other = of(forms.last()?);
    let one = forms.iter().find(|kept| form(&kept.unit) == Some(PluralForm::One)).map_or_else(|| other.clone(), of);
    let is_one = |kept: &&Kept| form(&kept.unit) == Some(PluralForm::One);
    forms.iter().filter(|kept| !is_one(kept)).all(|kept| of(kept) == other).then_some((one, other))
}

impl<W: Write> WriteUnits for Writer<W> {
    fn unit(&mut self, outgoing: Outgoing<'_>) -> io::Result<()> {
        if form(outgoing.unit).is_none() {
            return self.single(outgoing);
        }
        if self.waiting.iter().any(|kept| !is_of_one(&kept.unit, outgoing.unit)) {
            self.end_message()?;
        }
        let Outgoing { unit, target, complaints } = outgoing;
        self.waiting.push(Kept { unit: unit.clone(), target: target.cloned(), complaints: complaints.to_vec() });
        Ok(())
    }

    fn end(mut self: Box<Self>) -> io::Result<()> {
        self.end_message()?;
        self.to.flush()
    }
}
