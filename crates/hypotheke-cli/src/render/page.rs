//! Text with tones, as wide as the terminal.

use std::fmt::Write;
use std::io::IsTerminal;

use anstyle::{AnsiColor, Style};
use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};

use crate::clean::clean;

/// The columns of a page that is written to a file or a pipe.
pub(crate) const PIPED_COLUMNS: usize = 100;
/// The columns of a page on a terminal of any width.
const COLUMNS: std::ops::RangeInclusive<usize> = 60..=200;

/// The columns of a page on standard output: `COLUMNS` decides, then the width of the terminal.
pub(crate) fn output_columns() -> usize {
    let of_terminal = || {
        let is_terminal = std::io::stdout().is_terminal();
        terminal_size::terminal_size().filter(|_| is_terminal).map(|(columns, _)| usize::from(columns.0))
    };
    let requested = std::env::var("COLUMNS").ok().and_then(|columns| columns.trim().parse().ok());
    let columns = requested.or_else(of_terminal).unwrap_or(PIPED_COLUMNS);
    columns.clamp(*COLUMNS.start(), *COLUMNS.end())
}

/// The meaning of a piece of text, which decides its style. No meaning depends on colour alone.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Tone {
    Plain,
    Heading,
    /// Lines, empty slots and other marks that nobody has to read. Some terminals hide its colour.
    Faint,
    Good,
    Bad,
    Notable,
    /// The head of an error.
    Error,
}

impl Tone {
    pub(crate) fn style(self) -> Style {
        let color = |color: AnsiColor| Style::new().fg_color(Some(color.into()));
        match self {
            Tone::Plain => Style::new(),
            Tone::Heading => Style::new().bold(),
            Tone::Faint => color(AnsiColor::BrightBlack),
            Tone::Good => color(AnsiColor::Green),
            Tone::Bad => color(AnsiColor::Red).bold(),
            Tone::Notable => color(AnsiColor::Cyan),
            // As the renderer of diagnostics writes it.
            Tone::Error => color(AnsiColor::BrightRed).bold(),
        }
    }
}

/// A text that is being drawn.
#[derive(Clone, Debug)]
pub(crate) struct Page {
    text: String,
    columns: usize,
    /// The columns of the present line that are taken.
    taken: usize,
}

impl Page {
    pub(crate) fn new(columns: usize) -> Page {
        Page { text: String::new(), columns, taken: 0 }
    }

    /// The columns of a line.
    pub(crate) fn columns(&self) -> usize {
        self.columns
    }

    /// The free columns of the present line.
    pub(crate) fn room(&self) -> usize {
        self.columns.saturating_sub(self.taken)
    }

    pub(crate) fn put(&mut self, tone: Tone, text: &str) -> &mut Page {
        let (style, text) = (tone.style(), clean(text));
        let visible = text.trim_end_matches(' ');
        // Blanks stay outside of the style, so that the end of a line can remove them.
        if !visible.is_empty() {
            // Writing to a String can't fail.
            let _ = write!(self.text, "{style}{visible}{style:#}");
        }
        self.text.push_str(&text[visible.len()..]);
        self.taken += text.width();
        self
    }

    pub(crate) fn plain(&mut self, text: &str) -> &mut Page {
        self.put(Tone::Plain, text)
    }

    /// Text that is cut where the line is full.
    pub(crate) fn rest(&mut self, tone: Tone, text: &str) -> &mut Page {
        let text = clip(text, self.room());
        self.put(tone, &text)
    }

    /// Text at the right end of the line, after a gap.
    pub(crate) fn right(&mut self, tone: Tone, text: &str) -> &mut Page {
        let gap = self.room().saturating_sub(width(text)).max(2);
        self.plain(&" ".repeat(gap)).put(tone, text)
    }

    /// Text that is broken into lines, which begin in the present column. Ends the last of them.
    pub(crate) fn folded(&mut self, tone: Tone, text: &str) {
        let indent = self.taken;
        for (nth, line) in fold(text, self.room()).into_iter().enumerate() {
            if nth > 0 {
                self.plain(&" ".repeat(indent));
            }
            self.put(tone, &line).end();
        }
    }

    /// Items with separators, in lines that begin in the present column. Only an item that is too
    /// long for a line is broken. Ends the last line.
    pub(crate) fn items<'t>(&mut self, tone: Tone, items: impl IntoIterator<Item = &'t str>, separator: &str) {
        let indent = self.taken;
        let mut items = items.into_iter().peekable();
        while let Some(item) = items.next() {
            let separator = if items.peek().is_some() { separator } else { "" };
            let wanted = width(item) + width(separator.trim_end());
            if wanted > self.room() && self.taken > indent {
                self.end();
                self.plain(&" ".repeat(indent));
            }
            if wanted > self.room() {
                self.folded(tone, &format!("{item}{separator}"));
                if items.peek().is_some() {
                    self.plain(&" ".repeat(indent));
                }
                continue;
            }
            self.put(tone, item).plain(separator);
        }
        if self.taken > 0 {
            self.end();
        }
    }

    /// Ends the line, without blanks at its end.
    pub(crate) fn end(&mut self) {
        self.text.truncate(self.text.trim_end_matches(' ').len());
        self.text.push('\n');
        self.taken = 0;
    }

    /// A whole line.
    pub(crate) fn line(&mut self, tone: Tone, text: &str) {
        self.put(tone, text).end();
    }

    /// An empty line, unless there is one already.
    pub(crate) fn blank(&mut self) {
        if !self.text.is_empty() && !self.text.ends_with("\n\n") {
            self.text.push('\n');
        }
    }

    /// A command to run next, which can be pasted.
    pub(crate) fn next(&mut self, command: &str) {
        self.put(Tone::Notable, "next: ").plain(command).end();
    }

    pub(crate) fn into_text(self) -> String {
        self.text
    }

    /// Without styles.
    pub(crate) fn into_plain_text(self) -> String {
        anstream::adapter::strip_str(&self.text).to_string()
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
    if columns == 0 {
        return String::new();
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
