use super::{Diagnostic, Diagnostics, LineColumn, Location, Source, SourceId, Span};

fn at(line: usize, column: usize) -> LineColumn {
    LineColumn { line, column }
}

#[test]
fn lines_and_columns_are_counted_from_1_in_characters() {
    let source = Source::new("x", "é = 1\r\nzwei\n\ndrei");
    assert_eq!(source.line_column(0), at(1, 1));
    assert_eq!(source.line_column(3), at(1, 3), "é is one character of two bytes");
    assert_eq!(source.line_column(8), at(2, 1));
    assert_eq!(source.line_column(13), at(3, 1));
    assert_eq!(source.line_column(9_999), at(4, 5), "beyond the end is the end");
    assert_eq!(source.line_column(1), at(1, 1), "inside a character is its beginning");
}

#[test]
fn a_byte_order_mark_is_no_column() {
    let source = Source::new("x", "\u{feff}id,name");
    assert_eq!(source.line_column(3), at(1, 1));
    assert_eq!(source.line_column(6), at(1, 4));
}

#[test]
fn a_line_is_found_without_its_break() {
    let source = Source::new("x", "one\r\ntwo\nthree");
    assert_eq!(source.slice(source.line_span(1)), "one");
    assert_eq!(source.slice(source.line_span(6)), "two");
    assert_eq!(source.slice(source.line_span(99)), "three");
    assert_eq!(source.slice(Span::new(5, 99)), "two\nthree");
    assert_eq!(source.slice(Span::new(99, 120)), "");
    assert_eq!(Source::new("x", "").line_span(0), Span::new(0, 0));
}

#[test]
fn a_span_never_ends_before_it_begins() {
    let span = Span::new(7, 3);
    assert_eq!((span.start(), span.end()), (7, 7));
    assert_eq!((span.shifted(2).start(), Span::new(usize::MAX, usize::MAX).end()), (9, u32::MAX as usize));
}

#[test]
fn diagnostics_stand_in_the_order_of_the_texts_and_none_twice() {
    let sources = vec![Source::new("a", "first\nsecond"), Source::new("b", "third")];
    let location = |source, start, end| Location::new(SourceId(source), start..end);
    let later = Diagnostic::error("e", location(1, 0, 5), "in another text").help("fix it");
    let second = Diagnostic::warning("w", location(0, 6, 12), "in the second line");
    let first = Diagnostic::error("e", location(0, 0, 5), "in the first line")
        .label("here")
        .related(location(1, 0, 1), "and there");
    let all = Diagnostics::new(sources, vec![later.clone(), second.clone(), first.clone(), second]);
    assert_eq!(all.len(), 3);
    assert_eq!(
        all.to_string(),
        "a:1:1: error: in the first line\na:2:1: warning: in the second line\nb:1:1: error: in another text (fix it)"
    );
    let described = all.iter().next().expect("the first");
    assert_eq!((described.label_text(), described.related_places().len(), described.help_text()), ("here", 1, None));
}

#[test]
fn a_location_outside_of_all_texts_does_no_harm() {
    let lost = Diagnostic::error("e", Location::new(SourceId(9), 3..4), "nowhere");
    let all = Diagnostics::new(Vec::new(), vec![lost]);
    assert_eq!(all.to_string(), ":1:1: error: nowhere");
}
