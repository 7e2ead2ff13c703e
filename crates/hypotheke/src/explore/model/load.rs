//! Files of claims, read from where they are.

use std::path::Path as FilePath;

use crate::explore::ClaimsFile;
use crate::load::{LoadError, decode, read};
use crate::scenario::ScenarioErrors;
use crate::text::{Diagnostics, SourceId};

impl ClaimsFile {
    /// Reads a file of claims.
    ///
    /// # Errors
    /// If it can't be read, or every line that is wrong in it.
    pub fn load(path: impl AsRef<FilePath>) -> Result<ClaimsFile, LoadError> {
        let path = path.as_ref();
        ClaimsFile::from_bytes(&path.display().to_string(), read(path)?).map_err(LoadError::from)
    }

    /// Reads claims from bytes in memory.
    ///
    /// # Errors
    /// Every line that is wrong in them.
    pub fn from_bytes(name: &str, bytes: Vec<u8>) -> Result<ClaimsFile, ScenarioErrors> {
        let (source, fault) = decode(name, bytes, SourceId(0));
        match fault {
            None => ClaimsFile::parse(source),
            Some(fault) => Err(ScenarioErrors::new(Diagnostics::new(vec![source], vec![fault]))),
        }
    }
}
