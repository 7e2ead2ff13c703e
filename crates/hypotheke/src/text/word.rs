use std::fmt;

use serde::{Deserialize, Serialize};

use super::Span;

/// A name as it was written, and where. Two words are equal if they read the same, wherever they
/// stand.
///
/// In JSON a word is a plain string.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(from = "String", into = "String")]
pub struct Word {
    text: Box<str>,
    span: Span,
}

impl Word {
    pub(crate) fn new(text: impl Into<Box<str>>, span: impl Into<Span>) -> Word {
        Word { text: text.into(), span: span.into() }
    }

    /// The name.
    #[must_use]
    pub fn as_str(&self) -> &str {
        &self.text
    }

    /// Its place in the source text.
    #[must_use]
    pub fn span(&self) -> Span {
        self.span
    }
}

impl PartialEq for Word {
    fn eq(&self, other: &Word) -> bool {
        self.text == other.text
    }
}

impl Eq for Word {}

impl From<&str> for Word {
    fn from(text: &str) -> Word {
        Word::new(text, Span::default())
    }
}

impl From<String> for Word {
    fn from(text: String) -> Word {
        Word::new(text, Span::default())
    }
}

impl From<Word> for String {
    fn from(word: Word) -> String {
        word.text.into()
    }
}

impl fmt::Display for Word {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}
