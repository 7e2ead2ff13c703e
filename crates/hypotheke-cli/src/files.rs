//! Reading what the command line names.

use std::io::{Read, Write};
use std::num::NonZeroUsize;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use hypotheke::explore::ClaimsFile;
use hypotheke::save::{Save, SaveError, Trust};
use hypotheke::text::Diagnostics;
use hypotheke::{LoadError, Operation, Ruleset, RulesetErrors, ScenarioErrors, ScenarioFile, World};

/// Why a command could not do its work: wrong usage or bad input. Exit status 2.
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
    /// A sentence of the command line.
    #[error("this can't be requested")]
    Sentence(Diagnostics),
    /// Faults of several files.
    #[error("several files can't be read")]
    Several(Vec<InputError>),
    #[error("can't write: {0}")]
    Write(#[from] std::io::Error),
}

impl InputError {
    pub(crate) fn usage(message: impl Into<String>, help: Option<&str>) -> InputError {
        InputError::Usage { message: message.into(), help: help.map(str::to_owned) }
    }

    /// The faults of a text, if that is what it is.
    pub(crate) fn diagnostics(&self) -> Option<&Diagnostics> {
        match self {
            InputError::Ruleset(errors) | InputError::Load(LoadError::Ruleset(errors)) => Some(errors.diagnostics()),
            InputError::Claims(errors) | InputError::Load(LoadError::Scenario(errors)) => Some(errors.diagnostics()),
            InputError::Sentence(found) => Some(found),
            _ => None,
        }
    }

    /// What to do about it.
    pub(crate) fn help(&self) -> Option<&str> {
        match self {
            InputError::Usage { help, .. } => help.as_deref(),
            InputError::Load(LoadError::Read { .. }) => {
                Some("name the file, or make one to start from: `hypotheke demo --write FOLDER`")
            }
            InputError::Load(LoadError::Save { error, .. }) => match error {
                SaveError::Edited { .. } => Some("if it was edited on purpose: `--edited`"),
                SaveError::OtherRuleset { .. } => Some(
                    "name the ruleset by which it was played: `--rules FILE`; or carry it over: `hypotheke migrate SAVE`",
                ),
                SaveError::Newer { .. } => Some("it takes a later version of hypotheke"),
                SaveError::Damaged { .. } | SaveError::Binary { .. } | SaveError::Json { .. } | SaveError::Empty => {
                    Some("an earlier save of the same world may be whole")
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
        .map_err(|error| InputError::usage(format!("can't read standard input: {error}"), None))?;
    Ok(bytes)
}

pub(crate) fn load_rules(path: &Path) -> Result<Ruleset, InputError> {
    if is_standard_input(path) {
        let table =
            |name: &str| std::fs::read(name).map(|bytes| (name.to_owned(), bytes)).map_err(|error| error.to_string());
        return Ok(Ruleset::from_bytes("<stdin>", standard_input()?, table)?);
    }
    Ok(Ruleset::load(path)?)
}

/// Whether a file begins as a save does, or is called as one is.
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

/// A save and its ruleset. One that has departed is brought into a world that has nothing else.
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
        return Err(InputError::usage(format!("it can't arrive: {}", world.explain(&refusal)), None));
    }
    Ok(world)
}

/// The number of a world from which no stack comes.
const NO_WORLD: u32 = 0xff_fffe;

/// A sort of file that is looked for in folders.
struct Sort {
    /// The folder beside the ruleset, and what files end in.
    folder: &'static str,
    extension: &'static str,
    /// Such as `scenario`, `scenario file` and `scenario files`.
    names: [&'static str; 3],
    command: &'static str,
}

/// The scenario files that the command line names, folders looked through, in order of their paths.
pub(crate) fn scenario_paths(named: &[PathBuf], rules: &Path) -> Result<Vec<PathBuf>, InputError> {
    let sort = Sort {
        folder: "scenarios",
        extension: "scenario",
        names: ["scenario", "scenario file", "scenario files"],
        command: "verify",
    };
    paths(named, rules, &sort)
}

/// The files of claims likewise.
pub(crate) fn claims_paths(named: &[PathBuf], rules: &Path) -> Result<Vec<PathBuf>, InputError> {
    let sort = Sort {
        folder: "claims",
        extension: "claims",
        names: ["file of claims", "file of claims", "files of claims"],
        command: "explore",
    };
    paths(named, rules, &sort)
}

fn paths(named: &[PathBuf], rules: &Path, sort: &Sort) -> Result<Vec<PathBuf>, InputError> {
    let Sort { folder, extension, names: [one, file, several], command } = sort;
    let beside = rules.parent().unwrap_or(Path::new("")).join(folder);
    let named = if named.is_empty() {
        if !beside.is_dir() {
            let message = format!("no {one} is named, and there is no folder `{}`", beside.display());
            let help = format!("name {several} or a folder: `hypotheke {command} FILE`");
            return Err(InputError::usage(message, Some(&help)));
        }
        vec![beside]
    } else {
        named.to_vec()
    };
    let mut found = Vec::new();
    for path in named {
        if path.is_dir() {
            let before = found.len();
            look_through(&path, extension, &mut found)?;
            found[before..].sort();
            if found.len() == before {
                let message = format!("there is no {file} in the folder `{}`", path.display());
                return Err(InputError::usage(message, Some(&format!("{several} end in `.{extension}`"))));
            }
        } else {
            found.push(path);
        }
    }
    let mut seen = std::collections::BTreeSet::new();
    found.retain(|path| seen.insert(path.clone()));
    Ok(found)
}

fn look_through(folder: &Path, extension: &str, found: &mut Vec<PathBuf>) -> Result<(), InputError> {
    let unreadable = |error: std::io::Error| {
        InputError::usage(format!("can't read the folder `{}`: {error}", folder.display()), None)
    };
    for entry in std::fs::read_dir(folder).map_err(unreadable)? {
        let entry = entry.map_err(unreadable)?;
        let path = entry.path();
        // A link to a folder is not followed, so that no circle of links is.
        let is_folder = entry.file_type().map_err(unreadable)?.is_dir();
        if is_folder {
            look_through(&path, extension, found)?;
        } else if path.extension().is_some_and(|it| it == extension) {
            found.push(path);
        }
    }
    Ok(())
}

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

/// The saves in the folder `saves` beside a ruleset, in order of their paths; none if there is no such folder.
pub(crate) fn saves_beside(rules: &Path) -> Result<Vec<PathBuf>, InputError> {
    let folder = rules.parent().unwrap_or(Path::new("")).join("saves");
    if !folder.is_dir() {
        return Ok(Vec::new());
    }
    let unreadable = |error: std::io::Error| {
        InputError::usage(format!("can't read the folder `{}`: {error}", folder.display()), None)
    };
    let mut found = Vec::new();
    for entry in std::fs::read_dir(&folder).map_err(unreadable)? {
        let path = entry.map_err(unreadable)?.path();
        if path.is_file() && is_save(&path) {
            found.push(path);
        }
    }
    found.sort();
    Ok(found)
}

/// As many threads as are requested, or as there are cores.
pub(crate) fn threads(requested: Option<NonZeroUsize>) -> NonZeroUsize {
    requested.or_else(|| std::thread::available_parallelism().ok()).unwrap_or(NonZeroUsize::MIN)
}

/// Writes a file whole or not at all: the old one is there until the new one is.
pub(crate) fn replace(path: &Path, bytes: &[u8]) -> Result<(), InputError> {
    let file = written_beside(path, bytes)?;
    file.as_file().set_permissions(std::fs::metadata(path)?.permissions())?;
    file.persist(path).map_err(|error| error.error)?;
    Ok(())
}

/// Writes a file, whole or not at all, that is not there yet.
pub(crate) fn write_new(path: &Path, bytes: &[u8]) -> Result<(), InputError> {
    written_beside(path, bytes)?.persist_noclobber(path).map_err(|error| {
        let there = error.error.kind() == std::io::ErrorKind::AlreadyExists;
        let cause = if there { "it is there already".to_owned() } else { error.error.to_string() };
        let message = format!("`{}` can't be written: {cause}", path.display());
        InputError::usage(message, there.then_some("name a file that is not there yet"))
    })?;
    Ok(())
}

/// Writes a file in the place of another, which is kept under another name.
pub(crate) fn keep_and_replace(path: &Path, kept: &Path, bytes: &[u8]) -> Result<(), InputError> {
    let before = std::fs::read(path)?;
    if std::fs::read(kept).ok().as_ref() != Some(&before) {
        write_new(kept, &before)?;
    }
    replace(path, bytes)
}

fn written_beside(path: &Path, bytes: &[u8]) -> Result<tempfile::NamedTempFile, InputError> {
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let mut file = tempfile::NamedTempFile::new_in(folder)?;
    file.write_all(bytes)?;
    file.as_file().sync_all()?;
    Ok(file)
}
