//! A line of text as words and punctuation. Blanks separate words.

use crate::text::Span;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum TokenKind {
    Word,
    Comma,
    Colon,
    Semicolon,
    Open,
    Close,
    /// `|`
    Bar,
    /// `->`
    Arrow,
    /// `=`, `<`, `<=`, …
    Comparison,
    /// `# …` to the end of the line
    Comment,
}

#[derive(Clone, Copy, Debug)]
pub(crate) struct Token<'a> {
    pub(crate) kind: TokenKind,
    pub(crate) text: &'a str,
    pub(crate) span: Span,
}

/// Puts the tokens of `line` into `tokens`; `offset` is where the line begins in its text.
pub(crate) fn lex<'a>(line: &'a str, offset: usize, tokens: &mut Vec<Token<'a>>) {
    tokens.clear();
    let bytes = line.as_bytes();
    let mut at = 0;
    while at < bytes.len() {
        let (kind, length) = match bytes[at] {
            b' ' | b'\t' | b'\r' => {
                at += 1;
                continue;
            }
            b',' => (TokenKind::Comma, 1),
            b':' => (TokenKind::Colon, 1),
            b';' => (TokenKind::Semicolon, 1),
            b'(' => (TokenKind::Open, 1),
            b')' => (TokenKind::Close, 1),
            b'|' => (TokenKind::Bar, 1),
            b'=' => (TokenKind::Comparison, 1),
            b'<' | b'>' | b'!' => (TokenKind::Comparison, if bytes.get(at + 1) == Some(&b'=') { 2 } else { 1 }),
            b'-' if bytes.get(at + 1) == Some(&b'>') => (TokenKind::Arrow, 2),
            // `#12` is a stack; any other hash begins a comment.
            b'#' if !bytes.get(at + 1).is_some_and(u8::is_ascii_digit) => (TokenKind::Comment, bytes.len() - at),
            _ => (TokenKind::Word, word_length(bytes, at)),
        };
        let text = &line[at..at + length];
        let text = if kind == TokenKind::Comment { text.trim_end() } else { text };
        tokens.push(Token { kind, text, span: Span::new(offset + at, offset + at + text.len()) });
        at += length;
    }
}

fn word_length(bytes: &[u8], start: usize) -> usize {
    let mut at = start;
    let (mut has_row, mut hash) = (false, None);
    while at < bytes.len() {
        let digit_next = bytes.get(at + 1).is_some_and(u8::is_ascii_digit);
        match bytes[at] {
            // `sled@1,4` and `#3:12` are one word.
            b'@' => has_row = true,
            b'#' => hash = Some(at),
            b',' if has_row && digit_next => has_row = false,
            b':' if digit_next && hash.is_some_and(|hash| at > hash + 1) => {}
            b'-' if bytes.get(at + 1) == Some(&b'>') => break,
            b' ' | b'\t' | b'\r' | b'(' | b')' | b'=' | b'<' | b'>' | b'!' | b',' | b':' | b';' | b'|' => break,
            _ => {}
        }
        at += 1;
    }
    (at - start).max(1)
}
