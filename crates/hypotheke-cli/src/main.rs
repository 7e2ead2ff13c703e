//! The command `hypotheke`. All it does is in the library; here are arguments, files and drawing.

mod args;
mod commands;
mod demo_files;
mod files;
mod formats;
mod render;

use std::process::ExitCode;

fn main() -> ExitCode {
    commands::run()
}
