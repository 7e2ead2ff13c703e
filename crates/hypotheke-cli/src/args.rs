//! The command line.

use std::num::NonZeroUsize;
use std::path::PathBuf;

use clap::{Args, ColorChoice, Parser, Subcommand, ValueEnum};
use clap_complete::Shell;

use crate::formats::schema::SchemaOf;

const EXAMPLES: &str = "\
Examples:
  hypotheke demo                          see what it does, on data that is built in
  hypotheke demo --write traverse         write that data to a folder, to start from
  hypotheke check rules.toml              find everything that is wrong with a ruleset
  hypotheke show rules.toml               see containers and kinds as they are understood
  hypotheke verify scenarios              play all scenarios of a folder by ./rules.toml
  hypotheke fits                          see what fits where, and how many
  hypotheke coverage                      find out which rules no scenario tests
  hypotheke compare old.toml rules.toml   tell what differs in meaning
  hypotheke explore                       look for an order of play that breaks a claim
  hypotheke saves                         find out whether saves keep what they should
  hypotheke migrate saves/autumn.json     carry a save over to ./rules.toml, and tell what changes
  hypotheke fmt                           bring scenario files into their usual layout
  hypotheke ask 'drop 1 flare from sled'  what would come of it, and what stands in the way

Exit status: 0 good, 1 a verification failed, 2 wrong usage or bad input, 3 a search stopped before all was seen.";

/// Write down how a game's inventories work, and verify that every sequence of operations keeps the rules.
#[derive(Debug, Parser)]
#[command(name = "hypotheke", version, after_help = EXAMPLES, arg_required_else_help = true, max_term_width = 100)]
pub(crate) struct Cli {
    #[command(subcommand)]
    pub(crate) command: Option<Command>,

    /// How the answer is written
    #[arg(long, value_enum, default_value_t = Format::Text, global = true)]
    pub(crate) format: Format,

    /// When to use colour; NO_COLOR is respected
    #[arg(long, value_enum, default_value_t = ColorChoice::Auto, global = true, value_name = "WHEN")]
    pub(crate) color: ColorChoice,

    /// Print the JSON Schema of what is read or written, and exit
    #[arg(long, value_enum, value_name = "OF", exclusive = true)]
    pub(crate) schema: Option<SchemaOf>,

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
    /// What continuous integration shows; of `verify`
    Junit,
    /// For spreadsheets; of `fits`
    Csv,
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

    /// Find everything that is wrong with a ruleset, and what is probably not meant; or audit a save
    #[command(
        after_help = "Examples:\n  hypotheke check\n  hypotheke check my/rules.toml\n  cat rules.toml | hypotheke check -\n  hypotheke check saves/night.json\n\nEnds with 1 if a save breaks a law."
    )]
    Check {
        /// The ruleset, or a save; `-` reads a ruleset from standard input
        #[arg(value_name = "FILE", default_value = "rules.toml")]
        file: PathBuf,

        #[command(flatten)]
        saved: SaveArgs,
    },

    /// Draw containers with what lies in them, at the start of a ruleset or in a save, and list the kinds
    #[command(
        after_help = "Examples:\n  hypotheke show\n  hypotheke show rules.toml sled surveyor.pockets\n  hypotheke show --part kinds\n  hypotheke show --part rules\n  hypotheke show saves/night.json sled"
    )]
    Show {
        /// The ruleset, or a save; `-` reads a ruleset from standard input
        #[arg(value_name = "FILE", default_value = "rules.toml")]
        file: PathBuf,

        /// Only these containers or holders
        #[arg(value_name = "PLACE")]
        places: Vec<String>,

        /// Only one part
        #[arg(long, value_enum, conflicts_with = "places")]
        part: Option<Part>,

        #[command(flatten)]
        saved: SaveArgs,
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
        after_help = "Examples:\n  hypotheke verify\n  hypotheke verify scenarios/sled.scenario --steps\n  hypotheke verify --only 'the sled' --watch\n  hypotheke verify tests --rules my/rules.toml --format junit > report.xml"
    )]
    Verify(VerifyArgs),

    /// Find out which rules the scenarios really test: each rule is changed, and they are played again
    #[command(
        after_help = "Examples:\n  hypotheke coverage\n  hypotheke coverage --all\n  hypotheke coverage tests --rules my/rules.toml --format json\n\nEnds with 1 if a rule is not tested."
    )]
    Coverage(CoverageArgs),

    /// Draw a table of what fits where: how many in a slot, how many in all, and which rule binds or says no
    #[command(
        after_help = "Examples:\n  hypotheke fits\n  hypotheke fits rules.toml sled pockets\n  hypotheke fits --of fuel\n  hypotheke fits --by-tag\n  hypotheke fits --format csv > fits.csv"
    )]
    Fits(FitsArgs),

    /// Tell what differs in meaning between two rulesets, and which scenarios come out otherwise; or what differs between two saves
    #[command(
        after_help = "Examples:\n  hypotheke compare old/rules.toml rules.toml\n  hypotheke compare saves/noon.json saves/night.json\n  hypotheke compare old/rules.toml rules.toml scenarios --format json\n\nEnds with 1 if a scenario that held does so no longer."
    )]
    Compare(CompareArgs),

    /// Carry saves over to another ruleset, as its section `[migration]` says, and tell every difference
    #[command(
        after_help = "Examples:\n  hypotheke migrate saves/autumn.json\n  hypotheke migrate saves/autumn.json --write\n  hypotheke migrate saves/autumn.json --rules earlier/rules-2.toml --rules rules.toml\n\nEnds with 1 if the ruleset refuses one."
    )]
    Migrate(MigrateArgs),

    /// Look for an order of play that breaks what must hold: everything that can be played, the shortest trails first
    #[command(
        after_help = "Examples:\n  hypotheke explore\n  hypotheke explore claims/sled.claims --depth 6\n  hypotheke explore --rules loopholes/rules.toml\n  hypotheke explore --worlds 1000000 --time 60 --format json\n  hypotheke explore --walks 100000 --seed 7 --shard 2/8\n\nEnds with 1 if a claim is broken, with 3 if memory, time or an interrupt stopped it before all was seen."
    )]
    Explore(ExploreArgs),

    /// Find out whether saves keep what they should: after every step, through crashes, between two servers, under mended rules
    #[command(
        after_help = "Examples:\n  hypotheke saves\n  hypotheke saves scenarios/sled.scenario\n  hypotheke saves --rules earlier/rules-2.toml earlier --mended rules.toml\n  hypotheke saves --joins 4 --faults 2 --time 600\n\nEnds with 1 if something is lost, doubled or read as something else, with 3 if time, memory or an interrupt stopped it."
    )]
    Saves(SavesArgs),

    /// Bring scenario files into their usual layout; comments are kept
    #[command(
        after_help = "Examples:\n  hypotheke fmt\n  hypotheke fmt scenarios/sled.scenario\n  hypotheke fmt --check\n  cat sled.scenario | hypotheke fmt -"
    )]
    Fmt {
        /// Scenario files, or folders of them; `-` reads one from standard input and writes it to standard output
        #[arg(value_name = "FILE", default_value = "scenarios")]
        files: Vec<PathBuf>,

        /// Change nothing; name the files that would change, and end with 1 if there are any
        #[arg(long)]
        check: bool,
    },
}

#[derive(Debug, Args)]
pub(crate) struct SaveArgs {
    /// The ruleset by which a save was played
    #[arg(long, default_value = "rules.toml")]
    pub(crate) rules: PathBuf,

    /// Take a save that was edited by hand
    #[arg(long)]
    pub(crate) edited: bool,
}

#[derive(Debug, Args)]
pub(crate) struct ExploreArgs {
    /// Files of claims, or folders of them [default: the folder `claims` beside the ruleset]
    #[arg(value_name = "FILE")]
    pub(crate) files: Vec<PathBuf>,

    /// The ruleset
    #[arg(long, default_value = "rules.toml")]
    pub(crate) rules: PathBuf,

    /// No more than so many operations from the start
    #[arg(long, value_name = "COUNT")]
    pub(crate) depth: Option<u32>,

    /// No more than so many worlds for each file
    #[arg(long, value_name = "COUNT")]
    pub(crate) worlds: Option<u64>,

    /// No more memory than so many megabytes for the worlds of each file
    #[arg(long, value_name = "MEGABYTES", default_value_t = 2_000)]
    pub(crate) memory: u64,

    /// No longer than so many seconds in all
    #[arg(long, value_name = "SECONDS")]
    pub(crate) time: Option<u64>,

    /// Tell every world apart, even where nothing in the game can; the verdicts are the same
    #[arg(long)]
    pub(crate) no_symmetry: bool,

    /// Instead of searching go so many ways at random, on all cores; what breaks is made as short as it can be
    #[arg(long, value_name = "COUNT", conflicts_with_all = ["depth", "worlds", "no_symmetry"])]
    pub(crate) walks: Option<u64>,

    /// How many operations a walk has
    #[arg(long, value_name = "COUNT", default_value_t = 50, requires = "walks")]
    pub(crate) steps: u32,

    /// Another seed gives other walks
    #[arg(long, value_name = "NUMBER", default_value_t = 0, requires = "walks")]
    pub(crate) seed: u64,

    /// Walk one part of so many, such as 2/8, so that several machines can share the walks
    #[arg(long, value_name = "PART/PARTS", value_parser = shard, requires = "walks")]
    pub(crate) shard: Option<(u64, u64)>,

    /// Search or walk on how many threads [default: as many as there are cores]
    #[arg(long, value_name = "COUNT")]
    pub(crate) threads: Option<NonZeroUsize>,

    /// Also let all holders make so many requests each at once: on the world as it was, sent again, with answers lost
    #[arg(long, value_name = "COUNT", conflicts_with = "walks", value_parser = clap::value_parser!(u32).range(1..=4))]
    pub(crate) several: Option<u32>,

    /// Play so many happenings at most: what is asked, what arrives, what is asked again [default: 200000, and it is told if there are more]
    #[arg(long, value_name = "COUNT", requires = "several", conflicts_with = "walks", value_parser = clap::value_parser!(u64).range(1..))]
    pub(crate) happenings: Option<u64>,

    /// Draw worlds by depth and refusals by reason to this file
    #[arg(long, value_name = "FILE.svg")]
    pub(crate) chart: Option<PathBuf>,

    /// Join what the parts of a run have written in JSON; the sum is that of one run
    #[arg(long, value_name = "FILE.json", num_args = 1.., conflicts_with_all = ["files", "walks", "depth", "worlds", "several", "happenings", "write"])]
    pub(crate) gather: Vec<PathBuf>,

    /// Write what breaks a claim to this folder, as scenarios that fail until the rules are mended
    #[arg(long, value_name = "FOLDER")]
    pub(crate) write: Option<PathBuf>,

    /// End with 0 even if memory, time or an interrupt stopped it
    #[arg(long)]
    pub(crate) accept_partial: bool,
}

/// `2/8`: the second of eight parts, counted from 0 inside.
fn shard(text: &str) -> Result<(u64, u64), String> {
    let parts = text.split_once('/').and_then(|(part, parts)| Some((part.parse().ok()?, parts.parse().ok()?)));
    match parts {
        Some((part, parts)) if (1..=parts).contains(&part) => Ok((part - 1, parts)),
        _ => Err("a part is written such as `2/8`, from `1/8` to `8/8`".to_owned()),
    }
}

#[derive(Debug, Args)]
pub(crate) struct SavesArgs {
    /// Scenario files, or folders of them [default: the folder `scenarios` beside the ruleset]
    #[arg(value_name = "FILE")]
    pub(crate) files: Vec<PathBuf>,

    /// The ruleset; saves in the folder `saves` beside it are tried too
    #[arg(long, default_value = "rules.toml")]
    pub(crate) rules: PathBuf,

    /// Carry every save over to this ruleset
    #[arg(long, value_name = "FILE")]
    pub(crate) mended: Option<PathBuf>,

    /// How often the player joins one of two servers
    #[arg(long, value_name = "COUNT", default_value_t = 3, value_parser = clap::value_parser!(u32).range(1..=9))]
    pub(crate) joins: u32,

    /// How often the player gives something to a server's world, or takes something
    #[arg(long, value_name = "COUNT", default_value_t = 1, value_parser = clap::value_parser!(u32).range(0..=9))]
    pub(crate) exchanges: u32,

    /// How often the store does not answer as it should
    #[arg(long, value_name = "COUNT", default_value_t = 1, value_parser = clap::value_parser!(u32).range(0..=9))]
    pub(crate) faults: u32,

    /// How often a lease runs out
    #[arg(long, value_name = "COUNT", default_value_t = 1, value_parser = clap::value_parser!(u32).range(0..=9))]
    pub(crate) run_outs: u32,

    /// No more than so many situations of the two servers
    #[arg(long, value_name = "COUNT", default_value_t = 500_000)]
    pub(crate) situations: u64,

    /// No longer than so many seconds for the two servers
    #[arg(long, value_name = "SECONDS")]
    pub(crate) time: Option<u64>,

    /// End with 0 even if time or an interrupt stopped it
    #[arg(long)]
    pub(crate) accept_partial: bool,
}

#[derive(Debug, Args)]
pub(crate) struct MigrateArgs {
    /// Saves, in JSON or in binary form
    #[arg(value_name = "SAVE", required = true)]
    pub(crate) saves: Vec<PathBuf>,

    /// The ruleset to go over to; several are gone through in turn
    #[arg(long, default_value = "rules.toml")]
    pub(crate) rules: Vec<PathBuf>,

    /// Write each in its place, and keep the one before beside it
    #[arg(long, conflicts_with = "to")]
    pub(crate) write: bool,

    /// Write to this file, which must not be there yet
    #[arg(long, value_name = "FILE")]
    pub(crate) to: Option<PathBuf>,

    /// Take saves that were edited by hand
    #[arg(long)]
    pub(crate) edited: bool,
}

#[derive(Debug, Args)]
pub(crate) struct CompareArgs {
    /// A ruleset, or a save
    pub(crate) old: PathBuf,

    /// The ruleset that is to take its place, or another save
    pub(crate) new: PathBuf,

    /// Take saves that were edited by hand
    #[arg(long)]
    pub(crate) edited: bool,

    /// Scenario files, or folders of them [default: the folder `scenarios` beside the new ruleset, if there is one]
    #[arg(value_name = "FILE")]
    pub(crate) scenarios: Vec<PathBuf>,
}

#[derive(Debug, Args)]
pub(crate) struct FitsArgs {
    /// The ruleset; `-` reads it from standard input
    #[arg(default_value = "rules.toml")]
    pub(crate) rules: PathBuf,

    /// Only these containers: `sled`, `driver.pockets`, or a kind of packs for its inside
    #[arg(value_name = "CONTAINER")]
    pub(crate) containers: Vec<String>,

    /// Only this kind, or the kinds with this tag
    #[arg(long, value_name = "KIND")]
    pub(crate) of: Option<String>,

    /// A line for each tag instead of each kind
    #[arg(long)]
    pub(crate) by_tag: bool,
}

#[derive(Debug, Args)]
pub(crate) struct CoverageArgs {
    /// Scenario files, or folders of them [default: the folder `scenarios` beside the ruleset]
    #[arg(value_name = "FILE")]
    pub(crate) files: Vec<PathBuf>,

    /// The ruleset
    #[arg(long, default_value = "rules.toml")]
    pub(crate) rules: PathBuf,

    /// Tell for each change which scenario notices it
    #[arg(long)]
    pub(crate) all: bool,

    /// Look for no scenarios that would notice what none does
    #[arg(long)]
    pub(crate) no_suggestions: bool,

    /// On how many threads [default: as many as there are cores]
    #[arg(long, value_name = "COUNT")]
    pub(crate) threads: Option<NonZeroUsize>,
}

#[derive(Debug, Args)]
pub(crate) struct VerifyArgs {
    /// Scenario files, or folders of them; `-` reads one from standard input [default: the folder `scenarios` beside
    /// the ruleset]
    #[arg(value_name = "FILE")]
    pub(crate) files: Vec<PathBuf>,

    /// The ruleset
    #[arg(long, default_value = "rules.toml")]
    pub(crate) rules: PathBuf,

    /// Tell every step with its answer and what changed
    #[arg(long)]
    pub(crate) steps: bool,

    /// Only scenarios with this in their title; may be given several times
    #[arg(long, value_name = "NAME")]
    pub(crate) only: Vec<String>,

    /// Tell nothing beyond the first scenario that fails
    #[arg(long)]
    pub(crate) stop_at_first: bool,

    /// Play again whenever the rules or the scenarios change, until interrupted
    #[arg(long)]
    pub(crate) watch: bool,

    /// On how many threads [default: as many as there are cores]
    #[arg(long, value_name = "COUNT")]
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
