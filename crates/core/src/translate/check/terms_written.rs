//! A glossary, written for others.

use std::collections::BTreeMap;
use std::io::{self, Write};

use super::terms::TermRow;
use crate::translate::formats::Xml;
use crate::value::LanguageTag;

/// Writes a glossary as CSV, as it is read.
///
/// # Errors
/// Where writing fails.
pub fn terms_to_csv(rows: &[TermRow], to: impl Write) -> io::Result<()> {
    let mut to = csv::Writer::from_writer(to);
    to.write_record(["term", "language", "say", "avoid"])?;
    for row in rows {
        to.write_record([&row.term, row.language.as_str(), &row.say.join("|"), &row.avoid.join("|")])?;
    }
    to.flush()
}

/// Writes a glossary as TBX-Basic (ISO 30042:2019, in DCA style): what to say is preferred, what to avoid is
/// deprecated.
///
/// # Errors
/// Where writing fails.
pub fn terms_to_tbx(rows: &[TermRow], from: &LanguageTag, to: impl Write) -> io::Result<()> {
    let mut xml = Xml::begin(to)?;
    xml.line(0)?;
    xml.start(
        "tbx",
        &[
            ("type", "TBX-Basic"),
            ("style", "dca"),
            ("xml:lang", from.as_str()),
            ("xmlns", "urn:iso:std:iso:30042:ed-2"),
        ],
    )?;
    xml.line(1)?;
    xml.start("tbxHeader", &[])?;
    xml.start("fileDesc", &[])?;
    xml.start("sourceDesc", &[])?;
    xml.element(2, "p", &[], "a glossary")?;
    xml.end("sourceDesc")?;
    xml.end("fileDesc")?;
    xml.end("tbxHeader")?;
    xml.line(1)?;
    xml.start("text", &[])?;
    xml.start("body", &[])?;
    let mut concepts: BTreeMap<&str, Vec<&TermRow>> = BTreeMap::new();
    for row in rows {
        concepts.entry(row.term.as_str()).or_default().push(row);
    }
    for ((term, rows), number) in concepts.into_iter().zip(1..) {
        xml.line(2)?;
        xml.start("conceptEntry", &[("id", &format!("c{number}"))])?;
        section(&mut xml, from, &[(term, "preferredTerm-admn-sts")])?;
        for row in rows {
            let say = row.say.iter().map(|text| (text.as_str(), "preferredTerm-admn-sts"));
            let avoid = row.avoid.iter().map(|text| (text.as_str(), "deprecatedTerm-admn-sts"));
            section(&mut xml, &row.language, &say.chain(avoid).collect::<Vec<_>>())?;
        }
        xml.line(2)?;
        xml.end("conceptEntry")?;
    }
    xml.line(1)?;
    xml.end("body")?;
    xml.end("text")?;
    xml.line(0)?;
    xml.end("tbx")?;
    xml.flush()
}

fn section<W: Write>(xml: &mut Xml<W>, language: &LanguageTag, terms: &[(&str, &str)]) -> io::Result<()> {
    xml.line(3)?;
    xml.start("langSec", &[("xml:lang", language.as_str())])?;
    for (term, status) in terms {
        xml.line(4)?;
        xml.start("termSec", &[])?;
        xml.element(5, "term", &[], term)?;
        xml.element(5, "termNote", &[("type", "administrativeStatus")], status)?;
        xml.line(4)?;
        xml.end("termSec")?;
    }
    xml.line(3)?;
    xml.end("langSec")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::translate::{terms_from_csv, terms_from_tbx};

    #[test]
    fn what_is_written_is_read_again() {
        let csv = "term,language,say,avoid\nfern,cy,rhedyn|rhedynen,\nroyal <fern>,fr,osmonde royale,fougère royale\n";
        let rows = terms_from_csv(csv).unwrap();
        let mut written = Vec::new();
        terms_to_csv(&rows, &mut written).unwrap();
        assert_eq!(String::from_utf8(written).unwrap(), csv);
        let mut written = Vec::new();
        terms_to_tbx(&rows, &"en".parse().unwrap(), &mut written).unwrap();
        assert_eq!(terms_from_tbx(&String::from_utf8(written).unwrap(), &"en".parse().unwrap()).unwrap(), rows);
    }
}
