/// The known name that an unknown one was most likely meant to be: at most a third of its letters
/// differ.
pub(crate) fn nearest<'a>(unknown: &str, known: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    let tolerated = (unknown.chars().count() / 3).clamp(1, 4);
    let mut best: Option<(usize, usize, &str)> = None;
    for name in known {
        // Each letter that one has more is a slip; a letter has up to four bytes.
        let bytes = if name.is_ascii() && unknown.is_ascii() { 1 } else { 4 };
        if name.len().abs_diff(unknown.len()) > tolerated * bytes {
            continue;
        }
        // Of two that are as near, the one that is as long is more likely meant.
        let candidate = (distance(unknown, name), name.len().abs_diff(unknown.len()), name);
        if candidate.0 <= tolerated && best.is_none_or(|best| candidate < best) {
            best = Some(candidate);
        }
    }
    best.map(|(_, _, name)| name)
}

/// Swapped neighbours count as one slip; another case or `_` for `-` counts as none.
fn distance(a: &str, b: &str) -> usize {
    let plain = |text: &str| text.to_lowercase().replace(['_', ' '], "-");
    strsim::osa_distance(&plain(a), &plain(b))
}

/// A help text that names the nearest known name, or lists the known ones where they are few.
pub(crate) fn suggestion<'a>(unknown: &str, known: impl IntoIterator<Item = &'a str> + Clone) -> Option<String> {
    if let Some(name) = nearest(unknown, known.clone()) {
        return Some(format!("Did you mean `{name}`?"));
    }
    let mut few: Vec<&str> = known.into_iter().take(13).collect();
    few.sort_unstable();
    few.dedup();
    match few.len() {
        0 | 13.. => None,
        1 => Some(format!("The only known name is `{}`", few[0])),
        _ => {
            Some(format!("Known names: {}", few.iter().map(|name| format!("`{name}`")).collect::<Vec<_>>().join(", ")))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::nearest;

    #[test]
    fn a_slip_finds_the_name_that_was_meant() {
        let known = ["fuel-drum", "flare", "flag", "ration-box"];
        assert_eq!(nearest("feul-drum", known), Some("fuel-drum"));
        assert_eq!(nearest("Fuel_Drum", known), Some("fuel-drum"));
        assert_eq!(nearest("flars", known), Some("flare"));
        assert_eq!(nearest("slotz", ["slot", "slots"]), Some("slots"));
    }

    #[test]
    fn what_is_far_from_every_name_finds_none() {
        assert_eq!(nearest("telescope", ["fuel-drum", "flare"]), None);
        assert_eq!(nearest("x", ["fuel-drum"]), None);
    }
}
