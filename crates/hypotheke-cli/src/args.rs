//! The command line.

use std::path::PathBuf;

use clap::{ColorChoice, Parser, Subcommand, ValueEnum};
use clap_complete::Shell;

const EXAMPLES: &str = "\
Examples:
  hypotheke demo                          see what it does, on data that is built in
  hypotheke demo --write traverse         write that data to a folder, to start from
  hypotheke check rules.toml              find everything that is wrong with a ruleset
  hypotheke show rules.toml               see containers and kinds as they are understood
  hypotheke verify scenarios              play all scenarios of a folder by ./rules.toml
  hypotheke ask 'drop 1 flare from sled'  what would come of it, and what stands in the way

Exit status: 0 good, 1 a verification failed, 2 wrong usage or bad input.";

/// Write down how a game's inventories work, and verify that every sequence of operations keeps the rules.
#[derive(Debug, Parser)]
#[command(name = "hypotheke", version, after_help = EXAMPLES, arg_required_else_help = true, max_term_width = 100)]
pub(crate) struct Args {
    #[command(subcommand)]
    pub(crate) command: Option<Command>,

    /// How the answer is written
    #[arg(long, value_enum, default_value_t = Format::Text, global = true)]
    pub(crate) format: Format,

    /// When to use colour; NO_COLOR is respected
    #[arg(long, value_enum, default_value_t = ColorChoice::Auto, global = true, value_name = "WHEN")]
    pub(crate) color: ColorChoice,

    /// Print completions for a shell and exit
    #[arg(long, value_enum, value_name = "SHELL", exclusive = true)]
    pub(crate) completions: Option<Shell>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Format {
    /// For people
    Text,
    /// For programs
    Json,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// See the whole story on a ruleset that is built in
    #[command(after_help = "Examples:\n  hypotheke demo\n  hypotheke demo --write traverse")]
    Demo {
        /// Write the demo's files to this folder instead, to start from
        #[arg(long, value_name = "FOLDER")]
        write: Option<PathBuf>,
    },

    /// Find everything that is wrong with a ruleset, and what is probably not meant
    #[command(
        after_help = "Examples:\n  hypotheke check\n  hypotheke check my/rules.toml\n  cat rules.toml | hypotheke check -"
    )]
    Check {
        /// The ruleset; `-` reads it from standard input
        #[arg(default_value = "rules.toml")]
        rules: PathBuf,
    },

    /// Draw containers with what lies in them at the start, and list the kinds
    #[command(
        after_help = "Examples:\n  hypotheke show\n  hypotheke show rules.toml sled surveyor.pockets\n  hypotheke show --part kinds"
    )]
    Show {
        /// The ruleset; `-` reads it from standard input
        #[arg(default_value = "rules.toml")]
        rules: PathBuf,

        /// Only these containers or holders
        #[arg(value_name = "PLACE")]
        places: Vec<String>,

        /// Only one part
        #[arg(long, value_enum, conflicts_with = "places")]
        part: Option<Part>,
    },

    /// Ask what would come of an operation, and what stands in its way
    #[command(
        after_help = "Examples:\n  hypotheke ask 'move 3 fuel-drum from depot to sled'\n  hypotheke ask 'surveyor lifts 2 from depot/0' --after 'driver opens depot'"
    )]
    Ask {
        /// The operation, as a scenario writes it
        #[arg(value_name = "OPERATION")]
        question: String,

        /// What has happened before, from the start of the ruleset on; may be given several times
        #[arg(long, value_name = "OPERATION")]
        after: Vec<String>,

        /// The ruleset; `-` reads it from standard input
        #[arg(long, default_value = "rules.toml")]
        rules: PathBuf,
    },

    /// Play scenarios and say which hold
    #[command(
        after_help = "Examples:\n  hypotheke verify\n  hypotheke verify scenarios/sled.scenario --steps\n  hypotheke verify tests --rules my/rules.toml --format json"
    )]
    Verify {
        /// Scenario files, or folders of them; `-` reads one from standard input [default: the folder `scenarios` beside
        /// the ruleset]
        #[arg(value_name = "FILE")]
        files: Vec<PathBuf>,

        /// The ruleset
        #[arg(long, default_value = "rules.toml")]
        rules: PathBuf,

        /// Tell every step with its answer and what changed
        #[arg(long)]
        steps: bool,
    },
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Part {
    /// Containers and holders
    Containers,
    /// Item kinds
    Kinds,
}
