//! Tables of item kinds, as spreadsheets export them: a byte order mark, either line break, `,` `;`
//! or tab between cells, quoted cells. One row a kind; columns beyond the known ones are
//! properties.

use csv::StringRecord;

use super::read::renamed_key;
use super::source::{KindAt, KindSource, PropertySource, RulesetSource, Text, Written};
use super::toml::name_fault;
use crate::narrow;
use crate::quantity::{Decimal, DecimalError};
use crate::text::{Diagnostic, Faults, Location, Source, SourceId, Span, nearest};

const KNOWN: &[&str] = &[
    "id",
    "name",
    "note",
    "tags",
    "weight",
    "value",
    "stack-limit",
    "protected",
    "most-in-world",
    "pack",
    "occupies-slots",
];

/// Which column holds what.
#[derive(Clone, Debug, Default)]
pub(crate) struct Columns {
    pub(crate) separator: u8,
    pub(crate) id: usize,
    pub(crate) tags: Option<usize>,
    name: Option<usize>,
    note: Option<usize>,
    weight: Option<usize>,
    value: Option<usize>,
    stack_limit: Option<usize>,
    is_protected: Option<usize>,
    max_in_world: Option<usize>,
    pack: Option<usize>,
    needs: Option<usize>,
    properties: Vec<PropertyColumn>,
    nameless: Vec<usize>,
    count: usize,
}

#[derive(Clone, Debug)]
struct PropertyColumn {
    column: usize,
    name: String,
    /// The cells that are not empty: kind, row, text.
    cells: Vec<(u32, u32, Text)>,
}

struct TableReader<'s> {
    source: &'s Source,
    id: SourceId,
    /// Where the first row begins, after a byte order mark.
    begin: usize,
    columns: Columns,
    faults: Faults,
}

impl RulesetSource {
    /// Adds the kinds of a table.
    pub(crate) fn read_table(&mut self, source: &Source) {
        let id = SourceId(narrow::index(self.sources.len()));
        self.sources.push(source.clone());
        let begin = if source.text().starts_with('\u{feff}') { '\u{feff}'.len_utf8() } else { 0 };
        let separator = separator(&source.text()[begin..]);
        let columns = Columns { separator, ..Columns::default() };
        let mut table = TableReader { source, id, begin, columns, faults: Faults::default() };
        table.read(self);
        self.faults.append(table.faults);
        table.columns.properties.clear();
        self.table_columns.insert(id.0, table.columns);
    }
}

/// Whether a quoted cell of the last row does not end. The reader accepts that, and would lose the
/// rows in it.
fn is_unclosed(row: &str, separator: u8) -> bool {
    let (mut quoted, mut begins_cell) = (false, true);
    let mut bytes = row.bytes().peekable();
    while let Some(byte) = bytes.next() {
        quoted = match quoted {
            // Two quotation marks are one that is part of the text.
            true => byte != b'"' || bytes.next_if_eq(&b'"').is_some(),
            // Elsewhere in a cell it is part of the text.
            false => begins_cell && byte == b'"',
        };
        begins_cell = !quoted && (byte == separator || matches!(byte, b'\r' | b'\n'));
    }
    quoted
}

impl TableReader<'_> {
    fn fault(&mut self, fault: Diagnostic) {
        self.faults.push(fault);
    }

    fn cell(&self, row: u32, column: usize) -> Location {
        Location::new(self.id, cell_span(self.source.text(), row as usize, self.columns.separator, column))
    }

    fn row(&self, row: u32) -> Location {
        let first = cell_span(self.source.text(), row as usize, self.columns.separator, 0);
        Location::new(self.id, self.source.line_span(first.start()))
    }

    fn read(&mut self, into: &mut RulesetSource) {
        let text = &self.source.text()[self.begin..];
        let mut reader = csv::ReaderBuilder::new()
            .has_headers(false)
            .flexible(true)
            .delimiter(self.columns.separator)
            .from_reader(text.as_bytes());
        let mut record = StringRecord::new();
        let mut seen_header = false;
        loop {
            let start = usize::try_from(reader.position().byte()).unwrap_or(usize::MAX).saturating_add(self.begin);
            match reader.read_record(&mut record) {
                Ok(true) => {}
                Ok(false) => break,
                Err(error) => {
                    let fault = Diagnostic::error("bad-table", Location::new(self.id, start..start), error.to_string());
                    self.fault(fault);
                    break;
                }
            }
            let row = narrow::index(start);
            let end = usize::try_from(reader.position().byte()).unwrap_or(usize::MAX).saturating_add(self.begin);
            let is_last = end == self.source.text().len();
            if is_last && is_unclosed(self.source.text().get(start..).unwrap_or_default(), self.columns.separator) {
                let fault = Diagnostic::error("bad-table", self.row(row), "a quotation mark is not closed");
                self.fault(fault.help("Close it, or write two of them for one that is part of the text"));
                break;
            }
            if record.iter().all(|cell| cell.trim().is_empty()) {
                continue;
            }
            if seen_header {
                self.read_row(into, &record, row);
            } else {
                seen_header = true;
                if !self.read_header(&record, row) {
                    return;
                }
                let rows = text.len() / 64;
                into.kinds.reserve(rows.min(1 << 20));
                into.arena.reserve(text.len());
            }
        }
        if !seen_header {
            let fault = Diagnostic::error("empty", Location::new(self.id, 0..0), "the table is empty");
            self.fault(
                fault.help("Write the names of the columns in the first row: `id,name,tags,weight,stack-limit`"),
            );
        }
        self.finish_properties(into);
    }

    /// False if no row can be read under it.
    fn read_header(&mut self, record: &StringRecord, row: u32) -> bool {
        self.columns.count = record.len();
        let mut id = None;
        for (column, cell) in record.iter().enumerate() {
            let written = cell.trim().to_owned();
            let name = written.to_lowercase().replace([' ', '_'], "-");
            let known = match name.as_str() {
                "" => {
                    self.columns.nameless.push(column);
                    continue;
                }
                "id" => &mut id,
                "name" => &mut self.columns.name,
                "note" => &mut self.columns.note,
                "tags" => &mut self.columns.tags,
                "weight" => &mut self.columns.weight,
                "value" => &mut self.columns.value,
                "stack-limit" => &mut self.columns.stack_limit,
                "protected" => &mut self.columns.is_protected,
                "most-in-world" => &mut self.columns.max_in_world,
                "pack" => &mut self.columns.pack,
                "occupies-slots" => &mut self.columns.needs,
                _ => {
                    self.property_column(column, &written, name, row);
                    continue;
                }
            };
            if known.replace(column).is_some() {
                let fault =
                    Diagnostic::error("bad-header", self.cell(row, column), format!("column `{name}` occurs twice"));
                self.fault(fault);
            }
        }
        let Some(id) = id else {
            let fault = Diagnostic::error("bad-header", self.row(row), "the first row has no column `id`");
            self.fault(fault.help(format!("Write the names of the columns in the first row: {}", KNOWN.join(", "))));
            return false;
        };
        self.columns.id = id;
        true
    }

    fn property_column(&mut self, column: usize, written: &str, name: String, row: u32) {
        let at = self.cell(row, column);
        let known = KNOWN.iter().copied();
        if let Some(now) = renamed_key(&name, KNOWN) {
            let fault = Diagnostic::error("bad-header", at, format!("unknown column `{written}`"));
            self.fault(fault.help(format!("Write `{now}`: `{name}` was renamed")));
        } else if let Some(meant) = nearest(&name, known) {
            let fault = Diagnostic::error("bad-header", at, format!("unknown column `{written}`"));
            self.fault(fault.help(format!("Did you mean `{meant}`? A property needs a less similar name")));
        } else if self.columns.properties.iter().any(|property| property.name == name) {
            self.fault(Diagnostic::error("bad-header", at, format!("column `{name}` occurs twice")));
        } else if let Some(fault) = name_fault(at, &name, "property", false) {
            self.fault(fault);
        } else {
            self.columns.properties.push(PropertyColumn { column, name, cells: Vec::new() });
        }
    }

    fn read_row(&mut self, into: &mut RulesetSource, record: &StringRecord, row: u32) {
        if !self.check_length(record, row) {
            return;
        }
        let at = KindAt::Row { table: self.id.0, byte: row };
        let id = text_of(record, Some(self.columns.id));
        if let Some(fault) =
            super::names::fault(id, false).and_then(|_| name_fault(self.cell(row, self.columns.id), id, "kind", false))
        {
            self.fault(fault);
        }
        let name = text_of(record, self.columns.name);
        let value = self.decimal(record, row, self.columns.value, "value");
        if value.is_none() && !text_of(record, self.columns.value).is_empty() {
            into.unread_values.insert(narrow::index(into.kinds.len()));
        }
        let kind = KindSource {
            id: into.arena.add(id),
            name: into.arena.add(if name.is_empty() { id } else { name }),
            note: into.arena.add(text_of(record, self.columns.note)),
            at,
            tag_set: into.tag_set(text_of(record, self.columns.tags), at),
            weight: self.weight(record, row),
            value: value.unwrap_or_default(),
            stack_limit: self.limit(record, row, self.columns.stack_limit, "stack-limit"),
            is_protected: self.is_protected(record, row),
            max_in_world: self.limit(record, row, self.columns.max_in_world, "most-in-world"),
        };
        let index = narrow::index(into.kinds.len());
        into.kinds.push(kind);
        self.read_needs(into, record, row, index);
        let pack = text_of(record, self.columns.pack);
        if let Some(column) = self.columns.pack.filter(|_| !pack.is_empty()) {
            into.packs.push((index, Written { value: pack.to_owned(), at: self.cell(row, column) }));
        }
        for property in &mut self.columns.properties {
            let cell = text_of(record, Some(property.column));
            if !cell.is_empty() {
                property.cells.push((index, row, into.arena.add(cell)));
            }
        }
    }

    /// The slots that a kind needs at once, with blanks between them.
    fn read_needs(&mut self, into: &mut RulesetSource, record: &StringRecord, row: u32, kind: u32) {
        let Some(column) = self.columns.needs else { return };
        let mut needs = Vec::new();
        for slot in text_of(record, Some(column)).split_ascii_whitespace() {
            let at = self.cell(row, column);
            if let Some(fault) = name_fault(at, slot, "slot", false) {
                self.fault(fault);
            }
            needs.push(Written { value: slot.to_owned(), at });
        }
        if !needs.is_empty() {
            into.needs.push((kind, needs));
        }
    }

    fn check_length(&mut self, record: &StringRecord, row: u32) -> bool {
        let (found, wanted) = (record.len(), self.columns.count);
        let surplus = record.iter().skip(wanted).any(|cell| !cell.trim().is_empty());
        if found < wanted || surplus {
            let line = self.source.line_column(self.row(row).span.start()).line;
            let message = format!("row {line} has {found} cells, but the header names {wanted} columns");
            let help = if found < wanted {
                "Add the missing cells, or a separator for each"
            } else {
                "Put a text that contains the separator in quotes"
            };
            self.fault(Diagnostic::error("bad-row", self.row(row), message).help(help));
            return false;
        }
        for index in 0..self.columns.nameless.len() {
            let column = self.columns.nameless[index];
            if !text_of(record, Some(column)).is_empty() {
                let fault = Diagnostic::error("bad-row", self.cell(row, column), "the column of this cell has no name");
                self.fault(fault.help("Name the column in the first row, or empty the cell"));
            }
        }
        true
    }

    fn weight(&mut self, record: &StringRecord, row: u32) -> Decimal {
        let Some(weight) = self.decimal(record, row, self.columns.weight, "weight") else { return Decimal::ZERO };
        if weight.is_negative() {
            let at = self.cell(row, self.columns.weight.unwrap_or_default());
            self.fault(Diagnostic::error("out-of-range", at, "a weight must not be negative").label("below 0"));
            return Decimal::ZERO;
        }
        weight
    }

    fn decimal(&mut self, record: &StringRecord, row: u32, column: Option<usize>, name: &str) -> Option<Decimal> {
        let column = column?;
        let cell = text_of(record, Some(column));
        match cell.parse() {
            Ok(decimal) => Some(decimal),
            Err(DecimalError::Empty) => None,
            Err(error) => {
                self.number_fault(row, column, name, cell, error);
                None
            }
        }
    }

    fn number_fault(&mut self, row: u32, column: usize, name: &str, cell: &str, error: DecimalError) {
        let at = self.cell(row, column);
        let line = self.source.line_column(at.span.start()).line;
        let message = format!("row {line}, column `{name}`: `{}`: {error}", crate::language::shortened(cell));
        let help = match error {
            DecimalError::Comma => format!("Write `{}`", cell.replace(',', ".")),
            _ => "Write a number with at most three decimal places".to_owned(),
        };
        self.fault(Diagnostic::error("bad-number", at, message).help(help));
    }

    fn limit(&mut self, record: &StringRecord, row: u32, column: Option<usize>, name: &str) -> Option<u32> {
        let column = column?;
        let cell = text_of(record, Some(column));
        if cell.is_empty() {
            return None;
        }
        let limit = cell.parse().ok().filter(|&limit| limit > 0);
        if limit.is_none() {
            let at = self.cell(row, column);
            let line = self.source.line_column(at.span.start()).line;
            let cell = crate::language::shortened(cell);
            let message = format!("row {line}, column `{name}`: `{cell}` is not a limit");
            let fault = Diagnostic::error("out-of-range", at, message);
            self.fault(fault.help("Write a whole number from 1 to 4294967295"));
        }
        limit
    }

    fn is_protected(&mut self, record: &StringRecord, row: u32) -> bool {
        let cell = text_of(record, self.columns.is_protected);
        match cell.to_ascii_lowercase().as_str() {
            "" | "no" | "false" => false,
            "yes" | "true" => true,
            _ => {
                let at = self.cell(row, self.columns.is_protected.unwrap_or_default());
                let line = self.source.line_column(at.span.start()).line;
                let message = format!(
                    "row {line}, column `protected`: `{}` is neither yes nor no",
                    crate::language::shortened(cell)
                );
                self.fault(
                    Diagnostic::error("wrong-type", at, message).help("Write `yes` or `no`, or leave the cell empty"),
                );
                false
            }
        }
    }

    /// A column of numbers becomes a number property, any other a text property.
    fn finish_properties(&mut self, into: &mut RulesetSource) {
        for property in std::mem::take(&mut self.columns.properties) {
            let at = self.cell(u32::try_from(self.begin).unwrap_or_default(), property.column);
            let name = into.property_name(&property.name, at);
            let is_number = |text: &Text| into.arena.get(*text).parse::<Decimal>().is_ok();
            let odd: Vec<_> = property.cells.iter().filter(|(_, _, text)| !is_number(text)).copied().collect();
            let all_others_are_numbers = odd.len() * 10 < property.cells.len();
            let comma = |text: &Text| into.arena.get(*text).parse::<Decimal>() == Err(DecimalError::Comma);
            let commas: Vec<_> = odd.iter().filter(|(_, _, text)| comma(text)).copied().collect();
            for (_, row, text) in &commas {
                let cell = into.arena.get(*text).to_owned();
                self.number_fault(*row, property.column, &property.name, &cell, DecimalError::Comma);
            }
            if let Some((_, row, _)) = odd.first().filter(|_| all_others_are_numbers && commas.is_empty()) {
                let message =
                    format!("column `{}` has numbers and this text, so every cell is read as text", property.name);
                self.fault(Diagnostic::warning("mixed-column", self.cell(*row, property.column), message));
            }
            for (kind, _, text) in property.cells {
                let number = into.arena.get(text).parse().ok().filter(|_| odd.is_empty());
                into.properties.push((kind, name, number.map_or(PropertySource::Text(text), PropertySource::Number)));
            }
        }
    }
}

fn text_of(record: &StringRecord, column: Option<usize>) -> &str {
    let cell = column.and_then(|column| record.get(column)).unwrap_or_default();
    let solid = |byte: Option<&u8>| byte.is_none_or(u8::is_ascii_graphic);
    // Most cells have no blanks around them, and looking at their ends is all it takes to know.
    if solid(cell.as_bytes().first()) && solid(cell.as_bytes().last()) { cell } else { cell.trim() }
}

/// The separator that stands most often in the first line, outside of quotes.
fn separator(text: &str) -> u8 {
    let mut counts = [(b',', 0), (b';', 0), (b'\t', 0)];
    let mut quoted = false;
    let first_line = text.trim_start_matches(['\r', '\n']).lines().next().unwrap_or_default();
    for byte in first_line.bytes() {
        quoted ^= byte == b'"';
        if let Some((_, count)) = counts.iter_mut().find(|(separator, _)| *separator == byte && !quoted) {
            *count += 1;
        }
    }
    let (separator, _) = counts.into_iter().rev().max_by_key(|(_, count)| *count).unwrap_or((b',', 0));
    separator
}

/// Where a cell of the row that begins at `row` stands, without the blanks around it.
pub(crate) fn cell_span(text: &str, row: usize, separator: u8, column: usize) -> Span {
    let bytes = text.as_bytes();
    let mut at = row.min(bytes.len());
    while at < bytes.len() && matches!(bytes[at], b'\r' | b'\n') {
        at += 1;
    }
    let (mut cell, mut start, mut quoted) = (0, at, false);
    while at < bytes.len() {
        match bytes[at] {
            b'"' => quoted = !quoted,
            b'\r' | b'\n' if !quoted => break,
            byte if byte == separator && !quoted => {
                if cell == column {
                    break;
                }
                cell += 1;
                start = at + 1;
            }
            _ => {}
        }
        at += 1;
    }
    let raw = text.get(start..at).unwrap_or_default();
    let leading = raw.len() - raw.trim_start().len();
    Span::new(start + leading, start + leading + raw.trim().len())
}
