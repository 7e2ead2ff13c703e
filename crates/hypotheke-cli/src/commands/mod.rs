//! One file a command.

mod ask;
mod check;
mod combine;
mod compare;
mod coverage;
mod demo;
pub(crate) mod explore;
mod fits;
mod fmt;
pub(crate) mod migrate;
mod new;
mod play;
mod report;
pub(crate) mod save_checks;
mod saves;
mod show;
mod verify;
mod watch;

use std::io::{IsTerminal, Write};
use std::process::ExitCode;

use anstream::AutoStream;
use clap::{ColorChoice, CommandFactory, Parser};

use crate::args::{Cli, Command, Format};
use crate::files::{InputError, is_save};
use crate::formats::schema::schema;
use crate::render::report::counted;
use crate::render::{Page, Tone, clean, diagnostics, output_columns, steers};
use hypotheke::text::{Diagnostics, Severity};

/// The result of a command.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Verdict {
    Good,
    Failed,
    /// No failure was found, but the search stopped early.
    Incomplete,
    /// Some files have errors, which are reported already; the others were processed.
    BadInput,
}

/// The output of a command.
pub(crate) struct Output {
    pub(crate) format: Format,
    /// The columns of a page.
    columns: usize,
    out: AutoStream<std::io::Stdout>,
    err: AutoStream<std::io::Stderr>,
}

impl Output {
    fn new(args: &Cli) -> Output {
        let choice = match args.color {
            ColorChoice::Auto => anstream::ColorChoice::Auto,
            ColorChoice::Always => anstream::ColorChoice::Always,
            ColorChoice::Never => anstream::ColorChoice::Never,
        };
        Output {
            format: args.format,
            columns: output_columns(),
            out: AutoStream::new(std::io::stdout(), choice),
            err: AutoStream::new(std::io::stderr(), choice),
        }
    }

    /// An empty page.
    pub(crate) fn page(&self) -> Page {
        Page::new(self.columns)
    }

    pub(crate) fn write(&mut self, text: &str) -> Result<(), InputError> {
        Ok(self.out.write_all(text.as_bytes())?)
    }

    pub(crate) fn flush(&mut self) -> Result<(), InputError> {
        Ok(self.out.flush()?)
    }

    pub(crate) fn write_json(&mut self, value: &impl serde::Serialize) -> Result<(), InputError> {
        let text = serde_json::to_string_pretty(value).map_err(std::io::Error::other)?;
        self.write(&escape_controls(&text))?;
        self.write("\n")
    }

    /// Shows progress, on a terminal only. Each line replaces the one before it.
    pub(crate) fn progress(&mut self, text: &str) {
        if std::io::stderr().is_terminal() {
            // A failure to show progress is no reason to stop.
            let _ = write!(self.err, "\r\x1b[2K{text}");
            let _ = self.err.flush();
        }
    }
}

/// JSON with escapes for every character that could control a terminal.
fn escape_controls(json: &str) -> String {
    let mut text = String::with_capacity(json.len());
    for c in json.chars() {
        if c != '\n' && steers(c) {
            text.push_str(&format!("\\u{:04x}", u32::from(c)));
        } else {
            text.push(c);
        }
    }
    text
}

pub(crate) fn run() -> ExitCode {
    let args = match Cli::try_parse() {
        Ok(args) => args,
        Err(error) => {
            let printed = error.print().and_then(|()| std::io::stdout().flush());
            return match printed {
                Err(error) if error.kind() != std::io::ErrorKind::BrokenPipe => {
                    let _ = writeln!(std::io::stderr(), "error: {}", InputError::from(error));
                    ExitCode::from(2)
                }
                _ => ExitCode::from(if error.use_stderr() { 2 } else { 0 }),
            };
        }
    };
    let mut output = Output::new(&args);
    match dispatch(&args, &mut output).and_then(|verdict| {
        output.out.flush()?;
        Ok(verdict)
    }) {
        Ok(Verdict::Good) => ExitCode::SUCCESS,
        Ok(Verdict::Failed) => ExitCode::from(1),
        Ok(Verdict::Incomplete) => ExitCode::from(3),
        Ok(Verdict::BadInput) => ExitCode::from(2),
        // The reader has closed the pipe, as in `hypotheke show | head`.
        Err(InputError::Write(error)) if error.kind() == std::io::ErrorKind::BrokenPipe => ExitCode::SUCCESS,
        Err(error) => {
            report(&mut output, &error);
            ExitCode::from(2)
        }
    }
}

/// Some formats are only for one command.
fn check_format(args: &Cli) -> Result<(), InputError> {
    let (known, described) = match (&args.command, args.format) {
        (_, Format::Text | Format::Json)
        | (Some(Command::Verify(_)), Format::Junit)
        | (Some(Command::Fits(_)), Format::Csv) => return Ok(()),
        (_, Format::Junit) => ("verify", "junit"),
        (_, Format::Csv) => ("fits", "csv"),
    };
    let message = format!("`--format {described}` is only for `hypotheke {known}`");
    Err(InputError::usage(message, Some("Use `text` or `json`")))
}

fn dispatch(args: &Cli, output: &mut Output) -> Result<Verdict, InputError> {
    if let Some(shell) = args.completions {
        let mut script = Vec::new();
        clap_complete::generate(shell, &mut Cli::command(), "hypotheke", &mut script);
        output.write(&String::from_utf8_lossy(&script))?;
        return Ok(Verdict::Good);
    }
    if let Some(of) = args.schema {
        output.write_json(&schema(of))?;
        return Ok(Verdict::Good);
    }
    check_format(args)?;
    match &args.command {
        Some(Command::Demo { output: Some(folder) }) => demo::write(output, folder),
        Some(Command::Demo { output: None }) => demo::run(output),
        Some(Command::New { folder }) => new::run(output, folder),
        Some(Command::Check { files, saved }) => check::run(output, files, saved),
        Some(Command::Show { files, part, saved }) => show::run(output, files, *part, saved),
        Some(Command::Ask { question, files, after, save, force, saved }) => {
            let target = save.as_deref().map(|path| (path, *force));
            ask::run(output, question, &ask::Setting { files, after, saved }, target)
        }
        Some(Command::Verify(args)) if args.watch => watch::run(output, args),
        Some(Command::Verify(args)) => verify::run(output, args),
        Some(Command::Coverage(args)) => coverage::run(output, args),
        Some(Command::Compare(args)) if is_save(&args.old) || is_save(&args.new) => saves::compare(output, args),
        Some(Command::Compare(args)) => compare::run(output, args),
        Some(Command::Explore(args)) => explore::run(output, args),
        Some(Command::TestSaves(args)) => save_checks::run(output, args),
        Some(Command::Migrate(args)) => migrate::run(output, args),
        Some(Command::Fits(args)) => fits::run(output, args),
        Some(Command::Play(args)) => play::run(args),
        Some(Command::Report(args)) => report::run(output, args),
        Some(Command::Fmt { files, check }) => fmt::run(output, files, *check),
        None => Err(InputError::usage("no command given", Some("List the commands: `hypotheke --help`"))),
    }
}

/// Reports an error: on standard error, or as JSON on standard output.
fn report(output: &mut Output, error: &InputError) {
    if output.format == Format::Json {
        let (diagnostics, unlisted) = crate::formats::diagnostics::errors_json(std::slice::from_ref(error));
        let found = serde_json::json!({ "diagnostics": diagnostics, "unlisted": unlisted });
        let written = output.write_json(&found).and_then(|()| output.flush());
        if written.is_err() {
            let _ = writeln!(output.err, "error: {}", clean(&error.to_string()));
        }
        return;
    }
    match error {
        InputError::Several(errors) => errors.iter().for_each(|error| report(output, error)),
        _ => match error.diagnostics() {
            Some(found) => report_diagnostics(output, found),
            None => {
                let (red, bold) = (Tone::Error.style(), Tone::Heading.style());
                let help = error.help().map(|help| format!("\n  {bold}help{bold:#}: {help}")).unwrap_or_default();
                let _ = writeln!(output.err, "{red}error{red:#}: {}{help}", clean(&error.to_string()));
            }
        },
    }
}

/// Reports the errors of some files after the results of the others.
pub(crate) fn report_errors(output: &mut Output, errors: &[InputError]) -> Verdict {
    // JSON and JUnit results contain them.
    if output.format == Format::Text {
        let mut page = output.page();
        let files = counted(errors.len(), "file");
        page.line(Tone::Bad, &format!("{files} NOT INCLUDED: see the errors"));
        let _ = output.write(&page.into_text());
    }
    if output.format != Format::Json {
        let _ = output.flush();
        errors.iter().for_each(|error| report(output, error));
    }
    Verdict::BadInput
}

/// Draws errors and warnings, and their number.
pub(crate) fn report_diagnostics(output: &mut Output, found: &Diagnostics) {
    let _ = output.err.write_all(diagnostics::draw(found, output.columns).as_bytes());
    let _ = writeln!(output.err, "{}", summary(found));
}

/// `2 errors, 1 warning`
pub(crate) fn summary(found: &Diagnostics) -> String {
    let counted = |severity: Severity| {
        let count = found.count(severity);
        (count > 0).then(|| counted(count, &severity.to_string()))
    };
    let parts: Vec<String> = [Severity::Error, Severity::Warning].into_iter().filter_map(counted).collect();
    if parts.is_empty() { "no errors".to_owned() } else { parts.join(", ") }
}
