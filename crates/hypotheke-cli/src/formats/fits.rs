//! The JSON and CSV that `fits` writes.

use hypotheke::fits::{Bearer, Fit, Fits, LimitedBy, SlotGroup, Verdict};
use hypotheke::{Kind, Ruleset};
use schemars::JsonSchema;
use serde::Serialize;

use crate::clean::clean;
use crate::files::InputError;

/// Which kinds fit into which slots.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct FitsJson {
    /// Each kind with each group of slots.
    fits: Vec<FitJson>,
}

/// A kind and a group of slots.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
struct FitJson {
    /// The kind.
    kind: String,
    /// The container.
    container: String,
    /// The slots: their names or numbers; empty for all of them.
    slots: String,
    /// `yes`, `no` or `depends`, on marks or properties.
    admitted: &'static str,
    /// The rule that rejects it, or on which it depends.
    rule: String,
    /// The maximum number of items in one of the slots; null if it admits none.
    per_slot: Option<u32>,
    /// The maximum number of items in the container.
    per_container: Option<u64>,
    /// The limit that is reached first: `room`, `weight`, `cap` or `nothing`.
    limited_by: Option<&'static str>,
    /// The container or holder that has this cap or weight cap.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    limit_owner: Option<String>,
    /// Who may put items in, if the ruleset lists them. What fits does not depend on it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    put_by: Vec<String>,
    /// The recipes of the container that use it up or need it as a tool, perhaps only with certain
    /// marks or properties.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    recipes: Vec<String>,
}

pub(crate) fn rule_text(verdict: &Verdict) -> (&'static str, String) {
    match verdict {
        Verdict::Admitted => ("yes", String::new()),
        Verdict::Depends { filter } => ("depends", format!("admits {filter}")),
        Verdict::NotInContainer { filter } => ("no", format!("container admits {filter}")),
        Verdict::NotInSlot { filter } => ("no", format!("slot admits {filter}")),
        Verdict::NoPut => ("no", "nobody may put items in".to_owned()),
        Verdict::OccupiesSlots { slots } => ("no", format!("occupies {slots}")),
    }
}

pub(crate) fn limit_text(limit: LimitedBy) -> &'static str {
    match limit {
        LimitedBy::Room => "room",
        LimitedBy::Weight => "weight",
        LimitedBy::Cap => "cap",
        LimitedBy::Nothing => "nothing",
    }
}

/// The container or holder that has the limit.
fn whose(group: &SlotGroup, fit: &Fit) -> Option<String> {
    fit.whose.as_ref().map(|whose| match whose {
        Bearer::Container => group.container.clone(),
        Bearer::Holder(name) => name.clone(),
    })
}

fn recipes(rules: &Ruleset, fit: &Fit) -> Vec<String> {
    fit.recipes.iter().filter_map(|&id| Some(rules.recipe(id)?.id().to_owned())).collect()
}

fn all<'f>(
    rules: &'f Ruleset,
    found: &'f Fits,
    wanted: impl Fn(Kind<'f>) -> bool,
) -> impl Iterator<Item = (Kind<'f>, &'f SlotGroup, &'f Fit)> {
    let kinds =
        found.rows().filter_map(|(id, fits)| Some((rules.kind(id)?, fits))).filter(move |(kind, _)| wanted(*kind));
    kinds.flat_map(|(kind, fits)| found.groups().iter().zip(fits).map(move |(group, fit)| (kind, group, fit)))
}

impl FitsJson {
    pub(crate) fn new<'f>(rules: &'f Ruleset, found: &'f Fits, wanted: impl Fn(Kind<'f>) -> bool) -> FitsJson {
        let fit_json = |(kind, group, fit): (Kind<'_>, &SlotGroup, &Fit)| {
            let (admitted, rule) = rule_text(&fit.verdict);
            let is_admitted = admitted != "no";
            FitJson {
                kind: kind.id().to_owned(),
                container: group.container.clone(),
                slots: group.slots.clone(),
                admitted,
                rule,
                per_slot: is_admitted.then_some(fit.per_slot),
                per_container: is_admitted.then_some(fit.per_container),
                limited_by: is_admitted.then(|| limit_text(fit.limited_by)),
                limit_owner: whose(group, fit).filter(|_| is_admitted),
                put_by: group.put_by.clone(),
                recipes: recipes(rules, fit),
            }
        };
        FitsJson { fits: all(rules, found, wanted).map(fit_json).collect() }
    }
}

pub(crate) fn csv_text<'f>(
    rules: &'f Ruleset,
    found: &'f Fits,
    wanted: impl Fn(Kind<'f>) -> bool,
) -> Result<String, InputError> {
    let mut table = csv::Writer::from_writer(Vec::new());
    let heads = [
        "kind",
        "name",
        "container",
        "slots",
        "admitted",
        "rule",
        "per-slot",
        "per-container",
        "limited-by",
        "limit-owner",
        "recipes",
    ];
    table.write_record(heads).map_err(std::io::Error::other)?;
    for (kind, group, fit) in all(rules, found, wanted) {
        let (admitted, rule) = rule_text(&fit.verdict);
        let cells = [kind.id(), kind.name(), &group.container, &group.slots, admitted, &rule];
        let cells = cells.map(harmless);
        let numbers = match admitted {
            "no" => Default::default(),
            _ => {
                let whose = harmless(&whose(group, fit).unwrap_or_default());
                [fit.per_slot.to_string(), fit.per_container.to_string(), limit_text(fit.limited_by).to_owned(), whose]
            }
        };
        let recipes = harmless(&recipes(rules, fit).join(", "));
        table.write_record(cells.iter().chain(&numbers).chain([&recipes])).map_err(std::io::Error::other)?;
    }
    let bytes = table.into_inner().map_err(|error| std::io::Error::other(error.to_string()))?;
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}

/// Spreadsheets read some texts as formulas. A leading quotation mark makes them plain text.
fn harmless(text: &str) -> String {
    let is_formula = text.starts_with(['=', '+', '-', '@', '\t', '\r', '\n']);
    let text = clean(text);
    if is_formula { format!("'{text}") } else { text }
}

#[cfg(test)]
mod tests {
    use super::harmless;

    #[test]
    fn no_cell_is_a_formula() {
        for text in ["=1+1", "+1", "-1", "@sum(a)"] {
            assert_eq!(harmless(text), format!("'{text}"));
        }
        assert_eq!(harmless("\t=1"), "'\u{fffd}=1");
        assert_eq!(harmless("a\u{202e}b\u{9b}"), "a\u{fffd}b\u{fffd}");
        assert_eq!(harmless("Fuel drum"), "Fuel drum");
        assert_eq!(harmless("a=b"), "a=b");
    }
}
