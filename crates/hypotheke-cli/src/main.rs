//! The command `hypotheke`: arguments, files and drawings. The library does the work.

mod args;
mod clean;
mod commands;
mod demo_files;
mod files;
mod findings;
mod formats;
mod inputs;
mod play;
mod render;

use std::process::ExitCode;

fn main() -> ExitCode {
    commands::run()
}
