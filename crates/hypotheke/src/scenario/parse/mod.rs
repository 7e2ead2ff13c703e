//! Reading a scenario file, line by line. A line that can't be read is a fault; the lines after it
//! are still read.

mod body;
pub(crate) mod lines;
mod table;

use rustc_hash::FxHashMap;

use super::error::ScenarioErrors;
use super::tree::{Block, Body, Line, Scenario, ScenarioFile, SharedStart, SharedSteps, Start, StartBase};
use crate::language::{LineParser, SentenceError, Token, TokenKind, lex};
use crate::text::{Diagnostic, Diagnostics, Faults, Location, Source, SourceId, Span, Word};
use body::{BodyReader, StepsReader};
use table::TableReader;

/// The most bytes of one line.
pub(crate) const LONGEST_LINE: usize = 100_000;

type Parsed<T> = Result<T, SentenceError>;

/// Where the next line belongs.
enum Current {
    /// Before the first block.
    Outside,
    Start(Line<SharedStart>),
    Steps(Line<SharedSteps>, StepsReader),
    Scenario(Line<Word>, Box<BodyReader>),
    Table(Line<Word>, TableReader),
    /// After a heading that could not be read: its lines are not looked at.
    Skipped,
}

struct Reader {
    file: ScenarioFile,
    current: Current,
    titles: FxHashMap<String, Span>,
    comments: Vec<String>,
    /// The line before was a heading.
    after_head: bool,
    faults: Faults,
}

impl ScenarioFile {
    /// Reads a scenario file from text.
    ///
    /// # Errors
    /// Every line that can't be read.
    pub fn parse(source: Source) -> Result<ScenarioFile, ScenarioErrors> {
        let text = source.clone();
        let mut reader = Reader {
            file: ScenarioFile { source, ruleset: None, blocks: Vec::new(), end_comments: Vec::new() },
            current: Current::Outside,
            titles: FxHashMap::default(),
            comments: Vec::new(),
            after_head: true,
            faults: Faults::default(),
        };
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
        }
        reader.finish_block();
        reader.file.end_comments = std::mem::take(&mut reader.comments);
        if reader.file.end_comments.last().is_some_and(String::is_empty) {
            reader.file.end_comments.pop();
        }
        reader.check_whole();
        if reader.faults.is_empty() {
            return Ok(reader.file);
        }
        Err(ScenarioErrors::new(Diagnostics::new(vec![text], reader.faults)))
    }
}

/// What is wrong with a sentence, as what is wrong with the file.
pub(crate) fn diagnostic(error: &SentenceError) -> Diagnostic {
    let location = Location::new(SourceId(0), error.span());
    let fault = Diagnostic::error("bad-sentence", location, error.to_string());
    fault.maybe_help(error.help_text().map(str::to_owned))
}

impl Reader {
    fn fault(&mut self, error: &SentenceError) {
        self.faults.push(diagnostic(error));
    }

    fn check_whole(&mut self) {
        if self.file.scenarios().next().is_none() && self.faults.is_empty() {
            let fault = Diagnostic::error("empty", Location::default(), "this file has no scenarios");
            self.faults.push(fault.help("Begin a scenario with a line `scenario TITLE`"));
        }
    }

    fn line(&mut self, content: &str, offset: usize, tokens: &[Token<'_>]) {
        let Some(first) = tokens.first() else { return self.blank_line() };
        if first.kind == TokenKind::Comment {
            self.comments.push(first.text.to_owned());
            return;
        }
        let span = Span::new(offset, offset + content.len());
        let mut parser = LineParser::new(tokens, span);
        if first.text == "ruleset" {
            self.ruleset(tokens, &title(content, offset, *first));
            return;
        }
        let is_head = parser.keyword_ahead("scenario") || matches!(first.text, "start" | "steps" | "end" | "table");
        let frame = self.frame(first, tokens, is_head);
        if parser.keyword("scenario") {
            self.scenario(frame, title(content, offset, *first));
            return;
        }
        let read = match (first.text, &mut self.current) {
            // `start NAME` and `steps NAME` stand outside of scenarios.
            ("start" | "steps", _) if is_shared(tokens) => self.shared(&mut parser, frame),
            ("table", Current::Scenario(_, body)) if body.is_untouched() => self.table(&mut parser, frame),
            (_, Current::Skipped) => Ok(()),
            (word, Current::Outside) => {
                if is_head {
                    self.current = Current::Skipped;
                }
                Err(outside(word, frame.span))
            }
            (_, Current::Start(shared)) => {
                let start = match first.text {
                    "start" | "steps" | "end" => Err(no_scenario(frame.span)),
                    _ => lines::start_line(&mut parser),
                };
                start.map(|line| shared.item.start.lines.push(frame.with(line)))
            }
            (_, Current::Steps(_, steps)) => steps.line(&mut parser, *first, frame),
            (_, Current::Scenario(_, body)) => body.line(&mut parser, *first, frame),
            (_, Current::Table(_, table)) => {
                table.line(tokens, frame, &mut self.faults);
                Ok(())
            }
        };
        if let Err(error) = read {
            self.fault(&error);
        }
    }

    /// An empty line between others is kept, as an empty comment; several are one.
    fn blank_line(&mut self) {
        if self.comments.last().is_none_or(|last| !last.is_empty()) {
            self.comments.push(String::new());
        }
    }

    /// Empty lines before and after a heading are a matter of layout.
    fn frame(&mut self, first: &Token<'_>, tokens: &[Token<'_>], is_head: bool) -> Line<()> {
        if (is_head || self.after_head) && self.comments.first().is_some_and(String::is_empty) {
            self.comments.remove(0);
        }
        self.after_head = is_head;
        let end = tokens.iter().rev().find(|token| token.kind != TokenKind::Comment);
        Line {
            item: (),
            span: Span::new(first.span.start(), end.map_or(0, |token| token.span.end())),
            comments: std::mem::take(&mut self.comments),
            remark: tokens.last().filter(|token| token.kind == TokenKind::Comment).map(|token| token.text.to_owned()),
        }
    }

    /// Puts what was being read where it belongs.
    fn finish_block(&mut self) {
        let block = match std::mem::replace(&mut self.current, Current::Skipped) {
            Current::Outside | Current::Skipped => return,
            Current::Start(line) => Block::Start(line),
            Current::Steps(mut line, steps) => {
                line.item.steps = steps.finish(&mut |error| self.faults.push(diagnostic(&error)));
                Block::Steps(line)
            }
            Current::Scenario(line, body) => {
                let written = body.finish(&mut |error| self.faults.push(diagnostic(&error)));
                Block::Scenario(Box::new(line.map(|title| Scenario { title, written, table: None })))
            }
            Current::Table(line, table) => {
                let table = Some(table.finish(&mut self.faults));
                Block::Scenario(Box::new(line.map(|title| Scenario { title, written: Body::default(), table })))
            }
        };
        self.file.blocks.push(block);
    }

    /// `ruleset ../rules.toml`, before everything else.
    fn ruleset(&mut self, tokens: &[Token<'_>], path: &Word) {
        let frame = self.frame(&tokens[0], tokens, true);
        let is_first = matches!(self.current, Current::Outside) && self.file.ruleset.is_none();
        if !is_first || path.as_str().is_empty() {
            let error = SentenceError::new(frame.span, "`ruleset FILE` must be the first line, once");
            self.fault(&error.help("Write it before the first scenario, such as `ruleset ../rules.toml`"));
            return;
        }
        let text = path.as_str().split(" #").next().unwrap_or_default().trim_end();
        let span = Span::new(path.span().start(), path.span().start() + text.len());
        self.file.ruleset = Some(frame.with(Word::new(text, span)));
    }

    fn scenario(&mut self, mut frame: Line<()>, title: Word) {
        self.finish_block();
        // The title is the rest of its line, hash signs and all.
        frame.remark = None;
        if title.as_str().is_empty() {
            let error = SentenceError::new(frame.span, "the title is missing");
            self.fault(&error.help("Describe the scenario in a few words"));
        } else if let Some(first) = self.titles.insert(title.to_string(), title.span()) {
            let message = format!("there are two scenarios `{title}`");
            let fault = Diagnostic::error("duplicate", Location::new(SourceId(0), title.span()), message);
            self.faults.push(fault.related(Location::new(SourceId(0), first), "the first one"));
        }
        self.current = Current::Scenario(frame.with(title), Box::default());
    }

    /// `start NAME`, `start NAME as …`, `steps NAME`
    fn shared(&mut self, parser: &mut LineParser<'_, '_>, frame: Line<()>) -> Parsed<()> {
        self.finish_block();
        let is_start = parser.keyword("start");
        if !is_start {
            parser.require_keyword("steps")?;
        }
        let name = parser.word("a name")?;
        let start = if is_start { start_head(parser)? } else { Start::default() };
        parser.end()?;
        if is_start {
            unique(self.file.starts().map(|shared| &shared.name), &name, "starts")?;
            self.current = Current::Start(frame.with(SharedStart { name, start }));
        } else {
            unique(self.file.shared_steps().map(|shared| &shared.name), &name, "lists of steps")?;
            let steps = SharedSteps { name, steps: Vec::new() };
            self.current = Current::Steps(frame.with(steps), StepsReader::default());
        }
        Ok(())
    }

    fn table(&mut self, parser: &mut LineParser<'_, '_>, frame: Line<()>) -> Parsed<()> {
        let Current::Scenario(title, _) = std::mem::replace(&mut self.current, Current::Skipped) else { return Ok(()) };
        match TableReader::new(parser, frame) {
            Ok(table) => self.current = Current::Table(title, table),
            Err(error) => return Err(error),
        }
        Ok(())
    }
}

/// `start NAME` or `steps NAME`, but not `start as NAME` nor `start over limits`.
fn is_shared(tokens: &[Token<'_>]) -> bool {
    tokens.get(1).is_some_and(|second| second.kind == TokenKind::Word && !matches!(second.text, "as" | "over"))
}

fn title(content: &str, offset: usize, first: Token<'_>) -> Word {
    let rest = &content[first.span.end() - offset..];
    let start = offset + content.len() - rest.trim_start().len();
    Word::new(rest.trim(), Span::new(start, start + rest.trim().len()))
}

fn unique<'w>(mut known: impl Iterator<Item = &'w Word>, name: &Word, what: &str) -> Parsed<()> {
    if known.any(|known| known == name) {
        return Err(SentenceError::new(name.span(), format!("there are two {what} `{name}`")));
    }
    Ok(())
}

fn outside(word: &str, span: Span) -> SentenceError {
    match word {
        "start" => SentenceError::new(span, "this start is in no scenario")
            .help("Name a start outside of scenarios: `start NAME`"),
        "steps" | "end" | "table" => no_scenario(span),
        _ => SentenceError::new(span, "this line is in no scenario").help("Begin a scenario: `scenario TITLE`"),
    }
}

fn no_scenario(span: Span) -> SentenceError {
    SentenceError::new(span, "this line is in no scenario").help("Begin a scenario: `scenario TITLE`")
}

/// The words after `start` and its name: `as ruleset`, `as NAME over limits`, or none.
fn start_head(parser: &mut LineParser<'_, '_>) -> Parsed<Start> {
    let base = base(parser)?;
    let over_limits = parser.keyword("over");
    if over_limits {
        parser.require_keyword("limits")?;
    }
    Ok(Start { base, over_limits, lines: Vec::new() })
}

/// `as ruleset`, `as NAME`, or nothing.
fn base(parser: &mut LineParser<'_, '_>) -> Parsed<StartBase> {
    if !parser.keyword("as") {
        return Ok(StartBase::Nothing);
    }
    Ok(match parser.word("`ruleset` or the name of a start")? {
        word if word.as_str() == "ruleset" => StartBase::Ruleset,
        word => StartBase::Shared(word),
    })
}

impl Line<()> {
    fn with<T>(self, item: T) -> Line<T> {
        Line { item, span: self.span, comments: self.comments, remark: self.remark }
    }
}

impl<T> Line<T> {
    fn map<U>(self, change: impl FnOnce(T) -> U) -> Line<U> {
        Line { item: change(self.item), span: self.span, comments: self.comments, remark: self.remark }
    }
}
