//! What is common to all that templates make: how it is escaped, and how much of it there may be.

use std::io::Write;

use minijinja::{AutoEscape, Environment};

/// Has what is put into a page escaped where HTML and XML ask for it (HTML, §13.3; XML 1.0, §2.4), and nothing more, so
/// that addresses stay readable. What is not there is nothing.
pub(crate) fn escape_lightly(environment: &mut Environment<'_>) {
    environment.set_auto_escape_callback(|_| AutoEscape::Html);
    environment.set_formatter(|out, state, value| {
        use std::fmt::Write;
        if value.is_undefined() || value.is_none() {
            return Ok(());
        }
        if value.is_safe() || *state.auto_escape() == AutoEscape::None {
            return Ok(write!(out, "{value}")?);
        }
        for c in value.to_string().chars() {
            match c {
                '&' => out.write_str("&amp;")?,
                '<' => out.write_str("&lt;")?,
                '>' => out.write_str("&gt;")?,
                '"' => out.write_str("&quot;")?,
                '\'' => out.write_str("&#39;")?,
                other => out.write_char(other)?,
            }
        }
        Ok(())
    });
}

/// The most bytes that a template makes of one document.
const LONGEST_PAGE: usize = 8 << 20;

/// A page that grows so far and no further.
#[derive(Default)]
pub(crate) struct Capped(Vec<u8>);

impl Capped {
    pub(crate) fn into_bytes(self) -> Vec<u8> {
        self.0
    }
}

impl Write for Capped {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        if self.0.len() + bytes.len() > LONGEST_PAGE {
            return Err(std::io::Error::other(format!("it makes more than {LONGEST_PAGE} bytes of one document")));
        }
        self.0.extend_from_slice(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}
