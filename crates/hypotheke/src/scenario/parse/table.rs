//! Scenarios that run for each row of a table.

use super::super::tree::{Line, Row, Table, TemplateLine};
use super::body::BodyReader;
use super::{Parsed, diagnostic};
use crate::language::{LineParser, SentenceError, Token, TokenKind, lex};
use crate::text::{Faults, Location, SourceId, Span, Word, suggestion};

#[derive(Debug)]
pub(super) struct TableReader {
    table: Line<Table>,
    /// What is read of each row.
    bodies: Vec<BodyReader>,
    /// Rows may follow.
    in_rows: bool,
    /// A row could not be read.
    bad_rows: bool,
}

impl TableReader {
    pub(super) fn new(parser: &mut LineParser<'_, '_>, frame: Line<()>) -> Parsed<TableReader> {
        parser.require_keyword("table")?;
        let mut columns: Vec<Word> = Vec::new();
        loop {
            let name = parser.word("the name of a column")?;
            if !is_column_name(name.as_str()) {
                let error = SentenceError::new(name.span(), format!("invalid name `{name}` of a column"));
                return Err(error.help("Begin with a lower-case letter; use letters, digits and `-`"));
            }
            if columns.contains(&name) {
                return Err(SentenceError::new(name.span(), format!("there are two columns `{name}`")));
            }
            columns.push(name);
            if parser.is_empty() {
                break;
            }
            parser.require_bar()?;
        }
        let table = Table { columns, rows: Vec::new(), lines: Vec::new() };
        Ok(TableReader { table: frame.with(table), bodies: Vec::new(), in_rows: true, bad_rows: false })
    }

    pub(super) fn line(&mut self, tokens: &[Token<'_>], frame: Line<()>, faults: &mut Faults) {
        let Some(first) = tokens.first() else { return };
        let is_heading = matches!(first.text, "start" | "steps" | "end");
        if self.in_rows && !is_heading {
            match self.row(tokens, frame) {
                Ok(row) => self.add(row),
                Err(error) => {
                    self.bad_rows = true;
                    faults.push(diagnostic(&error));
                }
            }
            return;
        }
        self.in_rows = false;
        self.fill_in(tokens, *first, &frame, faults);
        let text = described(tokens);
        self.table.item.lines.push(frame.with(TemplateLine { is_heading, text }));
    }

    fn add(&mut self, row: Line<Row>) {
        self.table.item.rows.push(row);
        self.bodies.push(BodyReader::default());
    }

    fn row(&self, tokens: &[Token<'_>], frame: Line<()>) -> Parsed<Line<Row>> {
        let tokens = without_comment(tokens);
        let mut cells = Vec::new();
        for cell in tokens.split(|token| token.kind == TokenKind::Bar) {
            let (Some(first), Some(last)) = (cell.first(), cell.last()) else {
                return Err(SentenceError::new(frame.span, "a cell of this row is empty")
                    .help("Write `nothing` for an empty value"));
            };
            let span = Span::new(first.span.start(), last.span.end());
            cells.push(Word::new(described(cell).as_str(), span));
        }
        let columns = &self.table.item.columns;
        if cells.len() != columns.len() {
            let message = format!("this row has {} cells, the table has {} columns", cells.len(), columns.len());
            let names: Vec<&str> = columns.iter().map(Word::as_str).collect();
            return Err(SentenceError::new(frame.span, message).help(format!("The columns are {}", names.join(" | "))));
        }
        Ok(frame.with(Row { cells, body: super::Body::default() }))
    }

    /// Reads a line once for each row.
    fn fill_in(&mut self, tokens: &[Token<'_>], first: Token<'_>, frame: &Line<()>, faults: &mut Faults) {
        let tokens = without_comment(tokens);
        let mut described: Vec<SentenceError> = Vec::new();
        for (row, body) in self.table.item.rows.iter().zip(&mut self.bodies) {
            let plain = Line { item: (), span: frame.span, comments: Vec::new(), remark: None };
            let read = filled(tokens, &self.table.item.columns, &row.item.cells).and_then(|texts| {
                let tokens = refilled(tokens, &texts);
                let first = tokens.first().copied().unwrap_or(first);
                body.line(&mut LineParser::new(&tokens, frame.span), first, plain)
            });
            let Err(error) = read else { continue };
            // A fault that every row has is reported once.
            if !faults.is_full() && !described.contains(&error) {
                let in_row = Location::new(SourceId(0), row.span);
                faults.push(diagnostic(&error).related(in_row, "with the values of this row"));
                described.push(error);
            }
        }
    }

    pub(super) fn finish(self, faults: &mut Faults) -> Line<Table> {
        let mut table = self.table;
        if table.item.rows.is_empty() && !self.bad_rows {
            let error = SentenceError::new(table.span, "this table has no rows");
            faults.push(diagnostic(&error.help("Add a line for each row: `3 | 2`")));
        }
        for (row, body) in table.item.rows.iter_mut().zip(self.bodies) {
            row.item.body = body.finish(&mut |error| faults.push(diagnostic(&error)));
        }
        table
    }
}

fn is_column_name(name: &str) -> bool {
    name.starts_with(|c: char| c.is_ascii_lowercase()) && name.bytes().all(is_column_byte)
}

fn is_column_byte(byte: u8) -> bool {
    byte.is_ascii_lowercase() || byte.is_ascii_digit() || byte == b'-'
}

fn without_comment<'t, 'a>(tokens: &'t [Token<'a>]) -> &'t [Token<'a>] {
    match tokens.split_last() {
        Some((last, rest)) if last.kind == TokenKind::Comment => rest,
        _ => tokens,
    }
}

/// For each token in which a column stands, the token with the column's value.
fn filled(tokens: &[Token<'_>], columns: &[Word], cells: &[Word]) -> Parsed<Vec<Option<String>>> {
    let fill_token = |token: &Token<'_>| {
        if !token.text.contains('$') {
            return Ok(None);
        }
        let mut text = String::new();
        let mut rest = token.text;
        while let Some(dollar) = rest.find('$') {
            text.push_str(&rest[..dollar]);
            let after = &rest[dollar + 1..];
            let name = &after[..after.bytes().position(|byte| !is_column_byte(byte)).unwrap_or(after.len())];
            let Some(column) = columns.iter().position(|column| column.as_str() == name) else {
                let error = SentenceError::new(token.span, format!("unknown column `{name}`"));
                let help = suggestion(name, columns.iter().map(Word::as_str));
                return Err(match help {
                    Some(help) => error.help(help),
                    None => error,
                });
            };
            text.push_str(cells[column].as_str());
            rest = &after[name.len()..];
        }
        text.push_str(rest);
        Ok(Some(text))
    };
    tokens.iter().map(fill_token).collect()
}

/// The tokens with the values of a row; each value has the span of its column.
fn refilled<'a>(tokens: &[Token<'a>], texts: &'a [Option<String>]) -> Vec<Token<'a>> {
    let mut all = Vec::with_capacity(tokens.len());
    let mut own = Vec::new();
    for (token, text) in tokens.iter().zip(texts) {
        match text {
            None => all.push(*token),
            Some(text) => {
                lex(text, 0, &mut own);
                all.extend(own.iter().map(|part| Token { span: token.span, ..*part }));
            }
        }
    }
    all
}

/// Tokens as they are written in canonical layout.
fn described(tokens: &[Token<'_>]) -> String {
    let mut text = String::new();
    let mut glued = true;
    for token in without_comment(tokens) {
        let closes =
            matches!(token.kind, TokenKind::Comma | TokenKind::Colon | TokenKind::Semicolon | TokenKind::Close);
        if !glued && !closes {
            text.push(' ');
        }
        text.push_str(token.text);
        glued = token.kind == TokenKind::Open;
    }
    text
}
