//! What is wrong with a text: the line, the part underlined, the cause, and what to do.

use annotate_snippets::renderer::DecorStyle;
use annotate_snippets::{AnnotationKind, Group, Level, Renderer, Snippet};
use hypotheke::text::{Diagnostic, Diagnostics, Location, Severity, Source};

use super::clean;

/// So much of a long line is shown.
const LONGEST: usize = 2_000;

pub(crate) fn draw(diagnostics: &Diagnostics, columns: usize) -> String {
    let renderer = Renderer::styled().decor_style(DecorStyle::Ascii).term_width(columns);
    let mut text = String::new();
    for diagnostic in diagnostics {
        text.push_str(&renderer.render(&[group(diagnostics, diagnostic)]));
        text.push_str("\n\n");
    }
    match diagnostics.unlisted() {
        0 => {}
        1 => text.push_str("1 more not listed\n\n"),
        unlisted => text.push_str(&format!("{unlisted} more not listed\n\n")),
    }
    text
}

fn group<'d>(diagnostics: &'d Diagnostics, diagnostic: &'d Diagnostic) -> Group<'d> {
    let level = match diagnostic.severity() {
        Severity::Error => Level::ERROR,
        Severity::Warning => Level::WARNING,
    };
    let mut group = level.primary_title(clean(diagnostic.message())).id(diagnostic.code()).element(snippet(
        diagnostics,
        diagnostic.location(),
        diagnostic.label_text(),
        AnnotationKind::Primary,
    ));
    for (location, note) in diagnostic.related_places() {
        group = group.element(snippet(diagnostics, *location, note, AnnotationKind::Context));
    }
    match diagnostic.help_text() {
        Some(help) => group.element(Level::HELP.message(clean(help))),
        None => group,
    }
}

/// The line in which a location begins. The renderer is given that line alone, so that a large file
/// costs nothing.
fn snippet<'d>(
    diagnostics: &'d Diagnostics,
    location: Location,
    label: &str,
    kind: AnnotationKind,
) -> Snippet<'d, annotate_snippets::Annotation<'d>> {
    let empty = Source::new("", "");
    let source = diagnostics.source(location).unwrap_or(&empty);
    let line = source.line_span(location.span.start());
    let number = source.line_column(line.start()).line;
    let shown = source.slice(line);
    let shown = &shown[..floor(shown, LONGEST)];
    let within = |byte: usize| floor(shown, byte.saturating_sub(line.start()));
    let (start, end) = (within(location.span.start()), within(location.span.end()));
    let annotation = kind.span(start..end.max(start)).label(clean(label));
    Snippet::source(shown.trim_start_matches('\u{feff}').to_owned())
        .line_start(number)
        .path(clean(source.name()))
        .annotation(annotation)
}

fn floor(text: &str, byte: usize) -> usize {
    let mut byte = byte.min(text.len());
    while !text.is_char_boundary(byte) {
        byte -= 1;
    }
    byte
}
