//! Errors and warnings in JSON.

use hypotheke::text::{Diagnostic, Diagnostics, Source};
use schemars::JsonSchema;
use serde::Serialize;

use crate::files::InputError;

/// An error or a warning.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "Diagnostic")]
pub(crate) struct JsonDiagnostic<'d> {
    /// `error` or `warning`.
    severity: String,
    /// A code that stays the same when the wording changes.
    code: &'d str,
    /// The message.
    message: &'d str,
    /// The remedy.
    #[serde(skip_serializing_if = "Option::is_none")]
    help: Option<&'d str>,
    /// The file.
    file: &'d str,
    /// The line where it begins, from 1.
    line: usize,
    /// The column where it begins, from 1.
    column: usize,
    /// The line where it ends.
    end_line: usize,
    /// The column after its end.
    end_column: usize,
    /// The text at that place.
    text: &'d str,
}

/// The errors of all files, and the number of those that are not listed.
pub(crate) fn errors_json(errors: &[InputError]) -> (Vec<serde_json::Value>, usize) {
    let (mut all, mut unlisted) = (Vec::new(), 0);
    for error in errors {
        match (error, error.diagnostics()) {
            (InputError::Several(errors), _) => {
                let (more, count) = errors_json(errors);
                all.extend(more);
                unlisted += count;
            }
            (_, Some(found)) => {
                all.extend(to_json(found).iter().map(|diagnostic| serde_json::json!(diagnostic)));
                unlisted += found.unlisted();
            }
            (_, None) => {
                all.push(
                    serde_json::json!({ "severity": "error", "message": error.to_string(), "help": error.help() }),
                );
            }
        }
    }
    (all, unlisted)
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
