//! The command `hypotheke`. All it does is in the library; here are arguments, files and drawing.

mod args;
mod clean;
mod commands;
mod demo_files;
mod files;
mod findings;
mod formats;
mod render;

use std::process::ExitCode;

fn main() -> ExitCode {
    commands::run()
}
