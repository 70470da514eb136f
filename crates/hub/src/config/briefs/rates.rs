//! What translations cost.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings::Section;
use diaporos_core::translate::Band;
use diaporos_store::Origin;

use super::money::hundred_thousandths;

/// What a word costs, in hundred-thousandths of the currency.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Rates {
    /// The currency (ISO 4217).
    pub currency: String,
    /// A word of a new text.
    pub new: i64,
    /// A word of a changed one, where no band has a rate.
    pub changed: Option<i64>,
    /// A word of one that stands in the batch already.
    pub repeated: i64,
    /// A word of one that is near to a known one, by band.
    pub near_70: Option<i64>,
    /// As above, from 85 % on.
    pub near_85: Option<i64>,
    /// As above, from 95 % on.
    pub near_95: Option<i64>,
    /// A word of a text whose translation is known from elsewhere.
    pub exact: i64,
    /// A word of a text whose translation is known for that very place.
    pub in_context: i64,
    /// The least that a language of a batch costs.
    pub minimum: i64,
    /// Up to which price an agency's quote is accepted without a person.
    pub accept_up_to: Option<i64>,
}

impl Rates {
    /// What a word costs that is sent.
    #[must_use]
    pub fn of(&self, origin: Origin, band: Band) -> i64 {
        let near = match band {
            Band::New => None,
            Band::From70 => self.near_70,
            Band::From85 => self.near_85,
            Band::From95 => self.near_95,
        };
        match origin {
            Origin::Repeated => self.repeated,
            Origin::Changed => near.or(self.changed).unwrap_or(self.new),
            Origin::New => near.unwrap_or(self.new),
        }
    }
}

/// Reads the rates; nothing where there are none, and no rates where something is wrong, which is said.
pub(super) fn rates(table: &mut Section<'_>, report: &mut Report) -> Option<Option<Rates>> {
    let Some(mut section) = table.section("rates", report) else { return Some(None) };
    let currency = section.string("currency", report);
    let mut sound = true;
    let mut rate = |key: &'static str| {
        let item = section.value(key)?;
        let text = item.value.scalar_text().unwrap_or_default().into_owned();
        let read = hundred_thousandths(&text);
        if read.is_none() {
            sound = false;
            let finding = Diagnostic::error(Code::BadValue, item.span, format!("`{text}` is not a price"));
            report.add(finding.help("a price, as in `new = 0.14`"));
        }
        read
    };
    let read = Rates {
        currency: String::new(),
        new: rate("new").unwrap_or_default(),
        changed: rate("changed"),
        repeated: rate("repeated").unwrap_or_default(),
        near_70: rate("near_70"),
        near_85: rate("near_85"),
        near_95: rate("near_95"),
        exact: rate("exact").unwrap_or_default(),
        in_context: rate("in_context").unwrap_or_default(),
        minimum: rate("minimum").unwrap_or_default(),
        accept_up_to: rate("accept_up_to"),
    };
    section.finish(report);
    Some(Some(Rates { currency: currency.filter(|_| sound)?, ..read }))
}
