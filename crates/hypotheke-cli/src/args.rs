//! The command line.

use std::fmt::Display;
use std::num::NonZeroUsize;
use std::path::PathBuf;
use std::str::FromStr;

use clap::{Args, ColorChoice, Parser, Subcommand, ValueEnum};
use clap_complete::Shell;

use crate::formats::schema::SchemaOf;

const EXAMPLES: &str = "\
Examples:
  hypotheke demo                          show what it does, with built-in data
  hypotheke demo --output traverse        write that data to a folder
  hypotheke new camp                      write a minimal ruleset to start from
  hypotheke check traverse                check a ruleset for errors and likely mistakes
  hypotheke show traverse sled            draw a container
  hypotheke verify traverse               run all scenarios of a folder
  hypotheke fits traverse                 show which kinds fit into which slots
  hypotheke coverage traverse             list the rules that no scenario tests
  hypotheke compare old.toml rules.toml   list the differences in meaning
  hypotheke explore traverse/loopholes    search for states that violate a claim
  hypotheke test-saves traverse           test that saves lose and duplicate nothing
  hypotheke migrate saves/autumn.json     migrate a save to the present ruleset
  hypotheke play traverse                 play by hand, in a terminal
  hypotheke report --to report.html       write one page with all verdicts
  hypotheke fmt traverse                  format scenario files
  hypotheke ask 'drop 1 flare from sled'  try one operation, and list every reason against it

Exit status: 0 ok, 1 a verification failed, 2 wrong usage or bad input, 3 a search stopped early.";

/// Errors of usage have the colour of all other errors.
fn styles() -> clap::builder::Styles {
    let error = anstyle::Style::new().fg_color(Some(anstyle::AnsiColor::BrightRed.into())).bold();
    clap::builder::Styles::styled().error(error)
}

/// Write the rules of a game's inventories, and verify that every sequence of operations keeps
/// them.
#[derive(Debug, Parser)]
#[command(name = "hypotheke", version, after_help = EXAMPLES, arg_required_else_help = true, max_term_width = 100, styles = styles())]
pub(crate) struct Cli {
    #[command(subcommand)]
    pub(crate) command: Option<Command>,

    /// Output format
    #[arg(long, value_enum, default_value_t = Format::Text, global = true)]
    pub(crate) format: Format,

    /// When to use colour; NO_COLOR is respected
    #[arg(long, value_enum, default_value_t = ColorChoice::Auto, global = true, value_name = "WHEN")]
    pub(crate) color: ColorChoice,

    /// Print the JSON Schema of a file or of an output, and exit
    #[arg(long, value_enum, value_name = "OF", exclusive = true)]
    pub(crate) schema: Option<SchemaOf>,

    /// Print completions for a shell, and exit
    #[arg(long, value_enum, value_name = "SHELL", exclusive = true)]
    pub(crate) completions: Option<Shell>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Format {
    /// For people
    Text,
    /// For programs
    Json,
    /// For continuous integration; `verify` only
    Junit,
    /// For spreadsheets; `fits` only
    Csv,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Show what hypotheke does, with built-in data
    #[command(after_help = "Examples:\n  hypotheke demo\n  hypotheke demo --output traverse")]
    Demo {
        /// Write the files of the demo to this folder instead
        #[arg(long, value_name = "FOLDER")]
        output: Option<PathBuf>,
    },

    /// Write a minimal ruleset with a scenario and a claim, to start from
    #[command(after_help = "Examples:\n  hypotheke new camp")]
    New {
        /// A new folder
        #[arg(value_name = "FOLDER")]
        folder: PathBuf,
    },

    /// Check a ruleset for errors and likely mistakes, or audit a save
    #[command(
        after_help = "Examples:\n  hypotheke check\n  hypotheke check my/rules.toml\n  cat rules.toml | hypotheke check -\n  hypotheke check saves/night.json\n\nExit status 1: the save violates a law."
    )]
    Check {
        /// A ruleset, a save or a folder; `-` reads a ruleset from standard input [default: this
        /// folder]
        #[arg(value_name = "FILE")]
        files: Vec<String>,

        #[command(flatten)]
        saved: SaveArgs,
    },

    /// Draw containers with their contents, at the start of a ruleset or in a save, and list the
    /// kinds
    #[command(
        after_help = "Examples:\n  hypotheke show\n  hypotheke show rules.toml sled surveyor.pockets\n  hypotheke show --part kinds\n  hypotheke show --part rules\n  hypotheke show saves/night.json sled\n  hypotheke show saves/night.json --away 600"
    )]
    Show {
        /// A ruleset, a save or a folder, and the containers and holders to draw; `-` reads a
        /// ruleset from standard input
        #[arg(value_name = "FILE|PLACE")]
        files: Vec<String>,

        /// Show only one part
        #[arg(long, value_enum)]
        part: Option<Part>,

        #[command(flatten)]
        saved: WorldArgs,
    },

    /// Try one operation without changing anything; list every reason against it
    #[command(
        after_help = "Examples:\n  hypotheke ask 'move 3 fuel-drum from depot to sled'\n  hypotheke ask 'surveyor lifts 2 from depot/0' --after 'driver opens depot'\n  hypotheke ask 'consume 1 flare from depot' --save saves/later.json"
    )]
    Ask {
        /// The operation, as a scenario writes it
        #[arg(value_name = "OPERATION")]
        question: String,

        /// A ruleset, a save or a folder; `-` reads a ruleset from standard input [default: this
        /// folder]
        #[arg(value_name = "FILE")]
        files: Vec<String>,

        /// Apply this operation first; may be given several times
        #[arg(long, value_name = "OPERATION")]
        after: Vec<String>,

        /// Write the world after the operation to this file, as a save
        #[arg(long, value_name = "FILE")]
        save: Option<PathBuf>,

        /// Replace the file of `--save` if it exists
        #[arg(long, requires = "save")]
        force: bool,

        #[command(flatten)]
        saved: WorldArgs,
    },

    /// Run scenarios and report which pass
    #[command(
        allow_negative_numbers = true,
        after_help = "Examples:\n  hypotheke verify\n  hypotheke verify scenarios/sled.scenario --steps\n  hypotheke verify --only 'the sled' --watch\n  hypotheke verify my --format junit > report.xml"
    )]
    Verify(VerifyArgs),

    /// Measure how well the scenarios test the rules: change each rule and see whether a scenario
    /// fails
    #[command(
        allow_negative_numbers = true,
        after_help = "Examples:\n  hypotheke coverage\n  hypotheke coverage --show-changes\n  hypotheke coverage my --format json\n\nExit status 1: a rule is untested."
    )]
    Coverage(CoverageArgs),

    /// Show which kinds fit into which slots, how many, and which rule limits or rejects them
    #[command(
        after_help = "Examples:\n  hypotheke fits\n  hypotheke fits rules.toml sled pockets\n  hypotheke fits --of fuel\n  hypotheke fits --by-tag\n  hypotheke fits --format csv > fits.csv"
    )]
    Fits(FitsArgs),

    /// List the differences in meaning between two rulesets, with the scenarios that change; or
    /// between two saves
    #[command(
        after_help = "Examples:\n  hypotheke compare old/rules.toml rules.toml\n  hypotheke compare saves/noon.json saves/night.json\n  hypotheke compare old/rules.toml rules.toml scenarios --format json\n\nExit status 1: a scenario that passed now fails."
    )]
    Compare(CompareArgs),

    /// Migrate saves to a different ruleset by its section `[migration]`, and list every difference
    #[command(
        after_help = "Examples:\n  hypotheke migrate saves/autumn.json\n  hypotheke migrate saves/autumn.json --in-place\n  hypotheke migrate saves/autumn.json earlier/rules-2.toml rules.toml\n\nExit status 1: the ruleset refuses a save."
    )]
    Migrate(MigrateArgs),

    /// Search every reachable state for one that violates a claim, shortest trace first
    #[command(
        allow_negative_numbers = true,
        after_help = "Examples:\n  hypotheke explore\n  hypotheke explore claims/sled.claims --depth 6\n  hypotheke explore loopholes/rules.toml\n  hypotheke explore --states 1000000 --time 60 --format json\n  hypotheke explore --walks 100000 --seed 7 --shard 2/8\n\nExit status 1: a claim is violated. Exit status 3: memory, time or an interrupt stopped the search early."
    )]
    Explore(ExploreArgs),

    /// Test that saves lose and duplicate nothing: at every step, in crashes, between two servers,
    /// in migrations
    #[command(
        allow_negative_numbers = true,
        after_help = "Examples:\n  hypotheke test-saves\n  hypotheke test-saves scenarios/sled.scenario\n  hypotheke test-saves earlier --next-rules rules.toml\n  hypotheke test-saves --joins 4 --faults 2 --time 600\n\nExit status 1: a test failed. Exit status 3: time, memory or an interrupt stopped it early."
    )]
    TestSaves(TestSavesArgs),

    /// Play by hand in a terminal: try operations, and keep them as a scenario
    #[command(
        after_help = "Examples:\n  hypotheke play\n  hypotheke play saves/night.json\n  hypotheke play counterexamples/sled-1.scenario"
    )]
    Play(PlayArgs),

    /// Verify everything, and write one file to send: a page, or a summary for a pull request
    #[command(
        allow_negative_numbers = true,
        after_help = "Examples:\n  hypotheke report --to report.html\n  hypotheke report my --to report.html --force\n  hypotheke report --to summary.md --against old/rules.toml\n\nExit status 1: a verification failed. Exit status 3: memory, time or an interrupt stopped a search early."
    )]
    Report(ReportArgs),

    /// Format scenario files; comments are kept
    #[command(
        after_help = "Examples:\n  hypotheke fmt\n  hypotheke fmt scenarios/sled.scenario\n  hypotheke fmt --check\n  cat sled.scenario | hypotheke fmt -"
    )]
    Fmt {
        /// Scenario files and folders; `-` reads one from standard input and writes it to standard
        /// output [default: this folder]
        #[arg(value_name = "FILE")]
        files: Vec<String>,

        /// Change nothing; list the files that would change, and exit with 1 if there are any
        #[arg(long)]
        check: bool,
    },
}

#[derive(Debug, Args)]
pub(crate) struct SaveArgs {
    /// The ruleset, if the files do not determine it
    #[arg(long, value_name = "FILE")]
    pub(crate) rules: Option<PathBuf>,

    /// Accept a save that was edited by hand
    #[arg(long)]
    pub(crate) allow_edited: bool,
}

#[derive(Debug, Args)]
pub(crate) struct WorldArgs {
    #[command(flatten)]
    pub(crate) save: SaveArgs,

    /// Let this number of ticks pass in the save first
    #[arg(long, value_name = "TICKS", value_parser = clap::value_parser!(u32).range(1..))]
    pub(crate) away: Option<u32>,
}

#[derive(Debug, Args)]
pub(crate) struct ExploreArgs {
    /// Claims files, rulesets and folders [default: this folder]
    #[arg(value_name = "FILE")]
    pub(crate) files: Vec<String>,

    /// The ruleset, if the files do not determine it
    #[arg(long, value_name = "FILE")]
    pub(crate) rules: Option<PathBuf>,

    /// Maximum number of operations from the start
    #[arg(long, value_name = "COUNT", value_parser = number::<u32>(0, u32::MAX))]
    pub(crate) depth: Option<u32>,

    /// Maximum number of states for each file
    #[arg(long, value_name = "COUNT", value_parser = number::<u64>(0, u64::MAX))]
    pub(crate) states: Option<u64>,

    /// Maximum memory for the states of each file
    #[arg(long, value_name = "MEGABYTES", default_value_t = 2_000, value_parser = number::<u64>(0, u64::MAX))]
    pub(crate) memory: u64,

    /// Maximum time in all
    #[arg(long, value_name = "SECONDS", value_parser = number::<u64>(0, u64::MAX))]
    pub(crate) time: Option<u64>,

    /// Disable symmetry reduction (same verdicts, more states)
    #[arg(long)]
    pub(crate) no_symmetry: bool,

    /// Run this number of random walks instead of a search; violations are minimized
    #[arg(long, value_name = "COUNT", conflicts_with_all = ["depth", "states", "no_symmetry"], value_parser = number::<u64>(0, u64::MAX))]
    pub(crate) walks: Option<u64>,

    /// Number of operations of a walk
    #[arg(long, value_name = "COUNT", default_value_t = 50, requires = "walks", value_parser = number::<u32>(0, u32::MAX))]
    pub(crate) steps: u32,

    /// Seed of the walks
    #[arg(long, value_name = "NUMBER", default_value_t = 0, requires = "walks", value_parser = number::<u64>(0, u64::MAX))]
    pub(crate) seed: u64,

    /// Run only one part of the walks, such as 2/8, so that several machines can share them
    #[arg(long, value_name = "PART/PARTS", value_parser = shard, requires = "walks")]
    pub(crate) shard: Option<(u64, u64)>,

    /// Number of threads [default: the number of cores]
    #[arg(long, value_name = "COUNT", value_parser = number::<NonZeroUsize>(NonZeroUsize::MIN, NonZeroUsize::MAX))]
    pub(crate) threads: Option<NonZeroUsize>,

    /// Also search all interleavings of this number of concurrent requests from each holder, with
    /// stale, repeated and lost messages
    #[arg(long, value_name = "COUNT", conflicts_with = "walks", value_parser = number::<u32>(1, 4))]
    pub(crate) concurrent_requests: Option<u32>,

    /// Maximum number of network steps of the interleavings: sending, arrival, sending again
    /// [default: 200000]
    #[arg(long, value_name = "COUNT", requires = "concurrent_requests", conflicts_with = "walks", value_parser = number::<u64>(1, u64::MAX))]
    pub(crate) network_steps: Option<u64>,

    /// Draw states by depth and refusals by reason to this file
    #[arg(long, value_name = "FILE.svg")]
    pub(crate) chart: Option<PathBuf>,

    /// Combine the JSON outputs of the parts of a run; the result is that of one run
    #[arg(long, value_name = "FILE.json", num_args = 1.., conflicts_with_all = ["files", "walks", "depth", "states", "concurrent_requests", "network_steps", "output"])]
    pub(crate) combine: Vec<PathBuf>,

    /// Write each counterexample to this folder, as a scenario that fails until the rules are fixed
    #[arg(long, value_name = "FOLDER")]
    pub(crate) output: Option<PathBuf>,

    /// Exit with 0 even if memory, time or an interrupt stopped the search
    #[arg(long)]
    pub(crate) accept_partial: bool,
}

#[derive(Debug, Args)]
pub(crate) struct PlayArgs {
    /// A ruleset or a folder, a save, or a scenario to go through step by step [default: this
    /// folder]
    #[arg(value_name = "FILE")]
    pub(crate) files: Vec<String>,

    /// The ruleset, if the files do not determine it
    #[arg(long, value_name = "FILE")]
    pub(crate) rules: Option<PathBuf>,

    /// The scenario with this text in its title, instead of the first one
    #[arg(long, value_name = "TEXT")]
    pub(crate) only: Option<String>,

    /// Accept a save that was edited by hand
    #[arg(long)]
    pub(crate) allow_edited: bool,
}

#[derive(Debug, Args)]
pub(crate) struct ReportArgs {
    /// A ruleset or a folder; scenario, claims and save files [default: this folder]
    #[arg(value_name = "FILE")]
    pub(crate) files: Vec<String>,

    /// The file to write: `.html` for a page, `.md` for a short summary
    #[arg(long, value_name = "FILE")]
    pub(crate) to: PathBuf,

    /// The ruleset, if the files do not determine it
    #[arg(long, value_name = "FILE")]
    pub(crate) rules: Option<PathBuf>,

    /// Also report the differences from this earlier ruleset
    #[arg(long, value_name = "OLD.toml")]
    pub(crate) against: Option<PathBuf>,

    /// Replace the file if it exists
    #[arg(long)]
    pub(crate) force: bool,

    /// Maximum memory for the states of each claims file
    #[arg(long, value_name = "MEGABYTES", default_value_t = 2_000, value_parser = number::<u64>(0, u64::MAX))]
    pub(crate) memory: u64,

    /// Maximum time of the searches in all
    #[arg(long, value_name = "SECONDS", value_parser = number::<u64>(0, u64::MAX))]
    pub(crate) time: Option<u64>,

    /// Number of threads [default: the number of cores]
    #[arg(long, value_name = "COUNT", value_parser = number::<NonZeroUsize>(NonZeroUsize::MIN, NonZeroUsize::MAX))]
    pub(crate) threads: Option<NonZeroUsize>,
}

/// Reads a whole number within bounds.
fn number<T>(min: T, max: T) -> impl Fn(&str) -> Result<T, String> + Clone
where
    T: FromStr + PartialOrd + Display + Copy,
{
    move |text| match text.parse() {
        Ok(number) if min <= number && number <= max => Ok(number),
        // Nobody reaches the end of the type.
        _ if max.to_string() == u64::MAX.to_string() => Err(format!("write a whole number of at least {min}")),
        _ => Err(format!("write a whole number from {min} to {max}")),
    }
}

/// `2/8`: the second of eight parts, counted from 0 inside.
fn shard(text: &str) -> Result<(u64, u64), String> {
    let parts = text.split_once('/').and_then(|(part, parts)| Some((part.parse().ok()?, parts.parse().ok()?)));
    match parts {
        Some((part, parts)) if (1..=parts).contains(&part) => Ok((part - 1, parts)),
        _ => Err("write a part such as `2/8`, from `1/8` to `8/8`".to_owned()),
    }
}

#[derive(Debug, Args)]
pub(crate) struct TestSavesArgs {
    /// Scenario files, saves, rulesets and folders [default: this folder]
    #[arg(value_name = "FILE")]
    pub(crate) files: Vec<String>,

    /// The ruleset, if the files do not determine it
    #[arg(long, value_name = "FILE")]
    pub(crate) rules: Option<PathBuf>,

    /// Migrate every save to this ruleset
    #[arg(long, value_name = "FILE")]
    pub(crate) next_rules: Option<PathBuf>,

    /// Maximum number of times that the player joins one of two servers
    #[arg(long, value_name = "COUNT", default_value_t = 3, value_parser = number::<u32>(1, 9))]
    pub(crate) joins: u32,

    /// Maximum number of times that the player puts an item into the world of a server or takes one
    #[arg(long, value_name = "COUNT", default_value_t = 1, value_parser = number::<u32>(0, 9))]
    pub(crate) item_moves: u32,

    /// Maximum number of faults of the store
    #[arg(long, value_name = "COUNT", default_value_t = 1, value_parser = number::<u32>(0, 9))]
    pub(crate) faults: u32,

    /// Maximum number of times that a lease expires
    #[arg(long, value_name = "COUNT", default_value_t = 1, value_parser = number::<u32>(0, 9))]
    pub(crate) lease_expiries: u32,

    /// Maximum number of states of the two servers
    #[arg(long, value_name = "COUNT", default_value_t = 500_000, value_parser = number::<u64>(0, u64::MAX))]
    pub(crate) states: u64,

    /// Maximum time for the two servers
    #[arg(long, value_name = "SECONDS", value_parser = number::<u64>(0, u64::MAX))]
    pub(crate) time: Option<u64>,

    /// Exit with 0 even if time or an interrupt stopped it
    #[arg(long)]
    pub(crate) accept_partial: bool,
}

#[derive(Debug, Args)]
pub(crate) struct MigrateArgs {
    /// Saves, and the rulesets to migrate them to, in order [default: `rules.toml` of the nearest
    /// folder]
    #[arg(value_name = "FILE", required = true)]
    pub(crate) files: Vec<String>,

    /// A ruleset to migrate to; may be given several times
    #[arg(long, value_name = "FILE")]
    pub(crate) rules: Vec<PathBuf>,

    /// Replace each save, with a backup beside it
    #[arg(long, conflicts_with = "output")]
    pub(crate) in_place: bool,

    /// Write to this new file
    #[arg(long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,

    /// Accept saves that were edited by hand
    #[arg(long)]
    pub(crate) allow_edited: bool,
}

#[derive(Debug, Args)]
pub(crate) struct CompareArgs {
    /// The old ruleset, or the old save
    pub(crate) old: PathBuf,

    /// The new ruleset, or the new save
    pub(crate) new: PathBuf,

    /// Accept saves that were edited by hand
    #[arg(long)]
    pub(crate) allow_edited: bool,

    /// Scenario files and folders [default: those of the new ruleset]
    #[arg(value_name = "FILE")]
    pub(crate) scenarios: Vec<String>,
}

#[derive(Debug, Args)]
pub(crate) struct FitsArgs {
    /// A ruleset or a folder, and the containers to show: `sled`, `driver.pockets`, or a kind with
    /// a pack for its inside; `-` reads a ruleset from standard input
    #[arg(value_name = "FILE|CONTAINER")]
    pub(crate) files: Vec<String>,

    /// The ruleset, if the files do not determine it
    #[arg(long, value_name = "FILE")]
    pub(crate) rules: Option<PathBuf>,

    /// Show only this kind, or the kinds with this tag
    #[arg(long, value_name = "KIND")]
    pub(crate) of: Option<String>,

    /// One row for each tag instead of each kind
    #[arg(long)]
    pub(crate) by_tag: bool,

    /// List the reason for each result, in words instead of a table
    #[arg(long, conflicts_with = "by_tag")]
    pub(crate) why: bool,
}

#[derive(Debug, Args)]
pub(crate) struct CoverageArgs {
    /// Scenario files, rulesets and folders [default: this folder]
    #[arg(value_name = "FILE")]
    pub(crate) files: Vec<String>,

    /// The ruleset, if the files do not determine it
    #[arg(long, value_name = "FILE")]
    pub(crate) rules: Option<PathBuf>,

    /// List each change with the scenario that detects it
    #[arg(long)]
    pub(crate) show_changes: bool,

    /// Do not search for scenarios that would detect the other changes
    #[arg(long)]
    pub(crate) no_suggestions: bool,

    /// Number of threads [default: the number of cores]
    #[arg(long, value_name = "COUNT", value_parser = number::<NonZeroUsize>(NonZeroUsize::MIN, NonZeroUsize::MAX))]
    pub(crate) threads: Option<NonZeroUsize>,
}

#[derive(Debug, Args)]
pub(crate) struct VerifyArgs {
    /// Scenario files, rulesets and folders; `-` reads scenarios from standard input [default: this
    /// folder]
    #[arg(value_name = "FILE")]
    pub(crate) files: Vec<String>,

    /// The ruleset, if the files do not determine it
    #[arg(long, value_name = "FILE")]
    pub(crate) rules: Option<PathBuf>,

    /// List each scenario
    #[arg(long)]
    pub(crate) list: bool,

    /// Show each step with its result and its changes
    #[arg(long)]
    pub(crate) steps: bool,

    /// Show only failures and the summary
    #[arg(short, long, conflicts_with_all = ["list", "steps"])]
    pub(crate) quiet: bool,

    /// Run only scenarios with this text in the title; may be given several times
    #[arg(long, value_name = "NAME")]
    pub(crate) only: Vec<String>,

    /// Stop at the first scenario that fails
    #[arg(long)]
    pub(crate) fail_fast: bool,

    /// Run again whenever the rules or the scenarios change, until interrupted
    #[arg(long)]
    pub(crate) watch: bool,

    /// Number of threads [default: the number of cores]
    #[arg(long, value_name = "COUNT", value_parser = number::<NonZeroUsize>(NonZeroUsize::MIN, NonZeroUsize::MAX))]
    pub(crate) threads: Option<NonZeroUsize>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Part {
    /// Containers and holders
    Containers,
    /// Item kinds
    Kinds,
    /// Every setting that is not at its default
    Rules,
}
