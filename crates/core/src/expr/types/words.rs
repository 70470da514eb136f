//! A type in a message's words: `localised text or null`, `list of references to curator`.

use std::fmt::{self, Display, Formatter};

use super::{Form, Kinds, Languages, Type};

impl Display for Type {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        if self.kinds == Kinds::ALL {
            return f.write_str("any value");
        }
        if self.languages == Languages::Each && self.kinds != Kinds::NULL {
            f.write_str("localised ")?;
        }
        // An integer is a number: saying both says one thing twice.
        let kinds = if self.kinds.has_all(Kinds::NUMERIC) { self.kinds.without(Kinds::INTEGER) } else { self.kinds };
        for (place, word) in kinds.words().enumerate() {
            if place > 0 {
                f.write_str(" or ")?;
            }
            match (word, &self.item, &self.to) {
                ("text", ..) => f.write_str(self.form.word())?,
                ("list", Some(item), _) if item.kinds != Kinds::ALL && item.kinds != Kinds::NULL => {
                    write!(f, "list of {}", Type::clone(item).without_null())?;
                }
                ("reference", _, Some(to)) => write!(f, "reference to {to}")?,
                (word, ..) => f.write_str(word)?,
            }
        }
        Ok(())
    }
}

impl Form {
    fn word(self) -> &'static str {
        match self {
            Form::Any | Form::Plain => "text",
            Form::Html => "HTML",
            Form::Markdown => "Markdown",
            Form::Date => "date",
            Form::Instant => "instant",
            Form::Url => "URL",
        }
    }
}
