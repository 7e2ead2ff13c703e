//! Reading and writing files.

use std::io::{Read, Write};
use std::num::NonZeroUsize;
use std::path::Path;
use std::sync::Arc;

use hypotheke::explore::ClaimsFile;
use hypotheke::save::{Save, SaveError, Trust};
use hypotheke::text::{Diagnostics, system_cause};
use hypotheke::{LoadError, Operation, Ruleset, RulesetErrors, ScenarioErrors, ScenarioFile, World};

/// Wrong usage or bad input. Exit status 2.
#[derive(Debug, thiserror::Error)]
pub(crate) enum InputError {
    #[error(transparent)]
    Load(#[from] LoadError),
    #[error(transparent)]
    Ruleset(#[from] RulesetErrors),
    #[error(transparent)]
    Claims(#[from] ScenarioErrors),
    #[error("{message}")]
    Usage { message: String, help: Option<String> },
    /// A sentence of the command line has errors.
    #[error("the operation has errors")]
    Sentence(Diagnostics),
    /// Several files have errors.
    #[error("several files have errors")]
    Several(Vec<InputError>),
    #[error("cannot write: {}", system_cause(.0))]
    Write(#[from] std::io::Error),
}

impl InputError {
    pub(crate) fn usage(message: impl Into<String>, help: Option<&str>) -> InputError {
        InputError::Usage { message: message.into(), help: help.map(str::to_owned) }
    }

    /// The name of the file with the error, and the first message.
    pub(crate) fn file_and_message(&self) -> (String, String) {
        let first = self.diagnostics().and_then(|found| Some((found, found.iter().next()?)));
        match (first, self) {
            (Some((found, first)), _) => {
                let source = found.source(first.location()).map_or("", hypotheke::text::Source::name);
                (source.to_owned(), first.message().to_owned())
            }
            (None, InputError::Load(LoadError::Read { path, .. })) => (path.display().to_string(), self.to_string()),
            (None, _) => ("input".to_owned(), self.to_string()),
        }
    }

    /// The diagnostics of a text, if there are any.
    pub(crate) fn diagnostics(&self) -> Option<&Diagnostics> {
        match self {
            InputError::Ruleset(errors) | InputError::Load(LoadError::Ruleset(errors)) => Some(errors.diagnostics()),
            InputError::Claims(errors) | InputError::Load(LoadError::Scenario(errors)) => Some(errors.diagnostics()),
            InputError::Sentence(found) => Some(found),
            _ => None,
        }
    }

    /// The remedy.
    pub(crate) fn help(&self) -> Option<&str> {
        match self {
            InputError::Usage { help, .. } => help.as_deref(),
            InputError::Load(LoadError::Read { .. }) => {
                Some("Name an existing file, or start from the demo: `hypotheke demo --output FOLDER`")
            }
            InputError::Load(LoadError::Save { error, .. }) => match error {
                SaveError::Edited { .. } => Some("If it was edited on purpose, add `--allow-edited`"),
                SaveError::OtherRuleset { .. } => {
                    Some("Name its ruleset with `--rules FILE`, or migrate it: `hypotheke migrate SAVE`")
                }
                SaveError::Newer { .. } => Some("Install a later version of hypotheke"),
                SaveError::Damaged { .. } | SaveError::Binary { .. } | SaveError::Json { .. } | SaveError::Empty => {
                    Some("Try an earlier save of the same world")
                }
                _ => None,
            },
            _ => None,
        }
    }
}

pub(crate) fn is_standard_input(path: &Path) -> bool {
    path == Path::new("-")
}

fn standard_input() -> Result<Vec<u8>, InputError> {
    let mut bytes = Vec::new();
    std::io::stdin()
        .lock()
        .read_to_end(&mut bytes)
        .map_err(|error| InputError::usage(format!("cannot read standard input: {}", system_cause(&error)), None))?;
    Ok(bytes)
}

pub(crate) fn load_rules(path: &Path) -> Result<Ruleset, InputError> {
    if is_standard_input(path) {
        let table = |name: &str| {
            std::fs::read(name).map(|bytes| (name.to_owned(), bytes)).map_err(|error| system_cause(&error))
        };
        return Ok(Ruleset::from_bytes("<stdin>", standard_input()?, table)?);
    }
    Ok(Ruleset::load(path)?)
}

/// Whether a file has the suffix of a save or begins as one.
pub(crate) fn is_save(path: &Path) -> bool {
    if path.extension().is_some_and(|extension| extension == "json") {
        return true;
    }
    let mut head = Vec::new();
    let mut read = || std::fs::File::open(path)?.take(64).read_to_end(&mut head);
    // A pipe would wait for a writer.
    !is_standard_input(path) && path.is_file() && read().is_ok() && Save::begins(&head)
}

pub(crate) fn load_save(path: &Path, edited: bool) -> Result<Save, InputError> {
    Ok(Save::load(path, if edited { Trust::AllowEdited } else { Trust::Unchanged })?)
}

/// The world of a save. A transfer record arrives in an empty world.
pub(crate) fn load_world(path: &Path, save: &Save, rules: &Arc<Ruleset>) -> Result<World, InputError> {
    let failed = |error| InputError::Load(LoadError::Save { path: path.to_owned(), error });
    if save.is_world() {
        return save.world(rules).map_err(failed);
    }
    let departure = save.departure(rules).map_err(failed)?;
    let mut world = World::empty(rules).numbered(NO_WORLD, 0);
    let place = departure.name().parse().ok().and_then(|path: hypotheke::Path| world.place(&path, None).ok());
    let there = place.or_else(|| world.holder(departure.name()).map(hypotheke::Place::from));
    if let Some(there) = there {
        let _ = world.perform(&Operation::departing(there));
    }
    let arriving = Operation::arriving(departure);
    if let Err(refusal) = world.perform(&arriving) {
        return Err(InputError::usage(format!("it cannot arrive: {}", world.explain(&refusal)), None));
    }
    Ok(world)
}

/// The world of a save after the ticks of `--away`, or else the start of the ruleset.
pub(crate) fn load_start(
    save: Option<(&Path, &Save)>,
    away: Option<u32>,
    rules: &Arc<Ruleset>,
) -> Result<World, InputError> {
    let mut world = match save {
        Some((path, save)) => load_world(path, save, rules)?,
        None => World::new(rules),
    };
    let Some(ticks) = away else { return Ok(world) };
    if !save.is_some_and(|(_, save)| save.is_world()) {
        return Err(InputError::usage("`--away` needs the save of a world".to_owned(), Some("Name such a save")));
    }
    if let Err(refusal) = world.perform(&Operation::waiting(ticks)) {
        let message = format!("{ticks} ticks cannot pass: {}", world.explain(&refusal));
        return Err(InputError::usage(message, Some("Let fewer ticks pass")));
    }
    Ok(world)
}

/// A world number that no stack id has.
const NO_WORLD: u32 = 0xff_fffe;

pub(crate) fn load_claims(path: &Path) -> Result<ClaimsFile, InputError> {
    if is_standard_input(path) {
        return Ok(ClaimsFile::from_bytes("<stdin>", standard_input()?)?);
    }
    Ok(ClaimsFile::load(path)?)
}

pub(crate) fn load_scenarios(path: &Path) -> Result<ScenarioFile, InputError> {
    if is_standard_input(path) {
        let scenarios = ScenarioFile::from_bytes("<stdin>", standard_input()?);
        return scenarios.map_err(|error: ScenarioErrors| InputError::Load(error.into()));
    }
    Ok(ScenarioFile::load(path)?)
}

/// The requested number of threads, or the number of cores.
pub(crate) fn threads(requested: Option<NonZeroUsize>) -> NonZeroUsize {
    requested.or_else(|| std::thread::available_parallelism().ok()).unwrap_or(NonZeroUsize::MIN)
}

/// Replaces a file. The old file stays until the new one is complete.
pub(crate) fn replace(path: &Path, bytes: &[u8]) -> Result<(), InputError> {
    let file = written_beside(path, bytes)?;
    file.as_file().set_permissions(std::fs::metadata(path)?.permissions())?;
    file.persist(path).map_err(|error| error.error)?;
    Ok(())
}

/// Writes a new file, complete or not at all. An existing file is an error.
pub(crate) fn write_new(path: &Path, bytes: &[u8]) -> Result<(), InputError> {
    written_beside(path, bytes)?.persist_noclobber(path).map_err(|error| {
        let there = error.error.kind() == std::io::ErrorKind::AlreadyExists;
        let message = format!("cannot write `{}`: {}", path.display(), system_cause(&error.error));
        InputError::usage(message, there.then_some("Name a new file"))
    })?;
    Ok(())
}

/// Replaces a file and keeps the old one as a backup.
pub(crate) fn keep_and_replace(path: &Path, kept: &Path, bytes: &[u8]) -> Result<(), InputError> {
    let before = std::fs::read(path)?;
    if std::fs::read(kept).ok().as_ref() != Some(&before) {
        write_new(kept, &before)?;
    }
    replace(path, bytes)
}

/// As any new file of the user: the system takes away what they forbid.
#[cfg(unix)]
fn others_may_read<'b>(mut file: tempfile::Builder<'b, 'b>) -> tempfile::Builder<'b, 'b> {
    use std::os::unix::fs::PermissionsExt;
    file.permissions(std::fs::Permissions::from_mode(0o666));
    file
}

#[cfg(not(unix))]
fn others_may_read<'b>(file: tempfile::Builder<'b, 'b>) -> tempfile::Builder<'b, 'b> {
    file
}

fn written_beside(path: &Path, bytes: &[u8]) -> Result<tempfile::NamedTempFile, InputError> {
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let written = std::fs::create_dir_all(folder).and_then(|()| {
        let mut file = others_may_read(tempfile::Builder::new()).tempfile_in(folder)?;
        file.write_all(bytes)?;
        file.as_file().sync_all()?;
        Ok(file)
    });
    written.map_err(|error| {
        InputError::usage(format!("cannot write `{}`: {}", path.display(), system_cause(&error)), None)
    })
}
