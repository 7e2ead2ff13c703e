//! The layout of JSON saves, and the checksum of their text.

use std::io;

use serde_json::ser::Formatter;

/// The entries of the document's lists and objects have their own lines; anything deeper is on one
/// line.
const LINES_DOWN_TO: usize = 2;

/// An entry of a list on each line, so that a comparison line by line shows which stacks differ.
#[derive(Default)]
pub(super) struct Lines {
    depth: usize,
    has_entries: bool,
}

impl Lines {
    fn open<W: io::Write + ?Sized>(&mut self, writer: &mut W, bracket: &[u8]) -> io::Result<()> {
        self.depth += 1;
        self.has_entries = false;
        writer.write_all(bracket)
    }

    fn close<W: io::Write + ?Sized>(&mut self, writer: &mut W, bracket: &[u8]) -> io::Result<()> {
        self.depth -= 1;
        if self.has_entries && self.depth < LINES_DOWN_TO {
            new_line(writer, self.depth)?;
        }
        self.has_entries = true;
        writer.write_all(bracket)
    }

    fn entry<W: io::Write + ?Sized>(&mut self, writer: &mut W, first: bool) -> io::Result<()> {
        self.has_entries = true;
        if self.depth > LINES_DOWN_TO {
            return if first { Ok(()) } else { writer.write_all(b", ") };
        }
        if !first {
            writer.write_all(b",")?;
        }
        new_line(writer, self.depth)
    }
}

fn new_line<W: io::Write + ?Sized>(writer: &mut W, depth: usize) -> io::Result<()> {
    writer.write_all(b"\n")?;
    (0..depth).try_for_each(|_| writer.write_all(b"  "))
}

impl Formatter for Lines {
    fn begin_array<W: io::Write + ?Sized>(&mut self, writer: &mut W) -> io::Result<()> {
        self.open(writer, b"[")
    }

    fn end_array<W: io::Write + ?Sized>(&mut self, writer: &mut W) -> io::Result<()> {
        self.close(writer, b"]")
    }

    fn begin_array_value<W: io::Write + ?Sized>(&mut self, writer: &mut W, first: bool) -> io::Result<()> {
        self.entry(writer, first)
    }

    fn begin_object<W: io::Write + ?Sized>(&mut self, writer: &mut W) -> io::Result<()> {
        self.open(writer, b"{")
    }

    fn end_object<W: io::Write + ?Sized>(&mut self, writer: &mut W) -> io::Result<()> {
        self.close(writer, b"}")
    }

    fn begin_object_key<W: io::Write + ?Sized>(&mut self, writer: &mut W, first: bool) -> io::Result<()> {
        self.entry(writer, first)
    }

    fn begin_object_value<W: io::Write + ?Sized>(&mut self, writer: &mut W) -> io::Result<()> {
        writer.write_all(b": ")
    }
}

/// The CRC-32 of a JSON text. Line ends, and blanks at the beginning and the end of a line, say
/// nothing: a text within it has none.
pub(super) fn checksum(text: &str) -> u32 {
    let mut hasher = crc32fast::Hasher::new();
    text.lines().for_each(|line| hasher.update(line.trim_ascii().as_bytes()));
    hasher.finalize()
}
