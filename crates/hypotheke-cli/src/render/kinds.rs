//! The table of kinds.

use hypotheke::{Kind, Ruleset};

use super::page::WIDTH;
use super::{Page, Tone, clip, pad, width};

pub(crate) fn draw(page: &mut Page, rules: &Ruleset) {
    let rows: Vec<[String; 6]> = rules.kinds().map(row).collect();
    let unit = rules.weight_unit();
    let weight = if unit.is_empty() { "weight".to_owned() } else { format!("weight ({unit})") };
    let heads =
        ["kind".to_owned(), "name".to_owned(), weight, "value".to_owned(), "stack".to_owned(), "tags".to_owned()];
    let most = [24, 26, 14, 12, 10, 40];
    let mut widths = [0; 6];
    for row in rows.iter().chain([&heads]) {
        for (column, cell) in row.iter().enumerate() {
            widths[column] = widths[column].max(width(cell).min(most[column]));
        }
    }
    let used: usize = widths[..5].iter().map(|width| width + 2).sum();
    widths[5] = WIDTH.saturating_sub(used);
    page.put(Tone::Faint, &line(&heads, widths)).end();
    for row in &rows {
        page.plain(&line(row, widths)).end();
    }
}

fn row(kind: Kind<'_>) -> [String; 6] {
    let mut tags: Vec<&str> = kind.tags().collect();
    // A tag includes all tags above it, so the longest is enough.
    let all = tags.clone();
    tags.retain(|tag| !all.iter().any(|other| other.strip_prefix(tag).is_some_and(|rest| rest.starts_with('.'))));
    [
        kind.id().to_owned(),
        kind.name().to_owned(),
        kind.weight().to_string(),
        kind.value().to_string(),
        kind.stack_limit().to_string(),
        if kind.is_protected() { format!("{} (kept)", tags.join(" ")) } else { tags.join(" ") },
    ]
}

/// Numbers are right-aligned.
fn line(cells: &[String; 6], widths: [usize; 6]) -> String {
    let mut text = String::new();
    for (column, cell) in cells.iter().enumerate() {
        let cell = clip(cell, widths[column]);
        if (2..5).contains(&column) {
            text.push_str(&" ".repeat(widths[column] - width(&cell)));
            text.push_str(&cell);
        } else {
            text.push_str(&pad(&cell, widths[column]));
        }
        text.push_str("  ");
    }
    text.trim_end().to_owned()
}
