//! The files and folders of the command line, known by what they are, and the ruleset that they
//! belong to.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use hypotheke::explore::ClaimsFile;
use hypotheke::save::{Save, Trust};
use hypotheke::text::system_cause;
use hypotheke::{Ruleset, ScenarioFile};

use crate::files::{InputError, is_save, is_standard_input};

/// The name of a ruleset that a folder uses without naming it.
const RULES: &str = "rules.toml";

/// What a file is, by its suffix or its first bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum FileKind {
    Ruleset,
    Scenario,
    Claims,
    Save,
}

impl FileKind {
    const ALL: [(&'static str, FileKind); 5] = [
        ("toml", FileKind::Ruleset),
        ("scenario", FileKind::Scenario),
        ("claims", FileKind::Claims),
        ("json", FileKind::Save),
        ("save", FileKind::Save),
    ];

    fn of_suffix(path: &Path) -> Option<FileKind> {
        let suffix = path.extension()?.to_str()?;
        FileKind::ALL.into_iter().find(|(known, _)| *known == suffix).map(|(_, kind)| kind)
    }

    fn of(path: &Path) -> Option<FileKind> {
        FileKind::of_suffix(path).or_else(|| is_save(path).then_some(FileKind::Save))
    }

    /// Its name in messages: one, and several.
    fn names(self) -> [&'static str; 2] {
        match self {
            FileKind::Ruleset => ["ruleset", "rulesets"],
            FileKind::Scenario => ["scenario file", "scenario files"],
            FileKind::Claims => ["claims file", "claims files"],
            FileKind::Save => ["save", "saves"],
        }
    }
}

/// What the command line names, sorted by kind.
#[derive(Clone, Debug, Default)]
pub(crate) struct Inputs {
    /// The words as given, for lines that can be pasted.
    pub(crate) given: Vec<String>,
    /// Rulesets that are named as files, in order.
    pub(crate) rulesets: Vec<PathBuf>,
    pub(crate) scenarios: Vec<PathBuf>,
    pub(crate) claims: Vec<PathBuf>,
    pub(crate) saves: Vec<PathBuf>,
    /// All other words: places and kinds.
    pub(crate) words: Vec<String>,
    /// The first save that is named as a file.
    pub(crate) named_save: Option<PathBuf>,
    /// Folders that are named, or the present one.
    folders: Vec<PathBuf>,
    /// The ruleset of `--rules`.
    chosen: Option<PathBuf>,
}

impl Inputs {
    /// Sorts the words of the command line. `-` is of the kind that the command reads from standard
    /// input. Words that are no files are errors unless the command takes places or kinds.
    pub(crate) fn new(
        given: &[String],
        chosen: Option<&Path>,
        standard_input: FileKind,
        takes_words: bool,
    ) -> Result<Inputs, InputError> {
        let mut inputs = Inputs { given: given.to_vec(), chosen: chosen.map(Path::to_owned), ..Inputs::default() };
        for word in given {
            let path = PathBuf::from(word);
            if is_standard_input(&path) {
                inputs.add(standard_input, path);
            } else if path.is_dir() {
                inputs.folders.push(path);
            } else if let Some(kind) = FileKind::of(&path) {
                inputs.add(kind, path);
            } else if path.exists() && !path.is_file() {
                let help = "Name a ruleset, scenario, claims or save file, or a folder";
                return Err(InputError::usage(format!("`{}` is not a file", path.display()), Some(help)));
            } else if path.exists() {
                let message = format!("the kind of the file `{}` is unknown", path.display());
                let help = "Name a ruleset (`.toml`), `.scenario`, `.claims` or save (`.json`) file, or a folder";
                return Err(InputError::usage(message, Some(help)));
            } else if takes_words {
                inputs.words.push(word.clone());
            } else {
                let message = format!("`{}` does not exist", path.display());
                return Err(InputError::usage(message, Some("Name an existing file or folder")));
            }
        }
        inputs.named_save = inputs.saves.first().cloned();
        let names_files = !(inputs.rulesets.is_empty()
            && inputs.scenarios.is_empty()
            && inputs.claims.is_empty()
            && inputs.saves.is_empty()
            && inputs.folders.is_empty());
        if !names_files {
            inputs.folders.push(inputs.chosen.as_deref().map_or_else(|| PathBuf::from("."), folder_of));
        }
        for folder in inputs.folders.clone() {
            inputs.read_folder(&folder, true)?;
        }
        // A ruleset stands for everything in its folder, unless files are named too.
        let only_rules = inputs.folders.is_empty()
            && inputs.scenarios.is_empty()
            && inputs.claims.is_empty()
            && inputs.saves.is_empty();
        if let ([ruleset], true) = (&inputs.rulesets[..], only_rules)
            && !is_standard_input(ruleset)
        {
            let folder = folder_of(ruleset);
            inputs.read_folder(&folder, true)?;
        }
        for files in [&mut inputs.scenarios, &mut inputs.claims, &mut inputs.saves] {
            let mut seen = BTreeSet::new();
            files.retain(|path| seen.insert(path.clone()));
        }
        Ok(inputs)
    }

    fn add(&mut self, kind: FileKind, path: PathBuf) {
        match kind {
            FileKind::Ruleset => self.rulesets.push(path),
            FileKind::Scenario => self.scenarios.push(path),
            FileKind::Claims => self.claims.push(path),
            FileKind::Save => self.saves.push(path),
        }
    }

    /// Adds the files of a folder and of the folders in it, in order of their paths. A folder in it
    /// with a ruleset is left out: its files belong to that ruleset.
    fn read_folder(&mut self, folder: &Path, is_named: bool) -> Result<(), InputError> {
        let mut entries = Vec::new();
        for entry in std::fs::read_dir(folder).map_err(|error| unreadable(folder, &error))? {
            let entry = entry.map_err(|error| unreadable(folder, &error))?;
            // Links to folders are not followed: they could form a circle.
            entries.push((entry.path(), entry.file_type().map_err(|error| unreadable(folder, &error))?.is_dir()));
        }
        entries.sort();
        let is_rules = |path: &Path| FileKind::of_suffix(path) == Some(FileKind::Ruleset);
        if !is_named && entries.iter().any(|(path, is_folder)| !is_folder && is_rules(path)) {
            return Ok(());
        }
        for (path, is_folder) in entries {
            let is_hidden = path.file_name().is_some_and(|name| name.as_encoded_bytes().starts_with(b"."));
            let path = if folder == Path::new(".") { path.strip_prefix(".").unwrap_or(&path).to_owned() } else { path };
            match FileKind::of_suffix(&path) {
                _ if is_hidden => {}
                _ if is_folder => self.read_folder(&path, false)?,
                None | Some(FileKind::Ruleset) => {}
                // A JSON file in a folder is a save only if it begins as one.
                Some(FileKind::Save) if !begins_as_save(&path) => {}
                Some(kind) => self.add(kind, path),
            }
        }
        Ok(())
    }

    /// The ruleset that all files belong to.
    pub(crate) fn ruleset(&self) -> Result<PathBuf, InputError> {
        if let Some(chosen) = &self.chosen {
            return Ok(chosen.clone());
        }
        let mut found: Vec<PathBuf> = self.rulesets.clone();
        if found.is_empty() {
            for folder in &self.folders {
                found.extend(self.ruleset_of_folder(folder)?);
            }
            let texts = self.scenarios.iter().chain(&self.claims);
            for path in texts.filter(|path| !is_standard_input(path)) {
                found.extend(named_ruleset(path)?.or_else(|| nearest(&folder_of(path))));
            }
            if self.folders.is_empty() {
                // A save in a folder may wait to be migrated: only a named one chooses the ruleset.
                found.extend(self.saves.iter().filter_map(|path| ruleset_of_save(path)));
                if found.is_empty() {
                    found.extend(nearest(Path::new(".")));
                }
            }
        }
        let mut different: Vec<PathBuf> = Vec::new();
        for path in found {
            if !different.iter().any(|known| same_file(known, &path)) {
                different.push(path);
            }
        }
        match &different[..] {
            [only] => Ok(only.clone()),
            [] => {
                let help =
                    "Name a ruleset, such as `rules.toml`, or start from the demo: `hypotheke demo --output FOLDER`";
                Err(InputError::usage(
                    "no ruleset found: there is no `rules.toml` here or in a folder above",
                    Some(help),
                ))
            }
            several => {
                let names: Vec<String> = several.iter().map(|path| format!("`{}`", path.display())).collect();
                let message = format!("the files belong to several rulesets: {}", names.join(", "));
                Err(InputError::usage(message, Some("Run the command for each, or choose one with `--rules FILE`")))
            }
        }
    }

    /// The ruleset that saves migrate to without a named one: `rules.toml` of the nearest folder.
    pub(crate) fn next_ruleset(&self) -> Result<Vec<PathBuf>, InputError> {
        let mut found: Vec<PathBuf> = Vec::new();
        for path in self.saves.iter().filter_map(|path| nearest(&folder_of(path))) {
            if !found.iter().any(|known| same_file(known, &path)) {
                found.push(path);
            }
        }
        match found.len() {
            1 => Ok(found),
            0 => Err(InputError::usage("no ruleset found for the saves", Some("Name the ruleset to migrate to"))),
            _ => Err(InputError::usage("the saves have several rulesets", Some("Name the ruleset to migrate to"))),
        }
    }

    /// `rules.toml` of a folder, its only ruleset, or `rules.toml` of the nearest folder above.
    fn ruleset_of_folder(&self, folder: &Path) -> Result<Option<PathBuf>, InputError> {
        let own = at(folder, RULES);
        if own.is_file() {
            return Ok(Some(own));
        }
        // The files of the folder may name it.
        let texts = self.scenarios.iter().chain(&self.claims).filter(|path| path.starts_with(folder));
        for path in texts {
            if let Some(named) = named_ruleset(path)? {
                return Ok(Some(named));
            }
        }
        let entries = std::fs::read_dir(folder).map_err(|error| unreadable(folder, &error))?;
        let mut rulesets: Vec<PathBuf> = entries
            .filter_map(|entry| Some(at(folder, entry.ok()?.file_name().to_str()?)))
            .filter(|path| path.is_file() && FileKind::of_suffix(path) == Some(FileKind::Ruleset))
            .collect();
        rulesets.sort();
        match rulesets.len() {
            0 => Ok(nearest(folder)),
            1 => Ok(rulesets.pop()),
            _ => {
                let names: Vec<String> = rulesets.iter().map(|path| format!("`{}`", path.display())).collect();
                let message = format!("the folder `{}` has several rulesets: {}", folder.display(), names.join(", "));
                Err(InputError::usage(message, Some("Name one of them, or choose it with `--rules FILE`")))
            }
        }
    }

    /// Fails if there is no file of a kind.
    pub(crate) fn require(&self, kind: FileKind) -> Result<(), InputError> {
        let is_missing = match kind {
            FileKind::Ruleset => self.rulesets.is_empty(),
            FileKind::Scenario => self.scenarios.is_empty(),
            FileKind::Claims => self.claims.is_empty(),
            FileKind::Save => self.saves.is_empty(),
        };
        if !is_missing {
            return Ok(());
        }
        let [one, several] = kind.names();
        let folder = self.folders.first().cloned().or_else(|| self.rulesets.first().map(|path| folder_of(path)));
        let folder = folder.unwrap_or_else(|| PathBuf::from("."));
        let shown = if folder == Path::new(".") { "this folder".to_owned() } else { format!("`{}`", folder.display()) };
        Err(InputError::usage(format!("{shown} has no {one}"), Some(&format!("Name {several} or a folder with them"))))
    }

    /// Fails if a word is a file and also a place or a kind.
    pub(crate) fn check_words(&self, rules: &Ruleset) -> Result<(), InputError> {
        for word in self.given.iter().filter(|word| !word.contains(['/', '\\', '.'])) {
            let is_name = rules.find_container(word).is_some()
                || rules.holders().iter().any(|def| def.instances().any(|name| name == word))
                || rules.find_kind(word).is_some();
            if is_name && !self.words.contains(word) {
                let message = format!("`{word}` is both a file and a name of the ruleset");
                return Err(InputError::usage(message, Some(&format!("Write `./{word}` for the file"))));
            }
        }
        Ok(())
    }

    /// The words as given, quoted for a shell: for lines that can be pasted.
    pub(crate) fn pasted(&self) -> String {
        let mut words: Vec<String> = self.given.iter().map(|word| quoted(word)).collect();
        if let Some(chosen) = &self.chosen {
            words.push(format!("--rules {}", quoted(&chosen.display().to_string())));
        }
        words.iter().map(|word| format!(" {word}")).collect()
    }
}

/// A word in quotes, if a shell would change it.
pub(crate) fn quoted(word: &str) -> String {
    let is_plain = |c: char| c.is_alphanumeric() || "-_./:@%+=,".contains(c);
    if !word.is_empty() && word.chars().all(is_plain) {
        word.to_owned()
    } else {
        format!("'{}'", word.replace('\'', r"'\''"))
    }
}

fn unreadable(folder: &Path, error: &std::io::Error) -> InputError {
    InputError::usage(format!("cannot read the folder `{}`: {}", folder.display(), system_cause(error)), None)
}

fn folder_of(path: &Path) -> PathBuf {
    match path.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent.to_owned(),
        _ => PathBuf::from("."),
    }
}

fn at(folder: &Path, name: &str) -> PathBuf {
    if folder == Path::new(".") { PathBuf::from(name) } else { folder.join(name) }
}

fn same_file(one: &Path, other: &Path) -> bool {
    one == other || std::fs::canonicalize(one).ok().is_some_and(|one| std::fs::canonicalize(other).ok() == Some(one))
}

/// `rules.toml` in a folder or in the nearest folder above it.
fn nearest(folder: &Path) -> Option<PathBuf> {
    let own = at(folder, RULES);
    if own.is_file() {
        return Some(own);
    }
    let whole = std::fs::canonicalize(folder).ok()?;
    // The shortest spelling: as many steps upward from the folder as given.
    let above = whole.ancestors().skip(1).zip(1..);
    let steps = above.into_iter().find(|(folder, _)| folder.join(RULES).is_file()).map(|(_, steps)| steps)?;
    let mut path = if folder == Path::new(".") { PathBuf::new() } else { folder.to_owned() };
    for _ in 0..steps {
        if path.file_name().is_none() || !path.pop() {
            path.push("..");
        }
    }
    Some(path.join(RULES))
}

/// The ruleset that the first line of a scenario or claims file names.
fn named_ruleset(path: &Path) -> Result<Option<PathBuf>, InputError> {
    // Few files name one: only those are read to the end here.
    let begins = |line: &str| line.trim_start().starts_with("ruleset ");
    if !std::fs::read_to_string(path).is_ok_and(|text| text.lines().any(begins)) {
        return Ok(None);
    }
    let named = match FileKind::of_suffix(path) {
        Some(FileKind::Claims) => ClaimsFile::load(path).ok().and_then(|file| Some(file.ruleset()?.to_owned())),
        _ => ScenarioFile::load(path).ok().and_then(|file| Some(file.ruleset()?.to_owned())),
    };
    let Some(named) = named else { return Ok(None) };
    // `earlier/../rules.toml` is shorter as `rules.toml`.
    let mut joined = path.parent().unwrap_or(Path::new("")).to_owned();
    for part in Path::new(&named).components() {
        match part {
            std::path::Component::ParentDir if joined.file_name().is_some() => drop(joined.pop()),
            std::path::Component::CurDir => {}
            part => joined.push(part),
        }
    }
    if joined.is_file() {
        return Ok(Some(joined));
    }
    let message = format!("`{}` names the ruleset `{named}`, which does not exist", path.display());
    Err(InputError::usage(message, Some("Correct its line `ruleset`, relative to the folder of the file")))
}

fn begins_as_save(path: &Path) -> bool {
    // A save says its format, its ruleset and its counters; a schema or a report does not.
    Save::load(path, Trust::AllowEdited).is_ok()
        || std::fs::read(path).is_ok_and(|bytes| {
            serde_json::from_slice::<serde_json::Value>(&bytes)
                .ok()
                .is_some_and(|value| value.get("counters").is_some())
        })
}

/// The ruleset of a save: `rules.toml` of the nearest folder if the save is of it; else the only
/// ruleset in or below that folder that the save is of; else `rules.toml`, which a migration may
/// lead to.
fn ruleset_of_save(path: &Path) -> Option<PathBuf> {
    let nearest = nearest(&folder_of(path));
    let wanted = Save::load(path, Trust::AllowEdited).ok()?.rules().fingerprint.clone();
    let is_of = |path: &Path| Ruleset::load(path).is_ok_and(|rules| rules.fingerprint() == wanted);
    let rules = nearest?;
    if is_of(&rules) {
        return Some(rules);
    }
    let mut all = Vec::new();
    collect_rulesets(&folder_of(&rules), 3, &mut all);
    let mut fitting = all.into_iter().filter(|path| is_of(path));
    match (fitting.next(), fitting.next()) {
        (Some(only), None) => Some(only),
        _ => Some(rules),
    }
}

fn collect_rulesets(folder: &Path, depth: usize, found: &mut Vec<PathBuf>) {
    let Ok(entries) = std::fs::read_dir(folder) else { return };
    let mut names: Vec<_> = entries.filter_map(|entry| entry.ok()?.file_name().into_string().ok()).collect();
    names.sort();
    for name in names.into_iter().filter(|name| !name.starts_with('.')) {
        let path = at(folder, &name);
        if path.is_dir() && depth > 0 {
            collect_rulesets(&path, depth - 1, found);
        } else if FileKind::of_suffix(&path) == Some(FileKind::Ruleset) {
            found.push(path);
        }
    }
}
