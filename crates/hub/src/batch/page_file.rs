//! A page that is written part by part, whole or not at all.

use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};

use diaporos_systems::files::publish;
use minijinja::{AutoEscape, Environment, Value};
use tempfile::NamedTempFile;

use super::BatchError;

/// A page that is being written.
pub(super) struct PageFile {
    file: PathBuf,
    to: BufWriter<NamedTempFile>,
    environment: Environment<'static>,
}

/// What the template is called within its environment.
const PAGE: &str = "page.html";

impl PageFile {
    /// Begins a page of a template in a folder, which is made where it is not there.
    pub(super) fn begin(folder: &Path, name: &str, template: &'static str) -> Result<PageFile, BatchError> {
        std::fs::create_dir_all(folder).map_err(|error| BatchError::file(folder, error))?;
        let file = folder.join(name);
        let to = NamedTempFile::new_in(folder).map_err(|error| BatchError::file(&file, error))?;
        let mut environment = Environment::new();
        environment.set_auto_escape_callback(|_| AutoEscape::Html);
        environment.add_template(PAGE, template).map_err(|error| BatchError::file(&file, error))?;
        Ok(PageFile { file, to: BufWriter::new(to), environment })
    }

    /// Writes a part.
    pub(super) fn part(&mut self, values: Value) -> Result<(), BatchError> {
        let rendered = self.environment.get_template(PAGE).and_then(|template| template.render(values));
        let text = rendered.map_err(|error| BatchError::file(&self.file, error))?;
        self.to.write_all(text.as_bytes()).map_err(|error| BatchError::file(&self.file, error))
    }

    /// Puts the page in its place, and gives that.
    pub(super) fn end(self) -> Result<PathBuf, BatchError> {
        let PageFile { file, to, .. } = self;
        let temporary = to.into_inner().map_err(|error| BatchError::file(&file, error))?;
        publish(temporary, &file).map_err(|error| BatchError::file(&file, error))?;
        Ok(file)
    }
}
