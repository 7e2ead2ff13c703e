//! The table of kinds.

use hypotheke::{Decimal, Kind, PropertyId, PropertyValue, Ruleset};

use super::report::counted;
use super::{Page, Tone, clip, width};

pub(crate) fn draw(page: &mut Page, rules: &Ruleset) {
    let rows: Vec<[String; 6]> = rules.kinds().map(row).collect();
    let unit = rules.weight_unit();
    let weight = if unit.is_empty() { "weight".to_owned() } else { format!("weight ({unit})") };
    let heads =
        ["kind".to_owned(), "name".to_owned(), weight, "value".to_owned(), "stack".to_owned(), "tags".to_owned()];
    // On a narrow page, tags have their own line.
    let is_narrow = page.columns() < 90;
    let tags = if is_narrow { "" } else { &heads[5] };
    let most = page.columns() / 4;
    let most = [most, most - 2, 14, 12, 10];
    let mut widths = [0; 5];
    for row in rows.iter().chain([&heads]) {
        for (column, cell) in row.iter().take(5).enumerate() {
            widths[column] = widths[column].max(width(cell).min(most[column]));
        }
    }
    draw_row(page, &heads, tags, widths, Tone::Plain);
    for (kind, row) in rules.kinds().zip(&rows) {
        let (tags, more) = if is_narrow { ("", row[5].as_str()) } else { (row[5].as_str(), "") };
        draw_row(page, row, tags, widths, Tone::Heading);
        let mut details = details(rules, kind);
        if !more.is_empty() {
            details.insert(0, more.to_owned());
        }
        if !details.is_empty() {
            page.plain("    ").items(Tone::Plain, details.iter().map(String::as_str), "; ");
        }
    }
}

pub(crate) fn row(kind: Kind<'_>) -> [String; 6] {
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
        tags.join(" "),
    ]
}

/// `+5`, `-2`
fn signed(number: Decimal) -> String {
    if number.is_negative() { number.to_string() } else { format!("+{number}") }
}

/// What only some kinds have: protection, properties, granted attributes, further slots, a pack.
pub(crate) fn details(rules: &Ruleset, kind: Kind<'_>) -> Vec<String> {
    let mut details = Vec::new();
    if kind.is_protected() {
        details.push("protected".to_owned());
    }
    details.extend(kind.max_in_world().map(|most| format!("at most {most} in the world")));
    details.extend(kind.properties().map(|(property, first)| {
        let property = &rules.properties()[property.index()];
        let name = property.name();
        match first {
            PropertyValue::Number(number) => match property.falls() {
                Some(falling) => format!("{name} {number}, falls {falling}"),
                None => format!("{name} {number}"),
            },
            PropertyValue::Text(text) => format!("{name} {text}"),
        }
    }));
    let granted: Vec<String> = kind.attributes().map(|(name, each)| format!("{name} {each}")).collect();
    if !granted.is_empty() {
        details.push(format!("grants {}", granted.join(", ")));
    }
    if kind.has_use() {
        let effects = kind.effects().map(|(meter, each)| format!("{meter} {}", signed(each)));
        let name = |property: PropertyId| rules.properties()[property.index()].name();
        let lowers = kind.lowered().iter().map(|&(property, by)| format!("lowers {} by {by}", name(property)));
        let effects: Vec<String> = effects.chain(lowers).collect();
        details.push(if effects.is_empty() { "has a use".to_owned() } else { format!("use: {}", effects.join(", ")) });
    }
    details.extend(rules.changes_of(kind.handle()).map(|it| format!("{}: {}", it.when(), rules.effect_text(it))));
    let occupied: Vec<&str> = kind.occupied_slots().collect();
    if !occupied.is_empty() {
        details.push(format!("occupies {}", occupied.join(", ")));
    }
    if let Some(def) = kind.pack() {
        let mut limits = vec![counted(def.slots() as usize, "slot")];
        limits.extend(def.stack_limit().map(|limit| format!("stacks of {limit}")));
        limits.extend(def.weight_cap().map(|cap| format!("at most {}", rules.weight_text(cap))));
        limits.extend(rules.admits(def).map(|filter| format!("admits {filter}")));
        limits.extend(rules.caps(def.caps()).map(|(filter, count)| format!("at most {count} {filter}")));
        details.push(format!("pack: {}", limits.join(", ")));
    }
    details
}

/// Numbers are right-aligned.
fn draw_row(page: &mut Page, cells: &[String; 6], tags: &str, widths: [usize; 5], tone: Tone) {
    for (column, cell) in cells.iter().take(5).enumerate() {
        let cell = clip(cell, widths[column]);
        let gap = " ".repeat(widths[column] - width(&cell));
        match column {
            0 => page.put(tone, &cell).plain(&gap),
            1 => page.plain(&cell).plain(&gap),
            _ => page.plain(&gap).plain(&cell),
        };
        page.plain("  ");
    }
    page.rest(Tone::Plain, tags).end();
}
