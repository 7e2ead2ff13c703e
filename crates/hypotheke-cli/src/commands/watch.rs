//! verify --watch: runs the scenarios again whenever a file changes.

use std::path::Path;
use std::sync::mpsc;
use std::time::Duration;

use notify::{Event, RecursiveMode, Watcher};

use super::verify::{self, watched};
use super::{Output, Verdict, report};
use crate::args::VerifyArgs;
use crate::files::InputError;
use crate::render::Tone;

/// Editors write a file in several steps. Changes within this time are one change.
const QUIET: Duration = Duration::from_millis(100);

pub(crate) fn run(output: &mut Output, args: &VerifyArgs) -> Result<Verdict, InputError> {
    let failed = |error: &notify::Error| InputError::usage(format!("cannot watch the files: {error}"), None);
    let (sender, changes) = mpsc::channel();
    let notice = move |event: notify::Result<Event>| {
        // The command may have ended in the meantime.
        let _ = sender.send(event);
    };
    let mut watcher = notify::recommended_watcher(notice).map_err(|error| failed(&error))?;
    for path in watched(args)? {
        watcher.watch(&path, RecursiveMode::Recursive).map_err(|error| failed(&error))?;
    }
    loop {
        // A file with errors may be fixed soon.
        if let Err(error) = verify::run(output, args) {
            if matches!(error, InputError::Write(_)) {
                return Err(error);
            }
            report(output, &error);
        }
        let mut page = output.page();
        page.line(Tone::Plain, "waiting for changes; Ctrl-C ends it");
        page.blank();
        output.write(&page.into_text())?;
        output.flush()?;
        loop {
            let Ok(event) = changes.recv() else { return Ok(Verdict::Good) };
            if matters(&event.map_err(|error| failed(&error))?) {
                break;
            }
        }
        while changes.recv_timeout(QUIET).is_ok() {}
    }
}

/// Only changes of rulesets, tables and scenarios count.
fn matters(event: &Event) -> bool {
    let of_ours = |path: &Path| {
        path.extension()
            .is_some_and(|extension| ["toml", "csv", "tsv", "scenario"].iter().any(|known| extension == *known))
    };
    !event.kind.is_access() && event.paths.iter().any(|path| of_ours(path))
}
