//! Reading recipes.

use toml::Spanned;
use toml::de::DeValue;

use super::pattern::read_pattern;
use super::yields::read_yields;
use super::{IngredientSource, RecipeSource, WhenFull};
use crate::ruleset::read::Reading;
use crate::ruleset::source::Written;
use crate::ruleset::toml::{check_name, read_access, read_counts, read_portion};
use crate::text::{Diagnostic, Location};

const RECIPE: &[&str] = &[
    "at",
    "by",
    "inputs",
    "pattern",
    "legend",
    "mirrored",
    "tools",
    "outputs",
    "yields",
    "outputs-to",
    "loot",
    "duration",
    "when-full",
    "automatic",
];

/// A recipe; `None` if it is no table.
pub(in crate::ruleset) fn read(
    reading: &mut Reading<'_>,
    id: Written<String>,
    value: &Spanned<DeValue<'_>>,
) -> Option<RecipeSource> {
    check_name(reading, &id, "recipe", false);
    let whose = format!("recipe `{}`", id.value);
    let section = reading.section(value, whose.as_str(), RECIPE)?;
    let mut unread = Vec::new();
    let duration = reading.count(&section, "duration");
    let when_full = section.table.get("when-full").and_then(|value| {
        let (at, value) = (reading.at(value), reading.choice(&section, "when-full", WhenFull::ALL)?);
        Some(Written { value, at })
    });
    // Loot may have no inputs.
    let is_loot = reading.noting(&mut unread, "inputs", |it, _| it.flag(&section, "loot")).unwrap_or(false);
    let loot = section.table.get("loot").filter(|_| is_loot).map(|value| reading.at(value));
    let is_automatic = reading.flag(&section, "automatic").unwrap_or(false);
    let automatic = section.table.get("automatic").filter(|_| is_automatic).map(|value| reading.at(value));
    let noted = &mut unread;
    let of_pattern = reading.noting(noted, "inputs", |it, _| read_pattern(it, &section, &whose));
    let inputs = reading.noting(noted, "inputs", |it, key| read_counts(it, &section, key, read_ingredient));
    let (pattern, inputs) = match of_pattern {
        Some((pattern, of_pattern)) => {
            if let Some(both) = section.table.get("inputs") {
                let message = format!("{whose} has `inputs` and `pattern`");
                let fault =
                    Diagnostic::error("not-supported", reading.at(both), message).label("one of them is enough");
                reading.faults.push(fault.help("Name all inputs in the pattern, or leave it out"));
            }
            (Some(pattern), of_pattern)
        }
        None => (None, inputs),
    };
    Some(RecipeSource {
        at: reading.noting(noted, "at", |it, key| it.word_or_words(&section, key)).unwrap_or_default(),
        by: read_access(reading, &section, "by"),
        inputs,
        tools: read_counts(reading, &section, "tools", read_ingredient),
        outputs: reading.noting(noted, "outputs", |it, key| read_counts(it, &section, key, read_portion)),
        pattern,
        yields: reading.noting(noted, "yields", |it, _| read_yields(it, &section, &whose)),
        outputs_to: reading.written_text(&section, "outputs-to"),
        loot,
        duration,
        when_full,
        automatic,
        unread,
        id,
    })
}

/// A count with a kind or a filter.
fn read_ingredient(reading: &mut Reading<'_>, value: &Spanned<DeValue<'_>>, text: &str) -> Option<IngredientSource> {
    let at: Location = reading.at(value);
    let number = text.split_whitespace().next().unwrap_or_default();
    let is_plain = number.bytes().all(|digit| digit.is_ascii_digit());
    let count = number.parse::<u32>().ok().filter(|&count| is_plain && count > 0);
    let rest = text.trim_start().strip_prefix(number).unwrap_or_default();
    let (Some(count), false) = (count, rest.trim().is_empty()) else {
        let message = format!("`{}` is not a count and a kind or a filter", crate::language::shortened(text));
        let help = "Write a count from 1 on and a kind or a filter, such as \"2 snow\" or \"1 fuel and not wet\"";
        reading.faults.push(Diagnostic::error("bad-portion", at, message).help(help));
        return None;
    };
    let origin = reading.origin(value, text).map(|origin| origin + (text.len() - rest.len()));
    let of = reading.filter_in(rest, at, origin)?;
    Some(IngredientSource { at, count, of })
}
