//! Characters that steer a terminal, which no text from a file may do.

/// Names come from files. None of their characters may control the terminal, change the direction
/// of the text or be invisible.
pub(crate) fn clean(text: &str) -> String {
    text.chars().map(|c| if steers(c) { '\u{fffd}' } else { c }).collect()
}

/// All that steers is in the first plane, so JSON can write it with one escape.
pub(crate) fn steers(c: char) -> bool {
    // Marks of direction, and what takes no room at all.
    let is_format = matches!(
        c,
        '\u{ad}' | '\u{61c}' | '\u{180e}' | '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2060}'..='\u{206f}' | '\u{feff}'
            | '\u{fff9}'..='\u{fffb}'
    );
    c.is_control() || is_format
}
