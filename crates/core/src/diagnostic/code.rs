//! The stable names of findings. A name is never reused for another meaning.

use std::fmt;

macro_rules! codes {
    ($($(#[$doc:meta])* $variant:ident = $name:literal,)*) => {
        /// A stable name for a kind of finding.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum Code {
            $($(#[$doc])* $variant,)*
        }

        impl Code {
            /// Every code there is.
            pub const ALL: &[Code] = &[$(Code::$variant,)*];

            /// The name as it is printed.
            #[must_use]
            pub fn as_str(self) -> &'static str {
                match self {
                    $(Code::$variant => $name,)*
                }
            }
        }
    };
}

codes! {
    /// The file is not TOML.
    Syntax = "file/syntax",
    /// A file that the configuration names cannot be read.
    MissingFile = "file/missing",
    /// A key that has no meaning where it stands.
    UnknownKey = "key/unknown",
    /// A key that must be there is not.
    MissingKey = "key/missing",
    /// A value of the wrong type.
    WrongType = "value/type",
    /// A value that cannot be used.
    BadValue = "value/bad",
    /// A name of a system, type or lane that is nowhere defined.
    UnknownName = "name/unknown",
    /// A secret that stands in the configuration itself.
    ClearSecret = "secret/clear",
    /// A credential that would cross plain http.
    PlainHttp = "secret/plain-http",
    /// A field expression that cannot be read.
    ExpressionSyntax = "expression/syntax",
    /// A function that does not exist.
    UnknownFunction = "expression/function",
    /// A function called with the wrong arguments.
    Arguments = "expression/arguments",
    /// A field that the type does not have.
    UnknownField = "expression/field",
    /// A value of a kind that cannot be used there.
    ExpressionType = "expression/type",
    /// A value that may be null where one must be.
    MayBeNull = "expression/null",
    /// Text that may be longer than what takes it.
    TooLong = "expression/length",
    /// A value whose form is lost, as HTML in plain text.
    FormLost = "expression/form",
    /// A value that changes with time alone.
    ChangesWithTime = "expression/time",
    /// A language is asked of a field that has none.
    NoLanguages = "expression/language",
    /// Something that is defined and used by nothing.
    Unused = "name/unused",
    /// A function of the hub that calls itself.
    Recursion = "function/recursion",
    /// A table that cannot be read.
    Table = "table/bad",
    /// A language that the destination does not take.
    LanguageNotTaken = "lane/language",
    /// A lane lacks something its destination needs.
    Lane = "lane/incomplete",
}

impl fmt::Display for Code {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.as_str())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_unique() {
        let mut names: Vec<_> = Code::ALL.iter().map(|code| code.as_str()).collect();
        names.sort_unstable();
        names.dedup();
        assert_eq!(names.len(), Code::ALL.len());
    }
}
