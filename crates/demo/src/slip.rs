//! What translators, and their tools, get wrong.

use serde::{Deserialize, Serialize};

/// What a translator, or a tool, can get wrong.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Slip {
    /// Gives nothing.
    Empty,
    /// Loses the first tag.
    LosesTag,
    /// Writes the first tag a second time.
    DoublesTag,
    /// Lets the first two pairs of tags overlap, as only spanning tags of XLIFF 2 can.
    OverlapsTags,
    /// Says it in other words than the glossary has.
    OtherWords,
    /// Adds a number.
    AltersNumber,
    /// Says it ten times.
    TooLong,
    /// Gives the source again.
    Copies,
    /// Leaves a space at the end.
    LeavesSpace,
    /// Writes in Greek letters.
    WrongLetters,
    /// Gives the unit a second time, with another text.
    Twice,
    /// Gives it an id of its own.
    RenamesUnit,
}

/// What can be wrong with a whole file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum FileSlip {
    /// It ends in the middle.
    CutOff,
    /// It is into another language.
    WrongLanguage,
    /// It is of another batch.
    WrongBatch,
    /// It declares entities that make it endless.
    Bomb,
    /// It takes in a file of the reader's machine.
    ExternalEntity,
    /// It is a page of HTML.
    Foreign,
    /// It has other line ends, and elements of a tool; nothing is wrong with it.
    ToolWork,
}

/// A slip, and in which unit.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Spoilt {
    /// What goes wrong.
    pub slip: Slip,
    /// In units whose source holds this.
    pub source: String,
    /// Only in this language.
    #[serde(default)]
    pub language: Option<String>,
}
