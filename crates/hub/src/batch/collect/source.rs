//! Files that come back: on disk, or fetched.

use std::fs::File;
use std::io::{BufRead, BufReader, Cursor, Read};
use std::path::{Path, PathBuf};

use diaporos_core::change::{Fingerprint, fingerprint_stream};

use crate::batch::BatchError;

/// The largest file that is read.
const LARGEST: u64 = 512 << 20;

/// A file that came back.
#[derive(Debug, Clone)]
pub enum FileSource {
    /// On disk.
    Path(PathBuf),
    /// As it was fetched, under the name by which it is told.
    Bytes(String, Vec<u8>),
}

impl FileSource {
    /// What it is called.
    #[must_use]
    pub fn name(&self) -> String {
        match self {
            FileSource::Path(path) => path.display().to_string(),
            FileSource::Bytes(name, _) => name.clone(),
        }
    }

    /// Opens it, in UTF-8 whichever Unicode form it is in.
    pub(super) fn open(&self) -> Result<Box<dyn BufRead + '_>, BatchError> {
        let mut reader: Box<dyn BufRead + '_> = match self {
            FileSource::Bytes(_, bytes) => Box::new(Cursor::new(bytes.as_slice())),
            FileSource::Path(path) => {
                let failed = |error: std::io::Error| BatchError::file(path, error);
                let file = File::open(path).map_err(failed)?;
                let size = file.metadata().map_err(failed)?.len();
                if size > LARGEST {
                    return Err(BatchError::file(path, format!("it has {size} bytes; at most {LARGEST} are read")));
                }
                Box::new(BufReader::with_capacity(1 << 16, file))
            }
        };
        let failed = |error: std::io::Error| BatchError::File { file: self.name(), reason: error.to_string() };
        let start = reader.fill_buf().map_err(failed)?;
        let Some((encoding, _)) = encoding_rs::Encoding::for_bom(start) else { return Ok(reader) };
        if encoding == encoding_rs::UTF_8 {
            // Nobody needs the mark.
            reader.consume(3);
            return Ok(reader);
        }
        let mut bytes = Vec::new();
        reader.read_to_end(&mut bytes).map_err(failed)?;
        let text = encoding.decode(&bytes).0.into_owned();
        // What it says of its encoding is true no more, and is for readers of bytes.
        let text = text.replacen("encoding=\"UTF-16\"", "encoding=\"UTF-8\"", 1);
        Ok(Box::new(Cursor::new(text.into_bytes())))
    }

    pub(super) fn fingerprint(&self) -> Result<Fingerprint, BatchError> {
        let failed = |error: std::io::Error| BatchError::File { file: self.name(), reason: error.to_string() };
        match self {
            FileSource::Bytes(_, bytes) => fingerprint_stream(&mut bytes.as_slice()).map_err(failed),
            FileSource::Path(path) => {
                let mut file = File::open(path).map_err(failed)?;
                fingerprint_stream(&mut file).map_err(failed)
            }
        }
    }
}

/// The files that were put into the `back` folder of a folder that others carry from, the oldest first,
/// so that the newest has the last word.
///
/// # Errors
/// Where the folder cannot be read; one that is not there has no files.
pub fn returned_files(folder: &Path) -> Result<Vec<FileSource>, BatchError> {
    let back = folder.join("back");
    let failed = |error: std::io::Error| BatchError::file(&back, error);
    let listed = match std::fs::read_dir(&back) {
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Ok(Vec::new()),
        listed => listed.map_err(failed)?,
    };
    let mut files = Vec::new();
    for file in listed {
        let file = file.map_err(failed)?;
        let about = file.metadata().map_err(failed)?;
        let is_hidden = file.file_name().to_string_lossy().starts_with('.');
        if about.is_file() && !is_hidden {
            files.push((about.modified().map_err(failed)?, file.path()));
        }
    }
    files.sort();
    Ok(files.into_iter().map(|(_, path)| FileSource::Path(path)).collect())
}
