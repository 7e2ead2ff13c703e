//! The canonical layout. What is printed parses back to the same file.

use std::fmt::{self, Display, Formatter, Write};

use super::tree::{
    Check, Claim, Expected, Figures, Line, Mode, Scenario, ScenarioFile, Start, StartBase, StartLine, Step,
};
use crate::language::NamedPortion;

fn print_line<T>(f: &mut Formatter<'_>, line: &Line<T>, indent: usize, text: &impl Display) -> fmt::Result {
    for comment in &line.comments {
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
        let mut blank = "";
        for shared in &self.starts {
            f.write_str(blank)?;
            blank = "\n";
            let head = format!("start {}{}", shared.item.name, shared.item.start.base);
            print_line(f, shared, 0, &head)?;
            print_start(f, &shared.item.start, 2)?;
        }
        for scenario in &self.scenarios {
            f.write_str(blank)?;
            blank = "\n";
            print_line(f, scenario, 0, &format!("scenario {}", scenario.item.title))?;
            print_scenario(f, &scenario.item)?;
        }
        for comment in &self.end_comments {
            writeln!(f, "{comment}")?;
        }
        Ok(())
    }
}

fn print_scenario(f: &mut Formatter<'_>, scenario: &Scenario) -> fmt::Result {
    if let Some(start) = &scenario.start {
        print_line(f, start, 2, &format!("start{}", start.item.base))?;
        print_start(f, &start.item, 4)?;
    }
    if let Some(head) = &scenario.steps_head {
        print_line(f, head, 2, &"steps")?;
    }
    scenario.steps.iter().try_for_each(|step| print_line(f, step, 4, &step.item))?;
    if let Some(head) = &scenario.end_head {
        print_line(f, head, 2, &"end")?;
    }
    scenario.end.iter().try_for_each(|check| print_line(f, check, 4, &check.item))
}

fn print_start(f: &mut Formatter<'_>, start: &Start, indent: usize) -> fmt::Result {
    start.lines.iter().try_for_each(|line| print_line(f, line, indent, &line.item))
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
pub(super) fn contents_text(contents: &[NamedPortion]) -> String {
    if contents.is_empty() {
        return "nothing".to_owned();
    }
    contents.iter().map(ToString::to_string).collect::<Vec<_>>().join(", ")
}

impl Display for StartLine {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        write!(f, "{}: {}", self.place, contents_text(&self.contents))
    }
}

impl Display for Step {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match self {
            Step::Now(check) => write!(f, "now {check}"),
            Step::Operation(operation, expected) => {
                write!(f, "{operation}")?;
                match expected {
                    Expected::Whole => Ok(()),
                    Expected::Count(count) => write!(f, " -> {} {count}", operation.action.past_verb()),
                    Expected::Refused(..) => write!(f, " -> {expected}"),
                }
            }
        }
    }
}

impl Display for Expected {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match self {
            Expected::Whole => f.write_str("applied in full"),
            Expected::Count(count) => write!(f, "{count}"),
            Expected::Refused(None, _) => f.write_str("refused"),
            Expected::Refused(Some(reason), None) => write!(f, "refused: {reason}"),
            Expected::Refused(Some(reason), Some(figures)) => write!(f, "refused: {reason}, {figures}"),
        }
    }
}

impl Display for Figures {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match &self.unit {
            Some(unit) => write!(f, "{} {unit} of {} {unit}", self.asked, self.allowed),
            None => write!(f, "{} of {}", self.asked, self.allowed),
        }
    }
}

impl Display for Check {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match self {
            Check::Contents { place, mode, contents } => {
                let has = if *mode == Mode::AtLeast { " has" } else { "" };
                write!(f, "{place}{has}: {}", contents_text(contents))
            }
            Check::Burden { holder, label } => {
                write!(f, "burden of {holder}: {}", label.as_ref().map_or("nothing", crate::text::Word::as_str))
            }
            Check::Shortcuts { holder, kinds } => {
                let texts = kinds.iter().map(|kind| kind.as_ref().map_or("nothing", crate::text::Word::as_str));
                write!(f, "shortcuts of {holder}: {}", texts.collect::<Vec<_>>().join(", "))
            }
            Check::Measure { claim, comparison, number, unit } => {
                write!(f, "{claim} {} {number}", comparison.symbol())?;
                unit.as_ref().map_or(Ok(()), |unit| write!(f, " {unit}"))
            }
        }
    }
}

impl Display for Claim {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match self {
            Claim::Weight(place) => write!(f, "weight of {place}"),
            Claim::Count(name, None) => write!(f, "count of {name}"),
            Claim::Count(name, Some(place)) => write!(f, "count of {name} in {place}"),
            Claim::Attribute(name, holder) => write!(f, "attribute {name} of {holder}"),
            Claim::FreeSlots(place) => write!(f, "free slots of {place}"),
        }
    }
}
