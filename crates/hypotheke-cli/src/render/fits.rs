//! What fits where, as tables that are as wide as a page; as many as it takes.

use hypotheke::fits::{Bearer, Fit, Fits, LimitedBy, SlotGroup, Verdict};
use hypotheke::{Kind, Ruleset};

use super::page::WIDTH;
use super::report::counted;
use super::{Page, Tone, clip, pad, width};

const KIND: usize = 18;
/// The columns of one group, with the gap after it.
const CELL: usize = 13;

pub(crate) fn draw<'f>(rules: &'f Ruleset, found: &'f Fits, wanted: impl Fn(Kind<'f>) -> bool) -> String {
    let rows: Vec<(String, Vec<(Tone, String)>)> = found
        .rows()
        .filter_map(|(id, fits)| Some((rules.kind(id)?, fits)))
        .filter(|(kind, _)| wanted(*kind))
        .map(|(kind, fits)| (kind.id().to_owned(), fits.iter().map(cell).collect()))
        .collect();
    let mut page = Page::default();
    draw_tables(&mut page, found.groups(), &rows);
    page.put(Tone::Faint, "4 / 12 w").plain("  4 in a slot, 12 in the container; limited by ");
    page.put(Tone::Faint, "w").plain("eight, ").put(Tone::Faint, "c").plain("ap or ").put(Tone::Faint, "r");
    page.plain("oom; ").put(Tone::Faint, "W").plain(" or ").put(Tone::Faint, "C").plain(": of the holder").end();
    page.put(Tone::Faint, "- c").plain("  rejected by the container   ");
    page.put(Tone::Faint, "- s").plain("  rejected by the slot").end();
    page.put(Tone::Faint, "- n")
        .plain("  occupies missing slots   ")
        .put(Tone::Faint, "- p")
        .plain("  nothing may be put in")
        .end();
    page.put(Tone::Faint, "? 4").plain("  only with marks or properties, then 4 in a slot").end();
    page.into_text()
}

/// How many of the kinds with a tag are admitted.
pub(crate) fn draw_by_tag<'f>(rules: &'f Ruleset, found: &'f Fits, wanted: impl Fn(Kind<'f>) -> bool) -> String {
    let mut rows = Vec::new();
    let mut names: Vec<(String, Vec<&[Fit]>)> = Vec::new();
    for tag in rules.tags() {
        let id = rules.find_tag(tag.name());
        let kinds = found.rows().filter_map(|(id, fits)| Some((rules.kind(id)?, fits)));
        let with = kinds.filter(|(kind, _)| wanted(*kind) && id.is_some_and(|id| kind.has_tag(id)));
        names.push((tag.name().to_owned(), with.map(|(_, fits)| fits).collect()));
    }
    let kinds = found.rows().filter_map(|(id, fits)| Some((rules.kind(id)?, fits)));
    let untagged = kinds.filter(|(kind, _)| wanted(*kind) && kind.tags().next().is_none());
    names.push(("(no tag)".to_owned(), untagged.map(|(_, fits)| fits).collect()));
    for (name, kinds) in names.into_iter().filter(|(_, kinds)| !kinds.is_empty()) {
        let cell = |group: usize| {
            let fits = |kind: &&&[Fit]| matches!(kind[group].verdict, Verdict::Admitted);
            match kinds.iter().filter(fits).count() {
                0 => (Tone::Faint, "-".to_owned()),
                count if count == kinds.len() => (Tone::Good, format!("all {count}")),
                count => (Tone::Notable, format!("{count} of {}", kinds.len())),
            }
        };
        rows.push((name, (0..found.groups().len()).map(cell).collect()));
    }
    let mut page = Page::default();
    draw_tables(&mut page, found.groups(), &rows);
    let groups = counted(found.groups().len(), "group");
    page.line(Tone::Faint, &format!("number of kinds with each tag that are admitted, in {groups} of slots"));
    page.into_text()
}

fn draw_tables(page: &mut Page, groups: &[SlotGroup], rows: &[(String, Vec<(Tone, String)>)]) {
    let a_page = (WIDTH - KIND) / CELL;
    let mut from = 0;
    while from < groups.len() {
        let to = (from + a_page).min(groups.len());
        draw_heads(page, &groups[from..to]);
        for (name, cells) in rows {
            page.plain(&pad(name, KIND));
            for (tone, text) in &cells[from..to] {
                page.put(*tone, &clip(text, CELL - 1)).plain(&" ".repeat(CELL - width(&clip(text, CELL - 1))));
            }
            page.end();
        }
        page.blank();
        from = to;
    }
}

fn draw_heads(page: &mut Page, groups: &[SlotGroup]) {
    page.plain(&" ".repeat(KIND));
    // A container's name has the room of all its groups.
    for of_one in groups.chunk_by(|one, other| one.container == other.container) {
        let room = of_one.len() * CELL;
        page.put(Tone::Heading, &pad(&of_one[0].container, room - 1)).plain(" ");
    }
    page.end();
    if groups.iter().any(|group| !group.slots.is_empty()) {
        page.plain(&" ".repeat(KIND));
        for group in groups {
            page.put(Tone::Faint, &pad(&group.slots, CELL - 1)).plain(" ");
        }
        page.end();
    }
}

fn cell(fit: &Fit) -> (Tone, String) {
    let of_holder = matches!(fit.whose, Some(Bearer::Holder(_)));
    let binds = match fit.limited_by {
        LimitedBy::Room => "r",
        LimitedBy::Weight if of_holder => "W",
        LimitedBy::Weight => "w",
        LimitedBy::Cap if of_holder => "C",
        LimitedBy::Cap => "c",
        LimitedBy::Nothing => "",
    };
    match &fit.verdict {
        Verdict::Admitted => (Tone::Good, format!("{} / {} {binds}", fit.per_slot, fit.per_container)),
        Verdict::Depends { .. } => (Tone::Notable, format!("? {}", fit.per_slot)),
        Verdict::NotInContainer { .. } => (Tone::Faint, "- c".to_owned()),
        Verdict::NotInSlot { .. } => (Tone::Faint, "- s".to_owned()),
        Verdict::OccupiesSlots { .. } => (Tone::Faint, "- n".to_owned()),
        Verdict::NoPut => (Tone::Faint, "- p".to_owned()),
    }
}
