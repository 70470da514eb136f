//! Where results and messages go, and what can be shown there.

use std::io::{IsTerminal, Write};

use diaporos_systems::blank::blank;

use super::visible::{Escapes, Visible, visible};

/// What the terminals can show.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Terminal {
    /// Columns of stdout, where that is a terminal.
    pub(crate) width: Option<u16>,
    /// Whether stdout takes colour.
    pub(crate) colour: bool,
    /// Columns of stderr, where that is a terminal.
    pub(crate) width_err: Option<u16>,
    /// Whether stderr takes colour.
    pub(crate) colour_err: bool,
}

impl Terminal {
    /// The terminals of this process; `plain` where no colour is wanted.
    pub(crate) fn of_process(plain: bool) -> Terminal {
        let width = |is_terminal: bool| is_terminal.then(columns).flatten();
        let (out, err) = (std::io::stdout().is_terminal(), std::io::stderr().is_terminal());
        Terminal { width: width(out), colour: out && !plain, width_err: width(err), colour_err: err && !plain }
    }
}

fn columns() -> Option<u16> {
    // The table's own library asks the terminal.
    comfy_table::Table::new().set_content_arrangement(comfy_table::ContentArrangement::Dynamic).width()
}

/// Where messages go, and no secret passes. A message is written in one piece.
pub(crate) struct Blanked<W: Write>(W);

impl<W: Write> Write for Blanked<W> {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        let text = String::from_utf8_lossy(bytes);
        let text = blank(&text);
        let shown = if std::io::stderr().is_terminal() { visible(&text, Escapes::Colours) } else { text.into_owned() };
        self.0.write_all(shown.as_bytes())?;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> std::io::Result<()> {
        self.0.flush()
    }
}

/// Where messages go.
pub(crate) fn messages() -> Blanked<std::io::Stderr> {
    Blanked(std::io::stderr())
}

/// A line beside the results.
pub(crate) fn note(line: &str) {
    // Nobody is left to tell where stderr is closed.
    let _ = writeln!(messages(), "{line}");
}

/// Where results go. A terminal is shown what it would obey.
pub(crate) fn out() -> Box<dyn Write + Send> {
    out_with(Escapes::None)
}

/// Where results go that are drawn in colour, and in which what others wrote was made visible.
pub(crate) fn drawn_out() -> Box<dyn Write + Send> {
    out_with(Escapes::Colours)
}

fn out_with(escapes: Escapes) -> Box<dyn Write + Send> {
    let stdout = std::io::stdout();
    if stdout.is_terminal() {
        return Box::new(std::io::BufWriter::new(Visible::new(stdout, escapes)));
    }
    Box::new(std::io::BufWriter::new(stdout))
}
