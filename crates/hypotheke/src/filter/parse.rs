//! The grammar, on winnow:
//!
//! ```text
//! filter      = conjunction { "or" conjunction }
//! conjunction = term { "and" term }
//! term        = "not" term | "(" filter ")" | name [ comparison literal ]
//! ```

use std::str::FromStr;

use winnow::Parser as _;
use winnow::ascii::multispace0;
use winnow::combinator::{alt, delimited, opt, preceded};
use winnow::error::{ErrMode, ParserError};
use winnow::stream::{LocatingSlice, Location as _, Stateful, Stream as _};
use winnow::token::{any, take_while};

use super::{Comparison, Filter, Literal};
use crate::text::{Span, Word};

/// So deep may parentheses and `not` be nested; far beyond what anyone reads, and safe for the call
/// stack.
const DEEPEST: usize = 64;

/// A filter that can't be read: why, and which part of it.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct FilterError {
    message: String,
    help: Option<String>,
    span: Span,
}

impl FilterError {
    fn new(span: impl Into<Span>, message: impl Into<String>) -> FilterError {
        FilterError { message: message.into(), help: None, span: span.into() }
    }

    fn help(mut self, help: impl Into<String>) -> FilterError {
        self.help = Some(help.into());
        self
    }

    /// What to do about it, where that is known.
    #[must_use]
    pub fn help_text(&self) -> Option<&str> {
        self.help.as_deref()
    }

    /// The part of the filter that is wrong.
    #[must_use]
    pub fn span(&self) -> Span {
        self.span
    }
}

type Input<'a> = Stateful<LocatingSlice<&'a str>, usize>;
type Parsed<T> = Result<T, ErrMode<FilterError>>;

impl ParserError<Input<'_>> for FilterError {
    type Inner = FilterError;

    fn from_input(input: &Input<'_>) -> FilterError {
        let start = input.current_token_start();
        FilterError::new(start..start, "unexpected character in a filter")
    }

    fn into_inner(self) -> Result<FilterError, FilterError> {
        Ok(self)
    }
}

impl FromStr for Filter {
    type Err = FilterError;

    fn from_str(text: &str) -> Result<Filter, FilterError> {
        let mut input = Stateful { input: LocatingSlice::new(text), state: 0 };
        whole(&mut input).map_err(|error| match error {
            ErrMode::Backtrack(error) | ErrMode::Cut(error) => error,
            ErrMode::Incomplete(_) => FilterError::new(0..text.len(), "the filter is incomplete"),
        })
    }
}

fn whole(input: &mut Input<'_>) -> Parsed<Filter> {
    multispace0.parse_next(input)?;
    let filter = disjunction(input)?;
    if input.input.is_empty() {
        return Ok(filter);
    }
    let start = input.current_token_start();
    let found = word(input).unwrap_or_else(|_| rest_of_word(input, start));
    let error =
        match found.as_str() {
            ")" => FilterError::new(found.span(), "this parenthesis has no opening parenthesis"),
            "&" | "&&" => FilterError::new(found.span(), format!("unexpected `{}` in a filter", found.as_str()))
                .help("Write `and`"),
            "|" | "||" => FilterError::new(found.span(), format!("unexpected `{}` in a filter", found.as_str()))
                .help("Write `or`"),
            "==" => FilterError::new(found.span(), "`==` is not a comparison").help("Write `=`"),
            text => FilterError::new(found.span(), format!("unexpected `{text}`"))
                .help("join two conditions with `and` or `or`"),
        };
    Err(ErrMode::Cut(error))
}

fn disjunction(input: &mut Input<'_>) -> Parsed<Filter> {
    joined(input, "or", conjunction, Filter::Or)
}

fn conjunction(input: &mut Input<'_>) -> Parsed<Filter> {
    joined(input, "and", term, Filter::And)
}

fn joined(
    input: &mut Input<'_>,
    joint: &str,
    mut part: impl FnMut(&mut Input<'_>) -> Parsed<Filter>,
    join: impl Fn(Vec<Filter>) -> Filter,
) -> Parsed<Filter> {
    let first = part(input)?;
    let mut parts = Vec::new();
    while keyword(input, joint) {
        parts.push(part(input)?);
    }
    if parts.is_empty() {
        return Ok(first);
    }
    parts.insert(0, first);
    Ok(join(parts))
}

fn term(input: &mut Input<'_>) -> Parsed<Filter> {
    let start = input.current_token_start();
    input.state += 1;
    if input.state > DEEPEST {
        let error = FilterError::new(start..start + 1, format!("the filter is nested more than {DEEPEST} deep"));
        return Err(ErrMode::Cut(error.help("split the filter, or give the kinds a common tag")));
    }
    let filter = if keyword(input, "not") {
        Filter::Not(Box::new(term(input)?))
    } else if open(input) {
        let inner = disjunction(input)?;
        close(input, start)?;
        inner
    } else {
        name_or_comparison(input)?
    };
    input.state -= 1;
    Ok(filter)
}

fn open(input: &mut Input<'_>) -> bool {
    token(input, "(")
}

fn close(input: &mut Input<'_>, opened: usize) -> Parsed<()> {
    if token(input, ")") {
        return Ok(());
    }
    if input.input.is_empty() {
        return Err(ErrMode::Cut(FilterError::new(opened..opened + 1, "this parenthesis is not closed")));
    }
    let start = input.current_token_start();
    let found = rest_of_word(input, start);
    let error = FilterError::new(found.span(), format!("unexpected `{}`", found.as_str()));
    Err(ErrMode::Cut(error.help("join two conditions with `and` or `or`, or close the parenthesis")))
}

fn name_or_comparison(input: &mut Input<'_>) -> Parsed<Filter> {
    let start = input.current_token_start();
    let Ok(name) = word(input) else {
        return Err(ErrMode::Cut(missing_name(input, start)));
    };
    if matches!(name.as_str(), "and" | "or") {
        let error = FilterError::new(name.span(), format!("a condition is missing before `{}`", name.as_str()));
        return Err(ErrMode::Cut(error));
    }
    match comparison(input) {
        Some(comparison) => Ok(Filter::Compare(name, comparison, literal(input)?)),
        None => Ok(Filter::Name(name)),
    }
}

fn missing_name(input: &mut Input<'_>, start: usize) -> FilterError {
    if input.input.is_empty() {
        let error = FilterError::new(start.saturating_sub(1)..start, "a condition is missing at the end");
        return error.help("name a tag, a mark or a kind, or compare `weight`, `value` or a property");
    }
    let found = rest_of_word(input, start);
    FilterError::new(found.span(), format!("`{}` is not a name", found.as_str()))
        .help("name a tag, a mark or a kind in lower case, or compare `weight`, `value` or a property")
}

fn comparison(input: &mut Input<'_>) -> Option<Comparison> {
    let symbols = alt((
        "<=".value(Comparison::AtMost),
        ">=".value(Comparison::AtLeast),
        "!=".value(Comparison::NotEqual),
        "<".value(Comparison::Less),
        ">".value(Comparison::More),
        ("=", winnow::combinator::not("=")).value(Comparison::Equal),
    ));
    let parsed: Parsed<Option<Comparison>> = opt((symbols, multispace0).map(|(symbol, _)| symbol)).parse_next(input);
    parsed.ok().flatten()
}

fn literal(input: &mut Input<'_>) -> Parsed<Literal> {
    let start = input.current_token_start();
    let before = input.checkpoint();
    let quoted: Parsed<&str> = delimited('"', take_while(0.., |c| c != '"'), '"').parse_next(input);
    if let Ok(text) = quoted {
        multispace0.parse_next(input)?;
        return Ok(Literal::Text(text.to_owned()));
    }
    input.reset(&before);
    let found = rest_of_word(input, start);
    match found.as_str().parse() {
        Ok(number) => Ok(Literal::Number(number)),
        Err(_) if found.as_str().starts_with('"') => {
            Err(ErrMode::Cut(FilterError::new(found.span(), "this text is not closed").help("end it with `\"`")))
        }
        Err(error) => {
            let message = match found.as_str() {
                "" => "a number is missing after the comparison".to_owned(),
                written => format!("`{written}`: {error}"),
            };
            let error = FilterError::new(found.span(), message);
            Err(ErrMode::Cut(error.help("compare with a number such as `2.5`, or with a text such as `\"red\"`")))
        }
    }
}

/// Takes a whole word if it is `keyword`, else nothing.
fn keyword(input: &mut Input<'_>, keyword: &str) -> bool {
    let before = input.checkpoint();
    if word(input).is_ok_and(|word| word.as_str() == keyword) {
        return true;
    }
    input.reset(&before);
    false
}

fn token(input: &mut Input<'_>, token: &str) -> bool {
    let parsed: Parsed<()> = (token, multispace0).void().parse_next(input);
    parsed.is_ok()
}

fn word(input: &mut Input<'_>) -> Parsed<Word> {
    let name = take_while(1.., |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || matches!(c, '-' | '.' | '_'));
    let not_a_number = winnow::combinator::not(alt((winnow::token::one_of('0'..='9').void(), "-".void(), ".".void())));
    let ((text, span), _) = (preceded(not_a_number, name).with_span(), multispace0).parse_next(input)?;
    Ok(Word::new(text, span))
}

/// For messages and numbers: the text up to the next blank or parenthesis, at least one character.
fn rest_of_word(input: &mut Input<'_>, start: usize) -> Word {
    let first: Parsed<char> = any.parse_next(input);
    let mut text: String = first.ok().into_iter().collect();
    let solid = |c: char| !c.is_whitespace() && c != '(' && c != ')';
    if text.chars().all(solid) {
        let rest: Parsed<&str> = take_while(0.., solid).parse_next(input);
        text.push_str(rest.unwrap_or_default());
    }
    let span = Span::new(start, start + text.len());
    let _: Parsed<&str> = multispace0.parse_next(input);
    Word::new(text, span)
}
