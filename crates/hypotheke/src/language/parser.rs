//! A cursor over the tokens of one line, with a method for each thing that a line can be made of.

use super::lexer::{Token, TokenKind};
use super::operation::{Amount, Landing, Position};
use super::{MEASURED_OF, NamedPortion, NamedVariant, Path};
use crate::filter::Comparison;
use crate::quantity::Decimal;
use crate::text::{Diagnostics, Source, Span, Word};

/// A sentence that can't be read: why, which part of it, and what to write instead.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct SentenceError {
    message: String,
    span: Span,
    help: Option<String>,
}

impl SentenceError {
    pub(crate) fn new(span: Span, message: impl Into<String>) -> SentenceError {
        SentenceError { message: message.into(), span, help: None }
    }

    pub(crate) fn help(mut self, help: impl Into<String>) -> SentenceError {
        self.help = Some(help.into());
        self
    }

    /// The same as an error in a text that has only this sentence.
    #[must_use]
    pub fn diagnose(&self, sentence: Source) -> Diagnostics {
        Diagnostics::of_sentence("bad-sentence", sentence, self.span, &self.message, self.help.clone())
    }

    /// The part of the sentence that is wrong.
    #[must_use]
    pub fn span(&self) -> Span {
        self.span
    }

    /// What to write instead, where that is known.
    #[must_use]
    pub fn help_text(&self) -> Option<&str> {
        self.help.as_deref()
    }
}

pub(super) type Parsed<T> = Result<T, SentenceError>;

pub(crate) struct LineParser<'t, 'a> {
    pub(super) tokens: &'t [Token<'a>],
    pub(super) at: usize,
    /// How deep lists of operations nest here.
    pub(super) depth: usize,
    line: Span,
}

impl<'t, 'a> LineParser<'t, 'a> {
    /// `line` is the span that errors at the end of the line point to the end of.
    pub(crate) fn new(tokens: &'t [Token<'a>], line: Span) -> LineParser<'t, 'a> {
        let comment = tokens.last().is_some_and(|token| token.kind == TokenKind::Comment);
        LineParser { tokens: if comment { &tokens[..tokens.len() - 1] } else { tokens }, at: 0, depth: 0, line }
    }

    pub(crate) fn peek(&self) -> Option<Token<'a>> {
        self.tokens.get(self.at).copied()
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.at == self.tokens.len()
    }

    /// The last character of the line, for what is missing after it.
    fn end_span(&self) -> Span {
        match self.tokens.last() {
            Some(last) => {
                let width = last.text.chars().next_back().map_or(0, char::len_utf8);
                Span::new(last.span.end() - width, last.span.end())
            }
            None => Span::new(self.line.start(), self.line.start()),
        }
    }

    pub(crate) fn here(&self) -> Span {
        self.peek().map_or(self.end_span(), |token| token.span)
    }

    pub(crate) fn error(&self, message: impl Into<String>) -> SentenceError {
        SentenceError::new(self.here(), message)
    }

    /// `expected` something: an error that says what was found.
    pub(crate) fn expected(&self, expected: &str) -> SentenceError {
        match self.peek() {
            Some(token) => self.error(format!("expected {expected}, found `{}`", shortened(token.text))),
            None => self.error(format!("expected {expected} at the end of the line")),
        }
    }

    /// All tokens must have been read.
    pub(crate) fn end(&self) -> Parsed<()> {
        match self.peek() {
            None => Ok(()),
            Some(token) => Err(self.error(format!("unexpected `{}` after the sentence", shortened(token.text)))),
        }
    }

    pub(super) fn take(&mut self, kind: TokenKind) -> bool {
        let found = self.peek().is_some_and(|token| token.kind == kind);
        self.at += usize::from(found);
        found
    }

    pub(crate) fn take_colon(&mut self) -> bool {
        self.take(TokenKind::Colon)
    }

    pub(crate) fn take_comma(&mut self) -> bool {
        self.take(TokenKind::Comma)
    }

    pub(crate) fn take_arrow(&mut self) -> bool {
        self.take(TokenKind::Arrow)
    }

    pub(crate) fn take_semicolon(&mut self) -> bool {
        self.take(TokenKind::Semicolon)
    }

    pub(crate) fn require_bar(&mut self) -> Parsed<()> {
        if self.take(TokenKind::Bar) { Ok(()) } else { Err(self.expected("`|`")) }
    }

    pub(crate) fn word_ahead(&self) -> bool {
        self.peek().is_some_and(|token| token.kind == TokenKind::Word)
    }

    /// All of these words or none.
    pub(crate) fn keywords(&mut self, keywords: &[&str]) -> bool {
        let ahead = self.tokens.get(self.at..self.at + keywords.len()).unwrap_or_default();
        let found =
            ahead.len() == keywords.len() && ahead.iter().zip(keywords).all(|(token, keyword)| token.text == *keyword);
        self.at += if found { keywords.len() } else { 0 };
        found
    }

    /// `events:` or `events has:`
    pub(crate) fn events_ahead(&self) -> bool {
        let text = |at: usize| self.tokens.get(self.at + at).map(|token| token.text);
        text(0) == Some("events") && matches!(text(1), Some(":" | "has"))
    }

    /// A name, `of`, and more: `warmth of surveyor`.
    pub(crate) fn name_of_ahead(&self) -> bool {
        let is_other = self.peek().is_some_and(|token| MEASURED_OF.contains(&token.text));
        self.word_ahead() && !is_other && self.tokens.get(self.at + 1).is_some_and(|token| token.text == "of")
    }

    /// `together` or `surveyor together`, and nothing after it: the head of a list that goes on
    /// below.
    pub(crate) fn list_head(&mut self) -> Option<Option<Word>> {
        let actor = match self.tokens {
            [together] if together.text == "together" => None,
            [actor, together] if actor.kind == TokenKind::Word && together.text == "together" => {
                Some(Word::new(actor.text, actor.span))
            }
            _ => return None,
        };
        Some(actor)
    }

    pub(crate) fn keyword_ahead(&self, keyword: &str) -> bool {
        self.peek().is_some_and(|token| token.kind == TokenKind::Word && token.text == keyword)
    }

    pub(crate) fn keyword(&mut self, keyword: &str) -> bool {
        let found = self.keyword_ahead(keyword);
        self.at += usize::from(found);
        found
    }

    pub(crate) fn require_keyword(&mut self, keyword: &str) -> Parsed<()> {
        if self.keyword(keyword) { Ok(()) } else { Err(self.expected(&format!("`{keyword}`"))) }
    }

    pub(crate) fn require_colon(&mut self) -> Parsed<()> {
        if self.take_colon() { Ok(()) } else { Err(self.expected("`:`")) }
    }

    /// Any word, such as a name.
    pub(crate) fn word(&mut self, what: &str) -> Parsed<Word> {
        match self.peek() {
            Some(token) if token.kind == TokenKind::Word => {
                self.at += 1;
                Ok(Word::new(token.text, token.span))
            }
            _ => Err(self.expected(what)),
        }
    }

    pub(crate) fn path(&mut self) -> Parsed<Path> {
        let word = self.word("a place")?;
        Path::try_from(&word).map_err(|error| {
            let error = SentenceError::new(word.span(), format!("`{}`: {error}", shortened(word.as_str())));
            error.help("Write a place such as `sled`, `sled/3`, `sled@1,4`, `harness/head` or `surveyor.pockets`")
        })
    }

    pub(crate) fn number_ahead(&self) -> bool {
        self.peek().is_some_and(|token| {
            token.kind == TokenKind::Word
                && token.text.trim_start_matches('-').starts_with(|c: char| c.is_ascii_digit())
        })
    }

    pub(crate) fn count(&mut self) -> Parsed<u32> {
        let word = self.word("a count")?;
        word.as_str().parse().map_err(|_| {
            let error = SentenceError::new(word.span(), format!("`{}` is not a count", shortened(word.as_str())));
            error.help(format!("Write a whole number from 0 to {}", u32::MAX))
        })
    }

    pub(crate) fn decimal(&mut self) -> Parsed<Decimal> {
        let word = self.word("a number")?;
        word.as_str().parse().map_err(|error: crate::DecimalError| {
            SentenceError::new(word.span(), format!("`{}`: {error}", shortened(word.as_str())))
                .help("Write a number with at most three decimal places")
        })
    }

    pub(crate) fn comparison(&mut self) -> Parsed<Comparison> {
        let symbol = self.peek().filter(|token| token.kind == TokenKind::Comparison);
        let found =
            symbol.and_then(|token| Comparison::ALL.into_iter().find(|comparison| comparison.symbol() == token.text));
        self.at += usize::from(found.is_some());
        found.ok_or_else(|| self.expected("`=`, `!=`, `<`, `<=`, `>` or `>=`"))
    }

    /// `up to 9`, `all`, `3`, or nothing at all.
    pub(super) fn amount(&mut self) -> Parsed<Option<Amount>> {
        if self.keyword("up") {
            self.require_keyword("to")?;
            return self.count().map(|count| Some(Amount::UpTo(count)));
        }
        if self.keyword("all") {
            return Ok(Some(Amount::All));
        }
        if self.number_ahead() { self.count().map(|count| Some(Amount::Exactly(count))) } else { Ok(None) }
    }

    /// An amount and a kind, either of which may be missing.
    pub(super) fn selection(&mut self) -> Parsed<(Amount, Option<Word>)> {
        let amount = self.amount()?.unwrap_or_default();
        let preposition = ["from", "to", "at", "within"].iter().any(|word| self.keyword_ahead(word));
        let kind = if preposition || self.peek().is_none_or(|token| token.kind != TokenKind::Word) {
            None
        } else {
            Some(self.word("a kind")?)
        };
        Ok((amount, kind))
    }

    /// `(contaminated, reading 3.2)`, or nothing at all.
    pub(super) fn variant(&mut self) -> Parsed<NamedVariant> {
        if !self.take(TokenKind::Open) {
            return Ok(NamedVariant::default());
        }
        let variant = self.variant_words()?;
        if self.take(TokenKind::Close) { Ok(variant) } else { Err(self.expected("`,` or `)`")) }
    }

    /// `contaminated, reading 3.2`
    pub(super) fn variant_words(&mut self) -> Parsed<NamedVariant> {
        let mut variant = NamedVariant::default();
        loop {
            let name = self.word("a mark, or a property and its value,")?;
            if self.number_ahead() {
                let value = self.decimal()?;
                variant.properties.push((name, value));
            } else {
                variant.marks.push(name);
            }
            if !self.take_comma() {
                return Ok(variant);
            }
        }
    }

    pub(crate) fn position(&mut self) -> Parsed<Position> {
        let x = self.decimal()?;
        if !self.take_comma() {
            return Err(self.expected("`,` and the second number of the position"));
        }
        Ok(Position { x, y: self.decimal()? })
    }

    /// `2 ration-box`, `1 ice-core (contaminated)`
    pub(crate) fn portion(&mut self) -> Parsed<NamedPortion> {
        let start = self.here();
        let count = self.count()?;
        let kind = self.word("a kind")?;
        let variant = self.variant()?;
        let end = self.tokens[self.at - 1].span.end();
        Ok(NamedPortion { count, kind, variant, span: Span::new(start.start(), end) })
    }

    /// `2 ration-box, 1 flare` or `nothing`
    pub(crate) fn portions(&mut self) -> Parsed<Vec<NamedPortion>> {
        if self.keyword("nothing") {
            return Ok(Vec::new());
        }
        let mut portions = vec![self.portion()?];
        while self.take_comma() {
            portions.push(self.portion()?);
        }
        Ok(portions)
    }

    pub(super) fn landing(&mut self) -> Parsed<Landing> {
        let mut landing = Landing::default();
        if self.keyword("at") {
            landing.at = self.position()?;
        }
        if self.keyword("within") {
            landing.within = Some(self.decimal()?);
        }
        Ok(landing)
    }
}

/// A written text, cut for a message.
pub(crate) fn shortened(text: &str) -> String {
    const MOST: usize = 40;
    if text.chars().count() <= MOST {
        return text.to_owned();
    }
    text.chars().take(MOST - 1).chain(['…']).collect()
}
