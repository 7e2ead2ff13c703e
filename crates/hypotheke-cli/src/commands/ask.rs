//! ask: the result that an operation would have, and every reason against it.

use std::path::Path;
use std::sync::Arc;

use super::{Output, Verdict};
use crate::args::{Format, WorldArgs};
use crate::files::{InputError, load_rules, load_save, load_start, replace, write_new};
use crate::formats::ask::AskJson;
use crate::inputs::{FileKind, Inputs, quoted};
use crate::render::{Page, Tone, pad};
use hypotheke::save::Save;
use hypotheke::text::Source;
use hypotheke::{Cause, Departures, KindId, NamedOperation, Operation, Quote, Refusal, Reply, World};

/// The columns of the verdict and of the widest reason.
const INDENT: usize = 9;
const REASON: usize = 14;
/// The maximum number of changes that the text lists.
const MAX_CHANGES: usize = 12;

/// The start of the question.
pub(crate) struct Setting<'a> {
    pub(crate) files: &'a [String],
    pub(crate) after: &'a [String],
    pub(crate) saved: &'a WorldArgs,
}

/// Tries an operation. With a target, the world after it is written there as a save; an existing
/// file is replaced only if the flag is set.
pub(crate) fn run(
    output: &mut Output,
    question: &str,
    setting: &Setting<'_>,
    target: Option<(&Path, bool)>,
) -> Result<Verdict, InputError> {
    let inputs = Inputs::new(setting.files, setting.saved.save.rules.as_deref(), FileKind::Ruleset, false)?;
    let rules = Arc::new(load_rules(&inputs.ruleset()?)?);
    let save = match &inputs.named_save {
        Some(path) => Some((path.as_path(), load_save(path, setting.saved.save.allow_edited)?)),
        None => None,
    };
    let world = load_start(save.as_ref().map(|(path, save)| (*path, save)), setting.saved.away, &rules)?;
    let mut trial = Trial { world, departures: Departures::new() };
    for sentence in setting.after {
        trial.perform(sentence)?;
    }
    let (named, operation) = trial.read(question)?;
    let reply = operation.as_ref().map_or_else(|&refusal| Reply::from(refusal), |operation| trial.world.ask(operation));
    let changes = operation.as_ref().map_or_else(|_| Vec::new(), |operation| trial.changes(operation));
    let quote = operation.as_ref().ok().and_then(|operation| trial.world.quote(operation));
    if let Some((path, replaces)) = target {
        trial.save(&named, operation, path, replaces)?;
    }
    if output.format == Format::Json {
        output.write_json(&AskJson::new(&trial.world, &named, &reply, (&changes, quote.as_ref())))?;
        return Ok(Verdict::Good);
    }
    let mut page = output.page();
    draw(&mut page, &trial.world, &named, &reply, (&changes, quote.as_ref()));
    let next = reply.answer().err().and_then(|refusal| as_far_as_it_goes(&named, refusal.max_amount()));
    if let Some(next) = next {
        let after: String = setting.after.iter().map(|sentence| format!(" --after {}", quoted(sentence))).collect();
        let edited = if setting.saved.save.allow_edited { " --allow-edited" } else { "" };
        let away = setting.saved.away.map(|ticks| format!(" --away {ticks}")).unwrap_or_default();
        page.next(&format!("hypotheke ask {}{}{after}{edited}{away}", quoted(&next), inputs.pasted()));
    }
    if let Some((path, _)) = target {
        page.plain(&format!("wrote  {}", path.display())).end();
    }
    output.write(&page.into_text())?;
    Ok(Verdict::Good)
}

struct Trial {
    world: World,
    departures: Departures,
}

impl Trial {
    /// An operation that names what its actor may not see is refused, be that there or not.
    fn read(&self, sentence: &str) -> Result<(NamedOperation, Result<Operation, Refusal>), InputError> {
        let source = || Source::new("question", sentence);
        let named: NamedOperation = sentence
            .parse()
            .map_err(|error: hypotheke::SentenceError| InputError::Sentence(error.diagnose(source())))?;
        match named.resolve_with(&self.world, &self.departures) {
            Ok(operation) => Ok((named, Ok(operation))),
            Err(error) => match error.refusal() {
                Some(refusal) => Ok((named, Err(refusal))),
                None => Err(InputError::Sentence(error.diagnose(source()))),
            },
        }
    }

    /// Applies an operation of `--after`.
    fn perform(&mut self, sentence: &str) -> Result<(), InputError> {
        let (named, operation) = self.read(sentence)?;
        match operation.and_then(|operation| self.world.perform(&operation)) {
            Ok(outcome) if outcome.is_complete() => {}
            Ok(outcome) => {
                let message = format!("`{named}` would be applied only partly: {}", outcome.text("done"));
                return Err(InputError::usage(
                    message,
                    Some("Change this operation: an operation of `--after` must be applied in full"),
                ));
            }
            Err(refusal) => {
                let message = format!("`{named}` would be refused: {}", self.world.explain(&refusal));
                return Err(InputError::usage(message, Some("Try this operation alone to see every reason")));
            }
        }
        self.departures.extend(self.world.departed().iter().cloned());
        Ok(())
    }

    /// Writes the world after the operation as a save.
    fn save(
        &self,
        named: &NamedOperation,
        operation: Result<Operation, Refusal>,
        path: &Path,
        replaces: bool,
    ) -> Result<(), InputError> {
        let mut after = self.world.clone();
        if let Err(refusal) = operation.and_then(|operation| after.perform(&operation)) {
            let message = format!("nothing was saved: `{named}` would be refused: {}", self.world.explain(&refusal));
            return Err(InputError::usage(message, Some("Choose an operation that is applied")));
        }
        let text = Save::of(&after).to_json();
        match (path.exists(), replaces) {
            (true, true) => replace(path, text.as_bytes()),
            (true, false) => {
                let message = format!("cannot write `{}`: it already exists", path.display());
                Err(InputError::usage(message, Some("Name a new file, or add `--force` to replace it")))
            }
            (false, _) => write_new(path, text.as_bytes()),
        }
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
        | Named::Equip { amount, .. }
        | Named::Buy { amount, .. }
        | Named::Sell { amount, .. }
        | Named::Craft { amount, .. }
        | Named::Use { amount, .. } => *amount = Amount::UpTo(max_amount),
        _ => return None,
    }
    Some(requested.to_string())
}

fn draw(
    page: &mut Page,
    world: &World,
    named: &NamedOperation,
    reply: &Reply,
    (changes, quote): (&[String], Option<&Quote>),
) {
    let verb = named.action.past_verb();
    let (tone, word, described) = match reply.answer() {
        Ok(outcome) if outcome.is_complete() => (Tone::Good, "yes", outcome.text(verb)),
        Ok(outcome) => (Tone::Notable, "partly", outcome.text(verb)),
        Err(refusal) => (Tone::Bad, "no", refused_text(&refusal)),
    };
    page.put(tone, &pad(word, INDENT)).put(Tone::Heading, &named.to_string()).end();
    page.plain(&" ".repeat(INDENT)).put(tone, &described).end();
    if let Some(quote) = quote {
        page.plain(&pad("price", INDENT)).folded(Tone::Plain, &quote_text(world, named, quote));
    }
    for change in changes.iter().take(MAX_CHANGES) {
        page.plain(&" ".repeat(INDENT)).folded(Tone::Plain, change);
    }
    if changes.len() > MAX_CHANGES {
        let more = format!("and {} more changes; `--format json` lists all", changes.len() - MAX_CHANGES);
        page.plain(&" ".repeat(INDENT)).plain(&more).end();
    }
    if let Err(refusal) = reply.answer()
        && refusal.step().is_some()
    {
        page.plain(&" ".repeat(INDENT)).folded(Tone::Plain, &world.explain(&refusal));
        return;
    }
    if !reply.causes().is_empty() {
        page.blank();
        let reasons = match reply.causes().len() {
            1 => "1 reason".to_owned(),
            count => format!("{count} reasons, each checked on its own"),
        };
        page.plain(&reasons).end();
    }
    for &cause in reply.causes() {
        draw_cause(page, world, cause);
    }
}

/// `8 coin for 2 tin; irma can afford 4 tin`
fn quote_text(world: &World, named: &NamedOperation, quote: &Quote) -> String {
    let items = |items: &[(KindId, u64)]| {
        let name = |kind| world.rules().kind(kind).map_or("", hypotheke::Kind::id);
        items.iter().map(|&(kind, count)| format!("{count} {}", name(kind))).collect::<Vec<_>>().join(" and ")
    };
    let (goods, price, verb) = match &named.action {
        hypotheke::NamedAction::Sell { .. } => (&quote.gives, &quote.gets, "offer"),
        _ => (&quote.gets, &quote.gives, "afford"),
    };
    let holder = named.actor.as_ref().map_or("", |holder| holder.as_str());
    let kind = match &named.action {
        hypotheke::NamedAction::Buy { kind, .. } | hypotheke::NamedAction::Sell { kind, .. } => kind.as_str(),
        _ => "",
    };
    format!("{} for {}; {holder} can {verb} {} {kind}", items(price), items(goods), quote.affordable)
}

fn refused_text(refusal: &Refusal) -> String {
    match refusal.max_amount() {
        0 => format!("refused: {}", refusal.reason()),
        max_amount => format!("refused: {}; up to {max_amount}", refusal.reason()),
    }
}

fn draw_cause(page: &mut Page, world: &World, cause: Cause) {
    page.plain("  ").put(Tone::Bad, &pad(&cause.reason().to_string(), INDENT + REASON - 2));
    page.folded(Tone::Plain, &world.explain_cause(cause));
    if let Some(remedy) = world.remedy(cause) {
        page.plain(&" ".repeat(INDENT + REASON)).folded(Tone::Notable, &remedy);
    }
}
