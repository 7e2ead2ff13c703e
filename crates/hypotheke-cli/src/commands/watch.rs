//! verify --watch: plays again whenever a file changes.

use std::path::Path;
use std::sync::mpsc;
use std::time::Duration;

use notify::{Event, RecursiveMode, Watcher};

use super::verify::{self, watched};
use super::{Output, Verdict, report};
use crate::args::VerifyArgs;
use crate::files::InputError;
use crate::render::{Page, Tone};

/// Editors write a file in several steps; what comes within this time is one change.
const QUIET: Duration = Duration::from_millis(100);

pub(crate) fn run(output: &mut Output, args: &VerifyArgs) -> Result<Verdict, InputError> {
    let failed = |error: &notify::Error| InputError::usage(format!("can't watch the files: {error}"), None);
    let (sender, changes) = mpsc::channel();
    let notice = move |event: notify::Result<Event>| {
        // Nobody waits for changes any more once the command has ended.
        let _ = sender.send(event);
    };
    let mut watcher = notify::recommended_watcher(notice).map_err(|error| failed(&error))?;
    for path in watched(args) {
        watcher.watch(&path, RecursiveMode::Recursive).map_err(|error| failed(&error))?;
    }
    loop {
        // What can't be read now may be mended in a moment.
        if let Err(error) = verify::run(output, args) {
            if matches!(error, InputError::Write(_)) {
                return Err(error);
            }
            report(output, &error);
        }
        let mut page = Page::default();
        page.line(Tone::Faint, "waiting for changes; Ctrl-C ends it");
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

/// Reading a file is no change, nor is what other programs leave beside it.
fn matters(event: &Event) -> bool {
    let of_ours = |path: &Path| {
        path.extension()
            .is_some_and(|extension| ["toml", "csv", "tsv", "scenario"].iter().any(|known| extension == *known))
    };
    !event.kind.is_access() && event.paths.iter().any(|path| of_ours(path))
}
