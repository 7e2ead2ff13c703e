//! What fits where: a table with as many columns as the page has room for, or the reasons in words.

use std::collections::{BTreeMap, BTreeSet};

use hypotheke::fits::{Bearer, Fit, Fits, LimitedBy, SlotGroup, Verdict};
use hypotheke::{Kind, Recipe, RecipeId, Ruleset};

use super::report::counted;
use super::{Page, Tone, clip, pad, width};

/// The maximum columns of a head.
const MAX_HEAD: usize = 12;

/// The limit that stops the next item, each with its letter.
const LIMITS: [(&str, &str); 5] = [
    ("s", "the slots"),
    ("w", "the weight cap"),
    ("c", "a cap"),
    ("h", "the weight cap of the holder"),
    ("l", "a cap of the holder"),
];

/// Why a kind is rejected, each with its letter.
const REJECTIONS: [(&str, &str); 4] = [
    ("f", "by the filter of the container"),
    ("x", "by the filter of the slot"),
    ("o", "because the container lacks a slot that it occupies"),
    ("p", "because nothing may be put in"),
];

struct Cell {
    tone: Tone,
    text: String,
    is_rejected: bool,
}

struct Row {
    heads: Vec<String>,
    cells: Vec<Cell>,
}

fn kinds_of<'f>(
    rules: &'f Ruleset,
    found: &'f Fits,
    wanted: impl Fn(Kind<'f>) -> bool,
) -> impl Iterator<Item = (Kind<'f>, &'f [Fit])> {
    found.rows().filter_map(|(id, fits)| Some((rules.kind(id)?, fits))).filter(move |(kind, _)| wanted(*kind))
}

pub(crate) fn draw<'f>(
    mut page: Page,
    rules: &'f Ruleset,
    found: &'f Fits,
    wanted: impl Fn(Kind<'f>) -> bool,
) -> String {
    let mut letters: BTreeSet<&str> = BTreeSet::new();
    let mut uses_per_slot = false;
    let rows: Vec<Row> = kinds_of(rules, found, &wanted)
        .map(|(kind, fits)| {
            letters.extend(fits.iter().map(letter));
            uses_per_slot |= fits.iter().any(|fit| is_narrower(kind, fit));
            let heads = vec![kind.id().to_owned(), kind.stack_limit().to_string()];
            Row { heads, cells: fits.iter().map(|fit| cell(kind, fit)).collect() }
        })
        .collect();
    draw_tables(&mut page, &["kind", "stack"], found.groups(), &rows);
    let known = |table: &[(&'static str, &'static str)]| -> Vec<String> {
        let used = table.iter().filter(|(letter, _)| letters.contains(letter));
        used.map(|(letter, text)| format!("{letter} {text}")).collect()
    };
    let limits = known(&LIMITS);
    if !limits.is_empty() {
        page.plain("12s  ").folded(Tone::Plain, &format!("12 fit in the container; limited by: {}", limits.join(", ")));
    }
    if uses_per_slot {
        page.plain("4/12s  ").folded(Tone::Plain, "stacks of 4 instead of the stack limit of the kind");
    }
    let rejections = known(&REJECTIONS);
    if !rejections.is_empty() {
        page.plain("-f  ").folded(Tone::Plain, &format!("rejected: {}", rejections.join(", ")));
    }
    if letters.contains("?") {
        page.plain("?4  ").folded(Tone::Plain, "admitted only with certain marks or properties; stacks of 4");
    }
    draw_put_by(&mut page, found.groups());
    draw_recipes(&mut page, rules, found, &wanted);
    page.into_text()
}

/// What the recipes of each container take.
fn draw_recipes<'f>(page: &mut Page, rules: &'f Ruleset, found: &'f Fits, wanted: impl Fn(Kind<'f>) -> bool) {
    // Of the groups of slots of one container, the first one says it for all.
    let groups = found.groups();
    let is_first = |&index: &usize| index == 0 || groups[index - 1].container != groups[index].container;
    for index in (0..groups.len()).filter(is_first) {
        let mut taken: BTreeMap<RecipeId, Vec<&str>> = BTreeMap::new();
        for (kind, fits) in kinds_of(rules, found, &wanted) {
            for &recipe in &fits[index].recipes {
                taken.entry(recipe).or_default().push(kind.id());
            }
        }
        for (recipe, kinds) in taken {
            let id = rules.recipe(recipe).map_or("", Recipe::id);
            page.plain(&format!("{id} at {} takes  ", groups[index].container));
            page.items(Tone::Plain, kinds, ", ");
        }
    }
}

/// Who may put items in, if the ruleset lists them: the tables do not depend on it.
fn draw_put_by(page: &mut Page, groups: &[SlotGroup]) {
    let listed = groups.iter().filter(|group| !group.put_by.is_empty());
    let listed: Vec<String> = listed.map(|group| format!("{} by {}", name(group), group.put_by.join(", "))).collect();
    if !listed.is_empty() {
        page.plain("put-by  ").items(Tone::Plain, listed.iter().map(String::as_str), "; ");
    }
}

/// How many of the kinds with a tag are admitted.
pub(crate) fn draw_by_tag<'f>(
    mut page: Page,
    rules: &'f Ruleset,
    found: &'f Fits,
    wanted: impl Fn(Kind<'f>) -> bool,
) -> String {
    let kinds: Vec<(Kind<'f>, &[Fit])> = kinds_of(rules, found, wanted).collect();
    let mut names: Vec<(String, Vec<&[Fit]>)> = Vec::new();
    for tag in rules.tags() {
        let id = rules.find_tag(tag.name());
        let with = kinds.iter().filter(|(kind, _)| id.is_some_and(|id| kind.has_tag(id)));
        names.push((tag.name().to_owned(), with.map(|(_, fits)| *fits).collect()));
    }
    let untagged = kinds.iter().filter(|(kind, _)| kind.tags().next().is_none());
    names.push(("(no tag)".to_owned(), untagged.map(|(_, fits)| *fits).collect()));
    let rows = names.into_iter().filter(|(_, kinds)| !kinds.is_empty()).map(|(name, kinds)| {
        let cell = |group: usize| {
            let fits = |kind: &&&[Fit]| matches!(kind[group].verdict, Verdict::Admitted);
            let count = kinds.iter().filter(fits).count();
            let (tone, text) = match count {
                0 => (Tone::Plain, "-".to_owned()),
                count if count == kinds.len() => (Tone::Good, "all".to_owned()),
                count => (Tone::Notable, count.to_string()),
            };
            Cell { tone, text, is_rejected: count == 0 }
        };
        let cells = (0..found.groups().len()).map(cell).collect();
        Row { heads: vec![name, kinds.len().to_string()], cells }
    });
    draw_tables(&mut page, &["tag", "kinds"], found.groups(), &rows.collect::<Vec<_>>());
    page.folded(
        Tone::Plain,
        "The number of kinds with each tag that are admitted; kinds that depend on marks or properties do not count",
    );
    page.into_text()
}

/// A column of a table: a group of slots.
struct Column<'f> {
    group: &'f SlotGroup,
    /// Its number among all groups.
    index: usize,
    width: usize,
}

/// The gap before a column: wider where the next container begins.
fn gap(columns: &[Column<'_>], nth: usize) -> usize {
    if nth > 0 && columns[nth - 1].group.container == columns[nth].group.container { 1 } else { 2 }
}

/// As many tables as it takes. Rows and columns in which everything is rejected are listed below.
fn draw_tables(page: &mut Page, heads: &[&str], groups: &[SlotGroup], rows: &[Row]) {
    let is_useful = |index: usize| rows.iter().any(|row| !row.cells[index].is_rejected);
    let head_widths: Vec<usize> = (0..heads.len())
        .map(|head| rows.iter().map(|row| width(&row.heads[head])).fold(width(heads[head]), usize::max).min(24))
        .collect();
    let left = head_widths.iter().sum::<usize>() + 2 * (head_widths.len() - 1);
    let mut columns: Vec<Column<'_>> = Vec::new();
    let mut closed = Vec::new();
    for (index, group) in groups.iter().enumerate() {
        if is_useful(index) {
            columns.push(Column { group, index, width: column_width(group, rows, index) });
        } else {
            closed.push(name(group));
        }
    }
    // The name of a container has the room of all its columns.
    for shared in columns.chunk_by_mut(|one, other| one.group.container == other.group.container) {
        let room = shared.iter().map(|column| column.width + 1).sum::<usize>() - 1;
        let longest = wrapped(&shared[0].group.container, MAX_HEAD.max(room)).iter().map(|line| width(line)).max();
        if let Some(last) = shared.last_mut() {
            last.width += longest.unwrap_or(0).saturating_sub(room);
        }
    }
    let mut rest = &columns[..];
    while !rest.is_empty() {
        let mut taken = left;
        let fitting = (0..rest.len()).take_while(|&nth| {
            taken += gap(rest, nth) + rest[nth].width;
            taken <= page.columns()
        });
        let (block, others) = rest.split_at(fitting.count().max(1));
        draw_heads(page, heads, &head_widths, block);
        draw_rows(page, &head_widths, block, rows);
        page.blank();
        rest = others;
    }
    if !closed.is_empty() {
        page.plain("admits none of these kinds: ").items(Tone::Plain, closed.iter().map(String::as_str), ", ");
        page.blank();
    }
}

fn name(group: &SlotGroup) -> String {
    if group.slots.is_empty() { group.container.clone() } else { format!("{} ({})", group.container, group.slots) }
}

/// A name in lines: broken after `-`, `.` and blanks, and cut where a piece is still too long.
fn wrapped(name: &str, columns: usize) -> Vec<String> {
    let mut lines = vec![String::new()];
    for piece in name.split_inclusive(['-', ' ', '.']) {
        let last = lines.len() - 1;
        if !lines[last].is_empty() && width(&lines[last]) + width(piece.trim_end()) > columns {
            lines.push(String::new());
        }
        let last = lines.len() - 1;
        lines[last].push_str(piece);
    }
    lines.iter().map(|line| clip(line.trim_end(), columns)).collect()
}

fn column_width(group: &SlotGroup, rows: &[Row], index: usize) -> usize {
    let cells = rows.iter().map(|row| width(&row.cells[index].text)).max().unwrap_or(0);
    let longest = |columns: usize| wrapped(&group.slots, columns).iter().map(|line| width(line)).max().unwrap_or(0);
    // Broken at every chance, and wider only if there is one piece that needs it.
    let narrowest =
        group.slots.split_inclusive(['-', ' ', '.']).map(|piece| width(piece.trim_end())).max().unwrap_or(0);
    longest(narrowest.clamp(1, MAX_HEAD)).max(cells)
}

/// The names of the containers, and below them the names of the slots.
fn draw_heads(page: &mut Page, heads: &[&str], head_widths: &[usize], block: &[Column<'_>]) {
    let runs: Vec<&[Column<'_>]> = block.chunk_by(|one, other| one.group.container == other.group.container).collect();
    let room = |run: &[Column<'_>]| run.iter().map(|column| column.width + 1).sum::<usize>() - 1;
    let containers: Vec<Vec<String>> = runs.iter().map(|run| wrapped(&run[0].group.container, room(run))).collect();
    let slots = |column: &Column<'_>| wrapped(&column.group.slots, column.width);
    let has_slots = |run: &[Column<'_>]| run.iter().any(|column| !column.group.slots.is_empty());
    let below = block.iter().filter(|column| !column.group.slots.is_empty()).map(|column| slots(column).len()).max();
    let below = below.unwrap_or(0);
    let of_containers = runs.iter().zip(&containers);
    let height = of_containers.map(|(run, lines)| lines.len() + if has_slots(run) { below } else { 0 }).max();
    let height = height.unwrap_or(0).max(below);
    // The last lines of all heads are in the same row.
    let line_of = |lines: &[String], line: usize, end: usize| -> String {
        (line + lines.len()).checked_sub(end).and_then(|nth| lines.get(nth)).cloned().unwrap_or_default()
    };
    for line in 0..height {
        draw_left(page, head_widths, heads.iter().map(|head| if line + 1 == height { *head } else { "" }));
        for (run, lines) in runs.iter().zip(&containers) {
            page.plain("  ");
            let end = if has_slots(run) { height - below } else { height };
            if line < end {
                page.put(Tone::Heading, &pad(&line_of(lines, line, end), room(run)));
                continue;
            }
            for (nth, column) in run.iter().enumerate() {
                page.plain(if nth > 0 { " " } else { "" });
                page.plain(&pad(&line_of(&slots(column), line, height), column.width));
            }
        }
        page.end();
    }
}

fn draw_left<'t>(page: &mut Page, head_widths: &[usize], texts: impl Iterator<Item = &'t str>) {
    for (nth, (text, &columns)) in texts.zip(head_widths).enumerate() {
        page.plain(if nth > 0 { "  " } else { "" }).plain(&pad(text, columns));
    }
}

fn draw_rows(page: &mut Page, head_widths: &[usize], block: &[Column<'_>], rows: &[Row]) {
    let is_rejected = |row: &&Row| block.iter().all(|column| row.cells[column.index].is_rejected);
    let (rejected, shown): (Vec<&Row>, Vec<&Row>) = rows.iter().partition(is_rejected);
    for row in shown {
        draw_left(page, head_widths, row.heads.iter().map(String::as_str));
        for (nth, column) in block.iter().enumerate() {
            let cell = &row.cells[column.index];
            page.plain(&" ".repeat(gap(block, nth))).put(cell.tone, &pad(&cell.text, column.width));
        }
        page.end();
    }
    if !rejected.is_empty() {
        page.plain("rejected by all of these: ");
        page.items(Tone::Plain, rejected.iter().map(|row| row.heads[0].as_str()), ", ");
    }
}

fn letter(fit: &Fit) -> &'static str {
    match fit.verdict {
        Verdict::Admitted => match (fit.limited_by, &fit.whose) {
            (LimitedBy::Room, _) => "s",
            (LimitedBy::Weight, Some(Bearer::Holder(_))) => "h",
            (LimitedBy::Weight, _) => "w",
            (LimitedBy::Cap, Some(Bearer::Holder(_))) => "l",
            (LimitedBy::Cap, _) => "c",
            (LimitedBy::Nothing, _) => "",
        },
        Verdict::Depends { .. } => "?",
        Verdict::NotInContainer { .. } => "f",
        Verdict::NotInSlot { .. } => "x",
        Verdict::OccupiesSlots { .. } => "o",
        Verdict::NoPut => "p",
    }
}

/// Whether a stack is smaller there than the kind allows.
fn is_narrower(kind: Kind<'_>, fit: &Fit) -> bool {
    matches!(fit.verdict, Verdict::Admitted) && fit.per_slot != kind.stack_limit()
}

fn cell(kind: Kind<'_>, fit: &Fit) -> Cell {
    let letter = letter(fit);
    let fits = if fit.per_container == 0 { Tone::Notable } else { Tone::Good };
    let (tone, text) = match fit.verdict {
        Verdict::Admitted if is_narrower(kind, fit) => {
            (fits, format!("{}/{}{letter}", fit.per_slot, fit.per_container))
        }
        Verdict::Admitted => (fits, format!("{}{letter}", fit.per_container)),
        Verdict::Depends { .. } => (Tone::Notable, format!("?{}", fit.per_slot)),
        _ => (Tone::Plain, format!("-{letter}")),
    };
    Cell { tone, text, is_rejected: tone == Tone::Plain }
}

/// For each group of slots: the kinds with the same result, and its reason.
pub(crate) fn draw_reasons<'f>(
    mut page: Page,
    rules: &'f Ruleset,
    found: &'f Fits,
    wanted: impl Fn(Kind<'f>) -> bool,
) -> String {
    let kinds: Vec<(Kind<'f>, &[Fit])> = kinds_of(rules, found, &wanted).collect();
    for (index, group) in found.groups().iter().enumerate() {
        page.blank();
        page.rest(Tone::Heading, &name(group)).end();
        let mut reasons: Vec<(Tone, String, Vec<String>)> = Vec::new();
        for (kind, fits) in &kinds {
            let (tone, reason) = reason(group, &fits[index]);
            let named = match fits[index].verdict {
                Verdict::Admitted => format!("{} {}", fits[index].per_container, kind.id()),
                _ => kind.id().to_owned(),
            };
            match reasons.iter_mut().find(|(_, known, _)| *known == reason) {
                Some((.., kinds)) => kinds.push(named),
                None => reasons.push((tone, reason, vec![named])),
            }
        }
        for (tone, reason, kinds) in &reasons {
            page.plain("  ").folded(*tone, &format!("{reason}: {}", counted(kinds.len(), "kind")));
            page.plain("    ").items(Tone::Plain, kinds.iter().map(String::as_str), ", ");
        }
    }
    page.blank();
    page.folded(Tone::Plain, "The number before a kind is how many of it fit in the empty container");
    draw_put_by(&mut page, found.groups());
    draw_recipes(&mut page, rules, found, &wanted);
    page.into_text()
}

fn reason(group: &SlotGroup, fit: &Fit) -> (Tone, String) {
    let bearer = match &fit.whose {
        Some(Bearer::Holder(holder)) => holder,
        _ => &group.container,
    };
    let slots = &group.slots;
    match &fit.verdict {
        Verdict::Admitted => {
            let limit = match fit.limited_by {
                LimitedBy::Room => "limited by the slots".to_owned(),
                LimitedBy::Weight => format!("limited by the weight cap of {bearer}"),
                LimitedBy::Cap => format!("limited by a cap of {bearer}"),
                LimitedBy::Nothing => "without limit".to_owned(),
            };
            (Tone::Good, format!("admitted, {limit}"))
        }
        Verdict::Depends { filter } => {
            (Tone::Notable, format!("admitted only with certain marks or properties; the filter is `{filter}`"))
        }
        Verdict::NotInContainer { filter } => {
            (Tone::Bad, format!("rejected by the filter of {}, `{filter}`", group.container))
        }
        Verdict::NotInSlot { filter } => (Tone::Bad, format!("rejected by the filter of slot {slots}, `{filter}`")),
        Verdict::OccupiesSlots { slots } => {
            (Tone::Bad, format!("rejected: occupies {slots}, and {} does not have all of them", group.container))
        }
        Verdict::NoPut => (Tone::Bad, format!("rejected: nobody may put items into {}", group.container)),
    }
}
