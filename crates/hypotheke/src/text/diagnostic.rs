use std::fmt;

use super::{Faults, LineColumn, Location, Source, Span};

/// How bad it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Severity {
    /// The input can't be used.
    Error,
    /// The input can be used, but it probably does not mean what its writer wants.
    Warning,
}

impl fmt::Display for Severity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Severity::Error => "error",
            Severity::Warning => "warning",
        })
    }
}

/// One thing that is wrong with a text: what, where, why, and what to do about it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Diagnostic {
    severity: Severity,
    code: &'static str,
    message: String,
    location: Location,
    label: String,
    related: Vec<(Location, String)>,
    help: Option<String>,
}

impl Diagnostic {
    pub(crate) fn error(code: &'static str, location: Location, message: impl Into<String>) -> Diagnostic {
        Diagnostic {
            severity: Severity::Error,
            code,
            message: message.into(),
            location,
            label: String::new(),
            related: Vec::new(),
            help: None,
        }
    }

    pub(crate) fn warning(code: &'static str, location: Location, message: impl Into<String>) -> Diagnostic {
        Diagnostic { severity: Severity::Warning, ..Diagnostic::error(code, location, message) }
    }

    pub(crate) fn label(mut self, label: impl Into<String>) -> Diagnostic {
        self.label = label.into();
        self
    }

    pub(crate) fn related(mut self, location: Location, note: impl Into<String>) -> Diagnostic {
        self.related.push((location, note.into()));
        self
    }

    pub(crate) fn help(mut self, help: impl Into<String>) -> Diagnostic {
        self.help = Some(help.into());
        self
    }

    pub(crate) fn maybe_help(mut self, help: Option<String>) -> Diagnostic {
        self.help = help.or(self.help);
        self
    }

    /// Error or warning.
    #[must_use]
    pub fn severity(&self) -> Severity {
        self.severity
    }

    /// A short name that stays the same when the wording changes, such as `unknown-key`.
    #[must_use]
    pub fn code(&self) -> &'static str {
        self.code
    }

    /// What is wrong, in one lower-case sentence.
    #[must_use]
    pub fn message(&self) -> &str {
        &self.message
    }

    /// Where.
    #[must_use]
    pub fn location(&self) -> Location {
        self.location
    }

    /// A short label for the underlined text; may be empty.
    #[must_use]
    pub fn label_text(&self) -> &str {
        &self.label
    }

    /// Further places that have to do with it, such as the first of two definitions.
    #[must_use]
    pub fn related_places(&self) -> &[(Location, String)] {
        &self.related
    }

    /// What to do about it.
    #[must_use]
    pub fn help_text(&self) -> Option<&str> {
        self.help.as_deref()
    }
}

/// Diagnostics together with the texts that they point into, in the order of those texts.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Diagnostics {
    sources: Vec<Source>,
    list: Vec<Diagnostic>,
    unlisted_errors: usize,
    unlisted_warnings: usize,
}

impl Diagnostics {
    /// One fault of a separate sentence; a fault without a place concerns all of it.
    pub(crate) fn of_sentence(
        code: &'static str,
        sentence: Source,
        span: Span,
        message: &str,
        help: Option<String>,
    ) -> Diagnostics {
        let whole = Span::new(0, sentence.text().len());
        let location = Location::new(super::SourceId(0), if span == Span::default() { whole } else { span });
        let fault = Diagnostic::error(code, location, message).maybe_help(help);
        Diagnostics::new(vec![sentence], vec![fault])
    }

    pub(crate) fn new(sources: Vec<Source>, faults: impl Into<Faults>) -> Diagnostics {
        let (mut list, unlisted_errors, unlisted_warnings) = faults.into().into_parts();
        list.sort_by(|a, b| (a.location, a.code, &a.message).cmp(&(b.location, b.code, &b.message)));
        list.dedup();
        Diagnostics { sources, list, unlisted_errors, unlisted_warnings }
    }

    /// The listed diagnostics, at most a hundred errors and a hundred warnings, in the order of the
    /// text.
    pub fn iter(&self) -> std::slice::Iter<'_, Diagnostic> {
        self.list.iter()
    }

    /// How many there are, those that are not listed included.
    #[must_use]
    pub fn len(&self) -> usize {
        self.list.len() + self.unlisted()
    }

    /// How many are not listed.
    #[must_use]
    pub fn unlisted(&self) -> usize {
        self.unlisted_errors + self.unlisted_warnings
    }

    /// How many there are of one severity, those that are not listed included.
    #[must_use]
    pub fn count(&self, severity: Severity) -> usize {
        let unlisted = match severity {
            Severity::Error => self.unlisted_errors,
            Severity::Warning => self.unlisted_warnings,
        };
        self.list.iter().filter(|diagnostic| diagnostic.severity == severity).count() + unlisted
    }

    /// They as faults, to which more may come.
    pub(crate) fn to_faults(&self) -> Faults {
        Faults::from_parts(self.list.clone(), self.unlisted_errors, self.unlisted_warnings)
    }

    /// True if nothing is wrong.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.list.is_empty()
    }

    /// The texts.
    #[must_use]
    pub fn sources(&self) -> &[Source] {
        &self.sources
    }

    /// The text that a location points into.
    #[must_use]
    pub fn source(&self, location: Location) -> Option<&Source> {
        self.sources.get(location.source.index())
    }

    /// Line and column where a location begins.
    #[must_use]
    pub fn line_column(&self, location: Location) -> LineColumn {
        let start = location.span.start();
        self.source(location).map_or(LineColumn { line: 1, column: 1 }, |source| source.line_column(start))
    }
}

impl<'a> IntoIterator for &'a Diagnostics {
    type Item = &'a Diagnostic;
    type IntoIter = std::slice::Iter<'a, Diagnostic>;

    fn into_iter(self) -> Self::IntoIter {
        self.iter()
    }
}

/// One line each: `rules.toml:3:7: error: …`, for logs; a terminal can do better with the data.
impl fmt::Display for Diagnostics {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (index, diagnostic) in self.list.iter().enumerate() {
            if index > 0 {
                writeln!(f)?;
            }
            let LineColumn { line, column } = self.line_column(diagnostic.location);
            let name = self.source(diagnostic.location).map_or("", Source::name);
            write!(f, "{name}:{line}:{column}: {}: {}", diagnostic.severity, diagnostic.message)?;
            if let Some(help) = &diagnostic.help {
                write!(f, " ({help})")?;
            }
        }
        match self.unlisted() {
            0 => Ok(()),
            1 => write!(f, "\n1 more is not listed"),
            unlisted => write!(f, "\n{unlisted} more are not listed"),
        }
    }
}

impl Location {
    pub(crate) fn new(source: super::SourceId, span: impl Into<Span>) -> Location {
        Location { source, span: span.into() }
    }
}
