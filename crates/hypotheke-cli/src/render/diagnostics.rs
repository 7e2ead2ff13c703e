//! What is wrong with a text: the line, the part underlined, the cause, and what to do.

use annotate_snippets::renderer::DecorStyle;
use annotate_snippets::{AnnotationKind, Group, Level, Renderer, Snippet};
use hypotheke::text::{Diagnostic, Diagnostics, Location, Severity, Source};
use schemars::JsonSchema;
use serde::Serialize;

use super::page::{WIDTH, clean};

/// So much of a long line is shown.
const LONGEST: usize = 2_000;

pub(crate) fn draw(diagnostics: &Diagnostics) -> String {
    let renderer = Renderer::styled().decor_style(DecorStyle::Ascii).term_width(WIDTH);
    let mut text = String::new();
    for diagnostic in diagnostics {
        text.push_str(&renderer.render(&[group(diagnostics, diagnostic)]));
        text.push_str("\n\n");
    }
    match diagnostics.unlisted() {
        0 => {}
        1 => text.push_str("1 more is not listed\n\n"),
        unlisted => text.push_str(&format!("{unlisted} more are not listed\n\n")),
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

/// The line in which a location begins. The renderer is given that line alone, so that a large file costs nothing.
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

/// What is wrong, or probably not meant.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "Fault")]
pub(crate) struct JsonDiagnostic<'d> {
    /// `error` or `warning`.
    severity: String,
    /// A short name that stays the same when the wording changes.
    code: &'d str,
    /// What is wrong.
    message: &'d str,
    /// What to do about it.
    #[serde(skip_serializing_if = "Option::is_none")]
    help: Option<&'d str>,
    /// The file.
    file: &'d str,
    /// Where it begins.
    line: usize,
    /// The column there, from 1.
    column: usize,
    /// Where it ends.
    end_line: usize,
    /// The column after its end.
    end_column: usize,
    /// The text that is meant.
    text: &'d str,
}

pub(crate) fn to_json(diagnostics: &Diagnostics) -> Vec<JsonDiagnostic<'_>> {
    diagnostics.iter().map(|diagnostic| one_to_json(diagnostics, diagnostic)).collect()
}

fn one_to_json<'d>(diagnostics: &'d Diagnostics, diagnostic: &'d Diagnostic) -> JsonDiagnostic<'d> {
    let location = diagnostic.location();
    let begin = diagnostics.line_column(location);
    let source = diagnostics.source(location);
    let end = source.map_or(begin, |source| source.line_column(location.span.end()));
    JsonDiagnostic {
        severity: diagnostic.severity().to_string(),
        code: diagnostic.code(),
        message: diagnostic.message(),
        help: diagnostic.help_text(),
        file: source.map_or("", Source::name),
        line: begin.line,
        column: begin.column,
        end_line: end.line,
        end_column: end.column,
        text: source.map_or("", |source| source.slice(location.span)),
    }
}
