//! The body of a scenario: a start, steps, an end.

use super::super::tree::{Body, Expected, Line, Step, Together};
use super::{Parsed, lines, start_head};
use crate::language::{LineParser, NamedAction, NamedOperation, SentenceError, Token};
use crate::text::Word;

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
enum Section {
    #[default]
    Title,
    Start,
    Steps,
    End,
    /// After a heading that could not be read.
    Skipped,
}

#[derive(Debug, Default)]
pub(super) struct BodyReader {
    body: Body,
    section: Section,
    steps: StepsReader,
}

impl BodyReader {
    /// True as long as only the title has been read.
    pub(super) fn is_untouched(&self) -> bool {
        self.section == Section::Title
    }

    pub(super) fn line(&mut self, parser: &mut LineParser<'_, '_>, first: Token<'_>, frame: Line<()>) -> Parsed<()> {
        match first.text {
            "start" => self.start(parser, frame),
            "steps" | "end" => self.heading(parser, first.text, frame),
            "table" => {
                self.section = Section::Skipped;
                Err(SentenceError::new(frame.span, "a table must follow the title"))
            }
            _ => self.content(parser, first, frame),
        }
    }

    fn start(&mut self, parser: &mut LineParser<'_, '_>, frame: Line<()>) -> Parsed<()> {
        self.section = Section::Skipped;
        parser.require_keyword("start")?;
        let start = start_head(parser)?;
        parser.end()?;
        if self.body.start.is_some() || self.body.steps_head.is_some() || self.body.end_head.is_some() {
            let error = SentenceError::new(frame.span, "Write one start, before the steps");
            return Err(error.help("Name a start that several scenarios share: `start NAME`"));
        }
        self.body.start = Some(frame.with(start));
        self.section = Section::Start;
        Ok(())
    }

    fn heading(&mut self, parser: &mut LineParser<'_, '_>, word: &str, frame: Line<()>) -> Parsed<()> {
        self.section = Section::Skipped;
        let (section, head, later) = match word {
            "steps" => (Section::Steps, &mut self.body.steps_head, self.body.end_head.is_some()),
            _ => (Section::End, &mut self.body.end_head, false),
        };
        if head.is_some() || later {
            let error = SentenceError::new(frame.span, "a scenario has one start, then steps, then one end");
            return Err(error.help("Write checks between steps as `now …`"));
        }
        *head = Some(frame);
        self.section = section;
        let _ = parser.word("a heading")?;
        parser.end()
    }

    fn content(&mut self, parser: &mut LineParser<'_, '_>, first: Token<'_>, frame: Line<()>) -> Parsed<()> {
        match self.section {
            Section::Skipped => {}
            Section::Title => {
                self.section = Section::Skipped;
                let error = SentenceError::new(frame.span, "this line is in no part of the scenario");
                return Err(error.help("Write `start`, `steps` or `end` before it"));
            }
            Section::Start => {
                let line = frame.with(lines::start_line(parser)?);
                self.body.start.iter_mut().for_each(|start| start.item.lines.push(line.clone()));
            }
            Section::Steps => self.steps.line(parser, first, frame)?,
            Section::End => self.body.end.push(frame.with(lines::check(parser)?)),
        }
        Ok(())
    }

    pub(super) fn finish(mut self, fault: &mut dyn FnMut(SentenceError)) -> Body {
        self.body.steps = self.steps.finish(fault);
        self.body
    }
}

/// Steps, some of which are lists of operations over several lines.
#[derive(Debug, Default)]
pub(super) struct StepsReader {
    steps: Vec<Line<Step>>,
    open: Option<Line<OpenList>>,
}

/// A list of operations whose end has not been read.
#[derive(Debug)]
struct OpenList {
    actor: Option<Word>,
    operations: Vec<NamedOperation>,
    lines: Vec<Line<()>>,
}

impl StepsReader {
    pub(super) fn line(&mut self, parser: &mut LineParser<'_, '_>, first: Token<'_>, frame: Line<()>) -> Parsed<()> {
        if let Some(open) = &mut self.open {
            if first.text == "done" {
                return self.close(parser, frame);
            }
            let operation = parser.operation()?;
            parser.end()?;
            open.item.operations.push(operation);
            open.item.lines.push(frame);
            return Ok(());
        }
        if let Some(actor) = parser.list_head() {
            let list = OpenList { actor, operations: Vec::new(), lines: Vec::new() };
            self.open = Some(frame.with(list));
            return Ok(());
        }
        if first.text == "done" {
            let error = SentenceError::new(frame.span, "no list of operations ends here");
            return Err(error.help("Begin one with a line `together`"));
        }
        self.steps.push(frame.with(lines::step(parser)?));
        Ok(())
    }

    fn close(&mut self, parser: &mut LineParser<'_, '_>, done: Line<()>) -> Parsed<()> {
        let Some(open) = self.open.take() else { return Ok(()) };
        parser.require_keyword("done")?;
        let expected: Expected = lines::answer(parser)?;
        self.steps.push(open.map(|list| {
            let action = NamedAction::Together { steps: list.operations };
            let operation = NamedOperation { actor: list.actor, action };
            Step::Together(Box::new(Together { operation, lines: list.lines, done }), expected)
        }));
        Ok(())
    }

    pub(super) fn finish(self, fault: &mut dyn FnMut(SentenceError)) -> Vec<Line<Step>> {
        if let Some(open) = self.open {
            let error = SentenceError::new(open.span, "the end of this list is missing");
            fault(error.help("End it with a line `done`"));
        }
        self.steps
    }
}
