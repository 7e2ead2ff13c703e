//! Reading a scenario file, line by line. A line that can't be read is a fault; the lines after it are still read.

use rustc_hash::FxHashMap;

use super::error::ScenarioErrors;
use super::tree::{
    Check, Claim, Expected, Figures, Line, Mode, Scenario, ScenarioFile, SharedStart, Start, StartBase, StartLine, Step,
};
use crate::language::{LineParser, SentenceError, TokenKind, lex};
use crate::ops::Reason;
use crate::text::{Diagnostic, Diagnostics, Location, Source, SourceId, Span, Word, nearest};

/// The most bytes of one line.
const LONGEST_LINE: usize = 100_000;
/// So many faults of one file are listed.
const MOST_FAULTS: usize = 100;

type Parsed<T> = Result<T, SentenceError>;

/// Where the next line belongs.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Section {
    /// Before the first scenario.
    Outside,
    SharedStart,
    Title,
    Start,
    Steps,
    End,
    /// After a heading that could not be read: its lines are not looked at.
    Skipped,
}

struct Reader {
    file: ScenarioFile,
    section: Section,
    titles: FxHashMap<String, Span>,
    comments: Vec<String>,
    faults: Vec<Diagnostic>,
}

impl ScenarioFile {
    /// Reads a scenario file from text.
    ///
    /// # Errors
    /// Every line that can't be read.
    pub fn parse(source: Source) -> Result<ScenarioFile, ScenarioErrors> {
        let file = ScenarioFile { source, starts: Vec::new(), scenarios: Vec::new(), end_comments: Vec::new() };
        let mut reader = Reader {
            file,
            section: Section::Outside,
            titles: FxHashMap::default(),
            comments: Vec::new(),
            faults: Vec::new(),
        };
        let text = reader.file.source.clone();
        let begin = if text.text().starts_with('\u{feff}') { '\u{feff}'.len_utf8() } else { 0 };
        let mut offset = begin;
        let mut tokens = Vec::new();
        for line in text.text()[begin..].split_inclusive('\n') {
            let content = line.trim_end_matches(['\n', '\r']);
            if content.len() > LONGEST_LINE {
                let span = Span::new(offset, offset + 1);
                reader.fault(&SentenceError::new(span, format!("this line has more than {LONGEST_LINE} bytes")));
            } else {
                lex(content, offset, &mut tokens);
                reader.line(content, offset, &tokens);
            }
            offset += line.len();
            if reader.faults.len() >= MOST_FAULTS {
                break;
            }
        }
        reader.file.end_comments = std::mem::take(&mut reader.comments);
        reader.check_whole();
        if reader.faults.is_empty() {
            return Ok(reader.file);
        }
        Err(ScenarioErrors::new(Diagnostics::new(vec![text], reader.faults)))
    }
}

impl Reader {
    fn fault(&mut self, error: &SentenceError) {
        let location = Location::new(SourceId(0), error.span());
        let fault = Diagnostic::error("bad-sentence", location, error.to_string());
        self.faults.push(fault.maybe_help(error.help_text().map(str::to_owned)));
    }

    fn check_whole(&mut self) {
        if self.file.scenarios.is_empty() && self.faults.is_empty() {
            let fault = Diagnostic::error("empty", Location::default(), "there is no scenario in this file");
            self.faults.push(fault.help("a scenario begins with a line `scenario` and its title"));
        }
    }

    fn line(&mut self, content: &str, offset: usize, tokens: &[crate::language::Token<'_>]) {
        let Some(first) = tokens.first() else { return };
        if first.kind == TokenKind::Comment {
            self.comments.push(first.text.to_owned());
            return;
        }
        let span = Span::new(offset, offset + content.len());
        let mut parser = LineParser::new(tokens, span);
        let last = tokens.last().filter(|token| token.kind == TokenKind::Comment);
        let mut frame = Line {
            item: (),
            span: Span::new(
                first.span.start(),
                tokens.iter().rev().find(|token| token.kind != TokenKind::Comment).map_or(0, |token| token.span.end()),
            ),
            comments: std::mem::take(&mut self.comments),
            remark: last.map(|token| token.text.to_owned()),
        };
        // The title is the rest of its line, hash signs and all.
        if parser.keyword("scenario") {
            frame.remark = None;
            let title = content[first.span.end() - offset..].trim();
            let start = offset + content.len() - content[first.span.end() - offset..].trim_start().len();
            let title = Word::new(title, Span::new(start, start + title.len()));
            self.scenario(frame, title);
            return;
        }
        let read = match first.text {
            "start" => self.start(&mut parser, frame),
            "steps" => self.heading(&mut parser, frame, Section::Steps),
            "end" => self.heading(&mut parser, frame, Section::End),
            _ => self.content(&mut parser, frame),
        };
        if let Err(error) = read {
            self.fault(&error);
        }
    }

    fn scenario(&mut self, frame: Line<()>, title: Word) {
        self.section = Section::Title;
        if title.as_str().is_empty() {
            let error = SentenceError::new(frame.span, "a scenario needs a title");
            self.fault(&error.help("say in a few words what it shows"));
        } else if let Some(first) = self.titles.insert(title.to_string(), title.span()) {
            let message = format!("there are two scenarios `{title}`");
            let fault = Diagnostic::error("duplicate", Location::new(SourceId(0), title.span()), message);
            self.faults.push(fault.related(Location::new(SourceId(0), first), "the first one"));
        }
        let scenario =
            Scenario { title, start: None, steps: Vec::new(), steps_head: None, end_head: None, end: Vec::new() };
        self.file.scenarios.push(frame.with(scenario));
    }

    /// `start`, `start as ruleset`, `start as NAME` in a scenario; `start NAME`, `start NAME as …` outside.
    fn start(&mut self, parser: &mut LineParser<'_, '_>, frame: Line<()>) -> Parsed<()> {
        self.section = Section::Skipped;
        parser.require_keyword("start")?;
        let name = if parser.is_empty() || parser.keyword_ahead("as") { None } else { Some(parser.word("a name")?) };
        let base = if parser.keyword("as") {
            match parser.word("`ruleset` or the name of a start")? {
                word if word.as_str() == "ruleset" => StartBase::Ruleset,
                word => StartBase::Shared(word),
            }
        } else {
            StartBase::Nothing
        };
        parser.end()?;
        let start = Start { base, lines: Vec::new() };
        match name {
            Some(name) => self.shared_start(frame, name, start),
            None => self.own_start(frame, start),
        }
    }

    fn shared_start(&mut self, frame: Line<()>, name: Word, start: Start) -> Parsed<()> {
        if self.file.starts.iter().any(|shared| shared.item.name == name) {
            return Err(SentenceError::new(name.span(), format!("there are two starts `{name}`")));
        }
        self.section = Section::SharedStart;
        self.file.starts.push(frame.with(SharedStart { name, start }));
        Ok(())
    }

    fn own_start(&mut self, frame: Line<()>, start: Start) -> Parsed<()> {
        let span = frame.span;
        let Some(scenario) = self.file.scenarios.last_mut().map(|line| &mut line.item) else {
            let error = SentenceError::new(span, "this start belongs to no scenario");
            return Err(error.help("outside of a scenario a start has a name: `start NAME`"));
        };
        if scenario.start.is_some() || scenario.steps_head.is_some() || scenario.end_head.is_some() {
            let error = SentenceError::new(span, "a scenario has one start, before its steps");
            return Err(error.help("a start that several scenarios share has a name: `start NAME`"));
        }
        scenario.start = Some(frame.with(start));
        self.section = Section::Start;
        Ok(())
    }

    fn heading(&mut self, parser: &mut LineParser<'_, '_>, frame: Line<()>, section: Section) -> Parsed<()> {
        self.section = Section::Skipped;
        let span = frame.span;
        let Some(scenario) = self.file.scenarios.last_mut().map(|line| &mut line.item) else {
            return Err(
                SentenceError::new(span, "this belongs to no scenario").help("begin one: `scenario` and a title")
            );
        };
        let (head, later) = match section {
            Section::Steps => (&mut scenario.steps_head, scenario.end_head.is_some()),
            _ => (&mut scenario.end_head, false),
        };
        if head.is_some() || later {
            let order = "a scenario has one start, then steps, then one end";
            return Err(
                SentenceError::new(span, order).help("what must hold between steps is written `now …` among them")
            );
        }
        *head = Some(frame);
        self.section = section;
        let _ = parser.word("a heading")?;
        parser.end()
    }

    fn content(&mut self, parser: &mut LineParser<'_, '_>, frame: Line<()>) -> Parsed<()> {
        let span = frame.span;
        match self.section {
            Section::Skipped => Ok(()),
            Section::Outside => {
                Err(SentenceError::new(span, "this line belongs to no scenario")
                    .help("begin one: `scenario` and a title"))
            }
            Section::Title => {
                let error = SentenceError::new(span, "this line stands in no part of the scenario");
                self.section = Section::Skipped;
                Err(error.help("write `start`, `steps` or `end` before it"))
            }
            Section::SharedStart => {
                let line = frame.with(start_line(parser)?);
                self.file.starts.last_mut().into_iter().for_each(|shared| shared.item.start.lines.push(line.clone()));
                Ok(())
            }
            Section::Start => {
                let line = frame.with(start_line(parser)?);
                self.scenario_mut(|scenario| {
                    scenario.start.iter_mut().for_each(|start| start.item.lines.push(line.clone()));
                });
                Ok(())
            }
            Section::Steps => {
                let line = frame.with(step(parser)?);
                self.scenario_mut(|scenario| scenario.steps.push(line));
                Ok(())
            }
            Section::End => {
                let line = frame.with(check(parser)?);
                self.scenario_mut(|scenario| scenario.end.push(line));
                Ok(())
            }
        }
    }

    fn scenario_mut(&mut self, change: impl FnOnce(&mut Scenario)) {
        if let Some(line) = self.file.scenarios.last_mut() {
            change(&mut line.item);
        }
    }
}

impl Line<()> {
    fn with<T>(self, item: T) -> Line<T> {
        Line { item, span: self.span, comments: self.comments, remark: self.remark }
    }
}

fn start_line(parser: &mut LineParser<'_, '_>) -> Parsed<StartLine> {
    let place = parser.path()?;
    parser.require_colon()?;
    let contents = parser.portions()?;
    parser.end()?;
    Ok(StartLine { place, contents })
}

fn step(parser: &mut LineParser<'_, '_>) -> Parsed<Step> {
    if parser.keyword("now") {
        return check(parser).map(Step::Now);
    }
    let operation = parser.operation()?;
    let expected = if parser.take_arrow() { expected(parser)? } else { Expected::Whole };
    parser.end()?;
    Ok(Step::Operation(operation, expected))
}

const PAST_VERBS: &[&str] = &[
    "created",
    "consumed",
    "moved",
    "split",
    "merged",
    "dropped",
    "picked",
    "marked",
    "unmarked",
    "set",
    "departed",
    "arrived",
    "lifted",
    "put",
    "returned",
    "done",
    "equipped",
    "unequipped",
    "resized",
];

fn expected(parser: &mut LineParser<'_, '_>) -> Parsed<Expected> {
    if parser.keyword("refused") {
        return refused(parser);
    }
    let verb = parser.word("`refused`, or what was done, such as `moved 2`")?;
    if !PAST_VERBS.contains(&verb.as_str()) {
        let known = PAST_VERBS.iter().copied().chain(["refused"]);
        let error = SentenceError::new(verb.span(), format!("`{verb}` is not an answer"));
        let meant = nearest(verb.as_str(), known).unwrap_or("moved");
        return Err(error.help(format!("write `-> {meant}{}`", if meant == "refused" { "" } else { " 2" })));
    }
    if verb.as_str() == "picked" {
        parser.require_keyword("up")?;
    }
    Ok(Expected::Count(u64::from(parser.count()?)))
}

fn refused(parser: &mut LineParser<'_, '_>) -> Parsed<Expected> {
    if !parser.take_colon() {
        return Ok(Expected::Refused(None, None));
    }
    let word = parser.word("a reason")?;
    let Some(reason) = Reason::from_code(word.as_str()) else {
        let codes = Reason::ALL.map(Reason::code);
        let help = match nearest(word.as_str(), codes) {
            Some(code) => format!("did you mean `{code}`?"),
            None => format!("the reasons are {}", codes.join(", ")),
        };
        return Err(SentenceError::new(word.span(), format!("`{word}` is not a reason")).help(help));
    };
    let figures = if parser.take_comma() { Some(figures(parser)?) } else { None };
    Ok(Expected::Refused(Some(reason), figures))
}

/// `204 kg of 180 kg`, `7 of 5`
fn figures(parser: &mut LineParser<'_, '_>) -> Parsed<Figures> {
    let asked = parser.decimal()?;
    let unit = if parser.keyword_ahead("of") { None } else { Some(parser.word("`of`")?) };
    parser.require_keyword("of")?;
    let allowed = parser.decimal()?;
    if let Some(unit) = unit.as_ref().filter(|_| !parser.is_empty()) {
        parser.require_keyword(unit.as_str())?;
    }
    Ok(Figures { asked, allowed, unit })
}

fn check(parser: &mut LineParser<'_, '_>) -> Parsed<Check> {
    let check = match claim(parser)? {
        Some(claim) => {
            let comparison = parser.comparison()?;
            let number = parser.decimal()?;
            let unit = if parser.is_empty() { None } else { Some(parser.word("a unit")?) };
            Check::Measure { claim, comparison, number, unit }
        }
        None if parser.keyword("burden") => {
            parser.require_keyword("of")?;
            let holder = parser.path()?;
            parser.require_colon()?;
            let label = if parser.keyword("nothing") { None } else { Some(parser.word("a burden or `nothing`")?) };
            Check::Burden { holder, label }
        }
        None if parser.keyword("shortcuts") => {
            parser.require_keyword("of")?;
            let holder = parser.path()?;
            parser.require_colon()?;
            Check::Shortcuts { holder, kinds: shortcuts(parser)? }
        }
        None => {
            let place = parser.path()?;
            let mode = if parser.keyword("has") { Mode::AtLeast } else { Mode::Exactly };
            parser.require_colon()?;
            Check::Contents { place, mode, contents: parser.portions()? }
        }
    };
    parser.end()?;
    Ok(check)
}

fn shortcuts(parser: &mut LineParser<'_, '_>) -> Parsed<Vec<Option<Word>>> {
    let mut kinds = Vec::new();
    loop {
        kinds.push(if parser.keyword("nothing") { None } else { Some(parser.word("a kind or `nothing`")?) });
        if !parser.take_comma() {
            return Ok(kinds);
        }
    }
}

/// What a measure begins with; nothing if the line is none.
fn claim(parser: &mut LineParser<'_, '_>) -> Parsed<Option<Claim>> {
    if parser.keyword("weight") {
        parser.require_keyword("of")?;
        return parser.path().map(Claim::Weight).map(Some);
    }
    if parser.keyword("attribute") {
        let name = parser.word("an attribute")?;
        parser.require_keyword("of")?;
        return parser.path().map(|holder| Some(Claim::Attribute(name, holder)));
    }
    if parser.keyword("free") {
        parser.require_keyword("slots")?;
        parser.require_keyword("of")?;
        return parser.path().map(Claim::FreeSlots).map(Some);
    }
    if parser.keyword("count") {
        parser.require_keyword("of")?;
        let name = parser.word("a kind, a tag or a mark")?;
        let place = if parser.keyword("in") { Some(parser.path()?) } else { None };
        return Ok(Some(Claim::Count(name, place)));
    }
    Ok(None)
}
