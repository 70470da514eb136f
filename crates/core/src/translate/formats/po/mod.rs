//! gettext PO: a message per unit, its id as context, its tags as `<1>`. The plural forms of a text are one
//! message, with the ids of its forms.

mod plural_forms;
mod read;
mod write;

pub(super) use read::read;
pub(super) use write::Writer;
