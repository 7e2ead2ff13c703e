//! The syntax tree of a scenario file.

use crate::filter::Comparison;
use crate::language::{NamedEvent, NamedOperation, NamedPortion, Path, Position};
use crate::ops::Reason;
use crate::quantity::Decimal;
use crate::text::{Source, Span, Word};

/// A line with the comments before it and at its end. Lines are equal if item and comments are
/// equal.
#[derive(Clone, Debug)]
pub struct Line<T> {
    /// Its content.
    pub item: T,
    /// Its location.
    pub span: Span,
    /// The comment lines before it.
    pub comments: Vec<String>,
    /// The comment at its end.
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

/// The parts of a file, in order.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum Block {
    Start(Line<SharedStart>),
    Steps(Line<SharedSteps>),
    Scenario(Box<Line<Scenario>>),
}

impl PartialEq for ScenarioFile {
    /// Two files are equal if their contents are equal, whatever the layout.
    fn eq(&self, other: &ScenarioFile) -> bool {
        self.ruleset == other.ruleset && self.blocks == other.blocks && self.end_comments == other.end_comments
    }
}

impl ScenarioFile {
    /// The text of the file.
    #[must_use]
    pub fn source(&self) -> &Source {
        &self.source
    }

    /// The ruleset file that the first line names, as in `ruleset ../rules.toml`. The path is
    /// relative to this file.
    #[must_use]
    pub fn ruleset(&self) -> Option<&str> {
        self.ruleset.as_ref().map(|line| line.item.as_str())
    }

    /// The shared starts.
    pub fn starts(&self) -> impl Iterator<Item = &SharedStart> {
        self.blocks.iter().filter_map(|block| match block {
            Block::Start(line) => Some(&line.item),
            _ => None,
        })
    }

    /// The shared steps.
    pub fn shared_steps(&self) -> impl Iterator<Item = &SharedSteps> {
        self.blocks.iter().filter_map(|block| match block {
            Block::Steps(line) => Some(&line.item),
            _ => None,
        })
    }

    /// The scenarios, in the order of the file.
    pub fn scenarios(&self) -> impl Iterator<Item = &Scenario> {
        self.blocks.iter().filter_map(|block| match block {
            Block::Scenario(line) => Some(&line.item),
            _ => None,
        })
    }
}

/// A named start.
#[derive(Clone, Debug, PartialEq)]
pub struct SharedStart {
    /// Its name.
    pub name: Word,
    /// The contents.
    pub start: Start,
}

/// The base of a start.
#[derive(Clone, Debug, Default, PartialEq)]
pub enum StartBase {
    /// An empty world.
    #[default]
    Nothing,
    /// The start of the ruleset.
    Ruleset,
    /// A shared start.
    Shared(Word),
}

/// The contents at the start. Named places have the listed contents; all others have those of the
/// base.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Start {
    /// The base.
    pub base: StartBase,
    /// `over limits`: listed contents may exceed limits and filters.
    pub over_limits: bool,
    /// The contents, place by place.
    pub lines: Vec<Line<StartLine>>,
}

/// The contents of one place.
#[derive(Clone, Debug, PartialEq)]
pub struct StartLine {
    /// The place.
    pub place: Path,
    /// The position on the ground: `ground at 2.5,-1: 1 flare`.
    pub at: Option<Position>,
    /// The stacks; empty for `nothing`.
    pub contents: Vec<NamedPortion>,
}

/// Named steps.
#[derive(Clone, Debug, PartialEq)]
pub struct SharedSteps {
    /// The name.
    pub name: Word,
    /// The steps.
    pub steps: Vec<Line<Step>>,
}

/// A scenario. A scenario with a table runs once for each row.
#[derive(Clone, Debug, PartialEq)]
pub struct Scenario {
    /// Its title.
    pub title: Word,
    pub(super) written: Body,
    pub(super) table: Option<Line<Table>>,
}

impl Scenario {
    /// The bodies to run: the scenario itself, or one for each row of its table, with the values
    /// filled in.
    pub fn runs(&self) -> impl Iterator<Item = (Option<&Line<Row>>, &Body)> {
        let rows = self.table.iter().flat_map(|table| &table.item.rows);
        let plain = self.table.is_none().then_some((None, &self.written));
        plain.into_iter().chain(rows.map(|row| (Some(row), &row.item.body)))
    }

    /// The names of the columns of its table; empty without a table.
    pub fn columns(&self) -> impl Iterator<Item = &Word> {
        self.table.iter().flat_map(|table| &table.item.columns)
    }
}

/// One run from start to end.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Body {
    /// The start; by default that of the ruleset.
    pub start: Option<Line<Start>>,
    /// The steps, in order.
    pub steps: Vec<Line<Step>>,
    /// The heading of the steps, for its comments.
    pub(super) steps_head: Option<Line<()>>,
    pub(super) end_head: Option<Line<()>>,
    /// The checks at the end.
    pub end: Vec<Line<Check>>,
}

/// The values for which a scenario runs several times.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Table {
    pub(super) columns: Vec<Word>,
    pub(super) rows: Vec<Line<Row>>,
    /// The lines of the scenario, with columns as placeholders.
    pub(super) lines: Vec<Line<TemplateLine>>,
}

/// A line with columns as placeholders.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct TemplateLine {
    pub(super) is_heading: bool,
    /// Its words, separated by single blanks.
    pub(super) text: String,
}

/// A row of a table.
#[derive(Clone, Debug, PartialEq)]
pub struct Row {
    /// One value for each column.
    pub cells: Vec<Word>,
    pub(super) body: Body,
}

/// One step.
#[derive(Clone, Debug, PartialEq)]
pub enum Step {
    /// An operation and its expected result.
    Operation(NamedOperation, Expected),
    /// Several operations as one, each on its own line, and the expected result.
    Together(Box<Together>, Expected),
    /// `request first at revision 2: move 1 flare from depot to sled`: an operation as a client
    /// sends it, and its expected result.
    Request(Box<SentRequest>, Expected),
    /// `undo`, `undo revision 3`: undoes an operation, by default the latest.
    Undo {
        /// The revision of the operation.
        revision: Option<u64>,
        /// The expected result.
        expected: Expected,
    },
    /// `do load-the-sled`: shared steps.
    Do(Word),
    /// `snapshot loaded`: saves the present world under a name, for comparison.
    Snapshot(Word),
    /// `save then load`: saves the world, loads it, and continues with it.
    SaveThenLoad,
    /// `now …`: a check at this point.
    Now(Check),
}

/// An operation as a client sends it.
#[derive(Clone, Debug, PartialEq)]
pub struct SentRequest {
    /// The id of the request, if it has one.
    pub id: Option<Word>,
    /// The revision that the request expects, if any.
    pub expects: Option<u64>,
    /// The operation.
    pub operation: NamedOperation,
}

/// A list of operations, one a line.
#[derive(Clone, Debug, PartialEq)]
pub struct Together {
    pub(super) operation: NamedOperation,
    /// The location of each.
    pub(super) lines: Vec<Line<()>>,
    /// The end of the list.
    pub(super) done: Line<()>,
}

impl Together {
    /// The whole list as one operation.
    #[must_use]
    pub fn operation(&self) -> &NamedOperation {
        &self.operation
    }
}

/// The expected result of an operation.
#[derive(Clone, Debug, Default, PartialEq)]
pub enum Expected {
    /// Applied in full.
    #[default]
    Complete,
    /// `-> moved 2`, `-> moved 2 of 9`: this number of items.
    Done {
        /// The number of items that were moved, created or consumed.
        count: u64,
        /// The number that the operation requested, if the answer names it.
        requested: Option<u64>,
    },
    /// `-> nothing changed`: applied without effect.
    Unchanged,
    /// `-> refused`, `-> refused: weight-cap`, `-> refused: weight-cap, 204 kg of 180 kg; up to 2`,
    /// `-> refused in step 2: not-admitted`, `-> refused at the end: cap`
    Refused {
        /// The reason.
        reason: Option<Reason>,
        /// The figures.
        figures: Option<Box<Figures>>,
        /// The step of a list.
        at: Option<ListStep>,
        /// The largest amount that would be applied.
        max_amount: Option<u64>,
    },
}

/// The step of a list that is refused.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ListStep {
    /// One of its steps, from 1.
    Step(u32),
    /// None of its steps: caps and weight caps are checked at the end.
    End,
}

/// The figures of a refusal: the value that was requested or would result, and the limit or the
/// number present.
#[derive(Clone, Debug, PartialEq)]
pub struct Figures {
    /// The value that was requested or would result.
    pub requested: Decimal,
    /// The limit, or the number present.
    pub allowed: Decimal,
    /// The unit, as written.
    pub unit: Option<Word>,
}

/// Whether a list of contents must be complete.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Mode {
    /// `sled: …`: exactly these contents.
    Exactly,
    /// `sled has: …`: at least these contents.
    AtLeast,
}

/// A check.
#[derive(Clone, Debug, PartialEq)]
pub enum Check {
    /// `sled: 2 fuel-drum, 4 ration-box`
    Contents {
        /// The place.
        place: Path,
        /// Whether more contents are allowed.
        mode: Mode,
        /// The stacks; empty for `nothing`.
        contents: Vec<NamedPortion>,
    },
    /// `ground at 2.5,-1: 1 flare`
    LyingAt {
        /// The position.
        position: Position,
        /// Whether more contents are allowed.
        mode: Mode,
        /// The stacks; empty for `nothing`.
        contents: Vec<NamedPortion>,
    },
    /// `origin of surveyor: sled/3`, `origin of surveyor: nothing`
    Origin {
        /// The holder.
        holder: Path,
        /// The slot that the stack in its hand came from.
        slot: Option<Path>,
    },
    /// `encumbrance of surveyor: laden`, `encumbrance of surveyor: nothing`
    Encumbrance {
        /// The holder.
        holder: Path,
        /// The label of the highest step that it has reached; `None` for `nothing`.
        label: Option<Word>,
    },
    /// `shortcuts of surveyor: flare, nothing, radio`; shortcuts that are not listed are empty.
    Shortcuts {
        /// The holder.
        holder: Path,
        /// The kinds, in order.
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
    /// `owner of depot: surveyor`, `owner of depot: nobody`
    Owner {
        /// The container.
        container: Path,
        /// Its owner, which may have departed.
        owner: Option<Word>,
    },
    /// `stove works on melt-water`, `stove works on 2 melt-water for 20`, `stove works on nothing`
    Works {
        /// The container.
        container: Path,
        /// How often at once, which recipe, and the ticks that are left, if the check names them;
        /// `None` for `nothing`.
        job: Option<(u32, Word, Option<u32>)>,
    },
    /// `places of flare: depot/0, sled/3`: all its places in any order, packs included.
    Places {
        /// A kind, a tag or a mark.
        name: Word,
        /// The places; empty for `nowhere`.
        places: Vec<Path>,
    },
    /// `events: 2 flare: depot/0 to sled/3`: the changes of the previous operation.
    Events {
        /// Whether more events are allowed.
        mode: Mode,
        /// The events, in order.
        events: Vec<NamedEvent>,
    },
    /// `unchanged since loaded`: the contents equal those of the snapshot. `start` is the snapshot
    /// before the first step.
    UnchangedSince {
        /// The snapshot.
        snapshot: Word,
    },
    /// `nothing changed`: the previous operation had no effect.
    NothingChanged,
    /// `weight of sled = 132 kg`, `count of fuel in depot <= 8`, `free slots of sled >= 2`, `value of
    /// mara <= value of mara at start`
    Measure {
        /// The quantity. Its path may mean each member of a group: `weight of each crew`.
        claim: Claim,
        /// The comparison.
        comparison: Comparison,
        /// With what it is compared.
        operand: Operand,
    },
}

/// The right side of a comparison.
#[derive(Clone, Debug, PartialEq)]
pub enum Operand {
    /// A number.
    Number {
        /// The number.
        number: Decimal,
        /// The unit, as written.
        unit: Option<Word>,
    },
    /// A quantity at the same time.
    Measured(Claim),
    /// A quantity at the start. What was not there is 0.
    AtStart(Claim),
}

/// The quantity of a check.
#[derive(Clone, Debug, PartialEq)]
pub enum Claim {
    /// `weight of PLACE`
    Weight(Path),
    /// `value of PLACE`: of all items there, packs included.
    Value(Path),
    /// `count of NAME`, `count of NAME in PLACE`; the name is a kind, a tag or a mark.
    Count(Word, Option<Path>),
    /// `free slots of CONTAINER`
    FreeSlots(Path),
    /// `room for KIND in PLACE`: the number of items that still fit.
    RoomFor(Word, Path),
    /// `attribute NAME of HOLDER`
    Attribute(Word, Path),
    /// `METER of HOLDER`
    Meter(Word, Path),
}
