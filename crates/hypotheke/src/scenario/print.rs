//! The canonical layout. What is printed parses back to the same file.

use std::fmt::{self, Display, Formatter, Write};

use super::tree::{
    Block, Body, Check, Claim, Expected, Figures, Line, ListStep, Mode, Operand, ScenarioFile, SentRequest, Start,
    StartBase, StartLine, Step, Table, Together,
};
use crate::language::{NamedAction, NamedOperation, owner_text, times_text};
use crate::text::Word;

fn print_line<T>(f: &mut Formatter<'_>, line: &Line<T>, indent: usize, text: &impl Display) -> fmt::Result {
    for comment in &line.comments {
        let indent = if comment.is_empty() { 0 } else { indent };
        writeln!(f, "{:indent$}{comment}", "")?;
    }
    write!(f, "{:indent$}{text}", "")?;
    match &line.remark {
        Some(remark) => writeln!(f, "  {remark}"),
        None => f.write_char('\n'),
    }
}

impl Display for ScenarioFile {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        if let Some(line) = &self.ruleset {
            print_line(f, line, 0, &format!("ruleset {}", line.item))?;
        }
        for (index, block) in self.blocks.iter().enumerate() {
            if index > 0 || self.ruleset.is_some() {
                f.write_char('\n')?;
            }
            print_block(f, block)?;
        }
        for comment in &self.end_comments {
            writeln!(f, "{comment}")?;
        }
        Ok(())
    }
}

fn print_block(f: &mut Formatter<'_>, block: &Block) -> fmt::Result {
    match block {
        Block::Start(line) => {
            print_line(f, line, 0, &format!("start {}{}", line.item.name, start_head(&line.item.start)))?;
            print_start(f, &line.item.start, 2)
        }
        Block::Steps(line) => {
            print_line(f, line, 0, &format!("steps {}", line.item.name))?;
            print_steps(f, &line.item.steps, 2)
        }
        Block::Scenario(line) => {
            print_line(f, line, 0, &format!("scenario {}", line.item.title))?;
            match &line.item.table {
                Some(table) => print_table(f, table),
                None => print_body(f, &line.item.written),
            }
        }
    }
}

fn print_body(f: &mut Formatter<'_>, body: &Body) -> fmt::Result {
    if let Some(start) = &body.start {
        print_line(f, start, 2, &format!("start{}", start_head(&start.item)))?;
        print_start(f, &start.item, 4)?;
    }
    if let Some(head) = &body.steps_head {
        print_line(f, head, 2, &"steps")?;
    }
    print_steps(f, &body.steps, 4)?;
    if let Some(head) = &body.end_head {
        print_line(f, head, 2, &"end")?;
    }
    body.end.iter().try_for_each(|check| print_line(f, check, 4, &check.item))
}

/// Steps, the answers of those that follow each other one under the other.
fn print_steps(f: &mut Formatter<'_>, steps: &[Line<Step>], indent: usize) -> fmt::Result {
    let described: Vec<(String, String)> = steps.iter().map(|step| step_texts(&step.item)).collect();
    let column = described.iter().filter(|(_, answer)| !answer.is_empty()).map(|(head, _)| head.chars().count()).max();
    let column = column.unwrap_or(0).min(WIDEST_HEAD);
    for (step, (head, answer)) in steps.iter().zip(&described) {
        if let Step::Together(list, _) = &step.item {
            print_list(f, step, list, answer, indent)?;
        } else if answer.is_empty() {
            print_line(f, step, indent, head)?;
        } else {
            print_line(f, step, indent, &format!("{head:column$}  {answer}"))?;
        }
    }
    Ok(())
}

/// Answers stand no further to the right, however long another line is.
const WIDEST_HEAD: usize = 60;

fn print_list(f: &mut Formatter<'_>, step: &Line<Step>, list: &Together, answer: &str, indent: usize) -> fmt::Result {
    let actor = list.operation.actor.as_ref().map(|actor| format!("{actor} "));
    print_line(f, step, indent, &format!("{}together", actor.unwrap_or_default()))?;
    if let NamedAction::Together { steps } = &list.operation.action {
        list.lines.iter().zip(steps).try_for_each(|(line, step)| print_line(f, line, indent + 2, step))?;
    }
    let gap = if answer.is_empty() { "" } else { "  " };
    print_line(f, &list.done, indent, &format!("done{gap}{answer}"))
}

/// Columns one under the other, then the lines in which they stand for their values.
fn print_table(f: &mut Formatter<'_>, table: &Line<Table>) -> fmt::Result {
    let Table { columns, rows, lines } = &table.item;
    let names: Vec<&str> = columns.iter().map(Word::as_str).collect();
    let width = |column: usize| {
        let cells = rows.iter().map(|row| row.item.cells[column].as_str());
        cells.chain([names[column]]).map(|cell| cell.chars().count()).max().unwrap_or(0)
    };
    let widths: Vec<usize> = (0..columns.len()).map(width).collect();
    let row_text = |cells: &[&str]| {
        let padded: Vec<String> = cells.iter().zip(&widths).map(|(cell, &width)| format!("{cell:width$}")).collect();
        padded.join(" | ").trim_end().to_owned()
    };
    print_line(f, table, 2, &format!("table {}", row_text(&names)))?;
    for row in rows {
        let cells: Vec<&str> = row.item.cells.iter().map(Word::as_str).collect();
        print_line(f, row, 2 + "table ".len(), &row_text(&cells))?;
    }
    for line in lines {
        print_line(f, line, if line.item.is_heading { 2 } else { 4 }, &line.item.text)?;
    }
    Ok(())
}

fn print_start(f: &mut Formatter<'_>, start: &Start, indent: usize) -> fmt::Result {
    start.lines.iter().try_for_each(|line| print_line(f, line, indent, &line.item))
}

/// The words after `start` and its name.
fn start_head(start: &Start) -> String {
    format!("{}{}", start.base, if start.over_limits { " over limits" } else { "" })
}

impl Display for StartBase {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match self {
            StartBase::Nothing => Ok(()),
            StartBase::Ruleset => f.write_str(" as ruleset"),
            StartBase::Shared(name) => write!(f, " as {name}"),
        }
    }
}

/// `2 ration-box, 1 flare`, or `nothing`.
fn joined<T: Display>(items: &[T], between: &str) -> String {
    if items.is_empty() {
        return "nothing".to_owned();
    }
    items.iter().map(ToString::to_string).collect::<Vec<_>>().join(between)
}

impl Display for StartLine {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        let at = self.at.map_or_else(String::new, |position| format!(" at {position}"));
        write!(f, "{}{at}: {}", self.place, joined(&self.contents, ", "))
    }
}

/// An operation and its answer, or what else the step says.
pub(super) fn step_texts(step: &Step) -> (String, String) {
    match step {
        Step::Now(check) => (format!("now {check}"), String::new()),
        Step::Do(name) => (format!("do {name}"), String::new()),
        Step::Snapshot(name) => (format!("snapshot {name}"), String::new()),
        Step::SaveThenLoad => ("save then load".to_owned(), String::new()),
        Step::Undo { revision, expected } => {
            let revision = revision.map_or_else(String::new, |revision| format!(" revision {revision}"));
            let answer = if *expected == Expected::Complete { String::new() } else { format!("-> {expected}") };
            (format!("undo{revision}"), answer)
        }
        Step::Request(request, expected) => (request.to_string(), answer_text(&request.operation, expected)),
        Step::Operation(operation, expected) => (operation.to_string(), answer_text(operation, expected)),
        Step::Together(list, expected) => (list.operation.to_string(), answer_text(&list.operation, expected)),
    }
}

fn answer_text(operation: &NamedOperation, expected: &Expected) -> String {
    match expected {
        Expected::Complete => String::new(),
        Expected::Done { .. } => format!("-> {} {expected}", operation.action.past_verb()),
        Expected::Unchanged | Expected::Refused { .. } => format!("-> {expected}"),
    }
}

impl Display for Step {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        let (head, answer) = step_texts(self);
        f.write_str(&head)?;
        if answer.is_empty() { Ok(()) } else { write!(f, " {answer}") }
    }
}

impl Display for SentRequest {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        let id = self.id.iter().map(|id| format!("request {id}"));
        let expects = self.expects.iter().map(|revision| format!("at revision {revision}"));
        write!(f, "{}: {}", id.chain(expects).collect::<Vec<_>>().join(" "), self.operation)
    }
}

impl Display for ListStep {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match self {
            ListStep::Step(step) => write!(f, "in step {step}"),
            ListStep::End => f.write_str("at the end"),
        }
    }
}

impl Display for Expected {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match self {
            Expected::Complete => f.write_str("applied in full"),
            Expected::Done { count, requested: None } => write!(f, "{count}"),
            Expected::Done { count, requested: Some(requested) } => write!(f, "{count} of {requested}"),
            Expected::Unchanged => f.write_str("nothing changed"),
            Expected::Refused { reason, figures, at, max_amount } => {
                f.write_str("refused")?;
                at.map_or(Ok(()), |at| write!(f, " {at}"))?;
                reason.map_or(Ok(()), |reason| write!(f, ": {reason}"))?;
                figures.as_ref().map_or(Ok(()), |figures| write!(f, ", {figures}"))?;
                max_amount.map_or(Ok(()), |amount| write!(f, "; up to {amount}"))
            }
        }
    }
}

impl Display for Figures {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match &self.unit {
            Some(unit) => write!(f, "{} {unit} of {} {unit}", self.requested, self.allowed),
            None => write!(f, "{} of {}", self.requested, self.allowed),
        }
    }
}

impl Display for Check {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match self {
            Check::Contents { place, mode, contents } => {
                let has = if *mode == Mode::AtLeast { " has" } else { "" };
                write!(f, "{place}{has}: {}", joined(contents, ", "))
            }
            Check::LyingAt { position, mode, contents } => {
                let has = if *mode == Mode::AtLeast { " has" } else { "" };
                write!(f, "ground at {position}{has}: {}", joined(contents, ", "))
            }
            Check::Origin { holder, slot } => {
                let slot = slot.as_ref().map_or_else(|| "nothing".to_owned(), ToString::to_string);
                write!(f, "origin of {holder}: {slot}")
            }
            Check::Encumbrance { holder, label } => {
                write!(f, "encumbrance of {holder}: {}", label.as_ref().map_or("nothing", Word::as_str))
            }
            Check::Shortcuts { holder, kinds } => {
                let texts = kinds.iter().map(|kind| kind.as_ref().map_or("nothing", Word::as_str));
                write!(f, "shortcuts of {holder}: {}", texts.collect::<Vec<_>>().join(", "))
            }
            Check::PointsAt { shortcut, kind } => {
                write!(f, "{shortcut} points at {}", kind.as_ref().map_or("nothing", Word::as_str))
            }
            Check::Open { container, holder, open } => {
                write!(f, "{container} is {} to {holder}", if *open { "open" } else { "closed" })
            }
            Check::Works { container, job: None } => write!(f, "{container} works on nothing"),
            Check::Works { container, job: Some((times, recipe, left)) } => {
                write!(f, "{container} works on {}", times_text(*times, recipe.as_str()))?;
                left.map_or(Ok(()), |left| write!(f, " for {left}"))
            }
            Check::Owner { container, owner } => write!(f, "owner of {container}: {}", owner_text(owner.as_ref())),
            Check::Places { name, places } => write!(f, "places of {name}: {}", joined(places, ", ")),
            Check::Events { mode, events } => {
                let has = if *mode == Mode::AtLeast { " has" } else { "" };
                write!(f, "events{has}: {}", joined(events, "; "))
            }
            Check::UnchangedSince { snapshot } => write!(f, "unchanged since {snapshot}"),
            Check::NothingChanged => f.write_str("nothing changed"),
            Check::Measure { claim, comparison, operand } => {
                write!(f, "{claim} {} {operand}", comparison.symbol())
            }
        }
    }
}

impl Display for Operand {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match self {
            Operand::Number { number, unit: None } => write!(f, "{number}"),
            Operand::Number { number, unit: Some(unit) } => write!(f, "{number} {unit}"),
            Operand::Measured(claim) => write!(f, "{claim}"),
            Operand::AtStart(claim) => write!(f, "{claim} at start"),
        }
    }
}

impl Display for Claim {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match self {
            Claim::Weight(place) => write!(f, "weight of {place}"),
            Claim::Value(place) => write!(f, "value of {place}"),
            Claim::Count(name, None) => write!(f, "count of {name}"),
            Claim::Count(name, Some(place)) => write!(f, "count of {name} in {place}"),
            Claim::Attribute(name, holder) => write!(f, "attribute {name} of {holder}"),
            Claim::Meter(name, holder) => write!(f, "{name} of {holder}"),
            Claim::RoomFor(kind, place) => write!(f, "room for {kind} in {place}"),
            Claim::FreeSlots(place) => write!(f, "free slots of {place}"),
        }
    }
}
