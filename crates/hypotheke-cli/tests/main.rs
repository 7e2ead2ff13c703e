//! The command as a user runs it.

#![allow(clippy::expect_used, clippy::unwrap_used, clippy::panic, reason = "in a test, a panic fails the test")]

mod commands;
mod documents;
mod drawing;
mod explore;
mod input;
mod play;
mod report;
mod rule_keys;
mod rulesets;
mod save_checks;
mod saves;
mod scenarios;
mod schemas;

use std::path::{Path, PathBuf};

use snapbox::Data;
use snapbox::cmd::{Command, cargo_bin};

/// The command, run where `folder` is, with nothing of the surroundings that could change its
/// answer.
fn hypotheke(folder: &Path) -> Command {
    let mut command = Command::new(cargo_bin!("hypotheke")).current_dir(folder);
    for name in ["NO_COLOR", "CLICOLOR_FORCE", "COLUMNS"] {
        command = command.env_remove(name);
    }
    command
}

/// What a command is expected to print. `SNAPSHOTS=overwrite cargo test` accepts what it prints
/// now.
fn golden(name: &str) -> Data {
    Data::read_from(&PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("tests/golden").join(name), None)
}

/// A folder with the demo's files.
fn traverse() -> tempfile::TempDir {
    let folder = tempfile::tempdir().expect("a folder");
    hypotheke(folder.path()).args(["demo", "--output", "traverse"]).assert().success();
    folder
}

/// The earlier rules of the demo, but that they refuse what they do not know.
fn write_refusing_rules(demo: &Path) {
    let earlier = std::fs::read_to_string(demo.join("earlier/rules-2.toml")).expect("the earlier rules");
    let refusing = format!("{earlier}\n[migration]\nunknown-kinds = \"refuse\"\n");
    std::fs::write(demo.join("earlier/refusing.toml"), refusing).expect("written");
}

/// The standard output of a command that is expected to end with a status.
fn output(command: Command, status: i32) -> String {
    let output = command.assert().code(status).get_output().clone();
    String::from_utf8(output.stdout).expect("text")
}
