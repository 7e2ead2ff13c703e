//! Text with tones, up to 100 columns wide.

use std::fmt::Write;

use anstyle::{AnsiColor, Style};
use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};

use crate::clean::clean;

/// So wide is a page.
pub(crate) const WIDTH: usize = 100;

/// The meaning of a piece of text, which decides its style. No meaning depends on colour alone.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Tone {
    Plain,
    Heading,
    /// Rulers, slot numbers, what surrounds the matter.
    Faint,
    Good,
    Bad,
    Notable,
    /// A difference.
    Set,
}

impl Tone {
    fn style(self) -> Style {
        match self {
            Tone::Plain => Style::new(),
            Tone::Heading => Style::new().bold(),
            Tone::Faint => Style::new().fg_color(Some(AnsiColor::BrightBlack.into())),
            Tone::Good => Style::new().fg_color(Some(AnsiColor::Green.into())),
            Tone::Bad => Style::new().fg_color(Some(AnsiColor::Red.into())).bold(),
            Tone::Set => Style::new().bold().invert(),
            Tone::Notable => Style::new().fg_color(Some(AnsiColor::Cyan.into())),
        }
    }
}

/// A text that is being drawn.
#[derive(Clone, Debug, Default)]
pub(crate) struct Page {
    text: String,
}

impl Page {
    pub(crate) fn put(&mut self, tone: Tone, text: &str) -> &mut Page {
        let (style, text) = (tone.style(), clean(text));
        let visible = text.trim_end_matches(' ');
        // Writing to a String can't fail. Blanks at the end stay outside, so that the end of a line
        // can take them away.
        let _ = write!(self.text, "{style}{visible}{style:#}{}", &text[visible.len()..]);
        self
    }

    pub(crate) fn plain(&mut self, text: &str) -> &mut Page {
        self.text.push_str(&clean(text));
        self
    }

    /// Ends the line, without blanks at its end.
    pub(crate) fn end(&mut self) {
        self.text.truncate(self.text.trim_end_matches(' ').len());
        self.text.push('\n');
    }

    /// A whole line.
    pub(crate) fn line(&mut self, tone: Tone, text: &str) {
        self.put(tone, text).end();
    }

    /// An empty line, unless there is one already.
    pub(crate) fn blank(&mut self) {
        if !self.text.ends_with("\n\n") {
            self.text.push('\n');
        }
    }

    /// A command to run next, which can be pasted.
    pub(crate) fn next(&mut self, command: &str) {
        self.put(Tone::Faint, "next: ").plain(command).end();
    }

    pub(crate) fn into_text(self) -> String {
        self.text
    }
}

pub(crate) fn width(text: &str) -> usize {
    clean(text).width()
}

/// Cuts a text to a number of columns; a cut text ends in `…`.
pub(crate) fn clip(text: &str, columns: usize) -> String {
    let text = clean(text);
    if text.width() <= columns {
        return text;
    }
    let mut kept = String::new();
    let mut used = 0;
    for c in text.chars() {
        used += c.width().unwrap_or(0);
        if used >= columns {
            break;
        }
        kept.push(c);
    }
    kept.push('…');
    kept
}

/// Breaks a text at blanks into lines with a maximum number of columns.
pub(crate) fn fold(text: &str, columns: usize) -> Vec<String> {
    let mut lines = vec![String::new()];
    for word in text.split(' ') {
        let last = lines.len() - 1;
        if lines[last].is_empty() {
            lines[last] = clip(word, columns);
        } else if width(&lines[last]) + 1 + width(word) <= columns {
            lines[last].push(' ');
            lines[last].push_str(&clean(word));
        } else {
            lines.push(clip(word, columns));
        }
    }
    lines
}

/// Cuts or fills a text to an exact number of columns.
pub(crate) fn pad(text: &str, columns: usize) -> String {
    let mut text = clip(text, columns);
    text.extend(std::iter::repeat_n(' ', columns.saturating_sub(text.width())));
    text
}

#[cfg(test)]
mod tests {
    use super::{clean, clip, pad};

    #[test]
    fn control_characters_do_not_reach_the_terminal() {
        assert_eq!(clean("a\u{1b}[31mb\u{7}\u{202e}c"), "a\u{fffd}[31mb\u{fffd}\u{fffd}c");
        assert_eq!(clean("a\u{9b}31m\u{200b}b\u{feff}\u{61c}"), "a\u{fffd}31m\u{fffd}b\u{fffd}\u{fffd}");
    }

    #[test]
    fn texts_are_cut_by_columns_not_by_bytes() {
        assert_eq!(clip("schöner", 7), "schöner");
        assert_eq!(clip("schöner", 5), "schö…");
        assert_eq!(pad("冰", 4), "冰  ");
    }
}
