//! What fits where: a table of kinds and slots. Equal rows and equal columns are one, and each reason
//! is written once.

use std::collections::BTreeMap;

use hypotheke::Kind;
use hypotheke::fits::{Bearer, Fit, Fits, LimitedBy, SlotGroup, Verdict};
use maud::{Markup, html};

use super::kinds::MAX_KINDS;
use crate::findings::Report;
use crate::formats::fits::rule_text;

/// The columns that are listed.
const MAX_GROUPS: usize = 60;
/// The names of one row or column that are written out.
const MAX_NAMES: usize = 40;

/// A cell: what fits, and the reason or the limit, by its number.
type Cell = (Fitting, u32);

#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Fitting {
    /// None.
    No,
    /// Some, with certain marks or properties.
    Depends,
    /// This number in all.
    Most(u64),
}

pub(super) fn section(report: &Report) -> Markup {
    let found = Fits::of_first(&report.rules, MAX_KINDS);
    let mut reasons = Reasons::default();
    let groups = found.groups().len().min(MAX_GROUPS);
    let rows: Vec<(Kind<'_>, Vec<Cell>)> = found
        .rows()
        .filter_map(|(id, fits)| Some((report.rules.kind(id)?, fits)))
        .map(|(kind, fits)| {
            let cells = found.groups().iter().zip(fits).take(groups);
            (kind, cells.map(|(group, fit)| reasons.cell(group, fit)).collect())
        })
        .collect();
    let columns = alike((0..groups).map(|column| rows.iter().map(|(_, cells)| cells[column]).collect::<Vec<_>>()));
    let kinds = alike(rows.iter().map(|(_, cells)| cells.clone()));
    let table = html! {
        table.searchable.fits {
            caption {
                "The most items of a kind in a container that is empty otherwise: – if none fits, `if` where marks or properties decide. The small number is the reason, below."
            }
            thead {
                tr {
                    th scope="col" { "Kind" }
                    @for column in &columns {
                        th scope="col" { (names(column.iter().map(|&nth| name(&found.groups()[nth])))) }
                    }
                }
            }
            tbody {
                @for row in &kinds {
                    tr {
                        th scope="row" { (names(row.iter().map(|&nth| rows[nth].0.id().to_owned()))) }
                        @for column in &columns {
                            @let (fits, reason) = rows[row[0]].1[column[0]];
                            td.figure data-why=(reason) {
                                @match fits { Fitting::No => "–", Fitting::Depends => "if", Fitting::Most(most) => (most) }
                                sup { (reason) }
                            }
                        }
                    }
                }
            }
        }
    };
    html! {
        (super::wide("What fits where", &table))
        (super::and_more(report.rules.kinds().len().saturating_sub(MAX_KINDS), "kind", "List them with `hypotheke fits --format csv`."))
        (super::and_more(found.groups().len() - groups, "group of slots", "List them with `hypotheke fits --format csv`."))
        h3 { "Reasons" }
        ol.reasons { @for (nth, reason) in (1..).zip(&reasons.texts) { li id=(format!("why-{nth}")) { (reason) } } }
    }
}

/// Those that are equal, by number, in the order of the first of them.
fn alike<T: Ord>(all: impl Iterator<Item = T>) -> Vec<Vec<usize>> {
    let mut known: BTreeMap<T, usize> = BTreeMap::new();
    let mut groups: Vec<Vec<usize>> = Vec::new();
    for (nth, one) in all.enumerate() {
        let group = *known.entry(one).or_insert(groups.len());
        if group == groups.len() {
            groups.push(Vec::new());
        }
        groups[group].push(nth);
    }
    groups
}

fn names(all: impl ExactSizeIterator<Item = String>) -> String {
    let more = all.len().saturating_sub(MAX_NAMES);
    let mut names: Vec<String> = all.take(MAX_NAMES).collect();
    if more > 0 {
        names.push(format!("and {more} more"));
    }
    names.join(", ")
}

fn name(group: &SlotGroup) -> String {
    if group.slots.is_empty() { group.container.clone() } else { format!("{}/{}", group.container, group.slots) }
}

/// Each reason once, in the order in which they are met.
#[derive(Default)]
struct Reasons {
    texts: Vec<String>,
    known: BTreeMap<String, u32>,
}

impl Reasons {
    fn cell(&mut self, group: &SlotGroup, fit: &Fit) -> Cell {
        let (_, rule) = rule_text(&fit.verdict);
        let (fits, reason) = match &fit.verdict {
            Verdict::Admitted => (Fitting::Most(fit.per_container), limit(group, fit)),
            Verdict::Depends { filter } => (Fitting::Depends, format!("Only if it is {filter}")),
            Verdict::NotInContainer { .. } | Verdict::NotInSlot { .. } => (Fitting::No, format!("The {rule}")),
            Verdict::NoPut => (Fitting::No, "Nobody may put items in".to_owned()),
            Verdict::OccupiesSlots { slots } => (Fitting::No, format!("It occupies the slots {slots}")),
        };
        let next = u32::try_from(self.texts.len()).unwrap_or(u32::MAX).saturating_add(1);
        let number = *self.known.entry(reason.clone()).or_insert(next);
        if number == next {
            self.texts.push(reason);
        }
        (fits, number)
    }
}

/// What prevents more.
fn limit(group: &SlotGroup, fit: &Fit) -> String {
    let whose = match &fit.whose {
        None | Some(Bearer::Container) => group.container.clone(),
        Some(Bearer::Holder(name)) => name.clone(),
    };
    match fit.limited_by {
        LimitedBy::Room => "All slots are full".to_owned(),
        LimitedBy::Weight => format!("The weight cap of {whose} is reached"),
        LimitedBy::Cap => format!("A cap of {whose} is reached"),
        LimitedBy::Nothing => "Nothing limits it".to_owned(),
    }
}
