use std::fmt;

use super::{Filter, Literal};

/// How tightly a filter binds; a part that binds less tightly than its surroundings needs
/// parentheses.
fn binding(filter: &Filter) -> u8 {
    match filter {
        Filter::Or(_) => 0,
        Filter::And(_) => 1,
        Filter::Not(_) => 2,
        Filter::Name(_) | Filter::Compare(..) => 3,
    }
}

fn print_part(part: &Filter, least: u8, f: &mut fmt::Formatter<'_>) -> fmt::Result {
    if binding(part) < least { write!(f, "({part})") } else { write!(f, "{part}") }
}

fn print_joined(parts: &[Filter], joint: &str, least: u8, f: &mut fmt::Formatter<'_>) -> fmt::Result {
    for (index, part) in parts.iter().enumerate() {
        if index > 0 {
            f.write_str(joint)?;
        }
        print_part(part, least, f)?;
    }
    Ok(())
}

impl fmt::Display for Filter {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Filter::Name(name) => f.write_str(name.as_str()),
            Filter::Compare(name, comparison, literal) => {
                write!(f, "{} {} {literal}", name.as_str(), comparison.symbol())
            }
            Filter::Not(part) => {
                f.write_str("not ")?;
                print_part(part, 2, f)
            }
            // A part of the same kind keeps its parentheses: they are part of how the filter was
            // written.
            Filter::And(parts) => print_joined(parts, " and ", 2, f),
            Filter::Or(parts) => print_joined(parts, " or ", 1, f),
        }
    }
}

impl fmt::Display for Literal {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Literal::Number(number) => write!(f, "{number}"),
            Literal::Text(text) => write!(f, "\"{text}\""),
        }
    }
}
