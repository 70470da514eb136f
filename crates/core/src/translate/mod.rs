//! Translation: texts cut into units, the formats in which they travel, and the checks on what
//! comes back.

mod case;
mod check;
mod count;
mod formats;
mod inline;
mod key;
mod machine;
mod near;
mod plural;
mod protect;
mod pseudo;
mod shape;
mod source_check;
mod stage;
mod unit;
mod variety;

pub use case::Case;
pub use check::{
    Check, CheckPolicy, Checker, Defect, TermRow, Terms, terms_from_csv, terms_from_tbx, terms_to_csv, terms_to_tbx,
};
pub use count::words;
pub use formats::{
    Heading, Incoming, MemoryPair, Outgoing, Purpose, Returned, TmxWriter, Told, UnitFormat, UnitsError, WriteUnits,
    read_tmx, read_units, write_units,
};
pub use inline::{Inline, Piece, TagNumber};
pub use key::TextKey;
pub use machine::{for_machine, from_machine};
pub use near::{Band, Difference, NearIndex, NearMatch, NearText, nearness_of};
pub use plural::{Counting, PluralForm, PluralFormError, Plurals};
pub use protect::{Keep, Preset, Protected};
pub use pseudo::{is_pseudo, pseudo, pseudo_length};
pub use shape::{Block, Form, JoinError, LinkRule, Links, Local, Tag, TagKind, TextStructure, normal_html};
pub use source_check::{SourceCheck, SourceFinding};
pub use stage::{AcceptFrom, Stage, StageTold};
pub use unit::{Unit, UnitContext, UnitId, UnitIdError, UnitPlace};
pub use variety::{Nearness, nearness};

#[cfg(test)]
mod tests;
