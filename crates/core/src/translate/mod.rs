//! Translation: texts cut into units, the formats in which they travel, and the checks on what
//! comes back.

mod check;
mod count;
mod formats;
mod inline;
mod protect;
mod pseudo;
mod shape;
mod unit;

pub use check::{Check, CheckPolicy, Checker, Defect, TermRow, Terms, terms_from_csv, terms_from_tbx};
pub use count::words;
pub use formats::{
    Heading, Incoming, MemoryPair, Outgoing, Returned, TmxWriter, Told, UnitFormat, UnitsError, WriteUnits, read_tmx,
    read_units, write_units,
};
pub use inline::{Inline, Piece, TagNumber};
pub use protect::Protected;
pub use pseudo::{is_pseudo, pseudo};
pub use shape::{Block, Form, JoinError, Tag, TagKind, TextStructure, normal_html};
pub use unit::{Unit, UnitContext, UnitId, UnitIdError, UnitPlace};

#[cfg(test)]
mod tests;
