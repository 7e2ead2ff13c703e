use crate::narrow;
use std::sync::{Arc, OnceLock};

/// A range of bytes in a [`Source`].
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Span {
    start: u32,
    end: u32,
}

impl Span {
    /// The bytes from `start` up to but not including `end`. Offsets beyond 4 GiB are cut to it.
    #[must_use]
    pub fn new(start: usize, end: usize) -> Span {
        let start = narrow::at_most(start);
        let end = narrow::at_most(end);
        Span { start, end: end.max(start) }
    }

    /// The first byte.
    #[must_use]
    pub fn start(self) -> usize {
        self.start as usize
    }

    /// One past the last byte.
    #[must_use]
    pub fn end(self) -> usize {
        self.end as usize
    }

    /// The span `by` bytes further on.
    #[must_use]
    pub fn shifted(self, by: usize) -> Span {
        Span::new(self.start() + by, self.end() + by)
    }
}

impl From<std::ops::Range<usize>> for Span {
    fn from(range: std::ops::Range<usize>) -> Span {
        Span::new(range.start, range.end)
    }
}

/// The number of a text among those that were read together.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct SourceId(pub(crate) u32);

impl SourceId {
    /// The position in the list of sources that the id belongs to.
    #[must_use]
    pub fn index(self) -> usize {
        self.0 as usize
    }
}

/// A place in one of several texts.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Location {
    /// Which text.
    pub source: SourceId,
    /// Where in it.
    pub span: Span,
}

/// A line and a column, both counted from 1; a column is a character, not a byte.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct LineColumn {
    /// The line, from 1.
    pub line: usize,
    /// The character in the line, from 1.
    pub column: usize,
}

/// A text and the name under which messages speak of it, most often the path of its file.
#[derive(Clone, Debug)]
pub struct Source {
    name: String,
    text: Arc<Text>,
}

#[derive(Debug)]
struct Text {
    text: String,
    /// Where each line begins; found when a place is first requested.
    lines: OnceLock<Vec<u32>>,
}

impl PartialEq for Source {
    fn eq(&self, other: &Source) -> bool {
        self.name == other.name && self.text.text == other.text.text
    }
}

impl Eq for Source {}

impl Source {
    /// A text with its name.
    pub fn new(name: impl Into<String>, text: impl Into<String>) -> Source {
        Source { name: name.into(), text: Arc::new(Text { text: text.into(), lines: OnceLock::new() }) }
    }

    /// What messages call it.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    /// The whole text.
    #[must_use]
    pub fn text(&self) -> &str {
        &self.text.text
    }

    fn lines(&self) -> &[u32] {
        self.text.lines.get_or_init(|| {
            let breaks = self.text().bytes().enumerate().filter(|(_, byte)| *byte == b'\n');
            let starts = breaks.filter_map(|(at, _)| u32::try_from(at + 1).ok());
            std::iter::once(0).chain(starts).collect()
        })
    }

    /// Line and column of a byte. One past the end is where the text ends.
    #[must_use]
    pub fn line_column(&self, byte: usize) -> LineColumn {
        let byte = self.floor(byte);
        let line = self.lines().partition_point(|&start| start as usize <= byte);
        let start = self.lines().get(line.saturating_sub(1)).map_or(0, |&start| start as usize);
        let before = self.text().get(start..byte).unwrap_or_default();
        LineColumn { line, column: before.chars().filter(|&c| c != '\u{feff}').count() + 1 }
    }

    /// The text that a span covers, empty where it lies outside.
    #[must_use]
    pub fn slice(&self, span: Span) -> &str {
        self.text().get(self.floor(span.start())..self.floor(span.end())).unwrap_or_default()
    }

    /// The span of the whole line in which a byte lies, without its line break.
    #[must_use]
    pub fn line_span(&self, byte: usize) -> Span {
        let byte = self.floor(byte);
        let start = self.text()[..byte].rfind('\n').map_or(0, |newline| newline + 1);
        let end = self.text()[byte..].find('\n').map_or(self.text().len(), |length| byte + length);
        let end = if self.text()[start..end].ends_with('\r') { end - 1 } else { end };
        Span::new(start, end.max(start))
    }

    fn floor(&self, byte: usize) -> usize {
        let mut byte = byte.min(self.text().len());
        while !self.text().is_char_boundary(byte) {
            byte -= 1;
        }
        byte
    }
}
