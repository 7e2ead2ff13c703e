//! The doors through which rulesets and scenarios come in: files, bytes in memory, the builder.

use std::io::Read;
use std::path::{Path as FilePath, PathBuf};
use std::sync::Arc;

use crate::narrow;
use crate::ops::start_faults;
use crate::ruleset::{Ruleset, RulesetBuilder, RulesetErrors, RulesetSource, compile, lint};
use crate::save::{Save, SaveError, Trust};
use crate::scenario::{ScenarioErrors, ScenarioFile};
use crate::text::{Diagnostic, Diagnostics, Location, Severity, Source, SourceId, system_cause};

/// The most bytes that a text may have.
const MAX_BYTES: usize = 1 << 30;

/// Why a file did not give a ruleset or scenarios.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum LoadError {
    /// The file can't be read.
    #[error("cannot read `{}`: {cause}", path.display())]
    Read {
        /// The file.
        path: PathBuf,
        /// The cause.
        cause: String,
        /// The error of the operating system, if it gave one.
        #[source]
        source: Option<std::io::Error>,
    },
    /// The ruleset in it is wrong.
    #[error(transparent)]
    Ruleset(#[from] RulesetErrors),
    /// A scenario in it is wrong.
    #[error(transparent)]
    Scenario(#[from] ScenarioErrors),
    /// The file is not a save, or is damaged.
    #[error("cannot load `{}`: {error}", path.display())]
    Save {
        /// The file.
        path: PathBuf,
        /// What is wrong.
        #[source]
        error: SaveError,
    },
}

/// Reads the whole of a file.
pub(crate) fn read(path: &FilePath) -> Result<Vec<u8>, LoadError> {
    let fail = |cause: String, source| LoadError::Read { path: path.to_owned(), cause, source };
    // A pipe would wait for a writer, and a device may never end.
    match std::fs::metadata(path) {
        Ok(there) if there.is_dir() => return Err(fail("it is a folder, not a file".to_owned(), None)),
        Ok(there) if !there.is_file() => return Err(fail("it is a pipe or a device, not a file".to_owned(), None)),
        _ => {}
    }
    let bytes = std::fs::File::open(path).and_then(read_bounded).map_err(|error| match error.kind() {
        std::io::ErrorKind::NotFound => fail("the file does not exist".to_owned(), Some(error)),
        _ => fail(system_cause(&error), Some(error)),
    })?;
    if bytes.len() > MAX_BYTES {
        return Err(fail("it is larger than 1 GiB".to_owned(), None));
    }
    Ok(bytes)
}

/// A device that never ends must not fill the memory: no more is read than shows that it is too
/// much.
fn read_bounded(file: std::fs::File) -> std::io::Result<Vec<u8>> {
    let size = file.metadata().map_or(0, |metadata| metadata.len());
    let mut bytes = Vec::with_capacity(usize::try_from(size).unwrap_or(0).min(MAX_BYTES));
    file.take(MAX_BYTES as u64 + 1).read_to_end(&mut bytes)?;
    Ok(bytes)
}

/// Turns bytes into a text; where they are not UTF-8, the fault says where.
pub(crate) fn decode(name: &str, bytes: Vec<u8>, id: SourceId) -> (Source, Option<Diagnostic>) {
    match String::from_utf8(bytes) {
        Ok(text) => (Source::new(name, text), None),
        Err(error) => {
            let at = error.utf8_error().valid_up_to();
            let text = String::from_utf8_lossy(error.as_bytes()).into_owned();
            let end = at + text[at..].chars().next().map_or(0, char::len_utf8);
            let fault = Diagnostic::error("not-utf8", Location::new(id, at..end), "this is not UTF-8 text");
            (Source::new(name, text), Some(fault.label("here").help("Save the file as UTF-8")))
        }
    }
}

impl Ruleset {
    /// Reads a ruleset file and its tables, which are in the same folder.
    ///
    /// # Errors
    /// If a file can't be read, or all that is wrong in them.
    pub fn load(path: impl AsRef<FilePath>) -> Result<Ruleset, LoadError> {
        let path = path.as_ref();
        let bytes = read(path)?;
        let folder = path.parent().unwrap_or(FilePath::new(""));
        let table = |name: &str| {
            let path = folder.join(name);
            let bytes = read(&path).map_err(|error| match error {
                LoadError::Read { cause, .. } => cause,
                error => error.to_string(),
            })?;
            Ok((path.display().to_string(), bytes))
        };
        Ok(Ruleset::from_bytes(&path.display().to_string(), bytes, table)?)
    }

    /// Reads a ruleset from text in memory. It can't name tables.
    ///
    /// # Errors
    /// All that is wrong in it.
    pub fn from_toml(name: &str, text: &str) -> Result<Ruleset, RulesetErrors> {
        Ruleset::from_bytes(
            name,
            text.as_bytes().to_vec(),
            |_| Err("a ruleset in memory cannot read tables".to_owned()),
        )
    }

    /// Reads a ruleset from bytes in memory. `table` gives name and bytes of a table that the
    /// ruleset names, or says why it can't.
    ///
    /// # Errors
    /// All that is wrong in them.
    pub fn from_bytes(
        name: &str,
        bytes: Vec<u8>,
        mut table: impl FnMut(&str) -> Result<(String, Vec<u8>), String>,
    ) -> Result<Ruleset, RulesetErrors> {
        let mut source = RulesetSource::default();
        let (text, fault) = decode(name, bytes, SourceId(0));
        if let Some(fault) = fault {
            return Err(RulesetErrors::new(Diagnostics::new(vec![text], vec![fault])));
        }
        source.read_toml(&text);
        let mut missing = false;
        for written in source.tables.clone() {
            let id = SourceId(narrow::index(source.sources.len()));
            match table(&written.value) {
                Ok((name, bytes)) => match decode(&name, bytes, id) {
                    (text, None) => source.read_table(&text),
                    (text, Some(fault)) => {
                        source.sources.push(text);
                        source.faults.push(fault);
                    }
                },
                Err(cause) => {
                    let message = format!("cannot read the table `{}`: {cause}", written.value);
                    let fault = Diagnostic::error("no-table", written.at, message);
                    source.faults.push(fault.help("Write the path of the table relative to the ruleset file"));
                    missing = true;
                }
            }
        }
        // Without its kinds, every use of them would be an error too.
        if missing {
            return Err(RulesetErrors::new(Diagnostics::new(source.sources, source.faults)));
        }
        let rules = Arc::new(compile(source)?);
        let faults = start_faults(&rules);
        let rules = Arc::unwrap_or_clone(rules);
        if faults.is_empty() {
            return Ok(rules);
        }
        let mut all = rules.warnings().to_faults();
        all.extend(faults);
        Err(RulesetErrors::new(Diagnostics::new(rules.sources().to_vec(), all)))
    }

    /// Builds a ruleset in code.
    pub fn builder() -> RulesetBuilder {
        RulesetBuilder::default()
    }

    /// Finds valid but likely unintended rules: kinds that fit nowhere, slots that admit nothing,
    /// weight caps below every item, tags that look like slips.
    #[must_use]
    pub fn lint(&self) -> Diagnostics {
        debug_assert!(self.warnings().iter().all(|warning| warning.severity() == Severity::Warning));
        lint(self)
    }
}

impl RulesetSource {
    /// A ruleset as it was written, read once more from its texts.
    pub(crate) fn written_again(rules: &Ruleset) -> RulesetSource {
        let mut source = RulesetSource::default();
        if let Some((text, tables)) = rules.sources().split_first() {
            source.read_toml(text);
            tables.iter().for_each(|table| source.read_table(table));
        }
        source
    }
}

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

impl Save {
    /// Reads a save of either form from a file, and trusts it as far as is said.
    ///
    /// # Errors
    /// If the file can't be read, or is not a save.
    pub fn load(path: impl AsRef<FilePath>, trust: Trust) -> Result<Save, LoadError> {
        let path = path.as_ref();
        let bytes = read(path)?;
        Save::read_with(&bytes, trust).map_err(|error| LoadError::Save { path: path.to_owned(), error })
    }
}

fn finish(source: Source, fault: Option<Diagnostic>) -> Result<ScenarioFile, ScenarioErrors> {
    match fault {
        Some(fault) => Err(ScenarioErrors::new(Diagnostics::new(vec![source], vec![fault]))),
        None => ScenarioFile::parse(source),
    }
}

fn read_text(path: &FilePath) -> Result<(Source, Option<Diagnostic>), LoadError> {
    Ok(decode(&path.display().to_string(), read(path)?, SourceId(0)))
}
