use std::path::Path as FilePath;

use super::error::ScenarioErrors;
use super::tree::ScenarioFile;
use crate::load::{LoadError, decode, read_text};
use crate::text::{Diagnostic, Diagnostics, Source, SourceId};

impl ScenarioFile {
    /// Reads a scenario file.
    ///
    /// # Errors
    /// If the file can't be read, or every line of it that can't.
    pub fn load(path: impl AsRef<FilePath>) -> Result<ScenarioFile, LoadError> {
        let (source, fault) = read_text(path.as_ref())?;
        Ok(finish(source, fault)?)
    }

    /// Reads a scenario file from bytes in memory.
    ///
    /// # Errors
    /// Every line that can't be read.
    pub fn from_bytes(name: &str, bytes: Vec<u8>) -> Result<ScenarioFile, ScenarioErrors> {
        let (source, fault) = decode(name, bytes, SourceId(0));
        finish(source, fault)
    }
}

fn finish(source: Source, fault: Option<Diagnostic>) -> Result<ScenarioFile, ScenarioErrors> {
    match fault {
        Some(fault) => Err(ScenarioErrors::new(Diagnostics::new(vec![source], vec![fault]))),
        None => ScenarioFile::parse(source),
    }
}
