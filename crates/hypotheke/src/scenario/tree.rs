//! The syntax tree of a scenario file.

use crate::filter::Comparison;
use crate::language::{NamedOperation, NamedPortion, Path};
use crate::ops::Reason;
use crate::quantity::Decimal;
use crate::text::{Source, Span, Word};

/// A line with the comments that stand before it and at its end. Two lines are equal if they say the same.
#[derive(Clone, Debug)]
pub struct Line<T> {
    /// What it says.
    pub item: T,
    /// Where it stands.
    pub span: Span,
    /// Whole lines of comment before it.
    pub comments: Vec<String>,
    /// A comment at its end.
    pub remark: Option<String>,
}

impl<T: PartialEq> PartialEq for Line<T> {
    fn eq(&self, other: &Line<T>) -> bool {
        self.item == other.item && self.comments == other.comments && self.remark == other.remark
    }
}

/// A scenario file.
#[derive(Clone, Debug)]
pub struct ScenarioFile {
    pub(super) source: Source,
    pub(super) starts: Vec<Line<SharedStart>>,
    pub(super) scenarios: Vec<Line<Scenario>>,
    pub(super) end_comments: Vec<String>,
}

impl PartialEq for ScenarioFile {
    /// Two files are equal if they say the same, whatever their layout.
    fn eq(&self, other: &ScenarioFile) -> bool {
        self.starts == other.starts && self.scenarios == other.scenarios && self.end_comments == other.end_comments
    }
}

impl ScenarioFile {
    /// The text that it was read from.
    #[must_use]
    pub fn source(&self) -> &Source {
        &self.source
    }

    /// Starts that scenarios share.
    #[must_use]
    pub fn starts(&self) -> impl ExactSizeIterator<Item = &SharedStart> {
        self.starts.iter().map(|line| &line.item)
    }

    /// The scenarios, in the order in which they are written.
    #[must_use]
    pub fn scenarios(&self) -> impl ExactSizeIterator<Item = &Scenario> {
        self.scenarios.iter().map(|line| &line.item)
    }
}

/// A start with a name.
#[derive(Clone, Debug, PartialEq)]
pub struct SharedStart {
    /// Its name.
    pub name: Word,
    /// What lies where.
    pub start: Start,
}

/// What a start begins with, before its own lines.
#[derive(Clone, Debug, Default, PartialEq)]
pub enum StartBase {
    /// Nothing lies anywhere.
    #[default]
    Nothing,
    /// The start of the ruleset.
    Ruleset,
    /// A shared start.
    Shared(Word),
}

/// What lies where at the start. The places that it names hold what it says; the rest is as the base has it.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Start {
    /// What it begins with.
    pub base: StartBase,
    /// What lies in which place.
    pub lines: Vec<Line<StartLine>>,
}

/// What lies in one place.
#[derive(Clone, Debug, PartialEq)]
pub struct StartLine {
    /// The place.
    pub place: Path,
    /// What lies there; nothing if empty.
    pub contents: Vec<NamedPortion>,
}

/// A scenario.
#[derive(Clone, Debug, PartialEq)]
pub struct Scenario {
    /// What it is about.
    pub title: Word,
    /// The start; the ruleset's if none is written.
    pub start: Option<Line<Start>>,
    /// What happens, in order.
    pub steps: Vec<Line<Step>>,
    /// Where the steps begin, for the comments before them.
    pub(super) steps_head: Option<Line<()>>,
    pub(super) end_head: Option<Line<()>>,
    /// What must hold at the end.
    pub end: Vec<Line<Check>>,
}

/// One step.
#[derive(Clone, Debug, PartialEq)]
pub enum Step {
    /// An operation and what it is expected to come to.
    Operation(NamedOperation, Expected),
    /// `now …`: what must hold at this point.
    Now(Check),
}

/// What an operation is expected to come to.
#[derive(Clone, Debug, Default, PartialEq)]
pub enum Expected {
    /// All that is asked for.
    #[default]
    Whole,
    /// `-> moved 2`: so many.
    Count(u64),
    /// `-> refused`, `-> refused: weight-cap`, `-> refused: weight-cap, 204 kg of 180 kg`
    Refused(Option<Reason>, Option<Figures>),
}

/// The figures of a refusal: what was asked for (or would be) and what is allowed (or there).
#[derive(Clone, Debug, PartialEq)]
pub struct Figures {
    /// What was asked for, or would be.
    pub asked: Decimal,
    /// What is allowed, or there.
    pub allowed: Decimal,
    /// The unit that was written after the numbers.
    pub unit: Option<Word>,
}

/// Whether a list of contents must be complete.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Mode {
    /// `sled: …`: all that lies there.
    Exactly,
    /// `sled has: …`: at least this.
    AtLeast,
}

/// Something that must hold.
#[derive(Clone, Debug, PartialEq)]
pub enum Check {
    /// `sled: 2 fuel-drum, 4 ration-box`
    Contents {
        /// The place.
        place: Path,
        /// Whether there may be more.
        mode: Mode,
        /// What lies there; nothing if empty.
        contents: Vec<NamedPortion>,
    },
    /// `burden of surveyor: laden`, `burden of surveyor: nothing`
    Burden {
        /// The holder.
        holder: Path,
        /// The highest threshold that it has reached; none if it has reached none.
        label: Option<Word>,
    },
    /// `shortcuts of surveyor: flare, nothing, radio`; those that are not listed point at nothing.
    Shortcuts {
        /// The holder.
        holder: Path,
        /// The kinds at which they point, in order.
        kinds: Vec<Option<Word>>,
    },
    /// `weight of sled = 132 kg`, `count of fuel in depot <= 8`, `free slots of sled >= 2`
    Measure {
        /// What is measured.
        claim: Claim,
        /// How it is compared.
        comparison: Comparison,
        /// With what.
        number: Decimal,
        /// The unit that was written after the number.
        unit: Option<Word>,
    },
}

/// What a check measures.
#[derive(Clone, Debug, PartialEq)]
pub enum Claim {
    /// `weight of PLACE`
    Weight(Path),
    /// `count of NAME`, `count of NAME in PLACE`; the name is a kind, a tag or a mark.
    Count(Word, Option<Path>),
    /// `free slots of CONTAINER`
    FreeSlots(Path),
    /// `attribute NAME of HOLDER`
    Attribute(Word, Path),
}
