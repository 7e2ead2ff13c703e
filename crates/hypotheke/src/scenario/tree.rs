//! The syntax tree of a scenario file.

use crate::filter::Comparison;
use crate::language::{NamedEvent, NamedOperation, NamedPortion, Path, Position};
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
    pub(super) ruleset: Option<Line<Word>>,
    pub(super) blocks: Vec<Block>,
    pub(super) end_comments: Vec<String>,
}

/// What a file is made of, in the order in which it is written.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum Block {
    Start(Line<SharedStart>),
    Steps(Line<SharedSteps>),
    Scenario(Box<Line<Scenario>>),
}

impl PartialEq for ScenarioFile {
    /// Two files are equal if they say the same, whatever their layout.
    fn eq(&self, other: &ScenarioFile) -> bool {
        self.ruleset == other.ruleset && self.blocks == other.blocks && self.end_comments == other.end_comments
    }
}

impl ScenarioFile {
    /// The text that it was read from.
    #[must_use]
    pub fn source(&self) -> &Source {
        &self.source
    }

    /// The ruleset file that the first line names, as in `ruleset ../rules.toml`. The path is relative to this file.
    #[must_use]
    pub fn ruleset(&self) -> Option<&str> {
        self.ruleset.as_ref().map(|line| line.item.as_str())
    }

    /// Starts that scenarios share.
    pub fn starts(&self) -> impl Iterator<Item = &SharedStart> {
        self.blocks.iter().filter_map(|block| match block {
            Block::Start(line) => Some(&line.item),
            _ => None,
        })
    }

    /// Steps that scenarios share.
    pub fn shared_steps(&self) -> impl Iterator<Item = &SharedSteps> {
        self.blocks.iter().filter_map(|block| match block {
            Block::Steps(line) => Some(&line.item),
            _ => None,
        })
    }

    /// The scenarios, in the order in which they are written.
    pub fn scenarios(&self) -> impl Iterator<Item = &Scenario> {
        self.blocks.iter().filter_map(|block| match block {
            Block::Scenario(line) => Some(&line.item),
            _ => None,
        })
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
    /// `over limits`: what it lists may be over the limits of the ruleset, and not admitted where it lies.
    pub over_limits: bool,
    /// What lies in which place.
    pub lines: Vec<Line<StartLine>>,
}

/// What lies in one place.
#[derive(Clone, Debug, PartialEq)]
pub struct StartLine {
    /// The place.
    pub place: Path,
    /// Where on the ground: `ground at 2.5,-1: 1 flare`.
    pub at: Option<Position>,
    /// What lies there; nothing if empty.
    pub contents: Vec<NamedPortion>,
}

/// Steps with a name.
#[derive(Clone, Debug, PartialEq)]
pub struct SharedSteps {
    /// Their name.
    pub name: Word,
    /// The steps.
    pub steps: Vec<Line<Step>>,
}

/// A scenario. One with a table is played once for each row.
#[derive(Clone, Debug, PartialEq)]
pub struct Scenario {
    /// What it is about.
    pub title: Word,
    pub(super) written: Body,
    pub(super) table: Option<Line<Table>>,
}

impl Scenario {
    /// What is played: the scenario as it is written, or each row of its table with what is written filled in.
    pub fn runs(&self) -> impl Iterator<Item = (Option<&Line<Row>>, &Body)> {
        let rows = self.table.iter().flat_map(|table| &table.item.rows);
        let plain = self.table.is_none().then_some((None, &self.written));
        plain.into_iter().chain(rows.map(|row| (Some(row), &row.item.body)))
    }

    /// The names of the columns of its table; none without one.
    pub fn columns(&self) -> impl Iterator<Item = &Word> {
        self.table.iter().flat_map(|table| &table.item.columns)
    }
}

/// What is played from a start to an end.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Body {
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

/// Values for which a scenario is played again and again.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Table {
    pub(super) columns: Vec<Word>,
    pub(super) rows: Vec<Line<Row>>,
    /// The lines of the scenario, in which columns stand for their values.
    pub(super) lines: Vec<Line<TemplateLine>>,
}

/// A line in which columns stand for their values.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct TemplateLine {
    pub(super) is_heading: bool,
    /// Its words, with single blanks between them.
    pub(super) text: String,
}

/// A row of a table.
#[derive(Clone, Debug, PartialEq)]
pub struct Row {
    /// A value for each column.
    pub cells: Vec<Word>,
    pub(super) body: Body,
}

/// One step.
#[derive(Clone, Debug, PartialEq)]
pub enum Step {
    /// An operation and what it is expected to come to.
    Operation(NamedOperation, Expected),
    /// Several operations as one, each on a line of its own, and what they are expected to come to.
    Together(Box<Together>, Expected),
    /// `request first at revision 2: move 1 flare from depot to sled`: an operation as a client would send it, and what it is
    /// expected to come to.
    Request(Box<SentRequest>, Expected),
    /// `undo`, `undo revision 3`: an operation is undone, the latest if none is named.
    Undo {
        /// The revision to which it led.
        revision: Option<u64>,
        /// What that is expected to come to.
        expected: Expected,
    },
    /// `do load-the-sled`: steps that are shared.
    Do(Word),
    /// `snapshot loaded`: the world as it is gets a name, for comparing.
    Snapshot(Word),
    /// `save then load`: the world is written down and read back, and goes on from there.
    SaveThenLoad,
    /// `now …`: what must hold at this point.
    Now(Check),
}

/// An operation with the terms on which it is sent.
#[derive(Clone, Debug, PartialEq)]
pub struct SentRequest {
    /// The id of the request, if it has one.
    pub id: Option<Word>,
    /// The revision on which it was made, if it says so.
    pub expects: Option<u64>,
    /// What is requested.
    pub operation: NamedOperation,
}

/// A list of operations that is written line by line.
#[derive(Clone, Debug, PartialEq)]
pub struct Together {
    pub(super) operation: NamedOperation,
    /// Where each of them stands.
    pub(super) lines: Vec<Line<()>>,
    /// Where the list ends.
    pub(super) done: Line<()>,
}

impl Together {
    /// All of it as one operation.
    #[must_use]
    pub fn operation(&self) -> &NamedOperation {
        &self.operation
    }
}

/// What an operation is expected to come to.
#[derive(Clone, Debug, Default, PartialEq)]
pub enum Expected {
    /// All that is requested.
    #[default]
    Complete,
    /// `-> moved 2`, `-> moved 2 of 9`: this number of items.
    Done {
        /// The number of items that were moved, created or consumed.
        count: u64,
        /// The number that the operation requested, if the answer names it.
        requested: Option<u64>,
    },
    /// `-> nothing changed`: it is applied and finds nothing to change.
    Unchanged,
    /// `-> refused`, `-> refused: weight-cap`, `-> refused: weight-cap, 204 kg of 180 kg; up to 2`,
    /// `-> refused in step 2: not-admitted`, `-> refused at the end: cap`
    Refused {
        /// Why.
        reason: Option<Reason>,
        /// With which figures.
        figures: Option<Box<Figures>>,
        /// Where in a list.
        at: Option<ListStep>,
        /// The largest amount that would be applied.
        max_amount: Option<u64>,
    },
}

/// Where in a list of operations a refusal arises.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ListStep {
    /// In one of its steps, from 1.
    Step(u32),
    /// In none of them: limits of weight and number are judged at the end.
    End,
}

/// The figures of a refusal: what was requested (or would be) and what is allowed (or there).
#[derive(Clone, Debug, PartialEq)]
pub struct Figures {
    /// What was requested, or would be.
    pub requested: Decimal,
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
    /// `ground at 2.5,-1: 1 flare`
    LyingAt {
        /// The position.
        position: Position,
        /// Whether there may be more.
        mode: Mode,
        /// What lies there; nothing if empty.
        contents: Vec<NamedPortion>,
    },
    /// `origin of surveyor: sled/3`, `origin of surveyor: nothing`
    Origin {
        /// The holder.
        holder: Path,
        /// The slot that what is in its hand came from.
        slot: Option<Path>,
    },
    /// `encumbrance of surveyor: laden`, `encumbrance of surveyor: nothing`
    Encumbrance {
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
    /// `surveyor.shortcuts/2 points at flare`, `surveyor.shortcuts/2 points at nothing`
    PointsAt {
        /// The shortcut.
        shortcut: Path,
        /// The kind.
        kind: Option<Word>,
    },
    /// `depot is open to surveyor`, `depot is closed to surveyor`
    Open {
        /// The container.
        container: Path,
        /// The holder.
        holder: Path,
        /// Whether the holder has opened it.
        open: bool,
    },
    /// `places of flare: depot/0, sled/3`; where it lies, in any order, in packs too.
    Places {
        /// A kind, a tag or a mark.
        name: Word,
        /// The places of its stacks; nowhere if empty.
        places: Vec<Path>,
    },
    /// `events: 2 flare: depot/0 to sled/3`: what the step before it changed.
    Events {
        /// Whether there may be more.
        mode: Mode,
        /// In their order; none if empty.
        events: Vec<NamedEvent>,
    },
    /// `unchanged since loaded`: the same lies where, whatever the ids; `start` is the snapshot before the first step.
    UnchangedSince {
        /// The snapshot.
        snapshot: Word,
    },
    /// `nothing changed`: the step before it left the world as it was.
    NothingChanged,
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
    /// `value of PLACE`: of all items there, in packs too.
    Value(Path),
    /// `count of NAME`, `count of NAME in PLACE`; the name is a kind, a tag or a mark.
    Count(Word, Option<Path>),
    /// `free slots of CONTAINER`
    FreeSlots(Path),
    /// `room for KIND in PLACE`: how many more of it would go there.
    RoomFor(Word, Path),
    /// `attribute NAME of HOLDER`
    Attribute(Word, Path),
}
