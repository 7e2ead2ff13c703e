//! ask: what would come of an operation, and all that stands in its way.

use std::path::Path;
use std::sync::Arc;

use super::{Output, Verdict};
use crate::args::Format;
use crate::files::{InputError, load_rules};
use crate::formats::ask::AskJson;
use crate::render::{Page, Tone, fold, pad};
use hypotheke::text::Source;
use hypotheke::{Cause, Departures, NamedOperation, Operation, Refusal, Reply, World};

/// The widest of the reasons, and what stands before them.
const INDENT: usize = 9;
const REASON: usize = 14;
/// So many changes are told in text.
const MAX_CHANGES: usize = 12;

pub(crate) fn run(output: &mut Output, path: &Path, after: &[String], question: &str) -> Result<Verdict, InputError> {
    let rules = Arc::new(load_rules(path)?);
    let mut requested = Asked { world: World::new(&rules), departures: Departures::new() };
    for sentence in after {
        requested.perform(sentence)?;
    }
    let (named, operation) = requested.read(question)?;
    let reply = requested.world.ask(&operation);
    let changes = requested.changes(&operation);
    if output.format == Format::Json {
        output.write_json(&AskJson::new(&requested.world, &named, &reply, &changes))?;
        return Ok(Verdict::Good);
    }
    let mut page = Page::default();
    draw(&mut page, &requested.world, &named, &reply, &changes);
    output.write(&page.into_text())?;
    Ok(Verdict::Good)
}

struct Asked {
    world: World,
    departures: Departures,
}

impl Asked {
    fn read(&self, sentence: &str) -> Result<(NamedOperation, Operation), InputError> {
        let source = || Source::new("question", sentence);
        let named: NamedOperation = sentence
            .parse()
            .map_err(|error: hypotheke::SentenceError| InputError::Sentence(error.diagnose(source())))?;
        let resolved = named.resolve_with(&self.world, &self.departures);
        let operation = resolved.map_err(|error| InputError::Sentence(error.diagnose(source())))?;
        Ok((named, operation))
    }

    /// What has happened before the question is requested.
    fn perform(&mut self, sentence: &str) -> Result<(), InputError> {
        let (named, operation) = self.read(sentence)?;
        match self.world.perform(&operation) {
            Ok(outcome) if outcome.is_complete() => {}
            Ok(outcome) => {
                let message = format!("`{named}` would be applied in part only: {}", outcome.text("done"));
                return Err(InputError::usage(message, Some("what comes before the question must be applied in full")));
            }
            Err(refusal) => {
                let message = format!("`{named}` would be refused: {}", self.world.explain(&refusal));
                return Err(InputError::usage(message, Some("ask about it: it is what stands in the way")));
            }
        }
        self.departures.extend(self.world.departed().iter().cloned());
        Ok(())
    }

    fn changes(&self, operation: &Operation) -> Vec<String> {
        let mut tried = self.world.clone();
        if tried.perform(operation).is_err() {
            return Vec::new();
        }
        tried.events().iter().map(|event| tried.describe_event(event)).collect()
    }
}

/// `fuel-drum` of four is `up to 4 fuel-drum`.
fn as_far_as_it_goes(named: &NamedOperation, max_amount: u64) -> Option<String> {
    use hypotheke::{Amount, NamedAction as Named};
    let mut requested = named.clone();
    let max_amount = u32::try_from(max_amount).ok().filter(|&max_amount| max_amount > 0)?;
    match &mut requested.action {
        Named::Create { amount, .. }
        | Named::Consume { amount, .. }
        | Named::Move { amount, .. }
        | Named::Drop { amount, .. }
        | Named::PickUp { amount, .. }
        | Named::Put { amount, .. }
        | Named::Merge { amount, .. }
        | Named::Equip { amount, .. } => *amount = Amount::UpTo(max_amount),
        _ => return None,
    }
    Some(requested.to_string())
}

fn draw(page: &mut Page, world: &World, named: &NamedOperation, reply: &Reply, changes: &[String]) {
    let verb = named.action.past_verb();
    let (tone, word, told) = match reply.answer() {
        Ok(outcome) if outcome.is_complete() => (Tone::Good, "yes", outcome.text(verb)),
        Ok(outcome) => (Tone::Notable, "in part", outcome.text(verb)),
        Err(refusal) => (Tone::Bad, "no", refused_text(&refusal)),
    };
    page.put(tone, &pad(word, INDENT)).put(Tone::Heading, &named.to_string()).end();
    page.plain(&" ".repeat(INDENT)).put(tone, &told).end();
    for change in changes.iter().take(MAX_CHANGES) {
        page.plain(&" ".repeat(INDENT)).put(Tone::Faint, change).end();
    }
    if changes.len() > MAX_CHANGES {
        let more = format!("and {} changes more; `--format json` tells all", changes.len() - MAX_CHANGES);
        page.plain(&" ".repeat(INDENT)).put(Tone::Faint, &more).end();
    }
    if let Err(refusal) = reply.answer()
        && refusal.step().is_some()
    {
        page.plain(&" ".repeat(INDENT)).plain(&world.explain(&refusal)).end();
        return;
    }
    if !reply.causes().is_empty() {
        page.blank();
        let all = if reply.answer().is_ok() { "why not all of it" } else { "why not" };
        let several = match reply.causes().len() {
            1 => String::new(),
            count => format!(": {count} reasons, each as if there were no other"),
        };
        page.put(Tone::Faint, &format!("{all}{several}")).end();
    }
    for &cause in reply.causes() {
        draw_cause(page, world, cause);
    }
    let next = reply.answer().err().and_then(|refusal| as_far_as_it_goes(named, refusal.max_amount()));
    if let Some(next) = next {
        page.put(Tone::Faint, "next   ").plain(&format!("`{next}` would be applied")).end();
    }
}

fn refused_text(refusal: &Refusal) -> String {
    match refusal.max_amount() {
        0 => format!("refused: {}", refusal.reason()),
        max_amount => format!("refused: {}; up to {max_amount}", refusal.reason()),
    }
}

fn draw_cause(page: &mut Page, world: &World, cause: Cause) {
    let mut lines = fold(&world.explain_cause(cause), 98 - INDENT - REASON).into_iter();
    page.plain("  ").put(Tone::Bad, &pad(&cause.reason().to_string(), INDENT + REASON - 2));
    page.plain(&lines.next().unwrap_or_default()).end();
    for line in lines {
        page.plain(&" ".repeat(INDENT + REASON)).plain(&line).end();
    }
    if let Some(remedy) = world.remedy(cause) {
        page.plain(&" ".repeat(INDENT + REASON)).put(Tone::Faint, &format!("it would take {remedy}")).end();
    }
}
