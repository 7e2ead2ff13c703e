use std::sync::Arc;

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
        let start = u32::try_from(start).unwrap_or(u32::MAX);
        let end = u32::try_from(end).unwrap_or(u32::MAX);
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
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Source {
    name: String,
    text: Arc<String>,
}

impl Source {
    /// A text with its name.
    pub fn new(name: impl Into<String>, text: impl Into<String>) -> Source {
        Source { name: name.into(), text: Arc::new(text.into()) }
    }

    /// What messages call it.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    /// The whole text.
    #[must_use]
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Line and column of a byte. One past the end is where the text ends.
    #[must_use]
    pub fn line_column(&self, byte: usize) -> LineColumn {
        let before = self.text.get(..self.floor(byte)).unwrap_or_default();
        let line_start = before.rfind('\n').map_or(0, |newline| newline + 1);
        LineColumn {
            line: before.bytes().filter(|&b| b == b'\n').count() + 1,
            column: before[line_start..].chars().filter(|&c| c != '\u{feff}').count() + 1,
        }
    }

    /// The text that a span covers, empty where it lies outside.
    #[must_use]
    pub fn slice(&self, span: Span) -> &str {
        self.text.get(self.floor(span.start())..self.floor(span.end())).unwrap_or_default()
    }

    /// The span of the whole line in which a byte lies, without its line break.
    #[must_use]
    pub fn line_span(&self, byte: usize) -> Span {
        let byte = self.floor(byte);
        let start = self.text[..byte].rfind('\n').map_or(0, |newline| newline + 1);
        let end = self.text[byte..].find('\n').map_or(self.text.len(), |length| byte + length);
        let end = if self.text[start..end].ends_with('\r') { end - 1 } else { end };
        Span::new(start, end.max(start))
    }

    fn floor(&self, byte: usize) -> usize {
        let mut byte = byte.min(self.text.len());
        while !self.text.is_char_boundary(byte) {
            byte -= 1;
        }
        byte
    }
}
